# Incomplete data, all cases kept, against oracles that process one case after the other.

# Missingness depends on observed values (missing at random).
with_missing <- function(x, share, seed) {
  set.seed(seed)
  gone <- matrix(runif(length(x)) < share, nrow(x))
  gone[, 1] <- FALSE
  low <- x[, 1] < median(x[, 1])
  gone[low, 2] <- runif(sum(low)) < 0.5
  x[gone] <- NA
  x
}
six <- function(n, seed) {
  set.seed(seed)
  f <- matrix(rnorm(2 * n), n) %*% chol(matrix(c(1, 0.5, 0.5, 1), 2))
  x <- cbind(f[, 1] %o% c(1, 0.8, 0.9), f[, 2] %o% c(1, 1.2, 0.7)) + rnorm(6 * n, 0, 0.8)
  x <- sweep(x, 2, c(3, 0, -2, 10, 5, 1), "+")
  colnames(x) <- paste0("x", 1:6)
  x
}
two_constructs <- blueprint("Two") |> construct("A", reflected_in = x1:x3) |>
  construct("B", reflected_in = x4:x6)
two_cells <- function() {
  rbind(oracle_factor_cells(list(A = paste0("x", 1:3), B = paste0("x", 4:6))),
        data.frame(matrix = "alpha", row = paste0("x", 1:6), col = "", value = NA))
}
quiet <- function(code) suppressWarnings(suppressMessages(code))
# the package's value for each free cell of the oracle
address_of_cell <- function(cells, group = NULL) {
  tail <- if (is.null(group)) "]" else paste0(" | ", group, "]")
  ifelse(cells$matrix == "B", paste0("loading[", cells$col, ", ", cells$row, tail),
         ifelse(cells$matrix == "alpha", paste0("intercept[", cells$row, tail),
                ifelse(cells$row == cells$col, paste0("variance[", cells$row, tail),
                       paste0("covariance[", cells$row, ", ", cells$col, tail))))
}
expect_casewise <- function(fit, truth, addresses) {
  table <- estimates(fit)
  at <- match(addresses, table$parameter)
  se <- sqrt(diag(truth$vcov))
  expect_lt(max(abs(table$estimate[at] - truth$theta) / pmax(abs(truth$theta), se)), 1e-6)
  expect_equal(table$se[at], se, tolerance = 1e-5)
  expect_equal(-2 * as.numeric(logLik(fit)), truth$deviance, tolerance = 1e-9)
}

test_that("one group agrees with the likelihood of single cases", {
  skip_if_not_installed("numDeriv")
  x <- with_missing(six(140, 3), 0.15, 4)
  fit <- quiet(fit_model(two_constructs, as.data.frame(x)))
  expect_identical(fit_status(fit), "converged")
  model <- oracle_model(colnames(x), c("A", "B"), two_cells(), means = TRUE)
  whole <- x[stats::complete.cases(x), ]
  start <- oracle_start(model, list(list(covariance = cov(whole), mean = colMeans(whole))))
  cells <- model$cells[model$free, ]
  expect_casewise(fit, oracle_casewise(model, start, list(x)), address_of_cell(cells))
  expect_identical(df.residual(fit), 8)
  # the saturated likelihood is the maximum
  value <- fit_indices(fit)
  index <- function(name) value$value[value$index == name]
  expect_equal(index("chisq"), 2 * (index("loglik_saturated") - index("loglik")), tolerance = 1e-6)
  s <- observed(fit)$all
  best <- oracle_casewise_deviance(x, s$mean, s$covariance)
  expect_equal(best, -2 * index("loglik_saturated"), tolerance = 1e-10)
  slope <- numDeriv::grad(function(m) oracle_casewise_deviance(x, m, s$covariance), s$mean)
  expect_lt(max(abs(slope)), 1e-3)
  # the baseline: each variable from the cases that have it
  alone <- sum(apply(x, 2, function(v) {
    v <- v[!is.na(v)]
    -2 * sum(dnorm(v, mean(v), sqrt(mean((v - mean(v))^2)), log = TRUE))
  }))
  expect_equal(-2 * index("loglik_baseline"), alone, tolerance = 1e-10)
})

