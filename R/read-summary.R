#' Print or summarise a fit
#'
#' `print()` gives an overview: status, fit in one line, and the next step. `summary()` shows all
#' results: the defaults, fit indices with cut-offs, estimates, explained variance and the largest
#' residuals. If the solution is improper or did not converge, this is stated before any number.
#'
#' @param x,object A fit from [fit_model()].
#' @param criteria Cut-offs and levels, from [criteria()].
#' @param bootstrap An object from [bootstrap_fit()] for this fit. Its standard errors, intervals
#'   and p values replace the theoretical ones of the values that were bootstrapped; nothing is
#'   resampled here.
#' @param ... Not used.
#' @return `print()` returns the fit; `summary()` an object of class
#'   `orizzonte_summary`, whose `print()` shows it.
#' @section Errors: None.
#' @seealso [estimates()], [fit_indices()], [path_diagram()], [write_report()].
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' fit
#' summary(fit)
#' @export
print.orizzonte_fit <- function(x, ...) {
  check_fit(x, "print")
  put_lines(fit_card(x), "")
  amendable <- stats::df.residual(x) > 0 && has_converged(x)
  put_lines(next_step(if (!has_converged(x)) "read_unconverged" else if (amendable)
    "read_fit" else "read_saturated"))
  invisible(x)
}

# Status, sample, fit in one line and its reading.
fit_card <- function(fit, criteria = NULL) {
  lines <- c(heading(fit$request$blueprint$title), format_status(fit), format_sample(fit),
             format_inference(fit), format_feedback(fit))
  if (!has_converged(fit)) return(lines)
  table <- fit_indices(fit, criteria)
  pick <- function(name) format_index(name, table$value[table$index == name])
  p <- table$value[table$index == "p"]
  measures <- if (stats::df.residual(fit) == 0) {
    text_of("chisq_of_saturated", chisq = format_fixed(test_of(fit)$chisq))
  } else {
    text_of("df_cfi_tli_rmsea", pick = pick("chisq"), pick_2 = pick("df"),
            value = if (!is.na(p)) paste0(", p ", p_clause(p)), pick_3 = pick("cfi"),
            pick_4 = pick("tli"), pick_5 = pick("rmsea"), pick_6 = pick("srmr"))
  }
  c(lines, measures, wrap_lines(attr(table, "reading")))
}

format_sample <- function(fit, parameters = TRUE) {
  sample <- fit$sample
  more <- n_free(joint_fit(fit)) - n_free(fit)
  count <- paste0(count_of(length(sample_variables(sample)), "observed variable"),
                  if (parameters) paste0(", ", count_of(n_free(fit), "free parameter"),
                                         if (length(auxiliary_variables(sample)) && more > 0L)
                                           text_of("auxiliary_parameters", more = more)))
  if (is_incomplete(sample)) return(wrap_lines(c(paste0(sample_header(sample), "."), count)))
  wrap_lines(paste0(sample_header(sample), ", ", count,
                    if (!has_raw_data(sample)) text_of("from_summary_data")))
}

# A sentence on robust standard errors and tests.
# `correction`: whether to show the scaling correction factor.
format_inference <- function(fit, correction = TRUE) {
  if (!is_robust(fit$request)) return(NULL)
  request <- fit$request
  test <- test_of(fit)
  adjusted <- !is.na(test$df_adjusted)
  clusters <- count_clusters(fit$sample)
  wrap_lines(text_of("robust_inference_sandwich_standard",
                     adjusted = if (adjusted) text_of("and_variance"),
                     inflation = if (correction && !is.na(test$inflation)) paste0(" (c = ",
                         format_fixed(test$inflation),
                         if (adjusted) text_of("on_df",
                                               df_adjusted = format_fixed(test$df_adjusted, 1L)),
                         ")"),
                     clusters = if (!is.na(clusters)) text_of("of_all",
                         clusters = count_of(clusters, "cluster"), clusters_2 = request$clusters),
                     weights = if (!is.null(request$weights)) text_of("weighted_by",
                         weights = request$weights, effective = effective_words(fit$sample))))
}

# "298 of 420 in evening and 201 of 300 in weekend"
effective_words <- function(sample) {
  effective <- effective_cases(sample)
  each <- text_of("effective_of", effective = format_count(round(effective)),
                  cases = format_count(cases_by_group(sample)))
  groups <- several_groups(sample)
  enumerate(paste0(each, if (!is.null(groups)) paste0(" in ", groups)), most = 6L)
}

