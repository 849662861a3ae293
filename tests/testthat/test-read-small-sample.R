# The test of exact fit in small samples, corrected for the number of cases.

measure <- function(n, items = 15, seed = 1) {
  set.seed(seed)
  f <- stats::rnorm(n)
  data <- as.data.frame(sapply(seq_len(items), function(i) 0.7 * f + 0.714 * stats::rnorm(n)))
  names(data) <- paste0("x", seq_len(items))
  data
}
bp <- blueprint("C") |> construct("C", reflected_in = x1:x15)
value_of <- function(fit, index) {
  table <- fit_indices(fit)
  table$value[match(index, table$index)]
}

test_that("the correction is the published formula, by hand", {
  expect_equal(round(swain_factor(c(24, 15), c(249, 90), c(100, 50)), 4), c(0.9077, 0.8773))
  fit <- quiet_fit(bp, measure(50))
  p <- 15
  t <- 30
  q <- (sqrt(1 + 8 * t) - 1) / 2
  factor <- 1 - (p * (2 * p^2 + 3 * p - 1) - q * (2 * q^2 + 3 * q - 1)) / (12 * 90 * 49)
  chisq <- factor * 49 * deviance(fit) / 50
  expect_equal(value_of(fit, "chisq_swain"), chisq, tolerance = 1e-10)
  expect_equal(value_of(fit, "p_swain"), stats::pchisq(chisq, 90, lower.tail = FALSE),
               tolerance = 1e-10)
  # the multiplier of chi-square does not matter to it
  expect_equal(value_of(quiet_fit(bp, measure(50), multiplier = "n-1"), "chisq_swain"), chisq,
               tolerance = 1e-6)
  # a saturated model, and too few cases for the formula
  expect_true(is.na(swain_factor(3, 0, 100)))
  expect_true(is.na(swain_factor(15, 90, 5)))
})

test_that("groups are corrected one by one; shared parameters count by the group's cases", {
  data <- rbind(measure(60, seed = 2), measure(140, seed = 3))
  data$g <- rep(c("a", "b"), c(60, 140))
  alone <- vapply(split(data, data$g), function(x) value_of(quiet_fit(bp, x), "chisq_swain"), 0)
  both <- quiet_fit(bp, data, by = g)
  expect_equal(value_of(both, "chisq_swain"), sum(alone), tolerance = 1e-6)
  held <- quiet_fit(hold_equal(bp, loading), data, by = g)
  # 14 loadings, .3 and .7 of them; 15 residual variances and one variance in each group
  expect_equal(covariance_df(held), 120 - c(0.3, 0.7) * 14 - 16)
  expect_equal(sum(covariance_df(held)), df.residual(held))
  equated <- quiet_fit(restrict(bp, loading[C, x2] == loading[C, x3]), data, by = g)
  expect_equal(sum(covariance_df(equated)), df.residual(equated))
  # structured means have no such correction
  expect_true(is.na(value_of(quiet_fit(hold_equal(bp, loading, intercept), data, by = g),
                             "p_swain")))
})

test_that("it exists for complete data, normal inference and no bound, and for summary data", {
  data <- measure(80)
  expect_false(is.na(value_of(quiet_fit(bp, data), "p_swain")))
  expect_equal(value_of(quiet_fit(bp, summary_data(stats::cov(data), 80)), "p_swain"),
               value_of(quiet_fit(bp, data), "p_swain"), tolerance = 1e-6)
  robust <- quiet_fit(bp, data, inference = "robust")
  plain <- quiet_fit(bp, data)
  expect_equal(value_of(robust, "chisq_swain"), value_of(plain, "chisq_swain") /
                 value_of(robust, "chisq_inflation"), tolerance = 1e-8)
  # three cases per variable, robust or in several groups
  few <- function(n, ...) {
    is.na(value_of(suppressWarnings(quiet_fit(bp, measure(n), ...)), "p_swain"))
  }
  expect_true(few(44, inference = "robust"))
  expect_false(few(45, inference = "robust"))
  expect_false(few(44))
  groups <- function(n) {
    both <- rbind(measure(n, seed = 2), measure(100, seed = 3))
    both$g <- rep(c("a", "b"), c(n, 100))
    is.na(value_of(suppressWarnings(quiet_fit(bp, both, by = g)), "p_swain"))
  }
  expect_true(groups(44))
  expect_false(groups(45))
  # adjusted for the variance, clusters
  expect_true(is.na(value_of(quiet_fit(bp, data, inference = "robust",
                                       adjust = "mean and variance"), "p_swain")))
  data$choir <- rep(1:40, each = 2)
  expect_true(is.na(value_of(suppressWarnings(quiet_fit(bp, data, clusters = "choir")),
                             "p_swain")))
  holed <- data
  holed[1:9, 1] <- NA
  expect_true(is.na(value_of(quiet_fit(bp, holed), "p_swain")))
  bounded <- suppressWarnings(quiet_fit(restrict(bp, loading[C, x2] >= 3), data))
  expect_true(is.na(value_of(bounded, "p_swain")))
})

test_that("incomplete small samples are pointed to the bootstrap test, large ones are not", {
  reading <- function(n) {
    data <- measure(n)
    data[seq(1, n, 12), 1] <- NA
    attr(fit_indices(quiet_fit(bp, data)), "reading")
  }
  expect_match(reading(70), text_pattern("few_cases_bootstrap_test"))
  expect_no_match(reading(400), text_pattern("few_cases_bootstrap_test"))
})

test_that("exact fit is judged by the corrected p, and both are shown where they differ", {
  seeds <- Filter(function(seed) {
    fit <- quiet_fit(bp, measure(50, seed = seed))
    value_of(fit, "p") < 0.01 && value_of(fit, "p_swain") >= 0.05
  }, 1:40)
  expect_gt(length(seeds), 0)
  fit <- quiet_fit(bp, measure(50, seed = seeds[1]))
  table <- fit_indices(fit)
  row <- function(index) table$verdict[table$index == index]
  expect_true(is.na(row("p")))
  expect_identical(row("p_swain"), "good")
  expect_match(attr(table, "reading"), text_pattern("exact_fit_is_not_rejected", correction = ""))
  expect_match(attr(table, "reading"), text_pattern("exact_fit_corrected"))
  found <- amendments(fit, top = 1)
  expect_match(attr(found, "nothing"), text_pattern("exact_fit_is_not", correction = ""))
  expect_match(paste(methods_text(fit), collapse = " "),
               text_pattern("p_corrected_for_sample_size", cite = "Swain, 1975"))
})

test_that("exact fit is rejected just below the level and not at it", {
  fit <- quiet_fit(bp, measure(50))
  p <- value_of(fit, "p_swain")
  verdict <- function(level) {
    table <- fit_indices(fit, criteria(significance = level, p = c(level, level / 2)))
    c(table$verdict[table$index == "p_swain"], attr(table, "reading"))
  }
  expect_identical(verdict(p)[1], "good")
  expect_match(verdict(p)[2], text_pattern("exact_fit_is_not_rejected", correction = ""))
  expect_identical(verdict(p * 1.001)[1], "acceptable")
  expect_match(verdict(p * 1.001)[2], text_pattern("exact_fit_is_rejected", correction = ""))
})
