# Path diagrams of fits: what is shown of each group, side by side or page by page.

#' Draw a path diagram
#'
#' Ellipses are constructs, hexagons composites, rectangles observed variables. Single-headed arrows
#' are loadings, weights and effects, curves with two heads covariances, short arrows residuals.
#' Line width follows the standardized size; negative paths are dashed. The arrangement is
#' automatic: effects flow from left to right in layers (after Sugiyama, Tagawa and Toda, 1981),
#' items stand outside the constructs, covariances outside the items; no label covers a box, an
#' arrow head or another label.
#'
#' @param fit A fit from [fit_model()].
#' @param values `"standardized"`, `"raw"`, `"both"` (raw, standardized in
#'   brackets) or `"none"`.
#' @param nudge A data frame with columns `name`, `dx` and `dy` that moves
#'   boxes, in inches on the page; `dy` > 0 is up. A construct takes its items along, unless they
#'   are named themselves.
#' @param groups Which groups to draw; all when `NULL`. Up to four stand side by side in the same
#'   arrangement, more get a page each. Values that differ between groups (Wald test, p < .05) are
#'   emphasised.
#' @param page Width and height of the drawing in inches.
#' @param r_squared `TRUE`: \eqn{R^2} inside each construct that something points at.
#' @param reliability `TRUE`: omega of each construct inside it, see [construct_quality()].
#' @param grey_nonsignificant `TRUE`: what is not significant (p >= .05) is drawn in grey.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A ggplot object, made for a page of 10 by 6.25 inches; `plot(fit)` draws the same. With
#'   more than four groups a list with one plot per group, of class `orizzonte_pages`, which prints
#'   page by page.
#' @section Errors: `orizzonte_error_name` when `nudge` names something that is not in the diagram
#'   or `groups` a group that is not there; `orizzonte_error_input` when another argument is not as
#'   described.
#' @references Sugiyama, K., Tagawa, S., & Toda, M. (1981). Methods for visual understanding of
#'   hierarchical system structures. *IEEE Transactions on Systems, Man, and Cybernetics, 11*(2),
#'   109--125.
#' @seealso [loading_plot()] and [residual_map()] for other figures, [write_report()] for all of
#'   them with the tables.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   effect(Calm ~ Belonging + years)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' path_diagram(fit)
#' # what a reader asks next: which paths carry weight, and how much is explained
#' path_diagram(fit, r_squared = TRUE, grey_nonsignificant = TRUE)
#' @export
path_diagram <- function(fit, values = "standardized", nudge = NULL, groups = NULL,
                         page = c(10, 6.25), r_squared = FALSE, reliability = FALSE,
                         grey_nonsignificant = FALSE, ...) {
  check_arguments("path_diagram")
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
    inside <- joined_texts(if (reliability) reliability_inside(view),
                           if (r_squared) explained_inside(fit, group))
    diagram_view(view, fit, values, inside, grey_nonsignificant)
  })
  captions <- diagram_captions(fit, values, any(vapply(views, function(v) any(v$differs), NA)),
                               grey_nonsignificant)
  title <- fit$request$blueprint$title
  if (length(views) <= most_side_by_side) {
    panels <- arrange_panels(views, nudge, page)
    return(draw_diagrams(panels, captions, title))
  }
  pages <- lapply(views, function(view) {
    draw_diagrams(arrange_panels(list(view), nudge, page, like = views), captions, title,
                  subtitle = view$group)
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

# What is shown of one group: its layout, texts of the values and inside the boxes, and how each row
# is drawn.
diagram_view <- function(view, fit, values, inside, grey) {
  span <- fit$layout$spans[[view$number]]
  standardized <- standardized_of(fit)$value[span]
  se <- raw_errors(fit)[span]
  p <- 2 * stats::pt(-abs(view$eta / se), reference_df(fit))
  list(layout = view$layout, group = view$group, standardized = standardized,
       text = diagram_text(view$eta, standardized, values), inside = inside,
       negative = view$eta < 0, differs = differing_rows(fit)[span],
       faint = grey & !is.na(p) & p >= 0.05)
}

reliability_inside <- function(view) {
  names <- judged_constructs(view)$names
  omega <- vapply(names, function(name) omega_of(view, name)$value, 0)
  stats::setNames(paste("omega =", format_fixed(omega, 2L)), names)
}

# Texts by name, where there are two one behind the other.
joined_texts <- function(one, other) {
  if (is.null(one) || is.null(other)) return(one %||% other)
  both <- intersect(names(one), names(other))
  one[both] <- paste0(one[both], ", ", other[both])
  c(one, other[setdiff(names(other), both)])
}

explained_inside <- function(fit, group) {
  found <- r_squared(fit)
  if (!all(is.na(found$group))) found <- found[found$group == group, ]
  found <- found[found$variable %in% fit$layout$constructs, ]
  stats::setNames(paste0("R\u00b2 = ", format_fixed(found$r_squared, 2L)), found$variable)
}

# Side by side in one arrangement: room for the longest text of any group. `like`: groups whose
# texts count as well.
arrange_panels <- function(views, nudge, page, like = views) {
  same <- length(unique(lapply(like, function(view) view$layout$observed))) == 1L
  widest <- function(texts) {
    apply(do.call(cbind, texts), 1L, function(x) x[which.max(nchar(x, "width"))])
  }
  texts <- lapply(like, `[[`, "text")
  columns <- panel_columns(views, page)
  panel <- panel_page(length(views), columns, page)
  lapply(views, function(view) {
    room <- if (same) widest(texts) else view$text
    panel <- arrange_diagram(view$layout, room, view$standardized, nudge, panel, view$inside)
    panel$edges <- lapply(panel$edges, function(edge) {
      edge$text <- view$text[edge$row]
      edge$negative <- view$negative[edge$row]
      edge$differs <- isTRUE(view$differs[edge$row])
      edge$faint <- isTRUE(view$faint[edge$row])
      edge
    })
    c(panel, list(group = view$group, columns = columns))
  })
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
    placed <- placements(views[[1L]]$layout, plan, views[[1L]]$text, views[[1L]]$inside, panel, 14L)
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

# Before and after the chi-square, which is drawn as a formula: not every device has the letter.
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

# The drawn elements of all panels: lines, labels and nodes.
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
