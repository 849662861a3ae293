#' Draw means and non-invariance of many groups
#'
#' `show = "means"` draws the means of the groups with their intervals, sorted; `show = "items"` a
#' map of the loadings and intercepts of all items in all groups, with those that differ marked.
#'
#' @param x What [approximate_means()] returned.
#' @param show `"means"` or `"items"`.
#' @param ... Not used.
#' @return A ggplot object.
#' @section Errors: `orizzonte_error_input` for another word.
#' @seealso [approximate_means()].
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
#' found <- approximate_means(suppressMessages(fit_model(bp, choirs, by = town)))
#' plot(found)
#' plot(found, show = "items")
#' @export
plot.orizzonte_approximate_means <- function(x, show = "means", ...) {
  check_arguments("plot")
  show <- choose_one(show, c("means", "items"), "`show`")
  if (show == "means") approximate_figure(x) else difference_map(x)
}

approximate_figure <- function(x) {
  points <- x$means
  # groups are sorted within each construct
  key <- paste(points$construct, points$group, sep = "\r")
  points$place <- factor(key, key[order(points$mean)])
  names <- stats::setNames(points$group, key)
  .data <- rlang::.data
  ggplot2::ggplot(points, ggplot2::aes(.data$mean, .data$place)) +
    ggplot2::geom_vline(xintercept = 0, linewidth = 0.35, colour = palette_dusk[["faint"]]) +
    ggplot2::geom_segment(ggplot2::aes(x = .data$lower, xend = .data$upper,
                                       yend = .data$place), linewidth = 0.6,
                          colour = palette_dusk[["slate"]], na.rm = TRUE) +
    ggplot2::geom_point(size = 2, colour = palette_dusk[["deep"]]) +
    ggplot2::facet_wrap(~construct, scales = "free_y") +
    ggplot2::scale_y_discrete(labels = names) +
    ggplot2::labs(x = text_of("approximate_axis", reference = x$reference), y = NULL,
                  title = text_of("approximate_title",
                                  by = x$by %||% text_of("approximate_groups")),
                  subtitle = approximate_short(x)) +
    figure_theme()
}

difference_map <- function(x) {
  cells <- x$noninvariant
  cells$size <- pmax(-6, pmin(6, cells$z))
  cells$panel <- paste0(cells$construct, ": ", cells$parameter)
  cells$group <- factor(cells$group, unique(cells$group))
  cells$item <- factor(cells$item, rev(unique(cells$item)))
  .data <- rlang::.data
  ggplot2::ggplot(cells, ggplot2::aes(.data$group, .data$item)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$size), colour = "white", linewidth = 0.6) +
    ggplot2::geom_point(data = cells[cells$differs, ], shape = 4, size = 2.6, stroke = 2.6,
                        colour = "white") +
    ggplot2::geom_point(data = cells[cells$differs, ], shape = 4, size = 2.2, stroke = 0.9,
                        colour = palette_dusk[["ink"]]) +
    ggplot2::facet_wrap(~panel, scales = "free_y", ncol = 2L) +
    ggplot2::scale_fill_gradient2(low = palette_dusk[["deep"]], mid = "white",
                                  high = palette_dusk[["amber"]], midpoint = 0,
                                  name = text_of("approximate_fill"), limits = c(-6, 6)) +
    ggplot2::labs(x = NULL, y = NULL, title = text_of("approximate_map"),
                  subtitle = text_of("approximate_map_note")) +
    figure_theme() +
    ggplot2::theme(panel.grid = ggplot2::element_blank(),
                   axis.text.x = ggplot2::element_text(
                     angle = if (nlevels(cells$group) > 6L) 90 else 0, vjust = 0.5,
                     hjust = if (nlevels(cells$group) > 6L) 1 else 0.5))
}

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_approximate_means <- function(object, ...) plot(object, ...)
