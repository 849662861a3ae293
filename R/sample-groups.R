# Groups: which rows belong to which group, and the moments of each.

check_group_column <- function(by, data) {
  check_string(by, "`by`")
  check_named_column(by, data, "to group by", "by")
}

# Too many values for groups: an identifier or a measurement rather than a grouping.
too_many_groups <- function(groups, rows) groups > 200L || groups > 50L && rows / groups < 20

# The levels of a grouping column in the requested order, with their displayed names: list(evening =
# rows, weekend = rows), and notes.
group_rows <- function(data, by, levels = NULL, missing_codes = NULL) {
  check_group_column(by, data)
  column <- plain_column(data[[by]])
  if (is.numeric(column) || is.character(missing_codes))
    column[is_code(column, missing_codes)] <- NA
  text <- as.character(column)
  known <- if (is.factor(column)) levels(droplevels(column)) else
    natural_order(unique(column[!is.na(column)]))
  if (is.null(levels) && too_many_groups(length(known), sum(!is.na(column)))) {
    abort("data",
          c(text_of("column_holds_different_values", by = quoted(by), known = length(known)),
            i = text_of("give_column_few_values")))
  }
  levels <- as_utf8(levels)
  labels <- value_labels(data[[by]], known)
  wanted <- if (is.null(levels)) stats::setNames(known, labels) else
    pick_levels(levels, known, by, labels)
  if (length(wanted) < 2L) {
    abort("data",
          c(text_of("least_two_are_needed",
                    levels = if (is.null(levels))
                      text_of("column_holds", by = quoted(by)) else text_of("levels_picks"),
                    wanted = count_of(length(wanted), "group")),
                    i = text_of("leave_out_one_group")))
  }
  rows <- lapply(wanted, function(level) which(text == level))
  left <- sum(!is.na(text)) - sum(lengths(rows))
  notes <- c(
    text_of("groups_by_with_rows", by = by,
            rows = enumerate(text_of("rows", wanted = names(wanted),
                                    rows = format_count(lengths(rows))),
                             most = 12L)),
    if (left > 0L) text_of("left_out_other_groups", left = count_of(left, "row"),
                           wanted = enumerate(labels[!known %in% wanted])))
  list(rows = rows, notes = notes, ungrouped = sum(is.na(text)))
}

# The labels of codes if the column has them, otherwise the codes.
value_labels <- function(column, known) {
  labels <- attr(column, "labels", exact = TRUE)
  if (is.null(names(labels))) return(known)
  label <- names(labels)[match(known, as.character(labels))]
  label[is.na(label) | !nzchar(label)] <- known[is.na(label) | !nzchar(label)]
  if (anyDuplicated(label)) known else label
}

# `levels` by their value, or by its label.
pick_levels <- function(levels, known, by, labels = known) {
  if (!is.atomic(levels) || length(levels) == 0L || anyNA(levels)) {
    abort("input",
          c(text_of("request_levels_odd"),
            i = text_of("such_levels_c_evening_evening")))
  }
  value <- as.character(levels)
  at <- ifelse(value %in% known, match(value, known), match(value, labels))
  if (anyNA(at)) {
    strange <- value[is.na(at)][1L]
    shown <- ifelse(known == labels, known, paste0(known, " (", labels, ")"))
    abort("name", c(text_of("no_such_group", strange = quoted(strange), by = by),
                    did_you_mean(strange, unique(c(known, labels))),
                    i = paste0("Groups: ", enumerate(shown, most = 20L), ".")))
  }
  label <- names(levels) %||% rep("", length(value))
  label[!nzchar(label)] <- labels[at][!nzchar(label)]
  if (anyDuplicated(at) || anyDuplicated(label))
    abort("duplicate", text_of("group_is_named_twice"))
  stats::setNames(known[at], label)
}

# Properties of single cases other than their answers: the cluster each comes from, and the weight
# it has.

few_clusters <- 50L         # fewer: errors from clusters are too small (Huang 2018 finds about 50)

# By row of the data: `cluster` (text) and `weight`, each only when requested; checked where `rows`
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

