# Where the boxes, lines and labels of a path diagram go: an arrangement is a value, in inches on a
# page, and can be checked without drawing. The core is arranged in layers from left to right, items
# outside it, curves outside the items; labels are placed last.

# `table`: a layout; `text`: label of each parameter row ("" for none); `strength`: standardized
# size; `nudge`: boxes to move; `tags`: further texts beside constructs, by name; `saved`: an
# arrangement to keep to, where it has a place for all of them.
arrange_diagram <- function(table, text, strength, nudge = NULL, page = diagram_page,
                            tags = NULL, saved = NULL) {
  plan <- core_plan(table, strength)
  plan$saved <- saved
  table$in_matrix <- matrix_rows(table, plan)
  if (length(table$in_matrix) == 0L)
    return(best_arrangement(table, plan, text, strength, nudge, page, tags))
  cells <- covariance_matrix(table, table$in_matrix, base_points * 0.9)
  found <- best_arrangement(table, plan, text, strength, nudge, page, tags)
  found$matrix <- in_free_corner(cells, found)
  if (!is.null(found$matrix)) return(found)
  # no corner is free: a strip of the page beside or below, whichever leaves the diagram larger
  left <- page - c(max(cells$x) + 0.3, 0)
  above <- page - c(0, diff(range(cells$y)) + 3 * matrix_line)
  beside <- largest_size(table, plan, text, left) >= largest_size(table, plan, text, above)
  found <- best_arrangement(table, plan, text, strength, nudge, if (beside) left else above, tags)
  with_matrix_apart(found, cells, page)
}

largest_size <- function(table, plan, text, page) {
  max(0, vapply(placements(table, plan, text, page, 14L), `[[`, 0, "unit"))
}

# The best of the searched drafts, where there are any; other plans where these have conflicts or
# are small.
best_arrangement <- function(table, plan, text, strength, nudge, page, tags) {
  kept <- saved_placement(table, plan, text, page)
  if (!is.null(kept))
    return(new_arrangement(table, kept$plan, apply_nudge(kept$nodes, nudge), kept$unit, page, text,
                           strength, tags))
  tried <- placements(table, plan, text, page, 14L, searched = TRUE)
  largest <- max(0, vapply(tried, `[[`, 0, "unit"))
  best <- if (largest >= legible_unit)
    first_without_conflict(tried, table, text, strength, nudge, page, tags)
  if (!is.null(best) && best$conflicts == 0L) return(best)
  tried <- c(tried, placements(table, plan, text, page, 14L))
  if (max(vapply(tried, `[[`, 0, "unit")) < legible_unit)
    tried <- c(tried, placements(table, plan, text, page, 9L, searched = TRUE),
               placements(table, plan, text, page, 9L))
  first_without_conflict(tried, table, text, strength, nudge, page, tags)
}

# Of placements in order of preference, the first without conflicts, or the one with the fewest.
first_without_conflict <- function(tried, table, text, strength, nudge, page, tags) {
  best <- NULL
  for (one in by_preference(tried, page)) {
    placed <- apply_nudge(spread_over(one$nodes, one$unit, page, !one$plan$between), nudge)
    if (!is.null(best) && boxes_meet(placed)) next
    found <- new_arrangement(table, one$plan, placed, one$unit, page, text, strength, tags)
    if (is.null(best) || found$conflicts < best$conflicts) best <- found
    if (best$conflicts == 0L) break
  }
  best
}

# Each plan with its boxes placed and the size at which it fits the page. `most`: characters of a
# name on one line; `searched`: the plans of the search, or the usual ones.
placements <- function(table, plan, text, page, most, searched = FALSE) {
  nodes <- sized_nodes(table, plan, text, most)
  channel <- max(0.75, 1.3 * max(c(0, text_box(text, base_points * 0.9)$w)) + 0.25)
  plans <- if (searched) searched_hangings(plan, table, nodes, page, channel) else
    arrangement_plans(table, plan)
  lapply(plans, function(one) {
    placed <- place_nodes(nodes, one, table, channel)
    if (boxes_meet(placed)) {
      one$apart <- TRUE
      placed <- place_nodes(nodes, one, table, channel)
    }
    placed <- curve_room(placed, one, table)
    list(plan = one, nodes = placed, unit = page_unit(placed, page))
  })
}

# The plans in the order they are tried: the first that is legible, or nearly as large as any; the
# others by size; then all with more room between the boxes, which makes them smaller.
by_preference <- function(tried, page) {
  units <- vapply(tried, `[[`, 0, "unit")
  # with so many boxes that no letter can be read on this page, the largest plan is used
  if (max(units) < hopeless_unit) return(tried[utils::head(order(-units), 2L)])
  fine <- which(units >= min(0.88 * max(units), legible_unit))
  order <- utils::head(c(fine[1L], setdiff(order(-units), fine[1L])), 6L)
  airy <- lapply(c(1.25, 1.6), function(air) {
    lapply(tried[utils::head(order, 4L)], function(one) {
      one$nodes[c("x", "y")] <- lapply(one$nodes[c("x", "y")], `*`, air)
      one$unit <- page_unit(one$nodes, page)
      one
    })
  })
  c(tried[order], do.call(c, airy))
}

