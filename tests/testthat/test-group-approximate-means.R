# Approximate invariance over many groups: values of independent code on seeded data.

one <- blueprint("F") |> construct("F", reflected_in = x1:x5)
drawn <- many_groups(1)
fit <- quiet_fit(one, drawn$data, by = g)
found <- approximate_means(fit, reference = "g01")

test_that("means, variances and loss agree with independent code", {
  expect_equal(found$means$mean[1:5], c(0, -0.3755, 0.1711, -0.3649, 0.7547), tolerance = 1e-3)
  expect_equal(found$means$variance[1:5], c(1, 1.4293, 0.9389, 1.3703, 1.2412), tolerance = 1e-3)
  groups <- sprintf("g%02d", 1:20)
  own <- lapply(groups, function(g) standard_estimates(fit, "F", g))
  estimates <- list(loading = sapply(own, `[[`, "loading"),
                    intercept = sapply(own, `[[`, "intercept"), n = rep(200, 20))
  aligned <- align_groups(estimates)
  expect_equal(aligned$loss, 0.8065443, tolerance = 1e-6)
  expect_gt(cor(found$means$mean, drawn$mean), 0.98)
  # the gradient vanishes at the optimum and agrees with differences elsewhere
  par <- aligned$par + 0.1
  numeric <- vapply(seq_along(par), function(k) {
    step <- replace(numeric(length(par)), k, 1e-6)
    (alignment_at(estimates, par + step)$value - alignment_at(estimates, par - step)$value) / 2e-6
  }, 0)
  expect_equal(alignment_at(estimates, par)$gradient, numeric, tolerance = 1e-6)
  expect_lt(max(abs(alignment_at(estimates, aligned$par)$gradient)), 1e-5)
})

test_that("standard errors agree with independent code", {
  set.seed(77)
  mean <- c(0, rnorm(14, 0, 0.5))
  variance <- c(1, runif(14, 0.6, 1.6))
  loadings <- matrix(c(1, 0.9, 0.8, 0.9, 1), 5, 15)
  intercepts <- matrix(0, 5, 15)
  at <- sample(75, 8)
  intercepts[at] <- 0.5
  low <- sample(75, 8)
  loadings[low] <- loadings[low] - 0.3
  set.seed(501)
  data <- groups_of_items(mean, variance, intercepts, loadings, 200)
  fixed <- approximate_means(quiet_fit(one, data, by = g), reference = "g01")
  expect_equal(fixed$means$mean[2:5], c(-0.2217, 0.3412, 0.1235, 0.4485), tolerance = 1e-3)
  expect_equal(fixed$means$se[2:5], c(0.1162, 0.1100, 0.1325, 0.1172), tolerance = 2e-3)
})

test_that("parameters that differ are found, and few others", {
  flagged <- found$noninvariant[found$noninvariant$parameter == "intercept", ]
  truth <- drawn$differs[cbind(match(flagged$item, paste0("x", 1:5)),
                               match(flagged$group, sprintf("g%02d", 1:20)))]
  expect_gt(mean(flagged$differs[truth]), 0.6)
  expect_lt(mean(flagged$differs[!truth]), 0.02)
  expect_true(all(found$r_squared$r_squared <= 1))
  sets <- found$sets$F
  expect_setequal(unlist(sets), sprintf("g%02d", 1:20))
})

test_that("the scale and the reference do not change what is found", {
  unit <- approximate_means(quiet_fit(set_scale(one, "unit"), drawn$data, by = g), "g01")
  expect_equal(unit$means$mean, found$means$mean, tolerance = 1e-4)
  expect_equal(unit$means$se, found$means$se, tolerance = 1e-3)
  turned <- drawn$data
  turned[1:5] <- -turned[1:5]
  negative <- approximate_means(quiet_fit(one, turned, by = g), "g01")
  expect_equal(abs(negative$means$mean), abs(found$means$mean), tolerance = 1e-3)
  other <- approximate_means(fit, reference = "g05")
  own <- other$means$mean[match(found$means$group, other$means$group)]
  shifted <- (found$means$mean - found$means$mean[5]) / sqrt(found$means$variance[5])
  expect_equal(cor(own, shifted), 1, tolerance = 0.01)
})

