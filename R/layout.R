# From a blueprint and what the data know to a layout: parameter table, scales and map. `core` is the
# same as the core reads it. With saturated means the core never sees them: they are profiled out.
# `groups`: names of groups, with the observed variables of each in the list `observed`; `hold` and `except` as in fit_model().
build_layout <- function(bp, means, observed = NULL, sd = NULL, groups = NULL, hold = character(), except = character()) {
  finish_layout(stated_layout(bp, means, observed, groups), bp, sd, hold, except)
}

# What the blueprint says, before anything is held across groups and constructs get their scales: the rungs of a ladder share it.
stated_layout <- function(bp, means, observed = NULL, groups = NULL) {
  table <- if (is.null(groups)) layout_parameters(bp, means, observed) else stack_groups(bp, means, observed, groups)
  apply_restrictions(table, bp)
}

finish_layout <- function(table, bp, sd, hold = character(), except = character()) {
  if (length(table$groups)) table <- hold_across(table, bp, hold, except)
  table <- apply_constraints(apply_map(apply_scales(table, bp), sd), bp)
  table$profiled <- table$means && means_saturated(table)
  table$core <- core_layout(table, keep_means = table$means && !table$profiled)
  table
}

# Every observed intercept free on its own, every construct mean fixed: the means fit exactly.
means_saturated <- function(table) {
  mean_rows <- table$family == parameter_families[["mean"]]
  intercepts <- mean_rows & table$head == "intercept"
  alone <- tabulate(table$class, length(table$class))[table$class] == 1L
  if (!any(mean_rows)) return(FALSE)
  constrained <- unlist(lapply(table$constraints, `[[`, "rows"))
  all(is.na(table$fixed[intercepts]) & alone[intercepts]) && all(!is.na(table$fixed[mean_rows & !intercepts])) &&
    !any(mean_rows[constrained])
}

core_layout <- function(table, keep_means) {
  keep <- if (keep_means) rep(TRUE, length(table$family)) else table$family != parameter_families[["mean"]]
  rows <- which(keep)
  in_map <- table$map$entry %in% rows
  # a view of one group keeps the parameters of all
  used <- if (isTRUE(table$every)) seq_along(table$parameters) else sort(unique(table$map$parameter[in_map]))
  parts <- table$parts %||% list(table[c("observed", "constructs")])
  p <- vapply(parts, function(part) length(part$observed), 0L, USE.NAMES = FALSE)
  number <- if (is.null(table$groups)) rep(1L, length(rows)) else match(table$group, table$groups)[rows]
  list(
    observed = p, variables = p + vapply(parts, function(part) length(part$constructs), 0L, USE.NAMES = FALSE),
    family = table$family[rows], group = number, row = table$row[rows], col = table$col[rows],
    means = keep_means, parameters = length(used), constant = table$constant[rows],
    rows = rows, map_entry = match(table$map$entry[in_map], rows), map_parameter = match(table$map$parameter[in_map], used),
    map_weight = table$map$weight[in_map], used = used, constraints = core_constraints(table, rows),
    scales = unname(lapply(Filter(function(s) s$composite || s$kind != "given", table$scales), function(scale) {
      g <- scale$group
      list(group = g, construct = p[g] + match(scale$construct, parts[[g]]$constructs),
           kind = if (scale$composite) 3L else if (scale$kind == "carried") 0L else match(scale$kind, scale_settings) - 1L, marker = match(scale$marker,
               rows, 0L),
           variance = match(scale$variance[1L], rows, 0L), loadings = match(scale$loadings, rows), closed = scale$closed)
    }))
  )
}

# Moments, free parameters and degrees of freedom.
layout_counts <- function(table) {
  p <- vapply(table$parts %||% list(table["observed"]), function(part) length(part$observed), 0L)
  moments <- sum(p * (p + 1L) / 2L + if (table$means) p else 0L)
  free <- table$leading
  family <- table$role[free]
  equations <- n_equations(table)
  list(moments = moments, parameters = length(table$parameters), equations = equations,
       df = moments - length(table$parameters) + equations, families = table(factor(family, levels = unique(family))))
}

format_families <- function(counts) {
  n <- as.integer(counts$families)
  role <- names(counts$families)
  paste(n, ifelse(n == 1L, role, plural(role)))
}

