# The rules of results that need many fits.

# Whether replicates are fit to give a p value: enough of them, few of them lost, a median bias of
# at most one standard deviation, and an estimate among them.
fewest_for_p <- 100L
rule_replicates_give_p <- function(used, asked, median_bias, inside) {
  used >= fewest_for_p && used >= 0.95 * asked && abs(median_bias) <= 1 && inside
}

# The kinds of a simulated cut-off, best first: the share of correctly specified models that pass,
# and the largest share of misspecified ones that may (McNeish & Wolf 2023).
cutoff_kinds <- list(firm = c(right = 0.95, wrong = 0.05), lenient = c(right = 0.90, wrong = 0.10))

# `wrong`: the share of misspecified models that pass the cut-off of each kind, in order.
rule_cutoff <- function(wrong) {
  allowed <- vapply(cutoff_kinds, `[[`, 0, "wrong")
  found <- names(cutoff_kinds)[which(wrong <= allowed + 1e-9)]
  if (length(found)) found[1L] else "none"
}

# A value against a simulated cut-off.
rule_cutoff_verdict <- function(value, cutoff, higher_is_better) {
  if (is.na(value) || is.na(cutoff)) return("cannot_tell")
  passes <- if (higher_is_better) value >= cutoff else value <= cutoff
  if (passes) "passes" else "fails"
}
