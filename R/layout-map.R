# The scale of each construct, and the linear map from free parameters to entries.

# Adds `scales` (how each construct gets its unit) and fixes markers or variances in the table.
apply_scales <- function(table, bp) {
  table$scales <- list()
  table$within <- table$within %||% (tabulate(table$class, length(table$class)) > 1L)
  table$shared <- table$shared %||% rep(FALSE, length(table$head))
  table$marked <- rep(FALSE, length(table$head))
  for (place in scale_places(table)) {
    name <- place$construct
    here <- place$span
    rows <- place$indicators
    variance <- here[table$head[here] == "variance" & table$first[here] == name]
    composite <- name %in% table$composites
    setting <- bp$constructs[[name]]$scale %||% if (composite) "marker" else bp$scale
    marker_item <- if (!setting %in% scale_settings) setting
    # values given in construct() set the scale; a value in restrict() is a restriction beside it, unless nothing is left
    given <- is.null(bp$constructs[[name]]$scale) && any(bp$constructs[[name]]$fixed != 0)
    own <- given || (!anyNA(table$fixed[rows]) && !any(table$marked[rows])) || (setting == "unit" && (!is.na(table$fixed[variance]) || table$relaxed[variance]))
    involved <- here[table$first[here] == name | table$second[here] %in% name]
    # what is held equal across groups is rescaled in all of them at once
    alone <- is.na(table$fixed) & !table$within[table$class]
    closed <- !own && !composite && length(bp$constructs[[name]]$fixed) == 0L &&
      !any(table$touched[involved] & !alone[involved]) && !any(table$constrained[involved]) && !any(table$shared[involved])
    kind <- if (is.null(marker_item)) setting else "marker"
    marker <- 0L
    if (own) {
      kind <- "given"
    } else if (kind == "marker") {
      held_already <- rows[table$marked[rows]]
      free <- if (length(held_already)) held_already else rows[is.na(table$fixed[rows]) & !table$relaxed[rows]]
      item <- if (composite) table$first[rows] else table$second[rows]
      marker <- if (is.null(marker_item)) free[1L] else rows[item == marker_item]
      same <- table$class == table$class[marker]
      if (length(marker) == 0L || is.na(marker) || !(is.na(table$fixed[marker]) || table$marked[marker])) {
        abort("restriction", c(paste0("Construct ", quoted(name), " has no ", if (composite) "weight" else "loading", " left to carry its scale."),
                               i = "Fix one loading at 1, or use scale = \"unit\"."))
      }
      table$fixed[same] <- 1
      table$marked[same] <- TRUE
    } else if (kind == "unit") {
      # loadings held across groups carry the unit over: the variance is fixed in the first group only
      carried <- place$number > 1L && any(table$shared[rows])
      if (carried) kind <- "carried" else table$fixed[table$class == table$class[variance]] <- 1
    }
    added <- list(construct = name, group = place$number, kind = kind, composite = composite, loadings = rows,
                  variance = variance, marker = marker, closed = closed)
    table$scales <- c(table$scales, stats::setNames(list(added), name))
  }
  table
}

# Every construct of every group, with its rows.
scale_places <- function(table) {
  groups <- if (is.null(table$groups)) 1L else seq_along(table$groups)
  unlist(lapply(groups, function(g) {
    span <- if (is.null(table$groups)) seq_along(table$head) else table$spans[[g]]
    part <- if (is.null(table$groups)) table else table$parts[[g]]
    lapply(part$constructs, function(name) list(construct = name, number = g, span = span, indicators = part$indicators[[name]]))
  }), recursive = FALSE)
}

# entry = K theta + k as triplets; `parameters` names the free ones by the address of their first row. `sd` (of the
# observed variables, when known) decides which loading an average leaves to the others: the one with the largest
# scale, since items in other units would otherwise make the map ill-conditioned.
apply_map <- function(table, sd = NULL) {
  size <- length(table$parameter)
  constant <- table$fixed
  constant[is.na(constant)] <- 0
  free_rows <- which(is.na(table$fixed))
  dependent <- list()
  for (scale in table$scales) {
    if (scale$kind != "average") next
    rows <- scale$loadings[is.na(table$fixed[scale$loadings])]
    if (length(rows) == 0L) next
    class <- table$class[rows]
    largest <- if (is.null(sd)) 1L else which.max(replace(sd[table$second[rows]], is.na(sd[table$second[rows]]), 0))
    target <- class[largest]
    others <- rows[class != target]
    # loadings average 1: one of them is what the others leave
    dependent[[as.character(target)]] <- list(
      rest = (length(scale$loadings) - sum(constant[scale$loadings])) / sum(class == target),
      class = unique(table$class[others]),
      weight = -tabulate(match(table$class[others], unique(table$class[others]))) / sum(class == target)
    )
  }
  class <- table$class[free_rows]
  independent <- unique(class[!class %in% as.integer(names(dependent))])
  direct <- class %in% independent
  map_entry <- free_rows[direct]
  map_parameter <- match(class[direct], independent)
  map_weight <- rep(1, length(map_entry))
  for (key in names(dependent)) {
    d <- dependent[[key]]
    rows <- free_rows[class == as.integer(key)]
    constant[rows] <- d$rest
    map_entry <- c(map_entry, rep(rows, each = length(d$class)))
    map_parameter <- c(map_parameter, rep(match(d$class, independent), length(rows)))
    map_weight <- c(map_weight, rep(d$weight, length(rows)))
  }
  table$status <- ifelse(is.na(table$fixed), "free", "fixed")
  table$status[is.na(table$fixed) & tabulate(table$class, size)[table$class] > 1L] <- "equal"
  table$status[is.na(table$fixed) & table$shared] <- "held"
  table$constant <- constant
  table$map <- list(entry = map_entry, parameter = map_parameter, weight = map_weight)
  table$leading <- match(independent, table$class)       # the first row of each
  table$parameters <- parameter_names(table, independent)
  table
}

# A parameter goes by the address of its first row; one held across all groups by the address without a group.
parameter_names <- function(table, classes) {
  out <- table$parameter[table$leading]
  if (is.null(table$groups) || !any(table$shared)) return(out)
  plain <- address_format(table$head, table$first, table$second)
  for (i in which(table$shared[table$leading])) {
    rows <- which(table$class == classes[i])
    if (setequal(table$group[rows], table$groups) && length(unique(plain[rows])) == 1L) out[i] <- plain[rows[1L]]
  }
  out
}

# K as a dense matrix, entries x parameters.
map_matrix <- function(table) {
  k <- matrix(0, length(table$parameter), length(table$parameters))
  k[cbind(table$map$entry, table$map$parameter)] <- table$map$weight
  k
}
