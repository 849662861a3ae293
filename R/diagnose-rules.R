# The rules on changes of a model: from numbers and criteria to codes.

# Codes that the column `verdict` of confirm() can hold.
confirmation_codes <- c("found_again", "too_small", "same_sign", "not_found_before", "other_sign",
                        "not_known")

# Codes that the column `verdict` of amendments() can hold.
amendment_codes <- c("stands_out", "within_chance", "negligible", "cannot_tell")

# A row of amendments, from its own p value adjusted for all rows that were tested, the size of the
# expected change and the power of the test (Saris, Satorra & van der Veld 2009). Vectors. A
# significant change is only set aside when it is known to be small; a change that is not
# significant is within chance only when the test could have detected one that matters.
rule_amendment <- function(p_adjusted, p, large, powerful, level) {
  small <- powerful %in% TRUE & large %in% FALSE
  code <- ifelse(p_adjusted <= level, ifelse(small, "negligible", "stands_out"),
                 ifelse(p <= level & small, "negligible",
                        ifelse(powerful %in% TRUE, "within_chance", "cannot_tell")))
  ifelse(is.na(code), "cannot_tell", code)
}

# What a candidate would do to a quantity that a conclusion rests on: "matters" when it would cross
# the boundary of a hypothesis, or move by at least half a standard error and possibly (`limit`: the
# end of the interval of the movement) by the smallest size that matters; "harmless" when it cannot
# reach that size; else "open". `unit`: standard deviations per raw unit; without one half a
# standard
# error stands for the smallest size.
rule_move <- function(movement, limit, crosses, se, unit, smallest) {
  if (anyNA(c(movement, limit))) return("open")
  if (crosses) return("matters")
  large <- if (is.na(unit)) limit >= 0.5 * se else limit * unit >= smallest
  if (!large) return("harmless")
  if (abs(movement) >= 0.5 * se) "matters" else "open"
}

# Multivariate kurtosis other than the normal one, and heavy tails, by Mardia's test at .01: with
# heavy tails tests under normality reject too often.
rule_kurtosis <- function(kurtosis_z) isTRUE(abs(kurtosis_z) > kurtosis_limit)
rule_heavy_tails <- function(kurtosis_z) isTRUE(kurtosis_z > kurtosis_limit)
kurtosis_limit <- 2.58

# A path or covariance, by the p value of the rise in chi-square without it; NA when the model
# without it cannot be fitted. A vector.
rule_needed <- function(p_rise, level) {
  ifelse(is.na(p_rise), NA_character_, ifelse(p_rise > level, "could_be_removed", "needed"))
}

# Parameters freed in one sample, estimated in another. A parameter is found again if it is
# significant in both samples (in the fresh one after adjustment for the number of parameters), with
# the same sign, and not small there: `size` is the standardized estimate (NA where there is none).
# Vectors.
rule_found_again <- function(estimate, p, fresh, p_fresh, size, level, smallest) {
  length <- max(lengths(list(estimate, p, fresh, p_fresh, size)))
  estimate <- rep_len(estimate, length)
  p <- rep_len(p, length)
  fresh <- rep_len(fresh, length)
  p_fresh <- rep_len(p_fresh, length)
  size <- rep_len(size, length)
  same <- sign(estimate) == sign(fresh)
  code <- ifelse(!same, "other_sign",
                 ifelse(is.na(p) | is.na(p_fresh), "not_known",
                        ifelse(p >= level, "not_found_before",
                               ifelse(p_fresh >= level, "same_sign",
                                      ifelse(abs(size) < smallest & !is.na(size), "too_small",
                                             "found_again")))))
  ifelse(is.na(code), "not_known", code)
}

# Which remedies for a model in trouble are recommended: proper ones (or at a bound) that do not fit
# significantly worse than the model as written (`p_change`); where the data differ and nothing can
# be compared (NA), those whose exact fit is not rejected (NA without degrees of freedom) or whose
# fit is acceptable. Vectors.
rule_remedy <- function(status, p_exact, p_change, acceptable, level) {
  usable <- status %in% c("proper", "at bound")
  fits <- is.na(p_exact) | p_exact >= level | acceptable %in% TRUE
  usable & ifelse(is.na(p_change), fits, p_change >= level)
}