test_that("means may be ranked from a boundary on", {
  expect_identical(rule_ranking(0.979, 0.1), "do_not_rank")
  expect_identical(rule_ranking(0.98, 0.1), "rank")
  expect_identical(rule_ranking(0.99, 0.1), "rank")
  expect_identical(rule_ranking(0.99, 0.101), "do_not_rank")
  expect_false(rule_too_different(0.25))
  expect_true(rule_too_different(0.251))
  expect_identical(rule_ranking(NA, 0), "do_not_rank")
  expect_equal(cases_to_rank(0.98, 200), 200)
  expect_gt(cases_to_rank(0.9, 200), 200)
  expect_true(is.na(cases_to_rank(-0.1, 200)))
})

test_that("ladders, structural models and figures work", {
  ladder <- suppressWarnings(suppressMessages(invariance(one, drawn$data, by = g)))
  expect_equal(approximate_means(ladder, "g01")$means, found$means, tolerance = 1e-6)
  expect_output(print(found), "may be\\s+ranked")
  expect_s3_class(plot(found), "ggplot")
  expect_s3_class(plot(found, show = "items"), "ggplot")
  expect_identical(nrow(as.data.frame(found)), 20L)
  bp <- blueprint("s") |> construct("Calm", reflected_in = sc1:sc4) |>
    construct("Staying", reflected_in = st1:st3)
  plain <- approximate_means(quiet_fit(bp, choirs, by = town))
  structural <- approximate_means(quiet_fit(effect(bp, Staying ~ Calm), choirs, by = town))
  expect_equal(structural$means$mean, plain$means$mean, tolerance = 1e-5)
  expect_identical(plain$reference, "Arden")
})

test_that("what has no answer is refused", {
  expect_error(approximate_means(fit, reference = "g99"), class = "orizzonte_error")
  expect_error(approximate_means(quiet_fit(one, drawn$data)), class = "orizzonte_error_input")
  held <- quiet_fit(hold_equal(one, loading), drawn$data, by = g)
  expect_error(approximate_means(held), class = "orizzonte_error_input")
  two <- drawn$data[drawn$data$g %in% c("g01", "g02"), ]
  expect_error(approximate_means(quiet_fit(one, two, by = g)), class = "orizzonte_error_input")
  pair <- blueprint("p") |> construct("A", reflected_in = c(be1, be2)) |>
    construct("B", reflected_in = sc1:sc4)
  expect_error(approximate_means(quiet_fit(pair, choirs, by = town)),
               class = "orizzonte_error_input")
})

test_that("a ladder of more than ten groups recommends it when the scalar rung fails", {
  shifted <- many_groups(3, groups = 12, share = 0.3, shift = 0.9)
  ladder <- suppressWarnings(suppressMessages(invariance(one, shifted$data, by = g)))
  expect_output(print(ladder), "approximate_means(ladder)", fixed = TRUE)
  few <- shifted$data[shifted$data$g %in% sprintf("g%02d", 1:10), ]
  small <- suppressWarnings(suppressMessages(invariance(one, few, by = g)))
  expect_no_match(paste(capture.output(print(small)), collapse = "\n"), "approximate_means")
})

test_that("distances of two groups are close to the least ones", {
  groups <- sprintf("g%02d", 1:6)
  own <- lapply(groups, function(g) standard_estimates(fit, "F", g))
  estimates <- list(loading = sapply(own, `[[`, "loading"),
                    intercept = sapply(own, `[[`, "intercept"), n = rep(200, 6))
  vcov <- lapply(own, `[[`, "vcov")
  for (h in 2:6) {
    least <- optim(c(0, 0), function(par) {
      slope <- estimates$loading[, h] * exp(-par[2])
      gap <- c(slope, estimates$intercept[, h] - par[1] * slope) -
        c(estimates$loading[, 1], estimates$intercept[, 1])
      turn <- rbind(cbind(diag(exp(-par[2]), 5), matrix(0, 5, 5)),
                    cbind(diag(-par[1] * exp(-par[2]), 5), diag(5)))
      drop(gap %*% solve(vcov[[1]] + turn %*% vcov[[h]] %*% t(turn), gap))
    }, control = list(reltol = 1e-10, maxit = 2000))$value
    found <- pair_distance(estimates, vcov, 1, h)
    expect_gte(found, least - 1e-6)
    expect_lt(found, least * 1.05 + 0.1)
  }
})
