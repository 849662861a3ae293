bp <- blueprint("Two") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4)

test_that("tables of every kind come under broom's names", {
  fit <- quiet_fit(bp, choirs)
  table <- estimates(fit, 0.9)
  tidied <- tidy(fit, conf.int = TRUE, conf.level = 0.9)
  expect_identical(names(tidied), c("term", "kind", "estimate", "std.error", "statistic",
                                    "p.value", "standardized", "conf.low", "conf.high"))
  expect_equal(tidied$conf.low, table$lower)
  grouped <- tidy(quiet_fit(bp, choirs, by = setting))
  expect_setequal(grouped$group, c("evening", "weekend"))
  amended <- amendments(fit, top = 0)
  expect_equal(tidy(amended)$statistic, amended$modification_index)
  both <- compare_models(plain = fit, pair = quiet_fit(covary(bp, be1, be2), choirs),
                         reference = TRUE)
  compared <- tidy(both)
  expect_identical(compared$term, both$model)
  expect_equal(compared$statistic_change, both$chisq_change)
  expect_identical(glance(both)$lowest.BIC, "pair")
  expect_equal(glance(both)$models, 2)
  expect_equal(glance(fit)$statistic, deviance(fit))
  for (call in list(quote(tidy(fit, level = 0.9)), quote(tidy(both, level = 1)),
                    quote(glance(fit, 1)), quote(tidy(amended, level = 0.9)),
                    quote(tidy(fit, conf.int = NA))))
    expect_error(eval(call), class = "orizzonte_error")
})

test_that("ladders are tidied, a row a rung, and glanced at", {
  ladder <- suppressMessages(invariance(bp, choirs, by = setting))
  table <- as.data.frame(ladder)
  tidied <- tidy(ladder)
  expect_identical(tidied$term, table$rung)
  expect_equal(tidied$p.value_change, table$p_change)
  glanced <- glance(ladder)
  expect_equal(c(glanced$rungs, glanced$groups, glanced$nobs), c(4, 2, nobs(ladder$fits[[1]])))
  expect_true(glanced$highest %in% table$rung)
})

test_that("autoplot() draws what plot() draws", {
  fit <- quiet_fit(bp, choirs)
  expect_s3_class(ggplot2::autoplot(fit), "ggplot")
  expect_s3_class(ggplot2::autoplot(amendments(fit, top = 0)), "ggplot")
  expect_s3_class(ggplot2::autoplot(screen_data(choirs)), "ggplot")
  quality <- construct_quality(fit)
  split <- variance_split(quiet_fit(read_blueprint(extdata("models/bifactor.yaml")),
                                    choirs_bifactor))
  ladder <- suppressMessages(invariance(bp, choirs, by = setting))
  boot <- bootstrap_fit(fit, reps = 20, seed = 1, interval = "percentile")
  for (x in list(quality, split, ladder, boot, influence(fit))) {
    drawn <- ggplot2::layer_data(ggplot2::autoplot(x), 1)
    expect_identical(drawn, ggplot2::layer_data(plot(x), 1))
    expect_gt(nrow(drawn), 0)
  }
})

