#' Keep the arrangement of a path diagram
#'
#' Saves where the boxes of a path diagram stand, so that all later diagrams of the blueprint look
#' alike: those of its groups, and of later versions of the model in which the same variables are
#' related in another way. An arrangement that was improved with `nudge =` is kept in the same way.
#'
#' @param x A blueprint, or a fit from [fit_model()].
#' @param diagram A path diagram from [path_diagram()], or `NULL` to forget the arrangement.
#' @param ... Must be empty: an argument by another name is an error.
#' @return `x` with the arrangement. [write_blueprint()] writes it into the file of the blueprint
#'   under the key `arrangement`: the page in inches, the size of the texts (1 is 9 points), and the
#'   middle of each box (`x` and `y`, in inches from the lower left corner).
#' @details Constructs and items may be left out later on, and effects, covariances and loadings may
#'   be added; the boxes are moved closer together where this needs room at the edge of the page.
#'   When a variable is added that has no place in the arrangement, the diagram is
#'   arranged anew and a message says so. On a page of another size, or with several groups side by
#'   side, all distances are scaled.
#' @section Errors: `orizzonte_error_input` for anything but a blueprint or a fit, and for a diagram
#'   that [path_diagram()] did not draw.
#' @seealso [path_diagram()], whose argument `nudge` moves single boxes.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be3) |>
#'   construct("Calm", reflected_in = sc1:sc3) |>
#'   effect(Calm ~ Belonging)
#' moved <- path_diagram(bp, nudge = data.frame(name = "Calm", dx = 0.5, dy = 0))
#' bp <- arrange_as(bp, moved)
#' path_diagram(covary(bp, be1, be2))    # as before, with one covariance more
#' @export
arrange_as <- function(x, diagram, ...) {
  check_arguments("arrange_as")
  if (!inherits(x, c("orizzonte_blueprint", "orizzonte_fit")))
    abort("input", c(text_of("arranges_blueprint_or_fit"),
                     x = text_of("it_is_of_kind", value = describe(x))))
  value <- if (inherits(diagram, "orizzonte_pages")) attr(diagram[[1L]], "arrangement") else
    attr(diagram, "arrangement")
  if (!is.null(diagram) && is.null(value))
    abort("input", c(text_of("arrangement_needs_diagram"),
                     i = text_of("such_arrange_as")))
  if (inherits(x, "orizzonte_blueprint")) {
    x$arrangement <- value
    return(x)
  }
  bp <- check_fit(x, "arrange_as")$request$blueprint
  bp$arrangement <- value
  with_blueprint(x, bp)
}

# The value of an arrangement that was drawn.
arrangement_value <- function(found) {
  drawn <- found$drawn
  nodes <- drawn$nodes[drawn$nodes$kind != "lane", ]
  side <- ifelse(is.na(nodes$owner), "none",
                 ifelse(nodes$dx < 0, "left", ifelse(nodes$dx > 0, "right",
                        ifelse(nodes$dy > 0, "up", ifelse(nodes$dy < 0, "down", "none")))))
  # no more digits than a file holds
  new_arrangement_value(as.numeric(found$page), round(drawn$unit, 4L), drawn$plan$hang,
                        drawn$plan$between,
                        list(name = nodes$name, x = round(nodes$x, 4L), y = round(nodes$y, 4L),
                             side = unname(arrangement_sides[side])))
}

# The boxes of `table` at their saved places; NULL where none is saved, or one has no place.
saved_placement <- function(table, plan, text, page) {
  saved <- plan$saved
  if (is.null(saved)) return(NULL)
  nodes <- sized_nodes(table, plan, text, 14L)
  at <- match(nodes$name, saved$places$name)
  if (anyNA(at)) return(NULL)
  scale <- page[1:2] / saved$page
  unit <- saved$size * min(1, scale)
  nodes$x <- saved$places$x[at] * scale[[1L]]
  nodes$y <- saved$places$y[at] * scale[[2L]]
  side <- saved$places$side[at]
  nodes$dx <- (side == "right") - (side == "left")
  nodes$dy <- (side == "up") - (side == "down")
  layer <- rep(seq_along(plan$order), lengths(plan$order))
  nodes <- rbind(nodes, saved_lanes(nodes, plan, layer))
  nodes$layer[match(unlist(plan$order), nodes$name)] <- layer
  plan$order <- lapply(plan$order, function(names) {
    names[order(-nodes$y[match(names, nodes$name)])]
  })
  plan$side <- vapply(plan$order, function(names) {
    sides <- unique(nodes$dx[nodes$owner %in% names])
    if (length(sides) == 1L) sides else 0
  }, 0)
  plan[c("hang", "between", "tight")] <- list(saved$items, saved$between, FALSE)
  nodes <- curve_room(item_room(nodes, plan), plan, table)
  sizes <- c("w", "h", "over_left", "over_right", "over_up", "over_down", "residual")
  nodes[sizes] <- lapply(nodes[sizes], `*`, unit)
  nodes$x <- within_page(nodes$x, nodes$w / 2 + nodes$over_left, nodes$w / 2 + nodes$over_right,
                         page[[1L]])
  nodes$y <- within_page(nodes$y, nodes$h / 2 + nodes$over_down, nodes$h / 2 + nodes$over_up,
                         page[[2L]])
  list(plan = plan, nodes = nodes, unit = unit)
}

# Places are moved together only as far as something new would otherwise leave the page, such as the
# residual covariance of two items at its edge.
within_page <- function(at, before, after, room) {
  low <- page_margin
  high <- room - page_margin
  if (min(at - before) >= low - 0.01 && max(at + after) <= high + 0.01) return(at)
  first <- which.min(at - before)
  last <- which.max(at + after)
  if (at[last] <= at[first]) return(at)
  to <- c(max(low + before[first], at[first]), min(high - after[last], at[last]))
  to[1L] + (at - at[first]) * diff(to) / (at[last] - at[first])
}

# Where long effects pass the layers between their ends: beside the boxes there.
saved_lanes <- function(nodes, plan, layer) {
  lanes <- lane_nodes(setdiff(unlist(plan$order), nodes$name))
  for (k in seq_along(lanes$name)) {
    chain <- Find(function(names) lanes$name[k] %in% names, plan$chains)
    ends <- match(chain[c(1L, length(chain))], nodes$name)
    share <- (match(lanes$name[k], chain) - 1) / (length(chain) - 1)
    lanes$x[k] <- sum(nodes$x[ends] * c(1 - share, share))
    lanes$y[k] <- sum(nodes$y[ends] * c(1 - share, share))
  }
  lanes
}
