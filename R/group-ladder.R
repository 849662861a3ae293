# The conclusions of a ladder: which rungs hold by which criteria, what each verdict depends on, and
# what may therefore be compared.

rung_limits <- function(rung, groups, criteria) {
  change_limits(criteria, rung %in% loading_rungs, groups)
}

# A measurement rung against another one; the first when `before` is NULL. Where no index exceeds
# its criterion the single equalities decide: when the difference in chi-square is significant,
# whether one of them differs; otherwise, whether they had the power to show it.
judge_rung <- function(fit, before, rung, criteria) {
  own <- comparison_measures(fit)
  improper <- solution_state(fit)$status == "improper"
  if (is.null(before))
    return(list(verdict = rule_first_rung(has_converged(fit), improper, own$cfi, own$rmsea,
                                          criteria)))
  test <- testable_difference(fit, before)
  if (!is.null(test$code)) return(list(verdict = test$code))
  broken <- rung_breaks(own, comparison_measures(before), test$p,
                        rung_limits(rung, length(fit$layout$groups), criteria))
  rejected <- isTRUE(test$p < criteria$significance)
  equalities <- if (!improper) single_equalities(fit, before, criteria)
  decisive <- rejected && length(broken) == 0L
  differing <- decisive && any(equalities$verdict == "differs")
  power <- if (length(equalities$parameter)) power_by_group(equalities)
  list(verdict = rule_rung(broken, rejected, differing, improper, rule_powerful(power, criteria),
                           length(released_addresses(fit)) > 0L),
       broken = set_of(if (differing) "p" else broken), power = power,
       equalities = if (decisive) equalities[names(equalities) != "power_large"])
}

# The median power of single equalities against a large difference, by group.
power_by_group <- function(equalities) {
  groups <- unique(equalities$group)
  vapply(split(equalities$power_large, factor(equalities$group, groups)), stats::median, 0,
         na.rm = TRUE)
}

# The factor by which a difference that a rung must be able to detect exceeds the smallest
# difference that matters.
large_difference <- 3

# The test of a fit against the one below it, or the code that says why there is none.
testable_difference <- function(fit, before) {
  converged <- has_converged(fit)
  converged_before <- has_converged(before)
  test <- if (converged && converged_before) difference_test(fit, before)
  list(code = rule_testable(converged, converged_before, test$df), p = test$p)
}

rung_breaks <- function(own, before, p, limits) {
  broken_criteria(list(cfi_change = own$cfi - before$cfi, rmsea_change = own$rmsea - before$rmsea,
                       srmr_change = own$srmr - before$srmr, p_change = p), limits)
}

# The verdicts of a ladder in words, with the rung they depend on.
ladder_verdicts <- function(table) {
  ifelse(is.na(table$rests_on), words_of("verdict", table$verdict),
         text_of("verdict_on_unsound", verdict = words_of("verdict", table$verdict),
                 rung = table$rests_on, why = words_of("verdict", table$rests_on_verdict)))
}

# The highest sound measurement rung that holds loadings; NULL when there is none.
top_rung <- function(ladder) {
  t <- ladder$table
  top <- t$rung[t$rung %in% setdiff(names(rung_adds), "configural") &
                  t$verdict %in% sound_codes & is.na(t$rests_on)]
  if (length(top)) utils::tail(top, 1L)
}

# The rung on which means may be compared, if it is there and has converged.
comparable_rung <- function(ladder) {
  usable <- Filter(function(rung) {
    rung %in% names(ladder$fits) &&
    has_converged(ladder$fits[[rung]]) && ladder$fits[[rung]]$layout$means
  }, "scalar")
  if (length(usable)) usable
}

# The first unsound rung, from this one downwards; NULL when all are sound.
unsound_rung <- function(ladder, rung) {
  t <- ladder$table
  below <- t$rung[seq_len(match(rung, t$rung))]
  bad <- below[!t$verdict[seq_along(below)] %in% sound_codes &
                 below %in% c(names(rung_adds), rung)]
  if (length(bad)) bad[1L]
}

