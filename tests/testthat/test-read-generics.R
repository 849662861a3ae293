measurement <- blueprint("Why") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4) |>
  construct("Staying", reflected_in = st1:st3)
data <- complete_choirs(c(paste0("be", 1:4), paste0("sc", 1:4), paste0("st", 1:3), "years"))
structural <- fit_model(measurement |> effect(Staying ~ Belonging + Calm, Calm ~ Belonging + years),
                        data)

test_that("effects, their errors and standardized errors agree with numerical differentiation", {
  table <- effects(structural)
  expect_named(table, c("parameter", "kind", "from", "to", "estimate", "se", "z", "p", "lower",
                        "upper", "standardized", "standardized_se"))
  core <- structural$layout$model
  value <- function(theta, standardized) {
    eta <- core$constant
    for (i in seq_along(core$map_entry)) eta[core$map_entry[i]] <- eta[core$map_entry[i]] +
      core$map_weight[i] * theta[core$map_parameter[i]]
    m <- core_implied(core, eta)[[1]]
    all <- c(structural$layout$observed, structural$layout$constructs)
    at <- cbind(match(table$to, all), match(table$from, all))
    sd <- sqrt(diag(m$covariance))
    total <- m$total[at]
    direct <- m$effects[at]
    x <- ifelse(table$kind == "total", total,
                ifelse(table$kind == "direct", direct, total - direct))
    if (standardized) x * sd[at[, 2]] / sd[at[, 1]] else x
  }
  theta <- core_theta(structural)
  for (standardized in c(FALSE, TRUE)) {
    expect_equal(if (standardized) table$standardized else table$estimate,
                 value(theta, standardized), tolerance = 1e-10)
    jacobian <- numDeriv::jacobian(value, theta, standardized = standardized)
    se <- sqrt(diag(jacobian %*% core_vcov(structural) %*% t(jacobian)))
    expect_equal(if (standardized) table$standardized_se else table$se, se, tolerance = 1e-6)
  }
  product <- coef(structural)[["effect[Belonging, Calm]"]] *
    coef(structural)[["effect[Calm, Staying]"]]
  expect_equal(table$estimate[table$parameter == "indirect[Belonging, Staying]"], product)
  expect_true("total[years, Staying]" %in% table$parameter)
  expect_gt(nrow(effects(structural, items = TRUE)), nrow(table))
  expect_output(print(table), "indirect\\[Belonging, Staying\\]")
  expect_output(print(effects(fit_model(measurement, data))), text_pattern("model_has_no_effects"))
})

test_that("regression scores are conditional means and Bartlett scores are unbiased", {
  fit <- fit_model(measurement, data)
  matrices <- matrices_of(fit)[[1]]
  x <- as.matrix(data[fit$layout$observed])
  phi <- matrices$covariance[12:14, 12:14]
  lambda <- matrices$effects[1:11, 12:14]
  theta <- diag(diag(matrices$residual)[1:11])
  centred <- t(t(x) - matrices$mean[1:11])
  by_hand <- centred %*% solve(lambda %*% phi %*% t(lambda) + theta) %*% lambda %*% phi
  expect_equal(as.matrix(predict(fit)), by_hand, ignore_attr = TRUE, tolerance = 1e-8)
  bartlett <- centred %*% solve(theta) %*% lambda %*% solve(t(lambda) %*% solve(theta) %*% lambda)
  expect_equal(as.matrix(predict(fit, method = "bartlett")), bartlett, ignore_attr = TRUE,
               tolerance = 1e-8)
  expect_equal(predict(fit, newdata = data[3:5, ]), predict(fit)[3:5, ], ignore_attr = TRUE)
  expect_true(all(c(".Belonging", ".Calm", ".Staying", "be1") %in% names(augment(fit))))
  incomplete <- quiet_fit(measurement, choirs)
  expect_equal(nrow(predict(incomplete)), 720)
  expect_equal(sum(stats::complete.cases(predict(incomplete))), nobs(incomplete))
  from_summary <- fit_model(measurement, summary_data(cov(data), nrow(data)))
  expect_error(predict(from_summary), "summary data", class = "orizzonte_error_input")
  expect_message(scores <- predict(from_summary, newdata = data),
                 text_pattern("model_has_no_means"))
  expect_equal(scores, predict(fit), tolerance = 1e-6)
  expect_error(predict(fit, newdata = data[1:3]), class = "orizzonte_error_name")
  expect_error(predict(fit, method = "regresion"), text_pattern("did_you_mean"),
               class = "orizzonte_error_input")
})

