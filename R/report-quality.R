# Reports of measures: quality and the split into general and specific.

quality_parts <- function(x, heading = "The measures") {
  columns <- quality_columns(x)
  report_section(heading, report_bullets(quality_sentences(x)),
    if (length(quality_sentences(x)) == 0L)
      report_text(text_of("no_construct_falls_short")),
    report_table(columns, note = quality_note(x), caption = text_of("reliability_and_validity")),
    if (!is.null(x$pairs))
      report_section(text_of("told_apart"), level = 2L,
        report_table(pair_texts(x), caption = text_of("constructs_told_apart")),
        report_fold(text_of("fornell_and_larcker_s_table"), fornell_larcker_parts(x))),
    if (NROW(x$left_out))
      report_fold(text_of("without_single_items"),
                  report_table(left_out_columns(x), code = "without",
                               caption = text_of("refitted_without_single_items"))),
    report_figure(plot(x), text_of("reliabilities_average_variance_extracted"),
                  "quality", height = max(3.5, 1.6 + 0.45 * nrow(x$table))))
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
    report_figure(plot(x), text_of("general_specific_residual_share"), "split"))
}