# The warning that precedes any result based on a rung (or on a separate fit); NULL when there is
# none.
caveat_of <- function(x, rung) {
  if (inherits(x, "orizzonte_loosened")) x <- x$ladder
  if (!inherits(x, "orizzonte_ladder")) return(fit_caveat(x))
  bad <- unsound_rung(x, rung)
  if (is.null(bad)) return(NULL)
  text_of("caveat_rung", first = caveat_reason(x, rung),
          rungs = text_of(if (bad == rung) "caveat_this" else "caveat_above"))
}

# The reason why a rung that a comparison on `rung` assumes is unsound.
caveat_reason <- function(ladder, rung) {
  bad <- unsound_rung(ladder, rung)
  rung_sentence(bad, ladder$table$verdict[match(bad, ladder$table$rung)])
}

fit_caveat <- function(fit) {
  state <- solution_state(fit)
  if (state$status %in% c("improper", "not converged"))
    return(text_of("caveat_status", status = state$status, trouble = state$trouble))
  own <- comparison_measures(fit)
  acceptable <- rule_acceptable_fit(own$cfi, own$rmsea, criteria())
  if (test_of(fit)$df == 0L || isTRUE(acceptable)) return(NULL)
  text_of("caveat_fit", cfi = format_share(own$cfi, 3L), rmsea = format_share(own$rmsea, 3L))
}

rung_sentence <- function(rung, verdict) {
  # a structural step, or a rung that holds without the others
  if (!paste0("rung_", verdict) %in% names(texts$table))
    return(text_of("rung_other", rung = rung, verdict = words_of("verdict", verdict)))
  text_of(paste0("rung_", verdict), rung = rung)
}

read_ladder <- function(table, fits, details, power, criteria) {
  known <- table$rung %in% names(rung_adds)
  bad <- which(known & !table$verdict %in% c(sound_codes, NA))
  held <- which(known & table$verdict %in% setdiff(sound_codes, "nothing_to_hold"))
  last <- if (length(bad)) held[held < bad[1L]] else held
  steps <- which(!known)
  c(if (length(last)) allowed_sentence(table$rung[max(last)], fits),
    if (length(bad)) rung_sentence(table$rung[bad[1L]], table$verdict[bad[1L]]),
    power_sentences(table, power, criteria),
    unlist(lapply(which(known), disagreement_sentence, table, details, criteria)),
    unlist(lapply(steps, step_sentence, table, details)))
}

allowed_sentence <- function(top, fits) {
  allows <- function(rung) text_of(paste0("allows_", rung))
  own <- if (top == "strict" && !fits[[top]]$layout$means) "metric" else top
  loose <- released_addresses(fits[[top]])
  if (length(loose) == 0L) return(text_of("allowed", rung = top, allowed = allows(own)))
  # sums of scores include the parameters that are not held; constructs do not
  allowed <- if (top == "strict") text_of("allowed_without_items", allowed = allows("scalar")) else
    allows(top)
  text_of("allowed_in_part", rung = top, released = enumerate(loose, most = 8L), allowed = allowed)
}

# Sentences on rungs with too little power, in all groups (one sentence) or in some.
power_sentences <- function(table, power, criteria) {
  code <- table$verdict[match(power$rung, table$rung)]
  weak <- power[!(power$power >= criteria$power) & code %in% c(sound_codes, "cannot_tell"), ]
  size <- short_number(large_difference * criteria$smallest)
  needed <- short_number(criteria$power)
  least <- function(own) tapply(own$power, factor(own$rung, unique(own$rung)), min)
  unsettled <- least(weak[weak$rung %in% table$rung[table$verdict %in% "cannot_tell"], ])
  partly <- weak[!weak$rung %in% names(unsettled), ]
  c(if (length(unsettled))
      text_of("too_little_power", rungs = enumerate(names(unsettled)), size = size,
              power = enumerate(format_share(unsettled, 2L)), needed = needed),
    vapply(split(partly, factor(partly$rung, unique(partly$rung))), function(own) {
      text_of("too_little_power_in", rung = own$rung[1L], size = size, needed = needed,
              power = format_share(min(own$power), 2L), groups = enumerate(own$group, most = 8L))
    }, "", USE.NAMES = FALSE))
}