# Clusters with cases in several groups (girls and boys of the same classes) are also numbered over
# all groups (`shared`), and their number is kept.
with_shared_clusters <- function(groups, cases) {
  if (is.null(cases$cluster) || length(groups) < 2L) return(groups)
  text <- lapply(groups, function(group) cases$cluster[group$used])
  each <- lapply(text, unique)
  known <- unique(unlist(each, use.names = FALSE))
  if (length(known) == sum(lengths(each))) return(groups)
  Map(function(group, own) {
    group$shared <- match(own, known)
    group$shared_count <- length(known)
    group
  }, groups, text)
}

shares_clusters <- function(sample) !is.null(sample$groups[[1L]]$shared)

# Clusters (numbered from 1) and weights of the rows that are used in a group.
case_parts <- function(cases, used) {
  list(cluster = if (!is.null(cases$cluster)) {
    text <- cases$cluster[used]
    match(text, unique(text))
  }, weight = if (!is.null(cases$weight)) cases$weight[used])
}

# Weights sum to the number of cases of each group, or over all groups to that of the sample. A
# constant weight in a group then changes nothing, as with sampling within groups.
normalise_weights <- function(groups, scale = "groups") {
  if (is.null(groups[[1L]]$weight)) return(groups)
  cases <- vapply(groups, function(g) length(g$weight), 0L)
  sums <- vapply(groups, function(g) sum(g$weight), 0)
  by <- if (scale == "groups") cases / sums else rep(sum(cases) / sum(sums), length(groups))
  Map(function(g, by) {
    g$weight <- g$weight * by
    g$blocks[[1L]]$n <- g$blocks[[1L]]$n * by
    g$patterns <- if (!is.null(g$patterns)) lapply(g$patterns, function(pattern) {
      pattern$n <- pattern$n * by
      pattern
    })
    g
  }, groups, by)
}

# By group, the number of equally weighted cases with the same precision of a mean (Kish 1965); NULL
# without weights.
effective_cases <- function(sample) {
  if (!is_weighted(sample)) return(NULL)
  vapply(sample$groups, function(g) sum(g$weight)^2 / sum(g$weight^2), 0)
}

# Mean and covariances (divisor the sum of the weights) of a list of columns.
weighted_moments <- function(columns, weight = NULL) {
  cases <- length(columns[[1L]])
  n <- if (is.null(weight)) cases else sum(weight)
  mean <- vapply(columns, function(column) {
    if (is.null(weight)) .colMeans(column, cases, 1L) else sum(column * weight) / n
  }, 0)
  products <- sum_over_portions(cases, function(rows) {
    off <- bind_columns(Map(function(column, mean) column[rows] - mean, columns, mean),
                        length(rows))
    if (is.null(weight)) crossprod(off) else crossprod(off, off * weight[rows])
  })
  list(n = n, covariance = products / n, mean = mean)
}

# The sum of `of(rows)` over portions of rows, so that what is made of them is never in memory for
# all rows.
sum_over_portions <- function(cases, of) {
  total <- 0
  for (first in seq(1L, cases, by = rows_at_once))
    total <- total + of(first:min(cases, first + rows_at_once - 1L))
  total
}

rows_at_once <- 50000L

# The number of clusters by group (NULL without clusters), and over all groups (NA without).
clusters_by_group <- function(sample) {
  if (is.null(sample$groups[[1L]]$cluster)) return(NULL)
  vapply(sample$groups, function(g) max(g$cluster), 0L)
}

count_clusters <- function(sample) {
  if (is.null(sample$groups[[1L]]$cluster)) return(NA_integer_)
  sample$groups[[1L]]$shared_count %||% sum(clusters_by_group(sample))
}

# A group whose cases all come from one cluster has no standard errors.
check_clusters_of_groups <- function(groups, request) {
  if (is.null(request$clusters)) return(groups)
  alone <- names(groups)[vapply(groups, function(g) max(g$cluster), 0L) < 2L]
  if (length(alone) == 0L) return(groups)
  abort("data", c(text_of("group_is_one_cluster", groups = enumerate(alone), count = length(alone),
                          clusters = request$clusters),
                  i = text_of("leave_group_or_clusters")))
}

is_weighted <- function(sample) !is.null(sample$groups[[1L]]$weight)
