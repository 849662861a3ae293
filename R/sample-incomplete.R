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
  holed <- colSums(!seen) > 0L
  found <- saturated_group(patterns, colnames(x), together,
                           list(total = length(rows), empty = sum(!kept),
                                with_missing = sum(rowSums(!seen[, model, drop = FALSE]) > 0L)))
  found[c("rows", "used", "two_valued")] <-
    list(rows, rows[kept], two_valued(x[, holed, drop = FALSE]))
  holes <- colSums(!seen)
  found$holes <- holes[holes > 0]
  found$thinnest <- thinnest_pair(together, nrow(x))
  c(found, parts)
}

# Numbers of rows that have the same variables, in the order in which the patterns come. One pass
# over each column with holes; keys are renumbered on the way, so that they stay small.
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

# By missing pattern: n, covariances (divisor n), means, variables.
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
unseen_pairs <- function(together) {
  unname(which(together == 0 & lower.tri(together), arr.ind = TRUE))
}

# The share of cases that have both of the pair that fewest have, pairs that none has left out.
thinnest_pair <- function(together, n) {
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
