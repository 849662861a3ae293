# Small incomplete data: a result, or an error with the reason, in every function.

tiny <- function(n, p, missing) {
  common <- stats::rnorm(n)
  out <- as.data.frame(replicate(p, common + stats::rnorm(n), simplify = FALSE),
                       col.names = c(paste0("be", 1:4), paste0("sc", 1:4))[seq_len(p)])
  out[matrix(stats::runif(n * p) < missing, n)] <- NA
  out
}
model_of <- function(data) {
  items <- names(data)
  bp <- blueprint("s") |> construct("A", reflected_in = all_of(items[seq_len(min(4,
                                                                                 length(items)))]))
  if (length(items) > 4) bp <- construct(bp, "B", reflected_in = all_of(items[-(1:4)]))
  bp
}
answers <- function(code) {
  found <- tryCatch(suppressWarnings(suppressMessages({
    utils::capture.output(print(code))
    "ok"
  })), error = identity)
  if (inherits(found, "condition")) expect_s3_class(found, "orizzonte_error") else
    expect_identical(found, "ok")
}

test_that("from 1 to 12 cases of 1 to 8 items, with any share of values missing", {
  set.seed(17)
  for (n in c(1:4, 6, 9, 12)) for (p in c(1, 2, 3, 8)) for (missing in c(.1, .4)) {
    data <- tiny(n, p, missing)
    answers(screen_data(data))
    answers(fit_model(model_of(data), data))
    answers(identification(model_of(data), data))
    answers(fit_model(model_of(data), collect_summary(data, model_of(data))))
  }
})

test_that("what is too little says how many complete cases there are", {
  data <- choirs[1:5, paste0("be", 1:4)]
  data[3, ] <- NA
  data[1, 1] <- NA
  bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)
  for (code in list(quote(fit_model(bp, data)), quote(identification(bp, data)),
                    quote(rescue(bp, data)), quote(screen_data(data)), quote(collect_summary(data,
                                                                                             bp))))
    answers(eval(code))
  set.seed(3)
  nine <- choirs[c(5, 17, 60, 118, 230, 377, 401, 590, 700), c(paste0("be", 1:4), paste0("sc",
                                                                                         1:4))]
  for (k in 1:7) nine[k, k] <- NA
  both <- bp |> construct("C", reflected_in = sc1:sc4)
  found <- tryCatch(fit_model(both, nine), error = identity)
  expect_s3_class(found, "orizzonte_error_data")
  expect_identical(found$reason, "degenerate")
  expect_match(rlang::cnd_message(found),
               text_pattern("there_are_too_few", variables = "8 variables", complete = "2",
                            value = "9"))
  answers(rescue(both, nine))
  answers(screen_data(nine))
})

test_that("columns that determine each other, with values missing elsewhere, are refused by name", {
  set.seed(4)
  data <- as.data.frame(matrix(stats::rnorm(1000), 200))
  names(data) <- letters[1:5]
  data$f <- data$d + data$e
  incomplete <- data
  incomplete[cbind(sample(200, 20), sample(3, 20, TRUE))] <- NA
  bp <- blueprint("x") |> construct("Factor", reflected_in = c(a, b, c, d, e, f))
  expect_error(fit_model(bp, incomplete), "d, e and f", class = "orizzonte_error_data")
  expect_error(fit_model(bp, data), "d, e and f", class = "orizzonte_error_data")
  copied <- incomplete
  copied$f <- copied$d
  expect_error(fit_model(bp, copied), class = "orizzonte_error_data")
  answers(screen_data(incomplete))
  answers(screen_data(copied))
  answers(fit_model(blueprint("x") |> construct("Factor", reflected_in = c(a, b, c, d)), incomplete,
                    auxiliary = c(e, f)))
})

