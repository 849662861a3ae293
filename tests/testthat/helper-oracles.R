# The independent re-derivations; beside the tests when the package is checked, too.
oracle_path <- Filter(dir.exists, c("../oracles", "oracles"))[1L]
for (file in list.files(oracle_path, pattern = "[.]R$", full.names = TRUE)) source(file, local = FALSE)

complete_choirs <- function(items) {
  data <- as.data.frame(lapply(choirs[items], as.numeric))
  data[stats::complete.cases(data), ]
}

sample_of <- function(data) {
  x <- as.matrix(data)
  list(list(n = nrow(x), covariance = stats::cov(x) * (nrow(x) - 1) / nrow(x), mean = colMeans(x)))
}

quiet_fit <- function(...) suppressMessages(fit_model(...))

# The digits asked for: estimates 1e-6 of max(|theta|, se), errors 1e-5 relative, chi-square 1e-5 absolute.
expect_agreement <- function(fit, theta, se, chisq) {
  mine <- stats::coef(fit)
  my_se <- sqrt(diag(stats::vcov(fit)))
  testthat::expect_lt(max(abs(mine - theta) / pmax(abs(theta), se)), 1e-6)
  testthat::expect_lt(max(abs(my_se / se - 1)), 1e-5)
  testthat::expect_lt(abs(stats::deviance(fit) - chisq), 1e-5)
}

# Free parameters of an oracle in the order of the fit: matched by matrix, row and column.
oracle_order <- function(fit, model) {
  free <- model$cells[model$free, ]
  key <- function(matrix, row, col) ifelse(matrix == "Psi" & row > col, paste(matrix, col, row), paste(matrix, row, col))
  known <- key(free$matrix, free$row, free$col)
  wanted <- vapply(names(stats::coef(fit)), function(address) {
    a <- parse_address(address)
    switch(a$head,
      loading = , weight = , effect = key("B", a$second, a$first), variance = key("Psi", a$first, a$first),
      covariance = key("Psi", a$first, a$second), key("alpha", a$first, a$first))
  }, "")
  match(free$label[match(wanted, known)], model$labels)
}

expect_oracle <- function(fit, model, data) {
  sample <- sample_of(data[model$observed])
  oracle <- oracle_fit(model, oracle_start(model, sample), sample)
  order <- oracle_order(fit, model)
  testthat::expect_false(anyNA(order))
  testthat::expect_setequal(order, seq_along(model$labels))
  expect_agreement(fit, oracle$theta[order], sqrt(diag(oracle$vcov))[order], oracle$chisq)
  invisible(oracle)
}
