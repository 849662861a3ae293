# Candidates for freeing in a fitted model: parameters that are fixed, equal or tied, and relations
# that are not in it.

# A list of columns: parameter, kind, first, second, group, change (the kind of change that freeing
# it would be), family, row, col, entry (row of the layout, 0 when new), constraint (0 for none),
# value (at which it is held now), and `reason` when it is not worth testing. `all` includes
# candidates that make no sense.
find_candidates <- function(fit, all = FALSE) {
  fresh <- lapply(group_views(fit), function(view) {
    lapply(new_relations(view$layout, all), function(part) {
      part$group[] <- view$group
      part$parameter <- shown_address(view$layout, part$kind, part$first, part$second, part$group)
      part
    })
  })
  parts <- c(list(held_parameters(fit$layout), tied_parameters(fit)),
             unlist(unname(fresh), recursive = FALSE))
  found <- Reduce(function(one, other) Map(c, one, other), parts)
  beside <- found$first %in% fit$layout$auxiliary | found$second %in% fit$layout$auxiliary
  lapply(found, function(x) x[!beside])
}

candidate_columns <- function(kind, first, second, change, family, row, col, entry = 0L,
                              constraint = 0L, value = 0, reason = "", parameter = NULL) {
  size <- length(first)
  list(parameter = parameter %||% address_format(rep_len(kind, size), first, second),
       kind = rep_len(kind, size), first = first, second = second,
       group = rep(NA_character_, size), change = rep_len(change, size),
       family = rep_len(family, size), row = row, col = col,
       entry = rep_len(entry, size), constraint = rep_len(constraint, size),
       value = rep_len(value, size), reason = rep_len(reason, size))
}

no_candidates <- function() {
  candidate_columns(character(), character(), character(), character(), integer(), integer(),
                    integer(), integer(), integer(), numeric(), character(),
                    character())
}

# Rows of the parameter layout that are fixed or equal.
held_parameters <- function(layout) {
  fixed <- !is.na(layout$rows$fixed)
  shared <- tabulate(layout$rows$class, length(layout$rows$class))[layout$rows$class] > 1L
  rows <- which(fixed | shared)
  if (length(rows) == 0L) return(no_candidates())
  across <- layout$rows$shared
  # with two places, freeing one is freeing the other
  set <- held_sets(layout$rows)
  set[!across] <- NA
  first <- across & !duplicated(set)
  pair <- across & tabulate(match(set, unique(set)))[match(set, unique(set))] == 2L
  rows <- rows[!(first[rows] & (fixed[rows] | pair[rows]))]
  # means and variances of constructs that are held are held at 0 and 1, the values of the first
  # place
  kept <- across[rows] &
    (!fixed[rows] |
     (layout$rows$kind[rows] %in% c("mean", "variance") & layout$rows$first[rows] %in%
      layout$constructs))
  kind <- ifelse(kept, held_change(layout$rows, rows),
                 ifelse(fixed[rows], "fixed value", "equality"))
  zero <- fixed[rows] & layout$rows$kind[rows] == "covariance" & layout$rows$fixed[rows] %in% 0
  for (k in which(zero)) {
    kind[k] <-
      covariance_change(layout_of_group(layout, match(layout$rows$group[rows[k]], layout$groups)),
                               layout$rows$first[rows[k]], layout$rows$second[rows[k]])
  }
  reason <- rep("", length(rows))
  for (scale in layout$scales) {
    carrier <- if (scale$kind == "marker") scale$marker else if (scale$kind == "unit")
      scale$variance
    reason[rows %in% carrier] <- paste(text_of("carries_scale"), scale$construct)
  }
  if (layout$saturated_means) reason[fixed[rows] & layout$rows$kind[rows] == "mean"] <-
    text_of("means_fit_exactly_every")
  value <- layout$rows$fixed[rows]
  value[is.na(value)] <- 0
  candidate_columns(layout$rows$kind[rows], layout$rows$first[rows], layout$rows$second[rows], kind,
                    layout$rows$family[rows], layout$rows$row[rows], layout$rows$col[rows],
                    entry = rows, value = value, reason = reason,
                    parameter = layout$rows$parameter[rows]) |>
    utils::modifyList(list(group = layout$rows$group[rows]))
}

# Equations, and bounds that the solution lies on.
tied_parameters <- function(fit) {
  constraints <- fit$layout$constraints
  if (length(constraints) == 0L) return(no_candidates())
  bound <- vapply(constraints, `[[`, NA, "bound")
  held <- which(!bound | is_active(fit))
  text <- vapply(constraints[held], `[[`, "", "text")
  candidate_columns(ifelse(bound[held], "bound", "equation"), text,
                    rep(NA_character_, length(held)), ifelse(bound[held], "bound", "equation"),
                    rep(NA_integer_, length(held)), rep(NA_integer_, length(held)),
                    rep(NA_integer_, length(held)), constraint = held, parameter = text)
}

new_relations <- function(layout, all) {
  sets <- variable_sets(layout)
  Filter(Negate(is.null), c(
    list(new_loadings(layout, sets), new_covariances(layout, sets), new_effects(layout, sets)),
    if (all) list(nonsense_covariances(layout, sets))))
}

