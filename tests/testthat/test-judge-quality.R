items <- c(paste0("be", 1:4), paste0("sc", 1:4), paste0("st", 1:3))
constructs <- c("Belonging", "Calm", "Staying")
measures <- blueprint("Measures") |>
  construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4) |>
  construct("Staying", reflected_in = st1:st3) |>
  covary(be1, be2)
crossed <- blueprint("Crossed") |>
  construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = c(sc1, sc2, sc3, sc4, st2)) |>
  construct("Staying", reflected_in = st1:st3) |>
  covary(be1, be2)
markers <- c(`loading[Belonging, be1]` = 1, `loading[Calm, sc1]` = 1, `loading[Staying, st1]` = 1)
complete <- complete_choirs(items)

test_that("omega and AVE equal their definitions, with errors of the delta method by numbers", {
  for (bp in list(measures, crossed)) {
    fit <- quiet_fit(bp, complete)
    table <- as.data.frame(construct_quality(fit, leave_out = "none"))
    theta <- coef(fit)
    model <- oracle_factor_model(theta, items, constructs, markers)
    expect_equal(model$sigma, implied(fit)$all$covariance[items, items], tolerance = 1e-10)
    expect_equal(table$omega, vapply(constructs, oracle_omega, 0, model = model),
                 tolerance = 1e-10, ignore_attr = TRUE)
    expect_equal(table$ave, vapply(constructs, oracle_ave, 0, model = model), tolerance = 1e-10,
                 ignore_attr = TRUE)
    se <- function(f) {
      gradient <- numDeriv::jacobian(function(t) {
        one <- oracle_factor_model(stats::setNames(t, names(theta)), items, constructs, markers)
        vapply(constructs, f, 0, model = one)
      }, unname(theta))
      sqrt(rowSums((gradient %*% vcov(fit)) * gradient))
    }
    limit <- function(value, error, by) {
      plogis(qlogis(value) + by * qnorm(.975) * error / (value * (1 - value)))
    }
    expect_equal(table$omega_lower, limit(table$omega, se(oracle_omega), -1), tolerance = 1e-6,
                 ignore_attr = TRUE)
    expect_equal(table$ave_upper, limit(table$ave, se(oracle_ave), 1), tolerance = 1e-6,
                 ignore_attr = TRUE)
  }
})

test_that("alpha and its error are those of the cases: complete, in clusters, summed up", {
  fit <- quiet_fit(measures, complete)
  table <- as.data.frame(construct_quality(fit, leave_out = "none"))
  s <- cov(complete)
  keyed <- function(names) {
    key <- ifelse(names == "sc3", -1, 1)
    list(s = s[names, names] * outer(key, key), x = t(t(as.matrix(complete[names])) * key))
  }
  calm <- keyed(paste0("sc", 1:4))
  expect_equal(table$alpha[2], oracle_alpha(calm$s), tolerance = 1e-10)
  expect_equal(table$alpha_standardized[2], oracle_alpha(cov2cor(calm$s)), tolerance = 1e-10)
  limits <- function(alpha, se) 1 - (1 - alpha) * exp(c(1, -1) * qnorm(.975) * se / (1 - alpha))
  expect_equal(unlist(table[2, c("alpha_lower", "alpha_upper")]),
               limits(table$alpha[2], oracle_alpha_error(calm$x)), tolerance = 1e-6,
               ignore_attr = TRUE)
  # sums over choirs
  complete$choir <- rep_len(seq_len(60), nrow(complete))
  robust <- quiet_fit(measures, complete, clusters = "choir")
  clustered <- as.data.frame(construct_quality(robust, leave_out = "none"))
  half <- qt(.975, 59) * oracle_alpha_error(calm$x, complete$choir) / (1 - table$alpha[2])
  expect_equal(clustered$alpha_upper[2], 1 - (1 - table$alpha[2]) * exp(-half), tolerance = 1e-6)
  # normal theory of a covariance matrix: compared with the variance over many normal samples
  summed <- summary_data(s, n = nrow(complete))
  from_summary <- as.data.frame(construct_quality(suppressMessages(fit_model(measures, summed)),
                                                  leave_out = "none"))
  expect_equal(from_summary$alpha, table$alpha, tolerance = 1e-8)
  k <- 4
  one <- rep(1, k)
  v <- sum(calm$s)
  q <- 2 * k^2 / ((k - 1)^2 * v^3) *
    (v * (sum(diag(calm$s %*% calm$s)) + sum(diag(calm$s))^2) -
       2 * sum(diag(calm$s)) * drop(one %*% calm$s %*% calm$s %*% one))
  expect_equal(unlist(from_summary[2, c("alpha_lower", "alpha_upper")]),
               limits(table$alpha[2], sqrt(q / nrow(complete))), tolerance = 1e-6,
               ignore_attr = TRUE)
})

