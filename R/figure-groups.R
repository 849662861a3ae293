#' Draw an invariance ladder
#'
#' `plot()` draws the indices by rung, with a mark where a cut-off is exceeded. `group_plot()` draws
#' a kind of parameter by group with intervals; `expected_scores()` the expected score of each item
#' by its construct, for each group.
#'
#' @param x A ladder from [invariance()].
#' @param ... Not used.
#' @return A ggplot object.
#' @section Errors: `orizzonte_error_input` when an argument is not as described.
#' @seealso [invariance()] for the table, [compare_groups()] and [noninvariance()] for the values.
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4) |>
#'   construct("Craft", reflected_in = cr1:cr3)
#' ladder <- suppressMessages(invariance(bp, choirs, by = "setting"))
#' plot(ladder)
#' group_plot(ladder$fits$configural, "loading")
#' expected_scores(ladder$fits$metric, "Calm")
#' @export
plot.orizzonte_ladder <- function(x, ...) {
  t <- x$table
  shown <- c("cfi", "rmsea", "srmr", "bic")
  words <- c(cfi = "CFI", rmsea = "RMSEA", srmr = "SRMR", bic = "BIC")
  size <- nrow(t)
  broken <- lapply(t$broken, codes_in)
  words_of_state <- c(text_of("within_its_cut_off"), text_of("exceeds_its_cut_off"))
  breaks <- unlist(lapply(shown, function(name) vapply(broken, `%in%`, NA, x = name)))
  points <-
    list_frame(list(rung = factor(rep(t$rung, 4L), t$rung),
                    value = unlist(t[shown], use.names = FALSE),
                    index = factor(rep(words[shown], each = size), words[shown]),
                    state = ifelse(breaks, words_of_state[2L], words_of_state[1L]),
                    run = rep(ladder_lines(t), 4L)))
  away <- unlist(lapply(shown, function(name) away_from_line(t[[name]], ladder_lines(t))))
  points$text <- ifelse(points$index == "BIC", format_fixed(points$value, 0L),
                        format_share(points$value, 3L))
  reading <- gsub("\u0394\u03c7\u00b2", text_of("chisq_difference_in_words"),
                  paste(x$reading, collapse = " "))
  aes <- ggplot2::aes
  .data <- rlang::.data
  ggplot2::ggplot(points, aes(.data$rung, .data$value)) +
    (if (size > 1L) ggplot2::geom_line(data = points[!is.na(points$run), ],
                                       mapping = aes(group = .data$run),
                                       colour = palette_dusk[["slate"]], linewidth = 0.5)) +
    ggplot2::geom_point(aes(shape = .data$state, colour = .data$state), size = 2.8) +
    point_labels(points, points$text, away) +
    ggplot2::geom_blank(data = ladder_axes(t, x$criteria), mapping = aes(.data$rung, .data$value)) +
    ggplot2::facet_wrap(~index, scales = "free_y") +
    ggplot2::scale_shape_manual(values = stats::setNames(c(19, 17), words_of_state), name = NULL) +
    ggplot2::scale_colour_manual(values = stats::setNames(palette_dusk[c("deep", "amber")],
                                                          words_of_state), name = NULL) +
    ggplot2::scale_y_continuous(breaks = ladder_breaks, labels = axis_numbers,
                                expand = ggplot2::expansion(mult = c(0.2, 0.2))) +
    ggplot2::labs(x = NULL, y = NULL, title = paste0("Invariance: ", x$title),
                  caption = paste(strwrap(spelt_out(reading), 120L), collapse = "\n")) +
    figure_theme() + ggplot2::theme(legend.position = if (any(breaks)) "top" else "none",
                                    legend.justification = "left",
                                    axis.text.x = ggplot2::element_text(angle = if (size > 4L)
                                        30 else 0, hjust = if (size > 4L) 1 else 0.5))
}

