# The installed command, in its own process.
launcher <- system.file("exec", "orizzonte", package = "orizzonte")
extdata <- function(name) system.file("extdata", name, package = "orizzonte")
command <- function(...) {
  out <- tempfile()
  err <- tempfile()
  code <- suppressWarnings(system2(file.path(R.home("bin"), "Rscript"), shQuote(c(launcher, ...)),
                                   stdout = out, stderr = err,
                                   env = c(library_paths(), wide_window())))
  list(code = code, out = paste(readLines(out, warn = FALSE), collapse = "\n"),
       err = paste(readLines(err, warn = FALSE), collapse = "\n"))
}

library_paths <- function() paste0("R_LIBS=", paste(.libPaths(), collapse = .Platform$path.sep))

# So that no message is folded where a test looks for its words.
wide_window <- function() if (!nzchar(Sys.getenv("COLUMNS"))) "COLUMNS=400"

fresh_folder <- function() {
  folder <- tempfile()
  dir.create(folder)
  folder
}
