# The formats of a report: HTML, Markdown and Word.

# HTML: through tags that escape their contents; one file, figures and style within it.

report_html <- function(report) {
  tags <- htmltools::tags
  headings <- Filter(function(part) part$part == "heading" && part$level == 1L, report$parts)
  titles <- vapply(headings, `[[`, "", "text")
  number <- 0L
  body <- lapply(report$parts, function(part) {
    if (part$part == "heading" && part$level == 1L) number <<- number + 1L
    html_part(part, paste0("section-", number))
  })
  contents <- tags$nav(id = "contents", `aria-label` = text_of("head_contents"),
    tags$ul(lapply(seq_along(titles), function(k) {
      tags$li(tags$a(href = paste0("#section-", k), plain_line(titles[k])))
    })))
  html_page(report$title, body, contents, "report.js", report$language)
}

# A whole page in the style of reports, as text. `script`: the file of a script for it.
html_page <- function(title, body, contents, script = NULL, language = "en") {
  tags <- htmltools::tags
  asset <- function(name) htmltools::HTML(paste(report_asset(name), collapse = "\n"))
  page <- tags$html(
    lang = language,
    tags$head(tags$meta(charset = "utf-8"),
              tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
              tags$meta(name = "color-scheme", content = "light dark"),
              tags$title(plain_line(title)), tags$style(asset("report.css"))),
    tags$body(class = "with-contents",
              tags$header(tags$h1(class = "title", plain_line(title)), contents),
              tags$main(body), if (!is.null(script)) tags$script(asset(script))))
  paste0("<!DOCTYPE html>\n", htmltools::doRenderTags(page))
}

report_asset <- function(name) {
  readLines(system.file("report", name, package = "orizzonte"), encoding = "UTF-8")
}

html_part <- function(part, anchor = NULL) {
  tags <- htmltools::tags
  switch(part$part,
    heading = if (part$level == 1L) tags$h2(id = anchor, plain_line(part$text)) else
      if (part$level == 2L) tags$h3(plain_line(part$text)) else tags$h4(plain_line(part$text)),
    text = tags$p(class = if (part$tone != "plain") part$tone, html_pieces(part$pieces)),
    bullets = tags$ul(lapply(part$items, function(item) tags$li(html_pieces(item)))),
    # it may scroll sideways, which the keyboard must reach
    code = tags$pre(tags$code(paste(shown_text(part$lines), collapse = "\n"),
                              .noWS = c("outside", "inside")), tabindex = "0",
                    .noWS = "inside"),
    table = html_table(part),
    fold = tags$details(tags$summary(plain_line(part$summary)), lapply(part$parts, html_part)),
    tabs = tags$div(class = "tabs", Map(function(title, tab) {
      tags$section(class = "tab", `data-title` = plain_line(title),
                   tags$p(class = "tab-title", plain_line(title)), lapply(tab, html_part))
    }, part$titles, part$tabs, USE.NAMES = FALSE)),
    figure = tags$figure(tags$img(src = data_uri(part), alt = plain_line(part$alt)),
                         tags$figcaption(html_caption(part, text_of("head_figure")))))
}

html_caption <- function(part, word) {
  number <- paste0(word, "\u00a0", part$number, ".")
  list(if (!is.null(part$number)) list(htmltools::tags$span(class = "number", number), " "),
       plain_line(part$caption))
}

html_pieces <- function(pieces) {
  lapply(pieces, function(piece) {
    if (inherits(piece, "orizzonte_code")) return(htmltools::tags$code(plain_line(piece$text)))
    if (inherits(piece, "orizzonte_bold")) return(htmltools::tags$strong(plain_line(piece$text)))
    gsub("[[:space:]]+", " ", shown_text(paste(piece, collapse = " ")))
  })
}

