# Mediation: products by hand, the effects table, bootstraps of all kinds, groups and feedback.

bp <- blueprint("Why singers stay") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4) |> construct("Craft", reflected_in = cr1:cr3) |>
  construct("Staying", reflected_in = st1:st3) |>
  effect(Staying ~ Belonging + Calm + Craft, Calm + Craft ~ Belonging)
fit <- quiet_fit(bp, choirs)
found <- mediation(fit, Belonging, Staying)

test_that("effects are products of estimates, and agree with the table of all effects", {
  b <- coef(fit)
  calm <- b[["effect[Belonging, Calm]"]] * b[["effect[Calm, Staying]"]]
  craft <- b[["effect[Belonging, Craft]"]] * b[["effect[Craft, Staying]"]]
  direct <- b[["effect[Belonging, Staying]"]]
  expect_identical(found$kind, c("direct", "route", "route", "indirect", "total", "contrast"))
  expect_equal(found$estimate, c(direct, calm, craft, calm + craft, direct + calm + craft,
                                 calm - craft))
  all <- effects(fit)
  own <- all[all$from == "Belonging" & all$to == "Staying", ]
  at <- match(own$parameter, found$parameter)
  expect_equal(found$se[at], own$se)
  expect_equal(found$standardized[at], own$standardized)
  expect_identical(found$via[2:3], c("Calm", "Craft"))
  expect_equal(mediation(fit, "Belonging", "Staying")$estimate, found$estimate)
})

test_that("intervals come from the replicates of any bootstrap of the fit", {
  for (kind in c("percentile", "bca", "bias-corrected")) {
    boot <- bootstrap_fit(fit, 60, list(effects = effects), seed = 1, interval = kind)
    own <- mediation(fit, Belonging, Staying, bootstrap = boot)
    table <- as.data.frame(boot)
    at <- match(own$parameter[c(1, 4, 5)], table$parameter)
    expect_equal(own$se[c(1, 4, 5)], table$se[at], tolerance = 1e-6)
    if (kind == "percentile") expect_equal(own$lower[c(1, 4, 5)], table$lower[at],
                                           tolerance = 1e-6)
    standard <- match(paste0("standardized(", own$parameter[4], ")"), table$parameter)
    if (kind == "percentile")
      expect_equal(own$standardized_upper[4], table$upper[standard], tolerance = 1e-6)
  }
  plain <- bootstrap_fit(fit, 30, seed = 2, interval = "percentile")
  expect_false(anyNA(mediation(fit, Belonging, Staying, bootstrap = plain)$lower))
  other <- quiet_fit(bp, choirs[1:400, ])
  expect_error(mediation(other, Belonging, Staying, bootstrap = plain),
               class = "orizzonte_error_input")
})

test_that("groups are compared, and feedback is followed", {
  grouped <- mediation(quiet_fit(bp, choirs, by = setting), Belonging, Staying)
  last <- grouped[grouped$kind == "groups", ]
  indirect <- grouped$estimate[grouped$kind == "indirect"]
  expect_equal(last$estimate, indirect[2] - indirect[1])
  expect_output(print(grouped), "indirect: weekend - evening", fixed = TRUE)
  loop <- blueprint("loop") |> construct("A", reflected_in = be1:be4) |>
    construct("B", reflected_in = sc1:sc4) |> effect(A ~ B + years, B ~ A + age)
  turned <- quiet_fit(loop, choirs)
  own <- mediation(turned, years, B)
  all <- effects(turned)
  expect_equal(own$estimate[own$kind == "total"],
               all$estimate[all$parameter == "total[years, B]"], tolerance = 1e-8)
  boot <- bootstrap_fit(turned, 20, list(effects = effects), seed = 1, interval = "percentile")
  again <- mediation(turned, years, B, bootstrap = boot)
  expect_equal(again$se[again$kind == "total"],
               as.data.frame(boot)$se[as.data.frame(boot)$parameter == "total[years, B]"],
               tolerance = 1e-6)
})

test_that("verdicts follow the intervals", {
  expect_identical(rule_mediation(0.01, 0.2, 0.01, 0.3), "both_same")
  expect_identical(rule_mediation(0.01, 0.2, -0.3, -0.01), "both_opposite")
  expect_identical(rule_mediation(0.01, 0.2, -0.1, 0.3), "indirect_only")
  expect_identical(rule_mediation(0.01, 0.2, NA, NA), "indirect_only")
  expect_identical(rule_mediation(0, 0.2, 0.1, 0.3), "direct_only")
  expect_identical(rule_mediation(-0.1, 0.2, 0, 0.3), "neither")
  expect_identical(rule_mediation(NA, NA, 0.1, 0.3), "no_route")
})

test_that("names are checked, and nothing is made up where nothing leads", {
  expect_error(mediation(fit, Belong, Staying), class = "orizzonte_error_name")
  expect_error(mediation(fit, Staying, Belonging), class = "orizzonte_error_input")
  expect_match(paste(methods_text(found), collapse = " "),
               "The effect of Belonging on Staying was divided", fixed = TRUE)
  expect_identical(names(tidy(found))[1], "term")
})
