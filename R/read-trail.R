# The history of a model, as a table and in words.

#' The history of a model
#'
#' One row per revision: the change made by [amend()], its reason, its predicted and its actual
#' effect. Row 0 is the model as it was when the first change was made. Changes are empty, with the
#' reason in `note`, where \eqn{\chi^2} cannot be compared because items left.
#'
#' @param x A fit or a blueprint.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_trail`: `revision`, `against` (the revision before),
#'   `change`, `because`, `predicted_drop`, `actual_drop`, `n`, `chisq`, `df`, `p`, `cfi`,
#'   `tli`, `rmsea`, `srmr`, `aic`, `bic`, the same with `_change` (`p_change` is the *p* of the
#'   \eqn{\chi^2} difference), `verdict` (of that test: `"fits_as_well"`, `"fits_worse"`,
#'   `"fits_better"`), `broken` (for a change that restricts the model, the criteria of change that
#'   it exceeds; both use the defaults of [criteria()]), `status`, and `note`. The data frame has no
#'   rows if the model has not been amended.
#' @section Errors: `orizzonte_error_input` for anything but a fit or a blueprint.
#' @seealso [amend()], [confirm()], [write_report()].
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' fit2 <- amend(fit, free = covariance[be1, be2], because = "both items are about being greeted")
#' trail(fit2)
#' plot(trail(fit2))
#' @export
trail <- function(x, ...) {
  check_arguments("trail")
  if (!inherits(x, "orizzonte_blueprint")) check_fit(x, "trail")
  bp <- if (inherits(x, "orizzonte_fit")) x$request$blueprint else x
  rows <- if (length(bp$trail)) bp$trail$revisions else empty_revisions()
  if (inherits(x, "orizzonte_fit") && has_converged(x) && length(bp$trail) && !last_is(rows, x)) {
    rows <- Map(c, rows, outside_revision(x, rows))
  }
  size <- length(rows$revision)
  for (name in c(trail_measures, "df")) {
    change <- rep(NA_real_, size)
    if (size > 1L) change[-1L] <- rows[[name]][-1L] - rows[[name]][-size]
    change[nzchar(rows$note)] <- NA
    rows[[paste0(name, "_change")]] <- change
  }
  # the fall that was tested: where inference is robust no difference of two chi-squares
  known <- !is.na(rows$actual_drop) & !is.na(rows$chisq_change)
  rows$chisq_change[known] <- -rows$actual_drop[known]
  step <- abs(rows$df_change)
  sound <- rows$status %in% c("proper", "improper", "weak")
  rows$p_change <- ifelse(sound & c(FALSE, sound[-size])[seq_len(size)],
                          difference_p(abs(rows$chisq_change), step), NA)
  rows$change <- vapply(rows$changes, change_sentence, "")
  freed <- count_freed(rows)
  rows$against <- c(NA, rows$revision)[seq_len(size)]
  rows$verdict <- rule_difference(rows$p_change, rows$df_change, criteria()$significance)
  rows$broken <- broken_by(rows, criteria())
  ordered <- c("revision", "against", "change",
               setdiff(revision_columns, c("revision", "changes", "status", "note")),
               paste0(c("chisq", "df", "p", "cfi", "tli", "rmsea", "srmr", "aic", "bic"),
                      "_change"), "verdict", "broken", "status", "note")
  structure(list_frame_class(rows[ordered], "orizzonte_trail"), title = bp$title, freed = freed)
}

trail_measures <- c("chisq", "cfi", "tli", "rmsea", "srmr", "aic", "bic")

# A revision: a list of one value for each column.
revision_of <- function(fit, number, changes = list(), because = NULL, predicted = NA_real_,
                        actual = NA_real_, note = "") {
  c(list(revision = number, changes = list(changes), because = because %||% "",
         predicted_drop = predicted, actual_drop = actual, n = as.numeric(sample_n(fit$sample)),
         status = solution_state(fit)$status), comparison_measures(fit),
         list(note = note))[revision_columns]
}

