measurement <- blueprint("Why") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4) |> construct("Staying",
    reflected_in = st1:st3)
items <- c(paste0("be", 1:4), paste0("sc", 1:4), paste0("st", 1:3))
data <- complete_choirs(items)

test_that("each type is what its definition says", {
  fit <- fit_model(measurement, data)
  s <- observed(fit)$all$covariance
  sigma <- implied(fit)$all$covariance
  sd <- sqrt(diag(s))
  n <- nobs(fit)
  expect_equal(residuals(fit)$all$covariance, s - sigma)
  expect_equal(residuals(fit, "correlation")$all$covariance, (s - sigma) / outer(sd, sd))
  expect_equal(residuals(fit, "moment_se")$all$covariance,
               (s - sigma) / sqrt((outer(diag(sigma), diag(sigma)) + sigma^2) / n))
  table <- residuals(fit, "correlation", largest = Inf)
  expect_equal(nrow(table), 66)
  expect_equal(table$observed - table$implied, table$residual)
  expect_true(all(diff(abs(table$residual)) <= 0))
  expect_error(residuals(fit, "own_s"), text_pattern("did_you_mean"),
               class = "orizzonte_error_input")
  expect_error(residuals(fit, largest = 0), class = "orizzonte_error_input")
})

# Asymptotic errors from a numerical Jacobian of all moments and the normal-theory covariance matrix
# of the moments.
numerical_errors <- function(fit) {
  o <- oracle_of_fit(fit)
  jacobian <- numDeriv::jacobian(function(x) oracle_moments(o$model, x), o$theta)
  group <- o$model$build(o$theta)[[1]]
  p <- nrow(group$sigma)
  plus <- solve(crossprod(duplication(p)), t(duplication(p)))
  gamma <- 2 * plus %*% (group$sigma %x% group$sigma) %*% t(plus) / moments_n(fit)
  if (o$model$means)
    gamma <- rbind(cbind(gamma, matrix(0, nrow(gamma), p)),
                   cbind(matrix(0, p, nrow(gamma)), group$sigma / moments_n(fit)))
  information <- oracle_score(o$model, o$theta, o$sample)$information
  list(variance = diag(gamma - jacobian %*% solve(information, t(jacobian))),
       sampling = diag(gamma), p = p)
}

test_that("standardized residuals use the error of the residual itself, for covariances and means",
          {
  for (fit in list(fit_model(measurement |>
                             restrict(loading[Belonging, be3] == loading[Belonging, be4]),
                             summary_data(cov(data), nrow(data))),
                   fit_model(read_blueprint(system.file("extdata", "models", "growth.yaml",
                                                        package = "orizzonte")), choirs_growth))) {
    truth <- numerical_errors(fit)
    own <- residuals(fit, "own_se")$all
    raw <- residuals(fit)$all
    lower <- lower.tri(raw$covariance, diag = TRUE)
    value <- c(raw$covariance[lower], raw$mean) / sqrt(pmax(truth$variance, 0))
    mine <- c(own$covariance[lower], own$mean)
    exact <- truth$variance < 1e-8 * truth$sampling
    expect_true(all(is.na(mine[exact])))
    expect_equal(unname(mine[!exact]), unname(value[!exact]), tolerance = 1e-6)
    expect_gt(sum(!exact), 10)
  }
})

test_that("words, wordings and parts of the SRMR stand with the largest", {
  fit <- quiet_fit(measurement, choirs)
  table <- residuals(fit, "correlation", largest = 3)
  expect_match(table$meaning[1],
               paste0(table$first[1], " and ", table$second[1],
                      " correlate [.][0-9]+ (more|less) than the model implies"))
  parts <- attr(table, "parts")
  expect_equal(sqrt(sum(parts$srmr^2 * parts$moments) / sum(parts$moments)),
               fit_indices(fit)$value[fit_indices(fit)$index == "srmr"])
  expect_equal(sum(parts$share), 1)
  out <- capture.output(print(table))
  expect_true(any(grepl(text_pattern("where_srmr_comes_from"), out)) &&
              any(grepl("My breathing stays calm", out)))
  growth <-
    fit_model(read_blueprint(system.file("extdata", "models", "growth.yaml",
                                         package = "orizzonte")), choirs_growth)
  expect_true("means" %in% attr(residuals(growth, "correlation", largest = 3), "parts")$part)
  expect_true(any(grepl("the mean of w2 is .* SD lower", residuals(growth, "correlation",
      largest = Inf)$meaning)))
  saturated <- fit_model(blueprint("Three") |> construct("Calm", reflected_in = sc1:sc3), data)
  expect_output(print(residuals(saturated, "own_se", largest = 3)), "no\\s+residuals")
})

test_that("what is rounding is zero, and counts are written in full", {
  s <- matrix(c(2, 0.5, 0.5, 1), 2, dimnames = list(c("u1", "u2"), c("u1", "u2")))
  fit <- quiet_fit(blueprint("U") |> effect(u2 ~ u1), summary_data(s, 300))
  found <- residuals(fit, largest = 3)
  expect_true(all(found$residual == 0))
  expect_match(found$meaning[1], text_pattern("reproduced"))
  expect_identical(without_rounding(c(1e-13, 1e-11, NA), 1), c(0, 1e-11, NA))
  expect_identical(count_of(200000, "case"), "200,000 cases")
  expect_identical(count_of(1, "case"), "1 case")
  expect_identical(format_fixed(53053000.26, 1L), "53,053,000.3")
  expect_identical(format_fixed(c(-53053000.26, 12.34), 2L), c("-53,053,000.26", "12.34"))
  expect_match(format_fixed(53053000.26), "e+07", fixed = TRUE)
})

test_that("readers of an improper solution begin with it", {
  r <- diag(4)
  r[lower.tri(r)] <- c(0.47, 0.45, 0.45, 0.2, 0.2, 0.2)
  r <- pmax(r, t(r))
  dimnames(r) <- list(paste0("y", 1:4), paste0("y", 1:4))
  set.seed(3)
  raw <- stats::setNames(as.data.frame(scale(matrix(stats::rnorm(240), 60)) %*%
                                         solve(chol(stats::cor(matrix(stats::rnorm(240), 60))))),
                         paste0("y", 1:4))
  raw <- stats::setNames(as.data.frame(scale(raw, scale = FALSE) %*%
                                         solve(chol(stats::cov(raw))) %*% chol(r)), names(raw))
  fit <- suppressWarnings(quiet_fit(blueprint("H") |> construct("A", reflected_in = y1:y4), raw))
  expect_identical(solution_state(fit)$status, "improper")
  for (reader in list(estimates, r_squared, fit_indices, residuals, implied, influence, effects,
                      without, equations)) {
    lines <- capture.output(print(suppressMessages(reader(fit))))
    expect_match(paste(lines, collapse = " "), text_pattern("read_first_improper"))
    expect_lt(grep("IMPROPER", lines)[1], 3)
  }
  expect_warning(predict(fit), text_pattern("read_first_improper"),
                 class = "orizzonte_warning_improper")
  expect_error(model_cutoffs(fit, reps = 20, seed = 1), text_pattern("needs_proper_solution"),
               class = "orizzonte_error_convergence")
  sound <- quiet_fit(blueprint("B") |> construct("B", reflected_in = be1:be4), choirs)
  expect_null(attr(estimates(sound), "status"))
})
