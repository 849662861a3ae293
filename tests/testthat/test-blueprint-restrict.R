staying <- function() {
  blueprint("Staying") |>
    construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = c(sc1, sc2, sc4)) |>
    construct("Staying", reflected_in = st1:st3) |>
    effect(Staying ~ Belonging + Calm)
}
staying_items <- c(paste0("be", 1:4), "sc1", "sc2", "sc4", paste0("st", 1:3))
staying_oracle <- function() {
  cells <- oracle_factor_cells(list(Belonging = paste0("be", 1:4), Calm = c("sc1", "sc2", "sc4"),
                                    Staying = paste0("st", 1:3)))
  structural <- cells$row == "Belonging" & cells$col == "Staying" | cells$row == "Calm" &
    cells$col == "Staying" & cells$matrix == "Psi"
  cells <- cells[!structural, ]
  cells <- rbind(cells, data.frame(matrix = "B", row = "Staying", col = c("Belonging", "Calm"),
                                   value = NA))
  oracle_model(staying_items, c("Belonging", "Calm", "Staying"), cells)
}

test_that("smooth equations agree with the same model written with fewer parameters", {
  data <- complete_choirs(staying_items)
  fit <- quiet_fit(staying() |>
                   restrict(loading[Calm, sc4] == loading[Calm, sc2]^2 + 0.1,
                            effect[Belonging, Staying] == 2 * effect[Calm, Staying]), data)
  model <- staying_oracle()
  free <- model$cells[model$free, ]
  at <- function(row, col) which(free$matrix == "B" & free$row == row & free$col == col)
  gone <- c(at("sc4", "Calm"), at("Staying", "Belonging"))
  keep <- setdiff(seq_along(model$labels), gone)
  expand <- function(theta) {
    out <- rep(theta[1] * 0, length(model$labels))
    out[keep] <- theta
    out[gone[1]] <- out[at("sc2", "Calm")]^2 + 0.1
    out[gone[2]] <- 2 * out[at("Staying", "Calm")]
    out
  }
  sample <- sample_of(data)
  sample[[1]]$mean <- NULL
  oracle <- oracle_fit(oracle_expanded(model, expand), oracle_start(model, sample)[keep], sample)
  jacobian <- numDeriv::jacobian(expand, oracle$theta, method = "complex")
  order <- oracle_order(fit, model)
  # the observed information of the likelihood without the two parameters, by its scores
  expanded <- oracle_expanded(model, expand)
  score <- function(t) oracle_score(expanded, t, sample)$score
  observed <- -numDeriv::jacobian(score, oracle$theta)
  vcov <- jacobian %*% solve((observed + t(observed)) / 2) %*% t(jacobian)
  used <- !is.na(order)                              # intercepts are profiled and not in the oracle
  expect_lt(max(abs(coef(fit)[used] - expand(oracle$theta)[order[used]]) /
                pmax(abs(coef(fit)[used]), 0.1)), 1e-6)
  expect_lt(max(abs(sqrt(diag(vcov(fit)))[used] / sqrt(diag(vcov))[order[used]] - 1)), 1e-5)
  expect_lt(abs(deviance(fit) - oracle$chisq), 1e-5)
  expect_equal(df.residual(fit), 34)
  expect_equal(attr(logLik(fit), "df"), length(coef(fit)) - 2)
  status <- estimates(fit)$status
  expect_equal(sum(status == "tied"), 4)
  expect_output(print(summary(fit)), "+ 2 equations = 34 degrees of freedom", fixed = TRUE)
})

test_that("an equation written as an expression is the equality", {
  data <- complete_choirs(staying_items)
  plain <- quiet_fit(staying() |> restrict(loading[Calm, sc4] == loading[Calm, sc2]), data)
  tape <- quiet_fit(staying() |> restrict(loading[Calm, sc4] - loading[Calm, sc2] == 0), data)
  expect_equal(deviance(tape), deviance(plain), tolerance = 1e-9)
  expect_equal(df.residual(tape), df.residual(plain))
  expect_equal(estimates(tape)$se, estimates(plain)$se, tolerance = 1e-6)
  expect_equal(fit_indices(tape)$value, fit_indices(plain)$value, tolerance = 1e-6)
  expect_equal(anova(tape, quiet_fit(staying(), data))$df_change[2], -1)
})

