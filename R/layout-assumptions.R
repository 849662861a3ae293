# The words for a layout: addresses as users write them, and the assumptions.

# Addresses without a group, as in each group.
in_every_group <- function(layout, addresses) {
  unlist(lapply(addresses, function(text) {
    if (!is.null(parse_address(text)$group)) return(text)
    vapply(layout$groups, function(g) with_group(text, named_group(layout, g)), "")
  }), use.names = FALSE)
}

# The groups of a diagram: those asked for, or all.
diagram_groups <- function(layout, groups) {
  if (is.null(groups)) return(layout$groups)
  vapply(groups, function(group) chosen_group(layout, group), "", USE.NAMES = FALSE)
}

# Sentences on the parameters that were added by default, and on those that were not.
list_assumptions <- function(layout, bp) {
  out <- group_assumptions(layout_of_group(layout, 1L), bp)
  rows <- layout$rows
  what <- function(at) {
    enumerate(unique(address_format(rows$kind[at], rows$first[at], rows$second[at])), most = 8L)
  }
  held <- function(mark) which(rows[[mark]] & is.na(rows$fixed))
  carried <- Filter(function(s) s$kind == "carried", layout$scales)
  later <- vapply(carried, function(s) s$group == 1L, NA)
  loose <- function(which) unique(vapply(carried[which], `[[`, "", "construct"))
  out$assumed <- c(
    every_group_words(layout), out$assumed,
    nothing_held_words(layout, c(bp$hold_equal, if (length(bp$repeated) == 0L) bp$let_differ)),
    if (length(bp$hold_equal_times) && length(bp$repeated) == 0L)
      text_of("no_times_nothing_is"),
    if (length(held("over_groups")))
      text_of("held_equal_across_groups", hold_equal = what(held("over_groups"))),
    if (length(held("over_times"))) text_of("held_equal_over_times",
                                            hold_equal_times = what(held("over_times"))),
    if (length(layout$freed)) {
      text_of("free_outside_since_intercepts", groups = layout$groups[1L],
              freed = what(layout$freed))
    },
    if (length(layout$freed_later)) {
      text_of("free_after_first_time", freed_later = what(layout$freed_later))
    },
    if (any(!later)) {
      text_of("variances_free_outside_since", groups = layout$groups[1L],
              later = enumerate(loose(!later)))
    },
    if (any(later)) {
      text_of("variances_free_after_first", later = enumerate(loose(later)))
    })
  out
}

# The assumptions of one group.
group_assumptions <- function(layout, bp) {
  rows <- layout$rows
  lines <- character()
  add <- function(...) lines <<- c(lines, paste0(...))
  named <- function(at) enumerate(rows$first[at], most = 12L)
  residual <- which(rows$meaning == "residual variance")
  if (length(residual)) {
    add(text_of("residual_variances_of", count = length(residual), names = named(residual)))
  }
  disturbance <- which(rows$meaning == "disturbance variance")
  if (length(disturbance)) add(text_of("disturbances_of", names = named(disturbance)))
  residuals <- which(rows$kind == "covariance" & rows$assumed &
                       rows$meaning == "residual covariance")
  if (length(residuals)) {
    pairs <- address_format("covariance", rows$first[residuals], rows$second[residuals])
    add(text_of("residuals_same_item_covary", pairs = enumerate(pairs, most = 8L)))
  }
  covariances <- which(rows$kind == "covariance" & rows$assumed &
                         rows$meaning != "residual covariance")
  if (length(covariances)) {
    among <- unique(c(rbind(rows$first[covariances], rows$second[covariances])))
    add(text_of(if (length(covariances) == 1L) "covariance_of_exogenous" else
                  "covariances_of_exogenous", covariances = length(covariances),
                names = enumerate(among, most = 12L)))
  }
  free <- which(rows$kind == "intercept" & is.na(rows$fixed))
  if (length(free)) {
    add(text_of("free_intercepts_of", count = length(free),
                means = if (length(layout$constructs)) text_of("construct_means_fixed_at_zero")
                  else ""))
  }
  for (name in layout$composites) add(text_of("composite_without_disturbance", construct = name))
  lines <- c(lines, unlist(lapply(layout$scales, scale_sentence, rows = rows)))
  outcomes <- unique(bp$effects$to)
  pairs <- if (length(outcomes) > 1L) utils::combn(outcomes, 2L) else matrix(character(), 2L)
  stated <- rows$kind == "covariance"
  known <- pair_key(rows$first[stated], rows$second[stated])
  missing <- which(!pair_key(pairs[1L, ], pairs[2L, ]) %in% known)
  not_assumed <- text_of("covariances_among_disturbances", outcomes = enumerate(outcomes),
                         drop = covary_advice(layout, pairs[, missing, drop = FALSE]))
  list(assumed = lines, not_assumed = not_assumed[length(missing) > 0L])
}

