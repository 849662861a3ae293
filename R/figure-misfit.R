#' Draw the residuals as a map
#'
#' One cell for each pair of items, ordered by construct. Each cell shows the signed residual;
#' darker shades mark larger residuals, and a frame marks the large ones (a difference in
#' correlation of .10, or 1.96 standard errors): solid if the items covary more than the model
#' implies, dashed if less. The numbers stay readable up to about 40 items; beyond, only shades and
#' frames are drawn.
#'
#' @param fit A fit from [fit_model()].
#' @param in_units As in [residuals.orizzonte_fit()]; `"correlation"` by default.
#' @param numbers Whether to write the numbers; up to 40 items when `NULL`.
#' @param group The group to draw, for a fit of several groups. The default is the first one; the
#'   title names it.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A ggplot object, made for 10 by 6.7 inches.
#' @section Errors: `orizzonte_error_input` when `in_units` is none of its choices, with the
#'   nearest name.
#' @seealso [residuals.orizzonte_fit()] for the numbers, [amendments()] for modification indices.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' residual_map(suppressMessages(fit_model(bp, choirs)))
#' @export
residual_map <- function(fit, in_units = "correlation", numbers = NULL, group = NULL, ...) {
  check_arguments("residual_map")
  check_fit(fit, "residual_map")
  view <- one_view(fit, group)
  in_units <- choose_one(in_units, residual_units, "`in_units`")
  gap <- residuals_in(view, in_units, residual_parts(view))$covariance
  owner <- main_construct(view, colnames(gap))
  order <- order(match(owner, c(fit$layout$constructs, unique(owner))))
  gap <- gap[order, order, drop = FALSE]
  names <- colnames(gap)
  size <- ncol(gap)
  if (is.null(numbers)) numbers <- size <= 40L
  check_flag(numbers, "`numbers`")
  large <- if (in_units == "correlation") 0.1 else if (in_units == "covariance") Inf else 1.96
  full <- max(if (is.finite(large)) 2 * large, abs(gap), 1e-12, na.rm = TRUE)
  cells <- residual_cells(gap, in_units, large, full)
  frames <- cells[cells$large, ]
  blocks <- construct_blocks(owner[order], names)
  points <- max(4.6, min(9, 190 / size))
  aes <- ggplot2::aes
  .data <- rlang::.data
  ggplot2::ggplot() +
    tinted(cells[cells$more, ], "amber") + tinted(cells[!cells$more, ], "slate") +
    framed(frames[frames$more, ], "solid", "amber") + framed(frames[!frames$more, ], "22", "deep") +
    ggplot2::geom_segment(data = blocks$lines,
                          mapping = aes(.data$x, .data$y, xend = .data$xend, yend = .data$yend),
                          colour = palette_dusk[["slate"]], linewidth = 0.3) +
    (if (numbers)
     ggplot2::geom_text(data = cells,
                        mapping = aes(.data$x, .data$y, label = .data$text,
                                      fontface = .data$weight),
                        size = points * 25.4 / 72, colour = palette_dusk[["ink"]])) +
    # beside the steps of the triangle
    ggplot2::geom_text(data = blocks$named,
                       mapping = aes((.data$from + .data$to) / 2 + 0.6,
                                     size + 1 - (.data$from + .data$to) / 2,
                                     label = .data$name), hjust = 0,
                       size = 3.2, fontface = "bold", colour = palette_dusk[["ink"]]) +
    largest_in_words(cells, names) +
    ggplot2::scale_alpha_identity() +
    ggplot2::scale_x_continuous(breaks = seq_len(size), labels = names,
                                limits = c(0.4, size + 1 + 0.04 * size), expand = c(0, 0)) +
    ggplot2::scale_y_continuous(breaks = seq_len(size), labels = rev(names),
                                limits = c(0.4, size + 0.6), expand = c(0, 0)) +
    ggplot2::labs(x = NULL, y = NULL,
                  title = paste0("Residuals: ", fit$request$blueprint$title,
                                 bracket_group(view$layout, view$group)),
                  subtitle = text_of("more_than_model_implies",
                                     in_units = if (in_units != "covariance")
                                      words_of("residual_frame", in_units)),
                  caption = paste0(words_of("residual_map", in_units), "; n = ",
                                   format_count(view$moments$n),
                                   if (anyNA(gap)) text_of("empty_reproduced_whatever_data"))) +
    figure_theme() +
    ggplot2::theme(panel.grid = ggplot2::element_blank(),
                   axis.text = ggplot2::element_text(size = max(5.5, points)),
                   axis.text.x = ggplot2::element_text(angle = 90, vjust = 0.5, hjust = 1))
}

