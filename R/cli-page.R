# The command that opens the live page: of a blueprint and data, or of a study.

command_page <- function(given) {
  file <- given$files[1L]
  data <- if (length(given$files) > 1L) given$files[2L]
  port <- if (!is.null(given$port)) parse_whole(given$port, "--port")
  options <- given_options(given, names(written_options()))
  bp <- file
  if (is_study_file(file)) {
    study <- read_study(file, FALSE, FALSE)
    bp <- read_blueprint(study$blueprints[[1L]])
    data <- data %||% study$data
    options <- utils::modifyList(study$asked[setdiff(names(study$asked), c("by", "levels"))],
                                 options)
  }
  found <- do.call(live_page, c(list(bp, data), options,
                                list(port = port, open = !isTRUE(given$closed))))
  if (inherits(found, "orizzonte_fit")) exit_code(found) else 0L
}

is_study_file <- function(file) {
  content <- read_yaml_file(file)
  is.list(content) && "steps" %in% names(content)
}
