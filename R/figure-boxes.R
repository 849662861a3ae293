# Where the boxes of a path diagram stand: the core in layers, items beside the first and the last
# layer and above or below those between. In inches at the size of the base font; the page comes
# later.

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

# Where items are placed relative to their construct: beside it in the outer layers; between them
# above in the upper half, below in the lower one, alternating when the layer contains one
# construct.
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

# x of each layer: as close to the previous layers as its boxes allow. Items on opposite sides of
# neighbours that are alone in their layers do not meet.
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
  # variables that are alone in neighbouring layers are level, whichever way their items hang
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

# The mean height of the variables that a variable is linked with; lanes count more, so that long
# arrows are straight.
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
