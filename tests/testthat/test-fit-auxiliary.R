# Auxiliary variables: the same as the model with those variables saturated by hand, and never
# shown.

set.seed(21)
n <- 300
f <- matrix(rnorm(2 * n), n) %*% chol(matrix(c(1, 0.4, 0.4, 1), 2))
x <- cbind(f[, 1] %o% c(1, 0.8, 0.9), f[, 2] %o% c(1, 1.2, 0.7)) + rnorm(6 * n, 0, 0.8)
colnames(x) <- paste0("x", 1:6)
data <- as.data.frame(x)
data$p <- rnorm(n)
data$told <- 0.7 * data$x2 + rnorm(n, 0, 0.6)
data$more <- 0.5 * data$x5 + 0.2 * data$told + rnorm(n)
data$g <- rep(c("a", "b"), each = n / 2)
data$x2[data$told < -0.3] <- NA            # missing at random given `told` alone
data$x5[runif(n) < 0.2] <- NA
data$more[1:15] <- NA
bp <- blueprint("Two") |> construct("A", reflected_in = x1:x3) |>
  construct("B", reflected_in = x4:x6) |> effect(B ~ A + p)
by_hand <- function(bp) {
  bp <- covary(bp, told, more)
  for (name in c("told", "more")) {
    for (item in c(paste0("x", 1:6), "p")) bp <- covary(bp, all_of(c(name, item)))
    bp <- uncorrelate(bp, all_of(c(name, "A")))
  }
  bp
}
quietly <- function(code) suppressWarnings(suppressMessages(code))
fit <- quietly(fit_model(bp, data, auxiliary = c(told, more)))
hand <- quietly(fit_model(by_hand(bp), data))
mentions <- function(x) any(grepl("told|more\\b", x))

test_that("estimates, errors and tests are those of the model saturated by hand", {
  shared <- names(coef(fit))
  expect_false(mentions(shared))
  expect_equal(coef(fit), coef(hand)[shared], tolerance = 1e-10)
  expect_equal(vcov(fit), vcov(hand)[shared, shared], tolerance = 1e-8)
  expect_equal(deviance(fit), deviance(hand), tolerance = 1e-10)
  expect_identical(df.residual(fit), df.residual(hand))
  plain <- quietly(fit_model(bp, data))
  expect_identical(df.residual(fit), df.residual(plain))
  # the information of the auxiliary variable about x2 changes its mean
  expect_gt(coef(plain)[["intercept[x2]"]] - coef(fit)[["intercept[x2]"]], 0.05)
  robust <- quietly(refit(fit, inference = "robust"))
  by_robust <- quietly(refit(hand, inference = "robust"))
  expect_equal(vcov(robust), vcov(by_robust)[shared, shared], tolerance = 1e-8)
  index <- function(fit, name) fit_indices(fit)$value[match(name, fit_indices(fit)$index)]
  expect_equal(index(robust, "chisq"), index(by_robust, "chisq"), tolerance = 1e-8)
  expect_equal(index(fit, "rmsea"), index(hand, "rmsea"), tolerance = 1e-8)
  expect_equal(AIC(fit), AIC(hand), tolerance = 1e-10)
  # the baseline still holds only the model's own pairs at zero: 7 variables, p exogenous
  expect_equal(index(fit, "df_baseline"), index(plain, "df_baseline"))
  expect_lt(index(fit, "chisq_baseline"), index(hand, "chisq_baseline"))
})

test_that("no reader shows them, and every header names them", {
  expect_output(print(fit), text_pattern("auxiliary_not_model", sample = "told and more"))
  shown <- list(estimates(fit)$parameter, r_squared(fit)$variable,
                colnames(implied(fit)$all$covariance), colnames(observed(fit)$all$covariance),
                rownames(residuals(fit)$all$covariance),
                equations(fit)$variable, effects(fit)$parameter, names(predict(fit)),
                amendments(fit, top = 3, all = TRUE)$parameter, without(fit)$parameter)
  for (names in shown) expect_false(mentions(names))
  expect_silent(drawn <- path_diagram(fit))
  expect_false(mentions(fit$layout$observed))
  expect_equal(nrow(simulate(fit, 1, seed = 1)[[1]]), n)
})

