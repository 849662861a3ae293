# From a blueprint and properties of the data to a layout: one parameter table (`rows`), the
# `scales` of constructs, the linear `map` from free parameters to rows, `constraints`, and the
# `model` as the core reads it. Groups are always a list, also when there is one; pure.

# The columns of the parameter table.
row_columns <- c("parameter", "kind", "first", "second", "group", "meaning", "family", "row", "col",
                 "fixed", "assumed", "class", "touched", "relaxed", "constrained",
                 "within", "time", "over", "over_groups", "over_times", "shared", "marked",
                 "status", "constant")

new_layout <- function(parts) {
  columns <- setdiff(row_columns, names(parts$rows))
  sizes <- unique(lengths(parts$rows))
  stopifnot(length(columns) == 0L, length(sizes) <= 1L, !anyNA(parts$rows$group),
            all(parts$rows$group %in% parts$groups), all(parts$map$entry <= sizes),
            length(parts$leading) == length(parts$parameters))
  structure(parts, class = "orizzonte_layout")
}

# `observed`: the observed variables of each group, a list by group; `sd` those of the data, if
# known; `grouped`: whether groups were requested, even a single one.
build_layout <- function(bp, means, observed = NULL, sd = NULL, groups = single_group,
                         grouped = length(groups) > 1L) {
  finish_layout(stated_layout(bp, means, observed, groups, grouped), bp, sd)
}

# The specification of the blueprint, before anything is held across groups and constructs are
# scaled: the rungs of a ladder share it.
stated_layout <- function(bp, means, observed, groups, grouped) {
  apply_restrictions(stack_groups(bp, means, observed, groups, grouped), bp)
}

# `incomplete`: with missing values, or clusters that lie in several groups, intercepts depend on
# the other parameters, even when each is free. `unseen`: by group, pairs of variables that no case
# has observed together.
finish_layout <- function(layout, bp, sd, incomplete = FALSE, unseen = 0L) {
  layout <- hold_across(layout, bp)
  layout <- apply_constraints(apply_map(apply_scales(layout, bp), sd), bp)
  layout$saturated_means <- layout$means && means_saturated(layout)
  layout$profiled <- layout$saturated_means && !incomplete
  layout$unseen <- unseen
  layout$model <- core_model(layout, keep_means = layout$means && !layout$profiled)
  new_layout(layout)
}

# Every observed intercept is free, every construct mean fixed: the means fit exactly. Then they are
# not part of the core's model: they are profiled out.
means_saturated <- function(layout) {
  rows <- layout$rows
  mean_rows <- rows$family == parameter_families[["mean"]]
  intercepts <- mean_rows & rows$kind == "intercept"
  alone <- tabulate(rows$class, length(rows$class))[rows$class] == 1L
  if (!any(mean_rows)) return(FALSE)
  constrained <- unlist(lapply(layout$constraints, `[[`, "rows"))
  all(is.na(rows$fixed[intercepts]) & alone[intercepts]) &&
    all(!is.na(rows$fixed[mean_rows & !intercepts])) && !any(mean_rows[constrained])
}

# The layout as the core reads it; `used`: which of the layout's parameters the core contains.
# `ranked`: the positions of the names of groups and variables.
core_model <- function(layout, keep_means, ranked = ranked_names(layout)) {
  keep <- keep_means | layout$rows$family != parameter_families[["mean"]]
  rows <- which(keep)
  in_map <- layout$map$entry %in% rows
  used <- if (keep_means) seq_along(layout$parameters) else
    sort(unique(layout$map$parameter[in_map]))
  p <- vapply(layout$parts, function(part) length(part$observed), 0L, USE.NAMES = FALSE)
  constructs <- vapply(layout$parts, function(part) length(part$constructs), 0L, USE.NAMES = FALSE)
  list(
    observed = p, variables = p + constructs, places = ranked$places, ranks = ranked$ranks,
    family = layout$rows$family[rows],
    group = match(layout$rows$group, layout$groups)[rows],
    row = layout$rows$row[rows], col = layout$rows$col[rows],
    means = keep_means, parameters = length(used), constant = layout$rows$constant[rows],
    rows = rows, map_entry = match(layout$map$entry[in_map], rows),
    map_parameter = match(layout$map$parameter[in_map], used),
    map_weight = layout$map$weight[in_map], used = used,
    constraints = core_constraints(layout, rows), scales = core_scales(layout, rows, p)
  )
}

