# The scale of each construct, and the linear map from free parameters to entries.

# Adds `scales` (how each construct gets its unit) and fixes markers or variances in the table.
apply_scales <- function(table, bp) {
  table$scales <- list()
  for (name in table$constructs) {
    rows <- table$indicators[[name]]
    variance <- which(table$head == "variance" & table$first == name)
    composite <- name %in% table$composites
    setting <- bp$constructs[[name]]$scale %||% if (composite) "marker" else bp$scale
    marker_item <- if (!setting %in% scale_settings) setting
    # values given in construct() set the scale; a value in restrict() is a restriction beside it, unless nothing is left
    given <- is.null(bp$constructs[[name]]$scale) && any(bp$constructs[[name]]$fixed != 0)
    own <- given || !anyNA(table$fixed[rows]) || (setting == "unit" && (!is.na(table$fixed[variance]) || table$relaxed[variance]))
    involved <- which(table$first == name | table$second %in% name)
    alone <- is.na(table$fixed) & tabulate(table$class, length(table$class))[table$class] == 1L
    closed <- !own && !composite && length(bp$constructs[[name]]$fixed) == 0L &&
      !any(table$touched[involved] & !alone[involved]) && !any(table$constrained[involved])
    kind <- if (is.null(marker_item)) setting else "marker"
    marker <- 0L
    if (own) {
      kind <- "given"
    } else if (kind == "marker") {
      free <- rows[is.na(table$fixed[rows]) & !table$relaxed[rows]]
      item <- if (composite) table$first[rows] else table$second[rows]
      marker <- if (is.null(marker_item)) free[1L] else rows[item == marker_item]
      same <- table$class == table$class[marker]
      if (length(marker) == 0L || is.na(marker) || !is.na(table$fixed[marker])) {
        abort("restriction", c(paste0("Construct ", quoted(name), " has no ", if (composite) "weight" else "loading", " left to carry its scale."),
                               i = "Fix one loading at 1, or use scale = \"unit\"."))
      }
      table$fixed[same] <- 1
    } else if (kind == "unit") {
      table$fixed[table$class == table$class[variance]] <- 1
    }
    table$scales[[name]] <- list(construct = name, kind = kind, composite = composite, loadings = rows, variance = variance, marker = marker,
                                 closed = closed)
  }
  table
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
  table$constant <- constant
  table$map <- list(entry = map_entry, parameter = map_parameter, weight = map_weight)
  table$parameters <- table$parameter[match(independent, table$class)]
  table
}

# K as a dense matrix, entries x parameters.
map_matrix <- function(table) {
  k <- matrix(0, length(table$parameter), length(table$parameters))
  k[cbind(table$map$entry, table$map$parameter)] <- table$map$weight
  k
}
