# How much room a text takes, from a fixed table: an arrangement is the same on every machine and
# needs no open device.

# Widths of the printable ASCII characters, from the space on, in thousandths of the size of a sans
# serif font.
character_widths <-
  c(278, 278, 355, 556, 556, 889, 667, 222, 333, 333, 389, 584, 278, 584, 278, 278, 556, 556, 556,
    556, 556, 556, 556, 556, 556, 556, 278, 278, 584, 584, 584, 556, 1015, 667, 667, 722, 722, 667,
    611, 778, 722, 278, 500, 667, 556, 833, 722, 778, 667, 778, 722, 667, 611, 722, 667, 944, 667,
    667, 611, 278, 278, 278, 469, 556, 222, 556, 556, 500, 556, 556, 278, 556, 556, 222, 222, 500,
    222, 833, 556, 556, 556, 556, 333, 500, 278, 556, 500, 722, 500, 500, 500, 334, 260, 334, 584)
widest_font <- 1.16    # fonts that stand in for it are wider

# Width and height in inches of texts, lines apart by line breaks, at a size in points.
text_box <- function(text, points, bold = FALSE) {
  lines <- strsplit(enc2utf8(text), "\n", fixed = TRUE)
  width <- vapply(lines, function(x) max(0, vapply(x, line_width, 0)), 0)
  list(w = width * points / 72 * widest_font * (if (bold) 1.08 else 1) + 0.04,
       h = pmax(1L, lengths(lines)) * points * 1.2 / 72 + 0.01)
}

# In units of the font's size; what is not ASCII counts by its columns.
line_width <- function(line) {
  code <- utf8ToInt(line)
  known <- !is.na(code) & code >= 32L & code <= 126L
  sum(character_widths[code[known] - 31L]) / 1000 +
    0.62 * sum(nchar(intToUtf8(code[!known & !is.na(code)], multiple = TRUE), "width"))
}

# Long names on several lines, of about `most` characters: at spaces, after joints, else anywhere.
wrap_name <- function(name, most = 14L) {
  vapply(name, function(one) {
    if (nchar(one, "width") <= most) return(one)
    parts <- regmatches(one, gregexpr("[^ _.:/-]+[ _.:/-]*|[ _.:/-]+", one, perl = TRUE))[[1L]]
    parts <- unlist(lapply(parts, cut_text, most))
    lines <- character()
    line <- ""
    for (part in parts) {
      if (nzchar(line) && nchar(trimws(paste0(line, part), "right"), "width") > most) {
        lines <- c(lines, line)
        line <- ""
      }
      line <- paste0(line, part)
    }
    paste(trimws(c(lines, line), "right"), collapse = "\n")
  }, "", USE.NAMES = FALSE)
}

cut_text <- function(text, most) {
  if (nchar(text) <= most) return(text)
  starts <- seq(1L, nchar(text), by = most)
  substring(text, starts, pmin(starts + most - 1L, nchar(text)))
}
