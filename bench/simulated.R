# Simulated cases and their measurement model, for timings of whole calls at size.

# Cases of constructs that correlate at .3, with loadings of .7; items are v1_1, v1_2 and so on.
simulated <- function(n, constructs, items) {
  scores <- matrix(rnorm(n * constructs), n) %*% chol(0.3 + 0.7 * diag(constructs))
  x <- do.call(cbind, lapply(seq_len(constructs), function(k) {
    0.7 * scores[, k] + 0.7 * matrix(rnorm(n * items), n)
  }))
  stats::setNames(as.data.frame(x), paste0("v", rep(seq_len(constructs), each = items), "_",
                                           seq_len(items)))
}
measurement <- function(constructs, items) {
  bp <- blueprint("Bench")
  for (k in seq_len(constructs))
    bp <- construct(bp, paste0("F", k), reflected_in = !!paste0("v", k, "_", seq_len(items)))
  bp
}
