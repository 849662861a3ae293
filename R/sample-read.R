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

# --- databases -----------------------------------------------------------------------------------

# Moments summed up by a database: aggregate queries, two passes, by group and missing pattern. All
# names and texts are quoted by the driver.

#' A table of a database
#'
#' Refers to a table for [collect_summary()]; no data are read yet.
#'
#' @param connection A connection of the DBI package.
#' @param table Name of the table, or a `DBI::Id()` with its schema.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A value of class `orizzonte_table`.
#' @section Errors: `orizzonte_error_input` for an object that is not a connection,
#' `orizzonte_error_name`
#'   when there is no such table.
#' @seealso [collect_summary()].
#' @examplesIf requireNamespace("RSQLite", quietly = TRUE)
#' base <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
#' DBI::dbWriteTable(base, "choirs", choirs)
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
#' fit_model(bp, collect_summary(database_table(base, "choirs"), bp))
#' DBI::dbDisconnect(base)
#' @export
database_table <- function(connection, table, ...) {
  check_arguments("database_table")
  need_database_package("DBI")
  if (!inherits(connection, "DBIConnection"))
    abort("input", c(text_of("database_table_needs_connection"),
                     x = text_of("was_given", value = describe(connection)),
                     i = text_of("such_dbi_dbconnect_rsqlite")))
  if (!inherits(table, "Id")) check_string(table, "`table`")
  if (!in_database(DBI::dbExistsTable(connection, table)))
    abort("name", c(text_of("database_has_no_table", table = quoted(table_label(table))),
                    did_you_mean(table_label(table), in_database(DBI::dbListTables(connection)))))
  structure(list(connection = connection, from = DBI::dbQuoteIdentifier(connection, table),
                 label = table_label(table)), class = "orizzonte_table")
}

table_label <- function(table) {
  if (inherits(table, "Id")) paste(table@name, collapse = ".") else table
}

#' @export
print.orizzonte_table <- function(x, ...) {
  put_lines(text_of("table_database_be_read", label = x$label))
  invisible(x)
}

need_database_package <- function(name) {
  if (requireNamespace(name, quietly = TRUE)) return(invisible())
  abort("file", c(text_of("tables_databases_need_package", name = name),
                  i = paste0("install.packages(\"", name, "\").")))
}

# Messages of a driver, without the secrets that an address may contain.
in_database <- function(code) {
  tryCatch(suppressWarnings(code), error = function(e) {
    if (inherits(e, "orizzonte_error")) stop(e)
    abort("file", c(text_of("database_could_not_answer"),
                    x = without_addresses(conditionMessage(e))))
  })
}

# The query of a lazy table, used as the table to read from.
lazy_table <- function(x) {
  need_database_package("dbplyr")
  connection <- dbplyr::remote_con(x)
  text <- in_database(as.character(dbplyr::sql_render(x)))
  structure(list(connection = connection, from = DBI::SQL(paste0("(", text, ") AS read_from")),
                 label = "a lazy table"), class = "orizzonte_table")
}

tally_database <- function(table, wanted) {
  wanted$types <- check_database_columns(table, wanted)
  columns <- sql_columns(table, wanted)
  first <- database_counts(table, columns, wanted)
  centre <- pooled_centre(first, wanted$variables)
  second <- database_squares(table, columns, centre, wanted)
  tally_of(first, second, centre, wanted)
}

# --- what there is -------------------------------------------------------------------------------

looked_at <- 1000L          # rows whose types are looked at

check_database_columns <- function(table, wanted) {
  sql <- paste("SELECT * FROM", table$from, "LIMIT", looked_at)
  rows <- in_database(DBI::dbGetQuery(table$connection, sql))
  if (nrow(rows) == 0L) abort("data", c(text_of("data_have_no_rows"), i = text_of("look_table",
      label = table$label)))
  check_columns(rows, wanted$variables)
  check_known(wanted$variables, names(rows), wanted$blueprint)
  if (!is.null(wanted$by)) check_named_column(wanted$by, rows, "to group by", "by")
  vapply(wanted$variables, function(name) database_type(rows[[name]], name, wanted$codes), "")
}

