# A population from a blueprint and the values of its parameters: what studies are planned with.

# The blueprint fitted to the moments that the truth implies, `n` cases (by group): every value is
# then in the blueprint's own scale, and chi-square is zero.
population_fit <- function(bp, n, truth, truth_units) {
  check_blueprint(bp, "truth")
  truth_units <- choose_one(truth_units, c("standardized", "raw"), "`truth_units`")
  check_truth(truth)
  groups <- check_sizes(n)
  check_variables(bp)
  observed <- lapply(stats::setNames(groups, groups), function(g) {
    blueprint_variables(group_blueprint(bp, g))$observed
  })
  grouped <- length(groups) > 1L
  layout <- build_layout(bp, TRUE, unname(observed), groups = groups, grouped = grouped)
  given <- true_values(layout, truth, truth_units)
  moments <- lapply(seq_along(groups), function(g) {
    implied_by_truth(layout, given, g, truth_units == "standardized")
  })
  data <- Map(function(m, size) {
    list(n = size, covariance = m$covariance, mean = m$mean)
  }, moments, n)
  fit_truth(bp, data, stats::setNames(n, groups), grouped)
}

check_truth <- function(truth) {
  if (is.numeric(truth) && length(truth) && !is.null(names(truth)) && all(nzchar(names(truth))) &&
      all(is.finite(truth))) return(invisible())
  abort("input", c(text_of("truth_must_be_numbers"),
                   x = text_of("it_is_of_kind", value = describe(truth)),
                   i = text_of("such_truth_c_loading_calm")))
}

# The names of the groups; one group needs none.
check_sizes <- function(n) {
  usable <- is.numeric(n) && length(n) > 0L && all(is.finite(n)) && all(n >= 2) &&
    all(n == round(n))
  if (usable && length(n) > 1L) usable <- !is.null(names(n)) && !anyDuplicated(names(n)) &&
      all(nzchar(names(n)))
  if (!usable)
    abort("input", c(text_of("n_must_be_whole"),
                     i = text_of("such_n_300_or")))
  if (length(n) == 1L) single_group else names(n)
}

# One value a row of the table; NA where nothing is said.
true_values <- function(layout, truth, units) {
  out <- rep(NA_real_, length(layout$rows$kind))
  if (units == "raw") out <- layout$rows$fixed
  wide <- order(-vapply(names(truth), function(text) length(restricted_rows(text, layout)), 0L))
  for (k in wide) out[restricted_rows(names(truth)[k], layout)] <- truth[[k]]
  needed <- layout$rows$kind %in% c("loading", "weight", if (units == "raw") "variance")
  lacking <- layout$rows$parameter[needed & is.na(out)]
  if (length(lacking))
    abort("input", c(text_of("truth_says_nothing", lacking = enumerate(lacking, most = 6L)),
                     i = if (units == "raw")
                       text_of("raw_units_all_loadings") else
                       text_of("every_loading_needs_value")))
  zero <- layout$rows$parameter[is.na(out) & layout$rows$kind %in% c("effect", "covariance")]
  if (length(zero)) say(text_of("taken_zero_since_truth", zero = enumerate(zero, most = 8L)))
  out
}

