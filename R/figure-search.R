# The search for an arrangement of a model with effects: the order within each layer, the side on
# which items stand, and whether they hang above or below their construct. Drafts with straight
# lines are compared by a stated cost; curves and labels of the best are drawn afterwards. Pure.

# The cost of a draft, in units of one crossing of two lines.
draft_costs <- list(
  detour = 12,        # a line that would have to go around a box or a row of items
  bend = 1.5,         # a line that passes a box in one gentle arc
  loading = 3,        # a loading that is crossed
  crossing = 1,
  near = 1.2,         # a line that passes within 0.12 inches of a box
  narrow = 1.5,       # two lines of one end at an angle below 8 degrees
  length = 0.12,      # an inch of line
  tie = 0.1,          # an inch up or down between the constructs of two items that covary
  long_arc = 1,       # a covariance of variables that are not neighbours in their layer
  small = 30,         # letters smaller than 10 points on a page of 12.8 by 8 inches, by their size
  empty = 2,          # a page that is half empty
  hanging = 0.8)      # an outer layer whose items do not stand beside it

most_drafts <- 150L

# Returns plans, best first: copies of `plan` with `order`, `side`, `up` (1: items hang above the
# construct, -1: below) and the `place` of each variable of the core. `channel`: room for labels
# between layers, in inches.
searched_plans <- function(plan, table, nodes, page, channel) {
  facts <- draft_facts(plan, table, nodes, page, channel)
  starts <- draft_starts(plan, facts)
  tried <- new.env(parent = emptyenv())
  left <- max(30L, min(most_drafts, as.integer(12000 / (facts$lines * facts$boxes + 1))))
  cost_of <- function(state) {
    key <- paste(unlist(state), collapse = "\t")
    if (!is.null(tried[[key]])) return(tried[[key]])
    left <<- left - 1L
    tried[[key]] <- draft_cost(state, facts)
    tried[[key]]
  }
  # from the cheapest starts on, as long as drafts are left
  starts <- starts[order(vapply(starts, cost_of, 0))]
  ends <- lapply(starts, function(state) {
    cost <- cost_of(state)
    repeat {
      better <- FALSE
      for (other in draft_moves(state, facts)) {
        if (left <= 0L) break
        now <- cost_of(other)
        if (now < cost - 1e-9) {
          state <- other
          cost <- now
          better <- TRUE
          break
        }
      }
      if (!better || left <= 0L) break
    }
    list(state = state, cost = cost)
  })
  ends <- ends[order(vapply(ends, `[[`, 0, "cost"))]
  ends <- ends[!duplicated(lapply(ends, `[[`, "state"))]
  lapply(utils::head(ends, 3L), function(end) {
    plan[c("order", "side", "up")] <- end$state[c("order", "side", "up")]
    drawn <- draft_geometry(end$state, facts)
    plan$place <- cbind(drawn$x / drawn$stretch[1L], drawn$y / drawn$stretch[2L])
    rownames(plan$place) <- facts$name
    plan
  })
}

# Everything that does not change from draft to draft.
draft_facts <- function(plan, table, nodes, page, channel) {
  name <- unlist(plan$order)
  at <- match(name, nodes$name)
  count <- table_of(plan$owner, name)
  widest <- function(column, none) {
    vapply(name, function(one) max(none, nodes[[column]][nodes$owner %in% one]), 0)
  }
  item_w <- widest("w", 0)
  item_h <- widest("h", 0)
  row_w <- vapply(name, function(one) sum(nodes$w[nodes$owner %in% one] + 0.1), 0)
  residual <- ifelse(is.na(at), 0, nodes$residual[at])
  rows <- drawn_covariances(table)
  pair <- cbind(match(table$rows$first[rows], name), match(table$rows$second[rows], name))
  pair <- pair[!is.na(pair[, 1L]) & !is.na(pair[, 2L]), , drop = FALSE]
  owner <- function(item) match(plan$owner[item], name)
  ties <- cbind(owner(table$rows$first[rows]), owner(table$rows$second[rows]))
  ties <- ties[!is.na(ties[, 1L]) & !is.na(ties[, 2L]), , drop = FALSE]
  layer <- rep(seq_along(plan$order), lengths(plan$order))
  links <- chain_links(plan$chains)
  beside <- lapply(name, function(one) {
    match(c(links[links[, 1L] == one, 2L], links[links[, 2L] == one, 1L]), name)
  })
  lane <- is_lane(name)
  arrows <- cbind(match(plan$arrows$from, name), match(plan$arrows$to, name))
  list(name = name, layer = layer, count = count, lane = lane, beside = beside, page = page,
       channel = channel,
       w = ifelse(lane, 0, nodes$w[at]), h = ifelse(lane, 0.06, nodes$h[at]), item_w = item_w,
       item_h = item_h, row_w = row_w, above = ifelse(residual > 0, 0.42, 0.1), arrows = arrows,
       pairs = pair, ties = ties, lines = nrow(arrows) + nrow(pair),
       boxes = sum(!lane) + sum(count))
}

