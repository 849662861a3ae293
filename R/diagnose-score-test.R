#' Test several changes at once
#'
#' The joint score test of freeing several parameters together (Sörbom 1989; Rao 1948): the drop of
#' \eqn{\chi^2} predicted from the fit, and the actual drop from a refit. Changes that overlap count
#' once: `df` is the rank of the added parameters.
#'
#' @param fit A fit from [fit_model()] that converged.
#' @param ... Addresses (bare or as text) of parameters that are fixed, equal, or not in the model;
#'   slices such as `loading[Calm, ]` mean every such parameter among those fixed or equal. The text
#'   of an equation or bound releases it.
#' @return A data frame of class `orizzonte_score_test`, one row per parameter, with `parameter`,
#'   `modification_index` (alone), `expected_change` (jointly), `expected_change_std` and
#'   `actual_estimate`. Attributes `statistic`, `df`, `p`, `actual_drop`.
#' @section Errors: `orizzonte_error_name` for a parameter that is not in the model;
#'   `orizzonte_error_identification` if none of the parameters can be tested;
#'   `orizzonte_error_input` for a parameter that is free already.
#' @references
#' Rao, C. R. (1948). Large sample tests of statistical hypotheses concerning several parameters
#' with applications to problems of estimation. *Mathematical Proceedings of the Cambridge
#' Philosophical Society, 44*(1), 50--57.
#'
#' Sörbom, D. (1989). Model modification. *Psychometrika, 54*(3), 371--384.
#' @seealso [amendments()] for all candidates one by one, [amend()].
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' score_test(fit, covariance[be1, be2], loading[Calm, be4])
#' @export
score_test <- function(fit, ...) {
  check_arguments("score_test", dots = TRUE)
  check_fit(fit, "score_test")
  check_converged(fit, "score_test")
  fit <- joint_fit(fit)
  texts <- captured_addresses(rlang::enquos(...), "score_test")
  chosen <- chosen_candidates(fit, texts, added = TRUE)
  tested <- score_jointly(fit, chosen)
  index <- diag(tested$core$joint)
  variance <- diag(tested$core$joint_variance)
  scores <- tested$core$score
  # a generalized inverse: what the other parameters already contribute counts only once
  together <- joint_of(tested$core)
  if (together$df == 0L) {
    abort("identification",
          c(text_of("freeing_would_leave_model", parameter = enumerate(chosen$parameter)),
            opposite_hint(chosen$parameter, fit$layout$rows$parameter),
            i = text_of("amendments_fit_all_true")))
  }
  unit <- together$unit
  estimate <- rep(NA_real_, length(scores))
  actual <- NA_real_
  if (together$df == length(scores)) {
    found <- refit_together(fit, chosen, tested)
    if (found$ok) {
      core <- freed_core(tested$with$core, tested$with$entry, tested$with$constraint)
      actual <- core_drop(fit, core, found, NULL, together$df)
      moving <- which(tested$with$entry > 0L)
      estimate[moving] <- found$eta[tested$with$entry[moving]]
    }
  }
  out <-
    list_frame_class(list(parameter = chosen$parameter,
                          modification_index = ifelse(index > 1e-9 * unit^2,
                              scores^2 / variance, NA),
                          expected_change = together$change,
                          expected_change_std = together$change * candidate_units(fit, chosen),
                          actual_estimate = estimate), "orizzonte_score_test")
  with_status(structure(out, statistic = together$statistic, df = together$df,
                        p = upper_p(together$statistic, together$df), actual_drop = actual), fit)
}

# Addresses in dots, as canonical text where they are addresses; equations and bounds stay as
# written.
captured_addresses <- function(quosures, verb) {
  if (length(quosures) == 0L)
    abort("input",
          c(text_of("needs_address", verb = verb),
            i = text_of("such_fit_covariance_be1", verb = verb)))
  vapply(captured_statements(quosures, paste0(verb, "()")), function(part) {
    canonical_text(if (is.character(part)) part else deparse_one(part))
  }, "", USE.NAMES = FALSE)
}

