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
#'   each row of the data (`NA` where a value is missing). `augment()`: the data
#'   with the scores as columns named after the constructs with a leading dot.
#' @section Errors: `orizzonte_error_input` when there are no constructs, or
#'   when the fit came from summary data and no `newdata` are given.
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' head(predict(fit))
#' @importFrom stats predict
#' @export
predict.orizzonte_fit <- function(object, newdata = NULL, method = "regression", ...) {
  check_dots_empty(..., .verb = "predict")
  method <- choose_one(method, c("regression", "bartlett"), "`method`")
  constructs <- object$layout$constructs
  if (length(constructs) == 0L) abort("input", c("The model has no constructs, so there are no scores.", i = "Add construct() to the blueprint."))
  if (has_groups(object)) return(group_scores(object, newdata, method))
  x <- score_data(object, newdata)
  matrices <- model_matrices(object)
  o <- seq_along(object$layout$observed)
  l <- length(o) + seq_along(constructs)
  mean <- matrices$mean
  if (!object$layout$means) {
    say("The model has no means: scores are relative to the means of these data.")
    mean <- c(colMeans(x, na.rm = TRUE), numeric(length(l)))
  }
  sigma <- matrices$covariance[o, o, drop = FALSE]
  if (method == "regression") {
    weights <- solve(sigma, matrices$covariance[o, l, drop = FALSE])
  } else {
    # (L' S^-1 L)^-1 L' S^-1 equals Bartlett's weights and needs no inverse of residual variances
    items <- which(object$layout$observed %in% object$layout$second[object$layout$head == "loading"])
    with <- matrices$covariance[items, l, drop = FALSE] %*% solve(matrices$covariance[l, l, drop = FALSE])
    inner <- solve(sigma[items, items, drop = FALSE], with)
    information <- crossprod(with, inner)
    if (rcond(information) < 1e-10) {
      abort("input", c("Bartlett scores do not exist for this model: its constructs cannot be told apart from their items alone.",
                       i = "Use method = \"regression\"."))
    }
    weights <- matrix(0, length(o), length(l))
    weights[items, ] <- inner %*% solve(information)
  }
  scores <- (x - rep(mean[o], each = nrow(x))) %*% weights + rep(mean[l], each = nrow(x))
  colnames(scores) <- constructs
  as.data.frame(scores)
}

# Scores by group, in the order of the rows; NA for rows of no group.
group_scores <- function(fit, newdata, method) {
  rows <- if (is.null(newdata)) fit$sample$rows_of else group_rows(newdata, fit$sample$by, fit$options$grouping$levels %||% group_names(fit))$rows
  if (is.null(rows)) {
    abort("input", c("The fit came from summary data, so there is nobody to score.", i = "Give raw data: predict(fit, newdata = data)."))
  }
  total <- if (is.null(newdata)) fit$sample$total_rows else nrow(newdata)
  out <- matrix(NA_real_, total, length(fit$layout$constructs), dimnames = list(NULL, fit$layout$constructs))
  views <- group_views(fit, errors = FALSE)
  for (g in names(views)) {
    part <- predict.orizzonte_fit(views[[g]], if (!is.null(newdata)) newdata[rows[[g]], , drop = FALSE], method)
    out[rows[[g]], names(part)] <- as.matrix(part)
  }
  as.data.frame(out)
}

# The data of the fit, a row each.
fitted_rows <- function(fit) {
  if (!has_groups(fit)) return(as.data.frame(score_data(fit, NULL)))
  out <- matrix(NA_real_, fit$sample$total_rows, length(fit$sample$names), dimnames = list(NULL, fit$sample$names))
  group <- rep(NA_character_, fit$sample$total_rows)
  for (g in group_names(fit)) {
    rows <- fit$sample$rows_of[[g]]
    out[rows, fit$sample$groups[[g]]$names] <- fit$sample$groups[[g]]$data
    group[rows] <- g
  }
  cbind(stats::setNames(list_frame(list(group)), fit$sample$by), as.data.frame(out))
}

# One row for each row of the data, missing codes as holes.
score_data <- function(fit, newdata) {
  variables <- fit$layout$observed
  if (is.null(newdata)) {
    if (is.null(fit$sample$data)) {
      abort("input", c("The fit came from summary data, so there is nobody to score.", i = "Give raw data: predict(fit, newdata = data)."))
    }
    if (is.null(fit$sample$rows)) return(fit$sample$data)
    out <- fit$sample$data
    out[-fit$sample$rows, ] <- NA
    return(out)
  }
  if (!is.data.frame(newdata)) abort("input", c("`newdata` must be a data frame.", x = paste0("It is ", describe(newdata), ".")))
  newdata <- code_data(newdata, fit$options$coding)
  check_known(variables, names(newdata), fit$blueprint)
  columns <- lapply(variables, function(name) numeric_column(newdata[[name]], name, fit$options$missing_codes))
  matrix(unlist(columns, use.names = FALSE), nrow(newdata), length(variables), dimnames = list(NULL, variables))
}

#' @rdname predict.orizzonte_fit
#' @importFrom generics augment
#' @export
augment.orizzonte_fit <- function(x, data = NULL, method = "regression", ...) {
  scores <- predict.orizzonte_fit(x, newdata = data, method = method)
  names(scores) <- paste0(".", names(scores))
  as_tibble_if_possible(cbind(if (is.null(data)) fitted_rows(x) else data, scores))
}

#' @importFrom generics augment
#' @export
generics::augment

#' Simulate data from a fitted model
#'
#' Draws samples of the fitted size from the multivariate normal distribution
#' with the implied moments.
#'
#' @param object A fit from [fit_model()].
#' @param nsim Number of data sets.
#' @param seed A seed, or `NULL` to go on with the current random numbers.
#' @param ... Not used.
#' @return A list of `nsim` data frames with the observed variables, with the
#'   attribute `seed`, and a column for the group in a fit of several. Means are zero when the fit has none.
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' head(simulate(fit, seed = 1)[[1]])
#' @importFrom stats simulate
#' @export
simulate.orizzonte_fit <- function(object, nsim = 1, seed = NULL, ...) {
  check_dots_empty(..., .verb = "simulate")
  if (!is.numeric(nsim) || length(nsim) != 1L || is.na(nsim) || nsim < 1) abort("input", "`nsim` must be one number, at least 1.")
  if (!is.null(seed)) {
    if (exists(".Random.seed", envir = globalenv(), inherits = FALSE)) {
      before <- get(".Random.seed", envir = globalenv())
      on.exit(assign(".Random.seed", before, envir = globalenv()))
    }
    set.seed(seed)
  }
  views <- group_views(object, errors = FALSE)
  draw <- function(view) {
    model <- implied_moments(view)
    root <- chol(model$covariance)
    n <- view$sample$n
    x <- matrix(stats::rnorm(n * ncol(root)), n) %*% root + rep(model$mean %||% numeric(ncol(root)), each = n)
    colnames(x) <- view$layout$observed
    as.data.frame(x)
  }
  draws <- lapply(seq_len(nsim), function(i) {
    if (!has_groups(object)) return(draw(object))
    parts <- lapply(views, draw)
    for (g in names(parts)) parts[[g]][setdiff(object$layout$observed, names(parts[[g]]))] <- NA_real_
    by <- object$sample$by %||% "group"
    cbind(stats::setNames(list_frame(list(rep(names(parts), vapply(parts, nrow, 0L)))), by), do.call(rbind, unname(parts)))
  })
  structure(draws, seed = seed)
}
