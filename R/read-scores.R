#' Factor scores
#'
#' Estimates of each case's standing on the constructs. `"regression"`
#' (Thurstone 1935) is the conditional mean given all observed variables of the
#' model; `"bartlett"` (Bartlett 1937) is unbiased given the constructs and uses
#' their items only.
#'
#' @param object,x A fit from [fit_model()].
#' @param newdata A data frame with the observed variables; the fitted data
#'   when missing.
#' @param method `"regression"` or `"bartlett"`.
#' @param se.fit Whether to return standard errors and determinacies as well.
#' @param data A data frame to which scores are added; the fitted data when missing. `augment()`
#'   also takes it as `newdata`.
#' @param ... Must be empty: an argument by another name is an error.
#' @return `predict()`: a data frame with one column per construct and one row for each row of the
#'   data (`NA` where a value is missing; with `incomplete = "keep"` from the observed values, `NA`
#'   if these contain no information about the construct). With `se.fit = TRUE` a list of three such
#'   data frames: `fit`, `se.fit` and `determinacy`. `augment()`: the data with the scores as
#'   columns named after the constructs with a leading dot, and their standard errors as `.Calm_se`.
#' @section Computation: Regression scores have the error variance \eqn{\Phi -
#'   \Phi\Lambda'\Sigma^{-1}\Lambda\Phi}, Bartlett's \eqn{(\Lambda'\Sigma^{-1}\Lambda)^{-1} - \Phi},
#'   at the estimates; the sampling error of the parameters is not included. The standard error of
#'   an incomplete row is based on its observed values. Determinacy is the correlation of the score
#'   with the construct (Grice 2001): the root of explained over total variance (regression), of
#'   construct over score variance (Bartlett). Bartlett scores of second-order factors are computed
#'   at their own level, from the observed items: \eqn{\Lambda} is cov(items, constructs) times the
#'   inverse of the constructs' covariances. The score of a composite is its weighted sum.
#' @section Errors: `orizzonte_error_input` when there are no constructs, or
#'   when the fit came from summary data and no `newdata` are given.
#' @references
#' Bartlett, M. S. (1937). The statistical conception of mental factors. *British Journal of
#' Psychology, 28*(1), 97--104.
#'
#' Grice, J. W. (2001). Computing and evaluating factor scores. *Psychological Methods, 6*(4),
#' 430--450.
#'
#' Thurstone, L. L. (1935). *The vectors of mind*. University of Chicago Press.
#' @seealso [augment()] for scores as columns of the data, [construct_quality()] for the quality of
#' the items, [simulate.orizzonte_fit()].
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' head(predict(fit))
#' head(predict(fit, se.fit = TRUE)$determinacy)
#' @importFrom stats predict
#' @export
predict.orizzonte_fit <- function(object, newdata = NULL, method = "regression", se.fit = FALSE,
                                  ...) {
  check_fit(object, "predict")
  check_arguments("predict")
  method <- choose_one(method, c("regression", "bartlett"), "`method`")
  check_flag(se.fit, "`se.fit`")
  status <- status_words(with_status(list(), object))
  if (!is.null(status)) warn("improper", status)
  found <- scores_of(object, newdata, method)
  # in the form of the data
  found <- lapply(found, function(part) {
    if (inherits(newdata, "tbl_df")) return(as_tibble_if_possible(part))
    if (is.data.frame(newdata) && is.character(attr(newdata, "row.names")))
      rownames(part) <- rownames(newdata)
    part
  })
  if (se.fit) found else found$fit
}

# Scores, their standard errors and determinacies, a data frame each.
scores_of <- function(fit, newdata, method) {
  constructs <- fit$layout$constructs
  if (length(constructs) == 0L) {
    abort("input", c(text_of("model_has_no_constructs_so"),
                     i = text_of("add_construct_blueprint")))
  }
  rows <- scored_rows(fit, newdata)
  total <- if (is.null(newdata)) fit$sample$total_rows else nrow(newdata)
  empty <- matrix(NA_real_, total, length(constructs), dimnames = list(NULL, constructs))
  out <- list(fit = empty, se.fit = empty, determinacy = empty)
  if (!fit$layout$means)
    say(text_of("model_has_no_means"))
  for (view in group_views(fit)) {
    at <- rows[[view$group]]
    part <- view_scores(view, score_data(view, newdata, at), method)
    for (what in names(out)) out[[what]][at, colnames(part[[what]])] <- part[[what]]
  }
  lapply(out, as.data.frame)
}

