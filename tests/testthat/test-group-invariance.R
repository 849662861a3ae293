# Several groups: fits, ladders, releases and latent means, against the brute-force truth.
items <- c(paste0("be", 1:4), paste0("sc", 1:4))
two <- blueprint("Two constructs") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4)
columns <- c(items, "cr1", "cr2", "cr3", paste0("st", 1:3), "years")
data <- choirs[stats::complete.cases(choirs[columns]), c("setting", "town", columns)]
ladder <-
  suppressMessages(invariance(two |> covary(be1, be2), data, by = "setting",
                              structural = c("variance[constructs]",
                                             "covariance[constructs]", "mean")))

test_that("every rung agrees with the brute-force truth: estimates, errors and chi-square", {
  for (rung in names(ladder$fits)) expect_brute_force(ladder$fits[[rung]])
  expect_brute_force(quiet_fit(two, data, by = "setting", hold = c("loading", "intercept"),
                               except = c("loading[Calm, sc2]", "intercept[be3]")))
  expect_brute_force(quiet_fit(two |> restrict(loading[Calm, sc2 | weekend] == 0.5) |>
                               relax(covariance[be1, be2 | evening]), data, by = "setting",
                               hold = "intercept"))
})

test_that("structural and second-order models are held rung by rung as the oracle says", {
  structural <- two |> construct("Staying", reflected_in = st1:st3) |>
    effect(Staying ~ Belonging + Calm + years)
  rungs <-
    suppressMessages(invariance(structural, data, by = "setting", rungs = c("metric", "scalar"),
                                structural = "effect", structural_on = "scalar"))
  for (fit in rungs$fits) expect_brute_force(fit, shake = 0.002)
  expect_equal(rungs$table$df_change[rungs$table$rung == "effect"], 3)
})

test_that("single groups add up, scale settings agree, and items may change their unit", {
  alone <- vapply(c("evening", "weekend"),
                  function(g) {
                    deviance(fit_model(two |> covary(be1, be2), data[data$setting == g, ]))
                  }, 0)
  expect_equal(sum(alone), deviance(ladder$fits$configural), tolerance = 1e-8)
  expect_equal(ladder$contributions[, "configural"], alone, tolerance = 1e-6)
  expect_equal(colSums(ladder$contributions), vapply(ladder$fits, deviance, 0), tolerance = 1e-8)
  for (scale in c("marker", "average")) {
    bp <- two |> covary(be1, be2)
    bp$scale <- scale
    expect_equal(deviance(quiet_fit(bp, data, by = "setting", hold = "loading")),
                 deviance(ladder$fits$metric), tolerance = 1e-7)
    expect_equal(deviance(quiet_fit(bp, data, by = "setting", hold = c("loading", "intercept"))),
                 deviance(ladder$fits$scalar), tolerance = 1e-7)
  }
  other <- data
  other$sc2 <- other$sc2 / 1000 - 3
  other$be3 <- other$be3 * 250
  again <- suppressMessages(invariance(two |> covary(be1, be2), other, by = "setting"))
  expect_equal(again$table$chisq, ladder$table$chisq[1:4], tolerance = 1e-6)
})

test_that("the table holds changes, verdicts and words", {
  t <- as.data.frame(ladder)
  expect_equal(t$rung, c("configural", "metric", "scalar", "strict", "variance[constructs]",
                         "covariance[constructs]", "mean"))
  expect_true(all(is.na(t[1, grep("_change", names(t))])))
  expect_equal(t$df_change[2:4], c(6, 6, 9))
  expect_equal(t$chisq_change[2], deviance(ladder$fits$metric) - deviance(ladder$fits$configural))
  expect_equal(t$p_change[2], pchisq(t$chisq_change[2], 6, lower.tail = FALSE))
  # on the scalar rung
  expect_equal(t$chisq_change[5], deviance(ladder$fits[[5]]) - deviance(ladder$fits$scalar))
  first <- suppressMessages(invariance(two, data, by = "setting", against = "first"))
  expect_equal(first$table$df_change[4],
               df.residual(first$fits$strict) - df.residual(first$fits$configural))
  strict <-
    suppressMessages(invariance(two, data, by = "setting", criteria = criteria(p_change = 0.05)))
  expect_true(any(grepl("p", strict$table$broken)))
  expect_output(print(ladder), text_pattern("each_group"))
  expect_error(invariance(two, data, by = "setting", rungs = "metrik"),
               text_pattern("did_you_mean"),
               class = "orizzonte_error_input")
  expect_error(invariance(two, data), "by = ", class = "orizzonte_error_input")
  expect_error(criteria(rmsee_change = 0.01),
               text_pattern("did_you_mean", near = "\"rmsea_change\""),
               class = "orizzonte_error_input")
  expect_s3_class(plot(ladder), "ggplot")
  expect_s3_class(group_plot(ladder$fits$configural, "intercept"), "ggplot")
  expect_s3_class(expected_scores(ladder$fits$metric, "Calm"), "ggplot")
})

