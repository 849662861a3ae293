#' Summary data: a covariance or correlation matrix instead of raw data
#'
#' Published summary statistics are enough to fit a model: covariances (or correlations with
#' standard deviations), the number of cases and, where intercepts matter, means. Analyses that need
#' individual cases, such as scores, robust inference or resampling, are refused with an
#' explanation.
#'
#' @param cov A covariance matrix with variable names, full or lower triangle
#'   (the upper one `NA` or zero); or a correlation matrix together with `sd`.
#' @param n Number of cases.
#' @param means Means, in the order of `cov` or named. Optional.
#' @param sd Standard deviations, in the order of `cov` or named; `cov` is then
#'   read as a correlation matrix.
#' @param divisor The divisor of the covariances: `"n-1"` (the usual one;
#'   converted to divisor *n*) or `"n"`.
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object of class `orizzonte_summary_data` with elements `n`,
#'   `covariance` (divisor *n*), `mean` (or `NULL`), `names` and `correlation`
#'   (whether only correlations were known).
#' @section Errors: `orizzonte_error_summary_data` when the matrix is not
#'   square, not symmetric, not positive definite, has no names or no `n`. A
#'   correlation matrix without `sd` gives `orizzonte_warning_correlation`.
#' @seealso [read_summary_data()] to read them from a file, [fit_model()].
#' @examples
#' s <- matrix(c(4, 2, 2, 9), 2, dimnames = list(c("a", "b"), c("a", "b")))
#' summary_data(s, n = 200)
#' @export
summary_data <- function(cov, n, means = NULL, sd = NULL, divisor = "n-1", ...) {
  check_arguments("summary_data", optional = "n")
  divisor <- choose_one(divisor, c("n-1", "n"), "`divisor`")
  cov <- as_square(cov)
  if (missing(n) || is.null(n)) {
    abort("summary_data",
          c(text_of("summary_data_need_number"), i = text_of("give_summary_data_cov")))
  }
  if (!is.numeric(n) || length(n) != 1L || !is.finite(n) || n < 2) {
    abort("summary_data",
          c(text_of("n_must_be_one"), x = text_of("it_is_of_kind", value = describe(n))))
  }
  names <- colnames(cov)
  correlation <- FALSE
  unit <- all(abs(diag(cov) - 1) < 1e-8)
  if (!is.null(sd)) {
    if (!unit) {
      abort("summary_data",
            c(text_of("sd_cov_must_be"),
              i = text_of("leave_sd_out_when")))
    }
    sd <- in_order_of(sd, names, "sd")
    if (any(sd <= 0))
      abort("summary_data",
            text_of("standard_deviation_is_not", sd = quoted(names[sd <= 0][1L])))
    check_correlations(cov)
    cov <- cov * outer(sd, sd)
  } else if (unit && nrow(cov) > 1L) {
    correlation <- TRUE
    check_correlations(cov)
    warn("correlation",
         c(text_of("only_correlations_are_known"),
           i = text_of("estimates_are_standard_deviation"),
           i = text_of("give_sd_analyse_covariances")))
  }
  if (!is.null(means)) means <- in_order_of(means, names, "means")
  check_definite(cov, "The matrix")
  if (divisor == "n-1") cov <- cov * (n - 1) / n
  new_summary_data(list(n = n, covariance = cov, mean = means), correlation)
}

# `moments`: n, covariance (divisor n) and mean of one group.
new_summary_data <- function(moments, correlation = FALSE) {
  structure(list(n = moments$n, covariance = moments$covariance, mean = moments$mean,
                 names = colnames(moments$covariance), correlation = correlation),
            class = "orizzonte_summary_data")
}

check_correlations <- function(cov) {
  beyond <- which(abs(cov) > 1 + 1e-8, arr.ind = TRUE)
  if (nrow(beyond) == 0L) return(invisible())
  pair <- colnames(cov)[rev(beyond[1L, ])]
  abort("summary_data",
        c(text_of("correlation_is_beyond_1_is", pair = quoted(pair[1L]), pair_2 = quoted(pair[2L]),
                  pair_3 = format(cov[pair[1L], pair[2L]])),
                 i = text_of("check_matrix_misprint")))
}

