# The diagram of the live page: an arrangement as SVG whose parts carry their addresses. Lengths are
# hundredths of an inch, from the upper left corner.

page_paper <- c(7.4, 5.8)  # inches

# The arrangement of a version, at the places that `saved` has where these still serve. Where the
# paths are those of the arrangement `before`, only its values change.
page_arrangement <- function(version, saved = NULL, before = NULL, group = NULL) {
  view <- page_view(version, group)
  if (is.null(view)) return(NULL)
  same <- c("parameter", "kind", "row", "col")
  if (!is.null(before) && identical(before$layout$rows[same], view$layout$rows[same]))
    return(with_values(before, view))
  if (!all(c(view$layout$constructs, view$layout$observed) %in% saved$places$name)) saved <- NULL
  panel <- arrange_panels(list(view), NULL, page_paper, saved = saved)[[1L]]
  panel$layout <- view$layout
  panel
}

# `group`: the group that is drawn; the first one when it is NULL or does not exist.
page_view <- function(version, group = NULL) {
  fit <- version$fit
  if (!is.null(fit) && has_values(fit))
    return(diagram_view(group_view(fit, page_group(fit, group)), fit, "standardized", NULL, NULL,
                        FALSE))
  layout <- attempt(theory_layout(version$blueprint))$fit
  if (!is.null(layout) && length(layout$rows$kind)) theory_view(version$blueprint, layout)
}

page_group <- function(fit, group) {
  groups <- fit$layout$groups
  if (isTRUE(group %in% groups)) group else groups[1L]
}

# The markup is written as text instead of tags, which take twenty times as long: the diagram is
# sent often. Addresses, names and values are escaped here, all at once; the other attributes are
# our own.
page_svg <- function(panel, chosen = NULL, wordings = character()) {
  scale <- 100
  tall <- panel$page[[2L]]
  at <- function(x, y) cbind(round(scale * x, 1L), round(scale * (tall - y), 1L))
  address <- svg_escaped(panel$layout$rows$parameter)
  chosen <- if (!is.null(chosen)) svg_escaped(chosen)
  texts <- svg_escaped(vapply(panel$edges, function(edge) edge$text %||% "", ""))
  panel$nodes$name <- svg_escaped(panel$nodes$name)
  if (length(wordings)) names(wordings) <- svg_escaped(names(wordings))
  wordings <- vapply(wordings, svg_escaped, "")
  letters <- scale * panel$text_size / 72
  lines <- which(!vapply(panel$edges, function(edge) isTRUE(edge$tag), NA))
  edges <- vapply(lines, function(k) {
    edge <- panel$edges[[k]]
    edge$text <- texts[k]
    svg_edge(edge, address[edge$row], at, letters, identical(address[edge$row], chosen))
  }, "")
  nodes <- vapply(seq_along(panel$nodes$name), function(k) {
    svg_node(lapply(panel$nodes, `[`, k), at, scale, letters, wordings)
  }, "")
  htmltools::HTML(svg_tag("svg", c(
    viewBox = paste("0 0", scale * panel$page[[1L]], scale * tall), role = "group",
    `aria-label` = text_of("page_diagram_label"), class = "diagram"),
    c(svg_heads(), edges, nodes, svg_cells(panel$matrix, address, at, scale, chosen))))
}

svg_escaped <- function(x) htmltools::htmlEscape(enc2utf8(as.character(x)), attribute = TRUE)

# An element, of attributes and contents that are escaped already.
svg_tag <- function(name, attributes, inner = NULL) {
  paste0("<", name, paste0(" ", names(attributes), "=\"", attributes, "\"", collapse = ""), ">",
         paste(inner, collapse = ""), "</", name, ">")
}

svg_text <- function(at, size, text, ...) {
  svg_tag("text", c(x = at[1L], y = at[2L], `font-size` = round(size, 1L), ...), text)
}

