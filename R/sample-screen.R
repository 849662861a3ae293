#' Screen the data before modelling
#'
#' Checks every column, and the columns together, for problems that would spoil a later analysis:
#' codes read as data, identifiers, constant or duplicated columns, sums among their own items,
#' reverse-keyed items, skew, outlying rows, patterns of missing values. The print ends with a list
#' of recommendations, the most serious problem first. Nothing is changed in the data.
#'
#' @section Formulas:
#' Skew is \eqn{m_3 / m_2^{3/2}} and kurtosis \eqn{m_4 / m_2^2 - 3}; beyond 2 and
#' 7 they are worth a look (West, Finch & Curran 1995). Multivariate skewness
#' \eqn{b_{1p}} and kurtosis \eqn{b_{2p}} with their tests follow Mardia (1970).
#' Outlying rows have a squared Mahalanobis distance whose \eqn{\chi^2_p}
#' probability is below .001. The variance inflation of a column is
#' \eqn{1/(1 - R^2)} of its regression on the others.
#' Little's (1988) test compares the means of the missing-data patterns with those that
#' full-information maximum likelihood estimates:
#' \eqn{\sum_k n_k d_k' \tilde\Sigma_{oo}^{-1} d_k} with
#' \eqn{\tilde\Sigma = n \hat\Sigma / (n - 1)}, df = \eqn{\sum p_k - p}, groups summed. It is not
#' made with more degrees of freedom than cases, where it has hardly any power. Which columns of the
#' data predict missing values is tested by the score test of a logistic regression on each,
#' adjusted for all of them (Holm 1979); those outside the model are candidates for `auxiliary`. The
#' intraclass correlation comes from one-way analysis of variance, the design effect is 1 + (mean
#' cluster size - 1) times it.
#'
#' @param data A data frame. Columns of labelled statistics files are
#'   understood: their labels are item texts, their own missing codes are honoured.
#' @param variables A [blueprint()] (its observed variables, keying checked
#'   within its constructs) or names of columns, bare or as text; all columns
#'   when missing.
#' @param by The name of a grouping column: its groups are counted, and their complete rows.
#' @param clusters The name of the column that identifies clusters, such as classes.
#' @param missing_codes Numbers or texts that mean "missing", such as `c(-9, 999)` or `"n/a"`.
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object of class `orizzonte_screen`: a list with `rows`,
#'   `complete` (rows without missing values), `columns`
#'   (a data frame: `variable`, `type`, `n`, `missing`, `distinct`, `min`, `max`,
#'   `mean`, `sd`, `skew`, `kurtosis`, `inflation`, `note`), `groups`,
#'   `patterns` (of missing values), `missing` (`NULL` without missing values; otherwise a list with
#'   `cells` and `rows`, proportions; `coverage`, the proportion of rows in which both variables of
#'   a pair are observed; `by_group`: `variable`, `group`, `missing`, `share`; `predictors`, which
#'   columns predict missing values: `variable`, `predictor`, `statistic`, `df`, `p`, `p_adjusted`,
#'   `odds_ratio`; `test`: `statistic`, `df`, `p`, `patterns`, `NULL` when it is not made),
#'   `clusters` (`variable`, `clusters`, `icc`, `design_effect`, `p`), `normality` (Mardia; the
#'   skewness is NA when rows times cubed columns exceed 2e9), `outliers` (`row`, `distance`, `p`)
#'   and `advice` (`kind`, `columns`, `advice`). `as.data.frame()` gives `columns`; `plot()` draws
#'   them.
#' @section Errors: `orizzonte_error_name` for unknown columns (the nearest is
#'   given), `orizzonte_error_data` when there is nothing to screen.
#' @references
#' Little, R. J. A. (1988). A test of missing completely at random for multivariate data with
#' missing values. *Journal of the American Statistical Association, 83*(404), 1198--1202.
#'
#' Mardia, K. V. (1970). Measures of multivariate skewness and kurtosis with applications.
#' *Biometrika, 57*(3), 519--530.
#'
#' West, S. G., Finch, J. F., & Curran, P. J. (1995). Structural equation models with nonnormal
#' variables. In R. H. Hoyle (Ed.), *Structural equation modeling: Concepts, issues, and
#' applications* (pp. 56--75). Sage.
#' @seealso [fit_model()], whose `missing_codes` declare the codes found here.
#' @examples
#' screen_data(choirs_troubled)
#' screen_data(choirs, be1:be4, by = setting)
#' @export
screen_data <- function(data, variables = NULL, by = NULL, missing_codes = NULL, clusters = NULL,
                        ...) {
  check_arguments("screen_data")
  if (is.matrix(data)) data <- as.data.frame(data)
  if (!is.data.frame(data))
    abort("data", c(text_of("screen_data_needs_data"),
                    x = text_of("it_is_of_kind", value = describe(data)),
                    i = if (inherits(data, "orizzonte_blueprint")) text_of("data_come_first") else
                      read_file_hint(data)))
  if (nrow(data) == 0L || ncol(data) == 0L) abort("data", text_of("data_have_no_rows_or"))
  data <- plain_columns(data)
  check_columns(data)
  check_missing_codes(missing_codes)
  chosen <- screened_variables(rlang::enquo(variables), data)
  by <- capture_names(rlang::enquo(by), "by")$names
  if (length(by) > 1L)
    abort("input",
          c(text_of("must_be_one_column"), x = text_of("it_is_of_kind", value = enumerate(by))))
  if (length(by)) check_group_column(by, data)
  clusters <- captured_column(rlang::enquo(clusters), "`clusters`")
  screen_columns(data, chosen$names, chosen$blueprint, by, missing_codes, clusters)
}

