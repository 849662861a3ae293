#' Release equalities until a rung holds
#'
#' Establishes partial invariance (Byrne, Shavelson & Muthén 1989). One equality is released at a
#' time, always the one whose release lowers \eqn{\chi^2} most, until the rung meets the criterion
#' or no further release would help. Only equalities that this rung adds to the previous one are
#' released, so that the two remain nested; an equality of an earlier rung whose release would help
#' more is reported. At least two loadings, and on the scalar rung two intercepts, of each construct
#' remain equal.
#'
#' @param ladder A ladder from [invariance()].
#' @param rung The rung to loosen, such as `"metric"`.
#' @param until When to stop: `"indices"`: when the rung holds by the rules of [invariance()]; or
#'   `"p"`, when the \eqn{\Delta\chi^2} has a *p* of at least `p_change`, or else `significance`, of
#'   the criteria.
#' @param most How many equalities to release at most.
#' @param with_intercept Whether the intercept of an item is released together with its loading, on
#'   this rung and on all later ones.
#' @param criteria An object from [criteria()]. The default are the criteria of the ladder.
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object of class `orizzonte_loosened`: a list with `fit` (a fit with its [trail()]),
#'   `released` (a data frame: `step`, `parameter`, `modification_index`, `actual_drop`, `estimate`,
#'   `reference`, the value held by the others or of the first other group), `holds` (also `FALSE`
#'   if an earlier rung does not hold; `rests_on` names that rung), `earlier` (an address that an
#'   earlier rung holds and that would help more) and `ladder` (with the loosened rung in place, all
#'   later rungs refitted with the same exceptions, and the releases of all rungs in `releases`).
#'   `as.data.frame()` gives `released`.
#' @section Errors: `orizzonte_error_name` for a rung that the ladder does not have;
#' `orizzonte_error_input` for the first rung, which has no equality constraints.
#' @seealso [invariance()], [noninvariance()], [let_differ()] to state the same exceptions in a
#' blueprint.
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4) |>
#'   construct("Craft", reflected_in = cr1:cr3)
#' ladder <- suppressMessages(invariance(bp, choirs, by = "setting"))
#' loosen(ladder, "metric", until = "p")
#' @export
loosen <- function(ladder, rung, until = "indices", most = 10, with_intercept = TRUE,
                   criteria = NULL, ...) {
  check_arguments("loosen")
  if (!inherits(ladder, "orizzonte_ladder"))
    abort("input",
          c(text_of("loosen_needs_ladder"),
            i = text_of("ladder_invariance_blueprint_data")))
  check_rung(rung, ladder)
  rungs <- names(ladder$fits)
  at <- match(rung, rungs)
  if (at == 1L) abort("input", text_of("first_rung_holds_nothing"))
  until <- choose_one(until, c("indices", "p"), "`until`")
  check_flag(with_intercept, "`with_intercept`")
  criteria <- if (is.null(criteria)) ladder$criteria else check_criteria(criteria)
  check_count(most, "`most`", 1)
  before <- ladder$fits[[ladder$table$against[at]]]
  fit <- ladder$fits[[at]]
  check_converged(fit, "loosen")
  check_converged(before, "loosen")
  found <- release_equalities(fit, before, rung, until, most, with_intercept, criteria)
  releases <- added_releases(ladder$releases, rung, found$released)
  relaid <- relaid_ladder(ladder, found$fit, at, releases)
  rests_on <- unsound_below(relaid, rung)
  found$holds <- found$holds && is.null(rests_on)
  structure(c(found, list(rung = rung, until = until, criteria = criteria, rests_on = rests_on,
                          ladder = relaid)),
            class = "orizzonte_loosened")
}

added_releases <- function(before, rung, released) {
  named <- list_frame(c(list(rung = rep(rung, nrow(released))), as.list(released)))
  rbind(before %||% no_releases(), named)
}

# The unsound rung below; NULL when all are sound.
unsound_below <- function(ladder, rung) {
  t <- ladder$table
  below <- t$rung[seq_len(match(rung, t$rung) - 1L)]
  below <- below[below %in% names(rung_adds)]
  bad <- below[!t$verdict[match(below, t$rung)] %in% sound_codes]
  if (length(bad)) bad[1L]
}

