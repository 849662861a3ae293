# A YAML file, read as text throughout: `y`, `n`, `on`, `no` and numbers stay as they were written,
# and nothing is evaluated.

deepest_yaml <- 100L

read_yaml_file <- function(file) {
  check_readable(file)
  text <- read_text(file)
  if (!nzchar(trimws(text))) abort("file", paste0(quoted(file), " is empty."))
  check_yaml(text, file)
  as_text <- function(x) x
  # told outside: a handler that fails would be caught by the other one
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

# What no blueprint needs: nesting without end, references that multiply, a second document.
check_yaml <- function(text, file) {
  lines <- strsplit(text, "\n", fixed = TRUE)[[1L]]
  open <- nchar(gsub("[^[{]", "", text)) > 0L
  depth <- if (open) max(cumsum(unlist(lapply(strsplit(gsub("[^][{}]", "", text), "")[[1L]],
                                              function(x) if (x %in% c("[", "{")) 1L else -1L))))
  lead <- regmatches(lines, regexpr("^([ ]*(- )*)*", lines))
  steps <- nchar(gsub("[^-]", "", lead)) + nchar(gsub("[^ ]", "", lead)) / 2
  if (max(0L, depth) > deepest_yaml || max(steps) > deepest_yaml)
    abort("file", paste0(quoted(file), " is nested more than ", deepest_yaml, " levels deep."))
  anchor <- grep("^[^\"'#]*(:|-)[ ]+&[[:alnum:]_]+", lines)
  if (length(anchor))
    abort("file", paste0(quoted(file), ", line ", anchor[1L], ": anchors are not read."))
  content <- which(nzchar(trimws(lines)) & !startsWith(trimws(lines), "#"))
  again <- grep("^(---|[.][.][.])([[:space:]]|$)", lines)
  again <- again[again > content[1L] & again < max(content) | startsWith(lines[again], "---") &
                   again > content[1L]]
  if (length(again)) {
    abort("file", c(paste0(quoted(file), ", line ", again[1L], ": a second document begins."),
                    i = "Keep one document in a file."))
  }
}
