# Measures from their definitions, by loops over items: no code is shared with the package.

# Lambda, Phi, Theta of a factor model by the addresses of its estimates. `theta`: values by
# address; `fixed`: markers by address.
oracle_factor_model <- function(theta, items, constructs, fixed = c()) {
  value <- function(kind, a, b = NULL) {
    names <- c(paste0(kind, "[", a, if (!is.null(b)) paste0(", ", b), "]"),
               paste0(kind, "[", b, ", ", a, "]"))
    all <- c(theta, fixed)
    found <- all[names[names %in% names(all)]]
    if (length(found)) found[[1]] else 0
  }
  lambda <- outer(items, constructs, Vectorize(function(i, c) value("loading", c, i)))
  phi <- outer(constructs, constructs, Vectorize(function(a, b) {
    if (a == b) value("variance", a) else value("covariance", a, b)
  }))
  residual <- outer(items, items, Vectorize(function(a, b) {
    if (a == b) value("variance", a) else value("covariance", a, b)
  }))
  dimnames(lambda) <- list(items, constructs)
  dimnames(phi) <- list(constructs, constructs)
  dimnames(residual) <- list(items, items)
  list(lambda = lambda, phi = phi, residual = residual,
       sigma = lambda %*% phi %*% t(lambda) + residual)
}

# The items of a scale: those whose largest standardized loading is on the construct.
oracle_scale <- function(model, construct) {
  size <- abs(model$lambda %*% diag(sqrt(diag(model$phi))))
  own <- match(construct, colnames(model$lambda))
  which(size[, own] > 0 & size[, own] == apply(size, 1, max))
}

oracle_omega <- function(model, construct) {
  own <- oracle_scale(model, construct)
  key <- sign(model$lambda[own, construct])
  top <- 0
  bottom <- 0
  for (i in seq_along(own)) for (j in seq_along(own)) {
    weight <- key[i] * key[j]
    top <- top + weight * model$lambda[own[i], construct] * model$lambda[own[j], construct] *
      model$phi[construct, construct]
    bottom <- bottom + weight * model$sigma[own[i], own[j]]
  }
  top / bottom
}

oracle_ave <- function(model, construct) {
  own <- oracle_scale(model, construct)
  mean(vapply(own, function(i) {
    model$lambda[i, construct]^2 * model$phi[construct, construct] / model$sigma[i, i]
  }, 0))
}

oracle_alpha <- function(s) {
  k <- nrow(s)
  k / (k - 1) * (1 - sum(diag(s)) / sum(s))
}

# The influence of a small change of each case's weight on alpha, whose root sum of squares is the
# standard error of the infinitesimal jackknife.
oracle_alpha_error <- function(x, cluster = NULL) {
  n <- nrow(x)
  change <- vapply(seq_len(n), function(i) {
    weight <- rep(1, n)
    at <- function(more) {
      weight[i] <- 1 + more
      oracle_alpha(stats::cov.wt(x, weight / sum(weight), method = "ML")$cov)
    }
    (at(1e-4) - at(-1e-4)) / 2e-4
  }, 0)
  if (is.null(cluster)) return(sqrt(sum(change^2)))
  sums <- tapply(change, cluster, sum)
  sqrt(sum(sums^2) * length(sums) / (length(sums) - 1))
}

oracle_htmt <- function(r, one, other) {
  between <- c()
  for (i in one) for (j in other) between <- c(between, r[i, j])
  inside <- function(items) {
    values <- c()
    for (i in items) for (j in items) if (i < j) values <- c(values, r[i, j])
    mean(values)
  }
  abs(mean(between)) / sqrt(inside(one) * inside(other))
}
