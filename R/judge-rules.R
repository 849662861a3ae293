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
