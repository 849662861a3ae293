# The rules on changes of a model: from numbers and criteria to codes.

# Codes that the column `verdict` of confirm() can hold.
confirmation_codes <- c("found_again", "same_sign", "other_sign", "not_known")

# A path or covariance, by the p value of the rise in chi-square without it; NA when the model
# without it cannot be fitted. A vector.
rule_needed <- function(p_rise, level) {
  ifelse(is.na(p_rise), NA_character_, ifelse(p_rise > level, "could_be_removed", "needed"))
}

# Parameters freed in one sample, estimated in another: significant with the same sign, or not.
# Vectors.
rule_found_again <- function(estimate, fresh, p_fresh, level) {
  same <- sign(estimate) == sign(fresh)
  code <- ifelse(!same, "other_sign",
                 ifelse(is.na(p_fresh), "not_known",
                        ifelse(p_fresh < level, "found_again", "same_sign")))
  ifelse(is.na(code), "not_known", code)
}
