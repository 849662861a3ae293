# Do parameters change along an ordered variable? Cumulated scores of single cases, in the order of
# that variable, follow Brownian bridges when nothing changes (Hjort & Koning 2002; Zeileis & Hornik
# 2007). Pure.

# Scores of `own` parameters with those of the `nuisance` parameters projected out (Neyman 1959), so
# that changes of the nuisance parameters along the variable do not show, to first order. `inverse`:
# the inverse information of the nuisance parameters.
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

# Few ordered categories: the largest LM statistic over the steps between them, and its p value from
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

# Cases in clusters within which the variable varies: normal multipliers, one for each cluster, on
# quantiles of the variable (Lin, Wei & Ying 1993). `x` is decorrelated by sums within clusters.
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

# Scores from a separate model in each bin of the variable, for changes too large for one
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

# Parameters as curves along a variable: at each focal point the model is fitted to moments that are
# weighted by a Gaussian kernel, with the local linear trend of the items removed (Hildebrandt,
# Lüdtke, Robitzsch, Sommer & Wilhelm 2016).

focal_points <- 11L
kernel_reach <- 3.5     # bandwidths beyond which cases do not count
bandwidth_factor <- 2   # h = factor n^(-1/5) SD

# The curves of the tested parameters, of the means and of the variances of the constructs; NULL
# where there are none.
parameter_curves <- function(fit, v, kind, blocks, reps = 0, seed = 1) {
  source <- curve_source(fit, v, kind)
  if (is.null(source)) return(NULL)
  values <- curve_values(source, seq_along(v))
  if (is.null(values) || anyNA(values)) return(NULL)
  out <- list_frame(list(
    parameter = rep(rownames(values), ncol(values)), kind = rep(source$kind, ncol(values)),
    at = rep(source$at, each = nrow(values)), value = as.vector(values),
    n = rep(source$n, each = nrow(values))))
  draws <- if (reps > 0) curve_draws(source, reps, seed)
  with_bands(out, draws)
}

# The values from which the curves are drawn. Only for measurement models of complete cases in which
# each item belongs to one construct.
curve_source <- function(fit, v, kind) {
  layout <- fit$layout
  rows <- layout$rows
  usable <- kind == "continuous" && !is_incomplete(fit$sample) && is.null(fit$joint) &&
    !any(rows$kind %in% c("effect", "weight")) && layout$means &&
    setequal(rows$second[rows$kind == "loading"], layout$observed) &&
    !anyDuplicated(rows$second[rows$kind == "loading"]) && isTRUE(layout$saturated_means)
  if (!usable) return(NULL)
  x <- core_cases(fit)[[1L]]$values
  cluster <- core_cases(fit)[[1L]]$cluster
  at <- unname(stats::quantile(v, seq(0.05, 0.95, length.out = focal_points)))
  h <- bandwidth_factor * nrow(x)^(-1 / 5) * stats::sd(v)
  n <- vapply(at, function(v0) sum(kernel_weights(v, v0, h)), 0)
  at <- at[n >= max(50, 5 * ncol(x))]
  if (length(at) < 3L || anyDuplicated(at)) return(NULL)
  loadings <- which(rows$kind == "loading")
  constructs <- layout$constructs
  list(fit = fit, x = x, v = v, h = h, at = at, n = n[n >= max(50, 5 * ncol(x))],
       cluster = cluster, loadings = loadings, constructs = constructs,
       kind = c(rep("loading", length(loadings)), rep("intercept", length(loadings)),
                rep("mean", length(constructs)), rep("variance", length(constructs))))
}

kernel_weights <- function(v, v0, h) {
  z <- (v - v0) / h
  ifelse(abs(z) > kernel_reach, 0, exp(-z^2 / 2))
}

# Weighted local linear regression of all items on v - v0: their means at v0, and the residual
# covariances.
local_moments <- function(x, v, v0, h) {
  w <- kernel_weights(v, v0, h)
  used <- w > 0
  w <- w[used]
  d <- cbind(1, v[used] - v0)
  x <- x[used, , drop = FALSE]
  coefficients <- solve_in_units(crossprod(d, w * d), crossprod(d, w * x))
  e <- x - d %*% coefficients
  list(n = sum(w), mean = coefficients[1L, ], covariance = crossprod(e, w * e) / sum(w))
}

