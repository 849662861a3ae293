# Parameter addresses: exactly one readable name for every parameter.
#
# A parsed address is a list with `kind`, `first`, `second` and `group`. A slot is a character
# vector; NULL means "all of them" (loading[Calm, ]), several names make a slice.

address_kinds <- c(loading = 2L, weight = 2L, effect = 2L, covariance = 2L, variance = 1L,
                   intercept = 1L, mean = 1L)
arrow_kinds <- c("loading", "weight", "effect")    # cells of B
readable_kinds <- c(total = 2L, indirect = 2L, correlation = 2L, r_squared = 1L, quantity = 1L)
address_patterns <- c("items", "constructs")

reserved_words <- c("if", "else", "repeat", "while", "function", "for", "next", "break", "TRUE",
                    "FALSE", "NULL", "Inf", "NaN", "NA", "NA_integer_", "NA_real_", "NA_character_",
                    "NA_complex_", "in")

# Backticks around text that R's parser would not read as a name, the same in every locale.
address_name <- function(x) {
  if (anyDuplicated(x)) {
    once <- unique(x)
    return(address_name(once)[match(x, once)])
  }
  plain <- grepl("^(\\p{L}|[.](?![0-9]))[\\p{L}\\p{N}._]*$", enc2utf8(x), perl = TRUE) &
    !x %in% reserved_words
  if (all(plain)) return(x)
  x[!plain] <- paste0("`", escaped_name(x[!plain]), "`")
  x
}

# Within backticks: as R's parser reads it back, on one line.
escaped_name <- function(x) {
  x <- gsub("\\", "\\\\", x, fixed = TRUE)
  x <- gsub("`", "\\`", x, fixed = TRUE)
  odd <- grepl("[[:cntrl:]]", x)
  x[odd] <- vapply(x[odd], function(text) {
    for (char in unique(regmatches(text, gregexpr("[[:cntrl:]]", text))[[1L]])) {
      text <- gsub(char, sprintf("\\x%02x", utf8ToInt(char)), text, fixed = TRUE)
    }
    gsub("\\x0a", "\\n", text, fixed = TRUE)
  }, "")
  x
}

# Vectorised: NA marks an empty second slot or no group.
address_format <- function(kind, first, second = NA_character_, group = NA_character_) {
  out <- paste0(kind, "[", address_name(first))
  two <- rep_len(!is.na(second), length(out))
  if (any(two)) out[two] <- paste0(out[two], ", ", address_name(rep_len(second, length(out))[two]))
  grouped <- rep_len(!is.na(group), length(out))
  if (any(grouped))
    out[grouped] <- paste0(out[grouped], " | ", address_name(rep_len(group, length(out))[grouped]))
  paste0(out, "]")
}

# The addresses of a layout's rows without their groups.
addresses_without_group <- function(rows) address_format(rows$kind, rows$first, rows$second)

#' Read a parameter address
#'
#' Every parameter of a model has exactly one readable name, its *address*: for
#' example `loading[Belonging, be3]`, `effect[Calm, Staying]`, `variance[Calm]`,
#' `covariance[be1, be2]`, `intercept[be3]` or `mean[Calm]`. An address is plain
#' R syntax, so backticks go round names that are not syntactic. A group follows
#' after a bar: ``loading[Calm, sc1 | evening]``. Slices leave a position empty (`loading[Calm, ]`)
#' or contain several names (`intercept[w1:w4]`).
#'
#' @param address One address, as a string or a language object.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A list of class `orizzonte_address` with elements `kind` (a string),
#'   `first`, `second` and `group` (character vectors, or `NULL` for "all") and `pattern` (whether
#'   `first` is a set of variables, as in `variance[items]`).
#'   `format()` gives the canonical string back.
#' @section Errors: `orizzonte_error_address` when the text is not an address;
#'   the nearest kind is named.
#' @seealso [estimates()], whose `parameter` column holds addresses.
#' @examples
#' parse_address("loading[Calm, sc1 | evening]")
#' format(parse_address("covariance[ be1,be2 ]"))
#' @export
parse_address <- function(address, ...) {
  text <- !missing(address) && ...length() == 0L && is.character(address) &&
    length(address) == 1L
  if (text && !is.na(address) && nzchar(address)) return(known_address(address))
  check_arguments("parse_address")
  read_address(address)
}

