# Everything that was requested, as one object: a fit keeps it completely, and a refit changes parts
# of it.

new_request <- function(blueprint, ...) {
  check_blueprint(blueprint, "fit_model")
  check_locale(unlist(blueprint_variables(blueprint), use.names = FALSE))
  given <- list(...)
  stopifnot(names(given) %in% names(fit_options$rows))
  values <- lapply(fit_options$rows, function(option) {
    check_option(option, if (option$name %in% names(given)) given[[option$name]] else
      option$default)
  })
  request <- structure(c(list(blueprint = blueprint), values), class = "orizzonte_request")
  check_roles(request)
  check_inference(request)
  request
}

# Standard errors and tests that do not assume normality: requested, or needed.
is_robust <- function(request) {
  identical(request$inference, "robust") || !is.null(request$clusters) || !is.null(request$weights)
}

# A column has one role.
check_roles <- function(request) {
  named <- unlist(request[names(options_where(function(option) option$role))])
  if (length(named) + length(request$auxiliary) == 0L) return(invisible())
  model <- blueprint_variables(request$blueprint)$observed
  for (what in names(named)) {
    if (named[[what]] %in% model) {
      abort("input", c(text_of(paste0("request_in_model_", if (what == "by") "by" else "other"),
                               column = quoted(named[[what]]), role = words_of("role", what)),
                       i = text_of("request_in_model_hint", option = what)))
    }
  }
  twice <- named[duplicated(named)]
  if (length(twice))
    abort("input", c(text_of("request_two_roles", column = quoted(twice[[1L]]),
                             roles = enumerate(words_of("role", names(named)[named ==
                                 twice[[1L]]]))),
                     i = text_of("request_two_roles_hint")))
  if (length(request$auxiliary) && request$incomplete == "drop")
    abort("input", c(text_of("request_auxiliary_drop"), i = text_of("request_auxiliary_drop_hint")))
  both <- intersect(request$auxiliary, c(model, named))
  if (length(both))
    abort("input", c(text_of("request_auxiliary_used", column = quoted(both[1L])),
                     i = text_of("request_auxiliary_used_hint")))
}

check_inference <- function(request) {
  refuse <- function(name, ...) {
    abort("input", c(text_of(name, ...), i = text_of(paste0(name, "_hint"))))
  }
  if (request$weight_scale != "groups" && is.null(request$weights)) refuse("request_weight_scale")
  needs <- names(Filter(Negate(is.null), unclass(request)[c("clusters", "weights")]))
  if (identical(request$inference, "normal") && length(needs))
    refuse("request_needs_robust", option = needs[1L])
  if (!is_robust(request)) {
    if (request$adjust != "mean") refuse("request_adjust_normal")
    return(invisible())
  }
  if (request$multiplier != "n") refuse("request_multiplier_robust")
  if (request$adjust != "mean" && length(needs))
    refuse("request_adjust_needs", option = needs[1L])
}

# R itself cannot handle names that its locale does not know.
check_locale <- function(names) {
  if (isTRUE(l10n_info()[["UTF-8"]])) return(invisible())
  names <- as_utf8(names)
  lost <- names[is.na(iconv(names, "UTF-8", ""))]
  if (length(lost) == 0L) return(invisible())
  abort("input", c(text_of("request_locale", name = quoted(lost[1L])),
                   x = text_of("request_locale_is", locale = Sys.getlocale("LC_CTYPE")),
                   i = text_of("request_locale_hint")))
}

# The fields of a request; refit() can change each of them.
request_parts <- function() c("blueprint", names(fit_options$rows))

# The request of a function of the package, from its arguments: `frame` is its frame. Columns can be
# bare names. `but`: arguments that the function reads itself.
request_of <- function(bp, data, taker, but = character(), frame = parent.frame()) {
  names <- intersect(setdiff(options_of(taker), but), ls(frame, all.names = TRUE))
  values <- lapply(stats::setNames(names, names), function(name) {
    if (!is_column_option(name)) return(get(name, envir = frame, inherits = FALSE))
    captured_argument(eval(call("enquo", as.name(name)), list(enquo = rlang::enquo), frame), name)
  })
  if ("levels" %in% names) check_levels(values$levels, values$by, data)
  do.call(new_request, c(list(bp), values))
}

is_column_option <- function(name) fit_options$rows[[name]]$kind %in% c("column", "columns")

check_levels <- function(levels, by, data) {
  if (!is.null(levels) && is.null(by) && !is_summary_list(data)) {
    abort("input", c(text_of("request_levels_alone"), i = text_of("request_levels_alone_hint")))
  }
  if (!is.null(levels) && !is.atomic(levels))
    abort("input", c(text_of("request_levels_odd"), x = text_of("it_is_of_kind",
        value = describe(levels))))
}

# A request with some fields changed; NULL is also a change.
change_request <- function(request, changes) {
  parts <- unclass(request)
  for (name in names(changes)) parts[name] <- list(changes[[name]])
  do.call(new_request, parts)
}

# Arguments that name columns of the data, captured; one of the kind "columns" may name several.
captured_argument <- function(quosure, name) {
  capture <- if (fit_options$rows[[name]]$kind == "columns") captured_columns else captured_column
  capture(quosure, paste0("`", name, "`"))
}

# Column names, bare or quoted, in an argument that was captured.
captured_columns <- function(quosure, what) {
  captured <- capture_names(quosure, what)
  if (length(captured$hints)) structure(captured$names, hint = TRUE) else captured$names
}

# One such name.
captured_column <- function(quosure, what) {
  # a bare name that is also a text variable of the caller is remembered, in case there is no such
  # column
  names <- captured_columns(quosure, what)
  if (length(names) > 1L) {
    abort("input", c(text_of("request_one_column", option = what),
                     x = text_of("it_is_of_kind", value = enumerate(names)),
                     i = text_of("request_one_column_hint")))
  }
  names
}

# Commands for the command line that continue from the current one, with its files, groups and other
# options.

surface <- new.env(parent = emptyenv())

# From here on, instructions are commands that continue from `given`, the arguments of the current
# command; with NULL they are R code again.
go_on_from <- function(given) {
  surface$given <- given
  display$command <- if (!is.null(given)) command_text
  display$quiet <- isTRUE(given$quiet)
  display$guarded <- !isTRUE(given$unguarded)
}

# A command with the files and options of the one that is running.
command_text <- function(name, ...) {
  given <- surface$given
  files <- given$files[c(1L, length(given$files))]
  files <- public_address(files)
  if (length(given$files) == 1L) {
    blueprint <- grepl("[.]ya?ml$", files[1L], ignore.case = TRUE)
    files[if (blueprint) 2L else 1L] <- if (blueprint) "DATA" else "BLUEPRINT"
  }
  told <- names(written_options())
  options <- given[told]
  names(options) <- option_flag(told)
  options[["--encoding"]] <- if ((given$encoding %||% "UTF-8") != "UTF-8") given$encoding
  options <- Filter(Negate(is.null), options)
  words <- c(files, rbind(names(options), unlist(options)), ...)
  paste(c("orizzonte", name, vapply(words, shell_word, "")), collapse = " ")
}

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
