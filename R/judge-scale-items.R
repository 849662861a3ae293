# Which items a scale consists of. An item that reflects several constructs is counted once: in the
# scale of the construct on which its standardized loading is largest.

# For one group: list(left = by construct, the observed items (numbers) that load on it but belong
# to another scale; crossing = by item, its own construct and the others). General constructs and
# their parts share all their items by design.
crossing_items <- function(view, names) {
  parts <- specific_parts(view, names)
  names <- setdiff(names, c(names(parts), parts))
  rows <- view$layout$rows
  own <- which(rows$kind == "loading" & rows$first %in% names &
                 rows$second %in% view$layout$observed & !rows$fixed %in% 0)
  size <- abs(standardized_of(view$fit)$value[view$fit$layout$spans[[view$number]][own]])
  several <- unique(rows$second[own][duplicated(rows$second[own])])
  best <- vapply(several, function(item) {
    at <- which(rows$second[own] == item)
    rows$first[own][at[which.max(size[at])]]
  }, "")
  others <- lapply(several, function(item) {
    setdiff(rows$first[own][rows$second[own] == item], best[[item]])
  })
  left <- lapply(stats::setNames(nm = names), function(name) {
    match(several[vapply(others, function(x) name %in% x, NA)], view$layout$observed)
  })
  list(left = left, crossing = list(item = several, construct = unname(best),
                                    others = vapply(others, paste, "", collapse = ", "),
                                    group = rep(view$group, length(several))))
}

# Loadings without some items (numbers of observed variables).
loadings_without <- function(loadings, left) {
  keep <- !loadings$items %in% left
  if (all(keep) || !any(keep)) return(loadings)
  list(items = loadings$items[keep], jet = jet_at(loadings$jet, keep))
}

# The indicators of a construct in any group.
reflected_items <- function(fit, name) {
  rows <- fit$layout$rows
  unique(rows$second[rows$kind == "loading" & rows$first == name])
}

# --- is alpha a reliability? --------------------------------------------------------------------

# The essentially tau-equivalent model of each scale by itself: equal loadings and uncorrelated
# errors, under which alpha is the reliability (Lord & Novick 1968; Jöreskog 1971). Its test of
# exact fit, one for each scale of observed items over all groups.
tau_equivalent <- function(fit, quality) {
  found <- lapply(unique(quality$table$construct), function(name) {
    items <- quality$scales[[name]]
    if (length(items) < 3L || !has_converged(fit)) return(NULL)
    test <- tryCatch(tau_equivalent_test(fit, items, quality$keys[[name]]),
                     orizzonte_error = function(e) NULL)
    if (is.null(test) || is.na(test$p)) return(NULL)
    list(construct = name, chisq = test$chisq, df = as.integer(test$df), p = test$p)
  })
  found <- Filter(Negate(is.null), found)
  if (length(found) == 0L)
    return(list_frame(list(construct = character(), chisq = numeric(), df = integer(),
                           p = numeric())))
  bind_frames(lapply(found, list_frame))
}

# Equal loadings are loadings of 1 (-1 for reversed items) with a free variance of the construct.
tau_equivalent_test <- function(fit, items, key) {
  name <- utils::tail(make.unique(c(items, "Scale")), 1L)
  values <- ifelse(key == key[1L], 1, -1)
  bp <- add_construct(blueprint("Scale"), name, items, values, NULL, "reflective")
  small <- suppressWarnings(suppressMessages(refit_quietly(fit, list(blueprint = bp),
                                                          errors = FALSE)))
  if (!has_converged(small)) return(NULL)
  exact_test(small)
}

# --- are two constructs one? --------------------------------------------------------------------

# Pairs whose correlation is above .8: the model in which the two are one construct, so that their
# correlation is 1 and their relations to all other constructs are the same, against the fit
# (without a bound on the correlation an ordinary chi-square difference). NA where that model is not
# nested or cannot be fitted.
as_one_construct <- function(fit, pairs) {
  size <- NROW(pairs)
  out <- list(one_chisq = rep(NA_real_, size), one_df = rep(NA_integer_, size),
              one_p = rep(NA_real_, size))
  if (size == 0L || !has_converged(fit)) return(out)
  close <- which(abs(pairs$correlation) > 0.8)
  key <- paste(pairs$first, pairs$second, sep = "\r")
  for (pair in unique(key[close])) {
    at <- which(key == pair)
    test <- tryCatch(one_construct_test(fit, pairs$first[at[1L]], pairs$second[at[1L]]),
                     orizzonte_error = function(e) NULL)
    if (is.null(test)) next
    out$one_chisq[at] <- test$chisq
    out$one_df[at] <- as.integer(test$df)
    out$one_p[at] <- test$p
  }
  out
}

one_construct_test <- function(fit, first, second) {
  bp <- merged_blueprint(without_trail(fit$request$blueprint), first, second)
  small <- suppressWarnings(suppressMessages(refit_quietly(fit, list(blueprint = bp),
                                                          errors = FALSE)))
  if (!has_converged(small) || test_of(small)$df <= test_of(fit)$df || !is_nested(small, fit))
    return(NULL)
  difference_test(small, fit, adjusted = FALSE)
}

# The second construct's items and relations become those of the first; statements about single
# parameters of either have no counterpart and end the attempt.
merged_blueprint <- function(bp, first, second) {
  one <- bp$constructs[[first]]
  other <- bp$constructs[[second]]
  if (one$kind != "reflective" || other$kind != "reflective" || length(one$fixed) ||
      length(other$fixed))
    abort("input", text_of("constructs_cannot_be_merged"))
  one$items <- union(one$items, other$items)
  bp$constructs[[first]] <- one
  bp$constructs[[second]] <- NULL
  rename <- function(x) ifelse(x == second, first, x)
  for (name in names(bp$constructs)) bp$constructs[[name]]$items <-
    unique(rename(bp$constructs[[name]]$items))
  ends <- lapply(bp$effects[c("from", "to")], rename)
  keep <- ends$from != ends$to & !duplicated(paste(ends$from, ends$to, sep = "\r"))
  bp$effects <- lapply(utils::modifyList(bp$effects, ends), function(x) x[keep])
  bp$claims <- bp$quantities <- character()
  pairs <- function(ends) {
    ends <- lapply(ends, rename)
    keep <- ends$first != ends$second & !duplicated(pair_key(ends$first, ends$second))
    lapply(ends, function(x) x[keep])
  }
  bp$covary <- pairs(bp$covary)
  bp$uncorrelate <- pairs(bp$uncorrelate)
  bp
}

# Measures after single items are deleted, each from a refit.

# Omega, alpha, AVE and fit after single items are deleted.
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
  parts <- map_with_progress(items, function(item) {
    cached(fit, paste("without", item), item_left_out(fit, quality, item))
  }, text_of("items_left_out"))
  parts <- Filter(Negate(is.null), parts)
  if (length(parts)) bind_frames(parts)
}

# One item deleted everywhere: the rows of the constructs that it measures.
item_left_out <- function(fit, quality, item) {
  rows <- fit$layout$rows
  # an item matters for the scale that it belongs to
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