database_type <- function(x, name, codes) {
  if (is.logical(x) && !all(is.na(x))) return("logical")
  if (inherits(x, "integer64") || is.numeric(x) && !is.factor(x) || all(is.na(x))) return("number")
  if (is.character(codes)) {
    left <- x[!is_code(x, codes) & !is.na(x)]
    if (!anyNA(suppressWarnings(as.numeric(left)))) return("text")
  }
  odd <- if (is.character(x)) x[is.na(suppressWarnings(as.numeric(x))) & !is.na(x)][1L]
  abort("data", c(text_of("column_is_not_numeric", name = quoted(name), class = class(x)[1L]),
                  if (length(odd) && !is.na(odd))
                    c(x = text_of("example_value", odd = quoted(odd))),
                  i = text_of("recode_numbers_there_or")))
}

# --- queries -------------------------------------------------------------------------------------

# Each variable as a double, missing codes as NULL.
sql_columns <- function(table, wanted) {
  con <- table$connection
  vapply(wanted$variables, function(name) {
    quoted <- DBI::dbQuoteIdentifier(con, name)
    text <- if (wanted$types[[name]] == "logical")
      paste0("CASE WHEN ", quoted, " THEN 1 WHEN NOT ", quoted, " THEN 0 END") else quoted
    codes <- sql_codes(con, wanted$codes, wanted$types[[name]])
    if (length(codes))
      text <- paste0("CASE WHEN ", quoted, " IN (", paste(codes, collapse = ", "),
                     ") THEN NULL ELSE ", text, " END")
    paste0("CAST(", text, " AS DOUBLE PRECISION)")
  }, "")
}

sql_codes <- function(con, codes, type) {
  if (length(codes) == 0L || type == "logical") return(character())
  numbers <- suppressWarnings(as.numeric(codes))
  if (type == "number") return(sql_number(numbers[!is.na(numbers)]))
  as.character(DBI::dbQuoteString(con, as.character(codes)))
}

sql_number <- function(x) sprintf("%.17g", x)

# The rows of the table with variables as v1, v2 ..., the group as g, and their missing pattern as
# whole numbers of at most thirty variables each.
sql_source <- function(table, columns, wanted) {
  con <- table$connection
  names <- paste0("v", seq_along(columns))
  group <- if (!is.null(wanted$by)) paste(DBI::dbQuoteIdentifier(con, wanted$by), "AS g")
  paste0("(SELECT ", paste(c(group, paste(columns, "AS", names)), collapse = ", "), " FROM ",
         table$from, ") AS cases")
}

bits <- 30L

sql_patterns <- function(count) {
  parts <- split(seq_len(count), (seq_len(count) - 1L) %/% bits)
  vapply(parts, function(at) {
    paste0("CASE WHEN v", at, " IS NULL THEN 0 ELSE ", 2^((at - 1L) %% bits), " END",
           collapse = " + ")
  }, "")
}

most_aggregates <- 400L     # results of one query

# Some drivers return counts as a type of whole numbers that R does not support.
sql_count <- "CAST(COUNT(*) AS DOUBLE PRECISION)"

# Aggregates by group and pattern: a data frame with keys and one column each. Those of many
# variables take several queries.
grouped_query <- function(table, columns, wanted, aggregates) {
  patterns <- sql_patterns(length(columns))
  keys <- c(if (!is.null(wanted$by)) "g", patterns)
  names <- c(if (!is.null(wanted$by)) "g", paste0("k", seq_along(patterns)))
  source <- sql_source(table, columns, wanted)
  parts <- split(seq_along(aggregates), (seq_along(aggregates) - 1L) %/% most_aggregates)
  found <- lapply(parts, function(at) {
    labels <- paste0("a", at)
    sql <- paste0("SELECT ", paste(c(paste(keys, "AS", names), paste(aggregates[at], "AS", labels)),
                                   collapse = ", "), " FROM ", source, " GROUP BY ",
                  paste(keys, collapse = ", "))
    rows <- in_database(DBI::dbGetQuery(table$connection, sql))
    key <- do.call(paste, c(lapply(rows[names], as.character), sep = "\r"))
    list(key = key, rows = rows, values = data.matrix(rows[labels]))
  })
  first <- found[[1L]]
  list(keys = first$rows[names],
       values = do.call(cbind, lapply(found, function(part) {
         part$values[match(first$key, part$key), , drop = FALSE]
       })))
}