# Are these the measures of this fit? Else something was changed beside amend(), or the data are
# others.
last_is <- function(rows, fit) {
  last <- length(rows$revision)
  rows$df[last] == stats::df.residual(fit) && rows$n[last] == sample_n(fit$sample) &&
    abs(rows$chisq[last] - test_of(fit)$chisq) < 1e-6 * (1 + rows$chisq[last])
}

outside_revision <- function(fit, rows) {
  last <- length(rows$revision)
  other <- rows$n[last] != sample_n(fit$sample)
  why <- if (other) text_of("other_rows_of_data") else text_of("what_changed_is_not")
  revision_of(fit, max(rows$revision) + 1, outside_change,
              note = text_of("not_comparable", why = why))
}

# One sentence on the last revision.
format_revision <- function(fit) {
  rows <- trail(fit)
  last <- nrow(rows)
  row <- rows[last, ]
  fell <- if (nzchar(row$note)) {
    row$note
  } else {
    paste0(text_of(if (row$actual_drop >= 0) "chisq_fell_by" else "chisq_rose_by",
                   change = format_fixed(abs(row$actual_drop), 2L)),
           if (!is.na(row$predicted_drop))
             text_of("drop_predicted", drop = format_fixed(abs(row$predicted_drop), 2L)),
           ", \u0394df = ", abs(row$df_change),
           if (!is.na(row$p_change)) paste0(", p ", p_clause(row$p_change)))
  }
  text_of("revision_now_df_cfi", revision = row$revision, change = row$change, fell = fell,
          chisq = format_fixed(row$chisq), df = row$df, cfi = format_share(row$cfi, 3L),
          rmsea = format_share(row$rmsea, 3L))
}

#' @export
print.orizzonte_trail <- function(x, ...) {
  if (!all(c("revision", "change", "because", "chisq", "df", "actual_drop") %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  put_lines(format_trail(x))
  invisible(x)
}

format_trail <- function(x) {
  lines <- heading(paste0("Trail", if (!is.null(attr(x, "title"))) paste0(": ", attr(x, "title"))))
  if (nrow(x) == 0L)
    return(c(lines, text_of("nothing_has_been_amended_so"),
             next_step("first_amendment")))
  columns <- titled(list(
                  `#` = format_count(x$revision), predicted = format_fixed(x$predicted_drop, 2L),
                  drop = format_fixed(x$actual_drop, 2L),
                  chisq = format_fixed(x$chisq, 2L), df = format_count(x$df),
                  CFI = format_share(x$cfi, 3L), cfi_change = format_share(x$cfi_change, 3L),
                  TLI = format_share(x$tli, 3L), RMSEA = format_share(x$rmsea, 3L),
                  SRMR = format_share(x$srmr, 3L), AIC = format_fixed(x$aic, 1L),
                  BIC = format_fixed(x$bic, 1L),
                  p_change = format_p(x$p_change)))
  lines <- c(lines, format_table(columns), "")
  words <- ifelse(x$revision == 0, text_of("original_model"), x$change)
  reason <- ifelse(x$revision == 0, "",
                   ifelse(nzchar(x$because), text_of("because", because = x$because),
                          ", NO REASON GIVEN"))
  state <- ifelse(x$status %in% "proper", "", paste0(" [", toupper(x$status), "]"))
  found <- words_of("difference", x$verdict %||% rep(NA, nrow(x)))
  broken <- x$broken %||% rep("", nrow(x))
  breaks <- ifelse(nzchar(broken), paste0(" (breaks ", index_names_of(broken), ")"), "")
  note <- paste0(ifelse(nzchar(found), paste0(": ", found, breaks), ""),
                 ifelse(nzchar(x$note), paste0("; ", x$note), ""))
  lines <- c(lines, wrap_lines(paste0(x$revision, ". ", words, reason, state, note), 2L, 5L))
  freed <- attr(x, "freed") %||% 0L
  c(lines, "", if (freed > 3L)
      wrap_lines(text_of("changes_were_suggested_same_data", freed = freed)),
    next_step("confirm_trail"), instruction("or_amend"))
}
