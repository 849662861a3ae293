# The improper parts of a solution, by address.

# Columns: parameter, value, trouble (a sentence). No rows when the solution is proper.
improper_parts <- function(fit) {
  if (known_to_be_proper(fit)) return(trouble_rows())
  cached(fit, "improper", bind_troubles(lapply(group_views(fit), view_improper)))
}

# Rows of `parameter`, `value` and `trouble`.
trouble_rows <- function(parameter = character(), value = numeric(), trouble = character()) {
  list_frame(list(parameter = parameter, value = value, trouble = trouble))
}

# Most solutions are proper: then there is nothing to bind.
bind_troubles <- function(parts) {
  some <- parts[vapply(parts, function(part) length(part[[1L]]) > 0L, NA)]
  if (length(some)) bind_frames(some) else trouble_rows()
}

view_improper <- function(view) {
  if (anyNA(view$eta)) return(trouble_rows())
  negative <- negative_parts(view)
  beyond <- construct_parts(view)
  bind_troubles(list(negative, beyond, residual_parts_improper(view, nrow(beyond) > 0L)))
}

negative_parts <- function(view) {
  rows <- view$layout$rows
  at <- which(rows$kind == "variance" & view$eta < 0)
  if (length(at) == 0L) return(trouble_rows())
  address <- rows$parameter[at]
  trouble_rows(address, view$eta[at],
               text_of("a_negative", address = address, at = format_number(view$eta[at]),
                       at_2 = rows$meaning[at],
                       at_3 = ifelse(rows$meaning[at] != "variance", text_of("r_squared_above_one"),
                                     "")))
}

# Correlations of constructs beyond 1, or a matrix of them that is not positive semi-definite.
# Constructs with a negative variance have no correlations.
construct_parts <- function(view) {
  layout <- view$layout
  latent <- seq_along(layout$constructs) + length(layout$observed)
  phi <- view_matrices(view)$covariance[latent, latent, drop = FALSE]
  positive <- diag(phi) > 0
  if (sum(positive) < 2L) return(trouble_rows())
  phi <- phi[positive, positive, drop = FALSE]
  constructs <- layout$constructs[positive]
  where <- in_group(layout, view$group)
  correlation <- phi / sqrt(outer(diag(phi), diag(phi)))
  beyond <- which(abs(correlation) > 1 + 1e-8 & lower.tri(correlation), arr.ind = TRUE)
  if (nrow(beyond)) {
    first <- constructs[pmin(beyond[, 1L], beyond[, 2L])]
    second <- constructs[pmax(beyond[, 1L], beyond[, 2L])]
    r <- correlation[beyond]
    address <- address_format("correlation", first, second,
                              shown_group(layout, rep(view$group, length(r))))
    return(trouble_rows(address, r,
                        text_of("correlation_beyond_one", first = first, second = second,
                                where = where, value = format_share(r, 3L))))
  }
  lowest <- smallest_eigenvalue(correlation)
  if (lowest >= -1e-8) return(trouble_rows())
  trouble_rows("correlation[constructs]", lowest,
               text_of("covariance_matrix_constructs_is", where = where))
}

residual_parts_improper <- function(view, beyond) {
  layout <- view$layout
  psi <- view_matrices(view)$residual
  all <- c(layout$observed, layout$constructs)
  blocks <- connected_blocks(psi)
  parts <- lapply(blocks[lengths(blocks) > 1L], function(block) {
    # a negative variance is reported as such; the others may still correlate beyond 1
    block <- block[diag(psi)[block] > 0]
    if (length(block) < 2L) return(trouble_rows())
    part <- psi[block, block, drop = FALSE]
    apart <- residual_pairs_improper(layout, part, all[block], view$group)
    if (nrow(apart)) return(apart)
    lowest <- smallest_eigenvalue(part)
    known <- beyond && all(all[block] %in% layout$constructs)
    if (lowest >= -1e-8 || known) return(trouble_rows())
    trouble_rows("covariance[items]", lowest,
                 text_of("covariance_matrix_residuals_is", block = enumerate(all[block]),
                         group = in_group(layout, view$group)))
  })
  bind_troubles(parts)
}

