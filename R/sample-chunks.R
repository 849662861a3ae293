# Files read some rows at a time.

# Lines up to where no quote is open, as strictly as whole files are read.
csv_chunks <- function(file, chunk, encoding) {
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
    table <- strict_table(body, file, separator, na.strings = c("", "NA"), integer64 = "double")
    line <<- line + length(body)
    if (ncol(table) != length(names) || nrow(table) != records)
      abort("file", c(text_of("cannot_read_near_line", file = quoted(file), line = line),
                      i = text_of("field_advice")))
    names(table) <- names
    for (k in seq_along(table)) table[[k]] <- plain_cells(table[[k]])
    table
  }
}

# At least `count` lines, and as many more as an open quote asks for.
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

# One row group after the other, by a light reader that is asked for by name only.
parquet_reader <- "nanoparquet"

parquet_chunks <- function(file) {
  if (!requireNamespace(parquet_reader, quietly = TRUE))
    abort("file", c(text_of("reading_parquet_files_needs", parquet_reader = parquet_reader),
                    i = text_of("install_packages_or_save", parquet_reader = parquet_reader)))
  reader <- asNamespace(parquet_reader)
  trouble <- function(e) {
    abort("file", c(text_of("cannot_read_file", file = quoted(file)), x = conditionMessage(e)))
  }
  groups <- tryCatch(nrow(reader$read_parquet_metadata(file)$row_groups), error = trouble)
  single <- reader[["read_parquet_row_group"]]
  at <- 0L
  function() {
    at <<- at + 1L
    if (is.null(single) && at == 1L)
      return(tryCatch(as.data.frame(reader$read_parquet(file)), error = trouble))
    if (is.null(single) || at > groups) return(NULL)
    tryCatch(as.data.frame(single(file, at - 1L)), error = trouble)
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
