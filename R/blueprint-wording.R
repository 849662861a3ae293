#' Give the items their wording
#'
#' Item texts are shown wherever items are judged: in the summary, in residuals
#' and in reports. Column labels of the data are used where no wording is given.
#'
#' @param .bp A blueprint.
#' @param ... `item = "text"` pairs, or one named character vector.
#' @return The blueprint with the wordings added. A later wording of the same
#'   item overrides an earlier one, and says so.
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