# Positions in an order of names that is the same in every locale: the core solves in that order.
name_ranks <- function(names) {
  if (length(names) < 2L) seq_along(names) else
    match(seq_along(names), order(names, method = "radix"))
}

ranked_names <- function(layout) {
  list(places = name_ranks(layout$groups),
       ranks = unlist(lapply(layout$parts, function(part) {
         name_ranks(c(part$observed, part$constructs))
       }), use.names = FALSE))
}

core_scales <- function(layout, rows, p) {
  unname(lapply(layout$scales, function(scale) {
    g <- scale$group
    kind <- if (scale$composite) 3L else if (scale$kind == "carried") 0L else
      match(scale$kind, c(scale_settings, "", "given")) - 1L
    list(group = g, construct = p[g] + match(scale$construct, layout$parts[[g]]$constructs),
         kind = kind, marker = match(scale$marker, rows, 0L),
         variance = match(scale$variance[1L], rows, 0L), loadings = match(scale$loadings, rows),
         closed = scale$closed)
  }))
}

# The model with all means, whether the core estimated them or not: for results functions, not for
# fitting.
full_model <- function(layout) {
  if (layout$profiled) core_model(layout, keep_means = TRUE, ranked = layout$model) else
    layout$model
}

# Moments, free parameters and degrees of freedom.
layout_counts <- function(layout) {
  p <- vapply(layout$parts, function(part) length(part$observed), 0L)
  moments <- sum(p * (p + 1L) / 2L + if (layout$means) p else 0L) - sum(layout$unseen)
  free <- layout$leading
  meaning <- layout$rows$meaning[free]
  kinds <- unique(meaning)
  equations <- n_equations(layout)
  list(moments = moments, parameters = length(layout$parameters), equations = equations,
       df = moments - length(layout$parameters) + equations,
       kinds = stats::setNames(tabulate(match(meaning, kinds), length(kinds)), kinds))
}

# The roles of the variables in a model.

# Observed variables that are items and have no other role.
pure_items <- function(layout) {
  measured <- c(layout$rows$second[layout$rows$kind == "loading"],
                layout$rows$first[layout$rows$kind == "weight"])
  in_effects <- c(layout$rows$first[layout$rows$kind == "effect"],
                  layout$rows$second[layout$rows$kind == "effect"])
  setdiff(intersect(layout$observed, measured), in_effects)
}

reachable <- function(layout, size) {
  step <- matrix(FALSE, size, size)
  arrows <- which(layout$rows$kind %in% arrow_kinds)
  step[cbind(layout$rows$row[arrows], layout$rows$col[arrows])] <- TRUE
  reach <- step
  repeat {
    wider <- reach | (reach %*% step > 0)
    if (identical(wider, reach)) return(reach)
    reach <- wider
  }
}

# Is there a directed path from each `from` to each `to`?
reaches <- function(layout, from, to) {
  all <- c(layout$observed, layout$constructs)
  reachable(layout, length(all))[cbind(match(to, all), match(from, all))]
}

construct_items <- function(layout, name) {
  rows <- layout$indicators[[name]]
  items <- if (name %in% layout$composites) layout$rows$first[rows] else layout$rows$second[rows]
  intersect(items, layout$observed)
}

# Sentences on properties of a model that are not errors.

layout_notes <- function(layout, covariance) {
  c(layout$notes, growth_note(layout),
    unlist(lapply(layout$composites, overlap_note, layout = layout, covariance = covariance)))
}

# Loadings fixed at different numbers for two constructs on the same items define a growth curve,
# and a growth curve has means.
growth_note <- function(layout) {
  if (!layout$means) return(NULL)
  given <- Filter(function(rows) length(rows) > 1L && !anyNA(layout$rows$fixed[rows]),
                  layout$indicators)
  curve <- Filter(function(rows) length(unique(layout$rows$fixed[rows])) > 1L, given)
  if (length(curve) == 0L) return(NULL)
  items <- unique(layout$rows$second[unlist(curve)])
  parts <- names(Filter(function(rows) any(layout$rows$second[rows] %in% items), given))
  if (length(parts) < 2L) return(NULL)
  means <- layout$rows$kind == "mean" & layout$rows$first %in% parts
  intercepts <- layout$rows$kind == "intercept" & layout$rows$first %in% items
  no_means <- all(!is.na(layout$rows$fixed[means]) & layout$rows$fixed[means] == 0)
  free_intercepts <- all(is.na(layout$rows$fixed[intercepts]))
  if (!no_means) return(NULL)
  relax <- paste0("relax(", paste(address_format("mean", parts), collapse = ", "), ")")
  if (free_intercepts) {
    text_of("means_are_0_intercepts", parts = enumerate(parts),
            items = paste(address_name(items), collapse = ", "), relax = relax)
  } else {
    text_of("means_are_0_growth", parts = enumerate(parts), relax = relax)
  }
}

