# The rules on what a fit holds: from numbers and criteria to codes.

# Codes that the column `verdict` of verdicts() can hold.
claim_codes <- c("supported", "contradicted", "not_supported", "cannot_tell", "not_judged")

# A claim of direction, by its one-sided p value; NA when it has no standard error.
rule_direction <- function(p_one_sided, level) {
  if (is.na(p_one_sided)) return("not_judged")
  if (p_one_sided < level) return("supported")
  if (1 - p_one_sided < level) "contradicted" else "not_supported"
}

# A claim that two sides differ, by the two-sided p value.
rule_difference_claim <- function(p, level) {
  if (is.na(p)) "not_judged" else if (p < level) "supported" else "not_supported"
}

# A claim of no difference: by two one-sided tests against a margin (`equivalent`, NA where there is
# no standardized value), then by the two-sided p value.
rule_equality_claim <- function(p, equivalent, level) {
  if (is.na(p)) return("not_judged")
  if (equivalent %in% TRUE) return("supported")
  if (p < level) "contradicted" else "cannot_tell"
}

# The equivalence test that a value is within a margin around zero: the larger of the p values of
# its two one-sided tests (Schuirmann 1987).
p_of_equivalence <- function(value, se, df, margin) {
  stats::pt((margin - abs(value)) / se, df, lower.tail = FALSE)
}

# A fit index against its two tiers: "good", "acceptable" or "poor"; NA when it is not known.
rule_index <- function(value, tiers, higher_is_better) {
  if (is.na(value)) return(NA_character_)
  meets <- if (higher_is_better) value >= tiers else value <= tiers
  if (meets[1L]) "good" else if (meets[2L]) "acceptable" else "poor"
}

# Several indices together: the worst of them; NA when none is known.
rule_worst_index <- function(verdicts) {
  c("poor", "acceptable", "good")[c("poor", "acceptable", "good") %in% verdicts][1L]
}

# TRUE if a fit is acceptable by the second tier of the criteria; NA without indices. Vectors.
rule_acceptable_fit <- function(cfi, rmsea, criteria) {
  cfi >= criteria$cfi[2L] & rmsea <= criteria$rmsea[2L]
}
