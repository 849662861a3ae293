# Where the nodes, lines and labels of a path diagram go. Pure geometry in inches on one 16:10 page
# (10 x 6.25), so that it can be tested for overlaps without drawing.

diagram_page <- c(width = 10, height = 6.25)

# `table`: layout of the fit; `text`: label of each parameter row ("" for none); `strength`:
# standardized size; `magnify`: how much larger than planned the texts come out, where several
# diagrams share a page.
diagram_layout <- function(table, text, strength, nudge = NULL, magnify = 1) {
  nodes <- apply_nudge(place_nodes(table, text), nudge)
  edges <- c(path_edges(table, nodes), covariance_edges(table, nodes, text),
             residual_edges(table, nodes))
  edges <- lapply(edges, function(edge) {
    edge$text <- text[edge$row]
    edge$strength <- strength[edge$row]
    edge
  })
  size <- attr(nodes, "text_size")
  list(nodes = nodes, edges = place_labels(edges, nodes, size * 0.9 * magnify), text_size = size)
}

# Width and height of a text in inches at a size in points.
text_box <- function(text, points) {
  list(w = nchar(text, "width") * points * 0.56 / 72 + 0.05, h = points * 1.25 / 72)
}

place_nodes <- function(table, text) {
  items <- pure_items(table)
  core <- c(table$constructs, setdiff(table$observed, items))
  layer <- core_layers(table, core)
  owner <- item_owner(table, items)
  flowing <- max(layer) > 1L
  residual <- table$rows$kind == "variance" & table$rows$first %in% items
  room <- max(c(0L, nchar(text[residual], "width")))           # characters beside an item
  tied <- any(table$rows$kind == "covariance" & table$rows$first %in% items &
              table$rows$second %in% items)
  general <- if (!flowing) general_factors(table, core)
  nodes <- if (flowing) {
    place_flowing(core, layer, items, owner, table, room, max(nchar(text)))
  } else if (length(general)) {
    place_bifactor(core, general, items, table)
  } else {
    place_measurement(core, items, owner, table, room, tied)
  }
  nodes$kind <- ifelse(nodes$name %in% table$composites, "composite",
                       ifelse(nodes$name %in% table$constructs, "construct", "observed"))
  nodes
}

# The construct an item hangs on: the first that declares it.
item_owner <- function(table, items) {
  own <- table$rows$kind %in% c("loading", "weight")
  item <- ifelse(table$rows$kind == "weight", table$rows$first, table$rows$second)[own]
  construct <- ifelse(table$rows$kind == "weight", table$rows$second, table$rows$first)[own]
  stats::setNames(construct[match(items, item)], items)
}

# Longest path from the exogenous side, over effects and loadings between core variables; loops are
# cut.
core_layers <- function(table, core) {
  arrow <- table$rows$kind %in% arrow_kinds & table$rows$first %in% core &
    table$rows$second %in% core
  from <- table$rows$first[arrow]
  to <- table$rows$second[arrow]
  layer <- stats::setNames(rep(1L, length(core)), core)
  for (pass in seq_along(core)) {
    before <- layer
    for (i in seq_along(from)) if (layer[[from[i]]] < length(core))
      layer[[to[i]]] <- max(layer[[to[i]]], min(layer[[from[i]]] + 1L, length(core)))
    if (identical(before, layer)) break
  }
  stats::setNames(match(layer, sort(unique(layer))), core)
}

node_frame <- function(name, x, y, w, h, side) {
  list_frame(list(name = name, x = x, y = y, w = w, h = h, side = side))
}

# Rows from top to bottom with a gap between blocks; returns y per row.
stack_rows <- function(sizes, top = diagram_page[["height"]] - 0.3, bottom = 0.3, gap = 0.6) {
  rows <- sum(sizes) + gap * (length(sizes) - 1L)
  pitch <- min(0.42, (top - bottom) / max(rows, 1))
  start <- (top + bottom) / 2 + pitch * (rows - 1) / 2
  y <- numeric()
  for (size in sizes) {
    y <- c(y, start - pitch * (seq_len(size) - 1L))
    start <- start - pitch * (size + gap)
  }
  list(y = y, pitch = pitch)
}

