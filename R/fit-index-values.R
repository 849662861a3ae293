# Fit indices as pure functions of chi-square, degrees of freedom and moments.

# Baseline model: endogenous variables and items are uncorrelated with everything; covariances among
# exogenous observed variables stay free, as in the model. With `independence`, these are zero too.
# Closed form.
baseline_model <- function(s, endogenous, n, means, independence = FALSE,
                           log_s = log_determinant(s)) {
  p <- ncol(s)
  free_block <- if (independence) integer() else which(!colnames(s) %in% endogenous)
  single <- setdiff(seq_len(p), free_block)
  log_det <- sum(log(diag(s)[single]))
  if (length(free_block)) log_det <- log_det +
    log_determinant(s[free_block, free_block, drop = FALSE])
  k <- length(free_block)
  parameters <- length(single) + k * (k + 1) / 2
  list(chisq = max(0, n * (log_det - log_s)), df = p * (p + 1) / 2 - parameters,
       parameters = parameters + if (means) p else 0, log_det = log_det)
}

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

# CFI and TLI of what index_basis() gives: chi-squares minus their expectation under correctly
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

# Scaling correction factors of the model and the baseline, for the fit indices.

# Baseline models: exogenous variables covary freely, nothing covaries, or in addition each item has
# one mean and one variance over time (Widaman & Thompson 2003).
baseline_kinds <- c("exogenous free", "independence", "equal over times")

# The baseline (see baseline_model()) as the core reads a model: its scaling is needed like that of
# any other.
baseline_core <- function(fit, kind = baseline_kinds[1L]) {
  times <- kind == "equal over times"
  parts <- unname(fit$layout$parts)
  alike <- if (times) lapply(parts, function(part) {
    label_over_times(part$observed, fit$request$blueprint$repeated)
  })
  independent_core(parts, fit$layout$auxiliary,
                   is_incomplete(fit$sample) || times && fit$layout$means,
                   kind != "exogenous free", alike)
}

# Of observed variables alone, a part a group; `alike`: what has one mean and one variance goes by
# one name.
independent_core <- function(parts, auxiliary, means, independence, alike = NULL) {
  rows <- lapply(seq_along(parts), function(g) {
    p <- length(parts[[g]]$observed)
    block <- if (independence) integer() else
      which(!parts[[g]]$observed %in% parts[[g]]$endogenous)
    pairs <- which(lower.tri(diag(p)), arr.ind = TRUE)
    beside <- which(parts[[g]]$observed %in% auxiliary)
    free <- (pairs[, 1L] %in% block & pairs[, 2L] %in% block) | pairs[, 1L] %in% beside |
      pairs[, 2L] %in% beside
    pairs <- pairs[free, , drop = FALSE]
    own <- match(alike[[g]] %||% seq_len(p), alike[[g]] %||% seq_len(p))
    list(family = c(rep(1L, p + nrow(pairs)), if (means) rep(2L, p)),
         group = rep(g, p + nrow(pairs) + if (means) p else 0L),
         row = c(seq_len(p), pairs[, 1L], if (means) seq_len(p)),
         col = c(seq_len(p), pairs[, 2L], if (means) seq_len(p)),
         like = c(own, p + seq_len(nrow(pairs)), if (means) p + nrow(pairs) + own))
  })
  joined <- lapply(stats::setNames(nm = c("family", "group", "row", "col")), function(what) {
    as.integer(unlist(lapply(rows, `[[`, what)))
  })
  like <- paste(joined$group, unlist(lapply(rows, `[[`, "like")))
  parameter <- match(like, unique(like))
  count <- length(joined$row)
  p <- vapply(parts, function(part) length(part$observed), 0L)
  c(list(observed = p, variables = p, places = seq_along(p),
         ranks = unlist(lapply(p, seq_len)), means = means, parameters = max(parameter),
         constant = numeric(count), map_entry = seq_len(count), map_parameter = parameter,
         map_weight = rep(1, count), constraints = list(), scales = list()), joined)
}

