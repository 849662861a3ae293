#' Direct, indirect and total effects
#'
#' Total effects are the entries of \eqn{(I - B)^{-1}}; indirect effects are total effects minus
#' direct effects (Bollen 1987). Standard errors come from the delta method with analytic
#' derivatives.
#'
#' @param object A fit from [fit_model()].
#' @param items Whether to list also effects of and on pure items.
#' @param routes Whether to split indirect effects by route: one row for each
#'   chain of effects that passes no variable twice, named by its product, which
#'   [quantity()] understands. With feedback there are more routes than these.
#' @param level Level of the confidence intervals.
#' @param bootstrap An object from [bootstrap_fit()] for this fit. Its standard errors, intervals
#'   and p values replace the theoretical ones; nothing is resampled here.
#' @param ... Not used.
#' @return A data frame of class `orizzonte_effects`, rows for each
#'   pair with an effect: `parameter` (an address such as `total[A, B]`), `kind`
#'   (direct, indirect, route, total), `from`, `to`, `estimate`, `se`, `z`, `p`,
#'   `lower`, `upper`, `standardized`, `standardized_se`.
#' @section Errors: `orizzonte_error_input` for an object that is not a fit, an unknown argument, or
#' a
#'   level outside 0 to 1.
#' @references
#' Bollen, K. A. (1987). Total, direct, and indirect effects in structural equation models.
#' *Sociological Methodology, 17*, 37--69.
#' @seealso [estimates()], [quantity()] for other derived values, [without()] for the change in fit
#' when a path is removed.
#' @examples
#' bp <- blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Staying ~ Belonging + Calm, Calm ~ Belonging)
#' effects(suppressMessages(fit_model(bp, choirs)))
#' @importFrom stats effects
#' @export
effects.orizzonte_fit <- function(object, items = FALSE, routes = FALSE, level = 0.95,
                                  bootstrap = NULL, ...) {
  check_fit(object, "effects")
  check_arguments("effects")
  check_level(level)
  check_same_bootstrap(bootstrap, object, "effects")
  parts <- lapply(group_views(object), view_effects, items = items, routes = routes, level = level)
  columns <- as.list(bind_frames(parts))
  columns <- with_bootstrap(columns, bootstrap, "effects", columns$parameter,
                            paste0("standardized(", columns$parameter, ")"))
  with_status(structure(list_frame(columns), class = c("orizzonte_effects", "data.frame"),
                        bootstrap = bootstrap_note(bootstrap)), object)
}

# One row per effect: direct, indirect, along a route, total.
view_effects <- function(view, items, routes, level) {
  all <- c(view$layout$observed, view$layout$constructs)
  effects_frame(view, listed_effects(view, all, items, routes), all, level)
}

listed_effects <- function(view, all, items, routes) {
  pairs <- effect_pairs(view$layout, all, items)
  unlist(lapply(seq_len(nrow(pairs)), function(i) {
    effect_rows(view, c(pairs$from[i], pairs$to[i]), all, routes)
  }), recursive = FALSE)
}

# A pair counts when a route leads from one to the other, whatever its estimate.
effect_pairs <- function(layout, all, items) {
  arrows <- which(layout$rows$kind %in% arrow_kinds)
  pure <- if (!items) match(pure_items(layout), all)
  outcomes <- setdiff(unique(layout$rows$row[arrows]), pure)
  causes <- setdiff(unique(layout$rows$col[arrows]), pure)
  pairs <- expand.grid(from = causes, to = outcomes)
  pairs <- pairs[pairs$from != pairs$to, ]
  reach <- reachable(layout, length(all))
  pairs <- pairs[reach[cbind(pairs$to, pairs$from)], , drop = FALSE]
  pairs[order(match(pairs$to, outcomes), match(pairs$from, causes)), , drop = FALSE]
}

# The rows of one pair (indices of cause and outcome), each a list of `parameter`, `kind`, `pair`
# and `jet`.
effect_rows <- function(view, pair, all, routes) {
  layout <- view$layout
  arrows <- layout$rows$kind %in% arrow_kinds
  direct <- which(arrows & layout$rows$row == pair[2L] & layout$rows$col == pair[1L])
  row <- function(kind, parameter, jet) {
    list(list(kind = kind, parameter = parameter, pair = pair, jet = jet))
  }
  found <- derive(view$fit, c("indirect", "total"), view$number, rep(pair[1L], 2L),
                  rep(pair[2L], 2L))
  jet <- function(i) list(value = found$value[i], gradient = found$gradient[i, ])
  # the structure decides first: the difference of total and direct effect may consist of rounding
  # error only
  mediated <- has_longer_route(layout, arrows, pair[1L], pair[2L]) &&
    (found$value[1L] != 0 || any(found$gradient[1L, ] != 0))
  label <- function(kind) {
    address_format(kind, all[pair[1L]], all[pair[2L]], shown_group(layout,
    view$group))
  }
  along <- if (routes && mediated) simple_routes(layout, arrows, pair[1L], pair[2L])
  at <- view$fit$layout$spans[[view$number]]
  c(if (length(direct))
    row("direct", layout$rows$parameter[direct],
        one_jet(derive(view$fit, "entry", 1L, at[direct]))),
    if (mediated) row("indirect", label("indirect"), jet(1L)),
    unlist(lapply(along, function(steps) {
      text <- paste(layout$rows$parameter[steps], collapse = " * ")
      row("route", text, expression_jet(str2lang(text), view$fit))
    }), recursive = FALSE),
    row("total", label("total"), jet(2L)))
}

