# What is left out of a blueprint, and the blueprint of one group.

#' Leave items or constructs out
#'
#' Drops items or constructs from everywhere in the blueprint: constructs,
#' effects, covariances and restrictions; or a single effect or covariance. Everything that is
#' removed with them is reported.
#'
#' @param .bp A blueprint.
#' @param ... Names of items, observed variables or constructs, or addresses such as
#'   `effect[years, Calm]`.
#' @param group Leave them out in this group only, when the model is fitted to several.
#' @return The blueprint without them.
#' @section Errors: `orizzonte_error_name` for a name that is not in the
#'   blueprint (the nearest is given); `orizzonte_error_input` when a construct
#'   would be left without items.
#' @seealso [amend()] to leave something out of a fitted model, with a reason.
#' @examples
#' blueprint("Craft") |>
#'   construct("Craft", reflected_in = cr1:cr4) |>
#'   leave_out(cr4)
#' @export
leave_out <- function(.bp, ..., group = NULL) {
  check_arguments("leave_out", dots = TRUE)
  check_blueprint(.bp, "leave_out")
  gone <- captured_dots(rlang::enquos(...), "leave_out")$names
  if (length(gone) == 0L)
    abort("input", c(text_of("leave_out_needs_name"), i = text_of("such_leave_out_cr4")))
  variables <- blueprint_variables(.bp)
  known <- c(variables$constructs, variables$observed)
  paths <- setdiff(grep(path_pattern, gone, value = TRUE), known)
  for (path in paths) .bp <- without_path(.bp, path, group)
  gone <- setdiff(gone, paths)
  if (length(gone) == 0L) return(.bp)
  unknown <- setdiff(gone, known)
  if (length(unknown))
    abort("name", c(text_of("is_not_blueprint", unknown = quoted(unknown[1L])),
                    did_you_mean(unknown[1L], known)))
  if (!is.null(group)) {
    check_string(group, "`group`")
    .bp$left_out[[group]] <- union(.bp$left_out[[group]], gone)
    return(.bp)
  }
  .bp$constructs <- constructs_without(.bp$constructs, gone)
  keep <- !(.bp$effects$from %in% gone | .bp$effects$to %in% gone)
  .bp$effects <- lapply(.bp$effects, function(x) x[keep])
  for (verb in c("covary", "uncorrelate")) {
    keep <- !(.bp[[verb]]$first %in% gone | .bp[[verb]]$second %in% gone)
    .bp[[verb]] <- lapply(.bp[[verb]], function(x) x[keep])
  }
  .bp <- without_statements(.bp, gone, function(text) {
    address <- parse_address(text)
    any(c(address$first, address$second) %in% gone)
  })
  .bp$repeated <- repeated_without(.bp$repeated, gone)
  .bp$wording <- .bp$wording[setdiff(names(.bp$wording), gone)]
  .bp
}

path_pattern <- paste0("^(", paste(path_kinds, collapse = "|"), ")\\[")

# The blueprint without one effect or covariance, and without the statements about it.
without_path <- function(bp, path, group) {
  address <- parse_address(path)
  if (!is.null(group) || !is.null(address$group) || length(address$first) != 1L ||
      length(address$second) != 1L)
    abort("input", c(text_of("one_path_in_all_groups", path = path),
                     i = text_of("fix_path_in_group", path = path)))
  if (address$kind == "effect") {
    known <- address_format("effect", bp$effects$from, bp$effects$to)
    keep <- known != path
    if (all(keep)) abort("name", c(text_of("is_not_blueprint", unknown = path),
                                   did_you_mean(path, known)))
    bp$effects <- lapply(bp$effects, function(x) x[keep])
  } else {
    key <- pair_key(address$first, address$second)
    keep <- pair_key(bp$covary$first, bp$covary$second) != key
    # one that is there unless something else is said
    if (all(keep)) return(without_statements(add_pairs(bp, c(address$first, address$second),
                                                       "uncorrelate"), path,
                                             function(text) without_group(text) == path))
    bp$covary <- lapply(bp$covary, function(x) x[keep])
  }
  without_statements(bp, path, function(text) without_group(text) == path)
}

# Restrictions, quantities, and claims that mention a removed variable are removed with it, and
# said. `mentions`: whether an address does.
without_statements <- function(.bp, gone, mentions) {
  lost <- vapply(.bp$restrict, function(r) any(vapply(restriction_addresses(r), mentions, NA)), NA)
  if (any(lost)) say(text_of("left_out_with", gone = enumerate(gone),
                             lost = enumerate(vapply(.bp$restrict[lost], format_restriction, ""))))
  .bp$restrict <- .bp$restrict[!lost]
  lost <- vapply(.bp$quantities, function(text) any(vapply(quantity_addresses(text), mentions, NA)),
                 NA)
  if (any(lost)) say(text_of("left_out_with", gone = enumerate(gone),
                             lost = enumerate(paste0("quantity[", names(.bp$quantities)[lost],
                                                     "]"))))
  .bp$quantities <- .bp$quantities[!lost]
  lost <- vapply(.bp$claims, function(text) any(vapply(claim_addresses(text), mentions, NA)), NA)
  if (any(lost)) say(text_of("claims_left_out_with", gone = enumerate(gone), count = sum(lost),
                             claims = enumerate(names(.bp$claims)[lost])))
  .bp$claims <- .bp$claims[!lost]
  .bp$relax <- Filter(function(text) !mentions(text), .bp$relax)
  for (key in c(held_keys, differ_keys)) {
    gone_too <- vapply(.bp[[key]], function(text) {
      !text %in% c(hold_kinds, hold_slices) && grepl("[", text, fixed = TRUE) && mentions(text)
    }, NA)
    .bp[[key]] <- .bp[[key]][!gone_too]
  }
  .bp$start_at <- .bp$start_at[!vapply(names(.bp$start_at), mentions, NA)]
  .bp
}

# Constructs that stay, each without the items that go.
constructs_without <- function(constructs, gone) {
  constructs <- constructs[setdiff(names(constructs), gone)]
  for (name in names(constructs)) {
    part <- constructs[[name]]
    part$items <- setdiff(part$items, gone)
    if (length(part$items) == 0L) {
      abort("input", c(text_of("without_nothing_measures", gone = enumerate(gone), name = name),
                       i = text_of("leave_out_well", name = name)))
    }
    part$fixed <- part$fixed[!names(part$fixed) %in% gone]
    if (isTRUE(part$scale %in% gone)) part["scale"] <- list(NULL)
    constructs[[name]] <- part
  }
  constructs
}

# The blueprint of one group: statements that name another group are left out.
group_blueprint <- function(bp, group) {
  names_another <- function(text) {
    named <- parse_address(text)$group
    !is.null(named) && !group %in% named
  }
  # only what has a bar can name a group
  elsewhere <- function(texts) {
    texts <- texts[grepl("|", texts, fixed = TRUE)]
    length(texts) > 0L && any(vapply(texts, names_another, NA))
  }
  bp$restrict <- Filter(function(r) !elsewhere(restriction_addresses(r)), bp$restrict)
  bp$relax <- Filter(Negate(elsewhere), bp$relax)
  gone <- if (nzchar(group)) bp$left_out[[group]]
  bp$left_out <- list()
  if (length(gone)) bp <- suppressMessages(leave_out(bp, !!gone))
  bp
}