test_that("replicates of few cases are counted as lost, not fatal", {
  data <- choirs[1:16, c(paste0("be", 1:4), paste0("sc", 1:4))]
  data[1, 1] <- data[2, 2] <- NA
  bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)
  fit <- suppressWarnings(quiet_fit(bp, data))
  boot <- suppressMessages(bootstrap_fit(fit, 30, seed = 1, interval = "percentile"))
  expect_length(boot$status, 30)
  expect_true(any(boot$kept))
  whole <- suppressWarnings(quiet_fit(bp |> construct("C", reflected_in = sc1:sc4), data))
  if (has_converged(whole)) {
    boot <- suppressMessages(bootstrap_fit(whole, 25, seed = 1, interval = "percentile"))
    expect_gt(sum(!boot$kept), 0)
  }
  sets <- simulate(quiet_fit(bp, choirs), 3, seed = 1, missing = .5)
  expect_length(sets, 3)
})

test_that("a group of a few cases is refused or estimated, never fatal", {
  bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)
  for (few in 1:8) {
    data <- choirs[choirs$setting == "evening", ][1:60, c("setting", paste0("be", 1:4))]
    data$setting <- ifelse(seq_len(60) <= few, "tiny", "large")
    data$be1[1] <- NA
    data$be2[30] <- NA
    answers(fit_model(bp, data, by = "setting"))
    answers(invariance(bp, data, by = "setting", rungs = "metric"))
    answers(screen_data(data, bp, by = setting))
  }
})

test_that("means far from zero neither change the fit nor are blamed on the model", {
  bp <- blueprint("two") |> construct("B", reflected_in = be1:be4) |>
    construct("C", reflected_in = sc1:sc4)
  fit <- quiet_fit(bp, choirs)
  expect_gt(sum(is.na(choirs[c(paste0("be", 1:4), paste0("sc", 1:4))])), 0)
  for (times in c(1e3, 1e6, 1e7)) {
    far <- choirs
    for (name in c(paste0("be", 1:4), paste0("sc", 1:4)))
      far[[name]] <- far[[name]] + round(times * stats::sd(far[[name]], na.rm = TRUE))
    moved <- quiet_fit(bp, far)
    expect_equal(deviance(moved), deviance(fit), tolerance = 1e-6)
    loadings <- grep("loading|variance", names(coef(fit)))
    expect_equal(coef(moved)[loadings], coef(fit)[loadings], tolerance = 1e-6)
    expect_equal(diag(vcov(moved))[loadings], diag(vcov(fit))[loadings], tolerance = 1e-5)
  }
})

