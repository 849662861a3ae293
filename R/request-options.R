# The options of a fit, one row each. Requests, the command line and its help, study files and their
# schema, reports and JSON read this table. The signatures of the functions that take options are
# written out, and a test compares them with it.

fit_options <- new.env(parent = emptyenv())
fit_options$rows <- list()

# `kind`: "column", "columns" (of the data), "choice" (of `choices`), "codes" or "levels".
# `takers`: the functions that have it as an argument. `role`: whether the column can have no other
# role. `needs_cases`: whether summary data refuse it. `same_tests`: whether the tests of two models
# can be compared only if it is the same for both. `metavar`, `help`: of the command line and of
# study files; without them the option is for R only.
fit_option <- function(name, kind, takers, default = NULL, choices = NULL, role = FALSE,
                       needs_cases = FALSE, same_tests = FALSE, metavar = NULL, help = NULL) {
  list(name = name, kind = kind, takers = takers, default = default, choices = choices,
       role = role, needs_cases = needs_cases, same_tests = same_tests, metavar = metavar,
       help = help)
}

add_options <- function(...) {
  for (option in list(...)) fit_options$rows[[option$name]] <- option
}

fitting_functions <- c("fit_model", "identification", "rescue", "invariance")

add_options(
  fit_option("by", "column", c(fitting_functions, "collect_summary"), role = TRUE,
             metavar = "COLUMN", help = "a grouping column"),
  fit_option("levels", "levels", c(fitting_functions, "collect_summary"), metavar = "GROUPS",
             help = paste0("which groups, in which order, under which names, such as ",
                           "'Evening=1; Weekend=2'")),
  fit_option("missing_codes", "codes", c(fitting_functions, "collect_summary"), metavar = "CODES",
             help = "codes for missing values: numbers such as -9,999, or texts such as n/a"),
  fit_option("incomplete", "choice", fitting_functions, "keep", c("keep", "drop"),
             metavar = "WHAT",
             help = paste0("cases with missing values: keep (default; full-information ",
                           "maximum likelihood, FIML) or drop (listwise deletion)")),
  fit_option("auxiliary", "columns", fitting_functions, needs_cases = TRUE, metavar = "COLUMNS",
             help = paste0("columns outside the model that predict missingness, such as ",
                           "'town_size; age'")),
  fit_option("inference", "choice", fitting_functions, NULL, c("normal", "robust"),
             metavar = "WHAT",
             help = paste0("normal (default) or robust: standard errors and tests that do not ",
                           "assume normality")),
  fit_option("adjust", "choice", fitting_functions, "mean", c("mean", "mean and variance"),
             same_tests = TRUE, metavar = "WHAT",
             help = paste0("how the robust chi-square is corrected: mean (default) or ",
                           "'mean and variance'")),
  fit_option("clusters", "column", fitting_functions, role = TRUE, needs_cases = TRUE,
             same_tests = TRUE, metavar = "COLUMN",
             help = "what cases come from, such as classes: standard errors by cluster"),
  fit_option("weights", "column", fitting_functions, role = TRUE, needs_cases = TRUE,
             same_tests = TRUE, metavar = "COLUMN",
             help = "sampling weights, with robust standard errors"),
  fit_option("weight_scale", "choice", fitting_functions, "groups", c("groups", "sample"),
             same_tests = TRUE, metavar = "WHAT",
             help = paste0("weights sum to the number of cases of each group (groups, default) ",
                           "or of the whole sample (sample)")),
  fit_option("multiplier", "choice", "fit_model", "n", c("n", "n-1")))

# The options for which `keep` is true, by name.
options_where <- function(keep) Filter(keep, fit_options$rows)

# The names of the options that a function takes.
options_of <- function(taker) names(options_where(function(option) taker %in% option$takers))

# The options of fit_model() in a request that are not at their defaults.
options_asked <- function(request) {
  asked <- unclass(request)[options_of("fit_model")]
  differs <- vapply(names(asked), function(name) {
    !is.null(asked[[name]]) && !identical(asked[[name]], fit_options$rows[[name]]$default)
  }, NA)
  lapply(asked[differs], function(value) {
    attributes(value) <- attributes(value)["names"]
    value
  })
}

# Options as the further arguments of a call in R code.
options_code <- function(options) {
  told <- vapply(names(options), function(name) {
    paste0(", ", name, " = ", paste(deparse(options[[name]], width.cutoff = 500L),
                                    collapse = " "))
  }, "")
  paste(told, collapse = "")
}

# The options that the command line and study files know.
written_options <- function() options_where(function(option) !is.null(option$help))

# The flag of an option on the command line.
option_flag <- function(name) paste0("--", chartr("_", "-", name))

# A value of an option, or an error that names the permitted values.
check_option <- function(option, value) {
  if (identical(value, option$default)) return(value)
  what <- paste0("`", option$name, "`")
  switch(option$kind,
    choice = return(choose_one(value, option$choices, what)),
    codes = check_missing_codes(value),
    column = check_string(value, what))
  value
}
