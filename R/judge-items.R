# What items do to their construct, by real refits: are their loadings equal, and what would go with
# each of them.

# Of each construct of observed items, in all groups at once.
equal_loadings <- function(fit, quality) {
  names <- unique(quality$table$construct)
  found <- lapply(names, function(name) {
    items <- reflected_items(fit, name)
    if (length(items) < 2L || any(items %in% fit$layout$constructs) || !has_converged(fit))
      return(NULL)
    test <- tryCatch(equal_loadings_test(fit, name, items), orizzonte_error = function(e) NULL)
    if (is.null(test) || is.na(test$p)) return(NULL)
    list(construct = name, chisq = test$chisq, df = as.integer(test$df), p = test$p)
  })
  found <- Filter(Negate(is.null), found)
  if (length(found) == 0L)
    return(list_frame(list(construct = character(), chisq = numeric(), df = integer(),
                           p = numeric())))
  bind_frames(lapply(found, list_frame))
}

# What a construct is reflected in, in any group.
reflected_items <- function(fit, name) {
  rows <- fit$layout$rows
  unique(rows$second[rows$kind == "loading" & rows$first == name])
}

# Raw loadings equal in size: those of items that load negatively are turned.
equal_loadings_test <- function(fit, name, items) {
  rows <- fit$layout$rows
  own <- rows$kind == "loading" & rows$first == name
  key <- vapply(items, function(item) sign(sum(values_of(fit)[own & rows$second == item])), 0)
  bp <- bare_trail(fit$request$blueprint)
  address <- function(item) address_format("loading", name, item)
  for (item in items[-1L]) {
    turned <- if (key[[item]] * key[[1L]] < 0) "-1 * "
    bp <- suppressMessages(add_restriction(bp, paste0(address(item), " == ", turned,
        address(items[1L]))))
  }
  request <- fit$request
  request$blueprint <- bp
  small <- fit_request(request, fit$sample, near = theta_of(fit), errors = FALSE)
  if (!has_converged(small)) return(NULL)
  difference_test(small, fit, adjusted = FALSE)
}

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
  parts <- each_told(items, function(item) item_left_out(fit, quality, item),
                     text_of("items_left_out"))
  parts <- Filter(Negate(is.null), parts)
  if (length(parts)) bind_frames(parts)
}

# One item left out everywhere: the rows of the constructs that it measures.
item_left_out <- function(fit, quality, item) {
  rows <- fit$layout$rows
  names <- unique(rows$first[rows$kind == "loading" & rows$second == item])
  before <- quality$table[quality$table$construct %in% names & quality$table$items > 1L, ]
  if (nrow(before) == 0L) return(NULL)
  other <- tryCatch(suppressWarnings(suppressMessages({
    bp <- leave_out(bare_trail(fit$request$blueprint), !!item)
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
    loadings <- item_loadings(view, before$construct[k])
    c(omega = omega_of(view, before$construct[k], loadings)$value,
      alpha = view_alpha(view, loadings$items, keys_of(loadings), errors = FALSE)$alpha,
      ave = ave_of(view, before$construct[k])$value)
  })
  get <- function(what) vapply(after, `[[`, 0, what)
  index <- indices_of(other)[c("cfi", "rmsea", "srmr")]
  list_frame(c(columns, list(
    omega = get("omega"), omega_change = get("omega") - before$omega, alpha = get("alpha"),
    alpha_change = get("alpha") - before$alpha, ave = get("ave"),
    ave_change = get("ave") - before$ave), lapply(as.list(index), rep_len, nrow(before)),
    list(status = rep(solution_state(other)$status, nrow(before)))))
}
