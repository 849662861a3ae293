# Faults of an arrangement, by geometry alone: nothing is drawn. Boxes are rectangles or ellipses,
# curves are their sampled points, arrow heads disks at the ends of lines.
#
# An arrangement is a list of `nodes` (name, x, y, w, h, kind) and `edges` (path, type, and, where
# it has a text, the box of the text: left, right, bottom, top), in inches on a page.

head_radius <- 0.05
touching <- 0.005    # overlaps that no eye sees

diagram_faults <- function(arrangement, page = c(10, 6.25)) {
  nodes <- arrangement$nodes
  edges <- arrangement$edges
  boxes <- cbind(nodes$x - nodes$w / 2, nodes$x + nodes$w / 2, nodes$y - nodes$h / 2,
                 nodes$y + nodes$h / 2)
  labelled <- which(!vapply(edges, function(e) is.null(e$box), NA))
  labels <- do.call(rbind, lapply(edges[labelled], `[[`, "box"))
  fault <- function(kind, what) if (length(what)) data.frame(kind = kind, what = what)
  named <- function(i) vapply(edges[i], function(e) paste0(e$text, " (row ", e$row, ")"), "")
  rbind(
    fault("box on box", pairs_of(boxes, nodes$name)),
    fault("label on label", if (length(labelled)) pairs_of(labels, named(labelled))),
    fault("label on box", unlist(lapply(seq_along(labelled), function(k) {
      hit <- overlaps(labels[k, ], boxes)
      if (any(hit)) paste(named(labelled[k]), "on", nodes$name[hit])
    }))),
    fault("label on arrow head", unlist(lapply(seq_along(labelled), function(k) {
      tips <- do.call(rbind, lapply(edges[-labelled[k]], tips_of))
      if (is.null(tips)) return(NULL)
      near <- distance_to_box(tips, labels[k, ]) < head_radius - touching
      if (any(near)) paste(named(labelled[k]), "on a head")
    }))),
    fault("line through box", unlist(lapply(seq_along(edges), function(i) {
      hit <- which(vapply(seq_len(nrow(nodes)), function(j) passes(edges[[i]], nodes[j, ]), NA))
      if (length(hit)) paste("row", edges[[i]]$row, edges[[i]]$type, "through", nodes$name[hit])
    }))),
    fault("line without direction", unlist(lapply(edges, function(e) {
      step <- diff(e$path)
      ends <- step[c(1L, nrow(step)), , drop = FALSE]
      if (any(rowSums(abs(ends)) < 1e-6)) paste("row", e$row, e$type)
    }))),
    fault("outside the page", c(
      nodes$name[outside(boxes, page)],
      if (length(labelled)) named(labelled)[outside(labels, page)],
      unlist(lapply(edges, function(e) {
        if (any(outside(cbind(e$path[, 1], e$path[, 1], e$path[, 2], e$path[, 2]), page)))
          paste("line of row", e$row)
      })))))
}

overlaps <- function(box, others) {
  pmin(box[2L], others[, 2L]) - pmax(box[1L], others[, 1L]) > touching &
    pmin(box[4L], others[, 4L]) - pmax(box[3L], others[, 3L]) > touching
}

pairs_of <- function(boxes, names) {
  unlist(lapply(seq_len(nrow(boxes) - 1L), function(i) {
    others <- (i + 1L):nrow(boxes)
    hit <- others[overlaps(boxes[i, ], boxes[others, , drop = FALSE])]
    if (length(hit)) paste(names[i], "and", names[hit])
  }))
}

outside <- function(boxes, page) {
  boxes[, 1L] < 0 | boxes[, 3L] < 0 | boxes[, 2L] > page[1L] | boxes[, 4L] > page[2L]
}

# The positions of the heads of a line: at its end; with two heads at both ends.
tips_of <- function(edge) {
  path <- edge$path
  rbind(path[nrow(path), ], if (edge$type == "covariance") path[1L, ])
}

distance_to_box <- function(points, box) {
  dx <- pmax(box[1L] - points[, 1L], 0, points[, 1L] - box[2L])
  dy <- pmax(box[3L] - points[, 2L], 0, points[, 2L] - box[4L])
  sqrt(dx^2 + dy^2)
}

