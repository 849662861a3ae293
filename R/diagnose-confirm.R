#' Does it hold in other data?
#'
#' Fits the start and the end of a [trail()] to fresh data, or to a half held out, and puts the
#' results side by side: does the amended model still fit better, and is each freed parameter found
#' again (cross-validation; Cudeck & Browne 1983)?
#'
#' @param fit A fit with a trail.
#' @param data Fresh data, with the same variables. [split_data()] makes two halves, one to explore
#'   and one to confirm.
#' @param missing_codes As in [fit_model()]. The default are those of the fit.
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object of class `orizzonte_confirmation`: a list with `indices` (a data frame:
#'   `model`, start or end; `data`, these or fresh; `n`, `status`, `chisq`, `df`, `p`, `cfi`, `tli`,
#'   `rmsea`, `srmr`, `aic`, `bic`), `difference` (per data: `chisq_change`, `df_change`,
#'   `p_change`), `parameters` (the freed parameters: `parameter`, `estimate`, `se`, `p`,
#'   `estimate_fresh`, `se_fresh`, `p_fresh`, `p_adjusted`, `standardized_fresh`, `verdict`) and
#'   `fits`. `as.data.frame()` gives `indices`.
#'
#'   A parameter is *found again* when it was significant in the first data, and in the fresh data
#'   has the same sign, is significant after adjustment for the number of freed parameters (Holm
#'   1979) and is at least as large, standardized, as `criteria()$smallest`.
#' @section Errors: `orizzonte_error_input` if the model was not amended; for the data, the errors
#' of [fit_model()]. `orizzonte_warning_confirm` when the data are those the trail was made with.
#' @references
#' Holm, S. (1979). A simple sequentially rejective multiple test procedure. *Scandinavian Journal
#' of Statistics, 6*(2), 65--70.
#'
#' Cudeck, R., & Browne, M. W. (1983). Cross-validation of covariance structures. *Multivariate
#' Behavioral Research, 18*(2), 147--167.
#' @seealso [split_data()] to reserve a validation sample, [trail()] for the modifications.
#' @examples
#' halves <- split_data(choirs, seed = 3)
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' fit <- suppressMessages(fit_model(bp, halves$explore))
#' fit <- amend(fit, free = covariance[be1, be2], because = "both items are about being greeted")
#' confirm(fit, halves$confirm)
#' @export
confirm <- function(fit, data, missing_codes = fit$request$missing_codes, ...) {
  check_arguments("confirm")
  check_fit(fit, "confirm")
  bp <- fit$request$blueprint
  if (length(bp$trail) == 0L) {
    abort("input", c(text_of("nothing_has_been_amended"),
                     i = text_of("confirm_compares_start_end")))
  }
  if (missing(data)) {
    abort("input", c(text_of("confirm_needs_fresh_data"),
                     i = text_of("split_data_data_makes")))
  }
  fresh <- lapply(list(start = bp$trail$start, end = bp), function(one) {
    refit_quietly(fit, list(blueprint = one, data = data, missing_codes = missing_codes))
  })
  here <- list(start = refit_start(fit), end = fit)
  if (same_rows(fit, fresh$end)) {
    warn("confirm", c(text_of("these_are_data_trail"),
                      i = text_of("give_data_other_cases")))
  }
  structure(list(title = bp$title, indices = confirmed_indices(here, fresh),
                 difference = confirmed_difference(list(these = here, fresh = fresh)),
                 parameters = confirmed_parameters(fit, fresh$end), fits = fresh),
                 class = "orizzonte_confirmation")
}

confirmed_indices <- function(here, fresh) {
  rows <- function(name, data, fit) {
    measures <- if (is.null(fit)) lapply(revision_of(here$end, 0), function(x) x[NA]) else
      revision_of(fit, 0)
    c(list(model = name, data = data),
      measures[c("n", "status", "chisq", "df", "p", "cfi", "tli", "rmsea", "srmr", "aic", "bic")])
  }
  all <- list(rows("start", "these", here$start), rows("end", "these", here$end),
              rows("start", "fresh", fresh$start), rows("end", "fresh", fresh$end))
  list_frame(do.call(Map, c(list(c), all)))
}

# The original model fitted to the calibration sample; NULL if that sample lacks some of its items.
refit_start <- function(fit) {
  start <- fit$request$blueprint$trail$start
  needed <- blueprint_variables(code_blueprint(start, fit$sample$coding))$observed
  known <- if (has_raw_data(fit$sample))
    names(code_data(fit$sample$data$frame, fit$sample$coding)) else
    sample_variables(fit$sample)
  if (all(needed %in% known)) refit_quietly(fit, list(blueprint = start))
}

confirmed_difference <- function(pairs) {
  each <- lapply(names(pairs), function(data) {
    pair <- pairs[[data]]
    comparable <- !is.null(pair$start) &&
      setequal(pair$start$layout$observed, pair$end$layout$observed) && has_converged(pair$start) &&
        has_converged(pair$end)
    test <- if (comparable) difference_test(pair$start, pair$end) else
      list(chisq = NA_real_, df = NA_real_, p = NA_real_)
    list(data = data, chisq_change = test$chisq, df_change = test$df, p_change = test$p)
  })
  list_frame(do.call(Map, c(list(c), each)))
}

# Parameters that the trail freed and that are still in the model.
confirmed_parameters <- function(fit, fresh) {
  freed <- unique(unlist(lapply(fit$request$blueprint$trail$revisions$changes, freed_addresses)))
  here <- estimates(fit)
  there <- estimates(fresh)
  freed <- in_every_group(fit$layout, freed)
  freed <- freed[freed %in% here$parameter & freed %in% there$parameter]
  a <- here[match(freed, here$parameter), ]
  b <- there[match(freed, there$parameter), ]
  adjusted <- stats::p.adjust(b$p, "holm")
  verdict <- rule_found_again(a$estimate, a$p, b$estimate, adjusted, b$standardized,
                              criteria()$significance, criteria()$smallest)
  list_frame(list(parameter = freed, estimate = a$estimate, se = a$se, p = a$p,
                  estimate_fresh = b$estimate, se_fresh = b$se, p_fresh = b$p,
                  p_adjusted = adjusted, standardized_fresh = b$standardized, verdict = verdict))
}

#' @export
as.data.frame.orizzonte_confirmation <- function(x, ...) x$indices

#' @export
print.orizzonte_confirmation <- function(x, ...) {
  columns <- confirmation_columns(x)
  put_lines(heading(paste0("Confirmation: ", x$title)), wrap_lines(confirmation_header(x)), "",
            wrap_lines(confirmation_fit(x)), "",
            format_table(columns$indices, c(FALSE, FALSE, rep(TRUE, 10L), FALSE)), "",
            wrap_lines(confirmation_falls(x)))
  if (nrow(x$parameters))
    put_lines("", text_of("what_was_freed"),
              format_table(columns$freed, c(FALSE, rep(TRUE, 4L), FALSE)))
  put_lines("", wrap_lines(confirmation_reading(x)))
  invisible(x)
}

confirmation_header <- function(x) {
  text_of("fresh_data", sample = sample_header(x$fits$end$sample))
}

# The fit of the final model in the fresh data, which precedes all statements about replication.
confirmation_fit <- function(x) {
  fit <- x$fits$end
  state <- solution_state(fit)
  if (!state$status %in% c("proper", "at bound", "weak"))
    return(text_of("fresh_fit_trouble", status = state$status, trouble = state$trouble))
  if (test_of(fit)$df == 0L) return(text_of("fresh_fit_saturated"))
  own <- comparison_measures(fit)
  exact <- exact_test(fit)
  k <- criteria()
  verdict <- if (exact$p >= k$significance) "fresh_not_rejected" else
    if (isTRUE(rule_acceptable_fit(own$cfi, own$rmsea, k))) "fresh_acceptable" else "fresh_misfit"
  text_of("fresh_fit", chisq = format_fixed(exact$chisq, 2L), df = exact$df, p = p_clause(exact$p),
          cfi = format_share(own$cfi, 3L), rmsea = format_share(own$rmsea, 3L),
          verdict = text_of(verdict))
}

confirmation_columns <- function(x) {
  i <- x$indices
  indices <- titled(list(
    model = i$model, data = i$data, n = format_count(i$n), chisq = format_fixed(i$chisq, 2L),
    df = format_count(i$df), p = format_p(i$p), CFI = format_share(i$cfi, 3L),
    TLI = format_share(i$tli, 3L), RMSEA = format_share(i$rmsea, 3L),
    SRMR = format_share(i$srmr, 3L),
    AIC = format_fixed(i$aic, 1L), BIC = format_fixed(i$bic, 1L),
    status = ifelse(i$status %in% "proper", "", i$status)))
  p <- x$parameters
  list(indices = lapply(indices, function(v) ifelse(v == "NA", "", v)),
       freed = list(parameter = p$parameter, `these data` = with_error(p$estimate, p$se),
                    p = format_p(p$p), `fresh data` = with_error(p$estimate_fresh, p$se_fresh),
                    `p (Holm)` = format_p(p$p_adjusted),
                    verdict = words_of("confirmed", p$verdict)))
}

confirmation_falls <- function(x) {
  d <- x$difference
  d <- d[!is.na(d$chisq_change), ]
  if (nrow(d) == 0L) return(NULL)
  text_of("from_start_end_falls", chisq_change = format_fixed(d$chisq_change, 2L),
          df_change = d$df_change, p_change = vapply(d$p_change, p_clause, ""),
          data = ifelse(d$data == "these", text_of("in_these_data"), text_of("in_fresh_data")))
}

confirmation_reading <- function(x) {
  p <- x$parameters
  lost <- sum(p$verdict != "found_again")
  them <- if (lost == 1L) "it" else "them"
  if (nrow(p) == 0L) return(text_of("nothing_was_freed_is"))
  if (lost == 0L) return(text_of("all_was_freed_is"))
  text_of("freed_parameters_not_found", lost = lost, value = nrow(p),
          lost_2 = if (lost == 1L) "is" else "are", them = them, them_2 = them)
}

#' Split data into a half to explore and a half to confirm
#'
#' The split is random and made before the data are inspected: the model is amended in one part and
#' tested in the other.
#'
#' @param data A data frame.
#' @param share Share of rows in the first part.
#' @param seed Seed of the random split; the state of R's generator is left as it was.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A list of two data frames, `explore` and `confirm`.
#' @section Errors: `orizzonte_error_input` for an object that is not a data frame, or a proportion
#' outside 0 to 1.
#' @seealso [confirm()], which uses the second part.
#' @examples
#' halves <- split_data(choirs, seed = 3)
#' vapply(halves, nrow, 0L)
#' @export
split_data <- function(data, share = 0.5, seed = 1, ...) {
  check_arguments("split_data")
  if (!is.data.frame(data))
    abort("input",
          c(text_of("split_data_splits_data"), x = text_of("was_given", value = describe(data))))
  check_number(share, "`share`", 0.01, 0.99)
  check_seed(seed)
  chosen <- sort(with_seed(seed, sample.int(nrow(data), round(share * nrow(data)))))
  list(explore = data[chosen, , drop = FALSE], confirm = data[-chosen, , drop = FALSE])
}

# The trail of the amended model: the start's blueprint, and the revisions.
add_revision <- function(fit, amended, changes, because, predicted) {
  trail <- fit$request$blueprint$trail
  if (length(trail) == 0L) {
    trail <- list(start = blueprint_to_refit(fit$request$blueprint),
                  revisions = revision_of(fit, 0))
  } else if (!last_is(trail$revisions, fit)) {
    trail$revisions <- Map(c, trail$revisions, outside_revision(fit, trail$revisions))
  }
  left <- setdiff(fit$layout$observed, amended$layout$observed)
  note <- not_comparable(fit, amended, left)
  actual <- if (nzchar(note)) NA_real_ else drop_between(fit, amended)
  number <- max(trail$revisions$revision) + 1
  trail$revisions <- Map(c, trail$revisions,
                         revision_of(amended, number, changes, because, predicted, actual, note))
  trail
}

not_comparable <- function(fit, amended, left) {
  rows <- sample_n(amended$sample) - sample_n(fit$sample)
  if (length(left)) {
    return(text_of("not_comparable_left", left = enumerate(left),
                   rows = if (rows > 0) text_of("became_complete", rows = count_of(rows, "row"))))
  }
  if (rows != 0) text_of("not_comparable_n_was", sample = sample_n(fit$sample)) else ""
}

# The parts of the original model that a refit needs; wordings, quantities and claims stay with the
# current model.
blueprint_to_refit <- function(bp) {
  bp$trail <- list()
  bp$wording <- bp$quantities <- bp$claims <- character()
  attr(bp, "hints") <- NULL
  bp
}
