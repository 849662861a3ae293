# Robust inference against its definitions: numerical scores of single cases, the explicit Gamma.

# Skewed and heavy-tailed; `shift` moves the means.
skewed_six <- function(n, seed, shift = 0) {
  set.seed(seed)
  f <- matrix(rexp(2 * n) - 1, n) %*% chol(matrix(c(1, 0.5, 0.5, 1), 2))
  x <- cbind(f[, 1] %o% c(1, 0.8, 0.9), f[, 2] %o% c(1, 1.2, 0.7)) + 0.8 * (rexp(6 * n) - 1)
  x <- sweep(x, 2, c(3, 0, -2, 10, 5, 1) + shift, "+")
  colnames(x) <- paste0("x", 1:6)
  x
}
punched <- function(x, share, seed) {
  set.seed(seed)
  x[matrix(runif(length(x)) < share, nrow(x))] <- NA
  x[rowSums(!is.na(x)) > 0, ]
}
two_constructs <- blueprint("Two") |> construct("A", reflected_in = x1:x3) |>
  construct("B", reflected_in = x4:x6)
quietly <- function(code) suppressWarnings(suppressMessages(code))
framed <- function(data) {
  out <- as.data.frame(do.call(rbind, data))
  out$g <- rep(letters[seq_along(data)], vapply(data, nrow, 0L))
  out
}
# the place of each coefficient among the oracle's parameters
oracle_places <- function(fit, o) {
  match(paste0("class", fit$layout$rows$class[fit$layout$leading]), o$model$labels)
}
expect_sandwich <- function(fit, data, ...) {
  o <- oracle_of_fit(fit)
  truth <- oracle_sandwich(o$model, o$theta, data, ...)
  order <- oracle_places(fit, o)
  expect_false(anyNA(order))
  size <- sqrt(diag(truth))[order]
  expect_lt(max(abs(unname(vcov(fit)) - truth[order, order]) / outer(size, size)), 1e-5)
}
traces_of <- function(fit, data) {
  o <- oracle_of_fit(fit)
  oracle_traces(o$model, o$theta, data)
}
alone <- skewed_six(180, 1)
# of four items only: their explicit matrices are small
two_groups_of <- list(skewed_six(150, 2)[, 1:4], skewed_six(110, 3, shift = 0.3)[, 1:4])
one_construct <- blueprint("One") |> construct("A", reflected_in = x1:x4)

test_that("complete data: sandwich errors and the scaled tests agree with explicit matrices", {
  skip_if_not_installed("numDeriv")
  fit <- quietly(fit_model(two_constructs, as.data.frame(alone), inference = "robust"))
  expect_sandwich(fit, list(alone))
  trace <- traces_of(fit, list(alone))
  plain <- deviance(fit)
  expect_equal(index_value(fit, "chisq_normal"), plain)
  expect_equal(index_value(fit, "chisq_inflation"), trace[1] / 8, tolerance = 1e-7)
  expect_equal(index_value(fit, "chisq"), plain * 8 / trace[1], tolerance = 1e-7)
  expect_equal(index_value(fit, "p"), pchisq(plain * 8 / trace[1], 8, lower.tail = FALSE),
               tolerance = 1e-6)
  both <- quietly(refit(fit, adjust = "mean and variance"))
  d <- trace[1]^2 / trace[2]
  expect_equal(index_value(both, "df_adjusted"), d, tolerance = 1e-7)
  expect_equal(index_value(both, "chisq"), plain * d / trace[1], tolerance = 1e-7)
  expect_equal(index_value(both, "p"), pchisq(plain * d / trace[1], d, lower.tail = FALSE),
               tolerance = 1e-6)
  expect_identical(index_value(both, "df"), 8)
  # few cases: the same sum over pairs of cases instead of moments
  few <- alone[1:24, ]
  small <- quietly(fit_model(two_constructs, as.data.frame(few), inference = "robust",
                             adjust = "mean and variance"))
  trace <- traces_of(small, list(few))
  expect_equal(index_value(small, "df_adjusted"), trace[1]^2 / trace[2], tolerance = 1e-6)
})

