# From a blueprint and what the data know to a layout: one parameter table (`rows`), the `scales` of
# constructs, the linear `map` from free parameters to rows, `constraints`, and the `model` as the
# core reads it. Groups are always a list, also when there is one; pure.

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

# What the blueprint says, before anything is held across groups and constructs get their scales:
# the rungs of a ladder share it.
stated_layout <- function(bp, means, observed, groups, grouped) {
  apply_restrictions(stack_groups(bp, means, observed, groups, grouped), bp)
}

# `incomplete`: with missing values, or clusters that lie in several groups, intercepts depend on
# the other parameters, even when each is free. `unseen`: by group, pairs of variables that no case
# has together.
finish_layout <- function(layout, bp, sd, incomplete = FALSE, unseen = 0L) {
  layout <- hold_across(layout, bp)
  layout <- apply_constraints(apply_map(apply_scales(layout, bp), sd), bp)
  layout$saturated_means <- layout$means && means_saturated(layout)
  layout$profiled <- layout$saturated_means && !incomplete
  layout$unseen <- unseen
  layout$model <- core_model(layout, keep_means = layout$means && !layout$profiled)
  new_layout(layout)
}

# Every observed intercept free on its own, every construct mean fixed: the means fit exactly. The
# core then never sees them: they are profiled out.
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

# The layout as the core reads it; `used`: which of the layout's parameters it knows.
core_model <- function(layout, keep_means) {
  keep <- keep_means | layout$rows$family != parameter_families[["mean"]]
  rows <- which(keep)
  in_map <- layout$map$entry %in% rows
  used <- if (keep_means) seq_along(layout$parameters) else
    sort(unique(layout$map$parameter[in_map]))
  p <- vapply(layout$parts, function(part) length(part$observed), 0L, USE.NAMES = FALSE)
  constructs <- vapply(layout$parts, function(part) length(part$constructs), 0L, USE.NAMES = FALSE)
  list(
    observed = p, variables = p + constructs, places = name_ranks(layout$groups),
    ranks = unlist(lapply(layout$parts, function(part) {
      name_ranks(c(part$observed, part$constructs))
    }), use.names = FALSE), family = layout$rows$family[rows],
    group = match(layout$rows$group, layout$groups)[rows],
    row = layout$rows$row[rows], col = layout$rows$col[rows],
    means = keep_means, parameters = length(used), constant = layout$rows$constant[rows],
    rows = rows, map_entry = match(layout$map$entry[in_map], rows),
    map_parameter = match(layout$map$parameter[in_map], used),
    map_weight = layout$map$weight[in_map], used = used,
    constraints = core_constraints(layout, rows), scales = core_scales(layout, rows, p)
  )
}

# Places in an order of names that is the same in every locale: the core solves in that order.
name_ranks <- function(names) match(seq_along(names), order(names, method = "radix"))

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

# The model with all means, whether the core estimated them or not: for readers, not for fitting.
full_model <- function(layout) {
  if (layout$profiled) core_model(layout, keep_means = TRUE) else layout$model
}

# Moments, free parameters and degrees of freedom.
layout_counts <- function(layout) {
  p <- vapply(layout$parts, function(part) length(part$observed), 0L)
  moments <- sum(p * (p + 1L) / 2L + if (layout$means) p else 0L) - sum(layout$unseen)
  free <- layout$leading
  meaning <- layout$rows$meaning[free]
  equations <- n_equations(layout)
  list(moments = moments, parameters = length(layout$parameters), equations = equations,
       df = moments - length(layout$parameters) + equations,
       kinds = table(factor(meaning, levels = unique(meaning))))
}

# The roles of the variables in a model.

# Observed variables that are nothing but items.
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

# Is there a directed way from each `from` to each `to`?
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

# Loadings fixed at different numbers for two constructs on the same items are a growth curve, and a
# growth curve has means.
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