# Feedback is mentioned, with the stability index: the spectral radius of B, below 1 for a stable
# system (Bentler & Freeman 1983).
format_feedback <- function(fit) {
  unlist(lapply(group_views(fit), function(view) {
    loops <- feedback_variables(view$layout)
    if (length(loops) == 0L || anyNA(view$eta)) return(NULL)
    index <- max(Mod(eigen(view_matrices(view)$effects, only.values = TRUE)$values))
    wrap_lines(text_of("feedback_among_stability_index", loops = enumerate(loops),
                       group = in_group(view$layout, view$group), index = format_fixed(index),
                       index_2 = if (index < 1)
                         text_of("stability_settles") else text_of("stability_grows")))
  }), use.names = FALSE)
}

feedback_variables <- function(layout) {
  all <- c(layout$observed, layout$constructs)
  all[diag(reachable(layout, length(all)))]
}

# Warnings that precede all numbers: non-convergence and improper parts.
format_status <- function(fit) {
  if (!has_converged(fit)) {
    history <- history_of(fit)
    steps <- length(history$chisq)
    return(c(text_of("not_converged", fit = stop_reason(fit)),
             if (steps) text_of("iterations_sets_starting_values", steps = steps,
                                fit = starts_of(fit),
                                steps_2 = formatC(history$decrement[steps], digits = 2L,
                                                  format = "g")),
             format_history(history$chisq), format_evidence(fit),
             text_of("numbers_below_are_where"), rescue_hint()))
  }
  improper <- improper_parts(fit)
  if (nrow(improper) == 0L) {
    return(c(text_of("converged_solution_is_proper"), format_weakness(fit)))
  }
  c(text_of("improper_solution_read_before"), paste0("  - ", improper$trouble),
    format_evidence(fit), rescue_hint())
}

format_iterations <- function(fit) {
  if (!has_converged(fit)) return(NULL)
  steps <- count_of(length(history_of(fit)$chisq), "iteration")
  paste0("  ", text_of("estimation_converged_in", iterations = steps))
}

# The sequence of values of the test statistic, in at most six steps.
format_history <- function(chisq) {
  if (length(chisq) < 2L) return(NULL)
  shown <- unique(round(seq(1, length(chisq), length.out = min(6L, length(chisq)))))
  text_of("way_all_fit_solution",
          shown = paste0(format_fixed(chisq[shown]), " (", shown, ")", collapse = ", "))
}

rescue_hint <- function() {
  paste0("  ", next_step("rescue_trouble"))
}

# Evidence from the data on this problem.
format_evidence <- function(fit) {
  texts <- vapply(fit_evidence(fit), `[[`, "", "text")
  if (length(texts) == 0L) return(text_of("nothing_data_stands_out"))
  c(paste0("  ", text_of("what_data_say")),
    wrap_lines(paste0("- ", texts, "."), indent = 2L, hang = 4L))
}

format_weakness <- function(fit) {
  weak <- weakly_identified(fit)
  if (length(weak))
    wrap_lines(text_of("weak_solution_can_hardly", weak = enumerate(weak, most = 6L)))
}

#' @rdname print.orizzonte_fit
#' @export
summary.orizzonte_fit <- function(object, criteria = NULL, bootstrap = NULL, ...) {
  check_fit(object, "summary")
  criteria <- check_criteria(criteria)
  check_arguments("summary")
  check_same_bootstrap(bootstrap, object, "summary")
  claims <- names(object$request$blueprint$claims)
  structure(list(
    title = object$request$blueprint$title, status = format_status(object),
    sample = c(format_sample(object), format_inference(object), format_feedback(object)),
    notes = remaining_fit_notes(object),
    assumptions = format_assumptions(object$layout, object$request$blueprint),
    counts = c(format_counts(object$layout), format_iterations(object)),
    fit_indices = fit_indices(object, criteria,
                              bootstrap = bootstrap_holding(bootstrap, "rmsea")),
    estimates = estimates(object, bootstrap = bootstrap_holding(bootstrap,
        names(theta_of(object)))),
    r_squared = r_squared(object), bootstrap = bootstrap_note(bootstrap),
    residuals = stats::residuals(object, in_units = "correlation", largest = 5),
    converged = has_converged(object),
    verdicts = if (length(object$request$blueprint$claims) && has_converged(object))
      verdicts(object, criteria, bootstrap_holding(bootstrap, claims)),
    trail = if (length(object$request$blueprint$trail)) trail(object),
    saturated = stats::df.residual(object) == 0
  ), class = "orizzonte_summary")
}

