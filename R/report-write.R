#' Write a report
#'
#' A self-contained page. Of a fit: the model, what was assumed, fit, estimates, explained variance,
#' residuals, what could be freed, claims, the trail, the path diagram, and what is needed to
#' reproduce it. Of a ladder from [invariance()] or [loosen()]: the rungs and what may be compared,
#' what was or could be released, means of constructs, how much single items differ, and figures by
#' group. Of a list: the fits compared, then each fit and ladder.
#'
#' @param x A fit from [fit_model()], a ladder from [invariance()] or [loosen()], or a named list of
#'   these.
#' @param file Where to write it. The ending decides the format: `.html`,
#'   `.docx` or `.md`.
#' @param quiet Whether to leave out the message that says where the report is.
#' @param criteria Cut-offs and levels, from [criteria()].
#' @return The path of the report, invisibly.
#' @section Errors: `orizzonte_error_input` when `x` is nothing of the kind,
#'   `orizzonte_error_report` when rmarkdown, knitr or pandoc are not installed, when the folder
#'   does not exist, or the ending is another.
#' @examples
#' \donttest{
#' if (rmarkdown::pandoc_available()) {
#'   bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#'   write_report(suppressMessages(fit_model(bp, choirs)), tempfile(fileext = ".html"))
#' }
#' }
#' @export
write_report <- function(x, file, quiet = FALSE, criteria = NULL) {
  x <- check_reportable(x)
  criteria <- check_criteria(criteria)
  check_string(file, "`file`")
  format <- report_format(file)
  check_report_tools()
  folder <- dirname(file)
  if (!dir.exists(folder))
    abort("report",
          c(paste0("There is no folder ", quoted(folder), "."),
            i = "Create it first, or choose another."))
  work <- tempfile("orizzonte-report-")
  dir.create(work)
  on.exit(unlink(work, recursive = TRUE))
  parts <- list.files(system.file("report", package = "orizzonte"), pattern = "[.]Rmd$",
                      full.names = TRUE)
  file.copy(parts, work)
  template <- file.path(work, "report.Rmd")
  target <- file.path(normalizePath(folder), basename(file))
  format <- do.call(utils::getFromNamespace(format[[1L]], "rmarkdown"), format[-1L])
  rmarkdown::render(template, output_format = format, output_file = basename(target),
                    output_dir = dirname(target), intermediates_dir = work,
                    params = list(x = x, criteria = criteria, title = report_title(x)),
                    envir = new.env(parent = asNamespace("orizzonte")), quiet = TRUE)
  if (tolower(tools::file_ext(file)) == "md") relative_links(target)
  if (!quiet) say("Report written to ", file)
  invisible(file)
}

# A folder that is moved takes its figures along.
relative_links <- function(file) {
  lines <- readLines(file, encoding = "UTF-8")
  writeLines(gsub(paste0(dirname(file), "/"), "", lines, fixed = TRUE), file, useBytes = TRUE)
}

is_ladder <- function(x) inherits(x, "orizzonte_ladder") || inherits(x, "orizzonte_loosened")

# Only what a report knows how to show; a list gets the names it lacks.
check_reportable <- function(x) {
  known <- function(one) inherits(one, "orizzonte_fit") || is_ladder(one)
  if (known(x)) return(x)
  if (!is.list(x) || is.data.frame(x) || inherits(x, "orizzonte_blueprint") || length(x) == 0L ||
      !all(vapply(x, known, NA))) {
    abort("input", c("write_report() needs a fit, a ladder or a list of them.",
                     x = paste0("`x` is ", describe(x), "."),
                     i = "fit_model() makes fits, invariance() ladders."))
  }
  if (is.null(names(x))) names(x) <- rep("", length(x))
  names(x)[!nzchar(names(x))] <- paste("Model", seq_along(x))[!nzchar(names(x))]
  names(x) <- make.unique(names(x), sep = " ")
  x
}

report_title <- function(x) {
  if (inherits(x, "orizzonte_fit")) return(x$request$blueprint$title)
  if (inherits(x, "orizzonte_loosened")) return(report_title(x$ladder))
  if (is_ladder(x)) return(paste0("Invariance: ", x$title))
  paste(unique(vapply(x, report_title, "")), collapse = "; ")
}

report_format <- function(file) {
  ending <- tolower(tools::file_ext(file))
  switch(ending,
    html = list("html_document", theme = NULL, self_contained = TRUE, mathjax = NULL,
                highlight = NULL, toc = TRUE, toc_depth = 2,
                css = system.file("report", "report.css", package = "orizzonte")),
    docx = list("word_document", toc = TRUE),
    md = list("md_document", variant = "gfm", preserve_yaml = FALSE),
    abort("report", c(paste0("Cannot write a report as ", quoted(paste0(".", ending)), "."),
                      i = "Use a file that ends in .html, .docx or .md.")))
}

check_report_tools <- function() {
  missing <- Filter(function(package) !requireNamespace(package, quietly = TRUE),
                    c("knitr", "rmarkdown"))
  if (length(missing)) {
    abort("report", c(paste0("Reports need the package ", enumerate(missing), "."),
                      i = paste0("install.packages(c(",
                                 paste(quoted(missing), collapse = ", "), "))")))
  }
  if (!rmarkdown::pandoc_available("2.0")) {
    abort("report",
          c("Reports need pandoc, version 2 or later.",
            i = "On Debian or Ubuntu: apt-get install pandoc."))
  }
}
