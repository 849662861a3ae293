#' Estimates: raw and standardized side by side
#'
#' Standard errors come from the inverse information, expected where the data are complete and
#' observed where values are missing, or from the sandwich where inference is robust, as
#' [fit_model()] was asked; those of standardized values from the delta method with analytic
#' derivatives. Effects and loadings
#' are standardized by both variables' standard deviations, covariances by those of the two
#' variables (of their residuals, for endogenous variables; the effect of a predictor coded 0/1 is
#' standardized by the outcome only), variances by the total variance, and intercepts by the
#' standard deviation.
#'
#' @param fit A fit from [fit_model()].
#' @param level Level of the confidence intervals.
#' @param bootstrap An object from [bootstrap_fit()] for this fit. Its standard errors, intervals
#'   and p values replace the theoretical ones; nothing is resampled here.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_estimates`, one row per parameter: `parameter` (its
#'   address), `group`, `kind` (in words: `mean[X]` of a construct that something points at is a
#'   `"construct intercept"`), `estimate`, `se`, `z`, `p` (two-sided), `lower`, `upper`,
#'   `standardized`, `standardized_se` (by the delta method) and `status`. Quantities follow at the
#'   end. `status`: free, fixed, equal, tied (by an equation), at bound, or derived. Parameters that
#'   are fixed or at a bound have no standard error and no test.
#' @section Errors: `orizzonte_error_input` for an object that is not a fit, or a level outside 0 to
#' 1.
#' @seealso [effects.orizzonte_fit()], [r_squared()], [side_by_side()] for several models, [tidy()]
#'   for pipelines.
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' estimates(suppressMessages(fit_model(bp, choirs)))
#' @export
estimates <- function(fit, level = 0.95, bootstrap = NULL, ...) {
  check_arguments("estimates")
  check_fit(fit, "estimates")
  check_level(level)
  check_same_bootstrap(bootstrap, fit, "estimates")
  rows <- fit$layout$rows
  standardized <- standardized_of(fit)
  se <- raw_errors(fit)
  columns <- c(list(parameter = rows$parameter, group = shown_group(fit$layout, rows$group),
                    kind = rows$meaning, estimate = values_of(fit)),
                    inference_block(values_of(fit), se, level, reference_df(fit)),
               list(standardized = standardized$value, standardized_se = standardized$se,
                    status = rows$status))
  if (length(fit$request$blueprint$quantities))
    columns <- Map(c, columns, quantity_rows(fit, level))
  columns <- with_bootstrap(columns, bootstrap, "estimates", columns$parameter,
                            paste0("standardized(", columns$parameter, ")"))
  with_status(structure(list_frame_class(columns, "orizzonte_estimates"),
            level = if (is.null(bootstrap)) level else bootstrap$asked$level,
            bootstrap = bootstrap_note(bootstrap)), fit)
}

# Most rows are one parameter times a weight; the others need its map.
row_errors <- function(layout, vcov) {
  map <- layout$map
  terms <- tabulate(map$entry, length(layout$rows$kind))
  se <- numeric(length(terms))
  single <- terms[map$entry] == 1L
  se[map$entry[single]] <- abs(map$weight[single]) *
    sqrt(pmax(diag(vcov), 0))[map$parameter[single]]
  several <- which(terms > 1L)
  if (length(several)) se[several] <- delta_se(map_matrix(layout)[several, , drop = FALSE], vcov)
  if (anyNA(vcov)) se[] <- NA_real_
  se
}

# Standard errors of all rows; none for fixed parameters and for parameters at an active bound. A
# bound between two leaves them as free as an equation does.
raw_errors <- function(fit) {
  cached(fit, "errors", {
    se <- row_errors(fit$layout, vcov_of(fit))
    se[fit$layout$rows$status %in% "fixed"] <- NA
    se[pinned_rows(fit)] <- NA
    se
  })
}

# Rows by parameter label, such as estimates(fit)["effect[Calm, Staying]", ]; an unknown label is
# an error instead of a row of missing values.
#' @export
`[.orizzonte_estimates` <- function(x, i, j, ...) {
  if (nargs() - ...length() > 2L && !missing(i) && is.character(i)) {
    i <- rows_by_label(x, i)
    return(if (missing(j)) x[i, ] else x[i, j, ...])
  }
  NextMethod()
}

#' @export
`[.orizzonte_effects` <- `[.orizzonte_estimates`

rows_by_label <- function(x, labels) {
  at <- match(labels, x$parameter)
  if (!anyNA(at)) return(at)
  unknown <- labels[is.na(at)][1L]
  abort("address", c(text_of("no_such_row", unknown = quoted(unknown)),
                     nearest_address(unknown, x$parameter)))
}

#' @export
print.orizzonte_estimates <- function(x, n = NULL, ...) {
  needed <- c("parameter", "kind", "estimate", "se", "z", "p", "standardized", "status")
  if (!all(needed %in% names(x))) return(print(as.data.frame(unclass(x))))
  shown <- first_rows(x, n)
  put_lines(heading_with_status(text_of("head_estimates"), x),
            estimate_table(printed_estimates(shown)), rows_left(x, shown),
            if (!is.null(attr(x, "bootstrap"))) c("", wrap_lines(attr(x, "bootstrap"))))
  invisible(x)
}

printed_estimates <- function(x) {
  interval <- if (all(c("lower", "upper") %in% names(x))) {
    interval <- ifelse(is.na(x$lower), "",
                       paste0("[", format_number(x$lower), ", ", format_number(x$upper), "]"))
    level <- attr(x, "level")
    stats::setNames(list(interval), if (is.null(level)) "interval" else text_of("interval_title",
        level = format(100 * level)))
  }
  status <- ifelse(x$status %in% c("free", "derived"), "", x$status)
  c(list(parameter = x$parameter, estimate = format_number(x$estimate), se = format_number(x$se)),
    interval,
    list(z = format_fixed(x$z, 2L), p = format_p(x$p),
         standardized = format_share(x$standardized, 3L),
         status = status), user_columns(x))
}

# An interval says what error and p say.
estimate_table <- function(columns) {
  with_interval <- any(grepl("interval", names(columns), fixed = TRUE))
  format_table(columns, c(FALSE, rep(TRUE, length(columns) - 2L), FALSE),
               spare = c("z", if (with_interval) c("p", "se")))
}

# The texts of items.

# The blueprint's wordings, and column labels where it has none.
all_wordings <- function(fit) {
  labels <- fit$sample$labels
  wording <- fit$request$blueprint$wording
  c(wording, labels[setdiff(names(labels), names(wording))])
}

# The wordings of all items that some parameters are about.
format_wordings <- function(parameters, wording) {
  if (length(wording) == 0L) return(NULL)
  named <- unlist(lapply(parameters, function(text) {
    address <- tryCatch(parse_address(text), error = function(e) NULL)
    c(address$first, address$second)
  }))
  shown <- intersect(names(wording), named)
  if (length(shown) == 0L) return(NULL)
  width <- max(nchar(shown))
  c("", "Item texts",
    wrap_lines(paste0(formatC(shown, width = -width), "  \"", wording[shown], "\""), 2L,
               width + 4L))
}