test_that("groups with equal loadings and intercepts: errors, tests, differences", {
  skip_if_not_installed("numDeriv")
  data <- framed(two_groups_of)
  robust <- function(hold, ...) {
    quietly(fit_model(holding(one_construct, hold), data, by = "g", inference = "robust", ...))
  }
  scalar <- robust(c("loading", "intercept"))
  metric <- robust("loading")
  for (fit in list(scalar, metric)) {
    expect_sandwich(fit, two_groups_of)
    trace <- traces_of(fit, two_groups_of)
    expect_equal(index_value(fit, "chisq_inflation"), trace[1] / df.residual(fit), tolerance = 1e-7)
    o <- oracle_of_fit(fit)
    spread <- core_moment_spread(fit$layout$model, core_moments(fit), core_theta(fit),
                                 core_cases(fit))
    left <- matrix(oracle_left(o$model, o$theta, two_groups_of), ncol = 2)
    expect_equal(spread$residual[[2]][1:10], left[1:10, 2], tolerance = 1e-4)
  }
  gap <- residuals(scalar)$a$mean["x2"]
  z <- residuals(scalar, in_units = "own_se")$a$mean["x2"]
  o <- oracle_of_fit(scalar)
  expect_equal(unname(gap / z), sqrt(oracle_left(o$model, o$theta, two_groups_of)[12]),
               tolerance = 1e-3)
  adjusted <- quietly(refit(scalar, adjust = "mean and variance"))
  trace <- traces_of(adjusted, two_groups_of)
  expect_equal(index_value(adjusted, "df_adjusted"), trace[1]^2 / trace[2], tolerance = 1e-6)
  # Satorra & Bentler (2001)
  c_d <- (traces_of(scalar, two_groups_of)[1] - traces_of(metric, two_groups_of)[1]) / 3
  table <- compare_models(metric, scalar)
  expect_equal(table$chisq_change[2], (deviance(scalar) - deviance(metric)) / c_d,
               tolerance = 1e-6)
  expect_equal(table$p_change[2], pchisq(table$chisq_change[2], 3, lower.tail = FALSE),
               tolerance = 1e-9)
  expect_output(print(table), text_pattern("is_corrected_itself_satorra"))
  # the same test on a ladder, and from anova()
  ladder <- quietly(invariance(one_construct, data, by = g, inference = "robust",
                               rungs = c("configural", "metric", "scalar")))
  expect_equal(ladder$table$chisq_change[3], table$chisq_change[2], tolerance = 1e-6)
  expect_equal(anova(metric, scalar)$chisq_change[2], table$chisq_change[2], tolerance = 1e-9)
  expect_true(all(c("chisq_normal", "chisq_inflation") %in% names(as.data.frame(ladder))))
})

test_that("the difference of mean and variance, and the one that cannot be negative", {
  skip_if_not_installed("numDeriv")
  x <- as.data.frame(alone)
  large <- quietly(fit_model(covary(two_constructs, x1, x4), x, inference = "robust"))
  small <- quietly(fit_model(two_constructs, x, inference = "robust"))
  # the larger model's weights at the smaller one's point: the same Sigma, its own slopes
  o <- oracle_of_fit(small)
  groups <- o$model$build(o$theta)
  v <- oracle_weight(groups[[1]]$sigma)
  rows <- scale(oracle_moment_rows(alone), scale = FALSE)
  gamma <- crossprod(rows) / nrow(alone)
  wide <- oracle_of_fit(small, "covariance[x1, x4]")
  part <- function(model, theta) {
    slopes <- numDeriv::jacobian(function(t) oracle_moments(model, t), theta)
    v %*% slopes %*% solve(t(slopes) %*% v %*% slopes, t(slopes) %*% v)
  }
  u <- part(wide$model, wide$theta) - part(o$model, o$theta)
  plain <- deviance(small) - deviance(large)
  found <- difference_at(small, large, plain, 1, FALSE)
  expect_equal(found$chisq, plain / sum(diag(u %*% gamma)), tolerance = 1e-5)
  adjusted <- lapply(list(large, small), function(f) {
    quietly(refit(f, adjust = "mean and variance"))
  })
  table <- compare_models(adjusted[[1]], adjusted[[2]])
  ug <- u %*% gamma
  d <- sum(diag(ug))^2 / sum(diag(ug %*% ug))
  expect_equal(table$chisq_change[2], plain * d / sum(diag(ug)), tolerance = 1e-5)
  # its scaling is never negative, whatever the 2001 form says
  expect_gt(sum(diag(ug)), 0)
})