# One at a time, from the equalities that this rung adds: releasing an equality of an earlier rung
# would leave the two without a common basis.
release_equalities <- function(fit, before, rung, until, most, with_intercept, criteria) {
  own <- added_equalities(fit, before)
  met <- function(fit) rung_meets_criteria(fit, before, rung, until, criteria)
  released <- list()
  steps <- 0L
  blocked <- FALSE
  earlier <- NULL
  while (!met(fit) && steps < most) {
    table <- amendments(fit, kinds = "equality across", top = 3)
    first <- table[1L, ]
    table <- table[table$parameter %in% own & releasable(fit, table$parameter), , drop = FALSE]
    earlier <- if (nrow(table) == 0L || !first$parameter %in% own)
      first[c("parameter", "modification_index", "p")]
    blocked <- nrow(table) == 0L || table$p[1L] > criteria$significance
    if (blocked) break
    steps <- steps + 1L
    together <- release_over_times(fit, own, rung, steps, with_intercept, table$p[1L])
    taken <- together %||% release_one(fit, table[1L, ], rung, steps, with_intercept)
    fit <- taken$fit
    released <- c(released, taken$rows)
    if (!has_converged(fit)) break
  }
  columns <- if (length(released)) do.call(Map, c(list(c), released)) else
    list(step = integer(), parameter = character(), modification_index = numeric(),
         actual_drop = numeric(), estimate = numeric(), reference = numeric())
  worth <- !is.null(earlier) && !earlier$parameter %in% own && earlier$p < criteria$significance
  meets <- met(fit)
  list(fit = fit, released = list_frame(columns), holds = meets, meets = meets, blocked = blocked,
       earlier = if (worth) earlier$parameter)
}

most_joint_releases <- 60L

# With equalities over groups and times, a parameter that differs at one time in all groups alike is
# released as one step: free at this time, still equal over groups. The best such release by a refit
# of each, where it is as significant as that of a single group (`p`); NULL otherwise.
release_over_times <- function(fit, own, rung, step, with_intercept, p) {
  rows <- fit$layout$rows
  plain <- addresses_without_group(rows)
  groups <- length(fit$layout$groups)
  open <- which(rows$over_groups & rows$over_times & rows$time > 1L & rows$parameter %in% own)
  known <- unique(plain[open])
  known <- known[vapply(known, function(one) {
    all(releasable(fit, rows$parameter[plain == one])) && sum(plain[open] == one) == groups
  }, NA)]
  if (groups < 2L || length(known) == 0L || length(known) > most_joint_releases) return(NULL)
  tried <- map_with_progress(known, function(one) {
    other <- tryCatch(suppressWarnings(suppressMessages(
      refit_quietly(fit, list(blueprint = free_over_times(fit, one, FALSE))))),
      orizzonte_error = function(e) NULL)
    if (is.null(other) || !has_converged(other)) return(NA_real_)
    difference_test(fit, other)$p
  }, text_of("equalities_over_times"))
  p_joint <- unlist(tried)
  if (all(is.na(p_joint)) || min(p_joint, na.rm = TRUE) > p) return(NULL)
  chosen <- known[which.min(p_joint)]
  taken_along <- free_over_times(fit, chosen, with_intercept)
  amended <- suppressWarnings(suppressMessages(refit_quietly(fit, list(blueprint = taken_along))))
  at <- match(chosen, addresses_without_group(amended$layout$rows))
  bp <- amended$request$blueprint
  change <- change_of(chosen, "free", values_of(fit)[match(chosen, plain)], values_of(amended)[at])
  bp$trail <- add_revision(fit, amended, list(change),
                           text_of("largest_index_among_equalities", rung = rung), NA_real_)
  amended <- with_blueprint(amended, bp)
  added <- setdiff(taken_along$let_differ_times, fit$request$blueprint$let_differ_times)
  list(fit = amended, rows = lapply(added, function(parameter) {
    c(list(step = step, parameter = parameter, modification_index = NA_real_,
           actual_drop = if (parameter == chosen) drop_between(fit, amended) else NA_real_),
      value_and_first_time(amended, parameter))
  }))
}

# The value of a parameter at its time, and that at the first time, in the first group.
value_and_first_time <- function(fit, parameter) {
  rows <- fit$layout$rows
  at <- match(parameter, addresses_without_group(rows))
  first <- which(rows$over %in% rows$over[at] & rows$group == rows$group[at] & rows$time == 1L)[1L]
  list(estimate = values_of(fit)[at], reference = values_of(fit)[first])
}

# The blueprint with a parameter free over times; the intercept of an item is released together with
# its loading.
free_over_times <- function(fit, address, with_intercept) {
  bp <- fit$request$blueprint
  bp$let_differ_times <- union(bp$let_differ_times, address)
  parsed <- parse_address(address)
  if (with_intercept && parsed$kind == "loading" && fit$layout$means)
    bp$let_differ_times <- union(bp$let_differ_times, address_format("intercept", parsed$second))
  bp
}

# A loading is released together with the item's intercept: where the loading differs, the origin of
# the item's line also differs, and a held intercept would bias the means of the construct.
release_one <- function(fit, row, rung, step, with_intercept) {
  because <- text_of("largest_index_among_equalities", rung = rung)
  intercept <- if (with_intercept) intercept_along(fit, row$parameter)
  held <- intercept[intercept %in% fit$layout$rows$parameter[fit$layout$rows$shared]]
  amended <- suppressMessages(suppressWarnings(
    amend_fit(fit, c(row$parameter, held), because = because)))
  rows <- list(c(list(step = step), as.list(row[c("parameter", "modification_index",
                                                  "actual_drop")]),
                 released_values(amended, row$parameter)))
  if (length(intercept)) {
    # exempt from later rungs, even where it is already free
    if (length(held) == 0L)
      amended <- with_blueprint(amended, add_different(amended$request$blueprint, intercept))
    rows <- c(rows, list(c(list(step = step, parameter = intercept,
                                modification_index = NA_real_, actual_drop = NA_real_),
                           released_values(amended, intercept))))
  }
  list(fit = amended, rows = rows)
}

