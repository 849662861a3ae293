# Tidy generics: one data frame for a fit, a ladder, a comparison or amendments, under broom's
# names.

#' Tidy generics
#'
#' The tables of the package under the names that pipelines of many models expect.
#'
#' @importFrom generics tidy glance
#' @param x A fit from [fit_model()], or the result of a function that reads, compares, judges or
#'   resamples one.
#' @param conf.int Whether to add confidence limits.
#' @param conf.level Their level.
#' @param ... Must be empty: an argument by another name is an error.
#' @return `tidy()` of a fit: `term`, `group` (of several), `kind`, `estimate`, `std.error`,
#'   `statistic`, `p.value`, `standardized` (and `conf.low`, `conf.high`), one row per parameter; of
#'   a ladder or a comparison: `term` (rung or model), `against`, `statistic` (\eqn{\chi^2}), `df`,
#'   `p.value`, the indices and the same with `_change`, `verdict`, `status`; of amendments: `term`,
#'   `kind`, `statistic` (modification index), `df`, `p.value`, `estimate` (expected change),
#'   `standardized`, `verdict`; of any other table: its columns, the first called `term`, the value
#'   `estimate`, and `std.error`, `statistic`, `p.value`, `conf.low`, `conf.high` where it has them
#'   (of measures: omega; of general and specific: omega hierarchical; of models side by side one
#'   row a parameter and model). `glance()`: one row with the fit indices, or with the conclusion of
#'   a ladder, a comparison or another result of several parts. Tibbles when the tibble package is
#'   installed.
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
tidy.orizzonte_summary <- function(x, ...) tidy(x$estimates, ...)

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_blueprint <- function(x, ...) {
  check_arguments("tidy")
  check_blueprint(x, "tidy")
  check_variables(x)
  rows <- build_layout(group_blueprint(x, ""), means = mentions_means(x))$rows
  as_tibble_if_possible(list_frame(list(
    term = rows$parameter, kind = rows$kind, fixed = rows$fixed, default = rows$assumed)))
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
  holding <- which(table$verdict %in% c("fits", "holds", "holds_small_differences"))
  top <- if (length(holding)) max(holding) else NA_integer_
  as_tibble_if_possible(list_frame(list(
    rungs = nrow(table), groups = length(x$fits[[1L]]$layout$groups), highest = table$rung[top],
    verdict = table$verdict[top], cfi = table$cfi[top], rmsea = table$rmsea[top],
    nobs = stats::nobs(x$fits[[1L]]), converged = all(table$status != "not converged"))))
}

