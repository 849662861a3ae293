#' Methods and results in words
#'
#' A passage for a manuscript in plain words, made from what was actually done: the model, the
#' estimator, the cases and what is missing, fit with its cut-offs, measures, effects, claims with
#' *p* adjusted for their number, changes with their reasons, rungs, releases, means. Every number
#' comes from the object.
#'
#' @param x A fit from [fit_model()], a ladder from [invariance()] or [loosen()], what
#'   [compare_models()], [construct_quality()] or [bootstrap_fit()] returned, or a named list of
#'   these.
#' @param criteria Cut-offs, from [criteria()].
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object of class `orizzonte_text`: a list with `paragraphs` (a character vector) and
#'   `references` (what they cite). Printing it shows both; `as.character()` gives the paragraphs.
#' @section Errors: `orizzonte_error_input` when `x` is nothing of the kind.
#' @references Holm, S. (1979). A simple sequentially rejective multiple test procedure.
#'   *Scandinavian Journal of Statistics, 6*(2), 65--70.
#' @seealso [write_report()], which contains it.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   effect(Calm ~ Belonging)
#' methods_text(suppressMessages(fit_model(bp, choirs)))
#' @export
methods_text <- function(x, criteria = NULL, ...) {
  check_arguments("methods_text")
  criteria <- check_criteria(criteria)
  found <- collect_references(methods_paragraphs(x, criteria))
  paragraphs <- found$value
  if (is.null(paragraphs))
    abort("input", c(text_of("methods_text_needs_fit"),
                     x = describe_part(x, function(part) {
                       !is.null(methods_paragraphs(part, criteria))
                     }),
                     i = text_of("fits_ladders_comparisons_qualities")))
  structure(list(paragraphs = paragraphs, references = found$references),
            class = "orizzonte_text")
}

#' @export
as.character.orizzonte_text <- function(x, ...) x$paragraphs

#' @export
print.orizzonte_text <- function(x, ...) {
  put_lines(heading(text_of("methods_and_results")))
  for (paragraph in x$paragraphs) put_lines(wrap_lines(paragraph), "")
  if (length(x$references))
    put_lines("References", wrap_lines(paste0("- ", x$references), 0L, 2L))
  invisible(x)
}

# NULL when there is no text for it.
methods_paragraphs <- function(x, criteria) {
  if (inherits(x, "orizzonte_fit")) return(fit_paragraphs(check_fit(x, "methods_text"), criteria))
  if (is_ladder(x)) {
    check_ladder(x, "methods_text")
    return(ladder_paragraphs(x, criteria))
  }
  if (inherits(x, "orizzonte_comparison")) return(comparison_paragraphs(x))
  if (inherits(x, "orizzonte_quality")) return(quality_paragraphs(x))
  if (inherits(x, "orizzonte_bootstrap")) return(bootstrap_paragraphs(x))
  if (!is.list(x) || is.data.frame(x) || is.object(x) || length(x) == 0L) return(NULL)
  parts <- lapply(unname(x), methods_paragraphs, criteria = criteria)
  if (any(vapply(parts, is.null, NA))) return(NULL)
  unlist(parts)
}

# --- a fit ---------------------------------------------------------------------------------------

fit_paragraphs <- function(fit, criteria) {
  said <- c(paste(model_sentence(fit), estimation_sentences(fit)), trouble_sentence(fit))
  if (!has_converged(fit)) return(said)
  if (length(trouble_sentence(fit)))
    return(c(said, fit_sentence(fit, criteria), trail_sentences(fit)))
  c(said, paste(c(fit_sentence(fit, criteria), trail_sentences(fit)), collapse = " "),
    loading_sentence(fit), effect_sentences(fit), claim_paragraph(fit, criteria))
}

model_sentence <- function(fit) {
  layout <- fit$layout
  own <- setdiff(layout$constructs, layout$composites)
  what <- c(
    if (length(own)) paste0(count_of(length(own), "construct"), " (", enumerate(own, most = 12L),
                            ")"),
    if (length(layout$composites))
      paste0(count_of(length(layout$composites), "composite"), " (",
             enumerate(layout$composites, most = 12L), ")"))
  of <- if (length(what)) text_of("with_what", what = enumerate(what)) else ""
  df <- format_count(test_of(fit)$df)
  text_of("model_was_fitted_has", title = quoted(fit$request$blueprint$title), of = of,
          observed = count_of(length(layout$observed), "observed variable"),
          sample = cases_text(fit$sample), fit = count_of(n_free(fit), "free parameter"), df = df,
          df_2 = if (df == "1") " degree" else " degrees")
}

