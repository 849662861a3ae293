# Fits and ladders from the files that a command names.

# A file is read; of a table in a database only moments are.
given_data <- function(given, file, bp) {
  if (!is_database_address(file))
    return(read_data_file(file, given$encoding, text = text_columns(given)))
  do.call(collect_summary, c(list(file, bp), given_options(given, options_of("collect_summary"))))
}

# A function called with what the options say about groups and codes, and more.
called_with <- function(f, given, more) {
  options <- given_options(given, names(written_options()))
  # moments that were collected know their groups and codes already
  if (length(more) > 1L && is_collected(more[[2L]])) options[options_of("collect_summary")] <- NULL
  do.call(f, c(more, options))
}

# The values of the options of a fit that are given on the command line.
given_options <- function(given, names) {
  read <- list(levels = parse_levels, codes = parse_codes, columns = split_words)
  Filter(Negate(is.null), lapply(stats::setNames(names, names), function(name) {
    reader <- read[[fit_options$rows[[name]]$kind]] %||% identity
    reader(given[[name]])
  }))
}

fit_from_files <- function(given) {
  bp <- read_blueprint(given$files[1L])
  called_with(fit_model, given, list(bp, given_data(given, given$files[2L], bp)))
}

# One rung after the other, each on the ladder that the last one left: a list.
loosen_rungs <- function(ladder, text) {
  out <- list()
  if (!is.null(text) && !any(nzchar(split_words(text))))
    abort("usage", c(text_of("loosen_names_no_rung"), i = text_of("such_loosen_metric_scalar")))
  for (rung in split_names(text, names(ladder$fits)))
    out <- c(out, list(loosen(last_ladder(ladder, out), rung)))
  out
}

last_ladder <- function(ladder, loosened) {
  if (length(loosened)) loosened[[length(loosened)]]$ladder else ladder
}

ladder_from_files <- function(given) {
  more <- list(rungs = split_names(given$rungs, names(rung_adds)),
               structural = split_words(given$structural),
               structural_on = given$structural_on, criteria = given_criteria(given),
               against = given$against)
  bp <- read_blueprint(given$files[1L])
  if (is.null(given$by) && length(bp$repeated) == 0L)
    abort("usage", c(text_of("ladder_needs_column_or"),
                     i = text_of("example_by")))
  more$over <- given$over
  files <- list(bp, given_data(given, given$files[2L], bp))
  called_with(invariance, given, c(files, Filter(Negate(is.null), more)))
}