# The group of each row; rows without a group get no scores.
scored_rows <- function(fit, newdata) {
  if (is.null(newdata)) {
    if (has_raw_data(fit$sample)) return(lapply(fit$sample$groups, `[[`, "rows"))
    abort("input", c(text_of("fit_came_from_summary_data_so"),
                     i = text_of("give_raw_data_predict")))
  }
  if (!is.data.frame(newdata)) {
    abort("input",
          c(text_of("newdata_must_be_data"),
            x = text_of("it_is_of_kind", value = describe(newdata))))
  }
  groups <- fit$layout$groups
  if (is.null(fit$sample$by))
    return(stats::setNames(lapply(groups, function(g) seq_len(nrow(newdata))), groups))
  group_rows(newdata, fit$sample$by, fit$request$levels %||% groups)$rows
}

# One row for each row of the group, missing codes as NA. Of the fit's own data only complete rows
# are scored.
score_data <- function(view, newdata, rows) {
  fit <- view$fit
  variables <- view$layout$observed
  if (is.null(newdata)) {
    out <- group_data(fit$sample, view$number, variables, fit$request$missing_codes)
    out[!rows %in% view$sample$used, ] <- NA
    return(out)
  }
  newdata <- code_data(newdata, fit$sample$coding)
  check_known(variables, names(newdata), fit$request$blueprint)
  numeric_rows(newdata, rows, variables, fit$request$missing_codes)
}

view_scores <- function(view, x, method) {
  layout <- view$layout
  matrices <- view_matrices(view)
  p <- length(layout$observed)
  l <- p + seq_along(layout$constructs)
  mean <- matrices$mean
  if (!layout$means) mean <- c(colMeans(x, na.rm = TRUE), numeric(length(l)))
  keeps <- view$fit$request$incomplete == "keep"
  empty <- matrix(NA_real_, nrow(x), length(l), dimnames = list(NULL, layout$constructs))
  out <- list(fit = empty, se.fit = empty, determinacy = empty)
  for (rows in rows_by_pattern(x)) {
    seen <- which(!is.na(x[rows[1L], ]))
    if (length(seen) == 0L || length(seen) < p && !keeps) next
    found <- if (method == "regression") regression_scores(matrices$covariance, l, seen) else
      bartlett_scores(view, matrices$covariance, seen)
    off <- x[rows, seen, drop = FALSE] - rep(mean[seen], each = length(rows))
    out$fit[rows, ] <- off %*% found$weights + rep(mean[l], each = length(rows))
    each <- rep(seq_along(l), each = length(rows))
    out$se.fit[rows, ] <- sqrt(found$error)[each]
    out$determinacy[rows, ] <- found$determinacy[each]
  }
  out
}

# The data of the fit, one row per case, with the grouping column.
fitted_rows <- function(fit) {
  total <- fit$sample$total_rows
  names <- sample_variables(fit$sample)
  out <- matrix(NA_real_, total, length(names), dimnames = list(NULL, names))
  group <- rep(NA_character_, total)
  for (view in group_views(fit)) {
    rows <- view$sample$rows
    variables <- view$layout$observed
    x <- group_data(fit$sample, view$number, variables, fit$request$missing_codes)
    x[!rows %in% view$sample$used, ] <- NA
    out[rows, variables] <- x
    group[rows] <- view$group
  }
  out <- as.data.frame(out)
  by <- fit$sample$by
  if (is.null(by)) out else cbind(stats::setNames(list_frame(list(group)), by), out)
}

#' @rdname predict.orizzonte_fit
#' @importFrom generics augment
#' @export
augment.orizzonte_fit <- function(x, data = NULL, method = "regression", newdata = NULL, ...) {
  check_arguments("augment")
  check_fit(x, "augment")
  if (!is.null(data) && !is.null(newdata)) abort("input", text_of("data_or_newdata"))
  data <- data %||% newdata
  method <- choose_one(method, c("regression", "bartlett"), "`method`")
  scores <- scores_of(x, data, method)
  own <- stats::setNames(scores$fit, paste0(".", names(scores$fit)))
  errors <- stats::setNames(scores$se.fit, paste0(".", names(scores$fit), "_se"))
  out <- as_tibble_if_possible(cbind(if (is.null(data)) fitted_rows(x) else data, own, errors))
  if (!inherits(data, "grouped_df") || !requireNamespace("dplyr", quietly = TRUE)) return(out)
  dplyr::grouped_df(out, dplyr::group_vars(data))
}

#' @importFrom generics augment
#' @export
generics::augment

