#' Power, by formula
#'
#' The power of tests of single parameters or several together, of nested models, of a rung of
#' invariance, and of close and not-close fit.
#'
#' @param x A fit from [fit_model()], whose estimates are taken for the truth, or a blueprint with
#'   `n` and `truth`.
#' @param of Addresses of parameters that the smaller model sets to `value`, together; or a
#'   blueprint, the smaller model itself; or the name of a rung (`"metric"`, `"scalar"`,
#'   `"strict"`); or `"close fit"` or `"not-close fit"`; or
#'   one indirect effect, such as `"indirect[Belonging, Staying]"`.
#' @param value The values of the parameters in the smaller model.
#' @param n Total sample sizes. The default is the sample size of `x`. Groups keep their shares.
#' @param rmsea Of close and not-close fit: RMSEA under the null hypothesis and the true one.
#' @param truth,truth_units Of a blueprint, as in [simulate.orizzonte_blueprint()].
#' @param significance Level of the test.
#' @param goal The power for which the n is looked for.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_power`, one row per sample size: `test`, `n`, `df`,
#'   `ncp` (noncentrality), `critical`, `power`; attribute `n_for_goal`.
#' @section How: The smaller model is fitted to the moments that the larger one implies; ncp = N F,
#' divided by the scaling correction factor c if `x` is a robust fit (Satorra & Saris 1985). Close
#' fit is
#'   rejected above the 95% quantile under the noncentrality of its RMSEA, not-close fit below the
#'   5% quantile (MacCallum, Browne & Sugawara 1996).
#'
#' For an indirect effect, 1,000 sets of estimates are drawn with the covariance matrix that they
#' have at n cases, and counted when the interval from the distribution of their products excludes
#' zero (Schoemann, Boulton & Short 2017); the Monte Carlo error is at most .016. `df`, `ncp` and
#' `critical` are then `NA`.
#' @section Errors: `orizzonte_error_input`, `orizzonte_error_address` for parameters that the model
#'   does not have.
#' @references MacCallum, R. C., Browne, M. W., & Sugawara, H. M. (1996). Power analysis and
#'   determination of sample size for covariance structure modeling. *Psychological Methods, 1*(2),
#'   130-149.
#'
#'   Schoemann, A. M., Boulton, A. J., & Short, S. D. (2017). Determining power and sample size for
#'   simple and complex mediation models. *Social Psychological and Personality Science, 8*(4),
#'   379-386.
#'
#'   Satorra, A., & Saris, W. E. (1985). Power of the likelihood ratio test in covariance structure
#'   analysis. *Psychometrika, 50*(1), 83-90.
#' @seealso [plan_study()] for power, bias and coverage by simulation.
#' @examples
#' bp <- blueprint("Calm and staying") |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Staying ~ Calm)
#' power_of(bp, "effect[Calm, Staying]", n = c(100, 200, 300),
#'          truth = c("loading[ , ]" = .7, "effect[Calm, Staying]" = .25))
#' power_of(bp, "close fit", n = 200, truth = c("loading[ , ]" = .7))
#' @export
power_of <- function(x, of, value = 0, n = NULL, rmsea = NULL, truth = NULL,
                     truth_units = "standardized", significance = 0.05, goal = 0.80, ...) {
  check_arguments("power_of")
  check_number(value, "`value`")
  check_number(significance, "`significance`", 1e-6, 0.5)
  check_number(goal, "`goal`", 0.01, 0.999)
  fit <- powered_fit(x, n, truth, truth_units)
  sizes <- powered_sizes(fit, n)
  test <- powered_test(fit, of, value, rmsea)
  rows <- lapply(sizes, function(size) power_row(test, size, significance))
  columns <- do.call(Map, c(list(c), rows))
  with_status(structure(list_frame_class(c(list(test = rep(test$label, length(sizes))), columns),
                                         "orizzonte_power"), significance = significance,
                        goal = goal, n_for_goal = n_for_power(test, goal, significance),
                        words = test$words), fit)
}

powered_fit <- function(x, n, truth, truth_units) {
  if (inherits(x, "orizzonte_blueprint")) {
    if (is.null(truth) || is.null(n))
      abort("input", c(text_of("power_blueprint_needs_truth"),
                       i = text_of("such_truth_c_loading")))
    if (!is.numeric(n)) check_sizes(n)
    groups <- is.null(names(n))
    return(population_fit(x, if (groups) max(n) else n, truth, truth_units))
  }
  check_fit(x, "power_of")
  check_converged(x, "power_of")
  if (!is.null(truth))
    abort("input", c(text_of("fit_brings_own_truth"),
                     i = text_of("give_truth_blueprint")))
  x
}