test_that("equalities across groups are released by score tests that agree with the oracle", {
  fit <- ladder$fits$metric
  table <- amendments(fit, kinds = "equality across", top = 3)
  for (parameter in table$parameter[1:4]) {
    truth <- oracle_release(fit, parameter)
    row <- match(parameter, table$parameter)
    expect_equal(table$modification_index[row], truth$index, tolerance = 1e-5)
    expect_equal(table$expected_change[row], truth$change, tolerance = 1e-5)
    expect_equal(table$full_change[row], truth$full, tolerance = 1e-5)
  }
  expect_equal(table$parameter[1], "loading[Calm, sc2 | weekend]")
  freed <- quiet_fit(marker_free(two |> covary(be1, be2)), data, by = "setting", hold = "loading",
                     except = "loading[Calm, sc2]")
  expect_equal(table$actual_drop[1], deviance(fit) - deviance(freed), tolerance = 1e-6)
})

test_that("the planted loading and intercept are found and released first", {
  bp <- two |> construct("Craft", reflected_in = cr1:cr3) |> covary(be1, be2)
  start <- suppressMessages(invariance(bp, data, by = "setting"))
  one <- loosen(start, "metric", until = "p")
  expect_equal(one$released$parameter,
               c("loading[Calm, sc2 | weekend]", "intercept[sc2 | weekend]"))
  expect_equal(one$released$step, c(1L, 1L))
  expect_true(one$holds)
  two_steps <- loosen(one$ladder, "scalar", until = "p")
  expect_equal(two_steps$released$parameter[1], "intercept[cr3 | weekend]")
  expect_equal(trail(two_steps$fit)$change[2], "free intercept[cr3 | weekend]")
  expect_gte(two_steps$ladder$table$p_change[3], 0.05)
  expect_output(print(two_steps), text_pattern("released_in_this_order"))
  expect_error(loosen(start, "configural"), text_pattern("first_rung_holds_nothing"),
               class = "orizzonte_error_input")
  expect_error(loosen(start, "metrc"), text_pattern("did_you_mean"),
               class = "orizzonte_error_name")
  # a rung that the ladder could have: the message says how to add it, in every function
  short <- suppressMessages(invariance(bp, data, by = "setting", rungs = "metric"))
  for (ask in list(loosen, latent_means, noninvariance)) {
    failed <- expect_error(ask(short, rung = "scalar"), class = "orizzonte_error_name")
    expect_match(conditionMessage(failed),
                 text_pattern("rungs_of_ladder", rungs = "configural and metric"))
    expect_match(conditionMessage(failed),
                 text_pattern("climb_to_rung", rungs = "c(\"metric\", \"scalar\")"))
  }
  failed <- expect_error(latent_means(short, rung = "scallar"), class = "orizzonte_error_name")
  expect_no_match(conditionMessage(failed), text_pattern("climb_to_rung"))
  gaps <- noninvariance(two_steps)
  expect_setequal(gaps$item[order(-gaps$d_unsigned)][1:2], c("cr3", "sc2"))
  expect_gt(gaps$difference[gaps$item == "cr3"], 5)
  expect_output(print(gaps), text_pattern("difference_total_score"))
  expect_error(noninvariance(two), class = "orizzonte_error_input")
})

