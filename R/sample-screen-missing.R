# Missing values and their consequences: pairwise coverage, groups, and Little's test.

# Summary of the missing values of the columns `x` (cases x variables, NA where missing), `group` a
# value for each row or NULL; `others`: further columns of the data, which may predict missingness.
# NULL when no value is missing.
screen_missing <- function(x, group = NULL, others = list()) {
  seen <- !is.na(x)
  if (all(seen) || ncol(x) == 0L) return(NULL)
  rows <- if (is.null(group)) list(all = seq_len(nrow(x))) else
    split(seq_len(nrow(x)), factor(group, unique(group[!is.na(group)])))
  list(cells = mean(seen), rows = mean(rowSums(!seen) > 0L),
       coverage = coverage_of(seen), by_group = if (!is.null(group)) missing_by_group(seen, rows),
       predictors = missingness_predictors(x, others),
       test = little_test(lapply(rows, function(r) x[r, , drop = FALSE])))
}

# Share of the rows that have both of each pair.
coverage_of <- function(seen) crossprod(seen) / nrow(seen)

# The number of missing values by group, for incomplete variables.
missing_by_group <- function(seen, rows) {
  incomplete <- colnames(seen)[colSums(!seen) > 0L]
  parts <- lapply(names(rows), function(g) {
    own <- !seen[rows[[g]], incomplete, drop = FALSE]
    list(variable = incomplete, group = rep(g, length(incomplete)), missing = unname(colSums(own)),
         share = unname(colMeans(own)))
  })
  list_frame(do.call(Map, c(list(c), parts)))
}

# Which observed columns predict whether a value is missing: score tests of logistic regressions of
# each missing indicator on each column (Rao 1948), adjusted for all of them (Holm 1979). Columns:
# variable, predictor, statistic, df, p, p_adjusted, odds_ratio (per standard deviation of the
# predictor; NA for one with several levels).
missingness_predictors <- function(x, others = list()) {
  missing <- is.na(x)
  incomplete <- colnames(x)[colSums(missing) > 0L & colSums(missing) < nrow(x)]
  columns <- c(lapply(stats::setNames(colnames(x), colnames(x)), function(name) x[, name]), others)
  tests <- unlist(lapply(names(columns), function(name) {
    lapply(setdiff(incomplete, name), function(variable) {
      found <- score_of_missing(missing[, variable], columns[[name]])
      if (!is.null(found)) c(list(variable = variable, predictor = name), found)
    })
  }), recursive = FALSE)
  tests <- Filter(Negate(is.null), tests)
  if (length(tests) == 0L) return(NULL)
  get <- function(name) vapply(tests, `[[`, 0, name)
  p <- stats::pchisq(get("statistic"), get("df"), lower.tail = FALSE)
  out <- list_frame(list(
    variable = vapply(tests, `[[`, "", "variable"),
    predictor = vapply(tests, `[[`, "", "predictor"), statistic = get("statistic"),
    df = as.integer(get("df")), p = p, p_adjusted = stats::p.adjust(p, "holm"),
    odds_ratio = rep(NA_real_, length(p))))
  out <- out[order(out$p), , drop = FALSE]
  rownames(out) <- NULL
  for (k in utils::head(which(out$p_adjusted < 0.05), most_predictors))
    out$odds_ratio[k] <- missing_odds(missing[, out$variable[k]], columns[[out$predictor[k]]])
  out
}

most_predictors <- 20L      # whose odds ratios are computed

# The score statistic of a slope in a logistic regression: n r^2, or Pearson's chi-square of a
# column with levels. NULL where nothing varies.
score_of_missing <- function(missing, column) {
  seen <- !is.na(column)
  missing <- missing[seen]
  column <- column[seen]
  if (length(column) < 10L || length(unique(missing)) < 2L || length(unique(column)) < 2L)
    return(NULL)
  if (is.numeric(column))
    return(list(statistic = length(column) * stats::cor(missing, column)^2, df = 1))
  count <- table(column, missing)
  expected <- outer(rowSums(count), colSums(count)) / sum(count)
  list(statistic = sum((count - expected)^2 / expected), df = nrow(count) - 1)
}

missing_odds <- function(missing, column) {
  if (!is.numeric(column)) return(NA_real_)
  column <- (column - mean(column, na.rm = TRUE)) / stats::sd(column, na.rm = TRUE)
  fit <- suppressWarnings(stats::glm(missing ~ column, family = stats::binomial()))
  if (fit$converged) exp(stats::coef(fit)[[2L]]) else NA_real_
}

