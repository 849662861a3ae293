# Constructs as scales: their items, keyed, and the variance of the keyed sum and of each item that
# they explain.

# The constructs that are judged, in one group, and those that are not, with the reason.
judged_constructs <- function(view) {
  rows <- view$layout$rows
  constructs <- view$layout$constructs
  reason <- vapply(constructs, function(name) {
    if (name %in% view$layout$composites) return("composite")
    own <- rows$kind == "loading" & rows$first == name
    if (!any(own)) return("unmeasured")
    if (any(rows$fixed[own] %in% 0)) return("growth")
    ""
  }, "")
  list(names = constructs[!nzchar(reason)], left = reason[nzchar(reason)])
}

# Loadings of a construct on the observed items below it, along loadings alone: those of a
# second-order construct are products (Schmid & Leiman 1957). list(items = numbers of variables,
# jet).
item_loadings <- function(view, name) {
  rows <- view$layout$rows
  variables <- c(view$layout$observed, view$layout$constructs)
  own <- which(rows$kind == "loading" & rows$first == name)
  span <- view$fit$layout$spans[[view$number]]
  loading <- scale_jet(view, "entry", span[own])
  parts <- lapply(seq_along(own), function(k) {
    below <- rows$second[own[k]]
    if (!below %in% view$layout$constructs)
      return(list(items = match(below, variables), jet = jet_at(loading, k)))
    part <- item_loadings(view, below)
    one <- jet_at(loading, rep(k, length(part$items)))
    list(items = part$items, jet = jet_times(part$jet, one))
  })
  items <- unlist(lapply(parts, `[[`, "items"))
  all <- bind_jets(lapply(parts, `[[`, "jet"))
  first <- unique(items)
  sums <- lapply(first, function(item) jet_sum(jet_at(all, which(items == item))))
  list(items = first, jet = bind_jets(sums))
}

# Values of one group with their derivatives: those that with_scale_jets() collected, else from the
# core.
scale_jet <- function(view, what, a, b = a) {
  at <- match(paste(what, a, b), view$jets$key)
  if (length(at) == 0L || anyNA(at)) return(derived_jet(view$fit, what, view$number, a, b))
  jet_at(view$jets$jet, at)
}

# Each call of the core computes the implied moments, so that one call gives all values for scales
# of ordinary length.
with_scale_jets <- function(view, names, longest = 30L) {
  rows <- view$layout$rows
  span <- view$fit$layout$spans[[view$number]]
  observed <- view$layout$observed
  asked <- lapply(names, function(name) {
    own <- which(rows$kind == "loading" & rows$first == name)
    items <- match(rows$second[own], observed)
    if (anyNA(items) || length(items) > longest) return(NULL)
    pair <- which(lower.tri(diag(length(items)), TRUE), arr.ind = TRUE)
    construct <- length(observed) + match(name, view$layout$constructs)
    list(what = rep(c("entry", "standardized", "covariance"),
                    c(length(own), length(own), nrow(pair) + 1L)),
         a = c(span[own], span[own], items[pair[, 1L]], construct),
         b = c(span[own], span[own], items[pair[, 2L]], construct))
  })
  column <- function(name) unlist(lapply(asked, `[[`, name))
  if (length(column("what")) == 0L) return(view)
  view$jets <- list(key = paste(column("what"), column("a"), column("b")),
                    jet = derived_jet(view$fit, column("what"), view$number, column("a"),
                                      column("b")))
  view
}

# Items are reversed so that they load positively.
keys_of <- function(loadings) ifelse(loadings$jet$value < 0, -1, 1)

# The variance of a keyed sum of observed variables, as the model implies it.
sum_variance <- function(view, items, key) {
  k <- length(items)
  pair <- which(lower.tri(diag(k), TRUE), arr.ind = TRUE)
  a <- pair[, 1L]
  b <- pair[, 2L]
  covariance <- scale_jet(view, "covariance", items[a], items[b])
  jet_sum(covariance, key[a] * key[b] * ifelse(a == b, 1, 2))
}

