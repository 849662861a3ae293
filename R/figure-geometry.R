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

# All but those assumed of a composite's items, which the caption says are left out, and those shown
# as a matrix.
drawn_covariances <- function(table) {
  composed <- table$rows$first[table$rows$kind == "weight"]
  drawn <- which(table$rows$kind == "covariance" &
                   !(table$rows$assumed &
                       (table$rows$first %in% composed | table$rows$second %in% composed)))
  setdiff(drawn, table$in_matrix)
}

table_of <- function(x, levels) as.integer(table(factor(x, levels)))
