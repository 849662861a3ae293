# What a user would want to be told about a model, though nothing is wrong with it: sentences.

layout_notes <- function(layout, covariance) {
  c(layout$notes, growth_note(layout),
    unlist(lapply(layout$composites, overlap_note, layout = layout, covariance = covariance)))
}

# Loadings fixed at different numbers for two constructs on the same items are a growth curve, and a
# growth curve has means.
growth_note <- function(layout) {
  if (!layout$means) return(NULL)
  given <- Filter(function(rows) length(rows) > 1L && !anyNA(layout$rows$fixed[rows]),
                  layout$indicators)
  curve <- Filter(function(rows) length(unique(layout$rows$fixed[rows])) > 1L, given)
  if (length(curve) == 0L) return(NULL)
  items <- unique(layout$rows$second[unlist(curve)])
  parts <- names(Filter(function(rows) any(layout$rows$second[rows] %in% items), given))
  if (length(parts) < 2L) return(NULL)
  means <- layout$rows$kind == "mean" & layout$rows$first %in% parts
  intercepts <- layout$rows$kind == "intercept" & layout$rows$first %in% items
  no_means <- all(!is.na(layout$rows$fixed[means]) & layout$rows$fixed[means] == 0)
  free_intercepts <- all(is.na(layout$rows$fixed[intercepts]))
  if (!no_means) return(NULL)
  relax <- paste0("relax(", paste(address_format("mean", parts), collapse = ", "), ")")
  if (free_intercepts) {
    paste0("The means of ", enumerate(parts),
           " are 0 and the intercepts of their items free, so that the curve of the ",
           "means is not modelled. ",
           "For a growth model: restrict(intercept[c(", paste(address_name(items), collapse = ", "),
           ")] == 0) and ", relax, ".")
  } else {
    paste0("The means of ", enumerate(parts), " are 0. For a growth model: ", relax, ".")
  }
}

# Weights of items that overlap cannot be told apart well: variance inflation among the items of a
# composite.
overlap_note <- function(name, layout, covariance) {
  items <- intersect(layout$rows$first[layout$indicators[[name]]], colnames(covariance))
  if (length(items) < 2L) return(NULL)
  inflation <- variance_inflation(covariance[items, items])
  if (max(inflation) < 5) return(NULL)
  paste0("Items of the composite ", name, " overlap: ",
         enumerate(paste0(items, " ", format_fixed(inflation, 1L))[inflation >= 5]),
         " (variance inflation, 5 and more). Their weights are uncertain; leave one out ",
         "or make them equal.")
}
