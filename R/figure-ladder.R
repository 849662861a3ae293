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

# What the axes span at least, so that no difference looks large that is none: from the acceptable
# value to the best one; 20 points of BIC.
ladder_axes <- function(table, criteria) {
  middle <- mean(range(table$bic))
  spans <- list(CFI = c(criteria$cfi[2L], 1), RMSEA = c(0, max(criteria$rmsea)),
                SRMR = c(0, max(criteria$srmr)), BIC = middle + c(-10, 10))
  list_frame(list(rung = factor(rep(table$rung[1L], 8L), table$rung),
                  value = unlist(spans, use.names = FALSE),
                  index = factor(rep(names(spans), each = 2L), names(spans))))
}

# A line joins what is tested against each other; a step with another reference starts a new line.
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

# Along the ramp, from dusk to dawn.
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

# Ticks of one index: CFI, RMSEA and SRMR have none beyond 0 and 1.
ladder_breaks <- function(limits) {
  at <- pretty(limits)
  at <- at[at >= limits[1L] & at <= limits[2L]]
  if (max(abs(limits)) < 2) at[at >= 0 & at <= 1] else at
}
