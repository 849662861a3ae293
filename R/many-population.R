# What data are drawn from: a population of each group, as the core takes it.

# `shape`: list(skew, kurtosis) by variable; `holes`: not zero where a value is missing; `lost`: as
# lost_odds() gives it; `clusters`: sizes; `between`: share of variances and covariances between
# them.
population_root <- function(correlation) {
  root <- unname(lower_root(correlation))
  if (anyNA(root))
    abort("data", c(text_of("model_implied_covariance_matrix"),
                    i = text_of("no_cases_can_be")))
  root
}

new_population <- function(cases, covariance, mean = NULL, shape = NULL, holes = NULL, lost = NULL,
                           clusters = integer(), between = 0) {
  sd <- sqrt(diag(covariance))
  correlation <- covariance / outer(sd, sd)
  cubic <- numeric()
  if (!is.null(shape)) {
    cubic <- cubic_of(shape, colnames(covariance))
    correlation <- normal_correlation(correlation, cubic)
  }
  list(cases = as.integer(cases), mean = as.numeric(mean %||% numeric(length(sd))),
       sd = as.numeric(sd), root = population_root(correlation), cubic = unname(cubic),
       clusters = as.integer(clusters), between = as.numeric(between),
       holes = if (is.null(holes)) numeric() else unname(holes),
       odds = as.numeric(lost$odds), slope = as.numeric(lost$slope),
       given = as.integer(lost$given %||% 0L), kept = integer())
}

# The cubic that has a skew and an excess kurtosis (Fleishman 1978): b, c, d a row.
cubic_of <- function(shape, names) {
  found <- Map(fleishman, shape$skew, shape$kurtosis, names)
  do.call(rbind, unname(found))
}

# b^2 + 6bd + 2c^2 + 15d^2 = 1 and the two moments, by Newton steps from the normal distribution in
# small stages.
fleishman <- function(skew, kurtosis, name) {
  x <- c(1, 0, 0)
  for (share in seq(0.05, 1, by = 0.05)) {
    for (step in 1:50) {
      at <- fleishman_gap(x, share * skew, share * kurtosis)
      change <- tryCatch(solve_square(fleishman_slope(x), at), error = function(e) NULL)
      if (is.null(change) || !all(is.finite(change))) break
      x <- x - change
      if (max(abs(change)) < 1e-13) break
    }
  }
  if (!all(is.finite(x)) || max(abs(fleishman_gap(x, skew, kurtosis))) > 1e-8 || x[1L] <= 0)
    abort("input", c(text_of("no_distribution_kind_has", skew = format(skew),
                             kurtosis = format(kurtosis), name = name),
                     i = text_of("kurtosis_is_excess_over")))
  x
}

fleishman_gap <- function(x, skew, kurtosis) {
  b <- x[1L]
  c <- x[2L]
  d <- x[3L]
  base::c(b^2 + 6 * b * d + 2 * c^2 + 15 * d^2 - 1,
          2 * c * (b^2 + 24 * b * d + 105 * d^2 + 2) - skew,
          24 * (b * d + c^2 * (1 + b^2 + 28 * b * d) +
                  d^2 * (12 + 48 * b * d + 141 * c^2 + 225 * d^2)) - kurtosis)
}

fleishman_slope <- function(x) {
  b <- x[1L]
  c <- x[2L]
  d <- x[3L]
  rbind(base::c(2 * b + 6 * d, 4 * c, 6 * b + 30 * d),
        base::c(2 * c * (2 * b + 24 * d), 2 * (b^2 + 24 * b * d + 105 * d^2 + 2),
                2 * c * (24 * b + 210 * d)),
        24 * base::c(d + c^2 * (2 * b + 28 * d) + 48 * d^3,
                     2 * c * (1 + b^2 + 28 * b * d) + 282 * c * d^2,
                     b + 28 * c^2 * b + 2 * d * (12 + 48 * b * d + 141 * c^2 + 225 * d^2) +
                       d^2 * (48 * b + 450 * d)))
}

# The correlations of the normal variables that give these of the cubics (Vale & Maurelli 1983).
normal_correlation <- function(target, cubic) {
  out <- target
  for (i in seq_len(ncol(target))) for (j in seq_len(i - 1L)) {
    x <- cubic[i, ]
    y <- cubic[j, ]
    gap <- function(r) {
      r * (x[1L] * y[1L] + 3 * x[1L] * y[3L] + 3 * x[3L] * y[1L] + 9 * x[3L] * y[3L]) +
        2 * r^2 * x[2L] * y[2L] + 6 * r^3 * x[3L] * y[3L] - target[i, j]
    }
    if (gap(-1) > 0 || gap(1) < 0)
      abort("input", c(text_of("variables_skew_kurtosis_cannot", value = format_fixed(target[i, j]),
                               target = rownames(target)[i], value_2 = colnames(target)[j]),
                       i = text_of("ask_less_skew_or")))
    out[i, j] <- out[j, i] <- stats::uniroot(gap, c(-1, 1), tol = 1e-12)$root
  }
  if (smallest_eigenvalue(out) <= 1e-10)
    abort("input", c(text_of("variables_skew_kurtosis_cannot_have"),
                     i = text_of("ask_less_skew_or")))
  out
}