# Disturbances may covary where neither outcome leads to the other and enough moments remain.
covary_advice <- function(layout, pairs) {
  apart <- !reaches(layout, pairs[1L, ], pairs[2L, ]) & !reaches(layout, pairs[2L, ], pairs[1L, ])
  apart <- apart & !(pairs[1L, ] %in% layout$composites | pairs[2L, ] %in% layout$composites)
  p <- length(layout$observed)
  rows <- layout$rows
  free <- is.na(rows$fixed) & rows$family != parameter_families[["mean"]]
  left <- p * (p + 1) / 2 - length(unique(rows$class[free]))
  if (!any(apart) || left < sum(apart)) return("")
  if (all(apart)) return(text_of("free_with_covary"))
  text_of("covary_can_free_those",
          apart = enumerate(text_of("two_of", apart = pairs[1L, apart], apart_2 = pairs[2L, apart]),
                            most = 3L))
}

scale_sentence <- function(scale, rows) {
  plain <- function(at) address_format(rows$kind[at], rows$first[at], rows$second[at])
  switch(scale$kind,
    marker = text_of("scale_by_marker", construct = scale$construct, marker = plain(scale$marker)),
    unit = text_of("scale_by_variance", construct = scale$construct,
                   variance = plain(scale$variance),
                   variance_2 = if (rows$meaning[scale$variance] == "disturbance variance")
                     text_of("its_disturbance")),
    average = text_of("scale_by_average", construct = scale$construct,
                      loadings = length(scale$loadings)),
    given = text_of("scale_from_values_you", construct = scale$construct))
}

# A blueprint as it is printed: with its defaults and counts.

#' @export
print.orizzonte_blueprint <- function(x, ...) {
  put_lines(format_blueprint(x))
  invisible(x)
}

format_blueprint <- function(bp) {
  lines <- c(heading(paste0("Blueprint: ", bp$title)), format_statements(bp), "")
  if (length(bp$constructs) == 0L && length(bp$effects$from) == 0L)
    return(c(lines, text_of("empty_so_far_add")))
  # statements that name groups are counted once there are groups
  layout <- build_layout(group_blueprint(bp, ""), means = mentions_means(bp))
  c(lines, format_assumptions(layout, bp), "", format_counts(layout), "",
    text_of("next_fit_model_blueprint"))
}

# The statements of a blueprint, without its defaults.
format_statements <- function(bp) {
  width <- max(nchar(names(bp$constructs)), 0L)
  lines <- paste0("Scale: ", bp$scale, " (", words_of("scale_setting", bp$scale), ")")
  if (length(bp$constructs)) {
    described <- vapply(names(bp$constructs), function(name) {
      construct <- bp$constructs[[name]]
      items <- address_name(construct$items)
      fixed <- construct$items %in% names(construct$fixed)
      items[fixed] <- paste0(items[fixed], " (",
                             format_number(construct$fixed[construct$items[fixed]]), ")")
      paste0(formatC(name, width = -width), if (construct$kind == "composite") "  composed of " else
             "  reflected in ", paste(items, collapse = ", "),
             if (!is.null(construct$scale)) paste0("  [scale: ", construct$scale, "]"))
    }, "")
    lines <- c(lines, "", text_of("head_constructs"),
               wrap_lines(described, indent = 2L, hang = width + 4L))
  }
  if (length(bp$effects$from)) {
    outcomes <- unique(bp$effects$to)
    text <- vapply(outcomes,
                   function(o) {
                     paste0(o, " ~ ", paste(bp$effects$from[bp$effects$to == o], collapse = " + "))
                   },
                     "")
    lines <- c(lines, "", text_of("head_effects"), wrap_lines(text, indent = 2L, hang = 4L))
  }
  stated <- stated_besides(bp)
  if (length(stated)) lines <- c(lines, "", text_of("other_specifications"), paste0("  ", stated))
  lines
}

