# A report is a value: sections of headings, text, tables, figures and code, which a renderer turns
# into a page. Text is never anything but text: no part of it is evaluated or read as markup.

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

#' Write a report
#'
#' A self-contained page that can be handed in. The report of a fit contains the diagram, a passage
#' on methods and results, the data, the model and its defaults, fit, measures, estimates (by
#' group), effects, residuals, modification indices, hypotheses, the modification history,
#' limitations, and everything needed to reproduce the analysis. The report of a ladder from
#' [invariance()] or [loosen()] contains the rungs and what may be compared, the equalities that
#' were or could be released, latent means, differences of single items, and figures by group. Of a
#' list: the fits compared, then each of its parts. In HTML, a click on a heading sorts a table,
#' groups have tabs, and long sections are folded (all of them open when the page is printed). Word
#' reports have numbered three-line tables as journals require.
#'
#' Titles, names, item texts, levels and reasons appear as they are: nothing in them is evaluated or
#' read as markup. A Markdown report puts its figures into the folder `<name>-figures` beside it;
#' other files there are left alone.
#'
#' @param x A fit from [fit_model()], a ladder from [invariance()] or [loosen()], a result of
#'   [trail()], [compare_models()], [confirm()], [bootstrap_fit()], [construct_quality()] or
#'   [variance_split()], or a named list of these.
#' @param file Where to write it. The ending decides the format: `.html`, `.md`, or `.docx` (with
#'   the package officer).
#' @param quiet Whether to omit the message with the path of the report.
#' @param criteria Cut-offs and levels, from [criteria()].
#' @param bootstrap For a single fit, an object from [bootstrap_fit()]. Its standard errors,
#'   intervals and p values replace the theoretical ones.
#' @param title Title of the report. By default it is made from the titles of the models.
#' @param parts Sections to include; all when `NULL`. For a fit: `"summary"`, `"diagram"`,
#'   `"methods"`, `"data"`, `"model"`, `"fit"`, `"measures"`, `"estimates"`, `"residuals"`,
#'   `"modifications"`, `"hypotheses"`, `"history"`, `"limits"`, `"reproduction"`. For a ladder:
#'   `"summary"`, `"methods"`, `"rungs"`, `"releases"`, `"failing"`, `"means"`, `"items"`,
#'   `"groups"`, `"model"`, `"reproduction"`. Sections keep this order. Cautions about a solution
#'   that cannot be trusted are always included.
#' @param ... Must be empty: an argument by another name is an error.
#' @return The path of the report, invisibly.
#' @section Errors: `orizzonte_error_input` when `x` is another kind of object,
#'   `orizzonte_error_report` when the folder does not exist, the file cannot be written, the ending
#'   is another, or a package that Word reports need is not installed.
#' @seealso [methods_text()], [write_tables()], [path_diagram()], [summary.orizzonte_fit()].
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' write_report(suppressMessages(fit_model(bp, choirs)), tempfile(fileext = ".md"))
#' @export
write_report <- function(x, file, quiet = FALSE, criteria = NULL, bootstrap = NULL, title = NULL,
                         parts = NULL, ...) {
  check_arguments("write_report")
  x <- check_reportable(x)
  criteria <- check_criteria(criteria)
  check_string(file, "`file`")
  check_flag(quiet, "`quiet`")
  if (!is.null(title)) check_string(title, "`title`")
  ending <- check_report_ending(file)
  if (ending == "docx") check_word_tools()
  check_target(file, "report")
  if (!is.null(bootstrap)) {
    check_fit(x, "write_report")
    check_same_bootstrap(bootstrap, x, "write_report")
  }
  check_report_parts(parts, x)
  report <- report_of(x, criteria, bootstrap, title, parts)
  switch(ending,
    html = write_text(file, report_html(report), "report"),
    md = write_markdown(file, report),
    docx = write_made(file, function(path) report_word(report, path), is_zip, "report"))
  if (!quiet) say(text_of("report_written", file = file))
  invisible(file)
}

check_report_ending <- function(file) {
  ending <- tolower(tools::file_ext(file))
  if (ending %in% c("html", "docx", "md")) return(ending)
  abort("report", c(if (nzchar(ending)) text_of("cannot_write_report",
                                                ending = quoted(paste0(".", ending))) else
                      text_of("has_no_ending_says", file = quoted(file)),
                    i = text_of("use_file_ends_html")))
}

# Figures first: a page never points at what is not there.
write_markdown <- function(file, report) {
  folder <- paste0(tools::file_path_sans_ext(basename(file)), "-figures")
  page <- report_markdown(report, folder)
  beside <- file.path(dirname(file), folder)
  if (length(page$figures) && !dir.exists(beside) && !dir.create(beside, showWarnings = FALSE))
    abort("report", c(text_of("cannot_create_folder", folder = quoted(beside)),
                      i = text_of("figures_markdown_report_are")))
  for (name in names(page$figures))
    write_bytes(file.path(beside, paste0(name, ".png")), page$figures[[name]], "report")
  write_text(file, page$lines, "report")
}

# A Word document is a zip file, which ends with its directory.
is_zip <- function(bytes) {
  length(bytes) > 22L && identical(bytes[1:2], charToRaw("PK")) &&
    any(vapply(seq(length(bytes) - 21L, max(1L, length(bytes) - 300L)), function(i) {
      identical(bytes[i + 0:3], as.raw(c(0x50, 0x4b, 0x05, 0x06)))
    }, NA))
}