# A bare symbol that is not a column but holds a blueprint is that blueprint.
screened_variables <- function(quosure, data) {
  expression <- rlang::quo_get_expr(quosure)
  if (is.null(expression)) return(list(names = names(data)))
  column <- is.symbol(expression) && as.character(expression) %in% names(data)
  value <- if (!column) tryCatch(rlang::eval_tidy(quosure), error = function(e) NULL)
  if (inherits(value, "orizzonte_blueprint")) {
    variables <- blueprint_variables(value)$observed
    check_known(variables, names(data), value)
    return(list(names = variables, blueprint = value))
  }
  names <- capture_names(quosure, "variables")$names
  check_known(names, names(data), NULL)
  list(names = names)
}

check_screened <- function(data, names) {
  unnamed <- which(is.na(names) | !nzchar(names))
  if (length(unnamed) == 0L) return(check_no_lists(data, names))
  abort("data", c(text_of("column_data_has_no", unnamed = unnamed[1L]),
                  i = text_of("files_written_row_names"),
                  i = text_of("covariance_matrix_row_names")))
}

screen_columns <- function(data, names, bp, by, missing_codes, clusters = NULL) {
  cluster <- cluster_column(data, list(clusters = clusters, missing_codes = missing_codes))
  names <- setdiff(names, clusters)
  check_screened(data, names)
  raw <- lapply(stats::setNames(names, names), function(name) {
    without_text_codes(plain_column(data[[name]]), missing_codes)
  })
  types <- screened_types(data, raw)
  codes <- lapply(raw, function(x) setdiff(suspicious_codes(x), missing_codes))
  advice <- c(code_advice(names, raw, codes), pile_advice(raw, codes))
  # statistics are computed without the outlying codes, so that one -9 does not hide the rest
  clean <- lapply(raw, without_codes, missing_codes = missing_codes)
  known <- vapply(names, function(name) sum(!is.na(clean[[name]] %||% raw[[name]])), 0L)
  numeric <- names[!vapply(clean, is.null, NA) & known > 0L]
  moment <- function(f) {
    vapply(names, function(name) {
      if (name %in% numeric) f(clean[[name]][!is.na(clean[[name]])]) else
      NA_real_
    }, 0)
  }
  distinct <- vapply(c(clean[numeric], raw[setdiff(names, numeric)])[names], function(v) {
    length(unique(stats::na.omit(v)))
  }, 0L)
  advice <- c(advice, content_advice(names, known, distinct))
  varying <- setdiff(numeric, names[distinct <= 1L])
  measured <-
    setdiff(varying,
            unlist(lapply(Filter(function(a) a$kind == "identifier", advice), `[[`, "columns")))
  values <- unlist(lapply(clean[measured], finite_scale), use.names = FALSE)
  x <- matrix(as.numeric(values), nrow(data), length(measured), dimnames = list(NULL, measured))
  together <- screen_together(x)
  advice <- c(advice, together_advice(together), keying_advice(bp, x))
  skew <- moment(skewness_of)
  kurtosis <- moment(kurtosis_of)
  bent <- names[rule_far_from_normal(skew, kurtosis) & names %in% measured]
  advice <- c(advice, tail_advice(bent, together$outliers, nrow(data)),
              text_advice(names[types == "text" & known > 0L], raw, known))
  groups <- group_sizes(data, by, x)
  if (length(groups$advice)) advice <- c(advice, advise("groups", by, groups$advice))
  group <- if (length(by)) as.character(plain_column(data[[by]]))
  others <- setdiff(names(data), c(colnames(x), by, clusters, names))
  missing <- screen_missing(x[, !colnames(x) %in% by, drop = FALSE], group,
                            other_columns(data, others))
  outside <- setdiff(predicted_missing(missing$predictors), names)
  if (length(outside))
    advice <- c(advice, advise("auxiliary", outside, text_of(
      "predictors_advice", predictors = enumerate(outside, most = 6L),
      instruction = auxiliary_instruction(outside))))
  clustered <- screen_clusters(x, cluster)
  advice <- c(advice, cluster_advice(clustered, clusters))
  inflation <- together$inflation[names]
  columns <- list_frame(list(
    variable = names, type = unname(types), n = unname(known), missing = nrow(data) - unname(known),
    distinct = unname(distinct), min = unname(moment(min)), max = unname(moment(max)),
    mean = unname(moment(mean)), sd = unname(moment(stats::sd)),
    skew = unname(skew), kurtosis = unname(kurtosis), inflation = unname(inflation),
    note = column_notes(names, advice)))
  structure(list(
    rows = nrow(data), blueprint = !is.null(bp),
    complete = sum(complete_rows(c(clean[numeric], raw[setdiff(names, numeric)]))),
    columns = columns, by = by, groups = groups$table, patterns = missing_patterns(clean[numeric]),
    missing = missing, clusters = clustered, cluster_column = clusters,
    normality = together$normality, outliers = together$outliers, codes = codes,
    data = lapply(raw[numeric], function(v) replace(as.numeric(v), is_code(v, missing_codes), NA)),
    advice = advice_table(advice)), class = "orizzonte_screen")
}

