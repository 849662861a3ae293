fit <- quiet_fit(blueprint("Why") |> construct("Belonging", reflected_in = be1:be4) |>
                 construct("Staying", reflected_in = st1:st3) |>
                   effect(Staying ~ Belonging + years), choirs)

test_that("tables keep their column contract", {
  expect_named(estimates(fit), c("parameter", "group", "kind", "estimate", "se", "z", "p", "lower",
                                 "upper", "standardized", "standardized_se", "status"))
  expect_named(fit_indices(fit), c("index", "value", "lower", "upper", "cutoff", "verdict",
                                   "block"))
  expect_true(all(is.na(estimates(fit)$group)))
  expect_setequal(estimates(fit)$status, c("free", "fixed"))
  known <- setdiff(names(index_words), c("chisq_normal", "p_normal", "chisq_inflation",
                                         "df_adjusted"))
  expect_identical(fit_indices(fit)$index, known)
  robust <- quiet_fit(fit$request$blueprint, choirs, inference = "robust", incomplete = "drop",
                      adjust = "mean and variance")
  expect_identical(fit_indices(robust)$index, names(index_words))
})

test_that("a predicted construct has an intercept, another a mean", {
  bp <- blueprint("M") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Staying", reflected_in = st1:st3) |> effect(Staying ~ Belonging) |>
    hold_equal(loading, intercept)
  grouped <- quiet_fit(bp, choirs, by = "setting")
  table <- estimates(grouped)
  means <- table[startsWith(table$parameter, "mean["), ]
  expect_setequal(paste(means$parameter, means$kind),
                  c(paste0("mean[Belonging | ", c("evening", "weekend"), "] mean"),
                    paste0("mean[Staying | ", c("evening", "weekend"), "] construct intercept")))
  shown <- capture.output(print(summary(grouped)))
  # free at weekend only: the parameter that is fixed at 0 is not shown
  expect_match(shown[grep("^ *Means of constructs", shown) + 1L], "mean[Belonging | weekend]",
               fixed = TRUE)
  expect_match(shown[grep("^ *Intercepts of constructs", shown) + 1L], "mean[Staying | weekend]",
               fixed = TRUE)
  expect_false(any(grepl("mean[Staying | evening]", shown, fixed = TRUE)))
})

test_that("base generics agree with the tables", {
  table <- estimates(fit)
  free <- table[table$status == "free", ]
  expect_equal(unname(coef(fit)), free$estimate)
  expect_equal(unname(sqrt(diag(vcov(fit)))), free$se)
  expect_equal(unname(confint(fit)), cbind(free$lower, free$upper))
  expect_equal(nrow(confint(fit, "effect[Belonging, Staying]", level = 0.9)), 1)
  expect_error(confint(fit, "effect[Belongin, Staying]"), text_pattern("did_you_mean"),
               class = "orizzonte_error_address")
  expect_equal(attr(logLik(fit), "df"), length(coef(fit)))
  expect_equal(df.residual(fit), 8 * 11 / 2 - length(coef(fit)))
  expect_equal(tidy(fit, conf.int = TRUE)$conf.low, table$lower)
  expect_equal(glance(fit)$statistic, deviance(fit))
  expect_equal(names(tidy(fit)), c("term", "kind", "estimate", "std.error", "statistic", "p.value",
                                   "standardized"))
})

test_that("implied and observed moments, and residuals between them, fit together", {
  seen <- observed(fit)$all
  model <- implied(fit)$all
  used <- complete_choirs(colnames(seen$covariance))
  dropped <- quiet_fit(fit$request$blueprint, choirs, incomplete = "drop")
  expect_equal(observed(dropped)$all$covariance, cov(used) * (nrow(used) - 1) / nrow(used),
               ignore_attr = TRUE)
  expect_equal(implied(dropped)$all$mean, colMeans(used), tolerance = 1e-8)
  # with missing values they depend slightly on the covariances
  expect_lt(max(abs(model$mean - seen$mean) / sqrt(diag(seen$covariance))), 0.01)
  raw <- residuals(fit)$all$covariance
  expect_equal(raw, seen$covariance - model$covariance)
  sd <- sqrt(diag(seen$covariance))
  expect_equal(residuals(fit, in_units = "correlation")$all$covariance, raw / outer(sd, sd))
  largest <- residuals(fit, in_units = "correlation", largest = 3)
  expect_equal(nrow(largest), 3)
  expect_false(is.unsorted(-abs(largest$residual)))
  expect_match(largest$meaning, text_pattern("than_model_implies"))
  expect_output(print(largest), "greet me")
  expect_error(residuals(fit, in_units = "covarance"), class = "orizzonte_error_input")
  expect_error(residuals(fit, largest = 0), class = "orizzonte_error_input")
  expect_error(residuals(fit, largst = 5), text_pattern("has_no_argument", strange = "`largst`"),
               class = "orizzonte_error_input")
})

test_that("equations give the estimates and the kind of each variable", {
  text <- equations(fit)
  expect_match(text$equation[text$variable == "Staying"],
               paste0("Staying = ", format_number(coef(fit)[["effect[Belonging, Staying]"]]),
                      " Belonging"))
  expect_identical(text$kind[1], "construct")
  expect_output(print(text), paste0(text_pattern("nothing_points_at"), ".*Belonging.*years"))
})

test_that("explained variance is one minus the standardized residual variance", {
  table <- estimates(fit)
  r <- r_squared(fit)
  expect_equal(r$r_squared,
               1 - table$standardized[match(paste0("variance[", r$variable, "]"), table$parameter)])
  expect_setequal(r$kind, c("item", "construct"))
})