as_square <- function(cov) {
  if (is.data.frame(cov)) cov <- as.matrix(cov)
  if (!is.matrix(cov) || !is.numeric(cov)) {
    abort("summary_data",
          c(text_of("cov_must_be_numeric"), x = text_of("it_is_of_kind", value = describe(cov))))
  }
  if (nrow(cov) != ncol(cov)) {
    abort("summary_data",
          c(text_of("matrix_is_not_square"),
            x = text_of("has_rows_columns", cov = nrow(cov), cov_2 = ncol(cov))))
  }
  names <- colnames(cov) %||% rownames(cov)
  if (is.null(names)) {
    abort("summary_data",
          c(text_of("matrix_has_no_variable"),
            i = text_of("set_them_dimnames_cov")))
  }
  if (anyDuplicated(names))
    abort("summary_data",
          text_of("two_variables_are_called", duplicated = quoted(names[duplicated(names)][1L])))
  if (!is.null(rownames(cov)) && !is.null(colnames(cov)) &&
      !identical(rownames(cov), colnames(cov))) {
    abort("summary_data", text_of("row_column_names_matrix"))
  }
  upper <- cov[upper.tri(cov)]
  lower <- cov[lower.tri(cov)]
  if (length(upper) && (all(is.na(upper)) || (all(upper == 0) && any(lower != 0, na.rm = TRUE)))) {
    cov[upper.tri(cov)] <- t(cov)[upper.tri(cov)]
  }
  if (anyNA(cov)) {
    at <- which(is.na(cov), arr.ind = TRUE)[1L, ]
    abort("summary_data",
          text_of("covariance_is_missing", at = quoted(names[at[1L]]),
                  at_2 = quoted(names[at[2L]])))
  }
  endless <- which(!is.finite(cov), arr.ind = TRUE)
  if (nrow(endless)) {
    at <- endless[1L, ]
    abort("summary_data", text_of("covariance_is_not_finite", at = quoted(names[at[1L]]),
                                  at_2 = quoted(names[at[2L]]), at_3 = cov[at[1L], at[2L]]))
  }
  gap <- abs(cov - t(cov))
  if (any(gap > 1e-6 * max(abs(cov)))) {
    at <- which(gap == max(gap), arr.ind = TRUE)[1L, ]
    abort("summary_data", c(text_of("matrix_is_not_symmetric"),
                            x = text_of("look_at_and_and", at = quoted(names[at[1L]]),
                                        at_2 = quoted(names[at[2L]]),
                                        at_3 = format(cov[at[1L], at[2L]]),
                                        at_4 = format(cov[at[2L], at[1L]]))))
  }
  cov <- (cov + t(cov)) / 2
  dimnames(cov) <- list(names, names)
  cov
}

in_order_of <- function(x, names, what) {
  if (is.data.frame(x)) x <- unlist(x)
  if (!is.numeric(x) || !all(is.finite(x)))
    abort("summary_data", text_of("must_be_finite_numbers", what = what))
  if (!is.null(names(x))) {
    lacking <- setdiff(names, names(x))
    if (length(lacking))
      abort("summary_data", c(text_of("lacks", what = what, lacking = enumerate(quoted(lacking))),
                              did_you_mean(lacking[1L], names(x))))
    x <- x[names]
  }
  if (length(x) != length(names)) {
    abort("summary_data",
          text_of("has_values_variables", what = what, value = length(x), value_2 = length(names)))
  }
  stats::setNames(as.numeric(x), names)
}

#' @export
print.orizzonte_summary_data <- function(x, ...) {
  put_lines(heading(text_of("summary_data_variables_n", value = length(x$names),
                            value_2 = format_count(x$n))),
            if (is.null(x$covariance)) format_collected(x) else format_known_moments(x))
  invisible(x)
}

format_known_moments <- function(x) {
  sd <- sqrt(diag(x$covariance))
  table <- round(x$covariance / outer(sd, sd), 3L)
  table[upper.tri(table)] <- NA
  known <- c(if (!x$correlation) "standard deviations", if (!is.null(x$mean)) "means",
             "correlations")
  known[1L] <- capital(known[1L])
  columns <- c(list(variable = x$names), if (!is.null(x$mean)) list(mean = format_fixed(x$mean)),
               if (!x$correlation) list(sd = format_fixed(sd)),
               lapply(stats::setNames(seq_along(x$names), x$names),
                      function(j) format_share(table[, j])))
  c(paste0(enumerate(known), if (x$correlation) text_of("no_standard_deviations_are") else
           " (divisor n)", ":"),
    format_table(columns, c(FALSE, rep(TRUE, length(columns) - 1L))))
}

