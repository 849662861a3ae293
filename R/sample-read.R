# Reads tables from files: strictly, with errors that state the line and the fault.

# `text`: columns that name groups or clusters, whose values are kept as written unless they are
# numbers in their plain form.
read_csv_file <- function(file, encoding = "UTF-8", text = NULL) {
  check_readable(file)
  separator <- if (grepl("\\.(tsv|tab)$", file, ignore.case = TRUE)) "\t" else ","
  lines <- strsplit(read_text(file, encoding), "\n", fixed = TRUE)[[1L]]
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
  table <- strict_table(body, file, separator, na.strings = c("", "NA"), integer64 = "double",
                        colClasses = text_classes(names, text))
  if (ncol(table) != length(names) || nrow(table) != records) {
    abort("file", c(text_of("cannot_read_lines_came", file = quoted(file), records = records,
                            value = count_of(length(names), "field"), table = nrow(table),
                            table_2 = ncol(table)), i = text_of("field_advice")))
  }
  names(table) <- names
  for (k in seq_along(table)) table[[k]] <- plain_cells(table[[k]])
  for (name in intersect(text, names)) table[[name]] <- plain_numbers(table[[name]])
  without_trailing(table, file)
}

# The classes of columns that must remain text; NULL when there are none.
text_classes <- function(names, text) {
  at <- which(names %in% text)
  if (length(at)) list(character = at)
}

# Text in the plain form of numbers, as numbers: 7, but neither 007 nor 7.0, which would be lost.
plain_numbers <- function(x) {
  numbers <- suppressWarnings(as.numeric(x))
  if (identical(as.character(numbers), as.character(x))) numbers else x
}

# The header ends at the first line end outside quotes.
header_lines <- function(lines) {
  quotes <- cumsum(nchar(gsub("[^\"]", "", lines)))
  closed <- which(quotes %% 2L == 0L)
  if (length(closed)) closed[1L] else length(lines)
}

# Checks that every record has as many fields as the header, and counts the records. Quotes may
# contain separators and line ends.
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

# Dates remain text, as does everything else that is not a number; a doubled quote is one.
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

# User-defined missing values are kept as such where the format has them.
statistics_readers <- list(
  sav = function(file) haven::read_sav(file, user_na = TRUE),
  zsav = function(file) haven::read_sav(file, user_na = TRUE),
  por = function(file) haven::read_por(file, user_na = TRUE),
  dta = function(file) haven::read_dta(file),
  sas7bdat = function(file) haven::read_sas(file),
  xpt = function(file) haven::read_xpt(file))

# Codes for missing values are declared in the columns.
read_statistics_file <- function(file, ending) {
  check_readable(file)
  if (!requireNamespace("haven", quietly = TRUE)) {
    abort("file", c(text_of("reading_files_needs_package", ending = ending),
                    i = text_of("install_packages_haven_or")))
  }
  tryCatch(as.data.frame(statistics_readers[[ending]](file)), error = function(e) {
    abort("file", c(text_of("cannot_read_file", file = quoted(file)), x = conditionMessage(e)))
  })
}

# Files read some rows at a time.

# Lines up to the first line end outside quotes, as strictly as whole files are read.
csv_chunks <- function(file, chunk, encoding, text = NULL) {
  check_encoding_known(encoding)
  separator <- if (grepl("\\.(tsv|tab)$", file, ignore.case = TRUE)) "\t" else ","
  connection <- base::file(file, open = "r", encoding = "native.enc")
  done <- FALSE
  names <- NULL
  line <- 0
  finish <- function() {
    if (!done) close(connection)
    done <<- TRUE
    NULL
  }
  reg.finalizer(environment(), function(e) finish(), onexit = TRUE)
  function() {
    if (done) return(NULL)
    if (is.null(names)) {
      head <- whole_records(connection, 1L, file, encoding)
      line <<- length(head)
      names <<- as.character(strict_table(head, file, separator, na.strings = NULL,
                                          colClasses = "character"))
    }
    body <- whole_records(connection, chunk, file, encoding)
    if (length(body) == 0L) return(finish())
    records <- check_fields(body, length(names), file, separator, line)
    table <- strict_table(body, file, separator, na.strings = c("", "NA"), integer64 = "double",
                          colClasses = text_classes(names, text))
    line <<- line + length(body)
    if (ncol(table) != length(names) || nrow(table) != records)
      abort("file", c(text_of("cannot_read_near_line", file = quoted(file), line = line),
                      i = text_of("field_advice")))
    names(table) <- names
    for (k in seq_along(table)) table[[k]] <- plain_cells(table[[k]])
    table
  }
}