auxiliary_instruction <- function(columns) {
  named <- address_name(columns)
  instruction("use_auxiliary", columns = quoted(paste(columns, collapse = "; ")),
              r_columns = if (length(columns) > 1L) paste0("c(", paste(named, collapse = ", "), ")")
              else named)
}

# Which rows have a value in every column; a data frame would turn the names into symbols, which
# causes warnings about letters that the locale lacks.
complete_rows <- function(columns) {
  Reduce(`&`, lapply(columns, function(column) !is.na(column)), TRUE)
}

# The type of each column, ignoring text codes.
screened_types <- function(data, raw) {
  vapply(names(raw), function(name) {
    text_codes <- is.numeric(raw[[name]]) && !is.numeric(plain_column(data[[name]]))
    column_type(if (text_codes) raw[[name]] else data[[name]])
  }, "")
}

cluster_advice <- function(clustered, name) {
  if (NROW(clustered) == 0L) return(NULL)
  count <- max(clustered$clusters)
  # none by chance: Holm's adjustment over all items
  strong <- clustered$variable[which(stats::p.adjust(clustered$p, "holm") < 0.05)]
  c(if (count < few_clusters)
      advise("clusters", name, text_of("too_few_clusters", count = count, clusters = name,
                                       enough = few_clusters)),
    if (length(strong))
      advise("clusters", strong,
             text_of("answers_depend_on_cluster", clusters = name,
                     items = enumerate(strong, most = 6L),
                     instruction = instruction("use_clusters", address = address_name(name),
                                               column = name))))
}