test_that("missing values: errors, the test, and indices without their optimism", {
  skip_if_not_installed("numDeriv")
  data <- list(punched(two_groups_of[[1]], 0.15, 4), punched(two_groups_of[[2]], 0.2, 5))
  bp <- hold_equal(one_construct, loading)
  fit <- quietly(fit_model(bp, framed(data), by = g, inference = "robust"))
  expect_sandwich(fit, data)
  o <- oracle_of_fit(fit)
  saturated <- lapply(fit$sample$groups, function(group) group$blocks[[1]])
  truth <- oracle_incomplete(o$model, o$theta, data, saturated)
  mine <- incomplete_scalings(fit)[[1]]
  for (name in c("trace", "complete", "normal_bias", "robust_bias"))
    expect_equal(mine[[name]], truth[[name]], tolerance = 1e-5)
  expect_equal(unlist(mine$residual), truth$left_robust, tolerance = 1e-4)
  df <- df.residual(fit)
  n <- nobs(fit)
  expect_equal(index_value(fit, "chisq"), deviance(fit) * df / truth$trace, tolerance = 1e-5)
  expect_equal(index_value(fit, "rmsea"),
               sqrt(2 * max(truth$complete - truth$robust_bias / n, 0) / df), tolerance = 1e-5)
  normal <- quietly(refit(fit, inference = "normal"))
  expect_equal(unlist(incomplete_scalings(normal)[[1]]$residual), truth$left_normal,
               tolerance = 1e-4)
  gap <- residuals(normal)$b$covariance["x1", "x3"]
  z <- residuals(normal, in_units = "own_se")$b$covariance["x1", "x3"]
  # of the second group: ten covariances and four means of the first come before
  expect_equal(gap / z, sqrt(truth$left_normal[14 + 3]), tolerance = 1e-3)
  expect_equal(index_value(normal, "rmsea"),
               sqrt(2 * max(truth$complete - truth$normal_bias / n, 0) / df), tolerance = 1e-5)
  expect_equal(index_value(normal, "chisq"), deviance(normal))
  # CFI from the baseline's own bias
  base <- incomplete_scalings(normal)[[2]]
  over <- max(truth$complete - truth$normal_bias / n, 0)
  expect_equal(index_value(normal, "cfi"), 1 - over / (base$complete - base$normal_bias / n),
               tolerance = 1e-5)
  expect_output(print(fit_indices(normal)), text_pattern("what_is_missing_makes"))
  expect_error(fit_model(bp, framed(data), by = g, inference = "robust",
                         adjust = "mean and variance"), class = "orizzonte_error_input",
               regexp = "complete")
})

test_that("as the missing values vanish the bias becomes the degrees of freedom", {
  # one value missing in a thousand cases
  x <- skewed_six(1000, 6)
  x[1, 2] <- NA
  fit <- quietly(fit_model(two_constructs, as.data.frame(x)))
  mine <- incomplete_scalings(fit)
  expect_equal(mine[[1]]$normal_bias, 8, tolerance = 0.01)
  expect_equal(index_value(fit, "rmsea"), index_value(fit, "rmsea_normal"), tolerance = 1e-2)
  complete <- quietly(fit_model(two_constructs, as.data.frame(x[-1, ]), inference = "robust"))
  robust <- quietly(refit(fit, inference = "robust"))
  expect_equal(index_value(robust, "chisq_inflation"), index_value(complete, "chisq_inflation"),
               tolerance = 0.03)
})

