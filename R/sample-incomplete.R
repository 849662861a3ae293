# Cases with missing values that are kept: reduced to blocks by missing pattern, and the saturated
# moments that these give (EM).

# One group: rows without any value are left out; `block` holds the saturated moments.
incomplete_group <- function(x, rows, request) {
  if (request$multiplier != "n") {
    abort("input", c("`multiplier` = \"n-1\" is for complete data.",
                     i = "Leave it out, or drop incomplete rows: incomplete = \"drop\"."))
  }
  kept <- rowSums(!is.na(x)) > 0L
  x <- x[kept, , drop = FALSE]
  seen <- !is.na(x)
  check_enough(nrow(x), "case", colnames(x))
  check_pairs(seen)
  mean <- colMeans(x, na.rm = TRUE)
  off <- x - rep(mean, each = nrow(x))
  check_varying(colnames(x), mean, colMeans(off^2, na.rm = TRUE))
  patterns <- pattern_blocks(x)
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
  block <- list(n = nrow(x), covariance = covariance,
                mean = stats::setNames(found$mean, colnames(x)), variables = colnames(x))
  list(blocks = list(block), patterns = patterns, rows = rows, used = rows[kept],
       total = length(rows), empty = sum(!kept), with_missing = sum(rowSums(!seen) > 0L),
       notes = character())
}

# Numbers of rows that have the same variables.
rows_by_pattern <- function(x) {
  key <- apply(!is.na(x), 1L, function(row) paste(which(row), collapse = " "))
  unname(split(seq_len(nrow(x)), factor(key, unique(key))))
}

# By missing pattern: n, covariances (divisor n), means, variables.
pattern_blocks <- function(x) {
  lapply(rows_by_pattern(x), function(at) {
    variables <- colnames(x)[!is.na(x[at[1L], ])]
    own <- x[at, variables, drop = FALSE]
    mean <- colMeans(own)
    off <- own - rep(mean, each = length(at))
    list(n = length(at), covariance = crossprod(off) / length(at), mean = mean,
         variables = variables)
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

check_pairs <- function(seen) {
  together <- crossprod(seen)
  apart <- which(together == 0 & lower.tri(together), arr.ind = TRUE)
  if (nrow(apart) == 0L) return(invisible())
  pair <- colnames(seen)[apart[1L, c(2L, 1L)]]
  abort("data", c(paste0(enumerate(quoted(pair)), " were never observed in the same case, so that ",
                         "nothing is known of their covariance",
                         if (nrow(apart) > 1L)
                           paste0(" (and ", count_of(nrow(apart) - 1L, "more pair", "more pairs"),
                                  ")"), "."),
                  i = "Leave one of them out of the model."))
}

# What is kept, and what that supposes, in a sentence.
kept_words <- function(sample) {
  with <- sum(vapply(sample$groups, function(g) g$with_missing %||% 0L, 0L))
  empty <- sum(vapply(sample$groups, function(g) g$empty %||% 0L, 0L))
  paste0(format_count(sample_n(sample)), " cases; ", format_count(with), " have missing values ",
         "and are kept (casewise ML: missing at random given these variables, normality also of ",
         "predictors).",
         if (empty > 0L) paste0(" ", count_of(empty, "row"), " without any value ",
                                if (empty == 1L) "is" else "are", " left out."))
}
