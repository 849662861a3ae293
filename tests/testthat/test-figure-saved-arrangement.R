# A saved arrangement: diagrams of the same variables look alike, whatever their relations.

bp <- read_blueprint(extdata("choirs-start.yaml"))
boxes <- function(plot) {
  value <- attr(plot, "arrangement")
  as.data.frame(value$places)
}
plain <- quiet_fit(bp, choirs)
moved <- path_diagram(plain, nudge = data.frame(name = "Staying", dx = -0.4, dy = -0.3))
kept <- arrange_as(bp, moved)

test_that("what was moved stays there, in later models, groups and fits", {
  expect_false(isTRUE(all.equal(boxes(path_diagram(plain)), boxes(moved))))
  expect_equal(boxes(path_diagram(kept)), boxes(moved))
  more <- effect(kept, Craft ~ Calm)
  expect_equal(boxes(path_diagram(more)), boxes(moved))
  # room for a covariance at the edge of the page, the rest as before
  tied <- boxes(path_diagram(covary(kept, be1, be2)))
  expect_equal(tied$y, boxes(moved)$y)
  expect_equal(cor(tied$x, boxes(moved)$x), 1)
  expect_gt(min(tied$x), min(boxes(moved)$x))
  fit <- quiet_fit(kept, choirs)
  expect_equal(boxes(path_diagram(fit)), boxes(moved))
  amended <- quiet_fit(more, choirs)
  expect_equal(boxes(path_diagram(amended)), boxes(moved))
  # an arrangement is not part of the model
  expect_equal(deviance(fit), deviance(plain))
  # a fit also keeps one, and it can be removed
  expect_equal(boxes(path_diagram(arrange_as(plain, moved))), boxes(moved))
  expect_equal(boxes(path_diagram(arrange_as(kept, NULL))), boxes(path_diagram(bp)))
  # leaving items out does not move the others
  fewer <- path_diagram(suppressMessages(leave_out(kept, cr4)))
  expect_equal(boxes(fewer)$x, boxes(moved)$x[boxes(moved)$name != "cr4"])
})

test_that("several groups side by side, and other pages, scale it", {
  groups <- quiet_fit(kept, choirs, by = "setting")
  panel <- attr(path_diagram(groups), "arrangement")
  scale <- panel$page / attr(moved, "arrangement")$page
  # except for the margins, which do not change
  expect_equal(panel$places$x, boxes(moved)$x * scale[1], tolerance = 0.05)
  expect_equal(panel$places$y, boxes(moved)$y * scale[2], tolerance = 0.05)
  wide <- path_diagram(kept, page = c(20, 6.25))
  expect_equal(boxes(wide)$x, 2 * boxes(moved)$x, tolerance = 1e-4)
  towns <- path_diagram(quiet_fit(kept, choirs, by = "town"))
  expect_s3_class(arrange_as(bp, towns), "orizzonte_blueprint")
})

test_that("a variable without a place has the diagram arranged anew, which is said", {
  expect_message(plot <- path_diagram(effect(kept, Staying ~ years)),
                 text_pattern("arrangement_lacks", names = "years"))
  expect_equal(boxes(plot), boxes(path_diagram(effect(bp, Staying ~ years))))
})

test_that("a file holds the arrangement exactly, and wrong ones are refused by name", {
  file <- tempfile(fileext = ".yaml")
  write_blueprint(kept, file)
  again <- read_blueprint(file)
  expect_identical(again$arrangement, kept$arrangement)
  expect_equal(boxes(path_diagram(again)), boxes(moved))
  lines <- readLines(file)
  wrong <- function(pattern, replacement) {
    writeLines(sub(pattern, replacement, lines), file)
    read_blueprint(file)
  }
  for (bad in list(c("  size: .*", "  size: big"), c("  size: .*", "  size: -1"),
                   c("  page: .*", "  page: [10]"), c("  page: .*", "  page: [.nan, 3]"),
                   c("  items: .*", "  items: heap"), c("  between: .*", "  between: perhaps"),
                   c("    Calm: .*", "    Calm: {x: 1}"),
                   c("    Calm: .*", "    Calm: {x: 1, y: 1e9}"),
                   c("    Calm: .*", "    Calm: {x: 1, y: 2, side: north}"),
                   c("    Calm: .*", "    Calm: {x: 1, y: 2, z: 3}"), c("  size:", "  sise:"),
                   c("    Calm: .*", "    Calm: 3")))
    expect_error(wrong(bad[1], bad[2]), class = "orizzonte_error_file", label = bad[2])
  # a position of a name that the model does not have has no effect
  more <- wrong("    Calm: (.*)", "    Calm: \\1\n    Other: {x: 1, y: 1}")
  expect_equal(boxes(path_diagram(more)), boxes(moved))
  # one edited by hand is drawn as it is written
  edited <- path_diagram(wrong("    Calm: .*", "    Calm: {x: 5, y: 3}"))
  expect_equal(unlist(boxes(edited)[boxes(edited)$name == "Calm", c("x", "y")]), c(x = 5, y = 3))
})

test_that("what is no diagram, and what cannot be arranged, is refused", {
  expect_error(arrange_as(bp, 3), class = "orizzonte_error_input")
  expect_error(arrange_as(bp, ggplot2::ggplot()), class = "orizzonte_error_input")
  expect_error(arrange_as(choirs, moved), class = "orizzonte_error_input")
})

test_that("a saved arrangement of what was drawn draws the same lines", {
  for (file in list.files(extdata("models"), "[.]yaml$", full.names = TRUE)) {
    model <- read_blueprint(file)
    expect_no_warning(first <- path_diagram(model))
    second <- path_diagram(arrange_as(model, first))
    expect_equal(boxes(second), boxes(first), tolerance = 1e-3, label = basename(file))
    lines <- function(plot) ggplot2::layer_data(plot, 1L)[c("x", "y")]
    expect_equal(nrow(lines(second)), nrow(lines(first)), label = basename(file))
  }
})