database_counts <- function(table, columns, wanted) {
  names <- paste0("v", seq_along(columns))
  if (inherits(table$connection, "SQLiteConnection")) check_no_text(table, wanted)
  found <- grouped_query(table, columns, wanted, c(sql_count, paste0("AVG(", names, ")")))
  found$n <- as.numeric(found$values[, 1L])
  found$mean <- found$values[, 1L + seq_along(columns), drop = FALSE]
  bad <- which(colSums(is.nan(found$mean) | is.infinite(found$mean)) > 0)
  if (length(bad))
    abort("data", c(text_of("column_holds_values_are", bad = quoted(wanted$variables[bad[1L]])),
                    i = text_of("mend_them_database_or")))
  found
}

# A database that allows text in columns of numbers would read it as zero.
check_no_text <- function(table, wanted) {
  con <- table$connection
  plain <- wanted$variables[wanted$types != "text"]
  for (name in plain) {
    column <- DBI::dbQuoteIdentifier(con, name)
    sql <- paste0("SELECT ", column, " AS x FROM ", table$from, " WHERE typeof(", column,
                  ") IN ('text', 'blob') LIMIT 1")
    rows <- in_database(DBI::dbGetQuery(con, sql))
    if (nrow(rows) && !is_code(as.character(rows$x), wanted$codes))
      abort("data", c(text_of("column_holds_text_among", name = quoted(name)),
                      x = text_of("example_value", odd = quoted(as.character(rows$x))),
                      i = text_of("mend_database_or_declare")))
  }
}

# Means over all groups and patterns: close enough to those of each for full precision.
pooled_centre <- function(first, variables) {
  weight <- first$n * !is.na(first$mean)
  out <- colSums(weight * ifelse(is.na(first$mean), 0, first$mean)) / pmax(colSums(weight), 1)
  stats::setNames(out, variables)
}

database_squares <- function(table, columns, centre, wanted) {
  off <- paste0("(v", seq_along(columns), " - ", sub("^(-.*)$", "(\\1)", sql_number(centre)), ")")
  pairs <- which(lower.tri(diag(length(columns)), diag = TRUE), arr.ind = TRUE)
  aggregates <- c(paste0("SUM(", off, ")"),
                  paste0("SUM(", off[pairs[, 1L]], " * ", off[pairs[, 2L]], ")"))
  found <- grouped_query(table, columns, wanted, c(sql_count, aggregates))
  found$pairs <- pairs
  found
}

# --- from rows of a result to patterns -----------------------------------------------------------

tally_of <- function(first, second, centre, wanted) {
  keys <- second$keys
  group <- if (is.null(wanted$by)) rep(single_group, nrow(keys)) else
    as_utf8(as.character(keys$g))
  group[is_code(group, wanted$codes) | !nzchar(trimws(group))] <- NA
  tally <- list(groups = list(), ungrouped = 0, rows = 0)
  for (k in order(seq_along(group))) {
    n <- as.numeric(second$values[k, 1L])
    tally$rows <- tally$rows + n
    if (is.na(group[k])) {
      tally$ungrouped <- tally$ungrouped + n
      next
    }
    known <- tally$groups[[group[k]]] %||% list(patterns = list(), empty = 0)
    block <- database_block(second, k, n, centre, wanted$variables)
    if (length(block$variables) == 0L) known$empty <- known$empty + n else
      known$patterns <- merge_patterns(known$patterns, list(block))
    tally$groups[[group[k]]] <- known
  }
  if (tally$rows == 0) abort("data", text_of("data_have_no_rows"))
  if (length(tally$groups) == 0L)
    abort("data", text_of("no_row_has_value", by = quoted(wanted$by)))
  tally
}

