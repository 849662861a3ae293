# In a knitted document tables become tables: the columns of the printed form, as Markdown. A chunk
# with `render = knitr::normal_print` shows the printed form itself.

knit_parts <- function(x, needed, ...) {
  if (!all(needed %in% names(x))) return(knitr::normal_print(x))
  parts <- unfolded_parts(flat_parts(list(...)))
  lines <- unlist(lapply(parts, function(part) c(markdown_part(part), "")))
  knitr::asis_output(paste(c("", lines), collapse = "\n"))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_estimates <- function(x, ...) {
  knit_parts(x, c("parameter", "estimate", "se", "z", "p", "standardized", "status"),
             report_table(printed_estimates(x), code = "parameter"))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_indices <- function(x, ...) {
  knit_parts(x, c("index", "value", "verdict"), report_table(index_columns(x)),
             report_text(attr(x, "reading")))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_effects <- function(x, ...) {
  knit_parts(x, c("parameter", "kind", "estimate"), report_table(effect_columns(x),
      code = "parameter"))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_r_squared <- function(x, ...) {
  knit_parts(x, c("variable", "kind", "r_squared", "se"), report_table(r_squared_columns(x)))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_verdicts <- function(x, ...) {
  knit_parts(x, c("claim", "statement", "estimate", "verdict", "criterion"),
             report_caution(attr(x, "trouble")), report_table(verdict_columns(x)),
             report_bullets(Map(function(claim, statement, criterion) {
               list(paste0(claim, ": "), in_code(statement), paste0(" (", criterion, ")"))
             }, x$claim, x$statement, x$criterion)))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_amendments <- function(x, ...) {
  knit_parts(x, c("parameter", "kind", "modification_index", "expected_change", "verdict"),
             report_caution(attr(x, "trouble")), report_text(attr(x, "nothing")),
             report_table(offered_columns(shown_amendments(x)), code = "parameter"))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_trail <- function(x, ...) {
  knit_parts(x, c("revision", "change", "because", "chisq"), report_table(trail_columns(x)))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_comparison <- function(x, ...) {
  texts <- comparison_texts(x)
  knit_parts(x, "model", report_table(texts$fit), report_table(texts$changes),
             report_bullets(texts$notes), lapply(pair_sentences(x), report_text),
             report_text(paste(comparison_reading(x), collapse = " ")))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_side_by_side <- function(x, ...) {
  columns <- side_columns(x)
  knit_parts(x, "parameter", report_table(columns$estimates, code = "parameter"),
             report_table(columns$summary))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_ladder <- function(x, ...) {
  columns <- ladder_columns(x)
  knit_parts(x, "table", report_caution(ladder_trouble(x)), report_table(columns$fit),
             report_table(columns$changes), report_bullets(x$reading))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_latent_means <- function(x, ...) {
  knit_parts(x, c("construct", "group", "difference", "se", "p", "standardized"),
             report_caution(attr(x, "caveat")), report_table(latent_mean_columns(x)),
             report_text(latent_mean_note(x)), report_text(unreleased_note(x)))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_noninvariance <- function(x, ...) {
  knit_parts(x, c("item", "group", "difference", "d", "status"),
             report_caution(attr(x, "caveat")), report_table(noninvariance_columns(x)),
             report_text(text_of("noninvariance_note")), report_table(total_columns(x)))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_quality <- function(x, ...) {
  knit_parts(x, c("table", "loadings", "criteria"), report_table(quality_columns(x)),
             report_bullets(quality_sentences(x)),
             if (!is.null(x$pairs)) report_table(pair_texts(x)), report_text(quality_note(x)))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_variance_split <- function(x, ...) {
  columns <- split_columns(x)
  knit_parts(x, c("items", "scores", "reading"), report_table(columns$items, code = "item"),
             report_table(columns$scores), lapply(x$reading, report_text))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_text <- function(x, ...) {
  knit_parts(x, c("paragraphs", "references"), lapply(x$paragraphs, report_text),
             report_bullets(x$references))
}

report_caution <- function(texts) {
  lapply(texts, function(text) report_text(paste("CAUTION:", text), tone = "caution"))
}