# Weights of items that overlap are estimated poorly: variance inflation among the items of a
# composite.
overlap_note <- function(name, layout, covariance) {
  items <- intersect(layout$rows$first[layout$indicators[[name]]], colnames(covariance))
  if (length(items) < 2L) return(NULL)
  inflation <- variance_inflation(covariance[items, items])
  if (max(inflation) < 5) return(NULL)
  text_of("items_composite_overlap_variance", name = name,
          inflation = enumerate(paste0(items, " ", format_fixed(inflation, 1L))[inflation >= 5]))
}

# Groups: their parameter tables below each other, and the equalities across them.

# `observed`: a list by group. With one group the table is that of the blueprint.
stack_groups <- function(bp, means, observed, groups, grouped) {
  tables <- lapply(seq_along(groups), function(g) {
    layout_parameters(group_blueprint(bp, groups[g]), means, observed[[g]])
  })
  columns <- names(tables[[1L]]$rows)
  rows <- if (length(tables) == 1L) lapply(tables[[1L]]$rows, unname) else
    lapply(stats::setNames(columns, columns), function(name) {
      unlist(lapply(tables, function(table) table$rows[[name]]), use.names = FALSE)
    })
  sizes <- vapply(tables, function(table) length(table$rows$kind), 0L)
  ends <- cumsum(sizes)
  rows$group <- rep(groups, sizes)
  out <- list(rows = rows, groups = groups, grouped = grouped, means = means)
  out$rows$parameter <- shown_address(out, rows$kind, rows$first, rows$second, rows$group)
  out$spans <- Map(function(end, size) seq(end - size + 1L, length.out = size), ends, sizes)
  out$parts <- Map(function(table, start) {
    c(table[part_names], list(indicators = lapply(table$indicators, function(rows) rows + start)))
  }, tables, ends - sizes)
  names(out$spans) <- names(out$parts) <- groups
  for (name in part_names) out[[name]] <- union_of(tables, name)
  # the indicators of a construct, in the first group: results functions ask for them by name
  out$indicators <- out$parts[[1L]]$indicators
  out
}

part_names <- c("observed", "constructs", "endogenous", "composites")

union_of <- function(tables, name) {
  if (length(tables) == 1L) return(unique(tables[[1L]][[name]]) %||% character())
  unique(unlist(lapply(tables, `[[`, name), use.names = FALSE)) %||% character()
}

# One group by number: a layout that contains only the rows of this group.
layout_of_group <- function(layout, g) {
  span <- layout$spans[[g]]
  out <- layout[setdiff(names(layout), c("model", "freed", "constraints", "parts", "spans"))]
  out$rows <- lapply(layout$rows, function(column) column[span])
  part <- layout$parts[[g]]
  out[part_names] <- part[part_names]
  out$indicators <- lapply(part$indicators, match, span)
  inside <- layout$map$entry %in% span
  out$map <- list(entry = match(layout$map$entry[inside], span),
                  parameter = layout$map$parameter[inside], weight = layout$map$weight[inside])
  out$scales <- lapply(Filter(function(s) s$group == g, layout$scales), function(s) {
    for (name in c("loadings", "variance", "marker")) s[[name]] <- match(s[[name]], span, 0L)
    s
  })
  out
}

# Kinds that may be held across groups, and the rows they refer to. Observed predictors and
# structural intercepts are never included.
hold_aliases <- list(intercept = "intercept[items]", mean = "mean[constructs]",
                     variance = c("variance[items]", "variance[constructs]"),
                     covariance = c("covariance[items]", "covariance[constructs]"))

