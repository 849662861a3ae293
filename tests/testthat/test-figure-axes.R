# Axes show numbers as tables do.

test_that("numbers of an axis have no leading zero where none can exceed 1", {
  expect_identical(axis_numbers(c(0, 0.5, 1)), c("0", ".5", "1.0"))
  expect_identical(axis_numbers(c(-0.05, 0.95)), c("-.05", ".95"))
  expect_identical(axis_numbers(c(86650, 86700)), c("86650", "86700"))
  expect_identical(axis_numbers(c(0.5, NA)), c(".5", NA))
  expect_identical(axis_numbers(numeric()), character())
  expect_identical(axis_numbers(c(0.5, 1), FALSE), c("0.5", "1.0"))
})

test_that("figures of a ladder, of measures and of power use them", {
  labels <- function(plot, axis) {
    built <- ggplot2::ggplot_build(plot)
    scale <- built$layout[[paste0("panel_scales_", axis)]][[1L]]
    scale$get_labels()
  }
  ladder <- suppressMessages(invariance(read_blueprint(extdata("choirs.yaml")), choirs,
                                        by = "setting"))
  expect_false(any(grepl("^-?0[.]", stats::na.omit(labels(plot(ladder), "y")))))
  fit <- ladder$fits[[1L]]
  expect_false(any(grepl("^-?0[.]", stats::na.omit(labels(loading_plot(fit), "x")))))
})

test_that("a figure of robustness shows every analysis that has an estimate", {
  model <- blueprint("Robust") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4) |> effect(Calm ~ Belonging)
  fit <- quiet_fit(claim(model, H1 = effect[Belonging, Calm] > 0), choirs)
  found <- suppressMessages(robustness(fit))
  drawn <- ggplot2::ggplot_build(plot(found))
  shown <- unique(unlist(lapply(drawn$plot$layers, function(layer) nrow(drawn$plot$data))))
  expect_identical(shown, sum(!is.na(found$estimate)))
  expect_error(plot(found[is.na(found$estimate), ]), class = "orizzonte_error_input")
})

test_that("covariances among many constructs stand in a matrix, below where no corner is free", {
  bp <- blueprint("Many")
  for (k in 1:12) bp <- construct(bp, paste0("C", k), reflected_in = !!paste0("i", k, "_", 1:3))
  layout <- build_layout(group_blueprint(bp, ""), means = FALSE)
  count <- length(layout$rows$kind)
  found <- arrange_diagram(layout, rep(".50", count), rep(0.5, count))
  values <- !is.na(found$matrix$row)
  expect_identical(sum(values), 66L)
  drawn <- Filter(function(e) e$type == "covariance", found$edges)
  expect_false(any(vapply(drawn, function(e) all(e$ends %in% layout$constructs), NA)))
  expect_true(all(found$matrix$x >= 0 & found$matrix$x <= found$page[[1L]] &
                    found$matrix$y >= 0 & found$matrix$y <= found$page[[2L]]))
  # no cell lies on a box
  boxes <- outlines(found$nodes)
  cells <- cbind(found$matrix$x - 0.01, found$matrix$x + 0.01, found$matrix$y - 0.01,
                 found$matrix$y + 0.01)
  expect_identical(sum(overlap_areas(cells, boxes) > 0), 0L)
})
