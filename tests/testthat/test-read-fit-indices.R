items <- c(paste0("be", 1:4), paste0("sc", 1:4))
data <- complete_choirs(items)[items]
bp <- blueprint("Two") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4)

# The log-likelihood of raw rows from the density of each.
by_density <- function(x, mean, sigma) {
  gaps <- t(as.matrix(x)) - mean
  -0.5 * sum(length(mean) * log(2 * pi) + as.numeric(determinant(sigma)$modulus) +
               colSums(gaps * solve(sigma, gaps)))
}

test_that("log-likelihoods are those of the data, whatever the multiplier", {
  for (multiplier in c("n", "n-1")) {
    fit <- fit_model(bp, data, multiplier = multiplier)
    value <- function(name) fit_indices(fit)$value[fit_indices(fit)$index == name]
    sigma <- implied(fit)[[1]]$covariance[items, items]
    expect_equal(value("loglik"), by_density(data, colMeans(data), sigma), tolerance = 1e-10)
    expect_equal(as.numeric(logLik(fit)), value("loglik"))
    n <- nrow(data)
    s <- cov(data) * if (multiplier == "n") (n - 1) / n else 1
    expect_equal(value("loglik_saturated"), by_density(data, colMeans(data), s),
                 tolerance = 1e-10)
    expect_equal(value("loglik_baseline"), by_density(data, colMeans(data), diag(diag(s))),
                 tolerance = 1e-10)
    expect_equal(AIC(fit), value("aic"))
    expect_equal(BIC(fit), value("bic"))
    expect_equal(value("aic"), -2 * value("loglik") + 2 * length(coef(fit)))
  }
})

test_that("structured means and groups count in log-likelihoods, too", {
  grouped <- cbind(data, g = rep(c("a", "b"), length.out = nrow(data)))
  fit <- fit_model(hold_equal(bp, loading, intercept), grouped, by = g, multiplier = "n-1")
  by_hand <- sum(vapply(c("a", "b"), function(g) {
    at <- implied(fit)[[g]]
    by_density(data[grouped$g == g, ], at$mean[items], at$covariance[items, items])
  }, 0))
  expect_equal(as.numeric(logLik(fit)), by_hand, tolerance = 1e-10)
})

test_that("the critical N is the largest sample that is not significant", {
  for (multiplier in c("n", "n-1")) {
    fit <- fit_model(bp, data, multiplier = multiplier)
    n <- fit_indices(fit)$value[fit_indices(fit)$index == "critical_n"]
    less <- if (multiplier == "n") 0 else 1
    chisq_at <- function(n) deviance(fit) / (nrow(data) - less) * (n - less)
    limit <- qchisq(0.95, df.residual(fit))
    expect_lte(chisq_at(n), limit)
    expect_gt(chisq_at(n + 1), limit)
  }
})

test_that("readers live with items measured on scales 1e12 apart", {
  unit <- 10^seq(-6, 6, length.out = length(items))
  wide <- as.data.frame(sweep(as.matrix(data), 2, unit, `*`))
  plain <- fit_model(bp, data)
  fit <- fit_model(bp, wide)
  expect_equal(deviance(fit), deviance(plain), tolerance = 1e-8)
  expect_equal(fit_indices(fit)$value[1:28], fit_indices(plain)$value[1:28], tolerance = 1e-6,
               ignore_attr = TRUE)
  expect_output(print(summary(fit)), "Fit indices")
  expect_equal(glance(fit)$cfi, glance(plain)$cfi, tolerance = 1e-8)
  for (method in c("regression", "bartlett")) {
    expect_equal(predict(fit, method = method)$Calm / unit[5],
                 predict(plain, method = method)$Calm, tolerance = 1e-6)
  }
  freed <- fit_model(covary(bp, be1, be2), wide)
  expect_identical(compare_models(fit, freed)$nested, c(NA, "yes"))
  expect_equal(without(fit, covariance[Belonging, Calm])$wald,
               without(plain, covariance[Belonging, Calm])$wald, tolerance = 1e-6)
  expect_equal(amendments(fit, top = 0)$modification_index[1:5],
               amendments(plain, top = 0)$modification_index[1:5], tolerance = 1e-6)
  expect_equal(suppressMessages(rescue(bp, wide))$attempts,
               suppressMessages(rescue(bp, data))$attempts, tolerance = 1e-6)
  # by hand: the diagonal of the inverse correlations
  screen <- screen_data(wide)
  expect_equal(screen$columns$inflation, unname(diag(solve(cor(data)))), tolerance = 1e-6)
  expect_equal(screen$columns$sd / unit, screen_data(data)$columns$sd, tolerance = 1e-10)
  expect_equal(screen$normality, screen_data(data)$normality, tolerance = 1e-6)
})

test_that("no function solves with a matrix that is not in its own units", {
  folder <- Filter(dir.exists, c("../../R", "../../../R"))[1L]
  skip_if(is.na(folder), "the sources are not beside the tests")
  solves <- function(e) {
    is.call(e) && (identical(e[[1L]], quote(solve)) || any(vapply(as.list(e), solves, NA)))
  }
  files <- list.files(folder, "[.]R$", full.names = TRUE)
  found <- vapply(files, function(file) any(vapply(parse(file), solves, NA)), NA)
  expect_identical(basename(files[found]), "base-inference.R")
})

test_that("a reading starts from the status, and few degrees of freedom or cases are said", {
  r <- matrix(0.5, 3, 3, dimnames = list(c("p", "q", "r"), c("p", "q", "r")))
  r[1, 2:3] <- r[2:3, 1] <- 0.8
  diag(r) <- 1
  bp <- blueprint("P") |> construct("P", reflected_in = c(p, q, r)) |>
    restrict(loading[P, q] == loading[P, r])
  improper <- suppressWarnings(fit_model(bp, summary_data(r, 300)))
  reading <- attr(fit_indices(improper), "reading")
  expect_match(reading, text_pattern("solution_is_improper_mend", trouble = "variance[p] = -..."))
  expect_no_match(reading, text_pattern("look_estimates_next"))
  expect_match(reading, text_pattern("freedom_rmsea_says_little", df = "1 degree"))
  expect_output(print(summary(improper)), text_pattern("solution_is_improper_mend"))
  items <- blueprint("B") |> construct("B", reflected_in = be1:be4) |>
    construct("C", reflected_in = sc1:sc4)
  few <- quiet_fit(items, choirs[1:60, ])
  expect_match(attr(fit_indices(few), "reading"),
               text_pattern("fewer_than_5_each",
                            cases = text_of("cases_free_parameters", value = "",
                                            value_2 = nobs(few), free = 25)))
  groups <- rbind(choirs[choirs$setting == "evening", ],
                  utils::head(choirs[choirs$setting == "weekend", ], 50))
  fit <- quiet_fit(items, groups, by = "setting")
  n <- orizzonte:::cases_by_group(fit$sample)
  reading <- attr(fit_indices(fit), "reading")
  expect_match(reading, paste0("weekend: ", n[["weekend"]], " cases, 25 parameters"))
  expect_no_match(reading, "evening: ")
  many <- attr(fit_indices(quiet_fit(items, choirs)), "reading")
  expect_no_match(many, "says little|fewer than 5")
})
