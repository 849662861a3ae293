# All rules of judgement, in the order of the stages that apply them. A rule is a pure function from
# numbers to a code of a closed set; codes become words only in tables of texts.

# The result of a test of single parameters, from its significance, from whether the expected change
# is large enough to matter, and from whether the test has the power to detect a change that matters
# (Saris, Satorra & van der Veld 2009). Vectors; one code per element:
#   "misspecified"      significant, and large or not powerful enough to call it small
#   "negligible"        significant, but small, in a test of enough power
#   "not_misspecified"  not significant in a test of enough power
#   "cannot_tell"       not significant in a test of too little power, or of unknown power
# An unknown size or power of a significant test counts against the parameter; an unknown test says
# nothing.
rule_change <- function(significant, large, powerful) {
  powerful <- powerful %in% TRUE
  code <- ifelse(significant, ifelse(powerful & large %in% FALSE, "negligible", "misspecified"),
                 ifelse(powerful, "not_misspecified", "cannot_tell"))
  ifelse(is.na(code), "cannot_tell", code)
}

# Which of two nested models their difference test supports, about the one that has `df_change` more
# degrees of freedom than the other: "fits_as_well", "fits_worse", "fits_better", or NA without a
# test. Vectors.
rule_difference <- function(p_change, df_change, level) {
  ifelse(is.na(p_change), NA_character_,
         ifelse(p_change >= level, "fits_as_well",
                ifelse(df_change > 0, "fits_worse", "fits_better")))
}

# A set of codes in one cell of a table, and its elements.
set_of <- function(codes) paste(codes, collapse = ", ")
codes_in <- function(set) {
  if (is.na(set)) character() else strsplit(set, ", ", fixed = TRUE)[[1L]]
}

# Codes that mean missing: numbers such as -9, or texts such as "n/a".

check_missing_codes <- function(codes) {
  if (is.null(codes) || ((is.numeric(codes) || is.character(codes)) && !anyNA(codes)))
    return(invisible())
  abort("input", c(text_of("missing_codes_must_be"),
                   i = text_of("such_missing_codes_c")))
}

# Which values are codes. A number is one however it was written.
is_code <- function(x, codes) {
  if (length(codes) == 0L) return(logical(length(x)))
  if (!is.numeric(x)) return(trimws(as.character(x)) %in% trimws(as.character(codes)))
  if (is.character(codes)) codes <- suppressWarnings(as.numeric(codes))
  x %in% codes[!is.na(codes)]
}

# Converts a column of text that contains only numbers once codes are removed; a factor only where
# text codes are given, since its numbers may be labels.
without_text_codes <- function(x, codes) {
  if (!is.character(x) && !(is.factor(x) && is.character(codes))) return(x)
  text <- as.character(x)
  text[is_code(text, codes)] <- NA
  numbers <- suppressWarnings(as.numeric(text))
  if (all(is.na(numbers) == is.na(text))) numbers else x
}

# --- screening ------------------------------------------------------------------------------------

# Whether a variable is far from normal: skewness beyond 2 or excess kurtosis above 7 (West, Finch &
# Curran 1995). False when the skewness is not known.
rule_far_from_normal <- function(skew, kurtosis) {
  !is.na(skew) & (abs(skew) > 2 | kurtosis > 7)
}

# Whether Little's test is made: with more degrees of freedom than cases it has hardly any power,
# and its chi-square distribution is not reached.
rule_little <- function(df, n) df > 0 & df <= n

# Whether a value is unusually frequent: it occurs at least ten times, and significantly more often
# than the neighbouring values (`near`: their number of answers, over `width` values), at least
# three times as often.
rule_piled <- function(count, near, width) {
  if (width == 0L || count < 10L) return(FALSE)
  expected <- (near + 1) / width
  count >= 3 * expected && stats::ppois(count - 1, expected, lower.tail = FALSE) < 0.001
}

# Whether an item is keyed against the others of its construct: its correlation with their sum is
# negative, significant and not small.
rule_reverse_keyed <- function(correlation, n, level = 0.05, smallest = 0.20) {
  z <- atanh(pmin(pmax(correlation, -1 + 1e-12), 1 - 1e-12)) * sqrt(pmax(n - 3, 0))
  correlation <= -smallest & 2 * stats::pnorm(-abs(z)) < level
}

# --- claims and fit indices -----------------------------------------------------------------------

# Codes that the column `verdict` of verdicts() can hold.
claim_codes <- c("supported", "contradicted", "not_supported", "cannot_tell", "not_judged")