canonical_text <- function(text) {
  expression <- parsed_text(text, not_an_address(text))
  relation <- is.call(expression) && is.symbol(expression[[1L]]) &&
    as.character(expression[[1L]]) %in% restriction_relations
  if (relation) format_restriction(parse_restriction(expression)) else
    format(parse_address(expression))
}

# The candidates that some texts refer to: an exact one; without a group, that of every group; or
# all held parameters in a slice (with `added`, for a slice without held parameters, all that could
# be added). `asked`: the name of each in the request, the text itself where it stands for several
# groups.
chosen_candidates <- function(fit, texts, added = FALSE) {
  candidates <- find_candidates(fit, all = TRUE)
  candidates$asked <- candidates$parameter
  at <- integer()
  for (text in texts) {
    exact <- match(text, candidates$parameter)
    if (is.na(exact) && grepl("[<>=]=", text))
      refuse_unknown(text, candidates$parameter[candidates$constraint > 0L])
    if (!is.na(exact)) {
      at <- c(at, exact)
      next
    }
    address <- parse_address(text)
    slice <- length(address$first) != 1L || isTRUE(address$pattern) ||
      (!is.null(address$second) && length(address$second) != 1L) ||
      (is.null(address$second) && address_kinds[[address$kind]] == 2L)
    found <- address_match(address, candidates, fit$layout$constructs)
    if (slice) {
      found <- found[!nzchar(candidates$reason[found])]
      held <- found[candidates$entry[found] > 0L]
      found <- if (length(held) || !added) held else found
    }
    if (length(found) == 0L) {
      if (length(address_match(address, fit$layout$rows, fit$layout$constructs))) {
        abort("input",
              c(text_of("is_free_already", value = text),
                i = text_of("amendments_fit_lists_what_could")))
      }
      refuse_unknown(text, candidates$parameter)
    }
    if (!slice && is.null(address$group)) candidates$asked[found] <- common_address(fit$layout,
        text, candidates$parameter[found])
    at <- c(at, found)
  }
  lapply(candidates, function(x) x[unique(at)])
}

refuse_unknown <- function(text, known) {
  abort("name",
        c(text_of("is_nothing_could_be", value = text),
          nearest_address(text, known),
          i = text_of("amendments_fit_all_true_lists")))
}

score_jointly <- function(fit, candidates) {
  with <- core_with(fit, candidates)
  tests <- score_core(fit, with, TRUE)
  if (!tests$admissible)
    abort("identification", text_of("information_about_parameters_is_singular"))
  list(with = with, core = tests)
}

# Scores of the parameters that could be released, their information and their variance: the same
# under normality, summed over cases where inference is robust (Satorra 1989; Boos 1992).
score_core <- function(fit, with, joint) {
  robust <- is_robust(fit$request)
  tests <- core_score_tests(with$core, core_moments(fit), core_theta(fit), with$entry,
                            with$constraint, joint, if (robust) core_cases(fit))
  if (!robust) tests[c("variance", "joint_variance")] <- tests[c("information", "joint")]
  tests
}

# How the parameters respond to a unit of each change, as columns: taken from the tests of all
# candidates, unless these were too many.
responses_of <- function(fit, candidates, with) {
  known <- candidates$response
  if (all(lengths(known) > 0L)) return(do.call(cbind, known))
  score_core(fit, with, TRUE)$response
}

# The joint test of all parameters, or of a subset.
joint_of <- function(tests, set = seq_along(tests$score)) {
  joint_statistic(tests$score[set], tests$joint[set, set, drop = FALSE], tests$own[set],
                  tests$joint_variance[set, set, drop = FALSE])
}

