#' What could be freed, and what it would do
#'
#' Ranks every parameter that is fixed, equal or tied, and every relation that is not in the model,
#' by its modification index: the drop of \eqn{\chi^2} predicted from the score and the expected
#' information, \eqn{s^2/V} with
#' \eqn{V = I_{cc} - I_{c\theta} I_{\theta\theta}^{-1} I_{\theta c}} (Sörbom 1989). The leading
#' ones are also fitted, so that the real drop and the real estimate stand beside the predicted
#' ones.
#'
#' The expected change is \eqn{s/V} (Saris, Satorra & Sörbom 1987). For one of several equal
#' parameters it is the change relative to the others; `full_change` takes off by how much the
#' others move. `expected_change_std` puts it in standard deviations: loadings and effects by both
#' variables, residual covariances as correlations of the residuals.
#'
#' @section Verdict:
#' The index says whether a change is significant, the power to detect the smallest change that
#' matters whether that means anything (Saris, Satorra & van der Veld 2009): *misspecified*
#' (significant, and power is low or the expected change as large as the smallest that matters),
#' *negligible* (significant only because power is high: the expected change is small), *not
#' misspecified* (not significant with high power), *cannot tell* (not significant with low power).
#'
#' @section What is not offered:
#' Parameters that carry a scale, changes that would leave the model unidentified
#' (\eqn{V/I_{cc} < 10^{-9}}), and nonsense: an item's residual with its construct, a disturbance
#' with its own predictor. Items are never causes. `all = TRUE` lists them apart, with the reason.
#'
#' @param fit A fit from [fit_model()] that converged.
#' @param top How many of the leading ones to refit and to print.
#' @param min_drop Leave out what has a smaller index.
#' @param kinds Kinds to look at, or the start of their names: `"residual covariance"`,
#'   `"cross-loading"`, `"effect"`, `"effect on an item"`, `"construct covariance"`,
#'   `"disturbance covariance"`, `"equality"`, `"equality across groups"` (freed in one group),
#'   `"equality of all groups"` (with more than two: freed in all, with one degree of freedom less
#'   than there are groups), `"fixed value"`, `"equation"`, `"bound"`. All when `NULL`.
#' @param all Whether to list apart what is not offered (attribute `not_offered`).
#' @param criteria The smallest change that matters, the level and the power asked for, from
#'   [criteria()].
#' @return A data frame of class `orizzonte_amendments`, sorted by index: `parameter`, `group`,
#'   `kind`, `modification_index`, `df`, `p`, `expected_change`, `expected_change_std`,
#'   `actual_drop` and `actual_estimate` (`NA` where not refitted), `verdict`, and besides
#'   `full_change`, `power`, `equivalent_to` (an earlier row that leads to the same implied moments)
#'   and `explanation` (why prediction and reality differ).
#' @section Errors: `orizzonte_error_convergence` for a fit that did not converge;
#'   `orizzonte_error_input` for an unknown kind (the nearest is named).
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' amendments(fit, top = 5)
#' @export
amendments <- function(fit, top = 20, min_drop = 0, kinds = NULL, all = FALSE, criteria = NULL) {
  check_fit(fit, "amendments")
  check_converged(fit, "amendments")
  check_number(top, "`top`", 0)
  check_number(min_drop, "`min_drop`", 0)
  criteria <- check_criteria(criteria)
  candidates <- tested_candidates(fit, find_candidates(fit, all))
  kinds <- match_kinds(kinds) %||% amendment_kinds
  across <- "equality of all groups" %in% kinds
  candidates <- lapply(candidates,
                       function(x) {
                         x[candidates$change %in% kinds |
                           (across & candidates$change == "equality across groups")]
                       })
  refused <- nzchar(candidates$reason)
  offered <- lapply(candidates, function(x) x[!refused])
  offered <- judge_candidates(fit, offered, criteria)
  together <- if (across) joint_equalities(fit, offered, criteria)
  offered$members <- vector("list", length(offered$parameter))
  if (!is.null(together)) offered <- Map(c, offered, together[names(offered)])
  offered <- lapply(offered, function(x) x[offered$change %in% kinds])
  # candidates that say the same thing tie: their order must not hang on rounding
  order <- order(-signif(offered$modification_index, 9L))
  order <- order[offered$modification_index[order] >= min_drop]
  offered <- lapply(offered, function(x) x[order])
  leaders <- seq_len(min(top, length(offered$parameter)))
  real <- refit_leaders(fit, lapply(offered, function(x) x[leaders]))
  rest <- function(x) c(x, rep(x[NA_integer_], length(offered$parameter) - length(leaders)))
  offered$group <- shown_group(fit$layout, offered$group)
  offered$kind <- offered$change
  columns <-
    c(offered[c("parameter", "group", "kind", "modification_index", "df", "p", "expected_change",
                "expected_change_std")],
      list(actual_drop = rest(real$drop), actual_estimate = rest(real$estimate),
           verdict = offered$verdict, full_change = offered$full_change, power = offered$power,
           equivalent_to = rest(real$equivalent), explanation = rest(real$explanation)))
  not_offered <- if (all) refused_frame(fit, candidates, refused)
  structure(list_frame_class(columns, "orizzonte_amendments"), title = fit$request$blueprint$title,
            chisq = stats::deviance(fit), df_model = stats::df.residual(fit),
            refused = sum(refused), not_offered = not_offered, wording = all_wordings(fit),
            top = top, shared = shared_residuals(fit, columns), criteria = criteria,
            trouble = improper_parts(fit)$trouble)
}

