# Constructs as scales: their items, keyed, and what of the variance of the keyed sum and of each
# item they explain.

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
  loading <- derived_jet(view$fit, "entry", view$number, span[own])
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

# Items are turned so that they load positively.
keys_of <- function(loadings) ifelse(loadings$jet$value < 0, -1, 1)

# The variance of a keyed sum of observed variables, as the model implies it.
sum_variance <- function(view, items, key) {
  k <- length(items)
  pair <- which(lower.tri(diag(k), TRUE), arr.ind = TRUE)
  a <- pair[, 1L]
  b <- pair[, 2L]
  covariance <- derived_jet(view$fit, "covariance", view$number, items[a], items[b])
  jet_sum(covariance, key[a] * key[b] * ifelse(a == b, 1, 2))
}

construct_variance <- function(view, name) {
  at <- length(view$layout$observed) + match(name, view$layout$constructs)
  derived_jet(view$fit, "covariance", view$number, at)
}

# What the construct explains of the variance of the keyed sum of its items (McDonald 1999): (sum of
# loadings)^2 var(construct) / var(sum), residual covariances and other constructs in the
# denominator only (Raykov 2001).
omega_of <- function(view, name, loadings = item_loadings(view, name)) {
  key <- keys_of(loadings)
  explained <- jet_times(jet_square(jet_sum(loadings$jet, key)), construct_variance(view, name))
  jet_over(explained, sum_variance(view, loadings$items, key))
}

# Average variance extracted: the mean squared standardized loading of its own items (Fornell &
# Larcker 1981).
ave_of <- function(view, name) {
  rows <- view$layout$rows
  own <- which(rows$kind == "loading" & rows$first == name)
  span <- view$fit$layout$spans[[view$number]]
  standardized <- derived_jet(view$fit, "standardized", view$number, span[own])
  jet_sum(jet_square(standardized), rep(1 / length(own), length(own)))
}

# Every pair of judged constructs of one group that could be one, with the jet of their
# correlations: not a construct with its own parts, nor what the model keeps uncorrelated.
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
  apart <- jet$value != 0 | rowSums(abs(jet$gradient)) > 0
  list(first = pairs[1L, apart], second = pairs[2L, apart], jet = jet_at(jet, apart))
}

# Before anything that is made of an improper solution.
status_caution <- function(status) {
  if (!status %in% c("proper", "at bound"))
    c(wrap_lines(text_of("caution_solution_is", status = status)), "")
}