# Starting points: the untangled order with the items of the outer layers beside them, or above and
# below where at most two constructs of the layer have items.
draft_starts <- function(plan, facts) {
  last <- length(plan$order)
  owners <- vapply(plan$order, function(names) sum(facts$count[match(names, facts$name)] > 0L), 0L)
  sides <- list(c(-1, 1))
  if (owners[1L] <= 2L) sides <- c(sides, list(c(0, 1)))
  if (owners[last] <= 2L) sides <- c(sides, list(c(-1, 0)))
  if (owners[1L] <= 2L && owners[last] <= 2L) sides <- c(sides, list(c(0, 0)))
  up <- stats::setNames(rep(1, length(facts$name)), facts$name)
  inner <- facts$name[facts$count > 0L & !facts$layer %in% c(1L, last)]
  turns <- list(rep(1, length(inner)), rep(-1, length(inner)), rep_len(c(1, -1), length(inner)))
  choices <- expand.grid(ends = seq_along(sides), turn = seq_along(unique(turns)))
  lapply(seq_len(nrow(choices)), function(k) {
    ends <- sides[[choices$ends[k]]]
    up[inner] <- unique(turns)[[choices$turn[k]]]
    side <- c(ends[1L], rep(0, last - 2L), ends[2L])
    state <- list(order = plan$order, side = side, up = up)
    for (l in intersect(which(side == 0), c(1L, last))) {
      own <- plan$order[[l]][facts$count[match(plan$order[[l]], facts$name)] > 0L]
      state$up[own] <- ifelse(seq_along(own) <= length(own) / 2, 1, -1)
      # the upper owner first, the lower one last
      if (length(own))
        state$order[[l]] <- c(own[1L], setdiff(plan$order[[l]], own), own[-1L])
    }
    state
  })
}

# Neighbouring drafts: an exchange or a move within a layer, or items on the other side.
draft_moves <- function(state, facts) {
  moves <- list()
  for (l in seq_along(state$order)) {
    names <- state$order[[l]]
    count <- length(names)
    for (k in seq_len(count)) for (to in setdiff(seq_len(count), k)) {
      if (to == k - 1L) next    # the same as the exchange from above
      other <- state
      other$order[[l]] <- append(names[-k], names[k], to - 1L)
      if (hung_apart(other, l, facts)) moves <- c(moves, list(other))
    }
    if (state$side[l] != 0) next
    for (one in names[facts$count[match(names, facts$name)] > 0L]) {
      other <- state
      other$up[[one]] <- -other$up[[one]]
      if (hung_apart(other, l, facts)) moves <- c(moves, list(other))
    }
  }
  moves
}

# In a layer with hanging items these never stand between two variables of the layer.
hung_apart <- function(state, l, facts) {
  if (state$side[l] != 0) return(TRUE)
  names <- state$order[[l]][!is_lane(state$order[[l]])]
  owning <- facts$count[match(names, facts$name)] > 0L
  up <- state$up[names]
  all(!owning | (up > 0 & seq_along(names) == 1L) | (up < 0 & seq_along(names) == length(names)) |
        !(l %in% c(1L, length(state$order))))
}

# --- one draft -----------------------------------------------------------------------------------

