# A fit: request, sample, layout, moments and solution, and a cache that results functions share.

#' Fit a blueprint to data
#'
#' Estimates the model by maximum likelihood (Jöreskog 1969, 1971) from raw data or from
#' [summary_data()]. Incomplete cases are kept and all observed values are used
#' (full-information maximum likelihood, Arbuckle 1996). Sample moments have divisor n and
#' \eqn{\chi^2 = nF}. Prints only short messages about assumptions and about the rows that are kept
#' or excluded. A solution that is improper or did not converge gives a warning.
#'
#' @param bp A blueprint.
#' @param data A data frame, a numeric matrix of raw values, [summary_data()], or a named list of
#'   summary data, one per group.
#' @param by Grouping column, bare or quoted: the model is fitted to all groups simultaneously. Each
#'   group has its own parameters, except for those that [hold_equal()] constrains.
#' @param levels Which groups, in which order, under which names: `c(Evening = 1, Weekend = 2)`. All
#'   of them by default.
#' @param missing_codes Codes for missing values: numbers such as `c(-9, 999)`, or texts such as
#'   `c("n/a", "-9")`. A column that contains only numbers and text codes is read as numeric.
#' @param multiplier `"n"`, or `"n-1"` to reproduce older published tables.
#' @param incomplete How incomplete cases are treated: `"keep"` uses all their observed values;
#'   `"drop"` excludes them (listwise deletion) and counts them. See the section below.
#' @param inference `"normal"`, or `"robust"` for standard errors and tests that do not assume
#'   normality; the default is `"robust"` if `clusters` or `weights` are given. See the section
#'   below.
#' @param adjust How the robust \eqn{\chi^2} is corrected: `"mean"`, or `"mean and variance"`
#'   (complete, unweighted, independent cases).
#' @param clusters Column, bare or quoted, that identifies clusters (classes, clinics, choirs):
#'   standard errors and tests allow for dependence within clusters. Clusters may have cases in
#'   several groups (girls and boys of the same classes); their scores are then added up over
#'   groups.
#' @param weights Column, bare or quoted, of sampling weights.
#' @param weight_scale How weights are scaled: with `"groups"` they sum to the number of cases in
#'   each group, so that a constant weight in one group changes nothing; with `"sample"` they sum to
#'   the number of all cases, so that groups count by the sum of their weights.
#' @param auxiliary Columns, bare or quoted, that are not in the model but predict missingness or
#'   the missing values: included in estimation without changing the degrees of freedom (Graham
#'   2003).
#' @param ... Must be empty: an argument by another name is an error.
#' @return A fit, class `orizzonte_fit`. Read it with [summary()][summary.orizzonte_fit],
#'   [estimates()], [fit_indices()] and the other results functions; `fit$request` contains the
#'   arguments of the call, `fit$request$blueprint` the model.
#' @section Missing values:
#'   The likelihood of each incomplete case is that of its observed variables (full-information
#'   maximum likelihood, FIML). This assumes values *missing at random*: whether a
#'   value is missing may depend on the other variables of the model, not on the value itself once
#'   these are known. Predictors are part of the joint model, and so is their normality, as soon as
#'   values are missing. Standard errors are based on the observed information, which remains valid
#'   under this assumption. Listwise deletion assumes more, namely that they are missing
#'   *completely* at random (Little & Rubin 2019). Data sets with imputed values are not pooled: the
#'   likelihood of the incomplete cases uses the same information without drawing values first,
#'   gives the same answer whenever the imputation model is this one, and gives one \eqn{\chi^2}.
#' @section Robust inference: Estimates stay those of normal-theory maximum likelihood; standard
#'   errors come from the sandwich \eqn{H^{-1} J H^{-1}}, H the observed Hessian and J the scores of
#'   the cases summed (White 1982), centred within groups; with `clusters` the scores are summed
#'   within clusters first, times C/(C - 1), and estimates over standard errors follow t with C - 1
#'   degrees of freedom; `weights` enter the likelihood, and squared into J. \eqn{\chi^2} is divided
#'   by its inflation c (Satorra & Bentler 1994; Yuan & Bentler 2000 with missing values), or with
#'   `adjust = "mean and variance"` also referred to other degrees of freedom; differences are
#'   scaled by themselves (Satorra & Bentler 2001, 2010). Small samples with heavy tails remain a
#'   limitation: intervals cover somewhat less than their nominal level (about 91% instead of 95% at
#'   200 cases). Normal-theory estimates of strongly skewed data that are missing at random can be
#'   biased, and no correction of standard errors removes this bias.
#' @section Saving: `saveRDS(fit, "fit.rds")` keeps a fit whole, data and trail included; ladders
#'   and trails keep their data once. Load the package before `readRDS("fit.rds")` is printed. Later
#'   versions of the package read it if the internal format is unchanged, and otherwise refuse it
#'   with an explanation; [write_blueprint()] saves the model as text that all versions can read.
#' @section Errors: `orizzonte_error_name` for variables that are not columns,
#'   `orizzonte_error_data` for data that cannot be analysed, `orizzonte_error_identification` for
#'   models that cannot be estimated, `orizzonte_error_restriction` for restrictions that contradict
#'   each other, `orizzonte_error_input` for anything else.
#' @references Arbuckle, J. L. (1996). Full information estimation in the presence of incomplete
#'   data. In G. A. Marcoulides & R. E. Schumacker (Eds.), *Advanced structural equation modeling*
#'   (pp. 243-277). Erlbaum.
#'
#'   Jöreskog, K. G. (1969). A general approach to confirmatory maximum likelihood factor analysis.
#'   *Psychometrika, 34*, 183-202.
#'
#'   Jöreskog, K. G. (1971). Simultaneous factor analysis in several populations. *Psychometrika,
#'   36*, 409-426.
#'
#'   Little, R. J. A., & Rubin, D. B. (2019). *Statistical analysis with missing data* (3rd ed.).
#'   Wiley.
#'
#'   Satorra, A., & Bentler, P. M. (1994). Corrections to test statistics and standard errors in
#'   covariance structure analysis. In A. von Eye & C. C. Clogg (Eds.), *Latent variables analysis*
#'   (pp. 399-419). Sage.
#'
#'   Satorra, A., & Bentler, P. M. (2001). A scaled difference chi-square test statistic for moment
#'   structure analysis. *Psychometrika, 66*(4), 507-514.
#'
#'   Satorra, A., & Bentler, P. M. (2010). Ensuring positiveness of the scaled difference chi-square
#'   test statistic. *Psychometrika, 75*(2), 243-248.
#'
#'   White, H. (1982). Maximum likelihood estimation of misspecified models. *Econometrica, 50*(1),
#'   1-25.
#'
#'   Yuan, K.-H., & Bentler, P. M. (2000). Three likelihood-based methods for mean and covariance
#'   structure analysis with nonnormal missing data. *Sociological Methodology, 30*(1), 165-200.
#' @seealso [refit()] to fit again with something changed, [identification()], [rescue()]
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' fit <- fit_model(bp, choirs)
#' fit
#' fit_model(hold_equal(bp, loading), choirs, by = setting)
#' @export
fit_model <- function(bp, data, by = NULL, levels = NULL, missing_codes = NULL,
                      incomplete = "keep", auxiliary = NULL, inference = NULL, adjust = "mean",
                      clusters = NULL, weights = NULL, weight_scale = "groups", multiplier = "n",
                      ...) {
  check_arguments("fit_model", optional = "data")
  check_blueprint(bp, "fit_model")
  if (missing(data))
    abort("input", c(text_of("fit_model_needs_data"), i = text_of("give_data_frame_or_summary")))
  request <- request_of(bp, data, "fit_model")
  announce(fit_request(request, sample_of(data, request)))
}

