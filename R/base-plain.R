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

# Random numbers of R that leave the state of the caller's generator unchanged.
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

# A fit carries a digest of its parts, which shows whether they were changed after it was fitted.

# The parts that the digest covers. The joint fit with auxiliary variables has its own digest.
stamped_parts <- c("request", "sample", "layout", "moments", "solution")

# Adds the digest, and the addresses of the parts in memory: while these are the same, the digest
# need not be computed again.
stamped <- function(fit) {
  fit$digest <- digest_of(fit)
  fit$cache$stamp <- part_places(fit)
  fit
}

# Replaces the blueprint by one that describes the same model, for example with another trail.
with_blueprint <- function(fit, bp) {
  fit$request$blueprint <- bp
  stamped(fit)
}

# The digest covers numbers and texts. The sample contains the data, so that only its names and
# dimensions count.
digest_of <- function(fit) {
  paste0(object_digest(unclass(fit)[setdiff(stamped_parts, "sample")], FALSE),
         object_digest(fit$sample, TRUE))
}

session <- new.env(parent = emptyenv())

part_places <- function(fit) {
  if (is.null(session$mark))
    session$mark <- paste(Sys.getpid(), format(as.numeric(Sys.time()), digits = 17))
  c(session$mark, vapply(unclass(fit)[stamped_parts], rlang::obj_address, ""))
}

# Checks the digest when a fit is first read after loading, or after one of its parts was replaced.
check_stamp <- function(x) {
  if (!is.environment(x$cache)) refuse_object(text_of("lacks_what_was_computed"))
  here <- part_places(x)
  if (identical(x$cache$stamp, here)) return(invisible())
  if (!identical(x$digest, digest_of(x)))
    refuse_object(text_of("parts_were_changed_after"))
  # cached results from a file are not trusted
  rm(list = ls(x$cache, all.names = TRUE), envir = x$cache)
  x$cache$stamp <- here
}

# The version of the structure of a fit, which increases whenever a part changes its meaning. Fits
# saved by a package version with the same structure can be read.
fit_format <- 4L

package_version_text <- function() unname(getNamespaceVersion("orizzonte"))

check_fit <- function(x, reader) {
  if (!inherits(x, "orizzonte_fit")) {
    abort("input", c(text_of("reads_fitted_model", reader = reader),
                     x = text_of("was_given", value = describe(x)),
                     i = text_of("fit_one_first_fit")))
  }
  parts <- c("request", "sample", "layout", "moments", "solution", "cache", "version")
  if (!all(parts %in% names(x))) refuse_object(text_of("lacks_parts_fit_has"))
  if (!identical(x$format, fit_format))
    refuse_object(text_of("was_made_version_which", version = format(x$version),
                          package_version_text = package_version_text()))
  groups <- if (is.list(x$layout)) length(x$layout$groups) else 0L
  if (groups == 0L || length(x$moments) != groups || length(x$layout$spans) != groups) {
    refuse_object(text_of("parts_do_not_belong"))
  }
  check_stamp(x)
  if (!is.null(x$joint)) check_fit(x$joint, reader)
  invisible(x)
}

# A ladder, or the result of loosen() for one.
check_ladder <- function(x, reader) {
  ladder <- if (inherits(x, "orizzonte_loosened")) x$ladder else x
  parts <- c("fits", "table", "criteria", "limits", "blueprint", "reading")
  if (!inherits(ladder, "orizzonte_ladder") || !is.list(ladder) || !all(parts %in% names(ladder)))
    abort("object", c(text_of("cannot_read_ladder_lacks", reader = reader),
                      i = text_of("make_again_invariance_blueprint")))
  lapply(ladder$fits, check_fit, reader = reader)
  invisible(x)
}

# A fit in the format of another version, or a fit that was tampered with.
refuse_object <- function(why) {
  abort("object", c(text_of("fit_cannot_be_read"), x = text_of("the_reason", why = why),
                    i = text_of("fit_model_again_fit")))
}

# Computed once for each fit, when it is first needed.
cached <- function(fit, name, compute) {
  known <- fit$cache[[name]]
  if (!is.null(known)) return(known)
  value <- compute
  if (!is.null(value)) assign(name, value, envir = fit$cache)
  value
}

# A matrix of columns. Filled one by one, since unlist() would copy them all once more.
bind_columns <- function(columns, count) {
  x <- matrix(NA_real_, count, length(columns), dimnames = list(NULL, names(columns)))
  for (k in seq_along(columns)) x[, k] <- columns[[k]]
  x
}