draft_cost <- function(state, facts) {
  drawn <- draft_geometry(state, facts)
  cost <- draft_costs
  from <- facts$arrows[, 1L]
  to <- facts$arrows[, 2L]
  lines <- cbind(drawn$x[from], drawn$y[from], drawn$x[to], drawn$y[to])
  keys <- facts$arrows
  column <- column_draft(state, facts, drawn)
  lines <- rbind(lines, column$lines)
  keys <- rbind(keys, column$keys)
  meet <- blocked_by(lines, drawn$boxes, keys, 0)
  blocked <- rowSums(meet) > 0
  total <- column$cost
  if (any(blocked)) {
    gentle <- vapply(which(blocked), function(i) {
      arcs_clear(lines[i, ], drawn$boxes[!drawn$boxes[, 5L] %in% keys[i, ], , drop = FALSE])
    }, NA)
    total <- total + cost$bend * sum(gentle) + cost$detour * sum(!gentle)
  }
  close <- blocked_by(lines[!blocked, , drop = FALSE], drawn$boxes, keys[!blocked, , drop = FALSE],
                      0.12)
  total <- total + cost$near * sum(close)
  total <- total + cost$loading * sum(lines_cross(lines, drawn$loadings, keys,
                                                  drawn$loading_keys))
  total <- total + cost$crossing * sum(lines_cross(lines, lines, keys, keys)) / 2
  total <- total + cost$narrow * (narrow_ends(lines, keys) +
                                    beside_loadings(lines, keys, drawn))
  total <- total + cost$length * sum(sqrt((lines[, 3L] - lines[, 1L])^2 +
                                            (lines[, 4L] - lines[, 2L])^2))
  hanging <- sum(state$side[c(1L, length(state$side))] == 0 &
                   owning_ends(state, facts))
  apart <- abs(drawn$y[facts$ties[, 1L]] - drawn$y[facts$ties[, 2L]])
  total <- total + cost$tie * sum(apart)
  total + cost$hanging * hanging + cost$small * max(0, 0.87 - drawn$unit) + cost$empty * drawn$empty
}

owning_ends <- function(state, facts) {
  vapply(state$order[c(1L, length(state$order))], function(names) {
    any(facts$count[match(names, facts$name)] > 0L)
  }, NA)
}

# Places of the core, boxes (left, right, bottom, top, number of the construct they belong to) and
# loadings of a draft, spread over the page.
draft_geometry <- function(state, facts) {
  order <- lapply(state$order, match, facts$name)
  side <- state$side[facts$layer]
  up <- state$up[facts$name]
  owns <- facts$count > 0L
  beside <- owns & side != 0
  hung <- owns & side == 0
  column <- facts$count * pmax(item_pitch, facts$item_h + 0.07)
  reach <- 0.75 * fan_width + facts$item_h + residual_length + 0.25
  cell_up <- facts$h / 2 + facts$above
  cell_down <- facts$h / 2 + 0.1
  cell_up[beside] <- pmax(cell_up, column / 2)[beside]
  cell_down[beside] <- pmax(cell_down, column / 2)[beside]
  cell_up[hung & up > 0] <- (facts$h / 2 + reach)[hung & up > 0]
  cell_down[hung & up < 0] <- (facts$h / 2 + reach)[hung & up < 0]
  cell_up[facts$lane] <- cell_down[facts$lane] <- 0.14
  y <- draft_heights(order, cell_up, cell_down, facts)
  left <- right <- facts$w / 2
  out <- fan_width + facts$item_w + 0.6
  left[beside & side < 0] <- (left + out)[beside & side < 0]
  right[beside & side > 0] <- (right + out)[beside & side > 0]
  row <- pmax(facts$w, facts$row_w) / 2
  left[hung] <- right[hung] <- row[hung]
  # where hanging items stand, seen from their construct, as far as they may move away from it
  low <- ifelse(up > 0, facts$h / 2, -facts$h / 2 - item_away * reach)
  bands <- cbind(y + low, y + low + item_away * reach)
  x <- draft_columns(order, left, right, hung, y, bands, facts)
  spread_draft(x, y, left, right, cell_up, cell_down, side, up, facts)
}

