#' Simulate data
#'
#' Draws data from a fitted model, or from a blueprint and the values of its parameters: normal, or
#' with given skew and kurtosis, with values missing, with clusters and groups.
#'
#' @param object A fit from [fit_model()], or a blueprint.
#' @param nsim Number of data sets.
#' @param seed A seed, or `NULL` for one that R's own random numbers give.
#' @param n Of a blueprint: the number of cases, or one for each group by name.
#' @param truth Of a blueprint: numbers by address, such as
#'   `c("loading[Calm, ]" = .7, "effect[Calm, Staying]" = .3)`. Slices are overridden by what is
#'   narrower; effects and covariances that are not named are zero.
#' @param truth_units `"standardized"` (all variances are 1, residual variances follow) or `"raw"`.
#' @param missing `"none"`, `"as observed"` (each row misses what the case in its place misses), one
#'   share for all variables, or shares by variable.
#' @param missing_given A variable: the higher its value the more is missing of the others (missing
#'   at random); `NULL` for values missing completely at random.
#' @param missing_slope By how much the log odds of missing rise with one standard deviation of it.
#' @param skew,kurtosis Skewness and excess kurtosis of the observed variables, one number or by
#'   variable (Fleishman 1978; Vale & Maurelli 1983); covariances stay those of the model.
#' @param clusters How many clusters of nearly equal size the cases of each group come in.
#' @param between Share of all variances and covariances that lies between clusters. Skew and
#'   kurtosis are then those of both parts.
#' @param ... Must be empty.
#' @return A list of `nsim` data frames with the observed variables, with the attribute `seed`, a
#'   column for the group in a model of several and a column `cluster` where there are clusters.
#'   Means are zero when a fit has none.
#' @section Errors: `orizzonte_error_input` when an argument is out of its range, when `truth` is
#'   not positive definite or no distribution has that skew and kurtosis.
#' @references Fleishman, A. I. (1978). A method for simulating non-normal distributions.
#'   *Psychometrika, 43*(4), 521-532.
#'
#'   Vale, C. D., & Maurelli, V. A. (1983). Simulating multivariate nonnormal distributions.
#'   *Psychometrika, 48*(3), 465-471.
#' @seealso [plan_study()], [bootstrap_fit()], [implied()].
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' head(simulate(fit, seed = 1)[[1]])
#' head(simulate(bp, seed = 1, n = 300, truth = c("loading[Belonging, ]" = .7), skew = 1,
#'               kurtosis = 2, missing = .1)[[1]])
#' @name simulate.orizzonte_fit
#' @importFrom stats simulate
#' @export
simulate.orizzonte_fit <- function(object, nsim = 1, seed = NULL, missing = "none",
                                   missing_given = NULL, missing_slope = 1, skew = NULL,
                                   kurtosis = NULL, clusters = NULL, between = 0.1, ...) {
  check_fit(object, "simulate")
  check_arguments("simulate")
  check_count(nsim, "`nsim`", 1, 1e6)
  drawing <- new_drawing(missing, missing_given, missing_slope, skew, kurtosis, clusters, between)
  simulated_sets(object, drawn_source(object, drawing), nsim, chosen_seed(seed))
}

#' @rdname simulate.orizzonte_fit
#' @export
simulate.orizzonte_blueprint <- function(object, nsim = 1, seed = NULL, n, truth,
                                         truth_units = "standardized", missing = "none",
                                         missing_given = NULL, missing_slope = 1, skew = NULL,
                                         kurtosis = NULL, clusters = NULL, between = 0.1, ...) {
  check_arguments("simulate")
  check_count(nsim, "`nsim`", 1, 1e6)
  fit <- population_fit(object, n, truth, truth_units)
  drawing <- new_drawing(missing, missing_given, missing_slope, skew, kurtosis, clusters, between)
  simulated_sets(fit, drawn_source(fit, drawing), nsim, chosen_seed(seed))
}

# How data are drawn, checked as far as that goes without the variables.
new_drawing <- function(missing = "none", missing_given = NULL, missing_slope = 1, skew = NULL,
                        kurtosis = NULL, clusters = NULL, between = 0.1) {
  if (is.character(missing)) {
    missing <- choose_one(missing, c("none", "as observed"), "`missing`")
  } else if (!is.numeric(missing) || length(missing) == 0L || anyNA(missing) ||
             any(missing < 0 | missing >= 1) || length(missing) > 1L && is.null(names(missing))) {
    abort("input", c(text_of("missing_must_be_none"),
                     x = text_of("it_is_of_kind", value = describe(missing)),
                     i = text_of("such_missing_1_or")))
  }
  if (!is.null(missing_given)) check_string(missing_given, "`missing_given`")
  check_number(missing_slope, "`missing_slope`", -100, 100)
  for (shape in list(skew, kurtosis)) if (!is.null(shape)) check_shape(shape)
  if (!is.null(clusters)) check_count(clusters, "`clusters`", 2, 1e7)
  check_number(between, "`between`", 0, 0.99)
  list(missing = missing, given = missing_given, slope = missing_slope, skew = skew,
       kurtosis = kurtosis, clusters = clusters, between = between)
}

