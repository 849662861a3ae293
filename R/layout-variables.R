# Which variables play which part in a model.

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

reflective_items <- function(layout) {
  intersect(layout$observed, layout$rows$second[layout$rows$kind == "loading"])
}
