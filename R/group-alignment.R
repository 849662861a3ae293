# Approximate invariance over many groups (Asparouhov & Muthén 2014): means and variances of one
# construct that leave most loadings and intercepts alike and a few different. Pure.

# `estimates`: `loading` and `intercept` (items x groups) from constructs of mean 0 and variance 1,
# `n` cases; the first group is the reference. Returns the means and variances in units of the
# reference, the aligned loadings and intercepts, and the raw solution.
align_groups <- function(estimates, starts = 6L, from = NULL) {
  first <- from %||% alignment_start(estimates)
  best <- NULL
  noise <- with_seed(1L, matrix(stats::rnorm(length(first) * starts, sd = 0.3), ncol = starts))
  for (k in seq_len(starts)) {
    found <- alignment_optimum(estimates, first + if (k > 1L) noise[, k] else 0,
                               if (is.null(from)) alignment_path else alignment_epsilon)
    if (is.null(best) || found$value < best$value - 1e-9) best <- found
  }
  raw <- alignment_parameters(best$par)
  sd <- exp(raw$log_sd - raw$log_sd[1L])
  mean <- raw$mean / exp(raw$log_sd[1L])
  slope <- sweep(estimates$loading, 2L, sd, "/")
  list(loss = best$value, mean = mean, sd = sd, loading = slope,
       intercept = estimates$intercept - sweep(slope, 2L, mean, "*"), par = best$par, raw = raw)
}

alignment_epsilon <- 0.01
alignment_path <- c(0.1, 0.03, alignment_epsilon)   # from a smooth loss to the one that counts

# The mean of the reference is 0. Variances are free with a geometric mean of 1: with that of the
# reference fixed instead, all other loadings would shrink towards 0.
alignment_parameters <- function(par) {
  others <- (length(par)) / 2
  log_sd <- par[others + seq_len(others)]
  list(mean = c(0, par[seq_len(others)]), log_sd = c(-sum(log_sd), log_sd))
}

# Medians over items.
alignment_start <- function(estimates) {
  log_sd <- apply(log(pmax(abs(estimates$loading), 0.05)), 2L, stats::median)
  log_sd <- log_sd - mean(log_sd)
  slope <- sweep(estimates$loading, 2L, exp(log_sd), "/")
  off <- (estimates$intercept - apply(estimates$intercept, 1L, stats::median)) / slope
  mean <- apply(off, 2L, stats::median)
  c((mean - mean[1L])[-1L], log_sd[-1L])
}

# Loss and gradient are computed together and kept for the second call.
alignment_optimum <- function(estimates, par, path) {
  for (epsilon in path) {
    last <- NULL
    at <- function(par) {
      if (!identical(last$par, par))
        last <<- c(list(par = par), alignment_at(estimates, par, epsilon))
      last
    }
    found <- stats::optim(par, function(x) at(x)$value, function(x) at(x)$gradient,
                          method = "BFGS", control = list(maxit = 500L, reltol = 1e-11))
    par <- found$par
  }
  found
}

alignment_at <- function(estimates, par, epsilon = alignment_epsilon) {
  raw <- alignment_parameters(par)
  found <- core_alignment_loss(estimates$loading, estimates$intercept, estimates$n, raw$mean,
                               raw$log_sd, epsilon)
  list(value = found$value,
       gradient = c(found$mean[-1L], found$log_sd[-1L] - found$log_sd[1L]))
}

# Standard errors of means and variances by the implicit function: a change of the estimates moves
# the optimum by -H^-1 M, H the derivatives of the gradient by means and variances and M by the
# estimates. `vcov`: by group, of loadings then intercepts.
alignment_errors <- function(estimates, vcov, aligned) {
  step <- 1e-5
  par <- aligned$par
  items <- nrow(estimates$loading)
  groups <- ncol(estimates$loading)
  hessian <- vapply(seq_along(par), function(k) {
    move <- replace(numeric(length(par)), k, step)
    (alignment_at(estimates, par + move)$gradient - alignment_at(estimates, par - move)$gradient) /
      (2 * step)
  }, numeric(length(par)))
  raw <- aligned$raw
  scale <- exp(raw$log_sd[1L])
  others <- length(par) / 2
  # of means in units of the reference: a / s_1, with log s_1 less the sum of the others
  by_par <- cbind(diag(others), outer(raw$mean[-1L], rep(1, others))) / scale
  variance <- matrix(0, others, others)
  for (g in seq_len(groups)) {
    cross <- vapply(seq_len(2L * items), function(k) {
      moved <- function(by) {
        one <- estimates
        if (k <= items) one$loading[k, g] <- one$loading[k, g] + by else
          one$intercept[k - items, g] <- one$intercept[k - items, g] + by
        alignment_at(one, par)$gradient
      }
      (moved(step) - moved(-step)) / (2 * step)
    }, numeric(length(par)))
    slope <- -by_par %*% solve_square(hessian, cross)
    variance <- variance + slope %*% vcov[[g]] %*% t(slope)
  }
  c(NA, sqrt(pmax(0, diag(variance))))
}

# Standard errors of the aligned loadings and intercepts, with means and variances as known.
aligned_errors <- function(vcov, aligned) {
  items <- nrow(aligned$loading)
  own <- function(g, k) diag(vcov[[g]])[k]
  list(loading = vapply(seq_along(vcov), function(g) {
         sqrt(own(g, seq_len(items))) / aligned$sd[g]
       }, numeric(items)),
       intercept = vapply(seq_along(vcov), function(g) {
         sqrt(own(g, items + seq_len(items)) +
                (aligned$mean[g] / aligned$sd[g])^2 * own(g, seq_len(items)))
       }, numeric(items)))
}

