#' Read criteria from a file
#'
#' A YAML file with the keys of [criteria()], such as `cfi: [.96, .92]` and `smallest: .2`. What it
#' does not name keeps its default.
#'
#' @param file Path of the YAML file.
#' @param ... Must be empty: an argument by another name is an error.
#' @return What [criteria()] returns.
#' @section Errors: `orizzonte_error_file` when the file cannot be read or holds something else than
#'   numbers; `orizzonte_error_input` for an unknown criterion (the nearest is named) and as
#'   [criteria()].
#' @seealso [criteria()].
#' @examples
#' file <- tempfile(fileext = ".yaml")
#' writeLines(c("cfi: [.96, .92]", "smallest: .2"), file)
#' read_criteria(file)
#' @export
read_criteria <- function(file, ...) {
  check_arguments("read_criteria")
  content <- read_yaml_file(file)
  if (!is.list(content) || is.null(names(content))) {
    abort("file", c(text_of("is_not_file_criteria", file = quoted(file)),
                    i = text_of("holds_lines_such_cfi")))
  }
  refuse_unknown_criteria(names(content))
  do.call(criteria, Map(criterion_numbers, content, names(content), file))
}

criterion_numbers <- function(value, name, file) {
  out <- suppressWarnings(as.numeric(unlist(value)))
  if (length(out) && !anyNA(out)) return(out)
  abort("file", c(text_of("must_be_numbers", file = quoted(file), name = name),
                  i = text_of("example_criteria_in_file")))
}
