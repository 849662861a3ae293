# Data drawn from fits and from blueprints: moments, shape, missing values, clusters, groups.

bp <- blueprint("Staying") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Staying", reflected_in = st1:st3) |> effect(Staying ~ Belonging + years)
truth <- c("loading[ , ]" = .7, "loading[Staying, st2]" = .9, "effect[Belonging, Staying]" = .4,
           "effect[years, Staying]" = .2, "covariance[years, Belonging]" = .3)
quietly <- function(code) suppressWarnings(suppressMessages(code))
large <- function(...) simulate(bp, 1, seed = 1, n = 50000, truth = truth, ...)[[1]]

test_that("a standardized truth gives variances of one and the values that were asked for", {
  data <- large()
  expect_identical(dim(data), c(50000L, 8L))
  expect_lt(max(abs(apply(data, 2, var) - 1)), 0.04)
  e <- estimates(quiet_fit(bp, data))
  std <- stats::setNames(e$standardized, e$parameter)
  for (name in names(truth)[-1]) expect_lt(abs(std[[name]] - truth[[name]]), 0.02)
  expect_lt(abs(std[["loading[Belonging, be1]"]] - .7), 0.02)
  raw <- c("loading[A, ]" = 1, "variance[A]" = 4, "variance[a1]" = 1, "variance[a2]" = 2,
           "variance[a3]" = 3, "intercept[a1]" = 10)
  one <- blueprint("A") |> construct("A", reflected_in = a1:a3)
  drawn <- simulate(one, 1, seed = 1, n = 50000, truth = raw, truth_units = "raw")[[1]]
  expect_lt(max(abs(cov(drawn) - (4 + diag(1:3)))), 0.15)
  expect_lt(abs(mean(drawn$a1) - 10), 0.05)
})

test_that("residual correlations, groups and means come out as they were asked for", {
  free <- covary(bp, be1, be2)
  data <- simulate(free, 1, seed = 2, n = c(evening = 30000, weekend = 20000),
                   truth = c(truth, "covariance[be1, be2]" = .3,
                             "loading[Belonging, be3 | weekend]" = .4,
                             "mean[Belonging | weekend]" = .5))[[1]]
  expect_identical(as.vector(table(data$group)), c(30000L, 20000L))
  e <- estimates(quiet_fit(free, data, by = "group"))
  std <- stats::setNames(e$standardized, e$parameter)
  expect_lt(abs(std[["covariance[be1, be2 | evening]"]] - .3), 0.02)
  expect_lt(abs(std[["loading[Belonging, be3 | weekend]"]] - .4), 0.02)
  expect_lt(abs(std[["loading[Belonging, be3 | evening]"]] - .7), 0.02)
  expect_lt(abs(mean(data$be1[data$group == "weekend"]) - 0.35), 0.02)
})

test_that("skew and kurtosis are recovered and correlations stay", {
  data <- large(skew = 1, kurtosis = 2)
  z <- scale(data)
  expect_lt(max(abs(colMeans(z^3) - 1)), 0.1)
  expect_lt(max(abs(colMeans(z^4) - 3 - 2)), 0.6)
  expect_lt(max(abs(cor(data) - cor(large()))), 0.03)
  mixed <- scale(large(skew = c(be1 = -1.5), kurtosis = c(be1 = 4, st1 = 3)))
  expect_lt(abs(mean(mixed[, "be1"]^3) + 1.5), 0.15)
  expect_lt(abs(mean(mixed[, "st1"]^3)), 0.15)
  expect_lt(abs(mean(mixed[, "st1"]^4) - 6), 0.6)
  expect_lt(abs(mean(mixed[, "be2"]^4) - 3), 0.15)
  # the lowest kurtosis at a skewness of one is .43 (Fleishman 1978)
  expect_error(large(skew = 1, kurtosis = 0.3), class = "orizzonte_error_input")
  expect_silent(quietly(simulate(bp, 1, seed = 1, n = 50, truth = truth, skew = 1, kurtosis = 0.5)))
})

