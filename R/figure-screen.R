# Histograms of screened columns.

#' Draw a screen of the data
#'
#' One small histogram for each numeric column; columns that need a look are
#' named by the reason and drawn in another colour (odd codes: only their bar).
#'
#' @param x A screen from [screen_data()].
#' @param columns At most so many columns; those with a note are kept first.
#' @param ... Not used.
#' @return A ggplot object.
#' @section Errors: `orizzonte_error_input` for an unknown argument.
#' @seealso [screen_data()] for the remarks.
#' @examples
#' plot(screen_data(choirs_troubled))
#' @export
plot.orizzonte_screen <- function(x, columns = 24L, ...) {
  if (!is.numeric(columns) || length(columns) != 1L || is.na(columns) || columns < 1) {
    abort("input", "`columns` must be one number, such as 24.")
  }
  table <- x$columns
  drawn <- table$variable[table$variable %in% names(x$data)]
  if (length(drawn) == 0L) abort("input", "There are no numeric columns to draw.")
  noted <- drawn[nzchar(table$note[match(drawn, table$variable)])]
  drawn <- intersect(drawn, utils::head(c(noted, setdiff(drawn, noted)), columns))
  at <- match(drawn, table$variable)
  note <- table$note[at]
  title <- paste0(drawn, ifelse(nzchar(note), paste0(": ", note), ""))
  bars <- do.call(rbind, lapply(seq_along(drawn), function(i) {
    v <- x$data[[drawn[i]]]
    v <- v[!is.na(v)]
    breaks <- if (length(unique(v)) <= 12L && all(v == round(v))) seq(min(v) - 0.5, max(v) + 0.5,
        1) else pretty(range(v), 16L)
    counted <- graphics::hist(v, breaks = breaks, plot = FALSE)
    coded <- findInterval(x$codes[[drawn[i]]], counted$breaks, rightmost.closed = TRUE,
                          left.open = TRUE)
    look <- nzchar(note[i]) &
      (note[i] != screen_words[["code"]] | seq_along(counted$counts) %in% coded)
    list_frame(list(column = rep(title[i], length(counted$counts)), x = counted$mids,
                    n = counted$counts, width = diff(counted$breaks) * 0.92,
                    look = ifelse(look, "look at it", "as expected")))
  }))
  bars$column <- factor(bars$column, levels = title)
  .data <- rlang::.data
  missing <- table$missing[at]
  ggplot2::ggplot(bars, ggplot2::aes(.data$x, .data$n, width = .data$width, fill = .data$look)) +
    ggplot2::geom_col() +
    ggplot2::facet_wrap(~column, scales = "free") +
    ggplot2::scale_fill_manual(values = c(`as expected` = palette_dusk[["slate"]],
                                          `look at it` = palette_dusk[["amber"]]), guide = "none") +
    ggplot2::labs(x = NULL, y = "rows", title = "Data screening",
                  caption = paste0(count_of(x$rows, "row"), "; ",
                                   count_of(sum(missing), "missing value"), " in the columns shown",
                                   if (length(noted))
                                     "; amber: look at it, for the reason in the title",
                                     if (length(drawn) < length(x$data))
                                     paste0("; ", length(x$data) - length(drawn),
                                            " more columns not shown"))) +
    figure_theme() +
    ggplot2::theme(panel.grid.major.x = ggplot2::element_blank(),
                   strip.text = ggplot2::element_text(face = "plain"))
}
