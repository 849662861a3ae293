#' Start a blueprint
#'
#' A blueprint is a written specification of a model: constructs and their items, effects,
#' covariances, and fixed or equal parameters. It is an object built by small verbs, each of which
#' returns a new blueprint; nothing is estimated while it is built. The verbs are [construct()],
#' [effect()], [covary()], [uncorrelate()], [restrict()], [relax()], [hold_equal()], [let_differ()],
#' [set_scale()], [start_at()], [quantity()], [claim()], [leave_out()], [repeated()] and
#' [wording()].
#'
#' @section Defaults: Residual variances of all endogenous
#' variables and items; covariances among all exogenous constructs and observed predictors; free
#' intercepts when means are known; and the scale of each construct. `print()` and `summary()` list
#' all of it. Covariances among disturbances of outcomes are *not* assumed.
#'
#' @param title A short title, used in reports.
#' @param scale How constructs get their unit: `"marker"` (the first loading is
#'   1), `"unit"` (the variance, or disturbance variance, is 1) or `"average"`
#'   (the loadings average 1). [construct()] can override it.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A blueprint, an object of class `orizzonte_blueprint`.
#' @section Errors: `orizzonte_error_input` when the title is not one text or the scale is unknown.
#' @seealso [construct()], [effect()] and [covary()] to build a blueprint, [identification()] and
#' [fit_model()] to use it.
#' @examples
#' blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = c(sc1, sc2, sc3, sc4))
#' @export
blueprint <- function(title = "Untitled", scale = "marker", ...) {
  check_arguments("blueprint")
  check_string(title, "`title`")
  scale <- choose_one(scale, scale_settings, "`scale`")
  structure(list(
    title = title, scale = scale, constructs = list(),
    effects = list(from = character(), to = character()),
    covary = list(first = character(), second = character()),
    uncorrelate = list(first = character(), second = character()),
    restrict = list(), relax = character(), start_at = numeric(), quantities = character(),
    claims = character(), wording = character(), left_out = list(), hold_equal = character(),
    hold_equal_times = character(), let_differ = character(),
    let_differ_times = character(), repeated = list(), trail = list()
  ), class = "orizzonte_blueprint")
}

scale_settings <- c("marker", "unit", "average")

# Constructs, and everything else that is named: observed variables, in the order of first mention.
blueprint_variables <- function(bp) {
  constructs <- names(bp$constructs)
  indicators <- unlist(lapply(bp$constructs, `[[`, "items"), use.names = FALSE)
  # effects are stored with the cause first; in Staying ~ years both are met at once, and the cause
  # is listed first
  paths <- c(rbind(bp$effects$from, bp$effects$to))
  pairs <- c(rbind(bp$covary$first, bp$covary$second))
  list(constructs = constructs, observed = setdiff(c(indicators, paths, pairs), constructs))
}

# Exogenous observed variables: predictors, and the items of composites.
exogenous_variables <- function(bp) {
  reflective <- Filter(function(x) x$kind == "reflective", bp$constructs)
  setdiff(blueprint_variables(bp)$observed,
          c(bp$effects$to, unlist(lapply(reflective, `[[`, "items"), use.names = FALSE)))
}

# Names used as bare symbols that are also text variables of the caller: all_of() was probably
# meant.
add_hints <- function(bp, hints) {
  if (length(hints)) attr(bp, "hints") <- unique(c(attr(bp, "hints"), hints))
  bp
}

composite_items <- function(bp, name) {
  if (identical(bp$constructs[[name]]$kind, "composite"))
  bp$constructs[[name]]$items
}

pair_key <- function(first, second) {
  if (length(first) == 0L) return(character())     # paste0() would make one key out of nothing
  # comparing texts one by one is slow
  known <- sort(unique(c(first, second)), method = "radix")
  low <- match(first, known)
  high <- match(second, known)
  paste0(known[pmin(low, high)], "\r", known[pmax(low, high)])
}

# Restrictions on intercepts or means need a mean structure even before the data are known.
mentions_means <- function(bp) {
  any(grepl("^(intercept|mean)\\[",
            c(unlist(lapply(bp$restrict, restriction_addresses)), bp$relax)))
}

#' Give the items their wording
#'
#' Item texts are shown wherever items are judged: in the summary, in residuals
#' and in reports. Column labels of the data are used where no wording is given.
#'
#' @param .bp A blueprint.
#' @param ... `item = "text"` pairs, or one named character vector.
#' @return The blueprint with the wordings added. A later wording of the same
#'   item replaces an earlier one, with a message.
#' @section Errors: `orizzonte_error_input` when a wording has no name or is
#'   not text.
#' @seealso [amendments()] and [write_report()], which show item texts.
#' @examples
#' blueprint("Belonging") |>
#'   construct("Belonging", reflected_in = be1:be3) |>
#'   wording(be1 = "People greet me when I arrive")
#' @export
wording <- function(.bp, ...) {
  check_arguments("wording", dots = TRUE)
  check_blueprint(.bp, "wording")
  given <- c(list(), ...)
  add_wordings(.bp, given)
}