# Checks the parts of an address object, which may have been changed by hand.
check_address <- function(x) {
  usable <- is.list(x) && all(c("kind", "first") %in% names(x)) && is.character(x$kind) &&
    length(x$kind) == 1L && x$kind %in% c(names(address_kinds), names(readable_kinds)) &&
    all(vapply(unclass(x)[c("first", "second", "group")], function(part) {
      is.null(part) || is.character(part)
    }, NA))
  if (usable) return(x)
  abort("object", c(text_of("is_not_complete_address"),
                    i = text_of("write_text_parse_address")))
}

# Each text is read only once: a model names the same addresses again and again. `known`: an
# environment of what was read before; `read`: reads one text.
read_once <- function(text, known, read) {
  # names of variables must be known to the session's locale
  if (nchar(text, "bytes") > 1000L || grepl("[^ -~]", text, useBytes = TRUE)) return(read(text))
  found <- known[[text]]
  if (!is.null(found)) return(found)
  if (length(known) >= most_texts) rm(list = ls(known, all.names = TRUE), envir = known)
  assign(text, read(text), envir = known)
  known[[text]]
}

most_texts <- 10000L
read_addresses <- new.env(parent = emptyenv())
known_address <- function(text) read_once(text, read_addresses, read_address)

# The refusal of a text that is not an address, for parsed_text().
not_an_address <- function(text) {
  function(condition) {
    abort("address", c(text_of("not_address", address = quoted(text)),
                       i = text_of("address_example")))
  }
}

read_address <- function(address) {
  if (inherits(address, "orizzonte_address")) return(check_address(address))
  expression <- address
  if (is.character(address)) {
    check_string(address, "An address")
    expression <- parsed_text(address, not_an_address(address))
  }
  text <- deparse_one(expression)
  if (!is.call(expression) || !identical(expression[[1L]], quote(`[`)) ||
      !is.symbol(expression[[2L]])) {
    abort("address", c(text_of("not_address", address = text), i = address_hint(expression),
                       i = text_of("address_is_kind_names",
                                   address_kinds = enumerate(names(address_kinds)))))
  }
  kind <- as.character(expression[[2L]])
  arity <- c(address_kinds, readable_kinds)[kind]
  if (is.na(arity)) {
    abort("address",
          c(text_of("unknown_kind", kind = kind, value = text),
            did_you_mean(kind, names(address_kinds)),
            i = text_of("kinds_are", address_kinds = enumerate(names(address_kinds)))))
  }
  slots <- as.list(expression)[-(1:2)]
  group <- NULL
  end <- length(slots)
  if (!rlang::is_missing(slots[[end]]) && is.call(slots[[end]]) &&
      identical(slots[[end]][[1L]], quote(`|`))) {
    group <- address_slot(slots[[end]][[3L]], text)
    slots[[end]] <- slots[[end]][[2L]]
  }
  first <- address_slot(slots[[1L]], text)
  pattern <- length(slots) == 1L && length(first) == 1L && first %in% address_patterns
  if (length(slots) != arity && !(pattern && kind == "covariance")) {
    abort("address",
          c(text_of("has_takes", value = text, slots = count_of(length(slots), "name"), kind = kind,
                    arity = arity),
            i = if (arity == 2L) text_of("example_belonging_be3_belonging", kind = kind,
                                         kind_2 = kind)
                else text_of("example_calm", kind = kind)))
  }
  second <- if (length(slots) == 2L) address_slot(slots[[2L]], text)
  structure(list(kind = kind, first = first, second = second, group = group, pattern = pattern),
            class = "orizzonte_address")
}

# An address with its two names swapped, or NULL when it does not have two.
opposite_address <- function(text) {
  address <- tryCatch(parse_address(text), orizzonte_error = function(e) NULL)
  if (length(address$first) != 1L || length(address$second) != 1L) return(NULL)
  address[c("first", "second")] <- address[c("second", "first")]
  format(address)
}

