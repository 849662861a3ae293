items <- c(paste0("be", 1:4), paste0("sc", 1:4), paste0("cr", 1:4), paste0("st", 1:3))
data <- complete_choirs(c(items, "years", "age"))
start <- blueprint("Why singers stay") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4) |>
  construct("Staying", reflected_in = st1:st3)
a <- fit_model(start, data)
b <- fit_model(start |> covary(be1, be2), data)
d <- fit_model(start |> covary(be1, be2, be3), data)

test_that("nested models are tested in the order given, with changes, criteria and weights", {
  table <- compare_models(a, b, d)
  expect_equal(table$model, c("a", "b", "d"))
  expect_equal(table$nested, c(NA, "yes", "yes"))
  expect_equal(table$chisq_change[2], deviance(b) - deviance(a))
  expect_equal(table$df_change, c(NA, -1, -2))
  expect_equal(table$p_change[2:3],
               pchisq(c(deviance(a) - deviance(b), deviance(b) - deviance(d)), c(1, 2),
                      lower.tail = FALSE))
  aic <- c(AIC(a), AIC(b), AIC(d))
  expect_equal(table$aic, aic)
  expect_equal(table$akaike_weight, exp(-(aic - min(aic)) / 2) / sum(exp(-(aic - min(aic)) / 2)))
  needed <- c("chisq", "df", "p", "cfi", "tli", "rmsea", "srmr", "aic", "bic")
  expect_true(all(c(needed, paste0(needed, "_change")) %in% names(table)))
  against <- compare_models(start = a, pair = b, trio = d, against = "first")
  expect_equal(against$against, c(NA, "start", "start"))
  expect_equal(against$chisq_change[3], deviance(d) - deviance(a))
  expect_identical(as.data.frame(anova(a, b, d)), as.data.frame(table))
  shown <- paste(capture.output(print(table)), collapse = " ")
  expect_match(shown, text_pattern("aic_bic_favour"))
  expect_match(shown, "b against a: 1 parameter more, \u03c7\u00b2 falls by")
  expect_match(paste(capture.output(print(compare_models(b, a))), collapse = " "),
               "a against b: 1 parameter fewer, \u03c7\u00b2 rises by")
})

test_that("the saturated and the baseline model stand in the table on request", {
  table <- compare_models(a, b, reference = TRUE)
  index <- fit_indices(a)
  value <- function(name) index$value[index$index == name]
  expect_equal(table$model[3:4], c("saturated model", "baseline model"))
  expect_equal(table$chisq[3:4], c(0, value("chisq_baseline")))
  expect_equal(table$df[3:4], c(0, value("df_baseline")))
  expect_equal(table$aic[3:4], c(value("aic_saturated"), value("aic_baseline")))
  # 11 variables: 66 covariances and 11 means, of which the baseline frees variances and means
  expect_equal(table$parameters[3:4], c(77, 22))
  expect_true(all(is.na(table$against[3:4])))
  expect_output(print(table), "baseline model")
})

test_that("models of other rows can be compared on the rows they share", {
  short <- quiet_fit(start |> leave_out(st3), choirs)
  long <- quiet_fit(start |> leave_out(st3) |> covary(be1, be2), choirs)
  gaps <- choirs
  gaps$sc4[1:40] <- NA
  other <- quiet_fit(start |> leave_out(st3, sc4), gaps, incomplete = "drop")
  same <- quiet_fit(start |> leave_out(st3), gaps, incomplete = "drop")
  expect_match(attr(compare_models(other, same), "notes"),
               text_pattern("are_about_different_variables"), all = FALSE)
  expect_message(table <- compare_models(other, same, same_rows = TRUE),
                 text_pattern("fitted_to_common_rows"))
  expect_equal(table$n[1], table$n[2])
  expect_no_message(compare_models(short, long, same_rows = TRUE))
  expect_error(compare_models(short, quiet_fit(start, choirs[1:300, ]), same_rows = TRUE),
               text_pattern("same_rows_needs_fits"), class = "orizzonte_error_input")
  expect_error(compare_models(short, long, same_rows = NA), class = "orizzonte_error_input")
})

