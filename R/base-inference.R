# From estimates and their errors to z, p and intervals; written once.

# the square root of the diagonal of J V J'
delta_se <- function(jacobian, vcov) {
  if (ncol(jacobian) == 0L) return(rep(NA_real_, nrow(jacobian)))
  if (anyNA(vcov)) return(rep(NA_real_, nrow(jacobian)))
  core_delta_errors(jacobian, vcov)
}

# Standard deviations; NA where a variance is negative, as it may be in an improper solution.
real_root <- function(variance) {
  variance[!is.na(variance) & variance < 0] <- NA_real_
  sqrt(variance)
}

upper_p <- function(chisq, df, ncp = 0) {
  if (df <= 0) return(NA_real_)
  if (ncp == 0 || is.na(ncp)) return(stats::pchisq(chisq, df, lower.tail = FALSE))
  # far out in the tail R warns of a loss of digits in a p value that is zero to twelve places
  suppressWarnings(stats::pchisq(chisq, df, ncp = ncp, lower.tail = FALSE))
}

# The p values of chi-square differences; NA when the degrees of freedom do not differ. Vectors; one
# `df` stands for all.
difference_p <- function(chisq, df) {
  df <- rep_len(df, length(chisq))
  p <- stats::pchisq(pmax(chisq, 0), pmax(df, 1), lower.tail = FALSE)
  ifelse(is.na(df) | df <= 0, NA_real_, p)
}

# z, two-sided p value and confidence interval of an estimate with a normal sampling distribution; t
# on `df` degrees of freedom where standard errors come from few clusters.
inference_block <- function(estimate, se, level = 0.95, df = Inf) {
  z <- estimate / se
  half <- stats::qt((1 + level) / 2, df) * se
  list(se = se, z = z, p = 2 * stats::pt(-abs(z), df), lower = estimate - half,
       upper = estimate + half)
}

# Linear algebra that several stages need, safe for matrices that are nearly singular. Every matrix
# is taken in units in which its diagonal is 1, so that variables may be measured on any scale.

own_units <- function(matrix) sqrt(pmax(abs(diag(matrix)), 1e-300))

# Solves with a generalized inverse: undetermined directions get 0.
solve_symmetric <- function(matrix, right) {
  if (anyNA(matrix)) return(rep(NA_real_, length(right)))
  unit <- own_units(matrix)
  parts <- eigen(matrix / outer(unit, unit), symmetric = TRUE)
  known <- parts$values > 1e-9
  vectors <- parts$vectors[, known, drop = FALSE]
  drop(vectors %*% (crossprod(vectors, right / unit) / parts$values[known])) / unit
}

# Computes M^-1 X for a symmetric matrix. The result is missing if the matrix is singular.
solve_in_units <- function(matrix, right) {
  unit <- own_units(matrix)
  tryCatch(solve(matrix / outer(unit, unit), right / unit) / unit,
           error = function(e) right * NA_real_)
}

# Computes the lower Cholesky factor. It is missing if the matrix is not positive definite.
lower_root <- function(matrix) {
  unit <- own_units(matrix)
  tryCatch(t(chol(matrix / outer(unit, unit))) * unit, error = function(e) matrix * NA_real_)
}

# The diagonal of the inverse of a correlation matrix: the factor by which collinearity inflates
# each variance.
variance_inflation <- function(covariance) {
  unit <- own_units(covariance)
  inflation <- diag(solve_in_units(covariance, diag(nrow(covariance)))) * unit^2
  ifelse(is.na(inflation), Inf, inflation)
}

# The Wald test that some values are zero; its degrees of freedom are the rank of their covariance
# matrix.
wald_test <- function(value, variance) {
  if (anyNA(variance)) return(list(wald = NA_real_, df = NA_integer_, p = NA_real_))
  unit <- own_units(variance)
  rank <- sum(eigen(variance / outer(unit, unit), symmetric = TRUE, TRUE)$values > 1e-9)
  wald <- sum(value * solve_symmetric(variance, value))
  list(wald = wald, df = rank, p = upper_p(wald, rank))
}

# Accepts a correlation matrix; a covariance matrix is standardized first.
smallest_eigenvalue <- function(m) {
  unit <- own_units(m)
  min(eigen(m / outer(unit, unit), symmetric = TRUE, only.values = TRUE)$values)
}

# The result is missing if the matrix is not positive definite.
log_determinant <- function(m) 2 * sum(log(diag(lower_root(m))))

# Sets of variables linked by non-zero entries.
connected_blocks <- function(m) {
  group <- seq_len(nrow(m))
  links <- which(m != 0 & lower.tri(m), arr.ind = TRUE)
  for (i in seq_len(nrow(links))) {
    ends <- group[links[i, ]]
    group[group == max(ends)] <- min(ends)
  }
  split(seq_len(nrow(m)), group)
}

# The joint statistic, its rank, and the change of each parameter (by a generalized inverse, in
# units in which all informations are 1). `variance`: the variance of the scores, where it differs
# from their information.
joint_statistic <- function(score, joint, own, variance = joint) {
  unit <- sqrt(pmax(own, 1e-300))
  spectrum <- eigen(joint / outer(unit, unit), symmetric = TRUE)
  known <- spectrum$values > 1e-9
  vectors <- spectrum$vectors[, known, drop = FALSE]
  along <- drop(crossprod(vectors, score / unit))
  plain <- sum(along^2 / spectrum$values[known])
  spread <- crossprod(vectors, (variance / outer(unit, unit)) %*% vectors)
  robust <- !identical(variance, joint)
  list(statistic = if (robust) sum(along * solve(spread, along)) else plain, plain = plain,
       df = sum(known),
       change = drop(vectors %*% (along / spectrum$values[known])) / unit, unit = unit)
}

# A^-1 B of a square matrix that need not be symmetric.
solve_square <- function(a, b) qr.coef(qr(a), b)

# (I - B)^-1
total_effects <- function(b) solve_square(diag(nrow(b)) - b, diag(nrow(b)))

# The variances of the residuals `free` that give all variables these variances, diag(T Psi T'),
# while the covariances of residuals (`psi`, whose diagonal is not used) stay fixed: linear in them.
residual_variances <- function(target, total, psi, free) {
  diag(psi) <- 0
  rest <- target - diag(total %*% psi %*% t(total))
  solve_square((total^2)[free, free, drop = FALSE], rest[free])
}

# The fewest replicates that give a p value, and the smallest p value that a number of replicates
# can give.
fewest_for_p <- 100L
least_replicate_p <- function(replicates) 2 / (replicates + 1)
