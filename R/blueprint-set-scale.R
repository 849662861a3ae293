#' Another scale for constructs
#'
#' Changes how constructs get their unit, for all of them or for some: `"marker"` (a loading is 1),
#' `"unit"` (the variance or disturbance variance is 1), `"average"` (the loadings average 1), or
#' the name of the item that serves as marker (for one construct).
#'
#' @param .bp A blueprint.
#' @param scale The setting, or for one construct the name of one of its items.
#' @param ... Constructs; none for all of them, whose own settings are then taken back.
#' @return The blueprint with the scale changed.
#' @section Errors: `orizzonte_error_input` for an unknown setting; `orizzonte_error_name` for a
#'   construct that is not declared.
#' @seealso [blueprint()], [construct()]
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
#' set_scale(bp, "unit")
#' set_scale(bp, "sc3", Calm)
#' @export
set_scale <- function(.bp, scale, ...) {
  check_arguments("set_scale", dots = TRUE)
  check_blueprint(.bp, "set_scale")
  if (missing(scale))
    abort("input",
          c(text_of("set_scale_needs_setting"),
            i = text_of("one_of", scale_settings = enumerate(quoted(scale_settings)))))
  check_string(scale, "`scale`")
  names <- captured_dots(rlang::enquos(...), "set_scale")$names
  if (length(names) == 0L) return(scale_everything(.bp, scale))
  for (name in names) {
    part <- .bp$constructs[[name]]
    if (is.null(part)) {
      known <- names(.bp$constructs)
      abort("name",
            c(text_of("there_is_no_construct", name = quoted(name)), did_you_mean(name, known)))
    }
    check_scale(name, scale, part$items, part$kind)
    .bp$constructs[[name]]$scale <- scale
  }
  .bp
}

scale_everything <- function(bp, scale) {
  bp$scale <- choose_one(scale, scale_settings, "`scale`")
  for (name in names(bp$constructs)) {
    if (bp$constructs[[name]]$kind == "reflective") bp$constructs[[name]]["scale"] <- list(NULL)
  }
  bp
}

# A setting, or one of the construct's items; a composite always has a marker weight.
check_scale <- function(name, scale, items, kind) {
  check_string(scale, "`scale`")
  if (!scale %in% c(scale_settings, items)) {
    abort("input",
          c(text_of("scale_construct_is_neither", name = quoted(name), scale = quoted(scale)),
            did_you_mean(scale, c(scale_settings, items)),
            i = text_of("settings_are_items_are",
                        scale_settings = enumerate(quoted(scale_settings)),
                        items = enumerate(items))))
  }
  if (kind == "composite" && scale %in% setdiff(scale_settings, "marker")) {
    abort("input", c(text_of("composite_takes_scale_from", name = quoted(name)),
                     i = text_of("name_item_that_carries_scale", items = quoted(items[1L]))))
  }
}
