# Data frames without the cost of data.frame().

# A data frame without the cost of data.frame().
list_frame <- function(columns) {
  structure(columns, class = "data.frame", row.names = .set_row_names(length(columns[[1L]])))
}

list_frame_class <- function(columns, class) {
  structure(list_frame(columns), class = c(class, "data.frame"))
}

as_tibble_if_possible <- function(x) {
  if (requireNamespace("tibble", quietly = TRUE))
  tibble::as_tibble(x) else x
}

json_rows <- function(x) {
  attributes(x)[setdiff(names(attributes(x)), c("names", "row.names"))] <- NULL
  class(x) <- "data.frame"
  x
}