# Weights of factor scores, with their error variances and determinacies, for the observed
# variables.

# The conditional mean (Thurstone 1935): weights Sigma^-1 C, error Phi - C' Sigma^-1 C. `l`: the
# constructs among all variables.
regression_scores <- function(covariance, l, seen) {
  with <- covariance[seen, l, drop = FALSE]
  weights <- solve_in_units(covariance[seen, seen, drop = FALSE], with)
  if (anyNA(weights)) return(unknown_scores(length(seen), length(l)))
  explained <- colSums(weights * with)
  total <- diag(covariance)[l]
  list(weights = weights, error = pmax(total - explained, 0),
       determinacy = real_root(pmin(pmax(explained, 0) / total, 1)))
}

# Unbiased given the constructs of a level (Bartlett 1937), level by level; a composite is known
# where all its components are.
bartlett_scores <- function(view, covariance, seen) {
  layout <- view$layout
  p <- length(layout$observed)
  out <- unknown_scores(length(seen), length(layout$constructs))
  level <- construct_levels(layout)
  for (step in setdiff(sort(unique(level)), 0L)) {
    at <- which(level == step)
    found <- bartlett_level(layout, covariance, p + at, seen)
    if (is.null(found)) next
    out$weights[, at] <- found$weights
    out$error[at] <- found$error
    out$determinacy[at] <- found$determinacy
  }
  for (at in which(level == 0L)) {
    found <- regression_scores(covariance, p + at, seen)
    if (!isTRUE(found$error < 1e-8 * covariance[p + at, p + at])) next
    out$weights[, at] <- found$weights
    out$error[at] <- 0
    out$determinacy[at] <- 1
  }
  out
}

unknown_scores <- function(seen, size) {
  list(weights = matrix(NA_real_, seen, size), error = rep(NA_real_, size),
       determinacy = rep(NA_real_, size))
}

# 0 for composites, 1 for constructs that observed items reflect, otherwise one more than the
# highest level among its indicators.
construct_levels <- function(layout) {
  rows <- layout$rows
  loading <- rows$kind == "loading"
  level_of <- function(name, above = character()) {
    if (name %in% layout$composites) return(0L)
    below <- rows$second[loading & rows$first == name]
    inner <- setdiff(intersect(below, layout$constructs), above)
    if (!length(inner) || any(below %in% layout$observed)) return(1L)
    1L + max(vapply(inner, level_of, 0L, above = c(above, name)))
  }
  vapply(layout$constructs, level_of, 0L, USE.NAMES = FALSE)
}

# (L' S^-1 L)^-1 L' S^-1 equals Bartlett's weights, and (L' S^-1 L)^-1 - Phi their error variances:
# no inverse of residual variances is needed. Constructs that the observed items do not identify get
# no scores.
bartlett_level <- function(layout, covariance, l, seen) {
  items <- which(layout$observed %in% layout$rows$second[layout$rows$kind == "loading"])
  items <- intersect(items, seen)
  unit <- sqrt(pmax(diag(covariance)[l], 1e-300))
  with <- t(solve_in_units(covariance[l, l, drop = FALSE], covariance[l, items, drop = FALSE])) *
    rep(unit, each = length(items))
  inner <- if (!anyNA(with) && length(items))
    solve_in_units(covariance[items, items, drop = FALSE], with)
  # in standard deviations of the constructs
  parts <- if (!is.null(inner) && !anyNA(inner)) eigen(crossprod(with, inner), symmetric = TRUE)
  known <- parts$values > 1e-8
  told <- if (is.null(parts)) rep(FALSE, length(l)) else
    rowSums(parts$vectors[, !known, drop = FALSE]^2) < 1e-8
  if (!all(told) && length(seen) == length(layout$observed)) refuse_bartlett()
  if (!any(told)) return(NULL)
  vectors <- parts$vectors[, known, drop = FALSE]
  inverse <- vectors %*% (t(vectors) / parts$values[known])
  out <- unknown_scores(length(seen), length(l))
  out$weights[, told] <- 0
  out$weights[match(items, seen), told] <-
    (inner %*% inverse[, told, drop = FALSE]) * rep(unit[told], each = length(items))
  out$error[told] <- pmax(diag(inverse)[told] - 1, 0) * unit[told]^2
  out$determinacy[told] <- 1 / sqrt(pmax(diag(inverse)[told], 1))
  out
}

refuse_bartlett <- function() {
  abort("input",
        c(text_of("bartlett_scores_do_not"),
          i = text_of("use_method_regression")))
}
