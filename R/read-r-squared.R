#' Explained variance
#'
#' R² = 1 - residual variance / total variance, for every variable that
#' something points at, with a delta-method standard error.
#'
#' @param fit A fit from [fit_model()].
#' @param bootstrap What [bootstrap_fit()] returned for this fit: its `se`, intervals and p take
#'   the place of those of theory. Nothing is bootstrapped here.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_r_squared`: `variable`, `group`,
#'   `kind` (item, construct or observed outcome), `r_squared`, `se`.
#' @section Errors: `orizzonte_error_input` for anything that is no fit.
#' @seealso [estimates()], [path_diagram()] with `r_squared = TRUE`.
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' r_squared(suppressMessages(fit_model(bp, choirs)))
#' @export
r_squared <- function(fit, bootstrap = NULL, ...) {
  check_arguments("r_squared")
  check_fit(fit, "r_squared")
  rows <- fit$layout$rows
  standardized <- standardized_of(fit)
  at <- which(rows$kind == "variance" & rows$first %in% fit$layout$endogenous)
  variable <- rows$first[at]
  check_same_bootstrap(bootstrap, fit, "r_squared")
  group <- shown_group(fit$layout, rows$group[at])
  columns <- list(variable = variable, group = group, kind = variable_kind(fit$layout, variable),
                  r_squared = 1 - standardized$value[at], se = standardized$se[at])
  label <- paste0("r_squared[", variable, ifelse(is.na(group), "", paste0(" | ", group)), "]")
  list_frame_class(with_bootstrap(columns, bootstrap, "r_squared", label), "orizzonte_r_squared")
}

# What something that is pointed at is, in words.
variable_kind <- function(layout, variable) {
  items <- layout$rows$second[layout$rows$kind == "loading"]
  ifelse(variable %in% layout$constructs, "construct",
         ifelse(variable %in% items, "item", "observed outcome"))
}

#' @export
print.orizzonte_r_squared <- function(x, ...) {
  if (!all(c("variable", "kind", "r_squared", "se") %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  put_lines(heading(text_of("head_explained_variance")), format_r_squared_table(x))
  invisible(x)
}

format_r_squared_table <- function(x) {
  format_table(r_squared_columns(x), c(FALSE, FALSE, TRUE, TRUE, FALSE))
}

r_squared_columns <- function(x) {
  note <- ifelse(is.na(x$r_squared), "",
                 ifelse(x$r_squared > 1 | x$r_squared < 0, "impossible",
                        ifelse(x$r_squared < 0.25, "weak", "")))
  if (!is.null(x$group) && !all(is.na(x$group))) x$variable <- paste0(x$variable, " | ", x$group)
  titled(list(variable = x$variable, kind = x$kind, r_squared = format_fixed(x$r_squared),
              se = format_fixed(x$se), note = note))
}
