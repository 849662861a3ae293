# Results functions for a fit with several groups: each combines the results of its groups.
items <- c(paste0("be", 1:4), paste0("sc", 1:4), paste0("st", 1:3))
data <- choirs[stats::complete.cases(choirs[items]), c("setting", "town", items)]
bp <- blueprint("Why") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4) |>
  construct("Staying", reflected_in = st1:st3) |> effect(Staying ~ Belonging + Calm)
both <- quiet_fit(bp, data, by = "setting")
single <- lapply(c(evening = "evening", weekend = "weekend"),
                 function(g) fit_model(bp, data[data$setting == g, ]))
held <- quiet_fit(bp, data, by = "setting", hold = c("loading", "intercept"))

test_that("with nothing held, every reader gives what the single fits give", {
  for (g in names(single)) {
    own <- estimates(both)
    own <- own[own$group == g, ]
    alone <- estimates(single[[g]])
    expect_equal(own$estimate, alone$estimate, tolerance = 1e-6)
    expect_equal(own$se, alone$se, tolerance = 1e-5)
    expect_equal(own$standardized, alone$standardized, tolerance = 1e-6)
    expect_equal(own$parameter, with_group(alone$parameter, g))
    expect_equal(implied(both)[[g]]$covariance, implied(single[[g]])$all$covariance,
                 tolerance = 1e-6)
    expect_equal(observed(both)[[g]], observed(single[[g]])$all)
    expect_equal(residuals(both, "own_se")[[g]]$covariance,
                 residuals(single[[g]], "own_se")$all$covariance, tolerance = 1e-5)
    explained <- r_squared(both)
    expect_equal(explained$r_squared[explained$group == g], r_squared(single[[g]])$r_squared,
                 tolerance = 1e-6)
    total <- effects(both)
    mine <- total[grepl(g, total$parameter, fixed = TRUE), ]
    expect_equal(mine$estimate, effects(single[[g]])$estimate, tolerance = 1e-6)
    expect_equal(mine$se, effects(single[[g]])$se, tolerance = 1e-5)
  }
})

test_that("log-likelihood, criteria and indices add up over groups by their definitions", {
  expect_equal(as.numeric(logLik(both)), sum(vapply(single, function(f) as.numeric(logLik(f)), 0)),
               tolerance = 1e-9)
  expect_equal(nobs(both), nrow(data))
  index <- function(fit, name) fit_indices(fit)$value[match(name, fit_indices(fit)$index)]
  n <- vapply(single, nobs, 0)
  for (name in c("srmr", "gfi")) {
    expect_equal(index(both, name), sum(n * vapply(single, index, 0, name)) / sum(n),
                 tolerance = 1e-6)
  }
  expect_equal(index(both, "chisq_baseline"), sum(vapply(single, index, 0, "chisq_baseline")),
               tolerance = 1e-9)
  expect_equal(index(both, "df_baseline"), sum(vapply(single, index, 0, "df_baseline")))
  chisq <- deviance(both)
  df <- df.residual(both)
  expect_equal(index(both, "rmsea"), sqrt(2) * sqrt(max(chisq - df, 0) / (df * sum(n))))
  base <- index(both, "chisq_baseline") - index(both, "df_baseline")
  expect_equal(index(both, "cfi"), 1 - (chisq - df) / base)
  # means held: chi-square splits into its covariance and mean parts
  expect_equal(index(held, "chisq_covariances") + index(held, "chisq_means"), deviance(held),
               tolerance = 1e-8)
})

test_that("what is held has one name without a group, and one entry in coef() and vcov()", {
  names <- names(coef(held))
  expect_true("loading[Calm, sc2]" %in% names && "intercept[be3]" %in% names)
  expect_false(any(c("loading[Calm, sc2 | evening]", "loading[Calm, sc2 | weekend]") %in% names))
  expect_true("variance[sc2 | weekend]" %in% names)
  expect_equal(rownames(vcov(held)), names)
  table <- estimates(held)
  pair <-
    table[table$parameter %in% c("loading[Calm, sc2 | evening]", "loading[Calm, sc2 | weekend]"), ]
  expect_equal(pair$status, c("held", "held"))
  expect_equal(diff(pair$estimate), 0)
  expect_false(isTRUE(all.equal(pair$standardized[1], pair$standardized[2])))
  expect_equal(length(coef(both)) - length(coef(held)), df.residual(held) - df.residual(both))
})

test_that("standardized values, quantities and correlations by group have numerical derivatives", {
  for (text in c("standardized(loading[Calm, sc2 | weekend])",
                 "correlation[Calm, Staying | weekend]", "r_squared[Staying | evening]",
                 "total[Belonging, st2 | weekend]")) {
    jet <- read_jet(text, held)
    value <- function(theta) read_jet(text, fit_at(held, theta))$value
    expect_equal(jet$gradient, numDeriv::grad(value, unname(coef(held))), tolerance = 1e-6)
  }
})

