# What a revision of the trail is: a value. Its sentence is made when it is printed.

revision_texts <- c("because", "status", "note")
revision_columns <- c("revision", "changes", "because", "predicted_drop", "actual_drop", "n",
                      "status", "chisq", "df", "p", "cfi", "tli", "rmsea", "srmr", "aic",
                      "bic", "note")

empty_revisions <- function() {
  stats::setNames(lapply(revision_columns, function(name) {
    if (name == "changes") list() else if (name %in% revision_texts) character() else numeric()
  }), revision_columns)
}

# One change: `what` is done (free, fix, omit; outside when it was made beside amend()) to which
# address, equation or name; the value before and after where there is one.
change_words <- c("free", "fix", "omit", "outside")
change_of <- function(address, what, from = NA_real_, to = NA_real_) {
  stopifnot(what %in% change_words)
  list(what = what, address = address, from = from, to = to)
}

outside_change <- list(list(what = "outside", address = "", from = NA_real_, to = NA_real_))

change_sentence <- function(changes) {
  paste(vapply(changes, function(change) {
    if (change$what == "outside") return("changed outside amend()")
    paste(change$what, if (change$what == "omit") address_name(change$address) else change$address)
  }, ""), collapse = "; ")
}

# Addresses that a list of changes frees; how many revisions free something.
freed_addresses <- function(changes) {
  vapply(Filter(function(change) change$what == "free", changes), `[[`, "", "address")
}
count_freed <- function(revisions) {
  sum(vapply(revisions$changes, function(changes) length(freed_addresses(changes)) > 0L, NA))
}
