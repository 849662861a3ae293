# Errors, intervals and p of a bootstrap in place of those of theory, in the tables of readers.

# `columns`: of a reader, with se, z, p, lower and upper where it has them; `names`: what each row
# is called in a bootstrap, `standardized` the same of its standardized value. What was not
# bootstrapped keeps nothing of theory: it is empty.
with_bootstrap <- function(columns, bootstrap, reader, names, standardized = NULL) {
  if (is.null(bootstrap)) return(columns)
  table <- bootstrapped_table(bootstrap, reader)
  at <- match(names, table$parameter)
  if (all(is.na(at)) && (is.null(standardized) || all(is.na(match(standardized, table$parameter)))))
    abort("input", c(paste0("This bootstrap holds nothing that ", reader, "() shows."),
                     i = paste0("Make one with what = ", reader, ", or with a list of readers.")))
  columns$se <- table$se[at]
  if (!is.null(columns$z)) columns$z <- rep(NA_real_, length(at))
  if (!is.null(columns$p)) columns$p <- table$p[at]
  columns$lower <- table$lower[at]
  columns$upper <- table$upper[at]
  if (!is.null(standardized))
    columns$standardized_se <- table$se[match(standardized, table$parameter)]
  columns
}

# Of the same model and data as the fit.
bootstrapped_table <- function(bootstrap, reader) {
  if (!inherits(bootstrap, "orizzonte_bootstrap"))
    abort("input", c(paste0("`bootstrap` of ", reader, "() must come from bootstrap_fit()."),
                     x = paste0("It is ", describe(bootstrap), "."),
                     i = "boot <- bootstrap_fit(fit); then bootstrap = boot."))
  as.data.frame(bootstrap)
}

check_same_bootstrap <- function(bootstrap, fit, reader) {
  if (is.null(bootstrap)) return(invisible())
  bootstrapped_table(bootstrap, reader)
  other <- bootstrap$fit
  same <- identical(names(theta_of(other)), names(theta_of(fit))) &&
    isTRUE(all.equal(theta_of(other), theta_of(fit), tolerance = 1e-8))
  if (same) return(invisible())
  abort("input", c("The bootstrap is of another fit than this one.",
                   i = "Make one of this fit: bootstrap_fit(fit)."))
}

# The bootstrap, if it holds any of these numbers.
bootstrap_holding <- function(bootstrap, names) {
  if (any(names %in% names(bootstrap$estimate))) bootstrap
}

# Under a table: whose errors these are.
bootstrap_note <- function(bootstrap) {
  if (is.null(bootstrap)) return(NULL)
  paste0("Standard errors, intervals and p are from ", format_count(bootstrap$asked$reps),
         " bootstrap replicates (seed ", bootstrap$asked$seed, ", ",
         interval_words[[bootstrap$asked$interval]], ").")
}

interval_words <- c(bca = "bias-corrected and accelerated", percentile = "percentile",
                    `bias-corrected` = "bias-corrected")