font_for <- function(pitch) max(5.5, min(9, pitch * 72 * 0.46))

# No effects: constructs in one or two columns, items outside, covariances between.
place_measurement <- function(core, items, owner, table, room, tied) {
  blocks <- lapply(core, function(name) items[owner == name])
  sizes <- pmax(1L, lengths(blocks))
  two_sided <- length(core) > 1L && sum(sizes) > 16L
  side <- rep(1L, length(core))
  if (two_sided) {
    half <- which.min(abs(cumsum(sizes) - sum(sizes) / 2))
    side[seq_len(half)] <- -1L
  }
  out <- NULL
  pitch <- 1
  for (s in unique(side)) pitch <- min(pitch, stack_rows(sizes[side == s])$pitch)
  size <- font_for(pitch)
  item_w <- max(0.55, text_box(c(items, "x"), size)$w + 0.12)
  construct_w <- max(1.15, text_box(core, size + 1)$w + 0.3)
  for (s in unique(side)) {
    mine <- which(side == s)
    rows <- stack_rows(sizes[mine])
    at <- split(rows$y, rep(mine, sizes[mine]))
    margin <- item_margin(room, tied, size) + item_w / 2
    item_x <- if (two_sided) diagram_page[["width"]] / 2 +
      s * (diagram_page[["width"]] / 2 - margin) else if (length(core) > 1L) 7.9 else 6.8
    construct_x <- if (two_sided) diagram_page[["width"]] / 2 + s * 1.75 else if (length(core) > 1L)
      4.5 else 3.6
    for (k in mine) {
      y <- at[[as.character(k)]]
      out <- rbind(out,
                   node_frame(core[k], construct_x, mean(y), construct_w,
                              min(0.6, max(0.34, pitch * 1.6)), ifelse(two_sided, -s, -1)))
      if (length(blocks[[k]]))
        out <- rbind(out, node_frame(blocks[[k]], item_x, y, item_w, pitch * 0.74, s))
    }
  }
  structure(out, text_size = size)
}

# Room outside a column of items: residual arrow, its value, arcs between residuals.
residual_length <- 0.22
item_margin <- function(room, tied, size) {
  residual_length +
  text_box(strrep("0", room), size * 0.9)$w + (if (tied) 0.65 else 0.1)
}

# Constructs whose items take in all items of another one.
general_factors <- function(table, core) {
  loading <- table$rows$kind == "loading"
  items <- lapply(stats::setNames(core, core),
                  function(name) table$rows$second[loading & table$rows$first == name])
  takes_in <- function(a, b) {
    length(items[[b]]) > 0L && length(items[[a]]) > length(items[[b]]) &&
    all(items[[b]] %in% items[[a]])
  }
  wider <- function(a) any(vapply(core, function(b) takes_in(a, b), NA))
  core[vapply(core, wider, NA)]
}

# General factors on the left, items in the middle, group factors on the right.
place_bifactor <- function(core, general, items, table) {
  groups <- setdiff(core, general)
  loading <- table$rows$kind == "loading"
  of_group <- table$rows$first[loading & table$rows$first %in% groups][match(items,
      table$rows$second[loading & table$rows$first %in% groups])]
  items <- items[order(match(of_group, groups))]
  of_group <- sort(match(of_group, groups), na.last = TRUE)
  of_group[is.na(of_group)] <- length(groups) + 1L
  rows <- stack_rows(as.integer(table(of_group)), gap = 0.8)
  size <- font_for(rows$pitch)
  item_w <- max(0.55, text_box(c(items, "x"), size)$w + 0.12)
  core_w <- max(1.15, text_box(core, size + 1)$w + 0.3)
  height <- min(0.6, max(0.34, rows$pitch * 1.6))
  group_y <- vapply(seq_along(groups), function(g) mean(rows$y[of_group == g]), 0)
  middle <- diagram_page[["height"]] / 2
  out <- rbind(node_frame(general, 1.5, spread(length(general), middle - 1.2, middle + 1.2), core_w,
                          height, -1),
               node_frame(items, diagram_page[["width"]] / 2, rows$y, item_w, rows$pitch * 0.7, 3),
               node_frame(groups, diagram_page[["width"]] - 1.5, group_y, core_w, height, 1))
  structure(out, text_size = size)
}