test_that("simulated data have the implied moments and leave the caller's random numbers alone", {
  set.seed(9)
  before <- .Random.seed
  draws <- simulate(structural, nsim = 2, seed = 3)
  expect_identical(.Random.seed, before)
  expect_length(draws, 2)
  expect_identical(simulate(structural, seed = 3)[[1]], draws[[1]])
  many <- do.call(rbind, simulate(structural, nsim = 40, seed = 4))
  model <- implied(structural)$all
  sd <- sqrt(diag(model$covariance))
  expect_lt(max(abs(colMeans(many) - model$mean) / sd), 0.04)
  expect_lt(max(abs(cov(many) - model$covariance) / outer(sd, sd)), 0.05)
})

test_that("anova tests nested fits and refuses to test what only looks nested", {
  free <- fit_model(measurement, data)
  paired <- fit_model(measurement |> covary(be1, be2), data)
  other <- fit_model(measurement |> covary(sc1, sc2), data)
  table <- anova(free, paired)
  expect_equal(table$chisq_change[2], deviance(paired) - deviance(free))
  expect_equal(table$p_change[2], pchisq(deviance(free) - deviance(paired), 1, lower.tail = FALSE))
  expect_identical(table$model, c("free", "paired"))
  more <- fit_model(measurement |> covary(sc1, sc2) |> covary(sc3, sc4), data)
  not <- anova(more, paired)                       # fewer parameters, yet not a special case
  expect_true(is.na(not$p_change[2]))
  expect_output(print(not), "not nested")
  same <- anova(paired, paired)
  expect_match(attr(same, "notes"), text_pattern("same_model_in_other_words"), all = FALSE)
  expect_match(attr(anova(free, structural), "notes"),
               text_pattern("are_about_different_variables"), all = FALSE)
  expect_true(all(is.na(anova(free, fit_model(measurement, data[1:300, ]))$chisq_change)))
  expect_error(anova(free), text_pattern("compares_least_two_fits"),
               class = "orizzonte_error_input")
  unit <- fit_model(blueprint("Unit", scale = "unit") |> construct("Belonging",
      reflected_in = be1:be4) |> construct("Calm", reflected_in = sc1:sc4) |>
                      construct("Staying", reflected_in = st1:st3) |>
                      restrict(covariance[Belonging, Calm] == 0), data)
  expect_equal(anova(free, unit)$df_change[2], 1)
  expect_false(is_nested(free, other) && is_nested(other, free))
})

test_that("formulas, fitted moments and limits of quantities are there, sigma points elsewhere", {
  expect_equal(formula(structural), list(Staying = Staying ~ Belonging + Calm,
                                         Calm = Calm ~ Belonging + years), ignore_attr = TRUE)
  expect_length(formula(fit_model(measurement, data)), 0)
  expect_identical(fitted(structural), implied(structural))
  expect_error(sigma(structural), "r_squared", class = "orizzonte_error_input")
  derived <- fit_model(measurement |> quantity(double = 2 * loading[Calm, sc2]), data)
  expect_equal(unname(confint(derived, "quantity[double]")),
               unname(2 * confint(derived, "loading[Calm, sc2]")), tolerance = 1e-6)
  expect_false("quantity[double]" %in% rownames(confint(derived)))
  expect_error(confint(derived, "quantity[duble]"), text_pattern("did_you_mean"),
               class = "orizzonte_error_address")
})

