#' Implied and observed moments
#'
#' @param fit A fit from [fit_model()].
#' @return A list with one element per group (one, named `all`, without
#'   groups), each with `covariance` (a matrix, divisor as in the fit) and `mean`
#'   (a vector, or `NULL` when the data carry none). `implied()` also gives
#'   `constructs`, the implied covariance matrix of the constructs.
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' implied(fit)$all$covariance - observed(fit)$all$covariance
#' @export
implied <- function(fit) {
  check_fit(fit, "implied")
  matrices <- model_matrices(fit)
  observed <- fit$layout$observed
  o <- seq_along(observed)
  l <- seq_along(fit$layout$constructs) + length(o)
  constructs <- matrices$covariance[l, l, drop = FALSE]
  dimnames(constructs) <- list(fit$layout$constructs, fit$layout$constructs)
  covariance <- matrices$covariance[o, o, drop = FALSE]
  dimnames(covariance) <- list(observed, observed)
  list(all = list(covariance = covariance, mean = if (fit$layout$means) stats::setNames(matrices$mean[o], observed),
                  constructs = constructs))
}

#' @rdname implied
#' @export
observed <- function(fit) {
  check_fit(fit, "observed")
  names <- fit$layout$observed
  covariance <- fit$moments$covariance
  dimnames(covariance) <- list(names, names)
  list(all = list(covariance = covariance, mean = if (fit$layout$means) stats::setNames(fit$moments$mean, names)))
}

#' Residuals: observed minus implied moments
#'
#' @param object A fit from [fit_model()].
#' @param type `"raw"`: differences of covariances (and means).
#'   `"correlation"`: differences of correlations, in which the observed and the
#'   implied matrix are each scaled by the observed standard deviations, so that
#'   the diagonal shows how far variances are off (Bentler 1995); means are
#'   divided by the standard deviations.
#' @param largest Give a number to get that many pairs as a sorted table, with
#'   a sentence on what each means.
#' @param ... Not used.
#' @return Without `largest`, a list with one element per group (`all` without
#'   groups), each with `covariance` and `mean`. With `largest`, a data frame of
#'   class `orizzonte_residuals`: `first`, `second`, `residual`, `observed`,
#'   `implied`, `meaning`.
#' @section Errors: `orizzonte_error_input` for an unknown type.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' residuals(fit, type = "correlation", largest = 5)
#' @export
residuals.orizzonte_fit <- function(object, type = "raw", largest = NULL, ...) {
  check_dots_empty(..., .verb = "residuals")
  type <- choose_one(type, c("raw", "correlation"), "`type`")
  seen <- observed(object)$all
  model <- implied(object)$all
  sd <- if (type == "correlation") sqrt(diag(seen$covariance)) else rep(1, ncol(seen$covariance))
  scaled <- function(part) list(covariance = part$covariance / outer(sd, sd), mean = if (!is.null(part$mean)) part$mean / sd)
  seen <- scaled(seen)
  model <- scaled(model)
  if (is.null(largest)) {
    return(list(all = list(covariance = seen$covariance - model$covariance,
                           mean = if (!is.null(seen$mean)) seen$mean - model$mean)))
  }
  if (!is.numeric(largest) || length(largest) != 1L || is.na(largest) || largest < 1) {
    abort("input", "`largest` must be one number, at least 1.")
  }
  largest_residuals(seen, model, type, largest, object$layout$profiled, all_wordings(object))
}

largest_residuals <- function(seen, model, type, largest, profiled, wordings) {
  names <- colnames(seen$covariance)
  at <- which(lower.tri(seen$covariance, diag = TRUE), arr.ind = TRUE)
  first <- names[at[, 2L]]
  second <- names[at[, 1L]]
  see <- seen$covariance[at]
  say <- model$covariance[at]
  if (!is.null(seen$mean) && !profiled) {
    first <- c(first, names)
    second <- c(second, rep(NA_character_, length(names)))
    see <- c(see, seen$mean)
    say <- c(say, model$mean)
  }
  order <- utils::head(order(-abs(see - say)), largest)
  first <- first[order]
  second <- second[order]
  gap <- (see - say)[order]
  what <- if (type == "correlation") "correlate" else "covary"
  size <- format_number(abs(gap))
  more <- ifelse(gap > 0, "more", "less")
  meaning <- ifelse(is.na(second), paste0("the mean of ", first, " is ", size, ifelse(gap > 0, " higher", " lower"), " than the model implies"),
             ifelse(first == second, paste0(first, " varies ", size, " ", more, " than the model implies"),
                    paste0(first, " and ", second, " ", what, " ", size, " ", more, " than the model implies")))
  list_frame_class(list(first = first, second = second, residual = gap, observed = see[order], implied = say[order], meaning = meaning),
                   "orizzonte_residuals") |> structure(wording = wordings, type = type)
}

#' @export
print.orizzonte_residuals <- function(x, ...) {
  if (!all(c("first", "second", "residual", "meaning") %in% names(x))) return(print(as.data.frame(unclass(x))))
  cat(heading(paste0("Largest residuals", if (!is.null(attr(x, "type"))) paste0(" (", attr(x, "type"), ")"))),
      format_residuals_table(x), sep = "\n")
  invisible(x)
}

format_residuals_table <- function(x) {
  lines <- format_table(list(residual = format_number(x$residual), observed = format_number(x$observed),
                             implied = format_number(x$implied), meaning = x$meaning), c(TRUE, TRUE, TRUE, FALSE))
  wording <- attr(x, "wording")
  shown <- intersect(unique(stats::na.omit(c(rbind(x$first, x$second)))), names(wording))
  if (length(shown)) {
    width <- max(nchar(shown))
    lines <- c(lines, "", wrap_lines(paste0(formatC(shown, width = -width), "  \"", wording[shown], "\""), indent = 2L, hang = width + 4L))
  }
  lines
}

# The blueprint's wordings, and column labels where it has none.
all_wordings <- function(fit) {
  labels <- fit$sample$labels
  c(fit$blueprint$wording, labels[setdiff(names(labels), names(fit$blueprint$wording))])
}
