#' Quality of the measures
#'
#' Reliability, convergent validity and discriminant validity of the measures: omega and
#' alpha, average variance extracted, shared variance, heterotrait-monotrait ratios, correlations
#' against 1; each against [criteria()], with a sentence on each criterion that is not met and the
#' item responsible.
#'
#' @param fit A fit from [fit_model()].
#' @param level Level of the intervals.
#' @param criteria Cut-offs, from [criteria()]: `reliability`, `ave`, `loading`, `htmt`.
#' @param leave_out Which items to leave out on trial, one at a time, each with a refit: `"short"`
#'   (items of constructs below a criterion or with a weak item), `"all"` or `"none"`.
#' @param htmt Which heterotrait-monotrait ratio: `"keyed"` (Henseler et al. 2015, items turned so
#'   that they load positively), `"absolute"` (of the sizes of correlations) or `"geometric"` (of
#'   geometric means; Roemer et al. 2021).
#' @param bootstrap An object from [bootstrap_fit()] for this fit with `what = construct_quality`.
#'   Its intervals replace the theoretical ones, and ratios also get an interval; nothing is
#'   resampled here.
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object of class `orizzonte_quality`. `as.data.frame()` gives one row for each
#'   construct and group: `construct`, `group`, `items` (their number), `omega`, `omega_lower`,
#'   `omega_upper`, `alpha`, `alpha_lower`, `alpha_upper`, `alpha_standardized`, `ave`,
#'   `largest_shared` (the largest squared correlation with another construct), `shared_with`,
#'   `ave_lower`, `ave_upper`, `p_tau_equivalent`, `verdict` (`"good"`, `"acceptable"`,
#'   `"falls_short"`, `"part"` for a part of a larger construct, `"assumed"` for a single item whose
#'   reliability was fixed, or `NA`, as for every construct of an improper solution) and `short`
#'   (the criteria that are not met). The object also contains `pairs`
#'   (`first`, `second`, `group`, `correlation`, `se`, `lower`, `upper`, `p_below_one`,
#'   `one_chisq`, `one_df`, `one_p`, `htmt`, `htmt_lower`, `htmt_upper`, `htmt_without`), `loadings`
#'   (standardized, by item), `crossing` (items that reflect several constructs, and the one in
#'   whose scale they are counted), `fornell_larcker`
#'   (correlations, the root of the average variance extracted in the diagonal) and `htmt` as
#'   matrices, or lists of them by group, `tau_equivalent` (`construct`, `chisq`, `df`, `p`) and
#'   `left_out` (`item`, `construct`, `group`, `omega`, `alpha`, `ave` without it and their changes,
#'   `cfi`, `rmsea`, `srmr`, `status`).
#' @section Computation: Items are keyed by the sign of their loading. An item that reflects
#'   several constructs belongs to the scale of the construct on which its standardized loading is
#'   largest. Omega (composite
#'   reliability) is \eqn{(\sum\lambda)^2\phi / \mathrm{var}(\sum x)} as the model implies it:
#'   residual covariances and the loadings of other constructs enlarge the sum's variance only
#'   (McDonald 1999; Raykov 2001). For a second-order construct the sum is that of all observed
#'   items
#'   below it. The average variance extracted is the mean squared standardized loading of the items
#'   of the scale. Standard errors come from the delta method, intervals of omega and AVE from the
#'   logit scale and those of correlations from Fisher's z scale, so that they stay within their
#'   range. Alpha (Cronbach 1951) comes from the observed covariances (from the EM moments with
#'   missing values), its standard error from the influence of each case (from normal theory for
#'   summary data; van Zyl et al. 2000), its interval from the scale of log(1 - alpha) (Bonett
#'   2002). Alpha estimates reliability only if the items of the scale have equal loadings and
#'   uncorrelated errors (essentially tau-equivalent items): `p_tau_equivalent` is the p value of
#'   exact fit of that model of the scale by itself, in all groups at once. `p_below_one` tests that
#'   the absolute value of a correlation is 1 against that it is less, one sided, by its own
#'   standard
#'   error. For correlations above .8, `one_chisq`, `one_df` and `one_p` compare the fit with the
#'   model in which the two constructs are one, which also equates their relations to all others.
#'   HTMT leaves out items that load on both constructs of a pair (`htmt_without`). Composites are
#'   not judged, nor constructs with loadings fixed at 0 (growth).
#' @section Errors: `orizzonte_error_input` for a model without constructs to judge;
#'   `orizzonte_error_convergence` for a fit without estimates.
#' @references
#' Bonett, D. G. (2002). Sample size requirements for testing and estimating coefficient alpha.
#' *Journal of Educational and Behavioral Statistics, 27*(4), 335--340.
#'
#' Cronbach, L. J. (1951). Coefficient alpha and the internal structure of tests. *Psychometrika,
#' 16*(3), 297--334.
#'
#' Fornell, C., & Larcker, D. F. (1981). Evaluating structural equation models with unobservable
#' variables and measurement error. *Journal of Marketing Research, 18*(1), 39--50.
#'
#' Henseler, J., Ringle, C. M., & Sarstedt, M. (2015). A new criterion for assessing discriminant
#' validity in variance-based structural equation modeling. *Journal of the Academy of Marketing
#' Science, 43*(1), 115--135.
#'
#' McDonald, R. P. (1999). *Test theory: A unified treatment*. Erlbaum.
#'
#' Raykov, T. (2001). Bias of coefficient alpha for fixed congeneric measures with correlated
#' errors. *Applied Psychological Measurement, 25*(1), 69--76.
#'
#' Roemer, E., Schuberth, F., & Henseler, J. (2021). HTMT2: An improved criterion for assessing
#' discriminant validity in structural equation modeling. *Industrial Management & Data Systems,
#' 121*(12), 2637--2650.
#'
#' van Zyl, J. M., Neudecker, H., & Nel, D. G. (2000). On the distribution of the maximum likelihood
#' estimator of Cronbach's alpha. *Psychometrika, 65*(3), 271--280.
#' @seealso [variance_split()] for bifactor and second-order models, [loading_plot()],
#'   [predict()][predict.orizzonte_fit] for scores.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' construct_quality(fit)
#' @export
construct_quality <- function(fit, level = 0.95, criteria = NULL, leave_out = "short",
                              htmt = "keyed", bootstrap = NULL, ...) {
  check_arguments("construct_quality")
  check_fit(fit, "construct_quality")
  check_level(level)
  criteria <- check_criteria(criteria)
  leave_out <- choose_one(leave_out, c("short", "all", "none"), "`leave_out`")
  form <- choose_one(htmt, htmt_forms, "`htmt`")
  check_same_bootstrap(bootstrap, fit, "construct_quality")
  if (!has_values(fit))
    abort("convergence", c(text_of("there_are_no_estimates"),
                           x = text_of("fit_has_groups", fit = fit_status(fit))))
  views <- group_views(fit)
  judged <- lapply(views, judged_constructs)
  if (all(lengths(lapply(judged, `[[`, "names")) == 0L))
    abort("input", c(text_of("model_has_no_constructs"),
                     i = text_of("add_construct_bp_name")))
  parts <- Map(view_quality, views, judged, level = level, form = form)
  out <- new_quality(fit, parts, judged, list(level = level, form = form), criteria)
  if (!is_replicate(fit)) {
    out$tau_equivalent <- tau_equivalent(fit, out)
    out$table$p_tau_equivalent <- out$tau_equivalent$p[match(out$table$construct,
        out$tau_equivalent$construct)]
    if (!is.null(out$pairs)) {
      one <- as_one_construct(fit, out$pairs)
      for (column in names(one)) out$pairs[[column]] <- one[[column]]
    }
  }
  out <- quality_with_bootstrap(out, bootstrap)
  out$table[c("verdict", "short")] <- judge_constructs(out)
  if (!is_replicate(fit)) out$left_out <- items_left_out(fit, out, leave_out)
  out
}