test_that("they stay through amendments, comparisons, ladders and other requests", {
  amended <- quietly(amend(fit, free = covariance[x1, x4], because = "a test"))
  again <- quietly(fit_model(covary(bp, x1, x4), data, auxiliary = c("told", "more")))
  expect_equal(coef(amended), coef(again), tolerance = 1e-7)
  expect_identical(trail(amended)$df, c(df.residual(fit), df.residual(fit) - 1))
  found <- amendments(fit, top = 0)
  index <- found$modification_index[match("covariance[x1, x4]", found$parameter)]
  expect_equal(trail(amended)$predicted_drop[2], index, tolerance = 1e-6)
  expect_equal(compare_models(fit, amended)$chisq_change[2], deviance(amended) - deviance(fit),
               tolerance = 1e-8)
  joint <- score_test(fit, covariance[x1, x4], covariance[x2, x5])
  expect_identical(attr(joint, "df"), 2L)
  ladder <- quietly(invariance(bp, data, by = g, auxiliary = told,
                               rungs = c("configural", "metric", "strict"), structural = "effect"))
  hand_metric <- quietly(fit_model(
    holding(bp |> covary(told, x1) |> covary(told, x2) |> covary(told, x3) |> covary(told, x4) |>
              covary(told, x5) |> covary(told, x6) |> covary(told, p) |> uncorrelate(told, A),
            "loading"), data, by = g))
  expect_equal(ladder$table$chisq[2], deviance(hand_metric), tolerance = 1e-7)
  # strict holds residuals of items, but nothing about auxiliary variables
  expect_identical(ladder$table$df_change[ladder$table$rung == "strict"], 6)
})

test_that("where nothing is missing they tell nothing, and wrong roles are refused", {
  whole <- data[stats::complete.cases(data[c(paste0("x", 1:6), "p")]), ]
  expect_message(kept <- fit_model(bp, whole, auxiliary = told),
                 text_pattern("nothing_model_is_missing"))
  expect_identical(coef(kept), coef(quietly(fit_model(bp, whole))))
  refused <- function(pattern, ..., class = "orizzonte_error_input") {
    expect_error(quietly(fit_model(bp, data, ...)), pattern, class = class)
  }
  refused("already used", auxiliary = x1)
  refused(text_pattern("request_auxiliary_drop"), auxiliary = told, incomplete = "drop")
  refused("Did you mean \"told\"", auxiliary = tolld, class = "orizzonte_error_name")
  refused("holds text, not numbers", auxiliary = g, class = "orizzonte_error_data")
})

test_that("identification knows auxiliary variables, and one rule counts their parameters", {
  bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)
  found <- suppressMessages(identification(bp, choirs, auxiliary = "age"))
  plain <- suppressMessages(identification(bp, choirs))
  expect_identical(found[c("identified", "df", "parameters", "rank")],
                   plain[c("identified", "df", "parameters", "rank")])
  fit <- quiet_fit(bp, choirs, auxiliary = "age")
  more <- attr(logLik(fit), "df") - length(coef(fit))
  expect_equal(more, 6)                    # mean, variance and four covariances of age
  expect_output(print(fit), text_pattern("auxiliary_parameters", more = "6"))
  expect_equal(AIC(fit), -2 * as.numeric(logLik(fit)) + 2 * (length(coef(fit)) + 6))
  # with and without auxiliary variables: noted, and not treated as different rows
  both <- compare_models(fit, quiet_fit(bp, choirs))
  expect_match(paste(attr(both, "notes"), collapse = " "),
               text_pattern("other_auxiliary_variables"))
})
