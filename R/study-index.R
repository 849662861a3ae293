# The index page of a study's results, and the files a new study starts from.

# What each step came to in a sentence, and links to its files.
write_study_index <- function(study, values) {
  tags <- htmltools::tags
  style <- report_asset("report.css")
  rows <- lapply(seq_along(study$steps), function(k) {
    step <- study$steps[[k]]
    folder <- step_folder(study, k)
    files <- list.files(file.path(study$results, folder))
    links <- lapply(files, function(file) {
      target <- paste(utils::URLencode(c(folder, file), TRUE), collapse = "/")
      list(tags$a(href = target, file), " \u00a0 ")
    })
    list(tags$h2(plain_line(paste0(k, ". ", step_label(step)))),
         tags$p(plain_line(result_sentence(values[[step$name]], study))),
         tags$p(class = "note", links))
  })
  page <- tags$html(
    lang = "en",
    tags$head(tags$meta(charset = "utf-8"), tags$title(plain_line(study$title)),
              tags$style(htmltools::HTML(paste(style, collapse = "\n")))),
    tags$body(tags$h1(class = "title", plain_line(study$title)), rows,
              tags$p(class = "note", paste0("orizzonte ", package_version_text(), "; seed ",
                                            study$seed, "."))))
  write_text(file.path(study$results, "index.html"),
             paste0("<!DOCTYPE html>\n", htmltools::doRenderTags(page)))
}

result_sentence <- function(x, study) {
  if (inherits(x, "orizzonte_fit"))
    return(paste0(if (!has_converged(x)) paste0(fit_status(x), ".") else
      paste0("Converged; ", chisq_text(test_of(x)$chisq, test_of(x)$df, test_of(x)$p), ". ",
             attr(fit_indices(x, study$criteria), "reading"))))
  if (is_ladder(x)) {
    ladder <- if (inherits(x, "orizzonte_loosened")) x$ladder else x
    return(paste(ladder$reading, collapse = " "))
  }
  if (inherits(x, "orizzonte_quality")) {
    said <- quality_sentences(x)
    return(if (length(said)) paste(said, collapse = " ") else
      "No construct falls short of the criteria.")
  }
  if (inherits(x, "orizzonte_comparison"))
    return(paste(c(pair_sentences(x), comparison_reading(x)), collapse = " "))
  ""
}

#' Start a study
#'
#' Writes a commented study file with the blueprints and the data of the made-up choirs into a
#' folder; it runs unchanged.
#'
#' @param folder A folder that exists.
#' @param file Name of the study file.
#' @param ... Must be empty: an argument by another name is an error.
#' @return The path of the study file, invisibly.
#' @section Errors: `orizzonte_error_study` when a file of the name is there already: nothing is
#'   written over.
#' @seealso [run_study()].
#' @examples
#' folder <- file.path(tempdir(), "new")
#' dir.create(folder)
#' new_study_files(folder)
#' @export
new_study_files <- function(folder = ".", file = "study.yaml", ...) {
  check_arguments("new_study_files")
  check_path(folder, "`folder`")
  check_string(file, "`file`")
  target <- file.path(folder, file)
  check_target(target, "study")
  names <- c("choirs.yaml", "choirs-start.yaml", "choirs.csv")
  there <- c(file, names)[file.exists(file.path(folder, c(file, names)))]
  if (length(there))
    abort("study", c(paste0(quoted(there[1L]), " is there already: nothing is written over."),
                     i = "Choose another folder."))
  for (name in names)
    file.copy(system.file("extdata", name, package = "orizzonte"), file.path(folder, name))
  write_text(target, readLines(system.file("extdata", "study.yaml", package = "orizzonte"),
                               encoding = "UTF-8"))
  invisible(target)
}
