#' Quality of the measures
#'
#' How well the items measure their constructs and how well the constructs are told apart: omega and
#' alpha, average variance extracted, shared variance, heterotrait-monotrait ratios, correlations
#' against 1; each against [criteria()], and in words what falls short and through which item.
#'
#' @param fit A fit from [fit_model()].
#' @param level Level of the intervals.
#' @param criteria Cut-offs, from [criteria()]: `reliability`, `ave`, `loading`, `htmt`.
#' @param leave_out Which items to try leaving out, each by a real refit: those of constructs that
#'   fall `"short"` or have a weak item, `"all"` or `"none"`.
#' @param htmt Which heterotrait-monotrait ratio: `"keyed"` (Henseler et al. 2015, items turned so
#'   that they load positively), `"absolute"` (of the sizes of correlations) or `"geometric"` (of
#'   geometric means; Roemer et al. 2021).
#' @param bootstrap What [bootstrap_fit()] with `what = construct_quality` returned for this fit:
#'   its intervals take the place of those of theory, and ratios get theirs. Nothing is bootstrapped
#'   here.
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object of class `orizzonte_quality`. `as.data.frame()` gives one row for each
#'   construct and group: `construct`, `group`, `items` (their number), `omega`, `omega_lower`,
#'   `omega_upper`, `alpha`, `alpha_lower`, `alpha_upper`, `alpha_standardized`, `ave`,
#'   `largest_shared` (the largest squared correlation with another construct), `shared_with`,
#'   `ave_lower`, `ave_upper`, `p_equal_loadings`, `verdict` (`"good"`, `"acceptable"`,
#'   `"falls_short"`, `"part"` for a part of a larger construct, or `NA`) and `short` (the criteria
#'   that are not met). The object also holds `pairs`
#'   (`first`, `second`, `group`, `correlation`, `se`, `lower`, `upper`, `p_below_one`, `htmt`,
#'   `htmt_lower`, `htmt_upper`), `loadings` (standardized, by item), `fornell_larcker`
#'   (correlations, the root of the average variance extracted in the diagonal) and `htmt` as
#'   matrices, or lists of them by group, `equal_loadings` (`construct`, `chisq`, `df`, `p`) and
#'   `left_out` (`item`, `construct`, `group`, `omega`, `alpha`, `ave` without it and their changes,
#'   `cfi`, `rmsea`, `srmr`, `status`).
#' @section What is computed: Items are keyed by the sign of their loading. Omega (composite
#'   reliability) is \eqn{(\sum\lambda)^2\phi / \mathrm{var}(\sum x)} as the model implies it:
#'   residual covariances and the loadings of other constructs enlarge the sum's variance only
#'   (McDonald 1999; Raykov 2001). Of a second-order construct the sum is that of all observed items
#'   below it. The average variance extracted is the mean squared standardized loading of its own
#'   items. Standard errors come from the delta method, intervals of omega and AVE from the logit
#'   scale. Alpha (Cronbach 1951) comes from the observed covariances (from the EM moments with
#'   missing values), its standard error from the influence of each case (from normal theory for
#'   summary data; van Zyl et al. 2000), its interval from the scale of log(1 - alpha) (Bonett
#'   2002); it is a reliability only if loadings are equal, which is tested beside it by a refit,
#'   in all groups at once. `p_below_one` tests that the size of a correlation is 1 against that it
#'   is less, one sided, by its own standard error; that is not the test of a model in which two
#'   constructs are one, which also equates their other covariances. Composites are not judged, nor
#'   constructs with loadings fixed at 0 (growth).
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
    out$equal_loadings <- equal_loadings(fit, out)
    out$table$p_equal_loadings <- out$equal_loadings$p[match(out$table$construct,
        out$equal_loadings$construct)]
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
  measures <- lapply(stats::setNames(names, names), function(name) {
    loadings <- item_loadings(view, name)
    list(items = loadings$items, key = keys_of(loadings), omega = omega_of(view, name, loadings),
         ave = ave_of(view, name))
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
  second <- Filter(function(name) is_second_order(view, name), names)
  list(table = lapply(columns, unname), pairs = pairs, single = names[single],
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
  below <- stats::pt((1 - abs(value)) / block$se, df, lower.tail = FALSE)
  none <- rep(NA_real_, size)
  list(first = pairs$first, second = pairs$second, group = rep(view$group, size),
       correlation = value, se = block$se, lower = block$lower, upper = block$upper,
       p_below_one = below, htmt = view_htmt(view, pairs, measures, form), htmt_lower = none,
       htmt_upper = none)
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
  table$p_equal_loadings <- NA_real_
  table$verdict <- table$short <- NA_character_
  order <- c("construct", "group", "items", "omega", "omega_lower", "omega_upper", "alpha",
             "alpha_lower", "alpha_upper", "alpha_standardized", "ave", "largest_shared",
             "shared_with", "ave_lower", "ave_upper", "p_equal_loadings", "verdict", "short")
  left <- unlist(unname(lapply(judged, `[[`, "left")))
  structure(list(title = fit$request$blueprint$title, table = table[order], pairs = pairs,
                 loadings = frame("loadings"), equal_loadings = NULL, left_out = NULL,
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

# Intervals of a bootstrap in place of those of theory.
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

# Sentences on criteria that are not met and the items responsible; and the printed form.

# The verdict on each construct and group (a code), and the criteria it does not meet.
judge_constructs <- function(x) {
  found <- lapply(seq_along(x$table$construct), function(k) {
    row <- x$table[k, ]
    if (row$construct %in% names(x$parts_of)) return(list(verdict = "part", short = ""))
    tiers <- c(omega = rule_tier(row$omega, x$criteria$reliability),
               AVE = rule_tier(row$ave, x$criteria$ave))
    short <- c(names(tiers)[tiers %in% "short"], apart_from_others(x, row))
    list(verdict = rule_construct(tiers, length(short)), short = paste(short, collapse = ", "))
  })
  list(verdict = vapply(found, `[[`, "", "verdict"), short = vapply(found, `[[`, "", "short"))
}

# The sentences for these findings.
quality_verdicts <- function(x) {
  t <- x$table
  vapply(seq_along(t$construct), function(k) {
    if (t$verdict[k] %in% "part")
      return(text_of("quality_part", whole = x$parts_of[[t$construct[k]]]))
    if (t$verdict[k] %in% "falls_short")
      return(text_of("quality_falls_short", criteria = enumerate(codes_in(t$short[k]))))
    words_of("quality", t$verdict[k])
  }, "")
}

# The rules of discriminant validity that a construct does not pass.
apart_from_others <- function(x, row) {
  own <- pairs_of(x, row$construct, row$group)
  if (is.null(own)) return(character())
  c(if (isTRUE(row$largest_shared > row$ave)) text_of("short_shared_variance"),
    if (any(own$htmt > x$criteria$htmt[2L], na.rm = TRUE)) "HTMT",
    if (any(own$p_below_one >= x$criteria$significance, na.rm = TRUE)) text_of("short_correlation"))
}

pairs_of <- function(x, construct, group) {
  if (is.null(x$pairs)) return(NULL)
  x$pairs[x$pairs$group %in% group & (x$pairs$first == construct | x$pairs$second == construct), ]
}

# One sentence for each thing that falls short.
quality_sentences <- function(x) {
  found <- lapply(seq_along(x$table$construct), function(k) {
    convergent_sentences(x, x$table[k, ])
  })
  c(unlist(found), discriminant_sentences(x))
}

# Omega and AVE, with the weakest item and what would be without it.
convergent_sentences <- function(x, row) {
  if (row$construct %in% names(x$parts_of)) return(NULL)
  short <- c(if (rule_tier(row$omega, x$criteria$reliability) %in% "short")
               short_of("omega", row$omega, x$criteria$reliability[2L]),
             if (rule_tier(row$ave, x$criteria$ave) %in% "short")
               short_of("AVE", row$ave, x$criteria$ave[2L]))
  items <- x$loadings[x$loadings$construct == row$construct & x$loadings$group %in% row$group, ]
  where <- if (is.na(row$group)) "" else text_of("blueprint_in", where = row$group)
  weak <- items$item[which(abs(items$standardized) < x$criteria$loading[2L])]
  weakest <- items[which.min(abs(items$standardized)), ]
  lead <- paste0(row$construct, where, ": ")
  if (length(short) == 0L) {
    if (length(weak) == 0L || row$items < 2L) return(NULL)
    shown <- items[items$item %in% weak, ]
    return(text_of("below_size", lead = lead,
                   standardized = enumerate(text_of("loads", item = shown$item,
                                                standardized = format_share(shown$standardized))),
                   loading = short_number(x$criteria$loading[2L]),
                   weak = if (length(weak) == 1L) gain_words(x, row, weak)))
  }
  paste0(lead, enumerate(short), if (row$items > 1L)
    text_of("weakest_item_is_standardized", item = weakest$item,
            standardized = format_share(weakest$standardized),
            item_2 = gain_words(x, row, weakest$item)), ".")
}

short_of <- function(what, value, cutoff) {
  text_of("is_below", what = what, value = format_share(value), cutoff = short_number(cutoff))
}

# The values after deleting the item, where that was computed.
gain_words <- function(x, row, item) {
  if (is.null(x$left_out)) return("")
  found <- x$left_out[x$left_out$item == item & x$left_out$construct == row$construct &
                        x$left_out$group %in% row$group, ]
  if (nrow(found) != 1L || is.na(found$omega)) return("")
  text_of("without_omega_is_ave", omega = format_share(found$omega), ave = format_share(found$ave))
}

discriminant_sentences <- function(x) {
  if (is.null(x$pairs)) return(NULL)
  unlist(lapply(seq_along(x$pairs$first), function(k) {
    pair <- x$pairs[k, ]
    where <- if (is.na(pair$group)) "" else text_of("blueprint_in", where = pair$group)
    ave <- ave_in_group(x, pair)
    shared <- pair$correlation^2
    below <- c(pair$first, pair$second)[which(shared > ave)]
    said <- c(
      if (length(below))
        text_of("they_share_their_variance", shared = format_share(shared),
                below = enumerate(below),
                below_2 = if (length(below) == 1L) " extracts" else " extract"),
      if (isTRUE(pair$htmt > x$criteria$htmt[2L]))
        text_of("htmt_is_above", htmt = format_share(pair$htmt),
                htmt_2 = short_number(x$criteria$htmt[2L])),
      if (isTRUE(pair$p_below_one >= x$criteria$significance))
        text_of("their_correlation_is_not", correlation = format_share(pair$correlation),
                p_below_one = p_clause(pair$p_below_one)))
    if (length(said)) text_of("pair_said", first = pair$first, second = pair$second, where = where,
                              said = paste(said, collapse = "; "))
  }))
}

ave_in_group <- function(x, pair) {
  own <- x$table[x$table$group %in% pair$group, ]
  own$ave[match(c(pair$first, pair$second), own$construct)]
}

quality_columns <- function(x) {
  table <- x$table
  name <- paste0(table$construct, ifelse(is.na(table$group), "", paste0(" | ", table$group)))
  percent <- paste0(format(100 * x$asked$level), " %")
  columns <- list(construct = name, items = format(table$items), omega = format_share(table$omega),
                  interval = format_limits(table$omega_lower, table$omega_upper),
                  alpha = format_share(table$alpha),
                  `its interval` = format_limits(table$alpha_lower, table$alpha_upper),
                  `alpha std.` = format_share(table$alpha_standardized),
                  `p equal` = format_p(table$p_equal_loadings), AVE = format_share(table$ave),
                  shared = format_share(table$largest_shared),
                  with = ifelse(is.na(table$shared_with), "", table$shared_with),
                  verdict = quality_verdicts(x))
  names(columns)[c(4L, 6L)] <- paste(c("omega", "alpha"), percent)
  columns
}

#' @export
print.orizzonte_quality <- function(x, ...) {
  check_whole(x, c("table", "loadings", "criteria", "asked"), "construct_quality(fit)")
  put_lines(heading(text_of("quality_measures", title = x$title)), format_quality(x))
  invisible(x)
}

format_quality <- function(x) {
  columns <- quality_columns(x)
  right <- !names(columns) %in% c("construct", "with", "verdict")
  sentences <- quality_sentences(x)
  c(status_caution(x$status),
    format_table(columns, right, spare = c("alpha std.", names(columns)[6L], "p equal", "with",
                                           "items", names(columns)[4L])),
    "", if (length(sentences))
      c(text_of("what_to_look_at"), wrap_lines(paste0("- ", sentences), 2L, 4L)) else
      text_of("no_construct_falls_short"),
    format_apart(x), format_left_out(x), quality_legend(x), quality_next(x))
}

# Correlations and ratios of each pair.
format_apart <- function(x) {
  if (is.null(x$pairs)) return(NULL)
  columns <- pair_texts(x)
  c("", "Told apart",
    format_table(columns, c(FALSE, rep(TRUE, length(columns) - 1L)),
                 spare = c("interval", "p below 1")))
}

pair_texts <- function(x) {
  pairs <- x$pairs
  name <- paste0(pairs$first, ", ", pairs$second,
                 ifelse(is.na(pairs$group), "", paste0(" | ", pairs$group)))
  ratio <- list(HTMT = format_share(pairs$htmt))
  if (!all(is.na(pairs$htmt_lower)))
    ratio$`HTMT interval` <- format_limits(pairs$htmt_lower, pairs$htmt_upper)
  c(list(constructs = name, correlation = format_share(pairs$correlation),
         interval = format_limits(pairs$lower, pairs$upper),
         `p below 1` = format_p(pairs$p_below_one), shared = format_share(pairs$correlation^2)),
    ratio)
}

format_left_out <- function(x) {
  if (NROW(x$left_out) == 0L) return(NULL)
  columns <- left_out_columns(x)
  c("", text_of("without_single_items_refitted"),
    format_table(columns, !names(columns) %in% c("without", "construct", "group", "status"),
                 spare = c("alpha", "CFI", "RMSEA")))
}

left_out_columns <- function(x) {
  table <- x$left_out
  c(list(without = table$item, construct = table$construct),
    if (!all(is.na(table$group))) list(group = table$group),
    list(omega = format_share(table$omega), change = format_change(table$omega_change),
         alpha = format_share(table$alpha), AVE = format_share(table$ave),
         CFI = format_fixed(table$cfi), RMSEA = format_fixed(table$rmsea),
         status = ifelse(table$status == "proper", "", table$status)))
}

format_change <- function(x) {
  sign <- ifelse(abs(x) < 0.005, "", ifelse(x < 0, "-", "+"))
  ifelse(is.na(x), "", paste0(sign, format_share(abs(x))))
}

quality_legend <- function(x) {
  asked <- x$criteria
  left <- if (length(x$left))
    text_of("not_judged",
            left = enumerate(paste0(names(x$left), " (", words_of("unjudged", x$left), ")")))
  single <- if (length(x$single))
    text_of("one_item_alone_reliability", single = enumerate(x$single))
  parts <- if (length(x$parts_of))
    text_of("parts_beside_general_construct", parts_of = enumerate(names(x$parts_of)),
            instruction = instruction("variance_split"))
  second <- if (length(x$second_order))
    text_of("omega_alpha_sum_all", second_order = enumerate(x$second_order))
  form <- c(keyed = "", absolute = text_of("htmt_is_made_sizes"),
            geometric = text_of("htmt_is_made_geometric"))[[x$asked$form]]
  c("", wrap_lines(text_of("omega_share_construct_variance",
                           value = if (length(x$equal_loadings$p)) text_of("equal_loadings_tested"),
                           reliability = short_number(asked$reliability[1L]),
                           reliability_2 = short_number(asked$reliability[2L]),
                           ave = short_number(asked$ave[1L]), ave_2 = short_number(asked$ave[2L]),
                           htmt = short_number(asked$htmt[1L]),
                           htmt_2 = short_number(asked$htmt[2L]), form = form)),
    unlist(lapply(c(second, parts, x$notes, left, single, x$bootstrap), wrap_lines)))
}

quality_next <- function(x) {
  if (length(x$left_out) == 0L)
    return(c("", next_step("try_each_item")))
  c("", next_step("see_wordings"))
}

# What items do to their construct, by real refits: are their loadings equal, and what would go with
# each of them.

# One value for each construct with observed items, over all groups.
equal_loadings <- function(fit, quality) {
  names <- unique(quality$table$construct)
  found <- lapply(names, function(name) {
    items <- reflected_items(fit, name)
    if (length(items) < 2L || any(items %in% fit$layout$constructs) || !has_converged(fit))
      return(NULL)
    test <- tryCatch(equal_loadings_test(fit, name, items), orizzonte_error = function(e) NULL)
    if (is.null(test) || is.na(test$p)) return(NULL)
    list(construct = name, chisq = test$chisq, df = as.integer(test$df), p = test$p)
  })
  found <- Filter(Negate(is.null), found)
  if (length(found) == 0L)
    return(list_frame(list(construct = character(), chisq = numeric(), df = integer(),
                           p = numeric())))
  bind_frames(lapply(found, list_frame))
}

# The indicators of a construct in any group.
reflected_items <- function(fit, name) {
  rows <- fit$layout$rows
  unique(rows$second[rows$kind == "loading" & rows$first == name])
}

# Raw loadings equal in size: those of items that load negatively are turned.
equal_loadings_test <- function(fit, name, items) {
  rows <- fit$layout$rows
  own <- rows$kind == "loading" & rows$first == name
  key <- vapply(items, function(item) sign(sum(values_of(fit)[own & rows$second == item])), 0)
  bp <- bare_trail(fit$request$blueprint)
  address <- function(item) address_format("loading", name, item)
  for (item in items[-1L]) {
    turned <- if (key[[item]] * key[[1L]] < 0) "-1 * "
    bp <- suppressMessages(add_restriction(bp, paste0(address(item), " == ", turned,
        address(items[1L]))))
  }
  request <- fit$request
  request$blueprint <- bp
  small <- fit_request(request, fit$sample, near = theta_of(fit), errors = FALSE)
  if (!has_converged(small)) return(NULL)
  difference_test(small, fit, adjusted = FALSE)
}

# Omega, alpha, AVE and fit when single items are gone.
items_left_out <- function(fit, quality, which) {
  if (which == "none" || !has_converged(fit)) return(NULL)
  table <- quality$table
  weak <- quality$loadings$construct[abs(quality$loadings$standardized) <
                                       quality$criteria$loading[2L]]
  weak <- setdiff(weak, names(quality$parts_of))
  short <- table$verdict %in% "falls_short" | table$construct %in% weak
  names <- unique(table$construct[which == "all" | short])
  items <- unique(unlist(lapply(names, reflected_items, fit = fit)))
  items <- setdiff(items, fit$layout$constructs)
  parts <- each_told(items, function(item) item_left_out(fit, quality, item),
                     text_of("items_left_out"))
  parts <- Filter(Negate(is.null), parts)
  if (length(parts)) bind_frames(parts)
}

# One item left out everywhere: the rows of the constructs that it measures.
item_left_out <- function(fit, quality, item) {
  rows <- fit$layout$rows
  names <- unique(rows$first[rows$kind == "loading" & rows$second == item])
  before <- quality$table[quality$table$construct %in% names & quality$table$items > 1L, ]
  if (nrow(before) == 0L) return(NULL)
  other <- tryCatch(suppressWarnings(suppressMessages({
    bp <- leave_out(bare_trail(fit$request$blueprint), !!item)
    refit_quietly(fit, list(blueprint = bp))
  })), orizzonte_error = function(e) NULL)
  columns <- list(item = rep(item, nrow(before)), construct = before$construct,
                  group = before$group)
  none <- rep(NA_real_, nrow(before))
  if (is.null(other) || !has_values(other)) {
    return(list_frame(c(columns, list(
      omega = none, omega_change = none, alpha = none, alpha_change = none, ave = none,
      ave_change = none, cfi = none, rmsea = none, srmr = none,
      status = rep(if (is.null(other)) "not identified" else "not converged", nrow(before))))))
  }
  views <- group_views(other)
  after <- lapply(seq_len(nrow(before)), function(k) {
    group <- before$group[k]
    view <- views[[if (is.na(group)) 1L else group]]
    loadings <- item_loadings(view, before$construct[k])
    c(omega = omega_of(view, before$construct[k], loadings)$value,
      alpha = view_alpha(view, loadings$items, keys_of(loadings), errors = FALSE)$alpha,
      ave = ave_of(view, before$construct[k])$value)
  })
  get <- function(what) vapply(after, `[[`, 0, what)
  index <- indices_of(other)[c("cfi", "rmsea", "srmr")]
  list_frame(c(columns, list(
    omega = get("omega"), omega_change = get("omega") - before$omega, alpha = get("alpha"),
    alpha_change = get("alpha") - before$alpha, ave = get("ave"),
    ave_change = get("ave") - before$ave), lapply(as.list(index), rep_len, nrow(before)),
    list(status = rep(solution_state(other)$status, nrow(before)))))
}