# One group: the table, the pairs of constructs and the loadings.
view_quality <- function(view, judged, level, form) {
  names <- judged$names
  errors <- !is_replicate(view$fit)
  crossing <- crossing_items(view, names)
  view <- with_scale_jets(view, names)
  measures <- lapply(stats::setNames(names, names), function(name) {
    all <- item_loadings(view, name)
    left <- crossing$left[[name]]
    loadings <- loadings_without(all, left)
    list(items = loadings$items, key = keys_of(loadings), all_items = all$items,
         omega = omega_of(view, name, loadings), ave = ave_of(view, name, left))
  })
  df <- reference_df(view$fit)
  share <- function(what) {
    jets <- bind_jets(lapply(measures, `[[`, what))
    c(list(value = jets$value),
      share_interval(jets$value, jet_error(jets, view$fit), level, df))
  }
  omega <- share("omega")
  ave <- share("ave")
  alphas <- lapply(measures, function(m) view_alpha(view, m$items, m$key, errors))
  alpha <- vapply(alphas, `[[`, 0, "alpha")
  interval <- alpha_interval(alpha, vapply(alphas, `[[`, 0, "se"), level, df)
  single <- vapply(measures, function(m) length(m$items) == 1L, NA)
  columns <- list(construct = names, group = rep(view$group, length(names)),
                  items = lengths(lapply(measures, `[[`, "items")), omega = omega$value,
                  omega_lower = omega$lower, omega_upper = omega$upper, alpha = alpha,
                  alpha_lower = interval$lower, alpha_upper = interval$upper,
                  alpha_standardized = vapply(alphas, `[[`, 0, "standardized"), ave = ave$value,
                  ave_lower = ave$lower, ave_upper = ave$upper)
  pairs <- pair_columns(view, names, measures, level, form)
  fixed <- Filter(function(name) reliability_is_fixed(view, measures[[name]]), names)
  second <- Filter(function(name) is_second_order(view, name), names)
  list(table = lapply(columns, unname), pairs = pairs, single = names[single], fixed = fixed,
       crossing = crossing$crossing,
       scales = lapply(measures, function(m) view$layout$observed[m$items]),
       keys = lapply(measures, `[[`, "key"),
       second_order = second, parts_of = specific_parts(view, setdiff(names, second)),
       loadings = loading_columns(view, names))
}