noninvariant_level <- 0.001

# Which groups of one item differ from the others: those close to the median first, then all whose
# p against the weighted mean of the set is above the level, until the set stands.
differing_groups <- function(value, se, level = noninvariant_level) {
  inside <- abs(value - stats::median(value)) <= 2.25 * stats::median(se)
  for (round in 1:30) {
    weight <- inside / se^2
    average <- sum(weight * value) / sum(weight)
    variance <- se^2 + ifelse(inside, -1, 1) / sum(weight)
    z <- (value - average) / sqrt(pmax(variance, 1e-12))
    now <- 2 * stats::pnorm(-abs(z)) > level
    if (all(now == inside) || !any(now)) break
    inside <- now
  }
  list(differs = !inside, z = z, average = average)
}

# The share of the variance of configural loadings and intercepts over groups that the means and
# variances of the construct explain.
invariance_r_squared <- function(estimates, aligned) {
  loading <- rowMeans(aligned$loading)
  intercept <- rowMeans(aligned$intercept)
  spread <- function(m) apply(m, 1L, stats::var)
  left <- list(
    loading = estimates$loading - outer(loading, aligned$sd),
    intercept = estimates$intercept - intercept - outer(loading, aligned$mean))
  list(loading = 1 - spread(left$loading) / spread(estimates$loading),
       intercept = 1 - spread(left$intercept) / spread(estimates$intercept),
       loading_variance = spread(estimates$loading),
       intercept_variance = spread(estimates$intercept))
}

recovery_draws <- 100L

# Would means like these be found again? Estimates are drawn around the aligned solution and aligned
# in the same way; the result is the correlation of the means with those they were drawn from.
alignment_recovery <- function(estimates, vcov, aligned, draws = recovery_draws) {
  items <- nrow(estimates$loading)
  truth <- aligned$mean
  roots <- lapply(vcov, lower_root)
  noise <- with_seed(1L, lapply(seq_len(draws), function(r) {
    lapply(roots, function(root) drop(root %*% stats::rnorm(2L * items)))
  }))
  drawn <- vapply(noise, function(one) {
    own <- estimates
    own$loading <- own$loading + vapply(one, `[`, numeric(items), seq_len(items))
    own$intercept <- own$intercept + vapply(one, `[`, numeric(items), items + seq_len(items))
    found <- align_groups(own, 1L, aligned$par)
    c(stats::cor(found$mean, truth), sqrt(mean((found$mean - truth)^2)))
  }, numeric(2L))
  c(correlation = mean(drawn[1L, ]), rmse = mean(drawn[2L, ]))
}

ranking_correlation <- 0.98

# The number of cases a group at which means could be ranked: errors shrink with the root of n, so
# that 1/r^2 - 1 is proportional to 1/n.
cases_to_rank <- function(correlation, n) {
  if (!is.finite(correlation) || correlation <= 0) return(NA_real_)
  ceiling(mean(n) * (1 / correlation^2 - 1) / (1 / ranking_correlation^2 - 1))
}

set_level <- 0.001

# Sets of groups within which loadings and intercepts are equal but for the mean and variance of the
# construct: complete linkage of the Wald distances of all pairs, cut at their .999 quantile.
invariant_sets <- function(estimates, vcov) {
  groups <- ncol(estimates$loading)
  items <- nrow(estimates$loading)
  if (groups < 3L || items < 3L) return(NULL)
  distance <- matrix(0, groups, groups)
  for (g in seq_len(groups - 1L)) for (h in seq(g + 1L, groups))
    distance[g, h] <- distance[h, g] <- pair_distance(estimates, vcov, g, h)
  limit <- stats::qchisq(1 - set_level, 2L * items - 2L)
  tree <- stats::hclust(stats::as.dist(distance), "complete")
  stats::cutree(tree, h = limit)
}

# The least Wald distance of two groups over the mean and variance of the construct in the second,
# by Gauss-Newton steps from medians over the items.
pair_distance <- function(estimates, vcov, g, h) {
  items <- nrow(estimates$loading)
  first <- seq_len(items)
  one <- c(estimates$loading[, g], estimates$intercept[, g])
  loading <- estimates$loading[, h]
  intercept <- estimates$intercept[, h]
  log_sd <- stats::median(log(pmax(abs(loading), 0.05)) - log(pmax(abs(one[first]), 0.05)))
  mean <- stats::median((intercept - one[-first]) / (loading * exp(-log_sd)))
  distance <- Inf
  for (step in 1:12) {
    slope <- loading * exp(-log_sd)
    gap <- c(slope, intercept - mean * slope) - one
    turn <- diag(rep(c(exp(-log_sd), 1), each = items))
    turn[cbind(items + first, first)] <- -mean * exp(-log_sd)
    by <- cbind(c(numeric(items), -slope), c(-slope, mean * slope))
    weighted <- solve_in_units(vcov[[g]] + turn %*% vcov[[h]] %*% t(turn), cbind(by, gap))
    now <- sum(gap * weighted[, 3L])
    if (!is.finite(now)) return(Inf)
    # the weights change with the parameters, so that a step may end above the last one
    if (abs(distance - now) < 1e-3 * (1 + now)) break
    distance <- min(distance, now)
    move <- solve_in_units(crossprod(by, weighted[, 1:2]), -crossprod(by, weighted[, 3L]))
    mean <- mean + move[1L]
    log_sd <- log_sd + move[2L]
  }
  min(distance, now)
}
