# Where the boxes, lines and labels of a path diagram go: an arrangement is a value, in inches on a
# page, and can be checked without drawing. The core is arranged in layers from left to right, items
# outside it, curves outside the items; labels are placed last.

diagram_page <- c(width = 10, height = 6.25)
page_margin <- 0.08
largest_unit <- 1.15    # how much larger than the base font a small diagram may come out on a page
legible_unit <- 0.75    # below it another plan is sought
widest_spread <- 2.4    # how far apart boxes may be drawn to use the page, against their size
item_away <- 1.15       # the same for the distance of items from their construct
item_along <- 1.5       # and for the distance between items

# `table`: a layout; `text`: label of each parameter row ("" for none); `strength`: standardized
# size; `nudge`: boxes to move; `tags`: further texts beside constructs, by name.
arrange_diagram <- function(table, text, strength, nudge = NULL, page = diagram_page,
                            tags = NULL) {
  plan <- core_plan(table, strength)
  table$in_matrix <- matrix_rows(table, plan)
  if (length(table$in_matrix) == 0L)
    return(best_arrangement(table, plan, text, strength, nudge, page, tags))
  cells <- covariance_matrix(table, table$in_matrix, base_points * 0.9)
  found <- best_arrangement(table, plan, text, strength, nudge, page, tags)
  found$matrix <- in_free_corner(cells, found)
  if (!is.null(found$matrix)) return(found)
  # no corner is free: a strip below the diagram
  above <- page
  above[[2L]] <- page[[2L]] - diff(range(cells$y)) - 3 * matrix_line
  found <- best_arrangement(table, plan, text, strength, nudge, above, tags)
  with_matrix_below(found, cells, page)
}