# The place of each layer across the page: as close to those before as constructs, labels and items
# allow. Items that hang above or below a layer may reach over its neighbours.
draft_columns <- function(order, left, right, hung, y, bands, facts) {
  x <- numeric(length(y))
  half <- facts$w / 2
  left[hung] <- right[hung] <- half[hung]
  rows <- pmax(facts$w, facts$row_w) / 2
  bodies <- cbind(y - facts$h / 2 - 0.1, y + facts$h / 2 + facts$above)
  for (l in seq_along(order)[-1L]) {
    mine <- order[[l]]
    from <- 0
    for (k in seq_len(l - 1L)) {
      before <- order[[k]]
      apart <- max(right[before]) + max(left[mine]) + if (k == l - 1L) facts$channel else 0.15
      i <- before[hung[before]]
      j <- mine[hung[mine]]
      meeting <- c(row_room(i, j, bands, bands, rows, rows),
                   row_room(i, mine[!facts$lane[mine]], bands, bodies, rows, half),
                   row_room(before[!facts$lane[before]], j, bodies, bands, half, rows))
      from <- max(from, x[before[1L]] + max(apart, meeting))
    }
    x[mine] <- from
  }
  x
}

# The distance that each of `i` keeps from each of `j` where both are at one height, else 0.
row_room <- function(i, j, height_i, height_j, half_i, half_j) {
  if (length(i) == 0L || length(j) == 0L) return(0)
  level <- outer(height_i[i, 1L], height_j[j, 2L], `<`) &
    outer(height_i[i, 2L], height_j[j, 1L], `>`)
  max(0, ifelse(level, outer(half_i[i], half_j[j], `+`) + 0.15, 0))
}

# Heights: stacked in order, then drawn towards neighbours as far as the order allows.
draft_heights <- function(order, up, down, facts) {
  y <- numeric(length(up))
  offsets <- lapply(order, function(mine) {
    cumsum(up[mine]) + c(0, cumsum(down[mine])[-length(mine)]) + 0.1 * (seq_along(mine) - 1)
  })
  heights <- vapply(seq_along(order), function(l) {
    max(offsets[[l]]) + down[order[[l]][length(order[[l]])]]
  }, 0)
  tallest <- max(heights)
  for (l in seq_along(order)) y[order[[l]]] <- offsets[[l]] + (tallest - heights[l]) / 2
  for (sweep in 1:4) {
    for (l in if (sweep %% 2L == 1L) seq_along(order) else rev(seq_along(order))) {
      mine <- order[[l]]
      wanted <- vapply(mine, function(i) {
        near <- facts$beside[[i]]
        if (length(near)) mean(y[near]) else y[i]
      }, 0)
      z <- wanted - offsets[[l]]
      if (is.unsorted(z)) z <- stats::isoreg(z)$yf
      y[mine] <- pmin(pmax(z, 0), tallest - heights[l]) + offsets[[l]]
    }
  }
  -y
}

spread_draft <- function(x, y, left, right, above, below, side, up, facts) {
  across <- max(x + right) - min(x - left)
  down <- max(y + above) - min(y - below)
  unit <- min(largest_unit, facts$page[[1L]] / across, facts$page[[2L]] / down)
  # boxes and items keep their size, distances grow until the page is full
  stretch <- function(at, before, after, room) {
    fixed <- unit * (before[which.min(at - before)] + after[which.max(at + after)])
    max(unit, min(widest_spread * unit, (room - fixed) / max(diff(range(at)), 1e-6)))
  }
  fx <- stretch(x, left, right, facts$page[[1L]])
  fy <- stretch(y, below, above, facts$page[[2L]])
  x <- x * fx
  y <- y * fy
  away <- pmin(c(fx, fy), item_away * unit)
  along <- pmin(c(fx, fy), item_along * unit)
  core <- which(!facts$lane)
  boxes <- cbind(x - unit * facts$w / 2, x + unit * facts$w / 2, y - unit * facts$h / 2,
                 y + unit * facts$h / 2, seq_along(x))[core, , drop = FALSE]
  owners <- which(facts$count > 0L)
  items <- lapply(owners, function(i) {
    m <- facts$count[i]
    steps <- (m + 1) / 2 - seq_len(m)
    if (side[i] != 0) {
      ix <- rep(x[i] + side[i] * (facts$w[i] / 2 + fan_width + facts$item_w[i] / 2) * away[1L], m)
      iy <- y[i] + steps * pmax(item_pitch, facts$item_h[i] + 0.07) * along[2L]
      facing <- cbind(ix - side[i] * unit * facts$item_w[i] / 2, iy)
    } else {
      ix <- x[i] - steps * facts$row_w[i] / m * along[1L]
      far <- (facts$h[i] / 2 + 0.75 * fan_width + facts$item_h[i] / 2) * away[2L]
      iy <- rep(y[i] + up[i] * far, m)
      facing <- cbind(ix, iy - up[i] * unit * facts$item_h[i] / 2)
    }
    list(box = cbind(ix - unit * facts$item_w[i] / 2, ix + unit * facts$item_w[i] / 2,
                     iy - unit * facts$item_h[i] / 2, iy + unit * facts$item_h[i] / 2, -i),
         loading = cbind(x[i], y[i], facing))
  })
  drawn <- rbind(boxes, do.call(rbind, lapply(items, `[[`, "box")))
  used <- (max(drawn[, 2L]) - min(drawn[, 1L])) * (max(drawn[, 4L]) - min(drawn[, 3L])) /
    prod(facts$page)
  list(x = x, y = y, stretch = c(fx, fy), unit = unit, empty = max(0, 1 - used),
       boxes = drawn,
       loadings = do.call(rbind, lapply(items, `[[`, "loading")),
       loading_keys = rep(owners, facts$count[owners]))
}

