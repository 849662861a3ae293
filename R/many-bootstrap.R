#' Bootstrap a fit
#'
#' Draws the cases again with replacement, within groups and by whole clusters where the fit has
#' them, fits the model to each replicate and computes any result from it: parameters, standardized
#' values, effects, fit indices, or the values of your own function of a fit.
#'
#' @param fit A fit from [fit_model()], from data case by case.
#' @param reps How many replicates.
#' @param what The results to read from each replicate: a results function such as [estimates()],
#'   [effects()], [r_squared()], [fit_indices()], [latent_means()] or [verdicts()], any function of
#'   a fit that gives a named numeric vector or one of our tables, or a named list of such
#'   functions; [estimates()] when `NULL`.
#' @param seed A whole number, or `NULL` for one that R's own random numbers give. The same seed
#'   gives the same replicates on any number of workers.
#' @param draw `"cases"`, or `"model"` for the parametric bootstrap: normal data from the fitted
#'   model, with values missing where they are missing.
#' @param interval `"bca"` (bias-corrected and accelerated), `"percentile"` or `"bias-corrected"`.
#' @param level Level of the intervals.
#' @param improper `"keep"`, or `"drop"` to leave improper replicates out.
#' @param folder A folder that keeps finished parts; a call with the same arguments goes on from
#'   there. `NULL` keeps none.
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object of class `orizzonte_bootstrap`; `as.data.frame()` gives one row per
#'   bootstrapped value: `parameter`, `group`, `estimate`, `se` (standard deviation of the
#'   replicates), `bias` (their mean less the estimate), `lower`, `upper`, `p` (two-sided, of zero,
#'   from the same interval) and `used` (replicates that gave a value). `p` is never below 2/(B + 1)
#'   with B replicates, because B replicates know nothing about rarer values (Davison & Hinkley
#'   1997; Phipson & Smyth 2010); it is `NA` where zero is an end of the range (variances,
#'   \eqn{R^2}, reliabilities, AVE, fit indices), with fewer than 100 usable replicates or more than
#'   5% of them lost, for estimates outside the replicates, and for a median bias beyond one
#'   standard deviation. `confint()` gives other levels and kinds of intervals. Readers take it as
#'   `bootstrap =`.
#' @section Replicates that are left out: those that do not converge and those whose data cannot be
#'   analysed (a variable that does not vary) are counted and left out; improper ones are counted,
#'   and kept unless `improper = "drop"`: excluding them biases estimates near a bound.
#' @section Chi-square and fit indices: Replicates fit worse than the cases do, by about
#'   \eqn{tr(U\Gamma)} in \eqn{\chi^2} (Bollen & Stine 1992); this is subtracted, also for the
#'   baseline model, before CFI, TLI, RMSEA and other indices are computed, and the squared SRMR is
#'   corrected by its mean. A p value of model fit comes from [bootstrap_test()]. Likelihoods, AIC
#'   and BIC are not bootstrapped. With `draw = "model"`, fit indices would describe a correctly
#'   specified model and are therefore refused.
#' @section Intervals: \eqn{a = \sum e^3 / (6 (\sum e^2)^{3/2})}, e the changes when single cases
#'   (clusters; above 400, as many parts of the cases) are left out and the model is refitted;
#'   \eqn{z_0} from the share of replicates below the estimate, ties halved.
#' @section Many workers: With the future package and a plan that you have set, such as
#'   `future::plan("multisession", workers = 4)`, replicates are made by all of its workers, with
#'   the same numbers. Progress is reported through the progressr package if you use it, otherwise
#'   by a progress bar.
#' @section Errors: `orizzonte_error_data` for a fit to summary data, `orizzonte_error_convergence`
#' for a fit that did not converge, `orizzonte_error_input` for other unusable arguments.
#' @references Davison, A. C., & Hinkley, D. V. (1997). *Bootstrap methods and their application*.
#'   Cambridge University Press.
#'
#'   Phipson, B., & Smyth, G. K. (2010). Permutation p-values should never be zero. *Statistical
#'   Applications in Genetics and Molecular Biology, 9*(1), Article 39.
#'
#'   Bollen, K. A., & Stine, R. A. (1992). Bootstrapping goodness-of-fit measures in
#'   structural equation models. *Sociological Methods & Research, 21*(2), 205-229.
#'
#'   Efron, B. (1987). Better bootstrap confidence intervals. *Journal of the American Statistical
#'   Association, 82*(397), 171-185.
#'
#'   Efron, B., & Tibshirani, R. J. (1993). *An introduction to the bootstrap*. Chapman & Hall.
#' @seealso [bootstrap_test()] for a test of model fit, [resample_rows()] for the rows of
#'   replicates, [simulate.orizzonte_fit()].
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   effect(Calm ~ Belonging)
#' fit <- fit_model(bp, choirs)
#' bootstrap_fit(fit, reps = 200, seed = 1, interval = "percentile")
#' @export
bootstrap_fit <- function(fit, reps = 1000, what = NULL, seed = NULL, draw = "cases",
                          interval = "bca", level = 0.95, improper = "keep", folder = NULL, ...) {
  check_arguments("bootstrap_fit")
  draw <- choose_one(draw, c("cases", "model"), "`draw`")
  check_bootstrap(fit, "bootstrap_fit", draw)
  check_count(reps, "`reps`", 2, 1e6)
  readers <- check_readers(what)
  interval <- choose_one(interval, names(interval_words), "`interval`")
  if (interval == "bca" && !has_raw_data(fit$sample))
    abort("input", c(text_of("interval_bca_leaves_out"),
                     i = text_of("use_interval_percentile_or")))
  improper <- choose_one(improper, c("keep", "drop"), "`improper`")
  check_level(level)
  check_folder(folder)
  seed <- chosen_seed(seed)
  if (draw == "model") refuse_indices_of_model(fit, readers)
  numbers <- read_numbers(fit, readers)
  source <- if (draw == "cases") case_source(fit) else
    drawn_source(fit, new_drawing("as observed"))
  found <- run_refits(fit, source, seed, reps, readers, names(numbers$value), folder,
                      overshoot = if (draw == "cases") overshoot_of(fit))
  acceleration <- if (interval == "bca") jackknife_acceleration(fit, seed, readers, numbers, folder)
  new_bootstrap(fit, numbers, found, acceleration,
                list(reps = as.integer(reps), seed = seed, draw = draw, interval = interval,
                     level = level, improper = improper))
}