amendment_kinds <- c("residual covariance within a construct",
                     "residual covariance across constructs", "cross-loading", "effect",
                     "effect on an item", "construct covariance", "disturbance covariance",
                     "equality", "equality across groups", "equality of all groups",
                     "fixed value", "equation", "bound", "nonsense")

refused_frame <- function(fit, candidates, refused) {
  candidates$kind <- candidates$change
  out <- lapply(candidates[c("parameter", "group", "kind", "reason")], function(x) x[refused])
  out$group <- shown_group(fit$layout, out$group)
  list_frame(out)
}

match_kinds <- function(kinds) {
  if (is.null(kinds)) return(NULL)
  if (!is.character(kinds) || anyNA(kinds) || length(kinds) == 0L)
    abort("input", "`kinds` must be texts, such as \"cross-loading\".")
  unlist(lapply(kinds, function(kind) {
    if (kind %in% amendment_kinds) return(kind)
    found <- amendment_kinds[startsWith(amendment_kinds, kind)]
    if (length(found)) return(found)
    abort("input",
          c(paste0("There is no kind ", quoted(kind), "."), did_you_mean(kind, amendment_kinds),
            i = paste0("Kinds: ", enumerate(utils::head(amendment_kinds, -1L), most = 20L), ".")))
  }))
}

# Scores and informations of all candidates; what cannot be told apart gets its reason.
tested_candidates <- function(fit, candidates) {
  size <- length(candidates$parameter)
  open <- which(!nzchar(candidates$reason))
  columns <- list(score = rep(NA_real_, size), information = rep(NA_real_, size),
                  kept = rep(NA_real_, size))
  if (length(open)) {
    with <- core_with(fit, lapply(candidates, function(x) x[open]))
    tests <- core_score_tests(with$core, core_moments(fit), core_theta(fit), with$entry,
                              with$constraint, FALSE)
    if (!tests$admissible) {
      candidates$reason[open] <- "the information about the parameters is singular here"
      open <- integer()
    }
    for (name in names(columns)) columns[[name]][open] <- tests[[name]]
    # about nothing else is anything known once this is free as well
    lost <- !is.finite(tests$information) | tests$information < 1e-9 * tests$own
    candidates$reason[open[lost]] <- "the model would not be identified"
  }
  c(candidates, columns)
}

# How much of a standardized unit one unit of each candidate is; NA where a variance is not
# positive.
candidate_units <- function(fit, candidates) {
  number <- match(candidates$group, fit$layout$groups)
  positive <- function(x) sqrt(ifelse(x > 0, x, NA))
  out <- rep(NA_real_, length(number))
  for (g in seq_along(fit$layout$groups)) {
    matrices <- matrices_of(fit)[[g]]
    sd <- positive(diag(matrices$covariance))
    residual <- positive(diag(matrices$residual))
    for (f in names(parameter_families)) {
      at <- which(candidates$family == parameter_families[[f]] &
                  !candidates$change %in% c("equation", "bound") &
                    number == g)
      row <- candidates$row[at]
      col <- candidates$col[at]
      out[at] <- switch(f, effect = sd[col] / sd[row], mean = 1 / sd[row],
                        covariance = ifelse(row == col, 1 / sd[row]^2,
                                            1 / (residual[row] * residual[col])))
    }
  }
  out
}

