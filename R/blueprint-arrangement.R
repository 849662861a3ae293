# A saved arrangement: where the boxes of a path diagram stand. It belongs to a blueprint, goes into
# its file, and is used again for all groups and for later versions of the model.

arrangement_sides <- c(none = "", left = "left", right = "right", up = "up", down = "down")

# `page`: width and height in inches; `size`: of the texts, where 1 is 9 points; `items`: those
# above or below a construct stand in a "row" or a "column"; `between`: items stand between two
# constructs. `places`: `name`, `x`, `y` (inches from the lower left corner, of the middle of a
# box), and for
# items the `side` of their construct on which they stand.
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
