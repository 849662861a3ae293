# Bootstrap of anything that a results function returns, against plain loops over the same rows.

small_choir <- choirs[1:250, ]
effect_model <- blueprint("Calm and belonging") |>
  construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4) |>
  effect(Calm ~ Belonging)
quietly <- function(code) suppressWarnings(suppressMessages(code))
# A fit of each replicate, computed one by one.
plain_refits <- function(fit, data, reps, seed) {
  lapply(resample_rows(fit, reps, seed), function(rows) quietly(refit(fit, data = data[rows, ])))
}
percentile <- function(x, level = 0.95) {
  k <- c(1 - level, 1 + level) / 2 * (length(x) + 1)
  x <- sort(x)
  vapply(k, function(at) {
    low <- floor(at)
    z <- stats::qnorm(c(at, low, low + 1) / (length(x) + 1))
    x[low] + (z[1] - z[2]) / (z[3] - z[2]) * (x[low + 1] - x[low])
  }, 0)
}

test_that("percentile intervals are those of a plain loop over resampled rows", {
  for (incomplete in c("drop", "keep")) {
    fit <- quiet_fit(effect_model, small_choir, incomplete = incomplete)
    boot <- bootstrap_fit(fit, 50, seed = 7, interval = "percentile")
    table <- as.data.frame(boot)
    refits <- plain_refits(fit, small_choir, 50, 7)
    for (name in c("effect[Belonging, Calm]", "loading[Calm, sc3]", "intercept[be2]")) {
      slow <- vapply(refits, function(f) coef(f)[[name]], 0)
      mine <- table[table$parameter == name, ]
      expect_lt(abs(mine$se / sd(slow) - 1), 1e-5)
      expect_lt(max(abs(c(mine$lower, mine$upper) - percentile(slow))) / mine$se, 1e-4)
      expect_identical(mine$used, 50L)
    }
    slow <- vapply(refits, function(f) {
      e <- estimates(f)
      e$standardized[e$parameter == "effect[Belonging, Calm]"]
    }, 0)
    mine <- table[table$parameter == "standardized(effect[Belonging, Calm])", ]
    expect_lt(abs(mine$se / sd(slow) - 1), 1e-5)
    expect_lt(abs(mine$bias - (mean(slow) - mine$estimate)) / mine$se, 1e-4)
  }
})

test_that("groups are drawn within themselves, clusters whole, weights along", {
  fit <- quiet_fit(effect_model, small_choir, by = "setting", hold = "loading", incomplete = "drop")
  rows <- resample_rows(fit, 3, 1)
  used <- table(small_choir$setting[unlist(lapply(fit$sample$groups, `[[`, "used"))])
  for (r in rows) expect_identical(table(small_choir$setting[r]), used)
  boot <- bootstrap_fit(fit, 30, seed = 1, interval = "percentile")
  name <- "covariance[Belonging, Calm | weekend]"
  name <- "variance[Belonging | weekend]"
  slow <- vapply(plain_refits(fit, small_choir, 30, 1), function(f) coef(f)[[name]], 0)
  expect_lt(abs(subset(as.data.frame(boot), parameter == name)$se / sd(slow) - 1), 1e-5)

  data <- small_choir
  data$class <- paste("class", rep(1:25, each = 10))
  data$w <- rep(c(1, 2, 1, 3, 1), 50)
  clustered <- quietly(fit_model(effect_model, data, clusters = class, incomplete = "drop"))
  drawn <- table(factor(data$class, unique(data$class))[resample_rows(clustered, 1, 5)[[1]]])
  whole <- table(factor(data$class, unique(data$class))[
    clustered$sample$groups[[1]]$used])
  expect_true(all(drawn %% whole == 0))
  expect_identical(sum(drawn / whole), 25)
  weighted <- quietly(fit_model(effect_model, data, weights = w, incomplete = "drop"))
  # values, and standard errors that depend on the cases of each replicate with their weights or
  # clusters
  read <- function(f) {
    c(coef(f)["loading[Calm, sc3]"], se = sqrt(vcov(f)["loading[Calm, sc3]", "loading[Calm, sc3]"]),
      chisq = index_value(f, "chisq_inflation"))
  }
  for (fit in list(weighted, clustered)) {
    boot <- bootstrap_fit(fit, 20, read, seed = 2, interval = "percentile")
    used <- fit$sample$groups[[1]]$used
    first <- used[!duplicated(data$class[used])]
    slow <- t(vapply(resample_rows(fit, 20, 2), function(rows) {
      again <- data[rows, ]
      # copies of a cluster are separate clusters
      if (identical(fit, clustered)) again$class <- paste(cumsum(rows %in% first))
      read(quietly(refit(fit, data = again)))
    }, numeric(3)))
    expect_equal(unname(boot$values), unname(slow), tolerance = 1e-4)
  }
})