# Advice on the probable meaning: first the swapped names, then the most similar address.
nearest_address <- function(text, known) {
  opposite <- opposite_address(text)
  if (is.null(opposite) || !opposite %in% known) return(did_you_mean(text, known))
  kind <- sub("\\[.*", "", opposite)
  c(i = text_of("did_you_mean_reversed", opposite = quoted(opposite),
                weight = switch(kind, loading = text_of("loading_construct_comes_first"),
                      weight = text_of("weight_item_comes_first"),
                      text_of("cause_comes_first_then"))))
}

# The message that the model contains the arrow in the opposite direction.
opposite_hint <- function(asked, known) {
  opposite <- unlist(lapply(asked, opposite_address))
  there <- intersect(opposite, known)
  if (length(there) == 0L) return(NULL)
  c(i = text_of("model_has_already_cause", there = there[1L]))
}

address_slot <- function(expression, text) {
  if (rlang::is_missing(expression)) return(NULL)
  if (is.symbol(expression)) return(as.character(expression))
  if (is.character(expression) || is.numeric(expression)) return(as.character(expression))
  names <- literal_names(expression)
  if (is.null(names)) {
    abort("address", c(text_of("cannot_read", expression = deparse_one(expression), value = text),
                       i = text_of("inside_brackets_go_names")))
  }
  names
}

deparse_one <- function(expression) {
  check_depth(expression)
  paste(deparse(expression, width.cutoff = 500L), collapse = " ")
}

# R processes nested calls recursively, so that deep nesting would overflow its stack.
deepest_expression <- 400L
check_depth <- function(expression) {
  if (!is.call(expression)) return(invisible())
  level <- list(expression)
  for (depth in seq_len(deepest_expression)) {
    parts <- unlist(lapply(level, as.list), recursive = FALSE)
    level <- parts[vapply(parts, is.call, NA)]
    if (length(level) == 0L) return(invisible())
  }
  abort("size", c(text_of("expression_is_nested_more", deepest_expression = deepest_expression),
                  i = text_of("restrictions_claims_formulas_so")))
}

# A text as an expression, after checking its length. `refused(condition)` is called when it does
# not follow R's syntax.
longest_expression <- 20000L
parsed_text <- function(text, refused) {
  if (nchar(text, "bytes") > longest_expression)
    abort("size", text_of("statement_is_longer_than", longest_expression = longest_expression,
                          substr = quoted(paste0(substr(text, 1L, 40L), "..."))))
  tryCatch(str2lang(text), error = refused)
}

#' @export
format.orizzonte_address <- function(x, ...) {
  check_address(x)
  slot <- function(names) {
    if (is.null(names)) return("")
    if (length(names) == 1L) return(address_name(names))
    paste0("c(", paste(address_name(names), collapse = ", "), ")")
  }
  inner <- slot(x$first)
  if (!is.null(x$second) || (!x$pattern && c(address_kinds, readable_kinds)[[x$kind]] == 2L))
    inner <- paste0(inner, ", ", slot(x$second))
  paste0(x$kind, "[", inner, if (!is.null(x$group)) paste0(" | ", slot(x$group)), "]")
}

#' @export
print.orizzonte_address <- function(x, ...) {
  put_lines(format(x))
  invisible(x)
}

# The rows (columns kind, first, second, group) that an address refers to.
address_match <- function(address, rows, constructs = character(), scope = NULL) {
  hit <- rows$kind == address$kind
  if (isTRUE(address$pattern) && !address$first %in% c(rows$first, rows$second)) {
    wanted <- if (address$first == "constructs") constructs else
      setdiff(c(rows$first, rows$second), constructs)
    hit <- hit & rows$first %in% wanted & (is.na(rows$second) | rows$second %in% wanted)
  } else {
    inside <- function(column, names) {
      if (is.null(names)) rep(TRUE, length(column)) else
      column %in% names
    }
    pair <- inside(rows$first, address$first) &
      (is.na(rows$second) | inside(rows$second, address$second))
    if (address$kind == "covariance") {
      pair <- pair | (inside(rows$second, address$first) & inside(rows$first, address$second))
    }
    hit <- hit & pair
  }
  wanted <- address$group %||% scope
  if (!is.null(wanted)) hit <- hit & rows$group %in% wanted
  which(hit)
}

