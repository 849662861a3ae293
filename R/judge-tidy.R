# Tidy generics: one data frame of a fit, a ladder, a comparison or amendments, under broom's names.

#' Tidy generics
#'
#' The tables of the package under the names that pipelines of many models expect.
#'
#' @importFrom generics tidy glance
#' @param x A fit from [fit_model()]; the result of [invariance()], [compare_models()] or
#'   [amendments()].
#' @param conf.int Whether to add confidence limits.
#' @param conf.level Their level.
#' @param ... Must be empty: an argument by another name is an error.
#' @return `tidy()` of a fit: `term`, `group` (of several), `kind`, `estimate`, `std.error`,
#'   `statistic`, `p.value`, `standardized` (and `conf.low`, `conf.high`), one row a parameter; of a
#'   ladder or a comparison: `term` (rung or model), `against`, `statistic` (\eqn{\chi^2}), `df`,
#'   `p.value`, the indices and the same with `_change`, `verdict`, `status`; of amendments: `term`,
#'   `kind`, `statistic` (modification index), `df`, `p.value`, `estimate` (expected change),
#'   `standardized`, `verdict`. `glance()`: one row with the fit indices, or what a ladder or
#'   comparison ends in. Tibbles when the tibble package is installed.
#' @section Errors: `orizzonte_error_input` for an unknown argument or a level outside 0 to 1.
#' @seealso [estimates()], [fit_indices()]; [augment()] for the cases.
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' tidy(fit)
#' glance(fit)
#' @export
tidy.orizzonte_fit <- function(x, conf.int = FALSE, conf.level = 0.95, ...) {
  check_arguments("tidy")
  check_flag(conf.int, "`conf.int`")
  table <- estimates(x, level = conf.level)
  out <- c(list(term = table$parameter), if (!all(is.na(table$group))) list(group = table$group),
           list(kind = table$kind, estimate = table$estimate, std.error = table$se,
                statistic = table$z, p.value = table$p, standardized = table$standardized),
           if (conf.int) list(conf.low = table$lower, conf.high = table$upper))
  as_tibble_if_possible(list_frame(out))
}

#' @rdname tidy.orizzonte_fit
#' @export
glance.orizzonte_fit <- function(x, ...) {
  check_arguments("glance")
  table <- fit_indices(x)
  value <- stats::setNames(table$value, table$index)
  as_tibble_if_possible(list_frame(list(
    statistic = value[["chisq"]], df = value[["df"]], p.value = value[["p"]], cfi = value[["cfi"]],
    tli = value[["tli"]], rmsea = value[["rmsea"]],
    rmsea.conf.low = table$lower[table$index == "rmsea"],
    rmsea.conf.high = table$upper[table$index == "rmsea"],
    srmr = value[["srmr"]], logLik = value[["loglik"]], AIC = value[["aic"]], BIC = value[["bic"]],
    nobs = stats::nobs(x), converged = has_converged(x)
  )))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_ladder <- function(x, ...) {
  check_arguments("tidy")
  tidy_steps(as.data.frame(x), "rung")
}

#' @rdname tidy.orizzonte_fit
#' @export
glance.orizzonte_ladder <- function(x, ...) {
  check_arguments("glance")
  table <- as.data.frame(x)
  holding <- which(startsWith(table$verdict, "holds") | table$verdict == "fits")
  top <- if (length(holding)) max(holding) else NA_integer_
  as_tibble_if_possible(list_frame(list(
    rungs = nrow(table), groups = length(x$fits[[1L]]$layout$groups), highest = table$rung[top],
    verdict = table$verdict[top], cfi = table$cfi[top], rmsea = table$rmsea[top],
    nobs = stats::nobs(x$fits[[1L]]), converged = all(table$status != "not converged"))))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_comparison <- function(x, ...) {
  check_arguments("tidy")
  tidy_steps(x, "model")
}

#' @rdname tidy.orizzonte_fit
#' @export
glance.orizzonte_comparison <- function(x, ...) {
  check_arguments("glance")
  among <- which(!is.na(x$akaike_weight))
  least <- function(values) if (length(among)) x$model[among][which.min(values[among])] else NA
  as_tibble_if_possible(list_frame(list(
    models = sum(x$status != "reference"), lowest.AIC = least(x$aic), lowest.BIC = least(x$bic))))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_amendments <- function(x, ...) {
  check_arguments("tidy")
  as_tibble_if_possible(list_frame(list(
    term = x$parameter, kind = x$kind, statistic = x$modification_index, df = x$df, p.value = x$p,
    estimate = x$expected_change, standardized = x$expected_change_std, verdict = x$verdict)))
}

# Rungs or models under broom's names.
tidy_steps <- function(table, name) {
  columns <- unclass(table)
  changes <- paste0(comparison_columns, "_change")
  columns <- columns[c(name, "against", comparison_columns, changes, "verdict", "status")]
  renamed <- c(chisq = "statistic", p = "p.value", chisq_change = "statistic_change",
               p_change = "p.value_change")
  names(columns)[1L] <- "term"
  at <- match(names(renamed), names(columns))
  names(columns)[at] <- renamed
  as_tibble_if_possible(list_frame(columns))
}

#' @importFrom generics tidy
#' @export
generics::tidy

#' @importFrom generics glance
#' @export
generics::glance
