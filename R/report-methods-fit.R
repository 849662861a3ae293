# The methods and results passage of a fit.

fit_paragraphs <- function(fit, criteria) {
  said <- c(paste(model_sentence(fit), estimation_sentences(fit)), trouble_sentence(fit))
  if (!has_converged(fit)) return(said)
  if (length(trouble_sentence(fit)))
    return(c(said, fit_sentence(fit, criteria), trail_sentences(fit)))
  c(said, paste(c(fit_sentence(fit, criteria), trail_sentences(fit)), collapse = " "),
    loading_sentence(fit), effect_sentences(fit), claim_paragraph(fit, criteria),
    if (!is.null(equivalent_of(fit))) equivalent_sentence(equivalent_of(fit)))
}

model_sentence <- function(fit) {
  layout <- fit$layout
  own <- setdiff(layout$constructs, layout$composites)
  what <- c(
    if (length(own)) paste0(count_of(length(own), "construct"), " (", enumerate(own, most = 12L),
                            ")"),
    if (length(layout$composites))
      paste0(count_of(length(layout$composites), "composite"), " (",
             enumerate(layout$composites, most = 12L), ")"),
    count_of(length(layout$observed), "observed variable"))
  df <- format_count(test_of(fit)$df)
  text_of("model_was_fitted_has", title = quoted(fit$request$blueprint$title),
          what = enumerate(what),
          sample = cases_text(fit$sample), fit = count_of(n_free(fit), "free parameter"), df = df,
          df_2 = if (df == "1") " degree" else " degrees")
}

estimation_sentences <- function(fit) {
  request <- fit$request
  sample <- fit$sample
  auxiliary <- auxiliary_variables(sample)
  paste(c(
    text_of(if (is_incomplete(sample)) "estimates_are_those_of_fiml" else
      "estimates_are_those_maximum", version = fit$version),
    if (is_incomplete(sample)) missing_sentence_of(fit) else deletion_sentence(sample),
    if (length(auxiliary))
      text_of("auxiliary_variables_outside_model", auxiliary = enumerate(auxiliary),
              count = length(auxiliary), cite = cite("Graham 2003")),
    if (is_robust(request)) robust_sentence(fit) else
      if (!is_incomplete(sample)) text_of("standard_errors_tests_suppose_normality"),
    held_sentence(fit)), collapse = " ")
}

# How many cases and values were missing, how they were coded, and the assumptions of FIML.
missing_sentence_of <- function(fit) {
  sample <- fit$sample
  incomplete <- total_of(sample, "with_missing")
  total <- sum(cases_by_group(sample))
  codes <- fit$request$missing_codes
  percent <- function(part) paste0(format_fixed(100 * part, 1L), "%")
  text_of(if (is_robust(fit$request)) "cases_had_missing_values_robust" else
    "cases_had_missing_values", sample = format_count(incomplete), total = format_count(total),
          share = percent(incomplete / total),
          cells = percent(share_of_missing_values(fit)),
          codes = if (length(codes)) text_of("codes_were_missing", codes = enumerate(codes)),
          cite = cite("Arbuckle 1996"))
}

# Incomplete cases that were left out; NULL where there were none.
deletion_sentence <- function(sample) {
  excluded <- sum(vapply(sample$groups, function(group) {
    length(group$rows) - length(group$used)
  }, 0))
  if (excluded > 0)
    text_of("cases_were_excluded", cases = count_of(excluded, "incomplete case"),
            count = excluded)
}

# The proportion of missing values among all values of the observed variables.
share_of_missing_values <- function(fit) {
  observed <- fit$layout$observed
  blocks <- unlist(lapply(fit$sample$groups, `[[`, "patterns"), recursive = FALSE)
  seen <- vapply(blocks, function(block) block$n * sum(block$variables %in% observed), 0)
  1 - sum(seen) / (sum(cases_by_group(fit$sample)) * length(observed))
}

robust_sentence <- function(fit) {
  by <- if (is.na(count_clusters(fit$sample))) "" else
    text_of("by_clusters_of", sample = count_clusters(fit$sample), clusters = fit$sample$clusters)
  text_of("standard_errors_are_robust", cite = cite("White 1982"), by = by,
          factor = scaling_clause(fit),
          sample = cite(if (is_incomplete(fit$sample)) "Yuan & Bentler 2000" else
           "Satorra & Bentler 1994"))
}

scaling_clause <- function(fit) {
  if (!has_converged(fit)) return(NULL)
  factor <- test_of(fit)$inflation
  if (is.finite(factor)) text_of("scaling_factor_was", factor = format_fixed(factor))
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
  if (is.na(shown)) "" else text_of("in_the_group", where = shown)
}