# Columns of the data that were not measured: numbers, and texts or factors of few levels.
other_columns <- function(data, names) {
  others <- lapply(stats::setNames(names, names), function(name) {
    column <- plain_column(data[[name]])
    if (is.logical(column)) column <- as.numeric(column)
    if (identifier_like(column) || inherits(column, c("Date", "POSIXt"))) return(NULL)
    if (is.numeric(column)) return(finite_scale(column))
    if (!is.character(column) && !is.factor(column)) return(NULL)
    if (length(unique(column[!is.na(column)])) > 12L) NULL else as.character(column)
  })
  Filter(Negate(is.null), others)
}

# Do the means of the patterns differ more than chance lets them (Little 1988)? Groups are summed.
# NULL where it cannot be computed.
little_test <- function(groups) {
  found <- lapply(groups, little_statistic)
  if (any(vapply(found, is.null, NA))) return(NULL)
  statistic <- sum(vapply(found, `[[`, 0, "statistic"))
  df <- sum(vapply(found, `[[`, 0, "df"))
  if (!rule_little(df, sum(vapply(groups, nrow, 0L)))) return(NULL)
  list(statistic = statistic, df = df, p = upper_p(statistic, df),
       patterns = sum(vapply(found, `[[`, 0, "patterns")))
}

least_share <- 1e-7       # of the variance of standardized columns, in any direction

little_statistic <- function(x) {
  x <- x[rowSums(!is.na(x)) > 0L, colSums(!is.na(x)) > 0L, drop = FALSE]
  # a column of a single value has no spread
  if (nrow(x) <= ncol(x) || !isTRUE(all(apply(x, 2L, stats::sd, na.rm = TRUE) > 0)))
    return(NULL)
  patterns <- pattern_blocks(x)
  found <- core_saturated(numbered(patterns, colnames(x)), ncol(x))
  # columns that follow from others: their share of the likelihood is rounding
  if (found$status != 0L || smallest_eigenvalue(found$covariance) < least_share) return(NULL)
  sigma <- found$covariance * nrow(x) / (nrow(x) - 1)
  each <- vapply(patterns, function(pattern) {
    v <- match(pattern$variables, colnames(x))
    d <- pattern$mean - found$mean[v]
    pattern$n * sum(d * solve_in_units(sigma[v, v, drop = FALSE], d))
  }, 0)
  list(statistic = sum(each), patterns = length(patterns),
       df = sum(lengths(lapply(patterns, `[[`, "variables"))) - ncol(x))
}

# A sentence on the consequences of missing values for the analysis.
missing_sentence <- function(x) {
  m <- x$missing
  if (is.null(m)) return(NULL)
  share <- function(v) paste0(format_fixed(100 * v, if (v > 0 && v < 0.1) 1L else 0L), "%")
  told <- if (is.null(m$test)) {
    text_of("whether_depends_untested")
  } else if (m$test$p < 0.05) {
    text_of("what_is_missing_hangs", value = p_clause(m$test$p))
  } else {
    text_of("nothing_says_hangs_other", value = p_clause(m$test$p))
  }
  predicted <- predicted_missing(m$predictors)
  if (length(predicted))
    told <- text_of("missingness_is_predicted", predictors = enumerate(predicted, most = 6L))
  text_of("rows_miss_something_though", rows = share(m$rows), cells = share(m$cells),
          rows_2 = share(m$rows), told = told)
}

# Columns that predict missing values, the surest first.
predicted_missing <- function(predictors) {
  unique(predictors$predictor[predictors$p_adjusted < 0.05])
}

# --- clusters ------------------------------------------------------------------------------------

# Intraclass correlation of each variable, by one-way analysis of variance, and the design effect:
# by how much clustering multiplies the variance of its mean (Kish 1965; Shrout & Fleiss 1979).
screen_clusters <- function(x, cluster) {
  if (is.null(cluster)) return(NULL)
  each <- lapply(colnames(x), function(name) {
    at <- !is.na(x[, name]) & !is.na(cluster)
    intraclass(x[at, name], cluster[at])
  })
  list_frame(c(list(variable = colnames(x)),
               do.call(Map, c(list(c), each))))
}

intraclass <- function(value, cluster) {
  size <- as.numeric(table(cluster))
  count <- length(size)
  n <- sum(size)
  if (count < 2L || n <= count)
    return(list(clusters = count, icc = NA_real_, design_effect = NA_real_, p = NA_real_))
  mean <- tapply(value, cluster, base::mean)[as.character(cluster)]
  between <- sum((mean - mean(value))^2) / (count - 1)
  within <- sum((value - mean)^2) / (n - count)
  k <- (n - sum(size^2) / n) / (count - 1)
  icc <- (between - within) / (between + (k - 1) * within)
  list(clusters = count, icc = icc, design_effect = 1 + (n / count - 1) * max(icc, 0),
       p = stats::pf(between / within, count - 1, n - count, lower.tail = FALSE))
}