test_that("any reader and any function is bootstrapped, light fits as the whole ones", {
  bp <- claim(effect_model, H1 = effect[Belonging, Calm] > 0)
  fit <- quiet_fit(bp, small_choir, inference = "robust")
  own <- function(f) c(ratio = coef(f)[["loading[Calm, sc3]"]] / coef(f)[["loading[Calm, sc2]"]])
  errors <- function(f) sqrt(diag(vcov(f)))
  chisq <- function(f) c(chisq = fit_indices(f)$value[1])
  named_errors <- function(f) stats::setNames(errors(f), paste("se", names(coef(f))))
  readers <- list(own = own, se = named_errors, r = r_squared, e = effects, v = verdicts,
                  s = function(f) c(n = nobs(f)))
  boot <- bootstrap_fit(fit, 25, readers, seed = 3, interval = "percentile")
  refits <- plain_refits(fit, small_choir, 25, 3)
  table <- as.data.frame(boot)
  sd_of <- function(name) table$se[table$parameter == name]
  expect_lt(abs(sd_of("ratio") / sd(vapply(refits, own, 0)) - 1), 1e-5)
  # robust standard errors of a replicate are based on its own cases
  slow <- vapply(refits, function(f) errors(f)[["effect[Belonging, Calm]"]], 0)
  expect_lt(abs(sd_of("se effect[Belonging, Calm]") / sd(slow) - 1), 1e-4)
  slow <- vapply(refits, function(f) r_squared(f)$r_squared[1], 0)
  expect_lt(abs(sd_of(paste0("r_squared[", r_squared(fit)$variable[1], "]")) / sd(slow) - 1), 1e-5)
  expect_identical(table$estimate[table$parameter == "supported[H1]"], 1)
  expect_identical(table$estimate[table$parameter == "n"], as.numeric(nobs(fit)))
})

test_that("latent means and gaps between groups are bootstrapped like anything else", {
  held <- blueprint("Held") |> construct("Calm", reflected_in = sc1:sc4) |>
    hold_equal(loading, intercept)
  data <- choirs[1:300, ]
  fit <- quiet_fit(held, data, by = "setting", incomplete = "drop")
  boot <- bootstrap_fit(fit, 25, list(means = latent_means, gaps = noninvariance), seed = 1,
                        interval = "percentile")
  refits <- plain_refits(fit, data, 25, 1)
  table <- as.data.frame(boot)
  slow <- vapply(refits, function(f) latent_means(f)$difference, 0)
  mine <- table[table$parameter == "difference[Calm | weekend]", ]
  expect_lt(abs(mine$se / sd(slow) - 1), 1e-4)
  shown <- latent_means(fit, bootstrap = boot)
  expect_identical(shown$se, mine$se)
  slow <- vapply(refits, function(f) noninvariance(f)$difference[2], 0)
  at <- match("difference[sc2 | weekend]", table$parameter)
  expect_lt(abs(table$se[at] / sd(slow) - 1), 1e-3)
})

test_that("auxiliary variables stay beside the model in every replicate", {
  fit <- quietly(fit_model(effect_model, small_choir, auxiliary = c(age, years)))
  boot <- bootstrap_fit(fit, 25, seed = 4, interval = "percentile")
  slow <- vapply(plain_refits(fit, small_choir, 25, 4), function(f) coef(f)[["loading[Calm, sc3]"]],
                 0)
  expect_lt(abs(subset(as.data.frame(boot), parameter == "loading[Calm, sc3]")$se / sd(slow) - 1),
            1e-5)
})

