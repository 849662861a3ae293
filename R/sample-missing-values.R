# Moments by missing pattern, combined from parts: chunks of rows, tables in databases, and patterns
# that become equal once some variables are left out.

# Combines two sets of cases of the same variables without using the cases again (Chan, Golub &
# LeVeque 1983).
merge_blocks <- function(a, b) {
  n <- a$n + b$n
  off <- b$mean - a$mean
  list(n = n, mean = a$mean + off * (b$n / n),
       covariance = (a$n * a$covariance + b$n * b$covariance + a$n * b$n / n * tcrossprod(off)) / n,
       variables = a$variables)
}

# Combines lists of blocks into one list with one block for each set of variables, in the order of
# their first occurrence.
merge_patterns <- function(patterns, others = list()) {
  for (block in others) {
    key <- pattern_key(block$variables)
    patterns[[key]] <- if (is.null(patterns[[key]])) block else merge_blocks(patterns[[key]], block)
  }
  patterns
}

pattern_key <- function(variables) paste(variables, collapse = "\r")

# Missing patterns of a subset of variables; cases without any of them are counted.
patterns_of <- function(patterns, variables) {
  parts <- lapply(patterns, function(block) {
    part_of_block(block, match(intersect(variables, block$variables), block$variables))
  })
  empty <- lengths(lapply(parts, `[[`, "variables")) == 0L
  list(patterns = unname(merge_patterns(list(), parts[!empty])),
       empty = sum(vapply(parts[empty], `[[`, 0, "n")))
}

part_of_block <- function(block, keep) {
  list(n = block$n, covariance = block$covariance[keep, keep, drop = FALSE],
       mean = block$mean[keep], variables = block$variables[keep])
}

# The number of cases in which both variables of a pair are observed.
together_of <- function(patterns, variables) {
  out <- matrix(0, length(variables), length(variables), dimnames = list(variables, variables))
  for (block in patterns) {
    v <- block$variables
    out[v, v] <- out[v, v] + block$n
  }
  out
}

# One group of collected moments, in the form of incomplete_group().
group_of_patterns <- function(collected, variables, request) {
  check_known(variables, collected$names, request$blueprint)
  found <- patterns_of(collected$patterns, variables)
  patterns <- found$patterns
  n <- sum(vapply(patterns, `[[`, 0, "n"))
  together <- together_of(patterns, variables)
  unknown <- variables[diag(together) == 0]
  if (length(unknown))
    abort("data", c(text_of("column_is_missing_every", empty = quoted(unknown[1L])),
                    i = text_of("leave_item_out_model")), not_asked = unknown[1L])
  total <- n + found$empty
  complete <- Filter(function(block) length(block$variables) == length(variables), patterns)
  if (request$incomplete == "drop" || length(patterns) == 1L)
    return(complete_patterns(complete, variables, total, n, request))
  check_multiplier_complete(request)
  check_enough(n, "case", variables)
  check_varying_patterns(patterns, variables)
  saturated_group(patterns, variables, together,
                  list(total = total, empty = found$empty,
                       with_missing = n - sum(vapply(complete, `[[`, 0, "n"))))
}

complete_patterns <- function(complete, variables, total, n, request) {
  size <- if (length(complete)) complete[[1L]]$n else 0
  check_enough(size, "complete row", variables)
  block <- part_of_block(complete[[1L]], match(variables, complete[[1L]]$variables))
  check_varying(variables, block$mean, diag(block$covariance))
  check_definite(block$covariance, text_of("covariance_matrix_data"))
  notes <- if (size < total)
    text_of("dropped_rows_missing_values_variables", size = format_count(total - size),
            total = format_count(total), size_2 = format_count(size))
  list(blocks = list(block), rows = NULL, used = NULL, total = total,
       notes = as.character(notes))
}

check_multiplier_complete <- function(request) {
  if (request$multiplier == "n") return(invisible())
  abort("input", c(text_of("multiplier_n_1_is"),
                   i = text_of("leave_out_or_drop")))
}

