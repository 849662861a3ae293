#' Add effects among constructs and observed variables
#'
#' One formula per outcome: the variables on the right have effects on the variable on the left.
#' Every outcome has a residual. Exogenous variables covary freely.
#'
#' @param .bp A blueprint.
#' @param ... One or more formulas (or the same as text), `outcome ~ predictors`, with `+` between
#'   several names on either side. Names are literal; `x1:x3` is a numbered
#'   range, not an interaction; `all_of(names)` is evaluated.
#' @return The blueprint with the effects added.
#' @section Errors: `orizzonte_error_duplicate` when an effect is declared
#'   twice or is already a loading; `orizzonte_error_input` for a formula that contains anything
#'   other than names.
#' @seealso [construct()], [effects.orizzonte_fit()] for direct, indirect and total effects of a
#'   fit.
#' @examples
#' blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Staying ~ Belonging + years)
#' @export
effect <- function(.bp, ...) {
  check_arguments("effect", dots = TRUE)
  check_blueprint(.bp, "effect")
  formulas <- rlang::enquos(...)
  if (length(formulas) == 0L)
    abort("input",
          c(text_of("effect_needs_formula"), i = text_of("such_effect_staying_belonging")))
  for (quosure in formulas) {
    expression <- rlang::quo_get_expr(quosure)
    env <- rlang::quo_get_env(quosure)
    if (is.character(expression)) {
      expression <- parsed_text(expression, function(condition) expression)
    } else if (!is_two_sided(expression)) {
      value <- tryCatch(eval(expression, env), error = function(e) NULL)
      if (inherits(value, "formula")) expression <- value
    }
    .bp <- add_effects(.bp, expression, env)
  }
  .bp
}

is_two_sided <- function(expression) {
  is.call(expression) &&
  identical(expression[[1L]], quote(`~`)) && length(expression) == 3L
}

add_effects <- function(bp, expression, env = NULL) {
  text <- deparse_one(expression)
  if (!is_two_sided(expression)) {
    abort("input",
          c(text_of("not_effect", value = text),
            i = text_of("write_outcome_predictors_such")))
  }
  outcomes <- formula_names(expression[[2L]], env, text)
  predictors <- formula_names(expression[[3L]], env, text)
  for (to in outcomes$names) for (from in predictors$names) {
    if (from == to)
      abort("input", c(text_of("cannot_have_effect_itself", to = quoted(to)),
                       i = text_of("look_at", value = text)))
    if (any(bp$effects$from == from & bp$effects$to == to)) {
      abort("duplicate",
            text_of("effect_is_declared_twice", from = quoted(from), to = quoted(to)))
    }
    if (from %in% composite_items(bp, to)) {
      abort("duplicate",
            text_of("same_relation_is_declared_twice_is", from = from, to = to))
    }
    if (to %in% bp$constructs[[from]]$items && bp$constructs[[from]]$kind == "reflective") {
      abort("duplicate",
            text_of("same_relation_is_declared_twice_is_already", from = from, to = to))
    }
    bp$effects$from <- c(bp$effects$from, from)
    bp$effects$to <- c(bp$effects$to, to)
  }
  add_hints(bp, c(outcomes$hints, predictors$hints))
}

# `env` is NULL for text from a file: there nothing is ever evaluated.
formula_names <- function(expression, env, text) {
  if (is.call(expression) && identical(expression[[1L]], quote(`+`)) && length(expression) == 3L) {
    left <- formula_names(expression[[2L]], env, text)
    right <- formula_names(expression[[3L]], env, text)
    return(list(names = c(left$names, right$names), hints = c(left$hints, right$hints)))
  }
  names <- if (!is.numeric(expression)) {
    tryCatch(literal_names(expression), orizzonte_error_range = function(e) NULL)
  }
  hints <- character()
  if (is.null(names)) {
    operator <- is.numeric(expression) || as.character(expression[[1L]])[1L] %in% c("*", ":", "-",
        "^", "|", "I", "%in%", "/", "~")
    if (is.null(env) || operator) {
      abort("input",
            c(text_of("only_names_can_stand", expression = deparse_one(expression), value = text),
              i = text_of("intercepts_are_added_themselves")))
    }
    names <- evaluate_names(expression, env, text)
  } else if (!is.null(env) && is.symbol(expression) &&
             is.character(get0(names, env, mode = "character"))) {
    hints <- names
  }
  list(names = names, hints = hints)
}

#' Let variables covary, or hold them uncorrelated
#'
#' `covary()` frees and `uncorrelate()` zeroes all covariances among the
#' variables named. The covariance of two endogenous variables is that of their residuals or
#' disturbances. A later statement replaces an earlier one, with a message.
#'
#' @param .bp A blueprint.
#' @param ... Two or more names of constructs or observed variables.
#' @return The blueprint with the statement added.
#' @section Errors: `orizzonte_error_input` for fewer than two names;
#'   `orizzonte_error_duplicate` when a pair is stated twice.
#' @seealso [uncorrelate()] and [restrict()] to fix covariances, [amendments()] for which matter.
#' @examples
#' blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   covary(be1, be2) |>
#'   uncorrelate(Belonging, Calm)
#' @export
covary <- function(.bp, ...) {
  check_arguments("covary", dots = TRUE)
  check_blueprint(.bp, "covary")
  captured <- captured_dots(rlang::enquos(...), "covary")
  add_hints(add_pairs(.bp, captured$names, "covary"), captured$hints)
}

#' @rdname covary
#' @export
uncorrelate <- function(.bp, ...) {
  check_arguments("uncorrelate", dots = TRUE)
  check_blueprint(.bp, "uncorrelate")
  captured <- captured_dots(rlang::enquos(...), "uncorrelate")
  add_hints(add_pairs(.bp, captured$names, "uncorrelate"), captured$hints)
}

most_paired <- 300L
add_pairs <- function(bp, names, verb) {
  if (anyDuplicated(names)) {
    abort("duplicate",
          text_of("is_named_twice", duplicated = quoted(names[duplicated(names)][1L]), verb = verb))
  }
  if (length(names) < 2L) {
    abort("input",
          c(text_of("needs_least_two_names", verb = verb),
            i = text_of("such_be1_be2", verb = verb)))
  }
  if (length(names) > most_paired)
    abort("size", text_of("names_most_are_paired", verb = verb, value = format_count(length(names)),
                          most_paired = most_paired))
  pairs <- utils::combn(names, 2L)
  key <- pair_key(pairs[1L, ], pairs[2L, ])
  if (any(key %in% pair_key(bp[[verb]]$first, bp[[verb]]$second))) {
    twice <- which(key %in% pair_key(bp[[verb]]$first, bp[[verb]]$second))[1L]
    abort("duplicate",
          text_of("same_relation_is_declared_twice",
                  twice = address_format("covariance", pairs[1L, twice], pairs[2L, twice]),
                  verb = verb))
  }
  other <- if (verb == "covary") "uncorrelate" else "covary"
  clash <- pair_key(bp[[other]]$first, bp[[other]]$second) %in% key
  if (any(clash)) {
    earlier <- address_format("covariance", bp[[other]]$first[clash], bp[[other]]$second[clash])
    say(text_of("overridden_of", verb = verb, other = other, pairs = enumerate(earlier)))
    bp[[other]] <- lapply(bp[[other]], function(x) x[!clash])
  }
  bp[[verb]]$first <- c(bp[[verb]]$first, pairs[1L, ])
  bp[[verb]]$second <- c(bp[[verb]]$second, pairs[2L, ])
  bp
}
