# Two regressions of one outcome, whose likelihoods lm() knows case by case.
path_pair <- function(data) {
  start <- blueprint("Paths") |> effect(st1 ~ be1 + years)
  list(one = quiet_fit(restrict(start, effect[years, st1] == 0), data),
       two = quiet_fit(restrict(start, effect[be1, st1] == 0), data))
}

test_that("Vuong's z is that of two regressions, case by case", {
  data <- complete_choirs(c("st1", "be1", "years"))
  fits <- path_pair(data)
  found <- vuong_test(fits$one, fits$two)
  loglik <- function(model) {
    e <- stats::residuals(model)
    stats::dnorm(e, 0, sqrt(mean(e^2)), log = TRUE)
  }
  ratio <- loglik(stats::lm(st1 ~ be1, data)) - loglik(stats::lm(st1 ~ years, data))
  n <- nrow(data)
  expect_equal(found$vuong_z, sum(ratio) / sqrt(n * mean((ratio - mean(ratio))^2)),
               tolerance = 1e-7)
  expect_equal(found$vuong_p, 2 * stats::pnorm(-abs(found$vuong_z)))
  table <- compare_models(one = fits$one, two = fits$two)
  expect_equal(table$vuong_z[2], -found$vuong_z)
  expect_identical(table$closer, c(NA, "other"))
  expect_output(print(table), text_pattern("closer_other", other = "one"))
})

test_that("casewise log-likelihoods and scores are those of the definition", {
  bp <- blueprint("Two") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc3) |> effect(Calm ~ Belonging + years)
  for (fit in list(quiet_fit(bp, choirs), quiet_fit(bp, choirs, by = setting))) {
    cases <- casewise_fit(fit)
    expect_equal(sum(cases$loglik), as.numeric(logLik(fit)), tolerance = 1e-10)
    expect_lt(max(abs(colSums(cases$scores)) / sqrt(colSums(cases$scores^2))), 1e-5)
    theta <- theta_of(fit)
    at <- function(x) casewise_fit(fit_at(fit, x))$loglik[c(1, 7, 200)]
    expect_equal(cases$scores[c(1, 7, 200), ], numDeriv::jacobian(at, theta), tolerance = 1e-6,
                 ignore_attr = TRUE)
  }
})

test_that("weighted sums of chi-squares have the right tail", {
  expect_equal(weighted_chisq_p(3.2, 1), stats::pchisq(3.2, 1, lower.tail = FALSE),
               tolerance = 1e-6)
  expect_equal(weighted_chisq_p(12, rep(2, 5)), stats::pchisq(6, 5, lower.tail = FALSE),
               tolerance = 1e-6)
  # two pairs of weights: a mixture of exponentials, P = (a e^(-q/2a) - b e^(-q/2b)) / (a - b)
  a <- 3
  b <- 0.5
  expect_equal(weighted_chisq_p(4, c(a, a, b, b)),
               (a * exp(-4 / (2 * a)) - b * exp(-4 / (2 * b))) / (a - b), tolerance = 1e-6)
  expect_equal(weighted_chisq_p(0, c(1, 2)), 1)
  set.seed(1)
  drawn <- colSums(c(5, 2, 1, 0.1, 0.01) * matrix(rchisq(5e5, 1), 5))
  for (q in c(1, 8, 30))
    expect_equal(weighted_chisq_p(q, c(5, 2, 1, 0.1, 0.01)), mean(drawn > q), tolerance = 0.05)
  expect_lt(weighted_chisq_p(1e4, c(1, 2, 3)), 1e-6)
})

test_that("models that say the same are not told apart", {
  # neither pair of residuals covaries in truth: both models are the plain one
  set.seed(4)
  f <- rnorm(500)
  data <- as.data.frame(sapply(1:6, function(i) f + rnorm(500)))
  names(data) <- paste0("x", 1:6)
  bp <- blueprint("One") |> construct("A", reflected_in = x1:x6)
  table <- compare_models(first = fit_model(covary(bp, x1, x2), data),
                          second = fit_model(covary(bp, x5, x6), data))
  expect_gt(table$distinguishable_p[2], 0.05)
  expect_output(print(table), text_pattern("these_data_cannot_tell"))
})

test_that("corrections for the number of parameters are those of the definition", {
  # equally wrong models: one frees a true residual covariance, the other a true one and five that
  # are zero
  set.seed(1)
  f <- rnorm(300)
  common <- outer(f, rep(0.7, 8))
  own <- matrix(rnorm(2400), 300)
  for (pair in list(1:2, 3:4)) {
    u <- rnorm(300)
    own[, pair] <- sqrt(0.6) * own[, pair] + sqrt(0.4) * u
  }
  data <- as.data.frame(common + own * sqrt(0.51))
  names(data) <- paste0("x", 1:8)
  bp <- blueprint("F") |> construct("F", reflected_in = x1:x8, scale = "unit")
  small <- quiet_fit(covary(bp, x1, x2), data)
  large <- quiet_fit(covary(bp, x3, x4) |> covary(x5, x6) |> covary(x7, x8) |> covary(x1, x5) |>
                       covary(x2, x6) |> covary(x1, x7), data)
  found <- vuong_test(small, large)
  expect_equal(c(found$vuong_z, found$vuong_z_aic, found$vuong_z_bic),
               c(-0.8580787, -0.3954266, 0.4613548), tolerance = 1e-5)
  expect_equal(found$aic_difference, AIC(small) - AIC(large), tolerance = 1e-6)
  expect_equal(found$aic_difference_se, 2 * sqrt(300 * 0.3893226), tolerance = 1e-5)
  expect_equal(found$vuong_p_bic, 2 * stats::pnorm(-abs(found$vuong_z_bic)))
  # the other way round
  back <- vuong_test(large, small)
  expect_equal(c(back$vuong_z, back$vuong_z_aic, back$vuong_z_bic),
               -c(found$vuong_z, found$vuong_z_aic, found$vuong_z_bic))
  expect_identical(compare_models(small, large)$closer[2], "neither")
})

test_that("a solution on a bound has no test of models that are not nested", {
  data <- complete_choirs(c("st1", "be1", "years"))
  fits <- path_pair(data)
  start <- blueprint("Paths") |> effect(st1 ~ be1 + years)
  pressed <- quiet_fit(restrict(start, effect[years, st1] == 0, effect[be1, st1] <= 0.1), data)
  table <- compare_models(fits$two, pressed)
  expect_true(is.na(table$vuong_z[2]))
  expect_true(is.na(table$closer[2]))
  expect_match(attr(table, "notes"), text_pattern("not_nested_at_bound"), all = FALSE)
})

test_that("summary data have no cases to compare", {
  data <- complete_choirs(c("st1", "be1", "years"))
  summary <- summary_data(stats::cov(data), nrow(data))
  table <- do.call(compare_models, path_pair(summary))
  expect_true(is.na(table$vuong_p[2]))
  expect_match(attr(table, "notes"), text_pattern("not_nested_without_cases"), all = FALSE)
})
