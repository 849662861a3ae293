# Robust inference from its definitions: scores of single cases (see casewise.R), the explicit
# covariance matrix of all moments, the explicit residual-weight matrix. No sum is shortened.

# Log-likelihood of each case, group by group: a vector over all cases. `data`: a list of matrices.
oracle_case_loglik <- function(model, theta, data, moments = model$build(theta)) {
  unlist(Map(function(x, g) oracle_case_values(x, g$mu, g$sigma), data, moments),
         use.names = FALSE)
}

# Cases that have the same variables share the inverse of their covariance matrix.
oracle_case_values <- function(x, mu, sigma) {
  out <- numeric(nrow(x))
  for (rows in split(seq_len(nrow(x)), apply(is.na(x), 1, paste, collapse = ""))) {
    v <- which(!is.na(x[rows[1], ]))
    d <- t(x[rows, v, drop = FALSE]) - mu[v]
    own <- sigma[v, v, drop = FALSE]
    out[rows] <- -(length(v) * log(2 * pi) + log(det(own)) + colSums(d * solve(own, d))) / 2
  }
  out
}

oracle_of_group <- function(data) rep(seq_along(data), vapply(data, nrow, 0L))

# Sums over units of the scores about their weighted mean within groups: cases, or clusters (then
# C / (C - 1) times as much).
oracle_meat <- function(scores, group, weight = rep(1, nrow(scores)), cluster = NULL) {
  for (g in unique(group)) {
    own <- group == g
    mean <- colSums(scores[own, , drop = FALSE] * weight[own]) / sum(weight[own])
    scores[own, ] <- sweep(scores[own, , drop = FALSE], 2, mean) * weight[own]
  }
  if (is.null(cluster)) return(crossprod(scores))
  sums <- rowsum(scores, cluster)
  crossprod(sums) * nrow(sums) / (nrow(sums) - 1)
}

# H^-1 J H^-1, H the numerical Jacobian of the summed scores.
oracle_sandwich <- function(model, theta, data, weight = NULL, cluster = NULL) {
  group <- oracle_of_group(data)
  weight <- if (is.null(weight)) rep(1, length(group)) else weight
  alike <- lapply(data, oracle_alike)
  at <- function(t) oracle_case_scores(model, t, alike, vapply(data, nrow, 0L))
  scores <- at(theta)
  bread <- solve(-numDeriv::jacobian(function(t) colSums(weight * at(t)), theta))
  bread %*% oracle_meat(scores, group, weight, cluster) %*% bread
}

# The weight matrix of normal theory for lower-triangle covariances and means.
oracle_weight <- function(sigma, means = TRUE) {
  w <- solve(sigma)
  d <- duplication(nrow(sigma))
  v <- 0.5 * t(d) %*% kronecker(w, w) %*% d
  if (!means) return(v)
  rbind(cbind(v, matrix(0, nrow(v), nrow(w))), cbind(matrix(0, nrow(w), nrow(v)), w))
}

# Rows of (x - m)(x - m)' and x, whose covariance matrix is Gamma.
oracle_moment_rows <- function(x, means = TRUE) {
  off <- sweep(x, 2, colMeans(x))
  at <- which(lower.tri(diag(ncol(x)), TRUE), arr.ind = TRUE)
  cbind(off[, at[, 1]] * off[, at[, 2]], if (means) off)
}

oracle_blocks <- function(parts) {
  size <- vapply(parts, nrow, 0L)
  out <- matrix(0, sum(size), sum(size))
  end <- cumsum(size)
  for (g in seq_along(parts)) {
    at <- (end[g] - size[g] + 1):end[g]
    out[at, at] <- parts[[g]]
  }
  out
}