test_that("two groups with equal loadings, one of them complete", {
  skip_if_not_installed("numDeriv")
  items <- paste0("x", 1:4)
  one_factor <- function(seed) {
    set.seed(seed)
    x <- rnorm(100) %o% c(1, 0.8, 0.9, 1.1) + rnorm(400, 0, 0.7)
    colnames(x) <- items
    x
  }
  first <- with_missing(one_factor(5), 0.2, 6)
  second <- one_factor(7) + 0.3
  data <- rbind(data.frame(first, g = "a"), data.frame(second, g = "b"))
  bp <- blueprint("One") |> construct("A", reflected_in = x1:x4) |> hold_equal(loading)
  fit <- quiet(fit_model(bp, data, by = g))
  expect_identical(fit_status(fit), "converged")
  cells <- rbind(oracle_factor_cells(list(A = items)),
                 data.frame(matrix = "alpha", row = items, col = "", value = NA))
  both <- rbind(transform(cells, group = 1L), transform(cells, group = 2L))
  both$label <- paste0(both$matrix, both$row, both$col, ifelse(both$matrix == "B", "", both$group))
  model <- oracle_model(items, "A", both, means = TRUE)
  start <- oracle_start(model, list(list(covariance = cov(second), mean = colMeans(second))))
  truth <- oracle_casewise(model, start, list(first, second))
  one <- model$cells[match(model$labels, model$cells$label), ]
  expect_casewise(fit, truth, address_of_cell(one, ifelse(one$group == 1L, "a", "b")))
  parts <- vapply(measures_of(fit), `[[`, 0, "chisq")
  expect_equal(sum(parts), deviance(fit), tolerance = 1e-6)
})

test_that("growth with missing occasions agrees with nlme", {
  skip_if_not_installed("nlme")
  set.seed(21)
  n <- 220
  wide <- growth_cases(n)
  wide$w3[wide$w1 > 11 & runif(n) < 0.6] <- NA
  wide$w4[runif(n) < 0.3] <- NA
  wide$w2[sample(n, 15)] <- NA
  long <- one_row_an_occasion(wide)
  reference <- nlme_growth(y ~ time, long[!is.na(long$y), ])
  fit <- quiet(fit_model(growth_blueprint(), wide))
  expect_equal(as.numeric(logLik(fit)), as.numeric(logLik(reference)), tolerance = 1e-8)
  expect_equal(unname(coef(fit)[c("mean[Level]", "mean[Slope]")]), unname(nlme::fixef(reference)),
               tolerance = 1e-5)
  expect_equal(coef(fit)[["variance[w1]"]], reference$sigma^2, tolerance = 1e-4)
  expect_identical(nobs(fit), n + 0)
})

test_that("without missing values nothing changes, and what is assumed is said", {
  whole <- choirs[stats::complete.cases(choirs[paste0("be", 1:4)]), ]
  bp <- blueprint("B") |> construct("Belonging", reflected_in = be1:be4)
  kept <- fit_model(bp, whole)
  dropped <- fit_model(bp, whole, incomplete = "drop")
  expect_identical(coef(kept), coef(dropped))
  expect_identical(vcov(kept), vcov(dropped))
  expect_message(fit <- fit_model(bp, choirs),
                 "720 cases; 18 have missing values and are kept .*missing at random")
  expect_identical(nobs(fit), 720)
  expect_match(paste(capture.output(print(summary(fit))), collapse = " "), "missing at random")
  dropped <- quiet(fit_model(covary(bp, be1, be2), choirs, incomplete = "drop"))
  compared <- compare_models(kept = fit, dropped = dropped)
  expect_true(all(is.na(compared$chisq_change)))
  expect_output(print(compared), text_pattern("incomplete_rows_one_case"))
  empty <- choirs
  empty[3:5, paste0("be", 1:4)] <- NA
  expect_message(less <- fit_model(bp, empty), text_pattern("without_any_value", empty = "3 rows"))
  expect_identical(nobs(less), 717)
  expect_identical(nobs(quiet(refit(fit, incomplete = "drop"))), 702)
})

test_that("score tests of incomplete data predict what refitting brings", {
  start <- read_blueprint(extdata("choirs-start.yaml"))
  fit <- quiet(fit_model(start, choirs))
  found <- quiet(amendments(fit, top = 8))
  expect_lt(max(abs(log(found$modification_index[1:8] / found$actual_drop[1:8]))), 0.25)
  other <- quiet(amend(fit, free = covariance[be1, be2], because = "greeting"))
  expect_equal(deviance(fit) - deviance(other),
               found$actual_drop[found$parameter == "covariance[be1, be2]"], tolerance = 1e-6)
})

test_that("scores use what a case has, and scores of cases add up to the score of all", {
  bp <- blueprint("B") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4)
  fit <- quiet(fit_model(bp, choirs))
  scores <- predict(fit)
  expect_false(anyNA(scores))
  m <- implied(fit)$all
  row <- which(is.na(choirs$be3))[1]
  seen <- setdiff(names(m$mean), "be3")
  loadings <- matrix(0, 8, 2, dimnames = list(names(m$mean), c("Belonging", "Calm")))
  rows <- estimates(fit)[estimates(fit)$kind == "loading", ]
  where <- strsplit(gsub("loading\\[|\\]", "", rows$parameter), ", ")
  for (k in seq_along(where)) loadings[where[[k]][2], where[[k]][1]] <- rows$estimate[k]
  across <- (loadings %*% m$constructs)[seen, ]
  off <- unlist(choirs[row, seen]) - m$mean[seen]
  expect_equal(unlist(scores[row, ]), drop(off %*% solve(m$covariance[seen, seen], across)),
               tolerance = 1e-8)
  bartlett <- predict(fit, method = "bartlett")
  expect_equal(stats::cor(scores$Calm, bartlett$Calm, use = "complete.obs"), 1, tolerance = 0.02)
  cases <- casewise_fit(fit)
  expect_equal(sum(cases$loglik), as.numeric(logLik(fit)), tolerance = 1e-10)
  expect_lt(max(abs(colSums(cases$scores)) / sqrt(colSums(cases$scores^2))), 1e-4)
  other <- quiet(fit_model(bp |> covary(be1, sc1), choirs))
  another <- quiet(fit_model(bp |> covary(be2, sc2), choirs))
  expect_output(print(compare_models(a = other, b = another)), "Vuong")
})

