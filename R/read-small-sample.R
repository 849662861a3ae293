# The chi-square test in small samples: exact fit is rejected too often by it when cases are few in
# relation to variables.

# The factor that brings the mean of (n - 1) F of a correct model close to its degrees of freedom
# (Swain 1975), `variables` observed with `df` degrees of freedom of their covariances. NA where it
# is not defined: without degrees of freedom, or with too few cases for it to be positive.
swain_factor <- function(variables, df, cases) {
  p <- variables
  t <- p * (p + 1) / 2 - df                          # free parameters of the covariances
  q <- (sqrt(1 + 8 * t) - 1) / 2
  factor <- 1 - (p * (2 * p^2 + 3 * p - 1) - q * (2 * q^2 + 3 * q - 1)) /
    (12 * df * (cases - 1))
  ifelse(df > 0 & t >= 0 & factor > 0, factor, NA_real_)
}

# The degrees of freedom of the covariances of each group: a parameter that several groups share
# counts in each of them by the group's share of the cases.
covariance_df <- function(fit) {
  rows <- fit$layout$rows
  structural <- is.na(rows$fixed) & rows$family != parameter_families[["mean"]]
  group <- match(rows$group[structural], fit$layout$groups)
  cases <- unname(n_by_group(fit$sample))
  cell <- !duplicated(paste(rows$class[structural], group))
  group <- group[cell]
  shared <- rows$class[structural][cell]
  weight <- cases[group] / stats::ave(cases[group], shared, FUN = sum)
  free <- tapply(weight, factor(group, seq_along(cases)), sum)
  free[is.na(free)] <- 0
  free <- free - n_equations(fit$layout) * cases / sum(cases)
  p <- unname(lengths(group_variables(fit$sample)))
  p * (p + 1) / 2 - as.numeric(free)
}

# Chi-square and p value corrected for the sample size: the sum over groups of the factor times
# (n - 1) F; with robust inference, the same factor times the scaled test. NULL where the correction
# does not apply: missing values, structured means, a solution on a bound, auxiliary variables;
# clusters, weights and tests adjusted for the variance, for which it was not tried; and, in several
# groups or with robust inference, fewer than three cases per variable in a group, where it rejects
# correct models too often (bench/small-samples.R).
small_sample_test <- function(fit) {
  test <- test_of(fit)
  df <- test$df
  robust <- is_robust(fit$request)
  groups <- length(fit$layout$groups)
  applies <- df > 0 && !is_incomplete(fit$sample) && is.null(fit$joint) &&
    (!fit$layout$means || fit$layout$saturated_means) && has_converged(fit) &&
    length(active_bound_texts(fit)) == 0L && !is_weighted(fit$sample) &&
    is.na(count_clusters(fit$sample)) && !is_adjusted(fit) && !(robust && groups > 1L)
  if (!applies) return(NULL)
  few <- n_by_group(fit$sample) < 3 * lengths(group_variables(fit$sample))
  if ((robust || groups > 1L) && any(few)) return(NULL)
  cached(fit, "small_sample_test", {
    chisq <- corrected_chisq(fit) / if (robust) test$inflation else 1
    list(chisq = chisq, df = df, p = upper_p(chisq, df))
  })
}

corrected_chisq <- function(fit) {
  each <- measures_of(fit)
  part <- function(name) vapply(each, `[[`, 0, name)
  cases <- unname(n_by_group(fit$sample))
  factor <- swain_factor(lengths(group_variables(fit$sample)), covariance_df(fit), cases)
  # a group that fits by necessity needs no correction
  factor[is.na(factor) & covariance_df(fit) <= 1e-9] <- 1
  sum(factor * (cases - 1) * part("chisq") / part("n"))
}

# The test by which exact fit is judged: corrected for the sample size where that is possible.
exact_test <- function(fit) small_sample_test(fit) %||% test_of(fit)

# TRUE for samples so small that the correction would decrease chi-square by more than a twentieth.
small_for_chisq <- function(fit) {
  factor <- swain_factor(lengths(group_variables(fit$sample)), covariance_df(fit),
                         unname(n_by_group(fit$sample)))
  any(factor < 0.95, na.rm = TRUE)
}
