data <- complete_choirs(c(paste0("be", 1:4), paste0("sc", 1:4), paste0("st", 1:3), "years",
                          "rooms", "coach"))
start <- function() blueprint("x")

test_that("counting and rank agree with what theory says, with and without data", {
  cases <- list(
    list(bp = start() |> construct("B", reflected_in = be1:be3), identified = TRUE, df = 0),
    list(bp = start() |> construct("B", reflected_in = be1:be4), identified = TRUE, df = 2),
    list(bp = start() |> construct("B", reflected_in = c(be1, be2)), identified = FALSE, df = -1),
    list(bp = start() |> construct("B", reflected_in = be1:be2) |>
         construct("C", reflected_in = sc1:sc2), identified = TRUE, df = 1),
    list(bp = start() |> construct("B", reflected_in = be1:be4) |> covary(be1, be2) |>
         covary(be1, be3), identified = TRUE, df = 0),
    list(bp = start() |> construct("B", reflected_in = be1:be3) |>
         construct("C", reflected_in = sc1:sc4) |> covary(be1, be2, be3),
         identified = FALSE, df = 10),
    list(bp = start() |> effect(be1 ~ st1 + years) |> effect(st1 ~ be1 + rooms),
         identified = TRUE, df = 1),
    list(bp = start() |> effect(be1 ~ st1 + years + rooms) |> effect(st1 ~ be1 + years + rooms),
         identified = FALSE, df = -1),
    list(bp = start() |> construct("R", composed_of = c(rooms, coach, years)) |>
         construct("B", reflected_in = be1:be3) |>
           construct("C", reflected_in = sc1:sc3) |> effect(B ~ R) |> effect(C ~ R + B),
           identified = TRUE, df = 22)
  )
  for (case in cases) {
    for (found in list(identification(case$bp), identification(case$bp, data))) {
      expect_identical(found$identified, case$identified)
    }
    expect_equal(identification(case$bp, summary_data(cov(data), nrow(data)))$df, case$df)
  }
})

test_that("the rank is the rank of the brute-force Jacobian", {
  items <- list(B = paste0("be", 1:3), C = paste0("sc", 1:4))
  spec <- rbind(oracle_factor_cells(items),
                data.frame(matrix = "Psi", row = c("be1", "be1", "be2"),
                           col = c("be2", "be3", "be3"), value = NA))
  model <- oracle_model(unlist(items), names(items), spec)
  set.seed(8)
  jacobian <- numDeriv::jacobian(function(x) oracle_moments(model, x), runif(length(model$labels),
      0.3, 1.2), method = "complex")
  bp <- start() |> construct("B", reflected_in = be1:be3) |>
    construct("C", reflected_in = sc1:sc4) |> covary(be1, be2, be3)
  found <- identification(bp, summary_data(cov(data), nrow(data)))
  expect_equal(found$rank, qr(jacobian)$rank)
  expect_equal(found$lacking, length(model$labels) - qr(jacobian)$rank)
})

test_that("the parameters that trade off and the remedies are named", {
  found <- identification(start() |> construct("B", reflected_in = be1:be3) |>
                          construct("C", reflected_in = sc1:sc4) |> covary(be1, be2, be3), data)
  expect_true(all(c("covariance[be1, be2]", "variance[B]") %in% found$trading))
  expect_false(any(grepl("sc1|sc2|sc3|sc4", found$trading)))
  expect_match(identification(start() |> construct("B", reflected_in = c(be1, be2)))$remedies,
               "two items", all = FALSE)
  expect_match(identification(start() |> construct("Y", reflected_in = "years") |>
                              effect(be1 ~ Y))$remedies, "variance\\[years\\] == 0", all = FALSE)
  expect_match(identification(start() |> construct("R", composed_of = c(rooms, coach)))$remedies,
               text_pattern("is_composite_without_outgoing"), all = FALSE)
  expect_match(identification(start() |> effect(be1 ~ st1 + years) |>
                              effect(st1 ~ be1 + years))$remedies,
               text_pattern("point_each_other_each"),
                              all = FALSE)
  two <- identification(start() |> construct("B", reflected_in = be1:be2) |>
                        construct("C", reflected_in = sc1:sc2), data)
  expect_match(two$notes, "identified through covariance\\[B, C\\]", all = FALSE)
  expect_output(print(two), text_pattern("resting_on_little"))
  expect_output(print(found),
                paste0(text_pattern("these_trade_off_against_each"), ".*",
                       text_pattern("what_would_help")))
  expect_error(identification("x"), class = "orizzonte_error_input")
})

test_that("a construct whose scale was relaxed away is named", {
  bp <- blueprint("No scale", scale = "unit") |> construct("Calm", reflected_in = sc1:sc4) |>
    relax(variance[Calm])
  expect_error(quiet_fit(bp, choirs), text_pattern("construct_without_scale", construct = "Calm"),
               class = "orizzonte_error_identification")
})

test_that("with more parameters than moments those that trade off are named, too", {
  twice <- blueprint("Soaked up twice") |> construct("A", reflected_in = be1:be3) |>
    covary(be1, be2)
  for (attempt in list(quote(fit_model(twice, choirs)), quote(stop_if(identification(twice)))))
    expect_error(eval(attempt, list(stop_if = function(x) {
      stop(paste(capture.output(print(x)), collapse = "\n"))
    })), "covariance\\[be1, be2\\]")
  found <- identification(twice, choirs)
  expect_equal(found$df, -1)
  expect_true(all(c("covariance[be1, be2]", "variance[be1]") %in% found$trading))
  expect_error(suppressMessages(fit_model(twice, choirs, by = setting)),
               text_pattern("model_cannot_be_identified"),
               class = "orizzonte_error_identification")
})
