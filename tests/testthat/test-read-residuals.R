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
  expect_true(any(grepl("Where the SRMR comes from", out)) &&
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
