# Do parameters change along an ordered variable? Cumulated scores of single cases, in the order of
# that variable, follow Brownian bridges when nothing changes (Hjort & Koning 2002; Zeileis & Hornik
# 2007). Pure.

# Scores of `own` parameters with those of the `nuisance` parameters projected out (Neyman 1959):
# what changes along the variable in the nuisance does not show, to first order.
# `inverse`: that of the information of the nuisance.
efficient_scores <- function(scores, information, own, nuisance, inverse =
                               generalized_inverse(information[nuisance, nuisance, drop = FALSE])) {
  if (length(nuisance) == 0L) return(scores[, own, drop = FALSE])
  scores[, own, drop = FALSE] - scores[, nuisance, drop = FALSE] %*%
    (inverse %*% information[nuisance, own, drop = FALSE])
}

least_eigenvalue <- 1e-8    # relative to the largest: below it a direction counts as empty

# The inverse of a symmetric matrix on the space that it spans.
generalized_inverse <- function(m, tolerance = least_eigenvalue) {
  unit <- own_units(m)
  parts <- eigen(m / outer(unit, unit), symmetric = TRUE)
  keep <- parts$values > tolerance * max(parts$values)
  vectors <- parts$vectors[, keep, drop = FALSE] / unit
  vectors %*% (t(vectors) / parts$values[keep])
}

# Columns of unit variance that do not correlate, as many as the rank of `u`. They are standardized
# by their outer product: under heavy tails the information would be wrong.
decorrelated <- function(u) {
  unit <- sqrt(colMeans(u^2))
  unit[unit == 0] <- 1
  scaled <- sweep(u, 2L, unit, "/")
  parts <- eigen(crossprod(scaled) / nrow(u), symmetric = TRUE)
  keep <- parts$values > least_eigenvalue * max(parts$values, 1)
  scaled %*% sweep(parts$vectors[, keep, drop = FALSE], 2L, sqrt(parts$values[keep]), "/")
}

# The cumulated scores at the last case of each value of `v`: `x` has one row per case.
fluctuation_path <- function(x, v) {
  order <- order(v)
  ends <- which(!duplicated(v[order], fromLast = TRUE))
  n <- nrow(x)
  sums <- apply(x[order, , drop = FALSE], 2L, cumsum)[ends, , drop = FALSE] / sqrt(n)
  list(value = v[order][ends], share = ends / n, weight = diff(c(0, ends)) / n, path = sums)
}

trimmed_share <- 0.1     # of the cases on either side, where the largest statistic is not sought

# The mean and the largest squared distance of the path from zero, with the place of the largest.
path_statistics <- function(found) {
  squares <- rowSums(found$path^2)
  inside <- which(found$share >= trimmed_share - 1e-9 & found$share <= 1 - trimmed_share + 1e-9)
  lm <- squares[inside] / (found$share[inside] * (1 - found$share[inside]))
  most <- if (length(lm)) which.max(lm)
  list(mean = sum(squares * found$weight), largest = if (length(lm)) lm[most] else NA_real_,
       at = if (length(lm)) found$value[inside][most] else NA,
       share = if (length(lm)) found$share[inside][most] else NA_real_)
}

# P(mean squared distance > x) for `rank` bridges: a weighted sum of chi-squares with weights
# 1/(j pi)^2 (Anderson & Darling 1952); the mean of those beyond the 40th is subtracted.
bridge_mean_p <- function(x, rank, terms = 40L) {
  weights <- 1 / (seq_len(terms) * pi)^2
  weighted_chisq_p(x - rank * (1 / 6 - sum(weights)), rep(weights, each = rank))
}

# P(largest LM statistic > x) (Andrews 1993; Estrella 2003).
bridge_largest_p <- function(x, rank, trimmed = trimmed_share) {
  if (is.na(x)) return(NA_real_)
  if (x <= rank) return(1)
  span <- 2 * log((1 - trimmed) / trimmed)
  min(1, exp(rank / 2 * log(x / 2) - x / 2 - lgamma(rank / 2)) * ((1 - rank / x) * span + 2 / x))
}

# P(largest distance of one bridge > x) (Kolmogorov 1933).
bridge_distance_p <- function(x) {
  j <- seq_len(100L)
  min(1, max(0, 2 * sum((-1)^(j + 1) * exp(-2 * j^2 * x^2))))
}

fluctuation_draws <- 4000L

# Few ordered categories: the largest LM statistic over the steps between them, and its p from
# draws of normal variables (Merkle, Fan & Zeileis 2014).
ordinal_largest <- function(found, rank) {
  share <- found$share[-length(found$share)]
  squares <- rowSums(found$path^2)[-length(found$share)]
  lm <- squares / (share * (1 - share))
  most <- which.max(lm)
  list(largest = lm[most], at = found$value[most], share = share[most],
       p = mean(ordinal_draws(found$weight, rank) >= lm[most]))
}

# Draws of the largest statistic under no change. `weight`: share of each category.
ordinal_draws <- function(weight, rank, draws = fluctuation_draws) {
  steps <- length(weight)
  t <- cumsum(weight)[-steps]
  largest <- numeric(draws)
  squares <- matrix(0, draws, steps - 1L)
  z <- with_seed(1L, stats::rnorm(draws * steps * rank))
  dim(z) <- c(draws, steps, rank)
  for (r in seq_len(rank)) {
    sums <- t(apply(sweep(matrix(z[, , r], draws), 2L, sqrt(weight), "*"), 1L, cumsum))
    bridge <- sums[, -steps, drop = FALSE] - outer(sums[, steps], t)
    squares <- squares + bridge^2
  }
  lm <- sweep(squares, 2L, t * (1 - t), "/")
  apply(lm, 1L, max)
}

