# What a user would want to be told about a model, though nothing is wrong with it: sentences.

layout_notes <- function(table, covariance) {
  c(table$notes, growth_note(table), unlist(lapply(table$composites, overlap_note, table = table, covariance = covariance)))
}

# Loadings fixed at different numbers for two constructs on the same items are a growth curve, and a growth curve has means.
growth_note <- function(table) {
  if (!table$means) return(NULL)
  given <- Filter(function(rows) length(rows) > 1L && !anyNA(table$fixed[rows]), table$indicators)
  curve <- Filter(function(rows) length(unique(table$fixed[rows])) > 1L, given)
  if (length(curve) == 0L) return(NULL)
  items <- unique(table$second[unlist(curve)])
  parts <- names(Filter(function(rows) any(table$second[rows] %in% items), given))
  if (length(parts) < 2L) return(NULL)
  means <- table$head == "mean" & table$first %in% parts
  intercepts <- table$head == "intercept" & table$first %in% items
  no_means <- all(!is.na(table$fixed[means]) & table$fixed[means] == 0)
  free_intercepts <- all(is.na(table$fixed[intercepts]))
  if (!no_means) return(NULL)
  relax <- paste0("relax(", paste(address_format("mean", parts), collapse = ", "), ")")
  if (free_intercepts) {
    paste0("The means of ", enumerate(parts), " are 0 and the intercepts of their items free, so that the curve of the means is not modelled. ",
           "For a growth model: restrict(intercept[c(", paste(address_name(items), collapse = ", "), ")] == 0) and ", relax, ".")
  } else {
    paste0("The means of ", enumerate(parts), " are 0. For a growth model: ", relax, ".")
  }
}

# Weights of items that overlap cannot be told apart well: variance inflation among the items of a composite.
overlap_note <- function(name, table, covariance) {
  items <- intersect(table$first[table$indicators[[name]]], colnames(covariance))
  if (length(items) < 2L) return(NULL)
  inflation <- diag(solve(stats::cov2cor(covariance[items, items])))
  if (max(inflation) < 5) return(NULL)
  paste0("Items of the composite ", name, " overlap: ", enumerate(paste0(items, " ", format_fixed(inflation, 1L))[inflation >= 5]),
         " (variance inflation, 5 and more). Their weights are uncertain; leave one out or make them equal.")
}
