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

captured_dots <- function(quosures, verb) {
  named <- names(quosures)[nzchar(names(quosures))]
  if (length(named)) {
    abort("input", c(text_of("does_not_know", verb = verb, named = named[1L]),
                     i = text_of("see_arguments_names_are", verb = verb)))
  }
  parts <- lapply(unname(quosures), capture_names, what = paste0(verb, "()"))
  list(names = unlist(lapply(parts, `[[`, "names")), hints = unlist(lapply(parts, `[[`, "hints")))
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

#' Leave items or constructs out
#'
#' Drops items or constructs from everywhere in the blueprint: constructs,
#' effects, covariances and restrictions; or a single effect or covariance. Everything that is
#' removed with them is reported.
#'
#' @param .bp A blueprint.
#' @param ... Names of items, observed variables or constructs, or addresses such as
#'   `effect[years, Calm]`.
#' @param group Leave them out in this group only, when the model is fitted to several.
#' @return The blueprint without them.
#' @section Errors: `orizzonte_error_name` for a name that is not in the
#'   blueprint (the nearest is given); `orizzonte_error_input` when a construct
#'   would be left without items.
#' @seealso [amend()] to leave something out of a fitted model, with a reason.
#' @examples
#' blueprint("Craft") |>
#'   construct("Craft", reflected_in = cr1:cr4) |>
#'   leave_out(cr4)
#' @export
leave_out <- function(.bp, ..., group = NULL) {
  check_arguments("leave_out", dots = TRUE)
  check_blueprint(.bp, "leave_out")
  gone <- captured_dots(rlang::enquos(...), "leave_out")$names
  if (length(gone) == 0L)
    abort("input", c(text_of("leave_out_needs_name"), i = text_of("such_leave_out_cr4")))
  variables <- blueprint_variables(.bp)
  known <- c(variables$constructs, variables$observed)
  paths <- setdiff(grep(path_pattern, gone, value = TRUE), known)
  for (path in paths) .bp <- without_path(.bp, path, group)
  gone <- setdiff(gone, paths)
  if (length(gone) == 0L) return(.bp)
  unknown <- setdiff(gone, known)
  if (length(unknown))
    abort("name", c(text_of("is_not_blueprint", unknown = quoted(unknown[1L])),
                    did_you_mean(unknown[1L], known)))
  if (!is.null(group)) {
    check_string(group, "`group`")
    .bp$left_out[[group]] <- union(.bp$left_out[[group]], gone)
    return(.bp)
  }
  .bp$constructs <- constructs_without(.bp$constructs, gone)
  keep <- !(.bp$effects$from %in% gone | .bp$effects$to %in% gone)
  .bp$effects <- lapply(.bp$effects, function(x) x[keep])
  for (verb in c("covary", "uncorrelate")) {
    keep <- !(.bp[[verb]]$first %in% gone | .bp[[verb]]$second %in% gone)
    .bp[[verb]] <- lapply(.bp[[verb]], function(x) x[keep])
  }
  .bp <- without_statements(.bp, gone, function(text) {
    address <- parse_address(text)
    any(c(address$first, address$second) %in% gone)
  })
  .bp$repeated <- repeated_without(.bp$repeated, gone)
  .bp$wording <- .bp$wording[setdiff(names(.bp$wording), gone)]
  .bp
}

path_pattern <- paste0("^(", paste(path_kinds, collapse = "|"), ")\\[")

# The blueprint without one effect or covariance, and without the statements about it.
without_path <- function(bp, path, group) {
  address <- parse_address(path)
  if (!is.null(group) || !is.null(address$group) || length(address$first) != 1L ||
      length(address$second) != 1L)
    abort("input", c(text_of("one_path_in_all_groups", path = path),
                     i = text_of("fix_path_in_group", path = path)))
  if (address$kind == "effect") {
    known <- address_format("effect", bp$effects$from, bp$effects$to)
    keep <- known != path
    if (all(keep)) abort("name", c(text_of("is_not_blueprint", unknown = path),
                                   did_you_mean(path, known)))
    bp$effects <- lapply(bp$effects, function(x) x[keep])
  } else {
    key <- pair_key(address$first, address$second)
    keep <- pair_key(bp$covary$first, bp$covary$second) != key
    # one that is there unless something else is said
    if (all(keep)) return(without_statements(add_pairs(bp, c(address$first, address$second),
                                                       "uncorrelate"), path,
                                             function(text) without_group(text) == path))
    bp$covary <- lapply(bp$covary, function(x) x[keep])
  }
  without_statements(bp, path, function(text) without_group(text) == path)
}

# Restrictions, quantities, and claims that mention a removed variable are removed with it, and
# said. `mentions`: whether an address does.
without_statements <- function(.bp, gone, mentions) {
  lost <- vapply(.bp$restrict, function(r) any(vapply(restriction_addresses(r), mentions, NA)), NA)
  if (any(lost)) say(text_of("left_out_with", gone = enumerate(gone),
                             lost = enumerate(vapply(.bp$restrict[lost], format_restriction, ""))))
  .bp$restrict <- .bp$restrict[!lost]
  lost <- vapply(.bp$quantities, function(text) any(vapply(quantity_addresses(text), mentions, NA)),
                 NA)
  if (any(lost)) say(text_of("left_out_with", gone = enumerate(gone),
                             lost = enumerate(paste0("quantity[", names(.bp$quantities)[lost],
                                                     "]"))))
  .bp$quantities <- .bp$quantities[!lost]
  lost <- vapply(.bp$claims, function(text) any(vapply(claim_addresses(text), mentions, NA)), NA)
  if (any(lost)) say(text_of("claims_left_out_with", gone = enumerate(gone), count = sum(lost),
                             claims = enumerate(names(.bp$claims)[lost])))
  .bp$claims <- .bp$claims[!lost]
  .bp$relax <- Filter(function(text) !mentions(text), .bp$relax)
  for (key in c("hold_equal", "hold_equal_times", "let_differ")) {
    kinds <- .bp[[key]] %in% c(hold_kinds, hold_slices)
    gone_too <- !kinds &
      vapply(.bp[[key]], function(text) grepl("[", text, fixed = TRUE) && mentions(text), NA)
    .bp[[key]] <- .bp[[key]][!gone_too]
  }
  .bp$start_at <- .bp$start_at[!vapply(names(.bp$start_at), mentions, NA)]
  .bp
}

# Constructs that stay, each without the items that go.
constructs_without <- function(constructs, gone) {
  constructs <- constructs[setdiff(names(constructs), gone)]
  for (name in names(constructs)) {
    part <- constructs[[name]]
    part$items <- setdiff(part$items, gone)
    if (length(part$items) == 0L) {
      abort("input", c(text_of("without_nothing_measures", gone = enumerate(gone), name = name),
                       i = text_of("leave_out_well", name = name)))
    }
    part$fixed <- part$fixed[!names(part$fixed) %in% gone]
    if (isTRUE(part$scale %in% gone)) part["scale"] <- list(NULL)
    constructs[[name]] <- part
  }
  constructs
}