# Sentences for rungs on which the chi-square difference and the indices disagree.
disagreement_sentence <- function(k, table, details, criteria) {
  p <- table$p_change[k]
  if (is.na(p) || isTRUE(table$df_change[k] == 0)) return(NULL)
  rung <- table$rung[k]
  tested <- details[[rung]]
  if (is.null(tested)) {
    index <- words_of("change_of", codes_in(table$broken[k]))
    if (p < criteria$significance || length(index) == 0L) return(NULL)
    return(text_of("indices_object", rung = rung, p = format_p(p), count = length(index),
                   indices = enumerate(paste0("\u0394", index))))
  }
  likely <- tested[tested$verdict == "differs", ]
  found <- if (nrow(likely) == 0L) text_of("spread_differences") else
    text_of("likely_to_differ", which = enumerate(likely_parameters(likely), most = 4L))
  text_of("chisq_objects", rung = rung, p = p_clause(p), found = found,
          tested = count_of(nrow(tested), "single equality", "single equalities"))
}

likely_parameters <- function(likely) {
  vapply(seq_len(nrow(likely)), function(k) {
    text_of("likely_parameter", parameter = likely$parameter[k], p = p_clause(likely$p_holm[k]),
            change = format_share(likely$expected_change_std[k], 2L))
  }, "")
}

# Exceptions of a rung, with the group unless they concern all groups.
released_addresses <- function(fit) {
  bp <- fit$request$blueprint
  over <- which(!is.na(fit$layout$rows$over))
  named <- c(pattern_rows(bp$hold_equal, fit$layout),
             intersect(pattern_rows(bp$hold_equal_times, fit$layout), over))
  rows <- intersect(named, pattern_rows(c(bp$let_differ, bp$let_differ_times), fit$layout))
  rows <- rows[!fit$layout$rows$shared[rows] |
                 rows %in% pattern_rows(bp$let_differ_times, fit$layout)]
  if (length(rows) == 0L) return(character())
  plain <- addresses_without_group(fit$layout$rows)
  everywhere <- vapply(plain[rows], function(x) all(which(plain == x) %in% rows), NA)
  unique(ifelse(everywhere, plain[rows], fit$layout$rows$parameter[rows]))
}

# The single equalities of a rung: score tests of those that a measurement rung adds, and the
# differences that a structural step would remove.

# Columns: parameter, group, p, p_holm (Holm 1979), expected_change_std, power (against the smallest
# difference that matters), power_large, verdict.
single_equalities <- function(fit, before, criteria) {
  fit <- joint_fit(fit)
  before <- joint_fit(before)
  candidates <- held_parameters(fit$layout)
  own <- candidates$parameter %in% added_equalities(fit, before) &
    candidates$kind %in% address_kinds_held & !nzchar(candidates$reason)
  tested <- tested_candidates(fit, lapply(candidates, function(x) x[own]))
  open <- !nzchar(tested$reason)
  found <- judge_candidates(fit, lapply(tested, function(x) x[open]), criteria)
  holm <- stats::p.adjust(found$p, "holm")
  verdict <- rule_equality(holm, found$expected_change_std, found$power, criteria)
  large <- criteria
  large$smallest <- large_difference * criteria$smallest
  against_large <- power_of_rows(found, found$variance, candidate_units(fit, found), large)
  out <- list_frame(list(parameter = found$parameter, group = found$group, p = found$p,
                         p_holm = holm, expected_change_std = found$expected_change_std,
                         power = found$power, power_large = against_large, verdict = verdict))
  out[order(out$p), , drop = FALSE]
}

address_kinds_held <- c("loading", "weight", "intercept", "mean", "variance", "covariance")

# The constraints of a rung that the previous rung does not have.
added_equalities <- function(fit, before) {
  setdiff(fit$layout$rows$parameter[fit$layout$rows$shared],
          before$layout$rows$parameter[before$layout$rows$shared])
}

# A structural step against its reference rung: p value of the difference and the size of the
# differences there, in standard deviations of the first group.
judge_step <- function(fit, before, criteria) {
  test <- testable_difference(fit, before)
  if (!is.null(test$code)) return(list(verdict = test$code))
  gaps <- step_differences(fit, before)
  largest <- max(abs(gaps$difference_std), na.rm = TRUE)
  improper <- solution_state(fit)$status == "improper"
  list(verdict = rule_step(test$p, largest, criteria, improper), differences = gaps)
}