kind_rows <- function(kind, layout) {
  rows <- layout$rows
  plain <- sub("\\[.*", "", kind)
  items <- reflective_items(layout)
  constructs <- layout$constructs
  inside <- function(of) rows$first %in% of & (is.na(rows$second) | rows$second %in% of)
  which(rows$kind == plain & switch(kind,
    "loading[items]" = !rows$second %in% constructs,
    "loading[constructs]" = rows$second %in% constructs,
    "mean[lower_order]" = rows$first %in% rows$second[rows$kind == "loading"],
    "intercept[items]" = rows$first %in% items,
    "variance[items]" = , "covariance[items]" = inside(items),
    "variance[constructs]" = , "covariance[constructs]" = inside(constructs),
    TRUE))
}

# The rows selected by patterns (kinds, addresses or slices), in every group or in the group that
# they name.
pattern_rows <- function(patterns, layout) {
  patterns <- unlist(lapply(patterns, function(pattern) hold_aliases[[pattern]] %||% pattern))
  unique(unlist(lapply(patterns, function(pattern) {
    if (pattern %in% c(hold_kinds, hold_slices)) return(kind_rows(pattern, layout))
    restricted_rows(pattern, layout)
  })))
}

# Equality constraints: each parameter is one class across groups, and parameters that differ only
# in time are one class over times. Construct variances and means that become estimable are freed
# here (means) and with the scales (variances).
hold_across <- function(layout, bp) {
  size <- length(layout$rows$kind)
  layout$rows$within <- tabulate(layout$rows$class, size) > 1L
  layout$rows[c("time", "over")] <- rows_over_times(layout$rows, bp$repeated)
  layout$rows$over_groups <- layout$rows$over_times <- rep(FALSE, size)
  layout$several_times <- any(layout$rows$time > 1L, na.rm = TRUE)
  if (length(layout$groups) > 1L)
    layout <- hold_rows(layout, bp$hold_equal, bp$let_differ, addresses_without_group(layout$rows),
                        "over_groups")
  if (layout$several_times)
    layout <- hold_rows(layout, bp$hold_equal_times, c(bp$let_differ, bp$let_differ_times),
                        paste(layout$rows$over, layout$rows$group, sep = "\r"), "over_times")
  layout$rows$shared <- layout$rows$over_groups | layout$rows$over_times
  free_means(layout)
}

about_means <- function(patterns) {
  startsWith(as.character(patterns), "intercept[") | startsWith(as.character(patterns), "mean[")
}

# Rows with the same key that patterns name, as one class.
hold_rows <- function(layout, hold, differ, key, mark) {
  rows <- layout$rows
  if (!layout$means) {
    # before there are data, statements about means have no rows
    hold <- hold[!about_means(hold)]
    differ <- differ[!about_means(differ)]
  }
  at <- as.integer(setdiff(pattern_rows(hold, layout), pattern_rows(differ, layout)))
  # relaxed parameters are not held
  at <- setdiff(at, which(rows$relaxed & rows$kind != "mean"))
  # nor are parameters of auxiliary variables, or parameters without a time
  at <- setdiff(at, which(rows$first %in% layout$auxiliary | rows$second %in% layout$auxiliary))
  if (mark == "over_times") at <- setdiff(at, which(is.na(rows$over)))
  for (same in unname(split(at, factor(key[at], unique(key[at]))))) {
    if (length(same) < 2L) next
    known <- unique(layout$rows$fixed[same][!is.na(layout$rows$fixed[same])])
    merged <- layout$rows$class %in% layout$rows$class[same]
    if (length(known) > 1L) next                   # fixed at different numbers by the user
    layout$rows$class[merged] <- min(layout$rows$class[merged])
    if (length(known) == 1L) layout$rows$fixed[merged] <- known
    layout$rows[[mark]][same] <- TRUE
  }
  layout
}

# Equal intercepts of items (and equal means of constructs that are indicators) allow the means of
# their constructs to differ from those of the first group, or time, as far as the loadings can
# distinguish them.
free_means <- function(layout) {
  if (!layout$means || !any(layout$rows$over_groups, layout$rows$over_times)) return(layout)
  for (g in seq_along(layout$groups)[-1L])
    layout <- free_means_of(layout, g, layout$rows$over_groups, NULL, text_of("in_every_group"))
  times <- sort(unique(layout$rows$time[layout$rows$over_times]))
  for (g in seq_along(layout$groups)) for (time in times[-1L])
    layout <- free_means_of(layout, g, layout$rows$over_times, time, text_of("at_every_time"))
  layout
}