# Items at the edge of the page: beside their construct, or in one column when they are shared.
edge_items <- function(names, y, items, owner, item_x, item_w, pitch, side, shared) {
  if (shared) {
    mine <- items[owner %in% names]
    span <- min(0.95 * (length(mine) - 1L), diagram_page[["height"]] - 1.4) / 2
    middle <- diagram_page[["height"]] / 2
    at <- spread(length(mine), middle - span, middle + span)
    return(node_frame(mine, item_x, at, item_w, pitch * 0.74, side))
  }
  do.call(rbind, lapply(seq_along(names), function(k) {
    mine <- items[owner == names[k]]
    step <- pitch * ((length(mine) + 1) / 2 - seq_along(mine))
    if (length(mine)) node_frame(mine, item_x, y[[k]] + step, item_w, pitch * 0.74, side)
  }))
}

# Effects: layers from left to right; items of the first layer on the left, of the last on the
# right, of those between above or below.
place_flowing <- function(core, layer, items, owner, table, room, longest) {
  layers <- max(layer)
  count <- function(name) sum(owner == name)
  order_in <- lapply(seq_len(layers), function(l) core[layer == l])
  order_in <- untangle(order_in, table)
  sizes <- function(names) pmax(2L, vapply(names, count, 0L))
  pitch <- min(stack_rows(sizes(order_in[[1L]]))$pitch, stack_rows(sizes(order_in[[layers]]))$pitch)
  size <- min(font_for(pitch), if (longest > 6L) 7 else 9)
  item_w <- max(0.5, text_box(c(items, "x"), size)$w + 0.12)
  core_w <- max(1.05, text_box(core, size + 1)$w + 0.3)
  core_h <- min(0.55, max(0.34, pitch * 1.6))
  covariance <- which(table$rows$kind == "covariance")
  side_margin <- function(names) {
    mine <- items[owner %in% names]
    if (length(mine) == 0L) return(0)
    item_margin(room,
                any(table$rows$first[covariance] %in% mine & table$rows$second[covariance] %in%
                    mine), size) + item_w / 2
  }
  margin <- c(side_margin(order_in[[1L]]), side_margin(order_in[[layers]]))
  # lines to shared items cross and want room
  crossed <- vapply(order_in[c(1L, layers)], share_items, NA, table = table)
  inner <- ifelse(margin > 0, margin + item_w / 2 +
                  ifelse(crossed, 2.2, if (layers > 2L) 0.9 else 1.3) + core_w / 2, 1.2)
  ends <- c(inner[1L], diagram_page[["width"]] - inner[2L])
  x_of <- seq(ends[1L], ends[2L], length.out = layers)
  out <- NULL
  for (l in seq_len(layers)) {
    names <- order_in[[l]]
    edge <- l == 1L || l == layers
    if (edge) {
      rows <- stack_rows(sizes(names))
      at <- split(rows$y, factor(rep(seq_along(names), sizes(names)), levels = seq_along(names)))
      y <- vapply(at, mean, 0)
      if (crossed[if (l == 1L) 1L else 2L])
        y <- spread(length(names), 1.5, diagram_page[["height"]] - 1.5)
    } else {
      # below or above the middle: a straight row of nodes would leave no room for values between
      # them
      y <- spread(length(names), 1.8, 4.4)
      if (length(names) == 1L) y <- 2.2
    }
    is_observed <- names %in% table$observed
    out <- rbind(out, node_frame(names, x_of[l] + layer_shift(length(names), edge), y,
                                 ifelse(is_observed, pmax(item_w, 0.7), core_w),
                                 ifelse(is_observed, pitch * 0.9, core_h),
                                 if (l == 1L) -1 else if (l == layers) 1 else 0))
    if (edge) {
      s <- if (l == 1L) -1 else 1
      item_x <- if (s < 0) margin[1L] else diagram_page[["width"]] - margin[2L]
      out <- rbind(out, edge_items(names, y, items, owner, item_x, item_w, pitch, s,
                                   crossed[if (s < 0) 1L else 2L]))
    } else {
      out <- rbind(out, hang_items(names, y, x_of[l], items, owner, item_w, pitch))
    }
  }
  structure(out, text_size = size, crossed = crossed)
}

