# Analytic derivatives against numerical ones, at random points, with feedback, means, equalities
# and two groups.

feedback_layout <- function() {
  bp <- blueprint("Feedback") |>
    construct("Fast", reflected_in = c(y1, y2, y3)) |>
    construct("G", reflected_in = c(y4, y5, y3)) |>
    construct("H", reflected_in = c(y6, y7, y8), scale = "average") |>
    effect(Fast ~ G + x1) |>
    effect(G ~ Fast + x2) |>
    effect(z ~ Fast + y1) |>
    covary(z, x2) |>
    covary(y1, y4) |>
    restrict(loading[Fast, y2] == loading[G, y5])
  table <- build_layout(bp, means = TRUE)
  core_model(table, keep_means = TRUE)
}

two_groups <- function(layout) {
  q <- layout$parameters
  size <- length(layout$family)
  out <- layout
  for (name in c("observed", "variables", "places", "ranks", "family", "row", "col", "constant"))
    out[[name]] <- rep(layout[[name]], 2)
  out$group <- rep(1:2, each = size)
  out$map_entry <- c(layout$map_entry, layout$map_entry + size)
  # the first half of the parameters is held equal across groups, the rest belongs to the second
  # group alone
  shared <- seq_len(q %/% 2)
  second <- ifelse(layout$map_parameter %in% shared, layout$map_parameter,
                   layout$map_parameter + q - length(shared))
  out$map_parameter <- c(layout$map_parameter, second)
  out$map_weight <- rep(layout$map_weight, 2)
  out$parameters <- 2L * q - length(shared)
  out
}

random_sample <- function(p, n) {
  x <- matrix(rnorm(40 * p), 40) %*% matrix(rnorm(p * p, sd = 0.4), p) + rnorm(40)
  list(n = n, covariance = crossprod(scale(x, scale = FALSE)) / 40, mean = rnorm(p))
}

test_that("score, expected and observed information agree with numerical derivatives to six digits",
          {
  set.seed(11)
  one <- feedback_layout()
  for (layout in list(one, two_groups(one))) {
    groups <- length(layout$observed)
    sample <- lapply(seq_len(groups), function(g) random_sample(layout$observed[g], 100 * g))
    n <- sum(vapply(sample, `[[`, 0, "n"))
    points <- 0
    while (points < 3) {
      theta <- 0.3 + 0.3 * rnorm(layout$parameters)
      at <- core_evaluate(layout, sample, theta)
      if (!at$admissible) next
      value <- function(x) -n / 2 * core_evaluate(layout, sample, x)$discrepancy
      score <- tryCatch(numDeriv::grad(value, theta), error = function(e) NULL)
      if (is.null(score) || anyNA(score)) next
      points <- points + 1
      expect_lt(max(abs(at$score - score)) / max(abs(score)), 1e-6)
      hessian <- -numDeriv::jacobian(function(x) core_evaluate(layout, sample, x)$score, theta)
      expect_lt(max(abs(at$observed - hessian)) / max(abs(hessian)), 1e-6)
      # expected information is the observed one when sample moments equal the implied ones
      eta <- layout$constant
      for (i in seq_along(layout$map_entry)) {
        eta[layout$map_entry[i]] <- eta[layout$map_entry[i]] +
          layout$map_weight[i] * theta[layout$map_parameter[i]]
      }
      exact <-
        Map(function(m, s, p) {
          list(n = s$n, covariance = m$covariance[seq_len(p), seq_len(p)],
               mean = m$mean[seq_len(p)])
        },
            core_implied(layout, eta), sample, layout$observed)
      there <- core_evaluate(layout, exact, theta)
      expect_lt(max(abs(there$observed - there$expected)) / max(abs(there$expected)), 1e-9)
      expect_lt(max(abs(there$expected - at$expected)) / max(abs(there$expected)), 1e-9)
      expect_lt(max(abs(there$score)), 1e-8 * n)
    }
  }
})

