# Influence against refits without each case; robustness against refits by hand.

bp <- blueprint("Calm and belonging") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4) |> effect(Calm ~ Belonging)
quietly <- function(code) suppressWarnings(suppressMessages(code))

test_that("one step tells what leaving a case out does", {
  for (how in c("drop", "keep")) {
    data <- choirs[1:150, ]
    fit <- quiet_fit(bp, data, incomplete = how)
    found <- influence(fit, top = 4)
    rows <- found$row[1:12]
    real <- lapply(rows, function(r) quietly(refit(fit, data = data[-r, ])))
    chisq <- vapply(real, deviance, 0) - deviance(fit)
    expect_lt(max(abs(found$chisq_change[1:12] - chisq)), 0.25)
    moved <- t(vapply(real, coef, coef(fit))) - rep(coef(fit), each = 12)
    se <- sqrt(diag(vcov(fit)))
    expect_lt(max(abs(attr(found, "changes")[1:12, ] - moved) / rep(se, each = 12)), 0.12)
    expect_equal(found$actual_chisq_change[1:4], chisq[1:4], tolerance = 1e-4)
    at <- cbind(1:4, match(found$largest[1:4], names(coef(fit))))
    expect_equal(found$actual_change[1:4], unname(moved[at] / se[at[, 2]]), tolerance = 1e-3)
  }
})

test_that("all one-step changes add up to nothing, and groups, clusters and weights are kept apart",
          {
  fit <- quiet_fit(bp, choirs, incomplete = "drop")
  found <- influence(fit, top = 0)
  expect_equal(nrow(found), nobs(fit))
  expect_lt(max(abs(colSums(attr(found, "changes"))) / sqrt(diag(vcov(fit)))), 1e-4)
  expect_true(all(found$distance >= 0) && !is.unsorted(-found$distance))
  groups <- influence(quiet_fit(bp, choirs, by = "setting"), top = 2)
  expect_setequal(groups$group, c("evening", "weekend"))
  data <- choirs
  data$class <- paste("class", rep(1:60, each = 12))
  clustered <- quietly(fit_model(bp, data, clusters = class))
  found <- influence(clustered, top = 3)
  expect_identical(nrow(found), 60L)
  gone <- which(data$class == found$cluster[1])
  real <- quietly(refit(clustered, data = data[-gone, ]))
  expect_equal(found$actual_chisq_change[1], deviance(real) - deviance(clustered), tolerance = 1e-4)
  expect_lt(abs(found$chisq_change[1] - (deviance(real) - deviance(clustered))), 3)
  expect_error(influence(quietly(fit_model(blueprint("B") |> construct("B", reflected_in = be1:be3),
                                           summary_data(cov(complete_choirs(c("be1", "be2",
                                                                              "be3"))), 300)))),
               class = "orizzonte_error_data")
})

test_that("what is held by equations and bounds does not move", {
  held <- restrict(bp, loading[Calm, sc2] == loading[Calm, sc3], effect[Belonging, Calm] == 0.3)
  fit <- quiet_fit(held, choirs[1:200, ], incomplete = "drop")
  found <- influence(fit, top = 1)
  expect_lt(abs(found$chisq_change[1] - found$actual_chisq_change[1]), 0.3)
  equation <- restrict(bp, loading[Calm, sc2] * loading[Calm, sc4] == 0.5)
  fit <- quiet_fit(equation, choirs[1:200, ], incomplete = "drop")
  found <- influence(fit, top = 1)
  expect_lt(abs(found$largest_change[1] - found$actual_change[1]), 0.15)
})

test_that("a parameter at its bound has no influence on it, and hides none", {
  fit <- quiet_fit(restrict(bp, loading[Calm, sc2] >= 1.3), choirs[1:200, ], incomplete = "drop")
  expect_identical(estimates(fit)$status[estimates(fit)$parameter == "loading[Calm, sc2]"],
                   "at bound")
  found <- influence(fit, top = 1)
  expect_false(anyNA(found$largest_change))
  expect_false("loading[Calm, sc2]" %in% found$largest)
  expect_lt(abs(found$largest_change[1] - found$actual_change[1]), 0.15)
})

test_that("robustness refits every defensible analysis, and says on what a claim rests", {
  model <- effect(bp, Calm ~ years) |> claim(H1 = effect[Belonging, Calm] > 0)
  fit <- quietly(amend(quiet_fit(model, choirs), free = covariance[be1, be2], because = "one stem"))
  found <- robustness(fit)
  expect_setequal(found$kind, c("itself", "amendments", "items", "inference", "rows", "controls"))
  first <- found[1, ]
  expect_identical(first$analysis, "as fitted")
  expect_equal(first$estimate, coef(fit)[["effect[Belonging, Calm]"]])
  by_hand <- list(`not: free covariance[be1, be2]` = quiet_fit(model, choirs),
                  `robust inference` = quietly(refit(fit, inference = "robust")),
                  `incomplete cases dropped` = quietly(refit(fit, incomplete = "drop")),
                  `without item sc3` = quietly(refit(fit,
                                                     blueprint = leave_out(fit$request$blueprint,
                                                                           sc3))),
                  `without years` = quietly(refit(fit, blueprint = leave_out(fit$request$blueprint,
                                                                             years))))
  for (name in names(by_hand)) {
    row <- found[found$analysis == name, ]
    judged <- verdicts(by_hand[[name]])
    expect_equal(row$estimate, judged$estimate, tolerance = 1e-5)
    expect_equal(row$p, judged$p, tolerance = 1e-4)
    expect_identical(row$verdict, judged$verdict)
    expect_equal(row$chisq, index_value(by_hand[[name]], "chisq"), tolerance = 1e-5)
  }
  expect_true(all(found$same))
  stated <- robustness(fit, c(H9 = "effect[years, Calm] > 5"), choices = "rows")
  expect_identical(unique(stated$claim), "H9")
  expect_error(robustness(quiet_fit(bp, choirs)), class = "orizzonte_error_input")
  expect_error(robustness(fit, "H7"), class = "orizzonte_error_name")
  expect_error(robustness(fit, c(H = "1 +")), class = "orizzonte_error_restriction")
  expect_error(robustness(fit, choices = "everything"), class = "orizzonte_error_input")
})

test_that("influence, comparisons and stability do not depend on the units of the items", {
  bp <- blueprint("Units") |>
    construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = c(sc1, sc2, sc3, sc4))
  far <- choirs
  far$be1 <- far$be1 * 1e6
  far$sc1 <- far$sc1 * 1e-6
  fits <- lapply(list(choirs, far), function(data) suppressMessages(fit_model(bp, data)))
  found <- lapply(fits, influence, top = 1)
  for (column in c("row", "distance", "chisq_change", "largest", "largest_change",
                   "actual_chisq_change"))
    expect_equal(found[[1L]][[column]], found[[2L]][[column]], tolerance = 1e-5)
  stable <- lapply(fits, constancy, along = choirs$years)
  expect_equal(stable[[1L]]$statistic, stable[[2L]]$statistic, tolerance = 1e-5)
  vuong <- lapply(fits, function(fit) {
    other <- refit(fit, blueprint = covary(uncorrelate(bp, Belonging, Calm), be1, sc1))
    unlist(suppressMessages(compare_models(a = fit, b = other))[2L, c("distinguishable_p",
                                                                      "vuong_z", "vuong_p")])
  })
  expect_false(anyNA(vuong[[1L]]))
  expect_equal(vuong[[1L]], vuong[[2L]], tolerance = 1e-5)
})
