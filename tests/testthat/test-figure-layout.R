test_that("curves start and end where they should and bulge to the asked side", {
  path <- bend(c(0, 0), c(2, 0), 0.5)
  expect_equal(path[1, ], c(0, 0))
  expect_equal(path[nrow(path), ], c(2, 0))
  expect_equal(max(path[, 2]), 0.5)
  expect_equal(min(bend(c(0, 0), c(2, 0), -0.3)[, 2]), -0.3)
})

test_that("lines are clipped at the outlines of their nodes", {
  ellipse <- list(x = 0, y = 0, w = 2, h = 1, kind = "construct", side = 0)
  box <- list(x = 4, y = 0, w = 1, h = 0.5, kind = "observed", side = 1)
  path <- clip(bend(c(0, 0), c(4, 0), 0, 401L), ellipse, box)
  expect_equal(path[1, 1], 1.015, tolerance = 0.02)
  expect_equal(path[nrow(path), 1], 3.485, tolerance = 0.02)
  expect_true(inside_node(rbind(c(0.9, 0)), ellipse))
  expect_false(inside_node(rbind(c(0.9, 0.4)), ellipse))
  expect_true(inside_node(rbind(c(4.4, 0.2)), box))
})

test_that("rows fill the page without leaving it", {
  for (sizes in list(3, c(4, 4, 4), rep(8, 5), rep(1, 12))) {
    rows <- stack_rows(sizes)
    expect_length(rows$y, sum(sizes))
    expect_true(all(rows$y <= diagram_page[["height"]] - 0.25 & rows$y >= 0.25))
    expect_false(is.unsorted(-rows$y))
    expect_lte(rows$pitch, 0.42)
  }
})

test_that("layers follow the arrows, and loops do not hang", {
  layers <- function(bp, core) core_layers(build_layout(bp, FALSE), core)
  chain <- blueprint("c") |> effect(b ~ a) |> effect(c ~ b + a) |> effect(d ~ c)
  expect_identical(layers(chain, c("a", "b", "c", "d")), c(a = 1L, b = 2L, c = 3L, d = 4L))
  loop <- blueprint("l") |> effect(y1 ~ y2 + x1) |> effect(y2 ~ y1 + x2)
  found <- layers(loop, c("y1", "y2", "x1", "x2"))
  expect_true(all(found[c("x1", "x2")] == 1L))
  expect_true(all(found >= 1L))
})

test_that("items know where they hang, and general factors are recognised", {
  table <- build_layout(blueprint("x") |> construct("G", reflected_in = c(a1:a3, b1:b3)) |>
                        construct("A", reflected_in = a1:a3) |>
                          construct("B", reflected_in = b1:b3) |> uncorrelate(G, A, B), FALSE)
  expect_identical(general_factors(table, c("G", "A", "B")), "G")
  expect_setequal(pure_items(table), c(paste0("a", 1:3), paste0("b", 1:3)))
  mixed <- build_layout(blueprint("x") |> construct("A", reflected_in = a1:a3) |>
                        construct("R", composed_of = c(r1, r2)) |> effect(A ~ R + x) |>
                          effect(a1 ~ x), FALSE)
  expect_setequal(pure_items(mixed), c("a2", "a3", "r1", "r2"))
  expect_identical(item_owner(mixed, c("a2", "r1")), c(a2 = "A", r1 = "R"))
  expect_length(general_factors(mixed, c("A", "R")), 0)
})

test_that("values are shortened by their size", {
  expect_identical(unname(diagram_text(c(0.4567, 12.345, 234.56, NA, -0.5), rep(NA, 5), "raw")),
                   c("0.46", "12.3", "235", "", "-0.50"))
  expect_identical(unname(diagram_text(c(2, 3), c(0.5, NA), "both")), c("2.00 (0.50)", "3.00"))
  expect_identical(diagram_text(1, 1, "none"), "")
})