test_that("everything that is read, judged or resampled has a tidy table", {
  start <- read_blueprint(extdata("choirs-start.yaml"))
  fit <- quiet_fit(start, choirs)
  other <- suppressMessages(amend(fit, free = covariance[be1, be2], because = "alike"))
  ladder <- suppressMessages(invariance(bp, choirs, by = setting))
  loose <- loosen(ladder, "scalar", until = "p")
  halves <- split_data(choirs)
  explored <- suppressMessages(amend(quiet_fit(bp, halves$explore), free = covariance[be1, be2],
                                     because = "alike"))
  split <- variance_split(quiet_fit(read_blueprint(extdata("models/bifactor.yaml")),
                                    choirs_bifactor))
  truth <- c("loading[ , ]" = .7, "covariance[Belonging, Calm]" = .3)
  values <- list(
    estimates(fit), effects(fit), r_squared(fit), fit_indices(fit), verdicts(fit), without(fit),
    trail(other), latent_means(ladder), noninvariance(ladder), confirm(explored, halves$confirm),
    loose, construct_quality(fit), split, influence(fit), score_test(fit, covariance[be1, be2]),
    residuals(fit, largest = 5), side_by_side(fit, other), equations(fit), screen_data(choirs),
    compare_groups(ladder$fits$metric), bootstrap_test(fit, reps = 10, seed = 1),
    rescue(bp, choirs[1:100, ]),
    bootstrap_fit(fit, 25, seed = 1, interval = "percentile"), robustness(fit),
    power_of(bp, "covariance[Belonging, Calm]", n = c(100, 200), truth = truth),
    plan_study(bp, n = 100, truth = truth, reps = 20, seed = 1))
  for (x in values) {
    found <- tidy(x)
    expect_s3_class(found, "data.frame")
    expect_identical(names(found)[1], "term", info = class(x)[1])
    expect_gt(nrow(found), 0)
    expect_false(any(c("se", "lower", "upper", "z", "p") %in% names(found)), label = class(x)[1])
    expect_error(tidy(x, strange = 1), class = "orizzonte_error_input")
  }
  quality <- construct_quality(fit)
  expect_equal(tidy(quality)$estimate, quality$table$omega)
  expect_equal(glance(quality)$lowest.omega, min(quality$table$omega))
  expect_equal(nrow(glance(split)), 1)
  expect_equal(glance(bootstrap_fit(fit, 25, seed = 1, interval = "percentile"))$used, 25)
  joint <- score_test(fit, covariance[be1, be2], loading[Calm, be4])
  expect_equal(glance(joint)$p.value, pchisq(glance(joint)$statistic, 2, lower.tail = FALSE))
  expect_identical(glance(loose), glance(loose$ladder))
  both <- tidy(side_by_side(fit, other))
  expect_equal(both$estimate[both$model == "other"],
               estimates(other)$estimate[match(both$term[both$model == "other"],
                                               estimates(other)$parameter)])
  expect_equal(glance(screen_data(choirs))$complete, sum(complete.cases(choirs)))
  expect_true(glance(identification(bp, choirs))$identified)
  expect_equal(glance(rescue(bp, choirs[1:100, ]))$attempts, 1)
})

test_that("plain data frames come out of what is a list", {
  fit <- quiet_fit(bp, choirs)
  moments <- as.data.frame(observed(fit))
  expect_identical(tidy(observed(fit))$estimate, moments$value)
  expect_identical(tidy(observed(fit))$term[c(2, 37)], c("be1 ~ be2", "be1"))
  expect_identical(names(moments), c("group", "first", "second", "value"))
  expect_equal(nrow(moments), 8 * 9 / 2 + 8)
  expect_equal(moments$value[moments$first == "be2" & moments$second %in% "be4"],
               observed(fit)$all$covariance["be2", "be4"])
  expect_equal(moments$value[is.na(moments$second)], unname(observed(fit)$all$mean))
  growth <- quiet_fit(read_blueprint(extdata("models/growth.yaml")), choirs_growth)
  terms <- tidy(residuals(growth, largest = Inf))$term
  expect_false(any(grepl("NA", terms)))
  expect_true(all(paste0("w", 1:4) %in% terms))
  own <- as.data.frame(criteria(cfi = c(.97, .95)))
  expect_equal(unlist(own[own$criterion == "cfi", c("value", "acceptable")], use.names = FALSE),
               c(.97, .95))
  expect_identical(own$source[own$criterion == "cfi"], "given")
  expect_true(all(nzchar(own$source)))
  loose <- loosen(suppressMessages(invariance(bp, choirs, by = setting)), "scalar", until = "p")
  expect_identical(as.data.frame(loose), loose$released)
})

test_that("glance() of amendments says how many were tested and which comes first", {
  fit <- quiet_fit(read_blueprint(extdata("choirs-start.yaml")), choirs)
  found <- amendments(fit, top = 2)
  row <- glance(found)
  expect_identical(nrow(row), 1L)
  expect_identical(row$parameter, found$parameter[1])
  expect_equal(row$modification_index, max(found$modification_index))
  expect_identical(row$stand_out, sum(found$verdict %in% "stands_out"))
  expect_equal(row$statistic, deviance(fit))
  expect_gte(row$tested, nrow(found))
  saturated <- quiet_fit(blueprint("B") |> construct("B", reflected_in = be1:be3), choirs)
  expect_true(is.na(glance(amendments(saturated))$parameter))
})

test_that("augment() keeps the groups of a grouped tibble", {
  skip_if_not_installed("dplyr")
  fit <- quiet_fit(blueprint("B") |> construct("B", reflected_in = be1:be3), choirs)
  grouped <- dplyr::group_by(dplyr::as_tibble(choirs), .data$town)
  found <- augment(fit, data = grouped)
  expect_identical(dplyr::group_vars(found), "town")
  expect_identical(as.data.frame(found), as.data.frame(augment(fit, data = choirs)))
})
