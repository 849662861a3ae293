# The rules of a ladder: from numbers and criteria to the codes of its rungs, steps and single
# equalities.

# Codes that the column `verdict` of a ladder can contain, in addition to NA where nothing is
# judged.
ladder_codes <- c("fits", "fits_poorly", "holds", "holds_in_part", "holds_small_differences",
                  "doubtful", "fails", "differs", "differs_negligibly", "cannot_tell",
                  "nothing_to_hold", "not_tested", "not_converged", "improper")

# Codes on which a further rung may stand, and those on which the next structural step may.
sound_codes <- c("fits", "holds", "holds_in_part", "holds_small_differences", "nothing_to_hold")
step_codes <- c("holds", "differs_negligibly")

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
# `differing`: whether a single equality is likely to differ; `powerful`: whether a difference that
# matters would have been detected (rule_powerful()); `released`: whether some equalities are
# released.
rule_rung <- function(broken, rejected, differing, improper = FALSE, powerful = TRUE,
                      released = FALSE) {
  if (improper) return("improper")
  if ("cfi" %in% broken && length(broken) > 1L) return("fails")
  if (length(broken) || differing) return("doubtful")
  if (!rejected && !powerful) return("cannot_tell")
  if (released) return("holds_in_part")
  if (rejected) "holds_small_differences" else "holds"
}

# Whether the equalities of a rung could have been rejected: `power`, by group, is the median power
# of its single equalities there against three times the smallest difference that matters. With more
# than two groups two of them must have it; what holds is then said of those alone.
rule_powerful <- function(power, criteria) {
  sum(power >= criteria$power, na.rm = TRUE) >= min(2L, length(power))
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

# The rung below, not sound, that the judgement of a rung or step takes for granted: its number, or
# NA. `previous`: the number of the rung below each one.
rule_foundation <- function(codes, previous) {
  vapply(seq_along(codes), function(k) {
    if (!codes[k] %in% founded_codes) return(NA_integer_)
    below <- previous[k]
    while (!is.na(below) && codes[below] %in% c(sound_codes, step_codes)) below <- previous[below]
    as.integer(below)
  }, 0L)
}
founded_codes <- c("holds", "holds_in_part", "holds_small_differences", "differs",
                   "differs_negligibly", "cannot_tell")