test_that("summary says everything in order and survives saving", {
  text <- paste(capture.output(print(summary(fit))), collapse = "\n")
  positions <- vapply(c("The solution is proper", "Exact fit", "have missing values", "Fit indices",
                        "Defaults", "Counts", "Estimates", "Explained variance",
                        "Largest residuals", "Next:"),
                      function(part) regexpr(part, text, fixed = TRUE), 0L)
  expect_true(all(positions > 0))
  expect_false(is.unsorted(positions))
  file <- tempfile(fileext = ".rds")
  saveRDS(fit, file)
  expect_equal(estimates(readRDS(file)), estimates(fit))
})

test_that("readers refuse what is no fit", {
  for (reader in list(estimates, fit_indices, r_squared, equations, implied, observed,
                      path_diagram)) {
    expect_error(reader(lm(be1 ~ be2, choirs)), text_pattern("reads_fitted_model"),
                 class = "orizzonte_error_input")
  }
  expect_error(estimates(fit, level = 95), class = "orizzonte_error_input")
})

test_that("prints survive when other packages drop columns or attributes", {
  expect_output(print(estimates(fit)[, c("parameter", "estimate")]), "loading")
  expect_output(print(fit_indices(fit)[1:3, ]), "df")
  expect_output(print(r_squared(fit)[, 1:2]), "Staying")
})

test_that("a fit that did not converge stays readable and marked", {
  stuck <- fit
  stuck$solution$status <- 1L
  stuck <- stamped(stuck)
  expect_output(print(stuck), text_pattern("numbers_below_are_where"))
  expect_output(print(summary(stuck)), text_pattern("not_converged"))
  expect_warning(warn_about(stuck), class = "orizzonte_warning_convergence")
})

test_that("loadings are a table of items by constructs, with communalities", {
  bp <- blueprint("Three") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4) |> construct("Craft", reflected_in = c(cr1:cr3, sc4))
  fit <- quiet_fit(bp, choirs)
  table <- loading_table(fit)
  expect_identical(names(table), c("item", "group", "Belonging", "Calm", "Craft", "communality"))
  expect_identical(table$item, fit$layout$observed)
  all <- estimates(fit)
  expect_equal(table$Calm[table$item == "sc3"],
               all["loading[Calm, sc3]", "standardized"])
  expect_true(is.na(table$Calm[table$item == "be1"]))
  explained <- r_squared(fit)
  expect_equal(table$communality, explained$r_squared[match(table$item, explained$variable)])
  # an item of two correlated constructs: both loadings and their product with the correlation
  own <- table[table$item == "sc4", ]
  r <- all["covariance[Calm, Craft]", "standardized"]
  expect_equal(own$communality, own$Calm^2 + own$Craft^2 + 2 * own$Calm * own$Craft * r)
  expect_equal(loading_table(fit, "raw")$Calm[table$item == "sc2"],
               all["loading[Calm, sc2]", "estimate"])
  expect_output(print(table), "sc4 +[.]63 +-?[.][0-9]{2} +[.]39")
  groups <- quiet_fit(bp, choirs, by = "town")
  both <- loading_table(groups)
  expect_identical(nrow(both), 33L)
  expect_identical(unique(both$group), c("Arden", "Brook", "Cliff"))
  expect_equal(both$Craft[both$item == "cr2" & both$group == "Brook"],
               estimates(groups)["loading[Craft, cr2 | Brook]", "standardized"])
  second <- quiet_fit(construct(blueprint("Two levels") |>
    construct("A", reflected_in = be1:be4) |> construct("B", reflected_in = sc1:sc4) |>
    construct("C", reflected_in = cr1:cr3), "G", reflected_in = c(A, B, C)), choirs)
  expect_true(all(c("A", "B", "C") %in% loading_table(second)$item))
  expect_error(loading_table(quiet_fit(blueprint("p") |> effect(st1 ~ years), choirs)),
               class = "orizzonte_error_input")
  expect_error(loading_table(bp), class = "orizzonte_error_input")
  # constructs may have the names of other columns
  odd <- loading_table(quiet_fit(blueprint("Odd") |> construct("item", reflected_in = be1:be4) |>
    construct("communality", reflected_in = sc1:sc4), choirs))
  expect_identical(names(odd), c("item", "group", "item.1", "communality.1", "communality"))
  expect_identical(odd$item, c(paste0("be", 1:4), paste0("sc", 1:4)))
  expect_output(print(odd), "item +item +communality +communality\\n")
  found <- command("fit", extdata("choirs.yaml"), extdata("choirs.csv"), "--table", "loadings")
  expect_identical(found$code, 0L)
  expect_match(found$out, "communality")
})

test_that("an effect is indirect by the structure of the model, not by rounding", {
  bp <- blueprint("Two causes") |>
    construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4) |>
    effect(Calm ~ Belonging + years)
  fit <- quietly(fit_model(bp, choirs))
  layout <- fit$layout
  inside <- asNamespace("orizzonte")
  arrows <- layout$rows$kind %in% inside$arrow_kinds
  at <- function(name) match(name, c(layout$parts[[1L]]$observed, layout$parts[[1L]]$constructs))
  longer <- function(from, to) inside$has_longer_route(layout, arrows, at(from), at(to))
  expect_false(longer("Belonging", "Calm"))
  expect_true(longer("Belonging", "sc1"))
  expect_true(longer("years", "sc2"))
  expect_false(longer("Calm", "sc2"))
  expect_false(any(effects(fit)$kind == "indirect"))
})
