# Distributions against published quantiles and simulated bridges; scores against derivatives.

test_that("p values of bridges agree with known quantiles", {
  # 5% points of the Cramér-von Mises statistic of one, two and three bridges
  expect_equal(vapply(1:3, function(r) bridge_mean_p(c(0.4614, 0.7475, 1.0003)[r], r), 0),
               c(0.05, 0.05, 0.05), tolerance = 1e-3)
  expect_equal(bridge_largest_p(8.85, 1, 0.15), 0.0469, tolerance = 2e-3)
  expect_equal(bridge_largest_p(11.79, 2, 0.15), 0.0495, tolerance = 2e-3)
  expect_equal(bridge_largest_p(18.35, 5, 0.15), 0.0523, tolerance = 2e-3)
  expect_equal(bridge_largest_p(4, 5), 1)
  expect_equal(bridge_distance_p(1.358), 0.05, tolerance = 1e-3)
  # simulated bridges of rank 3
  set.seed(2)
  drawn <- replicate(400, {
    z <- scale(matrix(rnorm(600), 200), scale = FALSE)
    path_statistics(fluctuation_path(z, seq_len(200)))$mean
  })
  expect_equal(mean(vapply(drawn, bridge_mean_p, 0, rank = 3) < 0.1), 0.1, tolerance = 0.35)
})

test_that("draws for ordered categories give the known 95% point", {
  # 100,000 bridges drawn case by case
  largest <- ordinal_draws(rep(0.25, 4), 5, 20000)
  expect_equal(unname(quantile(largest, 0.95)), 13.64, tolerance = 0.02)
})

test_that("paths are cumulated in the order of the variable and evaluated at its last ties", {
  x <- cbind(c(1, -2, 3, -2))
  found <- fluctuation_path(x, c(2, 1, 2, 3))
  expect_identical(found$value, c(1, 2, 3))
  expect_equal(found$share, c(0.25, 0.75, 1))
  expect_equal(found$path[, 1], c(-2, 2, 0) / 2)
  expect_equal(found$weight, c(0.25, 0.5, 0.25))
})

test_that("efficient scores do not correlate with the nuisance in the metric of the information", {
  set.seed(1)
  s <- matrix(rnorm(500 * 5), 500) %*% matrix(rnorm(25), 5)
  information <- crossprod(s) / 500
  u <- efficient_scores(s, information, 1:2, 3:5)
  expect_equal(max(abs(crossprod(u, s[, 3:5]) / 500)), 0, tolerance = 1e-8)
  x <- decorrelated(u)
  expect_equal(crossprod(x) / 500, diag(2), tolerance = 1e-8)
  # one dimension less when columns are dependent
  expect_equal(ncol(decorrelated(cbind(u, u[, 1] + u[, 2]))), 2)
  expect_equal(efficient_scores(s, information, 1:2, integer()), s[, 1:2])
})

test_that("categories are compared by a chi-square", {
  set.seed(3)
  x <- scale(matrix(rnorm(900), 300))
  x <- decorrelated(sweep(x, 2, colMeans(x)))
  v <- rep(1:3, 100)
  found <- categorical_sum(fluctuation_path(x, v), 3)
  expect_equal(found$df, 6)
  by_hand <- sum(vapply(1:3, function(k) sum(colSums(x[v == k, ])^2) / 300 / (1 / 3), 0))
  expect_equal(found$statistic, by_hand)
})
