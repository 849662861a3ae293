#' Loadings by item and construct
#'
#' The usual table of a factor analysis: one row per item, one column per construct, and the
#' communality of the item, the proportion of its variance that its constructs explain together.
#'
#' @param fit A fit from [fit_model()].
#' @param values `"standardized"` or `"raw"` loadings; communalities are the same.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_loading_table`, one row per item and group: `item`,
#'   `group`, one column per construct with its loadings (`NA` where an item does not load on it),
#'   and `communality`. The attribute `constructs` gives the column of each construct.
#' @section Errors: `orizzonte_error_input` for an object that is not a fit, and for a model without
#'   loadings.
#' @seealso [loading_plot()] for a figure with intervals and item texts, [estimates()] for standard
#'   errors, [construct_quality()].
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' loading_table(suppressMessages(fit_model(bp, choirs)))
#' @export
loading_table <- function(fit, values = "standardized", ...) {
  check_arguments("loading_table")
  check_fit(fit, "loading_table")
  values <- choose_one(values, c("standardized", "raw"), "`values`")
  rows <- fit$layout$rows
  loads <- which(rows$kind == "loading")
  if (length(loads) == 0L) abort("input", text_of("no_loadings_to_show"))
  standardized <- standardized_of(fit)$value
  value <- if (values == "raw") values_of(fit) else standardized
  key <- unique(data.frame(item = rows$second[loads], group = rows$group[loads]))
  key <- key[order(match(key$group, fit$layout$groups)), ]
  constructs <- unique(rows$first[loads])
  columns <- lapply(constructs, function(name) {
    own <- loads[rows$first[loads] == name]
    value[own][match(paste(key$group, key$item), paste(rows$group[own], rows$second[own]))]
  })
  # a construct may be called like one of the other columns
  names(columns) <- utils::tail(make.unique(c("item", "group", "communality", constructs)), -3L)
  own <- which(rows$kind == "variance")
  residual <- standardized[own][match(paste(key$group, key$item),
                                      paste(rows$group[own], rows$first[own]))]
  table <- list_frame_class(c(list(item = key$item, group = shown_group(fit$layout, key$group)),
                              columns, list(communality = 1 - residual)),
                            "orizzonte_loading_table")
  with_status(structure(table, constructs = stats::setNames(names(columns), constructs),
                        values = values), fit)
}

#' @export
print.orizzonte_loading_table <- function(x, ...) {
  constructs <- attr(x, "constructs")
  if (!all(c("item", "group", constructs, "communality") %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  number <- if (attr(x, "values") == "raw") format_number else format_share
  shown <- function(column) ifelse(is.na(column), "", number(column))
  columns <- c(list(item = x$item), if (!all(is.na(x$group))) list(group = x$group),
               lapply(constructs, function(name) shown(x[[name]])),
               list(communality = ifelse(is.na(x$communality), "", format_share(x$communality))))
  words <- length(columns) - length(constructs) - 1L
  title <- text_of(if (attr(x, "values") == "raw") "head_loading_table_raw" else
    "head_loading_table")
  put_lines(heading_with_status(title, x),
            format_table(columns, c(rep(FALSE, words), rep(TRUE, length(constructs) + 1L))))
  invisible(x)
}
