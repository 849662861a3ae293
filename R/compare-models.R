#' Compare models
#'
#' Any number of fits in one table, in the order given: fit measures and their changes,
#' likelihood-ratio tests, information criteria, Akaike weights, and a sentence about each test.
#' Nestedness is checked, not trusted: the larger model must reproduce the moments that the smaller
#' one implies, at its solution and at a point nearby (Bentler & Satorra 2010). Models that are not
#' nested get no \eqn{\chi^2} difference; with raw data, Vuong's (1989) tests
#' examine whether they are distinguishable at all, and then which one is closer to the population.
#' Models of other variables or other rows are shown without a comparison, and a note names the
#' reason.
#'
#' @param ... Fits from [fit_model()]; names, where given, become the labels.
#' @param against `"previous"`: each model against the one before it. `"first"`: each model is
#'   compared with the first one. The label of a model compares all others with that model.
#' @param reference `TRUE`: the saturated and the baseline model of the first fit as rows of their
#'   own, for orientation; nothing is tested against them.
#' @param same_rows `TRUE`: models that exclude different rows because of missing values are
#'   refitted to the rows that all of them can use; a message gives their number.
#' @param criteria The level of the verdict and the largest changes for the worse, from
#'   [criteria()].
#' @return A data frame of class `orizzonte_comparison`, one row per model: `model`, `against` (what
#'   it is compared with), `n`, `parameters`, `chisq`, `df`, `p`, `cfi`, `tli`, `rmsea`, `srmr`,
#'   `aic`, `bic`, the same with `_change` (`p_change` is the *p* of the \eqn{\chi^2} difference),
#'   `cfi_normal`, `tli_normal` and `rmsea_normal` where some are corrected (see [fit_indices()]),
#'   `verdict` (of the test: `"fits_as_well"`, `"fits_worse"`, `"fits_better"`), `broken` (of the
#'   more restricted model: which criteria of change it breaks), `status`, `nested` (`"yes"`,
#'   `"no"`, `"same model"`, or `NA` where nothing is compared) and `akaike_weight`,
#'   \eqn{\exp(-\Delta_i/2)/\sum \exp(-\Delta_j/2)} (Burnham & Anderson 2002) among models of the
#'   same data. Of models that are not nested: `distinguishable_p`, Vuong's `vuong_z` and `vuong_p`
#'   without correction, `vuong_z_aic` and `vuong_p_aic` corrected for the number of parameters as
#'   in AIC, `vuong_z_bic` and `vuong_p_bic` as in BIC (Vuong 1989, section 5; above 0: this model
#'   is closer to the truth than the other), the difference in AIC with its standard error
#'   (`aic_difference`, `aic_difference_se`), and `closer`: `"this"`, `"other"` or `"neither"` by
#'   the AIC-type statistic, because the uncorrected one favours the model with more parameters, and
#'   `"cannot_tell"` when the models cannot be distinguished or the BIC-type statistic is
#'   significant the other way. The attribute `notes` explains which comparisons were not made, and
#'   why.
#' @section Errors: `orizzonte_error_input` for fewer than two fits, for an object that is not a
#' fit, for an unknown `against`, or for `same_rows` if the data are unavailable or differ.
#' @references
#' Bentler, P. M., & Satorra, A. (2010). Testing model nesting and equivalence. *Psychological
#' Methods, 15*(2), 111--123.
#'
#' Burnham, K. P., & Anderson, D. R. (2002). *Model selection and multimodel inference* (2nd ed.).
#' Springer.
#'
#' Vuong, Q. H. (1989). Likelihood ratio tests for model selection and non-nested hypotheses.
#' *Econometrica, 57*(2), 307--333.
#' @seealso [side_by_side()] for their estimates, [anova()] for R's own table, [invariance()] for
#'   groups.
#' @examples
#' free <- blueprint("Belonging", scale = "unit") |> construct("Belonging", reflected_in = be1:be4)
#' equal <- restrict(free, loading[Belonging, ] == loading[Belonging, be1])
#' data <- choirs[complete.cases(choirs[paste0("be", 1:4)]), ]
#' compare_models(free = fit_model(free, data), equal = fit_model(equal, data))
#'
#' # two theories, neither a special case of the other: which is closer to the truth?
#' two <- blueprint("Two") |> construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Staying", reflected_in = st1:st3)
#' greeted <- fit_model(covary(two, be1, be2), choirs)
#' missed <- fit_model(covary(two, be3, be4), choirs)
#' compare_models(greeted, missed)
#' @export
compare_models <- function(..., against = "previous", reference = FALSE, same_rows = FALSE,
                           criteria = NULL) {
  check_arguments("compare_models", dots = TRUE)
  fits <- list(...)
  for (fit in fits) check_fit(fit, "compare_models")
  check_flag(reference, "`reference`")
  check_flag(same_rows, "`same_rows`")
  labels <- fit_labels(as.list(substitute(list(...)))[-1L], fits)
  if (same_rows) fits <- fits_of_same_rows(fits)
  compare_fits(fits, labels, against, "compare_models", criteria, reference)
}