html_table <- function(part) {
  tags <- htmltools::tags
  side <- ifelse(part$right, "right", "left")
  names <- names(part$columns)
  # many cells: escaped all at once, by the same function as tags use
  cells <- Map(function(x, name, side) {
    text <- htmltools::htmlEscape(plain_line(x))
    if (name %in% part$code) text <- ifelse(nzchar(text), paste0("<code>", text, "</code>"), "")
    # a text may be wrapped, a number or a short text may not
    long <- if (max(nchar(x, "width")) > 30L && !name %in% part$code) " long" else ""
    paste0("<td class=\"", side, long, "\">", text, "</td>")
  }, part$columns, names, side)
  rows <- paste0("<tr>", do.call(paste0, unname(cells)), "</tr>", collapse = "\n")
  head <- tags$tr(Map(function(name, side) {
    shown <- plain_line(name)
    if (nzchar(shown)) tags$th(scope = "col", class = side, shown) else tags$td()
  }, names, side, USE.NAMES = FALSE))
  list(tags$div(class = "table",
                tags$table(tags$caption(html_caption(part, text_of("head_table"))),
                           tags$thead(head), tags$tbody(htmltools::HTML(rows)))),
       if (!is.null(part$note)) tags$p(class = "note", plain_line(part$note)))
}

data_uri <- function(part) {
  bytes <- figure_bytes(part$plot, "svg", part$width, part$height)
  paste0("data:image/svg+xml;base64,", gsub("\n", "", jsonlite::base64_enc(bytes), fixed = TRUE))
}

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

# Word: paragraphs, tables and figures as the markup of Word, put into a template by officer. Tables
# are written here because building them cell by cell takes several times as long.

check_word_tools <- function() {
  # xml2 comes with officer
  if (requireNamespace("officer", quietly = TRUE)) return(invisible())
  abort("report", c(text_of("word_needs_package"), i = text_of("install_or_other_report")))
}

report_word <- function(report, path) {
  parts <- unfolded_parts(report$parts)
  title <- word_paragraph(word_run(plain_line(report$title)), "Title")
  save_word(c(title, unlist(lapply(parts, word_part))), plain_line(report$title), path)
}

# Writes blocks of markup (paragraphs and tables) as a document.
save_word <- function(blocks, title, path) {
  template <- system.file("report", "template.docx", package = "orizzonte")
  document <- officer::read_docx(template)
  document <- officer::set_doc_properties(
    document, title = title, creator = paste("orizzonte", package_version_text()),
    created = Sys.time())
  fill_body(officer::docx_body_xml(document), blocks)
  print(document, target = path)
  invisible()
}

# Puts blocks in the place of the template's only paragraph, which is empty. Adding them one by one
# by officer would search the whole document for the cursor each time.
fill_body <- function(document, blocks) {
  body <- xml2::xml_find_first(document, "w:body")
  empty <- xml2::xml_child(body, 1L)
  blocks <- xml2::read_xml(paste0("<w:body ", word_names, ">", paste(blocks, collapse = ""),
                                  "</w:body>"), options = "HUGE")
  for (block in xml2::xml_children(blocks)) xml2::xml_add_sibling(empty, block, .where = "before")
  xml2::xml_remove(empty)
}

word_part <- function(part) {
  switch(part$part,
    heading = word_paragraph(word_run(plain_line(part$text)),
                             paste0("Heading", min(part$level, 3L))),
    text = word_paragraph(word_runs(part$pieces),
                          if (part$tone == "plain") "Normal" else "Caution"),
    bullets = vapply(part$items, function(item) {
      word_paragraph(word_runs(item), "ListBullet")
    }, ""),
    code = word_paragraph(paste(word_run(shown_text(part$lines)), collapse = word_break), "Code"),
    table = word_table(part),
    figure = word_figure(part))
}

# --- markup --------------------------------------------------------------------------------------

word_names <- paste0(
  "xmlns:w=\"http://schemas.openxmlformats.org/wordprocessingml/2006/main\" ",
  "xmlns:r=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships\" ",
  "xmlns:wp=\"http://schemas.openxmlformats.org/drawingml/2006/wordprocessingDrawing\"")