pair_columns <- function(view, names, measures, level, form) {
  pairs <- judged_pairs(view, names)
  size <- length(pairs$first)
  if (size == 0L) return(NULL)
  value <- pairs$jet$value
  df <- reference_df(view$fit)
  block <- inference_block(value, jet_error(pairs$jet, view$fit), level, df)
  block[c("lower", "upper")] <- correlation_interval(value, block$se, level, df)
  below <- stats::pt((1 - abs(value)) / block$se, df, lower.tail = FALSE)
  none <- rep(NA_real_, size)
  list(first = pairs$first, second = pairs$second, group = rep(view$group, size),
       correlation = value, se = block$se, lower = block$lower, upper = block$upper,
       p_below_one = below, one_chisq = none, one_df = rep(NA_integer_, size), one_p = none,
       htmt = view_htmt(view, pairs, measures, form), htmt_lower = none, htmt_upper = none,
       htmt_without = shared_items(view, pairs, measures))
}

# The interval of a correlation on Fisher's z scale; none for values outside -1 to 1.
correlation_interval <- function(value, se, level, df = Inf) {
  value[abs(value) >= 1] <- NA_real_
  half <- stats::qt((1 + level) / 2, df) * se / (1 - value^2)
  list(lower = tanh(atanh(value) - half), upper = tanh(atanh(value) + half))
}

# A single item whose residual variance is fixed: its reliability is assumed, not estimated.
reliability_is_fixed <- function(view, measure) {
  if (length(measure$items) > 1L) return(FALSE)
  rows <- view$layout$rows
  item <- view$layout$observed[measure$items]
  any(!is.na(rows$fixed[rows$kind == "variance" & rows$first %in% item]))
}

loading_columns <- function(view, names) {
  rows <- view$layout$rows
  own <- which(rows$kind == "loading" & rows$first %in% names)
  own <- own[order(match(rows$first[own], names))]
  standardized <- standardized_of(view$fit)
  at <- view$fit$layout$spans[[view$number]][own]
  list(construct = rows$first[own], item = rows$second[own], group = rep(view$group, length(own)),
       standardized = standardized$value[at], se = standardized$se[at])
}