test_that("with missing values alpha and its error come from the saturated likelihood", {
  x <- as.matrix(complete[paste0("st", 1:3)])
  x[cbind(rep(seq_len(120), 2), c(rep(1:3, 40), rep(2, 120)))] <- NA
  x <- x[rowSums(!is.na(x)) > 0, ]
  fit <- quiet_fit(blueprint("Staying") |> construct("Staying", reflected_in = st1:st3),
                   as.data.frame(x))
  table <- as.data.frame(construct_quality(fit, leave_out = "none"))
  s <- observed(fit)$all$covariance
  expect_equal(table$alpha, oracle_alpha(s), tolerance = 1e-8)
  low <- lower.tri(diag(3), TRUE)
  saturated <- list(build = function(t) {
    sigma <- diag(3)
    sigma[low] <- t[1:6]
    sigma[upper.tri(sigma)] <- t(sigma)[upper.tri(sigma)]
    list(list(sigma = sigma, mu = t[7:9]))
  })
  at <- c(s[low], observed(fit)$all$mean)
  vcov <- oracle_sandwich(saturated, at, list(x))
  slope <- numDeriv::grad(function(t) oracle_alpha(saturated$build(t)[[1]]$sigma), at)
  se <- sqrt(drop(slope %*% vcov %*% slope))
  expect_equal(table$alpha_lower,
               1 - (1 - table$alpha) * exp(qnorm(.975) * se / (1 - table$alpha)),
               tolerance = 1e-4)
  # auxiliary variables, in any order, do not change how items are counted
  data <- cbind(as.data.frame(x), aux = rnorm(nrow(x)))
  beside <- quiet_fit(fit$request$blueprint, data, auxiliary = "aux")
  with <- as.data.frame(construct_quality(beside, leave_out = "none"))
  expect_equal(with$alpha_lower, table$alpha_lower, tolerance = 0.02)
})

test_that("ratios, shared variance and the test against 1 equal their definitions, by group", {
  choirs_complete <- choirs[complete.cases(choirs[items]), ]
  fit <- quiet_fit(measures, choirs_complete, by = "setting")
  found <- construct_quality(fit, leave_out = "none")
  for (g in c("evening", "weekend")) {
    own <- cor(choirs_complete[choirs_complete$setting == g, items])
    own["sc3", ] <- -own["sc3", ]
    own[, "sc3"] <- -own[, "sc3"]
    pairs <- found$pairs[found$pairs$group == g, ]
    expect_equal(pairs$htmt[1], oracle_htmt(own, paste0("be", 1:4), paste0("sc", 1:4)))
    expect_equal(pairs$htmt[3], oracle_htmt(own, paste0("sc", 1:4), paste0("st", 1:3)))
    expect_equal(found$htmt[[g]]["Calm", "Staying"], pairs$htmt[3])
    phi <- implied(fit)[[g]]$constructs
    expect_equal(pairs$correlation, cov2cor(phi)[lower.tri(phi)], tolerance = 1e-10)
    expect_equal(pairs$p_below_one,
                 pnorm((1 - abs(pairs$correlation)) / pairs$se, lower.tail = FALSE))
    table <- found$table[found$table$group == g, ]
    expect_equal(table$largest_shared,
                 c(max(pairs$correlation[1:2]^2), max(pairs$correlation[c(1, 3)]^2),
                   max(pairs$correlation[2:3]^2)))
    expect_equal(diag(found$fornell_larcker[[g]])^2, table$ave, ignore_attr = TRUE)
  }
  geometric <- construct_quality(fit, leave_out = "none", htmt = "geometric")
  r <- cor(choirs_complete[choirs_complete$setting == "weekend", c("be1", "be2", "be3", "be4",
                                                                   "st1", "st2", "st3")])
  means <- function(x) exp(mean(log(x)))
  by_hand <- means(r[1:4, 5:7]) / sqrt(means(r[1:4, 1:4][lower.tri(diag(4))]) *
                                         means(r[5:7, 5:7][lower.tri(diag(3))]))
  expect_equal(geometric$htmt$weekend["Belonging", "Staying"], by_hand)
})

