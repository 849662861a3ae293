# Constructs as scales: their items, keyed, and the variance of the keyed sum and of each item that
# they explain.

# The constructs that are judged, in one group, and those that are not, with the reason.
judged_constructs <- function(view) {
  rows <- view$layout$rows
  constructs <- view$layout$constructs
  reason <- vapply(constructs, function(name) {
    if (name %in% view$layout$composites) return("composite")
    own <- rows$kind == "loading" & rows$first == name
    if (!any(own)) return("unmeasured")
    if (any(rows$fixed[own] %in% 0)) return("growth")
    ""
  }, "")
  list(names = constructs[!nzchar(reason)], left = reason[nzchar(reason)])
}

# Loadings of a construct on the observed items below it, along loadings alone: those of a
# second-order construct are products (Schmid & Leiman 1957). list(items = numbers of variables,
# jet).
item_loadings <- function(view, name) {
  rows <- view$layout$rows
  variables <- c(view$layout$observed, view$layout$constructs)
  own <- which(rows$kind == "loading" & rows$first == name)
  span <- view$fit$layout$spans[[view$number]]
  loading <- scale_jet(view, "entry", span[own])
  parts <- lapply(seq_along(own), function(k) {
    below <- rows$second[own[k]]
    if (!below %in% view$layout$constructs)
      return(list(items = match(below, variables), jet = jet_at(loading, k)))
    part <- item_loadings(view, below)
    one <- jet_at(loading, rep(k, length(part$items)))
    list(items = part$items, jet = jet_times(part$jet, one))
  })
  items <- unlist(lapply(parts, `[[`, "items"))
  all <- bind_jets(lapply(parts, `[[`, "jet"))
  first <- unique(items)
  sums <- lapply(first, function(item) jet_sum(jet_at(all, which(items == item))))
  list(items = first, jet = bind_jets(sums))
}

# Values of one group with their derivatives: those that with_scale_jets() collected, else from the
# core.
scale_jet <- function(view, what, a, b = a) {
  at <- match(paste(what, a, b), view$jets$key)
  if (length(at) == 0L || anyNA(at)) return(derived_jet(view$fit, what, view$number, a, b))
  jet_at(view$jets$jet, at)
}

# Each call of the core computes the implied moments, so that one call gives all values for scales
# of ordinary length.
with_scale_jets <- function(view, names, longest = 30L) {
  rows <- view$layout$rows
  span <- view$fit$layout$spans[[view$number]]
  observed <- view$layout$observed
  asked <- lapply(names, function(name) {
    own <- which(rows$kind == "loading" & rows$first == name)
    items <- match(rows$second[own], observed)
    if (anyNA(items) || length(items) > longest) return(NULL)
    pair <- which(lower.tri(diag(length(items)), TRUE), arr.ind = TRUE)
    construct <- length(observed) + match(name, view$layout$constructs)
    list(what = rep(c("entry", "standardized", "covariance"),
                    c(length(own), length(own), nrow(pair) + 1L)),
         a = c(span[own], span[own], items[pair[, 1L]], construct),
         b = c(span[own], span[own], items[pair[, 2L]], construct))
  })
  column <- function(name) unlist(lapply(asked, `[[`, name))
  if (length(column("what")) == 0L) return(view)
  view$jets <- list(key = paste(column("what"), column("a"), column("b")),
                    jet = derived_jet(view$fit, column("what"), view$number, column("a"),
                                      column("b")))
  view
}

# Items are reversed so that they load positively.
keys_of <- function(loadings) ifelse(loadings$jet$value < 0, -1, 1)

# The variance of a keyed sum of observed variables, as the model implies it.
sum_variance <- function(view, items, key) {
  k <- length(items)
  pair <- which(lower.tri(diag(k), TRUE), arr.ind = TRUE)
  a <- pair[, 1L]
  b <- pair[, 2L]
  covariance <- scale_jet(view, "covariance", items[a], items[b])
  jet_sum(covariance, key[a] * key[b] * ifelse(a == b, 1, 2))
}

construct_variance <- function(view, name) {
  at <- length(view$layout$observed) + match(name, view$layout$constructs)
  scale_jet(view, "covariance", at)
}

# The proportion of the variance of the keyed sum of its items that the construct explains (McDonald
# 1999): (sum of loadings)^2 var(construct) / var(sum), residual covariances and other constructs in
# the denominator only (Raykov 2001).
omega_of <- function(view, name, loadings = item_loadings(view, name)) {
  key <- keys_of(loadings)
  explained <- jet_times(jet_square(jet_sum(loadings$jet, key)), construct_variance(view, name))
  jet_over(explained, sum_variance(view, loadings$items, key))
}

