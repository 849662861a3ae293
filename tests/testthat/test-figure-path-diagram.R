demo_fits <- function() {
  measurement <- blueprint("Measurement") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4) |>
    construct("Craft", reflected_in = cr1:cr4) |> construct("Staying", reflected_in = st1:st3) |>
      covary(be1, be2)
  list(
    measurement = quiet_fit(measurement, choirs),
    structural = quiet_fit(measurement |>
                           effect(Staying ~ Belonging + Calm + years, Calm ~ Craft + Belonging),
                           choirs),
    one = quiet_fit(blueprint("One") |> construct("Belonging", reflected_in = be1:be3), choirs),
    composite = quiet_fit(blueprint("Composite") |>
                          construct("Belonging", reflected_in = be1:be4) |>
                          construct("Calm", reflected_in = sc1:sc4) |>
                            construct("Resources", composed_of = c(rooms, scores, coach)) |>
                            construct("Staying", reflected_in = st1:st3) |>
                            effect(Staying ~ Belonging + Calm + years,
                                   Belonging + Calm ~ Resources) |> covary(be1, be2), choirs),
    second_order = fit_model(blueprint("Second order") |> construct("Ear",
        reflected_in = ear1:ear4) |> construct("Voice", reflected_in = voice1:voice4) |>
                               construct("Score", reflected_in = score1:score4) |>
                               construct("Musical", reflected_in = c(Ear, Voice, Score)),
                               choirs_bifactor),
    bifactor = fit_model(blueprint("Bifactor") |>
                         construct("General", reflected_in = all_of(names(choirs_bifactor))) |>
                           construct("Ear", reflected_in = ear1:ear4) |>
                           construct("Voice", reflected_in = voice1:voice4) |>
                           construct("Score", reflected_in = score1:score4) |>
                           uncorrelate(General, Ear, Voice, Score), choirs_bifactor),
    feedback = quiet_fit(blueprint("Feedback") |> construct("Belonging", reflected_in = be1:be4) |>
                         construct("Staying", reflected_in = st1:st3) |>
                           effect(Belonging ~ Staying + rooms, Staying ~ Belonging + years),
                           choirs),
    paths = quiet_fit(blueprint("Paths") |> effect(st1 ~ be1 + years, be1 ~ years + rooms + age),
                      choirs)
  )
}

overlaps <- function(boxes) {
  if (nrow(boxes) < 2) return(0)
  pairs <- utils::combn(nrow(boxes), 2)
  a <- boxes[pairs[1, ], , drop = FALSE]
  b <- boxes[pairs[2, ], , drop = FALSE]
  sum(pmin(a[, 2], b[, 2]) - pmax(a[, 1], b[, 1]) > 0.01 & pmin(a[, 4], b[, 4]) - pmax(a[, 3],
      b[, 3]) > 0.01)
}

test_that("labels and nodes never overlap on the demo models, and stay on the page", {
  for (fit in demo_fits()) {
    standardized <- standardized_of(fit)$value
    diagram <- diagram_layout(fit$layout,
                              diagram_text(values_of(fit), standardized, "standardized"),
                              standardized)
    labels <- do.call(rbind, lapply(diagram$edges, `[[`, "box"))
    nodes <- with(diagram$nodes, cbind(x - w / 2, x + w / 2, y - h / 2, y + h / 2))
    expect_equal(overlaps(labels), 0)
    expect_equal(overlaps(nodes), 0)
    across <-
      sum(vapply(seq_len(nrow(labels)), function(i) overlaps(rbind(labels[i, ], nodes)) > 0, NA))
    expect_equal(across, 0)
    expect_true(all(labels[, 1] > -0.02 & labels[, 2] < 10.02 & labels[, 3] > -0.02 &
                    labels[, 4] < 6.27))
  }
})

test_that("forty items fit one page", {
  set.seed(5)
  f <- matrix(rnorm(300 * 5), 300) + rnorm(300)
  x <- as.data.frame(do.call(cbind,
                             lapply(1:5, function(k) sapply(1:8, function(i) f[, k] + rnorm(300)))))
  names(x) <- paste0(rep(letters[1:5], each = 8), 1:8)
  bp <- blueprint("Forty")
  for (k in 1:5) bp <- bp |> construct(LETTERS[k], reflected_in = paste0(letters[k], 1:8))
  fit <- fit_model(bp, x)
  standardized <- standardized_of(fit)$value
  diagram <- diagram_layout(fit$layout, diagram_text(values_of(fit), standardized, "standardized"),
                            standardized)
  expect_equal(overlaps(do.call(rbind, lapply(diagram$edges, `[[`, "box"))), 0)
  expect_gte(diagram$text_size, 5.5)
})

test_that("the diagram is a ggplot that draws, with values chosen and nodes nudged", {
  fit <- demo_fits()$one
  for (values in c("standardized", "raw", "both", "none"))
    expect_s3_class(path_diagram(fit, values), "ggplot")
  file <- tempfile(fileext = ".png")
  save_figure(plot(fit), file)
  expect_gt(file.size(file), 5000)
  moved <- place_nodes(fit$layout, rep("", length(values_of(fit))))
  nudged <- apply_nudge(moved, data.frame(name = "be1", dx = 0.5, dy = -0.25))
  expect_equal(nudged$x[nudged$name == "be1"] - moved$x[moved$name == "be1"], 0.5)
  expect_error(path_diagram(fit, nudge = data.frame(name = "bee1", dx = 1, dy = 0)),
               "Did you mean \"be1\"", class = "orizzonte_error_name")
  expect_error(path_diagram(fit, values = "std"), class = "orizzonte_error_input")
})
