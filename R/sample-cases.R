# What is known of single cases besides their answers: the cluster each comes from, and the weight
# it has.

few_clusters <- 50L         # fewer: errors from clusters are too small (Huang 2018 finds about 50)

# By row of the data: `cluster` (text) and `weight`, each only when asked for; checked where `rows`
# are used.
case_columns <- function(data, request, rows) {
  list(cluster = cluster_column(data, request), weight = weight_column(data, request, rows))
}

cluster_column <- function(data, request) {
  name <- request$clusters
  if (is.null(name)) return(NULL)
  check_named_column(name, data, "for `clusters`", "clusters")
  column <- plain_column(data[[name]])
  if (is.numeric(column) || is.character(request$missing_codes))
    column[is_code(column, request$missing_codes)] <- NA
  text <- as.character(column)
  text[!nzchar(trimws(text))] <- NA
  found <- unique(text[!is.na(text)])
  if (length(found) < 2L) {
    abort("data", c(text_of("column_holds_standard_errors", name = quoted(name),
                            found = count_of(length(found), "cluster"),
                            few_clusters = few_clusters),
                    i = text_of("leave_clusters_out_or")))
  }
  text
}

weight_column <- function(data, request, rows) {
  name <- request$weights
  if (is.null(name)) return(NULL)
  check_named_column(name, data, "for `weights`", "weights")
  weight <- plain_column(data[[name]])
  if (!is.numeric(weight))
    abort("data", c(text_of("column_cannot_hold_weights", name = quoted(name),
                            weight = describe(weight)),
                    i = text_of("weights_are_positive_numbers")))
  weight <- as.numeric(weight)
  if (length(request$missing_codes)) weight[is_code(weight, request$missing_codes)] <- NA
  bad <- intersect(which(is.na(weight) | !is.finite(weight) | weight <= 0), rows)
  if (length(bad)) {
    what <- if (is.na(weight[bad[1L]])) "missing" else if (weight[bad[1L]] == 0) "zero" else
      format(weight[bad[1L]])
    abort("data", c(text_of("weight_row_is", bad = bad[1L], what = what,
                            bad_2 = if (length(bad) > 1L) text_of("cannot_be_used",
                                bad = count_of(length(bad) - 1L, "other weight"))),
                    i = text_of("sampling_weights_are_positive")))
  }
  weight
}

# Rows without a cluster are left out of every group.
with_cluster <- function(rows, cases) {
  if (is.null(cases$cluster)) return(rows)
  lapply(rows, function(of_group) of_group[!is.na(cases$cluster[of_group])])
}

# A cluster within one group only: else the groups are not independent.
check_nested <- function(rows, cases, request) {
  if (is.null(cases$cluster) || length(rows) < 2L) return(invisible())
  owner <- rep(names(rows), lengths(rows))
  cluster <- cases$cluster[unlist(rows)]
  groups <- tapply(owner, cluster, function(g) unique(g), simplify = FALSE)
  across <- names(groups)[lengths(groups) > 1L]
  if (length(across) == 0L) return(invisible())
  abort("data", c(text_of("clusters_must_lie_within", across = count_of(length(across), "cluster"),
                          clusters = request$clusters,
                          across_2 = if (length(across) == 1L) " has" else " have"),
                  x = text_of("is_in", across = quoted(across[1L]),
                              across_2 = enumerate(groups[[across[1L]]])),
                  i = text_of("groups_share_clusters_are")))
}

# What the rows used say, for the group: clusters numbered from 1, weights.
case_parts <- function(cases, used) {
  list(cluster = if (!is.null(cases$cluster)) {
    text <- cases$cluster[used]
    match(text, unique(text))
  }, weight = if (!is.null(cases$weight)) cases$weight[used])
}

# Weights sum to the number of cases over all groups.
normalise_weights <- function(groups) {
  if (is.null(groups[[1L]]$weight)) return(groups)
  cases <- sum(vapply(groups, function(g) length(g$weight), 0L))
  by <- cases / sum(vapply(groups, function(g) sum(g$weight), 0))
  lapply(groups, function(g) {
    g$weight <- g$weight * by
    g$blocks[[1L]]$n <- g$blocks[[1L]]$n * by
    g$patterns <- if (!is.null(g$patterns)) lapply(g$patterns, function(pattern) {
      pattern$n <- pattern$n * by
      pattern
    })
    g
  })
}

# Mean and covariances (divisor the sum of the weights).
weighted_moments <- function(x, weight = NULL) {
  if (is.null(weight)) {
    mean <- colMeans(x)
    n <- nrow(x)
    return(list(n = n, covariance = crossprod(x - rep(mean, each = n)) / n, mean = mean))
  }
  n <- sum(weight)
  mean <- colSums(x * weight) / n
  off <- x - rep(mean, each = nrow(x))
  list(n = n, covariance = crossprod(off, off * weight) / n, mean = mean)
}

# The number of clusters over all groups; NA without clusters.
count_clusters <- function(sample) {
  if (is.null(sample$groups[[1L]]$cluster)) return(NA_integer_)
  sum(vapply(sample$groups, function(g) max(g$cluster), 0L))
}
