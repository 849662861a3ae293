# Reports of what is no fit and no ladder: a trail, a comparison, a confirmation, a bootstrap.

trail_parts <- function(x) {
  report_section(text_of("head_trail"),
    report_text(text_of("what_was_changed_why")),
    report_table(trail_columns(x), caption = text_of("head_trail")),
    report_figure(plot(x), text_of("fit_after_each_revision"), "trail"))
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
    report_text(confirmation_header(x)), report_text(confirmation_reading(x)),
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
      report_figure(plot(x), text_of("replicates_leading_numbers"), "replicates"))
}
