# How a screen is shown.

#' @export
print.orizzonte_screen <- function(x, ...) {
  cat(format_screen(x), sep = "\n")
  invisible(x)
}

#' @export
as.data.frame.orizzonte_screen <- function(x, ...) x$columns

format_screen <- function(x) {
  table <- x$columns
  short <- function(v) ifelse(is.na(v), "", ifelse(abs(v) >= 1000 | v == round(v), formatC(v, digits = 6L, format = "g", width = 1L), format_fixed(v, 2L)))
  columns <- list(variable = table$variable, type = sub("whole numbers", "whole", table$type), n = format_count(table$n), missing = format_count(table$missing),
                  values = format_count(table$distinct), min = short(table$min), max = short(table$max), mean = format_fixed(table$mean, 2L),
                  sd = format_fixed(table$sd, 2L), skew = format_fixed(table$skew, 2L), kurtosis = format_fixed(table$kurtosis, 2L),
                  VIF = ifelse(is.infinite(table$inflation), "Inf", format_fixed(table$inflation, 1L)), note = table$note)
  lines <- c(heading("Data screening"), paste0(count_of(x$rows, "row"), ", ", count_of(nrow(table), "column"), "; ", count_of(x$complete, "row"), " complete"),
             "", format_table(columns, c(FALSE, FALSE, rep(TRUE, 10L), FALSE)))
  if (any(lengths(x$codes))) lines <- c(lines, "  Odd codes are counted as missing here; declare them, and they are so everywhere.")
  if (!is.null(x$groups)) {
    lines <- c(lines, "", paste0("Groups by ", x$by), format_table(list(group = x$groups$group, n = format_count(x$groups$n)), c(FALSE, TRUE)))
  }
  if (nrow(x$patterns) > 1L) {
    shown <- utils::head(x$patterns, 6L)
    missing <- ifelse(nzchar(shown$missing), shown$missing, "(nothing)")
    long <- nchar(missing) > 56L
    missing[long] <- paste0(substr(missing[long], 1L, 53L), "...")
    lines <- c(lines, "", "Patterns of missing values", format_table(list(rows = format_count(shown$rows), missing = missing), c(TRUE, FALSE)),
               if (nrow(x$patterns) > 6L) paste0("  and ", nrow(x$patterns) - 6L, " more patterns"))
  }
  if (!is.null(x$normality)) {
    n <- x$normality
    lines <- c(lines, "", "Multivariate normality (Mardia 1970)",
               format_table(list(measure = n$measure, value = format_fixed(n$value, 2L), expected = format_fixed(n$expected, 2L),
                                 statistic = format_fixed(n$statistic, 2L), p = format_p(n$p)), c(FALSE, rep(TRUE, 4L))),
               if (anyNA(n$value)) "  skewness is left out: it would take minutes for so many rows and columns")
  }
  if (nrow(x$outliers)) {
    far <- utils::head(x$outliers, 5L)
    lines <- c(lines, "", "Rows far from the rest (Mahalanobis, p < .001)",
               format_table(list(row = format_count(far$row), `squared distance` = format_fixed(far$distance, 1L), p = format_p(far$p))),
               if (nrow(x$outliers) > 5L) paste0("  and ", nrow(x$outliers) - 5L, " more"))
  }
  advice <- if (nrow(x$advice)) wrap_lines(paste0(seq_len(nrow(x$advice)), ". ", x$advice$advice), indent = 2L, hang = 5L) else "  Nothing stands out."
  c(lines, "", "What to do", advice, "", if (x$blueprint) "Next: fit_model(blueprint, data)" else
    c("Give the blueprint, as in screen_data(data, blueprint), to find items keyed against their construct.",
      "Next: blueprint(), then fit_model(blueprint, data)"))
}

#' Draw a screen of the data
#'
#' One small histogram for each numeric column; columns that need a look are
#' named by the reason and drawn in another colour (odd codes: only their bar).
#'
#' @param x A screen from [screen_data()].
#' @param columns At most so many columns; those with a note are kept first.
#' @param ... Not used.
#' @return A ggplot object.
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
    breaks <- if (length(unique(v)) <= 12L && all(v == round(v))) seq(min(v) - 0.5, max(v) + 0.5, 1) else pretty(range(v), 16L)
    counted <- graphics::hist(v, breaks = breaks, plot = FALSE)
    coded <- findInterval(x$codes[[drawn[i]]], counted$breaks, rightmost.closed = TRUE, left.open = TRUE)
    look <- nzchar(note[i]) & (note[i] != screen_words[["code"]] | seq_along(counted$counts) %in% coded)
    list_frame(list(column = rep(title[i], length(counted$counts)), x = counted$mids, n = counted$counts, width = diff(counted$breaks) * 0.92,
                    look = ifelse(look, "look at it", "as expected")))
  }))
  bars$column <- factor(bars$column, levels = title)
  .data <- rlang::.data
  missing <- table$missing[at]
  ggplot2::ggplot(bars, ggplot2::aes(.data$x, .data$n, width = .data$width, fill = .data$look)) +
    ggplot2::geom_col() +
    ggplot2::facet_wrap(~column, scales = "free") +
    ggplot2::scale_fill_manual(values = c(`as expected` = palette_dusk[["slate"]], `look at it` = palette_dusk[["amber"]]), guide = "none") +
    ggplot2::labs(x = NULL, y = "rows", title = "Data screening",
                  caption = paste0(count_of(x$rows, "row"), "; ", count_of(sum(missing), "missing value"), " in the columns shown",
                                   if (length(noted)) "; amber: look at it, for the reason in the title", if (length(drawn) < length(x$data))
                                     paste0("; ", length(x$data) - length(drawn), " more columns not shown"))) +
    figure_theme() +
    ggplot2::theme(panel.grid.major.x = ggplot2::element_blank(), strip.text = ggplot2::element_text(face = "plain"))
}