# Moments by missing pattern: the number of patterns, and the observed values of each variable.
format_collected <- function(x) {
  together <- together_of(x$patterns, x$names)
  seen <- diag(together)
  mean <- vapply(x$names, function(name) {
    of <- Filter(function(block) name %in% block$variables, x$patterns)
    n <- vapply(of, `[[`, 0, "n")
    sum(n * vapply(of, function(block) block$mean[[name]], 0)) / sum(n)
  }, 0)
  c(wrap_lines(text_of("collected_from_missing_pattern", from = x$from,
                       patterns = count_of(length(x$patterns), "pattern"),
                       empty = if (isTRUE(x$empty > 0)) text_of("without_any_value",
                           empty = count_of(x$empty, "row")))),
    format_table(list(variable = x$names, mean = format_fixed(mean), seen = format_count(seen),
                      missing = format_count(x$n - seen)), c(FALSE, TRUE, TRUE, TRUE)))
}

#' Read summary data from a CSV file
#'
#' The header holds `row` and the variable names. There is one row per variable
#' (full or lower triangle) and the special rows `.n`, `.mean` and `.sd`; with
#' `.sd` the matrix holds correlations. Several groups stack with a first column
#' `.group`.
#'
#' @param file Path of the file.
#' @param group Which group to read when the file has a `.group` column; all when `NULL`.
#' @param encoding The encoding of the file. A file in another encoding is an error; the encoding is
#'   never guessed.
#' @inheritParams summary_data
#' @return An object as from [summary_data()]. If the file has several groups and none is named, a
#'   list with one object per group, as [fit_model()] accepts it.
#' @section Errors: `orizzonte_error_file` when the file cannot be read or its
#'   layout is not as above; otherwise as [summary_data()].
#' @seealso [summary_data()], [fit_model()].
#' @examples
#' read_summary_data(system.file("extdata", "choirs-summary.csv", package = "orizzonte"))
#' @export
read_summary_data <- function(file, group = NULL, divisor = "n-1", encoding = "UTF-8", ...) {
  check_arguments("read_summary_data")
  table <- read_csv_file(file, encoding)
  if (!is.null(group)) check_string(group, "`group`")
  groups <- unique(as.character(table$.group))
  if (is.null(group) && length(groups) > 1L) {
    return(lapply(stats::setNames(groups, groups), function(g) {
      read_summary_data(file, group = g, divisor = divisor, encoding = encoding)
    }))
  }
  table <- one_group(table, group, file)
  if (names(table)[1L] != "row") {
    abort("file", c(text_of("is_not_summary_data", file = file),
                    i = text_of("first_column_must_be")))
  }
  labels <- as.character(table$row)
  variables <- names(table)[-1L]
  values <- as.matrix(table[-1L])
  if (!is.numeric(values) && !all(is.na(values))) {
    bad <- which(suppressWarnings(is.na(array(as.numeric(values), dim(values)))) & !is.na(values),
                 arr.ind = TRUE)[1L, ]
    abort("file", text_of("row_is_not_number", file = file, bad = quoted(values[bad[1L], bad[2L]]),
                          bad_2 = quoted(labels[bad[1L]])))
  }
  twice <- labels[duplicated(labels)]
  if (length(twice)) {
    abort("file", c(text_of("there_are_two_rows", file = file, twice = quoted(twice[1L])),
                    i = if (is.null(group)) text_of("several_groups_need_first")))
  }
  special <- labels %in% c(".n", ".mean", ".sd")
  unknown <- setdiff(labels[!special], variables)
  if (length(unknown)) {
    abort("file", c(text_of("row_is_not_one", file = file, unknown = quoted(unknown[1L])),
                    did_you_mean(unknown[1L], c(variables, ".n", ".mean", ".sd"))))
  }
  lacking <- setdiff(variables, labels)
  if (length(lacking))
    abort("file", text_of("no_row_for", file = file, lacking = enumerate(quoted(lacking))))
  pick <- function(label) {
    row <- values[labels == label, ]
    if (length(row)) stats::setNames(as.numeric(row), variables)
  }
  n <- pick(".n")
  matrix <- values[match(variables, labels), , drop = FALSE]
  dimnames(matrix) <- list(variables, variables)
  summary_data(matrix, n = if (!is.null(n)) unname(n[!is.na(n)][1L]), means = pick(".mean"),
               sd = pick(".sd"), divisor = divisor)
}

