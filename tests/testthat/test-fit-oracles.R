belonging <- paste0("be", 1:4)
nine <- c(paste0("be", 1:3), paste0("sc", 1:3), paste0("cr", 1:3))
three_factors <- function(scale = "marker") {
  blueprint("Three", scale = scale) |>
    construct("Belonging", reflected_in = be1:be3) |>
    construct("Calm", reflected_in = sc1:sc3) |>
    construct("Craft", reflected_in = cr1:cr3)
}
three_items <- list(Belonging = paste0("be", 1:3), Calm = paste0("sc", 1:3),
                    Craft = paste0("cr", 1:3))
add_intercepts <- function(cells, observed) {
  rbind(cells, data.frame(matrix = "alpha", row = observed, col = observed, value = NA))
}

test_that("one factor agrees with stats::factanal under every scale setting and item scale", {
  items <- c(belonging, "sc1")
  data <- complete_choirs(items)
  reference <- stats::factanal(covmat = stats::cor(data), factors = 1, n.obs = nrow(data),
                               control = list(opt = list(factr = 10)))
  chisq <- nrow(data) * reference$criteria[["objective"]]
  loading <- abs(as.numeric(reference$loadings))
  for (scale in c("marker", "unit", "average")) {
    for (factor in list(rep(1, 5), c(1e-3, 1, 1e3, 1, 1e-3))) {
      scaled <- as.data.frame(Map(`*`, data, factor))
      fit <- fit_model(blueprint("One", scale = scale) |>
                       construct("F", reflected_in = all_of(items)), scaled)
      expect_lt(abs(deviance(fit) - chisq), 1e-5)
      mine <- estimates(fit)
      expect_lt(max(abs(abs(mine$standardized[mine$kind == "loading"]) - loading)), 1e-6)
      expect_lt(max(abs(r_squared(fit)$r_squared - (1 - reference$uniquenesses))), 1e-6)
    }
  }
})

test_that("three factors with means agree with the brute-force oracle", {
  data <- complete_choirs(nine)
  model <- oracle_model(nine, names(three_items), add_intercepts(oracle_factor_cells(three_items),
      nine), means = TRUE)
  expect_oracle(fit_model(three_factors(), data), model, data)
})

test_that("unit scale agrees with the oracle, errors included", {
  data <- complete_choirs(nine)
  model <- oracle_model(nine, names(three_items),
                        add_intercepts(oracle_factor_cells(three_items, unit = TRUE), nine),
                        means = TRUE)
  expect_oracle(fit_model(three_factors("unit"), data), model, data)
})

test_that("chi-square and standardized values are the same under all scales", {
  data <- complete_choirs(nine)
  base <- fit_model(three_factors(), data)
  factors <- rep(c(1e-3, 1e3, 1), 3)
  for (scale in c("marker", "unit", "average")) {
    for (scaled in list(data, as.data.frame(Map(`*`, data, factors)))) {
      fit <- fit_model(three_factors(scale), scaled)
      expect_lt(abs(deviance(fit) - deviance(base)), 1e-6)
      expect_equal(estimates(fit)$standardized, estimates(base)$standardized, tolerance = 1e-7)
      expect_equal(estimates(fit)$standardized_se, estimates(base)$standardized_se,
                   tolerance = 1e-5)
    }
  }
  average <- estimates(fit_model(three_factors("average"), data))
  expect_equal(mean(average$estimate[1:3]), 1)
})

test_that("standardized errors agree with numerical differentiation of the definition", {
  data <- complete_choirs(nine)
  fit <- fit_model(three_factors(), data)
  cells <- oracle_factor_cells(three_items)
  model <- oracle_model(nine, names(three_items), cells)
  sample <- sample_of(data)
  oracle <- oracle_fit(model, oracle_start(model, sample), sample)
  standardized <- function(theta) {
    g <- model$build(theta)[[1]]
    sd <- sqrt(diag(g$phi))
    loading <- cells$matrix == "B"
    c(g$b[cbind(cells$row, cells$col)[loading, ]] * sd[cells$col[loading]] / sd[cells$row[loading]],
      1 - diag(g$psi)[nine] / diag(g$phi)[nine],
      g$psi["Belonging", "Calm"] / (sd[["Belonging"]] * sd[["Calm"]]))
  }
  jacobian <- numDeriv::jacobian(standardized, oracle$theta)
  se <- sqrt(diag(jacobian %*% oracle$vcov %*% t(jacobian)))
  mine <- estimates(fit)
  pick <- c(which(mine$kind == "loading"), which(mine$parameter == "covariance[Belonging, Calm]"))
  expect_equal(mine$standardized[pick], unname(standardized(oracle$theta)[c(1:9, 19)]),
               tolerance = 1e-6)
  expect_equal(mine$standardized_se[pick], se[c(1:9, 19)], tolerance = 1e-5)
  expect_equal(r_squared(fit)$se, se[10:18], tolerance = 1e-5)
})

