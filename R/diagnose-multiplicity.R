# Many modification indices at once: adjusted p values, and which of the rows are echoes of others.

most_rows <- 2000L          # beyond which Holm's adjustment takes the place of simulation
null_draws <- 2000L
most_forward_steps <- 5L

# The correlations of the score statistics of all candidates under the model, from the expected
# information of complete data: with missing values these hardly differ, and the exact ones cost as
# much as all patterns. NULL where the information is singular.
score_correlation <- function(fit, with) {
  moments <- Map(function(moments, implied) {
    p <- seq_along(moments$mean %||% diag(moments$covariance))
    list(n = moments$n, covariance = implied$covariance[p, p, drop = FALSE],
         mean = if (is.null(moments$mean) || fit$layout$saturated_means) moments$mean else
           implied$mean[p])
  }, core_moments(fit), unname(matrices_of(fit)))
  tests <- core_score_tests(with$core, moments, core_theta(fit), with$entry, with$constraint, TRUE,
                            NULL)
  if (!tests$admissible) return(NULL)
  sd <- sqrt(pmax(diag(tests$joint), 1e-300))
  out <- tests$joint / outer(sd, sd)
  diag(out) <- 1
  out
}

# Draws of the score statistics under the model: rows x draws, standard normal with these
# correlations, whose rank is at most the degrees of freedom of the model.
null_scores <- function(correlation, draws) {
  root <- suppressWarnings(chol(correlation, pivot = TRUE, tol = 1e-10))
  rank <- attr(root, "rank")
  root <- root[seq_len(rank), order(attr(root, "pivot")), drop = FALSE]
  with_seed(1L, core_root_product(root, matrix(stats::rnorm(rank * draws), rank)))
}

# Step-down adjusted p values by the maximum of all statistics (Westfall & Young 1993): each is
# compared with the maximum over itself and all smaller ones. `null`: rows x draws of the same
# statistics.
step_down <- function(statistic, null) {
  order <- order(-statistic)
  sorted <- null[order, , drop = FALSE]
  size <- length(order)
  exceed <- numeric(size)
  running <- rep(-Inf, ncol(null))
  for (k in rev(seq_len(size))) {
    running <- pmax(running, sorted[k, ])
    exceed[k] <- sum(running >= statistic[order[k]] - 1e-9)
  }
  out <- numeric(size)
  out[order] <- cummax((1 + exceed) / (1 + ncol(null)))
  out
}

# The null distribution of all rows: list(draws: |z| by row and draw, correlation, largest: the
# maximum of each draw); NULL where Holm's adjustment is used.
null_of_rows <- function(fit, with) {
  size <- length(with$entry)
  if (size == 0L || size > most_rows) return(NULL)
  correlation <- score_correlation(fit, with)
  if (is.null(correlation)) return(NULL)
  draws <- abs(null_scores(correlation, if (size > 500L) null_draws %/% 2L else null_draws))
  list(draws = draws, correlation = correlation, largest = apply(draws, 2L, max))
}

# Adjusted p values of all rows. Neither adjustment needs more than the other to be valid, so the
# smaller counts: simulation knows how the rows depend on each other, Holm's has no floor.
adjusted_p_values <- function(p, null) {
  holm <- stats::p.adjust(p, "holm")
  if (is.null(null)) return(holm)
  pmin(holm, step_down(stats::qnorm(p / 2, lower.tail = FALSE), null$draws))
}

# The adjusted p value of a row that is tested again after another one was freed.
p_of_largest <- function(p, null, rows) {
  simple <- pmin(1, p * rows)
  if (is.null(null)) return(simple)
  z <- stats::qnorm(p / 2, lower.tail = FALSE)
  pmin(simple, vapply(z, function(one) {
    (1 + sum(null$largest >= one - 1e-9)) / (1 + length(null$largest))
  }, 0))
}

# How rows relate to others: "same_as" an earlier row that implies the same moments to first order,
# "goes_with" a row after whose release it is not significant any more (at most five rows are freed,
# one after the other, each with all before it). list(relation, relative_to), rows in the order in
# which they are shown; `significant`: by the adjusted p values.
relate_rows <- function(fit, rows, with, null, significant, level, robust) {
  size <- length(rows$parameter)
  out <- list(relation = character(size), relative_to = rep(NA_character_, size))
  if (!is.null(null)) {
    for (i in seq_len(size)[-1L]) {
      same <- which(abs(null$correlation[i, seq_len(i - 1L)]) > 1 - 1e-6)
      if (length(same) == 0L) next
      out$relation[i] <- "same_as"
      out$relative_to[i] <- rows$parameter[same[1L]]
    }
  }
  open <- which(significant & out$relation == "" & !rows$change %in% loop_kinds)
  core <- with$core
  theta <- core_theta(fit)
  for (step in seq_len(most_forward_steps)) {
    if (length(open) < 2L) break
    leader <- open[1L]
    open <- open[-1L]
    freed <- free_row(fit, rows, with, core, theta, leader)
    if (is.null(freed)) next
    core <- freed$core
    theta <- freed$theta
    again <- retested_p(fit, core, theta, with, open, robust)
    echo <- !(p_of_largest(again, null, size) <= level)
    out$relation[open[echo]] <- "goes_with"
    out$relative_to[open[echo]] <- rows$parameter[leader]
    open <- open[!echo]
  }
  out
}

# One more row freed and fitted; NULL where that fails.
free_row <- function(fit, rows, with, core, theta, i) {
  if (with$constraint[i] > 0L) return(NULL)          # numbers of constraints would move
  freed <- freed_core(core, with$entry[i], 0L)
  found <- core_refit(fit, freed, c(theta, now_at(fit, rows, i)))
  if (found$ok) list(core = freed, theta = found$theta)
}

# p values of the open rows in a model in which others are freed; `robust`: without assuming
# normality.
retested_p <- function(fit, core, theta, with, open, robust) {
  tests <- core_score_tests(core, core_moments(fit), theta, with$entry[open],
                            with$constraint[open], FALSE, if (robust) core_cases(fit))
  if (!tests$admissible) return(rep(0, length(open)))
  variance <- if (robust) tests$variance else tests$information
  lost <- !is.finite(tests$information) | tests$information < 1e-9 * tests$own
  p <- stats::pchisq(tests$score^2 / variance, 1, lower.tail = FALSE)
  ifelse(lost, 1, p)
}
