# From estimates and their errors to z, p and intervals; written once.

# sqrt of the diagonal of J V J'
delta_se <- function(jacobian, vcov) {
  if (ncol(jacobian) == 0L) return(rep(NA_real_, nrow(jacobian)))
  if (anyNA(vcov)) return(rep(NA_real_, nrow(jacobian)))
  sqrt(pmax(rowSums((jacobian %*% vcov) * jacobian), 0))
}

upper_p <- function(chisq, df, ncp = 0) {
  if (df <= 0) return(NA_real_)
  if (ncp == 0 || is.na(ncp)) return(stats::pchisq(chisq, df, lower.tail = FALSE))
  # far out R warns that digits are lost: of a p that is zero to twelve places
  suppressWarnings(stats::pchisq(chisq, df, ncp = ncp, lower.tail = FALSE))
}

# Of a difference of chi-squares; none without a difference of degrees of freedom.
difference_p <- function(chisq, df) {
  p <- stats::pchisq(pmax(chisq, 0), pmax(df, 1), lower.tail = FALSE)
  ifelse(is.na(df) | df <= 0, NA_real_, p)
}

# z, two-sided p and the interval of an estimate with a normal sampling distribution; t on `df`
# degrees of freedom where errors come from few clusters.
inference_block <- function(estimate, se, level = 0.95, df = Inf) {
  z <- estimate / se
  half <- stats::qt((1 + level) / 2, df) * se
  list(se = se, z = z, p = 2 * stats::pt(-abs(z), df), lower = estimate - half,
       upper = estimate + half)
}
