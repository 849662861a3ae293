# Labels of a path diagram, placed last: each slides along its own line, or a little beside it, to
# where it covers no box, no other label, no arrow head, and as few other lines as possible.

head_room <- 0.055    # round the tip of an arrow

place_labels <- function(edges, nodes, points, page) {
  labelled <- which(vapply(edges, function(e) nzchar(e$text), NA))
  if (length(labelled) == 0L) return(edges)
  scene <- label_scene(edges, nodes, page)
  priced <- function(k, beside) {
    found <- label_candidates(edges[[labelled[k]]], points, beside)
    list(box = found$box, cost = fixed_cost(found, scene, labelled[k]))
  }
  # on the line as long as there is room, beside it otherwise
  near <- lapply(seq_along(labelled), priced, beside = 0)
  wide <- vector("list", length(labelled))
  rank <- match(vapply(edges[labelled], `[[`, "", "type"),
                c("residual", "covariance", "effect", "loading", "weight"))
  boxes <- matrix(NA_real_, length(labelled), 4L)
  for (sweep in 1:4) {
    before <- boxes
    for (k in order(rank)) {
      others <- boxes[-k, , drop = FALSE]
      others <- others[!is.na(others[, 1L]), , drop = FALSE]
      cost <- near[[k]]$cost + 100 * overlap_areas(near[[k]]$box, others)
      boxes[k, ] <- near[[k]]$box[which.min(cost), ]
      if (min(cost) < 2.5 || rank[k] == 1L) next
      if (is.null(wide[[k]]))
        wide[[k]] <- priced(k, c(0, 0.55, -0.55, 1.05, -1.05, 1.6, -1.6))
      cost <- wide[[k]]$cost + 100 * overlap_areas(wide[[k]]$box, others)
      boxes[k, ] <- wide[[k]]$box[which.min(cost), ]
    }
    if (identical(before, boxes)) break
  }
  for (k in seq_along(labelled)) {
    edges[[labelled[k]]]$label <- c(mean(boxes[k, 1:2]), mean(boxes[k, 3:4]))
    edges[[labelled[k]]]$box <- boxes[k, ]
  }
  edges
}

# Obstacles for labels: boxes, tips of arrows, points of lines.
label_scene <- function(edges, nodes, page) {
  lines <- lapply(edges, function(e) dense(e$path, 0.07))
  tips <- lapply(edges, function(e) {
    rbind(e$path[nrow(e$path), ], if (e$type == "covariance") e$path[1L, ])
  })
  list(nodes = outlines(nodes),
       points = do.call(rbind, lines), point_of = rep(seq_along(edges), vapply(lines, nrow, 0L)),
       tips = do.call(rbind, tips), tip_of = rep(seq_along(edges), vapply(tips, nrow, 0L)),
       page = page)
}

fixed_cost <- function(candidates, scene, edge) {
  box <- candidates$box
  reach <- c(min(box[, 1L]), max(box[, 2L]), min(box[, 3L]), max(box[, 4L]))
  near <- function(points) {
    points[, 1L] > reach[1L] - head_room & points[, 1L] < reach[2L] + head_room &
      points[, 2L] > reach[3L] - head_room & points[, 2L] < reach[4L] + head_room
  }
  own <- scene$point_of == edge
  lines <- near(scene$points) & !own
  tips <- near(scene$tips) & scene$tip_of != edge
  60 * overlap_areas(box, scene$nodes) +
    80 * points_near(box, scene$tips[tips, , drop = FALSE], head_room) +
    0.45 * points_near(box, scene$points[lines, , drop = FALSE], 0) +
    80 * off_the_page(box, scene$page) + candidates$distance
}

# Boxes that a label may occupy, each with its distance from the expected position. `beside`: the
# distance from the line, 1 for not touching it.
label_candidates <- function(edge, points, beside = 0) {
  size <- text_box(edge$text, points)
  if (edge$type == "residual")
    return(list(box = rbind(residual_label(edge$path, size)), distance = 0))
  path <- dense(edge$path, 0.03)
  along <- c(0, cumsum(sqrt(rowSums(diff(path)^2))))
  along <- along / along[length(along)]
  t <- seq(0.1, 0.9, length.out = 29L)
  k <- findInterval(t, along)
  home <- switch(edge$type, loading = 0.6, weight = 0.4, 0.5)
  step <- path[pmin(k + 2L, nrow(path)), , drop = FALSE] -
    path[pmax(k - 2L, 1L), , drop = FALSE]
  normal <- cbind(-step[, 2L], step[, 1L]) / pmax(sqrt(rowSums(step^2)), 1e-9)
  # how far beside the line a label must be not to touch it
  clear <- (abs(normal[, 1L]) * size$w + abs(normal[, 2L]) * size$h) / 2
  parts <- lapply(beside, function(b) {
    at <- path[k, , drop = FALSE] + b * clear * normal
    cbind(at[, 1L] - size$w / 2, at[, 1L] + size$w / 2, at[, 2L] - size$h / 2,
          at[, 2L] + size$h / 2)
  })
  list(box = do.call(rbind, parts),
       distance = rep(0.8 * abs(t - home), length(beside)) +
         rep(0.3 * (beside != 0) + 0.5 * abs(beside), each = length(t)))
}

