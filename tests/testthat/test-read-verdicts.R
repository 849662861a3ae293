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
  # no relation: within the margin by an equivalence test
  age <- est[est$parameter == "effect[age, Staying]", ]
  expect_equal(table$verdict[3] == "supported",
               abs(age$standardized) + qnorm(0.95) * age$standardized_se < 0.1)
  expect_equal(verdicts(fit, criteria = criteria(smallest = 0.01))$verdict[3], "cannot_tell")
  expect_output(print(table), "one-sided p < .05")
  expect_output(print(summary(fit)), "Verdicts")
  expect_output(print(verdicts(fit_model(bp, data))), text_pattern("no_claims"))
})

test_that("the p value is that of the test that decides", {
  table <- verdicts(fit)
  # an equality that holds: the larger of two one-sided tests
  h3 <- table[table$claim == "H3", ]
  est <- estimates(fit)
  age <- est[est$parameter == "effect[age, Staying]", ]
  p <- max(pnorm((age$standardized - 0.1) / age$standardized_se),
           pnorm((-age$standardized - 0.1) / age$standardized_se))
  expect_equal(h3$p_equivalence, p)
  expect_equal(h3$p_deciding, p)
  expect_gt(h3$p, 0.05)
  # a contradicted equality: the two-sided test; directions: the one-sided test
  h8 <- table[table$claim == "H8", ]
  expect_equal(h8$p_deciding, h8$p)
  expect_match(h8$criterion, text_pattern("criterion_different"))
  expect_equal(table$p_deciding[1:2], table$p_one_sided[1:2])
  expect_equal(table$p_deciding[6], table$p[6])
  expect_true(is.na(table$p_deciding[7]))
  expect_equal(table$p_adjusted, stats::p.adjust(table$p_deciding, "holm"))
  # an undecided equality has the p value of the equivalence test
  narrow <- verdicts(fit, criteria = criteria(smallest = 0.01))
  expect_equal(narrow$p_deciding[3], narrow$p_equivalence[3])
  expect_gte(narrow$p_deciding[3], 0.05)
})

test_that("equality across groups is judged on a common unit", {
  set.seed(4)
  cases <- function(n, sd) {
    f <- stats::rnorm(n, 0, sd)
    g <- 0.5 * f + stats::rnorm(n, 0, 0.8)
    noise <- matrix(stats::rnorm(n * 6, 0, 0.6), n)
    x <- cbind(f, f, f, g, g, g) + noise
    stats::setNames(as.data.frame(x), paste0("x", 1:6))
  }
  both <- cbind(rbind(cases(1500, 0.7), cases(1500, 1.6)), group = rep(c("a", "b"), each = 1500))
  paths <- blueprint("Paths") |> construct("Early", reflected_in = x1:x3) |>
    construct("Late", reflected_in = x4:x6) |> effect(Late ~ Early) |> hold_equal(loading) |>
    claim(H = effect[Early, Late | a] == effect[Early, Late | b])
  two <- suppressMessages(fit_model(paths, both, by = group))
  table <- verdicts(two)
  expect_equal(table$verdict, "supported")
  expect_match(table$criterion, text_pattern("criterion_pooled"))
  est <- estimates(two)
  each <- c("effect[Early, Late | a]", "effect[Early, Late | b]")
  std <- est$standardized[match(each, est$parameter)]
  expect_gt(abs(std[1] - std[2]), 0.2)      # within groups they differ as the variances do
  # by hand: standard deviations pooled over both groups
  sds <- vapply(group_views(two), function(view) {
    sqrt(diag(implied_moments(view)$constructs))
  }, c(1, 1))
  pooled <- sqrt(rowMeans(sds^2))
  expect_equal(table$standardized, table$estimate * pooled[[1]] / pooled[[2]], tolerance = 1e-6)
  expect_equal(table$standardized_se, table$se * pooled[[1]] / pooled[[2]], tolerance = 1e-6)
  # values that the user standardizes stay standardized
  own <- suppressMessages(fit_model(
    claim(paths, H = standardized(effect[Early, Late | a]) ==
            standardized(effect[Early, Late | b])), both,
    by = group))
  expect_equal(verdicts(own)$standardized, std[1] - std[2], tolerance = 1e-6)
  # free loadings: a caution before the verdicts
  free <- suppressMessages(fit_model(let_differ(paths, loading), both, by = group))
  expect_match(attr(verdicts(free), "caveat"), text_pattern("own_units"))
  expect_output(print(verdicts(free)), "CAUTION")
  expect_null(attr(table, "caveat"))
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

test_that("indirect and total effects have a standardized value, also in robustness()", {
  paths <- blueprint("Way") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Craft", reflected_in = cr1:cr3) |> construct("Staying", reflected_in = st1:st3) |>
    effect(Craft ~ Belonging) |> effect(Staying ~ Craft + Belonging) |>
    claim(H1 = indirect[Belonging, Staying] > 0, H2 = total[Belonging, Staying] == 0)
  way <- fit_model(paths, data)
  table <- verdicts(way)
  all <- effects(way)
  for (k in 1:2) {
    row <- all[all$parameter == c("indirect[Belonging, Staying]", "total[Belonging, Staying]")[k], ]
    expect_equal(table$standardized[k], row$standardized, tolerance = 1e-8)
    expect_equal(table$standardized_se[k], row$standardized_se, tolerance = 1e-8)
  }
  found <- suppressMessages(robustness(way, choices = "items"))
  expect_false(anyNA(found$standardized[found$verdict != "not_analysed"]))
  printed <- paste(capture.output(print(found)), collapse = " ")
  expect_no_match(printed, "Inf")
  expect_match(printed, text_pattern("standardized_to"))
  # alone, without a comparison
  single <- found[found$kind == "itself" & found$claim == "H1", ]
  said <- paste(claim_reading(single), collapse = " ")
  expect_match(said, text_pattern("verdict_alone", claim = "H1"))
  single$standardized <- NA_real_
  expect_no_match(paste(claim_reading(single), collapse = " "), "Inf")
})