test_that("clusters: summed scores, a factor for their number, t instead of normal", {
  skip_if_not_installed("numDeriv")
  x <- as.data.frame(alone)
  x$class <- rep(sprintf("c%02d", 1:60), each = 3)
  fit <- quietly(fit_model(two_constructs, x, clusters = class))
  expect_sandwich(fit, list(alone), cluster = x$class)
  table <- estimates(fit)
  expect_equal(table$p, 2 * pt(-abs(table$z), 59), tolerance = 1e-12)
  expect_output(print(fit), text_pattern("of_all", clusters = "60 clusters", clusters_2 = "class"))
  # each case its own cluster
  x$each <- seq_len(nrow(x))
  own <- quietly(fit_model(two_constructs, x, clusters = "each"))
  robust <- quietly(fit_model(two_constructs, x, inference = "robust"))
  by <- nrow(x) / (nrow(x) - 1)
  expect_equal(vcov(own), vcov(robust) * by, tolerance = 1e-10)
  expect_equal(index_value(own, "chisq_inflation"), index_value(robust, "chisq_inflation") * by,
               tolerance = 1e-10)
  # clusters in c: sums of the moments' rows in place of cases
  rows <- scale(oracle_moment_rows(alone), scale = FALSE)
  sums <- rowsum(rows, x$class)
  o <- oracle_of_fit(fit)
  v <- oracle_weight(o$model$build(o$theta)[[1]]$sigma)
  slopes <- numDeriv::jacobian(function(t) oracle_moments(o$model, t), o$theta)
  u <- v - v %*% slopes %*% solve(t(slopes) %*% v %*% slopes, t(slopes) %*% v)
  gamma <- crossprod(sums) / nrow(x) * 60 / 59
  expect_equal(index_value(fit, "chisq_inflation"), sum(diag(u %*% gamma)) / 8, tolerance = 1e-7)
  # and with missing values
  incomplete <- x
  incomplete$x2[c(3, 40, 77)] <- NA
  fit <- quietly(fit_model(two_constructs, incomplete, clusters = class))
  expect_sandwich(fit, list(as.matrix(incomplete[1:6])), cluster = incomplete$class)
})

test_that("weights: whole numbers give the estimates of repeated rows; errors from single cases", {
  skip_if_not_installed("numDeriv")
  x <- as.data.frame(alone)
  x$w <- rep(c(1, 2, 3), length.out = nrow(x))
  fit <- quietly(fit_model(two_constructs, x, weights = w))
  repeated <- quietly(fit_model(two_constructs, x[rep(seq_len(nrow(x)), x$w), ]))
  expect_equal(coef(fit), coef(repeated), tolerance = 1e-8)
  weight <- x$w * nrow(x) / sum(x$w)
  expect_sandwich(fit, list(alone), weight = weight)
  expect_identical(nobs(fit), 180)
  expect_true(is.na(AIC(fit)) || is.na(index_value(fit, "aic")))
  # in groups, and with missing values
  data <- list(punched(two_groups_of[[1]], 0.1, 7), punched(two_groups_of[[2]], 0.1, 8))
  framed_data <- framed(data)
  framed_data$w <- runif(nrow(framed_data), 0.5, 2)
  both <- quietly(fit_model(hold_equal(one_construct, loading), framed_data, by = g,
                            weights = w))
  within_groups <- stats::ave(framed_data$w, framed_data$g, FUN = function(w) w / mean(w))
  expect_sandwich(both, data, weight = within_groups)
  # over the whole sample only when asked for
  whole <- quietly(fit_model(hold_equal(one_construct, loading), framed_data, by = g, weights = w,
                             weight_scale = "sample"))
  expect_sandwich(whole, data, weight = framed_data$w * nrow(framed_data) / sum(framed_data$w))
  # a constant weight in one group changes nothing
  framed_data$double <- ifelse(framed_data$g == framed_data$g[1], 1, 5)
  scaled <- quietly(fit_model(hold_equal(one_construct, loading), framed_data, by = g,
                              weights = double))
  plain <- quietly(fit_model(hold_equal(one_construct, loading), framed_data, by = g,
                             inference = "robust"))
  expect_equal(test_of(scaled)$chisq, test_of(plain)$chisq, tolerance = 1e-8)
  expect_equal(vcov(scaled), vcov(plain), tolerance = 1e-6)
  # the effective sample size by group (Kish 1965)
  kish <- tapply(framed_data$w, framed_data$g, function(w) sum(w)^2 / sum(w^2))
  expect_equal(unname(effective_cases(both$sample)), as.numeric(kish[names(both$sample$groups)]))
  expect_output(print(both), text_pattern("effective_of"))
  expect_error(quietly(fit_model(one_construct, framed_data, weight_scale = "sample")),
               text_pattern("request_weight_scale"), class = "orizzonte_error_input")
})

