# Objects as this form of fits keeps them, for tests/testthat/test-fit.R: run it again whenever
# `fit_format` (R/base-plain.R) goes up.
library(orizzonte)
data <- choirs[seq(1, 720, by = 4), c("setting", paste0("be", 1:4), paste0("st", 1:3))]
bp <- blueprint("Saved") |>
  construct("Belonging", reflected_in = be1:be4) |>
  construct("Staying", reflected_in = st1:st3) |>
  effect(Staying ~ Belonging)
quietly <- suppressMessages
fit <- quietly(fit_model(bp, data))
saved <- list(data = data, fit = fit, quality = construct_quality(fit),
              ladder = quietly(invariance(bp, data, by = "setting")),
              amended = quietly(amend(fit, free = covariance[be1, be2], because = "alike")),
              boot = quietly(bootstrap_fit(fit, reps = 20, seed = 1, interval = "percentile")))
dir.create("tests/testthat/fixtures", showWarnings = FALSE)
saveRDS(saved, "tests/testthat/fixtures/saved.rds", compress = "xz")
