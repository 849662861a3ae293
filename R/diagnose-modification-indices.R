#' Modification indices and expected parameter changes
#'
#' Ranks every parameter that is fixed, equal or tied, and every relation that is not in the model,
#' by its modification index: the drop of \eqn{\chi^2} predicted from the score and the expected
#' information, \eqn{s^2/V} with
#' \eqn{V = I_{cc} - I_{c\theta} I_{\theta\theta}^{-1} I_{\theta c}} (Sörbom 1989). The models
#' with the largest indices are also refitted, so that the actual drop and estimate can be compared
#' with the predicted ones.
#'
#' The expected change is \eqn{s/V} (Saris, Satorra & Sörbom 1987). For one of several equal
#' parameters it is the change relative to the others; `full_change` takes off by how much the
#' others move. `expected_change_std` puts it in standard deviations: loadings and effects by both
#' variables, residual covariances as correlations of the residuals.
#'
#' @section Information:
#' With complete data the index rests on the expected information. With missing values it is based
#' on the observed information without the part due to misfit. The expected information is wrong for
#' values missing at random, and the observed information mistakes misfit for information; of the
#' three, this one best predicts the result of a refit. Standard errors rest on the whole observed
#' information, so an expected change over its standard error is not a z value from [estimates()].
#'
#' @section Verdict:
#' `p_adjusted` is adjusted for all rows that were tested: by the distribution of the largest of
#' their statistics, step by step (Westfall & Young 1993), with the dependence of the rows known
#' from the expected information; by Holm (1979) for more than 2,000 rows or where that is smaller.
#' The verdict of a row rests on its own adjusted p value, on the size of the expected change and on
#' the power to detect the smallest change that matters (Saris, Satorra & van der Veld 2009):
#' *stands out* (significant), *negligible* (significant, but small in a test of enough power),
#' *within chance* (not significant in a test of enough power), *cannot tell* (not significant in a
#' test of too little power).
#'
#' Where the data have heavy tails (Mardia's test of multivariate kurtosis above 2.58), the adjusted
#' p values and the power come from the variance of the scores over cases, also under normal
#' inference, because tests under normality then reject correct models far too often;
#' `modification_index` and `p` stay as they are.
#'
#' A row *goes with* another if it is significant only until that one is freed (rows are freed one
#' after the other, at most five), and is the *same as* another if both imply the same moments.
#' Whether exact fit is rejected is reported beside the rows and never replaces their own p values.
#'
#' @section Conclusions:
#' `x$movements` is a data frame with one row for each change and quantity that conclusions rest on
#' (hypotheses of the blueprint, effects, means of constructs; without these, correlations of
#' constructs): `parameter`, `target`, `movement` (predicted), `limit` (the largest it could be at
#' 95%), `in_se`, `verdict` and `refitted` (the actual movement, for the leading three). A large
#' index that moves nothing may stay, and a small one that moves a conclusion may not (Oberski
#' 2014). `x$structures` lists splits of constructs (`either_side`: items that could belong to
#' either part), method factors and a general factor with their fit, `z` and `p` (against the
#' largest of the family); its attribute `p_joint` is the test of all of them and the single changes
#' together.
#'
#' @section Parameters that are not offered:
#' Parameters that set the scale of a construct, changes that would leave the model unidentified
#' (\eqn{V/I_{cc} < 10^{-9}}), and nonsense: an item's residual with its construct, a disturbance
#' with its own predictor. Items are never causes. `all = TRUE` lists them separately, with the
#' reason.
#'
#' @param fit A fit from [fit_model()] that converged.
#' @param top How many of the largest to refit and to print.
#' @param min_drop Omit changes with a smaller index.
#' @param kinds Kinds to look at, or the start of their names: `"residual covariance"`,
#'   `"cross-loading"`, `"effect"`, `"effect on an item"`, `"reversal"` (of an effect that is in the
#'   model), `"feedback"` (closes a longer loop of effects), `"construct covariance"`,
#'   `"disturbance covariance"`, `"equality"`, `"equality across groups"` (freed in one group;
#'   also `"across times"`, `"across groups and times"`),
#'   `"equality of all groups"` (with more than two: freed in all, with one degree of freedom less
#'   than there are groups), `"fixed value"`, `"equation"`, `"bound"`. All when `NULL`; only then
#'   splits and common factors (`x$structures`) are tested.
#' @param order `"index"`: sorted by modification index; `"moves"`: by the largest movement of a
#'   quantity that conclusions rest on, in standard errors.
#' @param all Whether to list the changes that are not offered (attribute `not_offered`).
#' @param criteria The smallest change that matters, the level and the power asked for, from
#'   [criteria()].
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_amendments`, sorted by index, reversals and feedback
#'   after the rest: `parameter`, `group`,
#'   `kind`, `modification_index`, `df`, `p`, `expected_change`, `expected_change_std`,
#'   `p_adjusted`, `actual_drop` and `actual_estimate` (`NA` where not refitted; with robust
#'   inference the drop is the scaled difference that [amend()] finds), `verdict` (`"stands_out"`,
#'   `"within_chance"`, `"negligible"` or `"cannot_tell"`), `relation` (`""`, `"goes_with"` or
#'   `"same_as"`) and `relative_to` (the other row), `moves` (the worst effect that the change would
#'   have to the conclusions: `"matters"`, `"open"` or `"harmless"`) and `moves_most` (to which of
#'   them), and also `full_change`, `power`,
#'   `explanation` (why the predicted and the actual drop differ, or the improper parts of the
#'   amended model) and `status` of the refit (`"proper"`, `"improper"`, `"not converged"`).
#' @section Errors: `orizzonte_error_convergence` for a fit that did not converge;
#'   `orizzonte_error_input` for an unknown kind (the nearest is named).
#' @references
#' Holm, S. (1979). A simple sequentially rejective multiple test procedure. *Scandinavian Journal
#' of Statistics, 6*(2), 65--70.
#'
#' Oberski, D. L. (2014). Evaluating sensitivity of parameters of interest to measurement invariance
#' in latent variable models. *Political Analysis, 22*(1), 45--60.
#'
#' Saris, W. E., Satorra, A., & Sörbom, D. (1987). The detection and correction of specification
#' errors in structural equation models. *Sociological Methodology, 17*, 105--129.
#'
#' Saris, W. E., Satorra, A., & van der Veld, W. M. (2009). Testing structural equation models or
#' detection of misspecifications? *Structural Equation Modeling, 16*(4), 561--582.
#'
#' Sörbom, D. (1989). Model modification. *Psychometrika, 54*(3), 371--384.
#' Westfall, P. H., & Young, S. S. (1993). *Resampling-based multiple testing*. Wiley.
#' @seealso [amend()] to make one of the changes, [score_test()] for several at once,
#'   [residual_map()] for a picture of the misfit.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' amendments(fit, top = 5)
#' @export
amendments <- function(fit, top = 20, min_drop = 0, kinds = NULL, all = FALSE, order = "index",
                       criteria = NULL, ...) {
  check_arguments("amendments")
  check_fit(fit, "amendments")
  check_converged(fit, "amendments")
  own <- fit
  fit <- joint_fit(fit)
  check_count(top, "`top`")
  check_number(min_drop, "`min_drop`", 0)
  check_flag(all, "`all`")
  order <- choose_one(order, c("index", "moves"), "`order`")
  criteria <- check_criteria(criteria)
  # structures are not a kind of their own: they are part of a search among all kinds
  whole_search <- is.null(kinds)
  kinds <- match_kinds(kinds) %||% amendment_kinds
  candidates <- tested_candidates(fit, find_candidates(fit, all))
  refused <- nzchar(candidates$reason)
  offered <- judge_candidates(fit, lapply(candidates, function(x) x[!refused]), criteria)
  # statements about the whole refer to all tested parameters, before any are selected
  heavy <- has_heavy_tails(fit)
  offered <- judge_rows(fit, offered, criteria, heavy)
  whole <- list(tested = length(offered$parameter), shared = shared_residuals(own, offered),
                nothing = nothing_to_amend(fit, offered$verdict, criteria, heavy),
                exact = if ("stands_out" %in% offered$verdict) exact_fit_words(fit, criteria))
  offered <- picked_candidates(fit, offered, kinds, min_drop, criteria)
  leaders <- seq_len(min(top, length(offered$parameter)))
  leading <- lapply(offered, function(x) x[leaders])
  real <- refit_leaders(fit, leading)
  moves <- row_moves(fit, offered, real, criteria)
  columns <- amendment_columns(fit, offered, real)
  columns <- c(columns, summarized_moves(moves, offered$parameter))
  if (order == "moves" && !is.null(moves)) {
    # the largest movement in standard errors first
    most <- tapply(moves$in_se, factor(moves$parameter, unique(moves$parameter)), max)
    sorted <- order(-most[match(columns$parameter, names(most))])
    columns <- lapply(columns, function(x) x[sorted])
  }
  structure(list_frame_class(columns, "orizzonte_amendments"), title = own$request$blueprint$title,
            chisq = test_of(fit)$chisq, df_model = stats::df.residual(fit),
            tested = whole$tested, nothing = whole$nothing, exact = whole$exact,
            refused = sum(refused),
            robust = is_robust(fit$request), heavy = heavy, incomplete = is_incomplete(fit$sample),
            not_offered = if (all) refused_frame(fit, candidates, refused),
            wording = all_wordings(fit), top = top, shared = whole$shared,
            structures = if (whole_search) find_structures(fit, real), movements = moves,
            criteria = criteria, trouble = improper_parts(own)$trouble)
}

# The parameters of the requested kinds in the order of the table: those that close a loop of
# effects come last.
picked_candidates <- function(fit, offered, kinds, min_drop, criteria) {
  together <- if ("equality of all groups" %in% kinds) joint_equalities(fit, offered, criteria)
  offered$members <- vector("list", length(offered$parameter))
  if (!is.null(together)) offered <- Map(c, offered, together[names(offered)])
  order <- order(offered$change %in% loop_kinds, -signif(offered$modification_index, 9L))
  order <- order[offered$change[order] %in% kinds &
                   offered$modification_index[order] >= min_drop]
  with_shown_relatives(lapply(offered, function(x) x[order]))
}

# When a row is not shown, the first of the rows that are the same takes its place.
with_shown_relatives <- function(rows) {
  lost <- rows$relation == "same_as" & !rows$relative_to %in% rows$parameter
  for (absent in unique(rows$relative_to[lost])) {
    at <- which(rows$relation == "same_as" & rows$relative_to %in% absent)
    rows$relation[at[1L]] <- ""
    rows$relative_to[at[1L]] <- NA_character_
    rows$relative_to[at[-1L]] <- rows$parameter[at[1L]]
  }
  rows
}

amendment_columns <- function(fit, offered, real) {
  size <- length(offered$parameter)
  rest <- function(x) c(x, rep(x[NA_integer_], size - length(x)))
  explanation <- rest(real$explanation)
  same <- rest(real$equivalent)
  impossible <- impossible_change(offered)
  offered$group <- shown_group(fit$layout, offered$group)
  offered$kind <- offered$change
  plain <- impossible & (is.na(explanation) | !nzchar(explanation))
  explanation[plain] <- text_of("expected_value_is_no")
  c(offered[c("parameter", "group", "kind", "modification_index", "df", "p", "expected_change",
              "expected_change_std")],
    list(p_adjusted = offered$p_adjusted, actual_drop = rest(real$drop),
         actual_estimate = rest(real$estimate), verdict = offered$verdict,
         relation = ifelse(is.na(same), offered$relation, "same_as"),
         relative_to = ifelse(is.na(same), offered$relative_to, same),
         full_change = offered$full_change, power = offered$power, explanation = explanation,
         status = rest(real$status)))
}

# A covariance that is not in the model, expected beyond 1 as a correlation.
impossible_change <- function(offered) {
  new <- offered$entry == 0L & offered$constraint == 0L & offered$kind == "covariance"
  new & abs(offered$expected_change_std) > 1 & !is.na(offered$expected_change_std)
}

# Adjusted p values, verdicts and relations of all rows, sorted by index; changes that close a loop
# of effects come last. With heavy tails the p values and the power behind the verdicts do not
# assume normality, also where the indices themselves do.
judge_rows <- function(fit, offered, criteria, heavy) {
  if (length(offered$parameter) == 0L) {
    blank <- list(p_adjusted = numeric(), verdict = character(), relation = character(),
                  relative_to = character())
    return(utils::modifyList(offered, blank))
  }
  # candidates with the same implications tie: their order must not depend on rounding, and one that
  # leads to an impossible value comes after one that does not
  order <- order(offered$change %in% loop_kinds, -signif(offered$modification_index, 9L),
                 impossible_change(offered))
  offered <- lapply(offered, function(x) x[order])
  with <- core_with(fit, offered)
  null <- null_of_rows(fit, with)
  p <- offered$p
  if (heavy) {
    variance <- core_score_tests(with$core, core_moments(fit), core_theta(fit), with$entry,
                                 with$constraint, FALSE, core_cases(fit))$variance
    p <- stats::pchisq(offered$score^2 / variance, 1, lower.tail = FALSE)
    offered$power <- power_of_rows(offered, variance, candidate_units(fit, offered), criteria)
    offered$strong <- offered$power >= criteria$power
  }
  offered$p_adjusted <- adjusted_p_values(p, null)
  offered$verdict <- rule_amendment(offered$p_adjusted, p, offered$large, offered$strong,
                                    criteria$significance)
  related <- relate_rows(fit, offered, with, null, offered$p_adjusted <= criteria$significance,
                         criteria$significance, heavy || is_robust(fit$request))
  c(offered, related)
}

# Why nothing needs to be amended; NULL when a row stands out.
nothing_to_amend <- function(fit, verdict, criteria, heavy = FALSE) {
  if (test_of(fit)$df == 0L || length(verdict) == 0L || any(verdict == "stands_out")) return(NULL)
  count <- format_count(length(verdict))
  fits <- exact_fit_words(fit, criteria)
  if (!is.null(fits)) return(paste(fits, text_of("none_stands_out", count = count)))
  exact <- exact_test(fit)
  # chi-square itself is too large when tails are heavy
  if (heavy)
    return(text_of("misfit_or_heavy_tails", chisq = format_fixed(exact$chisq), df = exact$df,
                   exact = p_clause(exact$p), count = count, instruction = instruction("robust")))
  text_of("misfit_is_spread", chisq = format_fixed(exact$chisq), df = exact$df,
          exact = p_clause(exact$p), count = count, correction = small_sample_words(fit),
          instruction = instruction("see_residual_map"))
}

# That exact fit is not rejected; NULL where it is.
exact_fit_words <- function(fit, criteria) {
  exact <- exact_test(fit)
  if (exact$df == 0L || !isTRUE(exact$p >= criteria$significance)) return(NULL)
  text_of("exact_fit_is_not", chisq = format_fixed(exact$chisq), df = exact$df,
          exact = p_clause(exact$p), correction = small_sample_words(fit))
}

small_sample_words <- function(fit) {
  if (!is.null(small_sample_test(fit))) text_of("for_sample_size")
}

refused_frame <- function(fit, candidates, refused) {
  candidates$kind <- candidates$change
  out <- lapply(candidates[c("parameter", "group", "kind", "reason")], function(x) x[refused])
  out$group <- shown_group(fit$layout, out$group)
  list_frame(out)
}

# Scores and informations of all candidates; those that are not identified get a reason.
tested_candidates <- function(fit, candidates) {
  size <- length(candidates$parameter)
  open <- which(!nzchar(candidates$reason))
  unknown <- rep(NA_real_, size)
  columns <- list(score = unknown, information = unknown, variance = unknown, kept = unknown,
                  response = vector("list", size))
  if (length(open)) {
    tell_candidates(fit, length(open))
    with <- core_with(fit, lapply(candidates, function(x) x[open]))
    tests <- score_core(fit, with, FALSE)
    if (!tests$admissible) {
      candidates$reason[open] <- text_of("information_about_parameters_is")
      open <- integer()
    }
    tests$response <- if (length(tests$response) == 0L) columns$response[open] else
      lapply(seq_along(open), function(i) tests$response[, i])
    for (name in names(columns)) columns[[name]][open] <- tests[[name]]
    # once this parameter is free, nothing is known about any other
    lost <- !is.finite(tests$information) | tests$information < 1e-9 * tests$own
    candidates$reason[open[lost]] <- text_of("model_would_not_be")
  }
  c(candidates, columns)
}

# With many missing patterns each candidate is tested in every pattern.
tell_candidates <- function(fit, size) {
  patterns <- sum(lengths(lapply(fit$sample$groups, `[[`, "patterns")))
  if (as.numeric(size) * patterns * length(core_theta(fit)) < long_testing) return(invisible())
  say(text_of("testing_takes_a_while", size = size, patterns = patterns))
}
long_testing <- 1e8      # some seconds

# Index, expected change, its size and the power to detect the smallest change that matters (Saris,
# Satorra & van der Veld 2009).
judge_candidates <- function(fit, candidates, criteria) {
  smallest <- criteria$smallest
  v <- candidates$information
  index <- candidates$score^2 / candidates$variance
  change <- candidates$score / v
  unit <- candidate_units(fit, candidates)
  seen <- power_of_rows(candidates, candidates$variance, unit, criteria)
  c(candidates,
    list(modification_index = index, df = rep(1L, length(index)),
         deflation = v / candidates$variance,
         p = stats::pchisq(index, 1, lower.tail = FALSE), expected_change = change,
         expected_change_std = change * unit, full_change = change * candidates$kept, power = seen,
         large = abs(change * unit) >= smallest, strong = seen >= criteria$power))
}

# The power to detect the smallest change that matters, by the variance of the scores. A noncentral
# chi-square with one degree of freedom is a shifted normal, squared.
power_of_rows <- function(candidates, variance, unit, criteria) {
  limit <- stats::qnorm(1 - criteria$significance / 2)
  shift <- criteria$smallest / abs(unit) * candidates$information / sqrt(variance)
  stats::pnorm(shift - limit) + stats::pnorm(-shift - limit)
}

# The leading candidates freed and refitted: actual drops, actual estimates, and the reasons why
# they differ from the predictions.

# Each candidate freed by itself; also reports which refits imply the same moments.
refit_leaders <- function(fit, leaders) {
  size <- length(leaders$parameter)
  out <- list(drop = rep(NA_real_, size), estimate = rep(NA_real_, size),
              equivalent = rep(NA_character_, size), explanation = rep("", size),
              status = rep(NA_character_, size), df = as.integer(leaders$df), refits = list())
  if (size == 0L) return(out)
  with <- core_with(fit, leaders)
  with$response <- responses_of(fit, leaders, with)
  implied <- vector("list", size)
  refits <- map_with_progress(seq_len(size), function(i) refit_leader(fit, leaders, with, i),
                      text_of("head_refits"))
  out$refits <- refits
  for (i in seq_len(size)) {
    found <- refits[[i]]
    for (name in c("drop", "estimate", "explanation", "status"))
      out[[name]][i] <- found[[name]] %||% out[[name]][i]
    if (is.null(found$core)) next
    implied[[i]] <- found[c("core", "eta")]
    for (j in which(abs(out$drop[seq_len(i - 1L)] - out$drop[i]) < 1e-4)) {
      if (!is.na(out$equivalent[i]) || !same_moments(fit, implied[[i]], implied[[j]])) next
      out$equivalent[i] <- leaders$parameter[j]
    }
  }
  out
}

# The better of two optima, from the current solution and from the default start, as in amend().
refit_leader <- function(fit, leaders, with, i) {
  lost <- list(status = "not converged", explanation = text_of("amended_model_does_not"))
  chisq <- stats::deviance(fit)
  if (length(leaders$members[[i]])) {
    found <- refit_together(fit, leaders$members[[i]])
    if (!found$ok) return(lost)
    together <- score_jointly(fit, leaders$members[[i]])$with
    freed <- freed_core(together$core, together$entry, together$constraint)
    return(list(drop = core_drop(fit, freed, found, NULL, leaders$df[i])))
  }
  core <- freed_core(with$core, with$entry[i], with$constraint[i])
  start <- core_theta(fit) + leaders$expected_change[i] * with$response[, i]
  if (with$entry[i] > 0L) start <- c(start, now_at(fit, leaders, i) + leaders$full_change[i])
  predicted <- leaders$modification_index[i]
  found <- core_refit(fit, core, start)
  # another optimum may be lower; where a fit is slow it is searched for only if the drop differs
  # from the prediction
  if (!found$ok || !fits_slowly(fit) || is_far(stats::deviance(fit) - found$chisq, predicted)) {
    other <- core_refit(fit, core, rep(NaN, core$parameters), 4L)
    if (other$ok && (!found$ok || other$chisq < found$chisq - 1e-6)) found <- other
  }
  if (!found$ok) return(lost)
  drop <- core_drop(fit, core, found, start = c(core_theta(fit), if (leaders$entry[i] > 0L ||
    with$entry[i] > 0L) now_at(fit, leaders, i)), 1L)
  far <- is_far(drop, predicted)
  trouble <- improper_refit(fit, core, found$eta)
  list(drop = drop,
       estimate = if (with$entry[i] > 0L) found$eta[with$entry[i]] else
         slack_at(fit, leaders$constraint[i], layout_entries(fit, found$eta)),
       status = if (length(trouble)) "improper" else "proper",
       explanation = if (length(trouble)) {
         text_of("amended_model_is_improper", trouble = enumerate(trouble, most = 2L))
       } else if (far) {
         explain_gap(fit, found, leaders, i, with$entry[i])
       },
       core = core, eta = found$eta)
}

# Describes the improper parts of a refit that the original fit does not have.
is_far <- function(drop, predicted) abs(drop - predicted) > max(0.25 * predicted, 1)

# With many missing patterns or parameters a fit takes long.
fits_slowly <- function(fit) {
  sum(lengths(lapply(core_moments(fit), `[[`, "patterns"))) > 50L ||
    fit$layout$model$parameters > 300L
}

improper_refit <- function(fit, core, eta) {
  values <- layout_entries(fit, eta)
  matrices <- core_implied(core, eta)
  found <- bind_troubles(lapply(group_views(fit), function(view) {
    view$eta <- values[fit$layout$spans[[view$number]]]
    view$matrices <- matrices[[view$number]]
    view_improper(view)
  }))
  found$trouble[!found$parameter %in% improper_parts(fit)$parameter]
}

# Do two refits imply the same moments?
same_moments <- function(fit, one, other) {
  sd <- lapply(core_moments(fit), function(moments) sqrt(diag(moments$covariance)))
  moments <- lapply(list(one, other), function(x) {
    unlist(Map(function(implied, sd) {
      p <- seq_along(sd)
      c(implied$covariance[p, p] / outer(sd, sd),
        if (!fit$layout$saturated_means) implied$mean[p] / sd)
    }, core_implied(x$core, x$eta), sd))
  })
  max(abs(moments[[1L]] - moments[[2L]])) < 1e-6
}

# Why the refit is far from the prediction. `entry` is the candidate's number in the model that was
# refitted.
explain_gap <- function(fit, found, leaders, i, entry) {
  # is there a better optimum of the fit itself than the current one?
  if (entry > 0L && !leaders$change[i] %in% equality_kinds) {
    again <- core_refit(fit, fit$layout$model, found$theta[seq_len(fit$layout$model$parameters)],
                        4L)
    if (again$ok && again$chisq < stats::deviance(fit) - 1e-4) {
      return(text_of("fit_itself_was_not", chisq = format_fixed(again$chisq)))
    }
  }
  expected <- now_at(fit, leaders, i) + leaders$full_change[i]
  estimate <- if (entry > 0L) found$eta[entry] else NA
  se <- sqrt(leaders$variance[i]) / leaders$information[i]
  if (!is.na(estimate) && abs(estimate - expected) > 2 * se) {
    return(text_of("amended_model_reaches_another", estimate = format_number(estimate),
                   expected = format_number(expected)))
  }
  text_of("large_change_quadratic_prediction")
}