# Fits to the rows that all models can use.
fits_of_same_rows <- function(fits) {
  whole <- vapply(fits, function(fit) has_raw_data(fit$sample), NA)
  total <- vapply(fits, function(fit) fit$sample$total_rows %||% NA_integer_, 0L)
  if (!all(whole) || length(unique(total)) > 1L) {
    abort("input", c(text_of("same_rows_needs_fits"),
                     x = if (!all(whole)) text_of("some_are_fits_summary") else
                       text_of("they_have_rows", total = enumerate(unique(total))),
                     i = text_of("fit_them_one_data")))
  }
  used <- lapply(fits, function(fit) unlist(lapply(fit$sample$groups, function(g) g$used)))
  common <- Reduce(intersect, used)
  if (length(common) == 0L) abort("input", text_of("there_is_no_row"))
  if (all(lengths(used) == length(common))) return(fits)
  say(text_of("fitted_to_common_rows", rows = format_count(length(common)),
              all = format_count(total[1L])))
  lapply(fits, function(fit) {
    refit_quietly(fit, list(omit_rows = setdiff(seq_len(total[1L]), common)))
  })
}

compare_fits <- function(fits, labels, against, verb, criteria = NULL, reference = FALSE) {
  criteria <- check_criteria(criteria)
  for (fit in fits) check_fit(fit, verb)
  if (length(fits) < 2L)
    abort("input",
          c(text_of("compares_least_two_fits", verb = verb), i = text_of("fit1_fit2", verb = verb)))
  check_string(against, "`against`")
  if (!against %in% c("previous", "first", labels)) {
    abort("input", c(text_of("there_is_no_model", against = quoted(against)),
                     did_you_mean(against, c("previous", "first", labels))))
  }
  if (against == "first") against <- labels[1L]
  size <- length(fits)
  other <- if (against == "previous") c(NA, seq_len(size - 1L)) else
    replace(rep(match(against, labels), size), match(against, labels), NA)
  pairs <- lapply(seq_len(size), function(k) {
    if (is.na(other[k])) NULL else compare_pair(fits[[k]],
    fits[[other[k]]], labels[k], labels[other[k]])
  })
  columns <- c(list(model = labels, n = vapply(fits, function(f) as.numeric(sample_n(f$sample)), 0),
                    status = vapply(fits, function(f) solution_state(f)$status, ""),
                    parameters = vapply(fits, n_free, 0)), stacked_measures(fits))
  shared <- vapply(pairs, function(pair) isTRUE(pair$same_data), NA)
  same_items <- vapply(pairs, function(pair) isTRUE(pair$same_items), NA)
  nested <- vapply(pairs, function(pair) pair$nested %||% NA_character_, "")
  for (name in c("chisq", "df", "cfi", "tli", "rmsea", "srmr", "aic", "bic")) {
    change <- columns[[name]] - columns[[name]][other]
    allowed <- if (name %in% c("chisq", "df")) shared &
      nested %in% c("yes", "same model") else shared
    columns[[paste0(name, "_change")]] <- ifelse(allowed, change, NA_real_)
  }
  scaled <- which(nested == "yes")
  columns$chisq_change[scaled] <- vapply(pairs[scaled], `[[`, 0, "chisq_change")
  columns$p_change <- vapply(pairs, function(pair) pair$p %||% NA_real_, 0)
  columns$against <- labels[other]
  columns$nested <- nested
  columns$verdict <- rule_difference(columns$p_change, columns$df_change,
                                     criteria$significance)
  columns$broken <- broken_by(columns, criteria)
  columns$akaike_weight <- akaike_weights(fits, columns$aic)
  for (name in vuong_columns)
    columns[[name]] <- vapply(pairs, function(pair) pair$vuong[[name]] %||% NA_real_, 0)
  columns$closer <- rule_closer(columns$distinguishable_p, columns$vuong_z_aic,
                                columns$vuong_p_aic, columns$vuong_z_bic, columns$vuong_p_bic,
                                criteria$significance)
  notes <- c(sample_lines(fits, labels), unlist(lapply(pairs, `[[`, "notes")),
             weight_note(fits, labels),
             if (any(!is.na(columns$chisq_change)))
               one_line(corrected_change_words(fits[[1L]]$request)))
  ordered <- c("model", "against", "n", "parameters", comparison_columns,
               paste0(comparison_columns, "_change"), "verdict", "broken", "status",
               "nested", "akaike_weight", vuong_columns, "closer",
               intersect(uncorrected_columns, names(columns)))
  columns <- columns[ordered]
  if (reference) columns <- with_references(columns, fits[[1L]])
  structure(list_frame_class(columns, c("orizzonte_comparison", "anova")),
            notes = unique(notes[nzchar(notes)]), same_items = all(same_items[!is.na(other)]),
            significance = criteria$significance)
}