# Whether the constructs of a layer that have items have them in common, each with another.
share_items <- function(names, table) {
  items <- lapply(names,
                  function(name) {
                    table$rows$second[table$rows$kind == "loading" & table$rows$first == name]
                  })
  items <- items[lengths(items) > 0L]
  length(items) > 1L &&
    all(vapply(seq_along(items), function(i) any(items[[i]] %in% unlist(items[-i])), NA))
}

spread <- function(n, low, high) if (n == 1L) (low + high) / 2 else seq(high, low, length.out = n)

# Nodes of a crowded inner layer step left and right, so that lines pass between them.
layer_shift <- function(n, edge) if (edge || n < 3L) 0 else rep_len(c(-0.25, 0.25), n)

# Orders each layer by the mean height of what points at it.
untangle <- function(order_in, table) {
  height <- function(names) stats::setNames(rev(seq_along(names)) / (length(names) + 1), names)
  known <- height(order_in[[1L]])
  for (l in seq_along(order_in)[-1L]) {
    names <- order_in[[l]]
    score <- vapply(names, function(name) {
      from <- table$rows$first[table$rows$kind %in% arrow_kinds & table$rows$second %in% name]
      from <- intersect(from, names(known))
      if (length(from)) mean(known[from]) else 0.5
    }, 0)
    order_in[[l]] <- names[order(-score)]
    known <- c(known, height(order_in[[l]]))
  }
  order_in
}

# Items above (upper half) or below (lower half), side by side.
hang_items <- function(names, y, x, items, owner, item_w, pitch) {
  out <- NULL
  middle <- diagram_page[["height"]] / 2
  for (up in c(TRUE, FALSE)) {
    mine <- names[if (length(names) == 1L) !up else (y >= middle) == up]
    block <- unlist(lapply(mine, function(name) items[owner == name]))
    if (length(block) == 0L) next
    step <- min(item_w + 0.12, 4.6 / length(block))
    at <- x + step * (seq_along(block) - (length(block) + 1) / 2)
    out <- rbind(out, node_frame(block, at, if (up) diagram_page[["height"]] - 0.8 else 0.8,
                                 min(item_w, step - 0.06), 0.26, if (up) 2 else -2))
  }
  out
}

apply_nudge <- function(nodes, nudge) {
  if (is.null(nudge)) return(nodes)
  if (!is.data.frame(nudge) || !all(c("name", "dx", "dy") %in% names(nudge))) {
    abort("input", c("`nudge` must be a data frame with columns name, dx and dy.",
                     i = "Units are inches on a page of 10 x 6.25; dy > 0 is up."))
  }
  unknown <- setdiff(nudge$name, nodes$name)
  if (length(unknown))
    abort("name", c(paste0("Nothing in the diagram is called ", quoted(unknown[1L]), "."),
                    did_you_mean(unknown[1L], nodes$name)))
  at <- match(nudge$name, nodes$name)
  nodes$x[at] <- nodes$x[at] + nudge$dx
  nodes$y[at] <- nodes$y[at] + nudge$dy
  nodes
}

# --- lines -------------------------------------------------------------------------------------

bend <- function(from, to, offset, points = 41L) {
  t <- seq(0, 1, length.out = points)
  direction <- to - from
  length <- sqrt(sum(direction^2))
  normal <- c(-direction[2L], direction[1L]) / max(length, 1e-9)
  control <- (from + to) / 2 + 2 * offset * normal
  cbind((1 - t)^2 * from[1L] + 2 * t * (1 - t) * control[1L] + t^2 * to[1L],
        (1 - t)^2 * from[2L] + 2 * t * (1 - t) * control[2L] + t^2 * to[2L])
}