#' @rdname tidy.orizzonte_fit
#' @export
glance.orizzonte_amendments <- function(x, ...) {
  check_arguments("glance")
  first <- function(column) if (nrow(x)) x[[column]][1L] else NA
  as_tibble_if_possible(list_frame(list(
    tested = attr(x, "tested"), stand_out = sum(x$verdict %in% "stands_out"),
    parameter = as.character(first("parameter")),
    modification_index = as.numeric(first("modification_index")),
    p_adjusted = as.numeric(first("p_adjusted")), statistic = attr(x, "chisq"),
    df = attr(x, "df_model"))))
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

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_estimates <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, c(parameter = "term"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_effects <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, c(parameter = "term"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_r_squared <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, c(variable = "term", r_squared = "estimate"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_indices <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, c(index = "term", value = "estimate"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_verdicts <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, c(claim = "term"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_without <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, c(parameter = "term", wald = "statistic"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_trail <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, c(revision = "term", chisq = "statistic"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_latent_means <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, c(construct = "term", difference = "estimate"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_noninvariance <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, c(item = "term", difference = "estimate"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_confirmation <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x$parameters, c(parameter = "term"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_loosened <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x$released, c(parameter = "term", modification_index = "statistic"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_quality <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x$table, c(construct = "term", omega = "estimate", omega_lower = "conf.low",
                          omega_upper = "conf.high"))
}

#' @rdname tidy.orizzonte_fit
#' @export
glance.orizzonte_quality <- function(x, ...) {
  check_arguments("glance")
  t <- x$table
  as_tibble_if_possible(list_frame(list(
    constructs = length(unique(t$construct)), groups = max(1L, length(x$groups)),
    short = sum(t$verdict %in% "falls_short"), lowest.omega = least_of(t$omega),
    lowest.AVE = least_of(t$ave), largest.HTMT = -least_of(-x$pairs$htmt))))
}

least_of <- function(x) if (any(!is.na(x))) min(x, na.rm = TRUE) else NA_real_

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_variance_split <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x$scales, c(factor = "term", omega_hierarchical = "estimate",
                           omega_hierarchical_lower = "conf.low",
                           omega_hierarchical_upper = "conf.high"))
}

#' @rdname tidy.orizzonte_fit
#' @export
glance.orizzonte_variance_split <- function(x, ...) {
  check_arguments("glance")
  whole <- x$scales[x$scales$factor == x$general, ]
  as_tibble_if_possible(list_frame(list(
    general = x$general, items = whole$items[1L], groups = nrow(whole),
    omega = least_of(whole$omega), omega.hierarchical = least_of(whole$omega_hierarchical),
    explained.common.variance = least_of(whole$explained_common_variance))))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_score_test <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, c(parameter = "term", modification_index = "statistic",
                    expected_change = "estimate"))
}

#' @rdname tidy.orizzonte_fit
#' @export
glance.orizzonte_score_test <- function(x, ...) {
  check_arguments("glance")
  as_tibble_if_possible(list_frame(list(
    parameters = nrow(x), statistic = attr(x, "statistic"), df = attr(x, "df"),
    p.value = attr(x, "p"), actual.drop = attr(x, "actual_drop"))))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_residuals <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(with_pair(x), c(residual = "estimate", z = "statistic"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_moments <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(with_pair(as.data.frame(x)), c(value = "estimate"))
}

# A term of two variables, or of one where there is no second (a mean).
with_pair <- function(x) {
  columns <- unclass(x)
  attributes(columns) <- list(names = names(columns))
  pair <- paste(x$first, "~", x$second)
  list_frame(c(list(term = ifelse(is.na(x$second), x$first, pair)), columns))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_group_comparison <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, c(parameter = "term", difference = "estimate", wald = "statistic",
                    difference_se = "std.error"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_side_by_side <- function(x, ...) {
  check_arguments("tidy")
  parts <- lapply(attr(x, "labels"), function(label) {
    values <- c("estimate", "se", "p", "standardized", "status")
    columns <- stats::setNames(lapply(paste0(values, ".", label), function(name) x[[name]]), values)
    table <- list_frame(c(list(parameter = x$parameter, model = rep(label, nrow(x)),
                               kind = x$kind), columns))
    table[!is.na(table$status), ]
  })
  tidy_renamed(bind_frames(parts), c(parameter = "term"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_equations <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, c(variable = "term"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_screen <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x$columns, c(variable = "term"))
}

#' @rdname tidy.orizzonte_fit
#' @export
glance.orizzonte_screen <- function(x, ...) {
  check_arguments("glance")
  as_tibble_if_possible(list_frame(list(
    nobs = x$rows, complete = x$complete, columns = nrow(x$columns),
    outliers = NROW(x$outliers), advice = NROW(x$advice))))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_rescue <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x$attempts, c(attempt = "term", chisq = "statistic"))
}

#' @rdname tidy.orizzonte_fit
#' @export
glance.orizzonte_rescue <- function(x, ...) {
  check_arguments("glance")
  as_tibble_if_possible(list_frame(list(
    attempts = nrow(x$attempts), worked = length(x$worked),
    least.intrusive = as.character(x$worked[1L]))))
}

#' @rdname tidy.orizzonte_fit
#' @export
glance.orizzonte_identification <- function(x, ...) {
  check_arguments("glance")
  as_tibble_if_possible(list_frame(list(
    identified = x$identified, moments = x$moments, parameters = x$parameters, df = x$df,
    rank = x$rank, lacking = x$lacking)))
}

#' @rdname tidy.orizzonte_fit
#' @export
glance.orizzonte_loosened <- function(x, ...) {
  check_arguments("glance")
  glance(x$ladder)
}

# A table under broom's names; a group column is kept only where there are groups.
tidy_renamed <- function(x, names) {
  columns <- unclass(json_rows(x))
  attributes(columns) <- list(names = names(columns))
  usual <- c(se = "std.error", z = "statistic", p = "p.value", lower = "conf.low",
             upper = "conf.high")
  usual <- usual[!usual %in% names]
  renamed <- c(names, usual)
  at <- match(names(renamed), names(columns))
  names(columns)[at[!is.na(at)]] <- renamed[!is.na(at)]
  first <- match("term", names(columns))
  columns <- columns[c(first, setdiff(seq_along(columns), first))]
  if (!is.null(columns$group) && all(is.na(columns$group))) columns$group <- NULL
  as_tibble_if_possible(list_frame(columns))
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
