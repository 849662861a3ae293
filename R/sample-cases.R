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
    abort("data", c(paste0("Column ", quoted(name), " holds ", count_of(length(found), "cluster"),
                           "; standard errors by cluster need at least two, and are to be trusted ",
                           "from about ", few_clusters, " on."),
                    i = "Leave `clusters` out, or name another column."))
  }
  text
}

weight_column <- function(data, request, rows) {
  name <- request$weights
  if (is.null(name)) return(NULL)
  check_named_column(name, data, "for `weights`", "weights")
  weight <- plain_column(data[[name]])
  if (!is.numeric(weight))
    abort("data", c(paste0("Column ", quoted(name), " cannot hold weights: it is ",
                           describe(weight), "."), i = "Weights are positive numbers."))
  weight <- as.numeric(weight)
  if (length(request$missing_codes)) weight[is_code(weight, request$missing_codes)] <- NA
  bad <- intersect(which(is.na(weight) | !is.finite(weight) | weight <= 0), rows)
  if (length(bad)) {
    what <- if (is.na(weight[bad[1L]])) "missing" else if (weight[bad[1L]] == 0) "zero" else
      format(weight[bad[1L]])
    abort("data", c(paste0("The weight in row ", bad[1L], " is ", what,
                           if (length(bad) > 1L)
                             paste0(" (and ", count_of(length(bad) - 1L, "other weight"),
                                    " cannot be used)"), "."),
                    i = paste0("Sampling weights are positive: give one to every case, or take ",
                               "the rows out of the data first.")))
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
  abort("data", c(paste0("Clusters must lie within groups: ",
                         count_of(length(across), "cluster"), " of ", request$clusters,
                         if (length(across) == 1L) " has" else " have",
                         " cases in several groups."),
                  x = paste0(quoted(across[1L]), " is in ", enumerate(groups[[across[1L]]]), "."),
                  i = paste0("Groups that share clusters are not independent. Group by a column ",
                             "that does not cut through clusters, or leave `clusters` out.")))
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
