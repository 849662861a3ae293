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

# Were two fits made of the same cases, as far as their moments tell? Else what differs, in words.
same_rows <- function(a, b) is.null(rows_apart(a, b))

rows_apart <- function(a, b) {
  if (!setequal(a$layout$groups, b$layout$groups)) return(text_of("to_different_groups"))
  if (a$request$incomplete != b$request$incomplete &&
      (is_incomplete(a$sample) || is_incomplete(b$sample)))
    return(text_of("incomplete_rows_one_case"))
  order <- match(a$layout$groups, b$layout$groups)
  n <- cases_by_group(a$sample)
  other <- cases_by_group(b$sample)[order]
  if (any(n != other)) {
    where <- if (sum(n) == sum(other)) in_group(a$layout, names(n)[n != other][1L]) else ""
    at <- if (nzchar(where)) which(n != other)[1L] else seq_along(n)
    return(text_of("different_rows_n", at = sum(n[at]), at_2 = sum(other[at]), where = where))
  }
  found <- Map(moments_apart, a$layout$parts, b$layout$parts[order], a$moments, b$moments[order])
  found <- Filter(Negate(is.null), unname(found))
  if (length(found)) return(found[[1L]])
  if (any(order != seq_along(order))) text_of("groups_another_order")
}

# `one`, `other`: the moments of the same variables.
moments_apart <- function(part, other_part, one, other) {
  if (!setequal(part$observed, other_part$observed)) return(text_of("to_different_variables"))
  at <- match(part$observed, other_part$observed)
  s <- unname(one$covariance)
  t <- unname(other$covariance[at, at])
  ratio <- sqrt(diag(s) / diag(t))
  near <- function(x, y) max(abs(x - y)) < 1e-8
  if (!near(stats::cov2cor(s), stats::cov2cor(t))) {
    return(text_of("different_rows_n_both", value = one$n))
  }
  moved <- abs(ratio - 1) > 1e-8
  if (any(moved)) return(text_of("different_units", moved = enumerate(part$observed[moved])))
  if (is.null(one$mean) || is.null(other$mean)) return(NULL)
  shifted <- abs(one$mean - other$mean[at]) > 1e-8 * pmax(sqrt(diag(s)), abs(one$mean))
  if (any(shifted)) {
    text_of("other_means_centred_one", shifted = enumerate(part$observed[shifted]))
  }
}