# Average variance extracted: the mean squared standardized loading of the items of its scale
# (Fornell & Larcker 1981). `left`: items that belong to another scale.
ave_of <- function(view, name, left = integer()) {
  rows <- view$layout$rows
  own <- which(rows$kind == "loading" & rows$first == name)
  kept <- !match(rows$second[own], view$layout$observed) %in% left
  if (any(kept)) own <- own[kept]
  span <- view$fit$layout$spans[[view$number]]
  standardized <- scale_jet(view, "standardized", span[own])
  jet_sum(jet_square(standardized), rep(1 / length(own), length(own)))
}

# Every pair of judged constructs of one group that could be one construct, with the jet of their
# correlations: not a construct with its own parts, and not pairs that the model keeps uncorrelated.
judged_pairs <- function(view, names) {
  none <- list(first = character(), second = character())
  if (length(names) < 2L) return(none)
  pairs <- utils::combn(names, 2L)
  rows <- view$layout$rows
  loading <- rows$kind == "loading"
  key <- pair_key(rows$first[loading], rows$second[loading])
  pairs <- pairs[, !pair_key(pairs[1L, ], pairs[2L, ]) %in% key, drop = FALSE]
  if (ncol(pairs) == 0L) return(none)
  at <- function(name) length(view$layout$observed) + match(name, view$layout$constructs)
  jet <- derived_jet(view$fit, "correlation", view$number, at(pairs[1L, ]), at(pairs[2L, ]))
  apart <- jet$value != 0 | rowSums(abs(jet$gradient)) > 0
  list(first = pairs[1L, apart], second = pairs[2L, apart], jet = jet_at(jet, apart))
}

# Precedes every result that is based on an improper solution.
status_caution <- function(status) {
  if (!status %in% c("proper", "at bound"))
    c(wrap_lines(text_of("caution_solution_is", status = status)), "")
}

# Coefficient alpha (Cronbach 1951) of keyed items, from the covariances of the cases (of the EM
# moments with missing values), its error without assuming normality.

# alpha = k/(k - 1) (1 - t/v), t = tr S, v = 1'S1.
alpha_value <- function(s) {
  k <- ncol(s)
  if (k < 2L || anyNA(s)) return(NA_real_)
  k / (k - 1) * (1 - sum(diag(s)) / sum(s))
}

# Derivatives by the entries of S, each for itself.
alpha_gradient <- function(s) {
  k <- ncol(s)
  v <- sum(s)
  k / (k - 1) * (matrix(sum(diag(s)) / v^2, k, k) - diag(1 / v, k))
}

# Alpha of one group with its standard error, and alpha of standardized items (without a standard
# error of its own, since it is the same quantity in other units).
view_alpha <- function(view, items, key, errors = TRUE) {
  s <- observed_moments(view)$covariance[items, items, drop = FALSE] * outer(key, key)
  value <- alpha_value(s)
  standardized <- if (is.na(value)) NA_real_ else alpha_value(stats::cov2cor(s))
  se <- if (errors && !is.na(value)) alpha_error(view, items, key, s) else NA_real_
  list(alpha = value, se = se, standardized = standardized)
}

alpha_error <- function(view, items, key, s) {
  gradient <- alpha_gradient(s)
  if (length(view$moments$patterns)) return(alpha_error_incomplete(view, items, key, gradient))
  if (has_raw_data(view$fit$sample)) return(alpha_error_cases(view, items, key, s, gradient))
  # normal theory (van Zyl, Neudecker & Nel 2000)
  sqrt(2 * sum((gradient %*% s) * t(gradient %*% s)) / view$moments$n)
}

# From the influence of each case, x'Gx - tr(GS): sums over clusters where there are any (Maydeu-
# Olivares, Coffman & Hartmann 2007).
alpha_error_cases <- function(view, items, key, s, gradient) {
  cases <- core_cases(view$fit)[[view$number]]
  x <- cases$values[, items, drop = FALSE] * rep(key, each = nrow(cases$values))
  weight <- cases$weight %||% rep(1, nrow(x))
  x <- x - rep(colSums(x * weight) / sum(weight), each = nrow(x))
  each <- weight * (rowSums((x %*% gradient) * x) - sum(gradient * s)) / sum(weight)
  error_of_sums(each, cases$cluster)
}

