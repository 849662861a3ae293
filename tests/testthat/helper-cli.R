# The installed command, in its own process: for streams, exit codes and everything that depends on
# the process.
launcher <- system.file("exec", "orizzonte", package = "orizzonte")
extdata <- function(name) system.file("extdata", name, package = "orizzonte")
installed_command <- function(...) {
  out <- tempfile()
  err <- tempfile()
  code <- suppressWarnings(system2(file.path(R.home("bin"), "Rscript"), shQuote(c(launcher, ...)),
                                   stdout = out, stderr = err,
                                   env = c(library_paths(), wide_window())))
  list(code = code, out = paste(readLines(out, warn = FALSE), collapse = "\n"),
       err = paste(readLines(err, warn = FALSE), collapse = "\n"))
}

# The same command in this process, which saves a start of R: for the messages of a command.
command <- function(...) {
  if (!nzchar(Sys.getenv("COLUMNS"))) withr::local_envvar(COLUMNS = "400")
  file <- tempfile()
  messages <- file(file, "wt")
  sink(messages, type = "message")
  out <- tryCatch(utils::capture.output(code <- main(c(...))), finally = {
    sink(type = "message")
    close(messages)
  })
  list(code = code, out = paste(out, collapse = "\n"),
       err = paste(readLines(file, warn = FALSE), collapse = "\n"))
}

library_paths <- function() paste0("R_LIBS=", paste(.libPaths(), collapse = .Platform$path.sep))

# So that no message is folded where a test looks for its words.
wide_window <- function() if (!nzchar(Sys.getenv("COLUMNS"))) "COLUMNS=400"

fresh_folder <- function() {
  folder <- tempfile()
  dir.create(folder)
  folder
}