# tr(U Gamma) and tr((U Gamma)^2), complete data; U of all groups together, weighted by their
# proportions.
oracle_traces <- function(model, theta, data) {
  n <- vapply(data, nrow, 0L)
  share <- n / sum(n)
  groups <- model$build(theta)
  v <- oracle_blocks(Map(function(g, s) s * oracle_weight(g$sigma, model$means), groups, share))
  gamma <- oracle_blocks(Map(function(x, s) {
    rows <- scale(oracle_moment_rows(x, model$means), scale = FALSE)
    crossprod(rows) / nrow(x) / s
  }, data, share))
  slopes <- numDeriv::jacobian(function(t) oracle_moments(model, t), theta)
  u <- v - v %*% slopes %*% solve(t(slopes) %*% v %*% slopes, t(slopes) %*% v)
  ug <- u %*% gamma
  c(sum(diag(ug)), sum(diag(ug %*% ug)))
}

# With missing values: tr(U Gamma), F_C and its biases. `saturated`: by group, mean and covariance.
oracle_incomplete <- function(model, theta, data, saturated) {
  n <- vapply(data, nrow, 0L)
  groups <- model$build(theta)
  unpack <- function(beta, p) {
    s <- matrix(0, p, p)
    s[lower.tri(s, TRUE)] <- beta[seq_len(p * (p + 1) / 2)]
    list(sigma = s + t(s) - diag(diag(s)), mu = utils::tail(beta, p))
  }
  each <- Map(function(x, s, g) {
    p <- ncol(x)
    beta <- c(s$covariance[lower.tri(s$covariance, TRUE)], s$mean)
    alike <- oracle_alike(x)
    at <- function(b) oracle_moment_slopes(alike, unpack(b, p)$mu, unpack(b, p)$sigma, nrow(x))
    scores <- at(beta)
    d <- s$mean - g$mu
    list(a = -numDeriv::jacobian(function(b) colSums(at(b)), beta),
         b = crossprod(scale(scores, scale = FALSE)), v = nrow(x) * oracle_weight(g$sigma),
         f = log(det(g$sigma)) + sum(diag(solve(g$sigma, s$covariance))) -
           log(det(s$covariance)) - p + sum(d * solve(g$sigma, d)))
  }, data, saturated, groups)
  part <- function(name) oracle_blocks(lapply(each, `[[`, name))
  a <- part("a")
  b <- part("b")
  v <- part("v")
  slopes <- numDeriv::jacobian(function(t) oracle_moments(model, t), theta)
  inner <- t(slopes) %*% a %*% slopes
  q <- diag(nrow(a)) - slopes %*% solve(inner, t(slopes) %*% a)
  trace <- function(x) sum(diag(x))
  list(trace = trace(solve(a, b)) - trace(solve(inner, t(slopes) %*% b %*% slopes)),
       complete = sum(n / sum(n) * vapply(each, `[[`, 0, "f")),
       normal_bias = trace(v %*% q %*% solve(a) %*% t(q)),
       robust_bias = trace(v %*% q %*% solve(a, b) %*% solve(a) %*% t(q)),
       left_normal = diag(q %*% solve(a) %*% t(q)),
       left_robust = diag(q %*% solve(a, b) %*% solve(a) %*% t(q)))
}

# Sampling variances of residuals, complete data: Q Gamma Q' / n, Q = I - D (D'VD)^-1 D'V.
oracle_left <- function(model, theta, data) {
  n <- vapply(data, nrow, 0L)
  groups <- model$build(theta)
  v <- oracle_blocks(Map(function(g, n) n * oracle_weight(g$sigma, model$means), groups, n))
  gamma <- oracle_blocks(Map(function(x, n) {
    crossprod(scale(oracle_moment_rows(x, model$means), scale = FALSE)) / n^2
  }, data, n))
  slopes <- numDeriv::jacobian(function(t) oracle_moments(model, t), theta)
  q <- diag(nrow(v)) - slopes %*% solve(t(slopes) %*% v %*% slopes, t(slopes) %*% v)
  diag(q %*% gamma %*% t(q))
}
