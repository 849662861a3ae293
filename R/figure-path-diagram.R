#' Draw a path diagram
#'
#' Ellipses are constructs, hexagons composites, rectangles observed variables. Line width follows
#' the standardized size; negative paths are dashed. Curved two-headed arrows
#' are covariances, short arrows residuals. The layout is automatic: measurement
#' models stand in columns, structural models flow from left to right.
#'
#' @param fit A fit from [fit_model()].
#' @param values `"standardized"`, `"raw"`, `"both"` (raw, standardized in
#'   brackets) or `"none"`.
#' @param nudge A data frame with columns `name`, `dx` and `dy` that moves
#'   nodes, in inches on a page of 10 by 6.25; `dy` > 0 is up.
#' @param groups Which groups to draw, side by side in the same layout; the first four when `NULL`.
#'   Values that differ between groups (Wald test, p < .05) are emphasised.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A ggplot object, made for 10 by 6.25 inches; `plot(fit)` draws the same.
#' @section Errors: `orizzonte_error_name` when `nudge` names something that is
#'   not in the diagram.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' path_diagram(suppressMessages(fit_model(bp, choirs)))
#' @export
path_diagram <- function(fit, values = "standardized", nudge = NULL, groups = NULL, ...) {
  check_arguments("path_diagram")
  check_fit(fit, "path_diagram")
  values <- choose_one(values, c("standardized", "raw", "both", "none"), "`values`")
  chosen <- diagram_groups(fit$layout, groups)
  views <- lapply(stats::setNames(chosen, chosen), one_view_of, fit = fit)
  differs <- differing_rows(fit)
  # room for the longest value in any group, so that all are laid out alike
  texts <- lapply(views, function(view) diagram_text(view$eta, view_standardized(view), values))
  same <- length(unique(lapply(views, function(view) view$layout$observed))) == 1L
  width <- if (same) do.call(pmax, lapply(texts, nchar, type = "width"))
  panels <- lapply(views, function(view) {
    group_diagram(view, values, nudge, width, differs[fit$layout$spans[[view$number]]])
  })
  more <- length(fit$layout$groups) - length(chosen)
  caption <- paste0(diagram_caption(fit, values),
                    if (any(differs)) "; amber and bold: differs between groups, p < .05",
                    if (more > 0L && is.null(groups))
                      paste0("; ", more, " more groups, see groups ="))
  draw_diagrams(panels, caption, fit$request$blueprint$title)
}

one_view_of <- function(group, fit) group_view(fit, group)

view_standardized <- function(view) {
  standardized_of(view$fit)$value[view$fit$layout$spans[[view$number]]]
}

# Layout and values of one panel. `width`: characters to leave for each value.
group_diagram <- function(view, values, nudge, width = NULL, differs = NULL) {
  standardized <- view_standardized(view)
  text <- diagram_text(view$eta, standardized, values)
  wide <- if (is.null(width)) text else
    paste0(strrep(" ", pmax(0L, width - nchar(text, "width"))), text)
  magnify <- if (length(view$fit$layout$groups) == 1L) 1 else 2 * panel_text
  diagram <- diagram_layout(view$layout, wide, standardized, nudge, magnify)
  diagram$edges <- lapply(diagram$edges, function(edge) {
    edge$text <- text[edge$row]
    edge$negative <- view$eta[edge$row] < 0
    edge$differs <- isTRUE(differs[edge$row])
    edge
  })
  c(diagram, list(composites = view$layout$composites, group = view$group))
}

# Rows whose values differ between groups by a Wald test at .05.
differing_rows <- function(fit) {
  if (length(fit$layout$groups) < 2L) return(logical(length(fit$layout$rows$kind)))
  compared <- compare_groups(fit, c("loading", "weight", "effect", "covariance"))
  plain <- addresses_without_group(fit$layout$rows)
  plain %in% compared$parameter[compared$p < 0.05 & !is.na(compared$p)]
}

#' @rdname path_diagram
#' @param x A fit from [fit_model()].
#' @param ... Passed on to `path_diagram()`.
#' @export
plot.orizzonte_fit <- function(x, ...) path_diagram(x, ...)

diagram_text <- function(raw, standardized, values) {
  short <- function(x) {
    digits <- ifelse(is.na(x) | abs(x) < 9.995, 2L, ifelse(abs(x) < 99.95, 1L, 0L))
    ifelse(is.na(x), "", mapply(formatC, x, digits = digits, MoreArgs = list(format = "f")))
  }
  switch(values,
    standardized = short(standardized),
    raw = short(raw),
    both = ifelse(is.na(standardized), short(raw),
                  paste0(short(raw), " (", short(standardized), ")")),
    none = rep("", length(raw)))
}