test_that("clusters are counted by group", {
  set.seed(6)
  data <- framed(two_groups_of)
  data$class <- ifelse(data$g == data$g[1], paste0("a", seq_len(nrow(data)) %% 30), "b1")
  expect_error(quietly(fit_model(one_construct, data, by = g, clusters = class)),
               text_pattern("group_is_one_cluster"), class = "orizzonte_error_data")
  second <- unique(data$g)[2]
  data$class[data$g == second] <- paste0("b", seq_len(sum(data$g == second)) %% 4)
  found <- testthat::capture_warnings(fit <- suppressMessages(
    fit_model(one_construct, data, by = g, clusters = class)))
  expect_match(found, text_pattern("fewer_than_standard_errors"), all = FALSE)
  expect_match(found, paste0("4 clusters in ", second), all = FALSE)
  expect_match(found, text_pattern("clusters_for_parameters", group = paste0(second, ": "),
                                   clusters = "4"), all = FALSE)
  expect_output(print(fit), text_pattern("clusters_for_parameters", clusters = "4"))
  # also clusters of one group, where the corrected chi-square is based on fewer clusters than
  # parameters
  alone_of <- testthat::capture_warnings(suppressMessages(
    fit_model(one_construct, data[data$g == second, ], clusters = class)))
  expect_match(alone_of, text_pattern("fewer_clusters_than_parameters"), all = FALSE)
})

test_that("restrictions keep the sandwich on their surface", {
  skip_if_not_installed("numDeriv")
  x <- as.data.frame(alone)
  curved <- restrict(two_constructs, loading[A, x2] * loading[B, x5] == 1)
  fit <- quietly(fit_model(curved, x, inference = "robust"))
  expect_identical(fit_status(fit), "converged")
  # the same model with one loading written as one over the other
  free <- names(coef(fit))
  at <- match("loading[B, x5]", free)
  o <- oracle_of_fit(fit)
  order <- oracle_places(fit, o)
  expand <- function(short) {
    full <- numeric(length(o$theta))
    full[order[-at]] <- short
    full[order[at]] <- 1 / full[order[match("loading[A, x2]", free)]]
    full
  }
  short <- list(build = function(t) o$model$build(expand(t)), means = TRUE)
  truth <- oracle_sandwich(short, coef(fit)[-at], list(alone))
  expect_equal(unname(sqrt(diag(vcov(fit)))[-at]), sqrt(diag(truth)), tolerance = 1e-5)
  expect_equal(index_value(fit, "chisq_inflation"),
               oracle_traces(short, coef(fit)[-at], list(alone))[1] / df.residual(fit),
               tolerance = 1e-6)
})

