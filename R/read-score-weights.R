# Weights of factor scores, with the variance of their errors and their determinacies, for the
# variables that are seen.

# The conditional mean (Thurstone 1935): weights Sigma^-1 C, error Phi - C' Sigma^-1 C. `l`: the
# constructs among all variables.
regression_scores <- function(covariance, l, seen) {
  with <- covariance[seen, l, drop = FALSE]
  weights <- solve_in_units(covariance[seen, seen, drop = FALSE], with)
  if (anyNA(weights)) return(unknown_scores(length(seen), length(l)))
  explained <- colSums(weights * with)
  total <- diag(covariance)[l]
  list(weights = weights, error = pmax(total - explained, 0),
       determinacy = sqrt(pmin(pmax(explained, 0) / total, 1)))
}

# Unbiased given the constructs of a level (Bartlett 1937), level by level; composites are known
# where all that they are composed of is.
bartlett_scores <- function(view, covariance, seen) {
  layout <- view$layout
  p <- length(layout$observed)
  out <- unknown_scores(length(seen), length(layout$constructs))
  level <- construct_levels(layout)
  for (step in setdiff(sort(unique(level)), 0L)) {
    at <- which(level == step)
    found <- bartlett_level(layout, covariance, p + at, seen)
    if (is.null(found)) next
    out$weights[, at] <- found$weights
    out$error[at] <- found$error
    out$determinacy[at] <- found$determinacy
  }
  for (at in which(level == 0L)) {
    found <- regression_scores(covariance, p + at, seen)
    if (!isTRUE(found$error < 1e-8 * covariance[p + at, p + at])) next
    out$weights[, at] <- found$weights
    out$error[at] <- 0
    out$determinacy[at] <- 1
  }
  out
}

unknown_scores <- function(seen, size) {
  list(weights = matrix(NA_real_, seen, size), error = rep(NA_real_, size),
       determinacy = rep(NA_real_, size))
}

# 0 for composites, 1 for constructs that observed items reflect, else one more than the highest
# construct among what reflects them.
construct_levels <- function(layout) {
  rows <- layout$rows
  loading <- rows$kind == "loading"
  level_of <- function(name, above = character()) {
    if (name %in% layout$composites) return(0L)
    below <- rows$second[loading & rows$first == name]
    inner <- setdiff(intersect(below, layout$constructs), above)
    if (!length(inner) || any(below %in% layout$observed)) return(1L)
    1L + max(vapply(inner, level_of, 0L, above = c(above, name)))
  }
  vapply(layout$constructs, level_of, 0L, USE.NAMES = FALSE)
}

# (L' S^-1 L)^-1 L' S^-1 equals Bartlett's weights, and (L' S^-1 L)^-1 - Phi the variance of their
# errors: no inverse of residual variances is needed. Constructs that the items that are seen do not
# tell get nothing.
bartlett_level <- function(layout, covariance, l, seen) {
  items <- which(layout$observed %in% layout$rows$second[layout$rows$kind == "loading"])
  items <- intersect(items, seen)
  unit <- sqrt(pmax(diag(covariance)[l], 1e-300))
  with <- t(solve_in_units(covariance[l, l, drop = FALSE], covariance[l, items, drop = FALSE])) *
    rep(unit, each = length(items))
  inner <- if (!anyNA(with) && length(items))
    solve_in_units(covariance[items, items, drop = FALSE], with)
  # in standard deviations of the constructs
  parts <- if (!is.null(inner) && !anyNA(inner)) eigen(crossprod(with, inner), symmetric = TRUE)
  known <- parts$values > 1e-8
  told <- if (is.null(parts)) rep(FALSE, length(l)) else
    rowSums(parts$vectors[, !known, drop = FALSE]^2) < 1e-8
  if (!all(told) && length(seen) == length(layout$observed)) refuse_bartlett()
  if (!any(told)) return(NULL)
  vectors <- parts$vectors[, known, drop = FALSE]
  inverse <- vectors %*% (t(vectors) / parts$values[known])
  out <- unknown_scores(length(seen), length(l))
  out$weights[, told] <- 0
  out$weights[match(items, seen), told] <-
    (inner %*% inverse[, told, drop = FALSE]) * rep(unit[told], each = length(items))
  out$error[told] <- pmax(diag(inverse)[told] - 1, 0) * unit[told]^2
  out$determinacy[told] <- 1 / sqrt(pmax(diag(inverse)[told], 1))
  out
}

refuse_bartlett <- function() {
  abort("input",
        c(text_of("bartlett_scores_do_not"),
          i = text_of("use_method_regression")))
}
