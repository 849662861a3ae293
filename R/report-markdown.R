# Markdown as code hosts read it: every character that could mean something is escaped. Figures are
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

# Whatever the markup would read as its own: within a line, at its start, and addresses that a
# reader would make links of by itself.
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
