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

# A score of all items, by omega hierarchical, explained common variance and the percentage of
# uncontaminated correlations (Reise, Scheines, Widaman & Haviland 2013; Rodriguez, Reise & Haviland
# 2016): "one_score", "general_with_parts" or "mixture".
rule_total_score <- function(omega_hierarchical, common, uncontaminated) {
  if (is.na(omega_hierarchical)) return("cannot_tell")
  if (omega_hierarchical >= 0.80) return("one_score")
  enough <- omega_hierarchical >= 0.65 || (common > 0.60 && uncontaminated > 0.70)
  if (enough %in% TRUE) "general_with_parts" else "mixture"
}

# A score of the items of one specific factor, by the share of its variance that is its own.
rule_part_score <- function(omega_hierarchical) {
  if (is.na(omega_hierarchical)) return("cannot_tell")
  if (omega_hierarchical >= 0.50) "adds" else "repeats"
}
