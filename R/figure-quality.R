#' Draw the quality of measures
#'
#' `plot()` draws the results of [construct_quality()] and [variance_split()]: reliabilities and
#' average variance extracted with their intervals against the cut-offs, the largest variance shared
#' with another construct beside them; the general, specific and residual share of each item.
#'
#' @param x An object from one of these functions.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A ggplot object.
#' @section Errors: `orizzonte_error_input` for an unknown argument.
#' @seealso [construct_quality()], [variance_split()], [loading_plot()].
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' plot(construct_quality(suppressMessages(fit_model(bp, choirs))))
#' @name figures-of-measures
NULL

#' @rdname figures-of-measures
#' @export
plot.orizzonte_quality <- function(x, ...) {
  check_arguments("plot")
  points <- quality_points(x)
  lines <- list_frame(list(
    value = c(x$criteria$reliability, x$criteria$ave),
    panel = factor(rep(quality_panels, each = 2L), quality_panels)))
  level <- paste0(format(100 * x$asked$level), "%")
  looks <- c(omega = 19, alpha = 21, AVE = 15, `largest shared variance` = 4)
  aes <- ggplot2::aes
  .data <- rlang::.data
  dodge <- ggplot2::position_dodge(width = 0.5)
  ggplot2::ggplot(points, aes(.data$value, .data$construct,
                              group = -as.integer(.data$what))) +
    ggplot2::geom_vline(data = lines, mapping = aes(xintercept = .data$value),
                        colour = palette_dusk[["slate"]], linetype = "42", linewidth = 0.35) +
    ggplot2::geom_linerange(aes(xmin = .data$lower, xmax = .data$upper, colour = .data$what),
                            position = dodge, linewidth = 0.6, na.rm = TRUE) +
    ggplot2::geom_point(aes(shape = .data$what, colour = .data$what), position = dodge,
                        fill = "white", size = 2.4, stroke = 0.8, na.rm = TRUE) +
    ggplot2::facet_grid(rows = if (is.null(x$groups)) NULL else ggplot2::vars(.data$group),
                        cols = ggplot2::vars(.data$panel)) +
    ggplot2::scale_shape_manual(values = looks, name = NULL) +
    ggplot2::scale_colour_manual(values = c(omega = palette_dusk[["deep"]],
                                            alpha = palette_dusk[["slate"]],
                                            AVE = palette_dusk[["deep"]],
                                            `largest shared variance` = palette_dusk[["amber"]]),
                                 name = NULL) +
    ggplot2::scale_x_continuous(limits = range(0, 1, points$lower, points$upper, points$value,
                                               na.rm = TRUE),
                                breaks = share_breaks, labels = axis_numbers) +
    ggplot2::labs(x = NULL, y = NULL, title = text_of("quality_measures", title = x$title),
                  caption = text_of("bars_intervals_dashed_good", level = level)) +
    figure_theme() +
    ggplot2::theme(legend.position = "top", legend.justification = "left",
                   panel.spacing.x = grid::unit(0.3, "inches"),
                   strip.text.y = ggplot2::element_text(angle = 0))
}

quality_panels <- c("reliability", "average variance extracted")

# One row a point, with its interval.
quality_points <- function(x) {
  table <- x$table
  size <- nrow(table)
  none <- rep(NA_real_, size)
  values <- list(omega = table$omega, alpha = table$alpha, AVE = table$ave,
                 `largest shared variance` = table$largest_shared)
  lower <- list(table$omega_lower, table$alpha_lower, table$ave_lower, none)
  upper <- list(table$omega_upper, table$alpha_upper, table$ave_upper, none)
  points <- list_frame(list(
    construct = factor(rep(table$construct, 4L), rev(unique(table$construct))),
    group = factor(rep(table$group, 4L), unique(table$group)),
    what = factor(rep(names(values), each = size), names(values)), value = unlist(values),
    lower = unlist(lower), upper = unlist(upper),
    panel = factor(rep(quality_panels, each = 2L * size), quality_panels)))
  points[!is.na(points$value), ]
}