estimation_sentences <- function(fit) {
  request <- fit$request
  sample <- fit$sample
  auxiliary <- auxiliary_variables(sample)
  paste(c(
    text_of("estimates_are_those_maximum", version = fit$version),
    if (is_incomplete(sample))
      text_of("cases_had_missing_values", sample = format_count(total_of(sample, "with_missing")),
              cite = cite("Arbuckle 1996")),
    if (length(auxiliary))
      text_of("auxiliary_variables_outside_model", auxiliary = enumerate(auxiliary),
              cite = cite("Graham 2003")),
    if (is_robust(request)) robust_sentence(fit) else
      if (!is_incomplete(sample)) text_of("standard_errors_tests_suppose_normality"),
    held_sentence(fit)), collapse = " ")
}

robust_sentence <- function(fit) {
  by <- if (is.na(count_clusters(fit$sample))) "" else
    text_of("by_clusters_of", sample = count_clusters(fit$sample), clusters = fit$sample$clusters)
  text_of("standard_errors_are_robust", cite = cite("White 1982"), by = by,
          sample = cite(if (is_incomplete(fit$sample)) "Yuan & Bentler 2000" else
           "Satorra & Bentler 1994"))
}

held_sentence <- function(fit) {
  rows <- fit$layout$rows
  bp <- fit$request$blueprint
  said <- c(if (any(rows$over_groups)) text_of("across_groups",
                                               hold_equal = enumerate(bp$hold_equal)),
            if (any(rows$over_times)) text_of("over_times",
                                              hold_equal_times = enumerate(bp$hold_equal_times)))
  if (length(said)) text_of("held_equal", said = paste(said, collapse = "; "))
}

trouble_sentence <- function(fit) {
  state <- solution_state(fit)
  if (state$status == "not converged")
    return(text_of("model_did_not_converge", trouble = state$trouble))
  if (state$status == "improper")
    text_of("solution_is_improper_estimates", trouble = state$trouble)
}

# chi2(df) = ..., with the cut-offs that are met.
fit_sentence <- function(fit, criteria) {
  table <- fit_indices(fit, criteria)
  value <- stats::setNames(table$value, table$index)
  at <- match("rmsea", table$index)
  if (value[["df"]] == 0)
    return(text_of("model_is_saturated_fit"))
  limits <- if (!is.na(table$lower[at]))
    text_of("n90_interval", at = format_share(table$lower[at], 3L),
            at_2 = format_share(table$upper[at], 3L))
  worst <- rule_worst_index(table$verdict[table$index %in% judged_indices])
  text_of("model_fitted_indices_cfi",
          worst = if (is.na(worst)) "as follows" else words_of("fitted", worst),
          value = paste0(chisq_text(value[["chisq"]], value[["df"]], value[["p"]]),
                         corrected_p_clause(value)),
          value_2 = format_share(value[["cfi"]], 3L), value_3 = format_share(value[["tli"]], 3L),
          value_4 = format_share(value[["rmsea"]], 3L), limits = limits,
          value_5 = format_share(value[["srmr"]], 3L), cfi = short_number(criteria$cfi[1L]),
          rmsea = short_number(criteria$rmsea[1L]), srmr = short_number(criteria$srmr[1L]),
          cite = cite("Hu & Bentler 1999"),
          sample = if (is_incomplete(fit$sample)) text_of("cfi_tli_rmsea_allow",
              cite = cite("Zhang & Savalei 2023")))
}

# The p value corrected for the sample size, where it differs visibly.
corrected_p_clause <- function(value) {
  p <- value[c("p_swain", "p")]
  if (anyNA(p) || format_p(p[[1L]]) == format_p(p[[2L]])) return(NULL)
  text_of("p_corrected_for_sample_size", p = p_clause(p[[1L]]), cite = cite("Swain 1975"))
}

loading_sentence <- function(fit) {
  layout <- fit$layout
  at <- which(layout$rows$kind == "loading" & !layout$rows$second %in% layout$constructs)
  if (length(at) == 0L) return(NULL)
  size <- abs(standardized_of(fit)$value[at])
  named <- function(k) {
    paste0(format_share(size[k]), " (", layout$rows$second[at][k],
           bracketed_group(layout, layout$rows$group[at][k]), ")")
  }
  text_of("standardized_loadings_range_size", size = named(which.min(size)),
          size_2 = named(which.max(size)))
}

bracketed_group <- function(layout, group) {
  shown <- shown_group(layout, group)
  if (is.na(shown)) "" else text_of("blueprint_in", where = shown)
}

