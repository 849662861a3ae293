# The independent re-derivations; beside the tests when the package is checked, too.
oracle_path <- Filter(dir.exists, c("../oracles", "oracles"))[1L]
for (file in list.files(oracle_path, pattern = "[.]R$", full.names = TRUE))
  source(file, local = FALSE)

complete_choirs <- function(items) {
  data <- as.data.frame(lapply(choirs[items], as.numeric))
  data[stats::complete.cases(data), ]
}

sample_of <- function(data) {
  x <- as.matrix(data)
  list(list(n = nrow(x), covariance = stats::cov(x) * (nrow(x) - 1) / nrow(x), mean = colMeans(x)))
}

# Fits without messages; `hold` and `except` are the equalities across groups of the blueprint and
# their exceptions.
quiet_fit <- function(bp, ..., hold = NULL, except = NULL) {
  suppressMessages(fit_model(holding(bp, hold, except), ...))
}
holding <- function(bp, hold = NULL, except = NULL) {
  if (length(hold)) bp <- do.call(hold_equal, c(list(bp), as.list(hold)))
  if (length(except)) bp <- do.call(let_differ, c(list(bp), as.list(except)))
  bp
}

# The required digits: estimates 1e-6 of max(|theta|, se), standard errors 1e-5 relative, chi-square
# 1e-5 absolute.
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
  key <- function(matrix, row, col) {
    ifelse(matrix == "Psi" & row > col, paste(matrix, col, row), paste(matrix, row, col))
  }
  known <- key(free$matrix, free$row, free$col)
  wanted <- vapply(names(stats::coef(fit)), function(address) {
    a <- parse_address(address)
    switch(a$kind,
      loading = , weight = , effect = key("B", a$second, a$first),
      variance = key("Psi", a$first, a$first), covariance = key("Psi", a$first, a$second),
      key("alpha", a$first, a$first))
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

# The oracle's own model of a fit, at the fit's solution: cells from the addresses, equal ones
# sharing a label. Candidates named in `free` (addresses) get a label of their own.
oracle_of_fit <- function(fit, free = character()) {
  table <- fit$layout$rows
  cell <- function(text) {
    a <- parse_address(text)
    switch(a$kind,
      loading = , weight = , effect = c("B", a$second, a$first),
      variance = c("Psi", a$first, a$first), covariance = c("Psi", a$first, a$second),
      c("alpha", a$first, a$first))
  }
  texts <- unique(c(table$parameter, free))
  at <- match(texts, table$parameter)
  parts <- t(vapply(texts, cell, character(3)))
  value <- ifelse(is.na(at), 0, values_of(fit)[at])
  held <- ifelse(is.na(at), TRUE, !is.na(table$fixed[at])) & !texts %in% free
  label <- ifelse(is.na(at) | texts %in% free, paste0("own", seq_along(texts)),
                  paste0("class", table$class[at]))
  group <- vapply(texts, function(text) parse_address(text)$group %||% NA_character_, "")
  cells <- data.frame(matrix = parts[, 1], row = parts[, 2], col = parts[, 3],
                      value = ifelse(held, value, NA), label = label,
                      group = ifelse(is.na(group), 1L, match(group, fit$layout$groups)))
  if (!fit$layout$means) cells <- cells[cells$matrix != "alpha", ]
  model <- oracle_model(fit$layout$observed, fit$layout$constructs, cells, means = fit$layout$means)
  known <- value[match(rownames(cells), texts)]
  theta <- vapply(model$labels, function(l) known[match(l, cells$label)], 0)
  list(model = model, theta = unname(theta), sample = core_moments(fit),
       own = match(label[match(free, texts)], model$labels))
}

# Score test of freeing one parameter, from the numerical score and information.
oracle_release <- function(fit, parameter) {
  o <- oracle_of_fit(fit, parameter)
  at <- oracle_score(o$model, o$theta, o$sample)
  c <- o$own
  class <- paste0("class", fit$layout$rows$class[match(parameter, fit$layout$rows$parameter)])
  others <- match(class, o$model$labels)
  # one of several equal parameters: the freed part is its difference from the others, with which it
  # still varies
  turn <- diag(length(o$theta))
  if (!is.na(others)) turn[c, others] <- 1
  at$score <- drop(crossprod(turn, at$score))
  at$information <- crossprod(turn, at$information %*% turn)
  rest <- solve(at$information[-c, -c, drop = FALSE], at$information[-c, c])
  v <- at$information[c, c] - sum(at$information[c, -c] * rest)
  others <- match(class, o$model$labels[-c])
  change <- at$score[c] / v
  list(index = at$score[c]^2 / v, change = change,
       full = change * (1 - if (is.na(others)) 0 else rest[others]))
}

# A grouped (or single) fit against a brute-force fit of the same cells, from a perturbed start.
expect_brute_force <- function(fit, shake = 0.02) {
  o <- oracle_of_fit(fit)
  set.seed(1)
  oracle <- oracle_scoring(o$model, o$theta * (1 + shake * stats::rnorm(length(o$theta))), o$sample)
  order <- match(paste0("class", fit$layout$rows$class[fit$layout$leading]), o$model$labels)
  testthat::expect_false(anyNA(order))
  expect_agreement(fit, oracle$theta[order], sqrt(diag(oracle$vcov))[order], oracle$chisq)
}

# Scoring steps of the oracle alone, each halved until the raw discrepancy decreases: enough from a
# nearby start.
oracle_scoring <- function(model, theta, sample, steps = 60) {
  n <- sum(vapply(sample, `[[`, 0, "n"))
  for (i in seq_len(steps)) {
    at <- oracle_score(model, theta, sample)
    step <- solve(at$information, at$score)
    if (sum(step * at$score) < 1e-15) break
    now <- oracle_discrepancy(model, theta, sample)
    while (sum(step * at$score) > 1e-10 && oracle_discrepancy(model, theta + step, sample) > now)
      step <- step / 2
    theta <- theta + step
  }
  list(theta = theta, chisq = n * oracle_discrepancy(model, theta, sample),
       vcov = solve(at$information))
}

# Straight growth over four occasions with one residual variance, by nlme and as a blueprint.
nlme_growth <- function(fixed, long) {
  nlme::lme(fixed, random = ~ time | id, data = long, method = "ML",
            control = nlme::lmeControl(tolerance = 1e-12, msTol = 1e-14, opt = "optim",
                                       reltol = 1e-14, maxIter = 500, msMaxIter = 500))
}

# Its cases, from the current seed, and the same with one row per occasion.
growth_cases <- function(n) {
  level <- rnorm(n, 10, 2)
  slope <- rnorm(n, 1.5, 0.6) + 0.1 * (level - 10)
  wide <- as.data.frame(sapply(0:3, function(t) level + slope * t + rnorm(n)))
  stats::setNames(wide, paste0("w", 1:4))
}
one_row_an_occasion <- function(wide) {
  n <- nrow(wide)
  data.frame(id = rep(seq_len(n), 4), time = rep(0:3, each = n), y = unlist(wide))
}

growth_blueprint <- function() {
  blueprint("Growth") |>
    construct("Level", reflected_in = c(w1 = 1, w2 = 1, w3 = 1, w4 = 1)) |>
    construct("Slope", reflected_in = c(w1 = 0, w2 = 1, w3 = 2, w4 = 3)) |>
    restrict(intercept[w1:w4] == 0, variance[w2:w4] == variance[w1]) |>
    relax(mean[Level], mean[Slope])
}

# The random models of the benches, where the sources are beside the tests.
random_models <- function() {
  file <- Filter(file.exists, c("../../bench/random-models.R", "../../../bench/random-models.R"))
  skip_if(length(file) == 0L, "the sources are not beside the tests")
  models <- new.env(parent = globalenv())
  models$ml_model <- ml_model
  models$ml_group <- ml_group
  models$ml_expand <- ml_expand
  sys.source(file[1L], models)
  models
}

index_value <- function(fit, name) {
  table <- fit_indices(fit)
  table$value[match(name, table$index)]
}

# A growth model whose basis is estimated, as a blueprint and for the generic optimiser.
latent_basis_growth <- function() {
  w <- paste0("w", 1:5)
  bp <- blueprint("Growth") |>
    construct("Level", reflected_in = c(w1 = 1, w2 = 1, w3 = 1, w4 = 1, w5 = 1)) |>
    construct("Slope", reflected_in = c(w1 = 0, w2 = 1, w3, w4, w5)) |>
    restrict(intercept[w1:w5] == 0, variance[w1] == variance[w2], variance[w1] == variance[w3],
             variance[w1] == variance[w4], variance[w1] == variance[w5]) |>
    relax(mean[Level], mean[Slope])
  cells <- rbind(
    data.frame(matrix = "B", row = w, col = "Level", value = 1, label = ""),
    data.frame(matrix = "B", row = w, col = "Slope", value = c(0, 1, NA, NA, NA), label = ""),
    data.frame(matrix = "Psi", row = c("Level", "Slope", "Slope"),
               col = c("Level", "Slope", "Level"), value = NA, label = ""),
    data.frame(matrix = "Psi", row = w, col = w, value = NA, label = "e"),
    data.frame(matrix = "alpha", row = c("Level", "Slope"), col = "", value = NA, label = ""))
  list(blueprint = bp,
       model = ml_model(w, c("Level", "Slope"), cbind(cells, group = 1L), means = TRUE))
}
