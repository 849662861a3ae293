#' Change one thing in a fitted model, and remember why
#'
#' Frees, fixes or removes one parameter, refits the model to the same data, and adds a revision to
#' the [trail()]: the change, its reason, the predicted and the actual drop of \eqn{\chi^2}, and all
#' fit measures. The trail stays with the fit, its blueprint and its file.
#'
#' @param fit A fit from [fit_model()] that converged.
#' @param free An address (bare, or as text, as [amendments()] prints it): a parameter that is fixed
#'   or equal, a relation that is not in the model, or the text of an equation or bound.
#' @param fix An equation or bound as in [restrict()], such as `effect[age, Staying] == 0`.
#' @param omit Items, constructs or paths to leave out, as in [leave_out()].
#' @param split A construct to be replaced by two, bare or as text.
#' @param into The two new constructs: a named list of two sets of its items, such as
#'   `list(Greeting = c(be1, be2), Home = c(be3, be4))`. Both constructs take over all effects and
#'   covariances, the scale rule and equality constraints. Hypotheses, quantities and
#'   statements about single parameters that name the construct are refused by name, because they
#'   have to be rewritten first.
#' @param because The reason, in words.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A fit. Several changes at once, with `c()`, are possible but unwise: their
#'   effects cannot be separated.
#' @section Errors and warnings: `orizzonte_error_name` for a parameter that is not in the model,
#'   `orizzonte_error_identification` when the amended model is not identified;
#'   `orizzonte_warning_reason` when no reason is given, `orizzonte_warning_trail` when more than
#'   three changes were suggested by the same data (MacCallum, Roznowski & Necowitz 1992), and the
#'   warnings of [fit_model()].
#' @references
#' MacCallum, R. C., Roznowski, M., & Necowitz, L. B. (1992). Model modifications in covariance
#' structure analysis: The problem of capitalization on chance. *Psychological Bulletin, 111*(3),
#' 490--504.
#' @seealso [amendments()] for modification indices, [trail()] for the modification history,
#'   [confirm()] for cross-validation.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' fit2 <- amend(fit, free = covariance[be1, be2], because = "both items are about being greeted")
#' trail(fit2)
#' @export
amend <- function(fit, free = NULL, fix = NULL, omit = NULL, split = NULL, into = NULL,
                  because = NULL, ...) {
  check_arguments("amend")
  check_fit(fit, "amend")
  check_converged(fit, "amend")
  free <- captured_parts(rlang::enquo(free), "amend")
  fix <- captured_parts(rlang::enquo(fix), "amend", statements = TRUE)
  omit <- capture_names(rlang::enquo(omit), "`omit`")$names
  split <- capture_names(rlang::enquo(split), "`split`")$names
  into <- captured_halves(rlang::enquo(into))
  if (!is.null(because)) check_string(because, "`because`")
  amend_fit(fit, free, fix, omit, because, split, into)
}

amend_fit <- function(fit, free = NULL, fix = NULL, omit = NULL, because = NULL, split = NULL,
                      into = NULL) {
  check_split(fit, split, into)
  if (length(free) + length(fix) + length(omit) + length(split) == 0L) {
    abort("input",
          c(text_of("amend_needs_change"),
            i = text_of("give_one_free_address")))
  }
  whole <- joint_fit(fit)
  chosen <- if (length(free)) chosen_candidates(whole, free)
  if (length(free)) check_offered(whole, chosen)
  bp <- suppressMessages(amended_blueprint(fit, own_candidates(fit, chosen), fix, omit))
  if (length(split)) bp <- split_blueprint(bp, split, names(into), unname(into))
  amended <- refit_quietly(fit, list(blueprint = bp))
  if (!length(omit) && !length(split)) {
    # the better of two optima: from the default start, and from the current solution
    near <- refit_quietly(fit, list(blueprint = bp), near = theta_of(fit))
    worse <- !has_converged(amended) || stats::deviance(amended) > stats::deviance(near) +
      1e-9 * moments_n(fit)
    if (has_converged(near) && worse) amended <- near
  }
  changes <- c(freed_changes(whole, amended, chosen), lapply(fix, change_of, what = "fix"),
               lapply(omit, change_of, what = "omit"),
               if (length(split)) list(change_of(split_sentence(split, into), "split")))
  predicted <- predicted_drop(fit, chosen, fix, omit)
  bp <- amended$request$blueprint
  bp$trail <- add_revision(fit, amended, changes, because, predicted)
  amended <- with_blueprint(amended, bp)
  say(format_revision(amended))
  warn_about_amending(amended, length(changes), because, length(free) > 0L)
  amended
}