# The notes and warnings of a fit that a user asked for.
announce <- function(fit) {
  force(fit)
  announce_sample(fit$sample)
  for (note in c(fit$layout$notes, unit_note(fit))) say(note)
  warn_about(fit)
  fit
}

# A request combined with a sample. `stated`: the layout before anything is held, shared by the
# rungs of a ladder; `near`: values, by address, to start from where they are given; `starts`:
# random starts after the closed-form one, NA for the default of the core; `quick_only`: give up
# where quick steps do not converge.
fit_request <- function(request, sample, stated = specified_layout(request, sample), near = NULL,
                        starts = NA, errors = TRUE, all_starts = FALSE, quick_only = FALSE) {
  if (length(sample$auxiliary) && !sample$joint) {
    sample$joint <- TRUE
    plain <- request
    request$blueprint <- joint_blueprint(coded_blueprint(request, sample), sample$auxiliary)
    return(marginal_fit(
      fit_request(request, sample, near = near, starts = starts, errors = errors,
                  all_starts = all_starts, quick_only = quick_only), plain))
  }
  layout <- unconstrained_layout(request, sample, stated)
  check_counts(layout)
  moments <- sample_moments(sample, request$multiplier)
  found <- core_fit(layout$model, unname(moments), starting_values(layout, request, near), starts,
                    errors, all_starts, quick_only)
  if (!found$identified) refuse_unidentified(layout, moments)
  check_feasible(layout, found)
  solution <- profile_solution(new_solution(layout, found), layout, moments)
  for (k in which_active(solution, layout)) {
    layout$rows$status[rows_alike(layout, layout$constraints[[k]])] <- "at bound"
  }
  fit <- new_fit(request, sample, layout, set_active_bounds(solution, layout), moments)
  with_usable_weights(fit, starts)
}