# A directional hypothesis, by its one-sided p value; NA when it has no standard error.
rule_direction <- function(p_one_sided, level) {
  if (is.na(p_one_sided)) return("not_judged")
  if (p_one_sided < level) return("supported")
  if (1 - p_one_sided < level) "contradicted" else "not_supported"
}

# A hypothesis that two sides differ, by the two-sided p value.
rule_difference_claim <- function(p, level) {
  if (is.na(p)) "not_judged" else if (p < level) "supported" else "not_supported"
}

# A hypothesis of no difference: by an equivalence test against a margin (`equivalent`, NA where
# there is no standardized value), then by the two-sided p value.
rule_equality_claim <- function(p, equivalent, level) {
  if (is.na(p)) return("not_judged")
  if (equivalent %in% TRUE) return("supported")
  if (p < level) "contradicted" else "cannot_tell"
}

# The equivalence test that a value is within a margin around zero: the larger of the p values of
# its two one-sided tests (Schuirmann 1987).
p_of_equivalence <- function(value, se, df, margin) {
  stats::pt((margin - abs(value)) / se, df, lower.tail = FALSE)
}

# A fit index against its two tiers: "good", "acceptable" or "poor"; NA when it is not known.
rule_index <- function(value, tiers, higher_is_better) {
  if (is.na(value)) return(NA_character_)
  meets <- if (higher_is_better) value >= tiers else value <= tiers
  if (meets[1L]) "good" else if (meets[2L]) "acceptable" else "poor"
}

# The worst of several indices; NA when none is known.
rule_worst_index <- function(verdicts) {
  c("poor", "acceptable", "good")[c("poor", "acceptable", "good") %in% verdicts][1L]
}

# TRUE if a fit is acceptable by the second tier of the criteria; NA without indices. Vectors.
rule_acceptable_fit <- function(cfi, rmsea, criteria) {
  cfi >= criteria$cfi[2L] & rmsea <= criteria$rmsea[2L]
}

# --- changes of a model ---------------------------------------------------------------------------

# Codes that the column `verdict` of confirm() can hold.
confirmation_codes <- c("found_again", "too_small", "same_sign", "not_found_before", "other_sign",
                        "not_known")

# Codes that the column `verdict` of amendments() can hold.
amendment_codes <- c("stands_out", "within_chance", "negligible", "cannot_tell")

# A row of amendments, from its own p value adjusted for all rows that were tested, the size of the
# expected change and the power of the test (Saris, Satorra & van der Veld 2009). Vectors. A
# significant change is only set aside when it is known to be small; a change that is not
# significant is within chance only when the test could have detected one that matters.
rule_amendment <- function(p_adjusted, p, large, powerful, level) {
  small <- powerful %in% TRUE & large %in% FALSE
  code <- ifelse(p_adjusted <= level, ifelse(small, "negligible", "stands_out"),
                 ifelse(p <= level & small, "negligible",
                        ifelse(powerful %in% TRUE, "within_chance", "cannot_tell")))
  ifelse(is.na(code), "cannot_tell", code)
}

# The effect of a candidate on a quantity that a conclusion is based on: "matters" when it would
# cross the boundary of a hypothesis, or move by at least half a standard error and possibly
# (`limit`: the end of the interval of the movement) by the smallest size that matters; "harmless"
# when it cannot reach that size; else "open". `unit`: standard deviations per raw unit; without one
# half a standard error stands for the smallest size. Vectors.
rule_move <- function(movement, limit, crosses, se, unit, smallest) {
  large <- ifelse(is.na(unit), limit >= 0.5 * se, limit * unit >= smallest)
  known <- ifelse(crosses, "matters",
                  ifelse(!large, "harmless", ifelse(abs(movement) >= 0.5 * se, "matters", "open")))
  ifelse(is.na(movement) | is.na(limit), "open", known)
}

# Multivariate kurtosis other than the normal one, and heavy tails, by Mardia's test at .01: with
# heavy tails tests under normality reject too often.
rule_kurtosis <- function(kurtosis_z) isTRUE(abs(kurtosis_z) > kurtosis_limit)
rule_heavy_tails <- function(kurtosis_z) isTRUE(kurtosis_z > kurtosis_limit)
kurtosis_limit <- 2.58

# A path or covariance, by the p value of the rise in chi-square without it; NA when the model
# without it cannot be fitted. A vector.
rule_needed <- function(p_rise, level) {
  ifelse(is.na(p_rise), NA_character_, ifelse(p_rise > level, "could_be_removed", "needed"))
}

