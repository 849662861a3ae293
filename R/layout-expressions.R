# Expressions of addresses are checked when blueprint and data meet.

variable_index <- function(names, all, text) {
  unknown <- setdiff(names, all)
  if (length(unknown)) {
    abort("name", c(paste0(quoted(unknown[1L]), " in ", text, " is not a variable of the model."),
                    did_you_mean(unknown[1L], all)))
  }
  match(names, all)
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
                c(paste0("quantity[", name, "] uses ", text, ", which is not declared before it."),
                  did_you_mean(address$first, defined)))
        }
      } else {
        variable_index(c(address$first, address$second), all, text)
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
          abort("name", c(paste0("The claim ", name, " uses ", text, ", which is not declared."),
                          did_you_mean(address$first,
            known)))
      } else {
        variable_index(c(address$first, address$second), all, text)
      }
    }
  }
}