# Rows of the saturated and of the baseline model: the best and the worst possible fit.
with_references <- function(columns, fit) {
  index <- indices_of(fit)
  moments <- layout_counts(fit$layout)$moments
  rows <- list(
    model = c("saturated model", "baseline model"), n = rep(columns$n[1L], 2L),
    parameters = c(moments, moments - index[["df_baseline"]]),
    chisq = c(0, index[["chisq_baseline"]]), df = c(0, index[["df_baseline"]]),
    p = c(NA, index[["p_baseline"]]), cfi = c(1, 0), tli = c(NA, 0), rmsea = c(NA, NA),
    srmr = c(0, NA), aic = c(index[["aic_saturated"]], index[["aic_baseline"]]),
    bic = c(index[["bic_saturated"]], index[["bic_baseline"]]), verdict = NA_character_,
    broken = c("", ""), status = rep("reference", 2L))
  lapply(stats::setNames(names(columns), names(columns)), function(name) {
    c(columns[[name]], rows[[name]] %||% rep(NA, 2L))
  })
}

# Why nothing can be compared, when two models are not about the same data.
incomparable_because <- function(fit, reference, both) {
  none <- text_of("neither_nor_aic_nor")
  only <- c(setdiff(fit$layout$observed, reference$layout$observed),
            setdiff(reference$layout$observed, fit$layout$observed))
  if (length(only)) {
    return(text_of("are_about_different_variables", both = both, only = enumerate(only),
                   none = none))
  }
  apart <- difference_of_rows(fit, reference)
  if (!is.null(apart)) {
    return(text_of("were_fitted_fit_both", both = both, apart = apart, none = none))
  }
  if (!same_inference(fit$request, reference$request)) {
    return(text_of("rest_different_inference_normal", both = both))
  }
  if (fit$layout$means != reference$layout$means) {
    text_of("only_one_has_means", both = both)
  }
}

same_inference <- function(one, other) {
  parts <- names(options_where(function(option) option$same_tests))
  is_robust(one) == is_robust(other) && identical(unclass(one)[parts], unclass(other)[parts])
}