starting_values <- function(layout, request, near) {
  used <- layout$model$used
  given <- layout_starts(layout, request$blueprint)[used]
  if (is.null(near)) return(given)
  known <- near[layout$parameters[used]]
  as.numeric(ifelse(is.na(known), if (length(given)) given else NaN, known))
}

# Contradictory restrictions are refused here, by name.
check_feasible <- function(layout, found) {
  if (found$status != 7L) return(invisible())
  met <- rep(FALSE, length(layout$constraints))
  if (length(found$violations)) met <- !is.na(found$violations) & found$violations <= 1e-4
  text <- vapply(layout$constraints, `[[`, "", "text")
  touched <- unlist(lapply(layout$constraints[!met], `[[`, "rows"))
  beside <- met &
    vapply(layout$constraints, function(constraint) any(constraint$rows %in% touched), NA)
  lines <- c(text_of("not_met", met = text[!met]),
             if (any(beside)) paste0(text_of("also_involved"), text[beside]))
  abort("restriction", c(
    text_of("restrictions_cannot_all_hold"), stats::setNames(lines, rep("x", length(lines))),
    i = paste(
      text_of("if_they_should_perhaps"),
              "start_at()."),
    i = text_of("leave_one_them_out")))
}

fit_notes <- function(fit) c(sample_notes(fit$sample), fit$layout$notes, unit_note(fit))

# Notes on the sample that its header does not contain.
remaining_fit_notes <- function(fit) {
  c(remaining_notes(fit$sample), fit$layout$notes, unit_note(fit))
}

# A correlation matrix is not enough for a model that depends on the units of the variables. Where
# units do not matter, the diagonal of Sigma^-1 S is 1 at the optimum, since a change of units is a
# direction of the model (Browne 1982; Cudeck 1989).
unit_note <- function(fit) {
  if (!only_correlations(fit$sample) || !has_converged(fit)) return(NULL)
  gap <- vapply(seq_along(fit$moments), function(g) {
    s <- fit$moments[[g]]$covariance
    p <- seq_len(ncol(s))
    max(abs(diag(solve_in_units(matrices_of(fit)[[g]]$covariance[p, p], s)) - 1))
  }, 0)
  if (max(gap) < 1e-6) return(NULL)
  text_of("model_depends_units_variables")
}

# The number of free parameters of each group.
free_by_group <- function(fit) {
  vapply(group_views(fit), function(view) {
    sum(is.na(view$layout$rows$fixed) & !duplicated(view$layout$rows$class))
  }, 0L)
}