database_block <- function(second, k, n, centre, variables) {
  p <- length(variables)
  values <- second$values[k, -1L]
  sums <- values[seq_len(p)]
  squares <- matrix(NA_real_, p, p)
  squares[second$pairs] <- values[-seq_len(p)]
  squares[second$pairs[, 2:1]] <- values[-seq_len(p)]
  seen <- which(!is.na(sums))
  off <- sums[seen] / n
  covariance <- squares[seen, seen, drop = FALSE] / n - tcrossprod(off)
  list(n = n, covariance = unname(covariance), mean = unname(centre[seen] + off),
       variables = variables[seen])
}

# Addresses of tables: engine:where?table=name. Passwords are not allowed in them.

database_engines <- c(sqlite = "RSQLite", postgresql = "RPostgres", postgres = "RPostgres",
                      duckdb = "duckdb")

is_database_address <- function(x) {
  grepl("^[A-Za-z][A-Za-z0-9+.]+:", x) && !file.exists(x) && !grepl("^[A-Za-z]:[/\\\\]", x)
}

check_no_password <- function(address) {
  if (!any(looks_like_database(address) & holds_secret(address))) return(invisible())
  abort("address", c(text_of("address_must_hold_neither"),
                     x = text_of("is_address", address = quoted(address)),
                     i = text_of("keep_password_driver_s")))
}

open_address <- function(address) {
  check_no_password(address)
  engine <- tolower(sub(":.*", "", address))
  if (!engine %in% names(database_engines))
    abort("address", c(text_of("there_is_no_engine", engine = quoted(engine)),
                       did_you_mean(engine, names(database_engines)),
                       i = text_of("such_sqlite_file_db")))
  parts <- address_parts(address)
  if (is.null(parts$parameters$table))
    abort("address", c(text_of("address_does_not_say"),
                       i = paste0("Write ", engine, ":...?table=NAME.")))
  need_database_package("DBI")
  need_database_package(database_engines[[engine]])
  connection <- connect(engine, parts)
  tryCatch(database_table(connection, parts$parameters$table), error = function(e) {
    DBI::dbDisconnect(connection)
    stop(e)
  })
}

# where: the part before the question mark; parameters by name.
address_parts <- function(address) {
  where <- sub("[?].*", "", sub("^[^:]*:", "", address))
  query <- if (grepl("?", address, fixed = TRUE)) sub("^[^?]*[?]", "", address) else ""
  pieces <- strsplit(query, "[&;]")[[1L]]
  names <- sub("=.*", "", pieces)
  values <- decoded_percents(sub("^[^=]*=?", "", pieces))
  list(where = where, parameters = stats::setNames(as.list(values), names))
}

connect <- function(engine, parts) {
  if (engine %in% c("sqlite", "duckdb")) {
    file <- sub("^//", "", parts$where)
    if (!file.exists(file))
      abort("file", c(text_of("there_is_no_file", file = quoted(file)),
                      i = text_of("is_path_right")))
    return(in_database(if (engine == "sqlite")
      DBI::dbConnect(RSQLite::SQLite(), file, flags = RSQLite::SQLITE_RO) else
      DBI::dbConnect(duckdb::duckdb(), file, read_only = TRUE)))
  }
  host <- sub("^//", "", parts$where)
  base <- decoded_percents(sub("^[^/]*/?", "", host))
  host <- sub("/.*", "", host)
  port <- if (grepl(":[0-9]+$", host)) sub(".*:", "", host)
  host <- sub(":[0-9]+$", "", host)
  given <- list(dbname = base, host = parts$parameters$host %||% host,
                port = parts$parameters$port %||% port, user = parts$parameters$user)
  given <- Filter(function(x) !is.null(x) && nzchar(x), given)
  in_database(do.call(DBI::dbConnect, c(list(RPostgres::Postgres()), given)))
}
