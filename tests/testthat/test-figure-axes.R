# Axes show numbers as tables do.

test_that("numbers of an axis have no leading zero where none can exceed 1", {
  expect_identical(axis_numbers(c(0, 0.5, 1)), c(".0", ".5", "1.0"))
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