# Parameters freed in one sample and estimated in another. A parameter is replicated if it is
# significant in both samples (in the fresh one after adjustment for the number of parameters), with
# the same sign, and not small there: `size` is the standardized estimate (NA where there is none).
# Vectors.
rule_found_again <- function(estimate, p, fresh, p_fresh, size, level, smallest) {
  length <- max(lengths(list(estimate, p, fresh, p_fresh, size)))
  estimate <- rep_len(estimate, length)
  p <- rep_len(p, length)
  fresh <- rep_len(fresh, length)
  p_fresh <- rep_len(p_fresh, length)
  size <- rep_len(size, length)
  same <- sign(estimate) == sign(fresh)
  code <- ifelse(!same, "other_sign",
                 ifelse(is.na(p) | is.na(p_fresh), "not_known",
                        ifelse(p >= level, "not_found_before",
                               ifelse(p_fresh >= level, "same_sign",
                                      ifelse(abs(size) < smallest & !is.na(size), "too_small",
                                             "found_again")))))
  ifelse(is.na(code), "not_known", code)
}

# Which remedies for a model in trouble are recommended: proper ones (or at a bound) that do not fit
# significantly worse than the model as written (`p_change`); where the data differ and nothing can
# be compared (NA), those whose exact fit is not rejected (NA without degrees of freedom) or whose
# fit is acceptable. Vectors.
rule_remedy <- function(status, p_exact, p_change, acceptable, level) {
  usable <- status %in% c("proper", "at bound")
  fits <- is.na(p_exact) | p_exact >= level | acceptable %in% TRUE
  usable & ifelse(is.na(p_change), fits, p_change >= level)
}

# --- comparisons of models ------------------------------------------------------------------------

# Codes that the column `closer` of a comparison can hold, about models that are not nested.
closer_codes <- c("this", "other", "neither", "cannot_tell")

# Which of two models is closer to the truth (Vuong 1989), by the statistic corrected for the number
# of parameters as in AIC: "this", "other", or "neither" when it is not significant. "cannot_tell"
# when the models cannot be distinguished, or when the statistic corrected as in BIC is significant
# the other way. NA without a test. Vectors.
rule_closer <- function(p_distinguishable, z_aic, p_aic, z_bic, p_bic, level) {
  against <- p_bic < level & sign(z_bic) == -sign(z_aic)
  code <- ifelse(p_distinguishable >= level | against, "cannot_tell",
                 ifelse(p_aic >= level, "neither", ifelse(z_aic > 0, "this", "other")))
  ifelse(is.na(p_distinguishable), NA_character_, code)
}

# --- levels of invariance -------------------------------------------------------------------------

# Codes that the column `verdict` of a ladder can contain, in addition to NA where nothing is
# judged.
ladder_codes <- c("fits", "fits_poorly", "holds", "holds_in_part", "holds_small_differences",
                  "doubtful", "fails", "differs", "differs_negligibly", "cannot_tell",
                  "nothing_to_hold", "not_tested", "not_converged", "improper")

# Codes of rungs on which a further rung may be based, and codes on which the next structural step
# may be based.
sound_codes <- c("fits", "holds", "holds_in_part", "holds_small_differences", "nothing_to_hold")
step_codes <- c("holds", "differs_negligibly")

# The first rung, which is compared with no other one.
rule_first_rung <- function(converged, improper, cfi, rmsea, criteria) {
  if (!converged) return("not_converged")
  if (improper) return("improper")
  acceptable <- rule_acceptable_fit(cfi, rmsea, criteria)
  if (is.na(acceptable)) NA_character_ else if (acceptable) "fits" else "fits_poorly"
}

# The code of a rung or step that cannot be judged by its test; NULL when the test decides.
rule_testable <- function(converged, converged_before, df) {
  if (!converged) return("not_converged")
  if (!converged_before) return("not_tested")
  if (df == 0) "nothing_to_hold"
}

# A rung against the one below it. `broken`: the criteria of change that are broken, of "cfi",
# "rmsea", "srmr" and "p"; `rejected`: whether the difference in chi-square is significant;
# `differing`: whether a single equality is likely to differ; `powerful`: whether a difference that
# matters would have been detected (rule_powerful()); `released`: whether some equalities are
# released.
rule_rung <- function(broken, rejected, differing, improper = FALSE, powerful = TRUE,
                      released = FALSE) {
  if (improper) return("improper")
  if ("cfi" %in% broken && length(broken) > 1L) return("fails")
  if (length(broken) || differing) return("doubtful")
  if (!rejected && !powerful) return("cannot_tell")
  if (released) return("holds_in_part")
  if (rejected) "holds_small_differences" else "holds"
}

