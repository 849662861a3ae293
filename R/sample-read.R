# Reading tables from files: strictly, with errors that say in which line what is wrong.

read_csv_file <- function(file, encoding = "UTF-8") {
  check_readable(file)
  text <- read_text(file, encoding)
  separator <- if (grepl("\\.(tsv|tab)$", file, ignore.case = TRUE)) "\t" else ","
  lines <- strsplit(text, "\n", fixed = TRUE)[[1L]]
  head <- header_lines(lines)
  names <- as.character(strict_table(lines[seq_len(head)], file, separator, na.strings = NULL,
                                     colClasses = "character"))
  if (length(names) == 1L && grepl(";", names, fixed = TRUE)) {
    abort("file", c(text_of("is_separated_semicolons", file = quoted(file)),
                    i = text_of("save_commas_or_tsv")))
  }
  body <- lines[-seq_len(head)]
  if (length(body) == 0L) abort("file", text_of("has_header_but_no", file = quoted(file)))
  records <- check_fields(body, length(names), file, separator, head)
  table <- strict_table(body, file, separator, na.strings = c("", "NA"), integer64 = "double")
  if (ncol(table) != length(names) || nrow(table) != records) {
    abort("file", c(text_of("cannot_read_lines_came", file = quoted(file), records = records,
                            value = count_of(length(names), "field"), table = nrow(table),
                            table_2 = ncol(table)), i = text_of("field_advice")))
  }
  names(table) <- names
  for (k in seq_along(table)) table[[k]] <- plain_cells(table[[k]])
  without_trailing(table, file)
}

# The header ends where no quote is open.
header_lines <- function(lines) {
  quotes <- cumsum(nchar(gsub("[^\"]", "", lines)))
  closed <- which(quotes %% 2L == 0L)
  if (length(closed)) closed[1L] else length(lines)
}

# Every record has as many fields as the header; how many records there are. A quote may hide
# separators and line ends.
check_fields <- function(lines, fields, file, separator, head) {
  count <- function(x, what) {
    nchar(x, "bytes") - nchar(gsub(what, "", x, fixed = TRUE), "bytes")
  }
  starts <- seq_along(lines)
  open <- FALSE
  whole <- lines
  if (any(grepl("\"", lines, fixed = TRUE))) {
    open <- cumsum(count(lines, "\"")) %% 2L == 1L
    record <- cumsum(c(TRUE, !open[-length(open)]))
    starts <- which(!duplicated(record))
    if (any(open)) whole <- vapply(split(lines, record), paste, "", collapse = "\n")
    whole <- gsub("\"[^\"]*\"", "", whole)
  }
  wrong <- function(k, ...) {
    abort("file", c(text_of("line_of_file_says", file = quoted(file), starts = head + starts[k],
                            value = paste0(...)),
                    i = text_of("field_advice")))
  }
  if (open[length(open)]) wrong(length(starts), text_of("quote_is_opened_never"))
  found <- count(whole, separator) + 1L
  bad <- which(found != fields)
  if (length(bad)) {
    wrong(bad[1L], if (!nzchar(trimws(whole[bad[1L]]))) "a blank line" else
      text_of("expected_but_found", fields = count_of(fields, "field"), bad = found[bad[1L]]))
  }
  length(starts)
}

# Dates stay text, as everything else that is no number; a doubled quote is one.
plain_cells <- function(x) {
  if (inherits(x, c("Date", "POSIXt"))) return(as.character(x))
  if (is.character(x)) x <- gsub("\"\"", "\"", x, fixed = TRUE)
  x
}

# No line is filled, cut or guessed at: every warning of the reader is an error.
strict_table <- function(lines, file, separator, ...) {
  stop_reading <- function(e) {
    abort("file", c(text_of("cannot_read_file", file = quoted(file)),
                    x = gsub("\n", " ", conditionMessage(e), fixed = TRUE),
                    i = text_of("field_advice")))
  }
  text <- paste0(c(lines, ""), collapse = "\n")
  tryCatch(data.table::fread(input = text, sep = separator, quote = "\"", header = FALSE,
                             fill = FALSE, skip = 0L, strip.white = TRUE, blank.lines.skip = FALSE,
                             encoding = "UTF-8", data.table = FALSE, showProgress = FALSE, ...),
           warning = stop_reading, error = stop_reading)
}

# A separator at the end of the header and of every line makes one empty column without a name.
without_trailing <- function(table, file) {
  last <- ncol(table)
  if (last < 2L || nzchar(names(table)[last]) || !all(is.na(table[[last]]))) return(table)
  say(quoted(file), text_of("every_line_ends_separator"))
  table[-last]
}

# Labelled statistics files go through haven; a summary-data file is told by its first columns.
read_data_file <- function(file, encoding = "UTF-8") {
  ending <- tolower(tools::file_ext(file))
  if (ending %in% names(statistics_readers)) return(read_statistics_file(file, ending))
  if (ending == "parquet") return(read_parquet_file(file))
  table <- read_csv_file(file, encoding)
  is_summary <- names(table)[1L] == "row" ||
    (names(table)[1L] == ".group" && identical(names(table)[2L], "row"))
  if (is_summary) read_summary_data(file, encoding = encoding) else table
}

statistics_readers <- c(sav = "read_sav", zsav = "read_sav", por = "read_por", dta = "read_dta",
                        sas7bdat = "read_sas", xpt = "read_xpt")

# With user-defined missing values kept as such: they are declared in the columns.
read_statistics_file <- function(file, ending) {
  check_readable(file)
  if (!requireNamespace("haven", quietly = TRUE)) {
    abort("file", c(text_of("reading_files_needs_package", ending = ending),
                    i = text_of("install_packages_haven_or")))
  }
  reader <- utils::getFromNamespace(statistics_readers[[ending]], "haven")
  arguments <- c(list(file), if ("user_na" %in% names(formals(reader))) list(user_na = TRUE))
  tryCatch(as.data.frame(do.call(reader, arguments)), error = function(e) {
    abort("file", c(text_of("cannot_read_file", file = quoted(file)), x = conditionMessage(e)))
  })
}
