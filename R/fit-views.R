# The parts that every results function uses: groups, matrices, the joint model.

new_fit <- function(request, sample, layout, solution,
                    moments = sample_moments(sample, request$multiplier)) {
  stamped(structure(list(request = request, sample = sample, layout = layout, moments = moments,
                         solution = solution, cache = new.env(parent = emptyenv()),
                         version = package_version_text(), format = fit_format),
                    class = "orizzonte_fit"))
}

# A light fit at other values of the free parameters: enough for every results function.
fit_at <- function(fit, theta) {
  solution <- fit$solution
  solution$theta[] <- theta
  solution$proper <- FALSE
  solution$eta <- values_at(fit$layout, solution$theta)
  solution$known <- unname(solution$theta[fit$layout$model$used])
  new_fit(fit$request, fit$sample, fit$layout, solution, fit$moments)
}

# A light fit to resampled cases: expensive results that nobody reads are left out.
as_replicate <- function(fit) {
  fit$replicate <- TRUE
  fit
}

is_replicate <- function(fit) isTRUE(fit$replicate)

# Free parameters, less one for each equation among them.
n_free <- function(fit) length(fit$layout$parameters) - n_equations(fit$layout)

# The fit that provides likelihoods, scores and tests.
joint_fit <- function(fit) fit$joint %||% fit

# A list by group, also when there is one.
group_views <- function(fit) {
  lapply(stats::setNames(fit$layout$groups, fit$layout$groups), group_view, fit = fit)
}

group_view <- function(fit, group) {
  g <- match(group, fit$layout$groups)
  structure(list(group = group, number = g, fit = fit, layout = layout_of_group(fit$layout, g),
                 eta = values_of(fit)[fit$layout$spans[[g]]], moments = fit$moments[[g]],
                 sample = fit$sample$groups[[g]]), class = "orizzonte_view")
}

# One group by name; the first when none is named.
one_view <- function(fit, group = NULL) group_view(fit, chosen_group(fit$layout, group))

# The model matrices and implied moments of every group, all variables.
matrices_of <- function(fit) {
  cached(fit, "matrices", core_implied(whole_model(fit), values_of(fit)))
}

view_matrices <- function(view) view$matrices %||% matrices_of(view$fit)[[view$number]]

whole_model <- function(fit) cached(fit, "model", full_model(fit$layout))

# Tables of several views below each other.
bind_frames <- function(parts) {
  if (length(parts) == 1L) return(parts[[1L]])
  columns <-
    do.call(Map, c(list(c), unname(lapply(parts, function(part) unclass(json_rows(part))))))
  attributes(columns) <- list(names = names(columns))
  list_frame(columns)
}

# The layout of a model with the variables that its sample has.

# Combines blueprint and data. The request keeps the user's input; the layout has coded predictors.
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
