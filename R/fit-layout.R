# The layout of a model with the variables that its sample has.

# Blueprint and data brought together. The request keeps what the user wrote; the layout has coded
# predictors.
specified_layout <- function(request, sample) {
  bp <- coded_blueprint(request, sample)
  check_left_out(sample, names(bp$left_out))
  if (length(sample$auxiliary) && !sample$joint) sample <- without_auxiliary(sample)
  stated_layout(bp, has_means(sample), unname(group_variables(sample)), names(sample$groups),
                sample$grouped)
}

coded_blueprint <- function(request, sample) code_blueprint(request$blueprint, sample$coding)

unconstrained_layout <- function(request, sample, stated = specified_layout(request, sample)) {
  bp <- coded_blueprint(request, sample)
  covariance <- pooled_covariance(sample)
  stated$auxiliary <- sample$auxiliary
  layout <- finish_layout(stated, bp, sqrt(diag(covariance)),
                          is_incomplete(sample) || shares_clusters(sample),
                          unseen_by_group(sample))
  layout$notes <- layout_notes(layout, covariance)
  check_quantities(layout, bp)
  check_claims(layout, bp)
  layout
}

# The sample of the model's variables alone.
without_auxiliary <- function(sample) {
  gone <- sample$auxiliary
  sample$groups <- lapply(sample$groups, function(group) {
    block <- group$blocks[[1L]]
    keep <- which(!block$variables %in% gone)
    group$blocks <- list(part_of_block(block, keep))
    group$patterns <- lapply(group$patterns, function(pattern) {
      part_of_block(pattern, which(!pattern$variables %in% gone))
    })
    inside <- group$unseen[, 1L] %in% keep & group$unseen[, 2L] %in% keep
    group$unseen <- matrix(match(group$unseen[inside, ], keep), ncol = 2L)
    group$missing <- group$missing[!names(group$missing) %in% gone]
    group
  })
  sample$with_auxiliary <- gone
  sample$auxiliary <- character()
  sample$joint <- FALSE
  sample
}
