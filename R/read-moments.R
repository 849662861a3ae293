#' Implied and observed moments
#'
#' @param fit A fit from [fit_model()].
#' @param ... Must be empty: an argument by another name is an error.
#' @return A list with one element per group (one, named `all`, without
#'   groups), each with `covariance` (a matrix, divisor as in the fit) and `mean`
#'   (a vector, or `NULL` when the data carry none). `implied()` also gives
#'   `constructs`, the implied covariance matrix of the constructs.
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' implied(fit)$all$covariance - observed(fit)$all$covariance
#' @export
implied <- function(fit, ...) {
  check_arguments("implied")
  check_fit(fit, "implied")
  lapply(group_views(fit), implied_moments)
}

implied_moments <- function(view) {
  matrices <- view_matrices(view)
  layout <- view$layout
  observed <- layout$observed
  o <- seq_along(observed)
  l <- seq_along(layout$constructs) + length(o)
  constructs <- matrices$covariance[l, l, drop = FALSE]
  dimnames(constructs) <- list(layout$constructs, layout$constructs)
  covariance <- matrices$covariance[o, o, drop = FALSE]
  dimnames(covariance) <- list(observed, observed)
  list(covariance = covariance, mean = if (layout$means) stats::setNames(matrices$mean[o],
      observed), constructs = constructs)
}

#' @rdname implied
#' @export
observed <- function(fit, ...) {
  check_arguments("observed")
  check_fit(fit, "observed")
  lapply(group_views(fit), observed_moments)
}

observed_moments <- function(view) {
  names <- view$layout$observed
  covariance <- view$moments$covariance
  dimnames(covariance) <- list(names, names)
  list(covariance = covariance, mean = if (view$layout$means)
       stats::setNames(view$moments$mean, names))
}