test_that("equations can identify what the data cannot", {
  data <- complete_choirs(c("be3", "be4"))
  two <- blueprint("Two", scale = "unit") |> construct("Belonging", reflected_in = be3:be4)
  expect_error(quiet_fit(two, data), class = "orizzonte_error_identification")
  fit <- quiet_fit(two |> restrict(loading[Belonging, be3] == 1.1 * loading[Belonging, be4]), data)
  s <- cov(data) * (nrow(data) - 1) / nrow(data)
  expect_equal(coef(fit)[["loading[Belonging, be4]"]], sqrt(s[1, 2] / 1.1), tolerance = 1e-8)
  expect_equal(df.residual(fit), 0)
  expect_true(identification(two |> restrict(loading[Belonging, be3] == 1.1 * loading[Belonging,
      be4]), data)$identified)
})

test_that("a bound that presses is the value fixed there, said so and not tested", {
  data <- complete_choirs(staying_items)
  free <- quiet_fit(staying(), data)
  idle <- quiet_fit(staying() |> restrict(variance[items] >= 0, effect[Calm, Staying] <= 5), data)
  expect_equal(deviance(idle), deviance(free), tolerance = 1e-9)
  expect_equal(estimates(idle)$se, estimates(free)$se, tolerance = 1e-6)
  expect_equal(df.residual(idle), df.residual(free))
  bound <- quiet_fit(staying() |> restrict(loading[Calm, sc2] >= 1.1), data)
  fixed <- quiet_fit(staying() |> restrict(loading[Calm, sc2] == 1.1) |> set_scale("sc1", Calm),
                     data)
  expect_gt(1.1, coef(free)[["loading[Calm, sc2]"]])
  expect_equal(deviance(bound), deviance(fixed), tolerance = 1e-9)
  expect_equal(df.residual(bound), df.residual(free))
  row <- subset(as.data.frame(estimates(bound)), parameter == "loading[Calm, sc2]")
  expect_equal(row$status, "at bound")
  expect_equal(row$estimate, 1.1, tolerance = 1e-9)
  expect_true(is.na(row$se) && is.na(row$p))
  expect_no_warning(limits <- confint(bound))
  expect_true(all(is.na(limits["loading[Calm, sc2]", ])))
  expect_false(anyNA(limits[rownames(limits) != "loading[Calm, sc2]", ]))
  expect_true(all(vcov(bound)["loading[Calm, sc2]", ] == 0))
  more <- quiet_fit(staying() |> restrict(loading[Calm, sc2] >= 1.1), choirs, auxiliary = "rooms")
  expect_true(all(vcov(more)["loading[Calm, sc2]", ] == 0))
  others <- names(coef(fixed))
  expect_equal(sqrt(diag(vcov(bound)))[others], sqrt(diag(vcov(fixed)))[others], tolerance = 1e-6)
  indices <- fit_indices(bound)
  expect_true(all(is.na(indices$value[indices$index %in% c("p", "p_close_fit", "critical_n")])))
  expect_match(attr(indices, "reading"),
               text_pattern("solution_lies_bound_so", pressed = "loading[Calm, sc2] >= 1.1"))
  expect_output(print(bound), text_pattern("solution_lies_bound_so"))
  compared <- anova(free, bound)
  expect_true(all(is.na(compared$p_change)))
})

test_that("bounds keep a variance from turning negative", {
  # a three-item construct whose first two items are nearly identical
  s <- matrix(c(1, 0.98, 0.5, 0.98, 1, 0.4, 0.5, 0.4, 1), 3,
              dimnames = list(c("a", "b", "c"), c("a", "b", "c")))
  data <- summary_data(s, n = 200, sd = c(a = 1, b = 1, c = 1))
  bp <- blueprint("Heywood", scale = "unit") |> construct("F", reflected_in = c(a, b, c))
  improper <- suppressWarnings(quiet_fit(bp, data))
  expect_lt(coef(improper)[["variance[a]"]], 0)
  kept <- quiet_fit(bp |> restrict(variance[items] >= 0), data)
  expect_equal(coef(kept)[["variance[a]"]], 0, tolerance = 1e-8)
  # with variance[a] at 0 the construct is a itself: the other loadings are regressions on a
  expect_equal(unname(coef(kept)["loading[F, b]"] / sqrt(199 / 200)), 0.98, tolerance = 1e-6)
  expect_false(any(estimates(kept)$estimate[grepl("variance", estimates(kept)$parameter)] < -1e-9))
})

