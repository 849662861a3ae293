# What could be freed in a fitted model: parameters that are fixed, equal or tied, and relations that are not in it.

# A list of columns: parameter, head, first, second, group, kind, family, row, col, entry (row of the layout, 0 when new),
# constraint (0 for none), value (where it is held now), and `reason` when it is not worth testing. `all` adds what is nonsense.
find_candidates <- function(fit, all = FALSE) {
  table <- fit$layout
  fresh <- if (!has_groups(fit)) new_relations(table, all) else unlist(lapply(group_views(fit, errors = FALSE), function(view) {
    lapply(new_relations(view$layout, all), function(part) {
      part$group[] <- view$group
      part$parameter <- address_format(part$head, part$first, part$second, part$group)
      part
    })
  }), recursive = FALSE, use.names = FALSE)
  parts <- c(list(held_parameters(table), tied_parameters(fit)), fresh)
  out <- Map(c, parts[[1L]], parts[[2L]])
  for (part in parts[-(1:2)]) out <- Map(c, out, part)
  out
}

candidate_columns <- function(head, first, second, kind, family, row, col, entry = 0L, constraint = 0L, value = 0, reason = "", parameter = NULL) {
  size <- length(first)
  list(parameter = parameter %||% address_format(rep_len(head, size), first, second), head = rep_len(head, size), first = first, second = second,
       group = rep(NA_character_, size), kind = rep_len(kind, size), family = rep_len(family, size), row = row, col = col,
       entry = rep_len(entry, size), constraint = rep_len(constraint, size), value = rep_len(value, size), reason = rep_len(reason, size))
}

no_candidates <- function() {
  candidate_columns(character(), character(), character(), character(), integer(), integer(), integer(), integer(), integer(), numeric(), character(),
                    character())
}

# Rows of the parameter table that are fixed or equal.
held_parameters <- function(table) {
  fixed <- !is.na(table$fixed)
  shared <- tabulate(table$class, length(table$class))[table$class] > 1L
  rows <- which(fixed | shared)
  if (length(rows) == 0L) return(no_candidates())
  across <- table$shared %||% rep(FALSE, length(fixed))
  # of two groups, freeing the one is freeing the other
  first <- table$group[rows] %in% table$groups[1L]
  rows <- rows[!(across[rows] & first & (fixed[rows] | length(table$groups) == 2L))]
  # means and variances of constructs that are held are held at the 0 and the 1 of the first group
  kept <- across[rows] & (!fixed[rows] | (table$head[rows] %in% c("mean", "variance") & table$first[rows] %in% table$constructs))
  kind <- ifelse(kept, "equality across groups", ifelse(fixed[rows], "fixed value", "equality"))
  zero <- fixed[rows] & table$head[rows] == "covariance" & table$fixed[rows] %in% 0
  kind[zero] <- covariance_kind(table, table$first[rows][zero], table$second[rows][zero])
  reason <- rep("", length(rows))
  for (scale in table$scales) {
    carrier <- if (scale$kind == "marker") scale$marker else if (scale$kind == "unit") scale$variance
    reason[rows %in% carrier] <- paste("it carries the scale of", scale$construct)
  }
  if (table$profiled) reason[fixed[rows] & table$head[rows] == "mean"] <- "the means fit exactly: every intercept is free"
  value <- table$fixed[rows]
  value[is.na(value)] <- 0
  candidate_columns(table$head[rows], table$first[rows], table$second[rows], kind, table$family[rows], table$row[rows], table$col[rows],
                    entry = rows, value = value, reason = reason, parameter = table$parameter[rows]) |>
    utils::modifyList(list(group = table$group[rows]))
}

# Equations, and bounds that the solution lies on.
tied_parameters <- function(fit) {
  constraints <- fit$layout$constraints
  if (length(constraints) == 0L) return(no_candidates())
  bound <- vapply(constraints, `[[`, NA, "bound")
  held <- which(!bound | fit$core$active)
  text <- vapply(constraints[held], `[[`, "", "text")
  candidate_columns(ifelse(bound[held], "bound", "equation"), text, rep(NA_character_, length(held)), ifelse(bound[held], "bound", "equation"),
                    rep(NA_integer_, length(held)), rep(NA_integer_, length(held)), rep(NA_integer_, length(held)), constraint = held, parameter = text)
}

new_relations <- function(table, all) {
  roles <- variable_roles(table)
  Filter(Negate(is.null), c(
    list(new_loadings(table, roles), new_covariances(table, roles), new_effects(table, roles)),
    if (all) list(nonsense_covariances(table, roles))))
}

# Who is who: items of reflective constructs, constructs that are items of others, items of composites, the rest.
variable_roles <- function(table) {
  all <- c(table$observed, table$constructs)
  reflective <- setdiff(table$constructs, table$composites)
  loads <- table$head == "loading"
  items <- intersect(table$observed, table$second[loads])
  higher <- unique(table$first[loads][table$second[loads] %in% table$constructs])
  list(all = all, reflective = reflective, items = items, higher = higher, inner = intersect(table$constructs, table$second[loads]),
       parts = setdiff(table$first[table$head == "weight"], items), endogenous = table$endogenous,
       member = outer(reflective, all, function(f, x) paste(f, x, sep = "\r") %in% paste(table$first[loads], table$second[loads], sep = "\r")))
}

arrow_known <- function(table, from, to) {
  arrows <- table$head %in% arrow_heads
  paste(from, to, sep = "\r") %in% paste(table$first[arrows], table$second[arrows], sep = "\r")
}