# At least `count` lines, and as many more as an open quote needs.
whole_records <- function(connection, count, file, encoding) {
  lines <- decoded_lines(readLines(connection, count, warn = FALSE), file, encoding)
  quotes <- function(x) {
    x <- x[grepl("\"", x, fixed = TRUE)]
    sum(nchar(x) - nchar(gsub("\"", "", x, fixed = TRUE)))
  }
  open <- quotes(lines) %% 2L == 1L
  while (open) {
    more <- decoded_lines(readLines(connection, 1L, warn = FALSE), file, encoding)
    if (length(more) == 0L) break
    lines <- c(lines, more)
    open <- (quotes(more) %% 2L == 1L) != open
  }
  if (any(endsWith(lines, "\r"))) sub("\r$", "", lines) else lines
}

decoded_lines <- function(lines, file, encoding) {
  if (length(lines) == 0L) return(lines)
  lines[1L] <- sub("^\xef\xbb\xbf", "", lines[1L], useBytes = TRUE)
  out <- if (toupper(encoding) %in% c("UTF-8", "UTF8")) lines else iconv(lines, encoding, "UTF-8")
  good <- !is.na(out) & validUTF8(out)
  if (!all(good))
    abort("file", c(text_of("file_not_in_encoding", file = quoted(file), encoding = encoding),
                    x = text_of("first_line_cannot_be",
                                good = quoted(substr(iconv(lines[!good][1L], "latin1", "UTF-8"), 1L,
                                    40L))),
                    i = text_of("give_encoding_such_encoding")))
  Encoding(out) <- "UTF-8"
  out
}

check_encoding_known <- function(encoding) {
  if (toupper(encoding) %in% c("UTF-8", "UTF8") || encoding %in% iconvlist() ||
      tolower(encoding) %in% c("latin1", "latin2")) return(invisible())
  abort("input", c(text_of("there_is_no_encoding", encoding = quoted(encoding)),
                   i = text_of("such_encoding_latin1")))
}

# One row group after the other.
parquet_chunks <- function(file) {
  if (!requireNamespace("nanoparquet", quietly = TRUE))
    abort("file", c(text_of("reading_parquet_files_needs", parquet_reader = "nanoparquet"),
                    i = text_of("install_packages_or_save", parquet_reader = "nanoparquet")))
  trouble <- function(e) {
    abort("file", c(text_of("cannot_read_file", file = quoted(file)), x = conditionMessage(e)))
  }
  groups <- tryCatch(nrow(nanoparquet::read_parquet_metadata(file)$row_groups), error = trouble)
  # older versions read whole files only
  by_group <- "read_parquet_row_group" %in% getNamespaceExports("nanoparquet")
  read_group <- if (by_group) getExportedValue("nanoparquet", "read_parquet_row_group")
  at <- 0L
  function() {
    at <<- at + 1L
    if (!by_group && at == 1L)
      return(tryCatch(as.data.frame(nanoparquet::read_parquet(file)), error = trouble))
    if (!by_group || at > groups) return(NULL)
    tryCatch(as.data.frame(read_group(file, at - 1L)), error = trouble)
  }
}

read_parquet_file <- function(file) {
  check_readable(file)
  chunks <- parquet_chunks(file)
  parts <- list()
  while (!is.null(part <- chunks())) parts <- c(parts, list(part))
  if (length(parts) == 0L) abort("file", text_of("has_no_rows", file = quoted(file)))
  do.call(rbind, parts)
}
