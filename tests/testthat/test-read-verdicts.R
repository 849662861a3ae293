data <- complete_choirs(c(paste0("be", 1:4), paste0("cr", 1:3), paste0("st", 1:3), "age", "years"))
bp <- blueprint("Why") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Craft", reflected_in = cr1:cr3) |> construct("Staying",
    reflected_in = st1:st3) |>
  effect(Staying ~ Belonging + Craft + age) |>
    quantity(ratio = effect[Belonging, Staying] / effect[Craft, Staying])
claims <- bp |> claim(H1 = effect[Belonging, Staying] > 0, H2 = effect[Belonging, Staying] < 0,
                      H3 = effect[age, Staying] == 0,
                      H4 = standardized(effect[Belonging, Staying]) >
                      standardized(effect[Craft, Staying]), H5 = quantity[ratio] > 1,
                      H6 = effect[Craft, Staying] != 0, H7 = loading[Belonging, be1] == 1,
                      H8 = effect[Belonging, Staying] == 0, H9 = r_squared[Staying] > 0.9)
fit <- fit_model(claims, data)

test_that("claims are judged by hand-made numbers", {
  table <- verdicts(fit)
  b <- coef(fit)
  v <- vcov(fit)
  z <- b[["effect[Belonging, Staying]"]] /
    sqrt(v["effect[Belonging, Staying]", "effect[Belonging, Staying]"])
  expect_equal(table$z[1], z)
  expect_equal(table$p_one_sided[1:2], c(pnorm(-z), pnorm(z)))
  expect_equal(table$verdict[c(1:3, 6:9)],
               c("supported", "contradicted", "supported", "supported", "not_judged",
                 "contradicted", "contradicted"))
  expect_equal(table$verdict[4:5],
               ifelse(table$p_one_sided[4:5] < 0.05, "supported", "not_supported"))
  est <- estimates(fit)
  std <- stats::setNames(est$standardized, est$parameter)
  expect_equal(table$estimate[4],
               std[["effect[Belonging, Staying]"]] - std[["effect[Craft, Staying]"]])
  expect_equal(table$standardized[4], table$estimate[4])
  ratio <- est[est$parameter == "quantity[ratio]", ]
  expect_equal(table$estimate[5], ratio$estimate - 1)
  expect_equal(table$se[5], ratio$se)
  # no relation: within the margin by two one-sided tests
  age <- est[est$parameter == "effect[age, Staying]", ]
  expect_equal(table$verdict[3] == "supported",
               abs(age$standardized) + qnorm(0.95) * age$standardized_se < 0.1)
  expect_equal(verdicts(fit, criteria = criteria(smallest = 0.01))$verdict[3], "cannot_tell")
  expect_output(print(table), "one-sided p < .05")
  expect_output(print(summary(fit)), "Verdicts")
  expect_output(print(verdicts(fit_model(bp, data))), text_pattern("no_claims"))
})

test_that("the difference of two parameters has the error of a difference", {
  two <- fit_model(bp |> claim(H = effect[Belonging, Staying] > effect[Craft, Staying]), data)
  pair <- c("effect[Belonging, Staying]", "effect[Craft, Staying]")
  v <- vcov(two)[pair, pair]
  expect_equal(verdicts(two)$se, sqrt(v[1, 1] + v[2, 2] - 2 * v[1, 2]))
  expect_equal(verdicts(two)$estimate, unname(coef(two)[pair[1]] - coef(two)[pair[2]]))
})

test_that("claims live in blueprints and their files", {
  file <- tempfile(fileext = ".yaml")
  write_blueprint(claims, file)
  expect_identical(read_blueprint(file), claims)
  expect_output(print(claims), "claim H1: effect\\[Belonging, Staying\\] > 0")
  expect_message(gone <- leave_out(claims, age), "H3")
  expect_false("H3" %in% names(gone$claims))
  expect_message(claim(claims, H1 = effect[Belonging, Staying] != 0), "Overridden")
})

test_that("bad claims say what is wrong", {
  expect_error(claim(bp, effect[Belonging, Staying] > 0), "no name",
               class = "orizzonte_error_input")
  expect_error(claim(bp, H = effect[Belonging, Staying]), text_pattern("not_claim"),
               class = "orizzonte_error_restriction")
  expect_error(claim(bp, H = effect[Belonging, Staying] >= 0), "Use >",
               class = "orizzonte_error_restriction")
  expect_error(claim(bp, H = 1 > 0), text_pattern("no_address"),
               class = "orizzonte_error_restriction")
  expect_error(claim(bp), class = "orizzonte_error_input")
  expect_error(fit_model(claim(bp, H = effect[Belongin, Staying] > 0), data),
               text_pattern("did_you_mean"),
               class = "orizzonte_error_restriction")
  expect_error(fit_model(claim(bp, H = quantity[rate] > 0), data), text_pattern("did_you_mean"),
               class = "orizzonte_error_name")
  pressed <- fit_model(bp |> restrict(effect[age, Staying] >= 0.2) |>
                       claim(H = effect[age, Staying] > 0), data)
  expect_match(verdicts(pressed)$criterion, "bound")
})
