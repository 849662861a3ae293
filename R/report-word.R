# Word: paragraphs and tables through officer and flextable, which are asked for when they are used.

check_word_tools <- function() {
  missing <- Filter(function(package) !requireNamespace(package, quietly = TRUE),
                    c("officer", "flextable"))
  if (length(missing) == 0L) return(invisible())
  abort("report", c(text_of("word_needs_packages", count = length(missing),
                            packages = enumerate(missing)),
                    i = text_of("install_or_other_report",
                                packages = paste(quoted(missing), collapse = ", "))))
}

report_word <- function(report, path) {
  document <- officer::read_docx()
  document <- officer::set_doc_properties(document, title = plain_line(report$title))
  document <- officer::body_add_par(document, plain_line(report$title), style = "heading 1")
  for (part in numbered_parts(unfolded_parts(report$parts)))
    document <- word_part(document, part)
  print(document, target = path)
  invisible()
}

# Tables and figures with their numbers; what has no caption of its own takes the heading above.
numbered_parts <- function(parts) {
  count <- c(table = 0L, figure = 0L)
  above <- ""
  lapply(parts, function(part) {
    if (part$part == "heading") above <<- part$text
    if (!part$part %in% names(count)) return(part)
    count[[part$part]] <<- count[[part$part]] + 1L
    part$number <- count[[part$part]]
    if (is.null(part$caption)) part$caption <- if (part$part == "figure") part$alt else above
    part
  })
}

word_part <- function(document, part) {
  paragraph <- function(pieces, style = "Normal") {
    officer::body_add_fpar(document, do.call(officer::fpar, word_pieces(pieces)), style = style)
  }
  switch(part$part,
    heading = officer::body_add_par(document, plain_line(part$text),
                                    style = paste("heading", min(part$level + 1L, 3L))),
    text = paragraph(part$pieces),
    bullets = {
      for (item in part$items) document <- paragraph(c(list("\u2022 "), item))
      document
    },
    code = {
      for (line in shown_text(part$lines))
        document <- officer::body_add_fpar(document,
                                           officer::fpar(officer::ftext(line, word_code())))
      document
    },
    table = word_table(document, part),
    figure = word_figure(document, part))
}

# "Table 3" in bold, the title in italics on the next line.
word_caption <- function(document, part, word) {
  title <- officer::fp_text(italic = TRUE)
  document <- officer::body_add_fpar(document, officer::fpar(
    officer::ftext(paste(word, part$number), officer::fp_text(bold = TRUE))))
  officer::body_add_fpar(document, officer::fpar(officer::ftext(plain_line(part$caption), title)))
}

word_code <- function() officer::fp_text(font.family = "Courier New", font.size = 9)

word_pieces <- function(pieces) {
  lapply(pieces, function(piece) {
    if (inherits(piece, "orizzonte_code"))
      return(officer::ftext(plain_line(piece$text), word_code()))
    if (inherits(piece, "orizzonte_bold"))
      return(officer::ftext(plain_line(piece$text), officer::fp_text(bold = TRUE)))
    officer::ftext(gsub("[[:space:]]+", " ", shown_text(paste(piece, collapse = " "))))
  })
}

# Three lines, in the usual manner of journals.
word_table <- function(document, part) {
  shown <- journal_columns(lapply(part$columns, plain_line))
  # a number with its bracket or sign stays on one line
  shown[part$right] <- lapply(shown[part$right], gsub, pattern = " ", replacement = "\u00a0")
  keys <- paste0("c", seq_along(shown))
  table <- flextable::flextable(list_frame(stats::setNames(shown, keys)))
  table <- flextable::set_header_labels(table, values = stats::setNames(
    as.list(plain_line(names(part$columns))), keys))
  table <- flextable::fontsize(flextable::theme_booktabs(table), size = 8, part = "all")
  table <- flextable::padding(table, padding = 2, part = "all")
  table <- flextable::padding(table, j = which(!part$right), padding.left = 8, part = "all")
  table <- flextable::align(table, j = which(!part$right), align = "left", part = "all")
  if (any(part$right))
    table <- flextable::align(table, j = which(part$right), align = "right", part = "all")
  coded <- which(names(part$columns) %in% part$code)
  if (length(coded)) table <- flextable::font(table, j = coded, fontname = "Courier New")
  table <- flextable::width(table, width = word_widths(shown, names(part$columns), part$code))
  table <- flextable::set_table_properties(table, layout = "fixed", align = "left")
  document <- word_caption(document, part, "Table")
  document <- flextable::body_add_flextable(document, table)
  if (is.null(part$note)) return(officer::body_add_par(document, ""))
  note <- officer::fpar(officer::ftext("Note. ", officer::fp_text(italic = TRUE, font.size = 9)),
                        officer::ftext(plain_line(part$note), officer::fp_text(font.size = 9)))
  officer::body_add_par(officer::body_add_fpar(document, note), "")
}

# No zero before the point where the absolute value cannot exceed 1.
bounded_titles <- c("CFI", "RMSEA", "SRMR", "p", "\u0394CFI", "\u0394RMSEA", "\u0394SRMR",
                    "R\u00b2", "observed", "implied", "power")
bounded_indices <- c("CFI", "NFI", "RFI", "RMSEA", "SRMR", "GFI", "AGFI")

journal_columns <- function(columns) {
  bare <- function(x) gsub("(?<![0-9])0[.](?=[0-9])", ".", x, perl = TRUE)
  if ("index" %in% names(columns)) {
    at <- columns$index %in% bounded_indices
    for (name in intersect(names(columns), c("value", "90 % interval")))
      columns[[name]][at] <- bare(columns[[name]][at])
    return(columns)
  }
  at <- names(columns) %in% bounded_titles
  columns[at] <- lapply(columns[at], bare)
  columns
}

# Widths in inches, by the longest text: where they are too many for the page, wide columns give and
# their texts are wrapped, but never within a word.
word_widths <- function(columns, titles, code) {
  most <- function(x) max(0L, nchar(x, "width"))
  texts <- Map(c, titles, columns)
  inches <- function(characters) characters * ifelse(titles %in% code, 0.072, 0.064) + 0.2
  width <- inches(vapply(texts, most, 0))
  least <- inches(vapply(strsplit(vapply(texts, paste, "", collapse = " "), " "), most, 0))
  while (sum(width) > page_width && any(width > least)) {
    wide <- width > least & width >= 0.9 * max(width[width > least])
    width[wide] <- pmax(least[wide], 0.95 * width[wide])
  }
  unname(width * min(1, page_width / sum(width)))
}

page_width <- 6.3  # inches of text

word_figure <- function(document, part) {
  path <- tempfile(fileext = ".png")
  draw_figure(part$plot, path, "png", part$width, part$height)
  scale <- page_width / part$width
  # the document takes the picture when it is saved: the file stays until the session ends
  document <- word_caption(document, part, "Figure")
  officer::body_add_img(document, path, width = page_width, height = part$height * scale)
}
