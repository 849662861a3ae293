# The rules on the quality of measures: from numbers and criteria to codes.

# "good", "acceptable" or "short" by two tiers; `down`: less is better.
rule_tier <- function(value, tiers, down = FALSE) {
  if (is.na(value)) return(NA_character_)
  if (down) {
    value <- -value
    tiers <- -tiers
  }
  if (value >= tiers[1L]) "good" else if (value >= tiers[2L]) "acceptable" else "short"
}

# A construct: "falls_short" when it does not meet a criterion (`short`: how many it does not meet),
# otherwise the lower of its tiers; NA when nothing could be judged.
rule_construct <- function(tiers, short) {
  if (short > 0L) return("falls_short")
  if (all(is.na(tiers))) return(NA_character_)
  if (any(tiers %in% "acceptable")) "acceptable" else "good"
}

# Codes of a score of all items, and of a score of the items of one part.
total_codes <- c("one_score", "mixture", "general_with_parts", "cannot_tell")
part_codes <- c("adds", "repeats", "adds_unreliable", "cannot_tell")

# A score of all items, by omega hierarchical and the limits of its interval: "one_score" when the
# lower limit is at least .80 (Rodriguez, Reise & Haviland 2016), "mixture" when the upper one is
# below .65, or omega is and the interval is short (Reise, Scheines, Widaman & Haviland 2013);
# "cannot_tell" when the interval reaches from .65 to .80.
rule_total_score <- function(omega_hierarchical, lower, upper) {
  if (anyNA(c(omega_hierarchical, lower, upper))) return("cannot_tell")
  if (lower <= 0.65 && upper >= 0.80) return("cannot_tell")
  if (lower >= 0.80) return("one_score")
  if (upper < 0.65 || (omega_hierarchical < 0.65 && upper - lower < 0.15)) return("mixture")
  "general_with_parts"
}

# A score of the items of one part, by the limits of its added value over the total (Haberman 2008)
# and by omega of the part with its lower limit: "adds" something of its own, "repeats" the total,
# adds something but too unreliably for single persons, or neither can be said.
rule_part_score <- function(added_lower, added_upper, omega, omega_lower) {
  if (anyNA(c(added_lower, added_upper, omega, omega_lower))) return("cannot_tell")
  if (added_upper < 0) return("repeats")
  if (added_lower <= 0) return("cannot_tell")
  if (omega_lower >= 0.70) return("adds")
  if (omega < 0.70) "adds_unreliable" else "cannot_tell"
}