test_that("values are missing at the shares asked for, and by another variable", {
  data <- large(missing = c(be1 = .3, st2 = .1))
  expect_lt(abs(mean(is.na(data$be1)) - .3), 0.01)
  expect_lt(abs(mean(is.na(data$st2)) - .1), 0.01)
  expect_false(anyNA(data$be2))
  expect_lt(abs(mean(data$years[is.na(data$be1)])), 0.03)
  given <- large(missing = c(be1 = .3), missing_given = "years", missing_slope = 1.5)
  expect_lt(abs(mean(is.na(given$be1)) - .3), 0.01)
  expect_gt(mean(given$years[is.na(given$be1)]), 0.5)
  all <- large(missing = .2, missing_given = "years")
  expect_false(anyNA(all$years))
})

test_that("clusters hold the share asked for", {
  data <- large(clusters = 500, between = 0.25)
  means <- vapply(split(data$be1, data$cluster), mean, 0)
  expect_lt(abs(var(means) - (0.25 + 0.75 / 100)), 0.05)
  expect_lt(abs(var(data$be1) - 1), 0.06)
})

test_that("fits are drawn from with the seed of R or a number, missing as the cases have them", {
  fit <- quiet_fit(bp, choirs)
  sets <- simulate(fit, 2, seed = 3, missing = "as observed")
  expect_identical(sets, structure(sets, seed = 3L))
  expect_false(identical(sets[[1]], sets[[2]]))
  kept <- fit$sample$groups[[1]]$used
  expect_identical(unname(is.na(as.matrix(sets[[1]]))),
                   unname(is.na(as.matrix(choirs[kept, names(sets[[1]])]))))
  set.seed(2)
  a <- simulate(fit)
  set.seed(2)
  expect_identical(simulate(fit), a)
  expect_false(anyNA(simulate(fit, seed = 1)[[1]]))
})

test_that("a truth that cannot be is refused with the culprit", {
  expect_error(simulate(bp, 1, n = 100, truth = c(truth, "effect[Belonging, Staying]" = .99)),
               "Staying", class = "orizzonte_error_input")
  expect_error(simulate(bp, 1, n = 100, truth = truth[-1]), "loading",
               class = "orizzonte_error_input")
  expect_error(simulate(bp, 1, n = 100, truth = c(.7)), class = "orizzonte_error_input")
  expect_error(simulate(bp, 1, n = 100, truth = c("loading[Nobody, ]" = .7)),
               class = "orizzonte_error")
  expect_error(simulate(bp, 1, n = "many", truth = truth), class = "orizzonte_error_input")
  expect_error(simulate(bp, 1, n = c(10, 20), truth = truth), class = "orizzonte_error_input")
  held <- hold_equal(bp, loading)
  expect_error(quietly(simulate(held, 1, n = c(a = 100, b = 100),
                                truth = c(truth, "loading[Belonging, be3 | b]" = .2))),
               "restrictions", class = "orizzonte_error_input")
  expect_error(simulate(bp, 1, n = 100, truth = truth, missing = 1.2),
               class = "orizzonte_error_input")
  expect_error(simulate(bp, 1, n = 100, truth = truth, missing = c(nobody = .1)),
               class = "orizzonte_error_name")
  expect_error(simulate(bp, 1, n = 100, truth = truth, clusters = 500),
               class = "orizzonte_error_input")
  expect_error(simulate(bp, 1, n = 100, truth = truth, skew = "a"), class = "orizzonte_error_input")
})

test_that("weights of a composite are relative: its standardized effect is the one asked for", {
  made <- blueprint("Composite") |> construct("Staying", reflected_in = st1:st3) |>
    construct("Resources", composed_of = c(rooms, scores, coach)) |> effect(Staying ~ Resources)
  data <- quietly(simulate(made, 1, seed = 1, n = 50000, truth = c(
    "loading[ , ]" = .7, "weight[rooms, Resources]" = 2, "weight[scores, Resources]" = 1,
    "weight[coach, Resources]" = 1, "covariance[rooms, scores]" = .3,
    "effect[Resources, Staying]" = .4))[[1]])
  expect_lt(max(abs(apply(data, 2, var) - 1)), 0.04)
  e <- estimates(quiet_fit(made, data))
  std <- stats::setNames(e$standardized, e$parameter)
  expect_lt(abs(std[["effect[Resources, Staying]"]] - .4), 0.02)
  expect_lt(abs(std[["weight[rooms, Resources]"]] / std[["weight[coach, Resources]"]] - 2), 0.25)
})