add_wordings <- function(bp, given) {
  labels <- names(given) %||% rep("", length(given))
  text <- vapply(given, function(x) is.character(x) && length(x) == 1L && !is.na(x), NA)
  if (!all(text) || any(!nzchar(labels))) {
    abort("input",
          c(text_of("every_wording_must_be"),
            i = text_of("such_wording_be1_people")))
  }
  if (anyDuplicated(labels))
    abort("duplicate", text_of("item_is_worded_twice",
                               labels = quoted(labels[duplicated(labels)][1L])))
  again <- intersect(labels, names(bp$wording))
  changed <- again[vapply(again, function(item) !identical(bp$wording[[item]], given[[item]]), NA)]
  if (length(changed)) say(text_of("overridden", verb = "wording", earlier = enumerate(changed)))
  bp$wording[labels] <- unlist(given)
  bp
}

# Removes the history of a blueprint.
without_trail <- function(bp) {
  bp$trail <- list()
  bp
}

#' @export
update.orizzonte_blueprint <- function(object, ...) {
  abort("input", c(text_of("blueprint_is_not_updated"), i = text_of("verbs_change_blueprint")))
}

# A saved arrangement: where the boxes of a path diagram stand. It belongs to a blueprint, goes into
# its file, and is used again for all groups and for later versions of the model.

arrangement_sides <- c(none = "", left = "left", right = "right", up = "up", down = "down")

# `page`: width and height in inches; `size`: of the texts, where 1 is 9 points; `items`: items
# above or below a construct are arranged in a "row" or a "column"; `between`: items are placed
# between two constructs. `places`: `name`, `x`, `y` (centre of a box in inches from the lower left
# corner), and for items the `side` of their construct on which they are placed.
new_arrangement_value <- function(page, size, items, between, places) {
  list(page = page, size = size, items = items, between = between, places = places)
}

arrangement_yaml <- function(x) {
  if (is.null(x)) return(character())
  number <- function(value) {
    format(round(value, 4L), trim = TRUE, scientific = FALSE, drop0trailing = TRUE)
  }
  side <- ifelse(nzchar(x$places$side), paste0(", side: ", x$places$side), "")
  c("arrangement:", paste0("  page: [", paste(number(x$page), collapse = ", "), "]"),
    paste0("  size: ", number(x$size)), paste0("  items: ", x$items),
    paste0("  between: ", if (x$between) "true" else "false"), "  places:",
    paste0("    ", yaml_text(x$places$name), ": {x: ", number(x$places$x), ", y: ",
           number(x$places$y), side, "}"))
}

arrangement_from <- function(content, file) {
  if (is.null(content)) return(NULL)
  where <- "arrangement"
  mapping(content, where, file)
  known_keys(names(content), c("page", "size", "items", "between", "places"), file, where)
  refuse <- function(what) {
    abort("file", c(text_of("arrangement_is_wrong", file = file, what = what),
                    i = text_of("arrangement_can_be_left_out")))
  }
  numbers <- function(x, what, count) {
    value <- suppressWarnings(as.numeric(unlist(x)))
    if (length(value) != count || !all(is.finite(value)) || any(abs(value) > 1000)) refuse(what)
    value
  }
  one_of <- function(x, choices, what) {
    if (!is.character(x) || length(x) != 1L || !x %in% choices) refuse(what)
    x
  }
  page <- numbers(content$page, "page", 2L)
  size <- numbers(content$size, "size", 1L)
  if (any(page < 1)) refuse("page")
  if (size <= 0 || size > 10) refuse("size")
  places <- content$places
  if (length(places) == 0L) refuse("places")
  mapping(places, paste0(where, ", places"), file)
  rows <- lapply(names(places), function(name) {
    mapping(places[[name]], paste0(where, ", ", name), file)
    known_keys(names(places[[name]]), c("x", "y", "side"), file, paste0(where, ", ", name))
    list(name = name, x = numbers(places[[name]]$x, name, 1L),
         y = numbers(places[[name]]$y, name, 1L),
         side = one_of(places[[name]]$side %||% "", arrangement_sides, name))
  })
  new_arrangement_value(page, size, one_of(content$items, c("row", "column"), "items"),
                        one_of(content$between, c("true", "false"), "between") == "true",
                        do.call(Map, c(list(c), rows)))
}

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

# `env` is NULL for text from a file, which is never evaluated.
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
