# Reports of measures: quality and the split into general and specific.

quality_parts <- function(x, heading = "The measures") {
  columns <- quality_columns(x)
  report_section(heading, report_bullets(quality_sentences(x)),
    if (length(quality_sentences(x)) == 0L)
      report_text("No construct falls short of the criteria."),
    report_table(columns, note = quality_note(x), caption = "Reliability and validity"),
    if (!is.null(x$pairs))
      report_section("Told apart", level = 2L,
        report_table(pair_texts(x), caption = "Constructs told apart"),
        report_fold("Fornell and Larcker's table", fornell_larcker_parts(x))),
    if (NROW(x$left_out))
      report_fold("Without single items",
                  report_table(left_out_columns(x), code = "without",
                               caption = "Refitted without single items")),
    report_figure(plot(x), "Reliabilities and average variance extracted with their intervals",
                  "quality", height = max(3.5, 1.6 + 0.45 * nrow(x$table))))
}

quality_note <- function(x) one_line(quality_legend(x))

# Correlations, the root of the average variance extracted in the diagonal.
fornell_larcker_parts <- function(x) {
  by <- if (is.matrix(x$fornell_larcker)) list(x$fornell_larcker) else x$fornell_larcker
  note <- "Diagonal: square root of the average variance extracted; below: correlations."
  report_tabs(lapply(by, function(m) {
    text <- matrix(format_share(m), nrow(m))
    text[upper.tri(text)] <- ""
    columns <- lapply(seq_len(ncol(m)), function(k) text[, k])
    report_table(c(list(construct = rownames(m)), stats::setNames(columns, colnames(m))),
                 note = note, caption = "Average variance extracted and correlations")
  }))
}

split_parts <- function(x, heading = "General and specific") {
  columns <- split_columns(x)
  report_section(heading, report_bullets(x$reading),
    report_table(columns$items, code = "item", caption = "Shares of each item's variance"),
    report_table(columns$scores, caption = "What scores would measure"),
    report_figure(plot(x), "General, specific and residual share of each item", "split"))
}
