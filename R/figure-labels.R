# Labels of a path diagram, placed last: each slides along its own line, or a little beside it, to
# where it covers no box, no other label, no arrow head, and as few other lines as possible.

head_room <- 0.055    # round the tip of an arrow

place_labels <- function(edges, nodes, points, page) {
  labelled <- which(vapply(edges, function(e) nzchar(e$text), NA))
  if (length(labelled) == 0L) return(edges)
  scene <- label_scene(edges, nodes, page)
  priced <- function(k, beside) {
    found <- label_candidates(edges[[labelled[k]]], points, beside)
    list(box = found$box, cost = fixed_cost(found, scene, labelled[k]))
  }
  # on the line as long as there is room, beside it otherwise
  near <- lapply(seq_along(labelled), priced, beside = 0)
  wide <- vector("list", length(labelled))
  rank <- match(vapply(edges[labelled], `[[`, "", "type"),
                c("residual", "covariance", "effect", "loading", "weight"))
  boxes <- matrix(NA_real_, length(labelled), 4L)
  for (sweep in 1:4) {
    before <- boxes
    for (k in order(rank)) {
      others <- boxes[-k, , drop = FALSE]
      others <- others[!is.na(others[, 1L]), , drop = FALSE]
      cost <- near[[k]]$cost + 100 * overlap_areas(near[[k]]$box, others)
      boxes[k, ] <- near[[k]]$box[which.min(cost), ]
      if (min(cost) < 2.5 || rank[k] == 1L) next
      if (is.null(wide[[k]]))
        wide[[k]] <- priced(k, c(0, 0.55, -0.55, 1.05, -1.05, 1.6, -1.6))
      cost <- wide[[k]]$cost + 100 * overlap_areas(wide[[k]]$box, others)
      boxes[k, ] <- wide[[k]]$box[which.min(cost), ]
    }
    if (identical(before, boxes)) break
  }
  for (k in seq_along(labelled)) {
    edges[[labelled[k]]]$label <- c(mean(boxes[k, 1:2]), mean(boxes[k, 3:4]))
    edges[[labelled[k]]]$box <- boxes[k, ]
  }
  edges
}

# What labels must keep clear of: boxes, tips of arrows, points of lines.
label_scene <- function(edges, nodes, page) {
  lines <- lapply(edges, function(e) dense(e$path, 0.07))
  tips <- lapply(edges, function(e) {
    rbind(e$path[nrow(e$path), ], if (e$type == "covariance") e$path[1L, ])
  })
  list(nodes = outlines(nodes),
       points = do.call(rbind, lines), point_of = rep(seq_along(edges), vapply(lines, nrow, 0L)),
       tips = do.call(rbind, tips), tip_of = rep(seq_along(edges), vapply(tips, nrow, 0L)),
       page = page)
}

fixed_cost <- function(candidates, scene, edge) {
  box <- candidates$box
  reach <- c(min(box[, 1L]), max(box[, 2L]), min(box[, 3L]), max(box[, 4L]))
  near <- function(points) {
    points[, 1L] > reach[1L] - head_room & points[, 1L] < reach[2L] + head_room &
      points[, 2L] > reach[3L] - head_room & points[, 2L] < reach[4L] + head_room
  }
  own <- scene$point_of == edge
  lines <- near(scene$points) & !own
  tips <- near(scene$tips) & scene$tip_of != edge
  60 * overlap_areas(box, scene$nodes) +
    80 * points_near(box, scene$tips[tips, , drop = FALSE], head_room) +
    0.45 * points_near(box, scene$points[lines, , drop = FALSE], 0) +
    80 * off_the_page(box, scene$page) + candidates$distance
}

# By candidate: how much it overlaps with other boxes, each overlap counting for itself.
overlap_areas <- function(box, others) {
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

# Boxes a label may take, each with its distance from where one would look for it. `beside`: how far
# from the line, 1 not to touch it.
label_candidates <- function(edge, points, beside = 0) {
  size <- text_box(edge$text, points)
  if (edge$type == "residual")
    return(list(box = rbind(residual_label(edge$path, size)), distance = 0))
  path <- dense(edge$path, 0.03)
  along <- c(0, cumsum(sqrt(rowSums(diff(path)^2))))
  along <- along / along[length(along)]
  t <- seq(0.1, 0.9, length.out = 29L)
  k <- findInterval(t, along)
  home <- switch(edge$type, loading = 0.6, weight = 0.4, 0.5)
  step <- path[pmin(k + 2L, nrow(path)), , drop = FALSE] -
    path[pmax(k - 2L, 1L), , drop = FALSE]
  normal <- cbind(-step[, 2L], step[, 1L]) / pmax(sqrt(rowSums(step^2)), 1e-9)
  # how far beside the line a label must be not to touch it
  clear <- (abs(normal[, 1L]) * size$w + abs(normal[, 2L]) * size$h) / 2
  parts <- lapply(beside, function(b) {
    at <- path[k, , drop = FALSE] + b * clear * normal
    cbind(at[, 1L] - size$w / 2, at[, 1L] + size$w / 2, at[, 2L] - size$h / 2,
          at[, 2L] + size$h / 2)
  })
  list(box = do.call(rbind, parts),
       distance = rep(0.8 * abs(t - home), length(beside)) +
         rep(0.3 * (beside != 0) + 0.5 * abs(beside), each = length(t)))
}

# The value of a residual stands at the tail of its arrow; beside it, where the arrow comes from
# above an item between two constructs.
residual_label <- function(path, size) {
  direction <- path[1L, ] - path[2L, ]
  direction <- direction / sqrt(sum(direction^2))
  at <- path[1L, ] + direction * (abs(direction[1L]) * size$w + abs(direction[2L]) * size$h) / 2
  c(at[1L] - size$w / 2, at[1L] + size$w / 2, at[2L] - size$h / 2, at[2L] + size$h / 2)
}
