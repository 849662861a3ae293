# The palette, defined once: a dusk-to-dawn ramp, told apart by colour-blind readers and in grey.
palette_dusk <- c(deep = "#1F3A5F", slate = "#5B7189", mist = "#E7EDF3", sand = "#F6EFDF",
                  dune = "#D9C39A", amber = "#B8641B", ink = "#1F2A33", faint = "#C3CBD3",
                  faint_text = "#8A96A1")

# What all figures but the diagram share.
figure_theme <- function() {
  ink <- palette_dusk[["ink"]]
  ggplot2::theme_minimal(base_size = 10) +
    ggplot2::theme(plot.background = ggplot2::element_rect(fill = "white", colour = NA),
                   panel.grid.minor = ggplot2::element_blank(),
                   axis.text = ggplot2::element_text(colour = ink),
                   strip.text = ggplot2::element_text(hjust = 0, colour = ink, face = "bold"),
                   plot.title = ggplot2::element_text(colour = ink, face = "bold"),
                   plot.title.position = "plot",
                   plot.subtitle = ggplot2::element_text(colour = palette_dusk[["slate"]]),
                   plot.caption.position = "plot",
                   plot.caption =
                   ggplot2::element_text(colour = palette_dusk[["slate"]], hjust = 0))
}
