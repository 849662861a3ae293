#' Direct, indirect and total effects
#'
#' Total effects are the entries of \eqn{(I - B)^{-1}}; indirect effects are
#' what they add to the direct ones (Bollen 1987). Errors come from the delta
#' method with analytic derivatives.
#'
#' @param object A fit from [fit_model()].
#' @param items Whether to list effects of and on pure items, too.
#' @param level Level of the confidence intervals.
#' @param ... Not used.
#' @return A data frame of class `orizzonte_effects`, up to three rows for each
#'   pair with an effect: `parameter` (an address such as `total[A, B]`), `kind`
#'   (direct, indirect, total), `from`, `to`, `estimate`, `se`, `z`, `p`,
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
effects.orizzonte_fit <- function(object, items = FALSE, level = 0.95, ...) {
  check_dots_empty(..., .verb = "effects")
  check_level(level)
  layout <- object$layout
  all <- c(layout$observed, layout$constructs)
  matrices <- model_matrices(object)
  total <- matrices$total - diag(length(all))
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
  if (nrow(pairs) == 0L) return(effects_frame(NULL, level))
  vcov <- solution_vcov(object)
  standardized <- standardized_solution(object)
  sd <- sqrt(standardized$variances[[1L]])
  log_sd <- standardized$variance_jacobians[[1L]] / (2 * standardized$variances[[1L]])
  coded <- all %in% coded_predictors(object)
  sd[coded] <- 1
  log_sd[coded, ] <- 0
  rows <- lapply(seq_len(nrow(pairs)), function(i) {
    effect_rows(object, pairs$from[i], pairs$to[i], matrices$total, arrows, all, vcov, sd, log_sd)
  })
  effects_frame(do.call(rbind, rows), level)
}

reachable <- function(layout, size) {
  step <- matrix(FALSE, size, size)
  arrows <- which(layout$head %in% arrow_heads)
  step[cbind(layout$row[arrows], layout$col[arrows])] <- TRUE
  reach <- step
  repeat {
    wider <- reach | (reach %*% step > 0)
    if (identical(wider, reach)) return(reach)
    reach <- wider
  }
}

# d T_ab / d B_ij = T_ai T_jb; the standardized effect is T_ab sd_b / sd_a.
effect_rows <- function(fit, from, to, total, arrows, all, vcov, sd, log_sd) {
  layout <- fit$layout
  q <- length(layout$parameters)
  gradient_total <- gradient_direct <- numeric(q)
  in_map <- which(layout$map$entry %in% arrows)
  for (k in in_map) {
    entry <- layout$map$entry[k]
    p <- layout$map$parameter[k]
    gradient_total[p] <- gradient_total[p] + layout$map$weight[k] * total[to, layout$row[entry]] * total[layout$col[entry], from]
    if (layout$row[entry] == to && layout$col[entry] == from) gradient_direct[p] <- gradient_direct[p] + layout$map$weight[k]
  }
  direct_row <- arrows[layout$row[arrows] == to & layout$col[arrows] == from]
  direct <- sum(fit$eta[direct_row])
  value <- c(direct = direct, indirect = total[to, from] - direct, total = total[to, from])
  gradient <- rbind(gradient_direct, gradient_total - gradient_direct, gradient_total)
  ratio <- sd[from] / sd[to]
  standardized <- value * ratio
  spread <- gradient * ratio + outer(standardized, log_sd[from, ] - log_sd[to, ])
  se <- unname(delta_se(gradient, vcov))
  se[rowSums(abs(gradient)) == 0] <- NA
  keep <- c(length(direct_row) > 0L, abs(value[["indirect"]]) > 0 || any(abs(gradient[2L, ]) > 0), TRUE)
  head <- if (length(direct_row)) layout$head[direct_row] else "effect"
  list_frame(list(head = rep(head, 3L), kind = names(value), from = rep(all[from], 3L), to = rep(all[to], 3L), estimate = unname(value), se = se,
                  standardized = unname(standardized), standardized_se = unname(delta_se(spread, vcov))))[keep, ]
}

effects_frame <- function(rows, level) {
  if (is.null(rows)) {
    rows <- list_frame(list(kind = character(), from = character(), to = character(), estimate = numeric(), se = numeric(),
                            standardized = numeric(), standardized_se = numeric(), head = character()))
  }
  head <- ifelse(rows$kind == "direct", rows$head, rows$kind)
  half <- stats::qnorm((1 + level) / 2) * rows$se
  z <- rows$estimate / rows$se
  list_frame_class(list(
    parameter = if (nrow(rows)) address_format(head, rows$from, rows$to) else character(), kind = rows$kind, from = rows$from, to = rows$to,
    estimate = rows$estimate, se = rows$se, z = z, p = 2 * stats::pnorm(-abs(z)), lower = rows$estimate - half, upper = rows$estimate + half,
    standardized = rows$standardized, standardized_se = rows$standardized_se
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
