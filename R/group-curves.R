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

# What the curves are drawn from. Only for measurement models of complete cases in which each item
# belongs to one construct.
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

# Weighted local linear regression of all items on v - v0: their means at v0, and the covariances of
# what is left.
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
  # intercepts of items that load negatively are turned with them
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
