# The palette, defined once: a dusk-to-dawn ramp that colour-blind readers can distinguish, also in
# grey.
palette_dusk <- c(deep = "#1F3A5F", slate = "#5B7189", mist = "#E7EDF3", sand = "#F6EFDF",
                  dune = "#D9C39A", amber = "#B8641B", ink = "#1F2A33", faint = "#C3CBD3",
                  faint_text = "#8A96A1")

# The theme of all figures except the path diagram.
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

# Values beside their points, on white so that a line behind them does not disturb. `away`: above
# (1) or below (-1) the point. The argument for the border has another name since ggplot2 4.0.
point_labels <- function(data, text, away) {
  none <- if (utils::packageVersion("ggplot2") < "4.0.0") list(label.size = 0) else
    list(linewidth = 0)
  .data <- rlang::.data
  data$label <- text
  data$vjust <- ifelse(away > 0, -0.45, 1.45)
  do.call(ggplot2::geom_label, c(
    list(data = data, mapping = ggplot2::aes(label = .data$label, vjust = .data$vjust), size = 2.8,
         colour = palette_dusk[["ink"]], fill = "white",
         label.padding = grid::unit(0.04, "inches")), none))
}

# Where lines come from above a point, its value is written below it. `run`: the line of each point.
away_from_line <- function(value, run) {
  before <- c(NA, value[-length(value)])
  after <- c(value[-1L], NA)
  joined <- function(other) ifelse(is.na(run) | is.na(other) | other != run, NA, 1)
  rise <- cbind((before - value) * joined(c(NA, run[-length(run)])),
                (after - value) * joined(c(run[-1L], NA)))
  ifelse(rowSums(rise, na.rm = TRUE) > 0, -1, 1)
}

# The numbers of an axis, in the format of tables: no leading zero where none can exceed 1, and as
# many decimals as tell them apart. `bounded`: whether values cannot exceed 1.
axis_numbers <- function(at, bounded = TRUE) {
  known <- at[!is.na(at)]
  digits <- 0L
  while (digits < 6L && any(abs(known - round(known, digits)) > 1e-9)) digits <- digits + 1L
  text <- format_fixed(at, digits)
  if (bounded) text <- sub("^(-?)0[.]", "\\1.", text)
  text[at %in% 0] <- "0"
  text[is.na(at)] <- NA
  text
}

# Methods that let autoplot() draw the figures of plot(), registered when ggplot2 is loaded.

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_ladder <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_amendments <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_trail <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_screen <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_cutoffs <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_plan <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_influence <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_robustness <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_bootstrap <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_quality <- function(object, ...) plot(object, ...)

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_variance_split <- function(object, ...) plot(object, ...)

# Figures as files.

figure_endings <- c("png", "svg", "pdf")

check_figure_ending <- function(file, class = "usage") {
  ending <- tolower(tools::file_ext(file))
  if (ending %in% figure_endings) return(ending)
  abort(class, c(text_of("cannot_draw_into", file = quoted(basename(file))),
                 i = text_of("use_file_ends_png")))
}

# 10 x 6.7 inches: the page of the diagram with room for title and caption. Pages of a group each
# become pages of a PDF, or files numbered in their order. Returns the files.
save_figure <- function(plot, file, width = 10, height = 6.7) {
  ending <- check_figure_ending(file)
  if (inherits(plot, "orizzonte_pages") && ending != "pdf") {
    files <- numbered_files(file, length(plot))
    for (k in seq_along(plot)) save_figure(plot[[k]], files[k], width, height)
    return(invisible(files))
  }
  write_made(file, function(path) draw_figure(plot, path, ending, width, height), figure_whole)
  invisible(file)
}

# diagram.png as diagram-01.png, diagram-02.png, ...
numbered_files <- function(file, count) {
  ending <- tools::file_ext(file)
  paste0(substr(file, 1L, nchar(file) - nchar(ending) - 1L), "-",
         formatC(seq_len(count), width = nchar(count), flag = "0"), ".", ending)
}

# Devices take a percent sign in a name for a page number.
draw_figure <- function(plot, path, ending, width = 10, height = 6.7, resolution = 160) {
  path <- gsub("%", "%%", path, fixed = TRUE)
  kind <- if (capabilities("cairo")) "cairo" else getOption("bitmapType")
  switch(ending, png = grDevices::png(path, width, height, units = "in", res = resolution,
                                      type = kind),
         svg = grDevices::svg(path, width, height),
         pdf = grDevices::cairo_pdf(path, width, height))
  device <- grDevices::dev.cur()
  on.exit(grDevices::dev.off(device))
  if (inherits(plot, "gtable")) {
    grid::grid.newpage()
    grid::grid.draw(plot)
  } else {
    print(plot)
  }
  invisible()
}

# A figure whose layout is computed, which takes more time than drawing it: for one that is saved in
# several formats.
laid_out <- function(plot, width = 10, height = 6.7) {
  if (inherits(plot, "orizzonte_pages")) {
    plot[] <- lapply(plot, laid_out, width = width, height = height)
    return(plot)
  }
  if (!inherits(plot, "ggplot")) return(plot)
  path <- tempfile(fileext = ".svg")
  grDevices::svg(path, width, height)
  device <- grDevices::dev.cur()
  on.exit({
    grDevices::dev.off(device)
    unlink(path)
  })
  ggplot2::ggplotGrob(plot)
}

# The last bytes of a picture that was not cut off.
figure_whole <- function(bytes) {
  if (length(bytes) < 100L) return(FALSE)
  end <- utils::tail(bytes, 64L)
  text <- rawToChar(end[end != as.raw(0L)])
  any(vapply(c("IEND", "</svg>", "%%EOF"), grepl, NA, x = text, fixed = TRUE, useBytes = TRUE))
}

figure_bytes <- function(plot, ending, width, height, resolution = 160) {
  path <- tempfile(fileext = paste0(".", ending))
  on.exit(unlink(path))
  draw_figure(plot, path, ending, width, height, resolution)
  readBin(path, "raw", file.size(path))
}