test_that("tau-equivalence and the values without an item are those of refits by hand", {
  fit <- quiet_fit(measures, complete)
  found <- construct_quality(fit, leave_out = "all")
  equal <- quiet_fit(blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4) |>
                       restrict(loading[Calm, sc2] == 1, loading[Calm, sc3] == -1,
                                loading[Calm, sc4] == 1) |> set_scale("sc1", Calm), complete)
  row <- found$tau_equivalent[found$tau_equivalent$construct == "Calm", ]
  expect_equal(row$chisq, exact_test(equal)$chisq, tolerance = 1e-6)
  expect_equal(row$df, 5)
  expect_equal(found$table$p_tau_equivalent[2],
               stats::pchisq(row$chisq, 5, lower.tail = FALSE))
  without <- quiet_fit(measures |> leave_out(sc3), complete)
  after <- as.data.frame(construct_quality(without, leave_out = "none"))
  row <- found$left_out[found$left_out$item == "sc3", ]
  expect_equal(c(row$omega, row$alpha, row$ave), c(after$omega[2], after$alpha[2], after$ave[2]))
  expect_equal(row$omega_change, row$omega - found$table$omega[2])
  expect_equal(row$cfi, glance(without)$cfi, tolerance = 1e-8)
  expect_equal(nrow(found$left_out), length(items))
  # correlated errors alone make alpha biased: equal loadings, one pair of errors
  set.seed(6)
  f <- stats::rnorm(800)
  shared <- stats::rnorm(800)
  data <- as.data.frame(sapply(1:4, function(i) f + stats::rnorm(800) + (i < 3) * shared))
  names(data) <- paste0("x", 1:4)
  pair <- quiet_fit(blueprint("P") |> construct("P", reflected_in = x1:x4) |> covary(x1, x2), data)
  expect_lt(as.data.frame(construct_quality(pair))$p_tau_equivalent, 0.001)
  # the same whatever the scale
  for (scale in c("unit", "average")) {
    other <- as.data.frame(construct_quality(quiet_fit(set_scale(measures, scale), complete)))
    expect_equal(other[3:12], found$table[3:12], tolerance = 1e-5)
    expect_equal(other$p_tau_equivalent[c(1, 3)], found$table$p_tau_equivalent[c(1, 3)],
                 tolerance = 1e-5)
  }
})

test_that("what falls short is said with its item, and what is not judged with a reason", {
  weak <- blueprint("Craft") |>
    construct("Craft", reflected_in = cr1:cr4) |>
    construct("Resources", composed_of = c(rooms, scores, coach)) |>
    construct("Staying", reflected_in = st1:st3) |>
    effect(Staying ~ Craft + Resources)
  fit <- quiet_fit(weak, choirs)
  strict <- construct_quality(fit, criteria = criteria(reliability = c(.9, .85), htmt = c(.3, .4)))
  text <- paste(capture.output(print(strict)), collapse = "\n")
  expect_match(text, paste0("Craft: ", text_pattern("is_below", what = "omega", value = ".73",
                                                    cutoff = ".85"),
                            text_pattern("weakest_item_is_standardized", item = "cr4")))
  expect_match(text, text_pattern("htmt_is_above", htmt_2 = ".40"))
  expect_match(text, text_pattern("not_judged", left = "Resources..."))
  expect_equal(as.data.frame(strict)$verdict[1], "falls_short")
  expect_equal(as.data.frame(strict)$short[1], "omega, HTMT")
  expect_true(all(c("cr4", "st2") %in% strict$left_out$item))
  growth <- blueprint("Growth") |>
    construct("Level", reflected_in = c(w1 = 1, w2 = 1, w3 = 1, w4 = 1)) |>
    construct("Slope", reflected_in = c(w1 = 0, w2 = 1, w3 = 2, w4 = 3))
  judged <- construct_quality(quiet_fit(growth, choirs_growth))
  expect_equal(names(judged$left), "Slope")
  paths <- quiet_fit(blueprint("Paths") |> effect(st1 ~ be1), complete)
  expect_error(construct_quality(paths), "no constructs", class = "orizzonte_error_input")
  expect_error(construct_quality(fit, htmt = "keyd"), text_pattern("did_you_mean"),
               class = "orizzonte_error_input")
  expect_error(construct_quality(fit, leave_out = cr4), class = "error")
  single <- quiet_fit(blueprint("One") |> construct("Belonging", reflected_in = be1:be4) |>
                        construct("Sure", reflected_in = st1) |>
                        restrict(variance[st1] == 50), complete)
  one <- as.data.frame(construct_quality(single))
  expect_equal(one$verdict[2], "assumed")
  expect_equal(one$omega[2], 1 - 50 / implied(single)$all$covariance["st1", "st1"])
  expect_true(is.na(one$alpha[2]) && is.na(construct_quality(single)$pairs$htmt))
})

