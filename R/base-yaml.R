# Reads a YAML file with all values as text: `y`, `n`, `on`, `no` and numbers are kept as written,
# and nothing is evaluated.

read_yaml_file <- function(file) {
  check_readable(file)
  if (file.size(file) > largest_yaml)
    abort("file", text_of("is_larger_than_megabytes", file = quoted(file), e6 = largest_yaml / 1e6))
  text <- read_text(file)
  if (!nzchar(trimws(text))) abort("file", text_of("is_empty", file = quoted(file)))
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
  abort("file", c(text_of("is_not_readable_yaml", file = quoted(file)),
                  x = conditionMessage(condition)))
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
  in_quotes <- c(i = text_of("if_is_meant_text"))
  what <- switch(why,
    reference = c(text_of("anchors_aliases_are_not"), in_quotes),
    tag = c(text_of("tags_are_not_supported"), in_quotes),
    complex_key = c(text_of("complex_keys_are_not"), in_quotes),
    directive = text_of("directives_are_not_supported"),
    second_document = c(text_of("second_document_begins"), i = text_of("keep_one_document_file")),
    block_header = c(text_of("text_must_not_follow"), in_quotes),
    depth = text_of("file_is_nested_more", deepest_yaml = deepest_yaml),
    entries = text_of("file_has_more_than", most_yaml_entries = format_count(most_yaml_entries)))
  what[1L] <- text_of("line", file = quoted(file), found = found[2L], what = what[1L])
  abort("file", what)
}
