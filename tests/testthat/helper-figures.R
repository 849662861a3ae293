# For tests of tables and texts: until the calling test ends, every figure is a blank picture, which
# takes no time to draw. The contents of figures are tested with figures.
blank_figures <- function(env = parent.frame()) {
  blank <- function(plot, path, ending, ...) {
    if (ending == "svg") {
      writeLines(c("<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"8\" height=\"8\">",
                   "<!-- nothing is drawn in this picture, but it is a whole one -->", "</svg>"),
                 path)
    } else {
      grDevices::png(path, 8, 8)
      grid::grid.newpage()
      grDevices::dev.off()
    }
    invisible()
  }
  put <- function(value) {
    namespace <- asNamespace("orizzonte")
    unlockBinding("draw_figure", namespace)
    assign("draw_figure", value, envir = namespace)
    lockBinding("draw_figure", namespace)
  }
  drawn <- get("draw_figure", envir = asNamespace("orizzonte"))
  put(blank)
  do.call(on.exit, list(bquote(.(put)(.(drawn))), add = TRUE), envir = env)
}

# Runs code in a window with this number of columns.
at_width <- function(width, code) {
  before <- options(width = width)
  on.exit(options(before))
  force(code)
}
