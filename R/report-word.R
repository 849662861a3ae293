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