test_that("latent means are those of the model, with delta-method errors", {
  fit <- ladder$fits$scalar
  means <- latent_means(ladder)
  expect_equal(means$difference,
               unname(coef(fit)[c("mean[Belonging | weekend]", "mean[Calm | weekend]")]))
  expect_equal(means$se,
               unname(sqrt(diag(vcov(fit)))[c("mean[Belonging | weekend]",
                                              "mean[Calm | weekend]")]))
  turned <- latent_means(fit, reference = "weekend")
  expect_equal(turned$difference, -means$difference)
  # the standardized difference does not depend on the scale of the construct
  marker <- quiet_fit(two |> covary(be1, be2), data, by = "setting",
                      hold = c("loading", "intercept"))
  expect_equal(latent_means(marker)$standardized, means$standardized, tolerance = 1e-6)
  expect_equal(latent_means(marker)$standardized_se, means$standardized_se, tolerance = 1e-5)
  pooled <- latent_means(fit, standardize = "pooled")
  n <- vapply(core_moments(fit), `[[`, 0, "n")
  sd <- sqrt((n[1] * 1 + n[2] * coef(fit)[["variance[Calm | weekend]"]]) / sum(n))
  expect_equal(pooled$standardized[2], means$difference[2] / sd)
  expect_error(latent_means(ladder$fits$metric),
               text_pattern("means_constructs_can_be"),
               class = "orizzonte_error_input")
})

test_that("group columns are picked, ordered and named; trouble is said by group", {
  fit <- NULL
  expect_message(fit <- fit_model(two, data, by = "town", levels = c(Hill = "Cliff",
      River = "Brook")), text_pattern("left_out_other_groups", wanted = "Arden"))
  expect_equal(fit$layout$groups, c("Hill", "River"))
  expect_true("loading[Calm, sc2 | Hill]" %in% names(coef(fit)))
  expect_error(fit_model(two |> effect(Calm ~ setting), data, by = "setting"),
               text_pattern("request_in_model_by"), class = "orizzonte_error_input")
  expect_error(fit_model(two, data, by = "setting", levels = "evening"),
               text_pattern("least_two_are_needed", wanted = "1 group"),
               class = "orizzonte_error_data")
  expect_error(fit_model(two, data, by = "seting"), text_pattern("did_you_mean"),
               class = "orizzonte_error_name")
  expect_error(fit_model(two, data, by = "years"), text_pattern("column_holds_different_values"),
               class = "orizzonte_error_data")
  expect_error(fit_model(two, data, by = "setting", levels = "weekand"),
               text_pattern("did_you_mean"),
               class = "orizzonte_error_name")
  lone <- data
  lone$setting <- ifelse(seq_len(nrow(lone)) == 1, "none", as.character(lone$setting))
  expect_error(quiet_fit(two, lone, by = "setting"),
               text_pattern("in_group_sentence", group = "none"),
               class = "orizzonte_error_data")
  flat <- data
  flat$sc1[flat$setting == "weekend"] <- 50
  expect_error(quiet_fit(two, flat, by = "setting"),
               text_pattern("in_group_sentence", group = "weekend"),
               class = "orizzonte_error_data")
  expect_match(list_assumptions(fit_model(hold_equal(two, loading), data)$layout,
                                hold_equal(two, loading))$assumed, "no groups", all = FALSE)
  expect_error(hold_equal(two, loadings), text_pattern("did_you_mean"),
               class = "orizzonte_error_input")
  parts <- lapply(split(data, data$setting), function(d) {
    summary_data(cov(d[items]), nrow(d),
    means = colMeans(d[items]))
  })
  expect_equal(deviance(quiet_fit(two, parts, hold = "loading")),
               deviance(quiet_fit(two, data, by = "setting", hold = "loading")), tolerance = 1e-6)
})

