# Bollen-Stine: cases that fit exactly, p value against a plain loop.

bp <- blueprint("Calm and belonging") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4)
quietly <- function(code) suppressWarnings(suppressMessages(code))
# The same transformation, implemented independently.
moved <- function(x, sigma) {
  n <- nrow(x)
  mean <- colMeans(x)
  s <- crossprod(sweep(x, 2, mean)) / n
  z <- sweep(x, 2, mean) %*% solve(chol(s)) %*% chol(sigma)
  sweep(z, 2, mean, "+")
}

test_that("p is that of a plain loop over transformed cases", {
  data <- complete_choirs(c(paste0("be", 1:4), paste0("sc", 1:4)))[1:200, ]
  fit <- quiet_fit(bp, data)
  test <- bootstrap_test(fit, reps = 60, seed = 4)
  expect_lt(abs(test$chisq_transformed), 1e-8)
  expect_equal(test$chisq, deviance(fit))
  z <- moved(as.matrix(data), implied(fit)[[1]]$covariance)
  expect_lt(deviance(quiet_fit(bp, as.data.frame(z))), 1e-8)
  drawn <- vapply(resample_rows(fit, 60, 4), function(rows) {
    deviance(quietly(refit(fit, data = as.data.frame(z[rows, ]))))
  }, 0)
  # another root of the same matrices rotates the cases, which changes the replicates but not their
  # distribution
  expect_lt(abs(test$p_bootstrap - (1 + sum(drawn >= deviance(fit))) / 61), 0.15)
  expect_identical(test$used, 60L)
})

test_that("with the symmetric root the replicates are the same to the last digit", {
  data <- complete_choirs(c(paste0("be", 1:4)))[1:150, ]
  one <- blueprint("B") |> construct("Belonging", reflected_in = be1:be4)
  fit <- quiet_fit(one, data)
  power <- function(m, p) {
    e <- eigen(m, symmetric = TRUE)
    e$vectors %*% (e$values^p * t(e$vectors))
  }
  x <- as.matrix(data)
  n <- nrow(x)
  s <- crossprod(sweep(x, 2, colMeans(x))) / n
  sd <- sqrt(diag(s))
  sigma <- implied(fit)[[1]]$covariance
  units <- sqrt(diag(sigma))
  root <- function(m, d) power(m / outer(d, d), 0.5) %*% diag(d)
  z <- sweep(x, 2, colMeans(x)) %*% solve(root(s, sd)) %*% root(sigma, units)
  colnames(z) <- names(data)
  drawn <- vapply(resample_rows(fit, 40, 2), function(rows) {
    deviance(quietly(refit(fit, data = as.data.frame(z[rows, ]))))
  }, 0)
  test <- bootstrap_test(fit, reps = 40, seed = 2)
  expect_equal(test$p_bootstrap, (1 + sum(drawn >= deviance(fit))) / 41)
})

test_that("nested models and every rung are tested by the smaller model made to fit", {
  fit <- quiet_fit(bp, choirs, incomplete = "drop")
  larger <- quietly(amend(fit, free = covariance[be1, be2], because = "one stem"))
  a <- bootstrap_test(fit, larger, reps = 100, seed = 1)
  b <- bootstrap_test(larger, fit, reps = 100, seed = 1)
  expect_identical(a$p_bootstrap, b$p_bootstrap)
  expect_equal(a$chisq, deviance(fit) - deviance(larger))
  expect_equal(a$df, 1)
  expect_lt(a$p_bootstrap, 0.02)
  # written in another order the larger model is the same
  turned <- blueprint("Turned") |> construct("Calm", reflected_in = sc1:sc4) |>
    construct("Belonging", reflected_in = be1:be4) |> covary(be1, be2)
  turned <- quiet_fit(turned, choirs, incomplete = "drop")
  expect_identical(bootstrap_test(fit, turned, reps = 100, seed = 1)$p_bootstrap, a$p_bootstrap)
  expect_equal(bootstrap_test(turned, reps = 30, seed = 1)$p_bootstrap,
               bootstrap_test(larger, reps = 30, seed = 1)$p_bootstrap)
  ladder <- suppressMessages(invariance(bp, choirs, by = "setting", incomplete = "drop"))
  rungs <- bootstrap_test(ladder, reps = 50, seed = 1)
  expect_identical(rungs$model, as.data.frame(ladder)$rung)
  expect_identical(rungs$against, as.data.frame(ladder)$against)
  expect_equal(rungs$chisq[-1], as.data.frame(ladder)$chisq_change[-1])
  expect_true(all(rungs$p_bootstrap > 0 & rungs$p_bootstrap <= 1))
})

test_that("p is uniform when the model is right, also with missing values", {
  truth <- c("loading[ , ]" = .7, "covariance[Belonging, Calm]" = .3)
  p <- lapply(c(0, 0.1), function(share) {
    sets <- simulate(bp, 25, seed = 6, n = 150, truth = truth, missing = share)
    vapply(sets, function(d) bootstrap_test(quiet_fit(bp, d), reps = 49, seed = 1)$p_bootstrap, 0)
  })
  for (found in p) expect_gt(suppressWarnings(ks.test(found, "punif")$p.value), 0.01)
})

test_that("with missing values what cases still misfit is reported; misuse is refused", {
  fit <- quiet_fit(bp, choirs)
  test <- bootstrap_test(fit, reps = 30, seed = 1)
  expect_gt(test$chisq_transformed, 0)
  expect_lt(test$chisq_transformed, test$chisq)
  other <- quiet_fit(blueprint("C") |> construct("Calm", reflected_in = sc1:sc4), choirs)
  expect_error(bootstrap_test(fit, other, reps = 30), class = "orizzonte_error_input")
  expect_error(bootstrap_test("x", reps = 30), class = "orizzonte_error_input")
  expect_error(bootstrap_test(fit, reps = 0), class = "orizzonte_error_input")
})
