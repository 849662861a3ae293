# A report is a value: sections of headings, text, tables, figures and code, which a renderer turns
# into a page. Text is never anything but text: no part of it is evaluated or read as markup.

#' Write a report
#'
#' A self-contained page that can be handed in. The report of a fit contains the diagram, a passage
#' on methods and results, the data, the model and its defaults, fit, measures, estimates (by
#' group), effects, residuals, modification indices, hypotheses, the modification history,
#' limitations, and everything needed to reproduce the analysis. The report of a ladder from
#' [invariance()] or [loosen()] contains the rungs and the permitted comparisons, the equalities
#' that were or could be released, latent means, differences of single items, and figures by group.
#' Of a list: the fits compared, then each of its parts. In HTML, a click on a heading sorts a
#' table, groups have tabs, and long sections are folded (all of them open when the page is
#' printed). Word reports have numbered three-line tables as journals require.
#'
#' Titles, names, item texts, levels and reasons appear as they are: nothing in them is evaluated or
#' read as markup. A Markdown report puts its figures into the folder `<name>-figures` beside it;
#' other files there are left alone.
#'
#' @param x A fit from [fit_model()], a ladder from [invariance()] or [loosen()], a result of
#'   [trail()], [compare_models()], [confirm()], [bootstrap_fit()], [construct_quality()],
#'   [variance_split()], [constancy()], [approximate_means()], [equivalent_models()] or
#'   [mediation()], or a named list of these.
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

# Figures first: a page never refers to a file that does not exist.
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

reported_classes <- c("orizzonte_fit", "orizzonte_ladder", "orizzonte_loosened", "orizzonte_trail",
                      "orizzonte_comparison", "orizzonte_confirmation", "orizzonte_bootstrap",
                      "orizzonte_quality", "orizzonte_variance_split", "orizzonte_constancy",
                      "orizzonte_approximate_means", "orizzonte_equivalent", "orizzonte_mediation")

# Only parts that a report can show; a list gets the missing names.
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
  if (inherits(x, "orizzonte_constancy")) return(constancy_title(x))
  if (inherits(x, "orizzonte_approximate_means"))
    return(text_of("approximate_title", by = x$by %||% text_of("approximate_groups")))
  if (inherits(x, "orizzonte_equivalent"))
    return(paste0(text_of("equivalent_title"), ": ", attr(x, "title")))
  if (inherits(x, "orizzonte_mediation"))
    return(text_of("mediation_title", from = attr(x, "from"), to = attr(x, "to")))
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
         orizzonte_variance_split = split_parts(x), orizzonte_constancy = constancy_parts(x),
         orizzonte_approximate_means = approximate_parts(x),
         orizzonte_equivalent = equivalent_parts(x), orizzonte_mediation = mediation_parts(x))
}

#' Write every table and figure of a report to a file of its own
#'
#' Writes each table and figure of [write_report()] to a separate file, with an index, for a
#' manuscript or a repository.
#'
#' @param x An object, or a named list of objects, that [write_report()] accepts.
#' @param folder The folder to write to. It is created if it does not exist. Files of the same names
#'   are replaced; other files are not touched.
#' @param formats One or more of `"csv"` and `"docx"` (tables; Word needs the package officer),
#'   `"svg"` and `"png"` (figures). `NULL` writes all formats that are available.
#' @param criteria,bootstrap As in [write_report()].
#' @param quiet Whether to omit the message about the files written.
#' @param guard Whether texts in CSV files that begin with `=`, `+`, `-` or `@`, which a spreadsheet
#'   would run as formulas, get an apostrophe before them. Numbers never do.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame, invisibly: `file`, `kind` (table or figure), `caption`. It is written as
#'   `index.csv` as well.
#' @section Errors: `orizzonte_error_report` when the folder cannot be made or written to, or Word
#'   is asked for without its packages; `orizzonte_error_input` otherwise.
#' @seealso [write_report()], [methods_text()].
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' write_tables(fit, file.path(tempdir(), "tables"), formats = "csv")
#' @export
write_tables <- function(x, folder, formats = NULL, criteria = NULL, bootstrap = NULL,
                         quiet = FALSE, guard = TRUE, ...) {
  check_arguments("write_tables")
  check_flag(guard, "`guard`")
  x <- check_reportable(x, "write_tables")
  criteria <- check_criteria(criteria)
  check_path(folder, "`folder`")
  check_flag(quiet, "`quiet`")
  formats <- check_formats(formats)
  if (!is.null(bootstrap)) {
    check_fit(x, "write_tables")
    check_same_bootstrap(bootstrap, x, "write_tables")
  }
  if (!dir.exists(folder) && !dir.create(folder, recursive = TRUE, showWarnings = FALSE))
    abort("report", text_of("cannot_create_folder", folder = quoted(folder)))
  parts <- unfolded_parts(report_of(x, criteria, bootstrap)$parts)
  parts <- Filter(function(part) part$part %in% c("table", "figure"), parts)
  written <- unlist(lapply(unname(parts), write_part, folder = folder, formats = formats,
                           guard = guard),
                    recursive = FALSE)
  index <- do.call(Map, c(list(c), written))
  index <- list_frame(index %||% list(file = character(), kind = character(),
                                      caption = character()))
  write_table(index, file.path(folder, "index.csv"), guard)
  if (!quiet) say(text_of("tables_written", files = nrow(index), folder = folder))
  invisible(index)
}

table_formats <- c("csv", "docx", "svg", "png")

check_formats <- function(formats) {
  if (is.null(formats)) {
    word <- requireNamespace("officer", quietly = TRUE)
    return(setdiff(table_formats, if (!word) "docx"))
  }
  check_words(formats, "`formats`", "formats = c(\"csv\", \"svg\")")
  for (one in formats) choose_one(one, table_formats, "Each of `formats`")
  if ("docx" %in% formats) check_word_tools()
  formats
}

# A table or a figure in each of the formats: one row of the index for each file.
write_part <- function(part, folder, formats, guard) {
  name <- if (part$part == "figure") part$name else part$caption
  title <- gsub("[^a-z0-9]+", "-", tolower(iconv(plain_line(name), "UTF-8", "ASCII", "")))
  stem <- sub("-+$", "", sprintf("%s-%02d-%s", part$part, part$number, substr(title, 1L, 60L)))
  own <- intersect(formats, if (part$part == "table") c("csv", "docx") else c("svg", "png"))
  if (part$part == "figure" && length(own) > 1L)
    part$plot <- laid_out(part$plot, part$width, part$height)
  lapply(own, function(ending) {
    file <- file.path(folder, paste0(stem, ".", ending))
    switch(ending,
      csv = write_table(list_frame(lapply(part$columns, plain_line)), file, guard),
      docx = write_made(file, function(path) word_alone(part, path), is_zip, "report"),
      write_bytes(file, figure_bytes(part$plot, ending, part$width, part$height), "report"))
    list(file = basename(file), kind = part$part, caption = unname(plain_line(part$caption)))
  })
}

word_alone <- function(part, path) save_word(word_table(part), plain_line(part$caption), path)