# Its parameters: the moments themselves, but for missing values.
baseline_theta <- function(fit, model, kind) {
  if (model$means) return(baseline_fit(fit, model, kind)$theta)
  baseline_moments(fit, model)
}

baseline_moments <- function(fit, model) {
  moments <- core_moments(fit)
  each <- vapply(seq_along(model$row), function(k) {
    m <- moments[[model$group[k]]]
    if (model$family[k] == 2L) m$mean[[model$row[k]]] else m$covariance[model$row[k], model$col[k]]
  }, 0)
  as.numeric(tapply(each, model$map_parameter, mean))
}

# Fitted once: the likelihood beside auxiliary variables and the scaling both need it.
baseline_fit <- function(fit, model, kind) {
  cached(fit, paste("baseline fit", kind),
         core_fit(model, core_moments(fit), baseline_moments(fit, model), 0L, errors = FALSE))
}

# Beside auxiliary variables, whose covariances stay free in it, and with equal moments over time
# the baseline has no closed form.
fitted_baseline <- function(joint, kind) {
  model <- baseline_core(joint, kind)
  moments <- layout_counts(joint$layout)$moments
  list(chisq = moments_n(joint) * baseline_fit(joint, model, kind)$discrepancy,
       df = moments - model$parameters, parameters = model$parameters)
}

# With missing values: tr(U Gamma), the complete-data discrepancy and its biases, of the model and
# of its baseline.
incomplete_scalings <- function(fit, kind = baseline_kinds[1L]) {
  if (kind == baseline_kinds[1L])
    return(cached(fit, "incomplete_scalings", find_scalings(fit, kind)))
  find_scalings(fit, kind)
}

find_scalings <- function(fit, kind) {
  base <- baseline_core(fit, kind)
  scale_cores(fit, list(fit$layout$model, base),
              list(core_theta(fit), baseline_theta(fit, base, kind)))
}

# Values of several core models of the same data, each at its own parameters.
scale_cores <- function(fit, models, thetas, cases = is_robust(fit$request)) {
  known <- saturated_information(fit)
  if (!all(vapply(known, `[[`, NA, "admissible"))) {
    unknown <- list(admissible = FALSE, trace = NA_real_, complete = NA_real_,
                    normal_bias = NA_real_, robust_bias = NA_real_)
    return(rep(list(unknown), length(models)))
  }
  core_incomplete_scaling(models, core_moments(fit), thetas, if (cases) core_cases(fit), known)
}

# The information of the saturated model depends on the data alone: the last few are kept for all
# models of the same data, outside of any fit, as long as they are not too large.
kept_information <- new.env(parent = emptyenv())
most_kept <- 3L
most_kept_bytes <- 3e8
many_incomplete <- 60L      # variables: the work grows with their sixth power
saturated_information <- function(fit) {
  key <- rlang::hash(fit$moments)
  known <- kept_information$known[[key]]
  if (!is.null(known)) return(known)
  tell_many(length(group_variables(fit$sample)[[1L]]))
  found <- core_saturated_information(fit$layout$model, core_moments(fit))
  all <- c(stats::setNames(list(found), key), utils::head(kept_information$known, most_kept - 1L))
  size <- cumsum(vapply(all, function(x) as.numeric(utils::object.size(x)), 0))
  kept_information$known <- all[seq_along(all) == 1L | size <= most_kept_bytes]
  found
}

# Once for a number of variables: replicates of the same model stay silent.
tell_many <- function(size) {
  if (size < many_incomplete || identical(kept_information$told, size)) return(invisible())
  kept_information$told <- size
  say(text_of("correcting_indices", size = size))
}

# The chi-squares from which RMSEA, CFI and TLI are computed, and their expectation under a
# correctly specified model on average, over its degrees of freedom: list(chisq, inflation,
# chisq_baseline, inflation_baseline). Complete data: T and c (Brosseau-Liard & Savalei 2012, 2014;
# Li & Bentler 2006). With missing values the likelihood ratio shrinks with missing data, so N F_C
# of the saturated moments and its bias k / df take their place (after Zhang & Savalei 2023).
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