test_that("quantities, claims and restrictions know groups", {
  bp <- two |> quantity(gap = loading[Calm, sc2 | evening] - loading[Calm, sc2 | weekend],
                        r = loading[Calm, sc2] / loading[Calm, sc4]) |>
    claim(H1 = loading[Calm, sc2 | evening] > loading[Calm, sc2 | weekend],
          H2 = covariance[Belonging, Calm] > 0)
  fit <- quiet_fit(bp, data, by = "setting")
  table <- estimates(fit)
  gap <- table[table$parameter == "quantity[gap]", ]
  pair <- c("loading[Calm, sc2 | evening]", "loading[Calm, sc2 | weekend]")
  expect_equal(gap$estimate, coef(fit)[[pair[1]]] - coef(fit)[[pair[2]]])
  expect_equal(gap$se, sqrt(sum(diag(vcov(fit))[pair])), tolerance = 1e-8)
  expect_true(all(c("quantity[r | evening]", "quantity[r | weekend]") %in% table$parameter))
  judged <- verdicts(fit)
  expect_equal(judged$claim, c("H1", "H2 | evening", "H2 | weekend"))
  expect_equal(judged$z[1], gap$estimate / gap$se)
  expect_equal(judged$verdict, rep("supported", 3))
  within <- quiet_fit(two |> restrict(loading[Calm, ] == loading[Calm, sc1]), data, by = "setting")
  expect_equal(df.residual(within), df.residual(fit) + 6)
  across <- quiet_fit(two |> restrict(variance[sc1 | evening] == variance[sc1 | weekend]), data,
                      by = "setting")
  expect_equal(df.residual(across), df.residual(fit) + 1)
  compared <- compare_groups(fit)
  row <- compared[compared$parameter == "loading[Calm, sc2]", ]
  expect_equal(row$difference, -gap$estimate)
  expect_equal(row$wald, (gap$estimate / gap$se)^2, tolerance = 1e-8)
  expect_true(all(is.na(compare_groups(ladder$fits$metric, "loading")$wald)))
  expect_output(print(compared), "evening")
})

test_that("a growth model of two groups agrees with nlme with group terms", {
  skip_if_not_installed("nlme")
  set.seed(33)
  n <- 260
  g <- rep(c("a", "b"), c(150, 110))
  level <- rnorm(n, ifelse(g == "a", 10, 11), 2)
  slope <- rnorm(n, ifelse(g == "a", 1.5, 1.1), 0.6) + 0.1 * (level - 10)
  wide <- as.data.frame(sapply(0:3, function(t) level + slope * t + rnorm(n)))
  names(wide) <- paste0("w", 1:4)
  long <- data.frame(id = rep(seq_len(n), 4), time = rep(0:3, each = n), y = unlist(wide),
                     g = rep(g, 4))
  reference <- nlme_growth(y ~ time * g, long)
  fit <- quiet_fit(growth_blueprint(), cbind(wide, g = g), by = "g",
                   hold = c("variance[items]", "variance[constructs]", "covariance[constructs]"))
  expect_equal(as.numeric(logLik(fit)), as.numeric(logLik(reference)), tolerance = 1e-8)
  fixed <- nlme::fixef(reference)
  means <- coef(fit)[c("mean[Level | a]", "mean[Slope | a]", "mean[Level | b]", "mean[Slope | b]")]
  expect_equal(unname(means), unname(c(fixed[1:2], fixed[1:2] + fixed[3:4])), tolerance = 1e-6)
})

test_that("an item may be absent in one group, and scores and simulated data keep the groups", {
  part <- quiet_fit(two |> leave_out(be4, group = "weekend"), data, by = "setting")
  alone <- deviance(fit_model(two, data[data$setting == "evening", ])) +
    deviance(fit_model(two |> leave_out(be4), data[data$setting == "weekend", ]))
  expect_equal(deviance(part), alone, tolerance = 1e-8)
  expect_false("loading[Belonging, be4 | weekend]" %in% part$layout$parameter)
  held <- quiet_fit(two |> leave_out(be4, group = "weekend"), data, by = "setting",
                    hold = "loading")
  expect_equal(df.residual(held), df.residual(part) + 5)
  file <- tempfile(fileext = ".yaml")
  bp <- two |> leave_out(be4, group = "weekend")
  write_blueprint(bp, file)
  expect_identical(read_blueprint(file), bp)
  fit <- quiet_fit(two, data, by = "setting", hold = c("loading", "intercept"))
  scores <- predict(fit)
  expect_equal(nrow(scores), nrow(data))
  evening <- group_view(fit, "evening")
  own <- data$setting == "evening"
  expect_equal(unname(as.matrix(scores)[own, ]),
               unname(view_scores(evening, as.matrix(data[own, evening$layout$observed]),
                                  "regression")$fit))
  drawn <- simulate(fit, seed = 1)[[1]]
  expect_equal(as.vector(table(drawn$setting)), as.vector(table(data$setting)))
  diagram <- path_diagram(fit)
  expect_equal(levels(diagram$layers[[1]]$data$panel %||% ggplot2::layer_data(diagram, 1)$PANEL),
               c("evening", "weekend"))
  expect_error(path_diagram(fit, groups = "morning"), "no group", class = "orizzonte_error_name")
})

