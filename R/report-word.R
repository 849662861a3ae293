# Word: paragraphs and tables through officer and flextable, which are asked for when they are used.

check_word_tools <- function() {
  missing <- Filter(function(package) !requireNamespace(package, quietly = TRUE),
                    c("officer", "flextable"))
  if (length(missing) == 0L) return(invisible())
  abort("report", c(paste0("A report in Word needs the package", if (length(missing) > 1L) "s", " ",
                           enumerate(missing), "."),
                    i = paste0("install.packages(c(", paste(quoted(missing), collapse = ", "),
                               ")); or write an .html or .md report.")))
}

report_word <- function(report, path) {
  document <- officer::read_docx()
  document <- officer::set_doc_properties(document, title = plain_line(report$title))
  document <- officer::body_add_par(document, plain_line(report$title), style = "heading 1")
  for (part in report$parts) document <- word_part(document, part)
  print(document, target = path)
  invisible()
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
  shown <- lapply(part$columns, plain_line)
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
  document <- flextable::body_add_flextable(document, table)
  officer::body_add_par(document, plain_line(part$note %||% ""))
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
  officer::body_add_img(document, path, width = page_width, height = part$height * scale)
}