# The minimum span of the axes, so that no negligible difference looks large: from the acceptable
# value to the best one; 20 points of BIC.
ladder_axes <- function(table, criteria) {
  middle <- mean(range(table$bic))
  spans <- list(CFI = c(criteria$cfi[2L], 1), RMSEA = c(0, max(criteria$rmsea)),
                SRMR = c(0, max(criteria$srmr)), BIC = middle + c(-10, 10))
  list_frame(list(rung = factor(rep(table$rung[1L], 8L), table$rung),
                  value = unlist(spans, use.names = FALSE),
                  index = factor(rep(names(spans), each = 2L), names(spans))))
}

# A line joins models that are tested against each other; a step with another reference starts a new
# line.
ladder_lines <- function(table) {
  follows <- table$against == c(NA, table$rung[-nrow(table)])
  cumsum(!(follows %in% TRUE | !table$rung %in% setdiff(table$rung, names(rung_adds))))
}

#' @rdname plot.orizzonte_ladder
#' @param fit A fit with groups, or a ladder, whose rung is drawn with the caution that its verdict
#'   asks for.
#' @param kind `"loading"`, `"intercept"`, `"effect"` or another kind.
#' @param level Level of the intervals.
#' @param rung The rung of a ladder; `NULL`: the scalar one, or the last.
#' @export
group_plot <- function(fit, kind = "loading", level = 0.95, rung = NULL, ...) {
  check_arguments("group_plot")
  ladder <- fit
  fit <- rung_fit(ladder, rung, "group_plot")
  check_grouped(fit$layout)
  kind <- choose_one(kind, names(address_kinds), "`kind`")
  check_level(level)
  table <- estimates(fit, level = level)
  rows <- which(fit$layout$rows$kind == kind &
                (kind != "intercept" | fit$layout$rows$first %in% reflective_items(fit$layout)))
  if (length(rows) == 0L) abort("input", text_of("model_has_no_draw", kind = kind))
  plain <- addresses_without_group(fit$layout$rows)[rows]
  groups <- fit$layout$groups
  points <-
    list_frame(list(parameter = factor(plain, rev(unique(plain))),
                    group = factor(table$group[rows], rev(groups)), value = table$estimate[rows],
                    lower = ifelse(is.na(table$lower[rows]), table$estimate[rows],
                                   table$lower[rows]),
                    upper = ifelse(is.na(table$upper[rows]), table$estimate[rows],
                                   table$upper[rows]), held = fit$layout$rows$shared[rows]))
  aes <- ggplot2::aes
  .data <- rlang::.data
  labels <- ggplot2::labs(x = text_of("raw_interval", kind = kind, level = format(100 * level)),
                          y = NULL,
                          title = text_of("by_group", title = fit$request$blueprint$title),
                          subtitle = wrapped_caveat(ladder, rung, own_units_words(fit)),
                          caption = if (any(points$held))
                            text_of("what_is_held_across"))
  if (length(groups) > 4L) {
    # a panel for each parameter, a line for each group
    points$parameter <- factor(points$parameter, unique(plain))
    return(ggplot2::ggplot(points, aes(.data$value, .data$group)) +
             ggplot2::geom_linerange(aes(xmin = .data$lower, xmax = .data$upper),
                                     colour = palette_dusk[["slate"]], linewidth = 0.5) +
             ggplot2::geom_point(colour = palette_dusk[["deep"]], size = 1.6) +
             ggplot2::facet_wrap(ggplot2::vars(.data$parameter), scales = "free_x") + labels +
             figure_theme())
  }
  colours <- group_colours(groups)
  shapes <- stats::setNames(c(19, 17, 15, 1)[seq_along(groups)], groups)
  dodge <- ggplot2::position_dodge(width = 0.7)
  ggplot2::ggplot(points,
                  aes(.data$value, .data$parameter, colour = .data$group, shape = .data$group)) +
    ggplot2::geom_linerange(aes(xmin = .data$lower, xmax = .data$upper), position = dodge,
                            linewidth = 0.6) +
    ggplot2::geom_point(position = dodge, size = 2.4) +
    ggplot2::scale_colour_manual(values = colours, breaks = groups, name = NULL) +
    ggplot2::scale_shape_manual(values = shapes, breaks = groups, name = NULL) + labels +
    figure_theme() + ggplot2::theme(legend.position = "top", legend.justification = "left")
}