# Covariances within a layer: straight between neighbours, else an arc on the outer side where items
# leave room for it. Others are lines.
column_draft <- function(state, facts, drawn) {
  none <- list(lines = matrix(0, 0L, 4L), keys = matrix(0L, 0L, 2L), cost = 0)
  if (nrow(facts$pairs) == 0L) return(none)
  cost <- 0
  straight <- logical(nrow(facts$pairs))
  for (k in seq_len(nrow(facts$pairs))) {
    a <- facts$pairs[k, 1L]
    b <- facts$pairs[k, 2L]
    l <- facts$layer[a]
    names <- match(state$order[[l]], facts$name)
    names <- names[!facts$lane[names]]
    span <- if (l == facts$layer[b]) abs(match(a, names) - match(b, names)) else 0L
    straight[k] <- span <= 1L
    if (span <= 1L) next
    passed <- names[seq(min(match(c(a, b), names)), max(match(c(a, b), names)))]
    inner <- setdiff(passed, c(a, b))
    free <- state$side[l] == 0 && (l == 1L || l == length(state$order))
    cost <- cost + draft_costs$long_arc * (span - 1L) +
      if (free) 0 else if (any(facts$count[inner] > 0L)) draft_costs$detour / 2 else
        draft_costs$loading
  }
  at <- facts$pairs[straight, , drop = FALSE]
  list(lines = cbind(drawn$x[at[, 1L]], drawn$y[at[, 1L]], drawn$x[at[, 2L]], drawn$y[at[, 2L]]),
       keys = at, cost = cost)
}

# --- geometry of many lines ----------------------------------------------------------------------

# Which lines (x, y, x, y) pass through which boxes, except those of their own ends.
blocked_by <- function(lines, boxes, keys, margin) {
  rows <- nrow(lines)
  columns <- nrow(boxes)
  if (rows == 0L) return(matrix(FALSE, 0L, columns))
  dx <- lines[, 3L] - lines[, 1L]
  dy <- lines[, 4L] - lines[, 2L]
  dx[abs(dx) < 1e-9] <- 1e-9
  dy[abs(dy) < 1e-9] <- 1e-9
  within <- function(low, high, start, step) {
    a <- outer(-start, low - margin, `+`) / step
    b <- outer(-start, high + margin, `+`) / step
    list(enter = pmin(a, b), leave = pmax(a, b))
  }
  across <- within(boxes[, 1L], boxes[, 2L], lines[, 1L], dx)
  down <- within(boxes[, 3L], boxes[, 4L], lines[, 2L], dy)
  enter <- pmax(across$enter, down$enter, 0)
  leave <- pmin(across$leave, down$leave, 1)
  own <- outer(keys[, 1L], boxes[, 5L], `==`) | outer(keys[, 2L], boxes[, 5L], `==`)
  matrix(enter < leave & !own, rows, columns)
}