is_ladder <- function(x) inherits(x, "orizzonte_ladder") || inherits(x, "orizzonte_loosened")

reported_classes <- c("orizzonte_fit", "orizzonte_ladder", "orizzonte_loosened", "orizzonte_trail",
                      "orizzonte_comparison", "orizzonte_confirmation", "orizzonte_bootstrap",
                      "orizzonte_quality", "orizzonte_variance_split")

# Only what a report knows how to show; a list gets the names it lacks.
check_reportable <- function(x, verb = "write_report") {
  if (inherits(x, "orizzonte_fit")) check_fit(x, verb)
  if (is_ladder(x)) check_ladder(x, verb)
  if (inherits(x, "orizzonte_bootstrap")) check_replicates(x, verb)
  if (inherits(x, reported_classes)) return(x)
  if (!is.list(x) || is.object(x) || length(x) == 0L ||
      !all(vapply(x, inherits, NA, what = reported_classes))) {
    abort("input", c(text_of("needs_fit_ladder_or", verb = verb),
                     x = describe_part(x, function(part) inherits(part, reported_classes)),
                     i = text_of("fit_model_makes_fits")))
  }
  lapply(x, check_reportable, verb = verb)
  if (is.null(names(x))) names(x) <- rep("", length(x))
  names(x)[!nzchar(names(x))] <- paste("Model", seq_along(x))[!nzchar(names(x))]
  names(x) <- make.unique(names(x), sep = " ")
  x
}

report_title <- function(x) {
  if (inherits(x, "orizzonte_fit")) return(x$request$blueprint$title)
  if (inherits(x, "orizzonte_loosened")) return(report_title(x$ladder))
  if (is_ladder(x)) return(paste0("Invariance: ", x$title))
  if (inherits(x, "orizzonte_bootstrap")) return(paste0("Bootstrap: ", report_title(x$fit)))
  if (inherits(x, "orizzonte_quality")) return(text_of("quality_measures", title = x$title))
  if (inherits(x, "orizzonte_variance_split")) return(text_of("general_specific_title",
      title = x$title))
  if (inherits(x, "orizzonte_confirmation")) return(paste0("Confirmation: ", x$title))
  if (inherits(x, "orizzonte_comparison")) return(text_of("models_compared_title"))
  if (inherits(x, "orizzonte_trail")) return(paste0("Trail: ", attr(x, "title") %||% "a model"))
  paste(unique(vapply(x, report_title, "")), collapse = "; ")
}

report_of <- function(x, criteria, bootstrap = NULL, title = NULL, wanted = NULL) {
  new_report(title %||% report_title(x), report_parts(x, criteria, bootstrap, wanted))
}

# `wanted`: names of sections of fits and ladders; all when NULL.
report_parts <- function(x, criteria, bootstrap = NULL, wanted = NULL) {
  if (inherits(x, "orizzonte_fit")) return(fit_parts(x, criteria, bootstrap, wanted))
  if (is_ladder(x)) return(ladder_parts(x, criteria, wanted))
  if (is.object(x)) return(single_parts(x, criteria))
  fits <- Filter(function(one) inherits(one, "orizzonte_fit"), x)
  c(if (length(fits) > 1L) comparison_parts(fits, criteria),
    unlist(lapply(names(x), function(name) {
      report_section(name, one_level_down(report_parts(x[[name]], criteria, wanted = wanted)))
    }), recursive = FALSE))
}

# `sections`: functions by name, of which only the wanted ones are called.
wanted_sections <- function(sections, wanted) {
  if (!is.null(wanted)) sections <- sections[names(sections) %in% wanted]
  unlist(lapply(unname(sections), function(section) section()), recursive = FALSE)
}

fit_section_names <- c("summary", "diagram", "methods", "data", "model", "fit", "measures",
                       "estimates", "residuals", "modifications", "hypotheses", "history",
                       "limits", "reproduction")
ladder_section_names <- c("summary", "methods", "rungs", "releases", "failing", "means", "items",
                          "groups", "model", "reproduction")

check_report_parts <- function(parts, x) {
  if (is.null(parts)) return(invisible())
  check_words(parts, "`parts`", "parts = c(\"summary\", \"estimates\")")
  each <- if (is.object(x)) list(x) else x
  known <- unique(c(
    if (any(vapply(each, inherits, NA, what = "orizzonte_fit"))) fit_section_names,
    if (any(vapply(each, is_ladder, NA))) ladder_section_names))
  if (is.null(known)) abort("input", text_of("parts_only_of_fits"))
  check_section_names(parts, known, "Each of `parts`")
}

check_section_names <- function(parts, known, what) {
  for (one in parts) choose_one(one, known, what)
}

# Sections for objects other than fits and ladders.
single_parts <- function(x, criteria) {
  switch(intersect(class(x), reported_classes)[1L],
         orizzonte_trail = trail_parts(x), orizzonte_comparison = compared_parts(x),
         orizzonte_confirmation = confirmation_parts(x),
         orizzonte_bootstrap = bootstrap_parts(x, criteria), orizzonte_quality = quality_parts(x),
         orizzonte_variance_split = split_parts(x))
}
