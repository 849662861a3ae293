# Whole arrangements, judged by the independent checker: nothing covers anything.

arranged_fit <- function(fit, values = "standardized", ...) {
  standardized <- standardized_of(fit)$value
  arrange_diagram(fit$layout, diagram_text(values_of(fit), standardized, values), standardized, ...)
}

test_that("the demo's models are arranged without a fault", {
  for (fit in demo_fits()) for (values in c("standardized", "both")) {
    found <- arranged_fit(fit, values)
    expect_null(diagram_faults(found), info = fit$request$blueprint$title)
    expect_equal(found$conflicts, 0)
  }
})

test_that("sixty random blueprints are arranged without a fault", {
  for (seed in 1:60) expect_null(diagram_faults(arrange_blueprint(random_blueprint(seed))),
                                 info = paste("seed", seed))
})

test_that("pages of other shapes are used", {
  for (seed in c(3, 8, 20, 25)) for (page in list(c(5, 6), c(10, 3), c(16, 9))) {
    found <- arrange_blueprint(random_blueprint(seed), page)
    expect_null(diagram_faults(found, page), info = paste("seed", seed))
    reach <- c(diff(range(found$nodes$x)) / page[1], diff(range(found$nodes$y)) / page[2])
    expect_gt(max(reach), 0.55)
  }
})

test_that("forty items are legible on one page", {
  bp <- blueprint("Forty")
  for (k in 1:5) bp <- construct(bp, LETTERS[k], reflected_in = !!paste0(letters[k], 1:8))
  found <- arrange_blueprint(bp)
  expect_null(diagram_faults(found))
  expect_gte(found$text_size, 7)
})

test_that("the core flows from left to right, items outside it", {
  found <- arrange_blueprint(blueprint("f") |> construct("A", reflected_in = a1:a4) |>
                             construct("B", reflected_in = b1:b4) |> effect(B ~ A))
  x <- stats::setNames(found$nodes$x, found$nodes$name)
  expect_true(x[["A"]] < x[["B"]])
  expect_true(all(x[paste0("a", 1:4)] < x[["A"]]) && all(x[paste0("b", 1:4)] > x[["B"]]))
})

test_that("curves stay outside the measurement", {
  bp <- blueprint("c") |> construct("A", reflected_in = a1:a3) |>
    construct("B", reflected_in = b1:b3) |> construct("C", reflected_in = c1:c3) |>
    construct("D", reflected_in = d1:d3) |> effect(D ~ A + B + C)
  found <- arrange_blueprint(bp)
  type <- vapply(found$edges, `[[`, "", "type")
  curves <- found$edges[type == "covariance"]
  loadings <- found$edges[type == "loading"]
  expect_length(curves, 3)
  for (curve in curves) for (loading in loadings)
    expect_false(cross(curve$path, loading$path))
})

test_that("a nudged construct takes its items along, a nudged item goes alone", {
  fit <- demo_fits()$one
  before <- arranged_fit(fit)$nodes
  after <- arranged_fit(fit, nudge = data.frame(name = "Belonging", dx = 0.3, dy = -0.2))$nodes
  expect_equal(after$x - before$x, rep(0.3, nrow(before)))
  expect_equal(after$y - before$y, rep(-0.2, nrow(before)))
  alone <- arranged_fit(fit, nudge = data.frame(name = c("Belonging", "be1"), dx = c(0, 0.5),
                                                dy = c(0, -0.25)))$nodes
  moved <- alone$x != before$x
  expect_identical(alone$name[moved], "be1")
})

test_that("the same model is arranged the same, long names wrapped, in any script", {
  bp <- blueprint("n") |> construct("Zugeh\u00f6rigkeit zum Chor", reflected_in = a1:a3) |>
    construct("\u5408\u5531", reflected_in = c(`a very long name of an item`, `01`, b3))
  found <- arrange_blueprint(bp)
  expect_null(diagram_faults(found))
  expect_identical(found, arrange_blueprint(bp))
  expect_true(any(grepl("\n", found$nodes$label, fixed = TRUE)))
})