test_that("a bootstrap of measures is that of a plain loop", {
  fit <- quiet_fit(measures, complete[1:250, ])
  reps <- 12
  boot <- bootstrap_fit(fit, reps, construct_quality, seed = 5, interval = "percentile")
  rows <- resample_rows(fit, reps, seed = 5)
  loop <- vapply(rows, function(at) {
    again <- suppressWarnings(suppressMessages(refit(fit, data = complete[at, ])))
    quality <- construct_quality(again, leave_out = "none")
    c(quality$table$omega, quality$pairs$htmt)
  }, numeric(6))
  names <- c(paste0("omega[", constructs, "]"),
             paste0("htmt[", c("Belonging, Calm", "Belonging, Staying", "Calm, Staying"), "]"))
  expect_equal(boot$values[, names], t(loop), tolerance = 1e-5, ignore_attr = TRUE)
  shown <- construct_quality(fit, bootstrap = boot, leave_out = "none")
  limits <- confint(boot)
  expect_equal(shown$pairs$htmt_lower, unname(limits[names[4:6], 1]))
  expect_equal(shown$table$omega_upper, unname(limits[names[1:3], 2]))
  expect_match(capture.output(print(shown)), "12 bootstrap replicates", all = FALSE)
  other <- bootstrap_fit(fit, 3, seed = 5, interval = "percentile")
  expect_error(construct_quality(fit, bootstrap = other), text_pattern("make_one_what_construct"),
               class = "orizzonte_error_input")
})

test_that("a single weak item says what would be without it; many variables, what is left out", {
  fit <- quiet_fit(read_blueprint(extdata("choirs.yaml")), choirs)
  quality <- construct_quality(fit)
  without <- quality$left_out[quality$left_out$item == "cr4", ]
  expect_match(paste(quality_sentences(quality), collapse = " "),
               paste0("cr4 loads .18, below .40.*; without it omega is ",
                      format_share(without$omega)))
  # 42 items with missing values
  set.seed(2)
  factor <- matrix(stats::rnorm(2 * 150), 150)
  wide <- as.data.frame(factor[, rep(1:2, each = 21)] + matrix(stats::rnorm(42 * 150), 150))
  names(wide) <- paste0(rep(c("a", "b"), each = 21), 1:21)
  wide[cbind(sample(150, 20), sample(42, 20))] <- NA
  bp <- blueprint("Wide") |> construct("A", reflected_in = all_of(paste0("a", 1:21))) |>
    construct("B", reflected_in = all_of(paste0("b", 1:21)))
  expect_output(print(construct_quality(quiet_fit(bp, wide), leave_out = "none")),
                text_pattern("more_than_variables_standard"))
})

test_that("an item that reflects two constructs belongs to one scale, and HTMT leaves it out", {
  fit <- quiet_fit(crossed, complete)
  found <- construct_quality(fit, leave_out = "none")
  expect_identical(found$crossing[c("item", "construct", "others")],
                   list_frame(list(item = "st2", construct = "Staying", others = "Calm")))
  expect_equal(found$table$items, c(4, 4, 3))
  plain <- as.data.frame(construct_quality(quiet_fit(measures, complete), leave_out = "none"))
  expect_equal(found$table$alpha, plain$alpha, tolerance = 1e-8)
  r <- cor(complete)
  r["sc3", ] <- -r["sc3", ]
  r[, "sc3"] <- -r[, "sc3"]
  pair <- found$pairs[found$pairs$first == "Calm" & found$pairs$second == "Staying", ]
  expect_equal(pair$htmt, oracle_htmt(r, paste0("sc", 1:4), c("st1", "st3")))
  expect_identical(pair$htmt_without, "st2")
  text <- paste(capture.output(print(found)), collapse = "\n")
  expect_match(text, text_pattern("item_counts_for", item = "st2", construct = "Staying"))
  expect_match(text, text_pattern("htmt_is_without", items = "st2", loads = "loads"))
  expect_no_match(text, "Calm: st2")
  # two items, one of them shared: no ratio, and the text does not call any pair the largest without
  # mentioning it
  short <- blueprint("Short") |> construct("A", reflected_in = c(be1, be2, st1)) |>
    construct("B", reflected_in = c(st1, st2)) |> construct("C", reflected_in = sc1:sc4)
  quality <- construct_quality(suppressWarnings(quiet_fit(short, complete)), leave_out = "none")
  if (anyNA(quality$pairs$htmt) && !all(is.na(quality$pairs$htmt)))
    expect_match(paste(methods_text(quality), collapse = " "),
                 text_pattern("htmt_unknown", count = as.character(sum(is.na(quality$pairs$htmt)))))
})

