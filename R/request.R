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
