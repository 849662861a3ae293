# Which variables play which part in a model.

# Observed variables that are nothing but items.
pure_items <- function(table) {
  measured <- c(table$second[table$head == "loading"], table$first[table$head == "weight"])
  in_effects <- c(table$first[table$head == "effect"], table$second[table$head == "effect"])
  setdiff(intersect(table$observed, measured), in_effects)
}

reachable <- function(layout, size) {
  step <- matrix(FALSE, size, size)
  arrows <- which(layout$head %in% arrow_heads)
  step[cbind(layout$row[arrows], layout$col[arrows])] <- TRUE
  reach <- step
  repeat {
    wider <- reach | (reach %*% step > 0)
    if (identical(wider, reach)) return(reach)
    reach <- wider
  }
}

# Is there a directed way from each `from` to each `to`?
reaches <- function(table, from, to) {
  all <- c(table$observed, table$constructs)
  reachable(table, length(all))[cbind(match(to, all), match(from, all))]
}

construct_items <- function(layout, name) {
  rows <- layout$indicators[[name]]
  items <- if (name %in% layout$composites) layout$first[rows] else layout$second[rows]
  intersect(items, layout$observed)
}

reflective_items <- function(table) intersect(table$observed, table$second[table$head == "loading"])
