data <- complete_choirs(c(paste0("be", 1:4), paste0("sc", 1:4), paste0("st", 1:3)))
fit <- fit_model(blueprint("Why") |> construct("Belonging", reflected_in = be1:be4) |>
                 construct("Calm", reflected_in = sc1:sc4) |>
                   construct("Staying", reflected_in = st1:st3), data)
texts_of_layers <- function(plot) {
  unlist(lapply(seq_along(plot$layers), function(i) ggplot2::layer_data(plot, i)$label))
}

test_that("the residual map shows every pair with its sign, framed where it is large", {
  plot <- residual_map(fit)
  texts <- texts_of_layers(plot)
  gap <- residuals(fit, "correlation")$all$covariance
  gap <- gap[lower.tri(gap)]
  shown <- texts[grepl("[.][0-9]{2}$", texts)]
  expect_length(shown, 55)
  number <- as.numeric(shown)
  expect_equal(sort(number), sort(as.numeric(sprintf("%.2f", gap))))
  expect_true(all(c("Belonging", "Calm", "Staying") %in% texts))
  expect_equal(short_residual(c(0.123, -0.123, 0.001, -1.5), 2L),
               c("+.12", "-.12", ".00", "-1.50"))
  expect_s3_class(residual_map(fit, "own_se", numbers = FALSE), "ggplot")
  expect_error(residual_map(fit, "colour"), class = "orizzonte_error_input")
})

test_that("amendments are drawn with the leaders named, the trail with its cut-offs", {
  table <- amendments(fit, top = 0)
  texts <- texts_of_layers(plot(table, labels = 3))
  expect_true(all(table$parameter[1:3] %in% texts))
  expect_false(table$parameter[4] %in% texts)
  amended <- suppressMessages(amend(fit, free = covariance[be1, be2], because = "greeting"))
  drawn <- plot(trail(amended))
  expect_true(format_share(trail(amended)$cfi[2], 3L) %in% texts_of_layers(drawn))
  lines <- ggplot2::layer_data(drawn, 1)$yintercept
  expect_true(all(c(0.95, 0.9, 0.06, 0.08, 0.1) %in% lines))
  expect_error(plot(trail(fit)), text_pattern("there_is_nothing_draw_nothing"),
               class = "orizzonte_error_input")
})

test_that("loadings are drawn with their intervals", {
  drawn <- loading_plot(fit)
  table <- estimates(fit)
  table <- table[table$kind == "loading", ]
  points <- ggplot2::layer_data(drawn, 3)
  expect_equal(sort(points$x), sort(abs(table$standardized)))
  segments <- ggplot2::layer_data(drawn, 2)
  expect_equal(sort(segments$xend - segments$x), sort(2 * qnorm(0.975) * table$standardized_se))
  expect_error(loading_plot(fit_model(blueprint("Path") |> effect(be1 ~ be2), data)),
               text_pattern("model_has_no_loadings"),
               class = "orizzonte_error_input")
})
