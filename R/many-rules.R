# The rules of results that need many fits.

# Whether replicates are fit to give a p value: enough of them, few of them lost, a median bias of
# at most one standard deviation, and an estimate among them.
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

# A value against a simulated cut-off, whose Monte Carlo interval runs from `lower` to `upper`:
# "cannot_tell" inside of it, and when the kind of the cut-off is not settled.
rule_cutoff_verdict <- function(value, lower, upper, settled, higher_is_better) {
  if (anyNA(c(value, lower, upper)) || !isTRUE(settled)) return("cannot_tell")
  if (!higher_is_better) return(rule_cutoff_verdict(-value, -upper, -lower, settled, TRUE))
  if (value >= upper) "passes" else if (value < lower) "fails" else "cannot_tell"
}

# Whether the number of misspecified replicates that pass is so close to a limit that more
# replicates could change the kind of a cut-off: the interval of the proportion, two standard errors
# each way around the proportion that adds two successes and two failures (Agresti & Coull 1998),
# must not contain the proportion that is allowed.
rule_settled <- function(passing, replicates, allowed) {
  share <- (passing + 2) / (replicates + 4)
  half <- 2 * sqrt(share * (1 - share) / (replicates + 4))
  if (passing / replicates <= allowed) share + half <= allowed else share - half > allowed
}
