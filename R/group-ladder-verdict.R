# What a ladder says: which rungs hold by which criteria, what each verdict rests on, and what may
# therefore be compared.

# Which rung each one is tested against: the one before it, or the first.
rungs_before <- function(rungs, against = "previous") {
  if (against == "first") return(c(NA, rep(1L, length(rungs) - 1L)))
  c(NA, seq_along(rungs)[-length(rungs)])
}

# Rungs that hold loadings, for which SRMR may change more (Chen 2007).
loading_rungs <- c("metric", "second_order_metric")

rung_limits <- function(rung, groups, criteria) {
  change_limits(criteria, rung %in% loading_rungs, groups)
}

# A measurement rung against another one; the first when `before` is NULL. Where the difference in
# chi-square is significant and no index breaks its criterion, the single equalities decide.
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
  equalities <- if (rejected && length(broken) == 0L) single_equalities(fit, before, criteria)
  differing <- any(equalities$verdict == "differs")
  list(verdict = rule_rung(broken, rejected, differing, improper),
       broken = set_of(if (differing) "p" else broken), equalities = equalities)
}

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

# The verdicts of a ladder in words, with what they rest on.
ladder_verdicts <- function(table) {
  ifelse(is.na(table$rests_on), words_of("verdict", table$verdict),
         vapply(words_of("unsound", table$rests_on_verdict),
                function(why) text_of("verdict_on_unsound", why = why), "", USE.NAMES = FALSE))
}

# The rung on which means may be compared, if it is there and has converged.
comparable_rung <- function(ladder) {
  usable <- Filter(function(rung) {
    rung %in% names(ladder$fits) &&
    has_converged(ladder$fits[[rung]]) && ladder$fits[[rung]]$layout$means
  }, "scalar")
  if (length(usable)) usable
}

# The first rung, from this one downwards, on which nothing may rest; NULL when all are sound.
unsound_rung <- function(ladder, rung) {
  t <- ladder$table
  below <- t$rung[seq_len(match(rung, t$rung))]
  bad <- below[!t$verdict[seq_along(below)] %in% sound_codes &
                 below %in% c(names(rung_adds), rung)]
  if (length(bad)) bad[1L]
}

# What is to be said before anything that rests on a rung (or on a fit of its own) is read; NULL
# when there is nothing.
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
  text_of("caveat_fit", cfi = format_fixed(own$cfi), rmsea = format_fixed(own$rmsea))
}

rung_sentence <- function(rung, verdict) {
  # a step of structure, or a rung that holds on its own
  if (!paste0("rung_", verdict) %in% names(texts$table))
    return(text_of("rung_other", rung = rung, verdict = words_of("verdict", verdict)))
  text_of(paste0("rung_", verdict), rung = rung)
}

read_ladder <- function(table, fits, details, criteria) {
  known <- table$rung %in% names(rung_adds)
  bad <- which(known & !table$verdict %in% c(sound_codes, NA))
  held <- which(known & table$verdict %in% setdiff(sound_codes, "nothing_to_hold"))
  last <- if (length(bad)) held[held < bad[1L]] else held
  steps <- which(!known)
  c(if (length(last)) allowed_sentence(table$rung[max(last)], fits),
    if (length(bad)) rung_sentence(table$rung[bad[1L]], table$verdict[bad[1L]]),
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

# Where the test of the difference and the indices disagree.
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
            change = format_fixed(likely$expected_change_std[k], 2L))
  }, "")
}

# What a rung would hold, were it not excepted: with its group, unless in all of them.
released_addresses <- function(fit) {
  bp <- fit$request$blueprint
  over <- which(!is.na(fit$layout$rows$over))
  named <- c(pattern_rows(bp$hold_equal, fit$layout),
             intersect(pattern_rows(bp$hold_equal_times, fit$layout), over))
  rows <- intersect(named, pattern_rows(bp$let_differ, fit$layout))
  rows <- rows[!fit$layout$rows$shared[rows]]
  if (length(rows) == 0L) return(character())
  plain <- addresses_without_group(fit$layout$rows)
  everywhere <- vapply(plain[rows], function(x) all(which(plain == x) %in% rows), NA)
  unique(ifelse(everywhere, plain[rows], fit$layout$rows$parameter[rows]))
}
