# The lines of a path diagram: straight where nothing is in the way, bent where necessary, along the
# lanes of their layers where there is no other way.

# --- geometry ----------------------------------------------------------------------------------

inside_node <- function(points, node, margin = 0) {
  dx <- abs(points[, 1L] - node$x)
  dy <- abs(points[, 2L] - node$y)
  if (!identical(node$kind, "observed")) (dx / (node$w / 2 + margin))^2 +
    (dy / (node$h / 2 + margin))^2 <= 1
  else dx <= node$w / 2 + margin & dy <= node$h / 2 + margin
}

# Boxes as the core wants them: those in `rows` of a table of nodes. Constructs are round.
core_boxes <- function(nodes, rows = seq_along(nodes$x)) {
  list(x = nodes$x[rows], y = nodes$y[rows], w = nodes$w[rows], h = nodes$h[rows],
       round = nodes$kind[rows] != "observed")
}

# The nodes that a line must not cross.
in_the_way <- function(nodes, except) which(nodes$kind != "lane" & !nodes$name %in% except)

# The part of a line between the outlines of its two nodes, ends on the outlines.
clip <- function(points, from, to) core_clipped(points, core_boxes(from), core_boxes(to))

node_at <- function(nodes, name) {
  at <- match(name, nodes$name)
  list(name = name, kind = nodes$kind[at], x = nodes$x[at], y = nodes$y[at], w = nodes$w[at],
       h = nodes$h[at], dx = nodes$dx[at], dy = nodes$dy[at], owner = nodes$owner[at],
       layer = nodes$layer[at], residual = nodes$residual[at])
}
centre <- function(node) c(node$x, node$y)

# The point at which a ray from the centre of a node crosses the outline.
rim <- function(node, angle) {
  d <- c(cos(angle), sin(angle))
  r <- if (identical(node$kind, "observed")) {
    min(node$w / 2 / max(abs(d[1L]), 1e-9), node$h / 2 / max(abs(d[2L]), 1e-9))
  } else {
    1 / sqrt((d[1L] / (node$w / 2))^2 + (d[2L] / (node$h / 2))^2)
  }
  centre(node) + (r + 0.012) * d
}

# The number of nodes that a line crosses.
boxes_hit <- function(path, nodes, except, margin) {
  core_boxes_crossed(path, core_boxes(nodes, in_the_way(nodes, except)), margin, 0.04)
}

# The straight pieces of lines: x, y, x, y, number of the line, and the cost of crossing it.
pieces_of <- function(edges, number = seq_along(edges)) {
  do.call(rbind, lapply(seq_along(edges), function(i) {
    path <- edges[[i]]$path
    path <- path[unique(round(seq(1, nrow(path), length.out = min(nrow(path), 13L)))), ,
                 drop = FALSE]
    weight <- if (edges[[i]]$type %in% c("loading", "weight")) 3 else 1
    cbind(path[-nrow(path), , drop = FALSE], path[-1L, , drop = FALSE], number[i], weight)
  }))
}

# The best of several ways: through no box, on the page, crossing few lines, short and straight.
# `values`: the boxes of the residual values. Crossing a loading counts three times.
best_way <- function(ways, nodes, values, except, drawn, unit, page,
                     extra = numeric(length(ways))) {
  best <- core_best_way(ways, extra, core_boxes(nodes, in_the_way(nodes, except)),
                        core_boxes(values), if (is.null(drawn)) matrix(0, 0L, 6L) else drawn, page,
                        unit)
  if (best > 0L) ways[[best]]
}

# Boxes of the residual values of items: above these where they stand between two constructs.
residual_values <- function(nodes, unit, between) {
  items <- nodes[nodes$residual > 0 & (nodes$dx != 0 | nodes$dy != 0), ]
  away <- residual_length * unit
  if (between) {
    return(list(name = items$name, kind = rep("observed", nrow(items)), x = items$x - items$w / 4,
                y = items$y + items$h / 2 + 0.24 * unit, w = items$residual,
                h = rep(0.15 * unit, nrow(items))))
  }
  list(name = items$name, kind = rep("observed", nrow(items)),
       x = items$x + items$dx * (items$w / 2 + away + items$residual / 2),
       y = items$y + items$dy * (items$h / 2 + away + 0.08 * unit), w = items$residual,
       h = rep(0.15 * unit, nrow(items)))
}

# --- residuals ---------------------------------------------------------------------------------

