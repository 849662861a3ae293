# Path diagrams of fits and of blueprints: the view of each group, side by side or on pages.

#' Draw a path diagram
#'
#' Ellipses are constructs, hexagons composites, rectangles observed variables. Single-headed arrows
#' are loadings, weights and effects, curves with two heads covariances, short arrows residuals.
#' Line width follows the standardized size; negative paths are dashed. The arrangement is
#' automatic: effects flow from left to right in layers (after Sugiyama, Tagawa and Toda, 1981),
#' items stand outside the constructs, and no label covers a box, an arrow head or another label.
#' Among many drafts the one with the fewest bends, crossings and near misses is drawn. If four or
#' more exogenous constructs covary in a structural model, or more than eight constructs in a
#' measurement model, their covariances are shown as a matrix beside or below the diagram.
#'
#' The diagram of a blueprint shows the theory before there are data: fixed values, and each
#' hypothesis about a single path by its name and expected sign (`H1 +`).
#'
#' @param fit A fit from [fit_model()], or a blueprint.
#' @param values For a fit: `"standardized"`, `"raw"`, `"both"` (raw, standardized in
#'   brackets) or `"none"`.
#' @param nudge A data frame with columns `name`, `dx` and `dy` that moves
#'   boxes, in inches on the page; `dy` > 0 is up. A construct takes its items along, unless they
#'   are named themselves. [arrange_as()] keeps boxes that were moved.
#' @param groups Which groups to draw; all when `NULL`. Up to four groups are drawn side by side in
#'   the same arrangement; more than four have a page each. Values that differ between groups (Wald
#'   test, p < .05) are emphasised.
#' @param page Width and height of the drawing in inches.
#' @param r_squared `TRUE`: for each endogenous construct, \eqn{R^2} beside it and as the filled
#'   part of its outline, clockwise from the top.
#' @param reliability `TRUE`: omega beside each construct, see [construct_quality()].
#' @param grey_nonsignificant `TRUE`: parameters that are not significant (p >= .05) are drawn in
#'   grey.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A ggplot object, made for a page of 10 by 6.25 inches; `plot()` of a fit or a blueprint
#'   draws the same. With
#'   more than four groups a list with one plot per group, of class `orizzonte_pages`, which prints
#'   page by page.
#' @section Errors: `orizzonte_error_name` when `nudge` names something that is not in the diagram
#'   or `groups` a group that is not there; `orizzonte_error_input` when another argument is not as
#'   described.
#' @references Sugiyama, K., Tagawa, S., & Toda, M. (1981). Methods for visual understanding of
#'   hierarchical system structures. *IEEE Transactions on Systems, Man, and Cybernetics, 11*(2),
#'   109--125.
#' @seealso [arrange_as()] to keep an arrangement, [loading_plot()] and [residual_map()] for other
#'   figures, [write_report()] for all of them with the tables.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   effect(Calm ~ Belonging + years)
#' plot(bp)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' path_diagram(fit)
#' # the next question: which paths carry weight, and how much is explained
#' path_diagram(fit, r_squared = TRUE, grey_nonsignificant = TRUE)
#' @export
path_diagram <- function(fit, values = "standardized", nudge = NULL, groups = NULL,
                         page = c(10, 6.25), r_squared = FALSE, reliability = FALSE,
                         grey_nonsignificant = FALSE, ...) {
  check_arguments("path_diagram")
  if (inherits(fit, "orizzonte_blueprint")) {
    if (!missing(values) || !is.null(groups) || r_squared || reliability || grey_nonsignificant)
      abort("input", c(text_of("diagram_of_blueprint_has_no_values"),
                       i = text_of("fit_first_then_draw")))
    return(theory_diagram(fit, nudge, page))
  }
  check_fit(fit, "path_diagram")
  values <- choose_one(values, c("standardized", "raw", "both", "none"), "`values`")
  check_page(page)
  check_flag(r_squared, "`r_squared`")
  check_flag(reliability, "`reliability`")
  check_flag(grey_nonsignificant, "`grey_nonsignificant`")
  if (!is.null(groups)) check_words(groups, "`groups`", "groups = c(\"evening\", \"weekend\")")
  chosen <- diagram_groups(fit$layout, groups)
  views <- lapply(stats::setNames(chosen, chosen), function(group) {
    view <- group_view(fit, group)
    explained <- if (r_squared) explained_by_name(fit, group)
    tags <- joined_texts(if (reliability) reliability_tags(view), explained_tags(explained))
    diagram_view(view, fit, values, tags, explained, grey_nonsignificant)
  })
  captions <- diagram_captions(fit, values, any(vapply(views, function(v) any(v$differs), NA)),
                               grey_nonsignificant)
  title <- fit$request$blueprint$title
  saved <- fit$request$blueprint$arrangement
  if (length(views) <= most_side_by_side) {
    panels <- arrange_panels(views, nudge, page, saved = saved)
    return(draw_diagrams(panels, chisq_caption(captions), title))
  }
  pages <- lapply(views, function(view) {
    draw_diagrams(arrange_panels(list(view), nudge, page, like = views, saved = saved),
                  chisq_caption(captions), title, subtitle = view$group)
  })
  structure(pages, class = "orizzonte_pages")
}

