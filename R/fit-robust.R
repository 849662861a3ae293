# Inference that does not assume normality: sandwich errors, scaled tests, and what fit indices
# take from them. All of it is sums over single cases, made in the core.

# The cases behind the moments of each group, as the core reads them.
core_cases <- function(fit) {
  cached(fit, "cases", unname(lapply(names(fit$sample$groups), function(g) {
    group <- fit$sample$groups[[g]]
    x <- group_data(fit$sample, g, group$blocks[[1L]]$variables, fit$request$missing_codes, TRUE)
    list(values = unname(x), weight = group$weight, cluster = group$cluster)
  })))
}

# H^-1 J H^-1 of what the core estimates, and of profiled intercepts (White 1982).
sandwich_of <- function(fit) {
  cached(fit, "sandwich", core_sandwich(fit$layout$model, core_moments(fit), core_theta(fit),
                                        core_cases(fit), fit$layout$profiled))
}

# Estimates over their errors follow t with C - 1 degrees of freedom where errors come from C
# clusters, else a normal distribution.
reference_df <- function(fit) {
  clusters <- count_clusters(fit$sample)
  if (is.na(clusters)) Inf else clusters - 1
}

# The corrected test: T / c (Satorra & Bentler 1994; Yuan & Bentler 2000 with missing values), or
# with mean and variance T d / tr(U Gamma) on d = tr(U Gamma)^2 / tr((U Gamma)^2) degrees of
# freedom.
robust_test <- function(fit, plain, df) {
  cached(fit, "robust_test", {
    if (df <= 0 || !has_converged(fit)) {
      list(chisq = plain, df = df, p = upper_p(plain, df), chisq_normal = plain,
           inflation = NA_real_, df_adjusted = NA_real_)
    } else {
      scale <- scaling_of(fit)
      found <- scaled_chisq(plain, df, scale$trace, if (is_adjusted(fit)) scale$trace_squared)
      c(found[c("chisq")], list(df = df), found["p"],
        list(chisq_normal = plain, inflation = scale$trace / df,
             df_adjusted = found$df_adjusted))
    }
  })
}

is_adjusted <- function(fit) fit$request$adjust == "mean and variance"

scaled_chisq <- function(plain, df, trace, trace_squared = NULL) {
  if (is.na(trace) || trace <= 0)
    return(list(chisq = NA_real_, p = NA_real_, df_adjusted = NA_real_))
  if (is.null(trace_squared)) {
    chisq <- plain * df / trace
    return(list(chisq = chisq, p = upper_p(chisq, df), df_adjusted = NA_real_))
  }
  reference <- trace^2 / trace_squared
  chisq <- plain * reference / trace
  list(chisq = chisq, p = upper_p(chisq, reference), df_adjusted = reference)
}

# tr(U Gamma) of a fit, and tr((U Gamma)^2) if the requested adjustment needs it.
scaling_of <- function(fit) {
  fit <- joint_fit(fit)
  cached(fit, "scaling", {
    if (is_incomplete(fit$sample)) {
      own <- incomplete_scalings(fit)[[1L]]
      list(trace = if (own$admissible) own$trace else NA_real_)
    } else {
      scaling_at(fit, core_theta(fit))
    }
  })
}

scaling_at <- function(fit, theta) {
  found <- core_scaling(fit$layout$model, core_moments(fit), theta, core_cases(fit),
                        is_adjusted(fit))
  if (!found$admissible) return(list(trace = NA_real_, trace_squared = NA_real_))
  found
}

# The difference of two nested models: scaled by what both say (Satorra & Bentler 2001), or, where
# that is not positive or the variance is also requested, from both models evaluated at the
# estimates of the smaller model (Satorra & Bentler 2010).
robust_difference <- function(small, large, plain, df, adjusted) {
  factor <- robust_test_trace(small) - robust_test_trace(large)
  if (adjusted || !isTRUE(factor > 0)) return(difference_at(small, large, plain, df, adjusted))
  found <- scaled_chisq(plain, df, factor)
  list(chisq = found$chisq, df = df, p = difference_p(found$chisq, df), chisq_normal = plain)
}

robust_test_trace <- function(fit) if (test_of(fit)$df == 0) 0 else scaling_of(fit)$trace

