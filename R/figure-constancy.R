#' Draw constancy along a variable
#'
#' `show = "process"` draws the cumulated scores of each parameter along the variable: under
#' constancy they stay between the dashed lines (in 95% of data sets, for each parameter). A peak
#' marks the place where the parameter changes. `show = "curves"` draws the parameters themselves,
#' with the means and variances of the constructs.
#'
#' @param x What [constancy()] returned.
#' @param show `"process"` or `"curves"`.
#' @param ... Not used.
#' @return A ggplot object.
#' @section Errors: `orizzonte_error_input` when there is nothing to draw: processes of categories
#'   or of bins, curves of models that have none (see [constancy()]).
#' @seealso [constancy()].
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
#' complete <- na.omit(choirs[c("sc1", "sc2", "sc3", "sc4", "age")])
#' found <- constancy(fit_model(bp, complete), along = age, what = "intercepts", data = complete)
#' plot(found)
#' plot(found, show = "curves")
#' @export
plot.orizzonte_constancy <- function(x, show = "process", ...) {
  check_arguments("plot")
  show <- choose_one(show, c("process", "curves"), "`show`")
  if (show == "process") process_figure(x) else curves_figure(x)
}

bridge_limit <- 1.358    # 95% of bridges stay within it (Kolmogorov 1933)

process_figure <- function(x) {
  points <- process_points(x)
  if (is.null(points)) abort("input", text_of("constancy_no_process"))
  .data <- rlang::.data
  ggplot2::ggplot(points, ggplot2::aes(.data$at, .data$process)) +
    ggplot2::geom_hline(yintercept = c(-1, 1) * bridge_limit, linetype = "42", linewidth = 0.35,
                        colour = palette_dusk[["slate"]]) +
    ggplot2::geom_hline(yintercept = 0, linewidth = 0.3, colour = palette_dusk[["faint"]]) +
    ggplot2::geom_line(ggplot2::aes(colour = .data$changes), linewidth = 0.6) +
    ggplot2::geom_point(data = points[points$peak, ], colour = palette_dusk[["amber"]], size = 2) +
    ggplot2::facet_wrap(~panel, ncol = min(4L, ceiling(sqrt(length(unique(points$panel)))))) +
    ggplot2::scale_colour_manual(values = c(`FALSE` = palette_dusk[["deep"]],
                                            `TRUE` = palette_dusk[["amber"]]), guide = "none") +
    ggplot2::labs(x = attr(x, "along"), y = text_of("constancy_process_axis"),
                  title = constancy_title(x),
                  subtitle = paste(c(text_of("constancy_process_note"), fewer_panels(x)),
                                   collapse = "\n")) +
    figure_theme()
}

most_panels <- 12L

# The parameters that are drawn: all, or those with the smallest p values.
drawn_parameters <- function(x) {
  own <- x[!is.na(x$parameter), ]
  names <- own$parameter[order(own$p)]
  own$parameter[own$parameter %in% utils::head(names, most_panels)]
}

fewer_panels <- function(x) {
  count <- sum(!is.na(x$parameter))
  if (count > most_panels) text_of("constancy_fewer", shown = most_panels, count = count)
}

# The path of each parameter, with its peak where it changes.
process_points <- function(x) {
  shown <- drawn_parameters(x)
  parts <- unlist(lapply(attr(x, "paths"), function(block) {
    Map(function(path, name) {
      if (is.null(path) || ncol(path$path) != 1L || !name %in% shown) return(NULL)
      row <- which(x$parameter %in% name)
      changes <- x$verdict[row] %in% "changes"
      process <- c(0, path$path[, 1L])
      list_frame(list(at = c(path$value[1L], path$value), process = process,
                      panel = rep(paste0(name, "\n", panel_p(x$p_adjusted[row])),
                                  length(process)),
                      changes = rep(changes, length(process)),
                      peak = changes & seq_along(process) == which.max(abs(process))))
    }, block$paths, block$parameter)
  }), recursive = FALSE)
  parts <- Filter(Negate(is.null), parts)
  if (length(parts) == 0L || attr(x, "kind") == "unordered") return(NULL)
  out <- bind_frames(parts)
  out$panel <- factor(out$panel, unique(out$panel))
  out
}

curves_figure <- function(x) {
  curves <- attr(x, "curves")
  if (is.null(curves)) abort("input", c(text_of("constancy_no_curves"),
                                        i = text_of("constancy_curves_need")))
  curves <- curves[curves$parameter %in% drawn_parameters(x) |
                     curves$kind %in% c("mean", "variance"), ]
  title <- p_of_curves(curves$parameter, x)
  curves$panel <- factor(title, unique(title))
  level <- vapply(split(curves, curves$panel), function(one) {
    sum(one$n * one$value) / sum(one$n)
  }, 0)
  average <- list_frame(list(panel = factor(names(level), levels(curves$panel)),
                             value = unname(level)))
  rug <- list_frame(list(at = as.numeric(attr(x, "values"))))
  .data <- rlang::.data
  figure <- ggplot2::ggplot(curves, ggplot2::aes(.data$at, .data$value))
  if (!anyNA(curves$lower)) figure <- figure +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data$lower_all, ymax = .data$upper_all),
                         fill = palette_dusk[["mist"]]) +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data$lower, ymax = .data$upper),
                         fill = palette_dusk[["faint"]])
  figure +
    ggplot2::geom_hline(data = average, mapping = ggplot2::aes(yintercept = .data$value),
                        linetype = "42", linewidth = 0.35, colour = palette_dusk[["slate"]]) +
    ggplot2::geom_line(colour = palette_dusk[["deep"]], linewidth = 0.7) +
    ggplot2::geom_point(colour = palette_dusk[["deep"]], size = 1) +
    ggplot2::geom_rug(data = rug, mapping = ggplot2::aes(x = .data$at), inherit.aes = FALSE,
                      sides = "b", linewidth = 0.15, colour = palette_dusk[["slate"]],
                      na.rm = TRUE) +
    ggplot2::facet_wrap(~panel, scales = "free_y",
                        ncol = min(4L, ceiling(sqrt(nlevels(curves$panel))))) +
    ggplot2::labs(x = attr(x, "along"), y = NULL, title = constancy_title(x),
                  subtitle = paste(strwrap(curves_note(x, curves), 125L), collapse = "\n")) +
    figure_theme()
}

panel_p <- function(p) text_of("constancy_panel_p", p = p_clause(p))

p_of_curves <- function(names, x) {
  row <- match(names, x$parameter)
  ifelse(is.na(row), names, paste0(names, "\n", panel_p(x$p_adjusted[row])))
}

curves_note <- function(x, curves) {
  cases <- paste(round(range(curves$n)), collapse = " to ")
  paste(fewer_panels(x), text_of("constancy_curves_note", n = cases),
        if (anyNA(curves$lower)) text_of("constancy_no_bands") else text_of("constancy_bands"))
}

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_constancy <- function(object, ...) plot(object, ...)
