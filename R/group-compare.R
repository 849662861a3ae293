#' Estimates of groups side by side, with a test of their difference
#'
#' One row per parameter: its estimate in every group, and a Wald test of whether they are equal
#' (moderation by group, for effects). A parameter that is held equal has no test; its standardized
#' values nevertheless differ where variances differ.
#'
#' @param fit A fit from [fit_model()] with groups.
#' @param kinds Kinds to show, such as `"effect"`; loadings, weights, effects and covariances when
#'   `NULL`.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A data frame of class `orizzonte_group_comparison`: `parameter`, for each group
#'   `estimate`, `se` and `standardized` (followed by a dot and the group), `difference`
#'   and `difference_se` (second minus first, with two groups), `wald`, `df`, `p` and `status`.
#' @section Errors: `orizzonte_error_input` for a fit without groups or an unknown kind.
#' @seealso [invariance()] for tests of whole sets of parameters, [group_plot()] for a picture.
#' @examples
#' bp <- blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Staying ~ Belonging)
#' fit <- suppressMessages(fit_model(hold_equal(bp, loading), choirs, by = setting))
#' compare_groups(fit, kinds = "effect")
#' @export
compare_groups <- function(fit, kinds = NULL, ...) {
  check_arguments("compare_groups")
  check_fit(fit, "compare_groups")
  check_grouped(fit$layout)
  unknown <- setdiff(kinds, names(address_kinds))
  if (length(unknown)) {
    abort("input", c(text_of("no_such_kind", kind = quoted(unknown[1L])),
                     did_you_mean(unknown[1L], names(address_kinds))))
  }
  rows <- fit$layout$rows
  groups <- fit$layout$groups
  plain <- addresses_without_group(rows)
  wanted <-
    unique(plain[rows$kind %in% (kinds %||% c("loading", "weight", "effect", "covariance"))])
  se <- raw_errors(fit)
  standardized <- standardized_of(fit)$value
  places <- paste(plain, rows$group, sep = "\r")
  at <- vapply(groups, function(g) match(paste(wanted, g, sep = "\r"), places),
               integer(length(wanted)))
  at <- matrix(at, length(wanted), dimnames = list(NULL, groups))
  columns <- list(parameter = wanted)
  for (g in groups) {
    columns[[paste0("estimate.", g)]] <- values_of(fit)[at[, g]]
    columns[[paste0("se.", g)]] <- se[at[, g]]
    columns[[paste0("standardized.", g)]] <- standardized[at[, g]]
  }
  tests <- lapply(seq_along(wanted), function(i) test_equal(fit, at[i, !is.na(at[i, ])]))
  get <- function(name) vapply(tests, function(t) as.numeric(t[[name]]), 0)
  columns <- c(columns, list(difference = get("difference"), difference_se = get("difference_se"),
                             wald = get("wald"), df = get("df"), p = get("p"),
                             status = rows$status[at[, 1L]]))
  with_status(structure(list_frame_class(columns, "orizzonte_group_comparison"), groups = groups,
                        title = fit$request$blueprint$title, caveat = own_units_words(fit)), fit)
}

# Wald test that some rows are equal.
test_equal <- function(fit, rows) {
  none <- list(wald = NA_real_, df = NA_integer_, p = NA_real_, difference = NA_real_,
               difference_se = NA_real_)
  vcov <- vcov_of(fit)
  if (length(rows) < 2L || anyNA(vcov)) return(none)
  map <- map_matrix(fit$layout)
  contrast <- map[rows[-1L], , drop = FALSE] - rep(1, length(rows) - 1L) %o% map[rows[1L], ]
  gap <- values_of(fit)[rows[-1L]] - values_of(fit)[rows[1L]]
  variance <- contrast %*% vcov %*% t(contrast)
  test <- wald_test(gap, variance)
  if (max(abs(contrast)) == 0 || test$df == 0L) return(none)
  two <- length(rows) == 2L
  list(wald = test$wald, df = test$df, p = test$p, difference = if (two) gap else NA_real_,
       difference_se = if (two) sqrt(variance[1L]) else NA_real_)
}

#' @export
print.orizzonte_group_comparison <- function(x, ...) {
  groups <- attr(x, "groups")
  if (is.null(groups) || !all(paste0("estimate.", groups) %in% names(x)))
    return(print(as.data.frame(unclass(x))))
  tests <- list(Wald = format_fixed(x$wald, 2L),
                df = ifelse(is.na(x$df), "", format_count(x$df)), p = format_p(x$p),
                status = ifelse(x$status %in% "free", "", x$status))
  if (length(groups) == 2L)
    tests <- c(list(difference = with_error(x$difference, x$difference_se)), tests)
  raw <- stats::setNames(lapply(groups, function(g) {
    with_error(x[[paste0("estimate.", g)]], x[[paste0("se.", g)]])
  }), groups)
  standardized <- stats::setNames(lapply(groups, function(g) {
    format_share(x[[paste0("standardized.", g)]])
  }), groups)
  put_lines(c(heading_with_status(text_of("groups_side_side", attr = attr(x, "title")), x),
              format_caveat(x),
              side_by_side_table(x$parameter, c(raw, tests)), "", "Standardized",
              side_by_side_table(x$parameter, standardized)))
  if (any(x$status %in% "held"))
    put_lines("", wrap_lines(text_of("what_is_held_is")))
  invisible(x)
}

side_by_side_table <- function(parameter, columns) {
  format_table(c(list(parameter = parameter), columns), c(FALSE, !names(columns) %in% "status"))
}
