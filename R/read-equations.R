#' The structural equations and the role of each variable
#'
#' @param fit A fit from [fit_model()].
#' @return A data frame of class `orizzonte_equations`, one row for each
#'   variable that something points at: `variable`, `role` (item, construct,
#'   observed outcome), `equation` with the estimates. The attribute `roles`
#'   names the variables nothing points at.
#' @examples
#' bp <- blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Staying ~ Belonging + years)
#' equations(suppressMessages(fit_model(bp, choirs)))
#' @export
equations <- function(fit) {
  check_fit(fit, "equations")
  if (has_groups(fit)) {
    parts <- lapply(group_views(fit, errors = FALSE), equations)
    all <- do.call(rbind, lapply(names(parts), function(g) {
      part <- as.data.frame(parts[[g]])
      part$equation <- paste0("[", g, "]  ", part$equation)
      cbind(part, group = rep(g, nrow(part)))
    }))
    return(structure(all, class = c("orizzonte_equations", "data.frame"), causes = attr(parts[[1L]], "causes"), constructs = attr(parts[[1L]], "constructs")))
  }
  layout <- fit$layout
  outcomes <- layout$endogenous
  items <- layout$second[layout$head == "loading"]
  text <- vapply(outcomes, function(variable) {
    arrows <- which(layout$head %in% arrow_heads & layout$second %in% variable)
    terms <- paste0(format_number(abs(fit$eta[arrows])), " ", address_name(layout$first[arrows]))
    sign <- ifelse(fit$eta[arrows] < 0, "- ", "+ ")
    intercept <- which(layout$head %in% c("intercept", "mean") & layout$first == variable)
    start <- if (length(intercept) && fit$eta[intercept] != 0) format_number(fit$eta[intercept])
    body <- paste(paste0(sign, terms), collapse = " ")
    if (is.null(start)) body <- sub("^\\+ ", "", body)
    paste0(address_name(variable), " = ", paste(c(start, body), collapse = " "), if (!variable %in% layout$composites) " + residual")
  }, "")
  role <- ifelse(outcomes %in% layout$constructs, "construct", ifelse(outcomes %in% items, "item", "observed outcome"))
  order <- order(match(role, c("construct", "observed outcome", "item")))
  causes <- setdiff(c(layout$constructs, layout$observed), outcomes)
  list_frame_class(list(variable = outcomes[order], role = role[order], equation = unname(text[order])), "orizzonte_equations") |>
    structure(causes = causes, constructs = layout$constructs)
}

#' @export
print.orizzonte_equations <- function(x, ...) {
  if (!all(c("variable", "role", "equation") %in% names(x))) return(print(as.data.frame(unclass(x))))
  cat(heading("Equations"), sep = "\n")
  for (role in unique(x$role)) {
    title <- c(construct = "Constructs that something points at", item = "Items", `observed outcome` = "Observed outcomes")[[role]]
    cat(title, wrap_lines(x$equation[x$role == role], indent = 2L, hang = 6L), sep = "\n")
  }
  causes <- attr(x, "causes")
  if (length(causes)) {
    constructs <- intersect(causes, attr(x, "constructs"))
    other <- setdiff(causes, constructs)
    cat("Nothing points at\n  ", paste(c(if (length(constructs)) paste("constructs:", enumerate(constructs)),
                                         if (length(other)) paste("observed:", enumerate(other))), collapse = "; "), "\n", sep = "")
  }
  invisible(x)
}
