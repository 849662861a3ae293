#' Add effects among constructs and observed variables
#'
#' One formula an outcome: what is on the right has an effect on what is on the left. Every outcome
#' has a residual; what only has effects covaries freely.
#'
#' @param .bp A blueprint.
#' @param ... One or more formulas (or the same as text), `outcome ~ predictors`, with `+` between
#'   several names on either side. Names are literal; `x1:x3` is a numbered
#'   range, not an interaction; `all_of(names)` is evaluated.
#' @return The blueprint with the effects added.
#' @section Errors: `orizzonte_error_duplicate` when an effect is declared
#'   twice or is already a loading; `orizzonte_error_input` for anything but
#'   names in a formula.
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
      expression <- tryCatch(parsed_text(expression), error = function(e) {
        if (inherits(e, "orizzonte_error")) stop(e) else expression
      })
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