one_group <- function(table, group, file) {
  if (!".group" %in% names(table)) {
    if (!is.null(group))
      abort("file",
            text_of("has_no_group_column", file = file, group = quoted(group)))
    return(table)
  }
  groups <- unique(as.character(table$.group))
  group <- group %||% groups
  if (!group %in% groups)
    abort("file",
          c(text_of("has_no_group", file = file, group = quoted(group)),
            did_you_mean(group, groups)))
  table[as.character(table$.group) == group, setdiff(names(table), ".group"), drop = FALSE]
}

#' Moments computed where the data live
#'
#' Reads from the data only the moments that a model needs: numbers of cases, means and covariances
#' by group and missing pattern. Files are read in chunks, tables in databases are summed up by the
#' database itself. The result is fitted like data, missing values included.
#'
#' @param source A data frame; the name of a CSV (TSV) or Parquet file; [database_table()]; a lazy
#'   table of the dbplyr package; or an address such as `"sqlite:file.db?table=choirs"` or
#'   `"postgresql://host/base?table=choirs"`.
#' @param bp A blueprint: its variables are collected.
#' @param by Grouping column, bare or quoted.
#' @param levels Which groups, in which order, under which names, as in [fit_model()].
#' @param missing_codes Codes that mean a missing value: numbers or texts.
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
#' @section Passwords: An address that contains a user name or a password is refused. Keep passwords
#' in the
#'   driver's own file or environment (`~/.pgpass`, `PGPASSWORD`), and name the user as a parameter:
#'   `?table=NAME&user=NAME`. Of an address only the kind of database is shown or kept.
#' @section Errors: `orizzonte_error_name` for columns that do not exist, `orizzonte_error_data` for
#' columns without numbers, `orizzonte_error_file` for files that cannot be read,
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
    return(tally_chunks(file_chunks(source, chunk, encoding, text = wanted$by), wanted))
  abort("input", c(text_of("collect_summary_reads_data"),
                   x = text_of("was_given", value = describe(source)),
                   i = text_of("such_collect_summary_choirs")))
}

# A description of the data source that contains no secrets.
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
    data <- plain_columns(data)
    check_columns(data, wanted$variables)
    check_known(wanted$variables, names(data), wanted$blueprint)
    if (!is.null(wanted$by)) check_named_column(wanted$by, data, "to group by", "by")
  }
  columns <- numeric_columns(data, seq_len(nrow(data)), wanted$variables, wanted$codes)
  check_finite(columns, tally$rows + seq_len(nrow(data)))
  x <- bind_columns(columns, nrow(data))
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
  as_utf8(as.character(column))
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