powered_sizes <- function(fit, n) {
  if (is.null(n) || !is.null(names(n))) return(sample_n(fit$sample))
  usable <- is.numeric(n) && length(n) && all(is.finite(n)) && all(n >= 2)
  if (!usable) abort("input", c(text_of("n_must_be_numbers"), i = text_of("example_n")))
  n
}

# `rate`: the factor by which n is multiplied to give the noncentrality; two for close fit.
powered_test <- function(fit, of, value, rmsea) {
  if (is.character(of) && length(of) == 1L && of %in% c("close fit", "not-close fit"))
    return(closeness_test(fit, of, rmsea))
  if (is_indirect(of)) return(indirect_test(fit, format(parse_address(of))))
  smaller <- if (inherits(of, "orizzonte_blueprint")) of else restricted_blueprint(fit, of, value)
  label <- if (inherits(of, "orizzonte_blueprint")) "smaller model" else
    enumerate(as.character(of), most = 3L)
  found <- fit_to_implied(fit, smaller)
  df <- test_of(found)$df - test_of(joint_fit(fit))$df
  if (df <= 0)
    abort("input", c(text_of("smaller_model_has_no"),
                     i = text_of("name_parameters_are_free")))
  c <- if (is_robust(fit$request)) test_of(fit)$inflation else 1
  rate <- max(0, discrepancy_of(found)) / c
  list(label = label, df = df, rate = rate,
       words = if (c != 1) text_of("noncentrality_is_divided_inflation", value = format_fixed(c)))
}

restricted_blueprint <- function(fit, of, value) {
  bp <- fit$request$blueprint
  rungs <- c("metric", "scalar", "strict")
  if (!is.character(of) || length(of) == 0L || anyNA(of))
    abort("input", c(text_of("must_be_addresses_blueprint"),
                     x = text_of("it_is_of_kind", value = describe(of))))
  if (length(of) == 1L && of %in% rungs) {
    check_grouped(fit$sample)
    held <- rung_hold(of, rungs[seq_len(match(of, rungs))])
    bp$hold_equal <- unique(c(bp$hold_equal, held))
    return(bp)
  }
  known <- c(rungs, "close fit", "not-close fit")
  for (text in of) {
    if (!grepl("[", text, fixed = TRUE))
      abort("address", c(text_of("of_is_no_address", value = quoted(text)),
                         did_you_mean(text, known),
                         i = text_of("give_addresses_such_effect",
                                     known = enumerate(quoted(known), last = " or "))))
    check_parameter(fit, text)
    bp <- add_restriction(bp, call("==", str2lang(text), value))
  }
  bp
}

check_parameter <- function(fit, text) {
  rows <- restricted_rows(format(parse_address(text)), fit$layout)
  if (any(is.na(fit$layout$rows$fixed[rows]))) return(invisible())
  abort("address", c(text_of("is_fixed_already_at_value", value = text),
                     i = text_of("name_parameter_is_free")))
}

# Another blueprint fitted to the moments that a fit implies, at the same n.
fit_to_implied <- function(fit, bp) {
  whole <- joint_fit(fit)
  data <- lapply(group_views(whole), function(view) {
    model <- implied_moments(view)
    new_summary_data(list(n = view$moments$n, covariance = model$covariance,
                          mean = model$mean %||% view$moments$mean))
  })
  source <- if (length(data) > 1L) data else data[[1L]]
  found <- fit_request(new_request(bp), sample_of(source, new_request(bp)))
  check_converged(found, "power_of")
  found
}

closeness_test <- function(fit, of, rmsea) {
  rmsea <- rmsea %||% c(0.05, if (of == "close fit") 0.08 else 0.01)
  usable <- is.numeric(rmsea) && length(rmsea) == 2L && all(is.finite(rmsea)) && all(rmsea >= 0)
  if (!usable)
    abort("input", c(text_of("rmsea_must_be_two"),
                     i = text_of("example_rmsea_criterion")))
  df <- test_of(fit)$df
  if (df == 0) abort("input", text_of("model_is_saturated_df_0_fit"))
  list(label = of, df = df, rate = df * rmsea^2 / length(fit$layout$groups), close = of,
       words = text_of("rmsea_under_null_hypothesis", rmsea = format_share(rmsea[1L], 3L),
                       rmsea_2 = format_share(rmsea[2L], 3L)))
}