# Saturated moments of patterns (EM), with the notes on missing values.
saturated_group <- function(patterns, variables, together, counts) {
  found <- core_saturated(numbered(patterns, variables), length(variables))
  if (found$status != 0L) refuse_saturated(found$status, patterns, variables)
  covariance <- found$covariance
  dimnames(covariance) <- list(variables, variables)
  # with too few complete cases the matrix is singular whatever the variables are
  if (complete_cases(patterns, variables) <= length(variables) && !is_definite(covariance))
    refuse_saturated(match("degenerate", saturation_reasons) - 1L, patterns, variables)
  check_definite(covariance, text_of("covariance_matrix_data_missing"))
  n <- sum(vapply(patterns, `[[`, 0, "n"))
  block <- list(n = n, covariance = covariance, mean = stats::setNames(found$mean, variables),
                variables = variables)
  missing <- round(n - diag(together))
  c(list(blocks = list(block), patterns = patterns, rows = NULL, used = NULL, notes = character(),
         missing = stats::setNames(missing, variables)[missing > 0], two_valued = character(),
         unseen = pairs_never_observed(together), thinnest = least_observed_pair(together, n)),
    counts)
}

# The codes of the core for saturated moments of incomplete data.
saturation_reasons <- c("found", "unobserved", "constant", "degenerate", "unfinished")

complete_cases <- function(patterns, variables) {
  whole <- Filter(function(block) length(block$variables) == length(variables), patterns)
  sum(vapply(whole, `[[`, 0, "n"))
}

refuse_saturated <- function(status, patterns, variables) {
  complete <- complete_cases(patterns, variables)
  n <- sum(vapply(patterns, `[[`, 0, "n"))
  reason <- saturation_reasons[status + 1L]
  few <- complete <= length(variables)
  # if the complete cases are singular, the variables concerned can be named
  for (block in patterns)
    if (!few && length(block$variables) == length(variables))
      check_definite(`dimnames<-`(block$covariance, list(block$variables, block$variables)),
                     text_of("covariance_matrix_complete_cases"))
  cause <- switch(reason,
    unobserved = text_of("one_variables_has_no"),
    constant = text_of("one_variables_does_not"),
    paste0(if (few) text_of("there_are_too_few",
                            variables = count_of(length(variables), "variable"),
                            complete = format_count(complete), value = format_count(n)) else
      text_of("covariance_matrix_incomplete_data")))
  abort("data", c(text_of("means_covariances_incomplete_data"),
                  x = cause,
                  i = if (few) text_of("use_fewer_variables_more") else
                    text_of("leave_out_one_variables")),
        reason = reason)
}

# No variable is constant over all cases in which it is observed.
check_varying_patterns <- function(patterns, variables) {
  for (name in variables) {
    of <- Filter(function(block) name %in% block$variables, patterns)
    n <- vapply(of, `[[`, 0, "n")
    mean <- vapply(of, function(block) block$mean[[match(name, block$variables)]], 0)
    spread <- vapply(of, function(block) {
      at <- match(name, block$variables)
      block$covariance[at, at]
    }, 0)
    centre <- sum(n * mean) / sum(n)
    check_varying(name, centre, sum(n * (spread + (mean - centre)^2)) / sum(n))
  }
}

# Incomplete cases that are kept: reduced to blocks by missing pattern, and the saturated moments
# computed from them (EM).