# The best of the searched drafts, where there are any; other plans where these conflict or are
# small.
best_arrangement <- function(table, plan, text, strength, nudge, page, tags) {
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

# The cells moved to a corner in which nothing else is drawn; NULL when there is none.
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

# Moves the diagram up by the height of the matrix.
with_matrix_below <- function(found, cells, page) {
  up <- page[[2L]] - found$page[[2L]]
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
  nodes <- nodes[nodes$kind != "lane", ]
  edges <- c(edges, tag_edges(tags, nodes, unit))
  edges <- disturbances_turned(edges, nodes, unit, page)
  edges <- place_labels(edges, nodes, base_points * unit * 0.9, page)
  list(nodes = nodes, edges = edges, text_size = base_points * unit, page = page,
       conflicts = count_conflicts(nodes, edges, page))
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

outlines <- function(nodes) {
  cbind(nodes$x - nodes$w / 2, nodes$x + nodes$w / 2, nodes$y - nodes$h / 2,
        nodes$y + nodes$h / 2)
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

# Where the boxes of a path diagram stand: the core in layers, items beside the first and the last
# layer and above or below those between. In inches at the size of the base font; the page comes
# later.

base_points <- 9
residual_length <- 0.2    # of the short arrow of a residual
item_pitch <- 0.29        # from item to item in a column
fan_width <- 1            # between a construct and its items

# A box a variable: its size, how it is drawn, where its residual points (dx, dy), and the room it
# takes beyond its outline on each side (`over_*`).
sized_nodes <- function(table, plan, values, most = 14L) {
  name <- c(plan$core, plan$items)
  kind <- ifelse(name %in% table$composites, "composite",
                 ifelse(name %in% table$constructs, "construct", "observed"))
  label <- wrap_name(name, most)
  observed <- kind == "observed"
  size <- text_box(label, base_points)
  bold <- text_box(label, base_points * 1.1, bold = TRUE)
  count <- length(name)
  list_frame(list(
    name = name, label = label, kind = kind,
    owner = c(rep(NA_character_, length(plan$core)), unname(plan$owner)),
    x = numeric(count), y = numeric(count),
    # an ellipse holds its text within its corners
    w = ifelse(observed, pmax(0.5, size$w + 0.08), pmax(0.85, bold$w * 1.22 + 0.1)),
    h = ifelse(observed, size$h + 0.05, bold$h * 1.35 + 0.12),
    dx = numeric(count), dy = numeric(count), layer = unname(plan$layer[name]),
    over_left = numeric(count), over_right = numeric(count), over_up = numeric(count),
    over_down = numeric(count), residual = residual_widths(table, values, name),
    tied = tied_items(table, name)))
}

# Width of the value at each variable's residual arrow; 0 where there is none.
residual_widths <- function(table, values, name) {
  rows <- which(table$rows$kind == "variance" & table$rows$first %in% table$endogenous)
  width <- stats::setNames(ifelse(nzchar(values[rows]),
                                  text_box(values[rows], base_points * 0.9)$w, 0.01),
                           table$rows$first[rows])
  found <- unname(width[name])
  ifelse(is.na(found), 0, found)
}

# The number of residual covariances of each item.
tied_items <- function(table, name) {
  rows <- table$rows$kind == "covariance" & !table$rows$assumed
  unname(vapply(name, function(x) sum(table$rows$first[rows] == x | table$rows$second[rows] == x),
                0L))
}

# The kinds of arrangement worth trying: each a list of layers, the side their items stand on (-1
# left, 1 right, 0 above and below), whether these stand between two constructs, and how items hang.
arrangement_plans <- function(table, plan) {
  flowing <- length(plan$order) > 1L
  if (flowing) return(flowing_plans(plan))
  loading <- table$rows$kind == "loading"
  general <- general_factors(split(table$rows$second[loading], table$rows$first[loading]))
  one <- c(plan, list(side = 1, hang = "row", between = FALSE))
  if (length(general)) return(bifactor_plans(plan, intersect(plan$core, general)))
  sharing <- names(plan$host)[plan$host != names(plan$host)]
  if (length(sharing) == 1L && length(plan$core) == 2L) {
    # two constructs of the same items, as in growth: items between them, no line crosses another
    one[c("order", "side", "between")] <- list(list(plan$host[[sharing]], sharing), c(1, 0), TRUE)
    return(list(one))
  }
  if (length(plan$core) < 2L) return(list(one))
  weight <- pmax(1, table_of(plan$owner, plan$core))
  half <- which.min(abs(cumsum(weight) - sum(weight) / 2))
  if (half == length(plan$core)) half <- half - 1L
  two <- one
  two$order <- list(plan$core[seq_len(half)], plan$core[-seq_len(half)])
  two$side <- c(-1, 1)
  list(one, two)
}

# The best drafts, with hanging items in rows or, where that is too wide, in columns. NULL for
# models without effects, and for constructs that share their items, which drafts do not know.
searched_hangings <- function(plan, table, nodes, page, channel) {
  if (length(plan$order) < 2L || any(plan$host != names(plan$host))) return(NULL)
  found <- searched_plans(plan, table, nodes, page, channel)
  do.call(c, lapply(c("row", "column"), function(hang) {
    lapply(found, function(one) c(one, list(hang = hang, tight = FALSE, between = FALSE)))
  }))
}

# Items of the outer layers beside them; or above and below, where long chains need the width.
flowing_plans <- function(plan) {
  inner <- rep(0, length(plan$order) - 2L)
  sides <- list(c(-1, inner, 1))
  if (length(plan$order) > 2L) sides <- c(sides, list(c(0, inner, 1), c(-1, inner, 0),
      c(0, inner, 0)))
  ends <- lengths(plan$order[c(1L, length(plan$order))])
  hung <- vapply(sides, function(side) {
    all(ends[side[c(1L, length(side))] == 0] == 1L)
  }, NA)
  do.call(c, lapply(sides[hung], function(side) {
    lapply(c("row", "column", "tight"), function(hang) {
      c(plan, list(side = side, hang = sub("tight", "column", hang), tight = hang == "tight",
                   between = FALSE))
    })
  }))
}

table_of <- function(x, levels) as.integer(table(factor(x, levels)))

# General factors in a column, items between them and the specific ones; large ones on two sides.
bifactor_plans <- function(plan, general) {
  specific <- setdiff(plan$core, general)
  one <- c(plan, list(hang = "row", between = TRUE))
  one$order <- list(general, specific)
  one$side <- c(0, -1)
  if (length(specific) < 2L) return(list(one))
  half <- seq_len(ceiling(length(specific) / 2))
  two <- one
  two$order <- list(specific[half], general, specific[-half])
  two$side <- c(1, 0, -1)
  list(one, two)
}

# Places all boxes of a plan. Returns the nodes, lanes among them.
place_nodes <- function(nodes, plan, table, channel) {
  lanes <- setdiff(unlist(plan$order), nodes$name)
  nodes <- rbind(nodes, lane_nodes(lanes))
  nodes$layer[match(unlist(plan$order), nodes$name)] <- rep(seq_along(plan$order),
      lengths(plan$order))
  nodes <- hang_sides(nodes, plan)
  if (!is.null(plan$place) && plan$hang == "row") {
    nodes[match(rownames(plan$place), nodes$name), c("x", "y")] <- plan$place
  } else {
    cells <- core_cells(nodes, plan, table)
    nodes <- place_layers_across(nodes, plan, cells, channel)
    nodes <- place_layers_down(nodes, plan, cells)
  }
  place_items(nodes, plan)
}

lane_nodes <- function(name) {
  count <- length(name)
  zero <- numeric(count)
  list_frame(list(name = name, label = rep("", count), kind = rep("lane", count),
                  owner = rep(NA_character_, count), x = zero, y = zero, w = zero,
                  h = rep(0.06, count), dx = zero, dy = zero, layer = integer(count),
                  over_left = zero, over_right = zero, over_up = zero, over_down = zero,
                  residual = zero, tied = integer(count)))
}

# Where items stand as seen from their construct: beside it in the outer layers; between them above
# in the upper half, below in the lower one, in turn when the layer holds one construct.
hang_sides <- function(nodes, plan) {
  turn <- 1
  for (l in seq_along(plan$order)) {
    names <- plan$order[[l]]
    if (isTRUE(plan$tight) && sum(!is_lane(names)) == 1L) names <- names[!is_lane(names)]
    for (k in seq_along(names)) {
      mine <- which(nodes$owner %in% names[k])
      if (length(mine) == 0L) next
      if (plan$side[l] != 0) {
        nodes$dx[mine] <- plan$side[l]
        next
      }
      middle <- (length(names) + 1) / 2
      up <- if (!is.null(plan$up)) plan$up[[names[k]]] else
        if (k < middle) 1 else if (k > middle) -1 else turn <- -turn
      nodes$dy[mine] <- up
    }
  }
  nodes
}

# The space that each core variable needs on each side, items included: left, right, up, down.
core_cells <- function(nodes, plan, table) {
  pitch <- if (plan$between) 0.52 else item_pitch
  name <- unlist(plan$order)
  host <- function(one) if (plan$between) one else plan$host[[one]]
  before <- function(one) if (plan$between) 1L else sum(plan$host == host(one))
  cells <- vapply(name, function(one) {
    node <- nodes[match(one, nodes$name), ]
    if (node$kind == "lane") return(c(0, 0, 0.14, 0.14))
    mine <- nodes[nodes$owner %in% host(one), ]
    own <- node$h / 2 + c(if (node$residual > 0) 0.42 else 0.1, 0.1)
    cell <- c(node$w / 2, node$w / 2, own)
    if (nrow(mine) == 0L) return(cell)
    beside <- if (plan$between) 0.1 else residual_room(mine)
    if (mine$dx[1L] != 0) {
      height <- max(nrow(mine) * max(pitch, mine$h + 0.07) / before(one), sum(own)) / 2
      out <- node$w / 2 + fan_room(plan) + max(mine$w) + beside
      return(c(if (mine$dx[1L] < 0) out else node$w / 2, if (mine$dx[1L] > 0) out else node$w / 2,
               height, height))
    }
    hung <- hung_size(mine, plan$hang)
    up <- mine$dy[1L] > 0
    c(max(node$w / 2, hung[1L]), max(node$w / 2, hung[2L]),
      if (up) node$h / 2 + hung[3L] else own[1L], if (up) own[1L] else node$h / 2 + hung[3L])
  }, numeric(4L))
  dimnames(cells) <- list(c("left", "right", "up", "down"), name)
  cells
}

fan_room <- function(plan) {
  if (!plan$between && any(plan$host != names(plan$host))) 1.6 * fan_width else fan_width
}

# Beyond an item: its residual arrow, its value, the arcs of its residual.
residual_room <- function(items) {
  if (!any(items$residual > 0)) return(0.06)
  residual_length + max(items$residual) + 0.06 + 0.3 * min(3, max(items$tied))
}

# Left, right and away: items in a row across, or in a column beside the way to the construct.
hung_size <- function(items, hang) {
  beyond <- if (any(items$residual > 0)) residual_length + 0.2 + 0.2 * min(3, max(items$tied)) else
    0.06
  if (hang == "row") {
    half <- sum(items$w + 0.1) / 2
    return(c(half, half, 0.75 * fan_width + max(items$h) + beyond))
  }
  c(0.1, 0.6 * fan_width + max(items$w) + residual_room(items),
    0.3 + nrow(items) * max(item_pitch, items$h + 0.07))
}

is_two_columns <- function(plan) {
  length(plan$order) == 2L && length(plan$arrows$row) == 0L && !plan$between
}

# All but those assumed of a composite's items, which the caption says are left out, and those shown
# as a matrix.
drawn_covariances <- function(table) {
  composed <- table$rows$first[table$rows$kind == "weight"]
  drawn <- which(table$rows$kind == "covariance" &
                   !(table$rows$assumed &
                       (table$rows$first %in% composed | table$rows$second %in% composed)))
  setdiff(drawn, table$in_matrix)
}

# Covariances of many exogenous constructs with items, and of other variables beside them, would
# cover a diagram: they are shown as a matrix below it. NULL for few.
matrix_rows <- function(table, plan) {
  first <- plan$order[[1L]]
  if (length(plan$order) < 2L || sum(first %in% plan$owner) < fewest_in_matrix) return(NULL)
  rows <- drawn_covariances(table)
  rows[table$rows$first[rows] %in% first & table$rows$second[rows] %in% first]
}

fewest_in_matrix <- 4L
matrix_line <- 0.19    # inches from row to row

# Names and cells of the matrix: text or the row of the parameter, and where they stand.
covariance_matrix <- function(table, rows, points) {
  names <- unique(c(table$rows$first[rows], table$rows$second[rows]))
  count <- length(names)
  wide <- max(text_box(paste(count, names), points)$w)
  cell <- 0.42
  height <- function(k) matrix_line * (count - k + 0.8)
  a <- match(table$rows$first[rows], names)
  b <- match(table$rows$second[rows], names)
  number <- as.character(seq_len(count))
  list_frame(list(
    x = c(rep(page_margin, count), page_margin + wide + cell * seq_len(count - 1L),
          page_margin + wide + cell * pmin(a, b)),
    y = c(height(seq_len(count)), rep(height(0), count - 1L), height(pmax(a, b))),
    text = c(paste(number, names), number[-count], rep("", length(rows))),
    side = rep(c(0, 1), c(count, count - 1L + length(rows))),
    row = c(rep(NA_integer_, 2L * count - 1L), rows)))
}

# x of each layer: each as close to those before as its boxes allow. Items hung on opposite sides of
# lone neighbours do not meet.
place_layers_across <- function(nodes, plan, cells, channel) {
  x <- numeric(length(plan$order))
  core <- function(l) max(c(0, nodes$w[match(plan$order[[l]], nodes$name)])) / 2
  lone <- function(l) {
    if (isTRUE(plan$apart)) return(FALSE)
    names <- plan$order[[l]]
    if (isTRUE(plan$tight)) names <- names[!is_lane(names)]
    length(names) == 1L && plan$side[l] == 0
  }
  hung <- function(l) {
    mine <- nodes$dy[nodes$owner %in% plan$order[[l]]]
    if (length(mine)) mine[1L] else 0
  }
  room <- function(l, side) max(c(0, cells[side, plan$order[[l]]]))
  for (l in seq_along(plan$order)[-1L]) for (k in seq_len(l - 1L)) {
    apart <- if (k == l - 1L && lone(k) && lone(l) && hung(k) * hung(l) <= 0) core(k) + core(l) else
      room(k, "right") + room(l, "left")
    if (k < l - 1L && lone(k) && lone(l) && hung(k) * hung(l) < 0) next
    gap <- if (k == l - 1L) channel else 0.15
    if (plan$between && k == l - 1L) gap <- fan_width
    x[l] <- max(x[l], x[k] + apart + gap)
  }
  at <- match(unlist(plan$order), nodes$name)
  nodes$x[at] <- rep(x, lengths(plan$order))
  nodes
}

# y of each core variable: stacked in order, then drawn towards its neighbours as far as order and
# room allow.
place_layers_down <- function(nodes, plan, cells) {
  links <- chain_links(plan$chains)
  y <- stats::setNames(numeric(ncol(cells)), colnames(cells))
  offsets <- lapply(plan$order, function(names) {
    up <- cells["up", names]
    down <- cells["down", names]
    cumsum(up) + c(0, cumsum(down)[-length(down)]) + 0.1 * (seq_along(names) - 1)
  })
  heights <- vapply(seq_along(plan$order), function(l) {
    names <- plan$order[[l]]
    max(offsets[[l]]) + cells["down", names[length(names)]]
  }, 0)
  # lone variables side by side stand level, whichever way their items hang
  lone <- unlist(plan$order[lengths(plan$order) == 1L])
  level <- if (length(lone)) max(cells["up", lone]) + max(cells["down", lone]) else 0
  tallest <- max(heights, level)
  for (l in seq_along(plan$order))
    y[plan$order[[l]]] <- offsets[[l]] + (tallest - heights[l]) / 2
  for (sweep in 1:8) {
    layers <- if (sweep %% 2L == 1L) seq_along(plan$order) else rev(seq_along(plan$order))
    for (l in layers) {
      names <- plan$order[[l]]
      wanted <- vapply(names, neighbour_mean, 0, links = links, y = y)
      z <- ifelse(is.na(wanted), y[names], wanted) - offsets[[l]]
      if (is.unsorted(z)) z <- stats::isoreg(z)$yf
      y[names] <- pmin(pmax(z, 0), tallest - heights[l]) + offsets[[l]]
    }
  }
  at <- match(names(y), nodes$name)
  nodes$y[at] <- -y
  nodes
}

# The mean height of what a variable is linked with; lanes count more, so that long arrows are
# straight.
neighbour_mean <- function(name, links, y) {
  linked <- c(links[links[, 1L] == name, 2L], links[links[, 2L] == name, 1L])
  if (length(linked) == 0L) return(NA_real_)
  stats::weighted.mean(y[linked], ifelse(is_lane(linked) & is_lane(name), 4, 1))
}

place_items <- function(nodes, plan) {
  for (l in seq_along(plan$order)) {
    names <- plan$order[[l]]
    widest <- max(nodes$w[nodes$name %in% names]) / 2
    column <- max(c(0, nodes$w[nodes$owner %in% names]))
    for (one in names) {
      mine <- which(nodes$owner %in% one)
      if (length(mine) == 0L) next
      node <- nodes[match(one, nodes$name), ]
      together <- names(plan$host)[plan$host == one]
      if (!plan$between && all(together %in% names))
        node$y <- mean(nodes$y[match(together, nodes$name)])
      count <- length(mine)
      pitch <- max(if (plan$between) 0.52 else item_pitch, nodes$h[mine] + 0.07)
      down <- pitch * ((count + 1) / 2 - seq_len(count))
      if (plan$side[l] != 0) {
        nodes$x[mine] <- node$x + plan$side[l] * (widest + fan_room(plan) + column / 2)
        nodes$y[mine] <- node$y + down
      } else {
        nodes <- hang_items(nodes, mine, node, plan$hang, pitch)
      }
    }
  }
  item_room(nodes, plan)
}

hang_items <- function(nodes, mine, node, hang, pitch) {
  s <- nodes$dy[mine][1L]
  if (hang == "row") {
    ends <- cumsum(nodes$w[mine] + 0.1)
    nodes$x[mine] <- node$x + ends - (nodes$w[mine] + 0.1) / 2 - max(ends) / 2
    nodes$y[mine] <- node$y + s * (node$h / 2 + 0.75 * fan_width + max(nodes$h[mine]) / 2)
  } else {
    steps <- if (s > 0) rev(seq_along(mine)) else seq_along(mine)
    nodes$x[mine] <- node$x + 0.1 + 0.6 * fan_width + max(nodes$w[mine]) / 2
    nodes$y[mine] <- node$y + s * (node$h / 2 + 0.2 + pitch * (steps - 0.5))
    nodes$dx[mine] <- 1
    nodes$dy[mine] <- 0
  }
  nodes
}

# The space that items and the core need beyond their outlines.
item_room <- function(nodes, plan) {
  items <- which(!is.na(nodes$owner))
  if (length(items)) {
    beyond <- if (plan$between) 0.05 else residual_room(nodes[items, ])
    nodes$over_left[items] <- ifelse(nodes$dx[items] < 0, beyond, 0.02)
    nodes$over_right[items] <- ifelse(nodes$dx[items] > 0, beyond, 0.02)
    away <- residual_length + 0.22 + 0.25 * min(2, max(nodes$tied[items]))
    nodes$over_up[items] <- ifelse(nodes$dy[items] > 0 | plan$between, away, 0.1)
    nodes$over_down[items] <- ifelse(nodes$dy[items] < 0, away, 0.1)
  }
  core <- which(is.na(nodes$owner) & nodes$kind != "lane" & nodes$residual > 0)
  nodes$over_up[core] <- 0.42
  nodes$over_down[core] <- 0.12
  nodes
}