test_that("ladders of second-order and bifactor models agree with the oracle", {
  second <- two |> construct("Craft", reflected_in = cr1:cr3) |>
    construct("Thriving", reflected_in = c("Belonging", "Calm", "Craft"))
  rungs <- suppressMessages(invariance(second, data, by = "setting", rungs = names(rung_adds)))
  expect_equal(rungs$table$rung,
               c("configural", "metric", "second_order_metric", "scalar",
                 "second_order_scalar", "strict"))
  expect_equal(rungs$table$df_change[-1], c(8, 2, 8, 2, 11))
  for (fit in rungs$fits[-3]) expect_brute_force(fit, shake = 0.005)
  means <- latent_means(rungs, "second_order_scalar")
  expect_equal(means$difference[means$construct == "Thriving"],
               coef(rungs$fits$second_order_scalar)[["mean[Thriving | weekend]"]])
  expect_false("Thriving" %in% latent_means(rungs)$construct)
  freed <-
    suppressMessages(loosen(rungs, "second_order_scalar", until = "p",
                            criteria = criteria(p_change = 0.999)))
  expect_match(freed$released$parameter, "weekend", all = TRUE)
  held <- amendments(rungs$fits$second_order_scalar, kinds = "equality across", top = 0)
  truth <- oracle_release(rungs$fits$second_order_scalar, "mean[Craft | weekend]")
  expect_equal(held$modification_index[held$parameter == "mean[Craft | weekend]"], truth$index,
               tolerance = 1e-5)

  hearing <- utils::read.csv(system.file("extdata", "choirs-bifactor.csv", package = "orizzonte"))
  hearing$half <- rep(c("first", "other"), length.out = nrow(hearing))
  bifactor <- blueprint("Bifactor") |>
    construct("Musicianship", reflected_in = c(ear1:ear4, voice1:voice4, score1:score4)) |>
    construct("Ear", reflected_in = ear1:ear4) |>
      construct("Voice", reflected_in = voice1:voice4) |>
        construct("Score", reflected_in = score1:score4) |>
    uncorrelate(Musicianship, Ear, Voice, Score)
  rungs <- suppressMessages(invariance(bifactor, hearing, by = "half"))
  expect_equal(rungs$table$df_change[-1], c(20, 8, 12))
  for (fit in rungs$fits) expect_brute_force(fit, shake = 0.005)
})

test_that("means that the loadings cannot tell apart stay where they are, and it is said", {
  equal <- blueprint("Equal loadings") |> construct("All", reflected_in = c(be1:be4, sc1:sc4)) |>
    construct("Belonging", reflected_in = be1:be4) |> construct("Calm", reflected_in = sc1:sc4) |>
      uncorrelate(All, Belonging, Calm) |>
    restrict(loading[All, c(be2, be3, be4, sc1, sc2, sc3, sc4)] == loading[All, be1],
             loading[Belonging, be2:be4] == loading[Belonging, be1],
             loading[Calm, sc2:sc4] == loading[Calm, sc1])
  fit <- suppressWarnings(quiet_fit(equal, data, by = "setting", hold = c("loading", "intercept")))
  expect_setequal(grep("^mean", names(coef(fit)), value = TRUE),
                  c("mean[All | weekend]", "mean[Belonging | weekend]"))
  expect_match(fit$layout$notes, text_pattern("mean_stays_0_loadings", name = "Calm"), all = FALSE)
})

test_that("coded and labelled grouping columns show what the codes stand for", {
  coded <- data
  coded$set <- haven::labelled(as.numeric(coded$setting), labels = c("in the evening" = 1,
      "at the weekend" = 2))
  fit <- quiet_fit(two, coded, by = "set")
  expect_equal(fit$layout$groups, c("in the evening", "at the weekend"))
  expect_true("loading[Calm, sc2 | `at the weekend`]" %in% names(coef(fit)))
  expect_equal(quiet_fit(two, coded, by = "set",
                         levels = c("at the weekend", "in the evening"))$layout$groups,
                         c("at the weekend", "in the evening"))
  expect_equal(quiet_fit(two, coded, by = "set",
                         levels = c(Weekend = 2, Evening = 1))$layout$groups,
                         c("Weekend", "Evening"))
  expect_error(quiet_fit(two, coded, by = "set", levels = "at the weekand"),
               "Did you mean.*at the weekend", class = "orizzonte_error_name")
  expect_equal(deviance(fit), deviance(quiet_fit(two, data, by = "setting")), tolerance = 1e-9)
  # new people of some of the groups
  expect_equal(nrow(predict(fit, newdata = coded[1:7, ])), 7L)
  # a missing code does not define a group
  coded$set <- ifelse(seq_len(nrow(coded)) <= 3, -9, as.numeric(data$setting))
  expect_message(fit_model(two, coded, by = "set", missing_codes = -9),
                 text_pattern("without_value_left_out", count = "3 rows"))
})

