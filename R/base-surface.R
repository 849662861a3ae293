# Where a text is read: in R, or on the command line. What to do next is said in the words of that
# place.

surface <- new.env(parent = emptyenv())

either <- function(in_r, on_command_line) if (is.null(surface$given)) in_r else on_command_line

# What to do next; a command stands on a line of its own, to be copied.
next_step <- function(purpose, in_r, command) {
  if (is.null(surface$given)) return(paste(c(paste0("Next: ", in_r), purpose), collapse = " "))
  if (is.null(purpose)) return(paste0("Next: ", command))
  c(paste0("Next, ", purpose, ":"), paste0("  ", command))
}

# Where a restriction is written.
restrict_where <- function() either("with restrict()", "under `restrict:` in the blueprint")

# A command for the files, groups and codes of the one that is running.
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

shell_word <- function(x) {
  if (grepl("^[A-Za-z0-9_./=:,+@%-]+$", x) && x != "...") return(x)
  paste0("'", gsub("'", "'\\\\''", x), "'")
}