#' @export
print.orizzonte_summary <- function(x, ...) {
  reading <- attr(x$fit_indices, "reading")
  put_lines(heading(x$title), x$status, if (x$converged) wrap_lines(reading), x$sample,
            wrap_lines(x$notes), "", format_key_indices(x$fit_indices), "", x$assumptions, "",
            x$counts, "")
  put_lines(heading(text_of("head_estimates")), format_grouped_estimates(x$estimates), "",
            if (!is.null(x$bootstrap)) c(wrap_lines(x$bootstrap), ""))
  print(x$r_squared)
  if (!x$saturated && x$converged) {
    put_lines("")
    print(x$residuals)
  }
  for (part in Filter(Negate(is.null), x[c("verdicts", "trail")])) {
    put_lines("")
    print(part)
  }
  put_lines("", next_step(if (x$saturated) "after_saturated_summary" else "after_summary"))
  invisible(x)
}

# Construct means at zero are listed under "Defaults"; a table of zeros adds no information.
is_mean_fixed_to_zero <- function(x) {
  x$kind %in% c("mean", "construct intercept") & x$status == "fixed" & x$estimate == 0
}

# Estimates under one heading per kind, columns aligned over all of them.
format_grouped_estimates <- function(x) {
  x <- x[!is_mean_fixed_to_zero(x), setdiff(names(x), c("lower", "upper"))]
  titles <- c(effect = "Effects", loading = "Loadings", weight = "Weights of composites",
              covariance = "Covariances", `disturbance covariance` = "Disturbance covariances",
              `residual covariance` = "Residual covariances", variance = "Variances",
              `disturbance variance` = "Disturbance variances",
              `residual variance` = "Residual variances", intercept = "Intercepts",
              mean = "Means of constructs", `construct intercept` = "Intercepts of constructs",
              quantity = "Quantities")
  rows <- split(seq_len(nrow(x)), factor(x$kind, names(titles)), drop = TRUE)
  columns <- lapply(printed_estimates(x), function(cells) {
    unlist(lapply(rows, function(at) c("", cells[at])), use.names = FALSE)
  })
  columns$parameter <- unlist(lapply(names(rows), function(kind) {
    c(titles[[kind]], paste0("  ", x$parameter[rows[[kind]]]))
  }))
  estimate_table(columns)
}

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
  # the decrease that was tested: where inference is robust it is not the difference of the two
  # chi-squares
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

# Are these the measures of this fit? If not, something was changed without amend(), or the data are
# different.
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

# --- generics ------------------------------------------------------------------------------------

# Base and tidy generics of a fit.

#' Base generics of a fit
#'
#' The methods that R and other packages expect of a model: coefficients with their covariances and
#' intervals, log-likelihood (so that `AIC()` and `BIC()` work), cases, formulas.
#'
#' @param object A fit from [fit_model()].
#' @param parm Parameters, by address; all free ones when missing. Also quantities, such as
#'   `"quantity[ratio]"`.
#' @param level Level of the intervals.
#' @param ... Not used.
#' @return `coef()` a vector with one entry for each distinct free parameter,
#'   named by address (quantities are in [estimates()]); `vcov()` its covariance matrix;
#'   `confint()` a matrix with two columns (`NA` for a parameter at a bound); `logLik()` the
#'   log-likelihood; `nobs()` the number of cases;
#'   `deviance()` \eqn{\chi^2} and `df.residual()` its degrees of freedom; `formula()` a list of
#'   the structural formulas, one for each outcome, also of a blueprint; `model.frame()` the data as
#'   they were used, with one row per row of the data and `NA` in rows that were left out;
#'   `coef(summary(fit))` a matrix of estimates, standard errors, z and p. With auxiliary variables
#'   `logLik()`, and so `AIC()`
#'   and `BIC()`, is that of the model together with the saturated part of the auxiliary variables,
#'   whose parameters are counted there and nowhere else. With weights it is `NA`.
#' @section Errors: `orizzonte_error_address` when `parm` is not a free parameter; `sigma()` is
#'   refused with a pointer, since a model of many variables does not have a single residual
#'   standard deviation.
#' @seealso [estimates()] for all of it in one table, [fit_indices()], [implied()].
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' confint(fit, "loading[Belonging, be3]")
#' AIC(fit)
#' @importFrom stats coef vcov confint logLik nobs deviance df.residual residuals
#' @name generics-of-a-fit
NULL

#' @rdname generics-of-a-fit
#' @export
coef.orizzonte_fit <- function(object, ...) {
  check_arguments("coef")
  theta_of(check_fit(object, "coef"))
}

