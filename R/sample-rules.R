# The rules of screening: from numbers to whether something is said.

# Whether a variable is far from normal: skewness beyond 2 or excess kurtosis above 7 (West, Finch &
# Curran 1995). False when the skewness is not known.
rule_far_from_normal <- function(skew, kurtosis) {
  !is.na(skew) & (abs(skew) > 2 | kurtosis > 7)
}

# Whether Little's test is made: with more degrees of freedom than cases it has hardly any power,
# and its chi-square distribution is not reached.
rule_little <- function(df, n) df > 0 & df <= n

# Whether a value piles up: ten times at least, and significantly more often than the values beside
# it (`near`: their answers, over `width` values), at least three times as often.
rule_piled <- function(count, near, width) {
  if (width == 0L || count < 10L) return(FALSE)
  expected <- (near + 1) / width
  count >= 3 * expected && stats::ppois(count - 1, expected, lower.tail = FALSE) < 0.001
}

# Whether an item is keyed against the others of its construct: its correlation with their sum is
# negative, significant and not small.
rule_reverse_keyed <- function(correlation, n, level = 0.05, smallest = 0.20) {
  z <- atanh(pmin(pmax(correlation, -1 + 1e-12), 1 - 1e-12)) * sqrt(pmax(n - 3, 0))
  correlation <= -smallest & 2 * stats::pnorm(-abs(z)) < level
}
