# Fit indices as pure functions of chi-square, degrees of freedom and moments; and, further down,
# what they need of incomplete data.

# -2 log-likelihood of `cases` complete cases, constants included, where Sigma has this determinant
# and tr(Sigma^-1 S) this value, S with divisor `cases`.
data_deviance <- function(cases, p, log_det, trace) cases * (p * log(2 * pi) + log_det + trace)

# RMSEA = sqrt(max(chisq - c df, 0) / (n df)) (Steiger & Lind 1980; Steiger 1998 for groups).
# `inflation`: c, the expected chi-square of a correctly specified model over df: 1 under normality
# (Brosseau-Liard, Savalei & Li 2012).
rmsea_point <- function(chisq, df, n, groups = 1, inflation = 1) {
  if (df <= 0) NA_real_ else
  sqrt(groups * max(chisq - inflation * df, 0) / (n * df))
}

# Bounds: the noncentralities that put chi-square at the 95th and the 5th percentile (Browne &
# Cudeck 1993); of chi-square over c, times c (Li & Bentler 2006).
rmsea_bounds <- function(chisq, df, n, level = 0.90, groups = 1, inflation = 1) {
  if (df <= 0 || is.na(inflation) || is.na(chisq)) return(c(NA_real_, NA_real_))
  chisq <- chisq / inflation
  bound <- function(tail) {
    gap <- function(ncp) stats::pchisq(chisq, df, ncp = ncp) - tail
    if (gap(0) < 0) return(0)
    top <- max(chisq, df) + 10
    while (gap(top) > 0) top <- 2 * top
    stats::uniroot(gap, c(0, top), tol = 1e-10 * top)$root
  }
  tails <- c((1 + level) / 2, (1 - level) / 2)
  sqrt(inflation * groups * c(bound(tails[1L]), bound(tails[2L])) / (n * df))
}

# Close fit: RMSEA <= .05 (Browne & Cudeck 1993).
close_fit_p <- function(chisq, df, n, groups = 1, inflation = 1) {
  upper_p(chisq / inflation, df, ncp = 0.05^2 * df * n / (groups * inflation))
}

# CFI (Bentler 1990), TLI (Tucker & Lewis 1973), NFI (Bentler & Bonett 1980), RFI (Bollen 1986), IFI
# (Bollen 1989).
comparative_indices <- function(chisq, df, chisq_b, df_b) {
  ratio <- if (df > 0) chisq / df else NA_real_
  ratio_b <- if (df_b > 0) chisq_b / df_b else NA_real_
  c(noncentral_indices(list(chisq = chisq, inflation = 1, chisq_baseline = chisq_b,
                            inflation_baseline = 1), df, df_b),
    nfi = if (df_b > 0) 1 - chisq / chisq_b else NA_real_,
    rfi = if (df > 0) (ratio_b - ratio) / ratio_b else NA_real_,
    ifi = if (df_b > 0) (chisq_b - chisq) / (chisq_b - df) else NA_real_)
}

# CFI and TLI from the result of index_basis(): chi-squares minus their expectation under correctly
# specified models (Brosseau-Liard & Savalei 2014).
noncentral_indices <- function(basis, df, df_b) {
  over <- basis$chisq - basis$inflation * df
  over_b <- basis$chisq_baseline - basis$inflation_baseline * df_b
  d <- if (df == 0) 0 else max(over, 0)            # a saturated model fits, but for rounding
  d_b <- max(over_b, d)
  c(cfi = if (df_b <= 0) NA_real_ else if (isTRUE(d_b == 0)) 1 else 1 - d / d_b,
    tli = if (df > 0 && df_b > 0) 1 - over / df / (over_b / df_b) else NA_real_)
}

# Root mean square of standardized residuals over the lower triangle with the diagonal, and the
# means when they are structured (Bentler 1995), unknown ones left out: (s_ij - sigma_ij) /
# sqrt(s_ii s_jj).
srmr <- function(s, sigma, mean = NULL, mu = NULL) {
  sd <- sqrt(diag(s))
  r <- (s - sigma) / outer(sd, sd)
  parts <- r[lower.tri(r, diag = TRUE)]
  if (!is.null(mu)) parts <- c(parts, (mean - mu) / sd)
  sqrt(mean(parts^2, na.rm = TRUE))
}