# One group: rows without any value are left out; `block` holds the saturated moments.
incomplete_group <- function(columns, rows, request, cases) {
  check_multiplier_complete(request)
  variables <- names(columns)
  model <- !variables %in% request$auxiliary
  # by row: the number of the model's variables that are observed
  observed <- Reduce(function(count, column) count + !is.na(column), columns[model],
                     integer(length(rows)))
  kept <- observed > 0L
  if (!all(kept)) columns <- lapply(columns, function(column) column[kept])
  check_enough(sum(kept), "case", variables)
  for (name in variables) {
    seen <- columns[[name]][!is.na(columns[[name]])]
    mean <- sum(seen) / length(seen)
    check_varying(name, mean, sum((seen - mean)^2) / length(seen))
  }
  parts <- case_parts(cases, rows[kept])
  patterns <- pattern_blocks(bind_columns(columns, sum(kept)), parts$weight)
  together <- observed_together(columns)
  found <- saturated_group(patterns, variables, together,
                           list(total = length(rows), empty = sum(!kept),
                                with_missing = sum(observed[kept] < sum(model))))
  missing <- vapply(columns, function(column) sum(is.na(column)), 0)
  missing <- missing[missing > 0]
  found[c("rows", "used", "two_valued")] <-
    list(rows, rows[kept], two_valued(columns[names(missing)]))
  found$missing <- missing
  found$thinnest <- least_observed_pair(together, sum(kept))
  c(found, parts)
}

# The number of cases that have both of each pair of variables.
observed_together <- function(columns) {
  sum_over_portions(length(columns[[1L]]), function(rows) {
    seen <- lapply(columns, function(column) !is.na(column[rows]))
    crossprod(bind_columns(seen, length(rows)))
  })
}

# Numbers of rows that have the same variables, in the order of the first occurrence of the
# patterns. One pass over each column with missing values; keys are renumbered on the way, so that
# they stay small.
rows_by_pattern <- function(x) {
  key <- rep(1, nrow(x))
  for (j in seq_len(ncol(x))) {
    hole <- is.na(x[, j])
    if (!any(hole)) next
    key <- 2 * key + hole
    key <- as.numeric(match(key, unique(key)))
  }
  unname(split(seq_len(nrow(x)), factor(key, unique(key))))
}

# Moments by missing pattern: n, covariances (divisor n), means, variables.
pattern_blocks <- function(x, weight = NULL) {
  lapply(core_reduce(x, as.numeric(weight)), function(block) {
    block$variables <- colnames(x)[block$variables]
    block
  })
}

# The patterns as the core reads them: variables by number.
numbered <- function(patterns, variables) {
  lapply(patterns, function(p) {
    list(n = as.numeric(p$n), covariance = unname(p$covariance), mean = unname(p$mean),
         variables = match(p$variables, variables))
  })
}

# A group without missing values is one pattern.
core_patterns <- function(group) {
  numbered(group$patterns %||% group$blocks, group$blocks[[1L]]$variables)
}

# Pairs of variables that no case has observed together, as numbers: nothing is known about their
# covariance. `together`: the number of cases that have both of each pair.
pairs_never_observed <- function(together) {
  unname(which(together == 0 & lower.tri(together), arr.ind = TRUE))
}

# The smallest proportion of cases that have both of a pair, without pairs that no case has observed
# together.
least_observed_pair <- function(together, n) {
  share <- together / n
  share[share == 0 | upper.tri(share, diag = TRUE)] <- NA
  at <- arrayInd(which.min(share), dim(share))
  list(share = share[at], pair = colnames(together)[at[2:1]])
}

# Names of the columns with only two values.
two_valued <- function(columns) {
  count <- function(v) length(unique(v[!is.na(v)]))
  few <- vapply(columns, function(v) count(utils::head(v, 50L)) <= 2L && count(v) == 2L, NA)
  names(columns)[few]
}

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

# Proportion of the rows that have both of each pair.
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

# Columns of the data that are not items: numbers, and texts or factors of few levels.
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

# Do the means of the patterns differ more than expected by chance (Little 1988)? Groups are summed.
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
  # columns that are determined by others: their contribution to the likelihood is rounding error
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

# Columns that predict missing values, the most significant first.
predicted_missing <- function(predictors) {
  unique(predictors$predictor[predictors$p_adjusted < 0.05])
}

# --- clusters ------------------------------------------------------------------------------------

# Intraclass correlation of each variable, by one-way analysis of variance, and the design effect:
# the factor by which clustering multiplies the variance of its mean (Kish 1965; Shrout & Fleiss
# 1979).
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
