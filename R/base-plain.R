# Converts R values to plain data and back. Studies and long jobs keep their results in this form:
# texts, numbers as text, and the names of a few known classes. Reading a file neither evaluates nor
# unserializes anything. Every value is restored identically, including all kinds of missing values.

# The classes that a restored value may have.
plain_classes <- c("data.frame", "factor", "ordered", "orizzonte_criteria", "orizzonte_bootstrap",
                   "orizzonte_bootstrap_test", "orizzonte_cutoffs", "orizzonte_plan",
                   "orizzonte_robustness")
plain_types <- c("null", "logical", "integer", "double", "character", "list")
deepest_plain <- 40L

to_plain <- function(x) UseMethod("to_plain")

to_plain.default <- function(x) plain_node(x)

# A node describes a value by its type, its elements (texts, or nodes of a list) and its attributes.
plain_node <- function(x, depth = 0L) {
  if (depth > deepest_plain || is.function(x) || is.environment(x) || is.language(x) || isS4(x) ||
      !typeof(x) %in% c("NULL", plain_types))
    abort("plain",
          c(text_of("value_cannot_be_kept"), x = text_of("it_is_of_kind", value = describe(x))))
  if (is.null(x)) return(list(type = "null"))
  known <- attributes(x)
  refused <- setdiff(known$class, plain_classes)
  if (length(refused))
    abort("plain", text_of("value_class_cannot_be", refused = refused[1L]))
  out <- list(type = typeof(x), values = plain_values(x, depth))
  if (length(known))
    out$attributes <- unname(Map(function(name, value) {
      list(name = name, value = plain_node(value, depth + 1L))
    }, names(known), known))
  out
}

plain_values <- function(x, depth) {
  attributes(x) <- NULL
  switch(typeof(x),
         list = lapply(x, plain_node, depth + 1L),
         character = enc2utf8(x),
         double = number_texts(x),
         as.character(x))
}

# Seventeen digits identify every number. Where R does not read them back exactly, the number is
# written in hexadecimal.
number_texts <- function(x) {
  out <- sprintf("%.17g", x)
  out[is.na(x)] <- ifelse(is.nan(x[is.na(x)]), "NaN", "NA")
  out[is.infinite(x)] <- ifelse(x[is.infinite(x)] > 0, "Inf", "-Inf")
  inexact <- which(is.finite(x))
  inexact <- inexact[as.numeric(out[inexact]) != x[inexact]]
  out[inexact] <- sprintf("%a", x[inexact])
  out
}

number_form <- paste0("^(NA|NaN|-?Inf|-?[0-9]+([.][0-9]+)?(e[-+]?[0-9]+)?|",
                      "-?0x[01]([.][0-9a-f]+)?p[-+]?[0-9]+)$")

# Restores the value of a node. Anything unexpected is an error of class `plain`.
from_plain <- function(node, depth = 0L) {
  if (depth > deepest_plain || !is.list(node) || !isTRUE(node$type %in% plain_types))
    refuse_plain(text_of("part_is_no_known"))
  if (node$type == "null") return(NULL)
  values <- node$values
  if (!is.list(values)) refuse_plain(text_of("a_part_has_no_values"))
  x <- if (node$type == "list") lapply(values, from_plain, depth + 1L) else
    plain_vector(node$type, values)
  for (one in node$attributes) x <- with_plain_attribute(x, one, depth)
  x
}

plain_vector <- function(type, values) {
  missing <- vapply(values, is.null, NA)
  usable <- vapply(values[!missing], function(v) is.character(v) && length(v) == 1L, NA)
  if (!all(usable)) refuse_plain(text_of("value_is_not_text"))
  text <- rep(NA_character_, length(values))
  text[!missing] <- as.character(unlist(values[!missing]))
  if (type == "character") return(text)
  if (type == "logical") {
    if (!all(text %in% c("TRUE", "FALSE", NA))) refuse_plain(text_of("a_value_is_neither_true"))
    return(as.logical(text))
  }
  if (type == "integer") {
    if (!all(is.na(text) | grepl("^-?[0-9]{1,10}$",
                                 text))) refuse_plain(text_of("value_is_not_number"))
    out <- suppressWarnings(as.integer(text))
    if (!identical(is.na(out), is.na(text))) refuse_plain(text_of("whole_number_is_too"))
    return(out)
  }
  if (!all(grepl(number_form, text))) refuse_plain(text_of("value_is_not_number"))
  out <- rep(NA_real_, length(text))
  out[text != "NA"] <- as.numeric(text[text != "NA"])
  out
}

with_plain_attribute <- function(x, one, depth) {
  if (!is.list(one) || !is.character(one$name) || length(one$name) != 1L)
    refuse_plain(text_of("attribute_has_no_name"))
  value <- from_plain(one$value, depth + 1L)
  if (one$name == "class" && !all(value %in% plain_classes))
    refuse_plain(text_of("value_is_no_known"))
  if (one$name == "class" && "factor" %in% value && !all(x %in% c(seq_along(levels(x)), NA)))
    refuse_plain(text_of("factor_has_no_level"))
  if (one$name == "row.names" && length(x) && !all(lengths(x) == length(value)))
    refuse_plain(text_of("columns_table_differ_length"))
  tryCatch(`attr<-`(x, one$name, value), error = function(e) {
    refuse_plain(text_of("attributes_value_do_not"))
  })
}

refuse_plain <- function(why) abort("plain", text_of("is_not_plain_data", why = why))

plain_json <- function(node) {
  as.character(jsonlite::toJSON(boxed(node), auto_unbox = TRUE, null = "null", na = "null",
                                digits = NA))
}

# Marks the elements as arrays, so that a single element is not written as a scalar.
boxed <- function(node) {
  if (!is.null(node$values))
    node$values <- if (is.list(node$values)) lapply(node$values, boxed) else I(node$values)
  if (!is.null(node$attributes))
    node$attributes <- lapply(node$attributes, function(one) {
      list(name = one$name, value = boxed(one$value))
    })
  node
}

# Reads JSON as nested lists. The nesting is checked first, because the parser is recursive. Unlike
# fromJSON(), parse_json() never treats a text as a file name or an address.
read_json_text <- function(text) {
  outside <- gsub("\"(?:[^\"\\\\]++|\\\\.)*+\"", "", text, perl = TRUE)
  bytes <- as.integer(charToRaw(outside))
  step <- (bytes %in% c(91L, 123L)) - (bytes %in% c(93L, 125L))
  if (any(cumsum(step) > 6L * deepest_plain)) refuse_plain(text_of("is_nested_too_deeply"))
  tryCatch(jsonlite::parse_json(text), error = function(e) {
    refuse_plain(text_of("it_is_not_json"))
  })
}

# Seeds, and random numbers of R's own.

# Random numbers of R's own that leave the caller's where they were.
with_seed <- function(seed, code) {
  before <- get0(".Random.seed", envir = globalenv(), inherits = FALSE)
  on.exit(if (is.null(before)) rm(".Random.seed", envir = globalenv()) else
    assign(".Random.seed", before, envir = globalenv()))
  set.seed(seed, "Mersenne-Twister", "Inversion", "Rejection")
  code
}

# A seed that was given, or one from R's own random numbers.
chosen_seed <- function(seed) {
  if (is.null(seed)) return(sample.int(.Machine$integer.max, 1L))
  check_seed(seed)
  check_count(seed, "`seed`", -.Machine$integer.max)
  as.integer(seed)
}
