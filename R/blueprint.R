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
  # effects are stored cause first; a reader of Staying ~ years meets both, the cause is listed
  # first
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

# Names met as bare symbols that are also text variables of the caller: all_of() was probably meant.
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