test_that("what cannot be kept is refused by name", {
  x <- as.data.frame(six(60, 9))
  refused <- function(data, pattern, ..., class = "orizzonte_error_data") {
    expect_error(quiet(fit_model(two_constructs, data, incomplete = "keep", ...)), pattern,
                 class = class)
  }
  # a parameter that depends on a pair without joint observations is not identified
  apart <- x
  apart$x2[1:30] <- NA
  apart$x5[31:60] <- NA
  expect_error(quiet(fit_model(covary(two_constructs, x2, x5), apart)), "covariance\\[x2, x5\\]",
               class = "orizzonte_error_identification")
  gone <- x
  gone$x4 <- NA_real_
  refused(gone, "\"x4\" is missing in every row")
  incomplete <- x
  incomplete$x1[3] <- NA
  refused(incomplete, "complete data", multiplier = "n-1", class = "orizzonte_error_input")
  flat <- incomplete
  flat$x5 <- 2
  refused(flat, "\"x5\" does not vary")
  expect_error(fit_model(two_constructs, incomplete, incomplete = c("keep", "drop")), "must be",
               class = "orizzonte_error_input")
  few <- incomplete[1:6, ]
  refused(few, "More cases than variables")
  expect_error(fit_model(two_constructs, incomplete, incomplete = "kep"),
               text_pattern("did_you_mean"),
               class = "orizzonte_error_input")
})

test_that("simulated data miss what the cases miss, when asked", {
  bp <- blueprint("B") |> construct("Belonging", reflected_in = be1:be4)
  fit <- quiet(fit_model(bp, choirs, by = setting))
  plain <- simulate(fit, 1, seed = 4)[[1]]
  incomplete <- simulate(fit, 1, seed = 4, missing = "as observed")[[1]]
  expect_false(anyNA(plain))
  expect_equal(sum(is.na(incomplete[-1])), sum(is.na(choirs[paste0("be", 1:4)])))
  same <- !is.na(incomplete$be2)
  expect_identical(incomplete$be2[same], plain$be2[same])
  expect_error(simulate(fit, 1, missing = "as observd"), class = "orizzonte_error_input")
  weighted <- quiet(fit_model(bp, cbind(choirs, w = seq(0.5, 2, length.out = 720)), weights = w,
                              by = setting))
  expect_equal(nrow(simulate(weighted, 1, seed = 1)[[1]]), 720)
})

test_that("all rows incomplete, one per pattern: fitted, and said", {
  x <- as.data.frame(six(60, 19))
  for (i in seq_len(60)) x[i, 1 + i %% 6] <- NA
  expect_message(fit <- fit_model(two_constructs, x), "60 cases; 60 have missing values")
  expect_identical(fit_status(fit), "converged")
  expect_error(quiet(refit(fit, incomplete = "drop")), "0 complete rows",
               class = "orizzonte_error_data")
  set.seed(2)
  many <- six(60, 20)
  many[matrix(runif(360) < 0.35, 60)] <- NA
  many <- many[rowSums(!is.na(many)) > 0, ]
  patterns <- nrow(unique(is.na(many)))
  expect_gt(patterns, nrow(many) / 2)
  expect_message(suppressWarnings(fit_model(two_constructs, as.data.frame(many))),
                 text_pattern("missing_patterns_among_cases", count = as.character(patterns)))
})

test_that("the information of many saturated moments is inverted block by block", {
  set.seed(8)
  p <- 60
  n <- 300
  x <- 0.7 * rnorm(n) + matrix(rnorm(n * p), n)
  x[sample(length(x), 60)] <- NA
  colnames(x) <- paste0("x", seq_len(p))
  fit <- suppressMessages(fit_model(blueprint("Wide") |> construct("A", reflected_in = x1:x60),
                                    as.data.frame(x)))
  expect_message(known <- saturated_information(fit)[[1L]],
                 text_pattern("correcting_indices", size = "60"), class = "orizzonte_message")
  expect_true(known$admissible)
  size <- p * (p + 3) / 2
  expect_equal(dim(known$inverse), c(size, size))
  expect_true(isSymmetric(known$inverse))
  some <- c(1, 127:130, 255:258, 1000, size)
  expect_lt(max(abs(known$information[some, ] %*% known$inverse[, some] - diag(length(some)))),
            1e-8)
  # kept for other models of the same data
  expect_no_message(fit_indices(fit))
})