test_that("rungs that the data or the model say nothing about are not said to hold", {
  known <- function(means) {
    lapply(split(data, data$setting), function(d) {
    summary_data(cov(d[items]),
    nrow(d), means = if (means) colMeans(d[items]))
    })
  }
  expect_message(bare <- invariance(two, known(FALSE)),
                 text_pattern("rungs_without_means", rungs = "scalar"))
  expect_equal(bare$table$rung, c("configural", "metric", "strict"))
  expect_no_match(bare$reading, "means of constructs|sums and means")
  expect_error(invariance(two, known(FALSE), rungs = c("metric", "scalar")),
               text_pattern("data_carry_no_means"), class = "orizzonte_error_data")
  expect_error(suppressMessages(invariance(two, known(FALSE), structural = "mean",
                                           structural_on = "metric")),
               text_pattern("data_carry_no_means"), class = "orizzonte_error_data")
  expect_output(print(bare), "Next: loosen(ladder, \"metric\")", fixed = TRUE)
  varied <- suppressMessages(invariance(two, known(FALSE), structural = "variance[constructs]"))
  expect_equal(varied$table$chisq_change[4],
               deviance(varied$fits[[4]]) - deviance(varied$fits$metric))
  path <- blueprint("Path") |> effect(st1 ~ be1 + sc1)
  steps <-
    suppressMessages(invariance(path, data, by = "setting", rungs = c("configural", "metric"),
                                structural = "effect", structural_on = "metric"))
  expect_equal(steps$table$verdict[2], "nothing_to_hold")
  expect_equal(steps$table$df_change[3], 2)
  one <- suppressMessages(invariance(two, data, by = "setting", rungs = "metric"))
  expect_output(print(one), "metric")
  expect_silent(ggplot2::ggplot_build(plot(one)))
})

test_that("loosen() releases what the rung itself holds, and names what an earlier one holds", {
  spread <- data
  late <- spread$setting == "weekend"
  for (item in paste0("sc", 1:4))
    spread[[item]] <- ifelse(late, 50 + 2 * (spread[[item]] - 50), spread[[item]])
  steps <-
    suppressMessages(invariance(two, spread, by = "setting", structural = "variance[constructs]",
                                structural_on = "scalar"))
  freed <- suppressMessages(loosen(steps, "variance[constructs]", until = "p"))
  expect_equal(freed$released$parameter[1], "variance[Calm | weekend]")
  expect_gt(freed$released$estimate[1], 2)
  expect_equal(freed$released$reference[1], 1)
  expect_brute_force(freed$fit, shake = 0.002)
  # the step is based on the scalar rung, not on the strict one above it
  expect_equal(freed$ladder$table$chisq_change[5],
               deviance(freed$fit) - deviance(steps$fits$scalar))
  expect_equal(vapply(freed$ladder$fits[1:4], deviance, 0), vapply(steps$fits[1:4], deviance, 0))
  strict <- suppressMessages(loosen(suppressMessages(invariance(two, data, by = "setting")),
                                    "strict", until = "p", criteria = criteria(p_change = 0.9)))
  expect_false(any(grepl("loading|intercept", strict$released$parameter)))
  expect_match(strict$earlier, "loading[Calm, sc2", fixed = TRUE)
  expect_output(print(strict), text_pattern("held_since_earlier_rung"))
})

