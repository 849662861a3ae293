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

# Parameters that can hardly be told apart at the solution, though they can elsewhere: the error of each is more than 300
# times what it would be if the others were known.
hardly_told_apart <- function(fit) {
  inflation <- fit$core$inflation
  if (length(inflation) != length(fit$layout$core$used) || length(inflation) == 0L || max(inflation) < 1e5) return(character())
  names <- fit$layout$parameters[fit$layout$core$used]
  names[order(-inflation)][sort(inflation, decreasing = TRUE) > 0.01 * max(inflation)]
}

# The worst that can be said of a solution, in a word and a few more.
solution_state <- function(fit) {
  state <- function(status, trouble) list(status = status, trouble = trouble)
  if (!has_converged(fit)) return(state("not converged", sub("^not converged: ", "", fit_status(fit))))
  improper <- improper_parts(fit)
  if (nrow(improper)) return(state("improper", enumerate(sub(":.*", "", improper$trouble), most = 3L)))
  pressed <- vapply(active_bounds(fit), `[[`, "", "text")
  if (length(pressed)) return(state("at bound", paste("at bound:", enumerate(pressed, most = 3L))))
  weak <- hardly_told_apart(fit)
  if (length(weak)) return(state("weak", paste("hardly told apart:", enumerate(weak, most = 2L))))
  state("proper", "")
}
