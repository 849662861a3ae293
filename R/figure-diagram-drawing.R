# Arrangements drawn with ggplot2: lines below boxes below texts.

draw_diagrams <- function(panels, captions, title, subtitle = NULL) {
  several <- length(panels) > 1L
  points <- min(vapply(panels, `[[`, 0, "text_size"))
  page <- panels[[1L]]$page
  caption <- as.expression(bquote(paste(.(captions[["before"]]), chi^2, .(captions[["after"]]))))
  parts <- diagram_frames(panels)
  plot <- draw_arrows(parts$lines)
  plot <- draw_nodes(plot, parts$nodes)
  plot <- draw_texts(plot, parts$nodes, parts$labels, points, page[[1L]])
  .data <- rlang::.data
  plot +
    (if (several)
      ggplot2::facet_wrap(ggplot2::vars(.data$panel), ncol = panels[[1L]]$columns)) +
    ggplot2::coord_fixed(xlim = c(0, page[[1L]]), ylim = c(0, page[[2L]]), expand = FALSE,
                         clip = "off") +
    ggplot2::labs(title = title, subtitle = subtitle, caption = caption) +
    ggplot2::theme_void(base_size = 10) +
    ggplot2::theme(plot.background = ggplot2::element_rect(fill = "white", colour = NA),
                   plot.margin = ggplot2::margin(4, 6, 4, 6),
                   plot.title = ggplot2::element_text(colour = palette_dusk[["ink"]],
                       face = "bold"),
                   plot.caption =
                   ggplot2::element_text(colour = palette_dusk[["slate"]], hjust = 0),
                   strip.text = ggplot2::element_text(colour = palette_dusk[["ink"]],
                       face = "bold", size = 10))
}

# What is drawn, in all panels: lines, their labels, nodes.
diagram_frames <- function(panels) {
  named <- lapply(panels, function(panel) factor(panel$group, vapply(panels, `[[`, "", "group")))
  on_panel <- function(k, columns) {
    list_frame(c(columns, list(panel = rep(named[[k]], length(columns[[1L]])))))
  }
  lines <- do.call(rbind, lapply(seq_along(panels), function(k) {
    do.call(rbind, lapply(seq_along(panels[[k]]$edges), function(i) {
      edge <- panels[[k]]$edges[[i]]
      size <- nrow(edge$path)
      on_panel(k, list(x = edge$path[, 1L], y = edge$path[, 2L], id = rep(i, size),
                       type = rep(edge$type, size), strength = rep(abs(edge$strength), size),
                       negative = rep(edge$negative, size), faint = rep(edge$faint, size)))
    }))
  }))
  lines$strength[is.na(lines$strength)] <- 0.5
  lines$strength <- pmin(1, lines$strength)
  labels <- do.call(rbind, lapply(seq_along(panels), function(k) {
    do.call(rbind, lapply(panels[[k]]$edges, function(edge) {
      if (is.null(edge$label)) return(NULL)
      on_panel(k, list(x = edge$label[1L], y = edge$label[2L], text = edge$text, type = edge$type,
                       differs = edge$differs, faint = edge$faint))
    }))
  }))
  nodes <- do.call(rbind,
                   lapply(seq_along(panels),
                          function(k) {
                            cbind(panels[[k]]$nodes,
                                  panel = rep(named[[k]], nrow(panels[[k]]$nodes)))
                          }))
  list(lines = lines, labels = labels, nodes = nodes)
}

