# One group of a fit, for readers that look at one group at a time: its rows, values and moments.

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
view_matrices <- function(view) matrices_of(view$fit)[[view$number]]

whole_model <- function(fit) cached(fit, "model", full_model(fit$layout))

# Tables of views one below the other.
bind_frames <- function(parts) {
  if (length(parts) == 1L) return(parts[[1L]])
  columns <-
    do.call(Map, c(list(c), unname(lapply(parts, function(part) unclass(json_rows(part))))))
  attributes(columns) <- list(names = names(columns))
  list_frame(columns)
}

# Were two fits made of the same cases, as far as their moments tell?
same_rows <- function(a, b) {
  if (sample_n(a$sample) != sample_n(b$sample) || !identical(a$layout$groups, b$layout$groups))
    return(FALSE)
  all(mapply(function(x, y, one, other) {
    if (!setequal(x$observed, y$observed)) return(FALSE)
    at <- match(x$observed, y$observed)
    same <- all.equal(unname(one$covariance), unname(other$covariance[at, at]), tolerance = 1e-8)
    isTRUE(same)
  }, a$layout$parts, b$layout$parts, a$moments, b$moments))
}