most_side_by_side <- 4L

check_page <- function(page) {
  if (is.numeric(page) && length(page) == 2L && all(is.finite(page)) && all(page >= 2) &&
      all(page <= 100)) return(invisible())
  abort("input", c(text_of("page_must_be_width"),
                   i = text_of("example_page")))
}

#' @export
print.orizzonte_pages <- function(x, ...) {
  for (page in x) print(page)
  invisible(x)
}

# The view of one group: its layout, texts of the values, tags beside constructs, the filled
# part of their outlines, and how each row is drawn.
diagram_view <- function(view, fit, values, tags, filled, grey) {
  span <- fit$layout$spans[[view$number]]
  standardized <- standardized_of(fit)$value[span]
  se <- raw_errors(fit)[span]
  p <- 2 * stats::pt(-abs(view$eta / se), reference_df(fit))
  list(layout = view$layout, group = view$group, standardized = standardized,
       text = diagram_text(view$eta, standardized, values), tags = tags,
       filled = filled,       negative = view$eta < 0, differs = differing_rows(fit)[span],
       faint = grey & !is.na(p) & p >= 0.05)
}

reliability_tags <- function(view) {
  names <- judged_constructs(view)$names
  view <- with_scale_jets(view, names)
  omega <- vapply(names, function(name) omega_of(view, name)$value, 0)
  stats::setNames(paste("omega", format_share(omega, 2L)), names)
}

# Texts by name; two texts of the same name are joined.
joined_texts <- function(one, other) {
  if (is.null(one) || is.null(other)) return(one %||% other)
  both <- intersect(names(one), names(other))
  one[both] <- paste0(one[both], ", ", other[both])
  c(one, other[setdiff(names(other), both)])
}

explained_by_name <- function(fit, group) {
  found <- r_squared(fit)
  if (!all(is.na(found$group))) found <- found[found$group == group, ]
  found <- found[found$variable %in% fit$layout$constructs, ]
  found <- found[!is.na(found$r_squared), ]
  stats::setNames(found$r_squared, found$variable)
}

explained_tags <- function(explained) {
  if (length(explained))
    stats::setNames(paste("R\u00b2", format_share(explained, 2L)), names(explained))
}

# A saved arrangement that has no place for a variable of the model is not used.
tell_unplaced <- function(views, saved) {
  if (is.null(saved)) return(invisible())
  names <- unique(unlist(lapply(views, function(view) {
    c(view$layout$constructs, view$layout$observed)
  })))
  unplaced <- setdiff(names, saved$places$name)
  if (length(unplaced)) say(text_of("arrangement_lacks", names = enumerate(unplaced)))
}

# Side by side in one arrangement: room for the longest text of any group. `like`: groups whose
# texts count as well.
arrange_panels <- function(views, nudge, page, like = views, saved = NULL) {
  tell_unplaced(views, saved)
  same <- length(unique(lapply(like, function(view) view$layout$observed))) == 1L
  widest <- function(texts) {
    apply(do.call(cbind, texts), 1L, function(x) x[which.max(nchar(x, "width"))])
  }
  texts <- lapply(like, `[[`, "text")
  # the same arrangement for all groups
  strength <- if (same) rowMeans(abs(do.call(cbind, lapply(like, `[[`, "standardized"))))
  columns <- panel_columns(views, page)
  panel <- panel_page(length(views), columns, page)
  lapply(views, function(view) {
    room <- if (same) widest(texts) else view$text
    panel <- arrange_diagram(view$layout, room, strength %||% view$standardized, nudge, panel,
                             view$tags, saved)
    c(with_values(panel, view), list(group = view$group, columns = columns))
  })
}