check_bootstrap <- function(fit, verb, draw = "cases") {
  check_fit(fit, verb)
  check_converged(fit, verb)
  if (has_raw_data(fit$sample) || draw == "model") return(invisible())
  abort("data", c(text_of("draws_cases_again_fit", verb = verb),
                  i = text_of("fit_data_themselves_with",
                              verb = if (verb == "bootstrap_fit") text_of("or_draw_from_model"))))
}

refuse_indices_of_model <- function(fit, readers) {
  for (reader in readers) {
    if (!inherits(reader(fit), "orizzonte_indices")) next
    abort("input", c(text_of("data_drawn_from_model"),
                     i = text_of("model_cutoffs_fit_shows")))
  }
}

# Parts of the cases left out one after the other. Numbers that do not depend on single cases, such
# as those of a light fit, are read as for replicates.
jackknife_acceleration <- function(fit, seed, readers, numbers, folder) {
  source <- part_source(fit, seed)
  found <- run_refits(fit, source, seed, source$count, readers, names(numbers$value), folder,
                      title = "Acceleration")
  acceleration_of(found$values)
}

new_bootstrap <- function(fit, numbers, found, acceleration, asked) {
  kept <- found$status == 0L & (asked$improper == "keep" | !found$improper)
  values <- found$values
  values[!kept, ] <- NA_real_
  values <- settle_srmr(values, numbers$value)
  out <- list(fit = fit, estimate = numbers$value, group = numbers$group, values = values,
              theta = found$theta, chisq = found$chisq, status = found$status,
              improper = found$improper, kept = kept, acceleration = acceleration,
              trouble = unique(found$trouble), asked = asked)
  structure(out, class = "orizzonte_bootstrap")
}

# Squared residuals of replicates are too large by their own sampling error, on average by this
# much.
settle_srmr <- function(values, estimate) {
  at <- which(names(estimate) == "srmr")
  if (length(at) == 0L) return(values)
  square <- values[, at]^2
  values[, at] <- sqrt(pmax(square - mean(square, na.rm = TRUE) + estimate[[at]]^2, 0))
  values
}

check_replicates <- function(x, reader) {
  parts <- c("fit", "estimate", "values", "kept", "asked")
  if (!inherits(x, "orizzonte_bootstrap") || !all(parts %in% names(x)))
    abort("object", c(text_of("cannot_read_bootstrap_lacks", reader = reader),
                      i = text_of("make_again_bootstrap_fit")))
  invisible(x)
}

