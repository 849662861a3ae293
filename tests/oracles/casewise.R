# Casewise maximum likelihood from its definition: the normal density of the observed values of each
# case. Cases that have the same variables share the inverse of their covariance matrix, nothing
# else.

# -2 log-likelihood of the rows of a matrix under a mean vector and a covariance matrix.
oracle_casewise_deviance <- function(x, mu, sigma, alike = oracle_alike(x)) {
  sum(vapply(alike, function(one) {
    v <- one$seen
    own <- sigma[v, v, drop = FALSE]
    off <- t(one$cases) - mu[v]
    ncol(off) * (length(v) * log(2 * pi) + log(det(own))) + sum(off * solve(own, off))
  }, 0))
}

# Cases that have the same variables.
oracle_alike <- function(x) {
  seen <- !is.na(x)
  rows <- split(seq_len(nrow(x)), apply(seen, 1, paste, collapse = ""))
  out <- lapply(rows, function(r) {
    v <- which(seen[r[1], ])
    list(rows = r, seen = v, cases = x[r, v, drop = FALSE])
  })
  Filter(function(one) length(one$seen) > 0L, out)
}

# Derivatives of each case's log density by the lower triangle of the covariance matrix and the
# means: cases x moments. `places`: the numbers of each entry of the triangle.
oracle_moment_slopes <- function(alike, mu, sigma, cases) {
  p <- length(mu)
  places <- matrix(0L, p, p)
  places[lower.tri(places, TRUE)] <- seq_len(p * (p + 1) / 2)
  out <- matrix(0, cases, p * (p + 1) / 2 + p)
  for (one in alike) {
    v <- one$seen
    inverse <- solve(sigma[v, v, drop = FALSE])
    z <- inverse %*% (t(one$cases) - mu[v])
    at <- which(lower.tri(inverse, TRUE), arr.ind = TRUE)
    twice <- ifelse(at[, 1] == at[, 2], 0.5, 1)
    by <- (z[at[, 1], , drop = FALSE] * z[at[, 2], , drop = FALSE] - inverse[at]) * twice
    out[one$rows, places[cbind(v[at[, 1]], v[at[, 2]])]] <- t(by)
    out[one$rows, p * (p + 1) / 2 + v] <- t(z)
  }
  out
}

# Scores of single cases by the parameters: the chain rule, with the moments' derivatives exact by
# complex steps, because moments are rational functions of the parameters.
oracle_case_scores <- function(model, theta, alike, cases) {
  all <- function(t) {
    lapply(model$build(t), function(g) c(g$sigma[lower.tri(g$sigma, TRUE)], g$mu))
  }
  slopes <- numDeriv::jacobian(function(t) unlist(all(t)), theta, method = "complex")
  group <- rep(seq_along(alike), lengths(all(theta)))
  groups <- model$build(theta)
  do.call(rbind, lapply(seq_along(alike), function(g) {
    oracle_moment_slopes(alike[[g]], groups[[g]]$mu, groups[[g]]$sigma, cases[g]) %*%
      slopes[group == g, , drop = FALSE]
  }))
}

# `data`: a list of matrices, one per group, columns in the order of the model's observed variables.
oracle_casewise <- function(model, start, data) {
  alike <- lapply(data, oracle_alike)
  cases <- vapply(data, nrow, 0L)
  deviance <- function(theta) {
    groups <- model$build(theta)
    lowest <- vapply(groups, function(g) {
      min(eigen(g$sigma, symmetric = TRUE, only.values = TRUE)$values)
    }, 0)
    if (min(lowest) <= 0) return(1e10)
    sum(mapply(function(one, g) oracle_casewise_deviance(NULL, g$mu, g$sigma, one), alike, groups))
  }
  slope <- function(theta) -2 * colSums(oracle_case_scores(model, theta, alike, cases))
  found <- stats::nlminb(start, deviance, slope,
                         control = list(eval.max = 20000, iter.max = 1000, rel.tol = 1e-14))
  theta <- found$par
  for (i in 1:2) theta <- theta - solve(numDeriv::jacobian(slope, theta), slope(theta))
  list(theta = theta, deviance = deviance(theta),
       vcov = solve(numDeriv::jacobian(slope, theta) / 2))
}
