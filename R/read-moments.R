#' Implied and observed moments
#'
#' The covariances and means of the variables that the model implies at its estimates, and those
#' observed in the data. The print is rounded; the values have full precision. `fitted()` is
#' `implied()`.
#'
#' @param fit,object A fit from [fit_model()].
#' @param ... Must be empty: an argument by another name is an error.
#' @return A list of class `orizzonte_moments` with one element per group (one, named `all`, without
#'   groups), each with `covariance` (a matrix in the units of the data, divisor *n*; variables in
#'   the order of the data) and `mean` (a vector, or `NULL` when the data carry none). `implied()`
#'   also gives `constructs`, the implied covariance matrix of the constructs. `as.data.frame()`
#'   gives one row per moment of the observed variables: `group`, `first`, `second` (`NA` for a
#'   mean)
#'   and `value`.
#' @section Errors: `orizzonte_error_input` for an object that is not a fit.
#' @references Bollen, K. A. (1989). *Structural equations with latent variables*. Wiley.
#' @seealso [residuals.orizzonte_fit()] for their differences, [path_diagram()] for a picture.
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' implied(fit)
#' # where the model is off, in the units of the items
#' implied(fit)$all$covariance - observed(fit)$all$covariance
#' @export
implied <- function(fit, ...) {
  check_arguments("implied")
  check_fit(fit, "implied")
  with_status(new_moments(fit, implied_moments), fit)
}

# Moments by group, in the order of the variables in the data.
new_moments <- function(fit, moments_of) {
  in_data <- fit$sample$columns
  out <- lapply(group_views(fit), function(view) {
    moments <- moments_of(view)
    order <- order(match(rownames(moments$covariance), in_data))
    moments$covariance <- moments$covariance[order, order, drop = FALSE]
    if (!is.null(moments$mean)) moments$mean <- moments$mean[order]
    moments
  })
  structure(out, class = "orizzonte_moments")
}

#' @rdname implied
#' @importFrom stats fitted
#' @export
fitted.orizzonte_fit <- function(object, ...) {
  check_arguments("fitted")
  implied(check_fit(object, "fitted"))
}

#' @export
as.data.frame.orizzonte_moments <- function(x, ...) {
  bind_frames(lapply(names(x), function(group) {
    s <- x[[group]]$covariance
    at <- which(lower.tri(s, TRUE), arr.ind = TRUE)
    means <- x[[group]]$mean
    list_frame(list(
      group = rep(group, nrow(at) + length(means)), first = c(rownames(s)[at[, 2L]], names(means)),
      second = c(rownames(s)[at[, 1L]], rep(NA_character_, length(means))),
      value = c(s[at], unname(means))))
  }))
}

#' @export
print.orizzonte_moments <- function(x, ...) {
  if (!all(vapply(x, function(part) is.matrix(part$covariance), NA)))
    return(print(unclass(x)))
  if (!is.null(status_words(x))) put_lines(wrap_lines(status_words(x)), "")
  for (group in names(x)) {
    put_lines(format_moments(x[[group]], if (group != single_group) group, attr(x, "in_units")))
  }
  invisible(x)
}

format_moments <- function(moments, group, in_units = NULL) {
  title <- if (!is.null(in_units)) text_of("residuals",
                                           in_units = words_of("residual_unit", in_units)) else
    if (is.null(moments$constructs)) "Observed moments" else "Implied moments"
  constructs <- moments$constructs
  c(heading(paste0(title, if (!is.null(group)) paste0(": ", group))),
    if (identical(in_units, "correlation")) "Correlations" else "Covariances",
    triangle_table(moments$covariance),
    if (NROW(constructs)) c("", text_of("covariances_of_constructs"), triangle_table(constructs)),
    format_means(moments$mean, !is.null(in_units)))
}

format_means <- function(mean, residual) {
  if (is.null(mean)) return(NULL)
  if (residual && all(mean %in% c(0, NaN)))
    return(c("", text_of("means_are_reproduced_exactly")))
  c("", "Means", format_table(list(variable = names(mean), mean = format_units(mean)),
                              c(FALSE, TRUE)))
}

# The lower triangle with the names of its rows and columns.
triangle_table <- function(m) {
  text <- matrix(format_units(m), nrow(m))
  text[upper.tri(text)] <- ""
  columns <- stats::setNames(lapply(seq_len(ncol(m)), function(k) text[, k]), colnames(m))
  format_table(c(list(` ` = rownames(m)), columns), c(FALSE, rep(TRUE, ncol(m))))
}

# The number of decimals that gives six significant figures for the largest value.
format_units <- function(x) {
  largest <- max(c(1, abs(x[is.finite(x)])))
  format_fixed(x, max(0L, min(3L, 5L - as.integer(floor(log10(largest))))))
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
  new_moments(fit, observed_moments)
}

observed_moments <- function(view) {
  names <- view$layout$observed
  covariance <- view$moments$covariance
  dimnames(covariance) <- list(names, names)
  if (NROW(view$moments$unseen))
    covariance <- without_unobserved_pairs(covariance, view$moments$unseen)
  list(covariance = covariance, mean = if (view$layout$means)
       stats::setNames(view$moments$mean, names))
}
