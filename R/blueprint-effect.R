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
          c("effect() needs a formula.", i = "Such as effect(Staying ~ Belonging + Calm)."))
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
          c(paste0("Not an effect: ", text, "."),
            i = "Write outcome ~ predictors, such as Staying ~ Belonging + Calm."))
  }
  outcomes <- formula_names(expression[[2L]], env, text)
  predictors <- formula_names(expression[[3L]], env, text)
  for (to in outcomes$names) for (from in predictors$names) {
    if (from == to)
      abort("input", c(paste0(quoted(to), " cannot have an effect on itself."),
                       i = paste0("Look at: ", text)))
    if (any(bp$effects$from == from & bp$effects$to == to)) {
      abort("duplicate",
            paste0("The effect of ", quoted(from), " on ", quoted(to), " is declared twice."))
    }
    if (from %in% composite_items(bp, to)) {
      abort("duplicate",
            paste0("The same relation is declared twice: ", from, " -> ", to,
                   " is already a weight, and now an effect."))
    }
    if (to %in% bp$constructs[[from]]$items && bp$constructs[[from]]$kind == "reflective") {
      abort("duplicate",
            paste0("The same relation is declared twice: ", from, " -> ", to,
                   " is already a loading, and now an effect."))
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
            c(paste0("Only names and + can stand in an effect; found `", deparse_one(expression),
                     "` in ", text, "."),
              i = paste0("Intercepts are added by themselves. Compute products or powers as ",
                         "columns of the data first.")))
    }
    names <- evaluate_names(expression, env, text)
  } else if (!is.null(env) && is.symbol(expression) &&
             is.character(get0(names, env, mode = "character"))) {
    hints <- names
  }
  list(names = names, hints = hints)
}
