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
    text_of("means_are_0_intercepts", parts = enumerate(parts),
            items = paste(address_name(items), collapse = ", "), relax = relax)
  } else {
    text_of("means_are_0_growth", parts = enumerate(parts), relax = relax)
  }
}

# Weights of items that overlap cannot be told apart well: variance inflation among the items of a
# composite.
overlap_note <- function(name, layout, covariance) {
  items <- intersect(layout$rows$first[layout$indicators[[name]]], colnames(covariance))
  if (length(items) < 2L) return(NULL)
  inflation <- variance_inflation(covariance[items, items])
  if (max(inflation) < 5) return(NULL)
  text_of("items_composite_overlap_variance", name = name,
          inflation = enumerate(paste0(items, " ", format_fixed(inflation, 1L))[inflation >= 5]))
}