# Addresses with a group added to them.
with_group <- function(text, group) {
  vapply(text, function(one) {
    address <- parse_address(one)
    address$group <- group
    format(address)
  }, "", USE.NAMES = FALSE)
}

without_group <- function(text) {
  vapply(text, function(one) {
    address <- parse_address(one)
    address$group <- NULL
    format(address)
  }, "", USE.NAMES = FALSE)
}

# Kinds whose parameters are paths of a diagram, which can be left out one by one.
path_kinds <- c("effect", "covariance")

# Suggests an address for a bare name, or for a kind written with round brackets.
address_hint <- function(part) {
  if (is.symbol(part)) {
    return(text_of("parameter_is_named_address"))
  }
  if (!is.call(part)) return(NULL)
  kind <- deparse_one(part[[1L]])
  if (!kind %in% names(c(address_kinds, readable_kinds))) return(NULL)
  inside <- paste(vapply(as.list(part)[-1L], deparse_one, ""), collapse = ", ")
  text_of("write_square_brackets", kind = kind, inside = inside)
}

# be1:be4 and a1_t1:a4_t1 can be expanded without data: the names are identical except for one
# number, the last one if several differ. Leading zeros keep their width.
expand_range <- function(from, to) {
  parts <- regmatches(c(from, to), gregexpr("[0-9]+|[^0-9]+", c(from, to)))
  same <- length(parts[[1L]]) == length(parts[[2L]])
  at <- if (same) which(parts[[1L]] != parts[[2L]])
  if (same && length(at) == 0L) at <- utils::tail(grep("^[0-9]", parts[[1L]]), 1L)
  if (length(at) != 1L || !all(grepl("^[0-9]", c(parts[[1L]][at], parts[[2L]][at])))) {
    abort("range", c(text_of("cannot_be_expanded", from = from, to = to),
                     i = text_of("range_needs_names_are")))
  }
  digits <- c(parts[[1L]][at], parts[[2L]][at])
  width <- if (any(grepl("^0", digits) & nchar(digits) > 1L)) nchar(digits[1L]) else 1L
  ends <- as.numeric(digits)
  if (abs(diff(ends)) > 9999) {
    abort("range", text_of("would_name_variables", from = from, to = to,
                           ends = abs(diff(ends)) + 1))
  }
  numbers <- formatC(seq(ends[1L], ends[2L]), width = width, flag = "0", format = "d")
  paste0(paste(parts[[1L]][seq_len(at - 1L)], collapse = ""), numbers,
         paste(parts[[1L]][-seq_len(at)], collapse = ""))
}

# TRUE if an expression is the address of an effect or a covariance.
is_path <- function(expression) {
  is.call(expression) && identical(expression[[1L]], quote(`[`)) && is.symbol(expression[[2L]]) &&
    as.character(expression[[2L]]) %in% path_kinds
}

# Names (and numbers given to them, as in c(w1 = 0)) in a captured argument. `hints` are bare
# symbols that are also text variables of the caller, remembered so that an unknown column can
# suggest all_of().
most_names <- 10000L

# Names in an expression of symbols, strings, c() and ranges only; NULL when it holds something
# else.
literal_names <- function(expression) {
  if (is.symbol(expression)) return(as.character(expression))
  if (is.character(expression)) return(as.character(expression))
  if (!is.call(expression)) return(NULL)
  if (identical(expression[[1L]], quote(c))) {
    parts <- lapply(as.list(expression)[-1L], literal_names)
    if (any(vapply(parts, is.null, NA))) return(NULL)
    return(unlist(parts, use.names = FALSE))
  }
  if (identical(expression[[1L]], quote(`:`))) {
    ends <- lapply(as.list(expression)[-1L], literal_names)
    if (any(lengths(ends) != 1L)) return(NULL)
    return(expand_range(ends[[1L]], ends[[2L]]))
  }
  if (identical(expression[[1L]], quote(`(`))) return(literal_names(expression[[2L]]))
  # a path by its address, where names are asked for
  if (is_path(expression)) return(format(parse_address(expression)))
  NULL
}
