#' Mediation: direct, indirect and total effects of one variable on another
#'
#' All ways from a predictor to an outcome in one table: the direct effect, the indirect effect
#' along each route, their sum, and the total effect, each with an interval and its standardized
#' value; and the differences between the indirect effects of different routes, and between groups.
#'
#' @param fit A fit from [fit_model()].
#' @param from,to Names of the predictor and of the outcome, bare or quoted.
#' @param bootstrap A bootstrap of this fit from [bootstrap_fit()], whatever it contains. Its
#'   replicates give the intervals, which for products of effects are better than those of the delta
#'   method; nothing is resampled here.
#' @param level Level of the intervals.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_mediation`, one row for each effect (and group):
#'   `parameter`, `group`, `kind` (`"direct"`, `"route"`, `"indirect"`, `"total"`, `"contrast"` of
#'   two routes, `"groups"` for the difference of the indirect effect from the first group), `via`
#'   (the variables on the route, or the difference that a contrast takes), `estimate`, `se`,
#'   `lower`, `upper`, `p`, `standardized`, `standardized_lower`, `standardized_upper` (the last two
#'   from the bootstrap).
#' @section How: Indirect effects are products of the effects along a route (Bollen 1987). Without a
#'   bootstrap, standard errors come from the delta method (Sobel 1982), whose symmetric intervals
#'   are too low for products; with one, intervals are those of its kind (percentile,
#'   bias-corrected, or BCa, for which the acceleration comes from the influence of single cases).
#' @section Errors: `orizzonte_error_name` for an unknown variable; `orizzonte_error_input` when
#'   nothing leads from one to the other, or for a bootstrap of another fit.
#' @references
#' Bollen, K. A. (1987). Total, direct, and indirect effects in structural equation models.
#' *Sociological Methodology, 17*, 37--69.
#'
#' Efron, B. (1987). Better bootstrap confidence intervals. *Journal of the American Statistical
#' Association, 82*(397), 171--185.
#'
#' Sobel, M. E. (1982). Asymptotic confidence intervals for indirect effects in structural equation
#' models. *Sociological Methodology, 13*, 290--312.
#' @seealso [effects()][effects.orizzonte_fit] for all pairs of variables, [power_of()] and
#'   [plan_study()] for the sample size.
#' @examples
#' bp <- blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Staying ~ Belonging + Calm, Calm ~ Belonging)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' mediation(fit, Belonging, Staying)
#' boot <- bootstrap_fit(fit, reps = 200, seed = 1, interval = "percentile")
#' mediation(fit, Belonging, Staying, bootstrap = boot)
#' @export
mediation <- function(fit, from, to, bootstrap = NULL, level = 0.95, ...) {
  check_arguments("mediation")
  check_fit(fit, "mediation")
  check_level(level)
  check_same_bootstrap(bootstrap, fit, "mediation")
  if (!has_values(fit)) check_converged(fit, "mediation")
  from <- mediation_variable(rlang::enquo(from), fit, "from")
  to <- mediation_variable(rlang::enquo(to), fit, "to")
  asked <- mediation_rows(fit, from, to)
  if (length(asked) == 0L)
    abort("input", c(text_of("mediation_nothing_leads", from = quoted(from), to = quoted(to)),
                     i = text_of("mediation_declare")))
  out <- mediation_estimates(fit, asked, level)
  if (!is.null(bootstrap)) out <- mediation_bootstrapped(out, fit, asked, bootstrap, level)
  with_status(structure(list_frame_class(out, "orizzonte_mediation"), from = from, to = to,
                        title = fit$request$blueprint$title, level = level,
                        bootstrap = bootstrap_note(bootstrap)), fit)
}

mediation_variable <- function(quosure, fit, what) {
  name <- captured_column(quosure, paste0("`", what, "`"))
  known <- unique(unlist(lapply(fit$layout$parts, function(part) {
    c(part$constructs, part$observed)
  })))
  if (length(name) != 1L) abort("input", text_of("mediation_names"))
  if (!name %in% known)
    abort("name", c(text_of("mediation_no_variable", name = quoted(name)),
                    did_you_mean(name, known)))
  as.vector(name)
}

