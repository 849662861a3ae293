# The rules of screening: from numbers to whether something is said.

# Whether a variable is far from normal: skewness beyond 2 or excess kurtosis above 7 (West, Finch &
# Curran 1995). False when the skewness is not known.
rule_far_from_normal <- function(skew, kurtosis) {
  !is.na(skew) & (abs(skew) > 2 | kurtosis > 7)
}
