# Histograms of screened columns.

#' Draw a screen of the data
#'
#' `"columns"`: one small histogram for each numeric column; columns that need a look are named by
#' the reason and drawn in another colour (odd codes: only their bar). `"missing"`: the patterns of
#' missing values, one row each, the most frequent first, with how many rows of the data have it.
#'
#' @param x A screen from [screen_data()].
#' @param what `"columns"` or `"missing"`.
#' @param columns The largest number of columns to draw; columns with a note have priority.
#' @param ... Not used.
#' @return A ggplot object.
#' @section Errors: `orizzonte_error_input` for an unknown argument.
#' @seealso [screen_data()] for the remarks.
#' @examples
#' plot(screen_data(choirs_troubled))
#' plot(screen_data(choirs, c(be1:be4, st1:st3)), what = "missing")
#' @export
plot.orizzonte_screen <- function(x, what = "columns", columns = 24L, ...) {
  check_arguments("plot")
  what <- choose_one(what, c("columns", "missing"), "`what`")
  if (what == "missing") return(pattern_plot(x))
  column_plot(x, columns)
}

most_patterns <- 20L        # drawn

# Patterns of missing values: rows of squares, dark where a value is missing.
pattern_plot <- function(x) {
  incomplete <- which(nzchar(x$patterns$missing))
  p <- x$patterns[incomplete, , drop = FALSE]
  if (nrow(p) == 0L) abort("input", text_of("nothing_is_missing_there"))
  shown <- utils::head(p, most_patterns)
  unseen <- attr(x$patterns, "variables")[incomplete[seq_len(nrow(shown))]]
  variables <- intersect(names(x$data), unlist(unseen))
  count <- nrow(shown)
  words <- c(text_of("value_missing"), text_of("value_observed"))
  cells <- list_frame(list(
    variable = factor(rep(variables, each = count), variables), row = rep(seq_len(count),
        length(variables)),
    state = ifelse(unlist(lapply(variables, function(v) {
      vapply(unseen, function(h) v %in% h, NA)
    })), words[1L], words[2L])))
  whole <- sum(x$patterns$rows[!nzchar(x$patterns$missing)])
  .data <- rlang::.data
  ggplot2::ggplot(cells, ggplot2::aes(.data$variable, .data$row, fill = .data$state)) +
    ggplot2::geom_tile(colour = "white", linewidth = 0.6) +
    ggplot2::scale_fill_manual(values = stats::setNames(palette_dusk[c("amber", "mist")], words),
                               name = NULL) +
    ggplot2::scale_y_reverse(breaks = seq_len(count), labels = format_count(shown$rows),
                             expand = c(0, 0.5)) +
    ggplot2::scale_x_discrete(position = "top") +
    ggplot2::labs(x = NULL, y = text_of("axis_rows"), title = text_of("patterns_of_missing_values"),
                  caption = text_of("rows_miss_nothing", whole = format_count(whole),
                                    rows = format_count(x$rows),
                                    count = if (nrow(p) > count) text_of("not_shown",
                                        count = count_of(nrow(p) - count, "rarer pattern")))) +
    figure_theme() +
    ggplot2::theme(panel.grid = ggplot2::element_blank(), legend.position = "bottom",
                   axis.text.x.top = ggplot2::element_text(angle = 60, hjust = 0))
}

# Histograms.
column_plot <- function(x, columns) {
  if (!is.numeric(columns) || length(columns) != 1L || is.na(columns) || columns < 1) {
    abort("input", text_of("columns_must_be_one"))
  }
  table <- x$columns
  drawn <- table$variable[table$variable %in% names(x$data)]
  if (length(drawn) == 0L) abort("input", text_of("there_are_no_numeric"))
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
    ggplot2::labs(x = NULL, y = text_of("axis_rows"), title = text_of("data_screening"),
                  caption = text_of("columns_shown", rows = count_of(x$rows, "row"),
                                    missing = count_of(sum(missing), "missing value"),
                                    noted = if (length(noted))
                                     text_of("amber_columns"),
                                    data = if (length(drawn) < length(x$data))
                                     text_of("more_columns_not_shown",
                                             drawn = length(x$data) - length(drawn)))) +
    figure_theme() +
    ggplot2::theme(panel.grid.major.x = ggplot2::element_blank(),
                   strip.text = ggplot2::element_text(face = "plain"))
}