word_break <- "<w:r><w:br/></w:r>"

word_escape <- function(x) htmltools::htmlEscape(x, attribute = TRUE)

# Runs of the same format, one for each text.
word_run <- function(text, bold = FALSE, italic = FALSE, code = FALSE, points = NULL) {
  paste0("<w:r><w:rPr>",
         ifelse(code, paste0("<w:rFonts w:ascii=\"Courier New\" w:hAnsi=\"Courier New\" ",
                             "w:cs=\"Courier New\"/>"), ""),
         ifelse(bold, "<w:b/>", ""), ifelse(italic, "<w:i/>", ""),
         if (!is.null(points)) paste0("<w:sz w:val=\"", 2 * points, "\"/>"), "</w:rPr>",
         "<w:t xml:space=\"preserve\">", htmltools::htmlEscape(text), "</w:t></w:r>")
}

word_runs <- function(pieces) {
  paste(vapply(pieces, function(piece) {
    if (inherits(piece, "orizzonte_code")) return(word_run(plain_line(piece$text), code = TRUE))
    if (inherits(piece, "orizzonte_bold")) return(word_run(plain_line(piece$text), bold = TRUE))
    word_run(gsub("[[:space:]]+", " ", shown_text(paste(piece, collapse = " "))))
  }, ""), collapse = "")
}

word_paragraph <- function(runs, style) {
  paste0("<w:p ", word_names, "><w:pPr><w:pStyle w:val=\"", style, "\"/></w:pPr>", runs, "</w:p>")
}

# "Table 3" in bold with the number as a field that Word counts, the title in italics below it.
word_caption <- function(part, word) {
  bold <- "<w:rPr><w:b/></w:rPr>"
  number <- paste0("<w:fldSimple w:instr=\" SEQ ", word, " \\* ARABIC \"><w:r>", bold, "<w:t>",
                   part$number, "</w:t></w:r></w:fldSimple>")
  word_paragraph(paste0(word_run(paste0(word, " "), bold = TRUE), number, word_break,
                        word_run(plain_line(part$caption), italic = TRUE)), "Caption")
}

# --- tables --------------------------------------------------------------------------------------

# Three rules, as is usual in journals. The heading is repeated on each page, and no row is split.
word_table <- function(part) {
  shown <- lapply(part$columns, plain_line)
  # a number stays on one line with its bracket or sign
  shown[part$right] <- lapply(shown[part$right], gsub, pattern = " ", replacement = "\u00a0")
  titles <- plain_line(names(part$columns))
  sized <- word_widths(shown, titles, part$code)
  width <- round(1440 * sized$width)
  count <- length(shown[[1L]])
  cells <- lapply(seq_along(shown), function(k) {
    word_cell(shown[[k]], width[k], sized$points, part$right[k], titles[k] %in% part$code,
              below = ifelse(seq_len(count) == count, 8L, 0L))
  })
  heads <- vapply(seq_along(shown), function(k) {
    word_cell(titles[k], width[k], sized$points, part$right[k], FALSE, above = 8L, below = 4L)
  }, "")
  grid <- paste0("<w:gridCol w:w=\"", width, "\"/>", collapse = "")
  rows <- paste0("<w:tr><w:trPr><w:cantSplit/></w:trPr>", do.call(paste0, cells), "</w:tr>",
                 collapse = "")
  table <- paste0(
    "<w:tbl ", word_names, "><w:tblPr><w:tblW w:w=\"", sum(width), "\" w:type=\"dxa\"/>",
    "<w:tblLayout w:type=\"fixed\"/><w:tblCellMar><w:left w:w=\"60\" w:type=\"dxa\"/>",
    "<w:right w:w=\"60\" w:type=\"dxa\"/></w:tblCellMar>",
    "<w:tblLook w:firstRow=\"1\" w:noVBand=\"1\"/>",
    "<w:tblCaption w:val=\"", word_escape(plain_line(part$caption)), "\"/></w:tblPr>",
    "<w:tblGrid>", grid, "</w:tblGrid><w:tr><w:trPr><w:cantSplit/><w:tblHeader/></w:trPr>",
    paste(heads, collapse = ""), "</w:tr>", rows, "</w:tbl>")
  c(word_caption(part, text_of("head_table")), table, word_note(part$note))
}