# Whether the equalities of a rung could have been rejected: `power`, by group, is the median power
# of its single equalities there against three times the smallest difference that matters. With more
# than two groups two of them must have it; the verdict is then about those alone.
rule_powerful <- function(power, criteria) {
  sum(power >= criteria$power, na.rm = TRUE) >= min(2L, length(power))
}

# A structural step, by the p value of the difference and by the largest standardized difference.
rule_step <- function(p, largest, criteria, improper = FALSE) {
  if (improper) return("improper")
  small <- largest < criteria$smallest
  if (p < criteria$significance) return(if (small) "differs_negligibly" else "differs")
  if (small) "holds" else "cannot_tell"
}

# Single equalities, by the Holm-adjusted p value, the expected change and the power of each. A
# significant difference has been detected, so that only its size is in question.
rule_equality <- function(p_holm, change, power, criteria) {
  significant <- p_holm < criteria$significance
  code <- rule_change(significant, abs(change) >= criteria$smallest,
                      significant | power >= criteria$power)
  unname(c(misspecified = "differs", negligible = "differs_negligibly", not_misspecified = "holds",
           cannot_tell = "cannot_tell")[code])
}

# The unsound rung that the judgement of a rung or step assumes: its number, or NA. `previous`: the
# number of the rung below each one.
rule_foundation <- function(codes, previous) {
  vapply(seq_along(codes), function(k) {
    if (!codes[k] %in% founded_codes) return(NA_integer_)
    below <- previous[k]
    while (!is.na(below) && codes[below] %in% c(sound_codes, step_codes)) below <- previous[below]
    as.integer(below)
  }, 0L)
}
founded_codes <- c("holds", "holds_in_part", "holds_small_differences", "differs",
                   "differs_negligibly", "cannot_tell")

# --- quality of measures --------------------------------------------------------------------------

# "good", "acceptable" or "short" by two tiers; `down`: smaller values are better.
rule_tier <- function(value, tiers, down = FALSE) {
  if (is.na(value)) return(NA_character_)
  if (down) {
    value <- -value
    tiers <- -tiers
  }
  if (value >= tiers[1L]) "good" else if (value >= tiers[2L]) "acceptable" else "short"
}

# A construct: "falls_short" when it does not meet a criterion (`short`: how many it does not meet),
# otherwise the lower of its tiers; NA when nothing could be judged.
rule_construct <- function(tiers, short) {
  if (short > 0L) return("falls_short")
  if (all(is.na(tiers))) return(NA_character_)
  if (any(tiers %in% "acceptable")) "acceptable" else "good"
}

# Codes of a score of all items, and of a score of the items of one part.
total_codes <- c("one_score", "mixture", "general_with_parts", "cannot_tell")
part_codes <- c("adds", "repeats", "adds_unreliable", "cannot_tell")

# A score of all items, by omega hierarchical and the limits of its interval: "one_score" when the
# lower limit is at least .80 (Rodriguez, Reise & Haviland 2016), "mixture" when the upper one is
# below .65, or omega is and the interval is short (Reise, Scheines, Widaman & Haviland 2013);
# "cannot_tell" when the interval reaches from .65 to .80.
rule_total_score <- function(omega_hierarchical, lower, upper) {
  if (anyNA(c(omega_hierarchical, lower, upper))) return("cannot_tell")
  if (lower <= 0.65 && upper >= 0.80) return("cannot_tell")
  if (lower >= 0.80) return("one_score")
  if (upper < 0.65 || (omega_hierarchical < 0.65 && upper - lower < 0.15)) return("mixture")
  "general_with_parts"
}

# A score of the items of one part, by the limits of its added value over the total score (Haberman
# 2008) and by omega of the part with its lower limit: it "adds" information of its own, "repeats"
# the total, adds information but is too unreliable for single persons, or cannot be judged.
rule_part_score <- function(added_lower, added_upper, omega, omega_lower) {
  if (anyNA(c(added_lower, added_upper, omega, omega_lower))) return("cannot_tell")
  if (added_upper < 0) return("repeats")
  if (added_lower <= 0) return("cannot_tell")
  if (omega_lower >= 0.70) return("adds")
  if (omega < 0.70) "adds_unreliable" else "cannot_tell"
}

# --- results that need many fits ------------------------------------------------------------------

# Whether the replicates suffice for a p value: enough of them, few of them lost, a median bias of
# at most one standard deviation, and an available estimate.
rule_replicates_give_p <- function(used, asked, median_bias, inside) {
  used >= fewest_for_p && used >= 0.95 * asked && abs(median_bias) <= 1 && inside
}

