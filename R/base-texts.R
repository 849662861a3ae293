# How a sentence is made: a row of a table of texts, whose named placeholders are filled with
# values. The tables of the stages are in the files *-texts.R.

texts <- new.env(parent = emptyenv())
texts$table <- character()
texts$pieces <- list()
texts$instructions <- list()
texts$keys <- FALSE  # whether texts are shown by their names, which tests do

add_texts <- function(...) texts$table <- c(texts$table, c(...))
add_instructions <- function(...) texts$instructions <- c(texts$instructions, list(...))

# The text called `name`. `...`: values by placeholder. `{n}` shows a value, `{?s}` a plural of the
# last number shown (cli::pluralize()). Values are looked up, never evaluated: braces in them stay
# as they are. Values of several elements give as many texts, unless the text has a plural.
text_of <- function(.name, ...) {
  if (texts$keys) return(paste0("<", .name, ">"))
  filled(texts$table[[.name]], list(...))
}

filled <- function(template, values) {
  if (!grepl("{", template, fixed = TRUE)) return(template)
  if (grepl("{?", template, fixed = TRUE)) {
    values$qty <- cli::qty
    return(as.character(cli::pluralize(template, .envir = list2env(values, parent = emptyenv()))))
  }
  pieces <- template_pieces(template)
  wanted <- pieces$text[pieces$value]
  stopifnot(wanted %in% names(values))
  parts <- as.list(pieces$text)
  parts[pieces$value] <- values[wanted]
  do.call(paste0, parts)
}

# A template taken apart into texts and names of values; `{{` is a brace.
template_pieces <- function(template) {
  if (is.null(texts$pieces[[template]])) {
    parts <- regmatches(template, gregexpr("[{]{2}|[}]{2}|[{][^{}]+[}]|[^{}]+", template))[[1L]]
    value <- grepl("^[{][^{]", parts)
    text <- substr(parts, 1L + value, nchar(parts) - value)
    text[parts %in% c("{{", "}}")] <- substr(parts[parts %in% c("{{", "}}")], 1L, 1L)
    texts$pieces[[template]] <- list(text = text, value = value)
  }
  texts$pieces[[template]]
}

# Words for a column of codes; "" where there is none.
words_of <- function(prefix, codes) {
  vapply(codes, function(code) {
    if (is.na(code)) "" else text_of(paste0(prefix, "_", code))
  }, "", USE.NAMES = FALSE)
}

# What to do next, in the two forms it has. `r`: R code or a phrase about it. On the command line
# `command` is the words of a command, and `text` a phrase. `purpose`: what it is for, beginning
# with "to". All are templates; a form that is NULL says nothing there.
instruct <- function(r = NULL, command = NULL, text = NULL, purpose = NULL) {
  list(r = r, command = command, text = text, purpose = purpose)
}

# The instruction called `name` as it is said here, or NULL. `...`: values by placeholder.
instruction <- function(.name, ...) {
  if (texts$keys) return(paste0("<", .name, ">"))
  stopifnot(.name %in% names(texts$instructions))
  forms <- texts$instructions[[.name]]
  fill <- function(template) filled(template, list(...))
  if (is.null(display$command)) return(if (!is.null(forms$r)) fill(forms$r))
  if (!is.null(forms$text)) return(fill(forms$text))
  if (is.null(forms$command)) return(NULL)
  do.call(display$command, lapply(unname(forms$command), fill))
}

# "Next: ..." with what it is for; a command stands on a line of its own, to be copied.
next_step <- function(.name, ...) {
  what <- instruction(.name, ...)
  if (is.null(what)) return(NULL)
  purpose <- if (!texts$keys) texts$instructions[[.name]]$purpose
  if (is.null(purpose)) return(paste0("Next: ", what))
  if (is.null(display$command)) return(paste0("Next: ", what, " ", purpose))
  c(paste0("Next, ", purpose, ":"), paste0("  ", what))
}

add_texts(
  difference_fits_as_well = "fits as well",
  difference_fits_worse = "fits worse",
  difference_fits_better = "fits better",
  change_of_cfi = "CFI",
  change_of_rmsea = "RMSEA",
  change_of_srmr = "SRMR",
  change_of_p = "p",
  paths_relative = "Paths are relative to the working directory: {folder}.")
