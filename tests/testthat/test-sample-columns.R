items <- paste0("be", 1:4)
x <- complete_choirs(items)
bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)

test_that("a covariance matrix is not taken for rows of people", {
  s <- cov(x)
  lower <- s
  lower[upper.tri(lower)] <- NA
  wider <- cov(complete_choirs(c(items, paste0("sc", 1:4))))
  forms <- list(s, as.data.frame(s), cov2cor(s), as.data.frame(lower),
                data.frame(name = rownames(s), s), data.frame(name = rownames(s), lower),
                as.data.frame(wider), data.frame(of = rownames(wider), wider[, items]),
                as.data.frame(wider)[, items])
  for (form in forms) {
    expect_error(fit_model(bp, form), "covariance or correlation matrix",
                 class = "orizzonte_error_data")
    expect_error(screen_data(form), class = "orizzonte_error_data")
  }
  file <- tempfile(fileext = ".csv")
  write.csv(s, file)
  expect_error(fit_model(bp, read.csv(file)), "summary_data", class = "orizzonte_error_data")
  yaml <- tempfile(fileext = ".yaml")
  write_blueprint(bp, yaml)
  expect_equal(command("fit", yaml, file)$code, 2L)
  # as many people as variables are just too few people
  expect_error(fit_model(bp, x[1:4, ]), "complete rows", class = "orizzonte_error_data")
})

test_that("columns that are no columns are refused by name", {
  table <- x
  table$both <- as.matrix(x[1:2])
  expect_error(fit_model(bp, table[c("both", items)]), "both", class = "orizzonte_error_data")
  framed <- x
  framed$inner <- x[1:2]
  expect_error(screen_data(framed), "inner", class = "orizzonte_error_data")
  wide <- x
  wide$be1 <- structure(x$be1, class = "integer64")
  skip_if(isNamespaceLoaded("bit64"))
  expect_error(fit_model(bp, wide), "64-bit", class = "orizzonte_error_data")
})

test_that("summary data must be finite, and each row of their file one of its kind", {
  s <- cov(x)
  endless <- s
  endless[1, 2] <- endless[2, 1] <- Inf
  expect_error(summary_data(endless, 100), "not finite", class = "orizzonte_error_summary_data")
  expect_error(summary_data(s, 100, means = c(1, 2, Inf, 4)), "finite",
               class = "orizzonte_error_summary_data")
  expect_error(summary_data(s, Inf), class = "orizzonte_error_summary_data")
  for (row in c(".mean,1,2", ".n,5,", ".sd,1,2", "a,1,")) {
    file <- tempfile(fileext = ".csv")
    writeLines(c("row,a,b", ".n,100,", ".mean,3,4", ".sd,1,1", "a,1,", "b,0.3,1", row), file)
    expect_error(read_summary_data(file), paste0("two rows \"", sub(",.*", "", row)),
                 class = "orizzonte_error_file")
  }
  one <- summary_data(s, 300, means = colMeans(x))
  expect_error(fit_model(bp, list(men = one, women = summary_data(s, 200))), "women",
               class = "orizzonte_error_data")
  expect_error(fit_model(bp, cbind(x, g = rep(c("a", ""), length.out = nrow(x))), by = "g"),
               "empty text", class = "orizzonte_error_data")
})

test_that("an effect without a route is refused, and so are arguments nobody knows", {
  apart <- construct(bp, "Calm", reflected_in = sc1:sc4)
  for (text in c("indirect[B, Calm]", "total[B, Calm]")) {
    expect_error(fit_model(quantity(apart, q = !!str2lang(text)), choirs), "no (indirect )?route",
                 class = "orizzonte_error_restriction")
    expect_error(fit_model(claim(apart, H = !!call(">", str2lang(text), 0)), choirs), "route",
                 class = "orizzonte_error_restriction")
  }
  turned <- effect(apart, Calm ~ B)
  expect_error(fit_model(quantity(turned, q = total[Calm, B]), choirs), "one from B to Calm")
  known <- estimates(quiet_fit(quantity(turned, q = total[B, Calm]), choirs))
  expect_equal(known$estimate[known$parameter == "quantity[q]"],
               known$estimate[known$parameter == "effect[B, Calm]"])
  fit <- quiet_fit(bp, choirs)
  expect_error(confint(fit, method = "profile"), "method", class = "orizzonte_error_input")
  expect_error(coef(fit, 3), class = "orizzonte_error_input")
  expect_error(glance(fit, 3), class = "orizzonte_error_input")
  expect_error(covary(bp, be1, be2, group = "x"), "group", class = "orizzonte_error_input")
  expect_error(fit_model(bp, choirs, missing = "ml"), "missing_codes",
               class = "orizzonte_error_input")
  expect_error(invariance(bp, choirs, by = setting, rung = "metric"), "rungs",
               class = "orizzonte_error_input")
})

test_that("a ladder starts from the configural rung, in its own order", {
  expect_message(ladder <- invariance(bp, choirs, by = setting, rungs = c("scalar", "metric")),
                 "configural rung is fitted as well")
  for (wrong in list(NA, character(), 3, "scalr", NA_character_)) {
    expect_error(invariance(bp, choirs, by = setting, rungs = wrong),
                 class = "orizzonte_error_input")
    expect_error(invariance(bp, choirs, by = setting, structural = wrong),
                 class = "orizzonte_error_input")
    expect_error(invariance(bp, choirs, by = setting, structural_on = wrong),
                 class = "orizzonte_error_input")
  }
  table <- as.data.frame(ladder)
  expect_identical(table$rung, c("configural", "metric", "scalar"))
  expect_identical(table$against, c(NA, "configural", "metric"))
  expect_true(all(table$chisq_change[-1] >= 0))
})