residual_edges <- function(table, nodes, unit, plan) {
  rows <- which(table$rows$kind == "variance" & table$rows$first %in% table$endogenous)
  between <- plan$between
  lapply(rows, function(row) {
    node <- node_at(nodes, table$rows$first[row])
    item <- !is.na(node$owner)
    # above: the core, and items with a construct on either side
    direction <- if (!item || between) c(0, 1) else c(node$dx, node$dy)
    edge <- centre(node) + direction * c(node$w, node$h) / 2
    if (item && between) edge[1L] <- edge[1L] - node$w / 4
    list(row = row, type = "residual", node = node$name, turns = !item,
         path = rbind(edge + direction * (if (item && between) 0.16 else residual_length) * unit,
                      edge))
  })
}

# Short texts beside constructs. They are placed like the value of a residual, but without an arrow.
tag_edges <- function(tags, nodes, unit) {
  named <- intersect(names(tags), nodes$name)
  lapply(named, function(name) {
    list(row = NA_integer_, type = "residual", node = name, turns = TRUE, tag = TRUE,
         path = tag_ways(node_at(nodes, name), unit)[[1L]],
         ends = c(name, NA), text = tags[[name]], strength = NA_real_)
  })
}

# Places of a tag: above and below its construct, to the right or left or in the middle.
tag_ways <- function(node, unit) {
  places <- expand.grid(up = c(1, -1), across = c(0.4, -0.4, 0, 0.6, -0.6))
  ways <- Map(function(up, across) {
    tip <- c(node$x + across * node$w, node$y + up * node$h / 2)
    rbind(tip + c(0, up * 0.03 * unit), tip)
  }, places$up, places$across)
  beside <- lapply(c(1, -1), function(right) {
    tip <- c(node$x + right * node$w / 2, node$y)
    rbind(tip + c(right * 0.03 * unit, 0), tip)
  })
  c(ways, beside)
}

# The residual arrows of the core point in the direction with the fewest obstacles.
disturbances_turned <- function(edges, nodes, unit, page) {
  turning <- which(vapply(edges, function(e) isTRUE(e$turns), NA))
  if (length(turning) == 0L) return(edges)
  scene <- label_scene(edges, nodes, page)
  still <- !scene$point_of %in% turning
  angles <- c(90, 60, 120, 270, 300, 240, 45, 135, 315, 225, 20, 160, 340, 200) * pi / 180
  # the other residuals already have their values in place
  taken <- do.call(rbind, c(list(matrix(0, 0L, 4L)), lapply(edges, function(e) {
    if (e$type != "residual" || isTRUE(e$turns) || !nzchar(e$text)) return(NULL)
    residual_label(e$path, text_box(e$text, base_points * 0.9 * unit))
  })))
  for (i in turning) {
    node <- node_at(nodes, edges[[i]]$node)
    size <- text_box(edges[[i]]$text, base_points * 0.9 * unit)
    ways <- if (isTRUE(edges[[i]]$tag)) tag_ways(node, unit) else lapply(angles, function(angle) {
      tip <- rim(node, angle)
      rbind(tip + residual_length * unit * c(cos(angle), sin(angle)), tip)
    })
    box <- do.call(rbind, lapply(ways, residual_label, size = size))
    # the arrow takes room as well
    whole <- do.call(rbind, lapply(seq_along(ways), function(k) {
      c(min(box[k, 1L], ways[[k]][, 1L]), max(box[k, 2L], ways[[k]][, 1L]),
        min(box[k, 3L], ways[[k]][, 2L]), max(box[k, 4L], ways[[k]][, 2L]))
    }))
    foreign <- scene$nodes[nodes$name != node$name, , drop = FALSE]
    cost <- 20 * overlap_areas(whole, foreign) + 20 * overlap_areas(whole, taken) +
      0.5 * points_near(whole, scene$points[still, , drop = FALSE], 0.02) +
      points_near(whole, scene$tips[!scene$tip_of %in% turning, , drop = FALSE], head_room) +
      40 * off_the_page(whole, page) + 0.1 * seq_along(ways)
    best <- which.min(cost)
    edges[[i]]$path <- ways[[best]]
    taken <- rbind(taken, whole[best, ])
  }
  edges
}

# --- arrows ------------------------------------------------------------------------------------

