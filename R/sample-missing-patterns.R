# Moments by missing pattern, put together from parts: of chunks of rows, of tables in databases, of
# patterns that are the same once some variables are left out.

# Two sets of cases of the same variables as one, without going back to the cases (Chan, Golub &
# LeVeque 1983).
merge_blocks <- function(a, b) {
  n <- a$n + b$n
  off <- b$mean - a$mean
  list(n = n, mean = a$mean + off * (b$n / n),
       covariance = (a$n * a$covariance + b$n * b$covariance + a$n * b$n / n * tcrossprod(off)) / n,
       variables = a$variables)
}

# Lists of blocks as one list with one block for each set of variables, in the order in which these
# come.
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

# One group of collected moments, as incomplete_group() makes it of cases.
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

# No variable is constant over all cases that have it.
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

# Cases with missing values that are kept: reduced to blocks by missing pattern, and the saturated
# moments that these give (EM).

# One group: rows without any value are left out; `block` holds the saturated moments.
incomplete_group <- function(x, rows, request, cases) {
  check_multiplier_complete(request)
  model <- !colnames(x) %in% request$auxiliary
  kept <- rowSums(!is.na(x[, model, drop = FALSE])) > 0L
  x <- x[kept, , drop = FALSE]
  seen <- !is.na(x)
  check_enough(nrow(x), "case", colnames(x))
  mean <- colMeans(x, na.rm = TRUE)
  off <- x - rep(mean, each = nrow(x))
  check_varying(colnames(x), mean, colMeans(off^2, na.rm = TRUE))
  parts <- case_parts(cases, rows[kept])
  patterns <- pattern_blocks(x, parts$weight)
  together <- crossprod(seen)
  incomplete <- colSums(!seen) > 0L
  found <- saturated_group(patterns, colnames(x), together,
                           list(total = length(rows), empty = sum(!kept),
                                with_missing = sum(rowSums(!seen[, model, drop = FALSE]) > 0L)))
  found[c("rows", "used", "two_valued")] <-
    list(rows, rows[kept], two_valued(x[, incomplete, drop = FALSE]))
  missing <- colSums(!seen)
  found$missing <- missing[missing > 0]
  found$thinnest <- least_observed_pair(together, nrow(x))
  c(found, parts)
}

# Numbers of rows that have the same variables, in the order in which the patterns come. One pass
# over each column with missing values; keys are renumbered on the way, so that they stay small.
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

# Pairs of variables that no case has together, as numbers: nothing is known of their covariance.
# `together`: how many cases have both of each pair.
pairs_never_observed <- function(together) {
  unname(which(together == 0 & lower.tri(together), arr.ind = TRUE))
}

# The share of cases that have both of the pair that fewest have, pairs that none has left out.
least_observed_pair <- function(together, n) {
  share <- together / n
  share[share == 0 | upper.tri(share, diag = TRUE)] <- NA
  at <- arrayInd(which.min(share), dim(share))
  list(share = share[at], pair = colnames(together)[at[2:1]])
}

# Names of the columns that take two values only.
two_valued <- function(x) {
  count <- function(v) length(unique(v[!is.na(v)]))
  few <- vapply(seq_len(ncol(x)), function(j) {
    count(x[seq_len(min(50L, nrow(x))), j]) <= 2L && count(x[, j]) == 2L
  }, NA)
  colnames(x)[few]
}
