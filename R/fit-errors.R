# The covariance matrix of the estimates: the only place where errors come from.

# Covariance matrix of the parameters the core knows. Fits that are mostly compared, such as rungs
# of a ladder, are made without it.
core_vcov <- function(fit) {
  if (!is.null(fit$joint)) {
    known <- core_vcov(fit$joint)
    if (nrow(known) == 0L) return(known)
    at <- match(fit$layout$parameters[fit$layout$model$used],
                fit$joint$layout$parameters[fit$joint$layout$model$used])
    return(known[at, at, drop = FALSE])
  }
  if (is_robust(fit$request) && has_converged(fit)) {
    found <- sandwich_of(fit)
    return(if (found$admissible) found$covariance else matrix(0, 0L, 0L))
  }
  known <- fit$solution$vcov
  if (nrow(known) > 0L || !has_converged(fit)) return(known)
  cached(fit, "core_vcov", core_errors(fit$layout$model, core_moments(fit), core_theta(fit)))
}

# Covariance matrix of all free parameters, in the order of theta_of(): the inverse information
# (expected for complete data, else observed), or the sandwich where inference is robust.
vcov_of <- function(fit) cached(fit, "vcov", complete_vcov(fit))

complete_vcov <- function(fit) {
  layout <- fit$layout
  names <- layout$parameters
  out <- matrix(NA_real_, length(names), length(names), dimnames = list(names, names))
  used <- layout$model$used
  known <- core_vcov(fit)
  if (nrow(known) != length(used)) return(out)
  if (!layout$profiled) {
    out[used, used] <- known
    return(out)
  }
  out[] <- core_profiled_vcov(full_model(layout), values_of(fit), core_moments(fit), known, used,
                              if (is_robust(fit$request)) sandwich_of(fit)$cross else list(),
                              if (is_robust(fit$request)) sandwich_of(fit)$means else list())
  out
}