# list(Name = c(items), Name = c(items)), bare or as texts.
captured_halves <- function(quosure) {
  expression <- rlang::quo_get_expr(quosure)
  if (is.null(expression)) return(NULL)
  if (rlang::is_call(expression, "list")) {
    parts <- as.list(expression)[-1L]
    environment <- rlang::quo_get_env(quosure)
    return(lapply(parts, function(part) {
      capture_names(rlang::new_quosure(part, environment), "`into`")$names
    }))
  }
  rlang::eval_tidy(quosure)
}

# The same as one text, the form of the command line and study files: "Greeting = be1, be2; Home =
# be3, be4".
parse_halves <- function(text, what) {
  if (is.null(text)) return(NULL)
  parts <- strsplit(trimws(strsplit(text, ";", fixed = TRUE)[[1L]]), "=", fixed = TRUE)
  if (!all(lengths(parts) == 2L))
    abort("input", c(text_of("halves_unclear", what = what),
                     i = text_of("example_halves", what = what)))
  stats::setNames(lapply(parts, function(part) {
    trimws(strsplit(part[2L], ",", fixed = TRUE)[[1L]])
  }), trimws(vapply(parts, `[`, "", 1L)))
}

# Two new names, and sets of two or more that make up the items of a reflective construct.
check_split <- function(fit, split, into) {
  if (is.null(split) && is.null(into)) return(invisible())
  bp <- fit$request$blueprint
  refuse <- function(text, ...) {
    abort("input", c(text_of(text, ...), i = instruction("example_split")))
  }
  if (length(split) != 1L || !is.list(into) || length(into) != 2L ||
      !all(vapply(into, is.character, NA))) refuse("split_needs_halves")
  if (!split %in% names(bp$constructs))
    abort("name", c(text_of("split_unknown", split = quoted(split)),
                    did_you_mean(split, names(bp$constructs))))
  construct <- bp$constructs[[split]]
  if (construct$kind != "reflective" || length(construct$fixed)) refuse("split_not_possible",
                                                                     split = split)
  items <- unlist(into, use.names = FALSE)
  if (anyDuplicated(items) || !setequal(items, construct$items) || any(lengths(into) < 2L))
    refuse("split_other_items", split = split, items = enumerate(construct$items))
  if (is.null(names(into)) || !all(nzchar(names(into))) || anyDuplicated(names(into)))
    refuse("split_needs_halves")
  taken <- intersect(names(into), setdiff(c(names(bp$constructs), fit$layout$observed), split))
  if (length(taken)) refuse("split_name_taken", taken = quoted(taken[1L]))
  about <- statements_about(bp, split)
  if (length(about)) abort("input", c(text_of("split_is_named", split = split),
                                      x = enumerate(about, most = 5L),
                                      i = text_of("split_rewrite_first")))
}

# Belonging into Greeting (be1, be2) and Home (be3, be4)
split_sentence <- function(split, into) {
  halves <- vapply(into, paste, "", collapse = ", ")
  paste0(split, " into ", paste0(names(into), " (", halves, ")", collapse = " and "))
}

# Candidates of the joint fit as those of the model's own layout.
own_candidates <- function(fit, chosen) {
  if (is.null(fit$joint) || is.null(chosen)) return(chosen)
  known <- chosen$entry > 0L
  chosen$entry[known] <- match(fit$joint$layout$rows$parameter[chosen$entry[known]],
                               fit$layout$rows$parameter)
  chosen
}

# The freed parameters, with the value before and after when it is one parameter of one group.
freed_changes <- function(fit, amended, chosen) {
  lapply(unique(chosen$asked), function(asked) {
    at <- which(chosen$asked == asked)
    after <- match(chosen$parameter[at], amended$layout$rows$parameter)
    single <- length(at) == 1L && !is.na(after[1L])
    change_of(asked, "free", if (single) now_at(fit, chosen, at) else NA_real_,
              if (single) values_of(amended)[after] else NA_real_)
  })
}

warn_about_amending <- function(amended, count, because, freed) {
  if (count > 1L) {
    say(text_of("several_changes_at_once", count = count))
  }
  if (is.null(because)) {
    warn("reason", c(text_of("no_reason_was_given"),
                     i = text_of("give_a_reason")))
  }
  warn_about(amended)
  so_far <- count_freed(amended$request$blueprint$trail$revisions)
  if (so_far > 3L && freed) {
    warn("trail", c(text_of("changes_were_suggested_same", so_far = so_far),
                    i = text_of("part_better_fit_is")))
  }
}

