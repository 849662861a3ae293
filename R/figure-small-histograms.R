# Many small histograms in one panel: facets with axes of their own take ggplot2 several times as
# long.

# `panels`: a list of list(title, span: of the horizontal axis, bars: `from`, `to`, `n` and `fill`
# of each bar, and optionally `whole`: whether all values are whole numbers, `band`: an interval
# drawn behind the bars, and `line`: a value drawn in front of them). The panels are placed row by
# row.
small_histograms <- function(panels) {
  columns <- ceiling(sqrt(length(panels)))
  rows <- ceiling(length(panels) / columns)
  parts <- lapply(seq_along(panels), function(k) {
    histogram_parts(panels[[k]], left = (k - 1) %% columns, below = -((k - 1) %/% columns) - 1)
  })
  part <- function(name) do.call(rbind, lapply(parts, `[[`, name))
  aes <- ggplot2::aes
  .data <- rlang::.data
  ink <- palette_dusk[["ink"]]
  rectangle <- aes(xmin = .data$x0, xmax = .data$x1, ymin = .data$y0, ymax = .data$y1,
                   fill = .data$fill)
  piece <- aes(x = .data$x0, xend = .data$x1, y = .data$y0, yend = .data$y1)
  ggplot2::ggplot(part("bars")) +
    (if (length(part("band"))) ggplot2::geom_rect(rectangle, part("band"))) +
    ggplot2::geom_segment(piece, part("grid"), colour = "grey92", linewidth = 0.35) +
    ggplot2::geom_rect(rectangle) +
    (if (length(part("line")))
      ggplot2::geom_segment(piece, part("line"), colour = palette_dusk[["amber"]],
                            linewidth = 0.6)) +
    ggplot2::geom_text(aes(.data$x, .data$y, label = .data$text, hjust = .data$hjust,
                           vjust = .data$vjust), part("text"), size = 8 / ggplot2::.pt,
                       colour = ink) +
    ggplot2::scale_fill_identity() +
    ggplot2::scale_x_continuous(limits = c(0, columns), expand = c(0, 0)) +
    ggplot2::scale_y_continuous(limits = c(-rows, 0), expand = c(0, 0)) +
    figure_theme() +
    ggplot2::theme(panel.grid = ggplot2::element_blank(), axis.text = ggplot2::element_blank())
}

# The rectangles, lines and texts of one histogram in its cell of width and height 1.
histogram_parts <- function(panel, left, below) {
  bars <- panel$bars
  span <- panel$span
  top <- max(bars$n, 1)
  x <- function(value) left + 0.17 + 0.78 * (value - span[1L]) / diff(span)
  y <- function(n) below + 0.2 + 0.62 * n / top
  inside <- function(at, range) at[at >= range[1L] - 1e-9 & at <= range[2L] + 1e-9]
  at <- inside(pretty(span, 4L), span)
  if (isTRUE(panel$whole)) at <- at[at == round(at)]
  counts <- inside(pretty(c(0, top), 3L), c(0, top))
  pieces <- function(x0, x1, y0, y1, ...) {
    list_frame(list(x0 = x0, x1 = x1, y0 = y0, y1 = y1, ...))
  }
  text <- function(x, y, text, hjust, vjust) {
    count <- length(text)
    list_frame(list(x = rep(x, length.out = count), y = rep(y, length.out = count), text = text,
                    hjust = rep(hjust, count), vjust = rep(vjust, count)))
  }
  list(
    band = if (length(panel$band) && !anyNA(panel$band))
      pieces(x(panel$band[1L]), x(panel$band[2L]), y(0), y(top), fill = palette_dusk[["sand"]]),
    grid = pieces(rep(x(span[1L]), length(counts)), rep(x(span[2L]), length(counts)), y(counts),
                  y(counts)),
    bars = pieces(x(bars$from), x(bars$to), rep(y(0), length(bars$n)), y(bars$n),
                  fill = bars$fill, panel = rep(panel$title, length(bars$n)), n = bars$n),
    line = if (length(panel$line))
      pieces(x(panel$line), x(panel$line), y(0), y(top)),
    text = rbind(text(x(span[1L]), below + 0.9, panel$title, 0, 0.5),
                 text(x(at), below + 0.165, axis_numbers(at, bounded = FALSE), 0.5, 1),
                 text(x(span[1L]) - 0.02, y(counts), format_count(counts), 1, 0.5)))
}