construct_variance <- function(view, name) {
  at <- length(view$layout$observed) + match(name, view$layout$constructs)
  scale_jet(view, "covariance", at)
}

# The proportion of the variance of the keyed sum of its items that the construct explains (McDonald
# 1999): (sum of loadings)^2 var(construct) / var(sum), residual covariances and other constructs in
# the denominator only (Raykov 2001).
omega_of <- function(view, name, loadings = item_loadings(view, name)) {
  key <- keys_of(loadings)
  explained <- jet_times(jet_square(jet_sum(loadings$jet, key)), construct_variance(view, name))
  jet_over(explained, sum_variance(view, loadings$items, key))
}

# Average variance extracted: the mean squared standardized loading of the items of its scale
# (Fornell & Larcker 1981). `left`: items that belong to another scale.
ave_of <- function(view, name, left = integer()) {
  rows <- view$layout$rows
  own <- which(rows$kind == "loading" & rows$first == name)
  kept <- !match(rows$second[own], view$layout$observed) %in% left
  if (any(kept)) own <- own[kept]
  span <- view$fit$layout$spans[[view$number]]
  standardized <- scale_jet(view, "standardized", span[own])
  jet_sum(jet_square(standardized), rep(1 / length(own), length(own)))
}

# Every pair of judged constructs of one group that could be one construct, with the jet of their
# correlations: not a construct with its own parts, and not pairs that the model keeps uncorrelated.
judged_pairs <- function(view, names) {
  none <- list(first = character(), second = character())
  if (length(names) < 2L) return(none)
  pairs <- utils::combn(names, 2L)
  rows <- view$layout$rows
  loading <- rows$kind == "loading"
  key <- pair_key(rows$first[loading], rows$second[loading])
  pairs <- pairs[, !pair_key(pairs[1L, ], pairs[2L, ]) %in% key, drop = FALSE]
  if (ncol(pairs) == 0L) return(none)
  at <- function(name) length(view$layout$observed) + match(name, view$layout$constructs)
  jet <- derived_jet(view$fit, "correlation", view$number, at(pairs[1L, ]), at(pairs[2L, ]))
  # a negative variance leaves no correlation, but the pair stays
  apart <- is.na(jet$value) | jet$value != 0 | rowSums(abs(jet$gradient)) > 0
  list(first = pairs[1L, apart], second = pairs[2L, apart], jet = jet_at(jet, apart))
}

# Precedes every result that is based on an improper solution.
status_caution <- function(status) {
  if (!status %in% c("proper", "at bound"))
    c(wrap_lines(text_of("caution_solution_is", status = status)), "")
}

# Coefficient alpha (Cronbach 1951) of keyed items, from the covariances of the cases (of the EM
# moments with missing values), its error without assuming normality.

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

# Alpha of one group with its standard error, and alpha of standardized items (without a standard
# error of its own, since it is the same quantity in other units).
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

# With missing values: the gradient through the inverse information of the saturated moments,
# combined with the saturated scores of each case (Yuan & Bentler 2000).
alpha_error_incomplete <- function(view, items, key, gradient) {
  whole <- group_view(joint_fit(view$fit), view$group)       # includes auxiliary variables
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
  # each covariance occurs twice in the matrix
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

# With more variables than this, only the items enter the standard error: the contribution of other
# variables to their missing values is part of alpha, but not of its standard error.
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

# The saturated moments as coordinates, in the order of the core: lower triangle by columns, without
# pairs that no case has observed together.
seen_coordinates <- function(moments, p) {
  seen <- matrix(TRUE, p, p)
  unseen <- moments$unseen
  if (NROW(unseen)) seen[unseen] <- seen[unseen[, 2:1, drop = FALSE]] <- FALSE
  which(lower.tri(seen, TRUE) & seen)
}

# The score of each case by the saturated moments times a direction: (w'Hw - tr(HW))/2 + h'w, w =
# W(x - mean), W the inverse covariance of the observed variables.
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

# The standard error of a sum over cases: over clusters, where there are any, times C/(C - 1).
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
