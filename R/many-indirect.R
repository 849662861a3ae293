# Intervals and power of indirect effects from the distribution of products (MacKinnon, Lockwood &
# Williams 2004; Schoemann, Boulton & Short 2017): an indirect effect is no more normal than any
# product.

product_draws <- 1000L

# Every indirect effect among the variables that are more than items, in every group: `parameter`
# and, by route, the rows of the parameter table whose product it adds. None with feedback.
indirect_effects <- function(layout) {
  unlist(lapply(seq_along(layout$groups), function(g) {
    part <- layout_of_group(layout, g)
    all <- c(part$observed, part$constructs)
    if (any(diag(reachable(part, length(all))))) return(NULL)
    arrows <- part$rows$kind %in% arrow_kinds
    pairs <- effect_pairs(part, all, items = FALSE)
    found <- lapply(seq_len(nrow(pairs)), function(k) {
      routes <- simple_routes(part, arrows, pairs$from[k], pairs$to[k])
      if (length(routes) == 0L) return(NULL)
      list(parameter = address_format("indirect", all[pairs$from[k]], all[pairs$to[k]],
                                      shown_group(layout, layout$groups[g])),
           group = layout$groups[g],
           routes = lapply(routes, function(steps) layout$spans[[g]][steps]))
    })
    Filter(Negate(is.null), found)
  }), recursive = FALSE)
}

# The sum of products of the columns of `entries` (draws x rows of the table, named by row).
sum_of_products <- function(routes, entries) {
  Reduce(`+`, lapply(routes, function(steps) {
    Reduce(`*`, lapply(as.character(steps), function(step) entries[[step]]))
  }))
}

# Values and covariances of the entries on the routes.
entries_of <- function(effect, fit, vcov = vcov_of(fit)) {
  rows <- unique(unlist(effect$routes))
  map <- map_matrix(fit$layout)[rows, , drop = FALSE]
  list(rows = rows, value = values_of(fit)[rows], vcov = map %*% vcov %*% t(map))
}

# Draws around values with these covariances: a list by row.
drawn_entries <- function(entries, z) {
  root <- lower_root_or_zero(entries$vcov)
  moved <- entries$value + root %*% z[seq_along(entries$rows), , drop = FALSE]
  stats::setNames(lapply(seq_along(entries$rows), function(k) moved[k, ]),
                  as.character(entries$rows))
}

# A root of a covariance matrix that may have empty rows (fixed entries).
lower_root_or_zero <- function(matrix) {
  moving <- diag(matrix) > 0
  out <- matrix * 0
  if (any(moving)) out[moving, moving] <- lower_root(matrix[moving, moving, drop = FALSE])
  out
}

# Estimate and limits of each indirect effect of a fit.
indirect_limits <- function(fit, effects, significance) {
  vcov <- vcov_of(fit)
  most <- max(1L, lengths(lapply(effects, function(one) unique(unlist(one$routes)))))
  z <- with_seed(1L, matrix(stats::rnorm(most * product_draws), most))
  lapply(effects, function(effect) {
    entries <- entries_of(effect, fit, vcov)
    at <- stats::setNames(as.list(entries$value), as.character(entries$rows))
    drawn <- sum_of_products(effect$routes, drawn_entries(entries, z))
    limits <- if (anyNA(drawn)) c(NA_real_, NA_real_) else
      stats::quantile(drawn, c(significance / 2, 1 - significance / 2), names = FALSE)
    list(estimate = sum_of_products(effect$routes, at), se = stats::sd(drawn),
         lower = limits[1L], upper = limits[2L])
  })
}

power_replicates <- 1000L
power_inner <- 4000L

# The share of estimates, drawn with the covariances that a fit has at n cases, whose interval for
# the indirect effect excludes zero. The draws are the same for every n.
indirect_power <- function(test, n, significance) {
  entries <- test$entries
  scale <- sqrt(test$n / n)
  root <- scale * lower_root_or_zero(entries$vcov)
  size <- length(entries$rows)
  estimates <- entries$value + root %*% test$outer[seq_len(size), , drop = FALSE]
  around <- root %*% test$inner[seq_len(size), , drop = FALSE]
  drawn <- lapply(seq_len(size), function(k) outer(estimates[k, ], around[k, ], `+`))
  names(drawn) <- entries$rows
  products <- sum_of_products(test$routes, drawn)
  above <- rowMeans(products > 0)
  mean(above <= significance / 2 | above >= 1 - significance / 2)
}

# Normal draws (rows: variables) with exact means, variances and covariances, which takes most of
# the noise out of shares.
whitened_draws <- function(size, draws) {
  z <- matrix(stats::rnorm(size * draws), size)
  z <- z - rowMeans(z)
  forwardsolve(lower_root(tcrossprod(z) / draws), z)
}

# The test of an indirect effect by its interval, for power_of().
indirect_test <- function(fit, text) {
  known <- indirect_effects(fit$layout)
  names <- vapply(known, `[[`, "", "parameter")
  at <- match(text, names)
  if (is.na(at))
    abort("address", c(text_of("no_indirect_effect", parameter = text),
                       did_you_mean(text, names),
                       i = if (length(names)) text_of("indirect_effects_are",
                                                      names = enumerate(names, most = 8L))))
  entries <- entries_of(known[[at]], fit)
  draws <- with_seed(1L, list(
    outer = whitened_draws(length(entries$rows), power_replicates),
    inner = whitened_draws(length(entries$rows), power_inner)))
  c(list(label = text, df = NA_integer_, routes = known[[at]]$routes, entries = entries,
         n = sample_n(fit$sample), product = TRUE, words = text_of("power_of_products")), draws)
}