# The intercept of the item whose loading is released, in the same group; NULL for anything else.
intercept_along <- function(fit, parameter) {
  address <- parse_address(parameter)
  if (address$kind != "loading" || !fit$layout$means) return(NULL)
  rows <- fit$layout$rows
  at <- which(rows$kind == "intercept" & rows$first == address$second &
                rows$group == (address$group %||% rows$group[match(parameter, rows$parameter)]))
  if (length(at) == 1L && is.na(rows$fixed[at])) rows$parameter[at]
}

rung_meets_criteria <- function(fit, before, rung, until, criteria) {
  if (!has_converged(fit)) return(FALSE)
  if (until == "indices") {
    judged <- if (rung %in% names(rung_adds)) judge_rung(fit, before, rung, criteria) else
      judge_step(fit, before, criteria)
    return(judged$verdict %in% c(sound_codes, step_codes))
  }
  test <- difference_test(fit, before)
  test$df <= 0 || test$p >= release_level(criteria)
}

# The level of the difference test when it decides.
release_level <- function(criteria) criteria$p_change %||% criteria$significance

verdict_of_rung <- function(ladder, rung) ladder$table$verdict[match(rung, ladder$table$rung)]

# The value of a released parameter, and the groups in which it is still held.
released_values <- function(fit, parameter) {
  rows <- fit$layout$rows
  at <- match(parameter, rows$parameter)
  plain <- addresses_without_group(rows)
  over <- !is.na(rows$over) & rows$over %in% rows$over[at] & rows$group == rows$group[at]
  others <- setdiff(which(over | plain == plain[at]), at)
  others <- others[order(!rows$shared[others], plain[others] != plain[at])]
  list(estimate = values_of(fit)[at], reference = values_of(fit)[others[1L]])
}

# The loosened fit in its place; later rungs are refitted with the same exceptions.
relaid_ladder <- function(ladder, fit, at, releases) {
  fits <- ladder$fits[names(ladder$limits)]
  except <- fit$request$blueprint[differ_keys]
  for (k in seq_along(fits)) {
    bp <- without_trail(fits[[k]]$request$blueprint)
    for (key in differ_keys) bp[[key]] <- union(bp[[key]], except[[key]])
    if (k == at) fits[[k]] <- fit
    if (k > at) fits[[k]] <- refit_quietly(fits[[k]], list(blueprint = bp), errors = FALSE)
    # a structural step is refitted from its own reference rung, which is unchanged
    if (at > length(fits)) fits[[k]] <- with_blueprint(fits[[k]], bp)
  }
  new_ladder(ladder$blueprint, fits, ladder$criteria, ladder$against, ladder$structural, ladder$on,
             ladder$over, releases)
}

released_columns <- function(r) {
  list(step = format_count(r$step), parameter = r$parameter,
       MI = format_fixed(r$modification_index, 2L),
       drop = format_fixed(r$actual_drop, 2L), estimate = format_number(r$estimate),
       `held at` = format_number(r$reference))
}

loosened_reading <- function(x) {
  told <- if (x$until == "p")
    text_of("p_least", criteria = short_number(release_level(x$criteria))) else
      text_of("criteria_ladder")
  count <- length(unique(x$released$step))
  if (x$meets) {
    text_of("rung_meets",
            opening = if (count) text_of("after_releases", count = count) else
              text_of("nothing_released"),
            rung = x$rung, told = told,
            below = if (!is.null(x$rests_on))
              text_of("but_rests_on", below = x$rests_on,
                      why = words_of("unsound", verdict_of_rung(x$ladder, x$rests_on))),
            search = if (count) text_of("after_a_search"))
  } else {
    text_of("rung_does_not_meet", rung = x$rung, told = told,
            blocked = if (x$blocked) text_of("loosening_blocked") else ".",
            earlier = if (length(x$earlier)) text_of("held_since_earlier_rung",
                earlier = x$earlier))
  }
}

#' @export
as.data.frame.orizzonte_loosened <- function(x, ...) x$released

#' @export
print.orizzonte_loosened <- function(x, ...) {
  put_lines(heading(text_of("loosened_rung", rung = x$rung, title = x$fit$request$blueprint$title)))
  if (nrow(x$released)) {
    put_lines(text_of("released_in_this_order"),
              format_table(released_columns(x$released), c(TRUE, FALSE, rep(TRUE, 4L))),
              format_wordings(x$released$parameter, all_wordings(x$fit)), "")
  }
  put_lines(wrap_lines(loosened_reading(x)), "")
  with_means <- !is.null(comparable_rung(x$ladder))
  put_lines(next_step(if (with_means) "use_loosened_with_means" else "use_loosened"))
  invisible(x)
}