is_indirect <- function(of) {
  is.character(of) && length(of) == 1L && !is.na(of) && startsWith(trimws(of), "indirect[")
}

power_row <- function(test, n, significance) {
  if (isTRUE(test$product))
    return(list(n = n, df = NA_integer_, ncp = NA_real_, critical = NA_real_,
                power = indirect_power(test, n, significance)))
  if (is.null(test$close)) {
    critical <- stats::qchisq(1 - significance, test$df)
    ncp <- n * test$rate
    power <- stats::pchisq(critical, test$df, ncp = ncp, lower.tail = FALSE)
  } else {
    below <- test$close == "not-close fit"
    ncp <- n * test$rate[2L]
    critical <- stats::qchisq(if (below) significance else 1 - significance, test$df,
                              ncp = n * test$rate[1L])
    power <- stats::pchisq(critical, test$df, ncp = ncp, lower.tail = below)
  }
  list(n = n, df = test$df, ncp = ncp, critical = critical, power = power)
}

largest_n <- 5e6

# The smallest n that reaches a power; NA when none below five million does.
n_for_power <- function(test, goal, significance) {
  power <- function(n) power_row(test, n, significance)$power
  high <- 2
  while (!isTRUE(power(high) >= goal)) {
    high <- 2 * high
    if (high > largest_n) return(NA_real_)
  }
  low <- high / 2
  while (high - low > 1) {
    mid <- floor((low + high) / 2)
    if (power(mid) >= goal) high <- mid else low <- mid
  }
  high
}

#' @export
print.orizzonte_power <- function(x, ...) {
  if (!all(c("test", "n", "df", "ncp", "power") %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  put_lines(format_power(x))
  invisible(x)
}

power_title <- function(x) {
  level <- short_number(attr(x, "significance"))
  if (is.na(x$df[1L])) return(text_of("test_interval", test = x$test[1L], level = level))
  text_of("test_df", test = x$test[1L], attr = level, df = x$df[1L])
}

format_power <- function(x) {
  goal <- attr(x, "goal")
  needed <- attr(x, "n_for_goal")
  c(heading_with_status(text_of("head_power"), x),
    wrap_lines(c(power_title(x), attr(x, "words"))), "",
    format_table(c(list(n = format_count(x$n)),
                   if (!all(is.na(x$ncp))) list(ncp = format_fixed(x$ncp, 2L)),
                   list(power = format_share(x$power, 3L)))), "",
    wrap_lines(if (is.na(needed)) text_of("no_n_reaches_power", goal = short_number(goal)) else
      text_of("power_takes_cases", goal = short_number(goal), needed = format_count(needed))))
}

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

# The values read from every replicate: estimates, standard errors, p value of the model. `effects`:
# the indirect effects, which are the same in all replicates.
plan_reader <- function(fit, effects, significance) {
  table <- list(parameter = fit$layout$rows$parameter, estimate = values_of(fit),
                se = raw_errors(fit))
  if (length(fit$request$blueprint$quantities))
    table <- Map(c, table, quantity_rows(fit, 0.95)[names(table)])
  free <- !is.na(table$se)
  c(stats::setNames(table$estimate[free], text_of("estimate", free = table$parameter[free])),
    stats::setNames(table$se[free], text_of("se", free = table$parameter[free])),
    plan_indirect(fit, effects, significance), p = test_of(fit)$p)
}

# Indirect effects with the limits of their products.
plan_indirect <- function(fit, effects, significance) {
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
  effects <- indirect_effects(start$layout)
  reader <- function(fit) plan_reader(fit, effects, plan$significance)
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

# The fitted model, at the population values of its parameters.
fitted_start <- function(fit, plan) {
  start <- if (identical(plan$fitted, fit$request$blueprint)) fit else
    fit_to_implied(fit, plan$fitted)
  if (identical(plan$drawing$missing, "none")) return(start)
  with_incomplete_layout(start)
}

# Standard errors of the replicates, computed from cases or clusters.
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

# Effects and covariances of constructs first: parameters of single items are shown in the data
# frame only.
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