bootstrap_table <- function(x, level = x$asked$level, type = x$asked$interval) {
  found <- replicate_intervals(x$values, x$estimate, type, level,
                               x$acceleration %||% rep(0, length(x$estimate)))
  found$p[cannot_cross_zero(names(x$estimate))] <- NA_real_
  list_frame(c(list(parameter = names(x$estimate), group = unname(x$group),
                    estimate = unname(x$estimate)),
               found[c("se", "bias", "lower", "upper", "p", "used")]))
}

#' @export
as.data.frame.orizzonte_bootstrap <- function(x, row.names = NULL, optional = FALSE, ...) {
  bootstrap_table(check_replicates(x, "as.data.frame"))
}

#' @rdname bootstrap_fit
#' @param object A bootstrap from `bootstrap_fit()`.
#' @param parm Numbers, by name as in the column `parameter`; all when missing.
#' @importFrom stats confint
#' @export
confint.orizzonte_bootstrap <- function(object, parm, level = 0.95, interval = NULL, ...) {
  check_arguments("confint", optional = "parm")
  check_replicates(object, "confint")
  check_level(level)
  type <- choose_one(interval %||% object$asked$interval, names(interval_words), "`interval`")
  if (type == "bca" && is.null(object$acceleration))
    abort("input", c(text_of("bootstrap_was_made_without"),
                     i = text_of("make_bootstrap_fit_fit")))
  table <- bootstrap_table(object, level, type)
  percent <- paste(format(100 * c(1 - level, 1 + level) / 2, trim = TRUE), "%")
  out <- matrix(c(table$lower, table$upper), ncol = 2L,
                dimnames = list(table$parameter, percent))
  if (missing(parm)) return(out)
  check_parm(parm, out)
  if (is.character(parm)) {
    unknown <- setdiff(parm, rownames(out))
    if (length(unknown))
      abort("address", c(text_of("was_not_bootstrapped", unknown = unknown[1L]),
                         did_you_mean(unknown[1L], rownames(out))))
  }
  out[parm, , drop = FALSE]
}

#' Rows of the replicates
#'
#' The rows of the data in each replicate that [bootstrap_fit()] draws with the same seed.
#'
#' @inheritParams bootstrap_fit
#' @return A list of `reps` vectors of row numbers in the data of the fit. A row appears as often as
#'   it was drawn; groups follow each other.
#' @section Errors: as [bootstrap_fit()].
#' @seealso [bootstrap_fit()]
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
#' rows <- resample_rows(fit_model(bp, choirs), reps = 2, seed = 1)
#' head(rows[[1]])
#' @export
resample_rows <- function(fit, reps, seed, ...) {
  check_arguments("resample_rows")
  check_fit(fit, "resample_rows")
  check_count(reps, "`reps`", 1, 1e6)
  seed <- chosen_seed(seed)
  whole <- joint_fit(fit)
  if (!has_raw_data(whole$sample))
    abort("data", text_of("fit_came_from_summary_data"))
  used <- lapply(whole$sample$groups, `[[`, "used")
  source <- case_source(fit)
  lapply(seq_len(reps), function(r) {
    drawn <- core_replicate_cases(whole$layout$model, source, seed, r)
    unlist(Map(function(rows, at) rows[at], unname(used), drawn))
  })
}

# A bootstrap as it is printed.

#' @export
print.orizzonte_bootstrap <- function(x, ...) {
  check_replicates(x, "print")
  put_lines(format_bootstrap(x))
  invisible(x)
}

format_bootstrap <- function(x) {
  table <- bootstrap_table(x)
  columns <- bootstrap_columns(table, x$asked)
  c(heading(text_of("head_bootstrap")), wrap_lines(bootstrap_words(x)), "",
    format_table(columns, c(FALSE, rep(TRUE, length(columns) - 1L)),
                 spare = c("used", "bias", "p")),
    "", wrap_lines(c(replicate_p_notes(table), claim_shares(x))), bootstrap_next(x))
}

bootstrap_next <- function(x) {
  next_step(if (any(grepl("^standardized\\(", names(x$estimate)))) "use_intervals" else
    "test_by_bootstrap")
}

