# Texts of a page that is laid out in inches. Where the device is smaller (a pane, a notebook), they
# shrink with the page, so that they stay within their boxes.

# A layer: texts at `x` and `y` of `places`, on white `ground` where they stand on a line.
page_text <- function(places, text, points, colour, face, ground, width) {
  data <- list_frame(list(x = places$x, y = places$y, panel = places$panel, text = text,
                          points = rep_len(points, nrow(places)),
                          colour = rep_len(colour, nrow(places)), face = face,
                          ground = rep_len(ground, nrow(places))))
  aes <- ggplot2::aes
  .data <- rlang::.data
  geom <- ggplot2::ggproto(
    "GeomPageText", ggplot2::Geom, required_aes = c("x", "y", "label"),
    default_aes = aes(points = 9, colour = "black", fontface = "plain", ground = FALSE),
    draw_panel = function(data, panel_params, coord, page) {
      grid::gTree(data = coord$transform(data, panel_params), page = page,
                  cl = "orizzonte_page_text")
    })
  ggplot2::layer(geom = geom, stat = "identity", position = "identity", data = data,
                 mapping = aes(.data$x, .data$y, label = .data$text, points = .data$points,
                               colour = .data$colour, fontface = .data$face,
                               ground = .data$ground),
                 inherit.aes = FALSE, show.legend = FALSE, params = list(page = width))
}

# Called when drawn, within the panel: its width is known by then.
#' @exportS3Method grid::makeContent
makeContent.orizzonte_page_text <- function(x) {
  inches <- grid::convertWidth(grid::unit(1, "npc"), "inches", valueOnly = TRUE)
  data <- x$data
  points <- data$points * min(1, inches / x$page)
  text <- grid::textGrob(data$label, data$x, data$y,
                         gp = grid::gpar(fontsize = points, col = data$colour,
                                         fontface = data$fontface, lineheight = 0.95))
  on <- which(data$ground)
  padding <- grid::unit(0.04, "inches")
  ground <- if (length(on))
    grid::rectGrob(data$x[on], data$y[on], grid::stringWidth(data$label[on]) + padding,
                   grid::stringHeight(data$label[on]) + padding,
                   gp = grid::gpar(fontsize = points[on[1L]], fill = "white", col = NA))
  grid::setChildren(x, grid::gList(ground, text))
}
