# Expressions of addresses are checked when blueprint and data meet.

variable_index <- function(names, all, text) {
  unknown <- setdiff(names, all)
  if (length(unknown)) {
    abort("name", c(text_of("is_not_variable_model", unknown = quoted(unknown[1L]), value = text),
                    did_you_mean(unknown[1L], all)))
  }
  match(names, all)
}

# Can one variable be reached from the other along arrows, in at least so many steps?
has_route <- function(layout, from, to, steps) {
  arrows <- layout$rows$kind %in% arrow_kinds
  first <- layout$rows$first[arrows]
  second <- layout$rows$second[arrows]
  at <- unique(second[first == from])
  if (steps > 1L) at <- unique(second[first %in% at])
  while (!to %in% at) {
    more <- setdiff(second[first %in% at], at)
    if (length(more) == 0L) return(FALSE)
    at <- c(at, more)
  }
  TRUE
}

# An effect that cannot be would be 0 without an error.
check_route <- function(layout, address, text) {
  if (!address$kind %in% c("indirect", "total")) return(invisible())
  steps <- if (address$kind == "indirect") 2L else 1L
  if (has_route(layout, address$first, address$second, steps)) return(invisible())
  back <- has_route(layout, address$second, address$first, steps)
  abort("restriction", c(
    text_of("means_nothing_there_is", value = text, steps = if (steps == 2L) "indirect ",
            first = address$first, second = address$second),
    i = if (back) text_of("there_is_one_from", second = address$second, first = address$first),
    i = text_of("routes_follow_effects_loadings")))
}

# An expression that names no group is read in each; one that does is read once.
text_scopes <- function(texts, layout) {
  named <- any(vapply(texts, function(text) !is.null(parse_address(text)$group), NA))
  if (named) list(NULL) else as.list(layout$groups)
}

# Quantities are checked when blueprint and data meet, not only when they are read.
check_quantities <- function(layout, bp) {
  all <- c(layout$observed, layout$constructs)
  defined <- character()
  for (name in names(bp$quantities)) {
    for (text in quantity_addresses(bp$quantities[[name]])) {
      address <- parse_address(text)
      if (address$kind %in% names(address_kinds)) {
        restricted_rows(format(address), layout)
      } else if (address$kind == "quantity") {
        if (!address$first %in% defined) {
          abort("restriction",
                c(text_of("quantity_uses_which_is", name = name, value = text),
                  did_you_mean(address$first, defined)))
        }
      } else {
        variable_index(c(address$first, address$second), all, text)
        check_route(layout, address, text)
      }
    }
    defined <- c(defined, name)
  }
}

# Claims are checked when blueprint and data meet.
check_claims <- function(layout, bp) {
  all <- c(layout$observed, layout$constructs)
  for (name in names(bp$claims)) {
    for (text in claim_addresses(bp$claims[[name]])) {
      address <- parse_address(text)
      if (address$kind %in% names(address_kinds)) {
        restricted_rows(text, layout)
      } else if (address$kind == "quantity") {
        known <- names(bp$quantities)
        if (!address$first %in% known)
          abort("name", c(text_of("claim_uses_which_is", name = name, value = text),
                          did_you_mean(address$first,
            known)))
      } else {
        variable_index(c(address$first, address$second), all, text)
        check_route(layout, address, text)
      }
    }
  }
}
