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
#'   variables that nothing points at.
#' @param scale Overrides the blueprint's scale setting for this construct:
#'   `"marker"`, `"unit"`, `"average"`, or the name of the item to use as marker.
#' @param ... Must be empty: an argument by another name is an error.
#' @return The blueprint with the construct added.
#' @section Errors: `orizzonte_error_duplicate` when the construct or an
#'   item within it is declared twice; `orizzonte_error_input` when nothing
#'   measures it or the scale names no item of it.
#' @seealso [effect()] and [covary()] for relations, [set_scale()] for scales, [wording()] for item
#'   texts.
#' @examples
#' blueprint("Stage calm") |>
#'   construct("Calm", reflected_in = c(sc1, sc2, sc3, sc4), scale = "sc2")
#' @export
construct <- function(.bp, name, reflected_in, composed_of, scale = NULL, ...) {
  check_arguments("construct", optional = c("reflected_in", "composed_of"),
                  unnamed = "Items go into one c(), as in reflected_in = c(be1, be2, be3).")
  check_blueprint(.bp, "construct")
  check_string(name, "The name of a construct")
  if (!missing(reflected_in) && !missing(composed_of)) {
    check_together(sys.call(), name)
    abort("input",
          c(paste0("Construct ", quoted(name),
                   " cannot be both reflected in and composed of items."),
            i = paste0("Choose one: do the items share a cause (reflected_in), or do they make ",
                       "up the construct (composed_of)?")))
  }
  kind <- if (missing(composed_of)) "reflective" else "composite"
  items <- if (kind == "composite") rlang::enquo(composed_of) else if (!missing(reflected_in))
    rlang::enquo(reflected_in)
  captured <- if (is.null(items)) NULL else capture_names(items, paste0("construct ", quoted(name)))
  add_hints(add_construct(.bp, name, captured$names, captured$values, scale, kind), captured$hints)
}

# Items given one by one land in other arguments.
check_together <- function(call, name) {
  given <- as.list(call)[-1L]
  unnamed <- if (is.null(names(given))) given else given[!nzchar(names(given))]
  items <- vapply(unnamed[-(1:2)], deparse_one, "")
  if (length(items) < 2L) return(invisible())
  abort("input", c(paste0("The items of construct ", quoted(name), " must be given together."),
                   i = paste0("Write construct(", quoted(name), ", reflected_in = c(",
                              paste(items, collapse = ", "), ")).")))
}

# The number of covariances grows with the square of the number of constructs.
most_constructs <- 500L
most_items <- 2000L

check_construct_size <- function(bp, name, items) {
  if (length(bp$constructs) >= most_constructs)
    abort("size", paste0("A blueprint holds at most ", most_constructs, " constructs; ",
                         quoted(name), " is one too many."))
  if (length(items) > most_items)
    abort("size", paste0("Construct ", quoted(name), " has ", format_count(length(items)),
                         " items; at most ", format_count(most_items), " are allowed."))
}

add_construct <- function(bp, name, items, values = NULL, scale = NULL, kind = "reflective") {
  check_construct_size(bp, name, items)
  values <- values %||% rep(NA_real_, length(items))
  if (name %in% names(bp$constructs)) {
    abort("duplicate", c(paste0("Construct ", quoted(name), " is declared twice."),
                         i = paste0("Give the second one another name, or put all items into ",
                                    "one construct().")))
  }
  if (length(items) == 0L) {
    abort("input", c(paste0("Construct ", quoted(name), " is measured by nothing."),
                     i = paste0("Name its items: construct(", quoted(name),
                                ", reflected_in = c(item1, item2, item3)).")))
  }
  if (name %in% items) {
    abort("input", c(paste0("Construct ", quoted(name), " cannot be its own item."),
                     i = "Give the construct a name that no item has."))
  }
  if (anyDuplicated(items)) {
    abort("duplicate",
          paste0("Item ", quoted(items[duplicated(items)][1L]), " is named twice in construct ",
                 quoted(name), "."))
  }
  in_effect <- if (kind == "reflective") {
    bp$effects$from == name & bp$effects$to %in% items
  } else {
    bp$effects$to == name & bp$effects$from %in% items
  }
  if (any(in_effect)) {
    abort("duplicate",
          paste0("The same relation is declared twice: ", bp$effects$from[in_effect][1L], " -> ",
                 bp$effects$to[in_effect][1L], " is already an effect, and now a ",
                 if (kind == "reflective") "loading." else "weight."))
  }
  if (!is.null(scale)) check_scale(name, scale, items, kind)
  fixed <- values[!is.na(values)]
  names(fixed) <- items[!is.na(values)]
  bp$constructs[[name]] <- list(kind = kind, items = items, fixed = fixed, scale = scale)
  bp
}