# A standardized value follows its raw value; values that never vary are left out.
bootstrap_columns <- function(table, asked) {
  table <- table[!table$se %in% 0, ]
  inner <- sub("^standardized(\\((.*)\\)|\\[(.*)\\])$", "\\2\\3", table$parameter)
  standard <- inner != table$parameter
  rows <- which(!standard | !inner %in% table$parameter[!standard])
  at <- match(inner[rows], ifelse(standard, inner, NA))
  percent <- text_of("interval_title", level = format(100 * asked$level))
  alone <- standard[rows]
  out <- list(parameter = inner[rows],
              estimate = ifelse(alone, "", format_number(table$estimate[rows])),
              se = ifelse(alone, "", format_number(table$se[rows])),
              bias = ifelse(alone, "", format_number(table$bias[rows])),
              interval = ifelse(alone, "", interval_text(table$lower[rows], table$upper[rows])),
              p = ifelse(alone, "", format_replicate_p(table$p[rows], table$used[rows])))
  names(out)[5L] <- percent
  if (any(standard))
    out <- c(out, list(standardized = ifelse(is.na(at), "", format_share(table$estimate[at], 3L)),
                       `its interval` = ifelse(is.na(at), "", interval_text(table$lower[at],
                           table$upper[at]))))
  if (any(table$used < asked$reps))
    out <- c(out, list(used = format_count(table$used[rows])))
  out
}

# Sentences on the resampling and its failures.
bootstrap_words <- function(x) {
  asked <- x$asked
  lost <- sum(x$status != 0L)
  c(text_of("replicates_seed_intervals_are", reps = format_count(asked$reps),
            drawn = drawn_words(x), seed = asked$seed, level = 100 * asked$level,
            interval = interval_words[[asked$interval]]),
    lost_replicates_note(x$status),
    if (any(x$improper & x$status == 0L))
      text_of("improper", status = count_of(sum(x$improper & x$status == 0L), "replicate"),
              improper = if (asked$improper == "keep")
                text_of("improper_kept") else text_of("improper_left_out")),
    if (lost > 0.1 * asked$reps)
      text_of("more_than_one_ten"),
    if (length(x$trouble))
      text_of("some_replicates_gave_no", trouble = x$trouble[1L]))
}

# The source of the replicates, in words.
drawn_words <- function(x) {
  if (x$asked$draw == "model") return(text_of("normal_data_from_fitted"))
  text_of("of_the_cases",
          sample = if (!is.na(count_clusters(x$fit$sample))) text_of("by_whole_clusters"),
          groups = if (length(x$fit$layout$groups) > 1L) text_of("within_groups"))
}

lost_replicates_note <- function(status) {
  unusable <- sum(status == unusable_status)
  others <- sum(status != 0L) - unusable
  c(if (others) text_of("did_not_converge_left", others = count_of(others, "replicate"),
                        others_2 = if (others == 1L) "is" else "are"),
    if (unusable) text_of("could_not_be_analysed", unusable = count_of(unusable, "replicate"),
                          unusable_2 = if (unusable == 1L) "is" else "are"))
}

unusable_status <- 8L

# A sentence on the proportion of replicates that support each claim.
claim_shares <- function(x) {
  at <- grep("^supported\\[", names(x$estimate))
  if (length(at) == 0L) return(NULL)
  share <- colMeans(x$values[, at, drop = FALSE], na.rm = TRUE)
  c(text_of("supported_replicates", trim = enumerate(text_of("many_in",
      at = sub("^supported\\[(.*)\\]$", "\\1", names(x$estimate)[at]),
      trim = format(round(100 * share, 1), trim = TRUE)))), "")
}

# Intervals and p values from replicates: percentile, bias-corrected, and bias-corrected and
# accelerated (Efron 1987; Efron & Tibshirani 1993, ch. 14).

# One row per number: `values` replicates x numbers, `estimate` by name, `acceleration` by name.
replicate_intervals <- function(values, estimate, type, level, acceleration) {
  columns <- lapply(seq_along(estimate), function(k) {
    one_interval(values[, k], estimate[[k]], type, level, acceleration[[k]])
  })
  do.call(Map, c(list(c), columns))
}

fewest_replicates <- 20L