#' @rdname generics-of-a-fit
#' @export
vcov.orizzonte_fit <- function(object, ...) vcov_of(check_fit(object, "vcov"))

#' @rdname generics-of-a-fit
#' @export
confint.orizzonte_fit <- function(object, parm, level = 0.95, ...) {
  check_arguments("confint", optional = "parm")
  check_level(level)
  theta <- stats::coef(object)
  se <- sqrt(diag(stats::vcov(object)))
  se[pinned_parameters(object)] <- NA     # as in estimates(): it lies at its bound
  interval <- inference_block(theta, se, level, reference_df(object))
  percent <- paste(format(100 * c(1 - level, 1 + level) / 2, trim = TRUE), "%")
  out <- matrix(c(interval$lower, interval$upper), ncol = 2L,
                dimnames = list(names(theta), percent))
  if (missing(parm)) return(out)
  check_parm(parm, out)
  if (is.character(parm)) {
    parm <- vapply(parm, function(p) format(parse_address(p)), "")
    out <- rbind(out, quantity_limits(object, level, colnames(out)))
    unknown <- setdiff(parm, rownames(out))
    if (length(unknown)) {
      abort("address", c(text_of("is_not_free_parameter", unknown = unknown[1L]),
                         did_you_mean(unknown[1L], rownames(out))))
    }
  }
  out[parm, , drop = FALSE]
}

check_parm <- function(parm, limits) {
  if (is.character(parm) && !anyNA(parm)) return(invisible())
  if (is.numeric(parm) && all(parm %in% seq_len(nrow(limits)))) return(invisible())
  abort("address",
        c(text_of("parm_must_be_names", limits = nrow(limits)), x = text_of("it_is_of_kind",
      value = describe(parm)),
                     i = text_of("such_as", example = quoted(rownames(limits)[1L]))))
}

# The limits of derived quantities, as rows beside the parameters.
quantity_limits <- function(fit, level, columns) {
  table <- estimates(fit, level)
  rows <- table$kind == "quantity"
  matrix(c(table$lower[rows], table$upper[rows]), ncol = 2L,
         dimnames = list(table$parameter[rows], columns))
}

#' @rdname generics-of-a-fit
#' @param x A fit from [fit_model()].
#' @importFrom stats formula
#' @export
formula.orizzonte_fit <- function(x, ...) {
  check_arguments("formula")
  rows <- check_fit(x, "formula")$layout$rows
  effect <- rows$kind == "effect"
  structural_formulas(rows$first[effect], rows$second[effect])
}

#' @rdname generics-of-a-fit
#' @export
formula.orizzonte_blueprint <- function(x, ...) {
  check_blueprint(x, "formula")
  structural_formulas(x$effects$from, x$effects$to)
}

#' @rdname generics-of-a-fit
#' @param formula A fit from [fit_model()].
#' @importFrom stats model.frame
#' @export
model.frame.orizzonte_fit <- function(formula, ...) {
  fitted_rows(check_fit(formula, "model.frame"))
}

#' @rdname generics-of-a-fit
#' @export
coef.orizzonte_summary <- function(object, ...) {
  table <- object$estimates[object$estimates$status == "free", ]
  matrix(c(table$estimate, table$se, table$z, table$p), ncol = 4L,
         dimnames = list(table$parameter, c("estimate", "se", "z", "p")))
}

# One formula for each outcome.
structural_formulas <- function(from, outcome) {
  causes <- split(from, factor(outcome, unique(outcome)))
  lapply(stats::setNames(names(causes), names(causes)), function(name) {
    stats::reformulate(address_name(unique(causes[[name]])), as.name(name), env = baseenv())
  })
}

#' @rdname generics-of-a-fit
#' @importFrom stats sigma
#' @export
sigma.orizzonte_fit <- function(object, ...) {
  abort("input", c(text_of("model_many_variables_has"),
                   i = text_of("residual_variances_stand_estimates")))
}

#' @rdname generics-of-a-fit
#' @export
logLik.orizzonte_fit <- function(object, ...) {
  check_arguments("logLik")
  check_fit(object, "logLik")
  # with weights it is a pseudo-likelihood, which cannot be used to compare models
  value <- if (is_weighted(object$sample)) NA_real_ else indices_of(object)[["loglik"]]
  structure(value, df = n_free(joint_fit(object)), nobs = stats::nobs(object), class = "logLik")
}

#' @rdname generics-of-a-fit
#' @export
nobs.orizzonte_fit <- function(object, ...) sample_n(check_fit(object, "nobs")$sample)
