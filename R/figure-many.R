#' Draw bootstraps, cut-offs, plans, influence and robustness
#'
#' `plot()` draws the results of [bootstrap_fit()], [model_cutoffs()], [plan_study()],
#' [influence()][influence.orizzonte_fit] and [robustness()]: the replicates of each number, the
#' distributions of correctly specified and misspecified models, power by n, influential cases,
#' claims under other choices.
#'
#' @param x An object from one of these functions.
#' @param labels How many cases to name.
#' @param parameters Numbers of a bootstrap to draw, by name; the first twelve
#'   different ones when `NULL`.
#' @param ... Not used.
#' @return A ggplot object.
#' @section Errors: `orizzonte_error_input` when there is nothing to draw.
#' @seealso [model_cutoffs()], [plan_study()], [robustness()].
#' @examples
#' bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#' fit <- suppressMessages(fit_model(bp, choirs))
#' plot(influence(fit))
#' @name figures-of-many-fits
NULL

#' @rdname figures-of-many-fits
#' @export
plot.orizzonte_cutoffs <- function(x, ...) {
  check_arguments("plot")
  points <- bind_frames(unlist(lapply(names(x$parts), function(rung) {
    part <- x$parts[[rung]]
    many <- c(list(right = part$right), stats::setNames(part$wrong, part$words))
    lapply(names(many), function(name) drawn_values(many[[name]], name, rung, x$ladder))
  }), recursive = FALSE))
  if (length(unique(points$population)) < 2L)
    abort("input", text_of("no_misspecification"))
  lines <- cutoff_marks(x)
  caption <- NULL
  if (x$ladder) {
    # each rung has a misspecification of its own, given in the caption
    points$population[!points$right] <- text_of("population_misspecified")
    each <- vapply(x$parts, function(part) paste(part$words, collapse = " or "), "")
    each <- paste0(names(x$parts), ": ", each, collapse = "; ")
    caption <- paste0(text_of("population_misspecified"), ": ", each, ".")
    caption <- paste(strwrap(caption, 130L), collapse = "\n")
  }
  wrong <- unique(points$population[!points$right])
  points$population <- factor(points$population, rev(c(text_of("population_right"), wrong)))
  order <- unlist(lapply(names(x$parts), panel_name, index = judged_indices, ladder = x$ladder))
  points$panel <- factor(points$panel, order)
  lines$panel <- factor(lines$panel, order)
  aes <- ggplot2::aes
  .data <- rlang::.data
  ggplot2::ggplot(points, aes(.data$value, .data$population)) +
    ggplot2::geom_vline(data = lines, mapping = aes(xintercept = .data$value,
                                                    linetype = .data$mark, colour = .data$mark),
                        linewidth = 0.5) +
    ggplot2::geom_boxplot(aes(fill = .data$right),
                          colour = palette_dusk[["ink"]], outlier.size = 0.5, linewidth = 0.3,
                          width = 0.6) +
    ggplot2::facet_wrap(~panel, scales = "free_x", ncol = if (x$ladder) 4L else 2L) +
    ggplot2::scale_fill_manual(values = c(`TRUE` = palette_dusk[["mist"]],
                                          `FALSE` = palette_dusk[["dune"]]), guide = "none") +
    ggplot2::scale_linetype_manual(values = c(`this fit` = "solid", `fixed cut-off` = "42"),
                                   name = NULL) +
    ggplot2::scale_colour_manual(values = c(`this fit` = palette_dusk[["amber"]],
                                            `fixed cut-off` = palette_dusk[["slate"]]),
                                 name = NULL) +
    ggplot2::scale_x_continuous(n.breaks = if (x$ladder) 3L else 5L) +
    ggplot2::scale_y_discrete(labels = function(text) {
      vapply(text, function(one) paste(strwrap(one, 34L), collapse = "\n"), "")
    }) +
    ggplot2::labs(x = NULL, y = NULL, title = text_of("right_wrong_models", title = x$title),
                  caption = caption) +
    figure_theme() + ggplot2::theme(legend.position = "top", legend.justification = "left",
                                    panel.spacing.x = grid::unit(0.3, "inches"))
}

panel_name <- function(index, rung, ladder) {
  if (ladder) text_of("change_of", rung = rung, index = toupper(index)) else toupper(index)
}

