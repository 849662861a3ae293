# The scale of each construct, and the linear map from free parameters to entries.

# Adds `scales` (how each construct is scaled) and fixes markers or variances in the layout.
apply_scales <- function(layout, bp) {
  layout$scales <- list()
  layout$rows$marked <- rep(FALSE, length(layout$rows$kind))
  for (place in scale_places(layout)) {
    scale <- scale_of(place, layout, bp)
    if (scale$kind == "marker") {
      same <- layout$rows$class == layout$rows$class[scale$marker]
      layout$rows$fixed[same] <- 1
      layout$rows$marked[same] <- TRUE
    } else if (scale$kind == "unit") {
      layout$rows$fixed[layout$rows$class == layout$rows$class[scale$variance]] <- 1
    }
    layout$scales <- c(layout$scales, stats::setNames(list(scale), place$construct))
  }
  layout
}

# Every construct of every group, with its rows.
scale_places <- function(layout) {
  unlist(lapply(seq_along(layout$groups), function(g) {
    part <- layout$parts[[g]]
    lapply(part$constructs, function(name) {
      list(construct = name, number = g, span = layout$spans[[g]],
           indicators = part$indicators[[name]])
    })
  }), recursive = FALSE)
}

# How one construct is scaled: by a marker, its variance, the average of its loadings, given values,
# or ("carried") from the first group through loadings held equal. `closed`: does rescaling the
# construct leave the model unchanged?
scale_of <- function(place, layout, bp) {
  rows <- layout$rows
  name <- place$construct
  loadings <- place$indicators
  variance <- place$span[rows$kind[place$span] == "variance" & rows$first[place$span] == name]
  composite <- name %in% layout$composites
  own <- bp$constructs[[name]]
  setting <- own$scale %||% if (composite) "marker" else bp$scale
  kind <- if (setting %in% scale_settings) setting else "marker"
  # a loading fixed at a number other than zero sets the scale, in construct() as in restrict()
  stated <- !is.na(rows$fixed[loadings]) & rows$fixed[loadings] != 0 & !rows$marked[loadings]
  values <- is.null(own$scale) && any(stated)
  all_fixed <- !anyNA(rows$fixed[loadings]) && !any(rows$marked[loadings])
  settled <- setting == "unit" && (!is.na(rows$fixed[variance]) || rows$relaxed[variance])
  given <- values || all_fixed || settled
  out <- list(construct = name, group = place$number, kind = kind, composite = composite,
              loadings = loadings, variance = variance, marker = 0L,
              closed = !composite && may_be_rescaled(name, place$span, rows))
  if (given) {
    out$kind <- "given"
    # one value beside zeros is a marker in another form
    known <- loadings[!is.na(rows$fixed[loadings]) & rows$fixed[loadings] != 0]
    alone <- length(known) == 1L && !settled
    out$closed <- out$closed && alone
    if (alone) out$marker <- known
  } else if (kind == "marker" && carries_over(loadings, rows, place$number) &&
             setting == "marker" && !any(rows$marked[loadings])) {
    # the marker is not among the loadings that are held
    out$kind <- "carried"
  } else if (kind == "marker") {
    out$marker <- marker_of(name, loadings, composite, if (setting != "marker") setting, rows)
  } else if (kind %in% c("unit", "average") && carries_over(loadings, rows, place$number)) {
    # held loadings carry the unit over from the first place
    out$kind <- "carried"
  }
  out
}

# Are loadings held equal to those of the first group, or of an earlier time?
carries_over <- function(loadings, rows, number) {
  if (number > 1L && any(rows$over_groups[loadings])) return(TRUE)
  later <- loadings[rows$over_times[loadings]]
  length(later) > 0L && any(rows$time[later] > first_times(rows, later))
}

# The first time at which the held items of these rows were administered.
first_times <- function(rows, at) {
  vapply(at, function(k) {
    if (!rows$over_times[k]) return(Inf)
    own <- rows$over_times & rows$class == rows$class[k] & rows$group == rows$group[k]
    min(rows$time[own])
  }, 0)
}

