# Power by formula against its definition and against simulation; plans against plain loops.

bp <- blueprint("Calm and staying") |> construct("Calm", reflected_in = sc1:sc4) |>
  construct("Staying", reflected_in = st1:st3) |> effect(Staying ~ Calm)
truth <- c("loading[ , ]" = .7, "effect[Calm, Staying]" = .25)
quietly <- function(code) suppressWarnings(suppressMessages(code))

test_that("the noncentrality is n F of the smaller model at the population", {
  found <- power_of(bp, "effect[Calm, Staying]", n = c(100, 250), truth = truth)
  b <- c(.7, .7, .7, .7)
  phi <- matrix(c(1, .25, .25, 1), 2)
  lambda <- rbind(cbind(b, 0), cbind(0, c(.7, .7, .7)))
  sigma <- lambda %*% phi %*% t(lambda)
  diag(sigma) <- 1
  dimnames(sigma) <- rep(list(c(paste0("sc", 1:4), paste0("st", 1:3))), 2)
  small <- quietly(fit_model(restrict(bp, effect[Calm, Staying] == 0),
                             summary_data(4 * sigma, 1000, divisor = "n")))
  f <- deviance(small) / 1000
  expect_equal(found$ncp, c(100, 250) * f, tolerance = 1e-6)
  expect_equal(found$power, pchisq(qchisq(.95, 1), 1, c(100, 250) * f, lower.tail = FALSE),
               tolerance = 1e-6)
  needed <- attr(found, "n_for_goal")
  at <- function(n) power_of(bp, "effect[Calm, Staying]", n = n, truth = truth)$power
  expect_gte(at(needed), .8)
  expect_lt(at(needed - 1), .8)
})

test_that("close and not-close fit follow MacCallum, Browne & Sugawara (1996)", {
  found <- power_of(bp, "close fit", n = 200, truth = truth)
  df <- 13
  null <- 200 * df * .05^2
  expect_equal(found$power, pchisq(qchisq(.95, df, null), df, 200 * df * .08^2, lower.tail = FALSE))
  found <- power_of(bp, "not-close fit", n = 200, truth = truth, rmsea = c(.05, .01))
  expect_equal(found$power, pchisq(qchisq(.05, df, null), df, 200 * df * .01^2))
})

test_that("sets, smaller blueprints, rungs and robust fits have a power", {
  both <- power_of(bp, c("effect[Calm, Staying]", "loading[Calm, sc3]"), n = 100, truth = truth)
  expect_equal(both$df, 2)
  same <- power_of(bp, restrict(bp, effect[Calm, Staying] == 0), n = 100, truth = truth)
  expect_equal(same$power, power_of(bp, "effect[Calm, Staying]", n = 100, truth = truth)$power)
  rung <- quietly(power_of(hold_equal(bp, loading), "scalar", n = c(a = 100, b = 100),
                           truth = c(truth, "intercept[sc1 | b]" = .5)))
  expect_equal(rung$df, 5)
  expect_gt(rung$power, .5)
  normal <- quiet_fit(bp, choirs, incomplete = "drop")
  robust <- quiet_fit(bp, choirs, incomplete = "drop", inference = "robust")
  c <- index_value(robust, "chisq_inflation")
  expect_equal(power_of(robust, "effect[Calm, Staying]")$ncp * c,
               power_of(normal, "effect[Calm, Staying]")$ncp, tolerance = 1e-6)
  expect_error(power_of(bp, "effect[Calm, Staying]"), class = "orizzonte_error_input")
  expect_error(power_of(bp, "effect[Calm, Nobody]", n = 100, truth = truth),
               class = "orizzonte_error")
  expect_error(power_of(bp, 5, n = 100, truth = truth), class = "orizzonte_error_input")
  expect_error(power_of(bp, "closefit", n = 100, truth = truth), "close fit",
               class = "orizzonte_error_address")
  expect_error(power_of(bp, "close fit", n = 100, truth = truth, rmsea = 1),
               class = "orizzonte_error_input")
})

test_that("a plan counts what a plain loop counts", {
  plan <- plan_study(bp, n = c(80, 160), truth = truth, reps = 40, seed = 3, missing = .05)
  name <- "effect[Calm, Staying]"
  for (size in c(80, 160)) {
    fits <- lapply(simulate(bp, 40, seed = 3, n = size, truth = truth, missing = .05),
                   function(d) quiet_fit(bp, d))
    estimate <- vapply(fits, function(f) coef(f)[[name]], 0)
    se <- vapply(fits, function(f) sqrt(vcov(f)[name, name]), 0)
    mine <- subset(plan$parameters, parameter == name & n == size)
    expect_equal(mine$truth, .25, tolerance = 1e-5)
    expect_equal(mine$estimate, mean(estimate), tolerance = 1e-5)
    expect_equal(mine$se, mean(se), tolerance = 1e-5)
    expect_equal(mine$sd, sd(estimate), tolerance = 1e-5)
    expect_equal(mine$power, mean(abs(estimate / se) > qnorm(.975)))
    expect_equal(mine$coverage, mean(abs(estimate - .25) <= qnorm(.975) * se))
    p <- vapply(fits, function(f) fit_indices(f)$value[3], 0)
    expect_equal(plan$sizes$rejected[plan$sizes$n == size], mean(p < .05))
  }
})