# An arrangement with the values of a view in it.
with_values <- function(panel, view) {
  panel$edges <- lapply(panel$edges, function(edge) {
    edge$text <- if (isTRUE(edge$tag)) view$tags[[edge$node]] else view$text[edge$row]
    edge$strength <- view$standardized[edge$row]
    edge$negative <- isTRUE(view$negative[edge$row])
    edge$differs <- isTRUE(view$differs[edge$row])
    edge$faint <- isTRUE(view$faint[edge$row])
    edge
  })
  if (!is.null(panel$matrix)) {
    value <- !is.na(panel$matrix$row)
    panel$matrix$text[value] <- view$text[panel$matrix$row[value]]
  }
  panel$nodes$filled <- if (is.null(view$filled)) NA_real_ else
    unname(view$filled[panel$nodes$name])
  panel
}

strip_room <- 0.3    # of a panel's heading

panel_page <- function(count, columns, page) {
  if (count == 1L) return(page)
  c(page[[1L]] / columns - 0.1, page[[2L]] / ceiling(count / columns) - strip_room)
}

# Chooses the number of panels per row that gives the largest text.
panel_columns <- function(views, page) {
  count <- length(views)
  if (count == 1L) return(1L)
  plan <- core_plan(views[[1L]]$layout)
  tried <- unique(ceiling(count / seq_len(count)))
  size <- vapply(tried, function(columns) {
    panel <- panel_page(count, columns, page)
    if (any(panel < 1)) return(0)
    placed <- placements(views[[1L]]$layout, plan, views[[1L]]$text, panel, 14L)
    max(vapply(placed, `[[`, 0, "unit"))
  }, 0)
  tried[which.max(size)]
}

# Rows whose values differ between groups by a Wald test at .05.
differing_rows <- function(fit) {
  if (length(fit$layout$groups) < 2L) return(logical(length(fit$layout$rows$kind)))
  compared <- compare_groups(fit, c("loading", "weight", "effect", "covariance"))
  plain <- addresses_without_group(fit$layout$rows)
  plain %in% compared$parameter[compared$p < 0.05 & !is.na(compared$p)]
}

# The layout of a blueprint before there are data.
theory_layout <- function(bp) {
  check_variables(bp)
  build_layout(group_blueprint(bp, ""), means = mentions_means(bp))
}

# The view of a blueprint has fixed values and hypotheses instead of estimates.
theory_view <- function(bp, layout) {
  count <- length(layout$rows$kind)
  expected <- expected_signs(bp, layout)
  fixed <- ifelse(is.na(layout$rows$fixed), "", trimws(format(layout$rows$fixed, digits = 3L)))
  list(layout = layout, group = "", standardized = rep(0.5, count),
       text = ifelse(nzchar(expected$text), expected$text, fixed),
       negative = expected$negative, differs = logical(count), faint = logical(count),
       signs = any(nzchar(expected$text)))
}

theory_diagram <- function(bp, nudge, page) {
  check_page(page)
  layout <- theory_layout(bp)
  view <- theory_view(bp, layout)
  counts <- layout_counts(layout)
  caption <- text_of("theory_caption", observed = length(layout$observed),
                     parameters = counts$parameters, df = format_count(counts$df),
                     signs = if (view$signs) text_of("theory_signs") else "")
  draw_diagrams(arrange_panels(list(view), nudge, page, saved = bp$arrangement), caption, bp$title)
}

# Hypotheses that compare a single parameter with zero, by row: name and sign.
expected_signs <- function(bp, layout) {
  text <- character(length(layout$rows$kind))
  negative <- logical(length(text))
  for (name in names(bp$claims)) {
    claim <- parse_claim(str2lang(bp$claims[[name]]))
    sides <- list(claim$left, claim$right)
    zero <- vapply(sides, function(side) identical(side$text, "0"), NA)
    if (sum(zero) != 1L || !claim$relation %in% c(">", "<")) next
    address <- sub("^standardized\\((.*)\\)$", "\\1", sides[[which(!zero)]]$text)
    row <- match(address, layout$rows$parameter)
    if (is.na(row)) next
    positive <- (claim$relation == ">") == zero[2L]
    text[row] <- paste(name, if (positive) "+" else "\u2212")
    negative[row] <- !positive
  }
  list(text = text, negative = negative)
}

#' @rdname path_diagram
#' @export
plot.orizzonte_blueprint <- function(x, ...) path_diagram(x, ...)

#' @rdname path_diagram
#' @param x A fit from [fit_model()], or a blueprint.
#' @param ... Passed on to `path_diagram()`.
#' @export
plot.orizzonte_fit <- function(x, ...) path_diagram(x, ...)

