# 25 cases of noise: the estimate of variance[Q] is negative, so that nothing of Q has a
# standardized value.
noise <- function(seed, items = 9L, common = 0.4) {
  set.seed(seed)
  out <- as.data.frame(matrix(rnorm(25 * items), 25) + rnorm(25) * common)
  names(out) <- utils::head(c(paste0("p", 1:3), paste0("q", 1:3), paste0("r", 1:3)), items)
  out
}
two <- blueprint("Noise") |>
  construct("P", reflected_in = p1:p3) |>
  construct("Q", reflected_in = q1:q3)
quiet_fit <- function(...) suppressWarnings(suppressMessages(fit_model(...)))
structural <- quiet_fit(two |> construct("R", reflected_in = r1:r3) |> effect(Q ~ P) |>
                          effect(R ~ Q) |>
                          claim(H1 = effect[P, Q] > 0, H2 = correlation[P, Q] > 0,
                                H3 = correlation[P, Q] == 0, H4 = correlation[P, R] < 1),
                        noise(7))

# Fails where an expression raises an error or a warning of R itself instead of one of the package.
expect_no_raw_condition <- function(expr) {
  raw <- NULL
  note <- function(w) {
    if (inherits(w, "simpleWarning")) raw <<- conditionMessage(w)
    invokeRestart("muffleWarning")
  }
  tryCatch(withCallingHandlers(suppressMessages(utils::capture.output(expr)), warning = note),
           error = function(e) if (!inherits(e, "orizzonte_error")) raw <<- conditionMessage(e))
  expect_null(raw)
}

test_that("a negative variance of a construct leaves its claims without a standardized value", {
  at <- estimates(structural)
  q <- at$estimate[at$parameter == "variance[Q]"]
  expect_lt(q, 0)
  found <- verdicts(structural)
  expect_identical(found$verdict[2:3], c("not_judged", "not_judged"))
  expect_true(all(is.na(found$estimate[2:3])))
  expect_identical(found$criterion[2L], text_of("claim_undefined"))
  # the plain effect has its test, and so has a correlation of the two others
  expect_identical(is.na(found$standardized), c(TRUE, TRUE, TRUE, TRUE))
  expect_identical(is.na(found$p[c(1L, 4L)]), c(FALSE, FALSE))
  expect_no_raw_condition(print(found))
  expect_no_raw_condition(print(summary(structural)))
})

test_that("measures of constructs keep pairs that have no correlation", {
  quality <- construct_quality(structural)
  pairs <- as.data.frame(quality$pairs)
  with_q <- pairs$first == "Q" | pairs$second == "Q"
  expect_identical(nrow(pairs), 3L)
  expect_true(all(is.na(pairs$correlation[with_q])))
  shared <- pairs$correlation[!with_q]^2
  expect_equal(quality$table$largest_shared, c(shared, NA, shared))
  expect_identical(quality$table$shared_with, c("R", NA, "P"))
  expect_no_raw_condition(print(quality))
  expect_no_raw_condition(print(ggplot2::ggplot_build(plot(quality))$plot$labels))
})

test_that("a figure of loadings names the constructs that have no standardized ones", {
  figure <- loading_plot(structural)
  expect_match(figure$labels$caption, text_pattern("no_standardized_loadings", names = "Q"))
  expect_no_raw_condition(ggplot2::ggplot_gtable(ggplot2::ggplot_build(figure)))
  # intervals beyond 1 lie within the axis, which has labels there
  built <- ggplot2::ggplot_build(figure)$layout$panel_params[[1L]]$x
  expect_gt(built$limits[2L], 1)
  expect_gt(max(built$breaks, na.rm = TRUE), 1)
  expect_equal(share_breaks(c(0, 1)), seq(0, 1, 0.2))
  expect_equal(share_breaks(c(-0.35, 2.15)), seq(0, 2, 0.5))
  expect_equal(share_breaks(c(-2.68, 2.4)), -2:2)
})

test_that("amendments of improper solutions raise no warning of R's own", {
  for (seed in c(4, 7)) {
    fit <- quiet_fit(two, noise(seed, 6L, 0.5))
    expect_no_raw_condition(amendments(fit))
  }
})

test_that("one negative variance does not hide what else is improper", {
  fixed <- two |> construct("R", reflected_in = r1:r3) |> restrict(variance[Q] == -0.01) |>
    restrict(variance[P] == 0.1) |> restrict(variance[R] == 0.1) |>
    restrict(covariance[P, R] == 0.12) |> restrict(covariance[P, Q] == 0) |>
    restrict(covariance[Q, R] == 0)
  troubles <- improper_parts(quiet_fit(fixed, noise(3)))
  expect_true(all(c("variance[Q]", "correlation[P, R]") %in% troubles$parameter))
  expect_equal(troubles$value[troubles$parameter == "correlation[P, R]"], 1.2)
})

test_that("scores and differences of items are missing where a construct has a negative variance", {
  expect_no_raw_condition(scores <- predict(structural, se.fit = TRUE))
  expect_true(all(is.na(scores$determinacy[, "Q"])))
  expect_true(all(scores$determinacy[, c("P", "R")] > 0))
  expect_false(anyNA(scores$fit))
  expect_no_raw_condition(augment(structural))
  expect_no_raw_condition(print(mediation(structural, "P", "R")))
  groups <- rbind(noise(4), noise(1))
  groups$half <- rep(c("a", "b"), each = 25L)
  fit <- quiet_fit(two, groups, by = half)
  negative <- estimates(fit)$estimate[estimates(fit)$parameter == "variance[Q | b]"]
  expect_lt(negative, 0)
  expect_no_raw_condition(found <- noninvariance(fit))
  unsigned <- found$d_unsigned[match(c("p2", "q2"), found$item)]
  expect_identical(is.na(unsigned), c(FALSE, TRUE))
  expect_identical(real_root(c(a = 4, b = 0, c = -1, d = NA)), c(a = 2, b = 0, c = NA, d = NA))
})
