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