# Every effect with its error and p, and what is explained of its outcome.
effect_sentences <- function(fit) {
  table <- estimates(fit)
  table <- table[table$kind == "effect" & !is.na(table$p), ]
  if (nrow(table) == 0L) return(NULL)
  shown <- utils::head(order(table$p), most_effects)
  shown <- sort(shown)
  each <- vapply(shown, function(k) {
    text_of("estimate_in_brackets", parameter = table$parameter[k],
            estimate = format_number(table$estimate[k]), se = format_number(table$se[k]),
            value = p_clause(table$p[k]), standardized = format_share(table$standardized[k]))
  }, "")
  explained <- r_squared(fit)
  explained <- explained[explained$kind != "item" & explained$variable %in%
                           fit$layout$rows$second[fit$layout$rows$kind == "effect"], ]
  r2 <- if (nrow(explained))
    text_of("explained_variance", r_squared = enumerate(paste0(
      explained$variable, ifelse(is.na(explained$group), "", text_of("blueprint_in",
          where = explained$group)),
      " R\u00b2 = ", format_share(explained$r_squared)), most = 20L))
  paste0("Effects: ", enumerate(each, most = most_effects), ".",
         if (nrow(table) > most_effects)
           text_of("effects_these_have_smallest", table = nrow(table)), r2)
}

most_effects <- 20L

claim_paragraph <- function(fit, criteria) {
  if (length(fit$request$blueprint$claims) == 0L) return(NULL)
  x <- verdicts(fit, criteria)
  p <- ifelse(is.na(x$p_one_sided), x$p, x$p_one_sided)
  holm <- claims_holm(x)
  each <- paste0(x$claim, " (", x$statement, ") ", words_of("claim_was", x$verdict), " (estimate ",
                 format_number(x$estimate), ifelse(is.na(p), "", paste0(", p ", p_clause(p))),
                 ifelse(is.na(holm) | nrow(x) < 2L, "",
                        text_of("after_holm_p", holm = p_clause(holm))),
                 ")")
  text_of("of_the_expectations", each = enumerate(each, most = 20L),
          value = if (nrow(x) > 1L) text_of("p_is_adjusted_claims", value = sum(!is.na(p)),
                                            cite = cite("Holm 1979")))
}

# p of a family of claims, adjusted for their number.
claims_holm <- function(x) {
  stats::p.adjust(ifelse(is.na(x$p_one_sided), x$p, x$p_one_sided), "holm")
}

# The modifications with their reasons and effects on fit.
trail_sentences <- function(fit) {
  if (length(fit$request$blueprint$trail) == 0L) return(NULL)
  steps <- trail(fit)
  steps <- steps[steps$revision > 0, ]
  if (nrow(steps) == 0L) return(NULL)
  drop <- steps$actual_drop
  each <- paste0(steps$change, ifelse(nzchar(steps$because), text_of("because",
      because = steps$because),
                                      text_of("without_reason_given")),
                 ifelse(is.na(drop), "", text_of("fell_by", drop = format_fixed(drop, 2L))))
  often <- if (nrow(steps) == 1L) "once" else paste(nrow(steps), "times")
  text_of("model_was_changed_after_looking", often = often, each = enumerate(each, most = 20L))
}

# Methods texts of ladders, comparisons, measures and bootstraps.

ladder_paragraphs <- function(x, criteria) {
  loosened <- if (inherits(x, "orizzonte_loosened")) x
  ladder <- if (is.null(loosened)) x else loosened$ladder
  first <- ladder$fits[[1L]]
  over <- c(groups = "groups", times = "times", both = "groups and times")[[ladder$over]]
  limits <- one_line(ladder_limits(ladder))
  if (nzchar(limits)) cite("Cheung & Rensvold 2002", "Chen 2007")
  c(text_of("invariance_over_was_tested", over = over,
            cite = cite("J\u00f6reskog 1971", "Meredith 1993"), title = quoted(ladder$title),
            sample = cases_text(first$sample), first = estimation_sentences(first),
            limits = limits),
    paste(vapply(seq_len(nrow(ladder$table)), rung_text, "", ladder = ladder), collapse = " "),
    release_text(ladder, loosened), paste(ladder$reading, collapse = " "),
    mean_text(ladder))
}

rung_text <- function(k, ladder) {
  t <- ladder$table
  if (t$status[k] == "not converged") return(text_of("not_converged_at_rung", rung = t$rung[k]))
  own <- paste0(chisq_text(t$chisq[k], t$df[k], t$p[k]), ", CFI = ", format_share(t$cfi[k], 3L),
                ", RMSEA = ", format_share(t$rmsea[k], 3L), ", SRMR = ",
                format_share(t$srmr[k], 3L))
  against <- if (!is.na(t$chisq_change[k]))
    text_of("against_cfi_rmsea_srmr", against = t$against[k],
            p_change = chisq_text(t$chisq_change[k], t$df_change[k], t$p_change[k],
                                  "\u0394\u03c7\u00b2"),
            cfi_change = format_share(t$cfi_change[k], 3L),
            rmsea_change = format_share(t$rmsea_change[k], 3L),
            srmr_change = format_share(t$srmr_change[k], 3L))
  verdict <- if (!is.na(t$verdict[k])) paste0(" (", ladder_verdicts(t[k, ]), ")")
  paste0(t$rung[k], ": ", own, against, verdict, ".")
}