# Between constructs and their items: to the middle of the side that faces the construct.
loading_edges <- function(table, nodes, plan, unit) {
  items <- nodes$name[!is.na(nodes$owner)]
  rows <- which(table$rows$kind %in% c("loading", "weight") &
                (table$rows$first %in% items | table$rows$second %in% items))
  item <- ifelse(table$rows$first[rows] %in% items, table$rows$first[rows],
                 table$rows$second[rows])
  construct <- ifelse(item == table$rows$first[rows], table$rows$second[rows],
                      table$rows$first[rows])
  own <- nodes$owner[match(item, nodes$name)] == construct
  # own items first: the others are routed between them
  order <- order(!own)
  values <- residual_values(nodes, unit, plan$between)
  edges <- list()
  for (k in order) {
    from <- node_at(nodes, construct[k])
    to <- node_at(nodes, item[k])
    straight <- clip(rbind(centre(from), facing(to, from, plan)), from,
                     replace(to, c("w", "h"), list(0, 0)))
    path <- if (own[k]) straight[c(1L, nrow(straight)), ] else
      foreign_loading(from, to, straight, nodes, values, edges, unit, plan)
    if (table$rows$kind[rows[k]] == "weight") path <- path[rev(seq_len(nrow(path))), ]
    edges[[length(edges) + 1L]] <- list(row = rows[k], type = table$rows$kind[rows[k]],
                                        path = path)
  }
  edges
}

# The midpoint of the side of an item at which a line from a construct ends.
facing <- function(item, construct, plan) {
  if (item$dy != 0) return(c(item$x, item$y - item$dy * item$h / 2))
  side <- if (plan$between) sign(construct$x - item$x) else -item$dx
  c(item$x + side * item$w / 2, item$y)
}

foreign_loading <- function(from, to, straight, nodes, values, edges, unit, plan) {
  end <- facing(to, from, plan)
  ways <- c(list(straight), lapply(c(0.2, -0.2, 0.45, -0.45, 0.8, -0.8, 1.3, -1.3) * unit,
                                   function(offset) {
    clip(bend(centre(from), end, offset), from, replace(to, c("w", "h"), list(0, 0)))
  }))
  best_way(ways, nodes, values, c(from$name, to$name), pieces_of(edges), unit, c(Inf, Inf),
           c(0, rep(0.5, 8L)))
}

# Among the core: straight, slightly bent, or along the lanes.
core_edges <- function(table, nodes, plan, unit, drawn, page) {
  arrows <- plan$arrows
  halves <- layer_halves(nodes, plan)
  values <- residual_values(nodes, unit, plan$between)
  key <- paste(arrows$from, arrows$to, sep = "\r")
  for (i in order(lengths(plan$chains))) {
    from <- node_at(nodes, arrows$from[i])
    to <- node_at(nodes, arrows$to[i])
    mutual <- paste(arrows$to[i], arrows$from[i], sep = "\r") %in% key
    offsets <- if (mutual) c(0.14, 0.25) else
      c(0, 0.15, -0.15, 0.35, -0.35, 0.6, -0.6, 0.95, -0.95)
    ways <- lapply(offsets * unit, function(offset) {
      clip(bend(centre(from), centre(to), offset), from, to)
    })
    lanes <- list(lane_way(nodes, plan$chains[[i]], halves),
                  lane_below(nodes, plan$chains[[i]], halves, unit))
    lanes <- Filter(Negate(is.null), lanes)
    if (arrows$back[i]) lanes <- lapply(lanes, function(lane) lane[rev(seq_len(nrow(lane))), ])
    swings <- if (!mutual && length(plan$chains[[i]]) > 2L) swung_ways(from, to, nodes, unit)
    if (!mutual) ways <- c(ways, lapply(c(swings, lanes), clip, from, to))
    # a line with several bends only where every arc would be in the way
    extra <- c(abs(offsets), rep(1.5, length(swings)), if (!mutual) rep(4, length(lanes)))
    path <- best_way(ways, nodes, values, c(from$name, to$name), pieces_of(drawn), unit, page,
                     extra)
    drawn <- c(drawn, list(list(row = arrows$row[i], type = table$rows$kind[arrows$row[i]],
                                path = path)))
  }
  drawn
}

# Around everything that stands between two variables, in one wide arc above or below it.
swung_ways <- function(from, to, nodes, unit) {
  low <- min(from$x, to$x)
  high <- max(from$x, to$x)
  between <- nodes$x + nodes$w / 2 > low & nodes$x - nodes$w / 2 < high
  passed <- nodes[nodes$kind != "lane" & between & !nodes$name %in% c(from$name, to$name), ]
  if (nrow(passed) == 0L) return(list())
  ends <- c(from$y, to$y)
  levels <- c(max(passed$y + passed$h / 2 + passed$over_up, ends),
              min(passed$y - passed$h / 2 - passed$over_down, ends)) + c(0.12, -0.12) * unit
  shapes <- expand.grid(level = levels, leave = c(0, 0.2, 0.4), arrive = c(0, 0.2, 0.4),
                        deep = c(0, 0.4 * unit))
  lapply(seq_len(nrow(shapes)), function(k) {
    shape <- shapes[k, ]
    level <- shape$level + sign(shape$level - mean(ends)) * shape$deep
    # a cubic curve reaches three quarters of the way to its inner points
    control <- ends + (level - ends) / 0.75
    across <- to$x - from$x
    cubic(centre(from), c(from$x + shape$leave * across, control[1L]),
          c(to$x - shape$arrive * across, control[2L]), centre(to), 61L)
  })
}

