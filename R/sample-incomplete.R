# Cases with missing values that are kept: reduced to blocks by missing pattern, and the saturated
# moments that these give (EM).

# One group: rows without any value are left out; `block` holds the saturated moments.
incomplete_group <- function(x, rows, request, cases) {
  if (request$multiplier != "n") {
    abort("input", c("`multiplier` = \"n-1\" is for complete data.",
                     i = "Leave it out, or drop incomplete rows: incomplete = \"drop\"."))
  }
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
  found <- core_saturated(numbered(patterns, colnames(x)), ncol(x))
  if (!found$converged) {
    abort("data", c("The moments of the incomplete data could not be estimated.",
                    i = paste0("Too little is observed together: drop incomplete rows ",
                               "(incomplete = \"drop\"), or leave out the variables with most ",
                               "missing values.")))
  }
  covariance <- found$covariance
  dimnames(covariance) <- list(colnames(x), colnames(x))
  check_definite(covariance, "The covariance matrix of the data, missing values allowed for,")
  block <- list(n = sum(vapply(patterns, `[[`, 0, "n")), covariance = covariance,
                mean = stats::setNames(found$mean, colnames(x)), variables = colnames(x))
  together <- crossprod(seen)
  holes <- as.integer(nrow(x) - diag(together))
  names(holes) <- colnames(x)
  c(list(blocks = list(block), patterns = patterns, rows = rows, used = rows[kept],
       total = length(rows), notes = character(), empty = sum(!kept),
       with_missing = sum(rowSums(!seen[, model, drop = FALSE]) > 0L), holes = holes[holes > 0L],
       two_valued = two_valued(x[, holes > 0L, drop = FALSE]),
       unseen = unseen_pairs(together), thinnest = thinnest_pair(together, nrow(x))), parts)
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
