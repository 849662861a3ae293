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
  print(plot)
  invisible()
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