new_quality <- function(fit, parts, judged, asked, criteria) {
  layout <- fit$layout
  frame <- function(name) {
    tables <- Filter(Negate(is.null), lapply(parts, `[[`, name))
    if (length(tables) == 0L) return(NULL)
    table <- bind_frames(lapply(tables, list_frame))
    table$group <- shown_group(layout, table$group)
    table
  }
  table <- frame("table")
  pairs <- frame("pairs")
  shared <- largest_shared(table, pairs)
  table$largest_shared <- shared$value
  table$shared_with <- shared$with
  table$p_tau_equivalent <- NA_real_
  table$verdict <- table$short <- NA_character_
  order <- c("construct", "group", "items", "omega", "omega_lower", "omega_upper", "alpha",
             "alpha_lower", "alpha_upper", "alpha_standardized", "ave", "largest_shared",
             "shared_with", "ave_lower", "ave_upper", "p_tau_equivalent", "verdict", "short")
  left <- unlist(unname(lapply(judged, `[[`, "left")))
  structure(list(title = fit$request$blueprint$title, table = table[order], pairs = pairs,
                 loadings = frame("loadings"), tau_equivalent = NULL, left_out = NULL,
                 crossing = frame("crossing"), scales = scales_of(parts, "scales"),
                 keys = scales_of(parts, "keys"),
                 fixed = unique(unlist(unname(lapply(parts, `[[`, "fixed")))),
                 fit_codes = fit_codes(fit, criteria), fit_line = fit_line(fit),
                 fornell_larcker = by_group(layout, parts, fornell_larcker_matrix),
                 htmt = by_group(layout, parts, htmt_matrix),
                 left = left[!duplicated(names(left))],
                 single = unique(unlist(unname(lapply(parts, `[[`, "single")))),
                 parts_of = parts[[1L]]$parts_of,
                 second_order = unique(unlist(unname(lapply(parts, `[[`, "second_order")))),
                 notes = quality_notes(fit), asked = asked, criteria = criteria,
                 bootstrap = NULL, groups = several_groups(layout),
                 wordings = all_wordings(fit), sample = sample_header(fit$sample),
                 status = solution_state(fit)$status), class = "orizzonte_quality")
}

# Collects a component by construct, from the first group that has it.
scales_of <- function(parts, what) {
  all <- unlist(unname(lapply(parts, `[[`, what)), recursive = FALSE)
  all[!duplicated(names(all))]
}

# The fit of the model in one line, and the codes of its indices: all results here assume that the
# model holds.
fit_line <- function(fit) {
  if (test_of(fit)$df == 0L || !has_converged(fit)) return(NULL)
  index <- indices_of(fit)
  paste0(chisq_text(index[["chisq"]], index[["df"]], index[["p"]]), ", CFI = ",
         format_share(index[["cfi"]], 3L), ", RMSEA = ", format_share(index[["rmsea"]], 3L),
         ", SRMR = ", format_share(index[["srmr"]], 3L))
}

fit_codes <- function(fit, criteria) {
  if (test_of(fit)$df == 0L || !has_converged(fit) || is_replicate(fit)) return(character())
  table <- fit_indices(fit, criteria)
  main <- c("cfi", "tli", "rmsea", "srmr")
  stats::setNames(table$verdict[match(main, table$index)], main)
}

# A matrix, or a list of them by group.
by_group <- function(layout, parts, f) {
  list_or_single(layout, lapply(parts, f))
}

pair_matrix <- function(part, value, diagonal) {
  names <- part$table$construct
  out <- diag(diagonal, length(names))
  dimnames(out) <- list(names, names)
  at <- cbind(match(part$pairs$first, names), match(part$pairs$second, names))
  if (length(part$pairs$first)) out[at] <- out[at[, 2:1, drop = FALSE]] <- value
  out
}

fornell_larcker_matrix <- function(part) {
  pair_matrix(part, part$pairs$correlation, sqrt(part$table$ave))
}

htmt_matrix <- function(part) {
  pair_matrix(part, part$pairs$htmt, rep(NA_real_, length(part$table$construct)))
}

# The largest squared correlation of each construct in each group, and with which construct.
largest_shared <- function(table, pairs) {
  found <- lapply(seq_along(table$construct), function(k) {
    own <- pairs$group %in% table$group[k] &
      (pairs$first == table$construct[k] | pairs$second == table$construct[k])
    if (is.null(pairs) || !any(own)) return(list(value = NA_real_, with = NA_character_))
    best <- which(own)[which.max(pairs$correlation[own]^2)]
    if (length(best) == 0L) return(list(value = NA_real_, with = NA_character_))
    with <- setdiff(c(pairs$first[best], pairs$second[best]), table$construct[k])
    list(value = pairs$correlation[best]^2, with = with)
  })
  list(value = vapply(found, `[[`, 0, "value"), with = vapply(found, `[[`, "", "with"))
}