# Index, expected change and verdict (Saris, Satorra & van der Veld 2009).
judge_candidates <- function(fit, candidates, criteria) {
  smallest <- criteria$smallest
  v <- candidates$information
  index <- candidates$score^2 / v
  change <- candidates$score / v
  unit <- candidate_units(fit, candidates)
  limit <- stats::qchisq(1 - criteria$significance, 1)
  # a noncentral chi-square with one degree of freedom is a shifted normal, squared
  shift <- smallest / abs(unit) * sqrt(v)
  seen <- stats::pnorm(shift - sqrt(limit)) + stats::pnorm(-shift - sqrt(limit))
  significant <- index > limit
  large <- abs(change * unit) >= smallest
  strong <- seen >= criteria$power
  verdict <- ifelse(significant, ifelse(strong & !large, "negligible", "misspecified"),
                    ifelse(strong, "not misspecified", "cannot tell"))
  verdict[is.na(verdict)] <- ifelse(significant[is.na(verdict)], "misspecified", "cannot tell")
  c(candidates,
    list(modification_index = index, df = rep(1L, length(index)),
         p = stats::pchisq(index, 1, lower.tail = FALSE), expected_change = change,
         expected_change_std = change * unit, full_change = change * candidates$kept, power = seen,
         verdict = verdict))
}

# Each of the leading candidates freed and fitted: the better of two optima, from where the fit
# stands and from our own start, as amend() takes it. Also says which lead to the same moments.
refit_leaders <- function(fit, leaders) {
  size <- length(leaders$parameter)
  out <- list(drop = rep(NA_real_, size), estimate = rep(NA_real_, size),
              equivalent = rep(NA_character_, size), explanation = rep("", size))
  if (size == 0L) return(out)
  with <- core_with(fit, leaders)
  tests <- core_score_tests(with$core, core_moments(fit), core_theta(fit), with$entry,
                            with$constraint, TRUE)
  chisq <- stats::deviance(fit)
  implied <- vector("list", size)
  for (i in seq_len(size)) {
    if (length(leaders$members[[i]])) {
      found <- refit_together(fit, leaders$members[[i]])
      if (found$ok) out$drop[i] <- chisq - found$chisq else
        out$explanation[i] <- "the amended model does not converge"
      next
    }
    core <- freed_core(with$core, with$entry[i], with$constraint[i])
    step <- leaders$expected_change[i] * tests$response[, i]
    start <- core_theta(fit) + step
    if (with$entry[i] > 0L) start <- c(start, now_at(fit, leaders, i) + leaders$full_change[i])
    found <- core_refit(fit, core, start)
    predicted <- leaders$modification_index[i]
    other <- core_refit(fit, core, rep(NaN, core$parameters), 4L)
    if (other$ok && (!found$ok || other$chisq < found$chisq - 1e-6)) found <- other
    far <- !found$ok || abs(chisq - found$chisq - predicted) > max(0.25 * predicted, 1)
    if (!found$ok) {
      out$explanation[i] <- "the amended model does not converge"
      next
    }
    out$drop[i] <- chisq - found$chisq
    out$estimate[i] <- if (with$entry[i] > 0L) found$eta[with$entry[i]] else
      slack_at(fit, leaders$constraint[i], layout_entries(fit, found$eta))
    if (far) out$explanation[i] <- explain_gap(fit, core, found, leaders, i, with$entry[i])
    implied[[i]] <- list(core = core, eta = found$eta)
    for (j in which(abs(out$drop[seq_len(i - 1L)] - out$drop[i]) < 1e-4)) {
      if (!is.na(out$equivalent[i]) || !same_moments(fit, implied[[i]], implied[[j]])) next
      out$equivalent[i] <- leaders$parameter[j]
    }
  }
  out
}

# Do two refits imply the same moments?
same_moments <- function(fit, one, other) {
  sd <- lapply(core_moments(fit), function(moments) sqrt(diag(moments$covariance)))
  moments <- lapply(list(one, other), function(x) {
    unlist(Map(function(implied, sd) {
      p <- seq_along(sd)
      c(implied$covariance[p, p] / outer(sd, sd), if (!fit$layout$profiled) implied$mean[p] / sd)
    }, core_implied(x$core, x$eta), sd))
  })
  max(abs(moments[[1L]] - moments[[2L]])) < 1e-6
}

# The value a candidate has now, whether fixed, equal or not in the model.
now_at <- function(fit, candidates, i) {
  if (candidates$entry[i] > 0L) values_of(fit)[candidates$entry[i]] else candidates$value[i]
}

# By how much the left side of a tied one exceeds the right.
slack_at <- function(fit, constraint, eta) {
  constraint_jet(fit$layout$constraints[[constraint]], eta)$value
}