# Columns: parameter, group, difference (from the first group, or time), difference_std, lower,
# upper (of the standardized one, at 95%).
step_differences <- function(fit, before) {
  rows <- before$layout$rows
  map <- matrix(0, length(rows$parameter), length(before$layout$parameters))
  map[cbind(before$layout$map$entry, before$layout$map$parameter)] <- before$layout$map$weight
  sd <- lapply(matrices_of(before), function(m) sqrt(pmax(diag(m$covariance), 0)))[[1L]]
  vcov <- vcov_of(before)
  held <- fit$layout$rows
  own <- which(held$parameter %in% added_equalities(fit, before))
  set <- held_sets(held)[own]
  found <- lapply(split(own, factor(set, unique(set))), function(same) {
    at <- match(held$parameter[same], rows$parameter)
    reference <- at[1L]
    other <- at[-1L]
    if (length(other) == 0L || anyNA(at)) return(NULL)
    unit <- parameter_unit(rows, reference, sd)
    gap <- values_of(before)[other] - values_of(before)[reference]
    change <- map[other, , drop = FALSE] - map[rep(reference, length(other)), , drop = FALSE]
    se <- delta_se(change, vcov) * unit
    limit <- stats::qt(0.975, reference_df(before))
    list(parameter = rows$parameter[other], group = shown_group(before$layout, rows$group[other]),
         difference = gap, difference_std = gap * unit, lower = gap * unit - limit * se,
         upper = gap * unit + limit * se)
  })
  list_frame(do.call(Map, c(list(c), unname(Filter(Negate(is.null), found)))))
}

step_sentence <- function(k, table, details) {
  gaps <- details[[table$rung[k]]]
  p <- table$p_change[k]
  verdict <- ladder_verdicts(table[k, ])
  if (is.null(gaps) || is.na(p))
    return(text_of("step", step = table$rung[k], against = table$against[k], verdict = verdict))
  at <- which.max(abs(gaps$difference_std))
  text_of("step_with_numbers", step = table$rung[k], against = table$against[k], verdict = verdict,
          p = p_clause(p), difference = format_fixed(gaps$difference_std[at], 2L),
          lower = format_fixed(gaps$lower[at], 2L), upper = format_fixed(gaps$upper[at], 2L),
          parameter = gaps$parameter[at])
}

# The contents of a ladder in print and in reports.

#' @export
as.data.frame.orizzonte_ladder <- function(x, ...) x$table

#' @export
print.orizzonte_ladder <- function(x, ...) {
  put_lines(format_ladder(x))
  invisible(x)
}

# The columns of a ladder as text: fit by rung, changes, and the contribution of each group.
ladder_columns <- function(x) {
  t <- x$table
  count <- function(v) ifelse(is.na(v), "", format_count(v))
  shares <- x$contributions
  list(
    fit = titled(list(
               rung = t$rung, chisq = format_fixed(t$chisq, 2L), df = count(t$df),
               p = format_p(t$p), CFI = format_share(t$cfi, 3L), TLI = format_share(t$tli, 3L),
               RMSEA = format_share(t$rmsea, 3L),
               SRMR = format_share(t$srmr, 3L), BIC = format_fixed(t$bic, 1L))),
    changes = titled(list(
                   rung = t$rung, against = ifelse(is.na(t$against), "", t$against),
                   chisq_change = format_fixed(t$chisq_change, 2L),
                   df_change = count(t$df_change), p = format_p(t$p_change),
                   cfi_change = format_share(t$cfi_change, 3L),
                   rmsea_change = format_share(t$rmsea_change, 3L),
                   srmr_change = format_share(t$srmr_change, 3L), verdict = ladder_verdicts(t),
                   breaks = index_names_of(t$broken))),
    shares = c(list(group = rownames(shares), n = format_count(group_cases(x))),
               stats::setNames(lapply(seq_len(ncol(shares)), share_column, x = x),
                               colnames(shares))))
}