diagram_caption <- function(fit, values) {
  kind <- c(standardized = "standardized values", raw = "raw values",
            both = "raw values, standardized in brackets", none = "")[[values]]
  chisq <- stats::deviance(fit)
  df <- stats::df.residual(fit)
  parts <- c(paste0("n = ", format_count(stats::nobs(fit))),
             paste0("\u03c7\u00b2(", df, ") = ", format_fixed(chisq, 2L)),
             if (nzchar(kind)) kind,
             "dashed: negative", if (length(fit$layout$composites))
               "covariances of composites' items not drawn",
             if (!has_converged(fit)) "NOT CONVERGED" else if (nrow(improper_parts(fit)))
               "IMPROPER SOLUTION")
  paste(parts, collapse = "; ")
}

# Two panels a row halve the drawing; texts shrink less, to stay legible.
panel_text <- 0.58

draw_diagrams <- function(panels, caption, title) {
  several <- length(panels) > 1L
  points <- panels[[1L]]$text_size * if (several) panel_text else 1
  mm <- points * 25.4 / 72
  drawn <- diagram_frames(panels)
  plot <- draw_arrows(drawn$lines)
  plot <- draw_nodes(plot, drawn$nodes)
  plot <- draw_texts(plot, drawn$nodes, drawn$labels, mm)
  .data <- rlang::.data
  plot +
    (if (several) ggplot2::facet_wrap(ggplot2::vars(.data$panel), ncol = 2L)) +
    ggplot2::coord_fixed(xlim = c(0, diagram_page[["width"]]),
                         ylim = c(0, diagram_page[["height"]]), expand = FALSE, clip = "off") +
    ggplot2::labs(title = title, caption = caption) +
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
                       negative = rep(edge$negative, size)))
    }))
  }))
  lines$strength[is.na(lines$strength)] <- 0.5
  lines$strength <- pmin(1, lines$strength)
  labels <- do.call(rbind, lapply(seq_along(panels), function(k) {
    do.call(rbind, lapply(panels[[k]]$edges, function(edge) {
      if (is.null(edge$label)) return(NULL)
      on_panel(k, list(x = edge$label[1L], y = edge$label[2L], text = edge$text, type = edge$type,
                       differs = edge$differs))
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
    grid::arrow(length = grid::unit(0.07, "inches"), type = "closed",
                angle = 22, ends = ends)
  }
  straight <- function(type, ends, colour, width) {
    part <- lines[lines$type %in% type, ]
    if (nrow(part) == 0L) return(NULL)
    ggplot2::geom_path(data = part,
                       mapping = aes(.data$x, .data$y, group = .data$id, linetype = .data$negative,
                                     linewidth = width(.data$strength)),
                       colour = colour, arrow = head(ends), lineend = "butt", linejoin = "mitre")
  }
  ggplot2::ggplot() +
    straight("covariance", "both", palette_dusk[["slate"]], function(s) 0.2 + 0.9 * s) +
    straight(arrow_kinds, "last", palette_dusk[["deep"]], function(s) 0.2 + 0.9 * s) +
    straight("residual", "last", palette_dusk[["slate"]], function(s) 0.3 + 0 * s) +
    ggplot2::scale_linewidth_identity() +
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

draw_texts <- function(plot, nodes, labels, mm) {
  aes <- ggplot2::aes
  .data <- rlang::.data
  plot <- plot +
    ggplot2::geom_text(data = nodes, mapping = aes(.data$x, .data$y, label = .data$name),
                       size = ifelse(nodes$kind == "observed", mm, mm * 1.12),
                       colour = palette_dusk[["ink"]],
                       fontface = ifelse(nodes$kind == "observed", "plain", "bold"))
  if (!is.null(labels)) {
    on_line <- labels[labels$type != "residual", ]
    plot <- plot +
      ggplot2::geom_label(data = on_line, mapping = aes(.data$x, .data$y, label = .data$text),
                          size = mm * 0.9,
                          colour = ifelse(on_line$differs, palette_dusk[["amber"]],
                                          palette_dusk[["ink"]]),
                                          fontface = ifelse(on_line$differs, "bold", "plain"),
                          fill = "white", label.size = 0,
                          label.padding = grid::unit(0.03, "inches")) +
      ggplot2::geom_text(data = labels[labels$type == "residual", ],
                         mapping = aes(.data$x, .data$y, label = .data$text), size = mm * 0.9,
                         colour = palette_dusk[["slate"]])
  }
  plot
}
