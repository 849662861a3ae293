# What a column holds: codes declared missing, labels, types.

# Columns of labelled statistics files carry their own missing codes (`na_values`, `na_range`)
# beside the labels.
plain_column <- function(x) {
  if (inherits(x, "integer64")) return(as.double(x))
  if (is.character(x)) return(as_utf8(x))
  if (is.factor(x)) {
    levels(x) <- as_utf8(levels(x))
    return(x)
  }
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

# A column that an argument names must be there.
check_named_column <- function(name, data, purpose, argument) {
  if (name %in% names(data)) return(check_no_lists(data, name))
  abort("name", c(text_of("there_is_no_column", name = quoted(name), purpose = purpose),
                  did_you_mean(name, names(data)), i = if (isTRUE(attr(name, "hint")))
                    text_of("text_variable_name_exists_all", argument = argument, name = name),
                  i = paste0("Columns: ", enumerate(names(data), most = 20L), ".")))
}

# Columns that are no plain columns, names given twice, and moments taken for raw data.
check_columns <- function(data, variables = character()) {
  if (ncol(data) == 0L) abort("data", c(text_of("data_have_no_columns"),
                                        i = text_of("look_how_they_were")))
  if (nrow(data) == 0L) abort("data", c(text_of("data_have_no_rows"),
                                          i = text_of("look_how_they_were_read")))
  twice <- unique(names(data)[duplicated(names(data))])
  if (length(twice)) {
    abort("data", c(text_of("two_columns_data_are", twice = quoted(twice[1L])),
                    i = text_of("rename_one_them")))
  }
  odd <- vapply(data, function(x) is.data.frame(x) || length(dim(x)) > 1L, NA)
  if (any(odd)) {
    abort("data", c(text_of("column_is_table_own", odd = quoted(names(data)[odd][1L])),
                    i = text_of("make_columns_columns_data")))
  }
  # their bits are read as other numbers where the package that knows them is missing
  wide <- vapply(data, inherits, NA, "integer64")
  if (any(wide) && !isNamespaceLoaded("bit64")) {
    abort("data", c(text_of("column_holds_64_bit", wide = quoted(names(data)[wide][1L])),
                    i = text_of("load_bit64_or_make")))
  }
  check_raw(data, variables)
}

# List columns, whose cells may contain several values, are refused.
check_no_lists <- function(data, names) {
  nested <- names[vapply(names, function(name) is.list(data[[name]]), NA)]
  if (length(nested) == 0L) return(invisible())
  abort("data", c(text_of("column_is_list_cells", nested = quoted(nested[1L])),
                  i = text_of("unnest_into_columns_single")))
}

# A covariance or correlation matrix given as if its rows were people.
check_raw <- function(data, variables = character()) {
  if (!looks_like_moments(data, variables)) return(invisible())
  abort("data", c(text_of("data_are_covariance_or"),
                  x = text_of("their_rows_are_same"),
                  i = text_of("give_summary_data_fit"),
                  i = text_of("file_first_column_row")))
}

looks_like_moments <- function(data, variables = character()) {
  label <- NULL
  if (is.character(data[[1L]]) || is.factor(data[[1L]])) {
    label <- as.character(data[[1L]])
    data <- data[-1L]
  } else if (is.character(attr(data, "row.names"))) {
    label <- row.names(data)
  }
  # more rows than columns, and none of them named: no matrix of moments
  if (is.null(label) && nrow(data) > length(data)) return(FALSE)
  numeric <- vapply(data, is.numeric, NA)
  data <- data[numeric]
  symmetric <- function(m) {
    if (nrow(m) < 2L || nrow(m) != ncol(m) || anyNA(diag(m))) return(FALSE)
    below <- m[lower.tri(m)]
    above <- t(m)[lower.tri(m)]
    if (all(is.na(above)) || all(is.na(below))) return(!anyNA(above) || !anyNA(below))
    !anyNA(m) && max(abs(above - below)) <= 1e-6 * max(abs(m)) && any(below != 0)
  }
  if (symmetric(as.matrix(data))) return(TRUE)
  # of more variables than the model's
  if (length(variables) == 0L) variables <- names(data)
  named <- length(variables) > 1L && all(variables %in% label) && all(variables %in% names(data))
  named && symmetric(as.matrix(data[match(variables, label), variables]))
}
