# Codes that mean missing: numbers such as -9, or texts such as "n/a".

check_missing_codes <- function(codes) {
  if (is.null(codes) || ((is.numeric(codes) || is.character(codes)) && !anyNA(codes)))
    return(invisible())
  abort("input", c(text_of("missing_codes_must_be"),
                   i = text_of("such_missing_codes_c")))
}

# Which values are codes. A number is one however it was written.
is_code <- function(x, codes) {
  if (length(codes) == 0L) return(logical(length(x)))
  if (!is.numeric(x)) return(trimws(as.character(x)) %in% trimws(as.character(codes)))
  if (is.character(codes)) codes <- suppressWarnings(as.numeric(codes))
  x %in% codes[!is.na(codes)]
}

# A column of text that holds nothing but numbers once text codes are taken out, as numbers.
without_text_codes <- function(x, codes) {
  if (!is.character(codes) || !(is.character(x) || is.factor(x))) return(x)
  text <- as.character(x)
  text[is_code(text, codes)] <- NA
  numbers <- suppressWarnings(as.numeric(text))
  if (all(is.na(numbers) == is.na(text))) numbers else x
}