test_that("improper parts, residual tables and printed cards name the group", {
  theta <- coef(both)
  theta[["variance[st1 | weekend]"]] <- -3
  odd <- fit_at(both, theta)
  expect_match(improper_parts(odd)$parameter, "variance[st1 | weekend]", fixed = TRUE, all = FALSE)
  table <- residuals(both, "correlation", largest = 4)
  expect_true(all(table$group %in% c("evening", "weekend")))
  expect_true(all(diff(abs(table$residual)) <= 0))
  expect_match(table$meaning, "\\((evening|weekend)\\)$")
  expect_output(print(both), "2 groups \\(evening")
  expect_output(print(summary(held)), text_pattern("held_equal_across_groups"))
  expect_output(print(r_squared(both)), "Staying | weekend", fixed = TRUE)
  expect_output(print(equations(both)), "[weekend]", fixed = TRUE)
})

test_that("amend() releases one group of three, compare_models() knows held models as nested", {
  three <- quiet_fit(bp, data, by = "town", hold = "loading")
  freed <-
    suppressMessages(amend(three, free = loading[Calm, sc2 | Brook],
                           because = "another wording there"))
  expect_equal(df.residual(three) - df.residual(freed), 1)
  table <- estimates(freed)
  value <- table$estimate[match(paste0("loading[Calm, sc2 | ", c("Arden", "Brook", "Cliff"), "]"),
                                table$parameter)]
  expect_equal(value[1], value[3])
  expect_false(isTRUE(all.equal(value[1], value[2])))
  index <- amendments(three, kinds = "equality across", top = 0)
  expect_equal(trail(freed)$predicted_drop[2],
               index$modification_index[index$parameter == "loading[Calm, sc2 | Brook]"],
               tolerance = 1e-7)
  compared <- compare_models(both, held)
  expect_equal(compared$nested[2], "yes")
  expect_equal(compared$chisq_change[2], deviance(held) - deviance(both))
  expect_match(attr(compare_models(both, three), "notes"), "different groups", all = FALSE)
})

test_that("readers of one group refuse what they cannot know", {
  expect_error(residual_map(both, group = "morning"), "no group", class = "orizzonte_error_name")
  expect_error(residual_map(single$evening, group = "evening"), "no groups",
               class = "orizzonte_error_input")
  expect_error(group_plot(single$evening), "no groups", class = "orizzonte_error_input")
  expect_error(compare_groups(single$evening), "no groups", class = "orizzonte_error_input")
  expect_error(compare_groups(both, "loadng"), text_pattern("did_you_mean"),
               class = "orizzonte_error_input")
  expect_error(expected_scores(both, "Calmm"), text_pattern("did_you_mean"),
               class = "orizzonte_error_name")
  expect_error(latent_means(both), text_pattern("means_constructs_can_be"),
               class = "orizzonte_error_input")
  expect_error(fit_model(bp |> restrict(loading[Calm, sc2 | noon] == 1), data, by = "setting"),
               text_pattern("there_is_no_such"), class = "orizzonte_error_name")
})

test_that("what is left out in a group must name one, and something must stay", {
  expect_error(quiet_fit(bp |> leave_out(be4, group = "weekand"), data, by = "setting"),
               text_pattern("did_you_mean"), class = "orizzonte_error_name")
  expect_error(quiet_fit(bp |> leave_out(be4, group = "weekend"), data), "no groups",
               class = "orizzonte_error_input")
  small <- fit_model(blueprint("One") |> construct("Calm", reflected_in = sc1:sc4), data)
  expect_error(suppressMessages(amend(small, omit = Calm, because = "x")),
               class = "orizzonte_error_input")
  expect_error(suppressMessages(amend(small, omit = c(Calm, sc1, sc2, sc3, sc4), because = "x")),
               text_pattern("nothing_would_be_left"), class = "orizzonte_error_input")
})