check_shape <- function(x) {
  if (is.numeric(x) && length(x) && all(is.finite(x)) && (length(x) == 1L || !is.null(names(x))))
    return(invisible())
  abort("input", c(text_of("skew_kurtosis_must_be"),
                   x = text_of("it_is_of_kind", value = describe(x))))
}

# A number for each variable: the one for all, or those that are named and zero.
by_variable <- function(x, variables, what) {
  if (is.null(x)) return(rep(0, length(variables)))
  if (is.null(names(x))) return(rep(unname(x), length(variables)))
  unknown <- setdiff(names(x), variables)
  if (length(unknown))
    abort("name", c(text_of("names_which_model_does", value = what, name = quoted(unknown[1L])),
                    did_you_mean(unknown[1L], variables)))
  out <- x[match(variables, names(x))]
  unname(ifelse(is.na(out), 0, out))
}

drawn_source <- function(fit, drawing) {
  whole <- whole_fit(fit)
  sizes <- cases_by_group(whole$sample)
  holes <- if (identical(drawing$missing, "as observed")) holes_as_observed(whole)
  populations <- lapply(group_views(whole), function(view) {
    model <- implied_moments(view)
    variables <- view$layout$observed
    new_population(sizes[[view$group]], model$covariance, model$mean,
                   shape = drawn_shape(drawing, variables), holes = holes[[view$number]],
                   lost = lost_odds(drawing, variables),
                   clusters = cluster_sizes(drawing$clusters, sizes[[view$group]]),
                   between = drawing$between)
  })
  list(less = as.integer(fit$request$multiplier == "n-1"), populations = unname(populations))
}

holes_as_observed <- function(fit) {
  if (!has_raw_data(fit$sample) || !is_incomplete(fit$sample)) return(NULL)
  lapply(core_cases(fit), function(cases) is.na(cases$values) + 0)
}

drawn_shape <- function(drawing, variables) {
  if (is.null(drawing$skew) && is.null(drawing$kurtosis)) return(NULL)
  list(skew = by_variable(drawing$skew, variables, "`skew`"),
       kurtosis = by_variable(drawing$kurtosis, variables, "`kurtosis`"))
}

# As equal as can be.
cluster_sizes <- function(clusters, cases) {
  if (is.null(clusters)) return(integer())
  if (clusters > cases)
    abort("input", c(text_of("there_cannot_be_clusters", clusters = clusters, cases = cases),
                     i = text_of("ask_fewer_clusters_or")))
  as.integer(cases %/% clusters + (seq_len(clusters) <= cases %% clusters))
}

# Log odds of missing by variable at the mean of `given`, so that the shares are right over all of
# its (normal) values.
lost_odds <- function(drawing, variables) {
  if (is.character(drawing$missing)) return(NULL)
  share <- by_variable(drawing$missing, variables, "`missing`")
  given <- match(drawing$given %||% NA, variables)
  if (!is.null(drawing$given) && is.na(given))
    abort("name", c(text_of("missing_given_is_no", given = quoted(drawing$given)),
                    did_you_mean(drawing$given, variables)))
  if (is.na(given)) return(list(odds = stats::qlogis(share), slope = 0 * share, given = 0L))
  if (is.null(names(drawing$missing))) share[given] <- 0
  odds <- vapply(share, function(s) {
    if (s == 0) return(-Inf)
    gap <- function(a) mean_share(a, drawing$slope) - s
    stats::uniroot(gap, c(-60, 60) * (1 + abs(drawing$slope)), tol = 1e-10)$root
  }, 0)
  list(odds = odds, slope = rep(drawing$slope, length(odds)), given = given)
}

mean_share <- function(odds, slope) {
  z <- seq(-8, 8, by = 0.02)
  sum(stats::plogis(odds + slope * z) * stats::dnorm(z)) * 0.02
}

simulated_sets <- function(fit, source, nsim, seed) {
  whole <- whole_fit(fit)
  sets <- lapply(seq_len(nsim), function(r) {
    values <- core_replicate_cases(whole$layout$model, source, seed, r)
    simulated_frame(whole, values, source)
  })
  structure(sets, seed = seed)
}

simulated_frame <- function(fit, values, source) {
  parts <- Map(function(x, view, population) {
    out <- as.data.frame(x)
    names(out) <- view$layout$observed
    out[setdiff(fit$layout$observed, names(out))] <- NA_real_
    sizes <- population$clusters
    if (length(sizes))
      out$cluster <- paste0(bar_name(fit, view$group), rep(seq_along(sizes), sizes))
    out
  }, values, unname(group_views(fit)), source$populations)
  rows <- vapply(parts, nrow, 0L)
  with_group_column(fit$layout, fit$sample$by, rep(fit$layout$groups, rows),
                    do.call(rbind, unname(parts)))
}

# Clusters of different groups have different names.
bar_name <- function(fit, group) sub("^ \\| (.*)$", "\\1 ", bar_group(fit$layout, group))