test_that("comparisons, trails and ladders share their columns, verdicts and broken criteria", {
  measures <- c("chisq", "df", "p", "cfi", "tli", "rmsea", "srmr", "aic", "bic")
  shared <- c("against", measures, paste0(measures, "_change"), "verdict", "broken", "status")
  bound <- fit_model(start |> covary(be1, be2) |> restrict(covariance[Belonging, Calm] == 0), data)
  table <- compare_models(b, a, bound)
  ladder <- suppressMessages(invariance(start, choirs, by = setting,
                                        rungs = c("configural", "metric")))
  steps <- trail(amend(amend(b, fix = covariance[Belonging, Calm] == 0, because = "to see"),
                       free = covariance[be1, be3], because = "to see"))
  for (columns in list(table, as.data.frame(ladder), steps)) {
    expect_identical(intersect(names(columns), shared), shared)
  }
  expect_identical(table$verdict[table$model == "bound"], NA_character_)         # not nested in `a`
  direct <- compare_models(b, bound)
  expect_identical(direct$verdict, c(NA, "fits_worse"))
  expect_identical(direct$broken[1L], "")
  changes <- c(cfi = -direct$cfi_change[2L] > 0.010, rmsea = direct$rmsea_change[2L] > 0.015,
               srmr = direct$srmr_change[2L] > 0.010)
  expect_true(any(changes))
  expect_identical(direct$broken[2L], paste(names(changes)[changes], collapse = ", "))
  expect_output(print(direct), text_pattern("breaks_criteria_change_against"))
  expect_identical(steps$verdict, c(NA, "fits_worse", "fits_as_well"))
  expect_identical(steps$broken, c("", direct$broken[2L], ""))
  strict <- compare_models(b, bound, criteria = criteria(cfi_change = 0.9, rmsea_change = 0.9,
                                                         srmr_change = 0.9, p_change = 0.05))
  expect_identical(strict$broken, c("", "p"))
})

test_that("models that only look nested get no test", {
  # fewer parameters, other restrictions: not nested
  one <- fit_model(start |> covary(be1, be2), data)
  two <- fit_model(start |> covary(sc1, sc4) |> covary(st1, sc1), data)
  table <- compare_models(one, two)
  expect_equal(table$nested[2], "no")
  expect_true(is.na(table$chisq_change[2]) && is.na(table$p_change[2]))
  expect_false(is.na(table$aic_change[2]))
  expect_match(attr(table, "notes"), text_pattern("not_nested"), all = FALSE)
  expect_output(print(table), text_pattern("not_nested"))
  # nested though no parameter has the same name: one construct is two that correlate perfectly
  merged <- fit_model(blueprint("One") |> construct("All", reflected_in = c(be1:be4, sc1:sc4)),
                      data)
  apart <- fit_model(blueprint("Two", scale = "unit") |> construct("Belonging",
      reflected_in = be1:be4) |> construct("Calm", reflected_in = sc1:sc4), data)
  expect_equal(compare_models(merged, apart)$nested, c(NA, "yes"))
  # the same model in another scale, and as effects instead of covariances
  unit <- start
  unit$scale <- "unit"
  expect_equal(compare_models(a, fit_model(unit, data))$nested[2], "same model")
  paths <- fit_model(start |> effect(Calm ~ Belonging) |> effect(Staying ~ Belonging + Calm), data)
  expect_equal(compare_models(a, paths)$nested[2], "same model")
})

test_that("other variables and other rows are refused by name, bounds have no plain p", {
  smaller <- fit_model(start |> leave_out(st3), data)
  table <- compare_models(a, b, smaller)
  expect_match(attr(table, "notes"), text_pattern("are_about_different_variables", only = "st3"),
               all = FALSE)
  expect_true(all(is.na(table[table$model == "smaller", grep("_change", names(table))])))
  expect_true(is.na(table$akaike_weight[table$model == "smaller"]))
  rows <- fit_model(start |> covary(be1, be2), data[1:300, ])
  expect_match(attr(compare_models(a, rows), "notes"), text_pattern("different_rows_n"),
               all = FALSE)
  pressed <- fit_model(start |> restrict(loading[Calm, sc2] >= 1.1), data)
  bounded <- compare_models(a, pressed)
  expect_true(is.na(bounded$p_change[2]))
  expect_match(attr(bounded, "notes"), "bound", all = FALSE)
  stuck <- b
  stuck$solution$status <- 1L
  stuck <- stamped(stuck)
  expect_match(attr(compare_models(a, stuck), "notes"), text_pattern("verdict_not_converged"),
               all = FALSE)
  expect_error(compare_models(a), text_pattern("compares_least_two_fits"),
               class = "orizzonte_error_input")
  expect_error(compare_models(a, 3), class = "orizzonte_error_input")
  expect_error(compare_models(a, b, against = "frist"), text_pattern("did_you_mean"),
               class = "orizzonte_error_input")
  expect_error(anova(a), text_pattern("compares_least_two_fits"), class = "orizzonte_error_input")
})

test_that("estimates stand side by side", {
  alone <- fit_model(start |> effect(Staying ~ Belonging + Calm), data)
  controlled <- fit_model(start |> effect(Staying ~ Belonging + Calm + years + age) |>
                          quantity(ratio = effect[Belonging, Staying] / effect[Calm,
      Staying]), data)
  table <- side_by_side(alone, with_controls = controlled)
  expect_equal(table$estimate.alone[1:2], unname(coef(alone)[table$parameter[1:2]]))
  expect_true(is.na(table$estimate.alone[table$parameter == "effect[years, Staying]"]))
  expect_equal(table$se.with_controls[3], sqrt(diag(vcov(controlled)))[["effect[years, Staying]"]])
  expect_true("quantity[ratio]" %in% table$parameter)
  expect_false(any(startsWith(table$parameter, "intercept")))
  only <- side_by_side(alone, controlled, kinds = "effect", values = "standardized")
  expect_equal(nrow(only), 4)
  expect_output(print(only), "R\u00b2 of Staying")
  expect_error(side_by_side(alone, kinds = "efect"), text_pattern("did_you_mean"),
               class = "orizzonte_error_input")
})

