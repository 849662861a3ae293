# Small formulas that decide: each against its definition, where an error would not be noticed
# elsewhere.

test_that("cut-offs are values of replicates at the stated proportion", {
  set.seed(3)
  for (size in c(1, 7, 20, 100)) for (share in c(0, 0.05, 0.051, 0.1, 0.5, 0.95, 1)) {
    x <- rnorm(size)
    # higher is better: at most `share` of the replicates lie below, and no larger value has this
    # property
    at <- ordered_value(x, share, higher = TRUE)
    expect_true(at %in% x)
    expect_lte(sum(x < at), share * size + 1e-6)
    if (at < max(x)) expect_gt(sum(x <= at), share * size + 1e-6)
    # lower is better: at least `share` lie at or below, and no smaller value has this property
    at <- ordered_value(x, share, higher = FALSE)
    expect_true(at %in% x)
    expect_gte(sum(x <= at), share * size - 1e-6)
    if (at > min(x)) expect_lt(sum(x < at), share * size - 1e-6)
  }
})

test_that("the fixed limits of a metric rung are not those of the others", {
  x <- list(criteria = criteria(), ladder = TRUE, groups = 2)
  expect_equal(fixed_cutoff(x, "srmr", "metric"), 0.030)
  expect_equal(fixed_cutoff(x, "srmr", "scalar"), 0.010)
  expect_equal(fixed_cutoff(x, "cfi", "metric"), -0.010)
  x$groups <- 12
  expect_equal(fixed_cutoff(x, "cfi", "metric"), -0.020)
  expect_equal(fixed_cutoff(x, "cfi", "scalar"), -0.010)
})

test_that("replicates equal to the estimate count half", {
  expect_equal(median_bias(c(1, 2, 2, 3), 2), 0)
  expect_equal(median_bias(c(2, 2, 2, 3), 2), stats::qnorm(0.375))
  expect_equal(median_bias(c(1, 1, 2, 3), 2), stats::qnorm(0.625))
  expect_true(is.na(median_bias(c(3, 4), 2)))
})

test_that("close fit counts the groups (Steiger 1998)", {
  # F at RMSEA = .05 is .05^2 df / G, and n F the noncentrality
  for (groups in 1:3)
    expect_equal(close_fit_p(120, 60, 500, groups),
                 stats::pchisq(120, 60, ncp = 500 * 0.05^2 * 60 / groups, lower.tail = FALSE))
  two <- blueprint("B") |> construct("Belonging", reflected_in = be1:be4)
  one <- quiet_fit(two, choirs)
  both <- quiet_fit(two, choirs, by = setting)
  for (fit in list(one, both)) {
    groups <- length(fit$layout$groups)
    df <- df.residual(fit)
    null <- nobs(fit) * df * .05^2 / groups
    expect_equal(power_of(fit, "close fit", n = nobs(fit))$power,
                 stats::pchisq(stats::qchisq(.95, df, null), df,
                               nobs(fit) * df * .08^2 / groups, lower.tail = FALSE))
  }
})

test_that("CFI is never below 0, nor above 1, and TLI may be", {
  at <- function(chisq, chisq_b, df = 10, df_b = 15) comparative_indices(chisq, df, chisq_b, df_b)
  expect_equal(at(100, 50)[["cfi"]], 0)
  expect_equal(at(100, 50)[["tli"]], 1 - (100 - 10) / 10 / ((50 - 15) / 15))
  expect_equal(at(5, 50)[["cfi"]], 1)
  expect_gt(at(5, 50)[["tli"]], 1)
  expect_equal(at(10, 50)[["cfi"]], 1)
  expect_equal(at(20, 50)[["cfi"]], 1 - 10 / 35)
  expect_equal(at(5, 12)[["cfi"]], 1)      # neither is worse than its degrees of freedom
})

