# Markdown as code hosts read it: every character that could have a meaning is escaped. Figures are
# files in a folder of their own beside the page.

# The lines of the page, and its figures as a named list of bytes.
report_markdown <- function(report, folder) {
  figures <- list()
  lines <- unlist(lapply(unfolded_parts(report$parts), function(part) {
    if (part$part == "figure") {
      name <- paste0(make.unique(c(names(figures), part$name), sep = "-")[length(figures) + 1L])
      figures[[name]] <<- figure_bytes(part$plot, "png", part$width, part$height, 110)
      return(c(paste0("![", markdown_escape(part$alt), "](", markdown_link(folder), "/", name,
                      ".png)"), ""))
    }
    c(markdown_part(part), "")
  }))
  list(lines = c(paste("#", markdown_escape(report$title)), "", lines), figures = figures)
}

markdown_part <- function(part) {
  switch(part$part,
    heading = paste(strrep("#", part$level + 1L), markdown_escape(part$text)),
    text = paste0(if (part$tone != "plain") "> ", markdown_pieces(part$pieces)),
    bullets = vapply(part$items, function(item) paste("-", markdown_pieces(item)), ""),
    code = {
      lines <- shown_text(part$lines)
      fence <- strrep("`", max(3L, 1L + longest_run(lines)))
      c(fence, lines, fence)
    },
    table = markdown_table(part))
}

markdown_pieces <- function(pieces) {
  paste(vapply(pieces, function(piece) {
    if (inherits(piece, "orizzonte_code")) return(markdown_code(piece$text))
    if (inherits(piece, "orizzonte_bold")) return(paste0("**", markdown_escape(piece$text), "**"))
    markdown_escape(paste(piece, collapse = " "), trim = FALSE)
  }, ""), collapse = "")
}

markdown_table <- function(part) {
  cells <- Map(function(x, name) {
    if (name %in% part$code) gsub("|", "\\|", markdown_code(x), fixed = TRUE) else
      markdown_escape(x)
  }, part$columns, names(part$columns))
  row <- function(x) paste0("| ", do.call(paste, c(unname(x), list(sep = " | "))), " |")
  c(row(lapply(names(part$columns), markdown_escape)),
    row(as.list(ifelse(part$right, "---:", "---"))), row(cells),
    if (!is.null(part$note)) c("", markdown_escape(part$note)))
}

# Everything that the markup would interpret: within a line, at its start, and addresses that would
# become links.
markdown_escape <- function(x, trim = TRUE) {
  x <- if (trim) plain_line(x) else gsub("[[:space:]]+", " ", shown_text(x))
  x <- gsub("&(?=#?[[:alnum:]]+;)", "&amp;", x, perl = TRUE)
  x <- gsub("<(?=[[:alpha:]/!?])", "&lt;", x, perl = TRUE)
  x <- gsub("([\\\\`*_\\[\\]|~$])", "\\\\\\1", x, perl = TRUE)
  x <- gsub("^([-+=>#])", "\\\\\\1", x)
  x <- gsub("^([0-9]+)([.)])(?=[[:space:]]|$)", "\\1\\\\\\2", x, perl = TRUE)
  x <- gsub("(https?|ftp|www|mailto|javascript)([:.])", "\\1&#8203;\\2", x, ignore.case = TRUE)
  gsub("@", "&#64;", x, fixed = TRUE)
}

# A code span: a fence longer than any run of backticks within.
markdown_code <- function(x) {
  x <- plain_line(x)
  vapply(x, function(text) {
    if (!nzchar(text)) return("")
    run <- longest_run(text)
    if (run == 0L) return(paste0("`", text, "`"))
    fence <- strrep("`", run + 1L)
    paste(fence, text, fence)
  }, "", USE.NAMES = FALSE)
}

longest_run <- function(x) {
  runs <- unlist(regmatches(x, gregexpr("`+", x)))
  if (length(runs)) max(nchar(runs)) else 0L
}

markdown_link <- function(x) utils::URLencode(x, reserved = TRUE)

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
  knit_parts(x, c("index", "value", "verdict"), report_table(index_columns(key_indices(x))),
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
             report_caution(attr(x, "trouble")), report_caution(attr(x, "caveat")),
             report_table(verdict_columns(x)),
             report_bullets(Map(function(claim, statement, criterion) {
               list(paste0(claim, ": "), in_code(statement), paste0(" (", criterion, ")"))
             }, x$claim, x$statement, x$criterion)))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_amendments <- function(x, ...) {
  knit_parts(x, c("parameter", "kind", "modification_index", "expected_change", "verdict"),
             report_caution(attr(x, "trouble")),
             report_text(attr(x, "nothing") %||% attr(x, "exact")),
             report_table(offered_columns(shown_amendments(x)), code = "parameter"),
             report_text(heavy_tails_words(x)), report_moves(x, shown_amendments(x)),
             report_bullets(structure_sentences(attr(x, "structures"))))
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
             report_text(more_differences(x)), report_text(text_of("noninvariance_note")),
             report_table(total_columns(x)))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_quality <- function(x, ...) {
  knit_parts(x, c("table", "loadings", "criteria"),
             report_text(paste(quality_header(x), collapse = " ")),
             report_table(quality_columns(x)), report_bullets(quality_sentences(x)),
             if (!is.null(x$pairs)) report_table(pair_texts(x)), report_text(quality_note(x)))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_variance_split <- function(x, ...) {
  columns <- split_columns(x)
  knit_parts(x, c("items", "scales", "reading"), report_table(columns$items, code = "item"),
             report_table(columns$scores), lapply(x$reading, report_text))
}

#' @exportS3Method knitr::knit_print
knit_print.orizzonte_text <- function(x, ...) {
  knit_parts(list(), character(), lapply(x$paragraphs, report_text),
             report_bullets(x$references))
}

report_caution <- function(texts) {
  lapply(texts, function(text) report_text(paste("CAUTION:", text), tone = "caution"))
}