test_that("simulated power is that of the formula, within its error", {
  plan <- plan_study(bp, n = 200, truth = truth, reps = 400, seed = 1)
  mine <- subset(plan$parameters, parameter == "effect[Calm, Staying]")
  formula <- power_of(bp, "effect[Calm, Staying]", n = 200, truth = truth)$power
  expect_lt(abs(mine$power - formula), 3 * mine$power_error + 0.02)
  expect_lt(abs(mine$coverage - .95), 4 * sqrt(.95 * .05 / 400))
  expect_lt(abs(mine$bias), 4 * mine$bias_error)
  expect_match(paste(capture.output(print(plan)), collapse = " "),
               paste(text_pattern("reaches_power_none_these"), text_pattern("reaches_power_n"),
                     sep = "|"))
})

test_that("robust plans, groups and other fitted models run; misuse is refused", {
  clustered <- plan_study(bp, n = 120, truth = truth, reps = 20, seed = 1, clusters = 30,
                          between = .2, inference = "robust")
  expect_identical(clustered$sizes$converged, 1)
  groups <- plan_study(hold_equal(bp, loading), list(c(a = 100, b = 120)), truth, reps = 20,
                       seed = 1)
  expect_true("effect[Calm, Staying | b]" %in% groups$parameters$parameter)
  expect_identical(groups$parameters$n[1], 220)
  wrong <- plan_study(covary(bp, sc1, sc2), 200, c(truth, "covariance[sc1, sc2]" = .5), reps = 30,
                      seed = 1, fitted = bp)
  expect_gt(wrong$sizes$rejected, .5)
  # another model may have its variables in another order, or fewer of them
  turned <- blueprint("Turned") |> construct("Staying", reflected_in = st1:st3) |>
    construct("Calm", reflected_in = sc1:sc4) |> effect(Staying ~ Calm)
  part <- blueprint("Part") |> construct("Calm", reflected_in = c(sc3, sc1, sc2, sc4))
  plain <- plan_study(bp, 150, truth, reps = 25, seed = 1, missing = .05)$parameters
  other <- plan_study(bp, 150, truth, reps = 25, seed = 1, missing = .05,
                      fitted = turned)$parameters
  expect_equal(other$estimate[match(plain$parameter, other$parameter)], plain$estimate,
               tolerance = 1e-5)
  few <- plan_study(bp, 150, truth, reps = 25, seed = 1, fitted = part)$parameters
  slow <- vapply(simulate(bp, 25, seed = 1, n = 150, truth = truth),
                 function(d) coef(quiet_fit(part, d))[["loading[Calm, sc4]"]], 0)
  expect_equal(few$estimate[few$parameter == "loading[Calm, sc4]"], mean(slow), tolerance = 1e-5)
  expect_error(plan_study(bp, n = 100, truth = truth, missing = "as observed"),
               class = "orizzonte_error_input")
  expect_error(plan_study(bp, n = "some", truth = truth), class = "orizzonte_error_input")
  expect_error(plan_study(bp, n = 100, truth = truth, reps = 2), class = "orizzonte_error_input")
})

test_that("power of indirect effects agrees with draws made by hand and with a simulated study", {
  bp <- blueprint("m") |> construct("A", reflected_in = a1:a4) |>
    construct("M", reflected_in = m1:m4) |> construct("Y", reflected_in = y1:y4) |>
    effect(M ~ A, Y ~ M + A)
  truth <- c("loading[ , ]" = 0.7, "effect[A, M]" = 0.3, "effect[M, Y]" = 0.3,
             "effect[A, Y]" = 0.1)
  found <- power_of(bp, "indirect[A, Y]", n = c(100, 200), truth = truth)
  expect_true(all(is.na(found$df)))
  fit <- population_fit(bp, 200, truth, "standardized")
  at <- c("effect[A, M]", "effect[M, Y]")
  v <- vcov(fit)[at, at]
  set.seed(3)
  root <- chol(v)
  hits <- replicate(1500, {
    own <- 0.3 + drop(rnorm(2) %*% root)
    around <- rep(own, each = 1500) + matrix(rnorm(3000), 1500) %*% root
    q <- quantile(around[, 1] * around[, 2], c(0.025, 0.975))
    q[1] > 0 || q[2] < 0
  })
  expect_equal(found$power[2], mean(hits), tolerance = 0.06)
  expect_gt(attr(found, "n_for_goal"), 200)
  expect_output(print(found), "by its interval", fixed = TRUE)
  expect_error(power_of(bp, "indirect[A, M]", n = 100, truth = truth),
               class = "orizzonte_error_address")
  plan <- suppressMessages(plan_study(bp, n = 200, truth = truth, reps = 200, seed = 1))
  own <- as.data.frame(plan)[as.data.frame(plan)$parameter == "indirect[A, Y]", ]
  expect_equal(own$truth, 0.09)
  expect_equal(own$power, found$power[2], tolerance = 0.12)
  expect_equal(own$coverage, 0.95, tolerance = 0.05)
})
