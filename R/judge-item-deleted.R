# Measures after single items are deleted, each from a refit.

# Omega, alpha, AVE and fit when single items are gone.
items_left_out <- function(fit, quality, which) {
  if (which == "none" || !has_converged(fit)) return(NULL)
  table <- quality$table
  weak <- quality$loadings$construct[abs(quality$loadings$standardized) <
                                       quality$criteria$loading[2L]]
  weak <- setdiff(weak, names(quality$parts_of))
  short <- table$verdict %in% "falls_short" | table$construct %in% weak
  names <- unique(table$construct[which == "all" | short])
  items <- unique(unlist(lapply(names, reflected_items, fit = fit)))
  items <- setdiff(items, fit$layout$constructs)
  parts <- map_with_progress(items, function(item) item_left_out(fit, quality, item),
                     text_of("items_left_out"))
  parts <- Filter(Negate(is.null), parts)
  if (length(parts)) bind_frames(parts)
}

# One item left out everywhere: the rows of the constructs that it measures.
item_left_out <- function(fit, quality, item) {
  rows <- fit$layout$rows
  # an item matters to the scale that it belongs to
  names <- unique(rows$first[rows$kind == "loading" & rows$second == item])
  own <- quality$crossing$construct[match(item, quality$crossing$item)]
  if (length(own) && !is.na(own)) names <- own
  before <- quality$table[quality$table$construct %in% names & quality$table$items > 1L, ]
  if (nrow(before) == 0L) return(NULL)
  other <- tryCatch(suppressWarnings(suppressMessages({
    bp <- leave_out(without_trail(fit$request$blueprint), !!item)
    refit_quietly(fit, list(blueprint = bp))
  })), orizzonte_error = function(e) NULL)
  columns <- list(item = rep(item, nrow(before)), construct = before$construct,
                  group = before$group)
  none <- rep(NA_real_, nrow(before))
  if (is.null(other) || !has_values(other)) {
    return(list_frame(c(columns, list(
      omega = none, omega_change = none, alpha = none, alpha_change = none, ave = none,
      ave_change = none, cfi = none, rmsea = none, srmr = none,
      status = rep(if (is.null(other)) "not identified" else "not converged", nrow(before))))))
  }
  views <- group_views(other)
  after <- lapply(seq_len(nrow(before)), function(k) {
    group <- before$group[k]
    view <- views[[if (is.na(group)) 1L else group]]
    left <- crossing_items(view, judged_constructs(view)$names)$left[[before$construct[k]]]
    loadings <- loadings_without(item_loadings(view, before$construct[k]), left)
    c(omega = omega_of(view, before$construct[k], loadings)$value,
      alpha = view_alpha(view, loadings$items, keys_of(loadings), errors = FALSE)$alpha,
      ave = ave_of(view, before$construct[k], left)$value)
  })
  get <- function(what) vapply(after, `[[`, 0, what)
  index <- indices_of(other)[c("cfi", "rmsea", "srmr")]
  list_frame(c(columns, list(
    omega = get("omega"), omega_change = get("omega") - before$omega, alpha = get("alpha"),
    alpha_change = get("alpha") - before$alpha, ave = get("ave"),
    ave_change = get("ave") - before$ave), lapply(as.list(index), rep_len, nrow(before)),
    list(status = rep(solution_state(other)$status, nrow(before)))))
}
