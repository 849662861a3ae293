# What a ladder says: which rungs hold by which criteria, what each verdict rests on, and what may
# therefore be compared.

# Which rung each one is tested against: the one before it, or the first.
rungs_before <- function(rungs, against = "previous") {
  if (against == "first") return(c(NA, rep(1L, length(rungs) - 1L)))
  c(NA, seq_along(rungs)[-length(rungs)])
}

rung_limits <- function(rung, groups, criteria) {
  change_limits(criteria, grepl("metric", rung), groups)
}

# Verdicts on which a further rung may stand.
small_differences <- "holds, small differences"
sound_verdicts <- c("fits", "holds", small_differences, "nothing to hold")

# A measurement rung against another one; the first when `before` is NULL. Where chi-square rejects
# what no index objects to, the single equalities decide.
judge_rung <- function(fit, before, rung, criteria) {
  found <- function(verdict, broken = character(), equalities = NULL) {
    list(verdict = verdict, broken = index_names_of(broken),
         equalities = equalities)
  }
  if (!has_converged(fit)) return(found("not converged"))
  improper <- solution_state(fit)$status == "improper"
  own <- comparison_measures(fit)
  if (is.null(before)) {
    good <- fits_acceptably(own, criteria)
    return(found(if (improper) "improper" else if (is.na(good)) "" else
      if (good) "fits" else "fits poorly"))
  }
  if (!has_converged(before)) return(found("not tested: the rung before has not converged"))
  test <- difference_test(fit, before)
  if (test$df == 0) return(found("nothing to hold"))
  limits <- rung_limits(rung, length(fit$layout$groups), criteria)
  broken <- rung_breaks(own, comparison_measures(before), test$p, limits)
  rejected <- isTRUE(test$p < criteria$significance)
  equalities <- if (rejected && length(broken) == 0L) single_equalities(fit, before, criteria)
  if (any(equalities$verdict == "likely to differ")) broken <- "p"
  verdict <- if ("cfi" %in% broken && length(broken) > 1L) "fails" else
    if (length(broken)) "doubtful" else if (rejected) small_differences else "holds"
  found(if (improper) "improper" else verdict, broken, equalities)
}

# By the second tier of the criteria; NA when the indices are not known.
fits_acceptably <- function(measures, criteria) {
  measures$cfi >= criteria$cfi[2L] && measures$rmsea <= criteria$rmsea[2L]
}

rung_breaks <- function(own, before, p, limits) {
  broken_criteria(list(cfi_change = own$cfi - before$cfi, rmsea_change = own$rmsea - before$rmsea,
                       srmr_change = own$srmr - before$srmr, p_change = p), limits)
}

# A verdict that something holds says what it rests on, when that is not sound. `previous`: the
# number of the rung each one stands on.
add_foundations <- function(verdicts, previous) {
  said <- c(fails = "fails", doubtful = "is doubtful", `not converged` = "has not converged",
            improper = "is improper", `fits poorly` = "fits poorly",
            differs = "differs", `cannot tell` = "is not settled")
  for (k in seq_along(verdicts)) {
    if (!verdicts[k] %in% c("holds", small_differences)) next
    below <- previous[k]
    while (!is.na(below) && verdicts[below] %in% sound_verdicts) below <- previous[below]
    if (is.na(below)) next
    why <- said[sub(",.*|:.*", "", verdicts[below])]
    # what rests on it in turn rests on the same
    why <- if (is.na(why)) sub(".*a rung that ", "", verdicts[below]) else why
    verdicts[k] <- paste0("holds, but rests on a rung that ", why)
  }
  verdicts
}

rung_allows <-
  c(configural = "the constructs have the same structure; no numbers may be compared yet",
    metric = "effects, covariances and correlations may be compared",
    second_order_metric =
    "effects and covariances of constructs measured by constructs may be compared, too",
    scalar = "means of constructs may be compared",
    second_order_scalar = "means of constructs measured by constructs may be compared, too",
    strict = "sums and means of observed scores may be compared")

rung_asks <-
  c(configural = "the same constructs and items everywhere, each with its own values",
    metric = "an item means the same: loadings and weights are equal",
    second_order_metric =
    "constructs measured by constructs mean the same: their loadings are equal",
    scalar =
    paste0("an item starts from the same level: intercepts of items are equal, means of ",
           "constructs may differ"),
    second_order_scalar = "constructs start from the same level, given what they measure",
    strict = "an item is equally exact: residual variances and covariances are equal")

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
  bad <- below[!t$verdict[seq_along(below)] %in% sound_verdicts &
                 below %in% c(names(rung_allows), rung)]
  if (length(bad)) bad[1L]
}

