#' Plan a study by simulation
#'
#' Draws data of several sizes from a blueprint whose parameters are known, fits them, and counts:
#' power, bias, coverage, convergence and rejection rates, each with its Monte Carlo error.
#'
#' @param bp A blueprint: the population, and the model that is fitted unless `fitted` is another.
#' @param n Numbers of cases; with groups a list of named numbers, such as
#'   `list(c(evening = 100, weekend = 80), c(evening = 200, weekend = 160))`.
#' @inheritParams simulate.orizzonte_fit
#' @param reps Data sets of each size.
#' @param fitted Another blueprint to fit.
#' @param inference `"normal"` or `"robust"`, as in [fit_model()]; for clustered data, robust
#'   standard errors are cluster-robust.
#' @param significance Level of tests; intervals cover one minus it.
#' @param goal The power for which the n is looked for.
#' @param folder A folder for finished parts; the same call continues from there.
#' @details Indirect effects of the model that is fitted are planned for as well, with intervals
#'   from the distribution of products (MacKinnon, Lockwood & Williams 2004).
#' @references MacKinnon, D. P., Lockwood, C. M., & Williams, J. (2004). Confidence limits for the
#'   indirect effect: Distribution of the product and resampling methods. *Multivariate Behavioral
#'   Research, 39*(1), 99-128.
#' @return An object of class `orizzonte_plan`; `as.data.frame()` gives one row per parameter and
#'   sample size: `n`, `parameter`, `group`, `truth`, `estimate` (mean), `bias`, `sd`, `se` (mean),
#'   `coverage`, `power` and `used`, with the Monte Carlo errors `bias_error`, `coverage_error`,
#'   `power_error`; element `sizes` gives one row per sample size: `n`, `converged`, `improper`,
#'   `rejected` (share of \eqn{\chi^2} tests), `rejected_error`. [plot()] draws power by n.
#' @section Errors: those of [simulate.orizzonte_fit()].
#' @seealso [power_of()] by formula, [model_cutoffs()].
#' @examples
#' bp <- blueprint("Calm and staying") |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Staying ~ Calm)
#' plan_study(bp, n = c(100, 200), truth = c("loading[ , ]" = .7, "effect[Calm, Staying]" = .25),
#'            reps = 50, seed = 1)
#' @export
plan_study <- function(bp, n, truth, truth_units = "standardized", reps = 500, seed = NULL,
                       fitted = bp, missing = "none", missing_given = NULL, missing_slope = 1,
                       skew = NULL, kurtosis = NULL, clusters = NULL, between = 0.1,
                       inference = "normal", significance = 0.05, goal = 0.80, folder = NULL,
                       ...) {
  check_arguments("plan_study")
  check_blueprint(bp, "plan_study")
  check_blueprint(fitted, "plan_study")
  check_count(reps, "`reps`", 20, 1e5)
  inference <- choose_one(inference, c("normal", "robust"), "`inference`")
  check_number(significance, "`significance`", 1e-6, 0.5)
  check_number(goal, "`goal`", 0.01, 0.999)
  check_folder(folder)
  seed <- chosen_seed(seed)
  if (identical(missing, "as observed"))
    abort("input", c(text_of("there_are_no_cases"),
                     i = text_of("example_missing_shares")))
  drawing <- new_drawing(missing, missing_given, missing_slope, skew, kurtosis, clusters, between)
  sizes <- planned_sizes(n)
  plan <- list(fitted = fitted, drawing = drawing, reps = reps, seed = seed,
               inference = inference, significance = significance, folder = folder)
  parts <- lapply(seq_along(sizes), function(k) {
    fit <- if (k == 1L) population_fit(bp, sizes[[k]], truth, truth_units) else
      suppressMessages(population_fit(bp, sizes[[k]], truth, truth_units))
    planned_size(fit, plan)
  })
  structure(list(parameters = bind_frames(lapply(parts, `[[`, "parameters")),
                 sizes = bind_frames(lapply(parts, `[[`, "size")), title = bp$title,
                 reps = reps, seed = seed, goal = goal, significance = significance,
                 drawing = drawing, inference = inference,
                 trouble = unique(unlist(lapply(parts, `[[`, "trouble")))),
            class = "orizzonte_plan")
}

planned_sizes <- function(n) {
  if (is.list(n) && length(n)) {
    lapply(n, check_sizes)
    return(n)
  }
  usable <- is.numeric(n) && length(n) && all(is.finite(n)) && all(n >= 2)
  if (!usable || !is.null(names(n)))
    abort("input", c(text_of("n_must_be_numbers_cases"),
                     i = text_of("example_sample_sizes")))
  as.list(n)
}

