# The parts that every reader of a fit uses: groups, matrices, the joint model.

new_fit <- function(request, sample, layout, solution,
                    moments = sample_moments(sample, request$multiplier)) {
  stamped(structure(list(request = request, sample = sample, layout = layout, moments = moments,
                         solution = solution, cache = new.env(parent = emptyenv()),
                         version = package_version_text(), format = fit_format),
                    class = "orizzonte_fit"))
}

# A light fit at other values of the free parameters: enough for every reader.
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

# The fit that likelihoods, scores and tests are those of.
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

# Tables of views one below the other.
bind_frames <- function(parts) {
  if (length(parts) == 1L) return(parts[[1L]])
  columns <-
    do.call(Map, c(list(c), unname(lapply(parts, function(part) unclass(json_rows(part))))))
  attributes(columns) <- list(names = names(columns))
  list_frame(columns)
}