test_that("residual covariances, cross-loadings, fixed and equal parameters agree with the oracle",
          {
  data <- complete_choirs(nine)
  bp <- blueprint("Mixed") |>
    construct("Belonging", reflected_in = c(be1, be2, be3, sc1)) |>
    construct("Calm", reflected_in = sc1:sc3, scale = "sc2") |>
    construct("Craft", reflected_in = cr1:cr3) |>
    covary(be1, be2) |>
    uncorrelate(Belonging, Craft) |>
    restrict(variance[cr1] == 110, loading[Craft, cr2] == loading[Craft, cr3],
             variance[sc1] == variance[sc2])
  cells <-
    oracle_factor_cells(list(Belonging = c("be1", "be2", "be3"), Calm = c("sc2", "sc1", "sc3"),
                             Craft = c("cr1", "cr2", "cr3")))
  cells <- cells[!(cells$row == "Belonging" & cells$col == "Craft"), ]
  cells <- rbind(cells,
                 data.frame(matrix = c("B", "Psi"), row = c("sc1", "be1"),
                            col = c("Belonging", "be2"), value = NA))
  cells$value[cells$matrix == "Psi" & cells$row == "cr1" & cells$col == "cr1"] <- 110
  cells$label <- seq_len(nrow(cells))
  same <- function(a, b) cells$label[which(b)] <<- cells$label[which(a)]
  same(cells$row == "cr2" & cells$col == "Craft", cells$row == "cr3" & cells$col == "Craft")
  same(cells$row == "sc1" & cells$col == "sc1", cells$row == "sc2" & cells$col == "sc2")
  fit <- fit_model(bp, summary_data(cov(data), n = nrow(data)))
  expect_oracle(fit, oracle_model(nine, names(three_items), cells), data)
  table <- estimates(fit)
  expect_equal(table$status[table$parameter == "variance[cr1]"], "fixed")
  expect_equal(sum(table$status == "equal"), 4)
})

test_that("a structural model with causes and structured intercepts agrees with the oracle", {
  observed <- c(belonging, paste0("st", 1:3), "years")
  data <- complete_choirs(observed)
  bp <- blueprint("Why") |>
    construct("Belonging", reflected_in = be1:be4) |>
    construct("Staying", reflected_in = st1:st3) |>
    effect(Staying ~ Belonging + years)
  cells <- oracle_factor_cells(list(Belonging = belonging, Staying = paste0("st", 1:3)))
  cells <- cells[!(cells$row == "Belonging" & cells$col == "Staying"), ]
  cells <- rbind(cells,
                 data.frame(matrix = c("B", "B", "Psi", "Psi"),
                            row = c("Staying", "Staying", "years", "Belonging"),
                            col = c("Belonging", "years", "years", "years"), value = NA))
  model <- oracle_model(observed, c("Belonging", "Staying"), add_intercepts(cells, observed),
                        means = TRUE)
  expect_oracle(fit_model(bp, data), model, data)          # saturated means, profiled out

  tied <- bp |> restrict(intercept[be1] == intercept[be2], intercept[st3] == 65)
  cells <- add_intercepts(cells, observed)
  cells$label <- seq_len(nrow(cells))
  cells$label[cells$matrix == "alpha" & cells$row == "be2"] <- cells$label[cells$matrix == "alpha" &
      cells$row == "be1"]
  cells$value[cells$matrix == "alpha" & cells$row == "st3"] <- 65
  expect_oracle(fit_model(tied, data),
                oracle_model(observed, c("Belonging", "Staying"), cells, means = TRUE), data)
})

test_that("observed-variable path models agree with lm() and with the oracle", {
  data <- complete_choirs(c("years", "age", "rooms", "st1", "be1"))
  bp <- blueprint("Paths") |> effect(be1 ~ years + rooms) |> effect(st1 ~ be1 + age)
  fit <- fit_model(bp, data)
  first <- lm(be1 ~ years + rooms, data)
  second <- lm(st1 ~ be1 + age, data)
  mine <- coef(fit)
  expect_equal(unname(mine[c("effect[years, be1]", "effect[rooms, be1]", "intercept[be1]")]),
               unname(coef(first)[c("years", "rooms", "(Intercept)")]), tolerance = 1e-8)
  expect_equal(unname(mine[c("effect[be1, st1]", "effect[age, st1]", "intercept[st1]")]),
               unname(coef(second)[c("be1", "age", "(Intercept)")]), tolerance = 1e-8)
  expect_equal(mine[["variance[st1]"]], mean(residuals(second)^2), tolerance = 1e-8)
  explained <- r_squared(fit)
  expect_equal(explained$r_squared[explained$variable == "be1"], summary(first)$r.squared,
               tolerance = 1e-8)
  n <- nrow(data)   # errors: maximum likelihood divides by n
  expect_equal(sqrt(vcov(fit)["effect[years, be1]", "effect[years, be1]"]),
               summary(first)$coefficients["years", 2] * sqrt(first$df.residual / n),
               tolerance = 1e-6)
  observed <- blueprint_variables(bp)$observed
  cells <- data.frame(matrix = "B", row = c("be1", "be1", "st1", "st1"),
                      col = c("years", "rooms", "be1", "age"), value = NA)
  exogenous <- t(utils::combn(c("years", "rooms", "age"), 2))
  cells <- rbind(cells,
                 data.frame(matrix = "Psi", row = c(observed, exogenous[, 1]),
                            col = c(observed, exogenous[, 2]), value = NA))
  expect_oracle(fit, oracle_model(observed, character(), add_intercepts(cells, observed),
                                  means = TRUE), data)
  units <- as.data.frame(Map(`*`, data, c(1e-3, 1e3, 1, 1e3, 1e-3)))
  expect_lt(abs(deviance(fit_model(bp, units)) - deviance(fit)), 1e-6)
})

