# The one way in which the printed form of a value reaches the screen.

# Line by line. What is wider than the window goes on below, further to the right; commands to be
# pasted stay whole.
put_lines <- function(...) {
  lines <- c(...)
  if (length(lines)) writeLines(fold_lines(showable(lines)))
}

fold_lines <- function(lines) {
  width <- table_width()
  wide <- nchar(lines, "width") > width & !grepl(command_line, lines)
  folded <- as.list(lines)
  folded[wide] <- lapply(lines[wide], function(line) {
    start <- nchar(sub("^( *(- |[0-9]+[.] )?).*", "\\1", line))
    text <- strwrap(substring(line, start + 1L), width - start, exdent = if (start) 0L else 2L)
    paste0(c(substr(line, 1L, start), rep(strrep(" ", start), length(text) - 1L)), text)
  })
  unlist(folded)
}

command_line <- "^ *(Next: )?orizzonte "