test_that("intervals of correlations stay within their range (Fisher's z)", {
  fit <- quiet_fit(measures, complete)
  pairs <- construct_quality(fit, leave_out = "none")$pairs
  half <- qnorm(.975) * pairs$se / (1 - pairs$correlation^2)
  expect_equal(pairs$lower, tanh(atanh(pairs$correlation) - half))
  expect_equal(pairs$upper, tanh(atanh(pairs$correlation) + half))
  limits <- correlation_interval(c(0.97, -0.97, 1, 1.02, NA), 0.05, 0.95)
  expect_lt(limits$upper[1], 1)
  expect_gt(limits$lower[2], -1)
  expect_true(all(is.na(limits$upper[3:5])))
})

test_that("two constructs that correlate highly are tested as one, on m - 1 degrees of freedom", {
  set.seed(8)
  n <- 300
  f <- stats::rnorm(n)
  g <- 0.5 * f + stats::rnorm(n)
  data <- as.data.frame(cbind(sapply(1:6, function(i) 0.7 * f + 0.7 * stats::rnorm(n)),
                              sapply(1:3, function(i) g + stats::rnorm(n))))
  names(data) <- paste0("x", 1:9)
  bp <- blueprint("Pair") |> construct("A", reflected_in = x1:x3) |>
    construct("B", reflected_in = x4:x6) |> construct("C", reflected_in = x7:x9)
  fit <- suppressWarnings(quiet_fit(bp, data))
  pairs <- construct_quality(fit, leave_out = "none")$pairs
  one <- quiet_fit(blueprint("One") |> construct("A", reflected_in = x1:x6) |>
                     construct("C", reflected_in = x7:x9), data)
  expect_gt(pairs$correlation[1], 0.8)
  expect_equal(pairs$one_df, c(2L, NA, NA))
  expect_equal(pairs$one_chisq[1], deviance(one) - deviance(fit), tolerance = 1e-6)
  expect_gt(pairs$one_p[1], 0.05)
  # a pair with an effect between them, and one with statements about single parameters
  effects <- suppressWarnings(quiet_fit(bp |> effect(C ~ A + B) |> effect(B ~ A), data))
  found <- construct_quality(effects, leave_out = "none")$pairs
  expect_equal(found$one_chisq[1], pairs$one_chisq[1], tolerance = 1e-5)
  stated <- suppressWarnings(quiet_fit(restrict(bp, loading[B, x5] == 1), data))
  expect_true(is.na(construct_quality(stated, leave_out = "none")$pairs$one_p[1]))
})

test_that("misfit and improper solutions come first; nothing is judged from an improper one", {
  wrong <- quiet_fit(blueprint("Wrong") |>
                       construct("All", reflected_in = c(be1, be2, be3, be4, sc1, sc2, sc3, sc4)),
                     complete)
  lines <- capture.output(print(construct_quality(wrong, leave_out = "none")))
  expect_match(lines[2], text_pattern("quality_model_fit"))
  expect_match(paste(lines[2:5], collapse = " "), text_pattern("quality_poor_fit"))
  fit <- quiet_fit(measures, complete)
  expect_no_match(paste(capture.output(print(construct_quality(fit))), collapse = " "),
                  text_pattern("quality_poor_fit"))
  improper <- fit_at(fit, replace(coef(fit), "variance[sc1]", -20))
  found <- construct_quality(improper, leave_out = "none")
  expect_true(all(is.na(found$table$verdict)))
  lines <- capture.output(print(found))
  expect_match(paste(lines[2:4], collapse = " "), text_pattern("quality_not_judged"))
  expect_no_match(paste(lines, collapse = " "), text_pattern("no_construct_falls_short"))
  # a Fisher interval exists only inside the range; a fixed single item is assumed, not acceptable
  single <- quiet_fit(blueprint("One") |> construct("Belonging", reflected_in = be1:be4) |>
                        construct("Sure", reflected_in = st1) |>
                        restrict(variance[st1] == 50), complete)
  expect_identical(as.data.frame(construct_quality(single))$verdict[2], "assumed")
})