# The kinds of a simulated cut-off, best first: the share of correctly specified models that pass,
# and the largest share of misspecified ones that may (McNeish & Wolf 2023).
cutoff_kinds <- list(firm = c(right = 0.95, wrong = 0.05), lenient = c(right = 0.90, wrong = 0.10))

# `wrong`: the share of misspecified models that pass the cut-off of each kind, in order.
rule_cutoff <- function(wrong) {
  allowed <- vapply(cutoff_kinds, `[[`, 0, "wrong")
  found <- names(cutoff_kinds)[which(wrong <= allowed + 1e-9)]
  if (length(found)) found[1L] else "none"
}

# A value against a simulated cut-off, whose Monte Carlo interval runs from `lower` to `upper`:
# "cannot_tell" inside of it, and when the kind of the cut-off is not settled.
rule_cutoff_verdict <- function(value, lower, upper, settled, higher_is_better) {
  if (anyNA(c(value, lower, upper)) || !isTRUE(settled)) return("cannot_tell")
  if (!higher_is_better) return(rule_cutoff_verdict(-value, -upper, -lower, settled, TRUE))
  if (value >= upper) "passes" else if (value < lower) "fails" else "cannot_tell"
}

# Whether the number of misspecified replicates that pass is so close to a limit that more
# replicates could change the kind of a cut-off: the interval of the proportion, two standard errors
# each way around the proportion that adds two successes and two failures (Agresti & Coull 1998),
# must not contain the proportion that is allowed.
rule_settled <- function(passing, replicates, allowed) {
  share <- (passing + 2) / (replicates + 4)
  half <- 2 * sqrt(share * (1 - share) / (replicates + 4))
  if (passing / replicates <= allowed) share + half <= allowed else share - half > allowed
}

# --- constancy along a variable -------------------------------------------------------------------

# A block or parameter along a variable: "changes", "no_change" or "not_tested"; with `step`, the
# order in which changing parameters were found, "follows_others" for those that are significant
# only as long as others are held constant.
rule_constancy <- function(p_adjusted, level, step = rep(NA, length(p_adjusted))) {
  significant <- p_adjusted <= level
  ifelse(is.na(p_adjusted), "not_tested",
         ifelse(!is.na(step), "changes",
                ifelse(significant & any(!is.na(step)), "follows_others",
                       ifelse(significant, "changes", "no_change"))))
}

# Are there enough cases, and clusters, for the distribution of the statistics to hold?
rule_enough_cases <- function(n, rank, clusters = NULL) {
  enough <- n >= max(100, 20 * rank)
  if (is.null(clusters)) return(enough)
  count <- length(unique(clusters))
  enough && count >= max(30, 5 * rank)
}

# Does a construct change so much that scores should come from models within bins? `d`: the
# difference between the means of the outer thirds, which are two thirds of the range apart.
rule_strong_change <- function(d, sd_ratio) {
  any(1.5 * abs(d) > 1.5) || any(pmax(sd_ratio, 1 / sd_ratio) > 2)
}

# --- many groups ----------------------------------------------------------------------------------

# May means of many groups be ranked? "rank", or "do_not_rank": the means are too uncertain (Muthén
# & Asparouhov 2014), or so many parameters differ that the means are biased, which simulations from
# the solution do not show (bench/results/approximate-means.txt).
rule_ranking <- function(correlation, share) {
  if (is.na(correlation) || correlation < 0.98 || share > 0.1) "do_not_rank" else "rank"
}

# Beyond a quarter of the parameters, approximate invariance is no basis for comparisons.
rule_too_different <- function(share) share > 0.25

# --- mediation ------------------------------------------------------------------------------------

# The conclusion from the intervals of the indirect and the direct effect (Zhao, Lynch & Chen 2010):
# "indirect_only", "both_same" (complementary), "both_opposite" (competitive), "direct_only",
# "neither", or "no_route" without an indirect effect. A direct effect that is not in the model
# counts as zero.
rule_mediation <- function(indirect_lower, indirect_upper, direct_lower, direct_upper) {
  if (is.na(indirect_lower)) return("no_route")
  sign_of <- function(lower, upper) {
    if (is.na(lower)) 0 else if (lower > 0) 1 else if (upper < 0) -1 else 0
  }
  indirect <- sign_of(indirect_lower, indirect_upper)
  direct <- sign_of(direct_lower, direct_upper)
  if (indirect == 0) return(if (direct == 0) "neither" else "direct_only")
  if (direct == 0) return("indirect_only")
  if (indirect == direct) "both_same" else "both_opposite"
}
