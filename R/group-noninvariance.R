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
       d_unsigned = sqrt(score^2 + drop(slope %*% v$covariance %*% slope)) / sizes,
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
