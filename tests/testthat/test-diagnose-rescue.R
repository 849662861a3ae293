troubled_bifactor <- function() {
  blueprint("Troubled") |> construct("General", reflected_in = c(wa1:wa4, cl1:cl3, fu1:fu3)) |>
    construct("Warmth", reflected_in = wa1:wa4) |>
    construct("Calm", reflected_in = cl1:cl3) |> construct("Fun", reflected_in = fu1:fu3) |>
      uncorrelate(General, Warmth, Calm, Fun)
}
correlations <- function(names, ...) {
  r <- diag(length(names))
  dimnames(r) <- list(names, names)
  r[lower.tri(r)] <- c(...)
  r[upper.tri(r)] <- t(r)[upper.tri(r)]
  r
}
exactly <- function(r, n) summary_data(r, n, sd = rep(1, ncol(r)))

test_that("the planted trouble of the troubled set is found, explained and solved", {
  bp <- troubled_bifactor()
  expect_warning(expect_warning(fit <- quiet_fit(bp, choirs_troubled),
                                class = "orizzonte_warning_improper"),
                 text_pattern("solution_can_hardly_be"))
  rescued <- rescue(bp, choirs_troubled)
  expect_equal(rescued$attempts$attempt[1:2], c("as written", "codes -9 as missing"))
  expect_equal(rescued$attempts$chisq[1], deviance(fit))
  said <- paste(rescued$findings, collapse = "\n")
  for (words in c("hold -9 (28 times)", "wa3 and wa4 correlate .998", "cl3 is reverse-keyed",
                  "row 17 lies far", "items of Fun correlate")) {
    expect_match(said, words, fixed = TRUE)
  }
  expect_match(said, text_pattern("once_is_out", general = "General"))
  expect_true("without row 17" %in% rescued$attempts$attempt)
  expect_true("without wa4" %in% rescued$worked)
  # its instructions have the stated effect
  adopted <- quiet_fit(leave_out(bp, wa4), choirs_troubled, missing_codes = -9)
  expect_equal(deviance(rescued$fits[["without wa4"]]), deviance(adopted))
  expect_output(print(rescued), "missing_codes = -9; leave_out(wa4)", fixed = TRUE)
  # on complete rows the outlier also causes the problem
  complete <- rescue(bp, choirs_troubled, incomplete = "drop")
  expect_true("without row 17, without wa4" %in% complete$worked)
  expect_output(print(rescued), text_pattern("nothing_was_changed_itself"))
  expect_s3_class(as.data.frame(rescued), "data.frame")
})

test_that("columns that cannot be analysed are told and taken out one by one", {
  bp <- blueprint("Sums") |> construct("Warmth", reflected_in = c(wa1, wa2, wa3, warm_sum)) |>
    construct("Other", reflected_in = c(cl1, cl2, version))
  rescued <- rescue(bp, choirs_troubled)
  expect_equal(rescued$attempts$status[1], "cannot be fitted")
  expect_true(all(c("without version", "without warm_sum") %in% rescued$attempts$attempt))
  expect_match(paste(rescued$findings, collapse = "\n"),
               text_pattern("is_of", leader = "warm_sum", others = "wa1, wa2 and wa3"))
  expect_gt(length(rescued$worked), 0)
  expect_error(rescue(blueprint("x") |> construct("A", reflected_in = wa1:wa9), choirs_troubled),
               class = "orizzonte_error_name")
})

test_that("a sound model has nothing to rescue", {
  bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
  rescued <- rescue(bp, choirs)
  expect_equal(rescued$worked, "as written")
  expect_output(print(rescued), text_pattern("model_converges_is_proper"))
})

test_that("a bifactor model with a vanishing group factor", {
  set.seed(31)
  n <- 300
  general <- stats::rnorm(n)
  own <- matrix(stats::rnorm(2 * n), n)
  data <-
    data.frame(sapply(1:12, function(i) {
      0.7 * general +
      (if (i <= 8) 0.5 * own[, (i > 4) + 1] else 0) + stats::rnorm(n, 0, 0.5)
    }))
  names(data) <- c(paste0("a", 1:4), paste0("b", 1:4), paste0("c", 1:4))
  bp <- blueprint("Bifactor", scale = "unit") |>
    construct("G", reflected_in = all_of(names(data))) |> construct("A", reflected_in = a1:a4) |>
    construct("B", reflected_in = b1:b4) |> construct("C", reflected_in = c1:c4) |>
      uncorrelate(G, A, B, C)
  evidence <- orizzonte:::fit_evidence(suppressWarnings(quiet_fit(bp, data)))
  kinds <- vapply(evidence, `[[`, "", "kind")
  expect_equal(evidence[[which(kinds == "weak specific factor")]]$construct, "C")
  rescued <- rescue(bp, data)
  if (!"as written" %in% rescued$worked) expect_true("without construct C" %in% rescued$worked)
  without <- quiet_fit(leave_out(bp, C), data)
  expect_lt(abs(coef(without)[["loading[G, c1]"]] - 0.7), 0.15)
})