# With missing values: the gradient through the inverse information of the saturated moments,
# combined with the saturated scores of each case (Yuan & Bentler 2000).
alpha_error_incomplete <- function(view, items, key, gradient) {
  whole <- group_view(joint_fit(view$fit), view$group)       # includes auxiliary variables
  own <- match(view$layout$observed[items], whole$layout$observed)
  narrow <- length(whole$layout$observed) <= most_saturated
  moments <- if (narrow) whole$moments else moments_of_items(whole$moments, own)
  known <- if (narrow) saturated_information(whole$fit)[[whole$number]] else
    information_of_items(moments)
  if (!isTRUE(known$admissible)) return(NA_real_)
  at <- if (narrow) own else seq_along(own)
  p <- ncol(moments$covariance)
  full <- matrix(0, p, p)
  full[at, at] <- gradient * outer(key, key)
  coordinates <- seen_coordinates(moments, p)
  # each covariance occurs twice in the matrix
  g <- c((2 * full - diag(diag(full), p))[coordinates], numeric(p))
  direction <- drop(known$inverse %*% g)
  if (!has_raw_data(view$fit$sample)) return(sqrt(sum(g * direction)))
  cases <- core_cases(whole$fit)[[whole$number]]
  x <- if (narrow) cases$values else cases$values[, own, drop = FALSE]
  along <- matrix(0, p, p)
  along[coordinates] <- direction[seq_along(coordinates)]
  along <- along + t(along) - diag(diag(along), p)
  each <- saturated_scores(x, moments, along, utils::tail(direction, p))
  error_of_sums(each * (cases$weight %||% 1), cases$cluster)
}

# With more variables than this, only the items enter the standard error: the contribution of other
# variables to their missing values is part of alpha, but not of its standard error.
most_saturated <- 40L

moments_of_items <- function(moments, own) {
  patterns <- lapply(moments$patterns, function(pattern) {
    keep <- which(pattern$variables %in% own)
    part <- part_of_block(pattern, keep)
    part$variables <- match(part$variables, own)
    part
  })
  patterns <- Filter(function(pattern) length(pattern$variables) > 0L, patterns)
  inside <- moments$unseen[, 1L] %in% own & moments$unseen[, 2L] %in% own
  list(n = sum(vapply(patterns, `[[`, 0, "n")), mean = moments$mean[own],
       covariance = moments$covariance[own, own, drop = FALSE], patterns = patterns,
       unseen = matrix(match(moments$unseen[inside, ], own), ncol = 2L))
}

information_of_items <- function(moments) {
  size <- as.character(seq_along(moments$mean))
  core <- independent_core(list(list(observed = size, endogenous = size)), character(), TRUE, TRUE)
  core_saturated_information(core, list(moments))[[1L]]
}

# The saturated moments as coordinates, in the order of the core: lower triangle by columns, without
# pairs that no case has observed together.
seen_coordinates <- function(moments, p) {
  seen <- matrix(TRUE, p, p)
  unseen <- moments$unseen
  if (NROW(unseen)) seen[unseen] <- seen[unseen[, 2:1, drop = FALSE]] <- FALSE
  which(lower.tri(seen, TRUE) & seen)
}

# The score of each case by the saturated moments times a direction: (w'Hw - tr(HW))/2 + h'w, w =
# W(x - mean), W the inverse covariance of the observed variables.
saturated_scores <- function(x, moments, along, mean_along) {
  out <- numeric(nrow(x))
  for (rows in rows_by_pattern(x)) {
    v <- which(!is.na(x[rows[1L], ]))
    if (length(v) == 0L) next
    inverse <- solve_in_units(moments$covariance[v, v, drop = FALSE], diag(length(v)))
    w <- (x[rows, v, drop = FALSE] - rep(moments$mean[v], each = length(rows))) %*% inverse
    own <- along[v, v, drop = FALSE]
    out[rows] <- (rowSums((w %*% own) * w) - sum(own * inverse)) / 2 + drop(w %*% mean_along[v])
  }
  out
}

# The standard error of a sum over cases: over clusters, where there are any, times C/(C - 1).
error_of_sums <- function(each, cluster) {
  if (is.null(cluster)) return(sqrt(sum(each^2)))
  sums <- rowsum(each, cluster)
  sqrt(sum(sums^2) * length(sums) / (length(sums) - 1))
}

# Bonett's (2002) interval, on the scale of log(1 - alpha).
alpha_interval <- function(alpha, se, level, df = Inf) {
  half <- stats::qt((1 + level) / 2, df) * se / (1 - alpha)
  list(lower = 1 - (1 - alpha) * exp(half), upper = 1 - (1 - alpha) * exp(-half))
}

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