test_that("robust score tests: the variance of the score is summed over cases", {
  skip_if_not_installed("numDeriv")
  x <- as.data.frame(alone)
  fit <- quietly(fit_model(two_constructs, x, inference = "robust"))
  table <- amendments(fit, top = 3)
  parameter <- c("covariance[x1, x4]", "loading[A, x5]")
  for (text in parameter) {
    o <- oracle_of_fit(fit, text)
    scores <- numDeriv::jacobian(function(t) oracle_case_loglik(o$model, t, list(alone)), o$theta)
    information <- oracle_score(o$model, o$theta, o$sample)$information
    c <- o$own
    rest <- solve(information[-c, -c], information[-c, c])
    efficient <- scores[, c] - scores[, -c] %*% rest
    v <- information[c, c] - sum(information[c, -c] * rest)
    at <- match(text, table$parameter)
    expect_equal(table$modification_index[at],
                 sum(efficient)^2 / sum((efficient - mean(efficient))^2), tolerance = 1e-4)
    expect_equal(table$expected_change[at], sum(efficient) / v, tolerance = 1e-4)
  }
  # the drop after refitting is the scaled difference (Satorra & Bentler 2001), by hand
  lead <- table[1, ]
  amended <- quietly(amend(fit, free = !!lead$parameter, because = "a test"))
  plain <- deviance(fit) - deviance(amended)
  trace <- function(f) index_value(f, "chisq_inflation") * df.residual(f)
  expect_equal(lead$actual_drop, plain / (trace(fit) - trace(amended)), tolerance = 1e-5)
  joint <- score_test(fit, covariance[x1, x4], loading[A, x5])
  expect_identical(attr(joint, "df"), 2L)
  expect_output(print(joint), "Together")
})

test_that("every reader takes its errors from the sandwich", {
  bp <- blueprint("Path") |> construct("A", reflected_in = x1:x3) |>
    construct("B", reflected_in = x4:x6) |> effect(B ~ A) |>
    quantity(twice = 2 * effect[A, B]) |> claim(H1 = effect[A, B] > 0)
  x <- as.data.frame(alone)
  fit <- quietly(fit_model(bp, x, inference = "robust"))
  se <- sqrt(diag(vcov(fit)))[["effect[A, B]"]]
  table <- estimates(fit)
  of <- function(parameter) table$se[match(parameter, table$parameter)]
  expect_equal(of("effect[A, B]"), se)
  expect_equal(of("quantity[twice]"), 2 * se)
  expect_equal(verdicts(fit)$se, se)
  expect_equal(effects(fit)$se[1], se)
  expect_equal(unname(diff(confint(fit, "effect[A, B]")[1, ])), 2 * qnorm(0.975) * se)
  normal <- quietly(refit(fit, inference = "normal"))
  expect_false(isTRUE(all.equal(r_squared(fit)$se, r_squared(normal)$se)))
  expect_identical(coef(fit), coef(normal))
})

test_that("normal data in great numbers: robust and normal inference say the same", {
  set.seed(10)
  n <- 1e5
  f <- matrix(rnorm(2 * n), n) %*% chol(matrix(c(1, 0.5, 0.5, 1), 2))
  x <- as.data.frame(cbind(f[, 1] %o% rep(0.8, 3), f[, 2] %o% rep(0.7, 3)) + rnorm(6 * n))
  names(x) <- paste0("x", 1:6)
  fit <- quietly(fit_model(two_constructs, x, inference = "robust"))
  normal <- quietly(refit(fit, inference = "normal"))
  expect_lt(abs(index_value(fit, "chisq_inflation") - 1), 0.02)
  expect_lt(max(abs(sqrt(diag(vcov(fit)) / diag(vcov(normal))) - 1)), 0.02)
})