test_that("a saturated model reproduces the moments and says that fit cannot be judged", {
  data <- complete_choirs(c("years", "be1", "st1"))
  fit <- fit_model(blueprint("Saturated") |> effect(st1 ~ be1 + years), data)
  expect_equal(df.residual(fit), 0)
  expect_lt(deviance(fit), 1e-8)
  expect_lt(max(abs(residuals(fit, in_units = "correlation")$all$covariance)), 1e-8)
  expect_match(attr(fit_indices(fit), "reading"), text_pattern("claim_not_judged"))
  expect_output(print(fit), "saturated")
  expect_output(print(summary(fit)), text_pattern("claim_not_judged"))
})

test_that("the n - 1 multiplier reproduces tables made with it", {
  data <- complete_choirs(nine)
  n <- nrow(data)
  fit <- fit_model(three_factors(), data)
  other <- fit_model(three_factors(), data, multiplier = "n-1")
  expect_equal(deviance(other), deviance(fit) * (n - 1) / n, tolerance = 1e-9)
  expect_equal(coef(other)[["variance[be1]"]], coef(fit)[["variance[be1]"]] * n / (n - 1),
               tolerance = 1e-8)
})

test_that("every parameter keeps its distance from an ill-chosen marker", {
  set.seed(1)
  f <- rnorm(400)
  data <- data.frame(m = 0.02 * f + rnorm(400), a = f + rnorm(400), b = -f + rnorm(400),
                     c = f + rnorm(400), d = f + rnorm(400))
  weak <- fit_model(blueprint("Weak marker") |> construct("F", reflected_in = c(m, a, b, c, d)),
                    data)
  strong <- fit_model(blueprint("Strong marker") |>
                      construct("F", reflected_in = c(m, a, b, c, d), scale = "a"), data)
  expect_equal(fit_status(weak), "converged")
  expect_equal(deviance(weak), deviance(strong), tolerance = 1e-8)
})

test_that("rows with missing values are dropped with a message that counts them", {
  bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
  complete <- sum(complete.cases(choirs[belonging]))
  expect_message(fit <- fit_model(bp, choirs, incomplete = "drop"),
                 paste0("Listwise deletion: ", 720 - complete, " rows of 720"),
                 class = "orizzonte_message")
  expect_equal(nobs(fit), complete)
  coded <- choirs
  for (item in belonging) coded[[item]][is.na(coded[[item]])] <- -9
  expect_equal(coef(quiet_fit(bp, coded, missing_codes = -9, incomplete = "drop")), coef(fit))
  expect_equal(coef(quiet_fit(bp, coded, missing_codes = -9)), coef(quiet_fit(bp, choirs)))
})

test_that("what is improper is said first, by address", {
  r <- matrix(c(1, 0.7, 0.6, 0.7, 1, 0.2, 0.6, 0.2, 1), 3,
              dimnames = list(letters[1:3], letters[1:3]))
  data <- suppressWarnings(summary_data(r, n = 200))
  bp <- blueprint("Heywood") |> construct("F", reflected_in = c(a, b, c))
  expect_warning(fit <- fit_model(bp, data), class = "orizzonte_warning_improper")
  expect_equal(improper_parts(fit)$parameter, "variance[a]")
  expect_lt(coef(fit)[["variance[a]"]], 0)
  expect_output(print(fit), "IMPROPER SOLUTION.*variance\\[a\\]")
})

test_that("models that cannot be identified are refused with the reason", {
  data <- complete_choirs(nine)
  expect_error(fit_model(blueprint("x") |> construct("F", reflected_in = c(be1, be2)), data),
               text_pattern("model_cannot_be_identified"), class = "orizzonte_error_identification")
  free <- three_factors() |> covary(be1, be2, be3)
  condition <- expect_error(fit_model(free, data), text_pattern("model_is_not_identified"),
                            class = "orizzonte_error_identification")
  expect_true(any(grepl("covariance\\[be1, be2\\]", condition$involved)))
  both <- blueprint("x") |> construct("F", reflected_in = be1:be4) |>
    construct("G", reflected_in = be1:be4)
  expect_error(fit_model(both, data.frame(data[c("be1", "be2", "be3")], be4 = data$sc1)),
               class = "orizzonte_error_identification")
})