test_that("moments print rounded, in the order of the data", {
  turned <- fit_model(measurement, data[rev(names(data))])
  expect_identical(rownames(observed(turned)$all$covariance),
                   intersect(rev(names(data)), turned$layout$observed))
  expect_equal(observed(turned)$all$mean, colMeans(data[names(observed(turned)$all$mean)]))
  shown <- capture.output(print(implied(structural)))
  expect_true(any(grepl("Covariances of constructs", shown)))
  numbers <- unlist(regmatches(shown, gregexpr("[0-9]+[.][0-9]+", shown)))
  expect_true(all(nchar(sub(".*[.]", "", numbers)) <= 3))
  groups <- quiet_fit(measurement, choirs, by = setting)
  expect_output(print(observed(groups)), "Observed moments: weekend")
})

test_that("other generics of R work as their users expect", {
  bp <- blueprint("b") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4) |> effect(Calm ~ Belonging)
  fit <- quiet_fit(bp, choirs)
  expect_equal(formula(bp), formula(fit), ignore_attr = TRUE)
  expect_identical(deparse(formula(bp)$Calm), "Calm ~ Belonging")
  frame <- model.frame(fit)
  expect_identical(frame$be1, as.numeric(choirs$be1))
  table <- coef(summary(fit))
  expect_equal(table[names(coef(fit)), "estimate"], coef(fit))
  expect_equal(table[, "se"], sqrt(diag(vcov(fit)))[rownames(table)])
  expect_equal(as.data.frame(tidy(summary(fit))), as.data.frame(tidy(estimates(fit))))
  rows <- tidy(bp)
  expect_equal(sum(rows$fixed %in% 1), 2)
  expect_setequal(rows$term[rows$kind == "effect"], "effect[Belonging, Calm]")
  expect_s3_class(plot(bp), "ggplot")
})

test_that("scores keep the form of the data", {
  fit <- quiet_fit(blueprint("b") |> construct("Belonging", reflected_in = be1:be4), choirs)
  part <- choirs[11:13, ]
  rownames(part) <- c("a", "b", "c")
  expect_identical(rownames(predict(fit, part)), c("a", "b", "c"))
  expect_s3_class(predict(fit, tibble::as_tibble(part)), "tbl_df")
  expect_equal(predict(fit, part)$Belonging, predict(fit)$Belonging[11:13])
  expect_equal(augment(fit, newdata = part), augment(fit, part))
  expect_error(augment(fit, part, newdata = part), text_pattern("data_or_newdata"),
               class = "orizzonte_error_input")
})

test_that("columns of the user's own are printed, and n limits the rows", {
  fit <- quiet_fit(blueprint("b") |> construct("Belonging", reflected_in = be1:be4), choirs)
  table <- estimates(fit)
  table$mine <- paste0("note", seq_len(nrow(table)))
  expect_output(print(table), "mine.*note1\n")
  left <- paste(nrow(table) - 2L)
  expect_output(print(table, n = 2), text_pattern("rows_not_shown", count = left))
  expect_false(grepl("be4", paste(utils::capture.output(print(table, n = 2)), collapse = "")))
  expect_error(print(table, n = 0), class = "orizzonte_error_input")
})

test_that("a column that scale() made is a column", {
  d <- choirs
  d$be1 <- scale(d$be1)
  bp <- blueprint("b") |> construct("Belonging", reflected_in = be1:be4)
  expect_equal(coef(quiet_fit(bp, d)),
               coef(quiet_fit(bp, transform(choirs, be1 = as.vector(scale(be1))))))
  expect_equal(screen_data(d, be1:be4)$columns$mean[1], 0, tolerance = 1e-10)
  d$be1 <- cbind(d$be1, d$be1)
  expect_error(quiet_fit(bp, d), class = "orizzonte_error_data")
})