test_that("contradictory and redundant restrictions are named", {
  data <- complete_choirs(staying_items)
  error <-
    expect_error(quiet_fit(staying() |>
                           restrict(loading[Calm, sc2] >= 1.2, loading[Calm, sc2] <= 1), data),
                           class = "orizzonte_error_restriction")
  expect_match(conditionMessage(error), text_pattern("restrictions_cannot_all_hold"))
  expect_match(conditionMessage(error), "loading[Calm, sc2] >= 1.2", fixed = TRUE)
  expect_error(quiet_fit(staying() |> restrict(loading[Calm, sc2] == 1, loading[Calm, sc2] >= 1.5),
                         data), "is fixed at 1", fixed = TRUE)
  bp <- staying() |>
    restrict(loading[Calm, sc4] == 1 * loading[Calm, sc2],
             2 * loading[Calm, sc4] == 2 * loading[Calm, sc2])
  expect_message(fit <- fit_model(bp, data),
                 text_pattern("left_out_since_follows",
                              value = "2 * loading[Calm, sc4] == 2 * loading[Calm, sc2]"))
  expect_equal(df.residual(fit), 33)
})

test_that("an equality that follows from others is named, a slice that includes itself is not", {
  data <- complete_choirs(staying_items)
  bp <- staying() |>
    restrict(loading[Calm, sc2] == loading[Calm, sc4],
             loading[Staying, st2] == loading[Staying, st3])
  expect_no_message(fit_model(bp, data))
  again <- restrict(bp, loading[Staying, st2] == loading[Calm, sc4],
                    loading[Staying, st3] == loading[Calm, sc2])
  expect_message(fit <- fit_model(again, data),
                 text_pattern("left_out_since_follows",
                              value = "loading[Staying, st3] == loading[Calm, sc2]"))
  expect_equal(df.residual(fit), df.residual(quiet_fit(bp, data)) + 1)
  expect_no_message(fit_model(blueprint("Slice", scale = "unit") |> construct("Belonging",
      reflected_in = be1:be4) |>
                                restrict(loading[Belonging, ] == loading[Belonging, be1]),
                                complete_choirs(paste0("be", 1:4))))
})

test_that("what is not a restriction is refused with advice", {
  expect_error(restrict(staying(), loading[Calm, sc2] > 1), "Use >=", fixed = TRUE)
  expect_error(restrict(staying(), system("ls") == 1), class = "orizzonte_error_restriction")
  expect_error(restrict(staying(), loading[Calm, ] * 2 == 1),
               text_pattern("means_several_parameters_expression"))
  expect_error(restrict(staying(), total[Calm, Staying] == 1),
               text_pattern("is_read_only_cannot", kind = "total"))
  expect_error(restrict(staying(), 1 + 1 == 2 * 1), text_pattern("no_address"))
  expect_error(restrict(staying(), standardized(loading[Calm, sc2]) == 0.5), "quantity()",
               fixed = TRUE)
  expect_error(quiet_fit(staying() |> restrict(loading[Calm, sc2] == loading[Calm, sc9] + 1),
                         choirs), class = "orizzonte_error_restriction")
})

test_that("relax() undoes bounds and equations, and later bounds override earlier ones", {
  bp <- staying() |> restrict(loading[Calm, sc2] >= 1, loading[Calm, sc4] == loading[Calm, sc2] + 1)
  expect_message(bp <- relax(bp, loading[Calm, sc2]), "Overridden")
  expect_length(bp$restrict, 0)
  bp <- restrict(staying(), loading[Calm, sc2] >= 1)
  expect_message(bp <- restrict(bp, 2 <= loading[Calm, sc2]),
                 text_pattern("restricted_anew", now = "loading[Calm, sc2] >= 2"))
  expect_length(bp$restrict, 1)
})

test_that("random equations: the core's constrained optimum satisfies them and is stationary", {
  data <- complete_choirs(staying_items)
  equations <- c("loading[Calm, sc2] * loading[Calm, sc4] == 1",
                 "exp(effect[Calm, Staying]) == sqrt(loading[Staying, st2]) + 0.2",
                 "log(variance[be1]) == log(variance[be2]) - 0.1",
                 "loading[Belonging, be2] / loading[Belonging, be3] == 1.05")
  for (equation in equations) {
    fit <- quiet_fit(restrict(staying(), !!equation), data)
    sides <- strsplit(equation, "==", fixed = TRUE)[[1]]
    value <- function(text) {
      for (name in names(coef(fit)))
        text <- gsub(name, format(coef(fit)[[name]], digits = 17), text, fixed = TRUE)
      eval(str2lang(text))
    }
    expect_equal(value(sides[1]), value(sides[2]), tolerance = 1e-8)
    # the score is a multiple of the equation's gradient
    core <- orizzonte:::core_evaluate(fit$layout$model, core_moments(fit), core_theta(fit))
    gradient <- orizzonte:::constraint_gradient(fit$layout$constraints[[1]], values_of(fit),
                                                fit$layout)[fit$layout$model$used]
    d <- 1 / sqrt(diag(core$expected))
    residual <- stats::lm.fit(cbind(gradient * d), core$score * d)$residuals
    expect_lt(max(abs(residual)), 1e-5)
  }
})

