# A report is a value: sections of headings, text, tables, figures and code, which a renderer turns
# into a page. Text is never anything but text: no part of it is evaluated or read as markup.

new_report <- function(title, parts, language = "en") {
  structure(list(title = title, parts = flat_parts(parts), language = language),
            class = "orizzonte_report")
}

report_section <- function(heading, ..., level = 1L) {
  c(list(list(part = "heading", text = heading, level = level)), flat_parts(list(...)))
}

# Parts, lists of parts and NULLs, as one list of parts.
flat_parts <- function(parts) {
  out <- list()
  for (part in parts) {
    if (is.null(part)) next
    out <- c(out, if (is.null(part$part)) flat_parts(part) else list(part))
  }
  out
}

# Pieces of a text: plain ones are strings.
in_code <- function(x) structure(list(text = x), class = "orizzonte_code")
in_bold <- function(x) structure(list(text = x), class = "orizzonte_bold")

# Several pieces with commas between.
code_pieces <- function(x) {
  pieces <- lapply(x, in_code)
  unlist(lapply(seq_along(pieces), function(k) {
    c(if (k > 1L) list(", "), list(pieces[[k]]))
  }), recursive = FALSE)
}

report_text <- function(..., tone = "plain") {
  pieces <- text_pieces(...)
  if (length(pieces)) list(part = "text", pieces = pieces, tone = tone)
}

text_pieces <- function(...) {
  given <- list(...)
  out <- list()
  for (one in given) {
    if (is.null(one)) next
    is_piece <- inherits(one, c("orizzonte_code", "orizzonte_bold")) || is.character(one)
    out <- c(out, if (is_piece) list(one) else one)
  }
  Filter(function(piece) !is.character(piece) || any(nzchar(piece)), out)
}

# What is long or wanted by few: closed until it is asked for. `parts` may be nested like sections.
report_fold <- function(summary, ...) {
  parts <- flat_parts(list(...))
  if (length(parts)) list(part = "fold", summary = summary, parts = parts)
}

# The same of each group, one behind the other; a single one as it is. `by`: a named list of parts.
report_tabs <- function(by) {
  by <- Filter(length, lapply(by, function(parts) flat_parts(list(parts))))
  if (length(by) < 2L) return(unlist(unname(by), recursive = FALSE))
  list(part = "tabs", titles = names(by), tabs = unname(by))
}

# All parts, those inside folds and tabs as well, in their order.
report_leaves <- function(parts) {
  unlist(lapply(parts, function(part) {
    switch(part$part, fold = report_leaves(part$parts),
           tabs = unlist(lapply(part$tabs, report_leaves), recursive = FALSE), list(part))
  }), recursive = FALSE)
}

# Where nothing can be closed or stand behind: folds open, tabs one below the other.
unfolded_parts <- function(parts, level = 1L) {
  unlist(lapply(parts, function(part) {
    if (part$part == "heading") level <<- part$level
    heading <- function(text) list(list(part = "heading", text = text, level = level + 1L))
    switch(part$part,
           fold = c(heading(part$summary), unfolded_parts(part$parts, level + 1L)),
           tabs = unlist(Map(function(title, tab) {
             c(heading(title), unfolded_parts(tab, level + 1L))
           }, part$titles, part$tabs), recursive = FALSE), list(part))
  }), recursive = FALSE)
}

# Each item a text or a list of pieces.
report_bullets <- function(items) {
  if (length(items)) list(part = "bullets", items = lapply(items, text_pieces))
}

# Columns of texts; numbers stand to the right. `code`: columns that hold addresses.
report_table <- function(columns, code = character(), note = NULL, caption = NULL) {
  if (length(columns) == 0L || length(columns[[1L]]) == 0L) return(NULL)
  columns <- lapply(columns, function(x) ifelse(is.na(x), "", as.character(x)))
  right <- vapply(columns, function(x) {
    any(nzchar(x)) && all(grepl("^[<>= .,0-9()-]*$|^\\[.*\\]$|^fixed$|^at bound$", x))
  }, NA)
  list(part = "table", columns = columns, right = unname(right), code = code, note = note,
       caption = caption)
}

# `alt` says in words what is to be seen; `name` becomes the name of a file where figures are files.
report_figure <- function(plot, alt, name, width = 10, height = 6.7) {
  list(part = "figure", plot = plot, alt = alt, name = name, width = width, height = height)
}

report_code <- function(lines) {
  lines <- as.character(lines)
  split <- strsplit(lines, "\n", fixed = TRUE)
  split[!nzchar(lines)] <- ""
  list(part = "code", lines = unlist(split))
}

# Below a heading of its own.
deeper <- function(parts) {
  lapply(parts, function(part) {
    if (part$part == "heading") part$level <- part$level + 1L
    if (part$part == "fold") part$parts <- deeper(part$parts)
    if (part$part == "tabs") part$tabs <- lapply(part$tabs, deeper)
    part
  })
}

# On one line, without what no page can show.
plain_line <- function(x) trimws(gsub("[[:space:]]+", " ", shown_text(x)))
shown_text <- function(x) visible_controls(as_utf8(x))
