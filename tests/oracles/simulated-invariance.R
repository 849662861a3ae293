# Data for invariance beyond a few groups: along a variable, and over many groups. The expected
# values in the tests were computed by independent code for exactly these draws.

drifting_loadings <- c(0.8, 0.7, 0.6, 0.8, 0.7, 0.6)

# Six items of one construct whose mean and spread change along v (by `mean` and `spread` over its
# range); the intercept or the loading of the first item may change as well.
drifting_items <- function(n, seed, mean = 0, spread = 0, intercept = 0, loading = 0) {
  set.seed(seed)
  v <- sort(stats::runif(n))
  z <- v - 0.5
  f <- mean * z + stats::rnorm(n) * (1 + spread * z)
  loadings <- matrix(drifting_loadings, n, 6, byrow = TRUE)
  loadings[, 1] <- loadings[, 1] + loading * z
  noise <- matrix(stats::rnorm(n * 6), n)
  x <- loadings * f + noise * matrix(sqrt(1 - drifting_loadings^2), n, 6, byrow = TRUE)
  x[, 1] <- x[, 1] + intercept * z
  colnames(x) <- paste0("x", 1:6)
  data.frame(x, v)
}

# Five items in many groups, some of whose intercepts and loadings differ: list(data, mean: of the
# construct by group, differs: items x groups, whether the intercept does).
many_groups <- function(seed, groups = 20, n = 200, share = 0.1, shift = 0.5, drop = 0.3) {
  set.seed(seed)
  mean <- c(0, stats::rnorm(groups - 1, 0, 0.5))
  variance <- c(1, stats::runif(groups - 1, 0.6, 1.6))
  intercepts <- matrix(0, 5, groups)
  loadings <- matrix(c(1, 0.9, 0.8, 0.9, 1), 5, groups)
  at <- sample(5 * groups, round(share * 5 * groups))
  intercepts[at] <- intercepts[at] + shift
  low <- sample(5 * groups, round(share * 5 * groups))
  loadings[low] <- loadings[low] - drop
  list(data = groups_of_items(mean, variance, intercepts, loadings, n), mean = mean,
       differs = intercepts != 0)
}

groups_of_items <- function(mean, variance, intercepts, loadings, n) {
  rows <- lapply(seq_along(mean), function(g) {
    f <- mean[g] + sqrt(variance[g]) * stats::rnorm(n)
    x <- matrix(intercepts[, g], n, 5, byrow = TRUE) + outer(f, loadings[, g]) +
      matrix(stats::rnorm(n * 5), n) * sqrt(0.6)
    colnames(x) <- paste0("x", 1:5)
    data.frame(x, g = sprintf("g%02d", g))
  })
  do.call(rbind, rows)
}
