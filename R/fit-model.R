#' Fit a model by maximum likelihood
#'
#' Fisher scoring followed by Newton steps with the observed Hessian, from
#' closed-form starting values (Jöreskog 1969; McArdle & McDonald 1984). The
#' fit has converged when the predicted drop of \eqn{\chi^2} is below 1e-12 and
#' the observed Hessian is positive definite.
#'
#' @param bp A [blueprint()].
#' @param data A data frame (columns for all observed variables of the model),
#'   or [summary_data()], or a named list of those, one for each group. Rows with missing values are dropped, with a message
#'   that counts them. A factor or text column that is only a predictor becomes
#'   0/1, or one 0/1 column for each level but the first; a message says how.
#' @param by Name of a column whose values are groups.
#' @param levels Which groups, in which order, under which names: `c(Evening = "evening", Weekend = "weekend")`. All, as they
#'   are, when `NULL`; others are left out, with a message.
#' @param hold What is equal across groups: any of `"loading"`, `"weight"`, `"intercept"` (of items), `"effect"`, `"mean"`,
#'   `"variance[items]"`, `"variance[constructs]"`, `"covariance[items]"`, `"covariance[constructs]"`, or single addresses. Once loadings are held,
#'   variances fixed for the scale are free outside the first group; once intercepts are, means of constructs.
#' @param except Addresses (or patterns) that are not held after all; with a group, `loading[Calm, sc2 | weekend]`, in that one only.
#' @param missing_codes Numbers that mean "missing" in the data, such as `-9`.
#' @param multiplier `"n"`: covariances with divisor *n* and \eqn{\chi^2 = nF}.
#'   `"n-1"`: covariances with divisor *n* - 1 and \eqn{\chi^2 = (n-1)F}, as in
#'   many older published tables.
#' @return An object of class `orizzonte_fit`. Read it with `summary()`,
#'   [estimates()], [fit_indices()], [r_squared()], [equations()],
#'   `residuals()`, [implied()], [path_diagram()], [write_report()], and the
#'   generics `coef()`, `vcov()`, `confint()`, `logLik()`, `nobs()`,
#'   `deviance()` (\eqn{\chi^2}) and `df.residual()`.
#' @section Errors and warnings:
#' `orizzonte_error_name` for unknown variables (the nearest name is given),
#' `orizzonte_error_data` for columns that cannot be analysed,
#' `orizzonte_error_identification` when the parameters cannot be told apart.
#' A fit that did not converge, is improper, or cannot tell some parameters
#' apart at its solution comes with `orizzonte_warning_convergence`,
#' `orizzonte_warning_improper` or `orizzonte_warning_identification`.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' fit <- fit_model(bp, choirs)
#' fit
#' @export
fit_model <- function(bp, data, by = NULL, levels = NULL, hold = NULL, except = NULL, missing_codes = NULL, multiplier = "n") {
  check_blueprint(bp, "fit_model")
  if (missing(data)) abort("input", c("fit_model() needs data.", i = "Give a data frame or summary_data()."))
  grouping <- grouping_of(data, by, levels, hold, except)
  multiplier <- choose_one(multiplier, c("n", "n-1"), "`multiplier`")
  check_missing_codes(missing_codes)
  fit <- estimate_model(bp, meet_data(bp, data, missing_codes, grouping), missing_codes, multiplier)
  for (note in fit_notes(fit)) say(note)
  warn_about(fit)
  fit
}

# `model` is what meet_data() returns; `starts` counts the random starts that follow the closed-form one when needed.
# `near`: values, by address, to start from where they are given.
estimate_model <- function(bp, model, missing_codes, multiplier = "n", starts = 4L, seed = 20260101, near = NULL, errors = TRUE) {
  layout <- model$layout
  check_counts(layout)
  moments <- core_sample(model$sample, multiplier)
  given <- layout_starts(layout, model$blueprint)[layout$core$used]
  if (!is.null(near)) {
    known <- near[layout$parameters[layout$core$used]]
    given <- ifelse(is.na(known), if (length(given)) given else NaN, known)
  }
  core <- core_fit(layout$core, moments$groups %||% list(moments), given, 500L, 1e-12, starts, seed, errors)
  if (!core$identified) refuse_unidentified(layout, moments)
  check_feasible(layout, core)
  fit <- complete_solution(structure(list(
    blueprint = bp, layout = layout, sample = model$sample, moments = moments, core = core,
    options = list(missing_codes = missing_codes, multiplier = multiplier, coding = model$coding, grouping = model$grouping), version = package_version_text()
  ), class = "orizzonte_fit"))
  other <- if (!isTRUE(model$remarked)) other_marker_weights(fit)
  if (length(other)) refit_with_markers(fit, model, other, missing_codes, multiplier, starts, seed) else fit
}