# GFI = 1 - tr[(Sigma^-1 S - I)^2] / tr[(Sigma^-1 S)^2] (Jöreskog & Sörbom 1981).
# `ratio` is Sigma^-1 S.
gfi <- function(ratio) {
  rest <- ratio - diag(nrow(ratio))
  1 - sum(t(rest) * rest) / sum(t(ratio) * ratio)
}

# Largest n at which chi-square, (n - less) F, would not be significant at alpha (Hoelter 1983).
critical_n <- function(discrepancy, df, less = 0, alpha = 0.05) {
  if (df <= 0 || is.na(discrepancy) || discrepancy <= 0) return(NA_real_)
  floor(stats::qchisq(1 - alpha, df) / discrepancy) + less
}

# The chi-squares from which RMSEA, CFI and TLI are computed, and their expectation under a
# correctly specified model, divided by its degrees of freedom: list(chisq, inflation,
# chisq_baseline, inflation_baseline). Complete data: T and c (Brosseau-Liard & Savalei 2012, 2014;
# Li & Bentler 2006). The likelihood ratio shrinks with missing data, so N F_C of the saturated
# moments and its bias k / df take its place (after Zhang & Savalei 2023).
index_basis <- function(fit, base, kind = baseline_kinds[1L]) {
  fit <- joint_fit(fit)
  test <- test_of(fit)
  plain <- list(chisq = test$chisq_normal, inflation = 1, chisq_baseline = base$chisq,
                inflation_baseline = 1)
  if (test$df <= 0 || !has_converged(fit)) return(plain)
  if (is_incomplete(fit$sample)) {
    found <- incomplete_scalings(fit, kind)
    n <- moments_n(fit)
    bias <- if (is_robust(fit$request)) "robust_bias" else "normal_bias"
    known <- vapply(found, function(x) x$admissible, NA)
    k <- ifelse(known, vapply(found, `[[`, 0, bias), NA_real_)
    complete <- vapply(found, `[[`, 0, "complete")
    return(list(chisq = n * complete[1L] - overshoot_in(fit, "basis"),
                inflation = k[1L] / test$df,
                chisq_baseline = n * complete[2L] - overshoot_in(fit, "basis_baseline"),
                inflation_baseline = k[2L] / base$df))
  }
  if (!is_robust(fit$request)) return(plain)
  model <- baseline_core(fit, kind)
  found <- core_scaling(model, core_moments(fit), baseline_theta(fit, model, kind),
                        core_cases(fit), FALSE)
  known <- found$admissible && base$df > 0
  list(chisq = test$chisq_normal, inflation = test$inflation, chisq_baseline = base$chisq,
       inflation_baseline = if (known) found$trace / base$df else NA_real_)
}

# Likelihoods of incomplete data, pattern by pattern, and the values that fit indices need from
# them.

# The baseline model of complete data (see baseline_model()): single variables from the cases that
# have them, in closed form; the exogenous ones among them, whose covariances stay free, together.
incomplete_baseline <- function(patterns, size, free_block) {
  core_single_deviance(patterns, size, setdiff(seq_len(size), free_block)) +
    if (length(free_block)) block_deviance(patterns, free_block) else 0
}

# Some variables alone, with free means and covariances.
block_deviance <- function(patterns, block) {
  own <- lapply(patterns, function(k) {
    at <- which(k$variables %in% block)
    list(n = k$n, covariance = k$covariance[at, at, drop = FALSE], mean = k$mean[at],
         variables = match(k$variables[at], block))
  })
  own <- Filter(function(k) length(k$variables) > 0L, own)
  found <- core_saturated(own, length(block))
  if (found$status != 0L) return(NA_real_)
  found$deviance + sum(vapply(own, function(k) k$n * length(k$variables), 0)) * log(2 * pi)
}

