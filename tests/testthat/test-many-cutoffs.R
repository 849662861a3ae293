# Cut-offs by simulation against a plain loop, and the populations for which a model is
# misspecified.

bp <- blueprint("Two") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4)
quietly <- function(code) suppressWarnings(suppressMessages(code))
four <- c("cfi", "tli", "rmsea", "srmr")
indices_of_fit <- function(fit) {
  table <- fit_indices(fit)
  table$value[match(four, table$index)]
}

test_that("replicates of indices are those of a plain loop over simulate() and refit()", {
  fit <- quiet_fit(bp, choirs[1:300, ], incomplete = "drop")
  found <- model_cutoffs(fit, 30, seed = 5, draw = "model",
                         misspecified = c("covariance[be1, be2]" = .3))
  slow <- t(vapply(simulate(fit, 30, seed = 5), function(d) {
    indices_of_fit(quietly(refit(fit, data = d)))
  }, numeric(4)))
  expect_lt(max(abs(found$parts[[1]]$right - slow)), 1e-6)
  # the misspecified population: the implied moments and one additional residual covariance
  e <- estimates(fit)
  of <- function(name) e$estimate[e$parameter == name]
  sigma <- implied(fit)[[1]]$covariance
  add <- .3 * sqrt(of("variance[be1]") * of("variance[be2]"))
  sigma["be1", "be2"] <- sigma["be2", "be1"] <- sigma["be1", "be2"] + add
  made <- quietly(fit_model(bp, summary_data(sigma, nobs(fit), divisor = "n")))
  wider <- quietly(fit_model(covary(bp, be1, be2), summary_data(sigma, nobs(fit), divisor = "n")))
  expect_gt(deviance(made), 5)
  expect_lt(deviance(wider), 1e-6)
  e <- estimates(wider)
  expect_equal(e$standardized[e$parameter == "covariance[be1, be2]"], .3, tolerance = 1e-5)
  expect_gt(mean(found$parts[[1]]$wrong[[1]][, "rmsea"]), mean(found$parts[[1]]$right[, "rmsea"]))
})

test_that("the rule: 95 of 100 right ones pass and at most 5 wrong ones, else 90 and 10, else none",
          {
  fit <- quiet_fit(bp, choirs, incomplete = "drop")
  found <- model_cutoffs(fit, 60, seed = 1)
  table <- as.data.frame(found)
  expect_setequal(table$index, four)
  for (k in seq_len(nrow(table))) {
    part <- found$parts[[1]]
    at <- match(table$misspecification[k], part$words)
    right <- part$right[, table$index[k]]
    wrong <- part$wrong[[at]][, table$index[k]]
    higher <- table$index[k] %in% c("cfi", "tli")
    pass <- function(x, cut) mean(if (higher) x >= cut else x <= cut)
    if (table$rule[k] == "none") {
      expect_true(is.na(table$cutoff[k]))
      cut <- sort(right, decreasing = higher)[ceiling(0.9 * 60)]
      expect_gt(pass(wrong, cut), 0.10)
      next
    }
    share <- if (table$rule[k] == "firm") .95 else .90
    expect_gte(pass(right, table$cutoff[k]), share - 1e-9)
    expect_lte(pass(wrong, table$cutoff[k]), 1 - share + 1e-9)
    expect_true(table$cutoff[k] %in% right)
  }
  expect_true(all(table$verdict %in% c("passes", "fails", "cannot_tell")))
  expect_equal(table$wrong_error, sqrt(table$wrong_pass * (1 - table$wrong_pass) / 60))
})

test_that("default misspecifications are of the smallest size that matters and three times that", {
  fit <- quiet_fit(bp, choirs, incomplete = "drop")
  words <- model_cutoffs(fit, 20, seed = 1)$parts[[1]]$words
  expect_length(words, 5)
  expect_match(words[1], "correlate at .?\\.10")
  expect_match(words[2], "correlate at .?\\.30")
  expect_match(words[length(words)], text_pattern("is_two_constructs_correlate", size = ".80"))
  larger <- model_cutoffs(fit, 20, seed = 1, criteria = criteria(smallest = 0.15))
  expect_match(larger$parts[[1]]$words[2], "correlate at .?\\.45")
})

test_that("few replicates settle nothing: the same value that many replicates judge", {
  fit <- quiet_fit(bp, choirs, incomplete = "drop")
  few <- as.data.frame(model_cutoffs(fit, 20, seed = 1,
                                     misspecified = c("covariance[be3, be4]" = 0.5)))
  expect_false(any(few$settled & few$rule != "none"))
  expect_true(all(few$verdict == "cannot_tell"))
  many <- as.data.frame(model_cutoffs(fit, 300, seed = 1,
                                      misspecified = c("covariance[be3, be4]" = 0.5)))
  expect_true(any(many$settled & many$verdict != "cannot_tell"))
  expect_true(all(many$cutoff >= many$cutoff_lower & many$cutoff <= many$cutoff_upper,
                  na.rm = TRUE))
  text <- capture.output(print(model_cutoffs(fit, 20, seed = 1,
                                             misspecified = c("covariance[be3, be4]" = 0.5))))
  expect_match(paste(text, collapse = " "), text_pattern("cutoffs_not_settled"))
})

test_that("changes from rung to rung are simulated, with a gap in the last group", {
  ladder <- suppressMessages(invariance(bp, choirs, by = "setting", incomplete = "drop"))
  found <- model_cutoffs(ladder, 25, seed = 2, draw = "model")
  table <- as.data.frame(found)
  expect_identical(unique(table$rung), c("metric", "scalar", "strict"))
  rows <- as.data.frame(ladder)
  cfi <- table[table$index == "cfi", ]
  expect_equal(cfi$value, rows$cfi_change[-1])
  expect_identical(unique(table$fixed[table$index == "cfi"]), -0.01)
  # the plain loop for the metric rung
  metric <- ladder$fits$metric
  sets <- simulate(metric, 25, seed = 2)
  slow <- vapply(sets, function(d) {
    names(d)[1] <- "setting"
    both <- lapply(ladder$fits[c("configural", "metric")], function(f) quietly(refit(f, data = d)))
    indices_of_fit(both$metric)[1] - indices_of_fit(both$configural)[1]
  }, 0)
  expect_lt(max(abs(found$parts$metric$right[, "cfi"] - slow)), 1e-5)
})

test_that("cases moved to fit keep what is missing; misses that cannot be are refused", {
  fit <- quiet_fit(bp, choirs[1:200, ])
  found <- model_cutoffs(fit, 20, seed = 1, misspecified = c("loading[Calm, be1]" = .2))
  expect_false(anyNA(found$parts[[1]]$right))
  expect_error(model_cutoffs(fit, 20, misspecified = c("loading[Calm, be1]" = 5)),
               class = "orizzonte_error_input")
  expect_error(model_cutoffs(fit, 20, misspecified = c("loading[Nobody, be1]" = .2)),
               class = "orizzonte_error_name")
  expect_error(model_cutoffs(fit, 20, misspecified = "much"), class = "orizzonte_error_input")
  for (text in c("variance[be1]", "mean[Calm]", "correlation[Calm, Belonging]"))
    expect_error(model_cutoffs(fit, 20, misspecified = stats::setNames(.3, text)),
                 class = "orizzonte_error_input")
  expect_error(model_cutoffs(fit, 3), class = "orizzonte_error_input")
  saturated <- quiet_fit(blueprint("S") |> construct("A", reflected_in = be1:be3), choirs)
  expect_error(model_cutoffs(saturated, 20), class = "orizzonte_error_input")
})
