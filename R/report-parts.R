# What a report is made of: sections, paragraphs, tables, figures and code.

new_report <- function(title, parts, language = "en") {
  structure(list(title = title, parts = numbered_parts(flat_parts(parts)), language = language),
            class = "orizzonte_report")
}

# Numbers tables and figures, also those in folds and tabs. A table without a caption of its own
# gets the heading above it.
numbered_parts <- function(parts) {
  count <- c(table = 0L, figure = 0L)
  above <- ""
  number <- function(parts) {
    lapply(parts, function(part) {
      if (part$part == "heading") above <<- part$text
      if (part$part == "fold") {
        above <<- part$summary
        part$parts <- number(part$parts)
      }
      if (part$part == "tabs")
        part$tabs <- Map(function(title, tab) {
          own <- number(tab)
          lapply(own, function(one) {
            if (one$part == "table") one$caption <- paste0(one$caption, ": ", title)
            one
          })
        }, part$titles, part$tabs, USE.NAMES = FALSE)
      if (!part$part %in% names(count)) return(part)
      count[[part$part]] <<- count[[part$part]] + 1L
      part$number <- count[[part$part]]
      part$caption <- part$caption %||% above
      part
    })
  }
  number(parts)
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

# The same for each group in turn, or for a single group without a heading. `by`: a named list of
# parts.
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

# For formats without interaction: folds are open and tabs follow one another.
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
  # columns without any entry say nothing
  columns <- columns[c(TRUE, vapply(columns[-1L], function(x) any(nzchar(x)), NA))]
  right <- vapply(columns, function(x) {
    any(nzchar(x)) && all(grepl("^[<>= .,0-9()-]*$|^\\[.*\\]$|^fixed$|^at bound$", x))
  }, NA)
  list(part = "table", columns = columns, right = unname(right), code = code, note = note,
       caption = caption)
}

# `alt`: what is seen in the figure, in words, for readers who do not see it; the caption when NULL.
# `name` becomes the name of a file where figures are files.
report_figure <- function(plot, caption, name, width = 10, height = 6.7, alt = NULL) {
  list(part = "figure", plot = plot, caption = caption,
       alt = paste(c(caption, alt), collapse = ". "), name = name, width = width, height = height)
}

report_code <- function(lines) {
  lines <- as.character(lines)
  split <- strsplit(lines, "\n", fixed = TRUE)
  split[!nzchar(lines)] <- ""
  list(part = "code", lines = unlist(split))
}

# Below a heading of its own.
one_level_down <- function(parts) {
  lapply(parts, function(part) {
    if (part$part == "heading") part$level <- part$level + 1L
    if (part$part == "fold") part$parts <- one_level_down(part$parts)
    if (part$part == "tabs") part$tabs <- lapply(part$tabs, one_level_down)
    part
  })
}

# On one line, without what no page can show.
plain_line <- function(x) trimws(gsub("[[:space:]]+", " ", shown_text(x)))

shown_text <- function(x) visible_controls(as_utf8(x))

is_ladder <- function(x) inherits(x, "orizzonte_ladder") || inherits(x, "orizzonte_loosened")

fit_section_names <- c("summary", "diagram", "methods", "data", "model", "fit", "measures",
                       "estimates", "residuals", "modifications", "hypotheses", "history",
                       "limits", "reproduction")

ladder_section_names <- c("summary", "methods", "rungs", "releases", "failing", "means", "items",
                          "groups", "model", "reproduction")

# `sections`: functions by name, of which only the wanted ones are called.
wanted_sections <- function(sections, wanted) {
  if (!is.null(wanted)) sections <- sections[names(sections) %in% wanted]
  unlist(lapply(unname(sections), function(section) section()), recursive = FALSE)
}

# Parameter labels in words, for texts that leave the program.

# Parameter labels within a text as words ("loading of sc2 on Calm"); what cannot be read as a
# label stays as it is.
addresses_in_words <- function(text, observed) {
  kinds <- paste(c(names(address_kinds), names(readable_kinds)), collapse = "|")
  pattern <- paste0("\\b(", kinds, ")\\[(?:`(?:[^`\\\\]|\\\\.)*`|[^]`])*\\]")
  vapply(text, function(one) {
    found <- gregexpr(pattern, one, perl = TRUE)
    regmatches(one, found) <- lapply(regmatches(one, found), function(addresses) {
      vapply(addresses, address_in_words, "", observed = observed)
    })
    one <- gsub("standardized\\(([^()]*)\\)", "standardized \\1", one)
    gsub(" == ", " = ", one, fixed = TRUE)
  }, "", USE.NAMES = FALSE)
}

address_in_words <- function(address, observed) {
  parsed <- tryCatch(parse_address(address), orizzonte_error_address = function(e) NULL)
  if (is.null(parsed) || !is.null(parsed$pattern) && isTRUE(parsed$pattern)) return(address)
  if (length(parsed$first) != 1L || length(parsed$second) > 1L) return(address)
  kind <- parsed$kind
  two <- kind %in% names(Filter(function(n) n == 2L, c(address_kinds, readable_kinds)))
  if (two && length(parsed$second) == 0L) return(address)
  if (kind %in% c("covariance", "variance") && all(c(parsed$first, parsed$second) %in% observed))
    kind <- paste0("residual_", kind)
  paste0(text_of(paste0("in_words_", kind), first = parsed$first, second = parsed$second),
         if (length(parsed$group)) text_of("in_the_group", where = enumerate(parsed$group)))
}
