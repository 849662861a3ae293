# Tables as text: aligned, and within the window.

# Columns of text, numbers to the right. In a window too narrow for all, as many of the columns that
# `spare` titles as must make room, the first ones first, and a line names them. Where that would
# not do, the last column goes on below itself, if it is of words; else the columns go into blocks
# below each other, each with the first column before it.
format_table <- function(columns, right = rep(TRUE, length(columns)), indent = 2L,
                         spare = character()) {
  cells <- Map(padded_cells, names(columns), columns, right)
  room <- table_width() - indent
  spared <- spared_columns(cells, match(spare, names(columns)), room)
  kept <- setdiff(seq_along(cells), spared)
  lines <- if (wrapped_last(cells[kept], right[kept], room))
    lines_with_words(cells[kept], room) else
    unlist(lapply(column_blocks(cells[kept], room), function(block) {
      c(if (block[1L] > 2L) "", paste_cells(cells[kept][c(1L, setdiff(block, 1L))]))
    }))
  if (length(spared))
    lines <- c(lines, wrap_to(text_of("wider_window_also",
                                      spared = enumerate(showable(names(columns)[spared]))), room))
  sub(" +$", "", paste0(strrep(" ", indent), lines))
}

# What a table may fill: text is easier to read in shorter lines, figures are not.
table_width <- function() max(narrowest_window, getOption("width", 80L))
narrowest_window <- 60L

padded_cells <- function(title, values, to_right) {
  values <- showable(c(title, values))
  width <- nchar(values, "width")
  pad <- strrep(" ", max(width) - width)
  if (to_right) paste0(pad, values) else paste0(values, pad)
}

paste_cells <- function(cells) do.call(paste, c(unname(cells), sep = "  "))

cells_width <- function(cells) sum(vapply(cells, function(x) nchar(x[1L], "width") + 2L, 0L)) - 2L

# Those of the spare columns that must go for the others to fit; none when that would not do.
spared_columns <- function(cells, spare, room) {
  spare <- spare[!is.na(spare)]
  for (many in c(0L, seq_along(spare))) {
    gone <- utils::head(spare, many)
    if (cells_width(cells[setdiff(seq_along(cells), gone)]) <= room) return(gone)
  }
  integer()
}

narrowest_words <- 24L

# Is the last column one of words for which enough room is left beside the others?
wrapped_last <- function(cells, right, room) {
  last <- length(cells)
  last > 1L && cells_width(cells) > room && !right[last] &&
    room - cells_width(cells[-last]) - 2L >= narrowest_words
}

lines_with_words <- function(cells, room) {
  last <- length(cells)
  others <- paste_cells(cells[-last])
  width <- nchar(others[1L], "width")
  unlist(Map(function(before, words) {
    words <- wrap_to(sub(" +$", "", words), room - width - 2L)
    paste0(c(before, rep(strrep(" ", width), length(words) - 1L)), "  ", words)
  }, others, cells[[last]]), use.names = FALSE)
}

wrap_to <- function(text, width) {
  out <- strwrap(text, width + 1L)
  if (length(out)) out else ""
}

# The columns after the first in runs that fit beside it.
column_blocks <- function(cells, room) {
  widths <- vapply(cells, function(x) nchar(x[1L], "width") + 2L, 0L)
  blocks <- list()
  run <- integer()
  for (k in seq_along(cells)[-1L]) {
    if (length(run) && sum(widths[c(1L, run, k)]) - 2L > room) {
      blocks <- c(blocks, list(run))
      run <- integer()
    }
    run <- c(run, k)
  }
  c(blocks, list(if (length(run)) run else 1L))
}