# Groups with fewer cases than free parameters, in words; NULL when there are none.
fewer_cases_words <- function(fit) {
  n <- cases_by_group(fit$sample)
  if (length(n) < 2L) return(NULL)
  free <- free_by_group(fit)
  few <- n < free
  if (!any(few)) return(NULL)
  each <- text_of("cases_for_parameters", group = names(n)[few], cases = format_count(n[few]),
                  free = format_count(free[few]))
  text_of("groups_with_few_cases", each = enumerate(each, most = 6L))
}

# Groups with fewer clusters than free parameters, in words; NULL when there are none.
fewer_clusters_words <- function(fit) {
  clusters <- clusters_by_group(fit$sample)
  if (is.null(clusters)) return(NULL)
  free <- free_by_group(fit)
  few <- clusters < free
  if (!any(few)) return(NULL)
  each <- text_of("clusters_for_parameters",
                  group = if (length(few) > 1L) paste0(names(clusters)[few], ": "),
                  clusters = format_count(clusters[few]), free = format_count(free[few]))
  text_of("fewer_clusters_than_parameters", each = enumerate(each, most = 6L))
}

warn_about <- function(fit) {
  few <- fewer_cases_words(fit)
  if (!is.null(few)) warn("data", few)
  few <- fewer_clusters_words(fit)
  if (!is.null(few)) warn("data", few)
  if (!has_converged(fit)) {
    warn("convergence", c(text_of("fit_has", fit = fit_status(fit)),
                          i = text_of("numbers_cannot_be_trusted",
                                      instruction = instruction("rescue"))))
    return(invisible())
  }
  improper <- improper_parts(fit)
  if (nrow(improper)) {
    lines <- utils::head(improper$trouble, 5L)
    warn("improper", c(text_of("solution_is_improper"), stats::setNames(lines, rep("x",
        length(lines))),
                       i = text_of("look_before_reading_any", instruction = instruction("rescue"))))
  }
  weak <- weakly_identified(fit)
  if (length(weak)) {
    warn("identification", c(
      text_of("solution_can_hardly_be", weak = enumerate(weak, most = 6L)),
      i = paste(text_of("model_is_identified_elsewhere"),
                text_of("identification_blueprint_data"))))
  }
}

# Composites are scaled by the weight that is fixed at 1.

# A marker weight near zero does not define the unit of a composite: the item with the largest
# weight is used instead.
other_marker_weights <- function(fit) {
  layout <- fit$layout
  candidates <- Filter(function(scale) {
    scale$composite && scale$kind == "marker" &&
    scale$group == 1L &&
    length(scale$loadings) > 1L
  }, layout$scales)
  names(candidates) <- vapply(candidates, `[[`, "", "construct")
  if (length(candidates) == 0L || !has_values(fit) || length(layout$groups) > 1L)
    return(character())
  sd <- sqrt(diag(pooled_covariance(fit$sample)))
  out <- vapply(candidates, function(scale) {
    free <- scale$loadings[is.na(layout$rows$fixed[scale$loadings])]
    at <- c(scale$marker, free)
    size <- abs(values_of(fit)[at]) * sd[layout$rows$first[at]]
    if (size[1L] < 0.05 * max(size)) names(which.max(size)) else NA_character_
  }, "")
  out[!is.na(out)]
}

# The fit with usable weights, with a note; the request keeps the user's input.
with_usable_weights <- function(fit, starts, seed) {
  markers <- other_marker_weights(fit)
  if (length(markers) == 0L) return(fit)
  request <- fit$request
  for (name in names(markers)) request$blueprint$constructs[[name]]$scale <- markers[[name]]
  scales <- stats::setNames(fit$layout$scales, vapply(fit$layout$scales, `[[`, "", "construct"))
  was <- vapply(names(markers), function(name) fit$layout$rows$parameter[scales[[name]]$marker], "")
  moved <- fit_request(request, fit$sample, starts = starts)
  moved$request <- fit$request
  moved$layout$notes <- c(moved$layout$notes,
                          text_of("marker_near_zero", was = was, markers = names(markers),
                                  markers_2 = address_format("weight", markers, names(markers))))
  stamped(moved)
}

# The covariance matrix of the estimates: all standard errors are computed from it.

