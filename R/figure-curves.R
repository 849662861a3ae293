# Covariances in a path diagram: curves with a head at either end, outside the measurement.

# How far the curve of two neighbours in a column swings out, and how much more for each one
# between.
arc_reach <- 0.3
arc_step <- 0.26

# Room for the curves of the outer layers beside their boxes.
curve_room <- function(nodes, plan, table) {
  if (plan$between && spans_items(table, plan)) nodes$over_up <- nodes$over_up + 0.25
  for (l in seq_along(plan$order)) {
    names <- plan$order[[l]]
    side <- curve_side(nodes, plan, l)
    ways <- ways_around(plan, table, nodes, l)
    column <- if (side == 0) "" else if (side < 0) "over_left" else "over_right"
    arcs <- column_arcs(table, names)
    if (side != 0 && !is_two_columns(plan) && length(arcs$span)) {
      mine <- nodes$name %in% names
      nodes[mine, column] <- pmax(nodes[mine, column],
                                  arc_reach + arc_step * (max(arcs$span) - 1) + 0.2)
    }
    if (!is.null(ways)) {
      outer <- if (plan$side[l] < 0) "over_left" else "over_right"
      mine <- nodes$owner %in% names | nodes$name %in% names
      nodes[mine, outer] <- nodes[mine, outer] + lane_width * max(ways$lane) + 0.24
    }
  }
  nodes
}

# Whether constructs on either side of their items covary.
spans_items <- function(table, plan) {
  rows <- drawn_covariances(table)
  layer <- rep(seq_along(plan$order), lengths(plan$order))
  of <- function(name) layer[match(name, unlist(plan$order))]
  a <- of(table$rows$first[rows])
  b <- of(table$rows$second[rows])
  any(!is.na(a) & !is.na(b) & a != b)
}

# The side of an outer layer on which its arcs have room: away from items, the outer one when there
# are none. 0: neither.
curve_side <- function(nodes, plan, l) {
  items <- any(nodes$owner %in% plan$order[[l]])
  count <- length(plan$order)
  if (plan$between) return(if (l == 1L) -1 else if (l == count) 1 else 0)
  if (count == 1L || is_two_columns(plan)) return(-plan$side[l])
  if (l > 1L && l < count) return(0)
  if (items) 0 else plan$side[l]
}

# Covariances within a layer and how many places apart their ends are.
column_arcs <- function(table, names) {
  rows <- drawn_covariances(table)
  a <- match(table$rows$first[rows], names)
  b <- match(table$rows$second[rows], names)
  within <- !is.na(a) & !is.na(b)
  list(row = rows[within], span = abs(a - b)[within])
}

covariance_edges <- function(table, nodes, plan, unit, drawn, page) {
  rows <- drawn_covariances(table)
  ways <- lapply(seq_along(plan$order),
                 function(l) metro_ways(table, nodes, plan, l, unit))
  ways <- do.call(c, ways)
  first <- table$rows$first[rows]
  second <- table$rows$second[rows]
  edges <- list()
  values <- residual_values(nodes, unit)
  # short ones first
  distance <- abs(nodes$x[match(first, nodes$name)] - nodes$x[match(second, nodes$name)]) +
    abs(nodes$y[match(first, nodes$name)] - nodes$y[match(second, nodes$name)])
  for (k in order(distance)) {
    path <- ways[[as.character(rows[k])]] %||%
      curve_between(node_at(nodes, first[k]), node_at(nodes, second[k]), nodes, values, plan, unit,
                    pieces_of(c(drawn, edges)), page)
    edges[[length(edges) + 1L]] <- list(row = rows[k], type = "covariance", path = path)
  }
  edges
}

curve_between <- function(from, to, nodes, values, plan, unit, drawn, page) {
  if (from$y < to$y) return(curve_between(to, from, nodes, values, plan, unit, drawn, page))
  both_items <- !is.na(from$owner) && !is.na(to$owner)
  generic <- bowed_ways(from, to, unit)
  if (both_items && !plan$between) {
    beside <- residual_arc(from, to, unit)
    if (!is.null(beside)) return(beside)
  }
  own <- list()
  if (is.na(from$owner) && is.na(to$owner) && plan$between && from$layer != to$layer)
    return(over_the_top(from, to, nodes, unit))
  if (is.na(from$owner) && is.na(to$owner) && from$layer == to$layer) {
    own <- column_ways(from, to, nodes, plan, unit)
    if (length(own) == 1L) return(own[[1L]])
  }
  extra <- c(numeric(length(own)), attr(generic, "extra") + length(own) * 0.3)
  best_way(c(own, generic), nodes, values, c(from$name, to$name), drawn, unit, page, extra)
}

bowed_ways <- function(from, to, unit) {
  offsets <- c(0.12, -0.12, 0.3, -0.3, 0.55, -0.55, 0.9, -0.9, 1.4, -1.4, 2, -2)
  structure(lapply(offsets * unit,
                   function(offset) clip(bend(centre(from), centre(to), offset), from, to)),
            extra = 0.5 * abs(offsets))
}

# Within a layer: an arc on the free side, or a straight link between neighbours.
column_ways <- function(from, to, nodes, plan, unit) {
  names <- Filter(function(x) !is_lane(x), plan$order[[from$layer]])
  span <- abs(match(from$name, names) - match(to$name, names))
  side <- curve_side(nodes, plan, from$layer)
  room <- (from$y - from$h / 2) - (to$y + to$h / 2)
  same <- abs(from$x - to$x) < 0.3 * unit
  link <- if (span == 1L && same && room > 0.4 * unit) {
    bow <- -0.07 * unit * (plan$side[from$layer] + (plan$side[from$layer] == 0))
    list(bend(rim(from, -pi / 2), rim(to, pi / 2), -bow))
  }
  arc <- function(side) list(outward_arc(from, to, side, span, unit, nodes))
  if (side == 0 || !same) return(if (length(link)) link else c(arc(1), arc(-1)))
  arc(side)
}

