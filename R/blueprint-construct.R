#' Add a construct and its items
#'
#' A construct is *reflected in* items (the construct causes them) or *composed
#' of* them (it is their weighted sum, without a disturbance: formative). Turning
#' one into the other is changing one word.
#'
#' @param .bp A blueprint, from [blueprint()].
#' @param name The construct's name, in quotes.
#' @param reflected_in The items that reflect it: names, a numbered range such
#'   as `be1:be4` (expanded without the data), `c(a, b)`, strings, or a call
#'   that gives names, such as `all_of(x)`. `c(w1 = 0, w2 = 1)` fixes loadings.
#'   An item may itself be a construct.
#' @param composed_of The items it is composed of, in the same notation. Its scale
#'   is always that of a marker weight of 1; items covary freely with all other
#'   exogenous variables.
#' @param scale Overrides the blueprint's scale setting for this construct:
#'   `"marker"`, `"unit"`, `"average"`, or the name of the item to use as marker.
#' @param ... Must be empty: an argument by another name is an error.
#' @return The blueprint with the construct added.
#' @section Errors: `orizzonte_error_duplicate` when the construct or an
#'   item within it is declared twice; `orizzonte_error_input` if it has no items or the scale names
#'   an item that it does not have.
#' @seealso [effect()] and [covary()] for relations, [set_scale()] for scales, [wording()] for item
#'   texts.
#' @examples
#' blueprint("Stage calm") |>
#'   construct("Calm", reflected_in = c(sc1, sc2, sc3, sc4), scale = "sc2")
#' @export
construct <- function(.bp, name, reflected_in, composed_of, scale = NULL, ...) {
  check_arguments("construct", optional = c("reflected_in", "composed_of"),
                  unnamed = text_of("items_go_into_one"))
  check_blueprint(.bp, "construct")
  check_string(name, text_of("the_name_of_construct"))
  if (!missing(reflected_in) && !missing(composed_of)) {
    check_together(sys.call(), name)
    abort("input",
          c(text_of("construct_cannot_be_both", name = quoted(name)),
            i = text_of("choose_one_do_items")))
  }
  kind <- if (missing(composed_of)) "reflective" else "composite"
  items <- if (kind == "composite") rlang::enquo(composed_of) else if (!missing(reflected_in))
    rlang::enquo(reflected_in)
  captured <- if (is.null(items)) NULL else capture_names(items,
      text_of("construct", name = quoted(name)))
  add_hints(add_construct(.bp, name, captured$names, captured$values, scale, kind), captured$hints)
}

# Items given one by one land in other arguments.
check_together <- function(call, name) {
  given <- as.list(call)[-1L]
  unnamed <- if (is.null(names(given))) given else given[!nzchar(names(given))]
  items <- vapply(unnamed[-(1:2)], deparse_one, "")
  if (length(items) < 2L) return(invisible())
  abort("input", c(text_of("items_construct_must_be", name = quoted(name)),
                   i = text_of("write_construct_reflected_c", name = quoted(name),
                               items = paste(items, collapse = ", "))))
}

# The number of covariances grows with the square of the number of constructs.
most_constructs <- 500L
most_items <- 2000L

check_construct_size <- function(bp, name, items) {
  if (length(bp$constructs) >= most_constructs)
    abort("size", text_of("blueprint_holds_most_constructs", most_constructs = most_constructs,
                          name = quoted(name)))
  if (length(items) > most_items)
    abort("size", text_of("construct_has_items_most", name = quoted(name),
                          items = format_count(length(items)),
                          most_items = format_count(most_items)))
}

add_construct <- function(bp, name, items, values = NULL, scale = NULL, kind = "reflective") {
  check_construct_size(bp, name, items)
  values <- values %||% rep(NA_real_, length(items))
  if (name %in% names(bp$constructs)) {
    abort("duplicate", c(text_of("construct_is_declared_twice", name = quoted(name)),
                         i = text_of("give_second_one_another")))
  }
  if (length(items) == 0L) {
    abort("input", c(text_of("construct_is_measured_nothing", name = quoted(name)),
                     i = text_of("name_items_construct_reflected", name = quoted(name))))
  }
  if (name %in% items) {
    abort("input", c(text_of("construct_cannot_be_own", name = quoted(name)),
                     i = text_of("give_construct_name_no")))
  }
  if (anyDuplicated(items)) {
    abort("duplicate",
          text_of("item_is_named_twice", items = quoted(items[duplicated(items)][1L]),
                  name = quoted(name)))
  }
  in_effect <- if (kind == "reflective") {
    bp$effects$from == name & bp$effects$to %in% items
  } else {
    bp$effects$to == name & bp$effects$from %in% items
  }
  if (any(in_effect)) {
    abort("duplicate",
          text_of("same_relation_is_declared", in_effect = bp$effects$from[in_effect][1L],
                  in_effect_2 = bp$effects$to[in_effect][1L],
                  kind = if (kind == "reflective") "loading." else "weight."))
  }
  if (!is.null(scale)) check_scale(name, scale, items, kind)
  fixed <- values[!is.na(values)]
  names(fixed) <- items[!is.na(values)]
  bp$constructs[[name]] <- list(kind = kind, items = items, fixed = fixed, scale = scale)
  bp
}

#' Another scale for constructs
#'
#' Changes how the scale of constructs is set, for all of them or for some: `"marker"` (a loading is
#' 1), `"unit"` (the variance or disturbance variance is 1), `"average"` (the loadings average 1),
#' or the name of the item that serves as marker (for one construct).
#'
#' @param .bp A blueprint.
#' @param scale The setting, or for one construct the name of one of its items.
#' @param ... Constructs. Without any, the setting applies to all constructs and replaces their own
#'   settings.
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
