#' The structural equations and what each variable is
#'
#' Every variable that something points at as a sum of what points at it, with the raw estimates;
#' the variables that nothing points at are named.
#'
#' @param fit A fit from [fit_model()].
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_equations`, one row for each
#'   variable that something points at: `variable`, `group`, `kind` (item, construct,
#'   observed outcome), `equation` with the estimates. The attribute `causes`
#'   names the variables nothing points at, `constructs` the constructs.
#' @section Errors: `orizzonte_error_input` for anything that is no fit.
#' @seealso [estimates()], [identification()].
#' @examples
#' bp <- blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Staying ~ Belonging + years)
#' equations(suppressMessages(fit_model(bp, choirs)))
#' @export
equations <- function(fit, ...) {
  check_arguments("equations")
  check_fit(fit, "equations")
  views <- group_views(fit)
  out <- bind_frames(lapply(views, view_equations))
  layout <- views[[1L]]$layout
  causes <- setdiff(c(layout$constructs, layout$observed), layout$endogenous)
  structure(out, class = c("orizzonte_equations", "data.frame"), causes = causes,
            constructs = layout$constructs)
}

view_equations <- function(view) {
  layout <- view$layout
  outcomes <- layout$endogenous
  kind <- variable_kind(layout, outcomes)
  order <- order(match(kind, c("construct", "observed outcome", "item")))
  text <- vapply(outcomes[order], one_equation, "", view = view, USE.NAMES = FALSE)
  list_frame(list(variable = outcomes[order], kind = kind[order],
                  equation = mark_group(layout, view$group, text),
                  group = shown_group(layout, rep(view$group, length(outcomes)))))
}

one_equation <- function(variable, view) {
  rows <- view$layout$rows
  arrows <- which(rows$kind %in% arrow_kinds & rows$second %in% variable)
  terms <- paste0(format_number(abs(view$eta[arrows])), " ", address_name(rows$first[arrows]))
  sign <- ifelse(view$eta[arrows] < 0, "- ", "+ ")
  intercept <- which(rows$kind %in% c("intercept", "mean") & rows$first == variable)
  start <- if (length(intercept) && view$eta[intercept] != 0) format_number(view$eta[intercept])
  body <- paste(paste0(sign, terms), collapse = " ")
  if (is.null(start)) body <- sub("^\\+ ", "", body)
  paste0(address_name(variable), " = ", paste(c(start, body), collapse = " "),
         if (!variable %in% view$layout$composites) " + residual")
}

#' @export
print.orizzonte_equations <- function(x, ...) {
  if (!all(c("variable", "kind", "equation") %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  put_lines(heading(text_of("head_equations")))
  for (kind in unique(x$kind)) {
    title <- c(construct = text_of("constructs_something_points"), item = "Items",
               `observed outcome` = "Observed outcomes")[[kind]]
    put_lines(title, wrap_lines(x$equation[x$kind == kind], indent = 2L, hang = 6L))
  }
  causes <- attr(x, "causes")
  if (length(causes)) {
    constructs <- intersect(causes, attr(x, "constructs"))
    other <- setdiff(causes, constructs)
    put_lines(text_of("nothing_points_at"), paste0("  ", paste(
      c(if (length(constructs)) paste("constructs:", enumerate(constructs)),
        if (length(other)) paste("observed:", enumerate(other))), collapse = "; ")))
  }
  invisible(x)
}