# The values read from every replicate: estimates, standard errors, p value of the model.
plan_reader <- function(fit, significance) {
  table <- estimates(fit)
  free <- !is.na(table$se)
  c(stats::setNames(table$estimate[free], text_of("estimate", free = table$parameter[free])),
    stats::setNames(table$se[free], text_of("se", free = table$parameter[free])),
    plan_indirect(fit, significance), p = test_of(fit)$p)
}

# Indirect effects with the limits of their products.
plan_indirect <- function(fit, significance) {
  effects <- cached(fit, "indirect effects", indirect_effects(fit$layout))
  if (length(effects) == 0L) return(NULL)
  found <- indirect_limits(fit, effects, significance)
  name <- vapply(effects, `[[`, "", "parameter")
  unlist(lapply(c("estimate", "se", "lower", "upper"), function(what) {
    stats::setNames(vapply(found, `[[`, 0, what), paste(what, name))
  }))
}

planned_size <- function(fit, plan) {
  source <- drawn_source(fit, plan$drawing)
  start <- fitted_start(fit, plan)
  source <- source_for(source, fit, start)
  reader <- function(fit) plan_reader(fit, plan$significance)
  expected <- names(reader(start))
  table <- estimates(start)
  table <- with_indirect(table[!is.na(table$se), c("parameter", "group", "estimate")], start)
  if (plan$inference == "robust") start <- robust_start(start, source)
  found <- run_refits(start, source, plan$seed, plan$reps, list(reader), expected,
                      plan$folder, title = "Data sets")
  found$values[found$status != 0L, ] <- NA_real_
  n <- sample_n(fit$sample)
  list(parameters = planned_parameters(fit, table, found, n, plan$significance),
       size = planned_rates(found, n, plan), trouble = found$trouble)
}

# The model that is fitted, at the values that the population gives it.
fitted_start <- function(fit, plan) {
  start <- if (identical(plan$fitted, fit$request$blueprint)) fit else
    fit_to_implied(fit, plan$fitted)
  if (identical(plan$drawing$missing, "none")) return(start)
  with_incomplete_layout(start)
}

# Errors of the replicates by their cases, or by their clusters.
robust_start <- function(fit, source) {
  fit$request <- new_request(fit$request$blueprint, inference = "robust")
  fit$sample$groups <- Map(function(group, population) {
    sizes <- population$clusters
    if (length(sizes)) group$cluster <- rep(seq_along(sizes), sizes)
    group
  }, fit$sample$groups, source$populations)
  new_fit(fit$request, fit$sample, fit$layout, fit$solution, fit$moments)
}

# With missing values, intercepts depend on the other parameters: the layout needs all means.
with_incomplete_layout <- function(fit) {
  layout <- fit$layout
  if (!layout$profiled) return(fit)
  layout$profiled <- FALSE
  layout$model <- core_model(layout, keep_means = layout$means)
  solution <- fit$solution
  solution$known <- unname(solution$theta[layout$model$used])
  solution$vcov <- matrix(0, 0L, 0L)
  new_fit(fit$request, fit$sample, layout, solution, fit$moments)
}

# The parameters of a plan, indirect effects last.
with_indirect <- function(table, fit) {
  effects <- indirect_effects(fit$layout)
  if (length(effects) == 0L) return(table)
  found <- indirect_limits(fit, effects, 0.05)
  rbind(table, list_frame(list(
    parameter = vapply(effects, `[[`, "", "parameter"),
    group = shown_group(fit$layout, vapply(effects, `[[`, "", "group")),
    estimate = vapply(found, `[[`, 0, "estimate"))))
}

planned_parameters <- function(fit, table, found, n, significance) {
  of <- function(what) found$values[, paste(what, table$parameter), drop = FALSE]
  estimate <- of("estimate")
  se <- of("se")
  known <- with_indirect(estimates(fit)[c("parameter", "group", "estimate")], fit)
  truth <- stats::setNames(known$estimate, known$parameter)[table$parameter]
  truth <- ifelse(is.na(truth), table$estimate, truth)
  truth[abs(truth) < 1e-12] <- 0
  used <- colSums(!is.na(estimate) & !is.na(se))
  half <- stats::qnorm(1 - significance / 2) * se
  mean <- function(x) colMeans(x, na.rm = TRUE)
  lower <- estimate - half
  upper <- estimate + half
  # products have limits of their own
  product <- startsWith(table$parameter, "indirect[")
  if (any(product)) {
    lower[, product] <- found$values[, paste("lower", table$parameter[product])]
    upper[, product] <- found$values[, paste("upper", table$parameter[product])]
  }
  target <- rep(truth, each = nrow(estimate))
  covered <- mean(lower <= target & target <= upper)
  power <- mean(lower > 0 | upper < 0)
  sd <- apply(estimate, 2L, stats::sd, na.rm = TRUE)
  rate_error <- function(x) sqrt(x * (1 - x) / used)
  list_frame(list(n = rep(n, nrow(table)), parameter = table$parameter, group = table$group,
                  truth = unname(truth), estimate = unname(mean(estimate)),
                  bias = unname(mean(estimate) - truth), bias_error = unname(sd / sqrt(used)),
                  sd = unname(sd), se = unname(mean(se)), coverage = unname(covered),
                  coverage_error = unname(rate_error(covered)), power = unname(power),
                  power_error = unname(rate_error(power)), used = as.integer(used)))
}