test_that("three items, one with a loading near zero", {
  bp <- blueprint("Three") |> construct("B", reflected_in = b1:b3)
  data <- exactly(correlations(c("b1", "b2", "b3"), 0.5, 0.02, 0.1), 200)
  # by hand: the squared loading of b2 is .5 * .1 / .02 = 2.5
  expect_warning(fit <- quiet_fit(bp, data), class = "orizzonte_warning_improper")
  expect_equal(r_squared(fit)$r_squared[r_squared(fit)$variable == "b2"], 2.5, tolerance = 1e-6)
  expect_output(print(fit), text_pattern("three_items_impossible", item = "b2", squared = "2.50"))
  expect_output(print(fit),
                text_pattern("item_hardly_correlates", item = "b3", correlation = ".06"))
  rescued <- rescue(bp, data)
  expect_equal(rescued$attempts$status[rescued$attempts$attempt ==
                                       "variances of items not negative"], "at bound")
  # a proper solution that the data reject is shown, but not recommended
  equal <- rescued$attempts[rescued$attempts$attempt == "equal loadings of B", ]
  expect_equal(equal$status, "proper")
  by_hand <- quiet_fit(restrict(bp, loading[B, ] == loading[B, b1]), data)
  expect_equal(equal$chisq_change, deviance(by_hand) - suppressWarnings(deviance(fit)),
               tolerance = 1e-6)
  expect_lt(equal$p_change, 0.05)
  expect_false("equal loadings of B" %in% rescued$worked)
  expect_output(print(rescued), text_pattern("proper_but_rejected"))
})

test_that("a negative variance is first tested against zero", {
  # one factor with loadings .9, .5, .5, .5 (in standard deviations), small samples: by sampling
  # error alone, and a second factor behind the first two
  heywood <- function(first) {
    exactly(correlations(paste0("y", 1:4), first, 0.45, 0.45, 0.2, 0.2, 0.2), 60)
  }
  bp <- blueprint("Heywood") |> construct("A", reflected_in = y1:y4)
  small <- heywood(0.47)
  fit <- suppressWarnings(quiet_fit(bp, small))
  expect_lt(coef(fit)[["variance[y1]"]], 0)
  rescued <- rescue(bp, small)
  at_zero <- quiet_fit(restrict(bp, variance[y1] == 0), small)
  rise <- deviance(at_zero) - deviance(fit)
  said <- paste(rescued$findings, collapse = "\n")
  expect_match(said, text_pattern("variance_may_be_zero", parameter = "variance[y1]",
                                  chisq = format_fixed(rise, 2L),
                                  p = p_clause(stats::pchisq(rise, 1, lower = FALSE) / 2)))
  expect_true("variance[y1] at zero" %in% rescued$worked)
  expect_true("variances of items not negative" %in% rescued$worked)
  # with many cases the same correlations are not due to chance
  large <- small
  large$n <- 60000
  rescued <- rescue(bp, large)
  said <- paste(rescued$findings, collapse = "\n")
  expect_match(said, text_pattern("variance_below_zero", parameter = "variance[y1]"))
  expect_false(any(c("variance[y1] at zero", "variances of items not negative") %in%
                     rescued$worked))
})

test_that("parts of a general construct are not one because of what is general", {
  set.seed(2)
  n <- 250
  g <- stats::rnorm(n)
  s <- matrix(stats::rnorm(n * 3), n)
  x <- 0.7 * g + 0.35 * s[, rep(1:3, each = 3)] + matrix(stats::rnorm(n * 9), n) * 0.6
  x[, 4] <- x[, 4] - 0.3 * s[, 2]
  x[, 5] <- x[, 5] - 0.35 * s[, 2]
  x <- stats::setNames(as.data.frame(x), paste0("x", 1:9))
  bp <- blueprint("Bifactor") |> construct("G", reflected_in = x1:x9) |>
    construct("S1", reflected_in = x1:x3) |> construct("S2", reflected_in = x4:x6) |>
    construct("S3", reflected_in = x7:x9) |> uncorrelate(c(G, S1, S2, S3))
  rescued <- suppressWarnings(rescue(bp, x))
  expect_false(any(grepl("as one", rescued$attempts$attempt)))
  expect_no_match(paste(rescued$findings, collapse = " "), text_pattern("perhaps_one_construct"))
  expect_true("without construct S2" %in% rescued$worked)
  # the fit is significantly worse without S3
  expect_false("without construct S3" %in% rescued$worked)
})