# Is there a route of two steps or more, through feedback as well?
has_longer_route <- function(layout, arrows, from, to) {
  next_of <- function(at) unique(layout$rows$row[arrows & layout$rows$col %in% at])
  reached <- integer()
  at <- next_of(from)
  while (length(at)) {
    reached <- c(reached, at)
    after <- next_of(at)
    if (to %in% after) return(TRUE)
    at <- setdiff(after, reached)
  }
  FALSE
}

# Routes of two steps or more that pass no variable twice: rows of the table, in order.
simple_routes <- function(layout, arrows, from, to) {
  out <- list()
  walk <- function(at, steps, seen) {
    for (step in which(arrows & layout$rows$col == at)) {
      next_one <- layout$rows$row[step]
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
effects_frame <- function(view, rows, all, level) {
  size <- length(theta_of(view$fit))
  from <- vapply(rows, function(r) r$pair[1L], 0L)
  to <- vapply(rows, function(r) r$pair[2L], 0L)
  jets <- lapply(rows, `[[`, "jet")
  ratio <- derive(view$fit, "sd_ratio", view$number, from, to)
  standard <- lapply(seq_along(jets), function(i) {
    combine_jets(tape_product,
                 list(jets[[i]], list(value = ratio$value[i], gradient = ratio$gradient[i, ])),
                 size)
  })
  gradient_of <- function(jets) {
    matrix(as.numeric(unlist(lapply(jets, `[[`, "gradient"))), length(jets), size, byrow = TRUE)
  }
  estimate <- vapply(jets, `[[`, 0, "value")
  vcov <- vcov_of(view$fit)
  se <- delta_se(gradient_of(jets), vcov)
  se[vapply(jets, function(jet) all(jet$gradient == 0), NA)] <- NA
  list_frame_class(c(
    list(parameter = vapply(rows, `[[`, "", "parameter"), kind = vapply(rows, `[[`, "", "kind"),
         from = all[from], to = all[to], estimate = estimate),
    inference_block(estimate, se, level, reference_df(view$fit)),
    list(standardized = vapply(standard, `[[`, 0, "value"),
         standardized_se = delta_se(gradient_of(standard), vcov))
  ), "orizzonte_effects")
}

#' @export
print.orizzonte_effects <- function(x, ...) {
  needed <- c("parameter", "kind", "estimate", "se", "z", "p", "standardized")
  if (!all(needed %in% names(x))) return(print(as.data.frame(unclass(x))))
  put_lines(heading_with_status(text_of("head_effects"), x))
  if (nrow(x) == 0L) {
    put_lines(text_of("model_has_no_effects"))
    return(invisible(x))
  }
  columns <- effect_columns(x)
  put_lines(format_table(columns, !names(columns) %in% c("parameter", "kind"),
                         spare = if (is.null(attr(x, "bootstrap"))) c("z", "interval", "se") else
                           c("z", "se", "kind")),
            if (!is.null(attr(x, "bootstrap"))) c("", wrap_lines(attr(x, "bootstrap"))))
  invisible(x)
}

effect_columns <- function(x) {
  interval <- if (all(c("lower", "upper") %in% names(x)))
    list(interval = trimws(interval_text(x$lower, x$upper)))
  columns <- c(
    list(parameter = x$parameter, kind = x$kind, estimate = format_number(x$estimate),
         se = format_number(x$se)),
    interval, list(z = format_fixed(x$z, 2L), p = format_p(x$p),
                   standardized = format_share(x$standardized, 3L)), user_columns(x))
  # bootstrapped rows have no z
  columns[vapply(columns, function(column) any(nzchar(column)), NA)]
}

#' The structural equations and the role of each variable
#'
#' One equation for each endogenous variable: the sum of its predictors, weighted by their raw
#' estimates. The exogenous variables are listed.
#'
#' @param fit A fit from [fit_model()].
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_equations`, one row for each
#'   endogenous variable: `variable`, `group`, `kind` (item, construct, observed outcome),
#'   `equation` with the estimates. The attribute `causes` names the exogenous variables,
#'   `constructs` the constructs.
#' @section Errors: `orizzonte_error_input` for an object that is not a fit.
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
  with_status(structure(out, class = c("orizzonte_equations", "data.frame"), causes = causes,
                        constructs = layout$constructs), fit)
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
  put_lines(heading_with_status(text_of("head_equations"), x))
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
