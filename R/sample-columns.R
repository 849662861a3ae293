# What a column holds: codes declared missing, labels, types.

# Columns of labelled statistics files carry their own missing codes (`na_values`, `na_range`)
# beside the labels.
plain_column <- function(x) {
  if (!inherits(x, "haven_labelled")) return(x)
  values <- attr(x, "na_values", exact = TRUE)
  range <- attr(x, "na_range", exact = TRUE)
  plain <- as.vector(unclass(x))
  if (length(values)) plain[plain %in% values] <- NA
  if (length(range) == 2L) plain[!is.na(plain) & plain >= range[1L] & plain <= range[2L]] <- NA
  attributes(plain) <- NULL
  plain
}

column_labels <- function(data, variables) {
  labels <- lapply(variables, function(name) attr(data[[name]], "label", exact = TRUE))
  found <- vapply(labels, function(l) is.character(l) && length(l) == 1L, NA)
  stats::setNames(as.character(unlist(labels[found])), variables[found])
}

column_type <- function(x) {
  x <- plain_column(x)
  if (is.factor(x)) return("factor")
  if (is.logical(x)) return(if (all(is.na(x))) "empty" else "logical")
  if (is.character(x)) return("text")
  if (inherits(x, c("Date", "POSIXt"))) return("date")
  if (!is.numeric(x)) return(class(x)[1L])
  values <- unique(x[!is.na(x)])
  if (length(values) == 0L) return("empty")
  if (length(values) == 2L) return("two values")
  whole <- all(values == round(values))
  if (whole && length(values) <= 11L) "few values" else if (whole) "whole numbers" else "numbers"
}
