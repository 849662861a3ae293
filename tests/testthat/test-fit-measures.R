# Indices worked out by hand from chi-square 24.5 on 12 df, baseline 300 on 21 df, n = 250.

test_that("comparative indices and RMSEA follow their formulas", {
  x <- comparative_indices(24.5, 12, 300, 21)
  expect_equal(x[["cfi"]], 1 - 12.5 / 279)
  expect_equal(x[["tli"]], (300 / 21 - 24.5 / 12) / (300 / 21 - 1))
  expect_equal(x[["nfi"]], 1 - 24.5 / 300)
  expect_equal(x[["rfi"]], 1 - (24.5 / 12) / (300 / 21))
  expect_equal(x[["ifi"]], 275.5 / 288)
  expect_equal(rmsea_point(24.5, 12, 250), sqrt(12.5 / 3000))
  expect_equal(rmsea_point(8, 12, 250), 0)
  bounds <- rmsea_bounds(24.5, 12, 250)
  expect_equal(pchisq(24.5, 12, ncp = bounds[1]^2 * 3000), 0.95, tolerance = 1e-6)
  expect_equal(pchisq(24.5, 12, ncp = bounds[2]^2 * 3000), 0.05, tolerance = 1e-6)
  expect_equal(rmsea_bounds(3, 12, 250), c(0, 0))
  expect_equal(close_fit_p(24.5, 12, 250), pchisq(24.5, 12, ncp = 7.5, lower.tail = FALSE))
  # the largest n that is not significant: one more is
  for (less in 0:1) {
    largest <- critical_n(24.5 / 250, 12, less)
    expect_gt(pchisq((largest - less) * 0.098, 12, lower.tail = FALSE), 0.05)
    expect_lt(pchisq((largest + 1 - less) * 0.098, 12, lower.tail = FALSE), 0.05)
  }
  expect_true(is.na(rmsea_point(0, 0, 250)) && is.na(upper_p(0, 0)))
  expect_equal(comparative_indices(5, 12, 300, 21)[["cfi"]], 1)
})

test_that("SRMR and GFI follow their definitions on a two-by-two case", {
  s <- matrix(c(4, 1, 1, 9), 2)
  sigma <- matrix(c(4, 0, 0, 9), 2)
  expect_equal(srmr(s, sigma), sqrt((1 / 6)^2 / 3))
  expect_equal(srmr(s, sigma, c(1, 0), c(0, 0)), sqrt(((1 / 6)^2 + 0.25) / 5))
  # Sigma^-1 S = [1, 1/4; 1/9, 1]: tr[(. - I)^2] = 1/18, tr[.^2] = 2 + 1/18
  expect_equal(gfi(solve(sigma, s)), 1 - (1 / 18) / (2 + 1 / 18))
})

test_that("the baseline leaves covariances of exogenous variables free unless told otherwise", {
  s <- matrix(c(4, 1, 1, 1, 9, 2, 1, 2, 5), 3,
              dimnames = list(c("x1", "x2", "y"), c("x1", "x2", "y")))
  free <- baseline_model(s, "y", 100, means = FALSE)
  expect_equal(free$df, 2)
  expect_equal(free$chisq, 100 * (log(det(s[1:2, 1:2])) + log(5) - log(det(s))))
  zero <- baseline_model(s, "y", 100, means = FALSE, independence = TRUE)
  expect_equal(zero$df, 3)
  expect_equal(zero$chisq, -100 * log(det(cov2cor(s))))
  fit <- quiet_fit(blueprint("x") |> effect(st1 ~ years + age), choirs)
  value <- function(x, name) x$value[x$index == name]
  expect_gt(value(fit_indices(fit, baseline = "independence"), "chisq_baseline"),
            value(fit_indices(fit), "chisq_baseline"))
})

test_that("log-likelihood, AIC and BIC agree with the normal density of the data", {
  data <- complete_choirs(paste0("be", 1:4))
  fit <- fit_model(blueprint("B") |> construct("B", reflected_in = be1:be4), data)
  model <- implied(fit)$all
  centred <- t(t(as.matrix(data)) - model$mean)
  loglik <- -0.5 * (nrow(data) * (4 * log(2 * pi) + log(det(model$covariance))) +
                    sum(centred %*% solve(model$covariance) * centred))
  expect_equal(as.numeric(logLik(fit)), loglik, tolerance = 1e-10)
  value <- stats::setNames(fit_indices(fit)$value, fit_indices(fit)$index)
  expect_equal(AIC(fit), value[["aic"]])
  expect_equal(BIC(fit), value[["bic"]])
  expect_equal(value[["aic"]], -2 * loglik + 2 * 12)
  expect_equal(2 * (value[["loglik_saturated"]] - value[["loglik"]]), deviance(fit))
})

test_that("cut-offs come in two tiers, can be replaced, and the reading says when indices disagree",
          {
  fit <- quiet_fit(blueprint("B") |> construct("B", reflected_in = be1:be4), choirs)
  strict <- fit_indices(fit, criteria = criteria(cfi = c(0.999, 0.998)))
  expect_identical(strict$verdict[strict$index == "cfi"], "poor")
  expect_match(attr(strict, "reading"), "disagree")
  expect_error(criteria(cif = c(1, 0)), text_pattern("did_you_mean", near = "\"cfi\""),
               class = "orizzonte_error_input")
  expect_error(criteria(cfi = c(0.9, 0.95)), text_pattern("tiers_are_wrong_order"),
               class = "orizzonte_error_input")
  expect_error(fit_indices(fit, criteria = c(cfi = 0.9)), text_pattern("criteria_must_come_from"),
               class = "orizzonte_error_input")
  expect_output(print(strict), "CFI +\\.9.* poor")
})

test_that("seven indices are printed, all of them in blocks on request", {
  fit <- quiet_fit(blueprint("B") |> construct("B", reflected_in = be1:be4), choirs)
  found <- fit_indices(fit)
  expect_setequal(unique(found$block), c("exact", "approximate", "relative"))
  expect_identical(found$block[match(c("chisq", "rmsea", "cfi", "aic", "chisq_baseline", "srmr"),
                                     found$index)],
                   c("exact", "approximate", "relative", "relative", "relative", "approximate"))
  short <- utils::capture.output(print(found))
  expect_length(grep("^ +(\u03c7\u00b2|df|p|CFI|TLI|RMSEA|SRMR)(, sample size)? ", short), 7L)
  expect_false(any(grepl("NFI|ECVI|baseline", short)))
  long <- utils::capture.output(print(found, all = TRUE))
  for (block in c("exact", "approximate", "relative"))
    expect_equal(sum(trimws(long) == text_of(paste0("block_", block))), 1)
  words <- unname(index_words[found$index[!is.na(found$value)]])
  for (word in words)
    expect_true(any(startsWith(trimws(long), paste0(trimws(word), " "))), label = word)
  expect_error(print(found, all = NA), class = "orizzonte_error_input")
  # a selection without any of the seven is printed as it is
  expect_output(print(found[found$index == "nfi", ]), "NFI")
})
