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