# The empty corner names the largest ones.
largest_in_words <- function(cells, names, most = 6L) {
  size <- length(names)
  cells <- cells[cells$x != size + 1L - cells$y, ]
  if (size < 7L || nrow(cells) == 0L) return(NULL)
  top <- utils::head(cells[order(-cells$shade), ], most)
  lines <- text_of("with", text = top$text, top = names[size + 1L - top$y], top_2 = names[top$x])
  ggplot2::annotate("text", x = size + 0.6, y = size + 0.4, hjust = 1, vjust = 1, size = 3.1,
                    lineheight = 1.15, colour = palette_dusk[["ink"]],
                    label = paste(c("Largest", lines), collapse = "\n"))
}

# One row a cell that is shown.
residual_cells <- function(gap, in_units, large, full) {
  size <- ncol(gap)
  # variances are shown when the model does not reproduce them
  at <- which(lower.tri(gap, diag = any(abs(diag(gap)) > 0.005, na.rm = TRUE)), arr.ind = TRUE)
  at <- at[!is.na(gap[at]), , drop = FALSE]
  value <- gap[at]
  text <- short_residual(value, residual_digits[[in_units]])
  cells <- list_frame(list(x = at[, 2L], y = size + 1L - at[, 1L], text = text,
                           shade = pmin(1, abs(value) / full), more = value >= 0,
                           large = abs(value) >= large,
                           weight = ifelse(abs(value) >= large, "bold", "plain")))
  cells
}

residual_digits <- c(correlation = 2L, covariance = 0L, own_se = 1L, moment_se = 1L)

# Lines between the constructs, and positions of their names.
construct_blocks <- function(owner, names) {
  size <- length(names)
  starts <- c(1L, which(owner[-1L] != owner[-size]) + 1L)
  blocks <- list_frame(list(name = owner[starts], from = starts, to = c(starts[-1L] - 1L, size)))
  named <- blocks[blocks$to > blocks$from & !blocks$name %in% names, ]
  cuts <- utils::head(blocks$to, -1L) + 0.5
  lines <- list_frame(list(x = c(cuts, rep(0.5, length(cuts))), xend = c(cuts, cuts),
                           y = c(rep(0.5, length(cuts)), size + 1 - cuts),
                           yend = rep(size + 1 - cuts, 2L)))
  list(lines = lines, named = named)
}

# Cells with their tint, and frames.
tinted <- function(part, colour) {
  .data <- rlang::.data
  if (nrow(part))
    ggplot2::geom_tile(data = part, mapping = ggplot2::aes(.data$x, .data$y, alpha = .data$shade),
                       fill = palette_dusk[[colour]], width = 1, height = 1)
}

framed <- function(part, line, colour) {
  .data <- rlang::.data
  if (nrow(part)) {
    ggplot2::geom_tile(data = part, mapping = ggplot2::aes(.data$x, .data$y), fill = NA,
                       colour = palette_dusk[[colour]], linetype = line,
                       width = 0.94, height = 0.94, linewidth = 0.4)
  }
}

# "+.12" and "-.12", with a typographic minus and without a leading zero; a value of only zeros has
# no sign.
short_residual <- function(x, digits) {
  size <- sub("^0\\.", ".", formatC(abs(x), digits = digits, format = "f"))
  ifelse(grepl("[1-9]", size), paste0(ifelse(x > 0, "+", "-"), size), size)
}

