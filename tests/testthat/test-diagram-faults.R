# The checker of arrangements detects each fault, and none where there is none.

node <- function(name, x, y, kind = "observed", w = 1, h = 0.5) {
  data.frame(name = name, x = x, y = y, w = w, h = h, kind = kind)
}
line <- function(from, to, box = NULL, type = "effect", row = 1) {
  list(row = row, type = type, path = rbind(from, to), text = "0.50", box = box)
}
kinds <- function(nodes, edges = list()) {
  unique(diagram_faults(list(nodes = nodes, edges = edges))$kind)
}

test_that("each fault is seen", {
  apart <- rbind(node("a", 2, 3), node("b", 6, 3, "construct"))
  straight <- line(c(2.5, 3), c(5.5, 3), c(3.8, 4.2, 3.1, 3.3))
  expect_null(diagram_faults(list(nodes = apart, edges = list(straight))))
  expect_identical(kinds(rbind(node("a", 2, 3), node("b", 2.9, 3.2))), "box on box")
  second <- line(c(2.5, 4), c(5.5, 4), c(4, 4.4, 3.2, 3.5), row = 2)
  expect_identical(kinds(apart, list(straight, second)), "label on label")
  on_box <- line(c(2.5, 3), c(5.5, 3), c(2.3, 2.8, 2.9, 3.1))
  expect_identical(kinds(apart, list(on_box)), "label on box")
  on_head <- line(c(2.5, 5), c(5.5, 5), c(5.2, 5.6, 3.27, 3.4), row = 2)
  pointing <- line(c(5.4, 1), c(5.4, 3.3), NULL, row = 3)
  expect_true("label on arrow head" %in% kinds(apart, list(on_head, pointing)))
  through <- rbind(apart, node("c", 4, 3))
  expect_identical(kinds(through, list(line(c(2.5, 3), c(5.5, 3)))), "line through box")
  expect_identical(kinds(node("a", 0.3, 3)), "outside the page")
  expect_identical(kinds(apart, list(line(c(2.5, 3.2), c(5.5, 7)))), "outside the page")
  # the corners of an ellipse are empty
  corner <- rbind(node("e", 4, 3, "construct", 2, 1))
  expect_identical(kinds(corner, list(line(c(3.05, 2), c(3.05, 2.6)))), NULL)
})

test_that("crossings are counted", {
  edges <- list(line(c(1, 1), c(3, 3)), line(c(1, 3), c(3, 1), row = 2),
                line(c(4, 1), c(4, 5), row = 3))
  expect_equal(crossings(list(edges = edges)), 1)
  expect_equal(crossings(list(edges = edges[3])), 0)
})