new_arrangement <- function(table, plan, nodes, unit, page, text, strength, tags = NULL) {
  edges <- c(residual_edges(table, nodes, unit, plan),
             loading_edges(table, nodes, plan, unit))
  edges <- core_edges(table, nodes, plan, unit, edges, page)
  edges <- c(edges, covariance_edges(table, nodes, plan, unit, edges, page))
  edges <- lapply(edges, function(edge) {
    edge$ends <- c(table$rows$first[edge$row], table$rows$second[edge$row])
    edge$text <- text[edge$row]
    edge$strength <- strength[edge$row]
    edge
  })
  drawn <- list(plan = plan, nodes = nodes, unit = unit)
  nodes <- nodes[nodes$kind != "lane", ]
  edges <- c(edges, tag_edges(tags, nodes, unit))
  edges <- disturbances_turned(edges, nodes, unit, page)
  edges <- place_labels(edges, nodes, base_points * unit * 0.9, page)
  list(nodes = nodes, edges = edges, text_size = base_points * unit, page = page,
       conflicts = count_conflicts(nodes, edges, page), drawn = drawn)
}

# Boxes, labels and lines that overlap each other, or extend beyond the page: another plan is tried
# then.
count_conflicts <- function(nodes, edges, page) {
  boxes <- outlines(nodes)
  labelled <- which(!vapply(edges, function(e) is.null(e$box), NA))
  labels <- do.call(rbind, c(list(matrix(0, 0L, 4L)), lapply(edges[labelled], `[[`, "box")))
  scene <- label_scene(edges, nodes, page)
  on_heads <- vapply(seq_along(labelled), function(k) {
    foreign <- scene$tips[scene$tip_of != labelled[k], , drop = FALSE]
    points_near(labels[k, , drop = FALSE], foreign, head_room) > 0
  }, NA)
  through <- vapply(edges, function(e) boxes_hit(e$path, nodes, e$ends, -0.004), 0L)
  overlapping(boxes) + overlapping(labels) + sum(overlap_areas(labels, boxes) > 0) + sum(on_heads) +
    sum(through > 0L) + sum(off_the_page(labels, page) > 0) + sum(off_the_page(boxes, page) > 0)
}

# The number of boxes that overlap another box of the same set.
overlapping <- function(box) {
  area <- (box[, 2L] - box[, 1L]) * (box[, 4L] - box[, 3L])
  sum(overlap_areas(box, box) > 0.2 + area + 1e-9)
}

boxes_meet <- function(nodes) overlapping(outlines(nodes[nodes$kind != "lane", ])) > 0L

# The largest size at which the boxes and everything beside them fit on the page.
page_unit <- function(nodes, page) {
  across <- max(nodes$x + nodes$w / 2 + nodes$over_right) -
    min(nodes$x - nodes$w / 2 - nodes$over_left)
  down <- max(nodes$y + nodes$h / 2 + nodes$over_up) -
    min(nodes$y - nodes$h / 2 - nodes$over_down)
  largest <- largest_unit * max(1, min(page / diagram_page))
  min(largest, (page[[1L]] - 2 * page_margin) / across,
      (page[[2L]] - 2 * page_margin) / down)
}

# Boxes grow with the unit, distances until the page is used. `close`: items stay close to their
# constructs.
spread_over <- function(nodes, unit, page, close = TRUE) {
  sizes <- c("w", "h", "over_left", "over_right", "over_up", "over_down", "residual")
  nodes[sizes] <- lapply(nodes[sizes], `*`, unit)
  # an item that stands on one side of its construct moves with it and stays close
  owner <- match(nodes$owner, nodes$name)
  owner[!close | (nodes$dx == 0 & nodes$dy == 0)] <- NA
  nodes$x <- spread_axis(nodes$x, nodes$w / 2 + nodes$over_left, nodes$w / 2 + nodes$over_right,
                         unit, page[[1L]], owner,
                         ifelse(nodes$dx != 0, item_away, item_along))
  nodes$y <- spread_axis(nodes$y, nodes$h / 2 + nodes$over_down, nodes$h / 2 + nodes$over_up,
                         unit, page[[2L]], owner,
                         ifelse(nodes$dy != 0, item_away, item_along))
  nodes
}

# `owner`: the place of each item's construct; `most`: by how much an item may move away from it.
spread_axis <- function(at, before, after, unit, room, owner, most) {
  held <- !is.na(owner)
  moved <- function(factor) {
    out <- at * factor
    away <- at[held] - at[owner[held]]
    out[held] <- out[owner[held]] + away * pmin(factor, unit * most[held])
    out
  }
  extent <- function(factor) max(moved(factor) + after) - min(moved(factor) - before)
  free <- room - 2 * page_margin
  factor <- widest_spread * unit
  if (extent(factor) > free) {
    low <- unit
    for (step in 1:40) {
      middle <- (low + factor) / 2
      if (extent(middle) > free) factor <- middle else low <- middle
    }
    factor <- low
  }
  at <- moved(factor)
  at + (room - max(at + after) - min(at - before)) / 2
}

