fit <- quiet_fit(blueprint("Why") |> construct("Belonging", reflected_in = be1:be4) |>
                 construct("Staying", reflected_in = st1:st3) |>
                   effect(Staying ~ Belonging + years), choirs)

test_that("tables keep their column contract", {
  expect_named(estimates(fit), c("parameter", "group", "kind", "estimate", "se", "z", "p", "lower",
                                 "upper", "standardized", "standardized_se", "status"))
  expect_named(fit_indices(fit), c("index", "value", "lower", "upper", "cutoff", "verdict",
                                   "block"))
  expect_true(all(is.na(estimates(fit)$group)))
  expect_setequal(estimates(fit)$status, c("free", "fixed"))
  known <- setdiff(names(index_words), c("chisq_normal", "p_normal", "chisq_inflation",
                                         "df_adjusted"))
  expect_identical(fit_indices(fit)$index, known)
  robust <- quiet_fit(fit$request$blueprint, choirs, inference = "robust", incomplete = "drop",
                      adjust = "mean and variance")
  expect_identical(fit_indices(robust)$index, names(index_words))
})

test_that("a predicted construct has an intercept, another a mean", {
  bp <- blueprint("M") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Staying", reflected_in = st1:st3) |> effect(Staying ~ Belonging) |>
    hold_equal(loading, intercept)
  grouped <- quiet_fit(bp, choirs, by = "setting")
  table <- estimates(grouped)
  means <- table[startsWith(table$parameter, "mean["), ]
  expect_setequal(paste(means$parameter, means$kind),
                  c(paste0("mean[Belonging | ", c("evening", "weekend"), "] mean"),
                    paste0("mean[Staying | ", c("evening", "weekend"), "] construct intercept")))
  shown <- capture.output(print(summary(grouped)))
  # free at weekend only: what is fixed at 0 is not shown
  expect_match(shown[grep("^ *Means of constructs", shown) + 1L], "mean[Belonging | weekend]",
               fixed = TRUE)
  expect_match(shown[grep("^ *Intercepts of constructs", shown) + 1L], "mean[Staying | weekend]",
               fixed = TRUE)
  expect_false(any(grepl("mean[Staying | evening]", shown, fixed = TRUE)))
})

test_that("base generics agree with the tables", {
  table <- estimates(fit)
  free <- table[table$status == "free", ]
  expect_equal(unname(coef(fit)), free$estimate)
  expect_equal(unname(sqrt(diag(vcov(fit)))), free$se)
  expect_equal(unname(confint(fit)), cbind(free$lower, free$upper))
  expect_equal(nrow(confint(fit, "effect[Belonging, Staying]", level = 0.9)), 1)
  expect_error(confint(fit, "effect[Belongin, Staying]"), text_pattern("did_you_mean"),
               class = "orizzonte_error_address")
  expect_equal(attr(logLik(fit), "df"), length(coef(fit)))
  expect_equal(df.residual(fit), 8 * 11 / 2 - length(coef(fit)))
  expect_equal(tidy(fit, conf.int = TRUE)$conf.low, table$lower)
  expect_equal(glance(fit)$statistic, deviance(fit))
  expect_equal(names(tidy(fit)), c("term", "kind", "estimate", "std.error", "statistic", "p.value",
                                   "standardized"))
})

test_that("implied and observed moments, and residuals between them, fit together", {
  seen <- observed(fit)$all
  model <- implied(fit)$all
  used <- complete_choirs(colnames(seen$covariance))
  dropped <- quiet_fit(fit$request$blueprint, choirs, incomplete = "drop")
  expect_equal(observed(dropped)$all$covariance, cov(used) * (nrow(used) - 1) / nrow(used),
               ignore_attr = TRUE)
  expect_equal(implied(dropped)$all$mean, colMeans(used), tolerance = 1e-8)
  # with missing values they hang on the covariances, by a little
  expect_lt(max(abs(model$mean - seen$mean) / sqrt(diag(seen$covariance))), 0.01)
  raw <- residuals(fit)$all$covariance
  expect_equal(raw, seen$covariance - model$covariance)
  sd <- sqrt(diag(seen$covariance))
  expect_equal(residuals(fit, in_units = "correlation")$all$covariance, raw / outer(sd, sd))
  largest <- residuals(fit, in_units = "correlation", largest = 3)
  expect_equal(nrow(largest), 3)
  expect_false(is.unsorted(-abs(largest$residual)))
  expect_match(largest$meaning, text_pattern("than_model_implies"))
  expect_output(print(largest), "greet me")
  expect_error(residuals(fit, in_units = "covarance"), class = "orizzonte_error_input")
  expect_error(residuals(fit, largest = 0), class = "orizzonte_error_input")
  expect_error(residuals(fit, largst = 5), text_pattern("has_no_argument", strange = "`largst`"),
               class = "orizzonte_error_input")
})

test_that("equations give the estimates and the kind of each variable", {
  text <- equations(fit)
  expect_match(text$equation[text$variable == "Staying"],
               paste0("Staying = ", format_number(coef(fit)[["effect[Belonging, Staying]"]]),
                      " Belonging"))
  expect_identical(text$kind[1], "construct")
  expect_output(print(text), paste0(text_pattern("nothing_points_at"), ".*Belonging.*years"))
})

test_that("explained variance is one minus the standardized residual variance", {
  table <- estimates(fit)
  r <- r_squared(fit)
  expect_equal(r$r_squared,
               1 - table$standardized[match(paste0("variance[", r$variable, "]"), table$parameter)])
  expect_setequal(r$kind, c("item", "construct"))
})

test_that("summary says everything in order and survives saving", {
  text <- paste(capture.output(print(summary(fit))), collapse = "\n")
  positions <- vapply(c("The solution is proper", "Exact fit", "have missing values", "Fit indices",
                        "Defaults", "Counts", "Estimates", "Explained variance",
                        "Largest residuals", "Next:"),
                      function(part) regexpr(part, text, fixed = TRUE), 0L)
  expect_true(all(positions > 0))
  expect_false(is.unsorted(positions))
  file <- tempfile(fileext = ".rds")
  saveRDS(fit, file)
  expect_equal(estimates(readRDS(file)), estimates(fit))
})

test_that("readers refuse what is no fit", {
  for (reader in list(estimates, fit_indices, r_squared, equations, implied, observed,
                      path_diagram)) {
    expect_error(reader(lm(be1 ~ be2, choirs)), text_pattern("reads_fitted_model"),
                 class = "orizzonte_error_input")
  }
  expect_error(estimates(fit, level = 95), class = "orizzonte_error_input")
})

test_that("prints survive when other packages drop columns or attributes", {
  expect_output(print(estimates(fit)[, c("parameter", "estimate")]), "loading")
  expect_output(print(fit_indices(fit)[1:3, ]), "df")
  expect_output(print(r_squared(fit)[, 1:2]), "Staying")
})

test_that("a fit that did not converge stays readable and marked", {
  stuck <- fit
  stuck$solution$status <- 1L
  stuck <- stamped(stuck)
  expect_output(print(stuck), text_pattern("numbers_below_are_where"))
  expect_output(print(summary(stuck)), text_pattern("not_converged"))
  expect_warning(warn_about(stuck), class = "orizzonte_warning_convergence")
})
