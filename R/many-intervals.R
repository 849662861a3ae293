# Intervals and p from replicates: percentile, bias-corrected, and bias-corrected and accelerated
# (Efron 1987; Efron & Tibshirani 1993, ch. 14).

# One row a number: `values` replicates x numbers, `estimate` by name, `acceleration` by name.
replicate_intervals <- function(values, estimate, type, level, acceleration) {
  columns <- lapply(seq_along(estimate), function(k) {
    x <- values[, k]
    x <- x[is.finite(x)]
    one_interval(x, estimate[[k]], type, level, acceleration[[k]])
  })
  do.call(Map, c(list(c), columns))
}

fewest_replicates <- 20L

one_interval <- function(x, estimate, type, level, acceleration) {
  used <- length(x)
  out <- list(se = NA_real_, bias = NA_real_, lower = NA_real_, upper = NA_real_, p = NA_real_,
              used = used)
  if (used < fewest_replicates) return(out)
  out$se <- stats::sd(x)
  if (out$se <= 1e-12 * max(abs(estimate), 1e-300)) return(replace(out, "se", 0))
  out$bias <- mean(x) - estimate
  z <- if (type == "percentile") 0 else median_bias(x, estimate)
  a <- if (type == "bca") acceleration else 0
  if (!is.finite(z) || !is.finite(a)) return(out)
  ends <- c(1 - level, 1 + level) / 2
  at <- stats::pnorm(moved_quantile(stats::qnorm(ends), z, a))
  limits <- ordered_quantile(sort(x), at)
  out$lower <- limits[1L]
  out$upper <- limits[2L]
  out$p <- replicate_p(x, z, a)
  out
}

# z0: ties with the estimate count half.
median_bias <- function(x, estimate) {
  below <- mean(x < estimate) + mean(x == estimate) / 2
  if (below <= 0 || below >= 1) NA_real_ else stats::qnorm(below)
}

moved_quantile <- function(z, z0, a) z0 + (z0 + z) / (1 - a * (z0 + z))

# The k-th of B values stands at k / (B + 1); between them by the normal scale, beyond them not at
# all.
ordered_quantile <- function(x, at) {
  size <- length(x)
  k <- at * (size + 1)
  low <- floor(k)
  inside <- low >= 1 & low < size
  out <- x[pmin(pmax(low, 1), size)]
  share <- (stats::qnorm(at) - stats::qnorm(low / (size + 1))) /
    (stats::qnorm((low + 1) / (size + 1)) - stats::qnorm(low / (size + 1)))
  out[inside] <- out[inside] + share[inside] * (x[low[inside] + 1] - x[low[inside]])
  out
}

# Two-sided p of zero: the level at which an end of the interval would reach zero.
replicate_p <- function(x, z0, a) {
  below <- (sum(x < 0) + sum(x == 0) / 2 + 0.5) / (length(x) + 1)
  w <- stats::qnorm(below) - z0
  z <- w / (1 + a * w) - z0
  2 * stats::pnorm(-abs(z))
}

# a = sum e^3 / (6 (sum e^2)^1.5), e what each part of the cases does to a number: left out one
# after the other, all parts refitted (jackknife).
acceleration_of <- function(values) {
  apply(values, 2L, function(x) {
    x <- x[is.finite(x)]
    e <- mean(x) - x
    if (length(x) < 2L || sum(e^2) <= 0) return(0)
    sum(e^3) / (6 * sum(e^2)^1.5)
  })
}