# Half the width that each layer's boxes take to the left and right of its core.
layer_halves <- function(nodes, plan) {
  lapply(seq_along(plan$order), function(l) {
    core <- nodes[nodes$name %in% plan$order[[l]], ]
    mine <- nodes[nodes$owner %in% plan$order[[l]] & plan$side[l] == 0, ]
    both <- rbind(core, mine)
    c(max(core$x[1L] - both$x + both$w / 2), max(both$x - core$x[1L] + both$w / 2)) + 0.05
  })
}

# Along the lanes until under (or over) the target, and up (or down) into it. NULL without lanes.
lane_below <- function(nodes, chain, halves, unit) {
  if (length(chain) < 3L) return(NULL)
  before <- lane_way(nodes, chain[-length(chain)], halves)
  at <- match(chain[c(length(chain) - 1L, length(chain))], nodes$name)
  corner <- c(nodes$x[at[2L]], nodes$y[at[1L]])
  last <- rbind(before[nrow(before), ], corner, c(nodes$x[at[2L]], nodes$y[at[2L]]))
  rbind(before, rounded(last, 0.6 * unit)[-1L, ])
}

# Level through each layer, an S between them.
lane_way <- function(nodes, chain, halves) {
  x <- nodes$x[match(chain, nodes$name)]
  y <- nodes$y[match(chain, nodes$name)]
  layer <- nodes$layer[match(chain, nodes$name)]
  path <- rbind(c(x[1L], y[1L]))
  for (k in seq_along(chain)[-1L]) {
    a <- c(x[k - 1L] + halves[[layer[k - 1L]]][2L], y[k - 1L])
    b <- c(x[k] - halves[[layer[k]]][1L], y[k])
    if (b[1L] < a[1L]) a[1L] <- b[1L] <- (a[1L] + b[1L]) / 2
    reach <- c((b[1L] - a[1L]) * 0.5, 0)
    path <- rbind(path, cubic(a, a + reach, b - reach, b))
  }
  rbind(path, c(x[length(x)], y[length(y)]))
}

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
    column <- if (side == 0) "" else if (side < 0) "over_left" else "over_right"
    arcs <- column_arcs(table, names)
    if (side != 0 && !is_two_columns(plan) && length(arcs$span)) {
      mine <- nodes$name %in% names
      nodes[mine, column] <- pmax(nodes[mine, column],
                                  arc_reach + arc_step * (max(arcs$span) - 1) + 0.2)
    }
  }
  nodes
}

# Checks for covariances between constructs on opposite sides of their items.
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
  if (plan$side[l] == 0) return(if (l == 1L) -1 else 1)
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
  first <- table$rows$first[rows]
  second <- table$rows$second[rows]
  edges <- list()
  values <- residual_values(nodes, unit, plan$between)
  # short ones first
  distance <- abs(nodes$x[match(first, nodes$name)] - nodes$x[match(second, nodes$name)]) +
    abs(nodes$y[match(first, nodes$name)] - nodes$y[match(second, nodes$name)])
  pieces <- pieces_of(drawn)
  for (k in order(distance)) {
    path <- curve_between(node_at(nodes, first[k]), node_at(nodes, second[k]), nodes, values, plan,
                          unit, pieces, page)
    edges[[length(edges) + 1L]] <- list(row = rows[k], type = "covariance", path = path)
    pieces <- rbind(pieces, pieces_of(edges[length(edges)], length(drawn) + length(edges)))
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
  drop <- start[2L] - end[2L]
  # flat between close neighbours
  reach <- min((arc_reach + arc_step * (span - 1)) * unit, 0.33 * drop)
  out <- side * (reach * 4 / 3)
  # clear of wide ones between
  passed <- nodes$layer == from$layer & is.na(nodes$owner) & nodes$y < from$y & nodes$y > to$y
  edge <- side * max(side * c(start[1L], end[1L]),
                     side * nodes$x[passed] + nodes$w[passed] / 2 - 0.5 * reach)
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
