#' How large is the non-invariance of each item?
#'
#' For each item its loadings and intercept are freed alone, all others held as on the scalar rung
#' (those that are free there stay free), and its expected score in each group is compared with that
#' under the values of the reference group, over the distribution of the constructs in the group
#' (Nye & Drasgow 2011; Millsap 2011).
#'
#' @param ladder A ladder from [invariance()] or [loosen()], or one fit of several groups.
#' @param rung The rung that says what is held.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_gaps`: `item`, `construct`, `group`, `loading_gap` and
#'   `intercept_gap` (group minus reference, of the first construct), `expected_score` (mean
#'   difference in points of the item), `effect_size` (the same in pooled standard deviations of the
#'   item), `size_any_direction` (root mean square over cases, in the same unit), `chisq_drop` and
#'   `p` of freeing what is still held of it, `sign` of its loading, `status` on the rung (held,
#'   partly free, free).
#' Attribute `totals`: by construct and group, the observed difference of the total score, and how
#'   much of it comes from items that are free; items that load negatively are turned round.
#' @section Errors: `orizzonte_error_name` for a rung the ladder does not have.
#' @references
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
#' group_gaps(ladder)
#' @export
group_gaps <- function(ladder, rung = "scalar", ...) {
  check_arguments("group_gaps")
  if (inherits(ladder, "orizzonte_loosened")) ladder <- ladder$ladder
  single <- inherits(ladder, "orizzonte_fit")
  if (!single && !inherits(ladder, "orizzonte_ladder"))
    abort("input",
          c("group_gaps() needs a ladder, or a fit of several groups.",
            i = "ladder <- invariance(blueprint, data, by = \"column\")."))
  fit <- rung_fit(ladder, rung, "group_gaps")
  if (single) check_grouped(fit$layout)
  check_converged(fit, "group_gaps")
  items <- reflective_items(fit$layout)
  groups <- fit$layout$groups
  rows <- unlist(lapply(items, function(item) item_gaps(fit, item, groups)), recursive = FALSE)
  columns <- do.call(Map, c(list(c), rows))
  out <- list_frame_class(columns, "orizzonte_gaps")
  structure(out, reference = groups[1L], title = fit$request$blueprint$title,
            totals = total_gaps(fit, out, groups),
            caveat = if (!single) caveat_of(ladder, rung %||% default_rung(ladder)),
            wording = all_wordings(fit))
}

item_gaps <- function(fit, item, groups) {
  rows <- fit$layout$rows
  own <- rows$kind == "loading" & rows$second %in% item | rows$kind == "intercept" &
    rows$first == item
  held <- any(rows$shared[own])
  freed <- if (held) refit_quietly(fit, list(blueprint = freed_item(fit, own))) else fit
  test <- difference_test(fit, freed)
  values <- Filter(Negate(is.null), lapply(group_views(freed), item_values, item = item))
  sizes <- vapply(values, `[[`, 0, "n")
  pooled <- sqrt(sum(sizes * vapply(values, `[[`, 0, "variance")) / sum(sizes))
  reference <- values[[groups[1L]]]
  lapply(setdiff(names(values), groups[1L]), function(g) {
    v <- values[[g]]
    slope <- if (is.null(reference)) v$loading * NA else v$loading - reference$loading
    shift <- if (is.null(reference)) NA_real_ else v$intercept - reference$intercept
    score <- shift + sum(slope * v$mean)
    main <- which.max(abs(v$loading))
    list(item = item, construct = fit$layout$constructs[main], group = g,
         loading_gap = unname(slope[main]), intercept_gap = shift, expected_score = score,
         effect_size = score / pooled,
         size_any_direction = sqrt(score^2 + drop(slope %*% v$covariance %*% slope)) / pooled,
         chisq_drop = test$chisq, p = test$p, sign = sign(v$loading[main]),
         status = if (!held) "free" else if (item %in% item_status(fit)) "partly free" else "held")
  })
}

# The blueprint with one item's loadings and intercept free in every group.
freed_item <- function(fit, own) {
  rows <- fit$layout$rows
  bp <- bare_trail(fit$request$blueprint)
  bp$let_differ <-
    union(bp$let_differ, unique(addresses_without_group(rows)[own]))
  bp
}

# What an item is made of in one group; NULL where it is absent.
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
total_gaps <- function(fit, gaps, groups) {
  views <- group_views(fit)
  combos <- unique(gaps[c("construct", "group")])
  free <- item_status(fit)
  list_frame(list(
    construct = combos$construct, group = combos$group,
    observed = mapply(function(construct, g) {
      own <- gaps[gaps$construct == construct & gaps$group == g, ]
      mean_of <- function(view) view$moments$mean[match(own$item, view$layout$observed)]
      sum(own$sign * (mean_of(views[[g]]) - mean_of(views[[groups[1L]]])))
    }, combos$construct, combos$group, USE.NAMES = FALSE),
    from_free_items = mapply(function(construct, g) {
      own <- gaps[gaps$construct == construct & gaps$group == g & gaps$item %in% free, ]
      sum(own$sign * own$expected_score)
    }, combos$construct, combos$group, USE.NAMES = FALSE)))
}

# Items with a loading or an intercept that is not held.
item_status <- function(fit) {
  rows <- fit$layout$rows
  free <- !rows$shared & is.na(rows$fixed)
  loose <- rows$kind == "loading" & free | rows$kind == "intercept" & !rows$shared &
    rows$first %in% reflective_items(fit$layout)
  unique(ifelse(rows$kind == "loading", rows$second, rows$first)[loose])
}

# The largest ones first.
gap_columns <- function(x, most = 24L) {
  shown <- utils::head(as.data.frame(x[order(-abs(x$size_any_direction)), ]), most)
  titled(list(
       item = shown$item, group = shown$group, loading_gap = format_number(shown$loading_gap),
       intercept_gap = format_number(shown$intercept_gap),
       points = format_fixed(shown$expected_score, 2L), SD = format_fixed(shown$effect_size, 2L),
       `any way` = format_fixed(shown$size_any_direction, 2L),
       p = format_p(shown$p), status = shown$status))
}

gap_note <-
  paste0("points: expected score minus that under the reference group's values; SD: the ",
         "same in pooled standard deviations, signed and (any way) ",
         "over cases. About .2 is small, .4 medium, .7 large (Nye, Bradburn, Olenick, ",
         "Bialko & Drasgow 2019).")

# What items that are not held do to the difference of the totals; NULL when all are held.
total_columns <- function(x) {
  totals <- attr(x, "totals")
  if (is.null(totals) || all(totals$from_free_items == 0)) return(NULL)
  t <- totals[totals$from_free_items != 0, ]
  list(construct = t$construct, group = t$group, observed = format_fixed(t$observed, 2L),
       `from free items` = format_fixed(t$from_free_items, 2L))
}

#' @export
print.orizzonte_gaps <- function(x, ...) {
  if (!all(c("item", "group", "expected_score", "effect_size", "status") %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  put_lines(heading(paste0("Non-invariance of items, against ", attr(x, "reference"))),
            format_caveat(x), format_table(gap_columns(x), c(FALSE, FALSE, rep(TRUE, 6L), FALSE)),
            "", wrap_lines(gap_note))
  totals <- total_columns(x)
  if (!is.null(totals))
    put_lines("", "Difference of the total score",
              format_table(totals, c(FALSE, FALSE, TRUE, TRUE)))
  invisible(x)
}