# What is to be said before anything that rests on a rung (or on a fit of its own) is read; NULL
# when there is nothing.
caveat_of <- function(x, rung) {
  if (inherits(x, "orizzonte_loosened")) x <- x$ladder
  if (!inherits(x, "orizzonte_ladder")) return(fit_caveat(x))
  bad <- unsound_rung(x, rung)
  if (is.null(bad)) return(NULL)
  paste0(rung_sentence(bad, x$table$verdict[match(bad, x$table$rung)]),
         " What follows takes for granted what ",
         if (bad == rung) "this rung holds" else "that rung and those above it hold",
         " equal: no conclusion rests on it as long as that is so.")
}

fit_caveat <- function(fit) {
  state <- solution_state(fit)
  if (state$status %in% c("improper", "not converged"))
    return(paste0("The solution is ", state$status, " (", state$trouble, "): what follows may ",
                  "mislead."))
  own <- comparison_measures(fit)
  if (test_of(fit)$df == 0L || isTRUE(fits_acceptably(own, criteria()))) return(NULL)
  paste0("The model does not fit acceptably (CFI ", format_fixed(own$cfi), ", RMSEA ",
         format_fixed(own$rmsea), "): what follows takes it for granted.")
}

rung_sentence <- function(rung, verdict) {
  if (verdict == "fits poorly")
    return(paste0("The ", rung, " model does not fit acceptably: mend it first, in each group."))
  if (verdict == "improper")
    return(paste0("The ", rung, " solution is improper: mend it first."))
  if (startsWith(verdict, "not tested")) return(paste0("The ", rung, " rung is ", verdict, "."))
  if (startsWith(verdict, "holds, but"))
    return(paste0("The ", rung, " rung ", sub("^holds, but ", "", verdict), "."))
  paste0("The ", rung, " rung ",
         switch(verdict, fails = "fails", doubtful = "is doubtful",
                `not converged` = "has not converged", verdict), ".")
}

read_ladder <- function(table, fits, details, criteria) {
  known <- table$rung %in% names(rung_allows)
  bad <- which(known & !table$verdict %in% c(sound_verdicts, ""))
  held <- which(known & table$verdict %in% setdiff(sound_verdicts, "nothing to hold"))
  last <- if (length(bad)) held[held < bad[1L]] else held
  steps <- which(!known)
  c(if (length(last)) allowed_sentence(table$rung[max(last)], fits),
    if (length(bad)) rung_sentence(table$rung[bad[1L]], table$verdict[bad[1L]]),
    unlist(lapply(which(known), disagreement_sentence, table, details, criteria)),
    unlist(lapply(steps, step_sentence, table, details)))
}

allowed_sentence <- function(top, fits) {
  if (top == "strict" && !fits[[top]]$layout$means) rung_allows[["strict"]] <-
    rung_allows[["metric"]]
  loose <- released_addresses(fits[[top]])
  if (length(loose) == 0L) return(paste0("Up to ", top, ": ", rung_allows[[top]], "."))
  # sums of scores carry what is not held; constructs do not
  allowed <- if (top == "strict")
    paste0(rung_allows[["scalar"]],
           ", sums and means of observed scores only without the items concerned") else
    rung_allows[[top]]
  paste0("Up to ", top, ", in part (not held: ", enumerate(loose, most = 8L), "): ", allowed, ".")
}

# Where the test of the difference and the indices disagree.
disagreement_sentence <- function(k, table, details, criteria) {
  p <- table$p_change[k]
  if (is.na(p) || isTRUE(table$df_change[k] == 0)) return(NULL)
  rung <- table$rung[k]
  tested <- details[[rung]]
  if (is.null(tested)) {
    index <- strsplit(table$broken[k], ", ")[[1L]]
    if (p < criteria$significance || length(index) == 0L) return(NULL)
    return(paste0(rung, ": \u0394\u03c7\u00b2 is not significant (p = ", format_p(p), "), but ",
                  enumerate(paste0("\u0394", index)), if (length(index) == 1L) " breaks its" else
                    " break their", " criterion."))
  }
  likely <- tested[tested$verdict == "likely to differ", ]
  paste0(rung, ": \u0394\u03c7\u00b2 is significant (p ", p_clause(p), ") while no index ",
         "breaks its criterion. Of ",
         count_of(nrow(tested), "single equality", "single equalities"), ", ",
         if (nrow(likely)) {
           paste0("likely to differ: ",
                  enumerate(paste0(likely$parameter, " (p ", p_clause(likely$p_holm),
                                   " after Holm, change ",
                                   format_fixed(likely$expected_change_std, 2L), ")"), most = 4L),
                  ".")
         } else {
           paste0("none is both significant after Holm's adjustment and large: small differences, ",
                  "spread over many items.")
         })
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