group_cases <- function(x) unname(cases_by_group(x$fits[[1L]]$sample)[rownames(x$contributions)])

# The chi-square of each group at the first rung, and its increase at a further one.
share_column <- function(k, x) {
  shares <- x$contributions
  against <- match(x$table$against[k], colnames(shares))
  if (is.na(against)) return(format_fixed(unname(shares[, k]), 2L))
  change <- unname(shares[, k] - shares[, against])
  paste0(ifelse(change >= 0, "+", ""), format_fixed(change, 2L))
}

# Sentences on rungs with an improper or non-converged solution.
ladder_trouble <- function(x) {
  unlist(lapply(names(x$fits), function(rung) {
    state <- solution_state(x$fits[[rung]])
    if (!state$status %in% c("proper", "weak"))
      paste0(rung, ": ", toupper(state$status), troubled_groups(x$fits[[rung]]), " (",
             state$trouble, ")")
  }))
}

# The groups whose part of the solution is improper, by name.
troubled_groups <- function(fit) {
  rows <- fit$layout$rows
  groups <- unique(rows$group[match(improper_parts(fit)$parameter, rows$parameter)])
  groups <- groups[!is.na(groups)]
  if (length(groups)) text_of("trouble_in_groups", groups = enumerate(groups, most = 12L)) else ""
}

ladder_limits <- function(x) {
  if (length(x$limits) < 2L) return(NULL)
  given <- !all(vapply(x$criteria[change_criteria], is.null, NA))
  text_of("criteria_conventions_cheung_rensvold", parts = limits_in_words(x),
          given = if (given) "; given, else" else ";", cfi = short_number(x$criteria$cfi[2L]),
          rmsea = short_number(x$criteria$rmsea[2L]))
}

# The largest changes that a rung may have, those of other rungs in brackets.
limits_in_words <- function(x) {
  limits <- x$limits[-1L]
  last <- limits[[length(limits)]]
  parts <- vapply(names(last), function(name) {
    other <- Filter(function(limit) limit[[name]] != last[[name]], limits)
    paste0(switch(name, cfi = "\u0394CFI -", p = "p ", paste0("\u0394", toupper(name), " ")),
           short_number(last[[name]]),
           if (length(other))
             paste0(" (",
                    paste(names(other),
                          vapply(other, function(limit) short_number(limit[[name]]), ""),
                          collapse = ", "), ")"))
  }, "")
  paste(parts, collapse = ", ")
}

# The lowest power of each rung.
ladder_power_words <- function(x) {
  if (length(x$power$rung) == 0L) return(NULL)
  least <- tapply(x$power$power, factor(x$power$rung, unique(x$power$rung)), min)
  text_of("power_of_rungs", size = short_number(large_difference * x$criteria$smallest),
          each = enumerate(paste(names(least), format_share(least, 2L))),
          where = if (length(unique(x$power$group)) > 1L) text_of("power_where_least"))
}

ladder_failing <- function(x) {
  known <- x$table$rung %in% names(rung_adds)
  x$table$rung[known & x$table$verdict %in% c("fails", "doubtful")]
}

equality_columns <- function(tested) {
  list(parameter = tested$parameter, p = format_p(tested$p), `p (Holm)` = format_p(tested$p_holm),
       change = format_share(tested$expected_change_std, 2L),
       power = format_share(tested$power, 2L),
       verdict = words_of("equality", tested$verdict))
}

# The single equalities that were tested, by rung.
format_equalities <- function(x) {
  rungs <- intersect(names(x$details), names(rung_adds))
  unlist(lapply(rungs, function(rung) {
    tested <- utils::head(x$details[[rung]], 5L)
    more <- nrow(x$details[[rung]]) - nrow(tested)
    c(text_of("single_equalities_rung_leading", rung = rung),
      format_table(equality_columns(tested), c(FALSE, rep(TRUE, 4L), FALSE)),
      if (more > 0L)
        text_of("and_more_then", more = more, instruction = instruction("see_details")), "")
  }))
}