test_that("a near-duplicate pair is named and leads to a way out", {
  data <- exactly(correlations(c("w1", "w2", "w3", "w4"), 0.98, 0.5, 0.5, 0.4, 0.4, 0.3), 300)
  bp <- blueprint("Pair") |> construct("W", reflected_in = w1:w4)
  fit <- suppressWarnings(quiet_fit(bp, data))
  expect_output(print(fit), "w1 and w2 correlate .980", fixed = TRUE)
  expect_true(any(c("without w2", "w1 and w2 covary") %in% rescue(bp, data)$worked))
})

test_that("a fit that runs away stays readable, marked, with its history and the reason", {
  data <- exactly(correlations(c("a1", "a2", "b1", "b2", "b3"), 0.3, 0.3, 0.25, 0.28, 0, 0, 0, 0.5,
                               0.5, 0.5), 300)
  bp <- blueprint("Runs away") |> construct("A", reflected_in = a1:a2) |>
    construct("B", reflected_in = b1:b3)
  expect_warning(fit <- quiet_fit(bp, data), class = "orizzonte_warning_convergence")
  expect_output(print(fit), text_pattern("not_converged"))
  expect_output(print(fit), text_pattern("two_items_relate_differently"))
  expect_output(print(summary(fit)), text_pattern("numbers_below_are_where"))
  expect_gt(length(history_of(fit)$chisq), 10)
  expect_true(all(is.na(fit_indices(fit)$verdict)))
  rescued <- rescue(bp, data)
  expect_true("equal loadings of A" %in% rescued$attempts$attempt)
})

test_that("two constructs whose items do not tell them apart, and small samples, are said", {
  block <- matrix(0.5, 6, 6)
  diag(block) <- 1
  dimnames(block) <- list(c("a1", "a2", "a3", "b1", "b2", "b3"), NULL)
  colnames(block) <- rownames(block)
  bp <- blueprint("One?") |> construct("A", reflected_in = a1:a3) |>
    construct("B", reflected_in = b1:b3)
  layout <- orizzonte:::build_layout(bp, means = FALSE)
  found <- orizzonte:::find_evidence(layout, block, 60)
  expect_setequal(vapply(found, `[[`, "", "kind"), c("one construct", "small sample"))
  state <- orizzonte:::merge_constructs(list(bp = bp), c("A", "B"))
  expect_equal(state$bp$constructs$A$items, c("a1", "a2", "a3", "b1", "b2", "b3"))
  expect_named(state$bp$constructs, "A")
})

test_that("a locally weak solution is a warning that names the parameters", {
  # two items each, identified only by the covariance of the constructs, which is nearly zero
  data <- exactly(correlations(c("a1", "a2", "b1", "b2"), 0.4, 0.0004, 0.0005, 0.00045,
                               0.00052, 0.45), 400)
  bp <- blueprint("Weak") |> construct("A", reflected_in = a1:a2) |>
    construct("B", reflected_in = b1:b2)
  condition <- tryCatch(quiet_fit(bp, data), orizzonte_warning = function(w) w)
  expect_s3_class(condition, "orizzonte_warning")
  fit <- suppressWarnings(quiet_fit(bp, data))
  if (orizzonte:::has_converged(fit) && nrow(orizzonte:::improper_parts(fit)) == 0) {
    expect_s3_class(condition, "orizzonte_warning_identification")
    expect_match(conditionMessage(condition), "loading[A, a2]", fixed = TRUE)
    expect_output(print(fit), "WEAK")
  }
})

test_that("random starts are really made, and bad input is no trouble of the model", {
  # improper: a bound or a negative variance must not end them early
  models <- random_models()
  case <- models$random_case(310)
  found <- suppressMessages(rescue(case$blueprint, case$data))
  made <- found$fits[["60 random starts"]]
  expect_equal(made$solution$starts, 61)
  at_bound <- restrict(blueprint("B") |> construct("B", reflected_in = be1:be4),
                       loading[B, be2] >= 1.5)
  request <- orizzonte:::new_request(at_bound)
  fit <- orizzonte:::fit_request(request, orizzonte:::sample_of(choirs, request), starts = 20L,
                                 all_starts = TRUE)
  expect_equal(fit$solution$starts, 21)
  expect_error(rescue(at_bound, choirs, by = NA), class = "orizzonte_error_input")
  expect_error(rescue(at_bound, choirs, by = "nowhere"), class = "orizzonte_error_name")
})