# The rows that are shown, in order: by group the direct effect, routes, their sum, the total and
# contrasts of routes; then contrasts of groups. Each has `rows`: those of the parameter table whose
# products are added, by route, with the sign of each product.
mediation_rows <- function(fit, from, to) {
  layout <- fit$layout
  found <- lapply(seq_along(layout$groups), function(g) group_mediation(layout, g, from, to))
  names(found) <- layout$groups
  out <- unlist(unname(found), recursive = FALSE)
  indirect <- lapply(found, function(rows) {
    Filter(function(row) row$kind == "indirect", rows)
  })
  whole <- lengths(indirect) == 1L
  if (sum(whole) < 2L) return(out)
  first <- indirect[[which(whole)[1L]]][[1L]]
  c(out, lapply(unname(which(whole))[-1L], function(g) {
    own <- indirect[[g]][[1L]]
    list(kind = "groups", parameter = paste(own$parameter, "-", first$parameter),
         group = layout$groups[g], via = paste(own$group, "-", first$group),
         routes = c(own$routes, first$routes),
         sign = c(own$sign, -first$sign), pair = own$pair, feedback = own$feedback)
  }))
}

group_mediation <- function(layout, g, from, to) {
  part <- layout_of_group(layout, g)
  span <- layout$spans[[g]]
  all <- c(part$observed, part$constructs)
  pair <- match(c(from, to), all)
  if (anyNA(pair)) return(list())
  arrows <- part$rows$kind %in% arrow_kinds
  direct <- which(arrows & part$rows$col == pair[1L] & part$rows$row == pair[2L])
  routes <- simple_routes(part, arrows, pair[1L], pair[2L])
  feedback <- any(diag(reachable(part, length(all))))
  group <- shown_group(layout, layout$groups[g])
  address <- function(kind) address_format(kind, from, to, group)
  row <- function(kind, parameter, routes, sign = rep(1, length(routes)), via = NA_character_) {
    list(list(kind = kind, parameter = parameter, group = layout$groups[g], via = via,
              routes = lapply(routes, function(steps) span[steps]), sign = sign,
              pair = pair, feedback = feedback))
  }
  label <- vapply(routes, function(steps) paste(part$rows$parameter[steps], collapse = " * "), "")
  via <- vapply(routes, function(steps) {
    paste(all[part$rows$row[steps[-length(steps)]]], collapse = ", ")
  }, "")
  c(if (length(direct)) row("direct", part$rows$parameter[direct], list(direct)),
    if (length(routes) > 1L)
      unlist(unname(Map(function(steps, text, names) row("route", text, list(steps), 1, names),
                        routes, label, via)), recursive = FALSE),
    if (length(routes)) row("indirect", address("indirect"), routes),
    if (length(routes) || length(direct))
      row("total", address("total"), c(if (length(direct)) list(direct), routes)),
    if (length(routes) > 1L && length(routes) <= most_contrasted)
      unlist(utils::combn(length(routes), 2L, function(two) {
        row("contrast", paste0(label[two[1L]], " - ", label[two[2L]]), routes[two], c(1, -1),
            paste(via[two], collapse = " - "))
      }, simplify = FALSE), recursive = FALSE))
}

most_contrasted <- 5L    # routes whose differences are listed

# Values of all rows from the values of the parameter table; with feedback, indirect and total
# effects come from the matrix of total effects.
mediation_values <- function(asked, eta, fit, matrices = NULL) {
  vapply(asked, function(row) {
    if (row$feedback && row$kind %in% c("indirect", "total")) {
      effects <- matrices[[match(row$group, fit$layout$groups)]]$effects
      total <- total_effects(effects)[row$pair[2L], row$pair[1L]]
      return(total - if (row$kind == "indirect") effects[row$pair[2L], row$pair[1L]] else 0)
    }
    sum(row$sign * vapply(row$routes, function(steps) prod(eta[steps]), 0))
  }, 0)
}