test_that("what amend() frees in one group is freed there alone, and without a group in all", {
  start <- quiet_fit(bp, data, by = "setting", hold = "loading")
  index <- amendments(start, top = 0)
  predicted <- function(parameter) index$modification_index[match(parameter, index$parameter)]
  for (parameter in c("covariance[be1, be2 | weekend]", "loading[Calm, st1 | weekend]",
                      "loading[Calm, sc2 | weekend]")) {
    freed <- suppressMessages(amend(start, free = !!parameter, because = "in this group only"))
    expect_equal(df.residual(start) - df.residual(freed), 1)
    expect_equal(trail(freed)$predicted_drop[2], predicted(parameter), tolerance = 1e-7)
    expect_equal(trail(freed)$change[2], paste("free", parameter))
    expect_brute_force(freed, shake = 0.001)
  }
  both <- suppressMessages(amend(start, free = covariance[be1, be2], because = "the same wording"))
  expect_equal(df.residual(start) - df.residual(both), 2)
  expect_equal(trail(both)$change[2], "free covariance[be1, be2]")
  one <- suppressMessages(amend(start, free = covariance[be1, be2 | weekend], because = "x"))
  then <- suppressMessages(amend(one, free = covariance[be1, be2 | evening], because = "y"))
  expect_equal(deviance(then), deviance(both), tolerance = 1e-9)
  # an earlier statement about a slice does not include the new parameter
  equal <- bp |> restrict(loading[Calm, c(sc2, sc3, sc4)] == loading[Calm, sc1])
  slice <- quiet_fit(equal, data, by = "setting")
  cross <- suppressMessages(amend(slice, free = loading[Calm, st1 | weekend], because = "x"))
  expect_equal(df.residual(slice) - df.residual(cross), 1)
  # the blueprint gives the same fit, also after a round trip through its file
  file <- tempfile(fileext = ".yaml")
  write_blueprint(cross, file)
  expect_equal(deviance(quiet_fit(read_blueprint(file), data, by = "setting")), deviance(cross),
               tolerance = 1e-9)
  expect_identical(trail(read_blueprint(file)), trail(cross$request$blueprint))
})

test_that("with more than two groups an equality is tested in one group and in all of them", {
  three <- quiet_fit(bp, data, by = "town", hold = c("loading", "intercept"))
  table <- amendments(three, kinds = c("equality of all groups", "equality across groups"), top = 6)
  joint <- table[table$kind == "equality of all groups", ]
  expect_equal(unique(joint$df), 2L)
  for (parameter in joint$parameter[1:2]) {
    each <- paste0(sub("]", "", parameter, fixed = TRUE), " | ", three$layout$groups[-1], "]")
    together <- do.call(score_test, c(list(three), each))
    expect_equal(joint$modification_index[joint$parameter == parameter],
                 attr(together, "statistic"), tolerance = 1e-8)
    expect_equal(joint$p[joint$parameter == parameter],
                 pchisq(attr(together, "statistic"), 2, lower.tail = FALSE))
    freed <- quiet_fit(bp, data, by = "town", hold = c("loading", "intercept"), except = parameter)
    expect_equal(joint$actual_drop[joint$parameter == parameter], deviance(three) - deviance(freed),
                 tolerance = 1e-6)
    amended <- suppressMessages(amend(three, free = !!parameter, because = "x"))
    expect_equal(deviance(amended), deviance(freed), tolerance = 1e-7)
  }
  expect_output(print(table), "df")
})

test_that("identification() and rescue() look at groups", {
  alone <- blueprint("Two") |> construct("Belonging", reflected_in = c(be1, be2))
  expect_error(quiet_fit(alone, data, by = "setting"), text_pattern("model_cannot_be_identified"),
               class = "orizzonte_error_identification")
  expect_error(identification(alone, by = "setting"), text_pattern("groups_need_data_here"),
               class = "orizzonte_error_input")
  loose <- bp |> relax(mean[Belonging])
  expect_error(quiet_fit(loose, data, by = "setting", hold = "loading"),
               text_pattern("model_is_not_identified", lacking = "2 more parameters"),
               class = "orizzonte_error_identification")
  found <- suppressMessages(identification(hold_equal(loose, loading), data, by = "setting"))
  expect_equal(found$lacking, 2)
  expect_true(suppressMessages(identification(hold_equal(bp, loading, intercept), data,
                                              by = setting))$identified)
  troubled <- choirs_troubled
  troubled$half <- rep(c("a", "b"), length.out = nrow(troubled))
  model <- blueprint("Troubled") |> construct("Warmth", reflected_in = wa1:wa4) |>
    construct("Calm", reflected_in = cl1:cl3) |>
    construct("Fun", reflected_in = fu1:fu3)
  rescued <- rescue(model, troubled, by = "half")
  expect_true("without wa4" %in% rescued$worked)
  expect_match(rescued$findings, text_pattern("nearly_same_item", first = "wa3", second = "wa4"),
               all = FALSE)
  expect_match(rescued$findings,
               text_pattern("improper_common_in_small",
                            parameters = "33 free parameters"), all = FALSE)
  # rows are numbered as in the data, not within the group
  expect_true("without row 17" %in% rescued$attempts$attempt)
})