drawn_values <- function(values, name, rung, ladder) {
  size <- nrow(values)
  panels <- panel_name(judged_indices, rung, ladder)
  list_frame(list(value = as.numeric(values),
                  right = rep(name == "right", size * length(panels)),
                  population = rep(if (name == "right") text_of("population_right") else name,
                                   size * length(panels)),
                  panel = rep(panels, each = size)))
}

cutoff_marks <- function(x) {
  rows <- unlist(lapply(names(x$parts), function(rung) {
    lapply(judged_indices, function(index) {
      list_frame(list(value = c(x$parts[[rung]]$value[[index]], fixed_cutoff(x, index, rung)),
                      mark = c("this fit", "fixed cut-off"),
                      panel = rep(panel_name(index, rung, x$ladder), 2L)))
    })
  }), recursive = FALSE)
  out <- bind_frames(rows)
  out[!is.na(out$value), ]
}

#' @rdname figures-of-many-fits
#' @export
plot.orizzonte_plan <- function(x, ...) {
  check_arguments("plot")
  table <- x$parameters
  shown <- table[grepl("^(effect|covariance|mean|quantity)\\[", table$parameter) &
                   abs(table$truth) > 1e-8, ]
  if (nrow(shown) == 0L) shown <- table[grepl("^loading\\[", table$parameter), ]
  if (nrow(shown) == 0L) abort("input", text_of("there_is_nothing_draw_no"))
  aes <- ggplot2::aes
  .data <- rlang::.data
  half <- stats::qnorm(0.975) * shown$power_error
  shown$low <- pmax(shown$power - half, 0)
  shown$high <- pmin(shown$power + half, 1)
  shown$parameter <- factor(shown$parameter, unique(shown$parameter))
  ggplot2::ggplot(shown, aes(.data$n, .data$power)) +
    ggplot2::geom_hline(yintercept = x$goal, linetype = "42", linewidth = 0.35,
                        colour = palette_dusk[["slate"]]) +
    ggplot2::geom_ribbon(aes(ymin = .data$low, ymax = .data$high), fill = palette_dusk[["mist"]]) +
    ggplot2::geom_line(colour = palette_dusk[["deep"]], linewidth = 0.6) +
    ggplot2::geom_point(colour = palette_dusk[["deep"]], size = 2) +
    ggplot2::facet_wrap(~parameter) +
    ggplot2::scale_x_continuous(breaks = unique(shown$n)) +
    ggplot2::scale_y_continuous(labels = axis_numbers) +
    ggplot2::coord_cartesian(ylim = c(0, 1)) +
    ggplot2::labs(x = text_of("axis_cases"), y = text_of("axis_power"),
                  title = paste0("Power: ", x$title),
                  caption = text_of("data_sets_each_size_bands", reps = format_count(x$reps),
                                    goal = short_number(x$goal))) +
    figure_theme()
}

#' @rdname figures-of-many-fits
#' @export
plot.orizzonte_influence <- function(x, labels = 6, ...) {
  check_arguments("plot")
  check_count(labels, "`labels`")
  unit <- names(x)[1L]
  points <- list_frame(list(distance = x$distance, change = x$chisq_change,
                            name = as.character(x[[unit]])))
  named <- points[unique(c(utils::head(order(-points$distance), labels),
                           utils::head(order(-abs(points$change)), labels %/% 2L))), ]
  aes <- ggplot2::aes
  .data <- rlang::.data
  ggplot2::ggplot(points, aes(.data$distance, .data$change)) +
    ggplot2::geom_hline(yintercept = 0, colour = palette_dusk[["faint"]]) +
    ggplot2::geom_point(colour = palette_dusk[["deep"]], alpha = 0.5, size = 1.6) +
    ggplot2::geom_point(data = named, colour = palette_dusk[["amber"]], size = 2) +
    ggplot2::geom_text(data = named, mapping = aes(label = .data$name), hjust = -0.3, size = 3,
                       colour = palette_dusk[["ink"]]) +
    ggplot2::scale_x_continuous(expand = ggplot2::expansion(mult = c(0.03, 0.1))) +
    ggplot2::labs(x = text_of("how_far_parameters_move"),
                  y = expression(paste("change of ", chi^2, " without it")),
                  title = text_of("influence_single",
                                  unit = if (unit == "row") "cases" else "clusters",
                                  attr = if (!is.null(attr(x, "title"))) paste0(": ",
                                      attr(x, "title")))) +
    figure_theme()
}

