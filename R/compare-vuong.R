# Vuong's (1989) tests of two models that are not nested, from casewise log-likelihoods.

# Whether the two can be told apart (the variance of the casewise log-likelihood ratios is zero when
# they cannot: under that, n times it is a weighted sum of chi-squares, Theorem 4.1), and which is
# closer to the truth (the mean ratio over its standard error, Theorem 5.1). NULL without cases that
# are independent and count alike.
vuong_test <- function(fit, other) {
  usable <- vapply(list(fit, other), function(one) {
    has_raw_data(one$sample) && !is_weighted(one$sample) && is.na(count_clusters(one$sample))
  }, NA)
  if (!all(usable)) return(NULL)
  one <- casewise_fit(fit)
  two <- casewise_fit(other)
  ratio <- one$loglik - two$loglik
  n <- length(ratio)
  variance <- mean((ratio - mean(ratio))^2)
  weights <- Re(eigen(vuong_matrix(one, two, n), only.values = TRUE)$values)^2
  distinguishable <- weighted_chisq_p(n * variance, weights)
  z <- sum(ratio) / sqrt(n * variance)
  list(distinguishable_p = distinguishable, vuong_z = z, vuong_p = 2 * stats::pnorm(-abs(z)))
}

# W of Vuong's equation 3.6: A the mean Hessian, B the mean product of the scores.
vuong_matrix <- function(one, two, n) {
  b_one <- crossprod(one$scores) / n
  b_two <- crossprod(two$scores) / n
  b_both <- crossprod(one$scores, two$scores) / n
  a_one <- -one$bread
  a_two <- -two$bread
  rbind(cbind(-b_one %*% a_one, -b_both %*% a_two), cbind(t(b_both) %*% a_one, b_two %*% a_two))
}

# Log-likelihood and score of each case used, cases in the order of the data; the bread n H^-1, H
# the observed information (with equations: within them).
casewise_fit <- function(fit) {
  fit <- whole_fit(fit)
  cases <- core_cases(fit)
  matrices <- matrices_of(fit)
  loglik <- Map(function(own, at, moments) {
    o <- seq_len(ncol(own$values))
    case_loglik(own$values, at$covariance[o, o, drop = FALSE],
                if (fit$layout$means) at$mean[o] else moments$mean)
  }, cases, unname(matrices), core_moments(fit))
  scores <- core_case_scores(full_model(fit$layout), core_moments(fit), theta_of(fit), cases)
  rows <- unlist(lapply(fit$sample$groups, function(group) group$used))
  order <- order(rows)
  list(loglik = unlist(loglik)[order], scores = do.call(rbind, scores)[order, , drop = FALSE],
       bread = length(rows) * observed_vcov(fit))
}

observed_vcov <- function(fit) {
  if (length(fit$layout$constraints)) return(vcov_of(fit))
  at <- core_evaluate(full_model(fit$layout), core_moments(fit), theta_of(fit))
  solve_in_units(at$observed, diag(nrow(at$observed)))
}

# The log-density of what each case has.
case_loglik <- function(x, sigma, mean) {
  out <- numeric(nrow(x))
  for (rows in rows_by_pattern(x)) {
    v <- which(!is.na(x[rows[1L], ]))
    own <- sigma[v, v, drop = FALSE]
    e <- x[rows, v, drop = FALSE] - rep(mean[v], each = length(rows))
    out[rows] <- -(length(v) * log(2 * pi) + log_determinant(own) +
                     rowSums(e * t(solve_in_units(own, t(e))))) / 2
  }
  out
}

# P(sum of weights times chi-squares of one degree of freedom > q), by Imhof's (1961) integral. Its
# integrand swings with a period that settles: panels of half a period alternate, and repeated means
# of their partial sums converge quickly (Euler's transformation).
weighted_chisq_p <- function(q, weights) {
  weights <- weights[weights > 1e-10 * max(weights, 0)]
  if (length(weights) == 0L || q <= 0) return(1)
  q <- q / sum(weights)
  weights <- weights / sum(weights)
  integrand <- function(u) {
    angles <- outer(u, weights)
    theta <- rowSums(atan(angles)) / 2 - q * u / 2
    sin(theta) / (u * exp(rowSums(log1p(angles^2)) / 4))
  }
  half_period <- 2 * pi / q
  count <- min(2000, max(60, ceiling(20 / max(weights) / half_period)))
  nodes <- panel_nodes
  at <- outer(nodes$x, half_period * (seq_len(count) - 0.5), function(x, m) m + half_period / 2 * x)
  panels <- colSums(matrix(integrand(c(at)), nrow(at)) * nodes$w) * half_period / 2
  sums <- utils::tail(cumsum(panels), 31L)
  while (length(sums) > 1L) sums <- (sums[-1L] + sums[-length(sums)]) / 2
  min(1, max(0, 0.5 + sums / pi))
}

# Gauss-Legendre nodes and weights on (-1, 1), from the eigenvalues of the Jacobi matrix (Golub &
# Welsch, 1969).
gauss_legendre <- function(count) {
  k <- seq_len(count - 1L)
  beside <- k / sqrt(4 * k^2 - 1)
  jacobi <- matrix(0, count, count)
  jacobi[cbind(k, k + 1L)] <- jacobi[cbind(k + 1L, k)] <- beside
  found <- eigen(jacobi, symmetric = TRUE)
  list(x = found$values, w = 2 * found$vectors[1L, ]^2)
}
panel_nodes <- gauss_legendre(24L)
