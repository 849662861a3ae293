# From a blueprint and what the data know to a layout: parameter table, scales and map. `core` is the
# same as the core reads it. With saturated means the core never sees them: they are profiled out.

build_layout <- function(bp, means, observed = NULL, sd = NULL) {
  table <- apply_constraints(apply_map(apply_scales(layout_parameters(bp, means, observed), bp), sd), bp)
  table$profiled <- means && means_saturated(table)
  table$core <- core_layout(table, keep_means = means && !table$profiled)
  table
}

# Every observed intercept free on its own, every construct mean fixed: the means fit exactly.
means_saturated <- function(table) {
  mean_rows <- table$family == parameter_families[["mean"]]
  intercepts <- mean_rows & table$head == "intercept"
  alone <- tabulate(table$class, length(table$class))[table$class] == 1L
  constrained <- unlist(lapply(table$constraints, `[[`, "rows"))
  all(is.na(table$fixed[intercepts]) & alone[intercepts]) && all(!is.na(table$fixed[mean_rows & !intercepts])) &&
    !any(mean_rows[constrained])
}

core_layout <- function(table, keep_means) {
  keep <- if (keep_means) rep(TRUE, length(table$family)) else table$family != parameter_families[["mean"]]
  # means come last in the table, so dropping them renumbers nothing but parameters
  rows <- which(keep)
  in_map <- table$map$entry %in% rows
  used <- sort(unique(table$map$parameter[in_map]))
  p <- length(table$observed)
  list(
    observed = p, variables = p + length(table$constructs),
    family = table$family[rows], group = rep(1L, length(rows)), row = table$row[rows], col = table$col[rows],
    means = keep_means, parameters = length(used), constant = table$constant[rows],
    map_entry = table$map$entry[in_map], map_parameter = match(table$map$parameter[in_map], used),
    map_weight = table$map$weight[in_map], used = used, constraints = core_constraints(table, rows),
    scales = unname(lapply(Filter(function(s) s$composite || s$kind != "given", table$scales), function(scale) {
      list(group = 1L, construct = p + match(scale$construct, table$constructs),
           kind = if (scale$composite) 3L else match(scale$kind, scale_settings) - 1L, marker = as.integer(scale$marker),
           variance = if (length(scale$variance)) scale$variance else 0L,
           loadings = scale$loadings, closed = scale$closed)
    }))
  )
}

# Moments, free parameters and degrees of freedom.
layout_counts <- function(table) {
  p <- length(table$observed)
  moments <- p * (p + 1L) / 2L + if (table$means) p else 0L
  free <- table$parameter %in% table$parameters
  family <- table$role[free]
  equations <- n_equations(table)
  list(moments = moments, parameters = length(table$parameters), equations = equations,
       df = moments - length(table$parameters) + equations, families = table(factor(family, levels = unique(family))))
}

plural <- function(role) sub("ys$", "ies", paste0(role, "s"))

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

format_assumptions <- function(table, bp) bullet_assumptions(list_assumptions(table, bp))

bullet_assumptions <- function(both) {
  bullets <- function(lines) if (length(lines)) wrap_lines(paste0("- ", lines), indent = 2L, hang = 4L)
  c("Assumed", bullets(both$assumed), if (length(both$not_assumed)) c("Not assumed", bullets(both$not_assumed)))
}
