# The rules of a ladder: from numbers and criteria to the codes of its rungs, steps and single
# equalities.

# Codes that the column `verdict` of a ladder can contain, in addition to NA where nothing is
# judged.
ladder_codes <- c("fits", "fits_poorly", "holds", "holds_small_differences", "doubtful", "fails",
                  "differs", "differs_negligibly", "cannot_tell", "nothing_to_hold", "not_tested",
                  "not_converged", "improper")

# Codes on which a further rung may stand, and those on which the next structural step may.
sound_codes <- c("fits", "holds", "holds_small_differences", "nothing_to_hold")
step_codes <- c("holds", "differs_negligibly")

# TRUE if a fit is acceptable by the second tier of the criteria; NA without indices.
rule_acceptable_fit <- function(cfi, rmsea, criteria) {
  cfi >= criteria$cfi[2L] && rmsea <= criteria$rmsea[2L]
}

# The first rung, which is compared with no other one.
rule_first_rung <- function(converged, improper, cfi, rmsea, criteria) {
  if (!converged) return("not_converged")
  if (improper) return("improper")
  acceptable <- rule_acceptable_fit(cfi, rmsea, criteria)
  if (is.na(acceptable)) NA_character_ else if (acceptable) "fits" else "fits_poorly"
}

# The code of a rung or step that cannot be judged by its test; NULL when the test decides.
rule_testable <- function(converged, converged_before, df) {
  if (!converged) return("not_converged")
  if (!converged_before) return("not_tested")
  if (df == 0) "nothing_to_hold"
}

# A rung against the one below it. `broken`: the criteria of change that are broken, of "cfi",
# "rmsea", "srmr" and "p"; `rejected`: whether the difference in chi-square is significant;
# `differing`: whether a single equality is likely to differ.
rule_rung <- function(broken, rejected, differing, improper = FALSE) {
  if (improper) return("improper")
  if ("cfi" %in% broken && length(broken) > 1L) return("fails")
  if (length(broken) || differing) return("doubtful")
  if (rejected) "holds_small_differences" else "holds"
}

# A structural step, by the p value of the difference and by the largest standardized difference.
rule_step <- function(p, largest, criteria, improper = FALSE) {
  if (improper) return("improper")
  small <- largest < criteria$smallest
  if (p < criteria$significance) return(if (small) "differs_negligibly" else "differs")
  if (small) "holds" else "cannot_tell"
}

# Single equalities, by the Holm-adjusted p value, the expected change and the power of each. A
# significant difference has been detected, so that only its size is in question.
rule_equality <- function(p_holm, change, power, criteria) {
  significant <- p_holm < criteria$significance
  code <- rule_change(significant, abs(change) >= criteria$smallest,
                      significant | power >= criteria$power)
  unname(c(misspecified = "differs", negligible = "differs_negligibly", not_misspecified = "holds",
           cannot_tell = "cannot_tell")[code])
}

# The rung that a code which says that something holds rests on although it is not sound: its
# number, or NA. `previous`: the number of the rung below each one.
rule_foundation <- function(codes, previous) {
  vapply(seq_along(codes), function(k) {
    if (!codes[k] %in% c("holds", "holds_small_differences")) return(NA_integer_)
    below <- previous[k]
    while (!is.na(below) && codes[below] %in% sound_codes) below <- previous[below]
    as.integer(below)
  }, 0L)
}
