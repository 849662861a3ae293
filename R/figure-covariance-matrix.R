# Covariances of many exogenous constructs as a matrix: its cells, and where they stand beside or
# below the diagram. Pure.

fewest_in_matrix <- 4L
most_as_curves <- 8L      # constructs of a model without effects
full_size_matrix <- 9L    # constructs; larger matrices have smaller cells
matrix_line <- 0.19    # inches from row to row

# Covariances of many exogenous constructs with items, and of other variables beside them, would
# cover a diagram: they are shown as a matrix below it. NULL for few.
matrix_rows <- function(table, plan) {
  first <- plan$order[[1L]]
  fewest <- if (length(plan$order) < 2L) most_as_curves + 1L else fewest_in_matrix
  if (sum(first %in% plan$owner) < fewest) return(NULL)
  rows <- drawn_covariances(table)
  rows[table$rows$first[rows] %in% first & table$rows$second[rows] %in% first]
}

# Names and cells of the matrix: text or the row of the parameter, and where they stand.
covariance_matrix <- function(table, rows, points) {
  names <- unique(c(table$rows$first[rows], table$rows$second[rows]))
  count <- length(names)
  smaller <- min(1, full_size_matrix / count)
  points <- points * smaller
  wide <- max(text_box(paste(count, names), points)$w)
  cell <- 0.42 * smaller
  height <- function(k) matrix_line * smaller * (count - k + 0.8)
  a <- match(table$rows$first[rows], names)
  b <- match(table$rows$second[rows], names)
  number <- as.character(seq_len(count))
  list_frame(list(
    x = c(rep(page_margin, count), page_margin + wide + cell * seq_len(count - 1L),
          page_margin + wide + cell * pmin(a, b)),
    y = c(height(seq_len(count)), rep(height(0), count - 1L), height(pmax(a, b))),
    text = c(paste(number, names), number[-count], rep("", length(rows))),
    side = rep(c(0, 1), c(count, count - 1L + length(rows))),
    row = c(rep(NA_integer_, 2L * count - 1L), rows),
    points = rep(points, 2L * count - 1L + length(rows))))
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

# The matrix in the strip that the diagram leaves free: to the right of it, or below, for which the
# diagram moves up.
with_matrix_apart <- function(found, cells, page) {
  up <- page[[2L]] - found$page[[2L]]
  if (up == 0) {
    cells$x <- cells$x + found$page[[1L]]
    cells$y <- cells$y + page[[2L]] - max(cells$y) - matrix_line
  }
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
