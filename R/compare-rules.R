# The rules of comparisons of models: from numbers to codes.

# Codes that the column `closer` of a comparison can hold, about models that are not nested.
closer_codes <- c("this", "other", "neither", "cannot_tell")

# Which of two models is closer to the truth (Vuong 1989), by the statistic corrected for the number
# of parameters as in AIC: "this", "other", or "neither" when it is not significant. "cannot_tell"
# when the models cannot be distinguished, or when the statistic corrected as in BIC is significant
# the other way. NA without a test. Vectors.
rule_closer <- function(p_distinguishable, z_aic, p_aic, z_bic, p_bic, level) {
  against <- p_bic < level & sign(z_bic) == -sign(z_aic)
  code <- ifelse(p_distinguishable >= level | against, "cannot_tell",
                 ifelse(p_aic >= level, "neither", ifelse(z_aic > 0, "this", "other")))
  ifelse(is.na(p_distinguishable), NA_character_, code)
}
