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