# Facts about a pair of models, of which the first is compared with the second.
compare_pair <- function(fit, reference, label, other) {
  out <- list(same_data = FALSE, same_items = TRUE, nested = NA_character_, p = NA_real_,
              notes = character())
  note <- function(...) out$notes <<- c(out$notes, paste0(...))
  both <- text_of("two_of", apart = label, apart_2 = other)
  hindrance <- incomparable_because(fit, reference, both)
  if (!is.null(hindrance)) {
    out$same_items <- setequal(fit$layout$observed, reference$layout$observed)
    out$notes <- hindrance
    return(out)
  }
  out$same_data <- TRUE
  stuck <- c(label, other)[!c(has_converged(fit), has_converged(reference))]
  if (length(stuck)) {
    note(enumerate(stuck), if (length(stuck) == 1L) " has" else " have",
         text_of("not_converged_nothing_is"))
    out$same_data <- FALSE
    return(out)
  }
  swap <- stats::df.residual(fit) < stats::df.residual(reference)
  smaller <- if (swap) reference else fit
  larger <- if (swap) fit else reference
  names <- if (swap) c(other, label) else c(label, other)
  if (!is_nested(smaller, larger)) {
    out$nested <- "no"
    pressed <- c(active_bound_texts(fit), active_bound_texts(reference))
    if (length(pressed)) {
      note(text_of("not_nested_at_bound", smaller = names[1L], larger = names[2L],
                   bounds = enumerate(unique(pressed))))
      return(out)
    }
    out$vuong <- vuong_test(fit, reference)
    note(text_of(if (!is.null(out$vuong)) "not_nested" else
                   if (has_raw_data(fit$sample) && has_raw_data(reference$sample))
                     "not_nested_dependent" else "not_nested_without_cases",
                 smaller = names[1L], larger = names[2L]))
    return(out)
  }
  test <- difference_test(smaller, larger)
  pressed <- c(active_bound_texts(smaller), active_bound_texts(larger))
  if (test$df == 0 && length(pressed) == 0L) {
    out$nested <- "same model"
    note(text_of("same_model_in_other_words", both = both))
    return(out)
  }
  out$nested <- "yes"
  out$chisq_change <- if (swap) -test$chisq else test$chisq
  if (length(pressed)) note(text_of("difference_at_bound", both = both,
                                    bounds = enumerate(unique(pressed))))
  else out$p <- test$p
  if (isTRUE(test$chisq_normal < -1e-6)) {
    note(text_of("larger_fits_worse", larger = names[2L], smaller = names[1L]))
    out$p <- NA_real_
  }
  out
}

# Weights among the models that share data with most others; NA for the rest.
akaike_weights <- function(fits, aic) {
  among <- comparable_set(fits)
  out <- rep(NA_real_, length(fits))
  if (length(among) > 1L) {
    delta <- aic[among] - min(aic[among])
    out[among] <- exp(-delta / 2) / sum(exp(-delta / 2))
  }
  out
}

comparable_set <- function(fits) {
  comparable <- function(a, b) {
    setequal(a$layout$observed, b$layout$observed) && a$layout$means == b$layout$means &&
      same_rows(a, b) && has_converged(a) && has_converged(b)
  }
  alike <- vapply(fits, function(a) vapply(fits, comparable, NA, b = a), logical(length(fits)))
  which(alike[, which.max(colSums(alike))])
}

# States the treatment of incomplete cases and the inference, once when all models agree.
sample_lines <- function(fits, labels) {
  words <- function(fit, correction = TRUE) {
    one_line(c(if (is_incomplete(fit$sample)) paste0(sample_header(fit$sample), "."),
               format_inference(fit, correction)))
  }
  said <- vapply(fits, words, "")
  if (all(!nzchar(said))) return(NULL)
  alike <- vapply(fits, words, "", correction = FALSE)
  if (length(unique(alike)) == 1L) return(alike[1L])
  paste0(labels, ": ", said)[nzchar(said)]
}

weight_note <- function(fits, labels) {
  among <- comparable_set(fits)
  out <- setdiff(seq_along(fits), among)
  if (length(out) && length(among) > 1L)
    text_of("akaike_weights_leave_out", out = enumerate(labels[out]))
}

fit_labels <- function(expressions, fits) {
  given <- names(fits) %||% rep("", length(fits))
  labels <- vapply(expressions, deparse_one, "")
  long <- nchar(labels) > 30L
  labels[long] <- vapply(fits[long], function(f) {
    if (inherits(f, "orizzonte_fit"))
    f$request$blueprint$title else ""
  }, "")
  labels[nzchar(given)] <- given[nzchar(given)]
  make.unique(labels, sep = " ")
}