test_that("a construct variance that is negative is reached by the ladder, and said", {
  noise <- function(seed) {
    set.seed(seed)
    x <- as.data.frame(matrix(rnorm(60 * 6), 60) + rnorm(60) * 0.35)
    stats::setNames(x, c(paste0("p", 1:3), paste0("q", 1:3)))
  }
  bp <- blueprint("Noise") |> construct("P", reflected_in = p1:p3) |>
    construct("Q", reflected_in = q1:q3)
  each <- vapply(c(1, 2), function(seed) deviance(suppressWarnings(fit_model(bp, noise(seed)))), 0)
  both <- rbind(cbind(noise(1), g = "a"), cbind(noise(2), g = "b"))
  ladder <-
    suppressMessages(suppressWarnings(invariance(bp, both, by = g, rungs = c("configural",
        "metric"))))
  expect_equal(deviance(ladder$fits$configural), sum(each), tolerance = 1e-6)
  expect_true(has_converged(ladder$fits$configural))
  expect_match(fit_notes(ladder$fits$configural), text_pattern("construct_s_variance_is"),
               all = FALSE)
  expect_output(print(ladder), "configural: IMPROPER")
})

test_that("BIC of the generic and of the table use one n", {
  fit <- quiet_fit(two, data, by = "setting", multiplier = "n-1")
  table <- fit_indices(fit)
  expect_equal(table$value[table$index == "bic"], stats::BIC(fit))
  expect_equal(table$value[table$index == "aic"], stats::AIC(fit))
})

test_that("an item that was not asked in one group is named with what to do, and left out there", {
  bp <- blueprint("x") |> construct("Calm", reflected_in = sc1:sc4) |>
    construct("Staying", reflected_in = st1:st3)
  data <- choirs
  data$sc4[data$setting == "weekend"] <- NA
  told <- "leave_out(blueprint, sc4, group = \"weekend\")"
  expect_error(invariance(bp, data, by = setting), told, fixed = TRUE,
               class = "orizzonte_error_data")
  moments <- function(rows, items) {
    x <- stats::na.omit(data[rows, items])
    summary_data(cov(x), n = nrow(x), means = colMeans(x))
  }
  items <- c(paste0("sc", 1:4), paste0("st", 1:3))
  both <- list(evening = moments(data$setting == "evening", items),
               weekend = moments(data$setting == "weekend", setdiff(items, "sc4")))
  expect_error(fit_model(bp, both), told, fixed = TRUE, class = "orizzonte_error_name")
  # an unknown name alone is not such a case
  expect_error(fit_model(construct(bp, "Joy", reflected_in = j1:j3), choirs, by = setting),
               class = "orizzonte_error_name")
  less <- leave_out(bp, sc4, group = "weekend")
  ladder <- suppressMessages(invariance(less, data, by = setting))
  expect_output(print(ladder), "sc4 (not in weekend)", fixed = TRUE)
  # with equal loadings and intercepts, the common items identify the others: by hand
  df <- ladder$table$df
  expect_equal(diff(df), c(4, 4, 6))
  sizes <- suppressMessages(noninvariance(ladder))
  expect_false("sc4" %in% sizes$item)
  expect_equal(nrow(sizes), 6)
  again <- suppressMessages(invariance(less, both))
  expect_equal(again$table$df, df)
})

test_that("many groups are groups, identifiers are not", {
  expect_false(too_many_groups(50, 100))
  expect_true(too_many_groups(51, 1019))
  expect_false(too_many_groups(51, 1020))
  expect_false(too_many_groups(200, 4000))
  expect_true(too_many_groups(201, 1e5))
})

test_that("a group whose best solution lies far out does not hold up the others", {
  set.seed(3)
  groups <- do.call(rbind, lapply(1:4, function(g) {
    scores <- matrix(rnorm(300), 150) %*% chol(0.3 + 0.7 * diag(2))
    x <- 0.7 * scores[, rep(1:2, each = 4)] + 0.7 * matrix(rnorm(1200), 150)
    if (g <= 2) x[] <- rnorm(1200)
    data.frame(x, group = paste0("g", g))
  }))
  bp <- blueprint("Two constructs") |>
    construct("One", reflected_in = c(X1, X2, X3, X4)) |>
    construct("Two", reflected_in = c(X5, X6, X7, X8))
  together <- quietly(fit_model(bp, groups, by = group))
  alone <- vapply(split(groups, groups$group), function(data) {
    fit_indices(quietly(fit_model(bp, data)))$value[1L]
  }, 0)
  expect_equal(fit_indices(together)$value[1L], sum(alone), tolerance = 1e-4)
})