file_chunks <- function(file, chunk, encoding, text = NULL) {
  check_readable(file)
  ending <- tolower(tools::file_ext(file))
  if (ending == "parquet") return(parquet_chunks(file))
  if (ending %in% names(statistics_readers))
    return(frame_chunks(read_statistics_file(file, ending), chunk))
  csv_chunks(file, chunk, encoding, text)
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

# Patterns and, when there is only one and it has all variables, its moments.
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

# From the rows of a group to a block of moments: types, codes, missing values, constant columns.

# One group of a data frame: `rows` are all of its rows, `used` the complete ones among them.
block_of_rows <- function(data, rows, variables, request, bp = NULL, cases = list()) {
  if (length(rows) == 0L) abort("data", text_of("data_have_no_rows"))
  check_known(variables, names(data), bp)
  columns <- numeric_columns(data, rows, variables, request$missing_codes)
  check_finite(columns, rows)
  check_some_seen(columns)
  notes <- character()
  used <- rows
  if (any(vapply(columns, anyNA, NA))) {
    if (request$incomplete == "keep") return(incomplete_group(columns, rows, request, cases))
    x <- bind_columns(columns, length(rows))
    complete <- rowSums(is.na(x)) == 0
    notes <- dropped_rows_note(x, complete)
    used <- rows[complete]
    columns <- lapply(columns, function(column) column[complete])
  }
  check_enough(length(used), "complete row", variables, notes)
  parts <- case_parts(cases, used)
  moments <- weighted_moments(columns, parts$weight)
  check_varying(variables, moments$mean, diag(moments$covariance))
  check_definite(moments$covariance, text_of("covariance_matrix_data"))
  c(list(blocks = list(c(moments, list(variables = variables))), rows = rows, used = used,
         total = length(rows), notes = notes), parts)
}

# Columns of some rows as numbers: a named list. Columns that are numbers already are not copied
# when all rows are wanted.
numeric_columns <- function(data, rows, variables, missing_codes) {
  all_rows <- length(rows) == nrow(data) && !is.unsorted(rows)
  # the columns of a list are found faster
  data <- unclass(data)
  check_texts_are_numbers(data, variables, missing_codes)
  lapply(stats::setNames(variables, variables), function(name) {
    column <- numeric_column(data[[name]], name, missing_codes)
    if (all_rows) column else column[rows]
  })
}

numeric_rows <- function(data, rows, variables, missing_codes) {
  bind_columns(numeric_columns(data, rows, variables, missing_codes), length(rows))
}

# A sentence on the cases that are dropped because of missing values.
dropped_rows_note <- function(x, complete) {
  missing <- colSums(is.na(x))
  worst <- order(-missing)[seq_len(min(3L, sum(missing > 0)))]
  text_of("dropped_missing_values_model", complete = count_of(sum(!complete), "row"),
          value = nrow(x), missing = count_of(sum(missing > 0), "variable"),
          worst = enumerate(paste0(colnames(x)[worst], ": ", missing[worst])),
          complete_2 = sum(complete))
}

block_of_summary <- function(data, variables, request) {
  if (!is.null(request$missing_codes))
    abort("input", text_of("missing_codes_has_no"))
  if (!is.null(data$patterns)) return(group_of_patterns(data, variables, request))
  check_known(variables, data$names, request$blueprint)
  if (data$n <= length(variables)) {
    abort("data", text_of("there_are_cases_variables", value = data$n,
                          variables = length(variables)))
  }
  notes <- if (data$correlation)
    text_of("only_correlations_were_known") else character()
  block <- list(n = data$n, covariance = data$covariance[variables, variables, drop = FALSE],
                mean = data$mean[variables], variables = variables)
  list(blocks = list(block), rows = NULL, used = NULL, total = data$n, notes = notes,
       correlation = data$correlation)
}

# All texts of all columns at once, so that missing codes can be declared together.
check_texts_are_numbers <- function(data, variables, missing_codes) {
  variables <- Filter(function(name) {
    is.object(data[[name]]) || is.character(data[[name]])
  }, variables)
  odd <- lapply(stats::setNames(variables, variables), function(name) {
    x <- plain_column(data[[name]])
    if (!is.character(x) || is.numeric(without_text_codes(x, missing_codes))) return(NULL)
    odd <- !is.na(x) & is.na(suppressWarnings(as.numeric(x))) & !is_code(x, missing_codes)
    structure(sort(table(trimws(x[odd])), decreasing = TRUE),
              mostly = sum(odd) > sum(!is.na(x)) / 2)
  })
  odd <- Filter(length, odd)
  if (length(odd) == 0L) return(invisible())
  lines <- vapply(names(odd), function(name) {
    texts <- odd[[name]]
    each <- paste0(quoted(names(texts)), " (", vapply(as.vector(texts), count_of, "", one = "row"),
                   ")")
    paste0(name, ": ", enumerate(each, most = 5L))
  }, "")
  # a column of texts needs other numbers, not codes
  among <- Filter(function(texts) !attr(texts, "mostly"), odd)
  codes <- unique(unlist(lapply(among, names)))
  written <- if (length(codes) > 1L) paste0("c(", paste(quoted(codes), collapse = ", "), ")") else
    quoted(codes)
  abort("data", c(text_of("columns_hold_text", count = length(odd),
                          columns = enumerate(quoted(names(odd)), most = 6L)),
                  stats::setNames(utils::head(lines, 8L),
                                  rep("x", min(length(lines), 8L))),
                  if (length(codes) > 0L && length(codes) <= 8L)
                    c(i = text_of("text_means_missing",
                                  instruction = instruction("declare_codes", r_codes = written,
                                                            codes = paste(codes, collapse = ",")))),
                  i = text_of("recode_text")))
}

numeric_column <- function(x, name, missing_codes) {
  x <- without_text_codes(plain_column(x), missing_codes)
  if (is.logical(x) && !all(is.na(x))) x <- as.numeric(x)
  if (anyNA(x) && all(is.na(x))) return(rep(NA_real_, length(x)))
  if (!is.numeric(x) || is.factor(x)) {
    kind <- if (is.factor(x)) "a factor" else if (is.character(x)) "text" else
      text_of("of_class", class = class(x)[1L])
    abort("data", c(text_of("column_is_not_numeric_is", name = quoted(name), kind = kind),
                    i = text_of("recode_text")))
  }
  x <- as.numeric(x)
  if (length(missing_codes)) x[is_code(x, missing_codes)] <- NA_real_
  x
}