# Statements other than constructs and effects, one line each.
stated_besides <- function(bp) {
  c(
    if (length(bp$covary$first)) address_format("covariance", bp$covary$first, bp$covary$second),
    if (length(bp$uncorrelate$first))
      paste(address_format("covariance", bp$uncorrelate$first, bp$uncorrelate$second), "== 0"),
    vapply(bp$restrict, format_restriction, ""),
    if (length(bp$relax)) paste("free:", bp$relax),
    if (length(bp$start_at)) paste("start:", names(bp$start_at), "at", format_exact(bp$start_at)),
    if (length(bp$hold_equal))
      text_of("held_equal_across_groups", hold_equal = enumerate(bp$hold_equal, most = 12L)),
    vapply(names(bp$repeated), function(name) {
      text_of("repeated_at", name = name,
              name_2 = enumerate(names(bp$repeated[[name]]), most = 12L))
    }, ""),
    if (length(bp$hold_equal_times))
      text_of("held_equal_over_times",
              hold_equal_times = enumerate(bp$hold_equal_times, most = 12L)),
    if (length(bp$let_differ))
      text_of("free_differ", let_differ = enumerate(bp$let_differ, most = 12L)),
    if (length(bp$let_differ_times))
      text_of("free_differ_times", let_differ = enumerate(bp$let_differ_times, most = 12L)),
    if (length(bp$quantities))
      paste0(address_format("quantity", names(bp$quantities)), " = ", bp$quantities),
    unlist(lapply(names(bp$left_out), function(g) {
      text_of("left_out_group", value = g, value_2 = enumerate(bp$left_out[[g]]))
    })),
    if (length(bp$claims)) text_of("claim", claims = names(bp$claims), claims_2 = bp$claims),
    if (length(bp$trail))
      text_of("trail_see_trail_blueprint",
              revision = count_of(length(bp$trail$revisions$revision) - 1L, "revision"))
  )
}

format_kinds <- function(counts) {
  n <- as.integer(counts$kinds)
  kind <- names(counts$kinds)
  paste(n, ifelse(n == 1L, kind, plural(kind)))
}

format_counts <- function(layout) {
  counts <- layout_counts(layout)
  free <- paste0("free: ", paste(format_kinds(counts), collapse = ", "))
  c("Counts", paste0("  ", format_count_line(counts),
                     if (!layout$means) text_of("covariances_only_intercepts_add")),
    wrap_lines(free, indent = 2L, hang = 8L))
}

format_count_line <- function(counts) {
  text_of("moments_free_parameters_freedom", moments = counts$moments,
          parameters = counts$parameters,
          equations = if (counts$equations > 0L) paste0(" + ",
              count_of(counts$equations, "equation")), df = count_of(counts$df, "degree"))
}

format_assumptions <- function(layout, bp) bullet_assumptions(list_assumptions(layout, bp))

bullet_assumptions <- function(both) {
  bullets <- function(lines) {
    if (length(lines)) wrap_lines(paste0("- ", lines), indent = 2L, hang = 4L)
  }
  c(text_of("head_defaults"), bullets(both$assumed),
    if (length(both$not_assumed)) c(text_of("head_not_assumed"), bullets(both$not_assumed)))
}