# Unordered categories: the sums of scores within each, a chi-square of rank (C - 1) degrees of
# freedom (Merkle & Zeileis 2013).
categorical_sum <- function(found, rank) {
  steps <- diff(rbind(0, found$path))
  statistic <- sum(rowSums(steps^2) / found$weight)
  list(statistic = statistic, df = rank * (length(found$weight) - 1L),
       p = upper_p(statistic, rank * (length(found$weight) - 1L)))
}

multiplier_draws <- 999L
multiplier_points <- 50L

# Cases in clusters within which the variable moves: normal multipliers, one for each cluster, on
# quantiles of the variable (Lin, Wei & Ying 1993). `x` decorrelated by sums within clusters.
multiplier_p <- function(x, v, cluster) {
  n <- nrow(x)
  order <- order(v)
  all_ends <- which(!duplicated(v[order], fromLast = TRUE))
  wanted <- ceiling(n * seq_len(multiplier_points) / multiplier_points)
  ends <- unique(all_ends[pmin(findInterval(wanted - 1e-9, all_ends) + 1L, length(all_ends))])
  clusters <- match(cluster, unique(cluster))
  segment <- findInterval(order(order), c(1, ends[-length(ends)] + 1))
  # sums of scores by cluster and segment, cumulated over segments
  parts <- array(0, c(max(clusters), length(ends), ncol(x)))
  for (r in seq_len(ncol(x))) {
    sums <- tapply(x[, r], list(factor(clusters, seq_len(max(clusters))),
                                factor(segment, seq_along(ends))), sum)
    sums[is.na(sums)] <- 0
    parts[, , r] <- t(apply(sums, 1L, cumsum))
  }
  share <- ends / n
  inside <- share >= trimmed_share - 1e-9 & share <= 1 - trimmed_share + 1e-9
  statistics <- function(xi) {
    squares <- 0
    for (r in seq_len(ncol(x))) {
      path <- xi %*% matrix(parts[, , r], max(clusters))
      squares <- squares + (path - outer(path[, ncol(path)], share))^2 / n
    }
    lm <- sweep(squares[, inside, drop = FALSE], 2L, (share * (1 - share))[inside], "/")
    cbind(rowMeans(squares), do.call(pmax, lapply(seq_len(ncol(lm)), function(k) lm[, k])))
  }
  observed <- statistics(matrix(1, 1L, max(clusters)))
  drawn <- with_seed(1L, statistics(matrix(stats::rnorm(multiplier_draws * max(clusters)),
                                           multiplier_draws)))
  list(mean = (1 + sum(drawn[, 1L] >= observed[1L])) / (multiplier_draws + 1),
       largest = (1 + sum(drawn[, 2L] >= observed[2L])) / (multiplier_draws + 1))
}

# Scores from a model of their own in each bin of the variable, for changes too large for one
# projection. `parts`: by bin, in order, `u` (its cases, in order of the variable) and `information`
# of the block given the rest; both the path and its multipliers are corrected for the estimation.
within_bins <- function(parts, v) {
  u <- do.call(rbind, lapply(parts, `[[`, "u"))
  bin <- rep(seq_along(parts), vapply(parts, function(part) nrow(part$u), 0L))
  n <- nrow(u)
  ends <- unique(round(seq(n / multiplier_points, n, length.out = multiplier_points)))
  segment <- findInterval(seq_len(n), c(1, ends[-length(ends)] + 1))
  count <- table(factor(segment, seq_along(ends)), factor(bin, seq_along(parts)))
  total <- 0
  held <- lapply(seq_along(ends), function(k) {
    for (g in seq_along(parts)) total <<- total + count[k, g] * parts[[g]]$information
    total
  })
  inverse <- generalized_inverse(total)
  carried <- lapply(held, function(h) h %*% inverse)
  metric <- Map(function(h, back) generalized_inverse(h - back %*% h, 1e-6), held, carried)
  spread <- generalized_inverse(crossprod(u) / n)
  inside <- which(ends / n >= trimmed_share & ends / n <= 1 - trimmed_share)
  statistics <- function(xi) {
    path <- vector("list", length(ends))
    sum <- matrix(0, nrow(xi), ncol(u))
    for (k in seq_along(ends)) {
      own <- segment == k
      sum <- sum + xi[, own, drop = FALSE] %*% u[own, , drop = FALSE]
      path[[k]] <- sum
    }
    path <- Map(function(w, back) w - sum %*% t(back), path, carried)
    means <- Reduce(`+`, lapply(path, function(w) rowSums((w %*% spread) * w))) /
      (length(ends) * n)
    lm <- do.call(cbind, lapply(inside, function(k) {
      rowSums((path[[k]] %*% metric[[k]]) * path[[k]])
    }))
    list(mean = means, lm = lm)
  }
  observed <- statistics(matrix(1, 1L, n))
  drawn <- with_seed(1L, statistics(matrix(stats::rnorm(multiplier_draws * n), multiplier_draws)))
  most <- which.max(observed$lm)
  largest <- apply(drawn$lm, 1L, max)
  list(mean = observed$mean, largest = observed$lm[most], at = v[ends[inside[most]]],
       p = (1 + sum(drawn$mean >= observed$mean)) / (multiplier_draws + 1),
       p_largest = (1 + sum(largest >= observed$lm[most])) / (multiplier_draws + 1),
       rank = round(sum(diag(inverse %*% total))))
}