# Above all items, where these stand between the two.
over_the_top <- function(from, to, nodes, unit) {
  top <- max(nodes$y + nodes$h / 2 + nodes$over_up) - 0.06 * unit
  start <- rim(from, pi / 2)
  end <- rim(to, pi / 2)
  rounded(rbind(start, c(start[1L], top), c(end[1L], top), end), 0.3 * unit)
}

# An arc beside a column, from rim to rim: long ones start further out, so that they nest.
outward_arc <- function(from, to, side, span, unit, nodes) {
  lean <- (62 - 42 * min(1, (span - 1) / 5)) * pi / 180
  start <- rim(from, if (side < 0) pi + lean else -lean)
  end <- rim(to, if (side < 0) pi - lean else lean)
  reach <- (arc_reach + arc_step * (span - 1)) * unit
  out <- side * (reach * 4 / 3)
  # clear of wide ones between
  passed <- nodes$layer == from$layer & is.na(nodes$owner) & nodes$y < from$y & nodes$y > to$y
  edge <- side * max(side * c(start[1L], end[1L]),
                     side * nodes$x[passed] + nodes$w[passed] / 2 - 0.5 * reach)
  drop <- start[2L] - end[2L]
  cubic(start, c(edge + out, start[2L] - 0.12 * drop), c(edge + out, end[2L] + 0.12 * drop), end,
        61L)
}

# Arcs between items join their residuals' values, outside them; over the top for items side by
# side. NULL when the items stand elsewhere.
residual_arc <- function(from, to, unit) {
  beyond <- function(node, height) {
    if (node$residual == 0) 0.02 * unit else
      residual_length * unit + (if (height) 0.17 * unit else node$residual) + 0.07 * unit
  }
  if (from$dx != 0 && from$dx == to$dx && abs(from$x - to$x) < 0.05) {
    s <- from$dx
    start <- c(from$x + s * (from$w / 2 + beyond(from, FALSE)), from$y)
    end <- c(to$x + s * (to$w / 2 + beyond(to, FALSE)), to$y)
    out <- max(s * c(start[1L], end[1L])) * s +
      s * min(0.16 * unit + 0.1 * (from$y - to$y), 0.85 * unit)
    return(cubic(start, c(out, start[2L]), c(out, end[2L]), end, 41L))
  }
  if (from$dy != 0 && from$dy == to$dy && abs(from$y - to$y) < 0.05) {
    if (from$x > to$x) return(residual_arc(to, from, unit))
    s <- from$dy
    start <- c(from$x, from$y + s * (from$h / 2 + beyond(from, TRUE)))
    end <- c(to$x, to$y + s * (to$h / 2 + beyond(to, TRUE)))
    out <- start[2L] + s * min(0.16 * unit + 0.1 * (to$x - from$x), 0.6 * unit)
    return(cubic(start, c(start[1L], out), c(end[1L], out), end, 41L))
  }
  NULL
}

# Around the items of those between: out through the gap below the upper variable, down beside the
# items, back through the gap above the lower one. By row of the table.
metro_ways <- function(table, nodes, plan, l, unit) {
  ways <- ways_around(plan, table, nodes, l)
  if (is.null(ways)) return(NULL)
  names <- plan$order[[l]]
  s <- plan$side[l]
  near <- nodes[nodes$name %in% names | nodes$owner %in% names, ]
  over <- if (s < 0) near$over_left else near$over_right
  edge <- max(s * near$x + near$w / 2 + over)
  lanes <- max(ways$lane)
  slot <- gap_slots(ways, length(names))
  paths <- lapply(seq_along(ways$row), function(i) {
    a <- node_at(nodes, names[ways$above[i]])
    b <- node_at(nodes, names[ways$below[i]])
    out <- s * (edge - (0.22 + lane_width * (lanes - ways$lane[i])) * unit)
    high <- gap_height(nodes, names, ways$above[i], slot$start[i])
    low <- gap_height(nodes, names, ways$below[i] - 1L, slot$end[i])
    start <- rim(a, if (s < 0) pi * 1.36 else -pi * 0.36)
    end <- rim(b, if (s < 0) pi * 0.64 else pi * 0.36)
    corners <- rbind(start, c(start[1L] + s * 0.12 * unit, high), c(out, high), c(out, low),
                     c(end[1L] + s * 0.12 * unit, low), end)
    rounded(corners, 0.2 * unit)
  })
  stats::setNames(paths, ways$row)
}

# The share of a gap at which each curve passes: starts above ends, longer ones outside.
gap_slots <- function(ways, count) {
  start <- end <- numeric(length(ways$row))
  for (gap in seq_len(count - 1L)) {
    out <- which(ways$above == gap)
    back <- which(ways$below == gap + 1L)
    out <- out[order(-ways$below[out])]
    back <- back[order(-ways$above[back])]
    share <- seq_len(length(out) + length(back)) / (length(out) + length(back) + 1)
    start[out] <- share[seq_along(out)]
    end[back] <- share[length(out) + seq_along(back)]
  }
  list(start = start, end = end)
}

gap_height <- function(nodes, names, gap, share) {
  of <- function(k) nodes[nodes$name %in% names[k] | nodes$owner %in% names[k], ]
  above <- of(gap)
  below <- of(gap + 1L)
  top <- min(above$y - above$h / 2)
  bottom <- max(below$y + below$h / 2)
  top - share * (top - bottom)
}
