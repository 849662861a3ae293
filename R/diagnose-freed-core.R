# Models with parameters freed or held, as the core reads them, and their refits.

# The core's layout with all candidates as entries that nothing moves yet; `entry` says where each
# is.
core_with <- function(fit, candidates) {
  core <- fit$layout$model
  size <- length(core$family)
  new <- which(candidates$entry == 0L & candidates$constraint == 0L)
  # numbered as the core does, which may not know the means
  entry <- match(candidates$entry, core$rows, 0L)
  entry[new] <- size + seq_along(new)
  core$family <- c(core$family, as.integer(candidates$family[new]))
  core$group <- c(core$group, match(candidates$group[new], fit$layout$groups))
  core$row <- c(core$row, as.integer(candidates$row[new]))
  core$col <- c(core$col, as.integer(candidates$col[new]))
  core$constant <- c(core$constant, as.numeric(candidates$value[new]))
  list(core = core, entry = as.integer(entry), constraint = as.integer(candidates$constraint))
}

# Several candidates freed at once: each gets a parameter of its own, a tied one loses its
# constraint.
freed_core <- function(core, entry, constraint) {
  for (e in entry[entry > 0L]) {
    keep <- core$map_entry != e
    core$map_entry <- c(core$map_entry[keep], e)
    core$parameters <- core$parameters + 1L
    core$map_parameter <- c(core$map_parameter[keep], core$parameters)
    core$map_weight <- c(core$map_weight[keep], 1)
    core$constant[e] <- 0
    core$scales <- lapply(core$scales, with_loading, core = core, entry = e)
  }
  if (any(constraint > 0L)) core$constraints <- core$constraints[-constraint[constraint > 0L]]
  core
}

# A freed loading is an indicator like the others where starting values are sought.
with_loading <- function(scale, core, entry) {
  loading <- core$family[entry] == 0L && scale$kind != 3L && core$group[entry] == scale$group &&
    core$col[entry] == scale$construct && core$row[entry] <= core$observed[scale$group]
  if (loading) scale$loadings <- sort(unique(c(scale$loadings, as.integer(entry))))
  scale
}

# Drops parameters, each held at a value.
held_core <- function(core, parameters, values = 0) {
  values <- rep_len(values, length(parameters))
  for (i in seq_along(parameters)) {
    at <- core$map_parameter == parameters[i]
    core$constant[core$map_entry[at]] <- core$constant[core$map_entry[at]] +
      core$map_weight[at] * values[i]
  }
  keep <- !core$map_parameter %in% parameters
  left <- setdiff(seq_len(core$parameters), parameters)
  core$map_entry <- core$map_entry[keep]
  core$map_weight <- core$map_weight[keep]
  core$map_parameter <- match(core$map_parameter[keep], left)
  core$parameters <- length(left)
  core
}

core_refit <- function(fit, core, start, fresh_starts = 0L) {
  found <- core_fit(core, core_moments(fit), as.numeric(start), fresh_starts, errors = FALSE)
  # too far for the quick steps of a start that is close
  if (found$status != 0L && fresh_starts == 0L)
    found <- core_fit(core, core_moments(fit), as.numeric(start), fresh_starts)
  found$chisq <- moments_n(fit) * found$discrepancy
  found$ok <- found$status == 0L
  found
}

# Core entries as rows of the layout; what the core does not know stays as it was.
layout_entries <- function(fit, eta) {
  out <- values_of(fit)
  rows <- fit$layout$model$rows
  out[rows] <- eta[seq_along(rows)]
  out
}

# The value a candidate has now, whether fixed, equal or not in the model.
now_at <- function(fit, candidates, i) {
  if (candidates$entry[i] > 0L) values_of(fit)[candidates$entry[i]] else candidates$value[i]
}

# The amount by which the left side of an equality exceeds the right.
slack_at <- function(fit, constraint, eta) {
  constraint_jet(fit$layout$constraints[[constraint]], eta)$value
}
