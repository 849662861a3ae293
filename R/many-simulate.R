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
#'   `c("loading[Calm, ]" = .7, "effect[Calm, Staying]" = .3)`. More specific
#'   entries override slices; effects and covariances that are not named are zero.
#' @param truth_units `"standardized"` (all variances are 1, residual variances follow) or `"raw"`.
#' @param missing `"none"`, `"as observed"` (each row has the missing values of the corresponding
#'   case), one proportion for all variables, or proportions by variable.
#' @param missing_given A variable that predicts missingness: the higher its value, the more values
#'   of the other variables are missing (missing at random). `NULL` for values missing completely at
#'   random.
#' @param missing_slope By how much the log odds of missing rise with one standard deviation of it.
#' @param skew,kurtosis Skewness and excess kurtosis of the observed variables, one number or by
#'   variable (Fleishman 1978; Vale & Maurelli 1983); covariances stay those of the model.
#' @param clusters The number of clusters, of nearly equal size, in each group.
#' @param between The proportion of all variances and covariances between clusters. Skewness and
#'   kurtosis then apply to both the between and the within part.
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

# Checks the settings of a simulation that do not depend on the variables.
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

# A number for each variable: one value for all, or named ones and zero for the others.
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
  whole <- joint_fit(fit)
  sizes <- cases_by_group(whole$sample)
  missing <- if (identical(drawing$missing, "as observed")) missing_as_observed(whole)
  populations <- lapply(group_views(whole), function(view) {
    model <- implied_moments(view)
    variables <- view$layout$observed
    new_population(sizes[[view$group]], model$covariance, model$mean,
                   shape = drawn_shape(drawing, variables), missing = missing[[view$number]],
                   lost = missingness_logit(drawing, variables),
                   clusters = cluster_sizes(drawing$clusters, sizes[[view$group]]),
                   between = drawing$between)
  })
  list(less = as.integer(fit$request$multiplier == "n-1"), populations = unname(populations))
}

missing_as_observed <- function(fit) {
  if (!has_raw_data(fit$sample) || !is_incomplete(fit$sample)) return(NULL)
  lapply(core_cases(fit), function(cases) is.na(cases$values) + 0)
}

drawn_shape <- function(drawing, variables) {
  if (is.null(drawing$skew) && is.null(drawing$kurtosis)) return(NULL)
  list(skew = by_variable(drawing$skew, variables, "`skew`"),
       kurtosis = by_variable(drawing$kurtosis, variables, "`kurtosis`"))
}

# Cluster sizes that are as equal as possible.
cluster_sizes <- function(clusters, cases) {
  if (is.null(clusters)) return(integer())
  if (clusters > cases)
    abort("input", c(text_of("there_cannot_be_clusters", clusters = clusters, cases = cases),
                     i = text_of("ask_fewer_clusters_or")))
  as.integer(cases %/% clusters + (seq_len(clusters) <= cases %% clusters))
}

