# Reports of results other than fits and ladders: a trail, a comparison, a confirmation, a
# bootstrap.

trail_parts <- function(x) {
  report_section(text_of("head_trail"),
    report_text(text_of("what_was_changed_why")),
    report_table(trail_columns(x), caption = text_of("head_trail")),
    report_figure(plot(x), text_of("fit_after_each_revision"), "trail", alt = trail_alt(x)))
}

compared_parts <- function(x) {
  texts <- comparison_texts(x)
  report_section(text_of("the_models_compared"),
    report_bullets(pair_sentences(x)), report_text(paste(comparison_reading(x), collapse = " ")),
    report_table(texts$fit, caption = text_of("fit_of_the_models")),
    report_table(texts$changes, caption = text_of("changes_from_model_model")),
    report_bullets(texts$notes))
}

confirmation_parts <- function(x) {
  columns <- confirmation_columns(x)
  report_section(text_of("confirmation_in_fresh_data"),
    report_text(confirmation_header(x)),
    report_text(confirmation_fit(x)), report_text(confirmation_reading(x)),
    report_table(columns$indices, caption = text_of("start_end_trail_these")),
    report_bullets(confirmation_falls(x)),
    report_table(columns$freed, code = "parameter", caption = text_of("what_was_freed")))
}

bootstrap_parts <- function(x, criteria) {
  table <- bootstrap_table(x)
  report_section(text_of("head_bootstrap"),
    report_bullets(c(bootstrap_words(x), claim_shares(x))),
    report_table(bootstrap_columns(table, x$asked), code = "parameter",
                 caption = text_of("bootstrapped_values")),
    if (any(table$se > 0, na.rm = TRUE))
      report_figure(plot(x), text_of("replicates_leading_numbers"), "replicates",
                    alt = replicates_alt(table, x$asked$reps)))
}

# The part of a report in which several fits are compared.

comparison_parts <- function(fits, criteria) {
  compared <- compare_fits(fits, names(fits), "previous", "write_report", criteria)
  texts <- comparison_texts(compared)
  report_section(text_of("the_models_compared"),
    report_bullets(pair_sentences(compared)), report_text(comparison_reading(compared)),
    report_table(texts$fit),
    if (!is.null(texts$changes)) {
      report_section(text_of("head_changes"), level = 2L,
        report_text(text_of("each_model_against_one"),
                    text_of("only_where_one_model")),
        report_table(texts$changes))
    },
    report_bullets(texts$notes),
    report_section(text_of("estimates_side_by_side"), level = 2L,
      report_table(side_columns(do.call(side_by_side, fits))$estimates, code = "parameter")))
}

# Reports of measures: quality and the split into general and specific.

quality_parts <- function(x, heading = "The measures") {
  columns <- quality_columns(x)
  report_section(heading, report_text(paste(quality_header(x), collapse = " ")),
    report_bullets(quality_conclusion(x)),
    report_table(columns, note = quality_note(x), caption = text_of("reliability_and_validity")),
    if (!is.null(x$pairs))
      report_section(text_of("means_distinguishable"), level = 2L,
        report_table(pair_texts(x), caption = text_of("constructs_told_apart")),
        report_fold(text_of("fornell_and_larcker_s_table"), fornell_larcker_parts(x))),
    if (NROW(x$left_out))
      report_fold(text_of("without_single_items"),
                  report_table(left_out_columns(x), code = "without",
                               caption = text_of("refitted_without_single_items"))),
    report_figure(plot(x), text_of("reliabilities_average_variance_extracted"),
                  "quality", height = max(3.5, 1.6 + 0.45 * nrow(x$table)), alt = quality_alt(x)))
}

quality_note <- function(x) one_line(quality_legend(x))

# Correlations, the root of the average variance extracted in the diagonal.
fornell_larcker_parts <- function(x) {
  by <- if (is.matrix(x$fornell_larcker)) list(x$fornell_larcker) else x$fornell_larcker
  note <- text_of("diagonal_square_root_average")
  report_tabs(lapply(by, function(m) {
    text <- matrix(format_share(m), nrow(m))
    text[upper.tri(text)] <- ""
    columns <- lapply(seq_len(ncol(m)), function(k) text[, k])
    report_table(c(list(construct = rownames(m)), stats::setNames(columns, colnames(m))),
                 note = note, caption = text_of("average_variance_extracted_correlations"))
  }))
}

split_parts <- function(x, heading = text_of("general_and_specific")) {
  columns <- split_columns(x)
  report_section(heading, report_bullets(x$reading),
    report_table(columns$items, code = "item", caption = text_of("shares_each_item_s")),
    report_table(columns$scores, caption = text_of("what_scores_would_measure")),
    report_figure(plot(x), text_of("general_specific_residual_share"), "split", alt = split_alt(x)))
}

trail_columns <- function(x) {
  start <- x$revision == 0
  reason <- ifelse(start | nzchar(x$because), x$because, text_of("no_reason_given_brackets"))
  titled(list(
       revision = format_count(x$revision),
       change = ifelse(start, text_of("original_model"), x$change),
       because = paste0(reason, ifelse(nzchar(x$note), paste0(" (", x$note, ")"), "")),
       `predicted drop` = format_fixed(x$predicted_drop, 2L),
       `refitted drop` = format_fixed(x$actual_drop, 2L), chisq = format_fixed(x$chisq, 2L),
       df = format_count(x$df), p_change = format_p(x$p_change),
       CFI = format_share(x$cfi, 3L), RMSEA = format_share(x$rmsea, 3L),
       BIC = format_fixed(x$bic, 1L)))
}

# The table of movements: how the leading changes affect the conclusions.
report_moves <- function(found, shown) {
  columns <- move_columns(found, shown)
  if (is.null(columns)) return(NULL)
  report_table(columns, code = "change", caption = text_of("moves_title"),
               note = text_of("moves_legend", instruction = instruction("all_movements")))
}
