#' Refit a model with changed arguments
#'
#' Repeats the request of a fit with some of its arguments changed, such as the blueprint, the data,
#' the groups or the missing-value codes. `update()` is the same function.
#'
#' @param object A fit.
#' @param ... Arguments of [fit_model()] to change: `blueprint`, `data`, `by`, `levels`,
#'   `missing_codes`, `incomplete`, `auxiliary`, `inference`, `adjust`, `clusters`, `weights`,
#'   `weight_scale`, `multiplier`; and `omit_rows`, the numbers of the rows to leave out. A fit
#'   keeps only the columns of its model; give `data` if a change needs other columns.
#' @return A fit.
#' @section Errors: `orizzonte_error_input` for an unknown argument; and the errors of
#'   [fit_model()].
#' @seealso [fit_model()], [amend()]
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
#' fit <- fit_model(bp, choirs)
#' refit(fit, blueprint = covary(bp, sc1, sc2))
#' refit(fit, omit_rows = 1:10)
#' @name refit
#' @export
refit.orizzonte_fit <- function(object, ...) {
  check_fit(object, "refit")
  changes <- refit_changes(rlang::enquos(...))
  announce(refit_quietly(object, changes))
}

#' @rdname refit
#' @importFrom stats update
#' @export
update.orizzonte_fit <- function(object, ...) refit.orizzonte_fit(object, ...)

#' @rawNamespace
#' importFrom(generics, refit)
#' export(refit)
NULL

refit_changes <- function(quosures) {
  known <- c("data", "omit_rows", request_parts())
  given <- names(quosures)
  unknown <- setdiff(given, known)
  if (length(unknown)) {
    what <- if (nzchar(unknown[1L])) paste0("`", unknown[1L], "`") else text_of("unnamed_argument")
    abort("input", c(text_of("refit_does_not_know", what = what),
                     if (nzchar(unknown[1L])) did_you_mean(unknown[1L], known),
                     i = text_of("it_changes", known = enumerate(known))))
  }
  lapply(stats::setNames(given, given), function(name) {
    if (isTRUE(is_column_option(name))) return(captured_argument(quosures[[name]], name))
    rlang::eval_tidy(quosures[[name]])
  })
}

# `near`, `starts` and `errors` as in fit_request().
refit_quietly <- function(fit, changes = list(), near = NULL, starts = NA, errors = TRUE) {
  asked <- intersect(names(changes), request_parts())
  request <- change_request(fit$request, changes[asked])
  new_sample <- any(names(changes) %in% setdiff(c("data", "omit_rows", request_parts()),
                                          c("blueprint", "multiplier")))
  sample <- if (new_sample) sample_of(refit_source(fit, changes), request) else
    sample_for(sample_of_fit(fit), request)
  fit_request(request, sample, near = near, starts = starts, errors = errors)
}

refit_source <- function(fit, changes) {
  source <- changes$data
  if (is.null(source)) {
    if (!has_raw_data(fit$sample)) {
      abort("input", c(text_of("fit_came_from_summary"),
                       i = text_of("give_data_refit_fit")))
    }
    source <- fit$sample$data$frame
  }
  rows <- changes$omit_rows
  if (is.null(rows)) return(source)
  usable <- is.data.frame(source) && is.numeric(rows) && !anyNA(rows) &&
    all(rows %in% seq_len(nrow(source)))
  if (!usable)
    abort("input",
          c(text_of("omit_rows_must_be"),
            i = text_of("such_omit_rows_c")))
  source[-rows, , drop = FALSE]
}
