# Can the parameters be told apart at all? By counting, then by local rank.

check_counts <- function(layout) {
  counts <- layout_counts(layout)
  if (counts$df >= 0L) return(invisible())
  abort("identification", c("The model cannot be identified: it has more free parameters than moments.",
                            x = paste0(counts$moments, " moments, ", counts$parameters, " free parameters: ",
                                       enumerate(format_families(counts)), "."),
                            count_advice(layout), composite_advice(layout)))
}

# Constructs with fewer than three items, and what is free beside simple structure.
count_advice <- function(layout) {
  few <- Filter(function(s) length(s$loadings) < 3L && !s$composite, layout$scales)
  c(if (length(few)) c(i = paste0(enumerate(vapply(few, `[[`, "", "construct")),
                                  " has fewer than three items: add items, fix a residual variance, or make loadings equal.")),
    i = paste0("Fix or equate at least ", -layout_counts(layout)$df, " with restrict(), or drop paths or covariances."))
}

# Null vectors of the information name the parameters that trade off against each other.
refuse_unidentified <- function(layout, moments) {
  rank <- core_local_rank(layout$core, list(moments))
  names <- layout$parameters[layout$core$used]
  involved <- trading_parameters(rank$null_vectors, names)
  lacking <- rank$parameters - rank$rank
  abort("identification", c(
    paste0("The model is not identified: ", count_of(lacking, "parameter"), " too many for what the covariances can tell."),
    x = if (length(involved)) paste0("These trade off against each other without changing the fit: ", enumerate(involved, most = 10L), "."),
    i = paste0("Fix or equate ", if (lacking == 1L) "one" else paste("at least", lacking), " of them with restrict(), or take ",
               if (lacking == 1L) "it" else "them", " out of the model."),
    small_construct_advice(layout), composite_advice(layout)
  ), involved = involved)
}

trading_parameters <- function(vectors, names) {
  if (length(vectors) == 0L) return(character())
  weight <- sqrt(rowSums(vectors^2))
  names[weight > 0.05][order(-weight[weight > 0.05])]
}

small_construct_advice <- function(layout) {
  lines <- character()
  for (scale in layout$scales) {
    items <- length(scale$loadings)
    if (items == 1L && !scale$composite) {
      lines <- c(lines, i = paste0(scale$construct, " has one item: fix its residual variance, such as restrict(",
                                   address_format("variance", layout$second[scale$loadings]), " == 0)."))
    } else if (items == 2L && !scale$composite) {
      lines <- c(lines, i = paste0(scale$construct, " has two items: it needs a covariance or an effect with something else, or equal loadings."))
    }
  }
  lines
}

composite_advice <- function(layout) {
  dead_end <- Filter(function(name) !name %in% layout$first[layout$head == "effect"], layout$composites)
  if (length(dead_end) == 0L) return(NULL)
  c(i = paste0(enumerate(dead_end), if (length(dead_end) == 1L) " is a composite" else " are composites",
               " without an outgoing path: weights can be told apart only through effects on something else."))
}
