#' Factor scores
#'
#' Estimates of each person's standing on the constructs. `"regression"`
#' (Thurstone 1935) is the conditional mean given all observed variables of the
#' model; `"bartlett"` (Bartlett 1937) is unbiased given the constructs and uses
#' their items only.
#'
#' @param object,x A fit from [fit_model()].
#' @param newdata A data frame with the observed variables; the fitted data
#'   when missing.
#' @param method `"regression"` or `"bartlett"`.
#' @param data A data frame to which scores are added; the fitted data when missing.
#' @param ... Not used.
#' @return `predict()`: a data frame with one column a construct and one row for
#'   each row of the data (`NA` where a value is missing; with `incomplete = "keep"` from the values
#'   that are there, `NA` where these do not tell). `augment()`: the data
#'   with the scores as columns named after the constructs with a leading dot.
#' @section Errors: `orizzonte_error_input` when there are no constructs, or
#'   when the fit came from summary data and no `newdata` are given.
#' @references
#' Bartlett, M. S. (1937). The statistical conception of mental factors. *British Journal of
#' Psychology, 28*(1), 97--104.
#'
#' Thurstone, L. L. (1935). *The vectors of mind*. University of Chicago Press.
#' @seealso [augment()] for scores beside the data, [simulate.orizzonte_fit()].
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' head(predict(fit))
#' @importFrom stats predict
#' @export
predict.orizzonte_fit <- function(object, newdata = NULL, method = "regression", ...) {
  check_fit(object, "predict")
  check_arguments("predict")
  method <- choose_one(method, c("regression", "bartlett"), "`method`")
  constructs <- object$layout$constructs
  if (length(constructs) == 0L) {
    abort("input", c("The model has no constructs, so there are no scores.",
                     i = "Add construct() to the blueprint."))
  }
  rows <- scored_rows(object, newdata)
  total <- if (is.null(newdata)) object$sample$total_rows else nrow(newdata)
  out <- matrix(NA_real_, total, length(constructs), dimnames = list(NULL, constructs))
  if (!object$layout$means)
    say("The model has no means: scores are relative to the means of these data.")
  for (view in group_views(object)) {
    part <- view_scores(view, score_data(view, newdata, rows[[view$group]]), method)
    out[rows[[view$group]], colnames(part)] <- part
  }
  as.data.frame(out)
}

# Which rows belong to which group; rows of no group get no scores.
scored_rows <- function(fit, newdata) {
  if (is.null(newdata)) {
    if (has_raw_data(fit$sample)) return(lapply(fit$sample$groups, `[[`, "rows"))
    abort("input", c("The fit came from summary data, so there is nobody to score.",
                     i = "Give raw data: predict(fit, newdata = data)."))
  }
  if (!is.data.frame(newdata)) {
    abort("input",
          c("`newdata` must be a data frame.", x = paste0("It is ", describe(newdata), ".")))
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
  scores <- matrix(NA_real_, nrow(x), length(l), dimnames = list(NULL, layout$constructs))
  for (rows in rows_by_pattern(x)) {
    seen <- which(!is.na(x[rows[1L], ]))
    if (length(seen) == 0L || length(seen) < p && !keeps) next
    weights <- if (method == "regression")
      solve_in_units(matrices$covariance[seen, seen, drop = FALSE],
                     matrices$covariance[seen, l, drop = FALSE]) else
      bartlett_weights(layout, matrices, l, seen)
    if (is.null(weights)) next
    off <- x[rows, seen, drop = FALSE] - rep(mean[seen], each = length(rows))
    scores[rows, ] <- off %*% weights + rep(mean[l], each = length(rows))
  }
  scores
}

# (L' S^-1 L)^-1 L' S^-1 equals Bartlett's (1937) weights and needs no inverse of residual
# variances. NULL where the items that are seen cannot tell the constructs apart.
bartlett_weights <- function(layout, matrices, l, seen) {
  items <- which(layout$observed %in% layout$rows$second[layout$rows$kind == "loading"])
  items <- intersect(items, seen)
  covariance <- matrices$covariance
  with <- t(solve_in_units(covariance[l, l, drop = FALSE], covariance[l, items, drop = FALSE]) %||%
              NA)
  inner <- if (!anyNA(with) && length(items))
    solve_in_units(covariance[items, items, drop = FALSE], with)
  information <- if (!is.null(inner)) crossprod(with, inner)
  if (is.null(information) || smallest_eigenvalue(information) < 1e-10) {
    if (length(seen) < length(layout$observed)) return(NULL)
    abort("input",
          c(paste0("Bartlett scores do not exist for this model: its constructs cannot be told ",
                   "apart from their items alone."),
            i = "Use method = \"regression\"."))
  }
  weights <- matrix(0, length(seen), length(l))
  weights[match(items, seen), ] <- t(solve_in_units(information, t(inner)))
  weights
}

# The data of the fit, a row each, with the grouping column.
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
augment.orizzonte_fit <- function(x, data = NULL, method = "regression", ...) {
  check_arguments("augment")
  scores <- predict.orizzonte_fit(x, newdata = data, method = method)
  names(scores) <- paste0(".", names(scores))
  as_tibble_if_possible(cbind(if (is.null(data)) fitted_rows(x) else data, scores))
}

#' @importFrom generics augment
#' @export
generics::augment
