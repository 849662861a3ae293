# How a sentence is made: a row of a table of texts, whose named placeholders are filled with
# values. The tables of the stages are in the files *-texts.R.

texts <- new.env(parent = emptyenv())
texts$table <- character()
texts$keys <- FALSE  # whether texts are shown by their names, which tests do

add_texts <- function(...) texts$table <- c(texts$table, c(...))

# The text called `name`. `...`: values by placeholder. `{n}` shows a value, `{?s}` a plural of the
# last number shown (cli::pluralize()). Values are looked up, never evaluated: braces in them stay
# as they are.
text_of <- function(name, ...) {
  if (texts$keys) return(paste0("<", name, ">"))
  template <- texts$table[[name]]
  values <- list(...)
  if (length(values) == 0L && !grepl("{", template, fixed = TRUE)) return(template)
  values$qty <- cli::qty
  as.character(cli::pluralize(template, .envir = list2env(values, parent = emptyenv())))
}

# Words for a column of codes; "" where there is none.
words_of <- function(prefix, codes) {
  vapply(codes, function(code) {
    if (is.na(code)) "" else text_of(paste0(prefix, "_", code))
  }, "", USE.NAMES = FALSE)
}