#' @rdname figures-of-measures
#' @export
plot.orizzonte_variance_split <- function(x, ...) {
  check_arguments("plot")
  items <- x$items
  size <- nrow(items)
  parts <- c("general", "specific", "residual")
  names <- c(text_of("general", general = x$general), "specific", "residual")
  bars <- list_frame(list(
    item = factor(rep(items$item, 3L), rev(unique(items$item))),
    factor = factor(rep(ifelse(is.na(items$factor), "none", items$factor), 3L),
                    unique(ifelse(is.na(items$factor), "none", items$factor))),
    group = factor(rep(items$group, 3L), unique(items$group)),
    part = factor(rep(names, each = size), rev(names)),
    share = unlist(unname(as.list(items)[parts]))))
  aes <- ggplot2::aes
  .data <- rlang::.data
  fill <- stats::setNames(c(palette_dusk[["deep"]], palette_dusk[["dune"]],
                            palette_dusk[["mist"]]), names)
  total <- x$scales[x$scales$factor == x$general, ]
  where <- ifelse(is.na(total$group), "", text_of("blueprint_in", where = total$group))
  ggplot2::ggplot(bars, aes(.data$share, .data$item, fill = .data$part)) +
    ggplot2::geom_col(width = 0.75, colour = "white", linewidth = 0.2) +
    ggplot2::facet_grid(rows = ggplot2::vars(.data$factor),
                        cols = if (!all(is.na(items$group))) ggplot2::vars(.data$group),
                        scales = "free_y", space = "free_y", switch = "y") +
    ggplot2::scale_fill_manual(values = fill, breaks = names, name = NULL) +
    ggplot2::scale_x_continuous(breaks = seq(0, 1, 0.2), labels = axis_numbers,
                                expand = c(0, 0.005)) +
    ggplot2::labs(x = text_of("share_item_s_variance"), y = NULL,
                  title = text_of("general_specific_title", title = x$title),
                  caption = paste0(text_of("omega_hierarchical_all_items"), where, ": ",
                                   format_share(total$omega_hierarchical), collapse = "; ")) +
    figure_theme() +
    ggplot2::theme(legend.position = "top", legend.justification = "left",
                   strip.placement = "outside",
                   strip.text.y.left = ggplot2::element_text(angle = 0, hjust = 1))
}

#' Draw the loadings
#'
#' Standardized loadings with their intervals, by construct, the strongest first; lines at .40 (weak
#' below) and .70 (half of the variance explained, Fornell & Larcker 1981). Items that load
#' negatively are drawn at their size and marked.
#'
#' @param fit A fit from [fit_model()].
#' @param level Level of the intervals.
#' @param wording Whether to write the item texts beside the items, when there are any.
#' @param group Which group, in a fit of several; the first when `NULL`, and the title says which.
#'   See [group_plot()] for all of them.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A ggplot object.
#' @section Errors: `orizzonte_error_input` for a model without loadings.
#' @references
#' Fornell, C., & Larcker, D. F. (1981). Evaluating structural equation models with unobservable
#' variables and measurement error. *Journal of Marketing Research, 18*(1), 39--50.
#' @seealso [path_diagram()], [group_plot()] for loadings by group.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' loading_plot(suppressMessages(fit_model(bp, choirs)))
#' @export
loading_plot <- function(fit, level = 0.95, wording = TRUE, group = NULL, ...) {
  check_arguments("loading_plot")
  check_fit(fit, "loading_plot")
  check_flag(wording, "`wording`")
  view <- one_view(fit, group)
  check_level(level)
  table <- view$layout
  rows <- which(table$rows$kind == "loading")
  if (length(rows) == 0L) abort("input", text_of("model_has_no_loadings"))
  at <- fit$layout$spans[[view$number]][rows]
  value <- standardized_of(fit)$value[at]
  half <- stats::qt((1 + level) / 2, reference_df(fit)) * standardized_of(fit)$se[at]
  half[is.na(half)] <- 0
  construct <- factor(table$rows$first[rows], table$constructs)
  order <- order(construct, -abs(value))
  words <- all_wordings(fit)
  item <- table$rows$second[rows]
  text <- item
  if (wording && any(item %in% names(words))) {
    known <- item %in% names(words)
    text[known] <- paste0(short_wording(words[item[known]], 48L), "   ", item[known])
  }
  points <-
    list_frame(list(construct = construct, key = paste(table$rows$first[rows], item, sep = "\r"),
                    value = abs(value), lower = abs(value) - half, upper = abs(value) + half,
                    sign = ifelse(value < 0, "negative", "positive")))
  points$key <- factor(points$key, rev(points$key[order]))
  texts <- stats::setNames(text, paste(table$rows$first[rows], item, sep = "\r"))
  aes <- ggplot2::aes
  .data <- rlang::.data
  ggplot2::ggplot(points, aes(.data$value, .data$key)) +
    ggplot2::geom_vline(xintercept = c(0.4, 0.7), colour = palette_dusk[["slate"]], linetype = "42",
                        linewidth = 0.35) +
    ggplot2::geom_segment(aes(x = .data$lower, xend = .data$upper, yend = .data$key),
                          colour = palette_dusk[["deep"]], linewidth = 0.7, na.rm = TRUE) +
    ggplot2::geom_point(aes(shape = .data$sign), colour = palette_dusk[["deep"]], fill = "white",
                        size = 2.6, stroke = 0.8, na.rm = TRUE) +
    ggplot2::facet_grid(rows = ggplot2::vars(.data$construct), scales = "free_y", space = "free_y",
                        switch = "y") +
    ggplot2::scale_shape_manual(values = c(positive = 19, negative = 21), name = NULL,
                                labels = c(positive = text_of("sign_positive"),
                                           negative = text_of("sign_negative"))) +
    ggplot2::scale_y_discrete(labels = function(key) texts[key]) +
    ggplot2::scale_x_continuous(limits = range(0, 1, points$lower, points$upper, na.rm = TRUE),
                                breaks = share_breaks, labels = axis_numbers) +
    ggplot2::labs(x = text_of("standardized_loading_interval", level = format(100 * level)),
                  y = NULL, title = paste0("Loadings: ", fit$request$blueprint$title,
        bracket_group(table, view$group)),
                  caption = loading_caption(view, unique(table$rows$first[rows][is.na(value)]))) +
    figure_theme() +
    ggplot2::theme(strip.placement = "outside",
                   strip.text.y.left = ggplot2::element_text(angle = 0, hjust = 1),
                   legend.position = if (any(value < 0, na.rm = TRUE)) "top" else "none",
                   legend.justification = "left", axis.text.y = ggplot2::element_text(hjust = 1),
                   panel.spacing.y = grid::unit(8, "pt"))
}