difference_at <- function(small, large, plain, df, adjusted) {
  small <- joint_fit(small)
  large <- joint_fit(large)
  theta <- reproducing_theta(values_of(small), large, small)
  if (is.null(theta))
    return(list(chisq = NA_real_, df = df, p = NA_real_, chisq_normal = plain))
  if (is_incomplete(small$sample)) {
    there <- scale_cores(large, list(large$layout$model), list(theta))[[1L]]
    found <- scaled_chisq(plain, df, robust_test_trace(small) - there$trace)
  } else {
    there <- scaling_at(large, theta)
    here <- scaling_of(small)
    found <- scaled_chisq(plain, df, here$trace - there$trace,
                          if (adjusted) difference_square(there$whitened, here$whitened))
  }
  list(chisq = found$chisq, df = df, p = found$p, chisq_normal = plain)
}

# tr M^2 of M = Y1 Y1' - Y0 Y0', Y the whitened scores of the larger and of the smaller model.
difference_square <- function(large, small) {
  sum(crossprod(large)^2) - 2 * sum(crossprod(large, small)^2) + sum(crossprod(small)^2)
}

# The moments implied by the smaller model at `eta`, as data for the larger model.
implied_samples <- function(eta, larger, smaller) {
  every <- core_implied(full_model(smaller$layout), eta)
  Map(function(part, own, matrices, moments) {
    at <- match(part$observed, own$observed)
    list(n = moments$n, covariance = matrices$covariance[at, at, drop = FALSE],
         mean = matrices$mean[at])
  }, unname(larger$layout$parts), unname(smaller$layout$parts), every, core_moments(larger))
}

# The parameters with which the larger model implies the same; NULL when there are none. From where
# the smaller one stands, as far as the two share parameters; then from our own starting values.
reproducing_theta <- function(eta, larger, smaller,
                              samples = implied_samples(eta, larger, smaller)) {
  layout <- larger$layout
  shared <- eta[match(layout$rows$parameter[layout$leading], smaller$layout$rows$parameter)]
  shared <- shared[layout$model$used]
  # by the smallest difference that the data could show, and no finer than numbers are
  limit <- max(min(1e-8, 1e-3 / moments_n(larger)), 1e-12)
  for (start in list(ifelse(is.na(shared), NaN, shared), numeric())) {
    again <- core_fit(layout$model, samples, as.numeric(start))
    if (is.finite(again$discrepancy) && length(again$theta) && again$discrepancy < limit)
      return(again$theta)
  }
}

# A core of fewer parameters against the fit: the rise of chi-square, scaled as in
# robust_difference(). `theta`: the fit's parameters that say the same as the smaller model's.
core_difference <- function(fit, core, found, theta) {
  plain <- found$chisq - stats::deviance(fit)
  df <- fit$layout$model$parameters - core$parameters
  if (!is_robust(fit$request)) return(list(chisq = plain, df = df))
  trace <- function(model, at) {
    made <- if (is_incomplete(fit$sample)) scale_cores(fit, list(model), list(at))[[1L]] else
      core_scaling(model, core_moments(fit), at, core_cases(fit), FALSE)
    if (made$admissible) made$trace else NA_real_
  }
  smaller <- trace(core, found$theta)
  factor <- smaller - robust_test_trace(fit)
  if (!isTRUE(factor > 0)) factor <- smaller - trace(fit$layout$model, theta)
  list(chisq = scaled_chisq(plain, df, factor)$chisq, df = df)
}

# A core of more parameters against the fit: the fall of chi-square, scaled as in
# robust_difference(). `start`: its parameters that say the same as the fit's; NULL where they are
# not needed.
core_drop <- function(fit, core, found, start, df) {
  plain <- stats::deviance(fit) - found$chisq
  if (!is_robust(fit$request)) return(plain)
  trace <- function(at) {
    made <- if (is_incomplete(fit$sample)) scale_cores(fit, list(core), list(at))[[1L]] else
      core_scaling(core, core_moments(fit), at, core_cases(fit), FALSE)
    if (made$admissible) made$trace else NA_real_
  }
  factor <- robust_test_trace(fit) - trace(found$theta)
  if (!isTRUE(factor > 0) && !is.null(start)) factor <- robust_test_trace(fit) - trace(start)
  scaled_chisq(plain, df, factor)$chisq
}

# Under tables of differences.
corrected_change_words <- function(request) {
  if (!is_robust(request)) return(NULL)
  c(wrap_lines(text_of("is_corrected_itself_satorra")), "")
}
