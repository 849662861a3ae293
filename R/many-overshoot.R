# Samples drawn again from the cases fit worse than the cases themselves do: chi-square is too large
# by about tr(U Gamma) on average, its expectation under a right model once more. It is taken off in
# every replicate, so that replicates of chi-square and of what is made of it stand around the
# figures of the fit (numerically shown in bench/bootstrap.R).

# list(chisq, chisq_baseline: off the likelihood ratios; basis, basis_baseline: off what RMSEA, CFI
# and TLI rest on).
overshoot_of <- function(fit) {
  whole <- whole_fit(fit)
  if (test_of(whole)$df <= 0 || !has_converged(whole)) return(NULL)
  if (is_incomplete(whole$sample)) {
    models <- list(whole$layout$model, baseline_core(whole))
    thetas <- list(core_theta(whole), baseline_theta(whole, models[[2L]], baseline_kinds[1L]))
    found <- scale_cores(whole, models, thetas, TRUE)
    of <- function(k, name) if (found[[k]]$admissible) found[[k]][[name]] else NA_real_
    return(list(chisq = of(1L, "trace"), chisq_baseline = of(2L, "trace"),
                basis = of(1L, "robust_bias"), basis_baseline = of(2L, "robust_bias")))
  }
  base <- baseline_core(whole)
  trace <- function(model, theta) {
    found <- core_scaling(model, core_moments(whole), theta, core_cases(whole), FALSE)
    if (found$admissible) found$trace else NA_real_
  }
  own <- trace(whole$layout$model, core_theta(whole))
  other <- trace(base, baseline_theta(whole, base, baseline_kinds[1L]))
  list(chisq = own, chisq_baseline = other, basis = own, basis_baseline = other)
}

# Indices that replicates say nothing about: p is settled by the null hypothesis and not by cases
# drawn again, likelihoods and what is made of them have no value in the population.
no_replicates <- paste0("^(p|p_.*|loglik.*|aic.*|bic.*|gfi|agfi|chisq_covariances|chisq_means|",
                        "chisq_inflation|df.*|ecvi_saturated)$")