quality_notes <- function(fit) {
  raw <- has_raw_data(fit$sample)
  incomplete <- is_incomplete(fit$sample)
  c(if (incomplete) text_of("alpha_ratios_come_from"),
    if (incomplete && length(fit$layout$observed) > most_saturated)
      text_of("more_than_variables_standard", most_saturated = most_saturated),
    if (!raw) text_of("standard_errors_alpha_are"))
}

# Bootstrap intervals in place of theoretical ones.
quality_with_bootstrap <- function(x, bootstrap) {
  if (is.null(bootstrap)) return(x)
  table <- bootstrapped_table(bootstrap, "construct_quality")
  limits <- function(names) {
    at <- match(names, table$parameter)
    list(lower = table$lower[at], upper = table$upper[at], known = any(!is.na(at)))
  }
  marked <- function(what, name, group) {
    paste0(what, "[", name, ifelse(is.na(group), "", paste0(" | ", group)), "]")
  }
  known <- FALSE
  for (what in c("omega", "alpha", "ave")) {
    found <- limits(marked(what, x$table$construct, x$table$group))
    x$table[[paste0(what, "_lower")]] <- found$lower
    x$table[[paste0(what, "_upper")]] <- found$upper
    known <- known || found$known
  }
  if (!is.null(x$pairs)) {
    found <- limits(marked("htmt", pair_names(x$pairs), x$pairs$group))
    x$pairs$htmt_lower <- found$lower
    x$pairs$htmt_upper <- found$upper
    known <- known || found$known
    found <- limits(marked("correlation", pair_names(x$pairs), x$pairs$group))
    x$pairs$lower <- found$lower
    x$pairs$upper <- found$upper
  }
  if (!known)
    abort("input", c(text_of("bootstrap_holds_nothing_construct"),
                     i = text_of("make_one_what_construct")))
  x$asked$level <- bootstrap$asked$level
  x$bootstrap <- bootstrap_note(bootstrap)
  x
}

pair_names <- function(pairs) paste0(pairs$first, ", ", pairs$second)

#' @export
as.data.frame.orizzonte_quality <- function(x, row.names = NULL, optional = FALSE, ...) x$table

# Heterotrait-monotrait ratios (Henseler, Ringle & Sarstedt 2015): correlations between the items of
# two constructs against those within each.

htmt_forms <- c("keyed", "absolute", "geometric")

# "keyed": |mean r between| / sqrt(mean r within one x mean r within the other), with items reversed
# so that they load positively; "absolute": means of |r|; "geometric": geometric means (Roemer,
# Schuberth & Henseler 2021). NA for fewer than two items of their own, and for means that are not
# positive.
htmt_ratio <- function(r, one, other, form) {
  if (length(one) < 2L || length(other) < 2L || any(one %in% other)) return(NA_real_)
  inside <- function(items) {
    own <- r[items, items, drop = FALSE]
    own[lower.tri(own)]
  }
  between <- as.numeric(r[one, other])
  mean_of <- switch(form, keyed = mean, absolute = function(x) mean(abs(x)),
                    geometric = function(x) if (all(x > 0)) exp(mean(log(x))) else NA_real_)
  within <- c(mean_of(inside(one)), mean_of(inside(other)))
  if (anyNA(within) || any(within <= 0)) return(NA_real_)
  abs(mean_of(between * sign(mean(between)))) / sqrt(prod(within))
}

# Of all pairs of constructs of one group. `measures`: by construct, its items and their keys.
view_htmt <- function(view, pairs, measures, form) {
  covariance <- observed_moments(view)$covariance
  sd <- sqrt(diag(covariance))
  r <- covariance / outer(sd, sd)
  vapply(seq_along(pairs$first), function(k) {
    one <- measures[[pairs$first[k]]]
    other <- measures[[pairs$second[k]]]
    keyed <- rep(1, ncol(r))
    keyed[one$items] <- one$key
    keyed[other$items] <- other$key
    shared <- intersect(one$all_items, other$all_items)
    htmt_ratio(r * outer(keyed, keyed), setdiff(one$items, shared), setdiff(other$items, shared),
               form)
  }, 0)
}

# The items that load on both constructs of a pair, without which its ratio is computed.
shared_items <- function(view, pairs, measures) {
  vapply(seq_along(pairs$first), function(k) {
    shared <- intersect(measures[[pairs$first[k]]]$all_items,
                        measures[[pairs$second[k]]]$all_items)
    paste(view$layout$observed[shared], collapse = ", ")
  }, "")
}