format_ladder <- function(x) {
  columns <- ladder_columns(x)
  trouble <- ladder_trouble(x)
  c(heading(text_of(paste0("ladder_over_", x$over), title = x$title)),
    format_sample(x$fits[[1L]], parameters = FALSE),
    format_inference(x$fits[[1L]]), items_of_some_groups(x), "",
    format_table(columns$fit, c(FALSE, rep(TRUE, 8L))), "", "Changes",
    format_table(columns$changes, c(FALSE, FALSE, rep(TRUE, 6L), FALSE, FALSE)), "",
    corrected_change_words(x$fits[[1L]]$request),
    if (nrow(x$contributions) > 1L)
      c(text_of("each_group", request = if (is_robust(x$fits[[1L]]$request)) ", uncorrected"),
        format_table(columns$shares, c(FALSE, rep(TRUE, length(columns$shares) - 1L))), ""),
    format_equalities(x), if (length(trouble)) c(paste0("  - ", trouble), ""),
    if (!is.null(ladder_limits(x)))
      c(wrap_lines(paste(c(ladder_limits(x), ladder_power_words(x)), collapse = " ")), ""),
    if (NROW(x$releases)) c(wrap_lines(search_words(x)), ""),
    wrap_lines(paste0("- ", x$reading), 0L, 2L), "", ladder_next(x))
}

# Items that are not in every group; NULL when all are.
items_of_some_groups <- function(x) {
  gone <- x$fits[[1L]]$request$blueprint$left_out
  if (length(gone) == 0L) return(NULL)
  wrap_lines(text_of("items_not_in_groups", each = enumerate(text_of(
    "items_not_in_group", items = vapply(gone, enumerate, ""), group = names(gone)))))
}

# The next step addresses the lowest rung that fails.
ladder_next <- function(x) {
  rung <- function(name) paste0("ladder$fits$", address_name(name))
  t <- x$table
  bad <- t$rung[!t$verdict %in% c(sound_codes, NA) & t$rung %in% names(rung_adds)][1L]
  verdict <- t$verdict[match(bad, t$rung)]
  if (is.na(bad)) {
    top <- top_rung(x)
    calls <- c(if (!is.null(comparable_rung(x))) "latent_means(ladder)",
               if (x$over != "times" && !is.null(top)) paste0("compare_groups(", rung(top), ")"),
               "plot(ladder)")
    return(next_step("use_ladder", calls = paste(calls, collapse = ", ")))
  }
  # beyond ten groups releasing single equalities becomes a long search
  if (bad %in% c("metric", "scalar") && verdict %in% c("fails", "doubtful") && x$over != "times" &&
      length(x$fits[[1L]]$layout$groups) > 10L) return(next_step("use_approximate"))
  name <- switch(verdict, fails = , doubtful = "loosen", fits_poorly = "amend_configural",
                 cannot_tell = "see_power", "rescue_rung")
  next_step(name, quoted_rung = quoted(bad), rung = bad, fit = rung(bad))
}

# All releases of a ladder in one sentence.
search_words <- function(ladder) {
  r <- ladder$releases
  text_of("searched", each = enumerate(text_of("released_on", parameter = r$parameter,
                                               rung = r$rung), most = 20L))
}

# The releases of all rungs, in the order in which they were made.
no_releases <- function() {
  list_frame(list(rung = character(), step = integer(), parameter = character(),
                  modification_index = numeric(), actual_drop = numeric(), estimate = numeric(),
                  reference = numeric()))
}

# Two of the same kind must stay held for each construct, or its groups can no longer be compared.
releasable <- function(fit, parameters) {
  table <- fit$layout$rows
  vapply(parameters, function(text) {
    row <- match(text, table$parameter)
    here <- table$group == table$group[row] & table$shared
    if (table$kind[row] == "loading")
      return(sum(here & table$kind == "loading" & table$first == table$first[row]) > 2L)
    if (table$kind[row] %in% c("intercept", "mean")) {
      owners <- unique(table$first[table$kind == "loading" & table$second == table$first[row]])
      if (length(owners) == 0L) return(TRUE)
      items <- unique(table$second[table$kind == "loading" & table$first %in% owners])
      return(sum(here & table$kind %in% c("intercept", "mean") & table$first %in% items) > 2L)
    }
    TRUE
  }, NA, USE.NAMES = FALSE)
}

