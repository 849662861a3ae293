# What fit indices need of each group: discrepancies, residuals and determinants.

# `cases`: how many there are, whatever the multiplier. Log-likelihoods are those of the data at the
# estimates: with the multiplier n - 1 they are not maximum-likelihood values.
group_measures <- function(moments, model, observed, endogenous, structured, means, independence,
                           cases) {
  n <- moments$n
  s <- moments$covariance
  p <- ncol(s)
  dimnames(s) <- list(observed, observed)
  sigma <- model$covariance[seq_len(p), seq_len(p), drop = FALSE]
  mu <- if (structured) model$mean[seq_len(p)]
  log_s <- log_determinant(s)
  ratio <- solve_in_units(sigma, s)
  base <- baseline_model(s, endogenous, n, means, independence, log_s)
  d <- if (structured) moments$mean - mu
  chisq_means <- if (structured) n * sum(d * solve_in_units(sigma, d)) else 0
  log_sigma <- log_determinant(sigma)
  kept <- n / cases                    # S of the data, with divisor n, is this times `s`
  list(n = n, gfi = gfi(ratio), srmr = srmr(s, sigma, if (structured) moments$mean, mu),
       chisq_baseline = base$chisq, df_baseline = base$df,
       baseline_parameters = base$parameters,
       deviance = data_deviance(cases, p, log_sigma, kept * sum(diag(ratio)) + chisq_means / n),
       deviance_saturated = data_deviance(cases, p, log_s, kept * p),
       deviance_baseline = data_deviance(cases, p, base$log_det, kept * p),
       covariances = p * (p + 1) / 2, moments = p * (p + 1) / 2 + if (means) p else 0,
       chisq_means = chisq_means,
       chisq = n * (log_sigma + sum(diag(ratio)) - log_s - p) + chisq_means)
}

# What fit indices need of each group, named by group. The mean part of chi-square is n (m - mu)'
# Sigma^-1 (m - mu).
measures_by_group <- function(fit, independence = FALSE) {
  fit <- joint_fit(fit)
  structured <- fit$layout$means && !fit$layout$saturated_means
  # saturated means do not contribute to the discrepancy
  Map(function(part, moments, model, cases) {
    if (is.null(moments$patterns))
      return(group_measures(moments, model, part$observed, part$endogenous, structured,
                            fit$layout$means, independence, cases))
    incomplete_measures(moments, model, part$observed, part$endogenous, structured, independence,
                        own = which(!part$observed %in% fit$layout$auxiliary))
  }, fit$layout$parts, fit$moments, matrices_of(fit), n_by_group(fit$sample))
}

# Computed once a fit.
measures_of <- function(fit) cached(fit, "measures", measures_by_group(fit))