# Why reality is far from the prediction. `entry` is the candidate's number in the model that was
# refitted.
explain_gap <- function(fit, core, found, leaders, i, entry) {
  # an optimum of the fit itself that is better than the one it is at?
  if (entry > 0L && !startsWith(leaders$change[i], "equality")) {
    again <- core_refit(fit, fit$layout$model, found$theta[seq_len(fit$layout$model$parameters)],
                        4L)
    if (again$ok && again$chisq < stats::deviance(fit) - 1e-4) {
      return(paste0("the fit itself was not at its best optimum: \u03c7\u00b2 = ",
                    format_fixed(again$chisq), " can be reached"))
    }
  }
  negative <- negative_variances(fit, core, found$eta)
  before <- negative_variances(fit, fit$layout$model, values_of(fit)[fit$layout$model$rows])
  if (length(setdiff(negative, before))) {
    return(paste0("the amended model is improper: ",
                  enumerate(setdiff(negative, before), most = 2L), " negative"))
  }
  expected <- now_at(fit, leaders, i) + leaders$full_change[i]
  estimate <- if (entry > 0L) found$eta[entry] else NA
  se <- 1 / sqrt(leaders$information[i])
  if (!is.na(estimate) && abs(estimate - expected) > 2 * se) {
    return(paste0("the amended model reaches another region: estimate ", format_number(estimate),
                  ", expected ", format_number(expected)))
  }
  "a large change: the quadratic prediction no longer holds, the real drop does"
}

# Three or more items that share pairwise more than their constructs explain: one more construct
# says it.
shared_residuals <- function(fit, columns) {
  unlist(lapply(unname(group_views(fit)), function(view) {
    here <- columns$group %in% shown_group(view$layout, view$group)
    own <-
      lapply(columns[c("parameter", "kind", "verdict", "expected_change", "p",
                       "modification_index")],
             function(x) x[here])
    lapply(view_shared_residuals(view, own), function(block) {
      structure(block, group = named_group(view$layout, view$group))
    })
  }), recursive = FALSE)
}

view_shared_residuals <- function(view, columns) {
  covariance <- startsWith(columns$kind, "residual covariance")
  hot <- which(covariance & columns$verdict == "misspecified" & columns$expected_change > 0 &
               columns$p < 0.01)
  # the leading ones only: a block stands out, or it is none
  hot <- utils::head(hot, 30L)
  pairs <- lapply(columns$parameter[hot], parse_address)
  rows <- view$layout$rows
  free <- which(rows$meaning == "residual covariance" & view$eta > 0)
  first <- c(vapply(pairs, `[[`, "", "first"), rows$first[free])
  second <- c(vapply(pairs, `[[`, "", "second"), rows$second[free])
  strength <- c(columns$modification_index[hot], rep(Inf, length(free)))
  linked_blocks(first, second, strength, view$layout$observed)
}

# Sets of three or more of which every two are linked, the strongest links first.
linked_blocks <- function(first, second, strength, observed) {
  names <- unique(c(first, second))
  link <- matrix(FALSE, length(names), length(names), dimnames = list(names, names))
  link[cbind(c(first, second), c(second, first))] <- TRUE
  blocks <- list()
  for (i in order(-strength)) {
    block <- c(first[i], second[i])
    if (any(vapply(blocks, function(b) all(block %in% b), NA))) next
    repeat {
      more <- Filter(function(x) all(link[x, block]), setdiff(names, block))
      if (length(more) == 0L) break
      block <- c(block, more[1L])
    }
    if (length(block) >= 3L) blocks <- c(blocks, list(intersect(observed, block)))
  }
  unique(blocks)
}

#' @export
print.orizzonte_amendments <- function(x, ...) {
  needed <- c("parameter", "kind", "modification_index", "p", "expected_change",
              "expected_change_std", "actual_drop", "verdict")
  if (!all(needed %in% names(x))) return(print(as.data.frame(unclass(x))))
  cat(format_amendments(x), sep = "\n")
  invisible(x)
}

# The table of what is offered, and its legend.
format_offered <- function(x, shown) {
  real <- !is.na(shown$actual_drop)
  lines <- c(wrap_lines(paste0(format_count(nrow(x)),
                               " could be freed, sorted by modification index; the first ",
                               if (sum(real) == 1L) "" else paste0(sum(real), " "),
                               "refitted, so that their drop and estimate are real.")), "")
  columns <- list(parameter = shown$parameter, kind = short_kind(shown$kind),
                  MI = format_fixed(shown$modification_index, 2L),
                  df = if (any(shown$df > 1L)) format_count(shown$df), p = format_p(shown$p),
                  EPC = format_number(shown$expected_change),
                  `std. EPC` = format_fixed(shown$expected_change_std, 2L),
                  drop = format_fixed(shown$actual_drop, 2L),
                  estimate = format_number(shown$actual_estimate), verdict = shown$verdict)
  columns <- Filter(length, columns)
  lines <- c(lines, format_table(columns, c(FALSE, FALSE, rep(TRUE, length(columns) - 3L), FALSE)))
  criteria <- attr(x, "criteria")
  lines <- c(lines, "", wrap_lines(paste0(
    "MI: by how much \u03c7\u00b2 is predicted to fall; EPC: expected change, raw and ",
    "standardized; drop, estimate: after refitting. ",
    if (!is.null(criteria))
      paste0("Verdict: smallest change that matters ", short_number(criteria$smallest), ", level ",
             short_number(criteria$significance), ", power ", short_number(criteria$power), ". "),
             chance_note(x))))
  lines
}

