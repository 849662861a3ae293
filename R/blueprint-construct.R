#' Add a construct and its items
#'
#' A construct is *reflected in* items (the construct causes them) or *composed
#' of* them (it is their weighted sum, without a disturbance: formative). Turning
#' one into the other is changing one word.
#'
#' @param .bp A blueprint, from [blueprint()].
#' @param name The construct's name, in quotes.
#' @param reflected_in The items that reflect it: names, a numbered range such
#'   as `be1:be4` (expanded without the data), `c(a, b)`, strings, or a call
#'   that gives names, such as `all_of(x)`. `c(w1 = 0, w2 = 1)` fixes loadings.
#'   An item may itself be a construct.
#' @param composed_of The items it is composed of, in the same notation. Its scale
#'   is always that of a marker weight of 1; items covary freely with all other
#'   exogenous variables.
#' @param scale Overrides the blueprint's scale setting for this construct:
#'   `"marker"`, `"unit"`, `"average"`, or the name of the item to use as marker.
#' @param ... Must be empty: an argument by another name is an error.
#' @return The blueprint with the construct added.
#' @section Errors: `orizzonte_error_duplicate` when the construct or an
#'   item within it is declared twice; `orizzonte_error_input` if it has no items or the scale names
#'   an item that it does not have.
#' @seealso [effect()] and [covary()] for relations, [set_scale()] for scales, [wording()] for item
#'   texts.
#' @examples
#' blueprint("Stage calm") |>
#'   construct("Calm", reflected_in = c(sc1, sc2, sc3, sc4), scale = "sc2")
#' @export
construct <- function(.bp, name, reflected_in, composed_of, scale = NULL, ...) {
  check_arguments("construct", optional = c("reflected_in", "composed_of"),
                  unnamed = text_of("items_go_into_one"))
  check_blueprint(.bp, "construct")
  check_string(name, text_of("the_name_of_construct"))
  if (!missing(reflected_in) && !missing(composed_of)) {
    check_together(sys.call(), name)
    abort("input",
          c(text_of("construct_cannot_be_both", name = quoted(name)),
            i = text_of("choose_one_do_items")))
  }
  kind <- if (missing(composed_of)) "reflective" else "composite"
  items <- if (kind == "composite") rlang::enquo(composed_of) else if (!missing(reflected_in))
    rlang::enquo(reflected_in)
  captured <- if (is.null(items)) NULL else capture_names(items,
      text_of("construct", name = quoted(name)))
  add_hints(add_construct(.bp, name, captured$names, captured$values, scale, kind), captured$hints)
}

# Items given one by one land in other arguments.
check_together <- function(call, name) {
  given <- as.list(call)[-1L]
  unnamed <- if (is.null(names(given))) given else given[!nzchar(names(given))]
  items <- vapply(unnamed[-(1:2)], deparse_one, "")
  if (length(items) < 2L) return(invisible())
  abort("input", c(text_of("items_construct_must_be", name = quoted(name)),
                   i = text_of("write_construct_reflected_c", name = quoted(name),
                               items = paste(items, collapse = ", "))))
}

# The number of covariances grows with the square of the number of constructs.
most_constructs <- 500L
most_items <- 2000L

check_construct_size <- function(bp, name, items) {
  if (length(bp$constructs) >= most_constructs)
    abort("size", text_of("blueprint_holds_most_constructs", most_constructs = most_constructs,
                          name = quoted(name)))
  if (length(items) > most_items)
    abort("size", text_of("construct_has_items_most", name = quoted(name),
                          items = format_count(length(items)),
                          most_items = format_count(most_items)))
}

