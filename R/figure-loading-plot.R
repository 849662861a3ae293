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
                          colour = palette_dusk[["deep"]], linewidth = 0.7) +
    ggplot2::geom_point(aes(shape = .data$sign), colour = palette_dusk[["deep"]], fill = "white",
                        size = 2.6, stroke = 0.8) +
    ggplot2::facet_grid(rows = ggplot2::vars(.data$construct), scales = "free_y", space = "free_y",
                        switch = "y") +
    ggplot2::scale_shape_manual(values = c(positive = 19, negative = 21), name = NULL,
                                labels = c(positive = text_of("sign_positive"),
                                           negative = text_of("sign_negative"))) +
    ggplot2::scale_y_discrete(labels = function(key) texts[key]) +
    ggplot2::scale_x_continuous(limits = c(min(0, points$lower), max(1, points$upper)),
                                breaks = seq(0, 1, 0.2)) +
    ggplot2::labs(x = text_of("standardized_loading_interval", level = format(100 * level)),
                  y = NULL, title = paste0("Loadings: ", fit$request$blueprint$title,
        bracket_group(table, view$group)),
                  caption =
                  text_of("dashed_40_weak_below", moments = format_count(view$moments$n))) +
    figure_theme() +
    ggplot2::theme(strip.placement = "outside",
                   strip.text.y.left = ggplot2::element_text(angle = 0, hjust = 1),
                   legend.position = if (any(value < 0)) "top" else "none",
                   legend.justification = "left", axis.text.y = ggplot2::element_text(hjust = 1),
                   panel.spacing.y = grid::unit(8, "pt"))
}

short_wording <- function(text, width) {
  ifelse(nchar(text) > width, paste0(substr(text, 1L, width - 3L), "..."), text)
}
