# Freeing one parameter of a blueprint, whatever holds it: the reverse of every other verb.

# `row` is its row in the layout (0 for a relation that is not in the model); the address has been
# checked against the model.
release_parameter <- function(bp, text, layout, row) {
  address <- parse_address(text)
  if (row == 0L) return(if (is.null(address$group)) spell_out_slices(add_relation(bp, address),
      text, layout) else add_in_group(bp, address, layout))
  members <- layout$rows$parameter[layout$rows$class == layout$rows$class[row]]
  mentioned <- vapply(bp$restrict, function(r) {
    !is_constraint(r) && mentions_any(r, members,
    layout)
  }, NA)
  if (any(mentioned)) {
    held <- bp$restrict[mentioned]
    bp$restrict <- bp$restrict[!mentioned]
    # the others stay as they were: equal to each other, and fixed if they were
    others <- setdiff(members, layout$rows$parameter[row])
    value <- Filter(function(r) is.numeric(r$right), held)
    for (one in held) {
      left <- setdiff(row_addresses(one$left, layout), layout$rows$parameter[row])
      if (is.numeric(one$right)) for (x in left)
        bp <- add_restriction(bp, paste(x, "==", format_exact(one$right)))
    }
    if (length(value) == 0L && length(others) > 1L) {
      for (x in others[-1L]) bp <- add_restriction(bp, paste(x, "==", others[1L]))
    }
  }
  if (!is.na(layout$rows$fixed[row]) && needs_relaxing(bp, address))
    bp <- add_relaxed(bp, str2lang(text))
  # a covariance that only stood in a restriction is still to be part of the model
  if (address$kind == "covariance" && !text %in% declared_covariances(bp, layout))
    bp <- add_relation(bp, address)
  bp
}

# A relation of one group only: a covariance is part of the model where it is mentioned, an arrow is
# zero elsewhere.
add_in_group <- function(bp, address, layout) {
  if (address$kind == "covariance") return(add_relaxed(bp, str2lang(format(address))))
  plain <- address
  plain$group <- NULL
  bp <- spell_out_slices(add_relation(bp, plain), format(plain), layout)
  for (group in setdiff(layout$groups, address$group))
    bp <- add_restriction(bp, paste(with_group(format(plain), group), "== 0"))
  bp
}

# What is new must not be caught by an older statement about a slice, such as loading[Calm, ] == 1:
# those are spelt out.
spell_out_slices <- function(bp, text, layout) {
  bare <- bp
  bare$restrict <- list()
  bare$relax <- character()
  fresh <- plain_rows(bare, layout)
  catches <- function(slice) {
    text %in%
    fresh$parameter[address_match(parse_address(slice), fresh, layout$constructs)]
  }
  spelt <- unlist(lapply(bp$restrict, function(restriction) {
    if (restriction$smooth || !catches(restriction$left)) return(list(restriction))
    lapply(plain_addresses(restriction$left, layout), function(address) {
      restriction$left <- address
      restriction
    })
  }), recursive = FALSE)
  bp$restrict <- Filter(function(r) !identical(r$left, r$right), as.list(spelt))
  bp
}

row_addresses <- function(text, layout) layout$rows$parameter[restricted_rows(text, layout)]

# The parameters a text means, with a group only where the text names one.
plain_addresses <- function(text, layout) {
  rows <- restricted_rows(text, layout)
  if (!is.null(parse_address(text)$group)) return(layout$rows$parameter[rows])
  unique(address_format(layout$rows$kind[rows], layout$rows$first[rows], layout$rows$second[rows]))
}

mentions_any <- function(restriction, parameters, layout) {
  any(vapply(restriction_addresses(restriction),
             function(text) any(row_addresses(text, layout) %in% parameters), NA))
}

# Covariances the blueprint has without being told again: stated ones, and assumed ones.
declared_covariances <- function(bp, layout) {
  fresh <- plain_rows(bp, layout)
  fresh$parameter[fresh$kind == "covariance"]
}

# The parameters of a blueprint, whatever the group.
plain_rows <- function(bp, layout) {
  rows <- layout_parameters(bp, layout$means, layout$observed)$rows
  c(rows, list(parameter = addresses_without_group(rows),
               group = rep(NA_character_, length(rows$kind))))
}

add_relation <- function(bp, address) {
  pair <- c(address$first, address$second)
  switch(address$kind,
    covariance = add_pairs(bp, pair, "covary"),
    effect = add_effects(bp, str2lang(paste(address_name(pair[2L]), "~", address_name(pair[1L])))),
    loading = {
      part <- bp$constructs[[pair[1L]]]
      bp$constructs[[pair[1L]]]$items <- c(part$items, pair[2L])
      bp
    },
    abort("restriction", text_of("cannot_be_added_model", address = format(address))))
}
