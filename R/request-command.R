# Commands for the command line that go on from the one that is running, with its files, groups and
# other options.

surface <- new.env(parent = emptyenv())

# From here on, instructions are commands that go on from `given`, what one was given; with NULL
# they are R code again.
go_on_from <- function(given) {
  surface$given <- given
  display$command <- if (!is.null(given)) command_text
  display$quiet <- isTRUE(given$quiet)
  display$guarded <- !isTRUE(given$unguarded)
}

# A command with the files and options of the one that is running.
command_text <- function(name, ...) {
  given <- surface$given
  files <- given$files[c(1L, length(given$files))]
  files <- public_address(files)
  if (length(given$files) == 1L) {
    blueprint <- grepl("[.]ya?ml$", files[1L], ignore.case = TRUE)
    files[if (blueprint) 2L else 1L] <- if (blueprint) "DATA" else "BLUEPRINT"
  }
  told <- names(written_options())
  options <- given[told]
  names(options) <- option_flag(told)
  options[["--encoding"]] <- if ((given$encoding %||% "UTF-8") != "UTF-8") given$encoding
  options <- Filter(Negate(is.null), options)
  words <- c(files, rbind(names(options), unlist(options)), ...)
  paste(c("orizzonte", name, vapply(words, shell_word, "")), collapse = " ")
}