# Also separates a table from the following text.
word_note <- function(note) {
  runs <- if (is.null(note)) "" else
    paste0(word_run("Note. ", italic = TRUE), word_run(plain_line(note)))
  word_paragraph(runs, "Note")
}

# Cells of one column; `above` and `below`: width of the rule there in eighths of a point.
word_cell <- function(text, width, points, right, code, above = 0L, below = 0L) {
  rule <- function(side, size) {
    ifelse(size > 0L, paste0("<w:", side, " w:val=\"single\" w:sz=\"", size,
                             "\" w:space=\"0\" w:color=\"1F2A33\"/>"), "")
  }
  paste0("<w:tc><w:tcPr><w:tcW w:w=\"", width, "\" w:type=\"dxa\"/><w:tcBorders>",
         rule("top", above), rule("bottom", below), "</w:tcBorders></w:tcPr>",
         "<w:p><w:pPr><w:pStyle w:val=\"TableText\"/>",
         if (right) "<w:jc w:val=\"right\"/>", "</w:pPr>",
         word_run(text, code = code, points = points), "</w:p></w:tc>")
}

# Widths of columns in inches and the size of letters in points. Columns are as wide as their
# longest text; where that is too wide for the page, the widest columns give way and their texts
# are wrapped. Letters become smaller only where single words would not fit otherwise.
word_widths <- function(columns, titles, code) {
  texts <- Map(c, titles, columns)
  coded <- titles %in% code
  ems <- function(x, coded) {
    max(0, if (coded) 0.6 * nchar(x, "width") else vapply(unique(x), line_width, 0))
  }
  words <- lapply(texts, function(x) unlist(strsplit(x, "[ -]")))
  widest <- mapply(ems, texts, coded)
  longest_word <- mapply(ems, words, coded)
  room <- page_width - cell_padding * length(texts)
  points <- min(8.5, max(6, floor(2 * 72 * room / sum(longest_word)) / 2))
  inches <- function(ems) ems * points / 72 + cell_padding
  # a word would break within itself where a wider font takes the place of the template's
  least <- inches(wider_font * longest_word)
  if (sum(least) > page_width) least <- inches(longest_word)
  width <- pmax(inches(widest), least)
  while (sum(width) > page_width && any(width > least)) {
    wide <- width > least & width >= 0.9 * max(width[width > least])
    width[wide] <- pmax(least[wide], 0.95 * width[wide])
  }
  list(width = unname(width * min(wider_font, page_width / sum(width))), points = points)
}

wider_font <- 1.2  # times as wide as the letters of the template's font

cell_padding <- 0.13  # inches: the margins of a cell and a little room
page_width <- 6.26  # inches of text between the margins of the template

# --- figures -------------------------------------------------------------------------------------

word_figure <- function(part) {
  # the picture is read when the document is saved: the file is kept until the session ends
  path <- tempfile(fileext = ".png")
  # drawn smaller than on a page of HTML, so that letters can be read on paper; the letters of a
  # diagram belong to its own page
  smaller <- if (startsWith(part$name, "diagram")) 1 else 0.8
  draw_figure(part$plot, path, "png", smaller * part$width, smaller * part$height)
  scale <- page_width / part$width
  # some versions of officer escape the alternative text, others do not
  alt <- gsub("[&<>\"]", " ", plain_line(part$alt))
  picture <- officer::external_img(path, width = page_width, height = part$height * scale,
                                   alt = alt)
  run <- officer::to_wml(picture, add_ns = TRUE)
  c(word_caption(part, text_of("head_figure")), word_paragraph(run, "Figure"))
}