# A caution to show on figures of this fit, or of this rung of a ladder; NULL when there is none.
wrapped_caveat <- function(x, rung = NULL, also = NULL) {
  caveat <- c(caveat_of(x, rung %||% default_rung(x)), also)
  if (length(caveat)) paste(strwrap(caveat, 100L), collapse = "\n")
}

# Along the colour ramp, from dusk to dawn.
group_colours <- function(groups) {
  ramp <- grDevices::colorRampPalette(palette_dusk[c("deep", "slate", "dune", "amber")])
  stats::setNames(ramp(length(groups)), groups)
}

#' @rdname plot.orizzonte_ladder
#' @param construct A construct.
#' @export
expected_scores <- function(fit, construct, rung = NULL, ...) {
  check_arguments("expected_scores")
  ladder <- fit
  fit <- rung_fit(ladder, rung, "expected_scores")
  check_string(construct, "`construct`")
  known <- setdiff(fit$layout$constructs, fit$layout$composites)
  if (!construct %in% known) {
    abort("name", c(text_of("there_is_no_construct", name = quoted(construct)),
                    did_you_mean(construct, known)))
  }
  lines <- do.call(rbind, lapply(group_views(fit), expected_lines, construct = construct))
  groups <- fit$layout$groups
  lines$group <- factor(lines$group, groups)
  types <- stats::setNames(rep_len(c("solid", "42", "13", "4212"), length(groups)), groups)
  aes <- ggplot2::aes
  .data <- rlang::.data
  ggplot2::ggplot(lines, aes(.data$x, .data$y, colour = .data$group, linetype = .data$group)) +
    ggplot2::geom_line(linewidth = 0.8) +
    ggplot2::facet_wrap(~item) +
    ggplot2::scale_colour_manual(values = group_colours(groups), name = NULL) +
    ggplot2::scale_linetype_manual(values = types, name = NULL) +
    ggplot2::labs(x = construct, y = text_of("expected_score"),
                  title = text_of("expected_scores", construct = construct),
                  subtitle = wrapped_caveat(ladder, rung),
                  caption =
                  text_of("each_line_spans_two")) +
    figure_theme() + ggplot2::theme(legend.position = "top", legend.justification = "left")
}

# The expected score of every item of a construct at two values of it, in one group.
expected_lines <- function(view, construct) {
  layout <- view$layout
  matrices <- view_matrices(view)
  p <- length(layout$observed)
  at <- p + match(construct, layout$constructs)
  others <- setdiff(seq_along(layout$constructs) + p, at)
  items <-
    intersect(layout$rows$second[layout$rows$kind == "loading" & layout$rows$first == construct],
              layout$observed)
  ends <- matrices$mean[at] + c(-2, 2) * sqrt(max(matrices$covariance[at, at], 0))
  do.call(rbind, lapply(items, function(item) {
    i <- match(item, layout$observed)
    level <- matrices$intercepts[i] + sum(matrices$effects[i, others] * matrices$mean[others])
    list_frame(list(item = rep(item, 2L), group = rep(view$group, 2L), x = ends,
                    y = level + matrices$effects[i, at] * ends))
  }))
}

# Ticks of one index: CFI, RMSEA and SRMR have none below 0 or above 1.
ladder_breaks <- function(limits) {
  at <- pretty(limits)
  at <- at[at >= limits[1L] & at <= limits[2L]]
  if (max(abs(limits)) < 2) at[at >= 0 & at <= 1] else at
}