# The roles of variables: items of reflective constructs, constructs that are items of others, items
# of composites, and the rest.
variable_sets <- function(layout) {
  all <- c(layout$observed, layout$constructs)
  reflective <- setdiff(layout$constructs, layout$composites)
  loads <- layout$rows$kind == "loading"
  items <- intersect(layout$observed, layout$rows$second[loads])
  higher <- unique(layout$rows$first[loads][layout$rows$second[loads] %in% layout$constructs])
  list(all = all, reflective = reflective, items = items, higher = higher,
       inner = intersect(layout$constructs, layout$rows$second[loads]),
       parts = setdiff(layout$rows$first[layout$rows$kind == "weight"], items),
       endogenous = layout$endogenous,
       member = outer(reflective, all, function(f, x) {
         paste(f, x, sep = "\r") %in%
         paste(layout$rows$first[loads], layout$rows$second[loads], sep = "\r")
       }))
}

arrow_known <- function(layout, from, to) {
  arrows <- layout$rows$kind %in% arrow_kinds
  paste(from, to, sep = "\r") %in%
    paste(layout$rows$first[arrows], layout$rows$second[arrows], sep = "\r")
}

new_arrows <- function(layout, kind, from, to, change) {
  keep <- from != to & !arrow_known(layout, from, to)
  if (!any(keep)) return(NULL)
  all <- c(layout$observed, layout$constructs)
  candidate_columns(kind, from[keep], to[keep], rep_len(change, length(from))[keep],
                    parameter_families[["effect"]], match(to[keep], all), match(from[keep], all))
}

# Items of other constructs; for second-order constructs also constructs. Never an item of its own
# descendant.
new_loadings <- function(layout, sets) {
  lower <- setdiff(sets$reflective, sets$higher)
  from <- c(rep(lower, each = length(sets$items)),
            rep(sets$higher, each = length(sets$items) + length(sets$inner)))
  to <- c(rep(sets$items, length(lower)), rep(c(sets$items, sets$inner), length(sets$higher)))
  circular <- to %in% layout$constructs & reaches(layout, to, from)
  new_arrows(layout, "loading", from[!circular], to[!circular], "cross-loading")
}

# Effects among constructs and single variables, and effects of single variables on items. A
# composite is determined by its items, an item causes nothing, and exogenous variables stay
# exogenous unless they are constructs.
new_effects <- function(layout, sets) {
  causes <- setdiff(sets$all, sets$items)
  outcomes <- setdiff(c(layout$constructs, intersect(layout$observed, layout$endogenous)),
                      c(sets$items, layout$composites))
  from <- rep(causes, length(outcomes))
  to <- rep(outcomes, each = length(causes))
  # an indicator construct on its own parent or on its siblings: covarying disturbances express it
  # better
  inside <- from %in% sets$inner &
    (to %in% sets$inner | (to %in% sets$higher & arrow_known(layout, to, from)))
  own <- from %in% sets$reflective & to %in% sets$inner          # said as a loading
  keep <- !inside & !own
  structural <- new_arrows(layout, "effect", from[keep], to[keep],
                           effect_change(layout, sets, from[keep], to[keep]))
  single <- setdiff(causes, sets$reflective)
  on_items <- new_arrows(layout, "effect", rep(single, length(sets$items)),
                         rep(sets$items, each = length(single)), "effect on an item")
  Reduce(function(x, y) if (is.null(x)) y else if (is.null(y)) x else Map(c, x, y),
         list(structural, on_items))
}

# An arrow opposite to an existing one, or one that closes a longer loop, is a separate kind.
effect_change <- function(layout, sets, from, to) {
  ifelse(to %in% sets$inner, "effect on an item",
         ifelse(arrow_known(layout, to, from), "reversal",
                ifelse(reaches(layout, to, from), "feedback", "effect")))
}

covariance_known <- function(layout, first, second) {
  rows <- layout$rows$kind == "covariance"
  pair_key(first, second) %in% pair_key(layout$rows$first[rows], layout$rows$second[rows])
}

covariance_change <- function(layout, first, second) {
  sets <- variable_sets(layout)
  together <- colSums(sets$member[, match(first, sets$all), drop = FALSE] & sets$member[,
      match(second, sets$all), drop = FALSE]) > 0
  lower <- first %in% sets$endogenous & second %in% sets$endogenous
  constructs <- first %in% layout$constructs & second %in% layout$constructs
  ifelse(!(first %in% sets$endogenous | second %in% sets$endogenous), "construct covariance",
         ifelse(lower & (constructs | !(first %in% sets$items | second %in% sets$items)),
                "disturbance covariance",
                ifelse(together, "residual covariance within a construct",
                       "residual covariance across constructs")))
}

pairs_within <- function(x) {
  if (length(x) < 2L) return(list(first = character(), second = character()))
  at <- which(lower.tri(diag(length(x))), arr.ind = TRUE)
  list(first = x[at[, 2L]], second = x[at[, 1L]])
}