svg_heads <- function() {
  svg_tag("defs", c(class = "heads"), svg_tag(
    "marker", c(id = "arrow-head", viewBox = "0 0 10 10", refX = "9", refY = "5",
                markerWidth = "7", markerHeight = "7", markerUnits = "userSpaceOnUse",
                orient = "auto-start-reverse"),
    svg_tag("path", c(d = "M0,1 L10,5 L0,9 z"))))
}

# Parts that the pointer and the keyboard can choose.
svg_part <- function(class, address, text, chosen, inner) {
  svg_tag("g", c(class = paste("edge", class, if (chosen) "chosen" else ""),
                 `data-do` = "choose",
                 `data-address` = address, tabindex = "0", role = "button",
                 `aria-pressed` = if (chosen) "true" else "false",
                 `aria-label` = paste(address, text)), inner)
}

# A line that can be chosen: a broad invisible one below it takes the pointer.
svg_edge <- function(edge, address, at, letters, chosen) {
  points <- at(edge$path[, 1L], edge$path[, 2L])
  path <- paste0("M", paste(points[, 1L], points[, 2L], sep = ",", collapse = " L"))
  strength <- min(1, abs(if (is.na(edge$strength)) 0.5 else edge$strength))
  line <- c(d = path, class = "line", `marker-end` = "url(#arrow-head)", fill = "none",
            `stroke-width` = round(1 + 2.4 * strength, 2L),
            if (edge$type == "covariance") c(`marker-start` = "url(#arrow-head)"),
            if (isTRUE(edge$negative)) c(`stroke-dasharray` = "7 4"))
  svg_part(edge$type, address, edge$text, chosen, c(
    svg_tag("path", c(d = path, class = "reach", fill = "none")), svg_tag("path", line),
    if (!is.null(edge$label) && nzchar(edge$text))
      svg_text(at(edge$label[[1L]], edge$label[[2L]]), 0.9 * letters, edge$text,
               class = "value")))
}

svg_node <- function(node, at, scale, letters, wordings) {
  middle <- at(node$x, node$y)
  w <- scale * node$w / 2
  h <- scale * node$h / 2
  shape <- switch(node$kind,
    construct = svg_tag("ellipse", c(cx = middle[1L], cy = middle[2L], rx = w, ry = h)),
    composite = svg_tag("polygon", c(points = paste(
      middle[1L] + w * c(1, 0.74, -0.74, -1, -0.74, 0.74),
      middle[2L] + h * c(0, 1, 1, 0, -1, -1), sep = ",", collapse = " "))),
    svg_tag("rect", c(x = middle[1L] - w, y = middle[2L] - h, width = 2 * w, height = 2 * h)))
  size <- letters * if (node$kind == "observed") 1 else 1.1
  lines <- svg_escaped(strsplit(node$label, "\n", fixed = TRUE)[[1L]])
  first <- middle[2L] - size * 1.15 * (length(lines) - 1) / 2
  texts <- vapply(seq_along(lines), function(k) {
    svg_text(c(middle[1L], round(first + size * 1.15 * (k - 1), 1L)), size, lines[k])
  }, "")
  wording <- unname(wordings[node$name])
  known <- length(wording) && !is.na(wording)
  svg_tag("g", c(class = paste("node", node$kind), `data-node` = node$name),
          c(if (known) paste0("<title>", wording, "</title>"),
            shape, texts))
}

# The matrix beside the diagram, whose cells can be chosen like lines.
svg_cells <- function(cells, address, at, scale, chosen) {
  if (is.null(cells)) return(NULL)
  cells$text <- svg_escaped(cells$text)
  vapply(seq_len(nrow(cells)), function(k) {
    anchor <- c("start", "middle", "end")[1 + 2 * cells$side[k]]
    text <- svg_text(at(cells$x[k], cells$y[k]), scale * cells$points[k] / 72, cells$text[k],
                     class = "value", style = paste0("text-anchor:", anchor))
    row <- cells$row[k]
    if (is.na(row)) return(text)
    svg_part("cell", address[row], cells$text[k], identical(address[row], chosen), text)
  }, "")
}
