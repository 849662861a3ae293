#' Write every table and figure of a report to a file of its own
#'
#' Writes each table and figure of [write_report()] to a separate file, with an index, for a
#' manuscript or a repository.
#'
#' @param x What [write_report()] takes.
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