test_that("the weights of Vuong's test of variance are squared eigenvalues (Theorem 3.3)", {
  data <- complete_choirs(c("st1", "be1", "years"))
  start <- blueprint("Paths") |> effect(st1 ~ be1 + years)
  one <- quiet_fit(restrict(start, effect[years, st1] == 0), data)
  two <- quiet_fit(restrict(start, effect[be1, st1] == 0), data)
  a <- casewise_fit(one)
  b <- casewise_fit(two)
  n <- nrow(data)
  ratio <- a$loglik - b$loglik
  lambda <- Re(eigen(vuong_matrix(a, b, n), only.values = TRUE)$values)
  statistic <- n * mean((ratio - mean(ratio))^2)
  # its tail by simulation, on a scale at which it is not zero
  set.seed(5)
  draws <- colSums(lambda^2 * matrix(stats::rchisq(length(lambda) * 2e5, 1), length(lambda)))
  for (share in c(.5, .9)) {
    at <- stats::quantile(draws, share, names = FALSE)
    expect_equal(weighted_chisq_p(at, lambda^2), 1 - share, tolerance = 0.02)
  }
  expect_equal(vuong_test(one, two)$distinguishable_p, weighted_chisq_p(statistic, lambda^2))
  expect_false(isTRUE(all.equal(lambda^2, lambda)))
})

test_that("variables are far from normal beyond skewness 2 and excess kurtosis 7", {
  near <- 1e-9
  expect_equal(rule_far_from_normal(c(2, -2, 2 + near, -2 - near, 0, 0, NA),
                                    c(7, 7, 0, 0, 7, 7 + near, 99)),
               c(FALSE, FALSE, TRUE, TRUE, FALSE, TRUE, FALSE))
})

test_that("geometric ratios of constructs that correlate negatively exist", {
  items <- paste0("i", 1:4)
  r <- matrix(-0.3, 4, 4, dimnames = list(items, items))
  r[1:2, 1:2] <- r[3:4, 3:4] <- 0.5
  diag(r) <- 1
  for (form in htmt_forms)
    expect_equal(htmt_ratio(r, items[1:2], items[3:4], form), 0.3 / 0.5)
  r[1, 3] <- r[3, 1] <- 0.1
  expect_equal(htmt_ratio(r, items[1:2], items[3:4], "keyed"), 0.2 / 0.5)
  expect_equal(htmt_ratio(r, items[1:2], items[3:4], "absolute"), 0.25 / 0.5)
  expect_true(is.na(htmt_ratio(r, items[1:2], items[3:4], "geometric")))
})

quiet <- function(code) suppressWarnings(suppressMessages(code))

test_that("pairs of items that no case has both of count for no degree of freedom", {
  data <- choirs[paste0("be", 1:4)]
  data$be1[seq_len(nrow(data)) %% 2 == 0] <- NA
  data$be4[seq_len(nrow(data)) %% 2 == 1] <- NA
  fit <- quiet(fit_model(blueprint("B") |> construct("B", reflected_in = be1:be4), data))
  # ten covariances less one; four loadings and variances in all, four of them in the baseline
  expect_equal(df.residual(fit), 9 - 8)
  value <- stats::setNames(fit_indices(fit)$value, fit_indices(fit)$index)
  expect_equal(value[["df_baseline"]], 9 - 4)
})

test_that("what a case adds to the saturated model is squared with its weight", {
  data <- choirs[stats::complete.cases(choirs[paste0("be", 1:4)]), ][1:60, ]
  data$w <- rep(c(0.5, 1.5), 30)
  bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)
  fit <- quiet(fit_model(bp, data, weights = "w"))
  x <- as.matrix(data[paste0("be", 1:4)])
  n <- nrow(x)
  moments <- fit$moments[[1L]]
  s <- moments$covariance
  inverse <- solve(s)
  # scores of one case and the information of all, over means and the covariances in full
  both <- kronecker(inverse, inverse)
  own <- vapply(seq_len(n), function(i) {
    off <- x[i, ] - moments$mean
    mean <- drop(inverse %*% off)
    gap <- as.vector(tcrossprod(off) - s)
    data$w[i]^2 * (sum(mean * (s %*% mean)) + drop(gap %*% both %*% gap) / 2) / n
  }, 0)
  found <- saturated_quadratic(fit, 1L, list(values = x, cluster = NULL), seq_len(n), data$w)
  expect_equal(unname(found), own, tolerance = 1e-8)
})

