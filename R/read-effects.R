#' Direct, indirect and total effects
#'
#' Total effects are the entries of \eqn{(I - B)^{-1}}; indirect effects are
#' what they add to the direct ones (Bollen 1987). Errors come from the delta
#' method with analytic derivatives.
#'
#' @param object A fit from [fit_model()].
#' @param items Whether to list effects of and on pure items, too.
#' @param routes Whether to split indirect effects by route: one row for each
#'   chain of effects that passes no variable twice, named by its product, which
#'   [quantity()] understands. With feedback there are more routes than these.
#' @param level Level of the confidence intervals.
#' @param ... Not used.
#' @return A data frame of class `orizzonte_effects`, rows for each
#'   pair with an effect: `parameter` (an address such as `total[A, B]`), `kind`
#'   (direct, indirect, route, total), `from`, `to`, `estimate`, `se`, `z`, `p`,
#'   `lower`, `upper`, `standardized`, `standardized_se`.
#' @examples
#' bp <- blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Staying ~ Belonging + Calm, Calm ~ Belonging)
#' effects(suppressMessages(fit_model(bp, choirs)))
#' @importFrom stats effects
#' @export
effects.orizzonte_fit <- function(object, items = FALSE, routes = FALSE, level = 0.95, ...) {
  check_dots_empty(..., .verb = "effects")
  check_level(level)
  if (has_groups(object)) {
    parts <- lapply(group_views(object), effects.orizzonte_fit, items = items, routes = routes, level = level)
    all <- do.call(rbind, lapply(names(parts), function(g) {
      part <- as.data.frame(parts[[g]])
      part$parameter <- with_group(part$parameter, g)
      part
    }))
    return(structure(all, class = c("orizzonte_effects", "data.frame")))
  }
  layout <- object$layout
  all <- c(layout$observed, layout$constructs)
  arrows <- which(layout$head %in% arrow_heads)
  pure <- match(pure_items(layout), all)
  outcomes <- setdiff(unique(layout$row[arrows]), if (!items) pure)
  causes <- setdiff(unique(layout$col[arrows]), if (!items) pure)
  pairs <- expand.grid(from = causes, to = outcomes)
  pairs <- pairs[pairs$from != pairs$to, ]
  # a pair counts when a route leads from one to the other, whatever its estimate
  reach <- reachable(layout, length(all))
  pairs <- pairs[reach[cbind(pairs$to, pairs$from)], , drop = FALSE]
  pairs <- pairs[order(match(pairs$to, outcomes), match(pairs$from, causes)), , drop = FALSE]
  context <- jet_context(object)
  rows <- lapply(seq_len(nrow(pairs)), function(i) effect_rows(object, c(pairs$from[i], pairs$to[i]), all, context, routes))
  effects_frame(object, do.call(c, rows), context, level)
}

# The rows of one pair (indices of cause and outcome), each a list of `parameter`, `kind`, `pair` and `jet`.
effect_rows <- function(fit, pair, all, context, routes) {
  layout <- fit$layout
  arrows <- layout$head %in% arrow_heads
  direct <- which(arrows & layout$row == pair[2L] & layout$col == pair[1L])
  row <- function(kind, parameter, jet) list(list(kind = kind, parameter = parameter, pair = pair, jet = jet))
  indirect <- total_jet("indirect", pair, fit, context)
  mediated <- indirect$value != 0 || any(indirect$gradient != 0)
  label <- function(head) address_format(head, all[pair[1L]], all[pair[2L]])
  along <- if (routes && mediated) simple_routes(layout, arrows, pair[1L], pair[2L])
  c(if (length(direct)) row("direct", layout$parameter[direct], list(value = fit$eta[direct], gradient = context$map[direct, ])),
    if (mediated) row("indirect", label("indirect"), indirect),
    unlist(lapply(along, function(steps) {
      text <- paste(layout$parameter[steps], collapse = " * ")
      row("route", text, expression_jet(str2lang(text), fit, context))
    }), recursive = FALSE),
    row("total", label("total"), total_jet("total", pair, fit, context)))
}

# Routes of two steps or more that pass no variable twice: rows of the table, in order.
simple_routes <- function(layout, arrows, from, to) {
  out <- list()
  walk <- function(at, steps, seen) {
    for (step in which(arrows & layout$col == at)) {
      next_one <- layout$row[step]
      if (next_one == to) {
        if (length(steps)) out <<- c(out, list(c(steps, step)))
      } else if (!next_one %in% seen) {
        walk(next_one, c(steps, step), c(seen, next_one))
      }
    }
  }
  walk(from, integer(), from)
  out
}

# The standardized effect is T_ab sd_b / sd_a; of a predictor coded 0/1, T_ab / sd_a.
effects_frame <- function(fit, rows, context, level) {
  all <- c(fit$layout$observed, fit$layout$constructs)
  if (length(rows) == 0L) {
    estimate <- standardized <- numeric()
    gradient <- spread <- matrix(0, 0L, length(fit$theta))
    from <- to <- integer()
  } else {
    from <- vapply(rows, function(r) r$pair[1L], 0L)
    to <- vapply(rows, function(r) r$pair[2L], 0L)
    variances <- context$standardized$variances[[1L]]
    sd <- sqrt(variances)
    log_sd <- context$standardized$variance_jacobians[[1L]] / (2 * variances)
    coded <- all %in% coded_predictors(fit)
    sd[coded] <- 1
    log_sd[coded, ] <- 0
    estimate <- vapply(rows, function(r) r$jet$value, 0)
    gradient <- do.call(rbind, lapply(rows, function(r) r$jet$gradient))
    standardized <- estimate * sd[from] / sd[to]
    spread <- gradient * sd[from] / sd[to] + standardized * (log_sd[from, , drop = FALSE] - log_sd[to, , drop = FALSE])
  }
  vcov <- solution_vcov(fit)
  se <- delta_se(gradient, vcov)
  se[rowSums(abs(gradient)) == 0] <- NA
  half <- stats::qnorm((1 + level) / 2) * se
  z <- estimate / se
  list_frame_class(list(
    parameter = vapply(rows, `[[`, "", "parameter"), kind = vapply(rows, `[[`, "", "kind"), from = all[from], to = all[to],
    estimate = estimate, se = se, z = z, p = 2 * stats::pnorm(-abs(z)), lower = estimate - half, upper = estimate + half,
    standardized = standardized, standardized_se = delta_se(spread, vcov)
  ), "orizzonte_effects")
}

#' @export
print.orizzonte_effects <- function(x, ...) {
  needed <- c("parameter", "kind", "estimate", "se", "z", "p", "standardized")
  if (!all(needed %in% names(x))) return(print(as.data.frame(unclass(x))))
  cat(heading("Effects"), sep = "\n")
  if (nrow(x) == 0L) {
    cat("The model has no effects among constructs or observed variables. Add some with effect(outcome ~ cause).\n")
    return(invisible(x))
  }
  cat(format_table(list(parameter = x$parameter, kind = x$kind, estimate = format_number(x$estimate), se = format_number(x$se), z = format_fixed(x$z, 2L),
                        p = format_p(x$p), standardized = format_fixed(x$standardized)), c(FALSE, FALSE, rep(TRUE, 5L))), sep = "\n")
  invisible(x)
}
