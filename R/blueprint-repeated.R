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

# list(Calm_before = c(a1, NA), ...) as a list of names, NA where an item was not asked; the list
# may also come ready made.
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

# `times`: a named list of item names, NA where an item was not asked.
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

# Every name that has a time: which time, and what it is called at the first one (items by position,
# constructs by the first time).
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

# Without some items or constructs; a construct that remains at a single time is an ordinary
# construct.
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