# A construct takes its items along, unless they are moved themselves.
apply_nudge <- function(nodes, nudge) {
  if (is.null(nudge)) return(nodes)
  if (!is.data.frame(nudge) || !all(c("name", "dx", "dy") %in% names(nudge)) ||
      !is.numeric(nudge$dx) || !is.numeric(nudge$dy) || anyNA(nudge)) {
    abort("input", c(text_of("nudge_must_be_data"),
                     i = text_of("dx_dy_are_inches")))
  }
  known <- nodes$name[nodes$kind != "lane"]
  unknown <- setdiff(nudge$name, known)
  if (length(unknown))
    abort("name", c(text_of("nothing_diagram_is_called", unknown = quoted(unknown[1L])),
                    did_you_mean(unknown[1L], known)))
  twice <- nudge$name[duplicated(nudge$name)]
  if (length(twice))
    abort("input", text_of("nudge_moves_twice_give", twice = quoted(twice[1L])))
  by <- ifelse(nodes$name %in% nudge$name, nodes$name, nodes$owner)
  at <- match(by, nudge$name)
  moved <- !is.na(at)
  nodes$x[moved] <- nodes$x[moved] + nudge$dx[at[moved]]
  nodes$y[moved] <- nodes$y[moved] + nudge$dy[at[moved]]
  nodes
}

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

# Where long effects pass the layers between their ends: beside the boxes of that layer.
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

# Covariances of many exogenous constructs as a matrix: its cells, and where they stand beside or
# below the diagram. Pure.

fewest_in_matrix <- 4L
most_as_curves <- 8L      # constructs of a model without effects
full_size_matrix <- 9L    # constructs; larger matrices have smaller cells
matrix_line <- 0.19    # inches from row to row

# Covariances of many exogenous constructs with items, and of other variables beside them, would
# cover a diagram: they are shown as a matrix below it. NULL for few.
matrix_rows <- function(table, plan) {
  first <- plan$order[[1L]]
  fewest <- if (length(plan$order) < 2L) most_as_curves + 1L else fewest_in_matrix
  if (sum(first %in% plan$owner) < fewest) return(NULL)
  rows <- drawn_covariances(table)
  rows[table$rows$first[rows] %in% first & table$rows$second[rows] %in% first]
}

# Names and cells of the matrix: text or the row of the parameter, and where they stand.
covariance_matrix <- function(table, rows, points) {
  names <- unique(c(table$rows$first[rows], table$rows$second[rows]))
  count <- length(names)
  smaller <- min(1, full_size_matrix / count)
  points <- points * smaller
  wide <- max(text_box(paste(count, names), points)$w)
  cell <- 0.42 * smaller
  height <- function(k) matrix_line * smaller * (count - k + 0.8)
  a <- match(table$rows$first[rows], names)
  b <- match(table$rows$second[rows], names)
  number <- as.character(seq_len(count))
  list_frame(list(
    x = c(rep(page_margin, count), page_margin + wide + cell * seq_len(count - 1L),
          page_margin + wide + cell * pmin(a, b)),
    y = c(height(seq_len(count)), rep(height(0), count - 1L), height(pmax(a, b))),
    text = c(paste(number, names), number[-count], rep("", length(rows))),
    side = rep(c(0, 1), c(count, count - 1L + length(rows))),
    row = c(rep(NA_integer_, 2L * count - 1L), rows),
    points = rep(points, 2L * count - 1L + length(rows))))
}

# The cells moved to a corner without any other element; NULL when there is none.
in_free_corner <- function(cells, found) {
  page <- found$page
  width <- max(cells$x) + 0.3
  height <- max(cells$y) + matrix_line
  boxes <- rbind(outlines(found$nodes),
                 do.call(rbind, lapply(found$edges, function(edge) edge$box)))
  points <- do.call(rbind, lapply(found$edges, function(edge) dense(edge$path, 0.07)))
  for (corner in list(c(1, 0), c(0, 0), c(1, 1), c(0, 1))) {
    shift <- corner * (page - c(width, height))
    ground <- rbind(c(shift[1L], shift[1L] + width, shift[2L], shift[2L] + height))
    if (overlap_areas(ground, boxes) > 0 || points_near(ground, points, 0.05) > 0) next
    cells$x <- cells$x + shift[1L]
    cells$y <- cells$y + shift[2L]
    return(cells)
  }
  NULL
}

# The matrix in the strip that the diagram leaves free: to the right of it, or below, for which the
# diagram moves up.
with_matrix_apart <- function(found, cells, page) {
  up <- page[[2L]] - found$page[[2L]]
  if (up == 0) {
    cells$x <- cells$x + found$page[[1L]]
    cells$y <- cells$y + page[[2L]] - max(cells$y) - matrix_line
  }
  found$nodes$y <- found$nodes$y + up
  found$edges <- lapply(found$edges, function(edge) {
    edge$path[, 2L] <- edge$path[, 2L] + up
    if (!is.null(edge$label)) {
      edge$label[2L] <- edge$label[2L] + up
      edge$box[3:4] <- edge$box[3:4] + up
    }
    edge
  })
  found$page <- page
  found$matrix <- cells
  found
}
