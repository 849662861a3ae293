#' How large is the non-invariance of each item?
#'
#' For each item, its loadings and intercept are freed while all other items remain constrained as
#' on the scalar rung (parameters that are free there stay free), and its expected score in each
#' group is compared with that under the values of the reference group, over the distribution of the
#' constructs in the group (Nye & Drasgow 2011; Millsap 2011).
#'
#' @param ladder A ladder from [invariance()] or [loosen()], or one fit of several groups.
#' @param rung The rung whose equality constraints apply.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_noninvariance`, one row per item and group: `item`,
#'   `construct`, `group`, `against` (the reference group, or the item at the first time),
#'   `difference` (mean difference of the expected scores, in points of the item), `d` (the same in
#'   pooled standard deviations of the item), `se`, `lower`, `upper` (of `d` at 95%, by the delta
#'   method with the distribution of the constructs and the standard deviations taken as known),
#'   `d_unsigned` (root mean square over cases, in the same unit; it cannot be negative and has no
#'   interval), `chisq`, `df`, `p` (Wald test that the loadings and the intercept of the item are
#'   equal in this group and in the reference), `p_adjusted` (the same for all rows; Holm 1979),
#'   `status` (`"held"`, `"partly free"` or `"free"` between this group and the reference on the
#'   rung), `loading_difference` and `intercept_difference` (group minus reference, of the first
#'   construct), `sign` of its loading.
#' Attribute `totals`: by construct and group, the observed difference of the total score, and how
#'   much of it comes from items that are free there; items that load negatively are reversed.
#' @section Errors: `orizzonte_error_name` for a rung the ladder does not have.
#' @references
#' Holm, S. (1979). A simple sequentially rejective multiple test procedure. *Scandinavian Journal
#' of Statistics, 6*(2), 65--70.
#'
#' Millsap, R. E. (2011). *Statistical approaches to measurement invariance*. Routledge.
#'
#' Nye, C. D., & Drasgow, F. (2011). Effect size indices for analyses of measurement equivalence.
#' *Journal of Applied Psychology, 96*(5), 966--980.
#' @seealso [invariance()], [loosen()], [expected_scores()].
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4) |>
#'   construct("Craft", reflected_in = cr1:cr3)
#' ladder <- suppressMessages(invariance(let_differ(bp, loading[Calm, sc2], intercept[cr3]), choirs,
#'                                       by = setting))
#' noninvariance(ladder)
#' @export
noninvariance <- function(ladder, rung = "scalar", ...) {
  check_arguments("noninvariance")
  if (inherits(ladder, "orizzonte_loosened")) ladder <- ladder$ladder
  single <- inherits(ladder, "orizzonte_fit")
  if (!single && !inherits(ladder, "orizzonte_ladder"))
    abort("input",
          c(text_of("noninvariance_needs_ladder_or"),
            i = text_of("ladder_invariance_blueprint_data")))
  fit <- rung_fit(ladder, rung, "noninvariance")
  if (single && !any(compared_over(fit$layout))) check_grouped(fit$layout)
  check_converged(fit, "noninvariance")
  items <- reflective_items(fit$layout)
  groups <- fit$layout$groups
  places <- item_places(fit$layout, items, groups)
  of <- vapply(places, `[[`, "", "item")
  rows <- unlist(map_with_progress(intersect(items, of), function(item) {
    cached(fit, paste("differences of", item), item_differences(fit, item, places[of == item]))
  }, text_of("items_freed")), recursive = FALSE)
  columns <- do.call(Map, c(list(c), rows))
  columns$p_adjusted <- stats::p.adjust(columns$p, "holm")
  out <- list_frame_class(columns, "orizzonte_noninvariance")
  structure(out, reference = groups[1L], title = fit$request$blueprint$title,
            totals = total_differences(fit, out), over = compared_over(fit$layout),
            caveat = if (!single) caveat_of(ladder, rung %||% default_rung(ladder)),
            wording = all_wordings(fit))
}

# The comparisons: each item in each group with itself in the first one; over times with the same
# item at the first time, in each group.
item_places <- function(layout, items, groups) {
  over <- compared_over(layout)
  rows <- layout$rows
  out <- list()
  for (item in items) {
    if (!over[["times"]] || over[["groups"]])
      for (g in groups[-1L])
        out <- c(out, list(list(item = item, items = c(item, item), groups = c(g, groups[1L]))))
    if (!over[["times"]]) next
    at <- which(rows$kind == "intercept" & rows$first == item & rows$time > 1L)
    for (k in at) {
      first <- which(rows$over == rows$over[k] & rows$group == rows$group[k])[1L]
      if (first != k)
        out <- c(out, list(list(item = item, items = rows$first[c(k, first)],
                                groups = rows$group[c(k, k)])))
    }
  }
  out
}