# Releases with the p of what each gained, adjusted for their number.
release_text <- function(ladder, loosened) {
  if (is.null(loosened)) return(NULL)
  r <- loosened$released
  if (nrow(r) == 0L) return(text_of("nothing_was_released_rung", rung = loosened$rung))
  p <- difference_p(r$actual_drop, 1)
  holm <- stats::p.adjust(p, "holm")
  each <- paste0(r$parameter, ifelse(is.na(p), text_of("along_with_it"), text_of("fell_p",
      actual_drop = format_fixed(r$actual_drop, 2L), value = p_clause(p),
      value_2 = if (sum(!is.na(p)) > 1L) text_of("after_holm_p", holm = p_clause(holm)))))
  text_of("rung_were_released_one", rung = loosened$rung, each = enumerate(each, most = 20L),
          value = if (sum(!is.na(p)) > 1L) paste0(" (", cite("Holm 1979"), ".)"),
          loosened = loosened_reading(loosened))
}

mean_text <- function(ladder) {
  scalar <- comparable_rung(ladder)
  if (is.null(scalar)) return(NULL)
  means <- latent_means(ladder, rung = scalar)
  if (!is.null(attr(means, "caveat")))
    return(text_of("means_constructs_are_not", scalar = one_line(caveat_reason(ladder, scalar))))
  each <- text_of("se_p_standardized", construct = means$construct,
                  group = ifelse(is.na(means$group), "",
                                 text_of("blueprint_in", where = means$group)),
                  difference = format_number(means$difference), se = format_number(means$se),
                  value = p_clause(means$p), standardized = format_share(means$standardized))
  text_of("differences_means", means = compared_words(means), each = enumerate(each, most = 30L),
          cite = cite("S\u00f6rbom 1974"))
}

comparison_paragraphs <- function(x) {
  own <- paste0(x$model, ": ", vapply(seq_len(nrow(x)), function(k) {
    chisq_text(x$chisq[k], x$df[k], x$p[k])
  }, ""), ", CFI = ", format_share(x$cfi, 3L), ", RMSEA = ", format_share(x$rmsea, 3L),
  ", AIC = ", format_fixed(x$aic, 1L), ", BIC = ", format_fixed(x$bic, 1L), ".")
  c(text_of("models_compared", own = paste(own, collapse = " ")),
    paste(c(pair_sentences(x), comparison_reading(x)), collapse = " "))
}

quality_paragraphs <- function(x) {
  t <- x$table
  name <- paste0(t$construct, ifelse(is.na(t$group), "", text_of("blueprint_in", where = t$group)))
  level <- format(100 * x$asked$level)
  each <- text_of("omega_ave", name = name, omega = format_share(t$omega),
                  omega_upper = ifelse(is.na(t$omega_lower), "",
                        paste0(" ", format_limits(t$omega_lower, t$omega_upper))),
                  alpha = ifelse(is.na(t$alpha), "",
                                 text_of("alpha", alpha = format_share(t$alpha))),
                  ave = format_share(t$ave))
  short <- quality_sentences(x)
  c(text_of("reliability_validity_measures_intervals", level = level,
            cite = cite("McDonald 1999", "Cronbach 1951", "Fornell & Larcker 1981"),
            each = paste(each, collapse = "; ")),
    if (!is.null(x$pairs) && any(!is.na(x$pairs$htmt)))
      text_of("largest_ratio_correlations_between", pairs = largest_ratio(x$pairs),
              cite = cite("Henseler et al. 2015")),
    if (length(short)) paste(short, collapse = " ") else
      text_of("no_construct_falls_short"))
}

largest_ratio <- function(pairs) {
  k <- which.max(pairs$htmt)
  unknown <- sum(is.na(pairs$htmt))
  text_of("htmt_of_pair", unknown = if (unknown) text_of("htmt_unknown", count = unknown),
          htmt = format_share(pairs$htmt[k]), first = pairs$first[k],
          second = pairs$second[k],
          group = if (!is.na(pairs$group[k])) text_of("blueprint_in", where = pairs$group[k]))
}

bootstrap_paragraphs <- function(x) {
  table <- bootstrap_table(x)
  table <- table[!is.na(table$lower), ]
  kind <- sub("[[(].*", "", table$parameter)
  told <- !kind %in% c("variance", "covariance", "intercept", "standardized")
  if (any(told)) table <- table[told, ]
  each <- paste0(table$parameter, " = ", format_number(table$estimate), " ",
                 interval_text(table$lower, table$upper))
  c(paste0(paste(bootstrap_words(x), collapse = " "),
           if (x$asked$interval == "bca") paste0(" (", cite("Efron 1987"), ".)")),
    paste0("Intervals: ", enumerate(each, most = 40L), "."))
}
