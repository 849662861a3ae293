#' Summary data: a covariance or correlation matrix instead of raw data
#'
#' What a publication prints is enough to fit a model: covariances (or correlations with standard
#' deviations), the number of cases and, where intercepts matter, means. What needs single cases,
#' such as scores, robust inference or resampling, is refused with a reason.
#'
#' @param cov A covariance matrix with variable names, full or lower triangle
#'   (the upper one `NA` or zero); or a correlation matrix together with `sd`.
#' @param n Number of cases.
#' @param means Means, in the order of `cov` or named. Optional.
#' @param sd Standard deviations, in the order of `cov` or named; `cov` is then
#'   read as a correlation matrix.
#' @param divisor What the covariances were divided by: `"n-1"` (the usual one;
#'   converted to divisor *n*) or `"n"`.
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object of class `orizzonte_summary_data` with elements `n`,
#'   `covariance` (divisor *n*), `mean` (or `NULL`), `names` and `correlation`
#'   (whether only correlations were known).
#' @section Errors: `orizzonte_error_summary_data` when the matrix is not
#'   square, not symmetric, not positive definite, has no names or no `n`. A
#'   correlation matrix without `sd` gives `orizzonte_warning_correlation`.
#' @seealso [read_summary_data()] for the same from a file, [fit_model()].
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

# Stops when a covariance matrix is singular or indefinite, naming the variables involved.
# The correlations must be positive definite by more than rounding error.
is_definite <- function(cov) {
  sd <- sqrt(pmax(diag(cov), 0))
  root <- tryCatch(chol(cov / outer(sd, sd)), error = function(e) NULL)
  !is.null(root) && min(diag(root)) > 1e-6
}

check_definite <- function(cov, what) {
  sd <- sqrt(pmax(diag(cov), 0))
  if (any(sd == 0)) {
    abort("data", c(text_of("does_not_vary", sd = quoted(colnames(cov)[sd == 0][1L])),
                    i = text_of("leave_out_model")))
  }
  if (is_definite(cov)) return(invisible(cov))
  correlation <- cov / outer(sd, sd)
  eigen <- eigen(correlation, symmetric = TRUE)
  vector <- eigen$vectors[, ncol(correlation)]
  involved <- colnames(cov)[abs(vector) > 0.2]
  abort(if (what == "The matrix") "summary_data" else "data",
        c(text_of("is_not_positive_definite", what = what,
                  correlation = formatC(eigen$values[ncol(correlation)], digits = 2L,
                                        format = "g")),
          i = text_of("these_variables_determine_each", involved = enumerate(involved))))
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
  known[1L] <- paste0(toupper(substr(known[1L], 1L, 1L)), substring(known[1L], 2L))
  columns <- c(list(variable = x$names), if (!is.null(x$mean)) list(mean = format_fixed(x$mean)),
               if (!x$correlation) list(sd = format_fixed(sd)),
               lapply(stats::setNames(seq_along(x$names), x$names),
                      function(j) format_fixed(table[, j], 2L)))
  c(paste0(enumerate(known), if (x$correlation) text_of("no_standard_deviations_are") else
           " (divisor n)", ":"),
    format_table(columns, c(FALSE, rep(TRUE, length(columns) - 1L))))
}

# Moments by missing pattern: how many there are, and what is seen of each variable.
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
#' @param encoding What the bytes of the file are; another one is an error, never a guess.
#' @inheritParams summary_data
#' @return As [summary_data()]; when the file has several groups and none is named, a list of them
#'   by group, as [fit_model()] takes it.
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