# What is to be said about single rows: the same in other words, far from the prediction, shared.
format_remarks <- function(x, shown) {
  lines <- character()
  same <- which(!is.na(shown$equivalent_to))
  if (length(same)) {
    lines <- c(lines, "", "The same model in other words",
               wrap_lines(paste0("- ", shown$parameter[same], " fits as ",
                                 shown$equivalent_to[same]), 2L, 4L))
  }
  odd <- which(nzchar(shown$explanation) & !is.na(shown$explanation))
  if (length(odd))
    lines <- c(lines, "", "Far from the prediction",
               wrap_lines(paste0("- ", shown$parameter[odd], ": ", shown$explanation[odd]), 2L, 4L))
  blocks <- attr(x, "shared")
  if (length(blocks)) {
    where <- vapply(blocks, function(block) {
      if (is.null(attr(block, "group"))) "" else
      paste0("in group ", attr(block, "group"), ": ")
    }, "")
    lines <- c(lines, "",
               wrap_lines(paste0("- ",
                                 utils::head(paste0(where, vapply(blocks, enumerate, "")), 3L),
                                 " share more than their constructs explain: ",
                                 "a separate construct for these items may say it better ",
                                 "than single covariances."), 2L, 4L))
  }
  lines
}

format_amendments <- function(x) {
  shown <- utils::head(as.data.frame(x), attr(x, "top") %||% 20)
  df_model <- attr(x, "df_model") %||% NA
  lines <-
    heading(paste0("Amendments", if (!is.null(attr(x, "title"))) paste0(": ", attr(x, "title"))))
  if (!is.na(df_model))
    lines <- c(lines,
               paste0("\u03c7\u00b2 = ", format_fixed(attr(x, "chisq")), ", df = ", df_model))
  if (length(attr(x, "trouble"))) {
    lines <- c(lines, "IMPROPER SOLUTION: what follows starts from it and may mislead.",
               paste0("  - ", attr(x, "trouble")))
  }
  if (nrow(x) == 0L) {
    why <- if (isTRUE(df_model == 0))
      "The model is saturated (df = 0): it reproduces the data whatever they are." else
        "Nothing is left that could be freed."
    return(c(lines, why, if (isTRUE(attr(x, "refused") > 0))
             "amendments(fit, all = TRUE) lists what is not offered, with the reason.",
             format_not_offered(attr(x, "not_offered"))))
  }
  lines <- c(lines, format_offered(x, shown), format_remarks(x, shown))
  lines <- c(lines, format_not_offered(attr(x, "not_offered")),
             format_wordings(shown$parameter, attr(x, "wording")))
  large <- shown$parameter[shown$verdict == "misspecified"]
  c(lines, "", if (length(large)) {
    c("Next: read the item texts. One change at a time, and only with a reason, for example:",
      paste0("  amend(fit, free = ", large[1L], ", because = \"...\")"))
  } else {
    "Nothing of a size that matters stands out. Next: estimates(fit)"
  })
}

# How many would exceed the level though nothing is wrong.
chance_note <- function(x) {
  level <- attr(x, "criteria")$significance
  if (is.null(level)) return(NULL)
  paste0("Of ", format_count(nrow(x)), " tested, about ", format_count(ceiling(nrow(x) * level)),
         " have p < ", short_number(level), " by chance even when the model holds.")
}

short_kind <- function(kind) {
  sub("effect on an item", "effect on item",
      sub("residual covariance within a construct", "residual, within",
          sub("residual covariance across constructs", "residual, across", kind)))
}

format_not_offered <- function(table) {
  if (is.null(table) || nrow(table) == 0L) return(NULL)
  by <- split(table$parameter, table$reason)
  c("", "Not offered", unlist(lapply(names(by), function(reason) {
    wrap_lines(paste0("- ", reason, ": ", enumerate(by[[reason]], most = 6L)), 2L, 4L)
  })))
}