# Standard deviation of the predictor over that of the outcome, for standardized values.
mediation_ratios <- function(asked, fit, matrices) {
  vapply(asked, function(row) {
    own <- matrices[[match(row$group, fit$layout$groups)]]$covariance
    real_root(own[row$pair[1L], row$pair[1L]]) /
      real_root(own[row$pair[2L], row$pair[2L]])
  }, 0)
}

mediation_estimates <- function(fit, asked, level) {
  jets <- lapply(asked, function(row) expression_jet(str2lang(row$parameter), fit))
  estimate <- vapply(jets, `[[`, 0, "value")
  gradient <- matrix(as.numeric(unlist(lapply(jets, `[[`, "gradient"))), length(jets),
                     byrow = TRUE)
  se <- delta_se(gradient, vcov_of(fit))
  block <- inference_block(estimate, se, level, reference_df(fit))
  standardized <- estimate * mediation_ratios(asked, fit, matrices_of(fit))
  standardized[vapply(asked, `[[`, "", "kind") == "groups"] <- NA
  none <- rep(NA_real_, length(asked))
  list(parameter = vapply(asked, `[[`, "", "parameter"),
       group = shown_group(fit$layout, vapply(asked, `[[`, "", "group")),
       kind = vapply(asked, `[[`, "", "kind"), via = vapply(asked, `[[`, "", "via"),
       estimate = estimate, se = se,
       lower = block$lower, upper = block$upper, p = block$p, standardized = standardized,
       standardized_lower = none, standardized_upper = none)
}

# The same numbers in every replicate give standard errors, intervals and p values.
mediation_bootstrapped <- function(out, fit, asked, bootstrap, level) {
  kept <- which(bootstrap$kept)
  whole <- whole_model(fit)
  estimate <- c(out$estimate, out$standardized)
  values <- t(vapply(kept, function(r) {
    theta <- theta_of(fit)
    theta[fit$layout$model$used] <- bootstrap$theta[r, seq_along(fit$layout$model$used)]
    eta <- values_at(fit$layout, theta)
    matrices <- core_implied(whole, eta)
    raw <- mediation_values(asked, eta, fit, matrices)
    c(raw, raw * mediation_ratios(asked, fit, matrices))
  }, numeric(2L * length(asked))))
  type <- bootstrap$asked$interval
  acceleration <- if (type == "bca") mediation_acceleration(fit, asked, out) else
    rep(0, length(estimate))
  found <- replicate_intervals(values, estimate, type, level, acceleration)
  own <- seq_along(asked)
  out$se <- found$se[own]
  out$lower <- found$lower[own]
  out$upper <- found$upper[own]
  out$p <- found$p[own]
  out$standardized_lower <- found$lower[-own]
  out$standardized_upper <- found$upper[-own]
  missing <- is.na(out$standardized)
  out$standardized_lower[missing] <- out$standardized_upper[missing] <- NA
  out
}

# Acceleration from the influence of single cases on each number (Efron 1987): the standardized
# value uses that of the raw one.
mediation_acceleration <- function(fit, asked, out) {
  own <- casewise_fit(fit)
  change <- own$scores %*% own$bread
  jets <- lapply(asked, function(row) expression_jet(str2lang(row$parameter), joint_fit(fit)))
  acceleration <- vapply(jets, function(jet) {
    d <- drop(change %*% jet$gradient)
    d <- d - mean(d)
    if (all(d == 0)) 0 else sum(d^3) / (6 * sum(d^2)^1.5)
  }, 0)
  rep(acceleration, 2L)
}

# --- in print ----------------------------------------------------------------------------------