one_interval <- function(values, estimate, type, level, acceleration) {
  x <- values[is.finite(values)]
  used <- length(x)
  out <- list(se = NA_real_, bias = NA_real_, lower = NA_real_, upper = NA_real_, p = NA_real_,
              used = used)
  if (used < fewest_replicates) return(out)
  out$se <- stats::sd(x)
  if (out$se <= 1e-12 * max(abs(estimate), 1e-300)) return(replace(out, "se", 0))
  out$bias <- mean(x) - estimate
  z <- if (type == "percentile") 0 else median_bias(x, estimate)
  a <- if (type == "bca") acceleration else 0
  if (!is.finite(z) || !is.finite(a)) return(out)
  ends <- c(1 - level, 1 + level) / 2
  at <- stats::pnorm(moved_quantile(stats::qnorm(ends), z, a))
  limits <- ordered_quantile(sort(x), at)
  out$lower <- limits[1L]
  out$upper <- limits[2L]
  out$p <- replicate_p(x, estimate, type, z, a, length(values))
  out
}

# z0: ties with the estimate count half.
median_bias <- function(x, estimate) {
  below <- mean(x < estimate) + mean(x == estimate) / 2
  if (below <= 0 || below >= 1) NA_real_ else stats::qnorm(below)
}

moved_quantile <- function(z, z0, a) z0 + (z0 + z) / (1 - a * (z0 + z))

# The k-th of B values is the quantile k / (B + 1); between them interpolation on the normal scale,
# beyond them no value.
ordered_quantile <- function(x, at) {
  size <- length(x)
  k <- at * (size + 1)
  low <- floor(k)
  inside <- low >= 1 & low < size
  out <- x[pmin(pmax(low, 1), size)]
  share <- (stats::qnorm(at) - stats::qnorm(low / (size + 1))) /
    (stats::qnorm((low + 1) / (size + 1)) - stats::qnorm(low / (size + 1)))
  out[inside] <- out[inside] + share[inside] * (x[low[inside] + 1] - x[low[inside]])
  out
}

# Two-sided p value of zero, from the same replicates as the interval: the level at which a limit of
# the interval would reach zero, never below the smallest value that the number of replicates allows
# (Davison & Hinkley 1997; Phipson & Smyth 2010; Efron 1987). NA where the replicates do not
# suffice. `asked`: the requested number of replicates.
replicate_p <- function(x, estimate, type, z0, a, asked) {
  if (!rule_replicates_give_p(length(x), asked, z0, estimate >= min(x) && estimate <= max(x)))
    return(NA_real_)
  least <- least_replicate_p(length(x))
  if (type == "percentile")
    return(min(1, least * (1 + min(sum(x <= 0), sum(x >= 0)))))
  below <- (sum(x < 0) + sum(x == 0) / 2 + 0.5) / (length(x) + 1)
  w <- stats::qnorm(below) - z0
  if (1 + a * w <= 0) return(NA_real_)
  z <- w / (1 + a * w) - z0
  max(2 * stats::pnorm(-abs(z)), least)
}

# Values for which zero is a limit of their range: replicates cannot lie on its other side.
cannot_cross_zero <- function(names) {
  names %in% names(index_words) |
    grepl(paste0("^(standardized\\()?variance\\[|^(r_squared|omega[a-z_]*|alpha[a-z_]*|ave|",
                 "htmt|ecv[a-z_]*|",
                 "h|determinacy|[a-z_]*share|prmse[a-z_]*|[a-z_]*distance)(\\[|$)"), names)
}

# A p value of replicates as it is printed: "< .002" for the smallest that they can show.
format_replicate_p <- function(p, used) {
  at_least <- !is.na(p) & p <= least_replicate_p(used) * (1 + 1e-9) & p >= 0.001
  ifelse(at_least, paste("<", format_p(p)), format_p(p))
}

# Sentences on p values: where there is none, and which need more replicates for a comparison with
# the level.
replicate_p_notes <- function(table) {
  p <- table$p
  used <- table$used
  close <- which(!is.na(p) & abs(p - 0.05) < 2 * sqrt(p * (1 - p) / used))
  varies <- !table$se %in% 0 & !is.na(table$se)
  needed <- ceiling(max(p[close] * (1 - p[close]) * (2 / (p[close] - 0.05))^2, 0))
  c(if (any(is.na(p) & varies)) text_of("no_p_from_replicates"),
    if (length(close))
      text_of("p_not_placed", close = enumerate(table$parameter[close], most = 4L),
              needed = if (is.finite(needed) && needed < 1e6)
                text_of("replicates_needed", needed = format_count(signif(needed, 2L)))))
}