add_construct <- function(bp, name, items, values = NULL, scale = NULL, kind = "reflective") {
  check_construct_size(bp, name, items)
  values <- values %||% rep(NA_real_, length(items))
  if (name %in% names(bp$constructs)) {
    abort("duplicate", c(text_of("construct_is_declared_twice", name = quoted(name)),
                         i = text_of("give_second_one_another")))
  }
  if (length(items) == 0L) {
    abort("input", c(text_of("construct_is_measured_nothing", name = quoted(name)),
                     i = text_of("name_items_construct_reflected", name = quoted(name))))
  }
  if (name %in% items) {
    abort("input", c(text_of("construct_cannot_be_own", name = quoted(name)),
                     i = text_of("give_construct_name_no")))
  }
  if (anyDuplicated(items)) {
    abort("duplicate",
          text_of("item_is_named_twice", items = quoted(items[duplicated(items)][1L]),
                  name = quoted(name)))
  }
  in_effect <- if (kind == "reflective") {
    bp$effects$from == name & bp$effects$to %in% items
  } else {
    bp$effects$to == name & bp$effects$from %in% items
  }
  if (any(in_effect)) {
    abort("duplicate",
          text_of("same_relation_is_declared", in_effect = bp$effects$from[in_effect][1L],
                  in_effect_2 = bp$effects$to[in_effect][1L],
                  kind = if (kind == "reflective") "loading." else "weight."))
  }
  if (!is.null(scale)) check_scale(name, scale, items, kind)
  fixed <- values[!is.na(values)]
  names(fixed) <- items[!is.na(values)]
  bp$constructs[[name]] <- list(kind = kind, items = items, fixed = fixed, scale = scale)
  bp
}

#' Another scale for constructs
#'
#' Changes how the scale of constructs is set, for all of them or for some: `"marker"` (a loading is
#' 1), `"unit"` (the variance or disturbance variance is 1), `"average"` (the loadings average 1),
#' or the name of the item that serves as marker (for one construct).
#'
#' @param .bp A blueprint.
#' @param scale The setting, or for one construct the name of one of its items.
#' @param ... Constructs. Without any, the setting applies to all constructs and replaces their own
#'   settings.
#' @return The blueprint with the scale changed.
#' @section Errors: `orizzonte_error_input` for an unknown setting; `orizzonte_error_name` for a
#'   construct that is not declared.
#' @seealso [blueprint()], [construct()]
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
#' set_scale(bp, "unit")
#' set_scale(bp, "sc3", Calm)
#' @export
set_scale <- function(.bp, scale, ...) {
  check_arguments("set_scale", dots = TRUE)
  check_blueprint(.bp, "set_scale")
  if (missing(scale))
    abort("input",
          c(text_of("set_scale_needs_setting"),
            i = text_of("one_of", scale_settings = enumerate(quoted(scale_settings)))))
  check_string(scale, "`scale`")
  names <- captured_dots(rlang::enquos(...), "set_scale")$names
  if (length(names) == 0L) return(scale_everything(.bp, scale))
  for (name in names) {
    part <- .bp$constructs[[name]]
    if (is.null(part)) {
      known <- names(.bp$constructs)
      abort("name",
            c(text_of("there_is_no_construct", name = quoted(name)), did_you_mean(name, known)))
    }
    check_scale(name, scale, part$items, part$kind)
    .bp$constructs[[name]]$scale <- scale
  }
  .bp
}

scale_everything <- function(bp, scale) {
  bp$scale <- choose_one(scale, scale_settings, "`scale`")
  for (name in names(bp$constructs)) {
    if (bp$constructs[[name]]$kind == "reflective") bp$constructs[[name]]["scale"] <- list(NULL)
  }
  bp
}

# A setting, or one of the construct's items; a composite always has a marker weight.
check_scale <- function(name, scale, items, kind) {
  check_string(scale, "`scale`")
  if (!scale %in% c(scale_settings, items)) {
    abort("input",
          c(text_of("scale_construct_is_neither", name = quoted(name), scale = quoted(scale)),
            did_you_mean(scale, c(scale_settings, items)),
            i = text_of("settings_are_items_are",
                        scale_settings = enumerate(quoted(scale_settings)),
                        items = enumerate(items))))
  }
  if (kind == "composite" && scale %in% setdiff(scale_settings, "marker")) {
    abort("input", c(text_of("composite_takes_scale_from", name = quoted(name)),
                     i = text_of("name_item_that_carries_scale", items = quoted(items[1L]))))
  }
}