# Whether a line passes through a node that it does not end at, by more than grazing it.
passes <- function(edge, node) {
  path <- edge$path
  if (nrow(path) == 2L) {
    t <- seq(0, 1, length.out = 60L)
    path <- cbind(path[1L, 1L] + t * diff(path[, 1L]), path[1L, 2L] + t * diff(path[, 2L]))
  }
  dx <- abs(path[, 1L] - node$x) / (node$w / 2 - touching)
  dy <- abs(path[, 2L] - node$y) / (node$h / 2 - touching)
  any(if (node$kind == "observed") dx < 1 & dy < 1 else dx^2 + dy^2 < 1)
}

# The number of pairs of straight or curved lines that cross, except ends that meet at a node.
crossings <- function(arrangement) {
  paths <- lapply(Filter(function(e) e$type != "residual", arrangement$edges), `[[`, "path")
  if (length(paths) < 2L) return(0L)
  sum(utils::combn(length(paths), 2L, function(pair) cross(paths[[pair[1L]]], paths[[pair[2L]]])))
}

cross <- function(a, b) {
  if (max(a[, 1]) < min(b[, 1]) || max(b[, 1]) < min(a[, 1]) || max(a[, 2]) < min(b[, 2]) ||
      max(b[, 2]) < min(a[, 2])) return(FALSE)
  thin <- function(p) p[unique(round(seq(1, nrow(p), length.out = min(nrow(p), 21L)))), ]
  a <- thin(a)
  b <- thin(b)
  side <- function(p, q, r) {
    outer(q[, 1] - p[, 1], rep(1, nrow(r))) * outer(-p[, 2], r[, 2], `+`) -
      outer(q[, 2] - p[, 2], rep(1, nrow(r))) * outer(-p[, 1], r[, 1], `+`)
  }
  a1 <- a[-nrow(a), , drop = FALSE]
  a2 <- a[-1L, , drop = FALSE]
  b1 <- b[-nrow(b), , drop = FALSE]
  b2 <- b[-1L, , drop = FALSE]
  any(side(a1, a2, b1) * side(a1, a2, b2) < 0 & t(side(b1, b2, a1) * side(b1, b2, a2)) < 0)
}

# --- how a diagram looks --------------------------------------------------------------------------

# Bends of a line: sections that turn in one direction by more than 20 degrees altogether.
bends_of <- function(path) {
  step <- diff(path)
  step <- step[rowSums(step^2) > 1e-12, , drop = FALSE]
  if (nrow(step) < 2L) return(0L)
  heading <- atan2(step[, 2L], step[, 1L])
  turn <- diff(heading)
  turn <- (turn + pi) %% (2 * pi) - pi
  turn <- turn[abs(turn) > 1e-4]
  if (length(turn) == 0L) return(0L)
  section <- cumsum(c(1L, diff(sign(turn)) != 0))
  sum(abs(tapply(turn, section, sum)) > 20 * pi / 180)
}

# Much longer than the straight way.
is_detour <- function(path) {
  length <- sum(sqrt(rowSums(diff(path)^2)))
  length > 1.35 * sqrt(sum((path[nrow(path), ] - path[1L, ])^2))
}

# Nodes that a line passes within a distance without ending there.
near_misses <- function(edge, nodes, distance = 0.12) {
  path <- edge$path
  t <- seq(0, 1, length.out = 80L)
  if (nrow(path) == 2L)
    path <- cbind(path[1L, 1L] + t * diff(path[, 1L]), path[1L, 2L] + t * diff(path[, 2L]))
  others <- nodes[!nodes$name %in% edge$ends, , drop = FALSE]
  sum(vapply(seq_len(nrow(others)), function(k) {
    node <- others[k, ]
    box <- c(node$x - node$w / 2, node$x + node$w / 2, node$y - node$h / 2, node$y + node$h / 2)
    min(distance_to_box(path, box)) < distance
  }, NA))
}

# Measures of the appearance of an arrangement; residual arrows are left out.
diagram_looks <- function(arrangement) {
  edges <- Filter(function(edge) edge$type != "residual", arrangement$edges)
  nodes <- arrangement$nodes
  page <- arrangement$page
  bends <- vapply(edges, function(edge) bends_of(edge$path), 0L)
  used <- diff(range(nodes$x - nodes$w / 2, nodes$x + nodes$w / 2)) *
    diff(range(nodes$y - nodes$h / 2, nodes$y + nodes$h / 2)) / prod(page)
  list(bends = sum(bends), most_bends = max(0L, bends),
       detours = sum(vapply(edges, function(edge) is_detour(edge$path), NA)),
       near = sum(vapply(edges, near_misses, 0L, nodes = nodes)),
       points = arrangement$text_size, used = used)
}