draw_arrows <- function(lines) {
  aes <- ggplot2::aes
  .data <- rlang::.data
  head <- function(ends) {
    grid::arrow(length = grid::unit(0.07, "inches"), type = "closed", angle = 22, ends = ends)
  }
  # faint ones below
  lines <- lines[order(!lines$faint), ]
  lines$id <- factor(lines$id, unique(lines$id))
  residual <- lines$type == "residual"
  lines$width <- ifelse(residual, 0.3, 0.2 + 0.9 * lines$strength)
  lines$colour <- palette_dusk[ifelse(lines$faint, "faint",
                                      ifelse(lines$type %in% arrow_kinds, "deep", "slate"))]
  drawn <- function(part, ends) {
    if (nrow(part) == 0L) return(NULL)
    ggplot2::geom_path(data = part,
                       mapping = aes(.data$x, .data$y, group = .data$id, colour = .data$colour,
                                     linetype = .data$negative, linewidth = .data$width),
                       arrow = head(ends), lineend = "butt", linejoin = "mitre")
  }
  ggplot2::ggplot() +
    drawn(lines[lines$type == "covariance", ], "both") +
    drawn(lines[lines$type %in% arrow_kinds, ], "last") +
    drawn(lines[residual, ], "last") +
    ggplot2::scale_linewidth_identity() +
    ggplot2::scale_colour_identity() +
    ggplot2::scale_linetype_manual(values = c(`FALSE` = "solid", `TRUE` = "42"), guide = "none")
}

# Constructs are ellipses, composites hexagons, observed variables boxes.
draw_nodes <- function(plot, nodes) {
  aes <- ggplot2::aes
  .data <- rlang::.data
  ellipse <- nodes[nodes$kind == "construct", ]
  angle <- seq(0, 2 * pi, length.out = 73L)
  outline <-
    list_frame(list(x = rep(ellipse$x, each = 73L) + rep(ellipse$w, each = 73L) / 2 * cos(angle),
                    y = rep(ellipse$y, each = 73L) + rep(ellipse$h, each = 73L) / 2 * sin(angle),
                    id = rep(ellipse$name, each = 73L), panel = rep(ellipse$panel, each = 73L)))
  composite <- nodes[nodes$kind == "composite", ]
  hexagon <-
    list_frame(list(x = rep(composite$x, each = 6L) + rep(composite$w, each = 6L) / 2 * c(1, 0.74,
        -0.74, -1, -0.74, 0.74),
                    y = rep(composite$y, each = 6L) + rep(composite$h, each = 6L) / 2 *
                    c(0, 1, 1, 0, -1, -1), id = rep(composite$name, each = 6L),
                    panel = rep(composite$panel, each = 6L)))
  boxes <- nodes[nodes$kind == "observed", ]
  if (nrow(outline)) {
    plot <- plot +
      ggplot2::geom_polygon(data = outline, mapping = aes(.data$x, .data$y, group = .data$id),
                            fill = palette_dusk[["mist"]], colour = palette_dusk[["deep"]],
                            linewidth = 0.45)
  }
  if (nrow(hexagon)) {
    plot <- plot +
      ggplot2::geom_polygon(data = hexagon, mapping = aes(.data$x, .data$y, group = .data$id),
                            fill = palette_dusk[["dune"]], colour = palette_dusk[["deep"]],
                            linewidth = 0.45)
  }
  if (nrow(boxes)) {
    plot <- plot + ggplot2::geom_tile(data = boxes, mapping = aes(.data$x, .data$y, width = .data$w,
        height = .data$h),
                                      fill = palette_dusk[["sand"]], colour = palette_dusk[["ink"]],
                                      linewidth = 0.3)
  }
  plot
}

draw_texts <- function(plot, nodes, labels, points, width) {
  observed <- nodes$kind == "observed"
  plot <- plot + page_text(nodes, nodes$label, ifelse(observed, points, points * 1.1),
                           palette_dusk[["ink"]], ifelse(observed, "plain", "bold"), FALSE, width)
  if (is.null(labels)) return(plot)
  colour <- palette_dusk[ifelse(labels$faint, "faint_text",
                                ifelse(labels$differs, "amber",
                                       ifelse(labels$type == "residual", "slate", "ink")))]
  plot + page_text(labels, labels$text, points * 0.9, unname(colour),
                   ifelse(labels$differs, "bold", "plain"), labels$type != "residual", width)
}
