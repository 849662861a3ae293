# Casewise maximum likelihood from its definition: the normal density of what each single case has.
# Cases that have the same variables share the inverse of their covariance matrix, nothing else.

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
    list(seen = v, cases = x[r, v, drop = FALSE])
  })
  Filter(function(one) length(one$seen) > 0L, out)
}

# `data`: a list of matrices, one a group, columns in the order of the model's observed variables.
oracle_casewise <- function(model, start, data) {
  alike <- lapply(data, oracle_alike)
  deviance <- function(theta) {
    groups <- model$build(theta)
    lowest <- vapply(groups, function(g) {
      min(eigen(g$sigma, symmetric = TRUE, only.values = TRUE)$values)
    }, 0)
    if (min(lowest) <= 0) return(1e10)
    sum(mapply(function(one, g) oracle_casewise_deviance(NULL, g$mu, g$sigma, one), alike, groups))
  }
  found <- stats::nlminb(start, deviance,
                         control = list(eval.max = 20000, iter.max = 1000, rel.tol = 1e-14))
  theta <- found$par
  for (i in 1:2)
    theta <- theta - solve(numDeriv::hessian(deviance, theta), numDeriv::grad(deviance, theta))
  list(theta = theta, deviance = deviance(theta),
       vcov = solve(numDeriv::hessian(deviance, theta) / 2))
}
