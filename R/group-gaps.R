#' How large is the non-invariance of each item?
#'
#' For each item its loadings and intercept are freed alone, all others held as on the scalar rung (those that are free there stay
#' free), and its expected score in each group is compared with that under the values of the reference group, over the distribution of the constructs
#' in the group
#' (Nye & Drasgow 2011; Millsap 2011).
#'
#' @param ladder What [invariance()] returned (or [loosen()], whose ladder is taken), with a scalar rung.
#' @param rung The rung that says what is held.
#' @return A data frame of class `orizzonte_gaps`: `item`, `construct`, `group`, `loading_gap` and `intercept_gap` (group minus reference, of the
#'   first construct), `expected_score` (mean difference in points
#'   of the item), `effect_size` (the same in pooled standard deviations of the item), `size_any_direction` (root mean square over persons, in the
#'   same unit), `chisq_drop` and `p` of freeing what is still held of it, `sign` of its loading, `status` on the rung (held, partly free, free).
#' Attribute `totals`: by construct and group, the observed difference of the total score, and how
#'   much of it comes from items that are free; items that load negatively are turned round.
#' @section Errors: `orizzonte_error_name` for a rung the ladder does not have.
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4) |> construct("Craft", reflected_in = cr1:cr3)
#' ladder <- suppressMessages(invariance(bp, choirs, by = "setting", except = c("loading[Calm, sc2]", "intercept[cr3]")))
#' group_gaps(ladder)
#' @export
group_gaps <- function(ladder, rung = "scalar") {
  if (inherits(ladder, "orizzonte_loosened")) ladder <- ladder$ladder
  if (!inherits(ladder, "orizzonte_ladder")) abort("input", c("group_gaps() needs a ladder.", i = "ladder <- invariance(blueprint, data, by = \"column\")."))
  fit <- rung_fit(ladder, rung, "group_gaps")
  check_converged(fit, "group_gaps")
  table <- fit$layout
  items <- reflective_items(table)
  groups <- group_names(fit)
  rows <- unlist(lapply(items, function(item) item_gaps(fit, item, groups)), recursive = FALSE)
  columns <- do.call(Map, c(list(c), rows))
  out <- list_frame_class(columns, "orizzonte_gaps")
  structure(out, reference = groups[1L], title = fit$blueprint$title, totals = total_gaps(fit, out, groups), wording = all_wordings(fit))
}

item_gaps <- function(fit, item, groups) {
  table <- fit$layout
  own <- table$head == "loading" & table$second %in% item | table$head == "intercept" & table$first == item
  held <- any(table$shared[own])
  freed <- fit
  if (held) {
    grouping <- fit$options$grouping
    grouping$except <- union(grouping$except, unique(address_format(table$head, table$first, table$second)[own]))
    freed <- refit_blueprint(fit, bare_trail(fit$blueprint), grouping = grouping)
  }
  drop <- stats::deviance(fit) - stats::deviance(freed)
  df <- stats::df.residual(fit) - stats::df.residual(freed)
  views <- group_views(freed, errors = FALSE)
  values <- lapply(views, function(view) {
    at <- match(item, view$layout$observed)
    if (is.na(at)) return(NULL)
    matrices <- model_matrices(view)
    p <- length(view$layout$observed)
    latent <- seq_along(view$layout$constructs) + p
    list(loading = matrices$effects[at, latent], intercept = matrices$intercepts[at], mean = matrices$mean[latent],
         covariance = matrices$covariance[latent, latent, drop = FALSE], variance = view$moments$covariance[at, at], n = view$moments$n)
  })
  values <- Filter(Negate(is.null), values)
  pooled <- sqrt(sum(vapply(values, function(v) v$n * v$variance, 0)) / sum(vapply(values, `[[`, 0, "n")))
  reference <- values[[groups[1L]]]
  lapply(setdiff(names(values), groups[1L]), function(g) {
    v <- values[[g]]
    slope <- if (is.null(reference)) v$loading * NA else v$loading - reference$loading
    shift <- if (is.null(reference)) NA_real_ else v$intercept - reference$intercept
    score <- shift + sum(slope * v$mean)
    main <- which.max(abs(v$loading))
    list(item = item, construct = fit$layout$constructs[main], group = g, loading_gap = unname(slope[main]), intercept_gap = shift, expected_score = score,
         effect_size = score / pooled, size_any_direction = sqrt(score^2 + drop(slope %*% v$covariance %*% slope)) / pooled, chisq_drop = drop,
         p = if (df > 0) upper_p(max(0, drop), df) else NA_real_, sign = sign(v$loading[main]),
             status = if (!held) "free" else if (item %in% item_status(fit)) "partly free" else "held")
  })
}

# The observed difference of total scores (items that load negatively turned round), and the part that comes from free items.
total_gaps <- function(fit, gaps, groups) {
  views <- group_views(fit, errors = FALSE)
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
  table <- fit$layout
  loose <- table$head == "loading" & !table$shared & is.na(table$fixed) | table$head == "intercept" & !table$shared & table$first %in% reflective_items(table)
  unique(ifelse(table$head == "loading", table$second, table$first)[loose])
}

# The largest ones first.
gap_columns <- function(x, most = 24L) {
  shown <- utils::head(as.data.frame(x[order(-abs(x$size_any_direction)), ]), most)
  list(item = shown$item, group = shown$group, loading = format_number(shown$loading_gap), intercept = format_number(shown$intercept_gap),
       points = format_fixed(shown$expected_score, 2L), SD = format_fixed(shown$effect_size, 2L), `any way` = format_fixed(shown$size_any_direction, 2L),
       p = format_p(shown$p), status = shown$status)
}

gap_note <- paste0("points: expected score minus that under the reference group's values; SD: the same in pooled standard deviations, signed and (any way) ",
                   "over persons. About .2 is small, .4 medium, .7 large (Nye, Bradburn, Olenick, Bialko & Drasgow 2019).")

# What items that are not held do to the difference of the totals; NULL when all are held.
total_columns <- function(x) {
  totals <- attr(x, "totals")
  if (is.null(totals) || all(totals$from_free_items == 0)) return(NULL)
  t <- totals[totals$from_free_items != 0, ]
  list(construct = t$construct, group = t$group, observed = format_fixed(t$observed, 2L), `from free items` = format_fixed(t$from_free_items, 2L))
}

#' @export
print.orizzonte_gaps <- function(x, ...) {
  if (!all(c("item", "group", "expected_score", "effect_size", "status") %in% names(x))) return(print(as.data.frame(unclass(x))))
  cat(heading(paste0("Non-invariance of items, against ", attr(x, "reference"))),
      format_table(gap_columns(x), c(FALSE, FALSE, rep(TRUE, 6L), FALSE)), "", wrap_lines(gap_note), sep = "\n")
  totals <- total_columns(x)
  if (!is.null(totals)) cat("", "Difference of the total score", format_table(totals, c(FALSE, FALSE, TRUE, TRUE)), sep = "\n")
  invisible(x)
}