test_that("BCa is Efron's: acceleration from a jackknife, z0 from ties halved, p where zero is met",
          {
  fit <- quiet_fit(effect_model, small_choir, incomplete = "drop")
  boot <- bootstrap_fit(fit, 400, seed = 1)
  used <- fit$sample$groups[[1]]$used
  name <- "effect[Belonging, Calm]"
  left_out <- vapply(used, function(row) {
    coef(quietly(refit(fit, data = small_choir[setdiff(used, row), ])))[[name]]
  }, 0)
  e <- mean(left_out) - left_out
  a <- sum(e^3) / (6 * sum(e^2)^1.5)
  expect_lt(abs(boot$acceleration[[name]] - a), 1e-6)
  x <- boot$values[, name]
  z0 <- qnorm(mean(x < coef(fit)[[name]]))
  end <- function(q) pnorm(z0 + (z0 + qnorm(q)) / (1 - a * (z0 + qnorm(q))))
  row <- subset(as.data.frame(boot), parameter == name)
  # the k-th of B values is the quantile k / (B + 1)
  k <- c(end(0.025), end(0.975)) * 401
  expect_gte(row$lower, sort(x)[floor(k[1])])
  expect_lte(row$lower, sort(x)[ceiling(k[1])])
  expect_gte(row$upper, sort(x)[floor(k[2])])
  expect_lte(row$upper, sort(x)[ceiling(k[2])])
  # the interval at level 1 - p ends at zero
  near <- bootstrap_fit(fit, 1000, function(f) c(gap = coef(f)[["loading[Belonging, be2]"]] - 1),
                        seed = 1)
  p <- as.data.frame(near)$p
  expect_true(p > 0.02 && p < 0.98)
  expect_lt(min(abs(confint(near, level = 1 - p))), 0.05 * as.data.frame(near)$se)
  # e = H^-1 s_i to first order (numerics of single cases)
  one_step <- attr(influence(fit, top = 0), "changes")[, name]
  expect_lt(abs(sum((-one_step)^3) / (6 * sum(one_step^2)^1.5) - a), 0.01)
})

test_that("the same seed gives the same numbers, another one others, and R's own are left alone", {
  fit <- quiet_fit(effect_model, small_choir, incomplete = "drop")
  set.seed(11)
  before <- .Random.seed
  one <- bootstrap_fit(fit, 30, seed = 1)
  expect_identical(.Random.seed, before)
  two <- bootstrap_fit(fit, 30, seed = 1)
  other <- bootstrap_fit(fit, 30, seed = 2)
  expect_identical(one$theta, two$theta)
  expect_identical(as.data.frame(one), as.data.frame(two))
  expect_false(any(one$theta[1, ] == other$theta[1, ]))
  set.seed(3)
  a <- bootstrap_fit(fit, 5, interval = "percentile")
  set.seed(3)
  expect_identical(bootstrap_fit(fit, 5, interval = "percentile")$theta, a$theta)
})

test_that("fit indices are corrected for the misfit that resampling adds", {
  fit <- quiet_fit(effect_model, choirs, incomplete = "drop")
  boot <- bootstrap_fit(fit, 200, fit_indices, seed = 1, interval = "percentile")
  table <- as.data.frame(boot)
  of <- function(name) table[table$parameter == name, ]
  expect_lt(abs(of("chisq")$bias), 4 * of("chisq")$se / sqrt(200))
  expect_lt(abs(of("srmr")$bias), of("srmr")$se / 2)
  expect_true(of("rmsea")$lower < of("rmsea")$estimate && of("rmsea")$upper > of("rmsea")$estimate)
  expect_false(any(c("p", "aic", "loglik") %in% table$parameter))
  expect_true(all(is.na(table$p)))
  # uncorrected, chi-square would be too large by tr(U Gamma), near its degrees of freedom
  raw <- mean(boot$chisq) - deviance(fit)
  robust <- quietly(refit(fit, inference = "robust"))
  trace <- index_value(robust, "chisq_inflation") * df.residual(fit)
  expect_lt(abs(raw - trace), 4 * sd(boot$chisq) / sqrt(200))
})

test_that("the parametric bootstrap draws what simulate() draws", {
  fit <- quiet_fit(effect_model, small_choir)
  boot <- bootstrap_fit(fit, 25, seed = 9, draw = "model", interval = "percentile")
  sets <- simulate(fit, 25, seed = 9, missing = "as observed")
  slow <- vapply(sets, function(d) coef(quietly(refit(fit, data = d)))[["effect[Belonging, Calm]"]],
                 0)
  expect_equal(boot$values[, "effect[Belonging, Calm]"], slow, tolerance = 1e-5)
  expect_error(bootstrap_fit(fit, 25, fit_indices, draw = "model"), class = "orizzonte_error_input")
})