test_that("a correlation, means and two parameters can be restricted by an expression", {
  data <- complete_choirs(staying_items)
  measured <- blueprint("Two") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Staying", reflected_in = st1:st3)
  half <- quiet_fit(measured |>
                    restrict(covariance[Belonging, Staying] == 0.5 *
                             sqrt(variance[Belonging] * variance[Staying])) |>
                      quantity(r = correlation[Belonging, Staying]), data)
  unit <- measured
  unit$scale <- "unit"
  same <- quiet_fit(unit |> restrict(covariance[Belonging, Staying] == 0.5), data)
  expect_equal(deviance(half), deviance(same), tolerance = 1e-9)
  expect_equal(tail(estimates(half)$estimate, 1), 0.5, tolerance = 1e-10)
  expect_equal(df.residual(half), df.residual(same))
  # structured means through an equation: the same model as one written with a shared, shifted
  # intercept
  gap <- quiet_fit(measured |> restrict(intercept[be1] == intercept[be2] + 5), data)
  expect_equal(unname(coef(gap)["intercept[be1]"] - coef(gap)["intercept[be2]"]), 5,
               tolerance = 1e-9)
  shifted <- transform(data, be1 = be1 - 5)
  equal <- quiet_fit(measured |> restrict(intercept[be1] == intercept[be2]), shifted)
  expect_equal(deviance(gap), deviance(equal), tolerance = 1e-8)
  ordered <- quiet_fit(measured |> restrict(variance[be1] >= variance[be2]), data)
  expect_gte(coef(ordered)[["variance[be1]"]], coef(ordered)[["variance[be2]"]] - 1e-8)
  expect_error(quiet_fit(measured |> restrict(intercept[be1] == intercept[be2] + 5),
                         summary_data(cov(data), nrow(data))), "no means")
})

test_that("the way to an equation is found from far off, and what cannot be computed is said", {
  data <- complete_choirs(staying_items)
  root <- quiet_fit(staying() |> restrict(sqrt(variance[sc1]) == 2), data)
  plain <- quiet_fit(staying() |> restrict(variance[sc1] == 4), data)
  expect_equal(deviance(root), deviance(plain), tolerance = 1e-8)
  expect_equal(coef(root)[["variance[sc1]"]], 4, tolerance = 1e-9)
  error <- expect_error(quiet_fit(staying() |> restrict(loading[Calm, sc2]^2 == -1), data),
                        class = "orizzonte_error_restriction")
  expect_match(conditionMessage(error), "loading[Calm, sc2]^2 == -1", fixed = TRUE)
  expect_error(quiet_fit(staying() |> restrict(loading[Calm, sc2] / 0 == 1), data),
               class = "orizzonte_error_restriction")
})

test_that("a bound between two parameters leaves them the errors of the equation", {
  bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)
  data <- complete_choirs(paste0("be", 1:4))
  pressed <- fit_model(restrict(bp, loading[B, be2] >= loading[B, be3] + 0.05), data)
  equal <- fit_model(restrict(bp, loading[B, be2] == loading[B, be3] + 0.05), data)
  expect_equal(estimates(pressed)$se, estimates(equal)$se, tolerance = 1e-6)
  expect_identical(estimates(pressed)$status[2:3], rep("at bound", 2))
  single <- fit_model(restrict(bp, loading[B, be2] >= 1.5), data)
  expect_true(is.na(estimates(single)$se[2]))
})

test_that("a bound that does not matter changes nothing, also in a bifactor model", {
  bp <- read_blueprint(system.file("extdata", "models", "bifactor.yaml", package = "orizzonte"))
  free <- suppressMessages(fit_model(bp, choirs_bifactor))
  items <- bp$constructs[[1L]]$items
  for (text in c(sprintf("loading[%s, %s] >= -5", names(bp$constructs)[1L], items[2L]),
                 sprintf("variance[%s] >= 0", items[1L]))) {
    fit <- suppressMessages(fit_model(restrict(bp, !!str2lang(text)), choirs_bifactor))
    expect_equal(deviance(fit), deviance(free), tolerance = 1e-8)
    expect_true(identification(restrict(bp, !!str2lang(text)), choirs_bifactor)$identified)
  }
})

