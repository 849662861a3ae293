# What makes a solution improper, by address.

# Columns: parameter, value, trouble (a sentence). No rows when the solution is proper.
improper_parts <- function(fit) {
  if (has_groups(fit)) {
    parts <- lapply(group_views(fit, errors = FALSE), improper_parts)
    return(list_frame(do.call(Map, c(list(c), unname(parts)))))
  }
  layout <- fit$layout
  parameter <- trouble <- character()
  value <- numeric()
  add <- function(address, number, text) {
    parameter <<- c(parameter, address)
    value <<- c(value, number)
    trouble <<- c(trouble, text)
  }
  where <- if (!is.null(fit$group)) paste0(" in group ", fit$group)
  if (anyNA(fit$eta)) return(list_frame(list(parameter = parameter, value = value, trouble = trouble)))
  negative <- which(layout$head == "variance" & fit$eta < 0)
  for (row in negative) {
    address <- layout$parameter[row]
    add(address, fit$eta[row], paste0(address, " = ", format_number(fit$eta[row]), ": a negative ", layout$role[row],
                                      if (layout$role[row] != "variance") ", so R\u00b2 is above 1"))
  }
  matrices <- model_matrices(fit)
  constructs <- layout$constructs
  v <- length(layout$observed) + length(constructs)
  latent <- seq_along(constructs) + length(layout$observed)
  if (length(latent) > 1L) {
    phi <- matrices$covariance[latent, latent, drop = FALSE]
    if (all(diag(phi) > 0)) {
      correlation <- phi / sqrt(outer(diag(phi), diag(phi)))
      beyond <- which(abs(correlation) > 1 + 1e-8 & lower.tri(correlation), arr.ind = TRUE)
      for (i in seq_len(nrow(beyond))) {
        pair <- constructs[sort(beyond[i, ])]
        r <- correlation[beyond[i, 1L], beyond[i, 2L]]
        add(address_format("correlation", pair[1L], pair[2L], fit$group %||% NA_character_), r,
            paste0("the correlation of ", pair[1L], " and ", pair[2L], where, " is ", format_fixed(r), ", beyond 1"))
      }
      if (nrow(beyond) == 0L && smallest_eigenvalue(correlation) < -1e-8) {
        add("correlation[constructs]", smallest_eigenvalue(correlation),
            paste0("the covariance matrix of the constructs", where, " is not positive semi-definite"))
      }
    }
  }
  if (length(negative) == 0L) {
    psi <- matrices$residual
    for (block in connected_blocks(psi)) {
      part <- psi[block, block, drop = FALSE]
      if (length(block) > 1L && all(diag(part) > 0)) {
        lowest <- smallest_eigenvalue(part / sqrt(outer(diag(part), diag(part))))
        names <- c(layout$observed, constructs)[block]
        known <- any(startsWith(parameter, "correlation[")) && all(names %in% constructs)
        if (lowest < -1e-8 && !known) {
          add("covariance[items]", lowest, paste0("the covariance matrix of the residuals of ", enumerate(names), where, " is not positive semi-definite"))
        }
      }
    }
  }
  list_frame(list(parameter = parameter, value = value, trouble = trouble))
}

smallest_eigenvalue <- function(m) min(eigen(m, symmetric = TRUE, only.values = TRUE)$values)

# Sets of variables linked by non-zero entries.
connected_blocks <- function(m) {
  group <- seq_len(nrow(m))
  links <- which(m != 0 & lower.tri(m), arr.ind = TRUE)
  for (i in seq_len(nrow(links))) {
    ends <- group[links[i, ]]
    group[group == max(ends)] <- min(ends)
  }
  split(seq_len(nrow(m)), group)
}

# A data frame without the cost of data.frame().
list_frame <- function(columns) {
  structure(columns, class = "data.frame", row.names = .set_row_names(length(columns[[1L]])))
}