#' Draw amendments
#'
#' The modification index of everything that could be freed against its expected change in
#' standardized units. Lines show the significance level and the smallest change of interest.
#' Changes that are both significant and large appear in the upper corners. The largest are named.
#'
#' @param x An object from [amendments()].
#' @param labels How many to name.
#' @param ... Not used.
#' @return A ggplot object.
#' @section Errors: `orizzonte_error_input` when there is nothing to draw.
#' @seealso [amendments()] for the table.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' plot(amendments(suppressMessages(fit_model(bp, choirs))))
#' @export
plot.orizzonte_amendments <- function(x, labels = 8, ...) {
  check_count(labels, "`labels`")
  criteria <- check_criteria(attr(x, "criteria"))
  shown <- x[!is.na(x$expected_change_std), ]
  if (nrow(shown) == 0L) abort("input", text_of("there_is_nothing_draw"))
  limit <- stats::qchisq(1 - criteria$significance, 1)
  points <- list_frame(list(x = shown$expected_change_std, y = shown$modification_index,
                            verdict = factor(shown$verdict, amendment_codes)))
  said <- attr(x, "nothing") %||% attr(x, "exact")
  reach <- max(abs(points$x), 1.5 * criteria$smallest)
  named <-
    list_frame(list(x = points$x, y = points$y,
                    text =
                    shown$parameter))[utils::head(which(shown$modification_index > limit), labels),
                                      ]
  # names are in a column at either side, joined to their points
  named$side <- ifelse(named$x >= 0, 1, -1)
  named$at <- spread_labels(named$y, 0.045 * sqrt(max(points$y, limit)), named$side)
  aes <- ggplot2::aes
  .data <- rlang::.data
  ggplot2::ggplot(points, aes(.data$x, .data$y)) +
    ggplot2::geom_hline(yintercept = limit, colour = palette_dusk[["slate"]], linetype = "42",
                        linewidth = 0.35) +
    ggplot2::geom_vline(xintercept = c(-1, 1) * criteria$smallest, colour = palette_dusk[["slate"]],
                        linetype = "42", linewidth = 0.35) +
    ggplot2::geom_vline(xintercept = 0, colour = palette_dusk[["mist"]]) +
    ggplot2::geom_point(aes(shape = .data$verdict, colour = .data$verdict), size = 2.2) +
    ggplot2::geom_segment(data = named,
                          mapping = aes(.data$x + .data$side * 0.02 * reach, .data$y,
                                        xend = .data$side * 1.12 * reach, yend = .data$at),
                          colour = palette_dusk[["dune"]], linewidth = 0.3) +
    ggplot2::geom_text(data = named,
                       mapping = aes(.data$side * 1.14 * reach, .data$at, label = .data$text,
                                     hjust = (1 - .data$side) / 2), size = 3.1,
                       colour = palette_dusk[["ink"]]) +
    ggplot2::annotate("text", x = reach * 1.85, y = limit, label = paste0("p = ",
        short_number(criteria$significance)), hjust = 1, vjust = -0.5, size = 2.9,
                      colour = palette_dusk[["slate"]]) +
    ggplot2::scale_shape_manual(values = c(stands_out = 17, within_chance = 4, negligible = 2,
                                           cannot_tell = 1),
                                labels = amendment_words, name = NULL, drop = TRUE) +
    ggplot2::scale_colour_manual(values = c(stands_out = palette_dusk[["amber"]],
                                            within_chance = palette_dusk[["slate"]],
                                            negligible = palette_dusk[["slate"]],
                                            cannot_tell = palette_dusk[["slate"]]),
                                 labels = amendment_words, name = NULL, drop = TRUE) +
    ggplot2::scale_y_sqrt() +
    ggplot2::scale_x_continuous(limits = c(-1.9, 1.9) * reach,
                                breaks = function(limits) pretty(c(-reach, reach), 6)) +
    ggplot2::labs(x = text_of("expected_change_standardized"),
                  y = text_of("modification_index_root_scale"),
                  title = paste0("Amendments", if (!is.null(attr(x, "title"))) paste0(": ",
                      attr(x, "title"))),
                  subtitle = if (length(said))
                    paste(strwrap(said, 110L), collapse = "\n"),
                  caption = text_of("could_be_freed_dashed", shown = format_count(nrow(shown)),
                                    significance = short_number(criteria$significance),
                                    smallest = short_number(criteria$smallest))) +
    figure_theme() + ggplot2::theme(legend.position = "top", legend.justification = "left")
}