mediation_columns <- function(x) {
  percent <- text_of("interval_title", level = format(100 * attr(x, "level")))
  columns <- c(
    list(effect = mediation_labels(x)),
    if (any(!is.na(x$group))) list(group = ifelse(x$kind == "groups", "", x$group)),
    list(estimate = format_number(x$estimate), se = format_number(x$se),
         interval = shown_interval(x$lower, x$upper), p = format_p(x$p),
         standardized = format_share(x$standardized, 3L)))
  names(columns)[names(columns) == "interval"] <- percent
  if (any(!is.na(x$standardized_lower)))
    columns <- c(columns, list(`its interval` = ifelse(
      is.na(x$standardized_lower), "",
      interval_text(x$standardized_lower, x$standardized_upper))))
  columns
}

# "via Calm", "Calm - Craft", "direct".
mediation_labels <- function(x) {
  words <- words_of("mediation_kind", x$kind)
  ifelse(is.na(x$via), words, paste(words, x$via))
}

# One sentence for each group: is there mediation, and is there a direct effect?
mediation_reading <- function(x, prefix = "mediation_") {
  groups <- unique(x$group)
  vapply(groups, function(g) {
    own <- x[x$group %in% g, ]
    at <- function(kind) own[own$kind == kind, ][1L, ]
    indirect <- at("indirect")
    direct <- at("direct")
    code <- rule_mediation(indirect$lower, indirect$upper, direct$lower, direct$upper)
    text_of(paste0(prefix, code), from = attr(x, "from"), to = attr(x, "to"),
            where = if (is.na(g)) "" else text_of("mediation_in_group", group = g))
  }, "", USE.NAMES = FALSE)
}

mediation_note <- function(x) {
  attr(x, "bootstrap") %||% text_of("mediation_delta")
}

#' @export
print.orizzonte_mediation <- function(x, ...) {
  if (!all(c("parameter", "kind", "estimate", "lower") %in% names(x)) || is.null(attr(x, "from")))
    return(print(as.data.frame(unclass(x))))
  columns <- mediation_columns(x)
  put_lines(heading_with_status(text_of("mediation_title", from = attr(x, "from"),
                                        to = attr(x, "to")), x),
            wrap_lines(mediation_reading(x)), "",
            format_table(columns, !names(columns) %in% c("effect", "group"),
                         spare = c("se", "p")), "", wrap_lines(mediation_note(x)))
  invisible(x)
}

#' @rdname tidy.orizzonte_fit
#' @export
tidy.orizzonte_mediation <- function(x, ...) {
  check_arguments("tidy")
  tidy_renamed(x, c(parameter = "term"))
}

# Intervals and power of indirect effects from the distribution of products (MacKinnon, Lockwood &
# Williams 2004; Schoemann, Boulton & Short 2017), because products of estimates are not normally
# distributed.

product_draws <- 1000L

# Every indirect effect among the variables that are more than items, in every group: `parameter`
# and, by route, the rows of the parameter table whose product it adds. None with feedback.
indirect_effects <- function(layout) {
  unlist(lapply(seq_along(layout$groups), function(g) {
    part <- layout_of_group(layout, g)
    all <- c(part$observed, part$constructs)
    if (any(diag(reachable(part, length(all))))) return(NULL)
    arrows <- part$rows$kind %in% arrow_kinds
    pairs <- effect_pairs(part, all, items = FALSE)
    found <- lapply(seq_len(nrow(pairs)), function(k) {
      routes <- simple_routes(part, arrows, pairs$from[k], pairs$to[k])
      if (length(routes) == 0L) return(NULL)
      list(parameter = address_format("indirect", all[pairs$from[k]], all[pairs$to[k]],
                                      shown_group(layout, layout$groups[g])),
           group = layout$groups[g],
           routes = lapply(routes, function(steps) layout$spans[[g]][steps]))
    })
    Filter(Negate(is.null), found)
  }), recursive = FALSE)
}

# The sum of products of the columns of `entries` (draws x rows of the table, named by row).
sum_of_products <- function(routes, entries) {
  Reduce(`+`, lapply(routes, function(steps) {
    Reduce(`*`, lapply(as.character(steps), function(step) entries[[step]]))
  }))
}