# Covariances without those of pairs that no case has observed together.
without_unobserved_pairs <- function(s, unseen) {
  s[unseen] <- s[unseen[, 2:1, drop = FALSE]] <- NA_real_
  s
}

# Like group_measures(), for a group that consists of patterns; `own`: numbers of the variables that
# are not auxiliary.
incomplete_measures <- function(moments, model, observed, endogenous, structured, independence,
                                own) {
  n <- moments$n
  s <- moments$covariance
  p <- ncol(s)
  sigma <- model$covariance[seq_len(p), seq_len(p), drop = FALSE]
  mu <- model$mean[seq_len(p)]
  free_block <- if (independence) integer() else which(!observed %in% endogenous)
  deviance <- core_pattern_deviance(moments$patterns, sigma, mu)
  saturated <- core_pattern_deviance(moments$patterns, s, moments$mean)
  baseline <- incomplete_baseline(moments$patterns, p, free_block)
  k <- length(free_block)
  parameters <- p - k + k * (k + 1) / 2
  pairs <- p * (p + 1) / 2 - NROW(moments$unseen)
  seen <- without_unobserved_pairs(s, moments$unseen)[own, own, drop = FALSE]
  list(n = n, gfi = gfi(solve_in_units(sigma[own, own, drop = FALSE], s[own, own, drop = FALSE])),
       srmr = srmr(seen, sigma[own, own, drop = FALSE], if (structured) moments$mean[own],
                   if (structured) mu[own]),
       chisq_baseline = max(0, baseline - saturated), df_baseline = pairs - parameters,
       baseline_parameters = parameters + p, deviance = deviance, deviance_saturated = saturated,
       deviance_baseline = baseline, covariances = pairs,
       moments = pairs + p, chisq_means = NA_real_, chisq = deviance - saturated)
}

# Auxiliary variables: outside the model, but predictive of missingness. The model is fitted jointly
# with them; their covariances with each other and with every residual of an observed variable are
# free, so that they use no degree of freedom and restrict nothing (Graham 2003). Results show the
# model alone; tests are based on the joint fit.

joint_blueprint <- function(bp, auxiliary) {
  observed <- blueprint_variables(bp)$observed
  pairs <- rbind(expand.grid(first = auxiliary, second = observed, stringsAsFactors = FALSE),
                 all_pairs(auxiliary))
  constructs <- names(bp$constructs)
  apart <- expand.grid(first = auxiliary, second = constructs, stringsAsFactors = FALSE)
  bp$covary <- Map(c, bp$covary, as.list(pairs))
  bp$uncorrelate <- Map(c, bp$uncorrelate, as.list(apart))
  bp
}

all_pairs <- function(names) {
  at <- which(lower.tri(diag(length(names))), arr.ind = TRUE)
  data.frame(first = names[at[, 2L]], second = names[at[, 1L]])
}

# The fit of a model beside auxiliary variables: the model's own layout, its part of the joint
# solution, and the joint fit.
marginal_fit <- function(joint, request, layout = unconstrained_layout(request, sample)) {
  sample <- without_auxiliary(joint$sample)
  known <- joint$solution
  theta <- known$theta[layout$parameters]
  used <- match(layout$parameters[layout$model$used], joint$layout$parameters)
  at <- match(used, joint$layout$model$used)
  eta <- known$eta[match(layout$rows$parameter, joint$layout$rows$parameter)]
  own <- length(known$vcov) > 0L
  solution <- utils::modifyList(unclass(known), list(
    theta = theta, eta = eta, known = unname(known$known[at]),
    vcov = if (own) known$vcov[at, at, drop = FALSE] else known$vcov,
    inflation = if (length(known$inflation)) known$inflation[at] else known$inflation))
  layout$rows$status <- joint$layout$rows$status[match(layout$rows$parameter,
      joint$layout$rows$parameter)]
  fit <- new_fit(request, sample, layout, structure(solution, class = class(known)))
  fit$joint <- joint
  fit
}

# The sample to fit again, auxiliary variables included.
sample_of_fit <- function(fit) {
  sample <- joint_fit(fit)$sample
  sample$joint <- FALSE
  sample
}
