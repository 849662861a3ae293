# The pattern of a text of the package, whatever its wording: given values are matched literally (a
# value that ends with "..." matches a beginning), all others may be anything; lines may be folded
# anywhere.
text_pattern <- function(.name, ...) {
  template <- trimws(texts$table[[.name]])
  values <- list(...)
  parts <- regmatches(template, gregexpr("[{][^{}]+[}]|[{]{2}|[}]{2}|[^{}]+", template))[[1L]]
  literal <- function(text) gsub("([][{}()+*^$|\\\\?.])", "\\\\\\1", text)
  pattern <- vapply(parts, function(part) {
    if (part %in% c("{{", "}}")) return(literal(substr(part, 1L, 1L)))
    if (!startsWith(part, "{")) return(literal(part))
    inside <- substr(part, 2L, nchar(part) - 1L)
    if (startsWith(inside, "qty(")) return("")
    if (startsWith(inside, "?")) {
      forms <- strsplit(substring(inside, 2L), "/", fixed = TRUE)[[1L]]
      return(paste0("(", paste(c(literal(forms), ""), collapse = "|"), ")"))
    }
    value <- values[[inside]]
    if (is.null(value)) return(".*")
    if (endsWith(value, "...")) paste0(literal(sub("[.]{3}$", "", value)), ".*") else literal(value)
  }, "")
  gsub(" +", "\\\\s+", paste(pattern, collapse = ""))
}