#' One construct at several times
#'
#' Declares a construct that was measured repeatedly: one construct per time, with items matched by
#' position. Residuals of the same item covary over all pairs of times, unless [uncorrelate()] fixes
#' them at zero. [hold_equal()] with `across = "times"` holds parameters equal over times;
#' [invariance()] climbs the ladder over the times.
#'
#' @param .bp A blueprint.
#' @param name The name of the construct over times, such as `"Calm"`; not a variable itself.
#' @param times A list with one element per time, in their order, named as the constructs are to be
#'   called: `list(Calm_before = c(a1, a2, a3), Calm_after = c(b1, b2, b3))`. The items of a time
#'   follow the capture rule (bare names, ranges, texts); `NA` in place of an item means that it was
#'   not asked at that time.
#' @param scale As in [construct()]: a scale setting for all times, when `NULL` that of the
#'   blueprint.
#' @param ... Must be empty: an argument by another name is an error.
#' @return The blueprint with a construct for each time.
#' @section Errors: `orizzonte_error_input` when there are fewer than two times, or times of
#'   different length; `orizzonte_error_duplicate` for a name or an item that is used twice.
#' @references Widaman, K. F., Ferrer, E., & Conger, R. D. (2010). Factorial invariance within
#'   longitudinal structural equation models: Measuring the same construct across time. *Child
#'   Development Perspectives, 4*(1), 10--18.
#' @seealso [hold_equal()], [invariance()], [latent_means()] for the change of means.
#' @examples
#' bp <- blueprint("Calm over two concerts") |>
#'   repeated("Calm", times = list(Calm_first = ca1_t1:ca4_t1, Calm_second = ca1_t2:ca4_t2))
#' bp
#' fit_model(hold_equal(bp, loading, intercept, across = "times"), choirs_concerts)
#' @export
repeated <- function(.bp, name, times, scale = NULL, ...) {
  check_arguments("repeated")
  check_blueprint(.bp, "repeated")
  check_string(name, text_of("the_name_of_construct"))
  add_repeated(.bp, name, captured_times(rlang::enquo(times), name), scale)
}

# list(Calm_before = c(a1, NA), ...) as a list of names, NA where an item was not administered; the
# list may also be a variable.
captured_times <- function(quosure, name) {
  expression <- rlang::quo_get_expr(quosure)
  env <- rlang::quo_get_env(quosure)
  what <- text_of("times_of", name = quoted(name))
  if (is.call(expression) && identical(expression[[1L]], quote(list))) {
    parts <- as.list(expression)[-1L]
    return(lapply(parts, function(part) items_of_time(part, env, what)))
  }
  value <- tryCatch(eval(expression, env), error = function(e) NULL)
  usable <- is.list(value) && all(vapply(value, function(x) is.character(x) || all(is.na(x)), NA))
  if (usable) return(lapply(value, as.character))
  abort("input", c(text_of("must_be_list_items", what = what),
                   i = text_of("such_times_list_before", name = name, name_2 = name)))
}

items_of_time <- function(expression, env, what) {
  parts <- if (is.call(expression) && identical(expression[[1L]], quote(c)))
    as.list(expression)[-1L] else list(expression)
  unlist(lapply(unname(parts), function(part) {
    if (is.atomic(part) && length(part) == 1L && is.na(part)) return(NA_character_)
    capture_names(rlang::new_quosure(part, env), what)$names
  }))
}

# `times`: a named list of item names, NA where an item was not administered.
add_repeated <- function(bp, name, times, scale = NULL) {
  check_times(bp, name, times)
  if (!is.null(scale)) scale <- choose_one(scale, scale_settings, "`scale`")
  for (time in names(times)) {
    items <- times[[time]][!is.na(times[[time]])]
    # a file may declare the constructs by themselves
    if (time %in% names(bp$constructs) && identical(bp$constructs[[time]]$items, items)) next
    bp <- add_construct(bp, time, items, scale = scale)
  }
  bp$repeated[[name]] <- times
  places <- repeated_places(bp$repeated)
  twice <- places$name[duplicated(places$name) & !duplicated(places)]
  if (length(twice))
    abort("duplicate", c(text_of("stands_two_times_or", twice = quoted(twice[1L])),
                         i = text_of("give_each_item_one")))
  bp
}

