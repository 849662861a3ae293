# The commands of studies: new, run.

command_new <- function(given) {
  if (given$files[1L] != "study")
    abort("usage", c(text_of("orizzonte_new_makes_study", files = quoted(given$files[1L])),
                     i = text_of("write_new_study")))
  file <- if (length(given$files) > 1L) given$files[2L] else "study.yaml"
  if (!tolower(tools::file_ext(file)) %in% c("yaml", "yml"))
    abort("usage", c(text_of("study_is_yaml_file"), i = text_of("such_orizzonte_new_study")))
  written <- new_study_files(dirname(file), basename(file))
  if (!given$quiet)
    close_with(text_of("study_written", file = file), "\n",
               text_of("next_run", file = shell_word(file)), "\n")
  0L
}

command_run <- function(given) {
  anywhere <- isTRUE(given$anywhere)
  study <- read_study(given$files[1L], anywhere || !is.null(given$out), anywhere)
  if (!is.null(given$out)) study$results <- given$out
  made <- run_steps(study, isTRUE(given$fresh), given$quiet)
  studied_code(study_fits(study, made))
}

# Fits only: what else is kept need not be computed again.
study_fits <- function(study, made) {
  fits <- made$steps$step[made$steps$kind %in% c("fit", "amend")]
  mget(fits, made$values)
}
studied_code <- function(fits) max(0L, vapply(fits, exit_code, 0L))