inside_node <- function(points, node, margin = 0) {
  dx <- abs(points[, 1L] - node$x)
  dy <- abs(points[, 2L] - node$y)
  if (!identical(node$kind, "observed")) (dx / (node$w / 2 + margin))^2 +
    (dy / (node$h / 2 + margin))^2 <= 1
  else dx <= node$w / 2 + margin & dy <= node$h / 2 + margin
}

# The part of a curve between the outlines of its two nodes.
clip <- function(points, from, to) {
  keep <- !inside_node(points, from, 0.015) & !inside_node(points, to, 0.015)
  if (sum(keep) < 2L) points[c(1L, nrow(points)), , drop = FALSE] else points[keep, , drop = FALSE]
}

node_at <- function(nodes, name) as.list(nodes[match(name, nodes$name), ])
centre <- function(node) c(node$x, node$y)

# Straight where nothing is in the way, bent where something is; the two arrows of a loop part
# company.
path_edges <- function(table, nodes) {
  rows <- which(table$rows$kind %in% arrow_kinds)
  key <- paste(table$rows$first[rows], table$rows$second[rows])
  lapply(rows, function(row) {
    from <- node_at(nodes, table$rows$first[row])
    to <- node_at(nodes, table$rows$second[row])
    mutual <- paste(table$rows$second[row], table$rows$first[row]) %in% key
    others <- nodes[!nodes$name %in% c(from$name, to$name), ]
    offsets <- if (mutual) c(0.3, 0.5) else c(0, 0.3, -0.3, 0.6, -0.6, 0.95, -0.95)
    cost <- vapply(offsets, function(offset) {
      points <- bend(anchor(from, to), anchor(to, from), offset)
      hits <-
        sum(vapply(seq_len(nrow(others)),
                   function(i) any(inside_node(points, as.list(others[i, ]), 0.04)), NA))
      outside <- any(points[, 2L] < 0.05 | points[, 2L] > diagram_page[["height"]] - 0.05)
      hits + outside + abs(offset) * 0.1
    }, 0)
    list(row = row, type = table$rows$kind[row],
         path = clip(bend(anchor(from, to), anchor(to, from), offsets[which.min(cost)], 81L), from,
                     to))
  })
}

# Lines meet an item at the middle of the side that faces the construct.
anchor <- function(node, other) {
  if (node$kind != "observed") return(centre(node))
  if (abs(node$side) == 2) return(c(node$x, node$y - sign(node$side) * node$h / 2))
  if (abs(other$x - node$x) < node$w)
    return(c(node$x, node$y + sign(other$y - node$y) * node$h / 2))
  c(node$x + sign(other$x - node$x) * node$w / 2, node$y)
}

covariance_edges <- function(table, nodes, text) {
  # those of a composite's items are many and assumed: the caption says that they are left out
  composed <- table$rows$first[table$rows$kind == "weight"]
  rows <- which(table$rows$kind == "covariance" &
                !(table$rows$assumed &
                  (table$rows$first %in% composed | table$rows$second %in% composed)))
  size <- attr(nodes, "text_size") * 0.9
  value <- stats::setNames(text[table$rows$kind == "variance"],
                           table$rows$first[table$rows$kind == "variance"])
  beside <- function(name) {
    if (name %in% table$endogenous) residual_length +
    text_box(value[[name]], size)$w + 0.02 else 0
  }
  lapply(rows, function(row) {
    from <- node_at(nodes, table$rows$first[row])
    to <- node_at(nodes, table$rows$second[row])
    list(row = row, type = "covariance",
         path = arc(from, to, beside(from$name), beside(to$name), nodes))
  })
}