#' @export
print.orizzonte_score_test <- function(x, ...) {
  if (!all(c("parameter", "modification_index", "expected_change") %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  put_lines(heading_with_status(text_of("score_test"), x),
            format_table(list(parameter = x$parameter,
                              `index alone` = format_fixed(x$modification_index, 2L),
                              change = format_number(x$expected_change),
                              `std.` = format_share(x$expected_change_std, 2L),
                              estimate = format_number(x$actual_estimate)),
                              c(FALSE, rep(TRUE, 4L))))
  statistic <- attr(x, "statistic")
  if (!is.null(statistic)) {
    df <- attr(x, "df")
    drop <- attr(x, "actual_drop")
    put_lines("", text_of("together_would_fall_df", statistic = format_fixed(statistic, 2L),
                          df = df, attr = p_clause(attr(x, "p")),
                          drop = if (!is.na(drop)) text_of("after_refitting_it_falls",
                              drop = format_fixed(drop, 2L))))
    if (df < nrow(x))
      put_lines(wrap_lines(text_of("only_can_be_told", df = df, value = nrow(x), df_2 = df)))
  }
  invisible(x)
}

# An equality held across more than two groups may be released in all of them at once: G - 1 degrees
# of freedom.

# The rows of all groups of each held address, tested together (Rao 1948), as candidates of their
# own. `members` are their numbers among the offered ones, without the first, whose value remains
# the common parameter.
joint_equalities <- function(fit, offered, criteria) {
  if (length(fit$layout$groups) < 3L) return(NULL)
  rows <- which(offered$change == held_changes[["groups"]])
  address <- without_group(offered$parameter[rows])
  rows <- rows[address %in% address[duplicated(address)]]
  if (length(rows) == 0L) return(NULL)
  each <- lapply(offered, function(x) x[rows])
  tests <- score_jointly(fit, each)$core
  address <- without_group(each$parameter)
  sets <- split(seq_along(rows), factor(address, levels = unique(address)))
  found <- lapply(sets, function(set) joint_of(tests, set))
  df <- vapply(found, `[[`, 0L, "df")
  index <- vapply(found, `[[`, 0, "statistic")
  p <- stats::pchisq(unname(index), pmax(df, 1L), lower.tail = FALSE)
  # adjusted with all single rows, by Holm's procedure
  adjusted <- utils::tail(stats::p.adjust(c(offered$p, p), "holm"), length(p))
  of <- function(column, how) {
    vapply(sets, function(set) how(each[[column]][set]), NA, USE.NAMES = FALSE)
  }
  large <- of("expected_change_std", function(x) any(abs(x) >= criteria$smallest, na.rm = TRUE))
  strong <- of("strong", function(x) all(x %in% TRUE))
  first <- vapply(sets, `[[`, 0L, 1L)
  out <- lapply(each, function(x) x[first])
  size <- length(sets)
  blank <- rep(NA_real_, size)
  kept <- df > 0L
  columns <- utils::modifyList(out, list(
    parameter = names(sets), group = rep(NA_character_, size),
    change = rep("equality of all groups", size), modification_index = unname(index),
    deflation = unname(index / vapply(found, `[[`, 0, "plain")), df = unname(df),
    p = p, p_adjusted = adjusted, relation = character(size),
    relative_to = rep(NA_character_, size), expected_change = blank, expected_change_std = blank,
    full_change = blank, power = blank,
    verdict = rule_amendment(adjusted, p, unname(large), unname(strong), criteria$significance),
    members = unname(lapply(sets, function(set) lapply(each, function(x) x[set[-1L]])))))
  lapply(columns, function(x) x[kept])
}

# Several candidates freed and fitted together, starting from the current fit.
refit_together <- function(fit, candidates, tested = score_jointly(fit, candidates)) {
  change <- joint_of(tested$core)$change
  core <- freed_core(tested$with$core, tested$with$entry, tested$with$constraint)
  moving <- which(tested$with$entry > 0L)
  start <- c(core_theta(fit) + drop(tested$core$response %*% change),
             vapply(moving, function(i) {
               now_at(fit, candidates, i) +
               change[i] * tested$core$kept[i]
             }, 0))
  found <- core_refit(fit, core, start)
  if (found$ok) found else core_refit(fit, core, numeric(), 4L)
}

# Many modification indices at once: adjusted p values, and relations that show which rows reflect
# the same misfit.

most_rows <- 2000L          # beyond which Holm's adjustment takes the place of simulation
null_draws <- 2000L
most_forward_steps <- 5L

# The correlations of the score statistics of all candidates under the model, from the expected
# information of complete data: with missing values these hardly differ, and the exact ones cost as
# much as all patterns. NULL where the information is singular.
score_correlation <- function(fit, with) {
  moments <- Map(function(moments, implied) {
    p <- seq_along(moments$mean %||% diag(moments$covariance))
    list(n = moments$n, covariance = implied$covariance[p, p, drop = FALSE],
         mean = if (is.null(moments$mean) || fit$layout$saturated_means) moments$mean else
           implied$mean[p])
  }, core_moments(fit), unname(matrices_of(fit)))
  tests <- core_score_tests(with$core, moments, core_theta(fit), with$entry, with$constraint, TRUE,
                            NULL)
  if (!tests$admissible) return(NULL)
  sd <- sqrt(pmax(diag(tests$joint), 1e-300))
  out <- tests$joint / outer(sd, sd)
  diag(out) <- 1
  out
}

# Draws of the score statistics under the model: rows x draws, standard normal with these
# correlations, whose rank is at most the degrees of freedom of the model.
null_scores <- function(correlation, draws) {
  found <- core_pivoted_root(correlation, 1e-10)
  rank <- nrow(found$root)
  normal <- with_seed(1L, matrix(stats::rnorm(rank * draws), rank))
  core_root_product(found$root, normal)[order(found$pivot), , drop = FALSE]
}

# Step-down adjusted p values by the maximum of all statistics (Westfall & Young 1993): each is
# compared with the maximum over itself and all smaller ones. `null`: rows x draws of the same
# statistics.
step_down <- function(statistic, null) core_step_down(statistic, order(-statistic), null)

# The null distribution of all rows: list(draws: |z| by row and draw, correlation, largest: the
# maximum of each draw); NULL where Holm's adjustment is used.
null_of_rows <- function(fit, with) {
  size <- length(with$entry)
  if (size == 0L || size > most_rows) return(NULL)
  correlation <- score_correlation(fit, with)
  if (is.null(correlation)) return(NULL)
  draws <- abs(null_scores(correlation, if (size > 500L) null_draws %/% 2L else null_draws))
  list(draws = draws, correlation = correlation, largest = apply(draws, 2L, max))
}

# Adjusted p values of all rows. Each adjustment is valid without the other, so the smaller p value
# counts: the simulation accounts for the dependence of the rows, Holm's procedure has no lower
# limit.
adjusted_p_values <- function(p, null) {
  holm <- stats::p.adjust(p, "holm")
  if (is.null(null)) return(holm)
  pmin(holm, step_down(stats::qnorm(p / 2, lower.tail = FALSE), null$draws))
}

# The adjusted p value of a row that is tested again after another one was freed.
p_of_largest <- function(p, null, rows) {
  simple <- pmin(1, p * rows)
  if (is.null(null)) return(simple)
  z <- stats::qnorm(p / 2, lower.tail = FALSE)
  pmin(simple, vapply(z, function(one) {
    (1 + sum(null$largest >= one - 1e-9)) / (1 + length(null$largest))
  }, 0))
}

# How rows relate to others: "same_as" an earlier row that implies the same moments to first order,
# "goes_with" a row after whose release it is not significant any more (at most five rows are freed,
# one after the other, each with all before it). list(relation, relative_to), rows in the order in
# which they are shown; `significant`: by the adjusted p values.
relate_rows <- function(fit, rows, with, null, significant, level, robust) {
  size <- length(rows$parameter)
  out <- list(relation = character(size), relative_to = rep(NA_character_, size))
  if (!is.null(null)) {
    for (i in seq_len(size)[-1L]) {
      same <- which(abs(null$correlation[i, seq_len(i - 1L)]) > 1 - 1e-6)
      if (length(same) == 0L) next
      out$relation[i] <- "same_as"
      out$relative_to[i] <- rows$parameter[same[1L]]
    }
  }
  open <- which(significant & out$relation == "" & !rows$change %in% loop_kinds)
  core <- with$core
  theta <- core_theta(fit)
  for (step in seq_len(most_forward_steps)) {
    if (length(open) < 2L) break
    leader <- open[1L]
    open <- open[-1L]
    freed <- free_row(fit, rows, with, core, theta, leader)
    if (is.null(freed)) next
    core <- freed$core
    theta <- freed$theta
    again <- retested_p(fit, core, theta, with, open, robust)
    echo <- !(p_of_largest(again, null, size) <= level)
    out$relation[open[echo]] <- "goes_with"
    out$relative_to[open[echo]] <- rows$parameter[leader]
    open <- open[!echo]
  }
  out
}

# One more row freed and fitted; NULL where that fails.
free_row <- function(fit, rows, with, core, theta, i) {
  if (with$constraint[i] > 0L) return(NULL)          # numbers of constraints would move
  freed <- freed_core(core, with$entry[i], 0L)
  found <- core_refit(fit, freed, c(theta, now_at(fit, rows, i)))
  if (found$ok) list(core = freed, theta = found$theta)
}

# p values of the open rows in a model in which others are freed; `robust`: without assuming
# normality.
retested_p <- function(fit, core, theta, with, open, robust) {
  tests <- core_score_tests(core, core_moments(fit), theta, with$entry[open],
                            with$constraint[open], FALSE, if (robust) core_cases(fit))
  if (!tests$admissible) return(rep(0, length(open)))
  variance <- if (robust) tests$variance else tests$information
  lost <- !is.finite(tests$information) | tests$information < 1e-9 * tests$own
  p <- stats::pchisq(tests$score^2 / variance, 1, lower.tail = FALSE)
  ifelse(lost, 1, p)
}

# The effect of a misspecification on the conclusions (Saris, Satorra & van der Veld 2009; Oberski
# 2014): how far each candidate would move hypotheses, effects, means of constructs or, where there
# are none of these, the correlations of constructs.

move_codes <- c("matters", "open", "harmless")
most_moved_rows <- 50L       # where information about pairs is expensive
refitted_moves <- 3L

# The quantities that conclusions rest on: list of list(target, value, gradient by the parameters of
# the core, se, unit: standard deviations per raw unit or NA, bounded: whether its sign decides,
# row: of the parameter or NA, at: function of the values and matrices of another solution).
focal_quantities <- function(fit) {
  vcov <- vcov_of(fit)
  rows <- fit$layout$rows
  found <- c(focal_claims(fit), unlist(lapply(group_views(fit), focal_parameters),
                                       recursive = FALSE))
  if (length(found) == 0L)
    found <- unlist(lapply(group_views(fit), focal_correlations), recursive = FALSE)
  if (length(found) == 0L) return(list())
  se <- delta_se(do.call(rbind, lapply(unname(found), `[[`, "gradient")), vcov)
  found <- Map(function(one, se) {
    one$se <- se
    one$gradient <- one$gradient[fit$layout$model$used]
    one
  }, unname(found), se)
  Filter(function(one) isTRUE(one$se > 1e-10 * max(1, abs(one$value))), found)
}

focal_claims <- function(fit) {
  claims <- fit$request$blueprint$claims
  if (several_times_or_groups(fit)) return(NULL)
  lapply(seq_along(claims), function(k) {
    parsed <- parse_claim(str2lang(claims[[k]]))
    jet <- tryCatch(difference_jet(parsed$sides, fit), orizzonte_error = function(e) NULL)
    if (is.null(jet)) return(NULL)
    plain <- !grepl("standardized", claims[[k]], fixed = TRUE)
    list(target = names(claims)[k], value = jet$value, gradient = as.numeric(jet$gradient),
         unit = NA_real_, bounded = parsed$relation %in% c(">", "<"), row = NA_integer_,
         at = if (plain) function(light, matrices) difference_jet(parsed$sides, light)$value)
  }) |> Filter(f = Negate(is.null))
}

# With several groups, hypotheses are about parameters that the table already contains.
several_times_or_groups <- function(fit) length(fit$layout$groups) > 1L

focal_parameters <- function(view) {
  rows <- view$layout$rows
  constructs <- view$layout$constructs
  at <- which((rows$kind == "effect" | rows$kind == "mean" & rows$first %in% constructs) &
                is.na(rows$fixed))
  if (length(at) == 0L) return(NULL)
  span <- view$fit$layout$spans[[view$number]]
  sd <- sqrt(pmax(diag(view_matrices(view)$covariance), 1e-300))
  jet <- derived_jet(view$fit, "entry", view$number, span[at])
  lapply(seq_along(at), function(k) {
    i <- at[k]
    unit <- if (rows$kind[i] == "effect") sd[rows$col[i]] / sd[rows$row[i]] else 1 / sd[rows$row[i]]
    list(target = view$fit$layout$rows$parameter[span[i]], value = jet$value[k],
         gradient = jet$gradient[k, ], unit = unit, bounded = FALSE, row = span[i],
         at = function(light, matrices) values_of(light)[span[i]])
  })
}

focal_correlations <- function(view) {
  names <- setdiff(view$layout$constructs, view$layout$composites)
  if (length(names) < 2L) return(NULL)
  pairs <- utils::combn(names, 2L)
  place <- function(name) length(view$layout$observed) + match(name, view$layout$constructs)
  jet <- derived_jet(view$fit, "correlation", view$number, place(pairs[1L, ]), place(pairs[2L, ]))
  number <- view$number
  lapply(seq_len(ncol(pairs)), function(k) {
    a <- place(pairs[1L, k])
    b <- place(pairs[2L, k])
    list(target = shown_address(view$layout, "correlation", pairs[1L, k], pairs[2L, k],
                                view$group),
         value = jet$value[k], gradient = jet$gradient[k, ], unit = 1, bounded = FALSE,
         row = NA_integer_, at = function(light, matrices) {
           s <- matrices[[number]]$covariance
           s[a, b] / (real_root(s[a, a]) * real_root(s[b, b]))
         })
  })
}

# Movements of all focal quantities by all rows: a data frame, one row for each candidate and
# target. `real`: the leading refits.
row_moves <- function(fit, rows, real, criteria) {
  targets <- tryCatch(focal_quantities(fit), orizzonte_error = function(e) list())
  size <- length(rows$parameter)
  single <- which(rows$df == 1L & lengths(rows$members) == 0L)
  patterns <- sum(lengths(lapply(core_moments(fit), `[[`, "patterns")), 1L)
  if (as.numeric(length(single))^2 * patterns > 5e6) single <- utils::head(single, most_moved_rows)
  if (length(targets) == 0L || length(single) == 0L) return(NULL)
  own <- lapply(rows, function(x) x[single])
  with <- core_with(fit, own)
  response <- responses_of(fit, own, with)
  if (length(response) == 0L) return(NULL)
  change <- own$score / own$information
  se_change <- sqrt(own$variance) / own$information
  # the leading refits as fits, which all quantities read
  light <- lapply(utils::head(real$refits, refitted_moves), function(found) {
    if (!is.null(found$core))
      list(fit = fit_at_entries(fit, layout_entries(fit, found$eta)),
           model = core_implied(found$core, found$eta))
  })
  # rows x targets
  slope <- crossprod(response, vapply(targets, `[[`, numeric(nrow(response)), "gradient"))
  itself <- with$entry > 0L &
    vapply(targets, function(one) own$entry %in% one$row & !is.na(one$row), logical(length(single)))
  slope[itself] <- own$kept[row(slope)[itself]]
  refitted <- matrix(NA_real_, length(single), length(targets))
  for (k in which(single <= length(light))) {
    found <- light[[single[k]]]
    if (is.null(found)) next
    refitted[k, ] <- vapply(targets, function(one) {
      if (is.null(one$at)) NA_real_ else one$at(found$fit, found$model) - one$value
    }, 0)
  }
  # one target after the other for each row
  by_row <- function(x) as.vector(t(x))
  each <- function(name, kind) rep(vapply(targets, `[[`, kind, name), length(single))
  movement <- by_row(slope * change)
  limit <- by_row(abs(slope) * (abs(change) + 1.96 * abs(se_change)))
  value <- each("value", 0)
  list_frame(list(
    parameter = rep(own$parameter, each = length(targets)), target = each("target", ""),
    movement = movement, limit = limit, in_se = abs(movement) / each("se", 0),
    verdict = rule_move(movement, limit,
                        each("bounded", NA) & sign(value + movement) != sign(value),
                        se = each("se", 0), unit = each("unit", 0), criteria$smallest),
    refitted = by_row(refitted)))
}

fit_at_entries <- function(fit, values) {
  solution <- fit$solution
  solution$eta <- values
  new_fit(fit$request, fit$sample, fit$layout, solution, fit$moments)
}

# The worst code of each row and the target that it moves most, in standard errors.
summarized_moves <- function(moves, parameters) {
  none <- list(moves = rep(NA_character_, length(parameters)),
               moves_most = rep(NA_character_, length(parameters)))
  if (is.null(moves)) return(none)
  by <- split(seq_along(moves$parameter), factor(moves$parameter, unique(parameters)))
  found <- lapply(by, function(at) {
    if (length(at) == 0L) return(c(NA_character_, NA_character_))
    worst <- move_codes[move_codes %in% moves$verdict[at]][1L]
    most <- at[moves$verdict[at] == worst]
    c(worst, moves$target[most[which.max(moves$in_se[most])]])
  })
  at <- match(parameters, names(found))
  list(moves = unname(vapply(found, `[`, "", 1L)[at]),
       moves_most = unname(vapply(found, `[`, "", 2L)[at]))
}

# The leading rows and the target that each moves most; NULL when there are none.
move_columns <- function(x, shown) {
  moves <- attr(x, "movements")
  if (is.null(moves)) return(NULL)
  leading <- utils::head(shown$parameter[shown$relation == ""], refitted_moves)
  at <- unlist(lapply(leading, function(parameter) {
    own <- which(moves$parameter == parameter)
    most <- shown$moves_most[match(parameter, shown$parameter)]
    own[moves$target[own] %in% most][1L]
  }))
  at <- at[!is.na(at)]
  if (length(at) == 0L) return(NULL)
  list(change = moves$parameter[at], `moves most` = moves$target[at],
       by = format_number(moves$movement[at]), refitted = format_number(moves$refitted[at]),
       `at most` = format_number(moves$limit[at]),
       conclusion = words_of("move", moves$verdict[at]))
}

format_moves <- function(x, shown) {
  columns <- move_columns(x, shown)
  if (is.null(columns)) return(NULL)
  c("", text_of("moves_title"),
    format_table(columns, c(FALSE, FALSE, TRUE, TRUE, TRUE, FALSE)),
    wrap_lines(text_of("moves_legend", instruction = instruction("all_movements"))))
}