test_that("readers take a bootstrap of their fit, and of no other", {
  bp <- claim(effect_model, H1 = effect[Belonging, Calm] > 0)
  fit <- quiet_fit(bp, small_choir)
  boot <- bootstrap_fit(fit, 100, list(e = estimates, v = verdicts, i = fit_indices, r = r_squared),
                        seed = 1, interval = "percentile")
  table <- as.data.frame(boot)
  shown <- estimates(fit, bootstrap = boot)
  at <- match(shown$parameter, table$parameter)
  expect_identical(shown$se, table$se[at])
  expect_identical(shown$lower, table$lower[at])
  expect_true(all(is.na(shown$z)))
  judged <- verdicts(fit, bootstrap = boot)
  expect_identical(judged$p, table$p[table$parameter == "H1"])
  expect_identical(judged$verdict, "supported")
  index <- fit_indices(fit, bootstrap = boot)
  expect_identical(index$lower[index$index == "cfi"], table$lower[table$parameter == "cfi"])
  expect_true(any(grepl("100 bootstrap replicates",
                        capture.output(print(summary(fit, bootstrap = boot))))))
  file <- tempfile(fileext = ".md")
  write_report(fit, file, quiet = TRUE, bootstrap = boot)
  expect_true(any(grepl("100 bootstrap replicates", readLines(file))))
  other <- quiet_fit(effect_model, choirs[1:200, ])
  expect_error(estimates(other, bootstrap = boot), class = "orizzonte_error_input")
  expect_error(estimates(fit, bootstrap = 3), class = "orizzonte_error_input")
  expect_error(estimates(fit, bootstrap = bootstrap_fit(fit, 20, r_squared, seed = 1)),
               class = "orizzonte_error_input")
})

test_that("lost and improper replicates are counted, and left out by the stated rule only", {
  set.seed(5)
  weak <- simulate(blueprint("W") |> construct("A", reflected_in = a1:a3), 1, seed = 2, n = 45,
                   truth = c("loading[A, a1]" = .9, "loading[A, a2]" = .8,
                             "loading[A, a3]" = .25))[[1]]
  fit <- quietly(fit_model(blueprint("W") |> construct("A", reflected_in = a1:a3), weak))
  kept <- bootstrap_fit(fit, 100, seed = 1, interval = "percentile")
  dropped <- bootstrap_fit(fit, 100, seed = 1, interval = "percentile", improper = "drop")
  expect_gt(sum(kept$improper), 5)
  expect_identical(as.data.frame(dropped)$used[1],
                   as.integer(sum(dropped$status == 0L & !dropped$improper)))
  expect_identical(as.data.frame(kept)$used[1], as.integer(sum(kept$status == 0L)))
  said <- paste(capture.output(print(kept)), collapse = " ")
  expect_match(said, "improper: *kept")
  # improper by the same rule as the fit itself
  at <- which(kept$improper & kept$status == 0L)[1]
  row <- resample_rows(fit, 100, 1)[[at]]
  alone <- quietly(refit(fit, data = weak[row, ]))
  expect_true(any(grepl("improper", capture.output(print(alone)), ignore.case = TRUE)))
})

test_that("replicates are drawn, twelve numbers at most or those that are named", {
  fit <- quiet_fit(effect_model, small_choir)
  boot <- bootstrap_fit(fit, 30, seed = 1, interval = "percentile")
  expect_length(unique(plot(boot)$data$panel), 12L)
  one <- plot(boot, "effect[Belonging, Calm]")
  expect_identical(sum(one$data$n), 30L)
  expect_error(plot(boot, "effect[Belonging, Nobody]"), class = "orizzonte_error_address")
  expect_error(confint(boot, 999), class = "orizzonte_error_address")
  expect_error(confint(fit, 999), class = "orizzonte_error_address")
})

test_that("what cannot be bootstrapped is refused by class", {
  fit <- quiet_fit(effect_model, small_choir)
  expect_error(bootstrap_fit(3), class = "orizzonte_error_input")
  expect_error(bootstrap_fit(fit, reps = "many"), class = "orizzonte_error_input")
  expect_error(bootstrap_fit(fit, reps = 1.5), class = "orizzonte_error_input")
  expect_error(bootstrap_fit(fit, 20, what = 5), class = "orizzonte_error_input")
  expect_error(bootstrap_fit(fit, 20, what = list(effects, estimates)),
               class = "orizzonte_error_input")
  expect_error(bootstrap_fit(fit, 20, what = function(f) "text"), class = "orizzonte_error_input")
  expect_error(bootstrap_fit(fit, 20, seed = "a"), class = "orizzonte_error_input")
  expect_error(bootstrap_fit(fit, 20, interval = "normal"), class = "orizzonte_error_input")
  moments <- summary_data(cov(complete_choirs(c("be1", "be2", "be3"))), 300)
  from_summary <- quietly(fit_model(blueprint("B") |> construct("B", reflected_in = be1:be3),
                                    moments))
  expect_error(bootstrap_fit(from_summary), class = "orizzonte_error_data")
  expect_error(bootstrap_fit(from_summary, 20, draw = "model"), class = "orizzonte_error_input")
  drawn <- bootstrap_fit(from_summary, 40, draw = "model", interval = "percentile", seed = 1)
  expect_identical(sum(drawn$status == 0L), 40L)
  expect_error(resample_rows(from_summary, 2, 1), class = "orizzonte_error_data")
})

