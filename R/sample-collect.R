#' Moments computed where the data live
#'
#' Reads no more of the data than what a model needs of them: numbers of cases, means and
#' covariances by group and missing pattern. Files are read in chunks, tables in databases are
#' summed up by the database itself. The result is fitted like data, missing values included.
#'
#' @param source A data frame; the name of a CSV (TSV) or Parquet file; [database_table()]; a lazy
#'   table of the dbplyr package; or an address such as `"sqlite:file.db?table=choirs"` or
#'   `"postgresql://host/base?table=choirs"`.
#' @param bp A blueprint: its variables are collected.
#' @param by Grouping column, bare or quoted.
#' @param levels Which groups, in which order, under which names, as in [fit_model()].
#' @param missing_codes What means missing, numbers or texts.
#' @param chunk Rows that are read at a time from files.
#' @param encoding Encoding of a text file.
#' @param ... Must be empty: an argument by another name is an error.
#' @return Summary data, a named list of them by group where there are groups: give them to
#'   [fit_model()], [invariance()] and the other functions that take data. Each holds `n`, the
#'   `patterns` (n, means, covariances with divisor n, variables) and, of complete data,
#'   `covariance` and `mean`.
#' @section Databases: two passes of aggregate queries, the second about the means of the first, so
#'   that large means cost no digits; names and values are quoted by the driver. Only moments
#'   travel. Robust inference, bootstrap and scores need single cases and are refused with a reason.
#' @section Passwords: An address that holds a user or a password is refused. Keep passwords in the
#'   driver's own file or environment (`~/.pgpass`, `PGPASSWORD`), and name the user as a parameter:
#'   `?table=NAME&user=NAME`. Of an address only the kind of database is shown or kept.
#' @section Errors: `orizzonte_error_name` for columns that are not there, `orizzonte_error_data`
#'   for columns that hold no numbers, `orizzonte_error_file` for what cannot be read,
#'   `orizzonte_error_address` for an address that cannot be used.
#' @seealso [summary_data()], [fit_model()].
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
#' moments <- collect_summary(choirs, bp)
#' fit_model(bp, moments)
#' @export
collect_summary <- function(source, bp, by = NULL, levels = NULL, missing_codes = NULL,
                            chunk = 50000, encoding = "UTF-8", ...) {
  check_arguments("collect_summary")
  check_blueprint(bp, "collect_summary")
  check_count(chunk, "`chunk`", 1, 1e8)
  check_string(encoding, "`encoding`")
  request <- request_of(bp, source, "collect_summary", but = "levels")
  if (!is.null(levels)) request$levels <- check_collected_levels(levels)
  check_variables(bp)
  wanted <- list(variables = blueprint_variables(bp)$observed, by = request$by,
                 codes = request$missing_codes, blueprint = bp)
  tally <- collect_from(source, wanted, chunk, encoding)
  collected_summary(tally, request, wanted, source_name(source))
}

check_collected_levels <- function(levels) {
  if (is.atomic(levels) && length(levels) && !anyNA(levels)) return(levels)
  abort("input", c(text_of("levels_must_name_groups"),
                   i = text_of("such_levels_c_evening")))
}

# A tally: `groups`, lists of patterns by level of the grouping column; `ungrouped`, rows of no
# group; `rows`, all of them.
collect_from <- function(source, wanted, chunk, encoding) {
  if (is.character(source) && length(source) == 1L && is_database_address(source)) {
    table <- open_address(source)
    on.exit(DBI::dbDisconnect(table$connection))
    return(tally_database(table, wanted))
  }
  if (inherits(source, "orizzonte_table")) return(tally_database(source, wanted))
  if (inherits(source, "tbl_lazy")) return(tally_database(lazy_table(source), wanted))
  if (is.matrix(source) && is.numeric(source)) source <- as.data.frame(source)
  if (is.data.frame(source)) return(tally_chunks(frame_chunks(source, chunk), wanted))
  if (is.character(source) && length(source) == 1L && !is.na(source))
    return(tally_chunks(file_chunks(source, chunk, encoding), wanted))
  abort("input", c(text_of("collect_summary_reads_data"),
                   x = text_of("was_given", value = describe(source)),
                   i = text_of("such_collect_summary_choirs")))
}

# What may be told of where the data came from.
source_name <- function(source) {
  if (is.data.frame(source) || is.matrix(source)) return("a data frame")
  if (is.character(source)) return(if (is_database_address(source)) public_address(source) else
    source)
  if (inherits(source, "orizzonte_table")) paste("table", source$label) else "a lazy table"
}

