# Heterotrait-monotrait ratios (Henseler, Ringle & Sarstedt 2015): correlations between the items of
# two constructs against those within each.

htmt_forms <- c("keyed", "absolute", "geometric")

# "keyed": |mean r between| / sqrt(mean r within one x mean r within the other), items turned so
# that they load positively; "absolute": means of |r|; "geometric": geometric means (Roemer,
# Schuberth & Henseler 2021). NA for fewer than two items of their own, and for means that are not
# positive.
htmt_ratio <- function(r, one, other, form) {
  if (length(one) < 2L || length(other) < 2L || any(one %in% other)) return(NA_real_)
  inside <- function(items) {
    own <- r[items, items, drop = FALSE]
    own[lower.tri(own)]
  }
  between <- as.numeric(r[one, other])
  mean_of <- switch(form, keyed = mean, absolute = function(x) mean(abs(x)),
                    geometric = function(x) if (all(x > 0)) exp(mean(log(x))) else NA_real_)
  within <- c(mean_of(inside(one)), mean_of(inside(other)))
  if (anyNA(within) || any(within <= 0)) return(NA_real_)
  abs(mean_of(between * sign(mean(between)))) / sqrt(prod(within))
}

# Of all pairs of constructs of one group. `measures`: by construct, its items and their keys.
view_htmt <- function(view, pairs, measures, form) {
  covariance <- observed_moments(view)$covariance
  sd <- sqrt(diag(covariance))
  r <- covariance / outer(sd, sd)
  vapply(seq_along(pairs$first), function(k) {
    one <- measures[[pairs$first[k]]]
    other <- measures[[pairs$second[k]]]
    keyed <- rep(1, ncol(r))
    keyed[one$items] <- one$key
    keyed[other$items] <- other$key
    shared <- intersect(one$all_items, other$all_items)
    htmt_ratio(r * outer(keyed, keyed), setdiff(one$items, shared), setdiff(other$items, shared),
               form)
  }, 0)
}

# The items that load on both constructs of a pair, without which its ratio is computed.
shared_items <- function(view, pairs, measures) {
  vapply(seq_along(pairs$first), function(k) {
    shared <- intersect(measures[[pairs$first[k]]]$all_items,
                        measures[[pairs$second[k]]]$all_items)
    paste(view$layout$observed[shared], collapse = ", ")
  }, "")
}