# Covariance matrix of the parameters in the core. Fits that are mostly compared, such as rungs of a
# ladder, are made without it.
core_vcov <- function(fit) {
  if (!is.null(fit$joint)) {
    known <- core_vcov(fit$joint)
    if (nrow(known) == 0L) return(known)
    at <- match(fit$layout$parameters[fit$layout$model$used],
                fit$joint$layout$parameters[fit$joint$layout$model$used])
    return(known[at, at, drop = FALSE])
  }
  if (is_robust(fit$request) && has_converged(fit)) {
    found <- sandwich_of(fit)
    return(if (found$admissible) found$covariance else matrix(0, 0L, 0L))
  }
  known <- fit$solution$vcov
  if (nrow(known) > 0L || !has_converged(fit)) return(known)
  cached(fit, "core_vcov", core_errors(fit$layout$model, core_moments(fit), core_theta(fit)))
}

# Covariance matrix of all free parameters, in the order of theta_of(): the inverse information
# (expected for complete data, else observed), or the sandwich where inference is robust.
vcov_of <- function(fit) cached(fit, "vcov", complete_vcov(fit))

complete_vcov <- function(fit) {
  out <- vcov_with_means(fit)
  # zero but for rounding, which could be negative
  pinned <- pinned_parameters(fit)
  out[pinned, ] <- 0 * out[pinned, ]
  out[, pinned] <- 0 * out[, pinned]
  out
}

# With the parameters of means that are profiled out.
vcov_with_means <- function(fit) {
  layout <- fit$layout
  names <- layout$parameters
  out <- matrix(NA_real_, length(names), length(names), dimnames = list(names, names))
  used <- layout$model$used
  known <- core_vcov(fit)
  if (nrow(known) != length(used)) return(out)
  if (!layout$profiled) {
    out[used, used] <- known
    return(out)
  }
  out[] <- core_profiled_vcov(full_model(layout), values_of(fit), core_moments(fit), known, used,
                              if (is_robust(fit$request)) sandwich_of(fit)$cross else list(),
                              if (is_robust(fit$request)) sandwich_of(fit)$means else list())
  out
}

# Whether two fits use the same cases, judged by their moments. Otherwise a text that describes the
# difference.
same_rows <- function(a, b) is.null(difference_of_rows(a, b))

difference_of_rows <- function(a, b) {
  if (!setequal(a$layout$groups, b$layout$groups)) return(text_of("to_different_groups"))
  if (a$request$incomplete != b$request$incomplete &&
      (is_incomplete(a$sample) || is_incomplete(b$sample)))
    return(text_of("incomplete_rows_one_case"))
  if (!setequal(auxiliary_variables(a$sample), auxiliary_variables(b$sample)))
    return(text_of("other_auxiliary_variables"))
  if (a$request$multiplier != b$request$multiplier) return(text_of("other_multiplier"))
  order <- match(a$layout$groups, b$layout$groups)
  n <- cases_by_group(a$sample)
  other <- cases_by_group(b$sample)[order]
  if (any(n != other)) {
    where <- if (sum(n) == sum(other)) in_group(a$layout, names(n)[n != other][1L]) else ""
    at <- if (nzchar(where)) which(n != other)[1L] else seq_along(n)
    return(text_of("different_rows_n", at = sum(n[at]), at_2 = sum(other[at]), where = where))
  }
  found <- Map(difference_of_moments, a$layout$parts, b$layout$parts[order], a$moments,
               b$moments[order])
  found <- Filter(Negate(is.null), unname(found))
  if (length(found)) return(found[[1L]])
  if (any(order != seq_along(order))) text_of("groups_another_order")
}