# Within a column the arc swings out on the free side, wider the further apart its ends are. Arcs
# between items join their residuals' values.
arc <- function(from, to, from_beside, to_beside, nodes) {
  if (abs(from$side) == 2 && to$side == from$side) {
    # items side by side: over the top of their residuals' values
    if (from$x > to$x) return(arc(to, from, to_beside, from_beside, nodes))
    s <- sign(from$side)
    out <- from$h / 2 + residual_length * 0.7 + 0.17
    return(bend(c(from$x, from$y + s * out), c(to$x, to$y + s * out),
                s * min(0.12 + 0.05 * (to$x - from$x), 0.3)))
  }
  if (from$y < to$y) return(arc(to, from, to_beside, from_beside, nodes))
  same_column <- abs(from$x - to$x) < 0.35 && from$side == to$side && abs(from$side) == 1
  if (!same_column && abs(from$x - to$x) >= 0.35)
    return(clip(bend(centre(from), centre(to), 0.18, 81L), from, to))
  if (from$kind != to$kind || from$kind != "observed") {
    outward <- if (from$side == 0) -1 else from$side
    crossed <- attr(nodes, "crossed")
    # the other side is full of lines
    inward <- !is.null(crossed) && abs(from$side) == 1 && crossed[if (from$side < 0) 1L else 2L]
    if (inward) outward <- -outward
    crowded <- any(nodes$kind == "observed" & nodes$side == from$side &
                   sign(nodes$x - from$x) == outward & abs(nodes$x - from$x) < 2.6)
    gap <- abs(from$y - to$y)
    reach <- if (crowded) 0.16 + 0.13 * gap else 0.24 + 0.27 * gap
    steep <- if (inward) 1.2 else min(1.1, 1.5 / max(gap, 0.5))
    if (inward) reach <- min(reach, 0.35)
    return(bend(rim(from, outward, -steep), rim(to, outward, steep), outward * min(reach, 1.5)))
  }
  outward <- if (from$side == 0) 1 else sign(from$side)
  start <- c(from$x + outward * (from$w / 2 + from_beside), from$y - if (from_beside == 0)
             from$h * 0.2 else 0)
  end <- c(to$x + outward * (to$w / 2 + to_beside), to$y + if (to_beside == 0) to$h * 0.2 else 0)
  bend(start, end, outward * min(0.16 + 0.1 * abs(from$y - to$y), 0.5))
}

# The point of a node's outline at an angle (radians) above or below the horizontal, on its outward
# side.
rim <- function(node, outward, angle) {
  if (node$kind == "observed")
    return(c(node$x + outward * node$w / 2, node$y + sign(angle) * node$h * 0.2))
  c(node$x + outward * node$w / 2 * cos(angle), node$y + node$h / 2 * sin(angle))
}

# A short arrow into each residual, from the outer side.
residual_edges <- function(table, nodes) {
  rows <- which(table$rows$kind == "variance" & table$rows$first %in% table$endogenous)
  lapply(rows, function(row) {
    node <- node_at(nodes, table$rows$first[row])
    length <- residual_length
    if (node$kind != "observed" || node$side == 0) {
      # away from items that hang above or below, and from lines that arrive from the left
      up <- node$y >= diagram_page[["height"]] / 2
      if (node$side == 0) up <- !up   # items hang on the other side
      angle <- if (up) pi / 3 else -pi / 3
      edge <- c(node$x + node$w / 2 * cos(angle), node$y + node$h / 2 * sin(angle))
      path <- rbind(edge + (length + 0.05) * c(cos(angle), sin(angle)), edge)
    } else if (node$side == 3) {
      # lines arrive on both sides: beside the one from the right, away from where it comes
      causes <-
        nodes[nodes$name %in%
              table$rows$first[table$rows$second %in% node$name & table$rows$kind == "loading"] &
              nodes$x > node$x, ]
      y <- node$y + (if (nrow(causes) && causes$y[1L] > node$y) -1 else 1) * node$h * 0.35
      path <- rbind(c(node$x + node$w / 2 + length, y), c(node$x + node$w / 2, y))
    } else if (abs(node$side) == 2) {
      s <- sign(node$side)
      path <- rbind(c(node$x, node$y + s * (node$h / 2 + length * 0.7)),
                    c(node$x, node$y + s * node$h / 2))
    } else {
      path <- rbind(c(node$x + node$side * (node$w / 2 + length), node$y),
                    c(node$x + node$side * node$w / 2, node$y))
    }
    list(row = row, type = "residual", path = path)
  })
}

# --- labels ------------------------------------------------------------------------------------