new_arrows <- function(table, head, from, to, kind) {
  keep <- from != to & !arrow_known(table, from, to)
  if (!any(keep)) return(NULL)
  all <- c(table$observed, table$constructs)
  candidate_columns(head, from[keep], to[keep], rep_len(kind, length(from))[keep], parameter_families[["effect"]],
                    match(to[keep], all), match(from[keep], all))
}

# Items of other constructs; constructs too, for constructs of constructs. Never an item of its own descendant.
new_loadings <- function(table, roles) {
  lower <- setdiff(roles$reflective, roles$higher)
  from <- c(rep(lower, each = length(roles$items)), rep(roles$higher, each = length(roles$items) + length(roles$inner)))
  to <- c(rep(roles$items, length(lower)), rep(c(roles$items, roles$inner), length(roles$higher)))
  circular <- to %in% table$constructs & reaches(table, to, from)
  new_arrows(table, "loading", from[!circular], to[!circular], "cross-loading")
}

# Effects among constructs and single variables; those of single variables on items. A composite is what its items make it,
# an item causes nothing, and what nothing points at stays that way unless it is a construct.
new_effects <- function(table, roles) {
  causes <- setdiff(roles$all, roles$items)
  outcomes <- setdiff(c(table$constructs, intersect(table$observed, table$endogenous)), c(roles$items, table$composites))
  from <- rep(causes, length(outcomes))
  to <- rep(outcomes, each = length(causes))
  # an indicator construct on its own parent or on its siblings: disturbances that covary say it better
  inside <- from %in% roles$inner & (to %in% roles$inner | (to %in% roles$higher & arrow_known(table, to, from)))
  own <- from %in% roles$reflective & to %in% roles$inner          # said as a loading
  structural <- new_arrows(table, "effect", from[!inside & !own], to[!inside & !own],
                           ifelse(to[!inside & !own] %in% roles$inner, "effect on an item", "effect"))
  single <- setdiff(causes, roles$reflective)
  on_items <- new_arrows(table, "effect", rep(single, length(roles$items)), rep(roles$items, each = length(single)), "effect on an item")
  Reduce(function(x, y) if (is.null(x)) y else if (is.null(y)) x else Map(c, x, y), list(structural, on_items))
}

covariance_known <- function(table, first, second) {
  rows <- table$head == "covariance"
  pair_key(first, second) %in% pair_key(table$first[rows], table$second[rows])
}

covariance_kind <- function(table, first, second) {
  roles <- variable_roles(table)
  together <- colSums(roles$member[, match(first, roles$all), drop = FALSE] & roles$member[, match(second, roles$all), drop = FALSE]) > 0
  lower <- first %in% roles$endogenous & second %in% roles$endogenous
  constructs <- first %in% table$constructs & second %in% table$constructs
  ifelse(!(first %in% roles$endogenous | second %in% roles$endogenous), "construct covariance",
         ifelse(lower & (constructs | !(first %in% roles$items | second %in% roles$items)), "disturbance covariance",
                ifelse(together, "residual covariance within a construct", "residual covariance across constructs")))
}

pairs_within <- function(x) {
  if (length(x) < 2L) return(list(first = character(), second = character()))
  at <- which(lower.tri(diag(length(x))), arr.ind = TRUE)
  list(first = x[at[, 2L]], second = x[at[, 1L]])
}

new_pairs <- function(table, pairs, reason = "", kind = NULL) {
  keep <- !covariance_known(table, pairs$first, pairs$second)
  if (!any(keep)) return(NULL)
  first <- pairs$first[keep]
  second <- pairs$second[keep]
  all <- c(table$observed, table$constructs)
  candidate_columns("covariance", first, second, kind %||% covariance_kind(table, first, second), parameter_families[["covariance"]],
                    match(first, all), match(second, all), reason = if (length(reason) == 1L) reason else reason[keep])
}

# Residuals of items and outcomes among each other; disturbances; and what was uncorrelated among variables nothing points at.
new_covariances <- function(table, roles) {
  varying <- setdiff(roles$all, table$composites)
  endogenous <- intersect(varying, roles$endogenous)
  residual <- pairs_within(endogenous)
  # residuals of items go with those of items and of single outcomes, disturbances with disturbances
  mixed <- (residual$first %in% table$observed) != (residual$second %in% table$observed) &
    (residual$first %in% roles$items | residual$second %in% roles$items)
  residual <- lapply(residual, function(x) x[!mixed])
  exogenous <- pairs_within(setdiff(varying, roles$endogenous))
  new_pairs(table, Map(c, residual, exogenous))
}

# Said better in another way, or not at all.
nonsense_covariances <- function(table, roles) {
  varying <- setdiff(roles$all, table$composites)
  constructs <- setdiff(table$constructs, table$composites)
  item_pairs <- list(first = rep(roles$items, length(constructs)), second = rep(constructs, each = length(roles$items)))
  own <- arrow_known(table, item_pairs$second, item_pairs$first)
  endogenous <- setdiff(intersect(varying, roles$endogenous), roles$items)
  exogenous <- setdiff(varying, roles$endogenous)
  other <- list(first = rep(exogenous, length(endogenous)), second = rep(endogenous, each = length(exogenous)))
  cause <- reaches(table, other$first, other$second)
  parts <- list(
    new_pairs(table, item_pairs, ifelse(own, "an item's residual with its own construct", "a loading of the item on that construct says it"), "nonsense"),
    new_pairs(table, other, ifelse(cause, "a disturbance with its own predictor", "an effect of the one on the other says it"), "nonsense"))
  Reduce(function(x, y) if (is.null(x)) y else if (is.null(y)) x else Map(c, x, y), parts)
}
