#' Explained variance
#'
#' R² = 1 - residual variance / total variance, for every variable that
#' something points at, with a delta-method error.
#'
#' @param fit A fit from [fit_model()].
#' @return A data frame of class `orizzonte_r_squared`: `variable`, `group`,
#'   `kind` (item, construct or observed outcome), `r_squared`, `se`.
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' r_squared(suppressMessages(fit_model(bp, choirs)))
#' @export
r_squared <- function(fit) {
  check_fit(fit, "r_squared")
  layout <- fit$layout
  standardized <- standardized_solution(fit)
  rows <- which(layout$head == "variance" & layout$first %in% layout$endogenous)
  se <- delta_se(standardized$jacobian, solution_vcov(fit))[rows]
  items <- layout$second[layout$head == "loading"]
  variable <- layout$first[rows]
  kind <- ifelse(variable %in% layout$constructs, "construct", ifelse(variable %in% items, "item", "observed outcome"))
  list_frame_class(list(variable = variable, group = layout$group[rows], kind = kind, r_squared = 1 - standardized$value[rows], se = se),
                   "orizzonte_r_squared")
}

#' @export
print.orizzonte_r_squared <- function(x, ...) {
  if (!all(c("variable", "kind", "r_squared", "se") %in% names(x))) return(print(as.data.frame(unclass(x))))
  cat(heading("Explained variance"), format_r_squared_table(x), sep = "\n")
  invisible(x)
}

format_r_squared_table <- function(x) {
  note <- ifelse(is.na(x$r_squared), "", ifelse(x$r_squared > 1 | x$r_squared < 0, "impossible", ifelse(x$r_squared < 0.25, "weak", "")))
  if (!is.null(x$group) && !all(is.na(x$group))) x$variable <- paste0(x$variable, " | ", x$group)
  columns <- list(x$variable, x$kind, format_fixed(x$r_squared), format_fixed(x$se), note)
  names(columns) <- c("variable", "kind", "R\u00b2", "se", "note")
  format_table(columns, c(FALSE, FALSE, TRUE, TRUE, FALSE))
}
