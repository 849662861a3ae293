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
  holes <- colSums(!seen)
  c(list(blocks = list(block), patterns = patterns, rows = rows, used = rows[kept],
       total = length(rows), notes = character(), empty = sum(!kept),
       with_missing = sum(rowSums(!seen[, model, drop = FALSE]) > 0L), holes = holes[holes > 0L],
       two_valued = two_valued(x), unseen = unseen_pairs(seen),
       thinnest = thinnest_pair(seen)), parts)
}

# Numbers of rows that have the same variables.
rows_by_pattern <- function(x) {
  key <- apply(!is.na(x), 1L, function(row) paste(which(row), collapse = " "))
  unname(split(seq_len(nrow(x)), factor(key, unique(key))))
}

# By missing pattern: n, covariances (divisor n), means, variables.
pattern_blocks <- function(x, weight = NULL) {
  lapply(rows_by_pattern(x), function(at) {
    variables <- colnames(x)[!is.na(x[at[1L], ])]
    moments <- weighted_moments(x[at, variables, drop = FALSE], weight[at])
    moments$n <- as.numeric(moments$n)
    c(moments, list(variables = variables))
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
unseen_pairs <- function(seen) {
  unname(which(crossprod(seen) == 0 & lower.tri(diag(ncol(seen))), arr.ind = TRUE))
}

# The share of cases that have both of the pair that fewest have, pairs that none has left out.
thinnest_pair <- function(seen) {
  share <- crossprod(seen) / nrow(seen)
  share[share == 0 | upper.tri(share, diag = TRUE)] <- NA
  at <- arrayInd(which.min(share), dim(share))
  list(share = share[at], pair = colnames(seen)[at[2:1]])
}

two_valued <- function(x) {
  colnames(x)[apply(x, 2L, function(column) length(unique(column[!is.na(column)])) == 2L)]
}