test_that("correlations tell nothing of what depends on units, and it is said", {
  x <- complete_choirs(paste0("be", 1:4))
  bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)
  equal <- restrict(bp, loading[B, be2] == loading[B, be3])
  only <- summary_data(cor(x), nrow(x))
  with_sd <- summary_data(cor(x), nrow(x), sd = vapply(x, sd, 0))
  words <- "depends on the units"
  reading <- function(bp, data) attr(fit_indices(suppressMessages(fit_model(bp, data))), "reading")
  expect_match(reading(equal, only), words)
  expect_no_match(reading(equal, with_sd), words)
  expect_no_match(reading(bp, only), words)
  expect_match(reading(restrict(bp, variance[be1] == variance[be2]), only), words)
  expect_message(fit_model(equal, only), words)
  verdicts <- function(data) fit_indices(suppressMessages(fit_model(equal, data)))$verdict
  expect_true(all(is.na(verdicts(only))))
  expect_false(all(is.na(verdicts(with_sd))))
  expect_output(print(summary(suppressMessages(fit_model(equal, only)))), words)
})

test_that("errors under nonlinear equations are those of the likelihood with one parameter less", {
  bp <- blueprint("Nonlinear") |> construct("Calm", reflected_in = sc1:sc4) |>
    restrict(loading[Calm, sc4] == loading[Calm, sc2]^2 + 0.1)
  complete <- choirs[stats::complete.cases(choirs[paste0("sc", 1:4)]), ][1:200, ]
  for (data in list(complete, choirs[1:300, ])) {
    fit <- quiet_fit(bp, data)
    theta <- coef(fit)
    free <- setdiff(names(theta), "loading[Calm, sc4]")
    whole <- function(x) {
      out <- replace(theta, free, x)
      out["loading[Calm, sc4]"] <- out["loading[Calm, sc2]"]^2 + 0.1
      out
    }
    loglik <- function(x) casewise_fit(fit_at(fit, whole(x)))$loglik
    bread <- solve(numDeriv::hessian(function(x) -sum(loglik(x)), theta[free]))
    slope <- numDeriv::jacobian(whole, theta[free])
    se <- sqrt(diag(slope %*% bread %*% t(slope)))
    expect_lt(max(abs(sqrt(diag(vcov(fit))) / se - 1)), 1e-5)
    # standard errors that are computed later are the same
    again <- fit
    again$solution$vcov <- matrix(0, 0, 0)
    expect_equal(vcov(stamped(new_fit(again$request, again$sample, again$layout, again$solution,
                                      again$moments))), vcov(fit), tolerance = 1e-8)
    robust <- quiet_fit(bp, data, inference = "robust")
    scores <- numDeriv::jacobian(loglik, theta[free])
    scores <- scores[stats::complete.cases(scores), , drop = FALSE]
    filling <- slope %*% bread %*% crossprod(scores) %*% bread %*% t(slope)
    expect_lt(max(abs(sqrt(diag(vcov(robust))) / sqrt(diag(filling)) - 1)), 1e-4)
  }
})

test_that("a loading fixed at a number other than zero is the scale, however it was fixed", {
  bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
  by_restriction <- quiet_fit(bp |> restrict(loading[Calm, sc1] == 0, loading[Calm, sc4] == 1),
                              choirs)
  expect_true(is.na(by_restriction$layout$rows$fixed[
    by_restriction$layout$rows$parameter == "loading[Calm, sc2]"]))
  marker <- set_scale(bp, "sc4", Calm) |> restrict(loading[Calm, sc1] == 0)
  expect_equal(coef(by_restriction)[["loading[Calm, sc2]"]],
               coef(quiet_fit(marker, choirs))[["loading[Calm, sc2]"]], tolerance = 1e-6)
  # one restriction replaces the marker: the fit of the unrestricted model
  other <- quiet_fit(bp |> restrict(loading[Calm, sc3] == -2), choirs)
  free <- quiet_fit(bp, choirs)
  expect_equal(deviance(other), deviance(free), tolerance = 1e-7)
  expect_equal(df.residual(other), df.residual(free))
  expect_equal(coef(other)[["loading[Calm, sc1]"]], -2 / coef(free)[["loading[Calm, sc3]"]],
               tolerance = 1e-5)
})

test_that("an equation without a solution is refused in any sample", {
  calm <- blueprint("Calm") |>
    construct("Calm", reflected_in = sc1:sc4) |>
    restrict(loading[Calm, sc2]^2 + 1 == 0)
  for (seed in 1:12) {
    set.seed(seed)
    data <- choirs[sample(720, 300 + 20 * seed), ]
    expect_error(quietly(fit_model(calm, data)), class = "orizzonte_error_restriction")
  }
})