# Residuals that would correlate beyond 1, but for those of constructs.
residual_pairs_improper <- function(layout, part, names, group) {
  r <- stats::cov2cor(part)
  beyond <- which(abs(r) > 1 + 1e-8 & lower.tri(r), arr.ind = TRUE)
  beyond <- beyond[!(names[beyond[, 1L]] %in% layout$constructs &
                       names[beyond[, 2L]] %in% layout$constructs), , drop = FALSE]
  if (nrow(beyond) == 0L) return(trouble_rows())
  first <- names[beyond[, 2L]]
  second <- names[beyond[, 1L]]
  trouble_rows(address_format("covariance", first, second,
                              shown_group(layout, rep(group, length(first)))), r[beyond],
               text_of("residuals_would_correlate_beyond", first = first, second = second,
                       group = in_group(layout, group), beyond = format_share(r[beyond], 3L)))
}

# Parameters that are weakly identified at the solution, though not elsewhere: the standard error of
# each is more than 300 times what it would be if the other parameters were known.
weakly_identified <- function(fit) {
  inflation <- inflation_of(fit)
  if (length(inflation) != length(fit$layout$model$used) || length(inflation) == 0L ||
      max(inflation) < 1e5) return(character())
  names <- fit$layout$parameters[fit$layout$model$used]
  names[order(-inflation)][sort(inflation, decreasing = TRUE) > 0.01 * max(inflation)]
}

# Each trouble in a few words: a negative variance by its value.
short_troubles <- function(improper) {
  ifelse(startsWith(improper$parameter, "variance["),
         paste0(improper$parameter, " = ", format_number(improper$value)), improper$trouble)
}

# The status that precedes the numbers of a solution that is improper or did not converge: kept with
# the results, NULL for all others. Replicates are not printed and need none.
with_status <- function(x, fit) {
  if (is_replicate(fit)) return(x)
  attr(x, "columns") <- names(x)
  state <- solution_state(fit)
  if (state$status %in% c("improper", "not converged"))
    attr(x, "status") <- list(status = state$status,
                              trouble = if (state$status == "improper")
                                improper_parts(fit)$trouble else state$trouble)
  x
}

check_proper <- function(fit, verb) {
  improper <- improper_parts(fit)
  if (nrow(improper) == 0L) return(invisible())
  abort("convergence", c(text_of("needs_proper_solution", verb = verb),
                         x = enumerate(improper$trouble, most = 3L),
                         i = text_of("tries_usual_remedies", instruction = instruction("rescue"))))
}

# The status in words; NULL for a proper solution.
status_words <- function(x) {
  status <- attr(x, "status")
  if (is.null(status)) return(NULL)
  text_of(if (status$status == "improper") "read_first_improper" else "read_first_not_converged",
          trouble = paste(status$trouble, collapse = "; "))
}

# The heading of a result, with its status below.
heading_with_status <- function(title, x) {
  words <- status_words(x)
  c(heading(title), if (!is.null(words)) c(wrap_lines(words), ""))
}

# The most serious problem of a solution: its status and a short description.
solution_state <- function(fit) {
  state <- function(status, trouble) list(status = status, trouble = trouble)
  if (!has_converged(fit))
    return(state("not converged", stop_reason(fit)))
  improper <- improper_parts(fit)
  if (nrow(improper))
    return(state("improper", enumerate(short_troubles(improper), most = 3L)))
  pressed <- active_bound_texts(fit)
  if (length(pressed)) return(state("at bound", paste("at bound:", enumerate(pressed, most = 3L))))
  weak <- weakly_identified(fit)
  if (length(weak)) return(state("weak", paste(text_of("weakly_identified"), enumerate(weak,
      most = 2L))))
  state("proper", "")
}