# Parameters x focal points, for the cases of `rows`; NULL where a fit does not converge.
curve_values <- function(source, rows) {
  x <- source$x[rows, , drop = FALSE]
  v <- source$v[rows]
  fit <- source$fit
  own <- vapply(source$at, function(v0) {
    moments <- local_moments(x, v, v0, source$h)
    found <- values_from_moments(fit, moments)
    if (is.null(found)) return(rep(NA_real_, length(source$kind)))
    in_effects_coding(source, found, moments$mean)
  }, numeric(length(source$kind)))
  rownames(own) <- curve_names(source)
  own
}

# The values of all rows of the parameter table from a fit to other moments; NULL without
# convergence.
values_from_moments <- function(fit, moments) {
  dimnames(moments$covariance) <- dimnames(fit$moments[[1L]]$covariance)
  given <- list(list(n = moments$n, covariance = moments$covariance, mean = moments$mean))
  found <- core_fit(fit$layout$model, given, core_theta(fit), 0L, errors = FALSE)
  if (found$status != 0L) return(NULL)
  theta <- numeric(length(fit$layout$parameters))
  theta[fit$layout$model$used] <- found$theta
  values_at(fit$layout, theta)
}

# The scale in which the loadings of each construct average 1 and its intercepts 0 (Little, Slegers
# & Card 2006): from construct means of 0 and intercepts that are the means of the items.
in_effects_coding <- function(source, eta, mean) {
  rows <- source$fit$layout$rows
  observed <- source$fit$layout$observed
  loading <- eta[source$loadings]
  owner <- rows$first[source$loadings]
  sign <- sign(loading)
  average <- tapply(loading * sign, factor(owner, source$constructs), base::mean)
  loading <- loading / average[owner]
  item_mean <- mean[match(rows$second[source$loadings], observed)]
  # intercepts of items that load negatively are reversed with them
  level <- tapply(item_mean * sign, factor(owner, source$constructs), base::mean)
  intercept <- item_mean - loading * level[owner]
  variance <- eta[match(source$constructs, ifelse(rows$kind == "variance", rows$first, NA))]
  c(loading, intercept, level, variance * average^2)
}

curve_names <- function(source) {
  rows <- source$fit$layout$rows
  item <- rows$second[source$loadings]
  c(rows$parameter[source$loadings], address_format("intercept", item),
    address_format("mean", source$constructs), address_format("variance", source$constructs))
}

# Bootstrap of whole rows, or clusters, with all focal points in each replicate: an array of
# parameters x points x replicates.
curve_draws <- function(source, reps, seed) {
  n <- nrow(source$x)
  draws <- with_seed(seed, lapply(seq_len(reps), function(r) {
    if (is.null(source$cluster)) return(sample.int(n, n, replace = TRUE))
    own <- split(seq_len(n), source$cluster)
    unlist(own[sample.int(length(own), length(own), replace = TRUE)], use.names = FALSE)
  }))
  found <- map_with_progress(draws, function(rows) {
    tryCatch(curve_values(source, rows), error = function(e) NULL)
  }, text_of("constancy_curves"))
  found <- Filter(function(x) !is.null(x) && !anyNA(x), found)
  if (length(found) < 20L) return(NULL)
  array(unlist(found), c(dim(found[[1L]]), length(found)))
}

# Pointwise and simultaneous bands.
with_bands <- function(out, draws) {
  none <- rep(NA_real_, nrow(out))
  if (is.null(draws))
    return(list_frame(c(as.list(out), list(se = none, lower = none, upper = none,
                                           lower_all = none, upper_all = none))))
  flat <- matrix(draws, prod(dim(draws)[1:2]))
  se <- apply(flat, 1L, stats::sd)
  reach <- vapply(unique(out$parameter), function(name) {
    own <- out$parameter == name
    far <- abs(sweep(flat[own, , drop = FALSE], 1L, out$value[own])) / se[own]
    stats::quantile(apply(far, 2L, max), 0.95, names = FALSE)
  }, 0)[out$parameter]
  list_frame(c(as.list(out), list(
    se = se, lower = out$value - stats::qnorm(0.975) * se,
    upper = out$value + stats::qnorm(0.975) * se, lower_all = unname(out$value - reach * se),
    upper_all = unname(out$value + reach * se))))
}

# The print of a test of constancy.