# Values and covariances of the entries on the routes.
entries_of <- function(effect, fit, vcov = vcov_of(fit)) {
  rows <- unique(unlist(effect$routes))
  map <- map_matrix(fit$layout)[rows, , drop = FALSE]
  list(rows = rows, value = values_of(fit)[rows], vcov = map %*% vcov %*% t(map))
}

# Draws around values with these covariances: a list by row.
drawn_entries <- function(entries, z) {
  root <- lower_root_or_zero(entries$vcov)
  moved <- entries$value + root %*% z[seq_along(entries$rows), , drop = FALSE]
  stats::setNames(lapply(seq_along(entries$rows), function(k) moved[k, ]),
                  as.character(entries$rows))
}

# A root of a covariance matrix that may have empty rows (fixed entries).
lower_root_or_zero <- function(matrix) {
  moving <- diag(matrix) > 0
  out <- matrix * 0
  if (any(moving)) out[moving, moving] <- lower_root(matrix[moving, moving, drop = FALSE])
  out
}

# Estimate and limits of each indirect effect of a fit.
indirect_limits <- function(fit, effects, significance) {
  vcov <- vcov_of(fit)
  most <- max(1L, lengths(lapply(effects, function(one) unique(unlist(one$routes)))))
  z <- with_seed(1L, matrix(stats::rnorm(most * product_draws), most))
  lapply(effects, function(effect) {
    entries <- entries_of(effect, fit, vcov)
    at <- stats::setNames(as.list(entries$value), as.character(entries$rows))
    drawn <- sum_of_products(effect$routes, drawn_entries(entries, z))
    limits <- if (anyNA(drawn)) c(NA_real_, NA_real_) else
      stats::quantile(drawn, c(significance / 2, 1 - significance / 2), names = FALSE)
    list(estimate = sum_of_products(effect$routes, at), se = stats::sd(drawn),
         lower = limits[1L], upper = limits[2L])
  })
}

power_replicates <- 1000L
power_inner <- 4000L

# The proportion of estimates, drawn with the covariances that a fit has at n cases, whose interval
# for the indirect effect excludes zero. The draws are the same for every n.
indirect_power <- function(test, n, significance) {
  entries <- test$entries
  scale <- sqrt(test$n / n)
  root <- scale * lower_root_or_zero(entries$vcov)
  size <- length(entries$rows)
  estimates <- entries$value + root %*% test$outer[seq_len(size), , drop = FALSE]
  around <- root %*% test$inner[seq_len(size), , drop = FALSE]
  drawn <- lapply(seq_len(size), function(k) outer(estimates[k, ], around[k, ], `+`))
  names(drawn) <- entries$rows
  products <- sum_of_products(test$routes, drawn)
  above <- rowMeans(products > 0)
  mean(above <= significance / 2 | above >= 1 - significance / 2)
}

# Normal draws (rows: variables) with exact means, variances and covariances, which removes most of
# the sampling error of proportions.
whitened_draws <- function(size, draws) {
  z <- matrix(stats::rnorm(size * draws), size)
  z <- z - rowMeans(z)
  forwardsolve(lower_root(tcrossprod(z) / draws), z)
}

# The test of an indirect effect by its interval, for power_of().
indirect_test <- function(fit, text) {
  known <- indirect_effects(fit$layout)
  names <- vapply(known, `[[`, "", "parameter")
  at <- match(text, names)
  if (is.na(at))
    abort("address", c(text_of("no_indirect_effect", parameter = text),
                       did_you_mean(text, names),
                       i = if (length(names)) text_of("indirect_effects_are",
                                                      names = enumerate(names, most = 8L))))
  entries <- entries_of(known[[at]], fit)
  draws <- with_seed(1L, list(
    outer = whitened_draws(length(entries$rows), power_replicates),
    inner = whitened_draws(length(entries$rows), power_inner)))
  c(list(label = text, df = NA_integer_, routes = known[[at]]$routes, entries = entries,
         n = sample_n(fit$sample), product = TRUE, words = text_of("power_of_products")), draws)
}
