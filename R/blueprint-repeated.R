#' One construct at several times
#'
#' Declares the same construct once for each time it was measured: one construct a time, its items
#' paired by position. Residuals of the same item covary over all pairs of times, unless
#' [uncorrelate()] says otherwise. What is equal over times is held by [hold_equal()] with
#' `across = "times"`; [invariance()] climbs the ladder over the times.
#'
#' @param .bp A blueprint.
#' @param name What the construct is called over times, such as `"Calm"`; not a variable itself.
#' @param times A list with one element a time, in their order, named as the constructs are to be
#'   called: `list(Calm_before = c(a1, a2, a3), Calm_after = c(b1, b2, b3))`. The items of a time
#'   follow the capture rule (bare names, ranges, texts); `NA` in place of an item says that it was
#'   not asked then.
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
  check_string(name, "The name of a construct")
  add_repeated(.bp, name, captured_times(rlang::enquo(times), name), scale)
}

# list(Calm_before = c(a1, NA), ...) as a list of names, NA where an item was not asked; the list
# may also come ready made.
captured_times <- function(quosure, name) {
  expression <- rlang::quo_get_expr(quosure)
  env <- rlang::quo_get_env(quosure)
  what <- paste0("`times` of ", quoted(name))
  if (is.call(expression) && identical(expression[[1L]], quote(list))) {
    parts <- as.list(expression)[-1L]
    return(lapply(parts, function(part) items_of_time(part, env, what)))
  }
  value <- tryCatch(eval(expression, env), error = function(e) NULL)
  usable <- is.list(value) && all(vapply(value, function(x) is.character(x) || all(is.na(x)), NA))
  if (usable) return(lapply(value, as.character))
  abort("input", c(paste0(what, " must be a list with the items of each time."),
                   i = paste0("Such as times = list(", name, "_before = c(a1, a2), ", name,
                              "_after = c(b1, b2)).")))
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
    abort("duplicate", c(paste0(quoted(twice[1L]), " stands at two times, or is paired with two ",
                                "different items."),
                         i = "Give each item one place in `times`."))
  bp
}

check_times <- function(bp, name, times) {
  if (name %in% c(names(bp$repeated), names(bp$constructs)))
    abort("duplicate", c(paste0(quoted(name), " is declared twice."),
                         i = "Give what is repeated a name of its own."))
  labels <- names(times) %||% rep("", length(times))
  if (length(times) < 2L || any(!nzchar(labels)) || anyDuplicated(labels) || name %in% labels)
    abort("input", c(paste0(quoted(name), " needs two times or more, each with a name of its own."),
                     x = paste0("There are ", length(times), ", named ",
                                if (any(nzchar(labels))) enumerate(quoted(labels)) else "nothing",
                                "."),
                     i = paste0("Such as times = list(", name, "_before = c(a1, a2), ", name,
                                "_after = c(b1, b2)).")))
  sizes <- lengths(times)
  if (length(unique(sizes)) > 1L)
    abort("input", c(paste0("The times of ", quoted(name), " have different numbers of items: ",
                            enumerate(paste(labels, sizes)), "."),
                     i = "Items are paired by position: write NA for one that was not asked."))
  empty <- vapply(times, function(x) all(is.na(x)), NA)
  if (any(empty)) abort("input", paste0("Nothing was asked at ", labels[empty][1L], "."))
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

# Without some items or constructs; what is left at one time is a construct like any other.
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
