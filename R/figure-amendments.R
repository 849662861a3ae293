#' Draw amendments
#'
#' The modification index of everything that could be freed against its expected change in
#' standardized units. Lines show the significance level and the smallest change of interest.
#' Changes that are both significant and large appear in the upper corners. The largest are named.
#'
#' @param x What [amendments()] returned.
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
#' @param x What [trail()] returned.
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