# The larger model, fitted to the moments that the smaller one implies, must reproduce them (Bentler
# & Satorra 2010): at the smaller one's solution, and at points near it that keep its equations and
# bounds, so that the result does not depend on one particular solution.
is_nested <- function(smaller, larger) {
  theta <- core_theta(smaller)
  spread <- sqrt(pmax(diag(core_vcov(smaller)), 0))
  points <- list(values_of(smaller))
  if (length(theta) > 0L && !anyNA(spread)) {
    # a parameter at an active bound has no standard error, but can move away from the bound
    spread <- pmax(spread, 0.05 * abs(theta))
    for (turn in 1:2) {
      moved <- core_restore(smaller$layout$model,
                            theta + 0.5 * spread * sin(turn * seq_along(theta)))
      if (length(moved) == 0L) next
      all <- theta_of(smaller)
      all[smaller$layout$model$used] <- moved
      points <- c(points, list(values_of(fit_at(smaller, all))))
    }
  }
  all(vapply(points, reproduces, NA, larger = larger, smaller = smaller))
}

reproduces <- function(eta, larger, smaller) {
  samples <- implied_samples(eta, larger, smaller)
  positive <- vapply(samples, function(s) smallest_eigenvalue(s$covariance) > 0, NA)
  # no admissible point: no result
  !all(positive) || !is.null(reproducing_theta(eta, larger, smaller, samples))
}

