box <- function(name, x, y, w = 1, h = 0.5, kind = "observed") {
  list(name = name, x = x, y = y, w = w, h = h, kind = kind)
}

test_that("curves start and end where they should and bulge to the asked side", {
  path <- bend(c(0, 0), c(2, 0), 0.5)
  expect_equal(path[1, ], c(0, 0))
  expect_equal(path[nrow(path), ], c(2, 0))
  expect_equal(max(path[, 2]), 0.5)
  expect_equal(min(bend(c(0, 0), c(2, 0), -0.3)[, 2]), -0.3)
})

test_that("lines are clipped at the outlines of their nodes", {
  ellipse <- box("e", 0, 0, 2, 1, "construct")
  square <- box("b", 4, 0)
  for (path in list(bend(c(0, 0), c(4, 0), 0, 21L), rbind(c(0, 0), c(4, 0)))) {
    path <- clip(path, ellipse, square)
    expect_equal(path[1, 1], 1.012, tolerance = 0.06)
    expect_equal(path[nrow(path), 1], 3.488, tolerance = 0.02)
  }
  # an ellipse contains less space than its rectangle
  corner <- rbind(c(0.9, 0.4), c(4, 0))
  expect_equal(clip(corner, ellipse, square)[1L, ], c(0.9, 0.4))
  within <- clip(rbind(c(0.9, 0), c(4, 0)), ellipse, square)
  expect_equal(within[1L, 1L], 1.012, tolerance = 0.06)
})

test_that("rays leave a node at its outline", {
  ellipse <- box("e", 1, 2, 2, 1, "construct")
  expect_equal(rim(ellipse, 0), c(2.012, 2))
  expect_equal(rim(ellipse, pi / 2), c(1, 2.512))
  expect_equal(rim(box("b", 0, 0, 2, 1), pi / 4), c(0.5, 0.5) + 0.012 * sqrt(0.5))
})

test_that("the best way goes round what is in the way", {
  nodes <- do.call(rbind, lapply(list(box("a", 1, 3), box("b", 9, 3), box("c", 5, 3)),
                                 as.data.frame))
  none <- list(name = character(), kind = character(), x = numeric(), y = numeric(),
               w = numeric(), h = numeric())
  ways <- lapply(c(0, 1), function(offset) bend(c(1, 3), c(9, 3), offset))
  best <- best_way(ways, nodes, none, c("a", "b"), NULL, 1, c(10, 6))
  expect_identical(best, ways[[2]])
  expect_equal(boxes_hit(ways[[1]], nodes, c("a", "b"), 0), 1)
  expect_equal(boxes_hit(ways[[2]], nodes, c("a", "b"), 0), 0)
})

test_that("crossings count loadings thrice", {
  none <- as.data.frame(box(character(), numeric(), numeric(), numeric(), numeric(), character()))
  across <- rbind(c(1, -0.5), c(1, 0.5))
  past <- rbind(c(3, -0.5), c(3, 0.5))
  # the shorter way is taken as long as its crossings cost less than those of the other
  taken <- function(type, extra) {
    drawn <- pieces_of(list(list(path = rbind(c(0, 0), c(2, 0)), type = type)))
    identical(best_way(list(across, past), none, none, character(), drawn, 1, c(81, 81),
                       c(0, extra)), across)
  }
  expect_true(taken("effect", 1.01))
  expect_false(taken("effect", 0.99))
  expect_true(taken("loading", 3.01))
  expect_false(taken("loading", 2.99))
})

test_that("an arc swings around everything between two variables, above or below", {
  nodes <- do.call(rbind, lapply(list(box("a", 1, 3), box("b", 9, 3), box("c", 5, 3),
                                      box("d", 5, 4)), as.data.frame))
  nodes[c("over_up", "over_down")] <- 0
  ways <- swung_ways(box("a", 1, 3), box("b", 9, 3), nodes, 1)
  clear <- vapply(ways, function(way) boxes_hit(way, nodes, c("a", "b"), 0) == 0L, NA)
  peaks <- vapply(ways, function(way) way[which.max(abs(way[, 2L] - 3)), 2L], 0)
  expect_true(any(clear & peaks > 4.25) && any(clear & peaks < 2.75))
  expect_true(all(vapply(ways, function(way) sum(diff(sign(diff(way[, 2L]))) != 0), 0L) <= 1L))
  expect_length(swung_ways(box("a", 1, 3), box("b", 9, 3), nodes[1:2, ], 1), 0)
})

test_that("loadings are straight where items stand between two constructs", {
  bp <- blueprint("g") |>
    construct("Level", reflected_in = c(w1 = 1, w2 = 1, w3 = 1, w4 = 1, w5 = 1)) |>
    construct("Growth", reflected_in = c(w1 = 0, w2 = 1, w3 = 2, w4 = 3, w5 = 4))
  found <- arrange_blueprint(bp)
  bends <- vapply(found$edges, function(edge) {
    if (edge$type == "loading") bends_of(edge$path) else 0L
  }, 0L)
  expect_equal(sum(bends), 0)
})