# `places`: those of one item.
item_differences <- function(fit, item, places) {
  rows <- fit$layout$rows
  own <- rows$kind == "loading" & rows$second %in% item | rows$kind == "intercept" &
    rows$first == item
  held <- any(rows$shared[own])
  freed <- if (held) refit_quietly(fit, list(blueprint = freed_item(fit, own))) else fit
  views <- group_views(freed)
  vcov <- vcov_of(freed)
  lapply(Filter(function(place) item %in% views[[place$groups[1L]]]$layout$observed, places),
         item_difference, views = views, fit = fit, freed = freed, vcov = vcov)
}

# An item at one place against another: its expected score under the parameters of the other place,
# over the distribution of the constructs.
item_difference <- function(place, views, fit, freed, vcov) {
  v <- item_values(views[[place$groups[1L]]], place$items[1L])
  reference <- item_values(views[[place$groups[2L]]], place$items[2L])
  if (place$items[1L] != place$items[2L])
    reference$loading <- loading_at_time(fit, v, reference)
  sizes <- pooled_sizes(place, views)
  slope <- if (is.null(reference)) v$loading * NA else v$loading - reference$loading
  shift <- if (is.null(reference)) NA_real_ else v$intercept - reference$intercept
  score <- shift + sum(slope * v$mean)
  main <- which.max(abs(v$loading))
  pairs <- paired_rows(fit, place)
  test <- test_of_pairs(freed, paired_rows(freed, place), v$mean, vcov)
  d <- score / sizes
  reach <- stats::qt(0.975, reference_df(freed)) * test$se / sizes
  list(item = place$item, construct = fit$layout$constructs[main],
       group = shown_group(fit$layout, place$groups[1L]),
       against = if (place$items[1L] == place$items[2L]) place$groups[2L] else place$items[2L],
       difference = score, d = d, se = test$se / sizes, lower = d - reach, upper = d + reach,
       d_unsigned = real_root(score^2 + drop(slope %*% v$covariance %*% slope)) / sizes,
       chisq = test$wald, df = test$df, p = test$p, p_adjusted = NA_real_,
       status = status_of_pairs(fit, pairs), loading_difference = unname(slope[main]),
       intercept_difference = shift, sign = sign(v$loading[main]))
}

# The loadings and the intercept of an item at a place and at its reference: rows of the layout,
# with the construct of each (NA for the intercept).
paired_rows <- function(fit, place) {
  rows <- fit$layout$rows
  repeated <- fit$request$blueprint$repeated
  of <- function(k) {
    at <- which(rows$group == place$groups[k] &
                  (rows$kind == "loading" & rows$second == place$items[k] |
                     rows$kind == "intercept" & rows$first == place$items[k]))
    list(row = at, construct = ifelse(rows$kind[at] == "loading", rows$first[at], NA))
  }
  own <- of(1L)
  other <- of(2L)
  label <- function(x) ifelse(is.na(x), "", label_over_times(x, repeated))
  found <- match(label(own$construct), label(other$construct))
  list(own = own$row[!is.na(found)], reference = other$row[found[!is.na(found)]],
       construct = own$construct[!is.na(found)])
}

# The status of each pair of rows: held equal or free.
status_of_pairs <- function(fit, pairs) {
  rows <- fit$layout$rows
  held <- rows$class[pairs$own] == rows$class[pairs$reference] |
    (!is.na(rows$fixed[pairs$own]) & rows$fixed[pairs$own] == rows$fixed[pairs$reference]) %in% TRUE
  if (all(held)) "held" else if (any(held)) "partly free" else "free"
}

# The Wald test that both places are equal, and the standard error of the difference of the expected
# scores at the means of the constructs.
test_of_pairs <- function(fit, pairs, means, vcov) {
  none <- list(wald = NA_real_, df = NA_integer_, p = NA_real_, se = NA_real_)
  if (!has_converged(fit) || anyNA(vcov) || length(pairs$own) == 0L) return(none)
  map <- map_matrix(fit$layout)
  contrast <- map[pairs$own, , drop = FALSE] - map[pairs$reference, , drop = FALSE]
  gap <- values_of(fit)[pairs$own] - values_of(fit)[pairs$reference]
  weight <- ifelse(is.na(pairs$construct), 1, means[match(pairs$construct, fit$layout$constructs)])
  moving <- rowSums(abs(contrast)) > 0
  if (!any(moving)) return(none)
  variance <- contrast %*% vcov %*% t(contrast)
  c(wald_test(gap[moving], variance[moving, moving, drop = FALSE]),
    list(se = sqrt(max(0, drop(weight %*% variance %*% weight)))))
}

# The loadings of the first time, on the constructs of this one.
loading_at_time <- function(fit, v, reference) {
  names <- fit$layout$constructs
  label <- label_over_times(names, fit$request$blueprint$repeated)
  own <- v$loading != 0
  out <- numeric(length(names))
  out[own] <- vapply(which(own), function(k) {
    sum(reference$loading[label == label[k] & reference$loading != 0])
  }, 0)
  out
}

