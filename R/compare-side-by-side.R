#' Estimates of several models side by side
#'
#' With and without controls, before and after a change: one row per parameter, with the models
#' beside each other.
#'
#' @param ... Fits from [fit_model()]; names, where given, become the labels.
#' @param values `"raw"` or `"standardized"`: which values `print()` shows; the data frame contains
#'   both.
#' @param kinds Kinds of the parameters to show, such as `c("effect", "loading")`; when `NULL`, all
#'   but intercepts and means held at 0.
#' @return A data frame of class `orizzonte_side_by_side`: `parameter`, `kind`, and for each model
#'   `estimate`, `se`, `p`, `standardized` and `status`, each followed by a dot and the model's
#'   label. `NA` where a model does not have the parameter.
#' @section Errors: `orizzonte_error_input` for an object that is not a fit, or an unknown kind (the
#'   nearest is named).
#' @seealso [compare_models()] for the tests.
#' @examples
#' bp <- blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Staying", reflected_in = st1:st3)
#' alone <- suppressMessages(fit_model(bp |> effect(Staying ~ Belonging), choirs))
#' controlled <-
#'   suppressMessages(fit_model(bp |> effect(Staying ~ Belonging + years + age), choirs))
#' side_by_side(alone, controlled, kinds = "effect")
#' @export
side_by_side <- function(..., values = "raw", kinds = NULL) {
  check_arguments("side_by_side", dots = TRUE)
  fits <- list(...)
  for (fit in fits) check_fit(fit, "side_by_side")
  if (length(fits) == 0L)
    abort("input", c(text_of("side_side_needs_fits"), i = text_of("side_side_fit1_fit2")))
  values <- choose_one(values, c("raw", "standardized"), "`values`")
  known <- c(names(address_kinds), "quantity")
  unknown <- setdiff(kinds, known)
  if (length(unknown))
    abort("input", c(text_of("no_such_kind", kind = quoted(unknown[1L])),
                     did_you_mean(unknown[1L], known)))
  labels <- fit_labels(as.list(substitute(list(...)))[-1L], fits)
  tables <- lapply(fits, estimates)
  parameters <- unique(unlist(lapply(tables, `[[`, "parameter")))
  plain <- sub("\\[.*", "", parameters)
  idle <- vapply(parameters,
                 function(p) {
                   all(vapply(tables, function(t) t$estimate[match(p, t$parameter)] %in% c(0, NA),
                              NA))
                 }, NA)
  keep <- if (is.null(kinds)) plain != "intercept" & !(plain == "mean" & idle) else plain %in% kinds
  parameters <- parameters[keep]
  # kinds in their usual order, parameters in the order of the models
  parameters <-
    parameters[order(match(sub("\\[.*", "", parameters),
                           c("effect", "weight", "loading", "covariance", "variance", "mean",
                             "intercept", "quantity")))]
  kind <- rep(NA_character_, length(parameters))
  columns <- list()
  for (i in seq_along(fits)) {
    at <- match(parameters, tables[[i]]$parameter)
    kind[is.na(kind)] <- tables[[i]]$kind[at][is.na(kind)]
    for (name in c("estimate", "se", "p", "standardized", "status"))
      columns[[paste0(name, ".", labels[i])]] <- tables[[i]][[name]][at]
  }
  structure(list_frame_class(c(list(parameter = parameters, kind = kind), columns),
                             "orizzonte_side_by_side"), labels = labels, values = values,
            size = vapply(fits, function(f) as.numeric(sample_n(f$sample)), 0),
            chisq = vapply(fits, function(fit) test_of(fit)$chisq, 0),
            df = vapply(fits, stats::df.residual, 0),
            r_squared = shared_r_squared(fits))
}

shared_r_squared <- function(fits) {
  each <- lapply(fits, r_squared)
  outcomes <- unique(unlist(lapply(each, function(x) x$variable[x$kind != "item"])))
  list(variable = outcomes,
       value = lapply(each, function(x) x$r_squared[match(outcomes, x$variable)]))
}

side_columns <- function(x) {
  labels <- attr(x, "labels")
  standardized <- identical(attr(x, "values"), "standardized")
  columns <- list(parameter = x$parameter)
  for (i in seq_along(labels)) {
    get <- function(name) x[[paste0(name, ".", labels[i])]]
    status <- get("status")
    value <- if (standardized) format_share(get("standardized"), 3L) else
      format_number(get("estimate"))
    error <- ifelse(is.na(get("se")) | standardized, "",
                    paste0(" (", format_number(get("se")), ")"))
    p <- ifelse(is.na(get("p")), ifelse(status %in% c("fixed", "at bound"), status, ""),
                format_p(get("p")))
    columns[[labels[i]]] <- ifelse(is.na(status), "", paste0(value, error))
    # columns of the same kind under each label
    columns[[paste0("p", strrep(" ", i - 1L))]] <- ifelse(is.na(status), "", p)
  }
  r <- attr(x, "r_squared")
  summary <- list(measure = c(if (length(r$variable)) paste("R\u00b2 of", r$variable), "n",
                              "\u03c7\u00b2", "df"))
  for (i in seq_along(labels)) {
    summary[[labels[i]]] <- c(if (length(r$variable)) format_share(r$value[[i]], 3L),
                              format_count(attr(x, "size")[i]),
                              format_fixed(attr(x, "chisq")[i], 2L), format_count(attr(x, "df")[i]))
  }
  list(estimates = columns, summary = summary)
}

#' @export
print.orizzonte_side_by_side <- function(x, ...) {
  labels <- attr(x, "labels")
  if (is.null(labels) || !all(paste0("estimate.", labels) %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  columns <- side_columns(x)
  standardized <- identical(attr(x, "values"), "standardized")
  put_lines(
    heading(text_of("side_side",
                    standardized = if (standardized)
                      "standardized" else "estimates (standard errors)")),
    format_table(columns$estimates, c(FALSE, rep(TRUE, length(columns$estimates) - 1L))), "",
    format_table(columns$summary, c(FALSE, rep(TRUE, length(labels)))))
  if (length(unique(attr(x, "size"))) > 1L)
    put_lines("", wrap_lines(text_of("models_were_fitted_different")))
  invisible(x)
}