# The levels of invariance: their order, and the equalities that each adds.

# Each rung is tested against the one below: configural is always there, and the order is fixed.
rungs_in_order <- function(rungs) {
  ordered <- intersect(names(rung_adds), c("configural", rungs))
  asked <- unique(rungs)
  if (!"configural" %in% asked) say(text_of("configural_rung_is_fitted"))
  if (!identical(intersect(ordered, asked), asked))
    say(text_of("rungs_in_order", rungs = enumerate(ordered)))
  ordered
}

check_rungs <- function(rungs, structural) {
  unknown <- setdiff(rungs, names(rung_adds))
  if (length(unknown)) {
    abort("input", c(text_of("there_is_no_rung", unknown = quoted(unknown[1L])),
                     did_you_mean(unknown[1L], names(rung_adds)),
                     i = paste0("Rungs: ", enumerate(names(rung_adds)), ".")))
  }
  known <- c(hold_kinds, hold_slices)
  unknown <- setdiff(structural, known)
  if (length(unknown)) {
    abort("input", c(text_of("structural_does_not_know", unknown = quoted(unknown[1L])),
                     did_you_mean(unknown[1L], known)))
  }
}

# The constraints that each rung adds to those before it. Second-order factors have rungs of their
# own, which come after those of their first-order factors (Chen, Sousa & West 2005).
rung_adds <- list(configural = character(), metric = c("loading[items]", "weight"),
                  second_order_metric = "loading[constructs]", scalar = "intercept",
                  second_order_scalar = c("loading[constructs]", "mean[lower_order]"),
                  strict = c("variance[items]", "covariance[items]"))

rung_hold <- function(rung, rungs) {
  below <- names(rung_adds)[seq_len(match(rung, names(rung_adds)))]
  unique(unlist(rung_adds[below[!startsWith(below, "second_order") | below %in% rungs]]))
}

default_rungs <- function(bp) {
  constructs <- names(bp$constructs)
  higher <-
    any(vapply(bp$constructs, function(x) {
      x$kind == "reflective" &&
      any(x$items %in% constructs)
    }, NA))
  names(rung_adds)[higher | !startsWith(names(rung_adds), "second_order")]
}

# Without means nothing is known about intercepts: a request for these rungs is an error; otherwise
# they are left out.
rungs_without_means <- function(rungs, asked) {
  about_means <- c("scalar", "second_order_scalar", "mean", "intercept", "mean[lower_order]")
  impossible <- intersect(asked, about_means)
  if (length(impossible)) {
    abort("data", c(text_of("data_carry_no_means", impossible = quoted(impossible[1L])),
                    i = text_of("give_raw_data_or")))
  }
  left <- intersect(rungs, about_means)
  if (length(left)) say(text_of("rungs_without_means", count = length(left),
                                rungs = enumerate(left)))
  setdiff(rungs, left)
}

# The rung that each rung is tested against: the previous one, or the first.
rungs_before <- function(rungs, against = "previous") {
  if (against == "first") return(c(NA, rep(1L, length(rungs) - 1L)))
  c(NA, seq_along(rungs)[-length(rungs)])
}

# Rungs that hold loadings, for which SRMR may change more (Chen 2007).
loading_rungs <- c("metric", "second_order_metric")

# The argument `rungs` for a ladder with one more rung; the first rung is always included.
rungs_with <- function(rung, rungs) {
  all <- intersect(names(rung_adds), c(rungs, rung))[-1L]
  if (length(all) == 1L) quoted(all) else paste0("c(", paste(quoted(all), collapse = ", "), ")")
}

# A rung of the ladder. A rung that the ladder could have is reached by climbing further.
check_rung <- function(rung, ladder) {
  check_string(rung, "`rung`")
  rungs <- names(ladder$fits)
  if (rung %in% rungs) return(invisible())
  abort("name", c(text_of("ladder_has_no_rung", rung = quoted(rung)), did_you_mean(rung, rungs),
                  i = text_of("rungs_of_ladder", rungs = enumerate(rungs)),
                  i = if (rung %in% names(rung_adds))
                    text_of("climb_to_rung", rungs = rungs_with(rung, rungs))))
}
