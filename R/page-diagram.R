# The diagram of the live page: an arrangement as SVG whose parts carry their addresses. Lengths are
# hundredths of an inch, from the upper left corner.

page_paper <- c(7.4, 5.8)  # inches

# The arrangement of a version, at the places that `saved` has where these still serve.
page_arrangement <- function(version, saved = NULL) {
  view <- page_view(version)
  if (is.null(view)) return(NULL)
  if (!all(c(view$layout$constructs, view$layout$observed) %in% saved$places$name)) saved <- NULL
  panel <- arrange_panels(list(view), NULL, page_paper, saved = saved)[[1L]]
  panel$layout <- view$layout
  panel
}

page_view <- function(version) {
  fit <- version$fit
  if (!is.null(fit) && has_values(fit))
    return(diagram_view(group_views(fit)[[1L]], fit, "standardized", NULL, NULL, FALSE))
  layout <- attempt(theory_layout(version$blueprint))$fit
  if (!is.null(layout) && length(layout$rows$kind)) theory_view(version$blueprint, layout)
}

page_svg <- function(panel, chosen = NULL, wordings = character()) {
  scale <- 100
  tags <- htmltools::tags
  tall <- panel$page[[2L]]
  at <- function(x, y) cbind(round(scale * x, 1L), round(scale * (tall - y), 1L))
  address <- panel$layout$rows$parameter
  letters <- scale * panel$text_size / 72
  edges <- lapply(Filter(function(edge) !isTRUE(edge$tag), panel$edges), function(edge) {
    svg_edge(edge, address[edge$row], at, letters, identical(address[edge$row], chosen))
  })
  nodes <- lapply(seq_len(nrow(panel$nodes)), function(k) {
    svg_node(panel$nodes[k, ], at, scale, letters, wordings)
  })
  htmltools::tag("svg", c(
    list(viewBox = paste("0 0", scale * panel$page[[1L]], scale * tall), role = "group",
         `aria-label` = text_of("page_diagram_label"), class = "diagram"),
    list(svg_heads()), edges, nodes, svg_cells(panel$matrix, address, at, scale, chosen)))
}

svg_heads <- function() {
  head <- function(id, orient) {
    htmltools::tag("marker", list(id = id, viewBox = "0 0 10 10", refX = "9", refY = "5",
      markerWidth = "7", markerHeight = "7", markerUnits = "userSpaceOnUse", orient = orient,
      htmltools::tag("path", list(d = "M0,1 L10,5 L0,9 z"))))
  }
  htmltools::tag("defs", list(head("arrow-head", "auto-start-reverse")))
}

# A line that can be chosen: a broad invisible one below it takes the pointer.
svg_edge <- function(edge, address, at, letters, chosen) {
  tag <- htmltools::tag
  points <- at(edge$path[, 1L], edge$path[, 2L])
  path <- paste0("M", paste(points[, 1L], points[, 2L], sep = ",", collapse = " L"))
  both <- edge$type == "covariance"
  strength <- min(1, abs(if (is.na(edge$strength)) 0.5 else edge$strength))
  line <- list(d = path, class = "line", `marker-end` = "url(#arrow-head)", fill = "none",
               `stroke-width` = format_fixed(1 + 2.4 * strength, 2L))
  if (both) line$`marker-start` <- "url(#arrow-head)"
  if (isTRUE(edge$negative)) line$`stroke-dasharray` <- "7 4"
  label <- if (!is.null(edge$label) && nzchar(edge$text)) {
    where <- at(edge$label[[1L]], edge$label[[2L]])
    tag("text", list(x = where[1L], y = where[2L], class = "value",
                     `font-size` = format_fixed(0.9 * letters, 1L), edge$text))
  }
  tag("g", list(class = paste("edge", edge$type, if (chosen) "chosen"), `data-do` = "choose",
                `data-address` = address, tabindex = "0", role = "button",
                `aria-pressed` = if (chosen) "true" else "false",
                `aria-label` = trimws(paste(address, edge$text)),
                tag("path", list(d = path, class = "reach", fill = "none")),
                tag("path", line), label))
}

svg_node <- function(node, at, scale, letters, wordings) {
  tag <- htmltools::tag
  middle <- at(node$x, node$y)
  w <- scale * node$w / 2
  h <- scale * node$h / 2
  shape <- switch(node$kind,
    construct = tag("ellipse", list(cx = middle[1L], cy = middle[2L], rx = w, ry = h)),
    composite = tag("polygon", list(points = paste(
      middle[1L] + w * c(1, 0.74, -0.74, -1, -0.74, 0.74),
      middle[2L] + h * c(0, 1, 1, 0, -1, -1), sep = ",", collapse = " "))),
    tag("rect", list(x = middle[1L] - w, y = middle[2L] - h, width = 2 * w, height = 2 * h)))
  size <- letters * if (node$kind == "observed") 1 else 1.1
  lines <- strsplit(node$label, "\n", fixed = TRUE)[[1L]]
  first <- middle[2L] - size * 1.15 * (length(lines) - 1) / 2
  texts <- lapply(seq_along(lines), function(k) {
    tag("text", list(x = middle[1L], y = round(first + size * 1.15 * (k - 1), 1L),
                     `font-size` = format_fixed(size, 1L), lines[k]))
  })
  wording <- unname(wordings[node$name])
  tag("g", c(list(class = paste("node", node$kind), `data-node` = node$name),
             if (length(wording) && !is.na(wording)) list(tag("title", list(wording))),
             list(shape), texts))
}

# The matrix beside the diagram, whose cells can be chosen like lines.
svg_cells <- function(cells, address, at, scale, chosen) {
  if (is.null(cells)) return(NULL)
  tag <- htmltools::tag
  lapply(seq_len(nrow(cells)), function(k) {
    where <- at(cells$x[k], cells$y[k])
    anchor <- c("start", "middle", "end")[1 + 2 * cells$side[k]]
    text <- tag("text", list(x = where[1L], y = where[2L], class = "value", style =
                               paste0("text-anchor:", anchor),
                             `font-size` = format_fixed(scale * cells$points[k] / 72, 1L),
                             cells$text[k]))
    row <- cells$row[k]
    if (is.na(row)) return(text)
    tag("g", list(class = paste("edge cell", if (identical(address[row], chosen)) "chosen"),
                  `data-do` = "choose", `data-address` = address[row], tabindex = "0",
                  role = "button", `aria-label` = paste(address[row], cells$text[k]), text))
  })
}
