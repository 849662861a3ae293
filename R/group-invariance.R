#' The invariance ladder
#'
#' Tests measurement invariance: the same blueprint is fitted to several groups, or to constructs at
#' several times ([repeated()]), with an increasing number of equality constraints: configural
#' (none), metric (loadings and weights), scalar (also intercepts of items), strict (also residual
#' variances and covariances of items), and then, on top of a rung, the equalities that `structural`
#' names (Jöreskog 1971; Meredith 1993). Each rung is compared with the one before.
#'
#' Regardless of the scale in the blueprint, rungs are identified by the variance of each construct:
#' 1 in every group while loadings are free, 1 only in the first group once loadings are equal.
#' Construct means are free outside the first group once intercepts are equal. So every loading can
#' be tested and released, and \eqn{\chi^2} does not depend on a marker. Intercepts and variances of
#' observed predictors are never held.
#'
#' @section Criteria:
#' A rung *holds* if no change in fit against the previous rung exceeds its cut-off and
#' \eqn{\Delta\chi^2} is not significant. It is *doubtful* when some criterion breaks, and *fails*
#' when that of the CFI and another do. If \eqn{\Delta\chi^2} is significant although no cut-off is
#' exceeded, each equality that the rung adds is tested alone (score tests with *p* values adjusted
#' by the method of Holm 1979): with one that is significant and at least as large as
#' `criteria()$smallest` in standardized units, *likely to differ*, the rung is doubtful; else it
#' *holds, small differences*. If neither \eqn{\Delta\chi^2} nor an index indicates a difference,
#' the verdict is *cannot tell* unless the test could have detected one: the median power of its
#' single equalities against a standardized difference of three times `criteria()$smallest` must
#' reach `criteria()$power` (with more than two groups in at least two of them; the others are
#' named). A rung with released equalities *holds in part*. A verdict that depends on a lower rung
#' which fails, is doubtful, improper, not settled, not converged or poorly fitting names that rung.
#' Defaults: CFI falls by no more than .010, RMSEA rises by no more than .015, SRMR by no more than
#' .030 (metric) or .010 (later rungs) (Cheung & Rensvold 2002; Chen 2007); with ten groups and more
#' .020 and .030 for CFI and RMSEA on the metric rung (Rutkowski & Svetina 2014). The *p* of the
#' \eqn{\chi^2} difference breaks a criterion by itself only when [criteria()] gives a level for it
#' (`p_change`).
#'
#' @section Structural steps:
#' Each is tested against the last step that held (the first against `structural_on`), and judged by
#' *p* and by the largest standardized difference between groups there (in standard deviations of
#' the first group): *holds*, *differs*, *differs, but less than counts* (significant, but smaller
#' than `criteria()$smallest`) or *cannot tell* (not significant, but as large as that).
#'
#' @param bp A [blueprint()]. Its own [hold_equal()] constraints apply on every rung, and the
#'   exceptions of [let_differ()] on all of them.
#' @param data A data frame, or a named list of [summary_data()] (for times alone also one).
#' @param by,levels,missing_codes,incomplete,auxiliary,inference As in [fit_model()].
#' @param adjust,clusters,weights,weight_scale As in [fit_model()].
#' @param over The dimension over which the rungs hold parameters equal: `"groups"`, `"times"` (of
#'   [repeated()] constructs) or `"both"`; when `NULL`, all there is of `by` and repeated
#'   constructs.
#' @param rungs Rungs to fit out of `"configural"` (always), `"metric"`, `"scalar"` and `"strict"`,
#'   in this order; for constructs that are measured by constructs also `"second_order_metric"`
#'   (their loadings) and `"second_order_scalar"` (the means of the constructs that measure them),
#'   each after the rung of the items (Chen, Sousa & West 2005). All that apply when `NULL`.
#' @param structural Patterns of parameters to hold equal in further steps, each added to the last
#'   step that held: `"variance[constructs]"`, `"covariance[constructs]"`, `"effect"`, `"mean"`.
#' @param structural_on The rung to put them on; fitted as well when it is not among `rungs`. For
#'   summary data without means, the default is `"metric"`.
#' @param criteria Largest changes for the worse (`cfi_change`, `rmsea_change`, `srmr_change`), the
#'   level of \eqn{\Delta\chi^2} (`p_change`), and the minimum for the first rung (`cfi`, `rmsea`),
#'   from [criteria()].
#' @param against `"previous"` or `"first"`: the reference of the changes.
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object of class `orizzonte_ladder`: a list with `fits` (by rung), `table` (also
#'   `as.data.frame()`: `rung`, `against`, `chisq`, `df`, `p`, `cfi`, `tli`, `rmsea`, `srmr`, `aic`,
#'   `bic`, the same with `_change`, where indices are corrected also their uncorrected values, as
#'   `cfi_normal` and so on, `verdict`, `rests_on`, `rests_on_verdict`, `broken`, `status`),
#'   `contributions` (\eqn{\chi^2}
#'   of each group by rung), `details` (by rung: the single equalities tested, with `parameter`,
#'   `group`, `p`, `p_holm`, `expected_change_std`, `power`, `verdict`; by structural step the
#'   differences, with `parameter`, `group`, `difference`, `difference_std`, `lower`, `upper`),
#'   `power` (a data frame: `rung`, `group`, `power`), `releases` (by [loosen()]: the columns of its
#'   `released`, after `rung`), `criteria`, `reading`.
#'   The verdict of a rung is one of the codes `"fits"`, `"fits_poorly"`, `"holds"`,
#'   `"holds_in_part"`, `"holds_small_differences"`, `"doubtful"`, `"fails"`, `"differs"`,
#'   `"differs_negligibly"`,
#'   `"cannot_tell"`, `"nothing_to_hold"`, `"not_tested"`, `"not_converged"` and `"improper"`, or
#'   `NA` when nothing is judged. If a verdict depends on a rung below that is not sound, `rests_on`
#'   names that rung and `rests_on_verdict` is its code. The verdict of a single equality is
#'   `"differs"`,
#'   `"differs_negligibly"`, `"holds"` or `"cannot_tell"`.
#'   A rung that adds nothing (a path model has no loadings) has `"nothing_to_hold"`; without means
#'   the scalar rungs are left out, with a message.
#' @section Errors: as [fit_model()]; `orizzonte_error_input` for an unknown rung or criterion;
#'   `orizzonte_error_data` when a requested rung cannot be tested with the data, and for
#'   correlations of several groups, whose equality of loadings cannot be tested.
#' @references
#' Chen, F. F. (2007). Sensitivity of goodness of fit indexes to lack of measurement invariance.
#' *Structural Equation Modeling, 14*(3), 464--504.
#'
#' Chen, F. F., Sousa, K. H., & West, S. G. (2005). Testing measurement invariance of second-order
#' factor models. *Structural Equation Modeling, 12*(3), 471--492.
#'
#' Cheung, G. W., & Rensvold, R. B. (2002). Evaluating goodness-of-fit indexes for testing
#' measurement invariance. *Structural Equation Modeling, 9*(2), 233--255.
#'
#' Holm, S. (1979). A simple sequentially rejective multiple test procedure. *Scandinavian Journal
#' of Statistics, 6*(2), 65--70.
#'
#' Jöreskog, K. G. (1971). Simultaneous factor analysis in several populations. *Psychometrika,
#' 36*(4), 409--426.
#'
#' Meredith, W. (1993). Measurement invariance, factor analysis and factorial invariance.
#' *Psychometrika, 58*(4), 525--543.
#'
#' Rutkowski, L., & Svetina, D. (2014). Assessing the hypothesis of measurement invariance in the
#' context of large-scale international surveys. *Educational and Psychological Measurement,
#' 74*(1), 31--57.
#' @seealso [loosen()] to release equalities, [noninvariance()] for their size, [latent_means()] for
#'   the comparisons that are then possible.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   covary(be1, be2)
#' ladder <- suppressMessages(invariance(bp, choirs, by = "setting"))
#' ladder
#' amendments(ladder$fits$metric, kinds = "equality across groups", top = 3)
#' @export
invariance <- function(bp, data, by = NULL, rungs = NULL, structural = NULL,
                       structural_on = "scalar", over = NULL, levels = NULL, missing_codes = NULL,
                       incomplete = "keep", auxiliary = NULL, inference = NULL, adjust = "mean",
                       clusters = NULL, weights = NULL, weight_scale = "groups", criteria = NULL,
                       against = "previous", ...) {
  check_arguments("invariance")
  check_blueprint(bp, "invariance")
  if (missing(data))
    abort("input", c(text_of("invariance_needs_data"), i = text_of("give_data_frame_column")))
  against <- choose_one(against, c("previous", "first"), "`against`")
  criteria <- check_criteria(criteria)
  over <- ladder_places(bp, over, !rlang::quo_is_null(rlang::enquo(by)) || is_summary_list(data))
  if (!is.null(rungs)) check_words(rungs, "`rungs`", "rungs = c(\"configural\", \"metric\")")
  if (!is.null(structural)) check_words(structural, "`structural`", "structural = \"effect\"")
  check_words(structural_on, "`structural_on`", "structural_on = \"metric\"")
  asked <- c(rungs, structural, if (length(structural) && !missing(structural_on)) structural_on)
  rungs <- rungs %||% default_rungs(bp)
  check_rungs(c(rungs, structural_on), structural)
  request <- request_of(marker_free(bp), data, "invariance")
  sample <- sample_of(data, request)
  if (over != "times" && only_correlations(sample))
    abort("data", c(text_of("ladder_needs_covariances"), i = text_of("give_sd_too")))
  if (!has_means(sample)) {
    rungs <- rungs_without_means(rungs, asked)
    if (structural_on == "scalar") structural_on <- "metric"
  }
  rungs <- rungs_in_order(c(rungs, if (length(structural)) structural_on))
  holds <- lapply(stats::setNames(rungs, rungs), rung_hold, rungs = rungs)
  announce_sample(sample)
  own <- c(bp$hold_equal, bp$hold_equal_times)
  if (length(own))
    say(text_of("held_equal_every_rung", parameters = enumerate(unique(own))))
  stated <- specified_layout(request, sample)
  fits <- map_with_progress(holds, function(hold) fit_rung(request, sample, stated, hold, over),
                    text_of("head_rungs"))
  ladder <- new_ladder(bp, fits, criteria, against, structural, structural_on, over)
  for (few in c(fewer_cases_words(fits[[1L]]), fewer_clusters_words(fits[[1L]])))
    warn("data", few)
  trouble <- ladder_trouble(ladder)
  if (length(trouble)) {
    warn("improper", c(text_of("not_every_rung_has"),
                       stats::setNames(trouble, rep("x", length(trouble)))))
  }
  ladder
}

# The dimension of the ladder: groups, times, or both.
ladder_places <- function(bp, over, grouped) {
  several <- length(bp$repeated) > 0L
  if (!is.null(over)) over <- choose_one(over, c("groups", "times", "both"), "`over`")
  over <- over %||% if (grouped && several) "both" else if (several) "times" else "groups"
  if (over != "times" && !grouped)
    abort("input", c(text_of("invariance_needs_groups_or"),
                     i = text_of("name_grouping_column_column_or")))
  if (over != "groups" && !several)
    abort("input", c(text_of("blueprint_has_no_constructs"),
                     i = text_of("declare_them_repeated")))
  over
}

# Every reflective construct is scaled by its variance, unless its loadings were given.
marker_free <- function(bp) {
  bp$scale <- "unit"
  for (name in names(bp$constructs)) if (bp$constructs[[name]]$kind == "reflective")
    bp$constructs[[name]]["scale"] <- list(NULL)
  bp
}

# One rung: its constraints are added to those of the blueprint. The unit scale cannot reach a
# negative variance of a construct; then the construct's own scale setting is used. A first attempt
# without further starts shows which one is needed: with many groups, all starts on a scale that
# cannot reach the optimum take minutes.
fit_rung <- function(request, sample, stated, hold, over = "groups") {
  for (key in held_keys[c(over != "times", over != "groups")])
    request$blueprint[[key]] <- union(request$blueprint[[key]], hold)
  # a group that the model does not fit at all would take many slow steps on the scale of unit
  # variances, and mostly in vain
  first <- fit_request(request, sample, stated, starts = 0, errors = FALSE, quick_only = TRUE)
  if (needs_no_other_start(first)) return(first)
  full <- function() fit_request(request, sample, stated, errors = FALSE)
  if (has_converged(first)) return(full())
  marked <- request
  marked$blueprint$scale <- "marker"
  other <- fit_request(marked, sample, stated, errors = FALSE)
  if (!has_converged(other) || !nrow(negative_construct_variances(other))) {
    fit <- full()
    if (has_converged(fit) || !has_converged(other)) return(fit)
  }
  other$layout$notes <- c(other$layout$notes, paste(
    text_of("construct_s_variance_is")))
  stamped(other)
}

# The core itself makes no other start from such a solution: proper, of good fit, no equations.
needs_no_other_start <- function(fit) {
  has_converged(fit) && known_to_be_proper(fit) && n_equations(fit$layout) == 0L &&
    discrepancy_of(fit) <= 0.1^2 * max(1, layout_counts(fit$layout)$df)
}

# Constructs whose variance is negative.
negative_construct_variances <- function(fit) {
  improper <- improper_parts(fit)
  rows <- fit$layout$rows
  own <- rows$parameter[rows$kind == "variance" & rows$first %in% fit$layout$constructs]
  improper[improper$parameter %in% own, , drop = FALSE]
}

# A ladder as a value: the fits of its rungs and steps, their table, verdicts and reading.

# `fits`: those of the measurement rungs, by name; `structural`: patterns of steps still to be taken
# on top of the rung `on`.
new_ladder <- function(bp, fits, criteria, against, structural = NULL, on = NULL,
                       over = "groups", releases = no_releases()) {
  groups <- fits[[1L]]$layout$groups
  rungs <- names(fits)
  previous <- rungs_before(rungs, against)
  judged <- lapply(seq_along(fits), function(k) {
    before <- if (!is.na(previous[k])) fits[[previous[k]]]
    judge_rung(fits[[k]], before, rungs[k], criteria)
  })
  climbed <- climb_steps(fits, structural, on, criteria, over)
  fits <- c(fits, climbed$fits)
  previous <- c(previous, match(climbed$base, names(fits)))
  judged <- c(judged, climbed$judged)
  table <- ladder_rows(fits, previous, vapply(judged, `[[`, "", "verdict"),
                       vapply(judged, function(x) x$broken %||% "", ""))
  details <- Filter(Negate(is.null), stats::setNames(lapply(judged, function(x) {
    x$equalities %||% x$differences
  }), names(fits)))
  power <- ladder_power(judged, names(fits))
  shares <- vapply(fits, function(fit) vapply(measures_of(fit), `[[`, 0, "chisq"),
                   numeric(length(groups)))
  limits <- lapply(rungs, rung_limits, groups = length(groups), criteria = criteria)
  structure(list(title = bp$title, blueprint = bp, fits = fits, table = table, details = details,
                 contributions = matrix(shares, length(groups),
                                        dimnames = list(groups, names(fits))),
                 criteria = criteria, limits = stats::setNames(limits, rungs), against = against,
                 structural = structural, on = on, over = over,
                 power = power, releases = releases,
                 reading = read_ladder(table, fits, details, power, criteria)),
            class = "orizzonte_ladder")
}

# Columns: rung, group, power (the median of its single equalities in the group).
ladder_power <- function(judged, rungs) {
  power <- lapply(judged, function(x) x$power)
  list_frame(list(rung = rep(rungs, lengths(power)),
                  group = as.character(unlist(lapply(power, names))),
                  power = as.numeric(unlist(power))))
}

# Structural steps, each added to the last one that held.
climb_steps <- function(fits, structural, on, criteria, over) {
  out <- list(fits = list(), base = character(), judged = list())
  base <- on
  for (step in structural) {
    below <- c(fits, out$fits)[[base]]
    request <- below$request
    request$blueprint <- without_trail(request$blueprint)
    sample <- sample_of_fit(below)
    fit <- fit_rung(request, sample, specified_layout(request, sample), step, over)
    judged <- judge_step(fit, below, criteria)
    out$fits[[step]] <- fit
    out$base <- c(out$base, base)
    out$judged <- c(out$judged, list(judged))
    if (judged$verdict %in% step_codes) base <- step
  }
  out
}

ladder_rows <- function(fits, previous, verdicts, broken) {
  rungs <- names(fits)
  columns <- c(list(rung = rungs),
               stacked_measures(fits))
  for (name in setdiff(comparison_columns, "p")) {
    columns[[paste0(name, "_change")]] <- columns[[name]] - columns[[name]][previous]
  }
  converged <- vapply(fits, has_converged, NA)
  tests <- lapply(seq_along(fits), function(k) {
    if (is.na(previous[k]) || !converged[k] || !converged[previous[k]]) return(NULL)
    difference_test(fits[[k]], fits[[previous[k]]])
  })
  columns$p_change <- vapply(tests, function(test) test$p %||% NA_real_, 0)
  tested <- lengths(tests) > 0L
  columns$chisq_change[tested] <- vapply(tests[tested], `[[`, 0, "chisq")
  columns$verdict <- verdicts
  foundation <- rule_foundation(verdicts, previous)
  columns$rests_on <- rungs[foundation]
  columns$rests_on_verdict <- verdicts[foundation]
  columns$broken <- broken
  columns$against <- rungs[previous]
  columns$status <- vapply(fits, function(fit) solution_state(fit)$status, "", USE.NAMES = FALSE)
  list_frame(columns[c("rung", "against", comparison_columns,
                       paste0(comparison_columns, "_change"), "verdict", "rests_on",
                       "rests_on_verdict", "broken", "status",
                       intersect(uncorrected_columns, names(columns)))])
}
