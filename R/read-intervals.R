# Intervals from a bootstrap in the tables of results.

# `columns`: of a reader, with se, z, p, lower and upper where it has them; `names`: what each row
# is called in a bootstrap, `standardized` the same of its standardized value. What was not
# bootstrapped has no theoretical value: it is empty.
with_bootstrap <- function(columns, bootstrap, reader, names, standardized = NULL) {
  if (is.null(bootstrap)) return(columns)
  table <- bootstrapped_table(bootstrap, reader)
  at <- match(names, table$parameter)
  if (all(is.na(at)) && (is.null(standardized) || all(is.na(match(standardized, table$parameter)))))
    abort("input", c(text_of("bootstrap_holds_nothing_shows", reader = reader),
                     i = text_of("make_one_what_or", reader = reader)))
  columns$se <- table$se[at]
  if (!is.null(columns$z)) columns$z <- rep(NA_real_, length(at))
  if (!is.null(columns$p)) columns$p <- table$p[at]
  columns$lower <- table$lower[at]
  columns$upper <- table$upper[at]
  if (!is.null(standardized))
    columns$standardized_se <- table$se[match(standardized, table$parameter)]
  columns
}

# The values of the bootstrap that a results function was given.
bootstrapped_table <- function(bootstrap, reader) {
  if (!inherits(bootstrap, "orizzonte_bootstrap"))
    abort("input", c(text_of("bootstrap_must_come_from", reader = reader),
                     x = text_of("it_is_of_kind", value = describe(bootstrap)),
                     i = text_of("boot_bootstrap_fit_fit")))
  as.data.frame(bootstrap)
}

check_same_bootstrap <- function(bootstrap, fit, reader) {
  if (is.null(bootstrap)) return(invisible())
  bootstrapped_table(bootstrap, reader)
  other <- bootstrap$fit
  same <- identical(names(theta_of(other)), names(theta_of(fit))) &&
    isTRUE(all.equal(theta_of(other), theta_of(fit), tolerance = 1e-8))
  if (same) return(invisible())
  abort("input", c(text_of("bootstrap_is_another_fit"),
                   i = text_of("make_one_fit_bootstrap")))
}

# The bootstrap, if it contains any of these values.
bootstrap_holding <- function(bootstrap, names) {
  if (any(names %in% names(bootstrap$estimate))) bootstrap
}

# Under a table: whose errors these are.
bootstrap_note <- function(bootstrap) {
  if (is.null(bootstrap)) return(NULL)
  text_of("standard_errors_intervals_p", reps = format_count(bootstrap$asked$reps),
          p_values = if (bootstrap$asked$reps < fewest_for_p) text_of("too_few_for_p_values") else
            text_of("p_values_at_least", least = short_number(
              signif(least_replicate_p(bootstrap$asked$reps), 2L))),
          seed = bootstrap$asked$seed, interval = interval_words[[bootstrap$asked$interval]])
}

interval_words <- c(bca = "bias-corrected and accelerated", percentile = "percentile",
                    `bias-corrected` = "bias-corrected")
