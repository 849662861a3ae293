# Coefficient alpha (Cronbach 1951) of keyed items, from the covariances of the cases (of the EM
# moments with missing values), its error without supposing normality.

# alpha = k/(k - 1) (1 - t/v), t = tr S, v = 1'S1.
alpha_value <- function(s) {
  k <- ncol(s)
  if (k < 2L || anyNA(s)) return(NA_real_)
  k / (k - 1) * (1 - sum(diag(s)) / sum(s))
}

# Derivatives by the entries of S, each for itself.
alpha_gradient <- function(s) {
  k <- ncol(s)
  v <- sum(s)
  k / (k - 1) * (matrix(sum(diag(s)) / v^2, k, k) - diag(1 / v, k))
}

# Of one group: alpha and its error, and the same of standardized items (no error: it is the raw one
# in other units).
view_alpha <- function(view, items, key, errors = TRUE) {
  s <- observed_moments(view)$covariance[items, items, drop = FALSE] * outer(key, key)
  value <- alpha_value(s)
  standardized <- if (is.na(value)) NA_real_ else alpha_value(stats::cov2cor(s))
  se <- if (errors && !is.na(value)) alpha_error(view, items, key, s) else NA_real_
  list(alpha = value, se = se, standardized = standardized)
}

alpha_error <- function(view, items, key, s) {
  gradient <- alpha_gradient(s)
  if (length(view$moments$patterns)) return(alpha_error_incomplete(view, items, key, gradient))
  if (has_raw_data(view$fit$sample)) return(alpha_error_cases(view, items, key, s, gradient))
  # normal theory (van Zyl, Neudecker & Nel 2000)
  sqrt(2 * sum((gradient %*% s) * t(gradient %*% s)) / view$moments$n)
}

# From the influence of each case, x'Gx - tr(GS): sums over clusters where there are any (Maydeu-
# Olivares, Coffman & Hartmann 2007).
alpha_error_cases <- function(view, items, key, s, gradient) {
  cases <- core_cases(view$fit)[[view$number]]
  x <- cases$values[, items, drop = FALSE] * rep(key, each = nrow(cases$values))
  weight <- cases$weight %||% rep(1, nrow(x))
  x <- x - rep(colSums(x * weight) / sum(weight), each = nrow(x))
  each <- weight * (rowSums((x %*% gradient) * x) - sum(gradient * s)) / sum(weight)
  error_of_sums(each, cases$cluster)
}

# With missing values: the gradient through the inverse information of the saturated moments, met
# with the saturated scores of each case (Yuan & Bentler 2000).
alpha_error_incomplete <- function(view, items, key, gradient) {
  whole <- group_view(whole_fit(view$fit), view$group)       # auxiliary variables tell, too
  own <- match(view$layout$observed[items], whole$layout$observed)
  narrow <- length(whole$layout$observed) <= most_saturated
  moments <- if (narrow) whole$moments else moments_of_items(whole$moments, own)
  known <- if (narrow) saturated_information(whole$fit)[[whole$number]] else
    information_of_items(moments)
  if (!isTRUE(known$admissible)) return(NA_real_)
  at <- if (narrow) own else seq_along(own)
  p <- ncol(moments$covariance)
  full <- matrix(0, p, p)
  full[at, at] <- gradient * outer(key, key)
  coordinates <- seen_coordinates(moments, p)
  # each covariance stands twice in the matrix
  g <- c((2 * full - diag(diag(full), p))[coordinates], numeric(p))
  direction <- drop(known$inverse %*% g)
  if (!has_raw_data(view$fit$sample)) return(sqrt(sum(g * direction)))
  cases <- core_cases(whole$fit)[[whole$number]]
  x <- if (narrow) cases$values else cases$values[, own, drop = FALSE]
  along <- matrix(0, p, p)
  along[coordinates] <- direction[seq_along(coordinates)]
  along <- along + t(along) - diag(diag(along), p)
  each <- saturated_scores(x, moments, along, utils::tail(direction, p))
  error_of_sums(each * (cases$weight %||% 1), cases$cluster)
}

# With more variables than this the error is that of the items alone: what other variables tell
# about their missing values is in alpha, not in its error.
most_saturated <- 40L

moments_of_items <- function(moments, own) {
  patterns <- lapply(moments$patterns, function(pattern) {
    keep <- which(pattern$variables %in% own)
    part <- part_of_block(pattern, keep)
    part$variables <- match(part$variables, own)
    part
  })
  patterns <- Filter(function(pattern) length(pattern$variables) > 0L, patterns)
  inside <- moments$unseen[, 1L] %in% own & moments$unseen[, 2L] %in% own
  list(n = sum(vapply(patterns, `[[`, 0, "n")), mean = moments$mean[own],
       covariance = moments$covariance[own, own, drop = FALSE], patterns = patterns,
       unseen = matrix(match(moments$unseen[inside, ], own), ncol = 2L))
}

information_of_items <- function(moments) {
  size <- as.character(seq_along(moments$mean))
  core <- independent_core(list(list(observed = size, endogenous = size)), character(), TRUE, TRUE)
  core_saturated_information(core, list(moments))[[1L]]
}

# The saturated moments as coordinates, as the core has them: lower triangle by columns, pairs that
# no case has together left out.
seen_coordinates <- function(moments, p) {
  seen <- matrix(TRUE, p, p)
  unseen <- moments$unseen
  if (NROW(unseen)) seen[unseen] <- seen[unseen[, 2:1, drop = FALSE]] <- FALSE
  which(lower.tri(seen, TRUE) & seen)
}

# Of each case, its score by the saturated moments times a direction: (w'Hw - tr(HW))/2 + h'w, w =
# W(x - mean), W the inverse of what is seen.
saturated_scores <- function(x, moments, along, mean_along) {
  out <- numeric(nrow(x))
  for (rows in rows_by_pattern(x)) {
    v <- which(!is.na(x[rows[1L], ]))
    if (length(v) == 0L) next
    inverse <- solve_in_units(moments$covariance[v, v, drop = FALSE], diag(length(v)))
    w <- (x[rows, v, drop = FALSE] - rep(moments$mean[v], each = length(rows))) %*% inverse
    own <- along[v, v, drop = FALSE]
    out[rows] <- (rowSums((w %*% own) * w) - sum(own * inverse)) / 2 + drop(w %*% mean_along[v])
  }
  out
}

# The error of a sum over cases: over clusters, where there are any, times C/(C - 1).
error_of_sums <- function(each, cluster) {
  if (is.null(cluster)) return(sqrt(sum(each^2)))
  sums <- rowsum(each, cluster)
  sqrt(sum(sums^2) * length(sums) / (length(sums) - 1))
}

# Bonett's (2002) interval, on the scale of log(1 - alpha).
alpha_interval <- function(alpha, se, level, df = Inf) {
  half <- stats::qt((1 + level) / 2, df) * se / (1 - alpha)
  list(lower = 1 - (1 - alpha) * exp(half), upper = 1 - (1 - alpha) * exp(-half))
}