# Moments of one group. Standardized: every variable has variance one, so that residual variances
# follow from what points at it.
implied_by_truth <- function(layout, values, g, standardized) {
  span <- layout$spans[[g]]
  part <- layout$parts[[g]]
  names <- c(part$observed, part$constructs)
  size <- length(names)
  rows <- lapply(layout$rows[c("kind", "family", "row", "col", "parameter")], `[`, span)
  value <- values[span]
  value[is.na(value)] <- 0
  b <- psi <- matrix(0, size, size, dimnames = list(names, names))
  arrow <- rows$family == parameter_families[["effect"]]
  b[cbind(rows$row, rows$col)[arrow, , drop = FALSE]] <- value[arrow]
  covary <- rows$kind == "covariance"
  at <- cbind(rows$row, rows$col)[covary, , drop = FALSE]
  psi[at] <- value[covary]
  psi[at[, 2:1, drop = FALSE]] <- value[covary]
  if (standardized) {
    made <- standard_matrices(b, psi, rows, names)
    b <- made$b
    psi <- made$psi
  } else {
    variance <- rows$kind == "variance"
    diag(psi)[rows$row[variance]] <- value[variance]
  }
  total <- total_effects(b)
  phi <- total %*% psi %*% t(total)
  alpha <- numeric(size)
  level <- rows$family == parameter_families[["mean"]]
  alpha[rows$row[level]] <- value[level]
  p <- seq_along(part$observed)
  covariance <- phi[p, p, drop = FALSE]
  if (!isTRUE(smallest_eigenvalue(stats::cov2cor(covariance)) > 1e-8))
    abort("input", c(text_of("truth_implies_covariance_matrix"),
                     x = worst_of_truth(covariance),
                     i = text_of("take_smaller_loadings_effects")))
  list(covariance = covariance, mean = stats::setNames(drop(total %*% alpha)[p], part$observed))
}

# Composites have no residual that could make room: their weights are taken for relative ones, and
# stretched until the composite has variance one, too.
standard_matrices <- function(b, psi, rows, names) {
  own <- rows$row[rows$kind == "variance"]
  composites <- setdiff(seq_along(names), own)
  b[composites, ] <- b[composites, ] / sqrt(rowSums(b[composites, , drop = FALSE]^2))
  for (step in 1:100) {
    total <- total_effects(b)
    made <- standard_residuals(psi, total, rows, names)
    sd <- sqrt(diag(total %*% made %*% t(total)))
    if (all(abs(sd[composites] - 1) < 1e-12)) break
    b[composites, ] <- b[composites, ] / sd[composites]
  }
  check_residuals(made, own, names)
  list(b = b, psi = made)
}

# diag(T Psi T') = 1, linear in the residual variances while the others stand still; covariances are
# those of standardized residuals, so that they follow in turn.
standard_residuals <- function(psi, total, rows, names) {
  free <- rows$row[rows$kind == "variance"]
  correlation <- psi
  variance <- rep(1, length(free))
  for (step in 1:200) {
    sd <- numeric(length(names))
    sd[free] <- sqrt(pmax(variance, 0))
    psi <- correlation * outer(sd, sd)
    found <- residual_variances(rep(1, length(names)), total, psi, free)
    change <- max(abs(found - variance))
    variance <- found
    if (change < 1e-14) break
  }
  diag(psi) <- 0
  diag(psi)[free] <- variance
  psi
}

# `free`: what has a residual.
check_residuals <- function(psi, free, names) {
  variance <- diag(psi)[free]
  bad <- free[!(variance > 1e-10)]
  if (length(bad))
    abort("input", c(text_of("truth_explains_more_than", bad = enumerate(names[bad])),
                     x = text_of("what_points_leaves_residual", bad = names[bad[1L]],
                                 free = format_fixed(variance[match(bad[1L], free)])),
                     i = text_of("standardized_units_squared_loadings")))
}

worst_of_truth <- function(covariance) {
  parts <- eigen(stats::cov2cor(covariance), symmetric = TRUE)
  weight <- abs(parts$vectors[, ncol(covariance)])
  text_of("it_fails_for", weight = enumerate(colnames(covariance)[order(-weight)][1:2]))
}

fit_truth <- function(bp, data, n, grouped) {
  summaries <- lapply(data, new_summary_data)
  names(summaries) <- names(n)
  source <- if (grouped) summaries else summaries[[1L]]
  request <- new_request(bp)
  fit <- fit_request(request, sample_of(source, request))
  if (!has_converged(fit) || stats::deviance(fit) > 1e-6 * sum(n))
    abort("input", c(text_of("blueprint_cannot_have_truth"),
                     x = if (has_converged(fit))
                       text_of("best_two_differ_n", fit = format_fixed(stats::deviance(fit))),
                     i = text_of("values_blueprint_holds_equal")))
  fit
}