# Is there a gentle arc from end to end that meets no box?
arcs_clear <- function(line, boxes) {
  for (offset in c(0.08, -0.08, 0.16, -0.16)) {
    span <- sqrt(sum((line[3:4] - line[1:2])^2))
    path <- bend(line[1:2], line[3:4], offset * span, 21L)
    inside <- outer(path[, 1L], boxes[, 1L], `>`) & outer(path[, 1L], boxes[, 2L], `<`) &
      outer(path[, 2L], boxes[, 3L], `>`) & outer(path[, 2L], boxes[, 4L], `<`)
    if (!any(inside)) return(TRUE)
  }
  FALSE
}

# Which lines cross which others; lines that share an end do not. `keys`: the ends of lines.
lines_cross <- function(one, other, one_keys, other_keys) {
  if (nrow(one) == 0L || NROW(other) == 0L) return(FALSE)
  turn <- function(a, b) {
    # the side of each line of `a` on which the points of `b` are
    side <- function(px, py) {
      outer(a[, 3L] - a[, 1L], py) - outer(a[, 4L] - a[, 2L], px) -
        ((a[, 3L] - a[, 1L]) * a[, 2L] - (a[, 4L] - a[, 2L]) * a[, 1L])
    }
    side(b[, 1L], b[, 2L]) * side(b[, 3L], b[, 4L])
  }
  crossed <- turn(one, other) < 0 & t(turn(other, one)) < 0
  ends <- as.matrix(other_keys)
  for (i in 1:2) for (j in seq_len(ncol(ends)))
    crossed <- crossed & !outer(one_keys[, i], ends[, j], `==`)
  crossed
}

# Lines of a construct that run almost along one of its loadings.
beside_loadings <- function(lines, keys, drawn) {
  if (NROW(drawn$loadings) == 0L) return(0)
  angle <- function(from, to) atan2(to[, 2L] - from[, 2L], to[, 1L] - from[, 1L])
  own <- angle(drawn$loadings[, 1:2, drop = FALSE], drawn$loadings[, 3:4, drop = FALSE])
  at <- c(keys[, 1L], keys[, 2L])
  line <- c(angle(lines[, 1:2, drop = FALSE], lines[, 3:4, drop = FALSE]),
            angle(lines[, 3:4, drop = FALSE], lines[, 1:2, drop = FALSE]))
  gap <- abs(outer(line, own, `-`))
  gap <- pmin(gap, 2 * pi - gap)
  sum(rowSums(gap < 8 * pi / 180 & outer(at, drawn$loading_keys, `==`)) > 0)
}

# Pairs of lines that leave or reach the same variable almost in the same direction.
narrow_ends <- function(lines, keys) {
  if (nrow(lines) < 2L) return(0)
  away <- rbind(cbind(lines[, 3L] - lines[, 1L], lines[, 4L] - lines[, 2L]),
                cbind(lines[, 1L] - lines[, 3L], lines[, 2L] - lines[, 4L]))
  angle <- atan2(away[, 2L], away[, 1L])
  at <- c(keys[, 1L], keys[, 2L])
  gap <- abs(outer(angle, angle, `-`))
  gap <- pmin(gap, 2 * pi - gap)
  same <- outer(at, at, `==`) & upper.tri(gap)
  sum(same & gap < 8 * pi / 180)
}

# Measures of length and the geometry that boxes, routes and labels of a diagram share.

diagram_page <- c(width = 10, height = 6.25)

page_margin <- 0.08

largest_unit <- 1.15    # how much larger than the base font a small diagram may come out on a page

legible_unit <- 0.75    # below it another plan is sought

hopeless_unit <- 0.5     # below it no more room is sought for labels

widest_spread <- 2.4    # how far apart boxes may be drawn to use the page, against their size

item_away <- 1.15       # the same for the distance of items from their construct

item_along <- 1.5       # and for the distance between items

base_points <- 9

residual_length <- 0.2    # of the short arrow of a residual

item_pitch <- 0.29        # from item to item in a column

fan_width <- 1            # between a construct and its items

# A curve whose middle lies `offset` beside the straight line.
bend <- function(from, to, offset, points = 41L) {
  t <- seq(0, 1, length.out = points)
  direction <- to - from
  length <- sqrt(sum(direction^2))
  normal <- c(-direction[2L], direction[1L]) / max(length, 1e-9)
  control <- (from + to) / 2 + 2 * offset * normal
  cbind((1 - t)^2 * from[1L] + 2 * t * (1 - t) * control[1L] + t^2 * to[1L],
        (1 - t)^2 * from[2L] + 2 * t * (1 - t) * control[2L] + t^2 * to[2L])
}