constancy_columns <- function(x) {
  whole <- is.na(x$parameter)
  categories <- attr(x, "kind") == "unordered"
  titled(c(list(
    parameter = ifelse(whole, text_of("constancy_all_of", block = x$block), x$parameter),
    statistic = format_fixed(x$statistic, if (attr(x, "kind") == "continuous") 3L else 2L),
    p = format_p(x$p), `p (Holm)` = ifelse(whole & sum(whole) == 1L, "", format_p(x$p_adjusted))),
    if (!categories) list(at = shown_at(x$at),
                          change = ifelse(whole, "", format_number(x$difference))),
    list(verdict = words_of("constancy_verdict", x$verdict))))
}

shown_at <- function(at) {
  if (is.character(at)) return(ifelse(is.na(at), "", at))
  shown <- format(signif(at, 3L), trim = TRUE, scientific = FALSE, drop0trailing = TRUE)
  ifelse(is.na(at), "", shown)
}

constancy_title <- function(x) text_of("constancy_title", along = attr(x, "along"))

# The conclusion of each block, the changes of constructs along the variable, and the cases that
# were left out.
constancy_reading <- function(x) {
  c(unlist(lapply(unique(x$block), function(block) block_reading(x, block))),
    construct_reading(x))
}

block_reading <- function(x, block) {
  own <- x[x$block == block, ]
  first <- own[1L, ]
  along <- attr(x, "along")
  if (first$verdict == "not_tested")
    return(text_of("constancy_too_few", block = capital(block)))
  changing <- own[own$verdict == "changes" & !is.na(own$parameter), ]
  changing <- changing[order(changing$step), ]
  if (nrow(changing) == 0L)
    return(text_of(paste0("constancy_block_", first$verdict), block = capital(block),
                   along = along, p = p_equals(first$p_adjusted)))
  c(text_of("constancy_found", along = along, block = block, p = p_equals(first$p_adjusted),
            each = enumerate(changed_words(changing, x))),
    if (any(own$verdict == "follows_others"))
      text_of("constancy_follows",
              each = enumerate(own$parameter[own$verdict == "follows_others"])))
}

changed_words <- function(rows, x) {
  where <- ifelse(is.na(rows$at), "", text_of("constancy_where", at = shown_at(rows$at)))
  size <- ifelse(is.na(rows$difference), "",
                 text_of("constancy_size", difference = format_number(rows$difference)))
  paste0(rows$parameter, ifelse(nzchar(paste0(where, size)), paste0(" (", where,
         ifelse(nzchar(where) & nzchar(size), "; ", ""), size, ")"), ""))
}

construct_reading <- function(x) {
  found <- attr(x, "constructs")
  if (is.null(found)) return(NULL)
  each <- text_of("constancy_construct", construct = found$construct,
                  d = format_fixed(found$d, 2L), ratio = format_fixed(found$sd_ratio, 2L))
  strong <- is.null(attr(x, "within")) && attr(x, "kind") == "continuous" &&
    isTRUE(rule_strong_change(found$d, found$sd_ratio))
  c(text_of("constancy_constructs", along = attr(x, "along"), each = enumerate(each, most = 8L)),
    if (strong) text_of("constancy_strong", instruction = instruction("constancy_within") %||% ""))
}

constancy_note <- function(x) {
  c(text_of(paste0("constancy_method_", attr(x, "kind"))),
    text_of(paste0("constancy_by_", attr(x, "method"))),
    if (length(attr(x, "missing")))
      text_of("constancy_left_out", along = attr(x, "along"),
              count = length(attr(x, "missing"))))
}

#' @export
print.orizzonte_constancy <- function(x, ...) {
  if (!all(c("block", "parameter", "statistic", "verdict") %in% names(x)) ||
      is.null(attr(x, "along"))) return(print(as.data.frame(unclass(x))))
  columns <- constancy_columns(x)
  put_lines(heading(constancy_title(x)), wrap_lines(constancy_reading(x)), "",
            format_table(columns, !names(columns) %in% c("parameter", "verdict")), "",
            wrap_lines(constancy_note(x)))
  if (!is.null(next_step("constancy_next"))) put_lines("", next_step("constancy_next"))
  invisible(x)
}

# "p = .012" or "p < .001".
p_equals <- function(p) paste("p", p_clause(p))
