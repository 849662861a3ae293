# Texts of a diagram on devices of every size: as laid out, or smaller with the page.

drawn_texts <- function(plot, width, height) {
  grDevices::pdf(NULL, width, height)
  on.exit(grDevices::dev.off())
  print(plot)
  grid::grid.force()
  unlist(lapply(grid::grid.get("GRID.text", grep = TRUE, global = TRUE), function(grob) {
    if (length(grob$label) < 2L || is.language(grob$label)) return(NULL)
    stats::setNames(rep_len(grob$gp$fontsize, length(grob$label)), grob$label)
  }))
}

test_that("texts of a diagram shrink with a small device and never grow", {
  fit <- quiet_fit(read_blueprint(extdata("choirs-start.yaml")), choirs)
  plot <- path_diagram(fit)
  full <- drawn_texts(plot, 12, 8)
  large <- drawn_texts(plot, 24, 16)
  small <- drawn_texts(plot, 6, 4)
  tiny <- drawn_texts(plot, 3, 2)
  expect_true(all(c("Belonging", "be1", ".40") %in% names(full)))
  expect_equal(large, full)
  expect_lt(max(small / full), 0.72)
  expect_lt(diff(range(small / full)), 1e-10)
  # half of the page, less the margins
  expect_lt(tiny[["be1"]], small[["be1"]] / 1.9)
  groups <- path_diagram(quiet_fit(read_blueprint(extdata("choirs.yaml")), choirs, by = "setting"))
  whole <- drawn_texts(groups, 14, 8)
  half <- drawn_texts(groups, 7, 4)
  expect_equal(sum(names(whole) == "be1"), 2)
  expect_lt(max(half), max(whole) * 0.75)
})