# The standard deviation of the item, pooled over groups, or over the two times.
pooled_sizes <- function(place, views) {
  values <- if (place$items[1L] == place$items[2L])
    Filter(Negate(is.null), lapply(views, item_values, item = place$items[1L])) else
    Map(function(item, g) item_values(views[[g]], item), place$items, place$groups)
  n <- vapply(values, `[[`, 0, "n")
  sqrt(sum(n * vapply(values, `[[`, 0, "variance")) / sum(n))
}

# The blueprint with one item's loadings and intercept free in every group.
freed_item <- function(fit, own) {
  rows <- fit$layout$rows
  bp <- without_trail(fit$request$blueprint)
  bp$let_differ <-
    union(bp$let_differ, unique(addresses_without_group(rows)[own]))
  bp
}

# The loadings and intercept of an item in one group, with the moments of the constructs; NULL when
# the group does not have the item.
item_values <- function(view, item) {
  at <- match(item, view$layout$observed)
  if (is.na(at)) return(NULL)
  matrices <- view_matrices(view)
  latent <- seq_along(view$layout$constructs) + length(view$layout$observed)
  list(loading = matrices$effects[at, latent], intercept = matrices$intercepts[at],
       mean = matrices$mean[latent], covariance = matrices$covariance[latent, latent, drop = FALSE],
       variance = view$moments$covariance[at, at], n = view$moments$n)
}

# The observed difference of total scores (items that load negatively turned round), and the part
# that comes from free items.
total_differences <- function(fit, gaps) {
  views <- group_views(fit)
  within <- ifelse(is.na(gaps$group), fit$layout$groups[1L], gaps$group)
  over <- !gaps$against %in% fit$layout$groups       # against an item of the first time
  key <- paste(gaps$construct, within, over, sep = "\r")
  mean_of <- function(item, g) views[[g]]$moments$mean[match(item, views[[g]]$layout$observed)]
  observed <- vapply(seq_along(within), function(k) {
    base <- if (over[k]) mean_of(gaps$against[k], within[k]) else
      mean_of(gaps$item[k], fit$layout$groups[1L])
    gaps$sign[k] * (mean_of(gaps$item[k], within[k]) - base)
  }, 0)
  first <- !duplicated(key)
  sum_by <- function(x) as.numeric(tapply(x, factor(key, unique(key)), sum))
  list_frame(list(construct = gaps$construct[first], group = gaps$group[first],
                  observed = sum_by(observed),
                  from_free_items = sum_by(ifelse(gaps$status == "held", 0,
                                                  gaps$sign * gaps$difference))))
}

# The largest differences first.
noninvariance_columns <- function(x, most = most_differences) {
  shown <- utils::head(as.data.frame(x[order(-abs(x$d_unsigned)), ]), most)
  over <- attr(x, "over") %||% c(groups = TRUE, times = FALSE)
  place <- c(if (!all(is.na(shown$group)))
    list(group = ifelse(is.na(shown$group), "", shown$group)),
    if (over[["times"]]) list(against = shown$against))
  titled(c(list(item = shown$item), place, list(
       loading_difference = format_number(shown$loading_difference),
       intercept_difference = format_number(shown$intercept_difference),
       difference = format_fixed(shown$difference, 2L), d = format_fixed(shown$d, 2L),
       `95% interval` = shown_interval(shown$lower, shown$upper),
       `unsigned d` = format_fixed(shown$d_unsigned, 2L),
       `p (Holm)` = format_p(shown$p_adjusted), status = shown$status)))
}

most_differences <- 24L

# The note on rows that are not shown; NULL when all are.
more_differences <- function(x) {
  more <- nrow(x) - most_differences
  if (more > 0L) text_of("more_differences", more = format_count(more))
}

# The contribution of freed items to the difference of total scores; NULL when all are held.
total_columns <- function(x) {
  totals <- attr(x, "totals")
  if (is.null(totals) || all(totals$from_free_items == 0)) return(NULL)
  t <- totals[totals$from_free_items != 0, ]
  group <- if (!all(is.na(t$group))) list(group = t$group)
  c(list(construct = t$construct), group,
    list(`observed difference` = format_fixed(t$observed, 2L),
       `due to freed items` = format_fixed(t$from_free_items, 2L)))
}

#' @export
print.orizzonte_noninvariance <- function(x, ...) {
  if (!all(c("item", "group", "difference", "d", "status") %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  columns <- noninvariance_columns(x)
  text <- c("item", "group", "against", "status")
  put_lines(heading(text_of("non_invariance_items", compared_words = compared_words(x))),
            format_caveat(x),
            format_table(columns, !names(columns) %in% text), more_differences(x), "",
            wrap_lines(text_of("noninvariance_note")))
  totals <- total_columns(x)
  if (!is.null(totals))
    put_lines("", text_of("difference_total_score"),
              format_table(totals, !names(totals) %in% c("construct", "group")))
  invisible(x)
}

# --- partial invariance --------------------------------------------------------------------------

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
