#' Draw a trail
#'
#' Fit indices over the revisions, with the cut-offs for good and acceptable fit. A gap says that
#' models before and after are not comparable.
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
  tiers <- unlist(unclass(criteria())[shown], use.names = FALSE)
  limits <-
    list_frame(list(index = rep(toupper(shown), each = 2L), tier = rep(c("good", "acceptable"), 4L),
                    value = tiers))
  limits$index <- factor(limits$index, toupper(shown))
  aes <- ggplot2::aes
  .data <- rlang::.data
  labels <- paste0(x$revision, ". ", ifelse(x$revision == 0, "the start", x$change))
  breaks <- function(limits) seq(0, max(x$revision))
  ggplot2::ggplot(long, aes(.data$revision, .data$value)) +
    ggplot2::geom_hline(data = limits,
                        mapping = aes(yintercept = .data$value, linetype = .data$tier),
                        colour = palette_dusk[["slate"]], linewidth = 0.35) +
    ggplot2::geom_line(aes(group = .data$run), colour = palette_dusk[["deep"]], linewidth = 0.6) +
    ggplot2::geom_point(colour = palette_dusk[["deep"]], size = 2.2) +
    ggplot2::geom_label(aes(label = format_fixed(.data$value)), vjust = -0.4, size = 2.9,
                        colour = palette_dusk[["ink"]], fill = "white", label.size = 0,
                        label.padding = grid::unit(0.04, "inches")) +
    ggplot2::facet_wrap(~index, scales = "free_y") +
    ggplot2::scale_linetype_manual(values = c(good = "42", acceptable = "13"), breaks = c("good",
        "acceptable"), name = "cut-off") +
    ggplot2::scale_x_continuous(breaks = breaks, limits = c(-0.3, max(x$revision) + 0.3)) +
    ggplot2::scale_y_continuous(expand = ggplot2::expansion(mult = c(0.08, 0.18))) +
    ggplot2::labs(x = text_of("axis_revision"), y = NULL,
                  title = paste0("Trail", if (!is.null(attr(x, "title"))) paste0(": ",
                      attr(x, "title"))),
                  caption = paste(strwrap(paste(labels, collapse = ";  "), 120L),
                                  collapse = "\n")) +
    figure_theme() + ggplot2::theme(legend.position = "top", legend.justification = "left")
}
