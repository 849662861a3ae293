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