# One or several parts of c(...), as canonical texts.
captured_parts <- function(quosure, verb, statements = FALSE) {
  if (is.null(rlang::quo_get_expr(quosure))) return(NULL)
  texts <- captured_addresses(list(quosure), verb)
  if (statements && any(!grepl("[=<>]=", texts))) {
    bad <- texts[!grepl("[=<>]=", texts)][1L]
    abort("restriction",
          c(text_of("fix_needs_equation_not", bad = bad),
            i = text_of("example_fix", bad = bad)))
  }
  texts
}

check_offered <- function(fit, chosen) {
  tested <- tested_candidates(fit, chosen)
  bad <- which(nzchar(tested$reason))
  if (length(bad) == 0L) return(invisible())
  abort("identification",
        c(text_of("cannot_be_freed", bad = tested$parameter[bad[1L]],
                  bad_2 = tested$reason[bad[1L]]),
          i = text_of("amendments_fit_lists_what")))
}

amended_blueprint <- function(fit, chosen, fix, omit) {
  bp <- fit$request$blueprint
  # parameters held across groups or times are let differ, and so are parameters that only one
  # group has
  across <- chosen$change %in% held_changes
  fresh <- chosen$entry == 0L & chosen$constraint == 0L
  lone <- fresh & chosen$kind %in% arrow_kinds & chosen$asked == chosen$parameter
  lone[lone] <- vapply(chosen$parameter[lone], function(text) !is.null(parse_address(text)$group),
                       NA)
  for (text in unique(c(chosen$asked[across], without_group(chosen$parameter[lone])))) {
    if (!text %in% bp$let_differ) bp <- add_different(bp, text)
  }
  # a change that is new in every group is stated once
  for (i in which(!across & !(fresh & duplicated(chosen$asked)))) {
    text <- if (fresh[i]) chosen$asked[i] else chosen$parameter[i]
    if (chosen$constraint[i] == 0L) {
      bp <- release_parameter(bp, text, fit$layout, chosen$entry[i])
    } else {
      bp$restrict <- drop_constraint(bp$restrict, text, fit$layout)
    }
  }
  for (text in fix) bp <- add_restriction(bp, text)
  if (length(omit)) bp <- leave_out(bp, !!omit)
  bp
}

# A bound on a slice, without the one parameter; an equation as a whole.
drop_constraint <- function(restrictions, text, table) {
  out <- list()
  for (restriction in restrictions) {
    if (!is_constraint(restriction) || restriction$smooth) {
      if (format_restriction(restriction) != text) out <- c(out, list(restriction))
      next
    }
    each <- lapply(row_addresses(restriction$left, table), function(address) {
      restriction$left <- address
      restriction
    })
    keep <- vapply(each, format_restriction, "") != text
    out <- c(out, if (all(keep)) list(restriction) else each[keep])
  }
  out
}

# The predicted effect of freeing or fixing on chi-square, from the current fit: score test, or Wald
# test with its sign reversed.
predicted_drop <- function(fit, chosen, fix, omit) {
  if (length(omit) || (length(fix) && length(chosen$parameter))) return(NA_real_)
  if (length(chosen$parameter)) {
    tests <- score_jointly(joint_fit(fit), chosen)$core
    return(sum(tests$score * solve_symmetric(tests$joint_variance, tests$score)))
  }
  restrictions <- lapply(fix, function(text) parse_restriction(str2lang(text)))
  each <- unlist(lapply(restrictions, function(r) {
    if (r$smooth) return(list(r))
    lapply(row_addresses_or_none(r$left, fit$layout), function(address) {
      r$left <- address
      r
    })
  }), recursive = FALSE)
  if (length(each) == 0L) return(NA_real_)
  compiled <- lapply(each, compile_constraint, layout = fit$layout)
  value <- vapply(compiled, function(k) constraint_jet(k, values_of(fit))$value, 0)
  holds <- vapply(compiled, `[[`, NA, "bound") & value >= 0
  if (all(holds)) return(0)
  gradient <- t(vapply(compiled[!holds], constraint_gradient, numeric(length(theta_of(fit))),
                       eta = values_of(fit), layout = fit$layout))
  -sum(value[!holds] * solve_symmetric(gradient %*% vcov_of(fit) %*% t(gradient), value[!holds]))
}

