# What a revision of the trail holds.

revision_texts <- c("change", "because", "status", "note")

revision_columns <- c("revision", "change", "because", "predicted_drop", "actual_drop", "n", "status", "chisq", "df", "p", "cfi", "tli", "rmsea", "srmr",
                      "aic", "bic", "note")

empty_revisions <- function() {
  stats::setNames(lapply(revision_columns, function(name) if (name %in% revision_texts) character() else numeric()), revision_columns)
}