# Parameters that are held equal are rescaled together.
may_be_rescaled <- function(name, span, rows) {
  involved <- span[rows$first[span] == name | rows$second[span] %in% name]
  alone <- is.na(rows$fixed) & !rows$within[rows$class]
  !any(rows$touched[involved] & !alone[involved]) && !any(rows$constrained[involved]) &&
    !any(rows$shared[involved])
}

marker_of <- function(name, loadings, composite, item, rows) {
  held <- loadings[rows$marked[loadings]]
  free <- if (length(held)) held else
    loadings[is.na(rows$fixed[loadings]) & !rows$relaxed[loadings]]
  items <- if (composite) rows$first[loadings] else rows$second[loadings]
  marker <- if (is.null(item)) free[1L] else loadings[items == item]
  usable <- length(marker) == 1L && !is.na(marker) &&
    (is.na(rows$fixed[marker]) || rows$marked[marker])
  if (usable) return(marker)
  abort("restriction", c(text_of("construct_has_no_left", name = quoted(name),
                                 composite = if (composite) "weight" else "loading"),
                         i = text_of("fix_a_loading_or_unit")))
}

# entry = K theta + k as triplets; `parameters` names the free ones by the address of their first
# row. `sd` (of the observed variables, when known) decides which loading is determined by the
# average: the one with the largest scale, since items in other units would otherwise make the map
# ill-conditioned.
apply_map <- function(layout, sd = NULL) {
  size <- length(layout$rows$kind)
  constant <- layout$rows$fixed
  constant[is.na(constant)] <- 0
  free_rows <- which(is.na(layout$rows$fixed))
  dependent <- list()
  for (scale in layout$scales) {
    if (scale$kind != "average") next
    rows <- scale$loadings[is.na(layout$rows$fixed[scale$loadings])]
    if (length(rows) == 0L) next
    class <- layout$rows$class[rows]
    largest <- if (is.null(sd)) 1L else
      which.max(replace(sd[layout$rows$second[rows]], is.na(sd[layout$rows$second[rows]]), 0))
    target <- class[largest]
    others <- rows[class != target]
    # loadings average 1: one of them is determined by the others
    own <- layout$rows$class[others]
    dependent[[as.character(target)]] <- list(
      rest = (length(scale$loadings) - sum(constant[scale$loadings])) / sum(class == target),
      class = unique(own), weight = -tabulate(match(own, unique(own)), length(unique(own))) /
      sum(class == target)
    )
  }
  class <- layout$rows$class[free_rows]
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
  layout$rows$status <- ifelse(is.na(layout$rows$fixed), "free", "fixed")
  layout$rows$status[is.na(layout$rows$fixed) &
                     tabulate(layout$rows$class, size)[layout$rows$class] > 1L] <- "equal"
  layout$rows$status[is.na(layout$rows$fixed) & layout$rows$shared] <- "held"
  layout$rows$constant <- constant
  layout$map <- list(entry = map_entry, parameter = map_parameter, weight = map_weight)
  layout$leading <- match(independent, layout$rows$class)       # the first row of each
  layout$parameters <- parameter_names(layout, independent)
  layout
}

# A parameter is named by the address of its first row; one held across all groups by the address
# without a group (that of the first time).
parameter_names <- function(layout, classes) {
  out <- layout$rows$parameter[layout$leading]
  shared <- which(layout$rows$shared[layout$leading])
  if (length(shared) == 0L) return(out)
  plain <- addresses_without_group(layout$rows)
  for (i in shared) {
    rows <- which(layout$rows$class == classes[i])
    key <- ifelse(layout$rows$over_times[rows], layout$rows$over[rows], plain[rows])
    if (setequal(layout$rows$group[rows], layout$groups) && length(unique(key)) == 1L)
      out[i] <- plain[rows[1L]]
  }
  out
}

# K as a dense matrix, entries x parameters.
map_matrix <- function(layout) {
  k <- matrix(0, length(layout$rows$parameter), length(layout$parameters))
  k[cbind(layout$map$entry, layout$map$parameter)] <- layout$map$weight
  k
}

# Addresses with the group when there are several.
shown_address <- function(layout, kind, first, second = NA_character_, group) {
  address_format(kind, first, second, shown_group(layout, group))
}

reflective_items <- function(layout) {
  intersect(layout$observed, layout$rows$second[layout$rows$kind == "loading"])
}
