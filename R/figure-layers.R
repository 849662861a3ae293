# The core of a path diagram in layers from left to right (after Sugiyama, Tagawa & Toda, 1981):
# which variables belong to it, its layer, and the order within it. Pure.

# `core`: variables that are more than items; `items` and their `owner`; `layer` of each core
# variable; `arrows` among the core (row, from, to, back: against the flow); `order`: names of each
# layer from top to bottom, with lanes kept for the arrows that pass it; `chains`: by arrow, its
# variables and lanes.
core_plan <- function(table, strength = NULL) {
  items <- pure_items(table)
  core <- c(table$constructs, setdiff(table$observed, items))
  arrows <- core_arrows(table, core)
  layer <- core_layers(core, arrows)
  laned <- add_lanes(core, layer, arrows)
  owner <- item_owner(table, items, strength)
  c(list(core = core, items = items, owner = owner, host = hosts(table, core, owner),
         layer = layer, arrows = arrows), laned)
}

# For each construct, the construct that shares its place before a set of items: itself, or, for a
# construct without own items, the owner of most of its items.
hosts <- function(table, core, owner) {
  loading <- table$rows$kind == "loading"
  vapply(stats::setNames(core, core), function(one) {
    items <- table$rows$second[loading & table$rows$first == one]
    found <- owner[items[items %in% names(owner)]]
    if (one %in% owner || length(found) == 0L) return(one)
    names(which.max(table(found)))
  }, "")
}

# The construct beside which an item is drawn: the one with the strongest loading, by the
# standardized size of each row, or otherwise the first that declares it; a general factor last,
# together with any construct that has the same items as an earlier one (level and slope of a growth
# model).
item_owner <- function(table, items, strength = NULL) {
  own <- table$rows$kind %in% c("loading", "weight")
  weight <- table$rows$kind[own] == "weight"
  item <- ifelse(weight, table$rows$first[own], table$rows$second[own])
  construct <- ifelse(weight, table$rows$second[own], table$rows$first[own])
  sets <- split(item, factor(construct, unique(construct)))
  general <- construct %in% c(general_factors(sets), names(sets)[duplicated(lapply(sets, sort))])
  size <- if (is.null(strength)) numeric(length(item)) else abs(strength[own])
  size[is.na(size)] <- 0
  last <- order(general, -round(size, 3L))
  stats::setNames(construct[last][match(items, item[last])], items)
}

# Constructs whose items include all items of another one. `sets`: items by construct.
general_factors <- function(sets) {
  wider <- vapply(sets, function(own) {
    any(vapply(sets, function(x) length(x) < length(own) && all(x %in% own), NA))
  }, NA)
  names(sets)[wider]
}

core_arrows <- function(table, core) {
  rows <- which(table$rows$kind %in% arrow_kinds & table$rows$first %in% core &
                table$rows$second %in% core)
  from <- table$rows$first[rows]
  to <- table$rows$second[rows]
  list(row = rows, from = from, to = to, back = against_flow(core, from, to))
}

# Arrows that close a loop, found on a walk from the exogenous variables, depth first.
against_flow <- function(core, from, to) {
  back <- logical(length(from))
  state <- stats::setNames(integer(length(core)), core)    # 0 new, 1 on the way, 2 done
  visit <- function(name) {
    state[[name]] <<- 1L
    for (i in which(from == name)) {
      if (state[[to[i]]] == 1L) back[i] <<- TRUE
      if (state[[to[i]]] == 0L) visit(to[i])
    }
    state[[name]] <<- 2L
  }
  for (name in c(setdiff(core, to), core)) if (state[[name]] == 0L) visit(name)
  back
}

# Longest path from the left.
core_layers <- function(core, arrows) {
  layer <- stats::setNames(rep(1L, length(core)), core)
  from <- ifelse(arrows$back, arrows$to, arrows$from)
  to <- ifelse(arrows$back, arrows$from, arrows$to)
  for (pass in seq_along(core)) {
    before <- layer
    for (i in seq_along(from))
      if (from[i] != to[i]) layer[[to[i]]] <- max(layer[[to[i]]], layer[[from[i]]] + 1L)
    if (identical(before, layer)) break
  }
  layer
}

# A lane for each arrow in each layer it passes, so that nothing blocks it.
add_lanes <- function(core, layer, arrows) {
  order <- lapply(seq_len(max(layer)), function(l) core[layer == l])
  chains <- lapply(seq_along(arrows$row), function(i) {
    ends <- c(arrows$from[i], arrows$to[i])
    if (arrows$back[i]) ends <- rev(ends)
    between <- setdiff(seq(layer[[ends[1L]]], layer[[ends[2L]]]), layer[ends])
    lanes <- if (length(between)) paste0("\r", i, ":", between)
    for (k in seq_along(between))
      order[[between[k]]] <<- c(order[[between[k]]], lanes[k])
    c(ends[1L], lanes, ends[2L])
  })
  list(order = untangle(order, chains), chains = chains)
}

is_lane <- function(name) startsWith(name, "\r")

# Links between neighbouring layers.
chain_links <- function(chains) {
  links <- do.call(rbind, lapply(chains, function(chain) {
    cbind(chain[-length(chain)], chain[-1L])
  }))
  links %||% matrix("", 0L, 2L)
}

# Sweeps that order each layer by the mean place of its neighbours, then exchanges of neighbours;
# the order with the fewest crossings is kept, the declared one among equals.
untangle <- function(order, chains) {
  links <- chain_links(chains)
  best <- order
  fewest <- count_crossings(order, links)
  for (sweep in seq_len(8L)) {
    if (fewest == 0L || length(order) < 2L) break
    forward <- sweep %% 2L == 1L
    for (l in if (forward) seq_along(order)[-1L] else rev(seq_along(order))[-1L])
      order[[l]] <- by_neighbours(order[[l]], order[[if (forward) l - 1L else l + 1L]], links)
    order <- exchanged(order, links)
    now <- count_crossings(order, links)
    if (now < fewest) {
      best <- order
      fewest <- now
    }
  }
  best
}

by_neighbours <- function(names, beside, links) {
  place <- stats::setNames(seq_along(beside), beside)
  score <- vapply(seq_along(names), function(k) {
    linked <- c(links[links[, 1L] == names[k], 2L], links[links[, 2L] == names[k], 1L])
    found <- place[intersect(linked, beside)]
    if (length(found)) mean(found) else k
  }, 0)
  names[order(score)]
}

exchanged <- function(order, links) {
  for (pass in 1:3) {
    improved <- FALSE
    for (l in seq_along(order)) for (k in seq_along(order[[l]])[-1L]) {
      other <- order
      other[[l]][c(k - 1L, k)] <- order[[l]][c(k, k - 1L)]
      near <- intersect(c(l - 1L, l, l + 1L), seq_along(order))
      if (count_crossings(other[near], links) < count_crossings(order[near], links)) {
        order <- other
        improved <- TRUE
      }
    }
    if (!improved) break
  }
  order
}

# Pairs of links between neighbouring layers that cross.
count_crossings <- function(order, links) {
  total <- 0L
  for (l in seq_along(order)[-1L]) {
    a <- match(links[, 1L], order[[l - 1L]])
    b <- match(links[, 2L], order[[l]])
    known <- !is.na(a) & !is.na(b)
    if (sum(known) < 2L) next
    total <- total + sum(outer(a[known], a[known], `<`) & outer(b[known], b[known], `>`))
  }
  total
}
