# The trail of the amended model: the start's blueprint, and the revisions.
add_revision <- function(fit, amended, changes, because, predicted) {
  trail <- fit$request$blueprint$trail
  if (length(trail) == 0L) {
    trail <- list(start = bare_blueprint(fit$request$blueprint), revisions = revision_of(fit, 0))
  } else if (!last_is(trail$revisions, fit)) {
    trail$revisions <- Map(c, trail$revisions, outside_revision(fit, trail$revisions))
  }
  left <- setdiff(fit$layout$observed, amended$layout$observed)
  note <- not_comparable(fit, amended, left)
  actual <- if (nzchar(note)) NA_real_ else drop_between(fit, amended)
  number <- max(trail$revisions$revision) + 1
  trail$revisions <- Map(c, trail$revisions,
                         revision_of(amended, number, changes, because, predicted, actual, note))
  trail
}

not_comparable <- function(fit, amended, left) {
  rows <- sample_n(amended$sample) - sample_n(fit$sample)
  if (length(left)) {
    return(text_of("not_comparable_left", left = enumerate(left),
                   rows = if (rows > 0) text_of("became_complete", rows = count_of(rows, "row"))))
  }
  if (rows != 0) text_of("not_comparable_n_was", sample = sample_n(fit$sample)) else ""
}

# What the start needs to be fitted again; wordings, quantities and claims stay with the current
# model.
bare_blueprint <- function(bp) {
  bp$trail <- list()
  bp$wording <- bp$quantities <- bp$claims <- character()
  attr(bp, "hints") <- NULL
  bp
}