test_that("roles and data that robust inference cannot use are refused by name", {
  x <- as.data.frame(alone)
  x$w <- 1
  x$class <- rep(1:60, 3)
  x$g <- rep(c("a", "b"), each = 90)
  refused <- function(pattern, ..., class = "orizzonte_error_input") {
    expect_error(quietly(fit_model(two_constructs, x, ...)), pattern, class = class)
  }
  refused("needs robust inference", clusters = class, inference = "normal")
  refused("is both the column of weights and a variable of the model", weights = x1)
  refused("two roles", weights = w, clusters = w)
  refused(text_pattern("request_adjust_normal"), adjust = "mean and variance")
  refused("unweighted", adjust = "mean and variance", weights = w)
  refused("multiplier", inference = "robust", multiplier = "n-1")
  refused("did you mean|Did you mean", inference = "robst")
  refused("Did you mean \"class\"", clusters = clas, class = "orizzonte_error_name")
  bad <- function(pattern, value) {
    y <- x
    y$w[7] <- value
    expect_error(quietly(fit_model(two_constructs, y, weights = w)), pattern,
                 class = "orizzonte_error_data")
  }
  bad("row 7 is missing", NA)
  bad("row 7 is zero", 0)
  bad("row 7 is -1", -1)
  x$one <- 1
  refused("1 cluster", clusters = one, class = "orizzonte_error_data")
  summary <- summary_data(cov(alone), n = 180)
  expect_error(fit_model(two_constructs, summary, inference = "robust"),
               text_pattern("needs_data_case_case"),
               class = "orizzonte_error_data")
  # rows without a cluster are counted; few clusters and many such rows cause a warning
  x$class[1:20] <- NA
  said <- testthat::capture_messages(suppressWarnings(
    fit <- fit_model(two_constructs, x, clusters = class)))
  expect_match(paste(said, collapse = ""),
               text_pattern("without_value_left_out", count = "20 rows", column = "class"))
  found <- testthat::capture_warnings(suppressMessages(
    fit_model(two_constructs, within(x, class <- rep(c(1:14, NA), 12)), clusters = class)))
  expect_match(found, "fewer than 50", all = FALSE)
  expect_match(found, text_pattern("have_no_value_are"), all = FALSE)
  expect_identical(nobs(fit), 160)
})

test_that("data that are not normal get the word that helps; ordered items a plain warning", {
  x <- as.data.frame(alone)
  expect_message(quietly_warned <- suppressWarnings(fit_model(two_constructs, x)),
                 "inference = \"robust\"")
  expect_false(any(grepl("Not normal", testthat::capture_messages(
    fit_model(two_constructs, x, inference = "robust")))))
  for (item in names(x)) x[[item]] <- findInterval(x[[item]], quantile(x[[item]], 1:3 / 4))
  expect_warning(suppressMessages(fit_model(two_constructs, x)),
                 text_pattern("two_four_distinct_answers"))
})

test_that("amendments of an adjusted fit compare constructs in two with what they can", {
  start <- read_blueprint(extdata("choirs-start.yaml"))
  whole <- choirs[stats::complete.cases(choirs), ]
  fit <- quietly(fit_model(start, whole, inference = "robust", adjust = "mean and variance"))
  expect_output(print(quietly(amendments(fit, top = 3))), "covariance\\[be1, be2\\]")
})