# A cubic curve by its four points.
cubic <- function(a, b, c, d, points = 31L) {
  t <- seq(0, 1, length.out = points)
  outer((1 - t)^3, a) + outer(3 * t * (1 - t)^2, b) + outer(3 * t^2 * (1 - t), c) + outer(t^3, d)
}

# A line along corners, each rounded.
rounded <- function(corners, radius) {
  count <- nrow(corners)
  out <- corners[1L, , drop = FALSE]
  for (k in seq_len(count)[-c(1L, count)]) {
    towards <- function(other) {
      d <- corners[other, ] - corners[k, ]
      length <- sqrt(sum(d^2))
      corners[k, ] + d / max(length, 1e-9) * min(radius, length / 2)
    }
    a <- towards(k - 1L)
    b <- towards(k + 1L)
    t <- seq(0, 1, length.out = 9L)
    out <- rbind(out, outer((1 - t)^2, a) + outer(2 * t * (1 - t), corners[k, ]) + outer(t^2, b))
  }
  dense(rbind(out, corners[count, ]))
}

# Points no further apart than a step.
dense <- function(path, step = 0.06) {
  if (nrow(path) < 2L) return(path)
  from <- path[-nrow(path), , drop = FALSE]
  d <- path[-1L, , drop = FALSE] - from
  n <- pmax(1, ceiling(sqrt(d[, 1L]^2 + d[, 2L]^2) / step))
  k <- rep(seq_along(n), n)
  t <- sequence(n) / n[k]
  unname(rbind(path[1L, ], cbind(from[k, 1L] + t * d[k, 1L], from[k, 2L] + t * d[k, 2L])))
}

outlines <- function(nodes) {
  cbind(nodes$x - nodes$w / 2, nodes$x + nodes$w / 2, nodes$y - nodes$h / 2,
        nodes$y + nodes$h / 2)
}

# The overlap of each candidate with other boxes, summed over boxes.
overlap_areas <- function(box, others) {
  if (nrow(box) == 0L) return(numeric())
  # most boxes are far from all candidates
  close <- others[, 2L] > min(box[, 1L]) & others[, 1L] < max(box[, 2L]) &
    others[, 4L] > min(box[, 3L]) & others[, 3L] < max(box[, 4L])
  others <- others[close, , drop = FALSE]
  if (nrow(others) == 0L) return(numeric(nrow(box)))
  width <- outer(box[, 2L], others[, 2L], pmin) - outer(box[, 1L], others[, 1L], pmax)
  height <- outer(box[, 4L], others[, 4L], pmin) - outer(box[, 3L], others[, 3L], pmax)
  rowSums((width > 0 & height > 0) * (0.2 + width * height))
}

points_near <- function(box, points, margin) {
  if (nrow(points) == 0L) return(numeric(nrow(box)))
  rowSums(outer(box[, 1L] - margin, points[, 1L], `<`) &
          outer(box[, 2L] + margin, points[, 1L], `>`) &
          outer(box[, 3L] - margin, points[, 2L], `<`) &
          outer(box[, 4L] + margin, points[, 2L], `>`))
}

off_the_page <- function(box, page) {
  pmax(0, -box[, 1L]) + pmax(0, box[, 2L] - page[[1L]]) + pmax(0, -box[, 3L]) +
    pmax(0, box[, 4L] - page[[2L]])
}

is_two_columns <- function(plan) {
  length(plan$order) == 2L && length(plan$arrows$row) == 0L && !plan$between
}

# All rows except the default ones of a composite's items, which the caption mentions, and those
# shown as a matrix.
drawn_covariances <- function(table) {
  composed <- table$rows$first[table$rows$kind == "weight"]
  drawn <- which(table$rows$kind == "covariance" &
                   !(table$rows$assumed &
                       (table$rows$first %in% composed | table$rows$second %in% composed)))
  setdiff(drawn, table$in_matrix)
}

table_of <- function(x, levels) as.integer(table(factor(x, levels)))