new_pairs <- function(layout, pairs, reason = "", change = NULL) {
  keep <- !covariance_known(layout, pairs$first, pairs$second)
  if (!any(keep)) return(NULL)
  first <- pairs$first[keep]
  second <- pairs$second[keep]
  all <- c(layout$observed, layout$constructs)
  candidate_columns("covariance", first, second, change %||% covariance_change(layout, first,
      second), parameter_families[["covariance"]],
                    match(first, all), match(second, all), reason = if (length(reason) == 1L)
                      reason else reason[keep])
}

# Residuals of items and outcomes with each other; disturbances; and exogenous variables that were
# uncorrelated.
new_covariances <- function(layout, sets) {
  varying <- setdiff(sets$all, layout$composites)
  endogenous <- intersect(varying, sets$endogenous)
  residual <- pairs_within(endogenous)
  # residuals of items covary with those of items and of single outcomes, disturbances with
  # disturbances
  mixed <- (residual$first %in% layout$observed) != (residual$second %in% layout$observed) &
    (residual$first %in% sets$items | residual$second %in% sets$items)
  residual <- lapply(residual, function(x) x[!mixed])
  exogenous <- pairs_within(setdiff(varying, sets$endogenous))
  new_pairs(layout, Map(c, residual, exogenous))
}

# Better expressed in another way, or not at all.
nonsense_covariances <- function(layout, sets) {
  varying <- setdiff(sets$all, layout$composites)
  constructs <- setdiff(layout$constructs, layout$composites)
  item_pairs <- list(first = rep(sets$items, length(constructs)),
                     second = rep(constructs, each = length(sets$items)))
  own <- arrow_known(layout, item_pairs$second, item_pairs$first)
  endogenous <- setdiff(intersect(varying, sets$endogenous), sets$items)
  exogenous <- setdiff(varying, sets$endogenous)
  other <- list(first = rep(exogenous, length(endogenous)),
                second = rep(endogenous, each = length(exogenous)))
  cause <- reaches(layout, other$first, other$second)
  parts <- list(
    new_pairs(layout, item_pairs,
              ifelse(own, text_of("item_s_residual_own"),
                     text_of("loading_item_construct_says")), "nonsense"),
    new_pairs(layout, other,
              ifelse(cause, text_of("disturbance_own_predictor"),
                     text_of("effect_one_other_says")), "nonsense"))
  Reduce(function(x, y) if (is.null(x)) y else if (is.null(y)) x else Map(c, x, y), parts)
}

loop_kinds <- c("reversal", "feedback")

residual_kinds <- c("residual covariance within a construct",
                    "residual covariance across constructs")

equality_kinds <- c("equality", unname(held_changes), "equality of all groups")

amendment_kinds <- c(residual_kinds, "cross-loading", "effect", "effect on an item", loop_kinds,
                     "construct covariance", "disturbance covariance", equality_kinds,
                     "fixed value", "equation", "bound", "nonsense")

match_kinds <- function(kinds) {
  if (is.null(kinds)) return(NULL)
  if (!is.character(kinds) || anyNA(kinds) || length(kinds) == 0L)
    abort("input", text_of("kinds_must_be_texts"))
  known <- utils::head(amendment_kinds, -1L)     # the last is what is never offered
  unlist(lapply(kinds, function(kind) {
    if (kind %in% known) return(kind)
    found <- known[startsWith(known, kind)]
    if (length(found)) return(found)
    abort("input", c(text_of("no_such_kind", kind = quoted(kind)), did_you_mean(kind, known),
                     i = paste0("Kinds: ", enumerate(known, most = 20L), ".")))
  }))
}

# The size of one unit of each candidate in standardized units; NA where a variance is not positive.
candidate_units <- function(fit, candidates) {
  number <- match(candidates$group, fit$layout$groups)
  positive <- function(x) sqrt(ifelse(x > 0, x, NA))
  out <- rep(NA_real_, length(number))
  for (g in seq_along(fit$layout$groups)) {
    matrices <- matrices_of(fit)[[g]]
    sd <- positive(diag(matrices$covariance))
    residual <- positive(diag(matrices$residual))
    for (f in names(parameter_families)) {
      at <- which(candidates$family == parameter_families[[f]] &
                  !candidates$change %in% c("equation", "bound") &
                    number == g)
      row <- candidates$row[at]
      col <- candidates$col[at]
      out[at] <- switch(f, effect = sd[col] / sd[row], mean = 1 / sd[row],
                        covariance = ifelse(row == col, 1 / sd[row]^2,
                                            1 / (residual[row] * residual[col])))
    }
  }
  out
}

# Models with parameters freed or held, as the core reads them, and their refits.

# The core's layout with all candidates as entries that no parameter moves yet; `entry` gives the
# position of each.
core_with <- function(fit, candidates) {
  core <- fit$layout$model
  size <- length(core$family)
  new <- which(candidates$entry == 0L & candidates$constraint == 0L)
  # numbered as in the core, which may not contain the means
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

# Core entries as rows of the layout; entries unknown to the core stay as they were.
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