row_addresses_or_none <- function(text, table) {
  rows <- address_match(parse_address(text), table$rows, table$constructs)
  table$rows$parameter[rows]
}

# Freeing one parameter of a blueprint, whatever constrains it: the reverse of every other verb.

# `row` is its row in the layout (0 for a relation that is not in the model); the address has been
# checked against the model.
release_parameter <- function(bp, text, layout, row) {
  address <- parse_address(text)
  if (row == 0L) return(if (is.null(address$group)) spell_out_slices(add_relation(bp, address),
      text, layout) else add_in_group(bp, address, layout))
  members <- layout$rows$parameter[layout$rows$class == layout$rows$class[row]]
  mentioned <- vapply(bp$restrict, function(r) {
    !is_constraint(r) && mentions_any(r, members,
    layout)
  }, NA)
  if (any(mentioned)) {
    held <- bp$restrict[mentioned]
    bp$restrict <- bp$restrict[!mentioned]
    # the other parameters stay as they were: equal to each other, and fixed if they were fixed
    others <- setdiff(members, layout$rows$parameter[row])
    value <- Filter(function(r) is.numeric(r$right), held)
    for (one in held) {
      left <- setdiff(row_addresses(one$left, layout), layout$rows$parameter[row])
      if (is.numeric(one$right)) for (x in left)
        bp <- add_restriction(bp, paste(x, "==", format_exact(one$right)))
    }
    if (length(value) == 0L && length(others) > 1L) {
      for (x in others[-1L]) bp <- add_restriction(bp, paste(x, "==", others[1L]))
    }
  }
  if (!is.na(layout$rows$fixed[row]) && needs_relaxing(bp, address))
    bp <- add_relaxed(bp, str2lang(text))
  # a covariance that only occurred in a restriction remains part of the model
  if (address$kind == "covariance" && !text %in% declared_covariances(bp, layout))
    bp <- add_relation(bp, address)
  bp
}

# A relation of one group only: a covariance is part of the model where it is mentioned, an arrow is
# zero elsewhere.
add_in_group <- function(bp, address, layout) {
  if (address$kind == "covariance") return(add_relaxed(bp, str2lang(format(address))))
  plain <- address
  plain$group <- NULL
  bp <- spell_out_slices(add_relation(bp, plain), format(plain), layout)
  for (group in setdiff(layout$groups, address$group))
    bp <- add_restriction(bp, paste(with_group(format(plain), group), "== 0"))
  bp
}

# A new parameter must not be caught by an older statement about a slice, such as loading[Calm, ] ==
# 1: such statements are spelt out.
spell_out_slices <- function(bp, text, layout) {
  bare <- bp
  bare$restrict <- list()
  bare$relax <- character()
  fresh <- plain_rows(bare, layout)
  catches <- function(slice) {
    text %in%
    fresh$parameter[address_match(parse_address(slice), fresh, layout$constructs)]
  }
  spelt <- unlist(lapply(bp$restrict, function(restriction) {
    if (restriction$smooth || !catches(restriction$left)) return(list(restriction))
    lapply(plain_addresses(restriction$left, layout), function(address) {
      restriction$left <- address
      restriction
    })
  }), recursive = FALSE)
  bp$restrict <- Filter(function(r) !identical(r$left, r$right), as.list(spelt))
  bp
}

row_addresses <- function(text, layout) layout$rows$parameter[restricted_rows(text, layout)]

# The parameters that a text refers to, with a group only where the text names one.
plain_addresses <- function(text, layout) {
  rows <- restricted_rows(text, layout)
  if (!is.null(parse_address(text)$group)) return(layout$rows$parameter[rows])
  unique(address_format(layout$rows$kind[rows], layout$rows$first[rows], layout$rows$second[rows]))
}

mentions_any <- function(restriction, parameters, layout) {
  any(vapply(restriction_addresses(restriction),
             function(text) any(row_addresses(text, layout) %in% parameters), NA))
}

# Covariances that the blueprint contains without a new statement: stated ones, and those assumed by
# default.
declared_covariances <- function(bp, layout) {
  fresh <- plain_rows(bp, layout)
  fresh$parameter[fresh$kind == "covariance"]
}

# The parameters of a blueprint, whatever the group.
plain_rows <- function(bp, layout) {
  rows <- layout_parameters(bp, layout$means, layout$observed)$rows
  c(rows, list(parameter = addresses_without_group(rows),
               group = rep(NA_character_, length(rows$kind))))
}