# Blueprint and data brought together: factors coded, moments taken, the layout built. `blueprint` has the coded
# predictors; what the user wrote stays the fit's blueprint, so that its file fits the same data again.
meet_data <- function(bp, data, missing_codes, grouping = NULL) {
  if (length(grouping$by) == 1L && grouping$by %in% blueprint_variables(bp)$observed) {
    abort("input", c(paste0(quoted(grouping$by), " is both the grouping column and a variable of the model: within a group it does not vary."),
                     i = "Leave it out of the model, or group by another column."))
  }
  coding <- factor_coding(bp, data)
  bp <- code_blueprint(bp, coding)
  observed <- blueprint_variables(bp)$observed
  if (length(observed) == 0L) {
    abort("input", c("The blueprint has no variables yet.", i = "Add construct() or effect() first."))
  }
  if (is.null(grouping) && length(bp$left_out)) {
    abort("input", c(paste0("The blueprint leaves something out in group ", quoted(names(bp$left_out)[1L]), ", but there are no groups."),
                     i = "Name the grouping column with by = \"column\"."))
  }
  sample <- if (is.null(grouping)) {
    sample_moments(code_data(data, coding), observed, missing_codes, bp)
  } else {
    grouped_moments(code_data(data, coding), grouping$by, grouping$levels, function(g) blueprint_variables(group_blueprint(bp, g))$observed, missing_codes, bp)
  }
  sample$notes <- c(coding_notes(coding), sample$notes)
  stated <- sample_layout(bp, sample)
  layout <- met_layout(bp, sample, grouping, stated)
  check_quantities(layout, bp)
  check_claims(layout, bp)
  list(blueprint = bp, coding = coding, sample = sample, stated = stated, layout = layout, grouping = grouping)
}

met_layout <- function(bp, sample, grouping = NULL, stated = sample_layout(bp, sample)) {
  layout <- finish_layout(stated, bp, sqrt(diag(sample$covariance)), grouping$hold, grouping$except)
  layout$notes <- layout_notes(layout, sample$covariance)
  layout
}

sample_layout <- function(bp, sample) {
  observed <- if (is.null(sample$groups)) sample$names else lapply(sample$groups, `[[`, "names")
  stated_layout(bp, means = !is.null(sample$mean), observed, names(sample$groups))
}

# `by` and what comes with it; NULL for one group.
grouping_of <- function(data, by, levels, hold, except) {
  if (is.null(by) && !is_summary_list(data)) {
    given <- c(levels = !is.null(levels), hold = !is.null(hold), except = !is.null(except))
    if (any(given)) abort("input", c(paste0("`", names(given)[given][1L], "` needs groups."), i = "Name the grouping column with by = \"column\"."))
    return(NULL)
  }
  if (is_summary_list(data) && (is.null(names(data)) || anyDuplicated(names(data)))) {
    abort("input", c("A list of summary data needs the names of its groups.", i = "list(evening = summary_data(...), weekend = summary_data(...))."))
  }
  texts <- function(x, what) {
    if (is.null(x)) return(character())
    if (!is.character(x) || anyNA(x)) abort("input", c(paste0(what, " must be texts."), i = "Such as hold = c(\"loading\", \"intercept\")."))
    x
  }
  list(by = by, levels = levels, hold = texts(hold, "`hold`"), except = texts(except, "`except`"))
}

# Restrictions that contradict each other end here, by name.
check_feasible <- function(layout, core) {
  if (core$status != 7L) return(invisible())
  met <- rep(FALSE, length(layout$constraints))
  if (length(core$violations)) met <- !is.na(core$violations) & core$violations <= 1e-4
  text <- vapply(layout$constraints, `[[`, "", "text")
  touched <- unlist(lapply(layout$constraints[!met], `[[`, "rows"))
  beside <- met & vapply(layout$constraints, function(constraint) any(constraint$rows %in% touched), NA)
  lines <- c(paste0("Not met: ", text[!met]), if (any(beside)) paste0("Beside: ", text[beside]))
  abort("restriction", c("The restrictions cannot all hold.", stats::setNames(lines, rep("x", length(lines))),
                         i = "If they should, perhaps they cannot be computed at our starting values: choose others with start_at().",
                         i = "Leave one of them out, or look for a contradiction among all restrictions of these parameters."))
}

fit_notes <- function(fit) c(fit$sample$notes, fit$layout$notes)

package_version_text <- function() unname(getNamespaceVersion("orizzonte"))

# What the core sees: n as the multiplier, and covariances with that divisor.
core_sample <- function(sample, multiplier) {
  if (!is.null(sample$groups)) {
    groups <- unname(lapply(sample$groups, core_sample, multiplier = multiplier))
    return(list(n = sum(vapply(groups, `[[`, 0, "n")), groups = groups))
  }
  if (multiplier == "n") return(list(n = sample$n, covariance = sample$covariance, mean = sample$mean))
  list(n = sample$n - 1, covariance = sample$covariance * sample$n / (sample$n - 1), mean = sample$mean)
}

fit_statuses <- c(
  "converged", "not converged: the iteration limit was reached",
  "not converged: no step lowers the discrepancy any further",
  "not converged: the solution is stationary but not a minimum",
  "not converged: the information matrix is singular at the solution",
  "not converged: no admissible starting values were found", "interrupted",
  "not converged: the restrictions cannot all hold"
)
fit_status <- function(fit) fit_statuses[[fit$core$status + 1L]]
has_converged <- function(fit) fit$core$status == 0L

warn_about <- function(fit) {
  if (!has_converged(fit)) {
    warn("convergence", c(paste0("The fit has ", fit_status(fit), "."),
                          i = "Its numbers cannot be trusted; print(fit) shows what the data say, rescue(blueprint, data) tries remedies."))
    return(invisible())
  }
  improper <- improper_parts(fit)
  if (nrow(improper)) {
    warn("improper", c("The solution is improper.", stats::setNames(utils::head(improper$trouble, 5L), rep("x", min(5L, nrow(improper)))),
                       i = "Look at this before reading any estimate; rescue(blueprint, data) tries remedies."))
  }
  weak <- hardly_told_apart(fit)
  if (length(weak)) {
    warn("identification", c(paste0("At this solution ", enumerate(weak, most = 6L), " can hardly be told apart."),
                             i = "The model is identified elsewhere, but here it rests on something near zero: see identification(blueprint, data)."))
  }
}