half_complete <- 0.5  # share of complete rows below which a group is remarked upon

skewness_of <- function(v) standardized_moment(v, 3)
kurtosis_of <- function(v) standardized_moment(v, 4) - 3

standardized_moment <- function(v, power) {
  v <- stats::na.omit(finite_scale(v))
  d <- v - mean(v)
  if (isTRUE(mean(d^2) > 0)) mean(d^power) / mean(d^2)^(power / 2) else NA_real_
}

# Duplicates, linear dependence, inflation, Mardia and outliers among numeric columns, on complete
# rows.
screen_together <- function(x) {
  out <- list(duplicates = list(), dependent = list(), inflation = numeric(), normality = NULL,
              outliers = list_frame(list(row = integer(), distance = numeric(), p = numeric())))
  if (ncol(x) < 2L) return(out)
  complete <- which(rowSums(is.na(x)) == 0)
  varies <- function(v) length(v) > 1L && isTRUE(stats::var(v) > 0)
  x <- x[, apply(x[complete, , drop = FALSE], 2L, varies), drop = FALSE]
  p <- ncol(x)
  if (p < 2L || length(complete) < 3L) return(out)
  pairwise <- suppressWarnings(stats::cor(x, use = "pairwise.complete.obs"))
  close <- which(abs(pairwise) > 0.95 & lower.tri(pairwise), arr.ind = TRUE)
  for (i in seq_len(nrow(close))) {
    pair <- colnames(x)[sort(close[i, ])]
    same <- isTRUE(all(x[, pair[1L]] == x[, pair[2L]], na.rm = TRUE))
    out$duplicates <- c(out$duplicates,
                        list(list(columns = pair, r = pairwise[pair[1L], pair[2L]], exact = same)))
  }
  if (length(complete) <= p) return(out)
  x <- x[complete, , drop = FALSE]
  r <- stats::cor(x)
  if (anyNA(r)) return(out)
  kept <- colnames(x)
  repeat {
    decomposed <- eigen(r[kept, kept, drop = FALSE], symmetric = TRUE)
    if (min(decomposed$values) > 1e-6 || length(kept) < 3L) break
    weight <- decomposed$vectors[, length(kept)]
    involved <- kept[abs(weight) > 0.02]
    leader <- kept[which.max(abs(weight) * apply(x[, kept, drop = FALSE], 2L, stats::sd))]
    pair <- any(vapply(out$duplicates, function(d) setequal(d$columns, involved), NA))
    if (!pair) {
      others <- setdiff(involved, leader)
      slope <- stats::lm.fit(cbind(1, x[, others, drop = FALSE]), x[, leader])$coefficients[-1L]
      # numbers too large for the computer leave the slopes unknown
      leader_is_sum <- isTRUE(all(abs(slope - slope[1L]) < 0.05 * abs(slope[1L])))
      out$dependent <- c(out$dependent, list(list(
        columns = involved, leader = leader,
        text = if (leader_is_sum) {
          text_of("is_of", leader = leader,
                  slope = text_of(if (abs(slope[1L] - 1) < 0.05) "the_sum" else
                                    "multiple_of_the_sum"),
                  others = enumerate(others, most = 12L))
        } else {
          text_of("can_be_computed_from", leader = leader, others = enumerate(others, most = 12L))
        })))
    }
    kept <- setdiff(kept, if (pair) involved[2L] else leader)
  }
  out$inflation <- stats::setNames(rep(Inf, ncol(x)), colnames(x))
  inside <- r[kept, kept, drop = FALSE]
  if (length(kept) > 1L) out$inflation[kept] <- variance_inflation(inside)
  for (name in setdiff(colnames(x), kept)) out$inflation[name] <- Inf
  found <- distances_and_normality(x[, kept, drop = FALSE], complete)
  out[names(found)] <- found
  out
}