diagram_text <- function(raw, standardized, values) {
  short <- function(x) {
    digits <- ifelse(is.na(x) | abs(x) < 9.995, 2L, ifelse(abs(x) < 99.95, 1L, 0L))
    text <- mapply(formatC, x, digits = digits, MoreArgs = list(format = "f"))
    ifelse(is.na(x), "", sub("^-(0[.]?0*)$", "\\1", text))
  }
  # a value that cannot exceed 1, or hardly ever does, has no leading zero
  bare <- function(x) sub("^(-?)0[.]", "\\1.", short(x))
  switch(values,
    standardized = bare(standardized),
    raw = short(raw),
    both = ifelse(is.na(standardized), short(raw),
                  paste0(short(raw), " (", bare(standardized), ")")),
    none = rep("", length(raw)))
}

# Before and after the chi-square symbol, which is drawn as a formula: not every device has the
# letter.
diagram_captions <- function(fit, values, differs, grey) {
  kind <- c(standardized = "standardized values", raw = "raw values",
            both = text_of("raw_values_standardized_brackets"), none = "")[[values]]
  chisq <- test_of(fit)$chisq
  df <- stats::df.residual(fit)
  after <- c(paste0("(", df, ") = ", format_fixed(chisq, 2L)), if (nzchar(kind)) kind,
             text_of("dashed_negative"), if (grey) text_of("grey_not_significant"),
             if (length(fit$layout$composites)) text_of("covariances_composites_items_not"),
             if (differs) text_of("amber_bold_differs_between"),
             if (!has_converged(fit)) "NOT CONVERGED" else if (nrow(improper_parts(fit)))
               "IMPROPER SOLUTION")
  c(before = paste0("n = ", format_count(stats::nobs(fit)), "; "),
    after = paste(after, collapse = "; "))
}

chisq_caption <- function(captions) {
  as.expression(bquote(paste(.(captions[["before"]]), chi^2, .(captions[["after"]]))))
}

# Arrangements drawn with ggplot2: lines below boxes below texts.

draw_diagrams <- function(panels, caption, title, subtitle = NULL) {
  several <- length(panels) > 1L
  points <- min(vapply(panels, `[[`, 0, "text_size"))
  page <- panels[[1L]]$page
  parts <- diagram_frames(panels)
  plot <- draw_arrows(parts$lines)
  plot <- draw_nodes(plot, parts$nodes)
  plot <- draw_texts(plot, parts$nodes, parts$labels, points, page[[1L]])
  if (!is.null(parts$matrix)) {
    plot <- plot + page_text(parts$matrix, parts$matrix$text, parts$matrix$points,
                             palette_dusk[["ink"]], "plain", FALSE, page[[1L]], parts$matrix$side)
  }
  .data <- rlang::.data
  plot <- plot +
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
  structure(plot, arrangement = arrangement_value(panels[[1L]]))
}

# The drawn elements of all panels: lines, labels and nodes.
diagram_frames <- function(panels) {
  named <- lapply(panels, function(panel) factor(panel$group, vapply(panels, `[[`, "", "group")))
  on_panel <- function(k, columns) {
    list_frame(c(columns, list(panel = rep(named[[k]], length(columns[[1L]])))))
  }
  lines <- do.call(rbind, lapply(seq_along(panels), function(k) {
    do.call(rbind, lapply(seq_along(panels[[k]]$edges), function(i) {
      edge <- panels[[k]]$edges[[i]]
      if (isTRUE(edge$tag)) return(NULL)
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
  matrix <- do.call(rbind, lapply(seq_along(panels), function(k) {
    cells <- panels[[k]]$matrix
    if (!is.null(cells)) on_panel(k, as.list(cells[c("x", "y", "text", "side", "points")]))
  }))
  list(lines = lines, labels = labels, nodes = nodes, matrix = matrix)
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

# The part of each outline that shows the explained variance, clockwise from the top.
filled_outlines <- function(nodes) {
  do.call(rbind, lapply(seq_len(nrow(nodes)), function(k) {
    node <- nodes[k, ]
    part <- min(max(node$filled, 0), 1)
    angle <- pi / 2 - seq(0, 2 * pi * part, length.out = 73L)
    list_frame(list(x = node$x + node$w / 2 * cos(angle), y = node$y + node$h / 2 * sin(angle),
                    id = rep(node$name, 73L), panel = rep(node$panel, 73L)))
  }))
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
  filled <- filled_outlines(nodes[nodes$kind != "observed" & !nodes$filled %in% NA, ])
  if (length(filled)) {
    plot <- plot +
      ggplot2::geom_path(data = filled, mapping = aes(.data$x, .data$y, group = .data$id),
                         colour = palette_dusk[["amber"]], linewidth = 1.3, lineend = "butt")
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

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_fit <- function(object, ...) path_diagram(object, ...)
