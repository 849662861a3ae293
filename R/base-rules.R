# Rules that several stages share. A rule is a pure function from numbers to a code of a closed set;
# codes become words only in tables of texts.

# What a test of single parameters says, from its significance, from whether the expected change is
# large enough to matter, and from whether the test has the power to detect a change that matters
# (Saris, Satorra & van der Veld 2009). Vectors; one code per element:
#   "misspecified"      significant, and large or not powerful enough to call it small
#   "negligible"        significant, but small, in a test of enough power
#   "not_misspecified"  not significant in a test of enough power
#   "cannot_tell"       not significant in a test of too little power, or of unknown power
# An unknown size or power of a significant test counts against the parameter; an unknown test says
# nothing.
rule_change <- function(significant, large, powerful) {
  powerful <- powerful %in% TRUE
  code <- ifelse(significant, ifelse(powerful & large %in% FALSE, "negligible", "misspecified"),
                 ifelse(powerful, "not_misspecified", "cannot_tell"))
  ifelse(is.na(code), "cannot_tell", code)
}

# Which of two nested models their difference test supports, about the one that has `df_change` more
# degrees of freedom than the other: "fits_as_well", "fits_worse", "fits_better", or NA without a
# test. Vectors.
rule_difference <- function(p_change, df_change, level) {
  ifelse(is.na(p_change), NA_character_,
         ifelse(p_change >= level, "fits_as_well",
                ifelse(df_change > 0, "fits_worse", "fits_better")))
}

# A set of codes in one cell of a table, and the codes that are in it.
set_of <- function(codes) paste(codes, collapse = ", ")
codes_in <- function(set) {
  if (is.na(set)) character() else strsplit(set, ", ", fixed = TRUE)[[1L]]
}

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

# A column of text that holds nothing but numbers once codes are taken out, as numbers; a factor
# only where text codes are given, since its numbers may be labels.
without_text_codes <- function(x, codes) {
  if (!is.character(x) && !(is.factor(x) && is.character(codes))) return(x)
  text <- as.character(x)
  text[is_code(text, codes)] <- NA
  numbers <- suppressWarnings(as.numeric(text))
  if (all(is.na(numbers) == is.na(text))) numbers else x
}