# --- chunks of rows ------------------------------------------------------------------------------

# `chunks` is a function: the next rows as a data frame, NULL at the end.
tally_chunks <- function(chunks, wanted) {
  tally <- list(groups = list(), ungrouped = 0, rows = 0)
  while (!is.null(rows <- chunks())) tally <- add_chunk(tally, rows, wanted)
  if (tally$rows == 0) abort("data", text_of("data_have_no_rows"))
  tally
}

add_chunk <- function(tally, data, wanted) {
  names(data) <- as_utf8(names(data))
  if (tally$rows == 0) {
    check_columns(data, wanted$variables)
    check_known(wanted$variables, names(data), wanted$blueprint)
    if (!is.null(wanted$by)) check_named_column(wanted$by, data, "to group by", "by")
  }
  x <- numeric_rows(data, seq_len(nrow(data)), wanted$variables, wanted$codes)
  check_finite(x, tally$rows + seq_len(nrow(data)))
  group <- chunk_groups(data, wanted)
  for (name in unique(group[!is.na(group)])) {
    own <- pattern_blocks(x[group %in% name, , drop = FALSE])
    seen <- sum(vapply(own, `[[`, 0, "n"))
    known <- tally$groups[[name]] %||% list(patterns = list(), empty = 0)
    tally$groups[[name]] <- list(patterns = merge_patterns(known$patterns, own),
                                 empty = known$empty + sum(group %in% name) - seen)
  }
  tally$ungrouped <- tally$ungrouped + sum(is.na(group))
  tally$rows <- tally$rows + nrow(data)
  tally
}

chunk_groups <- function(data, wanted) {
  if (is.null(wanted$by)) return(rep(single_group, nrow(data)))
  column <- plain_column(data[[wanted$by]])
  column[is_code(column, wanted$codes)] <- NA
  out <- as_utf8(as.character(column))
  out[!nzchar(trimws(out))] <- NA
  out
}

frame_chunks <- function(data, chunk) {
  next_row <- 1
  function() {
    if (next_row > nrow(data)) return(NULL)
    rows <- next_row:min(nrow(data), next_row + chunk - 1)
    next_row <<- next_row + chunk
    data[rows, , drop = FALSE]
  }
}

file_chunks <- function(file, chunk, encoding) {
  check_readable(file)
  ending <- tolower(tools::file_ext(file))
  if (ending == "parquet") return(parquet_chunks(file))
  if (ending %in% names(statistics_readers))
    return(frame_chunks(read_statistics_file(file, ending), chunk))
  csv_chunks(file, chunk, encoding)
}

# --- from a tally to summary data ----------------------------------------------------------------

collected_summary <- function(tally, request, wanted, from) {
  out <- lapply(tally$groups, one_summary, variables = wanted$variables, from = from)
  share <- tally$ungrouped / max(tally$rows, 1)
  if (tally$ungrouped > 0)
    say(text_of("rows_have_no_are", ungrouped = format_count(tally$ungrouped),
                rows = format_count(tally$rows), by = request$by,
                many_left_out = if (share > many_left_out) text_of("many_left_out")))
  if (is.null(request$by)) return(out[[1L]])
  found <- names(out)
  levels <- if (is.null(request$levels)) stats::setNames(natural_order(found),
      natural_order(found)) else
    pick_levels(request$levels, found, paste("column", quoted(request$by)))
  stats::setNames(out[levels], names(levels))
}

# Patterns and, when there is but one and it has all variables, its moments.
one_summary <- function(group, variables, from) {
  patterns <- lapply(unname(group$patterns), function(block) {
    dimnames(block$covariance) <- list(block$variables, block$variables)
    block$mean <- stats::setNames(as.numeric(block$mean), block$variables)
    block
  })
  n <- sum(vapply(patterns, `[[`, 0, "n"))
  out <- new_summary_data(list(n = n, covariance = NULL, mean = NULL))
  whole <- length(patterns) == 1L && length(patterns[[1L]]$variables) == length(variables)
  if (whole) out[c("covariance", "mean")] <- patterns[[1L]][c("covariance", "mean")]
  out$names <- variables
  out$patterns <- patterns
  out$empty <- group$empty
  out$from <- from
  out
}

is_collected <- function(x) {
  if (is_summary_list(x)) x <- x[[1L]]
  inherits(x, "orizzonte_summary_data") && !is.null(x$from)
}