# `one`, `other`: the moments of the same variables.
difference_of_moments <- function(part, other_part, one, other) {
  if (!setequal(part$observed, other_part$observed)) return(text_of("to_different_variables"))
  at <- match(part$observed, other_part$observed)
  s <- unname(one$covariance)
  t <- unname(other$covariance[at, at])
  ratio <- sqrt(diag(s) / diag(t))
  near <- function(x, y) max(abs(x - y)) < 1e-8
  if (!near(stats::cov2cor(s), stats::cov2cor(t))) {
    return(text_of("different_rows_n_both", value = one$n))
  }
  moved <- abs(ratio - 1) > 1e-8
  if (any(moved)) return(text_of("different_units", moved = enumerate(part$observed[moved])))
  if (is.null(one$mean) || is.null(other$mean)) return(NULL)
  shifted <- abs(one$mean - other$mean[at]) > 1e-8 * pmax(sqrt(diag(s)), abs(one$mean))
  if (any(shifted)) {
    text_of("other_means_centred_one", shifted = enumerate(part$observed[shifted]))
  }
}

#' Refit a model with changed arguments
#'
#' Repeats the request of a fit with some of its arguments changed, such as the blueprint, the data,
#' the groups or the missing-value codes. `update()` is the same function.
#'
#' @param object A fit.
#' @param ... Arguments of [fit_model()] to change: `blueprint`, `data`, `by`, `levels`,
#'   `missing_codes`, `incomplete`, `auxiliary`, `inference`, `adjust`, `clusters`, `weights`,
#'   `weight_scale`, `multiplier`; and `omit_rows`, the numbers of the rows to leave out. A fit
#'   keeps only the columns of its model; give `data` if a change needs other columns.
#' @return A fit.
#' @section Errors: `orizzonte_error_input` for an unknown argument; and the errors of
#'   [fit_model()].
#' @seealso [fit_model()], [amend()]
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
#' fit <- fit_model(bp, choirs)
#' refit(fit, blueprint = covary(bp, sc1, sc2))
#' refit(fit, omit_rows = 1:10)
#' @name refit
#' @export
refit.orizzonte_fit <- function(object, ...) {
  check_fit(object, "refit")
  changes <- refit_changes(rlang::enquos(...))
  announce(refit_quietly(object, changes))
}

#' @rdname refit
#' @importFrom stats update
#' @export
update.orizzonte_fit <- function(object, ...) refit.orizzonte_fit(object, ...)

#' @rawNamespace
#' importFrom(generics, refit)
#' export(refit)
NULL

refit_changes <- function(quosures) {
  known <- c("data", "omit_rows", request_parts())
  given <- names(quosures)
  unknown <- setdiff(given, known)
  if (length(unknown)) {
    what <- if (nzchar(unknown[1L])) paste0("`", unknown[1L], "`") else text_of("unnamed_argument")
    abort("input", c(text_of("refit_does_not_know", what = what),
                     if (nzchar(unknown[1L])) did_you_mean(unknown[1L], known),
                     i = text_of("it_changes", known = enumerate(known))))
  }
  lapply(stats::setNames(given, given), function(name) {
    if (isTRUE(is_column_option(name))) return(captured_argument(quosures[[name]], name))
    rlang::eval_tidy(quosures[[name]])
  })
}

# `near`, `starts` and `errors` as in fit_request().
refit_quietly <- function(fit, changes = list(), near = NULL, starts = NA, errors = TRUE) {
  asked <- intersect(names(changes), request_parts())
  request <- change_request(fit$request, changes[asked])
  new_sample <- any(names(changes) %in% setdiff(c("data", "omit_rows", request_parts()),
                                          c("blueprint", "multiplier")))
  sample <- if (new_sample) sample_of(refit_source(fit, changes), request) else
    sample_for(sample_of_fit(fit), request)
  fit_request(request, sample, near = near, starts = starts, errors = errors)
}

refit_source <- function(fit, changes) {
  source <- changes$data
  if (is.null(source)) {
    if (!has_raw_data(fit$sample)) {
      abort("input", c(text_of("fit_came_from_summary"),
                       i = text_of("give_data_refit_fit")))
    }
    source <- fit$sample$data$frame
  }
  rows <- changes$omit_rows
  if (is.null(rows)) return(source)
  usable <- is.data.frame(source) && is.numeric(rows) && !anyNA(rows) &&
    all(rows %in% seq_len(nrow(source)))
  if (!usable)
    abort("input",
          c(text_of("omit_rows_must_be"),
            i = text_of("such_omit_rows_c")))
  source[-rows, , drop = FALSE]
}