#' @rdname figures-of-many-fits
#' @export
plot.orizzonte_robustness <- function(x, ...) {
  check_arguments("plot")
  shown <- x[!is.na(x$estimate), ]
  if (nrow(shown) == 0L) abort("input", text_of("there_is_nothing_draw_no_analysis"))
  order <- unique(x$analysis)
  shown$analysis <- factor(shown$analysis, rev(order))
  shown$agrees <- ifelse(shown$kind == "itself", "as fitted",
                         ifelse(shown$same, "same verdict", "another verdict"))
  itself <- shown[shown$kind == "itself", ]
  aes <- ggplot2::aes
  .data <- rlang::.data
  ggplot2::ggplot(shown, aes(.data$estimate, .data$analysis)) +
    ggplot2::geom_vline(xintercept = 0, colour = palette_dusk[["faint"]]) +
    ggplot2::geom_vline(data = itself, mapping = aes(xintercept = .data$estimate),
                        colour = palette_dusk[["slate"]], linetype = "42", linewidth = 0.35) +
    ggplot2::geom_segment(aes(x = .data$lower, xend = .data$upper, yend = .data$analysis),
                          colour = palette_dusk[["slate"]], linewidth = 0.4) +
    ggplot2::geom_point(aes(colour = .data$agrees, shape = .data$agrees), size = 2.3) +
    ggplot2::facet_wrap(~claim, scales = "free_x") +
    ggplot2::scale_colour_manual(values = c(`as fitted` = palette_dusk[["ink"]],
                                            `same verdict` = palette_dusk[["deep"]],
                                            `another verdict` = palette_dusk[["amber"]]),
                                 name = NULL) +
    ggplot2::scale_shape_manual(values = c(`as fitted` = 18, `same verdict` = 16,
                                           `another verdict` = 17), name = NULL) +
    ggplot2::scale_y_discrete(labels = function(text) {
      vapply(text, function(one) paste(strwrap(one, 40L), collapse = "\n"), "")
    }) +
    ggplot2::labs(x = text_of("estimate_with_its_interval"), y = NULL,
                  title = paste0("Robustness", if (!is.null(attr(x, "title")))
                    paste0(": ", attr(x, "title")))) +
    figure_theme() + ggplot2::theme(legend.position = "top", legend.justification = "left")
}

#' @rdname figures-of-many-fits
#' @export
plot.orizzonte_bootstrap <- function(x, parameters = NULL, ...) {
  check_arguments("plot")
  check_replicates(x, "plot")
  table <- bootstrap_table(x)
  drawn <- drawn_numbers(x, table, parameters)
  rows <- match(drawn, table$parameter)
  values <- x$values[, rows, drop = FALSE]
  panels <- lapply(seq_along(drawn), function(k) {
    value <- values[is.finite(values[, k]), k]
    counted <- graphics::hist(value, breaks = seq(min(value), max(value), length.out = 31L),
                              plot = FALSE)
    band <- c(table$lower[rows[k]], table$upper[rows[k]])
    list(title = drawn[k], span = range(value, band, table$estimate[rows[k]], na.rm = TRUE),
         band = band,
         line = table$estimate[rows[k]], bars = list(
           from = counted$breaks[-31L], to = counted$breaks[-1L], n = counted$counts,
           fill = rep(palette_dusk[["slate"]], 30L)))
  })
  small_histograms(panels) +
    ggplot2::labs(x = NULL, y = text_of("axis_replicates"),
                  title = paste0("Replicates: ", x$fit$request$blueprint$title),
                  caption = text_of("line_estimate_ground_interval", level = 100 * x$asked$level,
                                    interval = interval_words[[x$asked$interval]]))
}

most_drawn <- 12L

# Keeps each value once: a total effect may equal the direct effect.
drawn_numbers <- function(x, table, parameters) {
  varies <- table$se > 0 & !is.na(table$se)
  known <- table$parameter[varies]
  if (is.null(parameters)) {
    known <- known[!duplicated(x$values[, varies, drop = FALSE], MARGIN = 2L)]
    if (length(known) == 0L) abort("input", text_of("there_is_nothing_draw_no_number"))
    return(utils::head(known, most_drawn))
  }
  check_words(parameters, "`parameters`", "\"effect[Calm, Staying]\"")
  unknown <- setdiff(parameters, known)
  if (length(unknown))
    abort("address", c(text_of("was_not_bootstrapped_or", unknown = unknown[1L]),
                       did_you_mean(unknown[1L], known)))
  parameters
}
