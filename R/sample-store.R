# The data behind fits are stored once: in a locked environment that holds nothing else.

# Environments that are still in use, so that separate fits of the same columns share one.
known_stores <- new.env(parent = emptyenv())
known_stores$references <- list()

# The columns of a data frame that a fit needs; an environment that already holds them serves again.
keep_data <- function(data, columns) {
  columns <- unique(columns)
  stores <- Filter(Negate(is.null), lapply(known_stores$references, rlang::wref_key))
  for (store in stores) {
    if (!identical(dim(store$frame), NULL) && nrow(store$frame) == nrow(data) &&
        all(columns %in% names(store$frame)) &&
        all(vapply(columns, function(n) identical(store$frame[[n]], data[[n]]), NA))) return(store)
  }
  store <- new.env(parent = emptyenv())
  frame <- lapply(stats::setNames(columns, columns), function(name) data[[name]])
  store$frame <- structure(frame, class = "data.frame", row.names = .set_row_names(nrow(data)))
  lockEnvironment(store, bindings = TRUE)
  alive <- Filter(function(r) !is.null(rlang::wref_key(r)), known_stores$references)
  known_stores$references <- c(utils::tail(alive, 19L), list(rlang::new_weakref(store)))
  store
}