amendment_words <- function(codes) words_of("amendment", codes)

# Heights of labels moved apart (on the root scale) where they would overlap, on each side by
# itself.
spread_labels <- function(y, gap, side) {
  root <- sqrt(y)
  for (k in unique(side)) {
    order <- which(side == k)[order(-root[side == k])]
    for (i in seq_along(order)[-1L])
      root[order[i]] <- min(root[order[i]], root[order[i - 1L]] - gap)
  }
  pmax(root, 0)^2
}

#' Draw a trail
#'
#' Fit indices over the revisions, with the cut-offs for good and acceptable fit. A gap separates
#' models that are not comparable.
#'
#' @param x An object from [trail()].
#' @param ... Not used.
#' @return A ggplot object.
#' @section Errors: `orizzonte_error_input` for an unknown argument.
#' @seealso [trail()] for the table.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' plot(trail(amend(fit, free = covariance[be1, be2],
#'                  because = "both items are about being greeted")))
#' @export
plot.orizzonte_trail <- function(x, ...) {
  if (nrow(x) == 0L)
    abort("input", c(text_of("there_is_nothing_draw_nothing"),
                     i = text_of("amend_fit_free_because")))
  shown <- c("cfi", "tli", "rmsea", "srmr")
  run <- cumsum(nzchar(x$note))
  index <- factor(rep(toupper(shown), each = nrow(x)), toupper(shown))
  long <-
    list_frame(list(revision = rep(x$revision, 4L), value = unlist(x[shown], use.names = FALSE),
                    index = index, run = rep(run, 4L)))
  away <- unlist(lapply(shown, function(name) away_from_line(x[[name]], run)))
  tiers <- unlist(unclass(criteria())[shown], use.names = FALSE)
  limits <-
    list_frame(list(index = rep(toupper(shown), each = 2L), tier = rep(c("good", "acceptable"), 4L),
                    value = tiers))
  limits$index <- factor(limits$index, toupper(shown))
  aes <- ggplot2::aes
  .data <- rlang::.data
  labels <- paste0(x$revision, ". ", ifelse(x$revision == 0, text_of("original_model"), x$change))
  breaks <- function(limits) seq(0, max(x$revision))
  ggplot2::ggplot(long, aes(.data$revision, .data$value)) +
    ggplot2::geom_hline(data = limits,
                        mapping = aes(yintercept = .data$value, linetype = .data$tier),
                        colour = palette_dusk[["slate"]], linewidth = 0.35) +
    ggplot2::geom_line(aes(group = .data$run), colour = palette_dusk[["deep"]], linewidth = 0.6) +
    ggplot2::geom_point(colour = palette_dusk[["deep"]], size = 2.2) +
    point_labels(long, format_share(long$value, 3L), away) +
    ggplot2::facet_wrap(~index, scales = "free_y") +
    ggplot2::scale_linetype_manual(values = c(good = "42", acceptable = "13"), breaks = c("good",
        "acceptable"), name = "cut-off") +
    ggplot2::scale_x_continuous(breaks = breaks, limits = c(-0.3, max(x$revision) + 0.3)) +
    ggplot2::scale_y_continuous(expand = ggplot2::expansion(mult = c(0.18, 0.18))) +
    ggplot2::labs(x = text_of("axis_revision"), y = NULL,
                  title = paste0("Trail", if (!is.null(attr(x, "title"))) paste0(": ",
                      attr(x, "title"))),
                  caption = paste(strwrap(paste(labels, collapse = ";  "), 120L),
                                  collapse = "\n")) +
    figure_theme() + ggplot2::theme(legend.position = "top", legend.justification = "left")
}