# The rows of one group and, if given, of the constructs of one time.
free_means_of <- function(layout, g, over, time, where) {
  rows <- layout$rows
  part <- layout$parts[[g]]
  span <- layout$spans[[g]]
  here <- is.null(time) | rows$time[span] %in% time
  held <- span[rows$kind[span] %in% c("intercept", "mean") & over[span] & here]
  if (length(held) == 0L) return(layout)
  known <- part$constructs
  if (!is.null(time))
    known <- intersect(known, rows$first[span][here & rows$kind[span] == "mean"])
  open <- Filter(function(name) mean_may_differ(name, rows, part, span, held), known)
  for (name in open[!means_distinguishable(layout, open, part, rows$first[held])]) {
    layout$notes <- union(layout$notes, text_of("mean_stays_0_loadings", name = address_name(name),
                                                where = where))
    open <- setdiff(open, name)
  }
  mean <- span[rows$kind[span] == "mean" & rows$first[span] %in% open]
  layout$rows$fixed[mean] <- NA
  if (is.null(time)) layout$freed <- c(layout$freed, mean) else
    layout$freed_later <- c(layout$freed_later, mean)
  layout
}

# A mean at 0 by default, of a construct some indicator of which is held.
mean_may_differ <- function(name, rows, part, span, held) {
  mean <- span[rows$kind[span] == "mean" & rows$first[span] == name]
  items <- rows$second[part$indicators[[name]]]
  !name %in% part$composites && length(mean) == 1L && identical(rows$fixed[mean], 0) &&
    !rows$touched[mean] && !rows$shared[mean] && any(rows$first[held] %in% items)
}

# Means that shift the held parameters in a way that the means before them do not: independent
# columns of the loadings, at arbitrary values that respect fixed and equal loadings.
means_distinguishable <- function(layout, constructs, part, held) {
  if (length(constructs) < 2L) return(rep(TRUE, length(constructs)))
  table <- layout$rows
  loadings <- matrix(0, length(held), length(constructs))
  for (k in seq_along(constructs)) {
    rows <- part$indicators[[constructs[k]]]
    haphazard <- 0.6 + 0.8 * (table$class[rows] * 0.618034) %% 1
    value <- ifelse(is.na(table$fixed[rows]), haphazard, table$fixed[rows])
    at <- match(table$second[rows], held)
    loadings[at[!is.na(at)], k] <- value[!is.na(at)]
  }
  factor <- qr(loadings, tol = 1e-8)
  seq_along(constructs) %in% factor$pivot[seq_len(factor$rank)]
}

# Times: the time of a row of the parameter table, and its name regardless of the time.

# `time` (a number; NA for rows without one) and `over`: the same for rows that differ only in their
# time. Parameters that link two times, such as residual covariances of an item, have no time.
rows_over_times <- function(rows, repeated) {
  size <- length(rows$kind)
  if (length(repeated) == 0L)
    return(list(time = rep(NA_integer_, size), over = rep(NA_character_, size)))
  places <- repeated_places(repeated)
  first <- match(rows$first, places$name)
  second <- match(rows$second, places$name)
  alone <- is.na(rows$second)
  time <- places$time[first]
  time[!alone] <- ifelse(places$time[second[!alone]] == time[!alone], time[!alone], NA)
  one <- places$label[first]
  other <- ifelse(alone, "", places$label[second])
  swap <- rows$kind == "covariance" & !alone & !is.na(one) & !is.na(other) & one > other
  label <- paste(rows$kind, ifelse(swap, other, one), ifelse(swap, one, other), sep = "\r")
  list(time = as.integer(time), over = ifelse(is.na(time), NA_character_, label))
}

# The name at the first time of measurement; names without a time stay as they are.
label_over_times <- function(names, repeated) {
  if (length(repeated) == 0L) return(names)
  places <- repeated_places(repeated)
  at <- match(names, places$name)
  ifelse(is.na(at), names, places$label[at])
}

# Equality constraints: rows of one class that differ only in their group or time.
held_sets <- function(rows) {
  key <- ifelse(rows$over_times, rows$over, addresses_without_group(rows))
  paste(rows$class, key, sep = "\r")
}

# The kind of an equality constraint.
held_change <- function(rows, at) {
  held_changes[ifelse(rows$over_groups[at] & rows$over_times[at], "both",
                      ifelse(rows$over_times[at], "times", "groups"))]
}
