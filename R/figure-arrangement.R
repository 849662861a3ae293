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

# The best of the searched drafts, where there are any; other plans where these conflict or are
# small.
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
  # so many boxes that no letter can be read on this page: the largest will do
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

# Boxes, labels and lines that are in each other's way, or off the page: another plan is tried then.
count_conflicts <- function(nodes, edges, page) {
  boxes <- outlines(nodes)
  labelled <- which(!vapply(edges, function(e) is.null(e$box), NA))
  labels <- do.call(rbind, c(list(matrix(0, 0L, 4L)), lapply(edges[labelled], `[[`, "box")))
  scene <- label_scene(edges, nodes, page)
  on_heads <- vapply(seq_along(labelled), function(k) {
    foreign <- scene$tips[scene$tip_of != labelled[k], , drop = FALSE]
    points_near(labels[k, , drop = FALSE], foreign, head_room) > 0
  }, NA)
  through <- vapply(edges, function(e) boxes_hit(dense(e$path, 0.04), nodes, e$ends, -0.004), 0L)
  overlapping(boxes) + overlapping(labels) + sum(overlap_areas(labels, boxes) > 0) + sum(on_heads) +
    sum(through > 0L) + sum(off_the_page(labels, page) > 0) + sum(off_the_page(boxes, page) > 0)
}

# The number of boxes that overlap another box of the same set.
overlapping <- function(box) {
  area <- (box[, 2L] - box[, 1L]) * (box[, 4L] - box[, 3L])
  sum(overlap_areas(box, box) > 0.2 + area + 1e-9)
}

boxes_meet <- function(nodes) overlapping(outlines(nodes[nodes$kind != "lane", ])) > 0L

# The largest size at which boxes and what is beside them fit on the page.
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