planned_rates <- function(found, n, plan) {
  good <- found$status == 0L
  p <- found$values[, "p"]
  rejected <- base::mean(p < plan$significance, na.rm = TRUE)
  used <- sum(!is.na(p))
  list_frame(list(n = n, converged = base::mean(good),
                  improper = if (any(good)) base::mean(found$improper[good]) else NA_real_,
                  rejected = if (used) rejected else NA_real_,
                  rejected_error = if (used) sqrt(rejected * (1 - rejected) / used) else NA_real_))
}

#' @export
as.data.frame.orizzonte_plan <- function(x, row.names = NULL, optional = FALSE, ...) x$parameters

#' @export
print.orizzonte_plan <- function(x, ...) {
  put_lines(format_plan(x))
  invisible(x)
}

# Effects and constructs' covariances first: items' own parameters are for the data frame.
format_plan <- function(x) {
  table <- x$parameters
  kinds <- "^(effect|indirect|loading|covariance|quantity|mean|weight)\\["
  shown <- table[grepl(kinds, table$parameter), ]
  shown <- shown[order(match(shown$parameter, unique(shown$parameter)), shown$n), ]
  sizes <- x$sizes
  c(heading(paste0("Plan: ", x$title)),
    wrap_lines(text_of("data_sets_each_size_seed", reps = format_count(x$reps), seed = x$seed,
                       drawing = drawing_words(x$drawing), inference = x$inference,
                       reps_2 = format_fixed(0.5 / sqrt(x$reps)))), "",
    format_table(list(n = format_count(sizes$n), converged = percent_text(sizes$converged),
                      improper = percent_text(sizes$improper),
                      `model rejected` = paste0(format_fixed(100 * sizes$rejected, 1L), " \u00b1 ",
                                                format_fixed(100 * sizes$rejected_error, 1L),
                                                "%")), rep(TRUE, 4L)), "",
    plan_lines(shown, x$goal),
    if (length(x$trouble)) c("", wrap_lines(text_of("some_data_sets_gave",
        trouble = x$trouble[1L]))),
    if (!is.null(next_step("plot_plan"))) c("", next_step("plot_plan")))
}

plan_lines <- function(table, goal) {
  c(format_table(list(parameter = table$parameter, n = format_count(table$n),
                      truth = format_number(table$truth), bias = format_number(table$bias),
                      coverage = format_share(table$coverage, 3L),
                      power = format_share(table$power, 3L)),
                 c(FALSE, rep(TRUE, 5L)), spare = "bias"), "",
    wrap_lines(plan_goals(table, goal)))
}

# The smallest of the sizes at which an effect reaches the goal.
plan_goals <- function(table, goal) {
  effects <- unique(table$parameter[grepl("^(effect|mean|quantity)\\[", table$parameter) &
                                      abs(table$truth) > 1e-8])
  vapply(effects, function(name) {
    own <- table[table$parameter == name, ]
    reached <- own$n[own$power >= goal]
    paste0(name, if (length(reached)) text_of("reaches_power_n", goal = short_number(goal),
                                              reached = format_count(min(reached))) else
      text_of("reaches_power_none_these", goal = short_number(goal)))
  }, "")
}

drawing_words <- function(drawing) {
  paste(c(if (is.null(drawing$skew) && is.null(drawing$kurtosis)) "normal" else
    text_of("skew_kurtosis_asked"),
    if (is.numeric(drawing$missing)) {
      text_of("values_missing", given = if (is.null(drawing$given))
        text_of("completely_at_random") else text_of("by", given = drawing$given))
    },
    if (!is.null(drawing$clusters)) text_of("clusters", clusters = drawing$clusters)),
        collapse = ", ")
}