# Greedy: each label slides along its own line to where it covers no node, no other label and as few
# other lines as possible; a second sweep lets early labels react to later ones. Residual values
# stand at the arrow's tail.
place_labels <- function(edges, nodes, points) {
  if (length(edges) == 0L) return(edges)
  node_box <- cbind(nodes$x - nodes$w / 2, nodes$x + nodes$w / 2, nodes$y - nodes$h / 2,
                    nodes$y + nodes$h / 2)
  lines <- lapply(edges, function(e) if (nrow(e$path) > 2L) e$path else segment_points(e$path))
  all_points <- do.call(rbind, lines)
  line_of <- rep(seq_along(edges), vapply(lines, nrow, 0L))
  boxes <- matrix(NA_real_, length(edges), 4L)
  candidates <- lapply(edges, label_candidates, points = points)
  order <-
    order(match(vapply(edges, `[[`, "", "type"),
                c("residual", "covariance", "effect", "loading", "weight")))
  chosen <- integer(length(edges))
  for (sweep in 1:3) for (i in order) {
    if (!nzchar(edges[[i]]$text)) next
    others <- boxes[-i, , drop = FALSE]
    others <- others[!is.na(others[, 1L]), , drop = FALSE]
    foreign <- all_points[line_of != i, , drop = FALSE]
    cost <- apply(candidates[[i]]$box, 1L, function(box) {
      100 * overlap_area(box, others) + 60 * overlap_area(box, node_box) +
        0.4 * points_inside(box, foreign) +
        50 * outside_page(box)
    }) + candidates[[i]]$distance
    chosen[i] <- which.min(cost)
    boxes[i, ] <- candidates[[i]]$box[chosen[i], ]
  }
  for (i in seq_along(edges)) {
    if (chosen[i] == 0L) next
    edges[[i]]$label <- colMeans(rbind(boxes[i, c(1L, 3L)], boxes[i, c(2L, 4L)]))
    edges[[i]]$box <- boxes[i, ]
  }
  edges
}

segment_points <- function(path) {
  t <- seq(0, 1, length.out = 9L)
  cbind(path[1L, 1L] + t * (path[2L, 1L] - path[1L, 1L]),
        path[1L, 2L] + t * (path[2L, 2L] - path[1L, 2L]))
}

label_candidates <- function(edge, points) {
  size <- text_box(edge$text, points)
  if (edge$type == "residual") {
    direction <- edge$path[1L, ] - edge$path[2L, ]
    direction <- direction / sqrt(sum(direction^2))
    at <- edge$path[1L, ] +
      direction * (abs(direction[1L]) * size$w + abs(direction[2L]) * size$h) / 2
    at <- rbind(at)
    distance <- 0
  } else {
    n <- nrow(edge$path)
    t <- seq(0.14, 0.86, by = 0.03)
    at <- edge$path[pmax(1L, round(t * (n - 1L)) + 1L), , drop = FALSE]
    home <- if (edge$type == "loading") 0.6 else if (edge$type == "weight") 0.4 else 0.5
    distance <- 0.8 * abs(t - home)
  }
  list(box = cbind(at[, 1L] - size$w / 2, at[, 1L] + size$w / 2, at[, 2L] - size$h / 2,
                   at[, 2L] + size$h / 2), distance = distance)
}

overlap_area <- function(box, others) {
  if (nrow(others) == 0L) return(0)
  width <- pmin(box[2L], others[, 2L]) - pmax(box[1L], others[, 1L])
  height <- pmin(box[4L], others[, 4L]) - pmax(box[3L], others[, 3L])
  hit <- width > 0 & height > 0
  sum(0.2 + width[hit] * height[hit])
}

points_inside <- function(box, points) {
  sum(points[, 1L] > box[1L] & points[, 1L] < box[2L] & points[, 2L] > box[3L] &
      points[, 2L] < box[4L])
}

outside_page <- function(box) {
  max(0, -box[1L]) + max(0, box[2L] - diagram_page[["width"]]) + max(0, -box[3L]) +
    max(0, box[4L] - diagram_page[["height"]])
}