# Log odds of missing by variable at the mean of `given`, so that the proportions are correct over
# all of its (normal) values.
missingness_logit <- function(drawing, variables) {
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
  whole <- joint_fit(fit)
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

# The population of each group, in the form that the core takes.

# `shape`: list(skew, kurtosis) by variable; `missing`: not zero where a value is missing; `lost`:
# the result of missingness_logit(); `clusters`: sizes; `between`: proportion of variances and
# covariances between them.
population_root <- function(correlation) {
  root <- unname(lower_root(correlation))
  if (anyNA(root))
    abort("data", c(text_of("model_implied_covariance_matrix"),
                    i = text_of("no_cases_can_be")))
  root
}

new_population <- function(cases, covariance, mean = NULL, shape = NULL, missing = NULL,
                           lost = NULL, clusters = integer(), between = 0) {
  sd <- sqrt(diag(covariance))
  correlation <- covariance / outer(sd, sd)
  cubic <- numeric()
  if (!is.null(shape)) {
    cubic <- cubic_of(shape, colnames(covariance))
    correlation <- normal_correlation(correlation, cubic)
  }
  list(cases = as.integer(cases), mean = as.numeric(mean %||% numeric(length(sd))),
       sd = as.numeric(sd), root = population_root(correlation), cubic = unname(cubic),
       clusters = as.integer(clusters), between = as.numeric(between),
       missing = if (is.null(missing)) numeric() else unname(missing),
       odds = as.numeric(lost$odds), slope = as.numeric(lost$slope),
       given = as.integer(lost$given %||% 0L), kept = integer())
}

# The cubic polynomial with a given skewness and excess kurtosis (Fleishman 1978): b, c, d in each
# row.
cubic_of <- function(shape, names) {
  found <- Map(fleishman, shape$skew, shape$kurtosis, names)
  do.call(rbind, unname(found))
}

# b^2 + 6bd + 2c^2 + 15d^2 = 1 and the two moments, by Newton steps from the normal distribution in
# small stages.
fleishman <- function(skew, kurtosis, name) {
  x <- c(1, 0, 0)
  for (share in seq(0.05, 1, by = 0.05)) {
    for (step in 1:50) {
      at <- fleishman_gap(x, share * skew, share * kurtosis)
      change <- tryCatch(solve_square(fleishman_slope(x), at), error = function(e) NULL)
      if (is.null(change) || !all(is.finite(change))) break
      x <- x - change
      if (max(abs(change)) < 1e-13) break
    }
  }
  if (!all(is.finite(x)) || max(abs(fleishman_gap(x, skew, kurtosis))) > 1e-8 || x[1L] <= 0)
    abort("input", c(text_of("no_distribution_kind_has", skew = format(skew),
                             kurtosis = format(kurtosis), name = name),
                     i = text_of("kurtosis_is_excess_over")))
  x
}

fleishman_gap <- function(x, skew, kurtosis) {
  b <- x[1L]
  c <- x[2L]
  d <- x[3L]
  base::c(b^2 + 6 * b * d + 2 * c^2 + 15 * d^2 - 1,
          2 * c * (b^2 + 24 * b * d + 105 * d^2 + 2) - skew,
          24 * (b * d + c^2 * (1 + b^2 + 28 * b * d) +
                  d^2 * (12 + 48 * b * d + 141 * c^2 + 225 * d^2)) - kurtosis)
}

fleishman_slope <- function(x) {
  b <- x[1L]
  c <- x[2L]
  d <- x[3L]
  rbind(base::c(2 * b + 6 * d, 4 * c, 6 * b + 30 * d),
        base::c(2 * c * (2 * b + 24 * d), 2 * (b^2 + 24 * b * d + 105 * d^2 + 2),
                2 * c * (24 * b + 210 * d)),
        24 * base::c(d + c^2 * (2 * b + 28 * d) + 48 * d^3,
                     2 * c * (1 + b^2 + 28 * b * d) + 282 * c * d^2,
                     b + 28 * c^2 * b + 2 * d * (12 + 48 * b * d + 141 * c^2 + 225 * d^2) +
                       d^2 * (48 * b + 450 * d)))
}

# The correlations of the normal variables that yield these correlations of the cubics (Vale &
# Maurelli 1983).
normal_correlation <- function(target, cubic) {
  out <- target
  for (i in seq_len(ncol(target))) for (j in seq_len(i - 1L)) {
    x <- cubic[i, ]
    y <- cubic[j, ]
    gap <- function(r) {
      r * (x[1L] * y[1L] + 3 * x[1L] * y[3L] + 3 * x[3L] * y[1L] + 9 * x[3L] * y[3L]) +
        2 * r^2 * x[2L] * y[2L] + 6 * r^3 * x[3L] * y[3L] - target[i, j]
    }
    if (gap(-1) > 0 || gap(1) < 0)
      abort("input", c(text_of("variables_skew_kurtosis_cannot", value = format_fixed(target[i, j]),
                               target = rownames(target)[i], value_2 = colnames(target)[j]),
                       i = text_of("ask_less_skew_or")))
    out[i, j] <- out[j, i] <- stats::uniroot(gap, c(-1, 1), tol = 1e-12)$root
  }
  if (smallest_eigenvalue(out) <= 1e-10)
    abort("input", c(text_of("variables_skew_kurtosis_cannot_have"),
                     i = text_of("ask_less_skew_or")))
  out
}

# A population from a blueprint and the values of its parameters: the basis for planning studies.

# The blueprint fitted to the moments that the truth implies, `n` cases (by group): every value is
# then in the blueprint's own scale, and chi-square is zero.
population_fit <- function(bp, n, truth, truth_units) {
  check_blueprint(bp, "truth")
  truth_units <- choose_one(truth_units, c("standardized", "raw"), "`truth_units`")
  check_truth(truth)
  groups <- check_sizes(n)
  check_variables(bp)
  observed <- lapply(stats::setNames(groups, groups), function(g) {
    blueprint_variables(group_blueprint(bp, g))$observed
  })
  grouped <- length(groups) > 1L
  layout <- build_layout(bp, TRUE, unname(observed), groups = groups, grouped = grouped)
  given <- true_values(layout, truth, truth_units)
  moments <- lapply(seq_along(groups), function(g) {
    implied_by_truth(layout, given, g, truth_units == "standardized")
  })
  data <- Map(function(m, size) {
    list(n = size, covariance = m$covariance, mean = m$mean)
  }, moments, n)
  fit_truth(bp, data, stats::setNames(n, groups), grouped)
}

check_truth <- function(truth) {
  if (is.numeric(truth) && length(truth) && !is.null(names(truth)) && all(nzchar(names(truth))) &&
      all(is.finite(truth))) return(invisible())
  abort("input", c(text_of("truth_must_be_numbers"),
                   x = text_of("it_is_of_kind", value = describe(truth)),
                   i = text_of("such_truth_c_loading_calm")))
}

# The names of the groups; one group needs none.
check_sizes <- function(n) {
  usable <- is.numeric(n) && length(n) > 0L && all(is.finite(n)) && all(n >= 2) &&
    all(n == round(n))
  if (usable && length(n) > 1L) usable <- !is.null(names(n)) && !anyDuplicated(names(n)) &&
      all(nzchar(names(n)))
  if (!usable)
    abort("input", c(text_of("n_must_be_whole"),
                     i = text_of("such_n_300_or")))
  if (length(n) == 1L) single_group else names(n)
}

# One value for each row of the table; NA where none is given.
true_values <- function(layout, truth, units) {
  out <- rep(NA_real_, length(layout$rows$kind))
  if (units == "raw") out <- layout$rows$fixed
  wide <- order(-vapply(names(truth), function(text) length(restricted_rows(text, layout)), 0L))
  for (k in wide) out[restricted_rows(names(truth)[k], layout)] <- truth[[k]]
  needed <- layout$rows$kind %in% c("loading", "weight", if (units == "raw") "variance")
  lacking <- layout$rows$parameter[needed & is.na(out)]
  if (length(lacking))
    abort("input", c(text_of("truth_says_nothing", lacking = enumerate(lacking, most = 6L)),
                     i = if (units == "raw")
                       text_of("raw_units_all_loadings") else
                       text_of("every_loading_needs_value")))
  zero <- layout$rows$parameter[is.na(out) & layout$rows$kind %in% c("effect", "covariance")]
  if (length(zero)) say(text_of("taken_zero_since_truth", zero = enumerate(zero, most = 8L)))
  out
}

# Moments of one group. Standardized: every variable has variance one, so that residual variances
# follow from its predictors.
implied_by_truth <- function(layout, values, g, standardized) {
  span <- layout$spans[[g]]
  part <- layout$parts[[g]]
  names <- c(part$observed, part$constructs)
  size <- length(names)
  rows <- lapply(layout$rows[c("kind", "family", "row", "col", "parameter")], `[`, span)
  value <- values[span]
  value[is.na(value)] <- 0
  b <- psi <- matrix(0, size, size, dimnames = list(names, names))
  arrow <- rows$family == parameter_families[["effect"]]
  b[cbind(rows$row, rows$col)[arrow, , drop = FALSE]] <- value[arrow]
  covary <- rows$kind == "covariance"
  at <- cbind(rows$row, rows$col)[covary, , drop = FALSE]
  psi[at] <- value[covary]
  psi[at[, 2:1, drop = FALSE]] <- value[covary]
  if (standardized) {
    made <- standard_matrices(b, psi, rows, names)
    b <- made$b
    psi <- made$psi
  } else {
    variance <- rows$kind == "variance"
    diag(psi)[rows$row[variance]] <- value[variance]
  }
  total <- total_effects(b)
  phi <- total %*% psi %*% t(total)
  alpha <- numeric(size)
  level <- rows$family == parameter_families[["mean"]]
  alpha[rows$row[level]] <- value[level]
  p <- seq_along(part$observed)
  covariance <- phi[p, p, drop = FALSE]
  if (!isTRUE(smallest_eigenvalue(stats::cov2cor(covariance)) > 1e-8))
    abort("input", c(text_of("truth_implies_covariance_matrix"),
                     x = most_dependent_variables(covariance),
                     i = text_of("take_smaller_loadings_effects")))
  list(covariance = covariance, mean = stats::setNames(drop(total %*% alpha)[p], part$observed))
}

# Composites have no residual variance that could be adjusted: their weights are treated as
# relative, and rescaled until the composite has unit variance.
standard_matrices <- function(b, psi, rows, names) {
  own <- rows$row[rows$kind == "variance"]
  composites <- setdiff(seq_along(names), own)
  b[composites, ] <- b[composites, ] / sqrt(rowSums(b[composites, , drop = FALSE]^2))
  for (step in 1:100) {
    total <- total_effects(b)
    made <- standard_residuals(psi, total, rows, names)
    sd <- sqrt(diag(total %*% made %*% t(total)))
    if (all(abs(sd[composites] - 1) < 1e-12)) break
    b[composites, ] <- b[composites, ] / sd[composites]
  }
  check_residuals(made, own, names)
  list(b = b, psi = made)
}

# diag(T Psi T') = 1, linear in the residual variances while the others are fixed; covariances are
# those of standardized residuals, so that they change with them.
standard_residuals <- function(psi, total, rows, names) {
  free <- rows$row[rows$kind == "variance"]
  correlation <- psi
  variance <- rep(1, length(free))
  for (step in 1:200) {
    sd <- numeric(length(names))
    sd[free] <- sqrt(pmax(variance, 0))
    psi <- correlation * outer(sd, sd)
    found <- residual_variances(rep(1, length(names)), total, psi, free)
    change <- max(abs(found - variance))
    variance <- found
    if (change < 1e-14) break
  }
  diag(psi) <- 0
  diag(psi)[free] <- variance
  psi
}

# `free`: variables with a residual.
check_residuals <- function(psi, free, names) {
  variance <- diag(psi)[free]
  bad <- free[!(variance > 1e-10)]
  if (length(bad))
    abort("input", c(text_of("truth_explains_more_than", bad = enumerate(names[bad])),
                     x = text_of("what_points_leaves_residual", bad = names[bad[1L]],
                                 free = format_fixed(variance[match(bad[1L], free)])),
                     i = text_of("standardized_units_squared_loadings")))
}

most_dependent_variables <- function(covariance) {
  parts <- eigen(stats::cov2cor(covariance), symmetric = TRUE)
  weight <- abs(parts$vectors[, ncol(covariance)])
  text_of("it_fails_for", weight = enumerate(colnames(covariance)[order(-weight)][1:2]))
}

fit_truth <- function(bp, data, n, grouped) {
  summaries <- lapply(data, new_summary_data)
  names(summaries) <- names(n)
  source <- if (grouped) summaries else summaries[[1L]]
  request <- new_request(bp)
  fit <- fit_request(request, sample_of(source, request))
  if (!has_converged(fit) || stats::deviance(fit) > 1e-6 * sum(n))
    abort("input", c(text_of("blueprint_cannot_have_truth"),
                     x = if (has_converged(fit))
                       text_of("best_two_differ_n", fit = format_fixed(stats::deviance(fit))),
                     i = text_of("values_blueprint_holds_equal")))
  fit
}