test_that("predictors, composites, loops and equations do not depend on how far means are", {
  set.seed(3)
  n <- 400
  x <- stats::rnorm(n)
  f <- .5 * x + stats::rnorm(n)
  data <- data.frame(x = x, y1 = f + stats::rnorm(n), y2 = f + stats::rnorm(n),
                     y3 = f + stats::rnorm(n), z = .3 * f + stats::rnorm(n), w = stats::rnorm(n))
  data$h <- data$z + stats::rnorm(n)
  for (j in seq_along(data)) data[sample(n, 20), j] <- NA
  measured <- blueprint("m") |> construct("Factor", reflected_in = y1:y3)
  models <- list(measured |> effect(Factor ~ x) |> effect(z ~ Factor + x),
                 blueprint("p") |> effect(z ~ x + y1) |> effect(y1 ~ x + y2),
                 measured |> construct("R", composed_of = c(x, w)) |> effect(Factor ~ R, z ~ R +
                                                                             Factor),
                 measured |> construct("G", reflected_in = c(z, h)) |> effect(Factor ~ G + x,
                                                                              G ~ Factor + w),
                 measured |> effect(Factor ~ x) |> effect(z ~ Factor + x) |>
                   restrict(effect[Factor, z] == effect[x, Factor]^2))
  for (k in seq_along(models)) {
    bp <- models[[k]]
    fit <- quiet_fit(bp, data)
    robust <- quiet_fit(bp, data, inference = "robust")
    boot <- suppressMessages(bootstrap_fit(fit, 5, seed = 1, interval = "percentile"))
    top <- as.data.frame(amendments(fit, top = 0))[1:3, ]
    keep <- !grepl("intercept|mean", names(coef(fit)))
    for (times in if (k == 1L) c(1e4, 1e7) else 1e7) {
      far <- as.data.frame(Map(function(column, k) column + times * (1 + k / 10), data,
                               seq_along(data)))
      moved <- quiet_fit(bp, far)
      expect_lt(abs(deviance(moved) - deviance(fit)), 1e-5)
      expect_lt(max(abs(coef(moved) - coef(fit))[keep] / sqrt(diag(vcov(fit)))[keep]), 1e-5)
      expect_equal(diag(vcov(moved))[keep], diag(vcov(fit))[keep], tolerance = 1e-5)
      other <- quiet_fit(bp, far, inference = "robust")
      expect_equal(diag(vcov(other))[keep], diag(vcov(robust))[keep], tolerance = 1e-5)
      index <- fit_indices(robust)
      known <- !grepl("loglik|aic|bic|ecvi|deviance|likelihood", index$index)
      expect_equal(fit_indices(other)$value[known], index$value[known], tolerance = 1e-5)
      again <- suppressMessages(bootstrap_fit(moved, 5, seed = 1, interval = "percentile"))
      expect_equal(again$theta[, keep], boot$theta[, keep], tolerance = 1e-5)
      found <- as.data.frame(amendments(moved, top = 0))
      expect_equal(found$modification_index[match(top$parameter, found$parameter)],
                   top$modification_index, tolerance = 1e-5)
      # the intercepts are those of the data as they are: implied means equal the observed ones
      expect_equal(unname(unlist(lapply(moved$moments, `[[`, "mean"))),
                   unname(vapply(far[names(moved$moments[[1]]$mean)], mean, 0, na.rm = TRUE)),
                   tolerance = 1e-3)
    }
  }
})

test_that("where structured means cannot be moved, the column to blame is named", {
  set.seed(5)
  n <- 200
  z <- stats::rnorm(n)
  level <- stats::rnorm(n) + z
  data <- as.data.frame(lapply(0:3, function(t) level + t * .5 + stats::rnorm(n)),
                        col.names = paste0("w", 1:4))
  data$z <- z + 1e7
  data[1:20, 2] <- NA
  bp <- blueprint("growth") |> construct("Level", reflected_in = c(w1 = 1, w2 = 1, w3 = 1,
                                                                   w4 = 1)) |>
    effect(Level ~ z) |>
    restrict(intercept[w1] == 0, intercept[w2] == 0, intercept[w3] == 0, intercept[w4] == 0) |>
    relax(mean[Level])
  found <- tryCatch(quiet_fit(bp, data), error = identity)
  if (inherits(found, "error")) {
    expect_s3_class(found, "orizzonte_error_data")
    expect_match(conditionMessage(found), text_pattern("mean_is_standard_deviations"))
  } else {
    data$z <- z
    near <- quiet_fit(bp, data)
    expect_lt(abs(deviance(found) - deviance(near)), 1e-3)
  }
})

test_that("equal intercepts of groups with other standard deviations move together", {
  data <- choirs[c("setting", paste0("sc", 1:4))]
  bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
  near <- suppressMessages(invariance(bp, data, by = "setting"))
  data[-1] <- data[-1] + 1e7
  far <- suppressMessages(invariance(bp, data, by = "setting"))
  expect_equal(far$table$chisq, near$table$chisq, tolerance = 1e-6)
  data[-1] <- data[-1] / 1e3
  expect_equal(suppressMessages(invariance(bp, data, by = "setting"))$table$chisq, near$table$chisq,
               tolerance = 1e-6)
  predicted <- bp |> effect(Calm ~ years)
  data <- choirs[c("setting", "years", paste0("sc", 1:4))]
  fit <- quiet_fit(predicted, data, by = "setting", hold = c("loading", "intercept"))
  data[-1] <- data[-1] + 1e4
  moved <- quiet_fit(predicted, data, by = "setting", hold = c("loading", "intercept"))
  expect_equal(deviance(moved), deviance(fit), tolerance = 1e-6)
})