test_that("what keeps models from being compared is named", {
  note <- function(...) paste(attr(compare_models(...), "notes"), collapse = " ")
  centred <- data
  centred$be1 <- data$be1 - mean(data$be1)
  expect_match(note(a, fit_model(start, centred)),
               text_pattern("other_means_centred_one", shifted = "be1"))
  metres <- data
  metres$sc2 <- 100 * data$sc2
  expect_match(note(a, fit_model(start, metres)), text_pattern("different_units", moved = "sc2"))
  expect_match(note(a, fit_model(start, data[-1L, ])),
               text_pattern("different_rows_n", at = "62..."))
  other <- data
  other$be1[1:2] <- other$be1[1:2] + c(3, -3)
  expect_match(note(a, fit_model(start, other)), text_pattern("different_rows_n_both"))
  grouped <- cbind(data, g = rep(c("x", "y"), length.out = nrow(data)))
  one <- quiet_fit(start, grouped, by = "g", levels = c("x", "y"))
  two <- quiet_fit(start, grouped, by = "g", levels = c("y", "x"))
  expect_match(note(one, two), text_pattern("groups_another_order"))
})

test_that("nestedness is not fooled by bounds, equations or huge samples", {
  # an inactive bound: the smaller model is not nested, though its solution might be
  bounded <- fit_model(restrict(start |> covary(be1, be2), loading[Calm, sc2] >= -5), data)
  unlike <- fit_model(start |> covary(sc1, sc4) |> covary(st1, sc1), data)
  expect_identical(compare_models(bounded, unlike)$nested[2L], "no")
  path <- start |> effect(Staying ~ Belonging + Calm, Calm ~ Belonging)
  product <- fit_model(restrict(path, effect[Belonging, Staying] ==
                                  effect[Belonging, Calm] * effect[Calm, Staying]), data)
  full <- fit_model(path, data)
  expect_identical(compare_models(full, product)$nested[2L], "yes")
  zero <- fit_model(restrict(path, effect[Belonging, Calm] == 0) |> covary(be1, be2), data)
  expect_identical(compare_models(product, zero)$nested[2L], "no")
  # two models that hardly differ remain two models, however large the sample
  x <- c("be1", "be2", "be3", "be4")
  sigma <- tcrossprod(c(0.7, 0.8, 0.6, 0.7)) + diag(1 - c(0.49, 0.64, 0.36, 0.49))
  sigma[1, 2] <- sigma[2, 1] <- sigma[1, 2] + 2e-5
  dimnames(sigma) <- list(x, x)
  huge <- summary_data(3 * sigma, 1e9)
  bp <- blueprint("huge") |> construct("A", reflected_in = be1:be4)
  one <- suppressMessages(fit_model(covary(bp, be1, be2), huge))
  two <- suppressMessages(fit_model(covary(bp, be1, be3), huge))
  expect_false(identical(compare_models(one, two)$nested[2L], "same model"))
})

test_that("what cannot be compared has its own reason, and robust tables show corrected values", {
  data <- complete_choirs(c(paste0("be", 1:4), paste0("sc", 1:4)))
  bp <- blueprint("Two") |> construct("A", reflected_in = be1:be4) |>
    construct("B", reflected_in = sc1:sc4)
  plain <- fit_model(bp, data)
  other <- fit_model(covary(bp, be1, be2), data, multiplier = "n-1")
  said <- paste(attr(compare_models(plain, other), "notes"), collapse = " ")
  expect_match(said, text_pattern("other_multiplier"))
  expect_no_match(said, text_pattern("different_units"))
  one <- fit_model(bp, data, inference = "robust")
  two <- fit_model(covary(bp, be1, be2), data, inference = "robust")
  beside <- side_by_side(one, two)
  expect_equal(attr(beside, "chisq"), c(test_of(one)$chisq, test_of(two)$chisq))
  expect_output(print(compare_models(one, two)), text_pattern("is_corrected_itself_satorra"))
  # nothing is corrected where there is no difference
  apart <- fit_model(leave_out(bp, sc4), data, inference = "robust")
  printed <- paste(capture.output(print(compare_models(one, apart))), collapse = " ")
  expect_no_match(printed, text_pattern("is_corrected_itself_satorra"))
  expect_no_match(printed, text_pattern("all_fit_alike"))
  # Vuong's test is not made for dependent cases, although the cases are there
  data$class <- rep(seq_len(60), length.out = nrow(data))
  left <- suppressWarnings(fit_model(covary(bp, be1, be2), data, clusters = class))
  right <- suppressWarnings(fit_model(covary(bp, be3, sc4), data, clusters = class))
  said <- paste(attr(compare_models(left, right), "notes"), collapse = " ")
  expect_match(said, text_pattern("not_nested_dependent"))
  expect_no_match(said, text_pattern("not_nested_without_cases"))
})