test_that("clusters that lie in several groups: scores add up over groups", {
  set.seed(1)
  n <- 800
  cl <- rep(1:100, each = 8)
  u <- rnorm(100)[cl]
  f <- 0.5 * u + rnorm(n)
  x <- vapply(1:4, function(i) 0.8 * f + rnorm(n, sd = 0.6) + 0.3 * u, numeric(n))
  colnames(x) <- paste0("x", 1:4)
  d <- data.frame(x, cl, g = rep(c("a", "b"), n / 2))
  bp <- blueprint("F") |> construct("F", reflected_in = x1:x4)
  for (model in list(bp, hold_equal(bp, loading, intercept))) {
    fit <- quiet_fit(model, d, by = g, clusters = cl)
    expect_equal(count_clusters(fit$sample), 100)
    full <- full_model(fit$layout)
    scores <- core_case_scores(full, core_moments(fit), theta_of(fit), core_cases(fit))
    rows <- unlist(lapply(fit$sample$groups, `[[`, "used"))
    sums <- rowsum(do.call(rbind, scores), cl[rows])
    bread <- solve(core_evaluate(full, core_moments(fit), theta_of(fit))$observed)
    expect_equal(unname(vcov(fit)), unname(bread %*% crossprod(sums) %*% bread) * 100 / 99,
                 tolerance = 1e-8)
  }
  # the corrected test by the saturated scores of both groups, summed within clusters
  saturated <- lapply(c("a", "b"), function(g) {
    y <- x[d$g == g, ]
    s <- crossprod(sweep(y, 2, colMeans(y))) / nrow(y)
    w <- solve(implied(fit)[[g]]$covariance)
    off <- sweep(y, 2, colMeans(y))
    low <- which(lower.tri(s, TRUE), arr.ind = TRUE)
    half <- ifelse(low[, 1] == low[, 2], 1, 2)
    moments <- off[, low[, 1]] * off[, low[, 2]]
    moments <- cbind(sweep(moments, 2, colMeans(moments)), off)
    v <- matrix(0, nrow(low) + 4, nrow(low) + 4)
    for (i in seq_len(nrow(low))) for (j in seq_len(nrow(low))) {
      a <- low[i, ]
      b <- low[j, ]
      v[i, j] <- 0.25 * half[i] * half[j] *
        (w[a[1], b[1]] * w[a[2], b[2]] + w[a[1], b[2]] * w[a[2], b[1]])
    }
    v[nrow(low) + 1:4, nrow(low) + 1:4] <- w
    list(moments = moments, v = v, cluster = cl[d$g == g], n = nrow(y))
  })
  theta <- theta_of(fit)
  moments_at <- function(theta) {
    own <- core_implied(whole_model(fit), values_at(fit$layout, theta))
    unlist(lapply(own, function(one) {
      s <- one$covariance[1:4, 1:4]
      c(s[lower.tri(s, TRUE)], one$mean[1:4])
    }))
  }
  slopes <- vapply(seq_along(theta), function(k) {
    step <- replace(numeric(length(theta)), k, 1e-5)
    (moments_at(theta + step) - moments_at(theta - step)) / 2e-5
  }, numeric(28))
  sums <- do.call(cbind, lapply(saturated, function(one) {
    out <- matrix(0, 100, ncol(one$moments))
    found <- rowsum(one$moments, one$cluster)
    out[as.integer(rownames(found)), ] <- found
    out / one$n
  }))
  gamma <- crossprod(sums) * 100 / 99
  v <- matrix(0, 28, 28)
  v[1:14, 1:14] <- saturated[[1]]$v * saturated[[1]]$n
  v[15:28, 15:28] <- saturated[[2]]$v * saturated[[2]]$n
  u <- v - v %*% slopes %*% solve(t(slopes) %*% v %*% slopes) %*% t(slopes) %*% v
  expect_equal(test_of(fit)$inflation, sum(diag(u %*% gamma)) / test_of(fit)$df, tolerance = 1e-4)
  # nearly the same with the method for incomplete cases; residuals, indices and influence exist
  d$x1[5] <- NA
  nearly <- quiet_fit(hold_equal(bp, loading, intercept), d, by = g, clusters = cl)
  expect_equal(test_of(nearly)$inflation, test_of(fit)$inflation, tolerance = 0.01)
  z <- residuals(fit, in_units = "own_se", largest = 20)
  again <- residuals(nearly, in_units = "own_se", largest = 20)
  expect_equal(abs(again$z[1:3]), abs(z$z[1:3]), tolerance = 0.05)
  expect_gt(nrow(suppressWarnings(amendments(fit, top = 0))), 5)
  expect_equal(nrow(influence(fit, top = 0)), 200)
  # whole clusters are drawn for all groups together
  rows <- resample_rows(fit, 2, seed = 1)
  for (one in rows) {
    times <- tapply(one, paste(d$g[one], cl[one]), length) / 4
    expect_equal(unname(times[paste("a", 1:100)]), unname(times[paste("b", 1:100)]))
  }
  boot <- bootstrap_fit(fit, 300, seed = 1, interval = "percentile")
  table <- as.data.frame(boot)
  own <- estimates(fit)$se[match(table$parameter, estimates(fit)$parameter)]
  kept <- !is.na(own) & own > 0
  expect_lt(median(abs(table$se[kept] / own[kept] - 1)), 0.1)
  expect_s3_class(bootstrap_fit(fit, 20, list(v = estimates), seed = 1), "orizzonte_bootstrap")
})