# `without`: constructs whose variance is negative, so that they have no standardized loadings.
loading_caption <- function(view, without) {
  paste(c(text_of("dashed_40_weak_below", moments = format_count(view$moments$n)),
          if (length(without)) text_of("no_standardized_loadings", names = enumerate(without))),
        collapse = "\n")
}

short_wording <- function(text, width) {
  ifelse(nchar(text) > width, paste0(substr(text, 1L, width - 3L), "..."), text)
}

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

most_bars <- 100  # of width one

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
  missing <- table$missing[at]
  panels <- lapply(seq_along(drawn), function(i) {
    v <- x$data[[drawn[i]]]
    v <- v[!is.na(v)]
    whole <- all(v == round(v))
    breaks <- if (whole && length(unique(v)) <= 12L && diff(range(v)) <= most_bars)
      seq(min(v) - 0.5, max(v) + 0.5, 1) else pretty(range(v), 16L)
    counted <- graphics::hist(v, breaks = breaks, plot = FALSE)
    coded <- findInterval(x$codes[[drawn[i]]], counted$breaks, rightmost.closed = TRUE,
                          left.open = TRUE)
    look <- nzchar(note[i]) &
      (note[i] != screen_words[["code"]] | seq_along(counted$counts) %in% coded)
    gap <- 0.04 * diff(counted$breaks)
    list(title = title[i], span = range(counted$breaks), whole = whole, bars = list(
      from = counted$breaks[-length(counted$breaks)] + gap, to = counted$breaks[-1L] - gap,
      n = counted$counts, fill = unname(palette_dusk[ifelse(look, "amber", "slate")])))
  })
  small_histograms(panels) +
    ggplot2::labs(x = NULL, y = text_of("axis_rows"), title = text_of("data_screening"),
                  caption = text_of("columns_shown", rows = count_of(x$rows, "row"),
                                    missing = count_of(sum(missing), "missing value"),
                                    noted = if (length(noted))
                                     text_of("amber_columns"),
                                    data = if (length(drawn) < length(x$data))
                                     text_of("more_columns_not_shown",
                                             drawn = length(x$data) - length(drawn))))
}

# --- small histograms ----------------------------------------------------------------------------

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
