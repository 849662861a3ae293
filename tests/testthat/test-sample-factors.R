bp <- blueprint("Groups") |> construct("Belonging", reflected_in = be1:be4) |>
  effect(Belonging ~ setting)
data <- choirs[stats::complete.cases(choirs[paste0("be", 1:4)]), ]

test_that("a two-level factor becomes 0/1 with the reference named", {
  expect_message(fit <- fit_model(bp, data),
                 text_pattern("is_coded", name = "setting", levels = "evening",
                              levels_2 = "weekend"),
                 class = "orizzonte_message")
  by_hand <- data
  by_hand$setting <- as.numeric(data$setting == "weekend")
  expect_equal(coef(fit), coef(fit_model(bp, by_hand)))
  # standardized by the outcome only: the difference of the two settings in standard deviations
  row <- which(estimates(fit)$parameter == "effect[setting, Belonging]")
  sd <- sqrt(implied(fit)$all$constructs["Belonging", "Belonging"])
  expect_equal(estimates(fit)$standardized[row], estimates(fit)$estimate[row] / sd)
  total <- effects(fit)
  expect_equal(total$standardized[total$parameter == "total[setting, Belonging]"],
               estimates(fit)$standardized[row])
  value <- function(theta) standardized_of(fit_at(fit, theta))$value[row]
  expect_equal(unname(standardized_of(fit)$gradient[row, ]), numDeriv::grad(value, coef(fit)),
               tolerance = 1e-6)
  expect_true("setting is coded 0 for evening and 1 for weekend." %in% sample_notes(fit$sample))
})

test_that("more levels become 0/1 columns, as in lm()", {
  path <- blueprint("Towns") |> effect(be1 ~ town + years)
  expect_message(fit <- fit_model(path, data),
                 text_pattern("is_coded_1_level", levels = "townBrook and townCliff",
                              levels_2 = "Arden"))
  reference <- lm(be1 ~ town + years, data)
  expect_equal(
    unname(coef(fit)[c("effect[townBrook, be1]", "effect[townCliff, be1]", "effect[years, be1]")]),
               unname(coef(reference)[c("townBrook", "townCliff", "years")]), tolerance = 1e-7)
  expect_equal(nrow(estimates(fit)[estimates(fit)$kind == "covariance", ]), 3)
  # the user's input is kept, so that its file fits the same data again
  file <- tempfile(fileext = ".yaml")
  write_blueprint(fit$request$blueprint, file)
  expect_equal(coef(quiet_fit(read_blueprint(file), data)), coef(fit))
  expect_match(suppressMessages(identification(path, data))$assumed, "townBrook", all = FALSE)
  apart <- quiet_fit(path |> uncorrelate(town, years), data)
  expect_equal(df.residual(apart), 2)
})

test_that("new data are coded as the fitted ones were", {
  fit <- quiet_fit(bp, data)
  expect_equal(predict(fit, newdata = data[1:5, ]), predict(fit)[1:5, , drop = FALSE],
               ignore_attr = TRUE)
  one <- droplevels(data[data$setting == "weekend", ][1:3, ])
  expect_equal(nrow(predict(fit, newdata = one)), 3)
  strange <- data[1:2, ]
  strange$setting <- c("evening", "morning")
  expect_error(predict(fit, newdata = strange), "holds \"morning\"", class = "orizzonte_error_data")
})

test_that("factors elsewhere, and columns that are no grouping, are refused", {
  expect_error(quiet_fit(blueprint("x") |> effect(setting ~ years), data),
               text_pattern("column_is_not_numeric_is"),
               class = "orizzonte_error_data")
  expect_error(quiet_fit(blueprint("x") |> construct("F", reflected_in = c(be1, be2, be3, town)),
                         data), text_pattern("column_is_not_numeric_is"),
               class = "orizzonte_error_data")
  expect_error(quiet_fit(blueprint("x") |> effect(be1 ~ singer), data),
               text_pattern("columns_hold_text"),
               class = "orizzonte_error_data")
  # numbers that were read as text are numbers
  numbers <- data
  numbers$years <- as.character(numbers$years)
  expect_equal(coef(quiet_fit(blueprint("x") |> effect(be1 ~ years), numbers)),
               coef(quiet_fit(blueprint("x") |> effect(be1 ~ years), data)))
  clash <- data
  clash$townBrook <- 1
  expect_error(quiet_fit(blueprint("x") |> effect(be1 ~ town), clash),
               text_pattern("n0_1_columns_would"),
               class = "orizzonte_error_data")
})
