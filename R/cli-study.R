# The commands of studies: new, run.

command_new <- function(given) {
  if (given$files[1L] != "study")
    abort("usage", c(paste0("orizzonte new makes a study, not ", quoted(given$files[1L]), "."),
                     i = "Write orizzonte new study [FILE]"))
  file <- if (length(given$files) > 1L) given$files[2L] else "study.yaml"
  if (!tolower(tools::file_ext(file)) %in% c("yaml", "yml"))
    abort("usage", c("A study is a YAML file.", i = "Such as orizzonte new study study.yaml"))
  written <- new_study_files(dirname(file), basename(file))
  if (!given$quiet)
    close_with("Written: ", file, ", with blueprints and data beside it.\nNext: orizzonte run ",
               shell_word(file), "\n")
  0L
}

command_run <- function(given) {
  made <- run_study(given$files[1L], results = given$out, fresh = isTRUE(given$fresh),
                    quiet = given$quiet)
  studied_code(study_fits(made))
}

study_fits <- function(made) Filter(function(x) inherits(x, "orizzonte_fit"), made)
studied_code <- function(fits) max(0L, vapply(fits, exit_code, 0L))
