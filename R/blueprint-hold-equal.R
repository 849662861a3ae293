#' Equality across groups, or over times
#'
#' `hold_equal()` states which parameters are equal in all groups, or at all times of [repeated()]
#' constructs; `let_differ()` states the exceptions. Both are part of the model: they are kept in
#' its file and its trail. Without groups (or times) the statements are kept, and a note explains
#' that they have no effect.
#'
#' Both take kinds of parameters, slices and single addresses, bare or quoted:
#' `loading`, `weight`, `intercept` (those of items), `effect`, `mean` (of constructs), `variance`,
#' `covariance`, and the narrower `loading[items]`, `loading[constructs]`, `intercept[items]`,
#' `mean[constructs]`, `mean[lower_order]` (of constructs that measure others), `variance[items]`,
#' `variance[constructs]`, `covariance[items]`, `covariance[constructs]`.
#' `let_differ()` frees exactly what it names, in one group when the address names one; it takes
#' precedence over `hold_equal()` in any order, and may be used alone, as an exemption from every
#' rung of [invariance()]. `hold_equal()` with the same address revokes it. Kinds never include
#' intercepts of outcomes or parameters of observed predictors.
#'
#' Over times, parameters that differ only in their time are held equal: loadings and intercepts of
#' the same item, variances, and covariances within a time, but never parameters that connect two
#' times. `let_differ()` frees from both; with `across = "times"` it frees over times alone, so that
#' a parameter may differ at this time but remains equal in all groups.
#'
#' A construct's variance that is fixed for its scale is free outside the first group (time) when
#' one of its loadings is held; its mean is when one of its items' intercepts is (Meredith 1993).
#'
#' @param .bp A blueprint.
#' @param ... Kinds, slices or addresses.
#' @param across What they are equal across: `"groups"` or `"times"`; of `let_differ()` what they
#'   may differ across: `"both"`, or `"times"` alone.
#' @return The blueprint with the statements added.
#' @section Errors: `orizzonte_error_address` for a kind or an address that does not exist, with
#'   the nearest name; `orizzonte_error_input` when nothing is named.
#' @references Meredith, W. (1993). Measurement invariance, factor analysis and factorial
#'   invariance. *Psychometrika, 58*, 525-543.
#' @seealso [invariance()], [loosen()], [restrict()]
#' @examples
#' calm <- blueprint("Calm") |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   hold_equal(loading, intercept) |>
#'   let_differ(loading[Calm, sc2])
#' fit <- fit_model(calm, choirs, by = setting)
#' fit
#' @export
hold_equal <- function(.bp, ..., across = "groups") {
  check_arguments("hold_equal", dots = TRUE)
  check_blueprint(.bp, "hold_equal")
  across <- choose_one(across, c("groups", "times"), "`across`")
  for (text in captured_holds(rlang::enquos(...), "hold_equal"))
    .bp <- add_equal(.bp, text, across)
  .bp
}

#' @rdname hold_equal
#' @export
let_differ <- function(.bp, ..., across = "both") {
  check_arguments("let_differ", dots = TRUE)
  check_blueprint(.bp, "let_differ")
  across <- choose_one(across, names(differ_keys), "`across`")
  for (text in captured_holds(rlang::enquos(...), "let_differ"))
    .bp <- add_different(.bp, text, across)
  .bp
}

held_keys <- c(groups = "hold_equal", times = "hold_equal_times")
differ_keys <- c(both = "let_differ", times = "let_differ_times")

add_equal <- function(bp, text, across = "groups") {
  key <- held_keys[[across]]
  if (text %in% bp[[key]])
    abort("duplicate", text_of("is_held_equal_across", value = text, across = across))
  for (other in differ_keys) if (text %in% bp[[other]]) {
    say(text_of("no_longer_differs", parameter = text))
    bp[[other]] <- setdiff(bp[[other]], text)
  }
  bp[[key]] <- c(bp[[key]], text)
  bp
}

add_different <- function(bp, text, across = "both") {
  own <- differ_keys[[across]]
  if (text %in% bp[[own]]) abort("duplicate", text_of("is_let_differ_twice", value = text))
  concerned <- if (across == "both") held_keys else held_keys[across]
  held <- vapply(concerned, function(key) text %in% bp[[key]], NA)
  if (any(held)) {
    say(text_of("no_longer_held_equal", parameter = text))
    for (key in concerned[held]) bp[[key]] <- setdiff(bp[[key]], text)
  }
  bp[[own]] <- c(bp[[own]], text)
  bp
}

# Kinds and addresses in dots: bare, in quotes, in c(), or from a call that gives texts.
captured_holds <- function(quosures, verb) {
  if (length(quosures) == 0L) {
    abort("input",
          c(text_of("needs_something_name", verb = verb),
            i = text_of("such_loading", verb = verb)))
  }
  vapply(captured_statements(quosures, paste0(verb, "()")), function(part) {
    if (is.character(part)) canonical_text_hold(part) else canonical_hold(part)
  }, "", USE.NAMES = FALSE)
}

canonical_text_hold <- function(text) {
  canonical_hold(parsed_text(text, not_an_address(text)))
}

hold_kinds <- c("loading", "weight", "intercept", "effect", "mean", "variance", "covariance")
hold_slices <- c("loading[items]", "loading[constructs]", "intercept[items]", "mean[constructs]",
                 "mean[lower_order]", "variance[items]", "variance[constructs]",
                 "covariance[items]", "covariance[constructs]")

# A rung is a name for the parameters that it holds equal.
rung_hint <- function(text) {
  held <- c(metric = "loading", scalar = "loading, intercept",
            strict = text_of("loading_intercept_variance_items"))[text]
  if (is.na(held)) return(NULL)
  c(i = text_of("hold_what_rung_holds", value = text, held = held))
}

# The text of a kind, a slice or an address as it is kept.
canonical_hold <- function(expression) {
  text <- deparse_one(expression)
  if (text %in% c(hold_kinds, hold_slices)) return(text)
  if (is.symbol(expression)) {
    abort("input", c(text_of("there_is_nothing_hold", value = quoted(text)),
                     rung_hint(text) %||% did_you_mean(text, hold_kinds),
                     i = text_of("kinds_or_single_addresses",
                                 hold_slices = enumerate(c(hold_kinds, hold_slices), most = 20L))))
  }
  restriction_address(expression, text)
}