# The value of a residual is written at the tail of its arrow, or beside it where the arrow comes
# from above an item between two constructs.
residual_label <- function(path, size) {
  direction <- path[1L, ] - path[2L, ]
  direction <- direction / sqrt(sum(direction^2))
  at <- path[1L, ] + direction * (abs(direction[1L]) * size$w + abs(direction[2L]) * size$h) / 2
  c(at[1L] - size$w / 2, at[1L] + size$w / 2, at[2L] - size$h / 2, at[2L] + size$h / 2)
}

# Texts of a page that is laid out in inches. Where the device is smaller (a pane, a notebook), they
# shrink with the page, so that they stay within their boxes.

# A layer: texts at `x` and `y` of `places`, on white `ground` where they stand on a line. `side`: 0
# begins there, 0.5 is centred, 1 ends there.
page_text <- function(places, text, points, colour, face, ground, width, side = 0.5) {
  data <- list_frame(list(x = places$x, y = places$y, panel = places$panel, text = text,
                          points = rep_len(points, nrow(places)),
                          colour = rep_len(colour, nrow(places)), face = face,
                          ground = rep_len(ground, nrow(places)),
                          side = rep_len(side, nrow(places))))
  aes <- ggplot2::aes
  .data <- rlang::.data
  geom <- ggplot2::ggproto(
    "GeomPageText", ggplot2::Geom, required_aes = c("x", "y", "label"),
    default_aes = aes(points = 9, colour = "black", fontface = "plain", ground = FALSE,
                      hjust = 0.5),
    draw_panel = function(data, panel_params, coord, page) {
      grid::gTree(data = coord$transform(data, panel_params), page = page,
                  cl = "orizzonte_page_text")
    })
  ggplot2::layer(geom = geom, stat = "identity", position = "identity", data = data,
                 mapping = aes(.data$x, .data$y, label = .data$text, points = .data$points,
                               colour = .data$colour, fontface = .data$face,
                               ground = .data$ground, hjust = .data$side),
                 inherit.aes = FALSE, show.legend = FALSE, params = list(page = width))
}

# Called when drawn, within the panel: its width is known by then.
#' @exportS3Method grid::makeContent
makeContent.orizzonte_page_text <- function(x) {
  inches <- grid::convertWidth(grid::unit(1, "npc"), "inches", valueOnly = TRUE)
  data <- x$data
  points <- data$points * min(1, inches / x$page)
  text <- grid::textGrob(data$label, data$x, data$y, hjust = data$hjust,
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

# How much room a text takes, from a fixed table: an arrangement is the same on every machine and
# needs no open device.

# Widths of the printable ASCII characters, from the space on, in thousandths of the size of a sans
# serif font.
character_widths <-
  c(278, 278, 355, 556, 556, 889, 667, 222, 333, 333, 389, 584, 278, 584, 278, 278, 556, 556, 556,
    556, 556, 556, 556, 556, 556, 556, 278, 278, 584, 584, 584, 556, 1015, 667, 667, 722, 722, 667,
    611, 778, 722, 278, 500, 667, 556, 833, 722, 778, 667, 778, 722, 667, 611, 722, 667, 944, 667,
    667, 611, 278, 278, 278, 469, 556, 222, 556, 556, 500, 556, 556, 278, 556, 556, 222, 222, 500,
    222, 833, 556, 556, 556, 556, 333, 500, 278, 556, 500, 722, 500, 500, 500, 334, 260, 334, 584)
widest_font <- 1.16    # replacement fonts are wider

# Width and height in inches of texts, lines apart by line breaks, at a size in points.
text_box <- function(text, points, bold = FALSE) {
  lines <- strsplit(enc2utf8(text), "\n", fixed = TRUE)
  width <- vapply(lines, function(x) max(0, vapply(x, line_width, 0)), 0)
  list(w = width * points / 72 * widest_font * (if (bold) 1.08 else 1) + 0.04,
       h = pmax(1L, lengths(lines)) * points * 1.2 / 72 + 0.01)
}

# The text width in units of the font size; other characters count by their columns.
line_width <- function(line) {
  code <- utf8ToInt(line)
  known <- !is.na(code) & code >= 32L & code <= 126L
  sum(character_widths[code[known] - 31L]) / 1000 +
    0.62 * sum(nchar(intToUtf8(code[!known & !is.na(code)], multiple = TRUE), "width"))
}

# Long names on several lines, of about `most` characters: at spaces, after joints, else anywhere.
wrap_name <- function(name, most = 14L) {
  vapply(name, function(one) {
    if (nchar(one, "width") <= most) return(one)
    parts <- regmatches(one, gregexpr("[^ _.:/-]+[ _.:/-]*|[ _.:/-]+", one, perl = TRUE))[[1L]]
    parts <- unlist(lapply(parts, cut_text, most))
    lines <- character()
    line <- ""
    for (part in parts) {
      if (nzchar(line) && nchar(trimws(paste0(line, part), "right"), "width") > most) {
        lines <- c(lines, line)
        line <- ""
      }
      line <- paste0(line, part)
    }
    paste(trimws(c(lines, line), "right"), collapse = "\n")
  }, "", USE.NAMES = FALSE)
}

cut_text <- function(text, most) {
  if (nchar(text) <= most) return(text)
  starts <- seq(1L, nchar(text), by = most)
  substring(text, starts, pmin(starts + most - 1L, nchar(text)))
}

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

# Breaks of an axis of proportions or loadings, which may leave 0 to 1 in an improper solution.
share_breaks <- function(limits) {
  step <- c(0.2, 0.5, 1)[findInterval(diff(limits), c(0, 2.5, 5))]
  seq(ceiling(limits[1L] / step), floor(limits[2L] / step)) * step
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