check_times <- function(bp, name, times) {
  if (name %in% c(names(bp$repeated), names(bp$constructs)))
    abort("duplicate", c(text_of("is_declared_twice", name = quoted(name)),
                         i = text_of("give_what_is_repeated")))
  labels <- names(times) %||% rep("", length(times))
  if (length(times) < 2L || any(!nzchar(labels)) || anyDuplicated(labels) || name %in% labels)
    abort("input", c(text_of("needs_two_times_or", name = quoted(name)),
                     x = text_of("there_are_named", times = length(times),
                      labels = if (any(nzchar(labels))) enumerate(quoted(labels)) else "nothing"),
                     i = text_of("such_times_list_before", name = name, name_2 = name)))
  sizes <- lengths(times)
  if (length(unique(sizes)) > 1L)
    abort("input", c(text_of("times_have_different_numbers", name = quoted(name),
                             sizes = enumerate(paste(labels, sizes))),
                     i = text_of("items_are_paired_position")))
  empty <- vapply(times, function(x) all(is.na(x)), NA)
  if (any(empty)) abort("input", text_of("nothing_was_asked", empty = labels[empty][1L]))
}

# For every name that belongs to a time: which time, and its name at the first time (items by
# position, constructs by the first time).
repeated_places <- function(repeated) {
  parts <- lapply(unname(repeated), function(times) {
    asked <- do.call(cbind, unname(times))
    first <- apply(asked, 1L, function(x) x[!is.na(x)][1L])
    list(name = c(names(times), as.character(asked)),
         label = c(rep(names(times)[1L], length(times)), rep(first, length(times))),
         time = c(seq_along(times), rep(seq_along(times), each = nrow(asked))))
  })
  columns <- lapply(stats::setNames(nm = c("name", "label", "time")), function(what) {
    unlist(lapply(parts, `[[`, what))
  })
  places <- list_frame(columns)
  unique(places[!is.na(places$name), ])
}

# Residuals of the same item at two times.
repeated_pairs <- function(repeated) {
  pairs <- unlist(lapply(unname(repeated), function(times) {
    asked <- do.call(cbind, unname(times))
    lapply(seq_len(nrow(asked)), function(k) {
      items <- asked[k, !is.na(asked[k, ])]
      if (length(items) > 1L) t(utils::combn(items, 2L))
    })
  }), recursive = FALSE)
  all <- unique(do.call(rbind, pairs))
  list(first = as.character(all[, 1L]), second = as.character(all[, 2L]))
}

# The blueprint without some items or constructs; a construct that remains at a single time is an
# ordinary construct.
repeated_without <- function(repeated, gone) {
  left <- lapply(repeated, function(times) {
    times <- lapply(times[setdiff(names(times), gone)], function(x) replace(x, x %in% gone, NA))
    asked <- do.call(cbind, unname(times))
    if (length(times) < 2L) return(NULL)
    keep <- rowSums(!is.na(asked)) > 0L
    lapply(times, function(x) x[keep])
  })
  Filter(Negate(is.null), left)
}

# Leaving variables out of a blueprint, and the blueprint of one group.

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
    # one that is present by default
    if (all(keep)) return(without_statements(add_pairs(bp, c(address$first, address$second),
                                                       "uncorrelate"), path,
                                             function(text) without_group(text) == path))
    bp$covary <- lapply(bp$covary, function(x) x[keep])
  }
  without_statements(bp, path, function(text) without_group(text) == path)
}

# Restrictions, quantities, and claims that mention a removed variable are also removed, and a note
# lists them. `mentions`: whether an address mentions one.
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

# The remaining constructs, each without the removed items.
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
  if (length(bp$restrict) + length(bp$relax) + length(bp$left_out) == 0L) return(bp)
  names_another <- function(text) {
    named <- parse_address(text)$group
    !is.null(named) && !group %in% named
  }
  # only an address with a bar can name a group
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
