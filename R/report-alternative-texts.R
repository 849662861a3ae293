# Alternative texts of figures: what is seen, for readers who do not see it.

# Constructs with their items, then effects and covariances with their standardized values. Of many
# lines only the largest are named.
diagram_alt <- function(fit) {
  view <- group_views(fit)[[1L]]
  rows <- view$layout$rows
  value <- standardized_of(fit)$value[fit$layout$spans[[view$number]]]
  measured <- vapply(intersect(view$layout$constructs, rows$first[rows$kind == "loading"]),
                     function(name) {
    text_of("alt_construct", construct = name,
            items = enumerate(rows$second[rows$kind == "loading" & rows$first == name], most = 12L))
  }, "")
  named <- function(kinds, apart) {
    at <- which(rows$kind %in% kinds & !is.na(value) & rows$first != rows$second)
    if (length(at) == 0L) return("")
    at <- at[order(-abs(value[at]))]
    enumerate(paste0(rows$first[at], apart, rows$second[at], " ", format_share(value[at])),
              most = 10L)
  }
  effects <- named("effect", text_of("alt_to"))
  covariances <- named("covariance", text_of("alt_with"))
  paste0(c(
    measured, if (nzchar(effects)) text_of("alt_effects", effects = effects),
    if (nzchar(covariances)) text_of("alt_covariances", covariances = covariances)),
    collapse = " ")
}

quality_alt <- function(x) {
  table <- x$table
  group <- if (is.null(table$group) || all(is.na(table$group))) "" else paste0(", ", table$group)
  paste0(paste0(table$construct, group, ": omega ", format_share(table$omega), ", AVE ",
                format_share(table$ave), collapse = "; "), ".")
}

residuals_alt <- function(largest) {
  text_of("alt_residuals", largest = paste(utils::head(largest$meaning, 5L), collapse = "; "))
}

ladder_alt <- function(ladder) {
  table <- ladder$table
  text_of("alt_rungs", rungs = paste0(table$rung, ": CFI ", format_share(table$cfi, 3L), ", RMSEA ",
                                      format_share(table$rmsea, 3L), collapse = "; "))
}

groups_alt <- function(fit) text_of("alt_groups", groups = enumerate(fit$layout$groups, most = 8L))

trail_alt <- function(x) {
  last <- nrow(x)
  text_of("alt_trail", count = last - 1L, from = format_share(x$cfi[1L], 3L),
          to = format_share(x$cfi[last], 3L), rmsea_from = format_share(x$rmsea[1L], 3L),
          rmsea_to = format_share(x$rmsea[last], 3L))
}

replicates_alt <- function(table, reps) {
  shown <- table[!table$se %in% 0, ]
  text_of("alt_replicates", reps = format_count(reps),
          values = enumerate(utils::head(shown$parameter, 6L), most = 6L))
}

split_alt <- function(x) {
  text_of("alt_split", items = enumerate(x$items$item, most = 20L))
}