add_relation <- function(bp, address) {
  pair <- c(address$first, address$second)
  switch(address$kind,
    covariance = add_pairs(bp, pair, "covary"),
    effect = add_effects(bp, str2lang(paste(address_name(pair[2L]), "~", address_name(pair[1L])))),
    loading = {
      part <- bp$constructs[[pair[1L]]]
      bp$constructs[[pair[1L]]]$items <- c(part$items, pair[2L])
      bp
    },
    abort("restriction", text_of("cannot_be_added_model", address = format(address))))
}

#' Paths that could be removed
#'
#' The reverse of [amendments()]: each free path held at zero, one by one and all together, by the
#' Wald test (Wald 1943) and by a real refit.
#'
#' @param fit A fit from [fit_model()] that converged.
#' @param ... Addresses or slices of free effects, loadings, weights or covariances. All effects
#'   when empty; in a model without effects, all covariances among constructs.
#' @param criteria The level of the test, from [criteria()].
#' @return A data frame of class `orizzonte_without`: `parameter`, `estimate`, `se`, `standardized`,
#'   `wald`, `df`, `p`, `actual_rise` (of \eqn{\chi^2} after refitting), `p_rise` and `verdict`
#'   (`"could_be_removed"` or `"needed"`). In the last row, `"together"`, all given addresses are
#'   fixed at zero; without `...`, all paths that could be removed one by one. The attribute `weak`
#'   lists items whose absolute standardized loading is below .4.
#' @section Errors: `orizzonte_error_restriction` for an address that is not in the model;
#'   `orizzonte_error_convergence` for a fit that did not converge.
#' @references
#' Wald, A. (1943). Tests of statistical hypotheses concerning several parameters when the number
#' of observations is large. *Transactions of the American Mathematical Society, 54*(3),
#' 426--482.
#' @seealso [restrict()], [compare_models()].
#' @examples
#' bp <- blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Staying ~ Belonging + years + age)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' without(fit)
#' without(fit, effect[years, Staying], effect[age, Staying])
#' @export
without <- function(fit, ..., criteria = NULL) {
  check_arguments("without", dots = TRUE)
  check_fit(fit, "without")
  check_converged(fit, "without")
  fit <- joint_fit(fit)
  level <- check_criteria(criteria)$significance
  quosures <- rlang::enquos(...)
  table <- fit$layout
  chosen <- if (length(quosures)) rows_to_drop(fit, captured_addresses(quosures, "without")) else
    droppable_rows(table)
  standardized <- standardized_of(fit)$value
  vcov <- vcov_of(fit)
  alone <- map_with_progress(chosen, function(path) drop_paths(path, fit, vcov),
                     text_of("paths_held_at_zero"))
  p <- vapply(alone, `[[`, 0, "p_rise")
  verdict <- rule_needed(p, level)
  together <- if (length(quosures)) chosen else chosen[verdict %in% "could_be_removed"]
  if (length(together) > 1L) {
    joint <- drop_paths(together, fit, vcov)
    alone <- c(alone, list(joint))
    verdict <- c(verdict, rule_needed(joint$p_rise, level))
  }
  blank <- rep(NA_real_, length(alone) - length(chosen))
  get <- function(name) vapply(unname(alone), `[[`, 0, name)
  columns <- list(parameter = c(table$rows$parameter[chosen], rep("together", length(blank))),
                  estimate = c(values_of(fit)[chosen], blank),
                  se = c(raw_errors(fit)[chosen], blank),
                  standardized = c(standardized[chosen], blank), wald = get("wald"),
                  df = as.integer(get("df")), p = get("p"), actual_rise = get("rise"),
                  p_rise = get("p_rise"), verdict = verdict)
  weak <- which(table$rows$kind == "loading" & abs(standardized) < 0.4)
  out <- structure(
    list_frame_class(columns, "orizzonte_without"), title = fit$request$blueprint$title,
            wording = all_wordings(fit), together = table$rows$parameter[together],
            given = length(quosures) > 0L,
            weak = list_frame(list(parameter = table$rows$parameter[weak],
                                   standardized = standardized[weak])))
  with_status(out, fit)
}

droppable_rows <- function(table) {
  free <- is.na(table$rows$fixed) & !table$rows$status %in% "at bound"
  rows <- which(free & table$rows$kind == "effect")
  if (length(rows)) return(rows)
  which(free & table$rows$kind == "covariance" & table$rows$first %in% table$constructs &
        table$rows$second %in% table$constructs)
}

