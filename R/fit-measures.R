# Fit indices as pure functions of chi-square, degrees of freedom and moments.

# Baseline model: variables that something points at are uncorrelated with everything; covariances
# among exogenous observed variables stay free, as in the model. With `independence`, these are zero
# too. Closed form.
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
# `inflation`: c, what chi-square is of a right model, over df: 1 under normality (Brosseau-Liard,
# Savalei & Li 2012).
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

# CFI and TLI of what index_basis() gives: chi-squares less what right models make of them
# (Brosseau-Liard & Savalei 2014).
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