test_that("a p value of replicates is never below what they can show", {
  # by hand: 999 replicates, none of them on the other side of zero
  x <- seq(0.1, 1, length.out = 999)
  expect_equal(replicate_p(x, 0.5, "percentile", 0, 0, 999), 2 / 1000)
  expect_equal(replicate_p(x, 0.5, "bca", 0.3, 0, 999), 2 / 1000)
  expect_equal(replicate_p(x, 0.5, "bca", 0.6, 0.1, 999), 2 / 1000)
  # three below zero, two ties: the ties count on both sides
  x <- c(rep(-1, 3), 0, 0, rep(1, 994))
  expect_equal(replicate_p(x, 0.5, "percentile", 0, 0, 999), 2 * (1 + 5) / 1000)
  expect_equal(replicate_p(-x, -0.5, "percentile", 0, 0, 999), 2 * (1 + 5) / 1000)
  expect_equal(replicate_p(c(rep(-1, 500), rep(1, 499)), 0.1, "percentile", 0, 0, 999), 1)
  # bias-corrected: the normal quantiles of the definition
  w <- stats::qnorm((3 + 1 + 0.5) / 1000) - 0.2
  expect_equal(replicate_p(x, 0.5, "bca", 0.2, 0.05, 999),
               max(0.002, 2 * stats::pnorm(-abs(w / (1 + 0.05 * w) - 0.2))))
  w <- stats::qnorm((3 + 1 + 0.5) / 1000) + 0.4
  p <- 2 * stats::pnorm(-abs(w / (1 + 0.05 * w) + 0.4))
  expect_gt(p, 0.002)
  expect_equal(replicate_p(x, 0.5, "bca", -0.4, 0.05, 999), p)
  # acceleration beyond the reach of the transformation, estimates outside
  expect_true(is.na(replicate_p(seq(0.1, 1, length.out = 999), 0.5, "bca", 0, 0.5, 999)))
  expect_true(is.na(replicate_p(x, 2, "percentile", 0, 0, 999)))
  expect_identical(format_replicate_p(c(2 / 1000, 0.003, 2 / 5001, NA), c(999, 999, 5000, 999)),
                   c("< .002", ".003", "< .001", ""))
})

test_that("what cannot be zero has an interval but no p value, and that is said", {
  fit <- quiet_fit(effect_model, small_choir, incomplete = "drop")
  boot <- bootstrap_fit(fit, 120, list(estimates, r_squared, construct_quality)[1:2] |>
                          stats::setNames(c("e", "r")), seed = 1, interval = "percentile")
  table <- as.data.frame(boot)
  without <- grepl("variance\\[|r_squared\\[", table$parameter) & table$se > 0
  expect_true(any(grepl("r_squared", table$parameter[without])))
  expect_true(all(is.na(table$p[without])))
  expect_false(anyNA(table$lower[without]))
  loading <- table[table$parameter == "loading[Calm, sc2]", ]
  expect_equal(loading$p, 2 / 121)
  expect_output(print(boot), "< .017", fixed = TRUE)
  expect_output(print(boot), text_pattern("no_p_from_replicates"))
  quality <- bootstrap_fit(fit, 100, construct_quality, seed = 1, interval = "percentile")
  table <- as.data.frame(quality)
  expect_true(all(is.na(table$p[grepl("^(omega|alpha|ave|htmt)", table$parameter)])))
})

test_that("replicates too few to place a p value against .05 are said, with the number needed", {
  table <- data.frame(parameter = c("a", "b", "c"), se = 1, used = 999,
                      p = c(0.05 + 2 * sqrt(0.0495 * 0.9505 / 999) * 0.5, 0.2, 0.001))
  notes <- replicate_p_notes(table)
  expect_match(notes, text_pattern("p_not_placed", close = "a"), all = FALSE)
  p <- table$p[1]
  needed <- signif(ceiling(p * (1 - p) * (2 / (p - 0.05))^2), 2)
  expect_match(notes, format_count(needed), fixed = TRUE, all = FALSE)
  expect_length(replicate_p_notes(transform(table, p = c(0.08, 0.2, 0.001))), 0)
})
