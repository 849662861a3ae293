# Reading tables from files, with errors that say what to do.

read_csv_file <- function(file) {
  check_string(file, "`file`")
  if (!file.exists(file)) {
    folder <- dirname(file)
    abort("file", c(paste0("There is no file ", quoted(file), "."),
                    if (dir.exists(folder)) did_you_mean(basename(file), list.files(folder))
                    else c(x = paste0("There is no folder ", quoted(folder), " either."))))
  }
  if (dir.exists(file)) abort("file", paste0(quoted(file), " is a folder, not a file."))
  if (file.size(file) == 0) abort("file", paste0(quoted(file), " is empty."))
  separator <- if (grepl("\\.(tsv|tab)$", file, ignore.case = TRUE)) "\t" else ","
  bytes <- readBin(file, "raw", n = min(file.size(file), 4096L))
  if (any(bytes == as.raw(0L))) {
    abort("file",
          c(paste0(quoted(file), " is not a text file."),
            i = "Save the data as CSV (comma-separated, UTF-8)."))
  }
  table <- tryCatch(
    utils::read.csv(file, sep = separator, check.names = FALSE, stringsAsFactors = FALSE,
                    fileEncoding = "UTF-8-BOM", na.strings = c("", "NA"), strip.white = TRUE,
                    comment.char = ""),
    error = function(e) {
      abort("file", c(paste0("Cannot read ", quoted(file), "."), x = conditionMessage(e),
                      i = "It must be a CSV file with one header line."))
    }
  )
  if (nrow(table) == 0L) abort("file", paste0(quoted(file), " has a header but no rows."))
  if (ncol(table) == 1L && grepl(";", names(table), fixed = TRUE)) {
    abort("file", c(paste0(quoted(file), " is separated by semicolons."),
                    i = "Save it with commas, or as .tsv with tabs."))
  }
  table
}

# Labelled statistics files go through haven; a summary-data file is told by its first columns.
read_data_file <- function(file) {
  ending <- tolower(tools::file_ext(file))
  if (ending %in% names(statistics_readers)) return(read_statistics_file(file, ending))
  table <- read_csv_file(file)
  is_summary <- names(table)[1L] == "row" ||
    (names(table)[1L] == ".group" && identical(names(table)[2L], "row"))
  if (is_summary) read_summary_data(file) else table
}

statistics_readers <- c(sav = "read_sav", zsav = "read_sav", por = "read_por", dta = "read_dta",
                        sas7bdat = "read_sas", xpt = "read_xpt")

# With user-defined missing values kept as such: they are declared in the columns.
read_statistics_file <- function(file, ending) {
  if (!file.exists(file))
    abort("file",
          c(paste0("There is no file ", quoted(file), "."),
            did_you_mean(basename(file), list.files(dirname(file)))))
  if (!requireNamespace("haven", quietly = TRUE)) {
    abort("file", c(paste0("Reading .", ending, " files needs the package haven."),
                    i = "install.packages(\"haven\"), or save the data as CSV."))
  }
  reader <- utils::getFromNamespace(statistics_readers[[ending]], "haven")
  arguments <- c(list(file), if ("user_na" %in% names(formals(reader))) list(user_na = TRUE))
  tryCatch(as.data.frame(do.call(reader, arguments)), error = function(e) {
    abort("file", c(paste0("Cannot read ", quoted(file), "."), x = conditionMessage(e)))
  })
}