# a = sum e^3 / (6 (sum e^2)^1.5), where e is the change in a value when one part of the cases is
# left out and the model is refitted (jackknife).
acceleration_of <- function(values) {
  apply(values, 2L, function(x) {
    x <- x[is.finite(x)]
    e <- mean(x) - x
    if (length(x) < 2L || sum(e^2) <= 0) return(0)
    sum(e^3) / (6 * sum(e^2)^1.5)
  })
}

# Samples drawn from the cases with replacement fit worse than the cases themselves: chi-square is
# too large by about tr(U Gamma) on average, its expectation under a correct model. This is
# subtracted in every replicate, so that replicates of chi-square and of indices computed from it
# are centred on the values of the fit (shown numerically in bench/bootstrap.R). list(chisq,
# chisq_baseline: subtracted from the likelihood ratios; basis, basis_baseline: subtracted from the
# basis of RMSEA, CFI and TLI).
overshoot_of <- function(fit) {
  whole <- joint_fit(fit)
  if (test_of(whole)$df <= 0 || !has_converged(whole)) return(NULL)
  if (is_incomplete(whole$sample)) {
    models <- list(whole$layout$model, baseline_core(whole))
    thetas <- list(core_theta(whole), baseline_theta(whole, models[[2L]], baseline_kinds[1L]))
    found <- scale_cores(whole, models, thetas, TRUE)
    of <- function(k, name) if (found[[k]]$admissible) found[[k]][[name]] else NA_real_
    return(list(chisq = of(1L, "trace"), chisq_baseline = of(2L, "trace"),
                basis = of(1L, "robust_bias"), basis_baseline = of(2L, "robust_bias")))
  }
  base <- baseline_core(whole)
  trace <- function(model, theta) {
    found <- core_scaling(model, core_moments(whole), theta, core_cases(whole), FALSE)
    if (found$admissible) found$trace else NA_real_
  }
  own <- trace(whole$layout$model, core_theta(whole))
  other <- trace(base, baseline_theta(whole, base, baseline_kinds[1L]))
  list(chisq = own, chisq_baseline = other, basis = own, basis_baseline = other)
}

# Tidy generics of results from many fits.

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_bootstrap <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(bootstrap_table(check_replicates(x, "tidy")), c(parameter = "term"))
}

#' @rdname tidy.orizzonte_fit
#' @export
glance.orizzonte_bootstrap <- function(x, ...) {
  check_arguments("glance")
  check_replicates(x, "glance")
  as_tibble_if_possible(list_frame(list(
    reps = x$asked$reps, used = sum(x$kept), seed = x$asked$seed, draw = x$asked$draw,
    interval = x$asked$interval, level = x$asked$level, not.converged = sum(x$status != 0L),
    improper = sum(x$improper & x$status == 0L))))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_bootstrap_test <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, stats::setNames(c("term", "statistic"), c(names(x)[1L], "chisq")))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_plan <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x$parameters, c(parameter = "term"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_cutoffs <- function(x, ...) {
  check_arguments("tidy")
  table <- as.data.frame(x)
  tidy_renamed(table, stats::setNames("term", names(table)[1L]))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_power <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, stats::setNames("term", names(x)[1L]))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_robustness <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, c(claim = "term"))
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_influence <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, stats::setNames("term", names(x)[1L]))
}

# Results of long jobs as plain data (see base-plain.R). The fit itself is not kept; it is
# re-estimated.

to_plain.orizzonte_bootstrap <- function(x) {
  x["fit"] <- list(NULL)
  plain_node(x)
}

# Does a restored value have the parts of a bootstrap or a plan, with matching lengths?
is_whole_result <- function(x) {
  if (inherits(x, "orizzonte_plan"))
    return(is.list(x) && is.data.frame(x$parameters) && is.data.frame(x$sizes) &&
             is.numeric(x$reps) && all(c("n", "parameter", "power") %in% names(x$parameters)))
  count <- NROW(x$values)
  inherits(x, "orizzonte_bootstrap") && is.list(x) && is.double(x$estimate) &&
    !is.null(names(x$estimate)) && is.double(x$values) && is.matrix(x$values) &&
    ncol(x$values) == length(x$estimate) && length(x$group) == length(x$estimate) &&
    length(x$kept) == count && length(x$status) == count && NROW(x$theta) == count &&
    is.list(x$asked) && isTRUE(x$asked$interval %in% names(interval_words)) &&
    isTRUE(x$asked$reps == count) && is.numeric(x$asked$level)
}