format_counts <- function(table) {
  counts <- layout_counts(table)
  c("Counts", paste0("  ", format_count_line(counts), if (!table$means) "  (covariances only; intercepts add as many moments)"),
    wrap_lines(paste0("free: ", paste(format_families(counts), collapse = ", ")), indent = 2L, hang = 8L))
}

format_count_line <- function(counts) {
  paste0(counts$moments, " moments - ", counts$parameters, " free parameters",
         if (counts$equations > 0L) paste0(" + ", count_of(counts$equations, "equation")), " = ", count_of(counts$df, "degree"), " of freedom")
}

# What was added without being asked for, and what was not: sentences.
list_assumptions <- function(table, bp) {
  if (!is.null(table$groups)) return(group_assumptions(table, bp))
  lines <- character()
  add <- function(...) lines <<- c(lines, paste0(...))
  named <- function(rows) enumerate(table$first[rows], most = 12L)
  residual <- which(table$role == "residual variance")
  if (length(residual)) add("residual variances of ", count_of(length(residual), "observed variable"), ": ", named(residual))
  disturbance <- which(table$role == "disturbance variance")
  if (length(disturbance)) add("disturbances of ", named(disturbance))
  covariances <- which(table$head == "covariance" & table$assumed)
  if (length(covariances)) {
    among <- unique(c(rbind(table$first[covariances], table$second[covariances])))
    add(if (length(covariances) == 1L) "the covariance of " else paste0(length(covariances), " covariances among "),
        enumerate(among, most = 12L), " (nothing points at them)")
  }
  if (table$means) {
    free <- which(table$head == "intercept" & is.na(table$fixed))
    if (length(free)) add("free intercepts of ", count_of(length(free), "observed variable"),
        if (length(table$constructs)) "; means of constructs fixed at 0 unless stated")
  }
  for (name in table$composites) add(name, " is composed of its items, without a disturbance")
  for (scale in table$scales) {
    add(switch(scale$kind,
      marker = paste0("scale of ", scale$construct, ": ", table$parameter[scale$marker], " = 1"),
      unit = paste0("scale of ", scale$construct, ": ", table$parameter[scale$variance], " = 1",
                    if (table$role[scale$variance] == "disturbance variance") " (its disturbance)"),
      average = paste0("scale of ", scale$construct, ": its ", length(scale$loadings), " loadings average 1"),
      given = paste0("scale of ", scale$construct, ": from the values you fixed")))
  }
  outcomes <- unique(bp$effects$to)
  pairs <- if (length(outcomes) > 1L) utils::combn(outcomes, 2L) else matrix(character(), 2L)
  stated <- table$head == "covariance"
  missing <- ncol(pairs) > 0L && !all(pair_key(pairs[1L, ], pairs[2L, ]) %in% pair_key(table$first[stated], table$second[stated]))
  not_assumed <- paste0("covariances among the disturbances of ", enumerate(outcomes), "; free them with covary()")
  list(assumed = lines, not_assumed = not_assumed[missing])
}

# Those of the first group, and what the groups add.
group_assumptions <- function(table, bp) {
  first <- group_layout(table, 1L)
  first$parameter <- address_format(first$head, first$first, first$second)
  out <- list_assumptions(first, bp)
  what <- function(rows) enumerate(unique(address_format(table$head[rows], table$first[rows], table$second[rows])), most = 8L)
  held <- which(table$shared & is.na(table$fixed))
  loose <- Filter(function(s) s$kind == "carried" && any(table$shared[s$loadings]), table$scales)
  out$assumed <- c(paste0("the same in every group (", enumerate(table$groups, most = 12L), "), each with its own values:"), out$assumed,
                   if (length(held)) paste0("held equal across groups: ", what(held)),
                   if (length(table$freed)) paste0("free outside ", table$groups[1L], ", since intercepts are held: ", what(table$freed)),
                   if (length(loose)) paste0("variances free outside ", table$groups[1L], ", since loadings are held: ",
                                             enumerate(unique(vapply(loose, `[[`, "", "construct")))))
  out
}

format_assumptions <- function(table, bp) bullet_assumptions(list_assumptions(table, bp))

bullet_assumptions <- function(both) {
  bullets <- function(lines) if (length(lines)) wrap_lines(paste0("- ", lines), indent = 2L, hang = 4L)
  c("Assumed", bullets(both$assumed), if (length(both$not_assumed)) c("Not assumed", bullets(both$not_assumed)))
}