# Direct effects among the variables, indirect effects with their intervals, and the explained
# variance.
effect_sentences <- function(fit) {
  table <- effects(fit, level = text_level)
  direct <- table[table$kind == "direct" & !is.na(table$p), ]
  indirect <- table[table$kind == "indirect" & !is.na(table$p), ]
  if (nrow(direct) == 0L) return(NULL)
  explained <- r_squared(fit)
  explained <- explained[explained$kind != "item" & explained$variable %in%
                           fit$layout$rows$second[fit$layout$rows$kind == "effect"], ]
  r2 <- if (nrow(explained))
    text_of("explained_variance", r_squared = enumerate(paste0(
      "R\u00b2 = ", format_share(explained$r_squared), " for ", explained$variable,
      ifelse(is.na(explained$group), "", text_of("in_the_group", where = explained$group))),
      most = 20L))
  paste(c(effects_in_words(direct, "direct"), effects_in_words(indirect, "indirect"), r2),
        collapse = " ")
}

effects_in_words <- function(table, kind) {
  if (nrow(table) == 0L) return(NULL)
  shown <- sort(utils::head(order(table$p), most_effects))
  said <- vapply(shown, function(k) {
    group <- parse_address(table$parameter[k])$group
    text_of(if (kind == "direct") "predicted_in_words" else "indirect_in_words",
            from = table$from[k], to = table$to[k],
            group = if (!is.null(group)) text_of("in_the_group", where = group),
            estimate = format_number(table$estimate[k]), se = format_number(table$se[k]),
            level = 100 * text_level, interval = interval_text(table$lower[k], table$upper[k]),
            value = p_clause(table$p[k]), standardized = format_share(table$standardized[k]))
  }, "")
  c(said, if (nrow(table) > most_effects)
    text_of("effects_these_have_smallest", table = nrow(table), kind = kind))
}

most_effects <- 20L
text_level <- 0.95

claim_paragraph <- function(fit, criteria) {
  if (length(fit$request$blueprint$claims) == 0L) return(NULL)
  x <- verdicts(fit, criteria)
  p <- x$p_deciding
  holm <- x$p_adjusted
  each <- vapply(seq_len(nrow(x)), function(k) {
    numbers <- c(paste("estimate", format_number(x$estimate[k])),
                 if (!is.na(p[k])) paste("p", p_clause(p[k])),
                 if (!is.na(holm[k]) && nrow(x) > 1L)
                   text_of("holm_adjusted_p", holm = p_clause(holm[k])))
    text_of("hypothesis_in_words", claim = x$claim[k],
            statement = addresses_in_words(x$statement[k], fit$layout$observed),
            verdict = words_of("claim_was", x$verdict[k]),
            numbers = paste(numbers, collapse = ", "))
  }, "")
  text_of("of_the_expectations", each = paste(each, collapse = " "),
          value = if (nrow(x) > 1L) text_of("p_is_adjusted_claims", value = sum(!is.na(p)),
                                            cite = cite("Holm 1979")))
}

# The modifications with their reasons and effects on fit.
trail_sentences <- function(fit) {
  if (length(fit$request$blueprint$trail) == 0L) return(NULL)
  steps <- trail(fit)
  steps <- steps[steps$revision > 0, ]
  if (nrow(steps) == 0L) return(NULL)
  revisions <- fit$request$blueprint$trail$revisions
  at <- match(steps$revision, revisions$revision)
  each <- vapply(seq_len(nrow(steps)), function(k) {
    because <- if (nzchar(steps$because[k])) text_of("because", because = steps$because[k]) else
      text_of("without_reason_given")
    drop <- if (!is.na(steps$actual_drop[k]))
      text_of("fell_by", df = format_count(abs(steps$df_change[k])),
              drop = format_fixed(abs(steps$actual_drop[k]), 2L), p = p_clause(steps$p_change[k]))
    changes <- if (is.na(at[k])) list(list(what = "outside")) else revisions$changes[[at[k]]]
    last <- seq_along(changes) == length(changes)
    enumerate(vapply(seq_along(changes), function(i) {
      change_in_words(changes[[i]], fit$layout$observed, if (last[i]) because,
                      if (last[i]) drop)
    }, ""))
  }, "")
  often <- if (nrow(steps) == 1L) text_of("one_modification") else
    text_of("several_modifications", count = capital(number_word(nrow(steps))))
  text_of("model_was_changed_after_looking", often = often,
          each = paste(each, collapse = "; "))
}

change_in_words <- function(change, observed, because, drop) {
  words <- function(text) addresses_in_words(text, observed)
  switch(change$what,
    free = text_of("was_freed", parameter = words(change$address), because = because, drop = drop),
    fix = text_of("was_restricted", statement = words(change$address), because = because,
                  drop = drop),
    omit = text_of("was_removed", name = words(change$address), because = because, drop = drop),
    split = text_of("was_split", split = change$address, because = because, drop = drop),
    text_of("was_changed_otherwise", because = because, drop = drop))
}

# Methods texts of ladders, comparisons, measures and bootstraps.