#' Draw means and non-invariance of many groups
#'
#' `show = "means"` draws the means of the groups with their intervals, sorted; `show = "items"` a
#' map of the loadings and intercepts of all items in all groups, with those that differ marked.
#'
#' @param x An object from [approximate_means()].
#' @param show `"means"` or `"items"`.
#' @param ... Not used.
#' @return A ggplot object.
#' @section Errors: `orizzonte_error_input` for another word.
#' @seealso [approximate_means()].
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
#' found <- approximate_means(suppressMessages(fit_model(bp, choirs, by = town)))
#' plot(found)
#' plot(found, show = "items")
#' @export
plot.orizzonte_approximate_means <- function(x, show = "means", ...) {
  check_arguments("plot")
  show <- choose_one(show, c("means", "items"), "`show`")
  if (show == "means") approximate_figure(x) else difference_map(x)
}

approximate_figure <- function(x) {
  points <- x$means
  # groups are sorted within each construct
  key <- paste(points$construct, points$group, sep = "\r")
  points$place <- factor(key, key[order(points$mean)])
  names <- stats::setNames(points$group, key)
  .data <- rlang::.data
  ggplot2::ggplot(points, ggplot2::aes(.data$mean, .data$place)) +
    ggplot2::geom_vline(xintercept = 0, linewidth = 0.35, colour = palette_dusk[["faint"]]) +
    ggplot2::geom_segment(ggplot2::aes(x = .data$lower, xend = .data$upper,
                                       yend = .data$place), linewidth = 0.6,
                          colour = palette_dusk[["slate"]], na.rm = TRUE) +
    ggplot2::geom_point(size = 2, colour = palette_dusk[["deep"]]) +
    ggplot2::facet_wrap(~construct, scales = "free_y") +
    ggplot2::scale_y_discrete(labels = names) +
    ggplot2::labs(x = text_of("approximate_axis", reference = x$reference), y = NULL,
                  title = text_of("approximate_title",
                                  by = x$by %||% text_of("approximate_groups")),
                  subtitle = approximate_short(x)) +
    figure_theme()
}

difference_map <- function(x) {
  cells <- x$noninvariant
  cells$size <- pmax(-6, pmin(6, cells$z))
  cells$panel <- paste0(cells$construct, ": ", cells$parameter)
  cells$group <- factor(cells$group, unique(cells$group))
  cells$item <- factor(cells$item, rev(unique(cells$item)))
  .data <- rlang::.data
  ggplot2::ggplot(cells, ggplot2::aes(.data$group, .data$item)) +
    ggplot2::geom_tile(ggplot2::aes(fill = .data$size), colour = "white", linewidth = 0.6) +
    ggplot2::geom_point(data = cells[cells$differs, ], shape = 4, size = 2.6, stroke = 2.6,
                        colour = "white") +
    ggplot2::geom_point(data = cells[cells$differs, ], shape = 4, size = 2.2, stroke = 0.9,
                        colour = palette_dusk[["ink"]]) +
    ggplot2::facet_wrap(~panel, scales = "free_y", ncol = 2L) +
    ggplot2::scale_fill_gradient2(low = palette_dusk[["deep"]], mid = "white",
                                  high = palette_dusk[["amber"]], midpoint = 0,
                                  name = text_of("approximate_fill"), limits = c(-6, 6)) +
    ggplot2::labs(x = NULL, y = NULL, title = text_of("approximate_map"),
                  subtitle = text_of("approximate_map_note")) +
    figure_theme() +
    ggplot2::theme(panel.grid = ggplot2::element_blank(),
                   axis.text.x = ggplot2::element_text(
                     angle = if (nlevels(cells$group) > 6L) 90 else 0, vjust = 0.5,
                     hjust = if (nlevels(cells$group) > 6L) 1 else 0.5))
}

#' @exportS3Method ggplot2::autoplot
autoplot.orizzonte_approximate_means <- function(object, ...) plot(object, ...)

#' Draw constancy along a variable
#'
#' `show = "process"` draws the cumulated scores of each parameter along the variable: under
#' constancy they stay between the dashed lines (in 95% of data sets, for each parameter). A peak
#' marks the place where the parameter changes. `show = "curves"` draws the parameters themselves,
#' with the means and variances of the constructs.
#'
#' @param x An object from [constancy()].
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