# Mardia's measures and outlying rows, of columns that are not linearly dependent.
distances_and_normality <- function(x, complete) {
  out <- list()
  n <- nrow(x)
  k <- ncol(x)
  centred <- scale(x, scale = FALSE)
  root <- tryCatch(chol(crossprod(centred) / n), error = function(e) NULL)
  if (is.null(root)) return(out)
  whitened <- centred %*% backsolve(root, diag(k))
  squared <- rowSums(whitened^2)
  skewness <- multivariate_skewness(whitened)
  peak <- mean(squared^2)
  chisq <- n * skewness / 6
  df <- k * (k + 1) * (k + 2) / 6
  z <- (peak - k * (k + 2)) / sqrt(8 * k * (k + 2) / n)
  out$normality <- list_frame(list(measure = c("skewness", "kurtosis"), value = c(skewness, peak),
                                   expected = c(0, k * (k + 2)), statistic = c(chisq, z),
                                   p = c(stats::pchisq(chisq, df, lower.tail = FALSE),
                                         2 * stats::pnorm(-abs(z)))))
  distance <- squared * (n - 1) / n
  p_value <- stats::pchisq(distance, k, lower.tail = FALSE)
  far <- which(p_value < 0.001)
  far <- far[order(-distance[far])]
  out$outliers <-
    list_frame(list(row = complete[far], distance = unname(distance[far]),
                    p = unname(p_value[far])))
  out
}

# Mardia's b1p is the mean cube of all pairs of rows, which is the sum of squared third moments of
# whitened columns: k^3 n multiplications instead of n^2 k. NA where even that would take minutes.
multivariate_skewness <- function(whitened) {
  n <- nrow(whitened)
  if (as.numeric(n) * ncol(whitened)^3 > 2e9) return(NA_real_)
  sum(vapply(seq_len(ncol(whitened)),
             function(j) sum((crossprod(whitened, whitened * whitened[, j]) / n)^2), 0))
}

missing_patterns <- function(columns) {
  if (length(columns) == 0L) return(list_frame(list(missing = character(), rows = integer())))
  missing <- matrix(unlist(lapply(columns, is.na)), ncol = length(columns))
  key <- apply(missing, 1L, function(row) paste(names(columns)[row], collapse = ", "))
  count <- sort(table(key), decreasing = TRUE)
  variables <- lapply(match(names(count), key), function(k) names(columns)[missing[k, ]])
  structure(list_frame(list(missing = names(count), rows = as.integer(count))),
            variables = variables)
}

# Rows of each group, and the number of them without missing values in the measured variables
# (columns of `m`).
group_sizes <- function(data, by, m) {
  if (length(by) == 0L) return(list())
  variables <- ncol(m)
  x <- data[[by]]
  labels <- attr(x, "labels", exact = TRUE)
  value <- plain_column(x)
  shown <- if (length(labels)) ifelse(value %in% labels, names(labels)[match(value, labels)],
                                      as.character(value)) else as.character(value)
  group <- if (is.factor(value)) intersect(levels(value), shown) else
    natural_order(unique(shown[!is.na(shown)]))
  if (anyNA(shown)) group <- c(group, NA)
  at <- match(shown, group)
  count <- tabulate(at, length(group))
  whole <- tabulate(at[stats::complete.cases(m)], length(group))
  group[is.na(group)] <- "(missing)"
  small <- whole <= variables
  few <- !small & whole < half_complete * count
  advice <- if (too_many_groups(length(group), length(value))) {
    text_of("has_values_is_grouping", by = by, group = length(group))
  } else if (any(small)) {
    text_of("too_few_complete_rows", variables = variables,
            small = enumerate(paste0(group[small], " (", whole[small], ")")))
  } else if (any(few)) {
    text_of("most_rows_miss_value",
            group = enumerate(text_of("are_complete", group = group[few], complete = whole[few],
                                      rows = count[few])))
  }
  list(table = list_frame(list(group = group, n = count, complete = whole)), advice = advice)
}