rows_to_drop <- function(fit, texts) {
  unique(unlist(lapply(texts, function(text) {
    rows <- restricted_rows(text, fit$layout)
    if (!fit$layout$rows$kind[rows[1L]] %in% c(arrow_kinds, "covariance")) {
      abort("input",
            c(text_of("cannot_go_is_no", value = text),
              i = text_of("give_effects_loadings_weights")))
    }
    held <- !is.na(fit$layout$rows$fixed[rows])
    if (length(rows) == 1L && held)
      abort("input",
            text_of("is_fixed_already", value = text,
                    rows = format_exact(fit$layout$rows$fixed[rows])))
    rows[!held]
  })))
}

# Some rows fixed at zero: Wald test from the current fit, and the increase of chi-square after
# refitting. Equated parameters are fixed together with their class.
drop_paths <- function(rows, fit, vcov) {
  k <- map_matrix(fit$layout)[rows, , drop = FALSE]
  covariance <- k %*% vcov %*% t(k)
  out <- list(wald = NA_real_, df = length(rows), p = NA_real_, rise = NA_real_, p_rise = NA_real_)
  estimate <- values_of(fit)[rows]
  if (!anyNA(covariance)) out[c("wald", "df", "p")] <- wald_test(estimate, covariance)
  core <- fit$layout$model
  used <- unique(core$map_parameter[core$map_entry %in% match(rows, core$rows)])
  single <-
    vapply(used,
           function(parameter) {
             all(core$constant[core$map_entry[core$map_parameter == parameter]] == 0)
           }, NA)
  if (!all(single) || length(core$constraints)) return(out)
  found <- core_refit(fit, held_core(core, used), core_theta(fit)[-used])
  if (!found$ok) found <- core_refit(fit, held_core(core, used), numeric(), 4L)
  if (!found$ok) return(out)
  out$df <- length(used)
  risen <- core_difference(fit, held_core(core, used), found, replace(
    numeric(core$parameters), -used, found$theta))
  out$rise <- risen$chisq
  out$p_rise <- if (is.na(risen$chisq)) NA_real_ else upper_p(max(0, risen$chisq), out$df)
  out
}

#' @export
print.orizzonte_without <- function(x, ...) {
  if (!all(c("parameter", "wald", "p", "actual_rise", "verdict") %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  put_lines(format_without(x))
  invisible(x)
}

format_without <- function(x) {
  lines <-
    heading_with_status(text_of("paths_could_be_removed",
                                attr = if (!is.null(attr(x, "title"))) paste0(": ",
                                                                              attr(x, "title"))), x)
  if (nrow(x) == 0L) {
    lines <- c(lines,
               text_of("there_are_no_effects"))
  } else {
    columns <- list(parameter = x$parameter, estimate = format_number(x$estimate),
                    se = format_number(x$se), `std.` = format_share(x$standardized, 2L),
                    Wald = format_fixed(x$wald, 2L), df = format_count(x$df), p = format_p(x$p),
                    rise = format_fixed(x$actual_rise, 2L), `p, refit` = format_p(x$p_rise),
                    verdict = words_of("path", x$verdict))
    lines <- c(lines, format_table(columns, c(FALSE, rep(TRUE, 8L), FALSE)), "",
               wrap_lines(
                 text_of("wald_predicted_rise_when")))
    lost <- x$parameter[is.na(x$actual_rise) & !is.na(x$wald)]
    if (length(lost))
      lines <- c(lines,
                 wrap_lines(
                   text_of("not_refitted_since_model", lost = enumerate(lost))))
    if ("together" %in% x$parameter && !isTRUE(attr(x, "given"))) {
      lines <- c(lines,
                 wrap_lines(paste0("together: ", enumerate(attr(x, "together"), most = 12L))))
    }
  }
  weak <- attr(x, "weak")
  if (!is.null(weak) && nrow(weak)) {
    lines <- c(lines, "", text_of("items_load_weakly_standardized"),
               format_table(list(loading = weak$parameter, `std.` = format_share(weak$standardized,
                   2L)), c(FALSE, TRUE)),
               format_wordings(weak$parameter, attr(x, "wording")))
  }
  go <- setdiff(x$parameter[x$verdict %in% "could_be_removed"], "together")
  following <- if (length(go)) {
    c(text_of("next_if_theory_does"),
      paste0("  ", instruction("amend_fix", address = go[1L])))
  } else {
    next_step("after_without")
  }
  c(lines, if (length(following)) c("", following))
}