test_that("the engine\'s gradients agree with numerical derivatives, with feedback and means", {
  set.seed(12)
  layout <- feedback_layout()
  theta <- 0.4 + 0.2 * rnorm(layout$parameters)
  eta_of <- function(x) {
    eta <- layout$constant
    for (i in seq_along(layout$map_entry)) {
      eta[layout$map_entry[i]] <- eta[layout$map_entry[i]] +
        layout$map_weight[i] * x[layout$map_parameter[i]]
    }
    eta
  }
  variances <-
    unique(layout$map_parameter[layout$map_entry %in%
                                which(layout$family == 1L & layout$row == layout$col)])
  theta[variances] <- 1 + runif(length(variances))
  entries <- seq_along(layout$family)
  pairs <- which(lower.tri(diag(layout$variables)), arr.ind = TRUE)
  codes <- quantity_codes
  what <- c(rep(codes[c("entry", "standardized")], each = length(entries)),
            rep(codes[-(1:2)], each = nrow(pairs)))
  a <- as.integer(c(entries, entries, rep(pairs[, 1], 7)))
  b <- as.integer(c(entries, entries, rep(pairs[, 2], 7)))
  b[seq_len(2 * length(entries))] <- 1L
  plain <- list(seq_len(layout$variables) %in% 2L)
  read <- function(x) {
    core_derive(layout, eta_of(x), what, rep(1L, length(a)), a, b, plain,
                matrix(0, 0, 0))
  }
  at <- read(theta)
  numeric <- numDeriv::jacobian(function(x) read(x)$value, theta)
  known <- is.finite(at$value)
  expect_gt(mean(known), 0.9)
  expect_equal(at$gradient[known, ], numeric[known, ], tolerance = 1e-6)
  vcov <- diag(runif(length(theta)))
  with_errors <- core_derive(layout, eta_of(theta), what, rep(1L, length(a)), a, b, plain, vcov)
  expect_equal(with_errors$se[known]^2, diag(numeric[known, ] %*% vcov %*% t(numeric[known, ])),
               tolerance = 1e-6)
})

test_that("two groups with all parameters shared equal one fit of the pooled information", {
  data <- complete_choirs(paste0("be", 1:4))
  layout <- build_layout(blueprint("B") |> construct("B", reflected_in = be1:be4),
                         means = FALSE)$model
  half <- sample_of(data)[[1]]
  single <- core_fit(layout, list(half), numeric(), 2L)
  double <- layout
  size <- length(layout$family)
  for (name in c("observed", "variables", "places", "ranks", "family", "row", "col", "constant",
                 "map_parameter", "map_weight")) double[[name]] <- rep(layout[[name]], 2)
  double$group <- rep(1:2, each = size)
  double$map_entry <- c(layout$map_entry, layout$map_entry + size)
  second <- layout$scales[[1]]
  second$group <- 2L
  for (name in c("marker", "variance", "loadings")) second[[name]] <- second[[name]] + size
  double$scales <- list(layout$scales[[1]], second)
  both <- core_fit(double, list(half, half), numeric(), 2L)
  expect_equal(both$theta, single$theta, tolerance = 1e-7)
  expect_equal(both$vcov, single$vcov / 2, tolerance = 1e-6)
})

test_that("the information of groups in blocks gives what the whole gives", {
  data <- choirs[stats::complete.cases(choirs[paste0("be", 1:4)]), ]
  bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)
  for (hold in list(NULL, "loading", c("loading", "intercept", "variance[items]"))) {
    for (by in c("setting", "town")) {
      fit <- quiet_fit(bp, data, by = all_of(by), hold = hold)
      moments <- core_moments(fit)
      whole <- core_evaluate(fit$layout$model, moments, core_theta(fit))$expected
      # the last step, of 1e-6 standard errors at most, comes after them
      expect_equal(core_vcov(fit), solve(whole), tolerance = 1e-6)
      expect_equal(core_errors(fit$layout$model, moments, core_theta(fit)), core_vcov(fit),
                   tolerance = 1e-6)
      lean <- core_fit(fit$layout$model, moments, numeric(), 2L, FALSE)
      expect_equal(dim(lean$vcov), c(0L, 0L))
      expect_equal(lean$theta, core_theta(fit), tolerance = 1e-9)
      expect_equal(lean$inflation, diag(solve(whole)) * diag(whole), tolerance = 1e-6)
    }
  }
})

test_that("a pivoted root is that of R, and what does not fit together is refused", {
  set.seed(3)
  for (rank in c(1L, 40L, 100L)) {
    x <- matrix(rnorm(rank * 100L), rank)
    correlation <- stats::cov2cor(crossprod(x) + 1e-3 * (rank == 100L) * diag(100L))
    oracle <- suppressWarnings(chol(correlation, pivot = TRUE, tol = 1e-10))
    found <- core_pivoted_root(correlation, 1e-10)
    expect_equal(nrow(found$root), attr(oracle, "rank"))
    own <- crossprod(found$root)[order(found$pivot), order(found$pivot)]
    expect_equal(own, correlation, tolerance = 1e-10)
    if (rank > 1L) expect_identical(found$pivot, attr(oracle, "pivot"))
  }
  pattern <- list(n = 3, covariance = diag(2), mean = c(0, 0), variables = 1:2)
  expect_equal(core_pattern_deviance(list(pattern), diag(2), c(0, 0)), 6 * log(2 * pi) + 6)
  for (wrong in list(quote(core_pivoted_root(matrix(1, 2, 3), 1e-10)),
                     quote(core_pattern_deviance(list(pattern), diag(2), 1)),
                     quote(core_pattern_deviance(list(pattern), diag(1), 1)),
                     quote(core_pattern_deviance(3, diag(2), c(0, 0))),
                     quote(core_single_deviance(list(pattern), 2L, 3L)),
                     quote(core_single_deviance(list(pattern), 2L, 0L))))
    expect_error(eval(wrong), class = "orizzonte_error_object")
})