test_that("the refitted drop of a robust score test is the scaled difference", {
  bp <- blueprint("Two") |> construct("B", reflected_in = be1:be4) |>
    construct("C", reflected_in = sc1:sc4)
  plain <- quiet(fit_model(bp, choirs, incomplete = "drop"))
  robust <- quiet(refit(plain, inference = "robust"))
  tests <- lapply(list(plain, robust), function(fit) {
    attributes(quiet(score_test(fit, "covariance[be1, be2]")))[c("statistic", "actual_drop")]
  })
  freed <- quiet(refit(plain, blueprint = covary(bp, be1, be2)))
  drop <- deviance(plain) - deviance(freed)
  expect_equal(tests[[1]]$actual_drop, drop, tolerance = 1e-6)
  expect_false(isTRUE(all.equal(tests[[2]]$statistic, tests[[1]]$statistic, tolerance = 1e-3)))
  larger <- quiet(refit(robust, blueprint = covary(bp, be1, be2)))
  trace <- function(fit) index_value(fit, "chisq_inflation") * df.residual(fit)
  expect_equal(tests[[2]]$actual_drop, drop / (trace(robust) - trace(larger)), tolerance = 1e-5)
})

test_that("an item stands under the construct it loads on most", {
  bp <- blueprint("Two") |> construct("B", reflected_in = be1:be4) |>
    construct("C", reflected_in = c(sc1, sc2, sc3, sc4, be4))
  fit <- quiet_fit(bp, choirs)
  view <- group_views(fit)[[1L]]
  rows <- estimates(fit)
  both <- rows[rows$parameter %in% c("loading[B, be4]", "loading[C, be4]"), ]
  strongest <- both$parameter[which.max(abs(both$standardized))]
  expect_identical(main_construct(view, "be4"),
                   if (strongest == "loading[B, be4]") "B" else "C")
  expect_identical(main_construct(view, c("be1", "sc1", "unknown")), c("B", "C", "unknown"))
})

test_that("replicates have the divisor of the fit they come from", {
  data <- choirs[stats::complete.cases(choirs[paste0("be", 1:4)]), ][1:80, ]
  bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)
  fit <- quiet(fit_model(bp, data, multiplier = "n-1"))
  boot <- bootstrap_fit(fit, 20, seed = 4, interval = "percentile")
  again <- vapply(resample_rows(fit, 2, seed = 4), function(rows) {
    coef(quiet(refit(fit, data = data[rows, ])))[["variance[be1]"]]
  }, 0)
  at <- match("variance[be1]", names(boot$estimate))
  expect_equal(unname(boot$values[1:2, at]), again, tolerance = 1e-6)
})

test_that("the second moment of the test goes over all pairs of cases, also far apart ones", {
  skip_if_not_installed("numDeriv")
  # more cases than one block of 256, and more moments than cases
  set.seed(12)
  n <- 262
  common <- rnorm(n)
  data <- as.data.frame(replicate(22, 0.7 * common + rexp(n)))
  names(data) <- paste0("x", seq_along(data))
  bp <- blueprint("B") |> construct("B", reflected_in = all_of(names(data)))
  fit <- quiet(fit_model(bp, data, inference = "robust", adjust = "mean and variance"))
  o <- oracle_of_fit(fit)
  trace <- oracle_traces(o$model, o$theta, list(as.matrix(data)))
  value <- stats::setNames(fit_indices(fit)$value, fit_indices(fit)$index)
  expect_equal(value[["df_adjusted"]], trace[1]^2 / trace[2], tolerance = 1e-5)
})
