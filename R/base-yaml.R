# Reads a YAML file with all values as text: `y`, `n`, `on`, `no` and numbers are kept as written,
# and nothing is evaluated.

read_yaml_file <- function(file) {
  check_readable(file)
  if (file.size(file) > largest_yaml)
    abort("file", paste0(quoted(file), " is larger than ", largest_yaml / 1e6, " megabytes."))
  text <- read_text(file)
  if (!nzchar(trimws(text))) abort("file", paste0(quoted(file), " is empty."))
  check_yaml(text, file)
  as_text <- function(x) x
  # signalled afterwards: an error in one handler would be caught by the other
  found <- tryCatch(
    yaml::yaml.load(text, eval.expr = FALSE, handlers = list(
      `bool#yes` = as_text, `bool#no` = as_text, int = as_text, float = as_text,
      `float#fix` = as_text, `float#exp` = as_text, `int#hex` = as_text, `int#oct` = as_text,
      `int#base60` = as_text, `float#base60` = as_text, `timestamp#ymd` = as_text
    )),
    warning = identity, error = identity
  )
  if (inherits(found, "condition")) unreadable_yaml(file, found)
  found
}

unreadable_yaml <- function(file, condition) {
  abort("file", c(paste0(quoted(file), " is not readable YAML."), x = conditionMessage(condition)))
}

# --- the supported part of YAML ------------------------------------------------------------------

# Blueprints and studies need a small part of YAML. Before the tree is built, yaml_scan.cpp reads
# the text token by token. It refuses anchors, aliases, tags, directives, complex keys and second
# documents, as well as excessive nesting and numbers of entries.
largest_yaml <- 2e6         # bytes
deepest_yaml <- 100L
most_yaml_entries <- 20000L

yaml_refusals <- c("reference", "tag", "complex_key", "directive", "second_document",
                   "block_header", "depth", "entries")

check_yaml <- function(text, file) {
  found <- yaml_outline(text, deepest_yaml, most_yaml_entries)
  if (found[1L] == 0L) return(invisible())
  why <- yaml_refusals[found[1L]]
  in_quotes <- c(i = "If this is meant as text, put it in quotes.")
  what <- switch(why,
    reference = c("anchors and aliases are not supported.", in_quotes),
    tag = c("tags are not supported.", in_quotes),
    complex_key = c("complex keys (?) are not supported.", in_quotes),
    directive = "directives are not supported.",
    second_document = c("a second document begins.", i = "Keep one document in a file."),
    block_header = c("text must not follow | or > in the same line.", in_quotes),
    depth = paste0("the file is nested more than ", deepest_yaml, " levels deep."),
    entries = paste0("the file has more than ", format_count(most_yaml_entries), " entries."))
  what[1L] <- paste0(quoted(file), ", line ", found[2L], ": ", what[1L])
  abort("file", what)
}
