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