#' @export
print.orizzonte_comparison <- function(x, ...) {
  if (!all(c("model", comparison_columns, "p_change", "akaike_weight") %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  put_lines(format_comparison(x))
  invisible(x)
}

comparison_texts <- function(x) {
  count <- function(v) ifelse(is.na(v), "", format_count(v))
  several <- length(unique(x$n)) > 1L
  list(
    fit = c(list(model = x$model), if (several) list(n = count(x$n)),
            titled(list(
                 chisq = format_fixed(x$chisq, 2L), df = count(x$df), p = format_p(x$p),
                 CFI = format_share(x$cfi, 3L), TLI = format_share(x$tli, 3L),
                 RMSEA = format_share(x$rmsea, 3L), SRMR = format_share(x$srmr, 3L),
                 AIC = format_fixed(x$aic, 1L), BIC = format_fixed(x$bic, 1L),
                 `Akaike weight` = format_share(x$akaike_weight, 3L)))),
    changes = if (any(!is.na(x$against))) {
      x <- x[x$status != "reference", ]
      titled(list(
           model = x$model, against = ifelse(is.na(x$against), "", x$against),
           chisq_change = format_fixed(x$chisq_change, 2L),
           df_change = count(x$df_change), p = format_p(x$p_change),
           cfi_change = format_share(x$cfi_change, 3L),
           rmsea_change = format_share(x$rmsea_change, 3L),
           srmr_change = format_share(x$srmr_change, 3L),
           aic_change = format_fixed(x$aic_change, 1L),
           bic_change = format_fixed(x$bic_change, 1L),
           verdict = words_of("difference", x$verdict)))
    },
    notes = c(paste0(x$model, ": ", toupper(x$status),
                     ".")[!x$status %in% c("proper", "reference")],
              broken_sentences(x),
              attr(x, "notes")))
}

broken_sentences <- function(x) {
  vapply(which(nzchar(x$broken)), function(k) {
    text_of("breaks_criteria_change_against", model = x$model[k],
            broken = enumerate(words_of("change_of", codes_in(x$broken[k]))),
            against = x$against[k])
  }, "")
}

format_comparison <- function(x) {
  texts <- comparison_texts(x)
  c(heading(text_of("comparison_of_models")),
    format_table(texts$fit, c(FALSE, rep(TRUE, length(texts$fit) - 1L))),
    if (!is.null(texts$changes))
      c("", "Changes", format_table(texts$changes, seq_along(texts$changes) %in% 3:10,
                                    spare = unname(column_titles[c("bic_change", "aic_change")]))),
    if (length(texts$notes)) c("", wrap_lines(paste0("- ", texts$notes), 2L, 4L)), "",
    wrap_lines(c(pair_sentences(x), comparison_reading(x))),
    next_step("see_estimates_differ"))
}

# One sentence for each test.
pair_sentences <- function(x) {
  level <- attr(x, "significance") %||% 0.05
  unlist(lapply(which(!is.na(x$against)), function(k) {
    both <- text_of("against", model = x$model[k], against = x$against[k])
    if (!is.na(x$p_change[k])) {
      freer <- x$df_change[k] < 0
      return(text_of("by_p", both = both, df_change = count_of(abs(x$df_change[k]), "parameter"),
                     freer = if (freer) " more" else " fewer",
                     freer_2 = if (freer) "falls" else "rises",
                     chisq_change = format_fixed(abs(x$chisq_change[k]), 2L),
                     p_change = p_clause(x$p_change[k]),
                     verdict = words_of("difference", x$verdict[k])))
    }
    if (is.null(x$closer) || is.na(x$closer[k])) return(NULL)
    if (x$distinguishable_p[k] >= level) {
      return(text_of("these_data_cannot_tell", both = both,
                     distinguishable_p = p_clause(x$distinguishable_p[k])))
    }
    z <- function(name) format_fixed(x[[paste0("vuong_z", name)]][k], 2L)
    half <- stats::qnorm(0.975) * x$aic_difference_se[k]
    c(text_of("vuong_statistics", both = both, z_aic = z("_aic"), p = p_clause(x$vuong_p_aic[k]),
              z = z(""), z_bic = z("_bic"), verdict = text_of(
                paste0("closer_", x$closer[k]), this = x$model[k], other = x$against[k])),
      text_of("aic_differs_by", difference = format_fixed(x$aic_difference[k], 1L),
              lower = format_fixed(x$aic_difference[k] - half, 1L),
              upper = format_fixed(x$aic_difference[k] + half, 1L)))
  }))
}

# The smallest AIC and BIC, in words.
comparison_reading <- function(x) {
  among <- which(!is.na(x$akaike_weight))
  if (length(among) < 2L)
    return(text_of("these_models_cannot_be"))
  if (diff(range(x$aic[among])) < 1e-4 &&
      diff(range(x$bic[among])) < 1e-4) return(text_of("all_fit_alike"))
  best <- x$model[among][which.min(x$aic[among])]
  thrifty <- x$model[among][which.min(x$bic[among])]
  paste0(if (best == thrifty) text_of("aic_bic_favour", best = best) else text_of("aic_favours_bic",
      best = best, thrifty = thrifty),
         ".")
}

#' @rdname compare_models
#' @param object A fit from [fit_model()].
#' @importFrom stats anova
#' @export
anova.orizzonte_fit <- function(object, ...) {
  lapply(list(object, ...), check_fit, reader = "anova")
  labels <- fit_labels(as.list(substitute(list(object, ...)))[-1L], list(object, ...))
  compare_fits(list(object, ...), labels, "previous", "anova")
}

# Vuong's (1989) tests of two models that are not nested, from casewise log-likelihoods.

# Whether the two models can be distinguished (the variance of the casewise log-likelihood ratios is
# zero when they cannot: then n times it is a weighted sum of chi-squares, Theorem 4.1), and which
# is closer to the truth (the mean ratio over its standard error, Theorem 5.1). NULL unless cases
# are independent and equally weighted.
vuong_test <- function(fit, other) {
  usable <- vapply(list(fit, other), function(one) {
    has_raw_data(one$sample) && !is_weighted(one$sample) && is.na(count_clusters(one$sample))
  }, NA)
  if (!all(usable)) return(NULL)
  one <- casewise_fit(fit)
  two <- casewise_fit(other)
  ratio <- one$loglik - two$loglik
  n <- length(ratio)
  variance <- mean((ratio - mean(ratio))^2)
  weights <- Re(eigen(vuong_matrix(one, two, n), only.values = TRUE)$values)^2
  distinguishable <- weighted_chisq_p(n * variance, weights)
  # corrections for the number of parameters (section 5 of Vuong 1989): as in AIC and in BIC
  more <- n_free(joint_fit(fit)) - n_free(joint_fit(other))
  z <- (sum(ratio) - more * c(0, 1, log(n) / 2)) / sqrt(n * variance)
  p <- 2 * stats::pnorm(-abs(z))
  list(distinguishable_p = distinguishable, vuong_z = z[1L], vuong_p = p[1L], vuong_z_aic = z[2L],
       vuong_p_aic = p[2L], vuong_z_bic = z[3L], vuong_p_bic = p[3L],
       aic_difference = -2 * (sum(ratio) - more), aic_difference_se = 2 * sqrt(n * variance))
}

vuong_columns <- c("distinguishable_p", "vuong_z", "vuong_p", "vuong_z_aic", "vuong_p_aic",
                   "vuong_z_bic", "vuong_p_bic", "aic_difference", "aic_difference_se")

# W of Vuong's equation 3.6: A the mean Hessian, B the mean product of the scores.
vuong_matrix <- function(one, two, n) {
  b_one <- crossprod(one$scores) / n
  b_two <- crossprod(two$scores) / n
  b_both <- crossprod(one$scores, two$scores) / n
  a_one <- -one$bread
  a_two <- -two$bread
  rbind(cbind(-b_one %*% a_one, -b_both %*% a_two), cbind(t(b_both) %*% a_one, b_two %*% a_two))
}

# Log-likelihood and score of each case used, cases in the order of the data; the bread n H^-1, H
# the observed information (with equations: within them).
casewise_fit <- function(fit) {
  fit <- joint_fit(fit)
  cases <- core_cases(fit)
  matrices <- matrices_of(fit)
  loglik <- Map(function(own, at, moments) {
    o <- seq_len(ncol(own$values))
    case_loglik(own$values, at$covariance[o, o, drop = FALSE],
                if (fit$layout$means) at$mean[o] else moments$mean)
  }, cases, unname(matrices), core_moments(fit))
  scores <- core_case_scores(full_model(fit$layout), core_moments(fit), theta_of(fit), cases)
  rows <- unlist(lapply(fit$sample$groups, function(group) group$used))
  order <- order(rows)
  list(loglik = unlist(loglik)[order], scores = do.call(rbind, scores)[order, , drop = FALSE],
       bread = length(rows) * observed_vcov(fit))
}

observed_vcov <- function(fit) {
  if (length(fit$layout$constraints)) return(vcov_of(fit))
  at <- core_evaluate(full_model(fit$layout), core_moments(fit), theta_of(fit))
  solve_in_units(at$observed, diag(nrow(at$observed)))
}

# The log-density of the observed values of each case.
case_loglik <- function(x, sigma, mean) {
  out <- numeric(nrow(x))
  for (rows in rows_by_pattern(x)) {
    v <- which(!is.na(x[rows[1L], ]))
    own <- sigma[v, v, drop = FALSE]
    e <- x[rows, v, drop = FALSE] - rep(mean[v], each = length(rows))
    out[rows] <- -(length(v) * log(2 * pi) + log_determinant(own) +
                     rowSums(e * t(solve_in_units(own, t(e))))) / 2
  }
  out
}

# P(sum of weights times chi-squares of one degree of freedom > q), by Imhof's (1961) integral. The
# period of its integrand converges: panels of half a period alternate in sign, and repeated means
# of their partial sums converge quickly (Euler's transformation).
weighted_chisq_p <- function(q, weights) {
  weights <- weights[weights > 1e-10 * max(weights, 0)]
  if (length(weights) == 0L || q <= 0) return(1)
  q <- q / sum(weights)
  weights <- weights / sum(weights)
  integrand <- function(u) {
    angles <- outer(u, weights)
    theta <- rowSums(atan(angles)) / 2 - q * u / 2
    sin(theta) / (u * exp(rowSums(log1p(angles^2)) / 4))
  }
  half_period <- 2 * pi / q
  count <- min(2000, max(60, ceiling(20 / max(weights) / half_period)))
  nodes <- panel_nodes
  at <- outer(nodes$x, half_period * (seq_len(count) - 0.5), function(x, m) m + half_period / 2 * x)
  panels <- colSums(matrix(integrand(c(at)), nrow(at)) * nodes$w) * half_period / 2
  sums <- utils::tail(cumsum(panels), 31L)
  while (length(sums) > 1L) sums <- (sums[-1L] + sums[-length(sums)]) / 2
  min(1, max(0, 0.5 + sums / pi))
}

# Gauss-Legendre nodes and weights on (-1, 1), from the eigenvalues of the Jacobi matrix (Golub &
# Welsch, 1969).
gauss_legendre <- function(count) {
  k <- seq_len(count - 1L)
  beside <- k / sqrt(4 * k^2 - 1)
  jacobi <- matrix(0, count, count)
  jacobi[cbind(k, k + 1L)] <- jacobi[cbind(k + 1L, k)] <- beside
  found <- eigen(jacobi, symmetric = TRUE)
  list(x = found$values, w = 2 * found$vectors[1L, ]^2)
}
panel_nodes <- gauss_legendre(24L)
