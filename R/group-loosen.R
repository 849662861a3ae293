#' Release equalities until a rung holds
#'
#' Frees, one at a time, the parameter whose release lowers \eqn{\chi^2} most, out of those that
#' this rung holds and the one before it does not (so that the two stay nested), until the rung
#' meets the criterion, or nothing is left that helps (partial invariance; Byrne, Shavelson &
#' Muthén 1989). What an earlier rung holds and would help more is named. At least two loadings,
#' and on the scalar rung two intercepts, of each construct stay held.
#'
#' @param ladder What [invariance()] returned.
#' @param rung The rung to loosen, such as `"metric"`.
#' @param until When to stop: `"indices"`, when no change against the rung before breaks its
#'   criterion; or `"p"`, when the
#'   \eqn{\Delta\chi^2} has a *p* of at least `p_change`, or else `significance`, of the criteria.
#' @param most How many equalities to release at most.
#' @param criteria From [criteria()]; those of the ladder when `NULL`.
#' @return An object of class `orizzonte_loosened`: a list with `fit` (a fit with its [trail()]),
#'   `released` (a data frame: `parameter`, `modification_index`, `actual_drop`, `estimate`,
#'   `reference`, the value held by the others), `holds`, `earlier` (an address that an earlier rung
#'   holds and that would help more) and `ladder` (with the loosened rung in place, and all later
#'   rungs fitted anew with the same exceptions).
#' @section Errors: `orizzonte_error_name` for a rung the ladder does not have;
#'   `orizzonte_error_input` for the first one, which holds nothing.
#' @examples
#' bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4) |>
#'   construct("Craft", reflected_in = cr1:cr3)
#' ladder <- suppressMessages(invariance(bp, choirs, by = "setting"))
#' loosen(ladder, "metric", until = "p")
#' @export
loosen <- function(ladder, rung, until = "indices", most = 10, criteria = NULL) {
  if (!inherits(ladder, "orizzonte_ladder"))
    abort("input",
          c("loosen() needs a ladder.",
            i = "ladder <- invariance(blueprint, data, by = \"column\")."))
  check_string(rung, "`rung`")
  rungs <- names(ladder$fits)
  if (!rung %in% rungs)
    abort("name", c(paste0("The ladder has no rung ", quoted(rung), "."), did_you_mean(rung, rungs),
                    i = paste0("Rungs: ",
      enumerate(rungs), ".")))
  at <- match(rung, rungs)
  if (at == 1L) abort("input", "The first rung holds nothing that could be loosened.")
  until <- choose_one(until, c("indices", "p"), "`until`")
  criteria <- if (is.null(criteria)) ladder$criteria else check_criteria(criteria)
  check_number(most, "`most`", 1)
  before <- ladder$fits[[rungs_before(rungs, ladder$on)[at]]]
  fit <- ladder$fits[[at]]
  check_converged(fit, "loosen")
  met <- function(fit) rung_met(fit, before, rung, until, criteria)
  # what this rung adds; releasing what an earlier one holds would leave the two without a common
  # ground
  own <- setdiff(fit$layout$rows$parameter[fit$layout$rows$shared],
                 before$layout$rows$parameter[before$layout$rows$shared])
  released <- list()
  blocked <- FALSE
  earlier <- NULL
  while (!met(fit) && length(released) < most) {
    table <- amendments(fit, kinds = "equality across groups", top = 3)
    first <- table[1L, ]
    table <- table[table$parameter %in% own & releasable(fit, table$parameter), , drop = FALSE]
    earlier <- if (nrow(table) == 0L || !first$parameter %in% own)
      first[c("parameter", "modification_index", "p")]
    if (nrow(table) == 0L || table$p[1L] > criteria$significance) {
      blocked <- TRUE
      break
    }
    row <- table[1L, ]
    fit <-
      suppressMessages(
        suppressWarnings(amend_fit(fit, row$parameter,
                                   because = paste0("largest index among the equalities of the ",
                                                    rung, " rung"))))
    released <- c(released,
                  list(c(as.list(row[c("parameter", "modification_index", "actual_drop")]),
                         released_values(fit, row$parameter))))
    if (!has_converged(fit)) break
  }
  columns <- if (length(released)) do.call(Map, c(list(c), released)) else
    list(parameter = character(), modification_index = numeric(), actual_drop = numeric(),
         estimate = numeric(), reference = numeric())
  holds <- met(fit)
  structure(list(fit = fit, rung = rung, released = list_frame(columns), holds = holds,
                 blocked = blocked, until = until, criteria = criteria,
                 earlier = if (!is.null(earlier) && !earlier$parameter %in% own &&
                               earlier$p < criteria$significance) earlier$parameter,
                 ladder = relaid_ladder(ladder, fit, at)), class = "orizzonte_loosened")
}

rung_met <- function(fit, before, rung, until, criteria) {
  if (!has_converged(fit)) return(FALSE)
  test <- difference_test(fit, before)
  if (until == "p") return(test$df <= 0 || test$p >= release_level(criteria))
  a <- comparison_measures(before)
  b <- comparison_measures(fit)
  limits <- rung_limits(rung, length(fit$layout$groups), criteria)
  changes <- list(cfi_change = b$cfi - a$cfi, rmsea_change = b$rmsea - a$rmsea,
                  srmr_change = b$srmr - a$srmr, p_change = test$p)
  length(broken_criteria(changes, limits)) == 0L
}

# The level of the difference test when it decides.
release_level <- function(criteria) criteria$p_change %||% criteria$significance

# Two of the same kind must stay held for each construct, or its groups can no longer be compared.
releasable <- function(fit, parameters) {
  table <- fit$layout$rows
  vapply(parameters, function(text) {
    row <- match(text, table$parameter)
    here <- table$group == table$group[row] & table$shared
    if (table$kind[row] == "loading")
      return(sum(here & table$kind == "loading" & table$first == table$first[row]) > 2L)
    if (table$kind[row] %in% c("intercept", "mean")) {
      owners <- unique(table$first[table$kind == "loading" & table$second == table$first[row]])
      if (length(owners) == 0L) return(TRUE)
      items <- unique(table$second[table$kind == "loading" & table$first %in% owners])
      return(sum(here & table$kind %in% c("intercept", "mean") & table$first %in% items) > 2L)
    }
    TRUE
  }, NA, USE.NAMES = FALSE)
}

# What a released parameter is now, and where the others are still held.
released_values <- function(fit, parameter) {
  rows <- fit$layout$rows
  at <- match(parameter, rows$parameter)
  plain <- address_format(rows$kind, rows$first, rows$second)
  others <- setdiff(which(plain == plain[at]), at)
  list(estimate = values_of(fit)[at], reference = values_of(fit)[others[1L]])
}

# The loosened fit in its place; later rungs anew with the same exceptions.
relaid_ladder <- function(ladder, fit, at) {
  fits <- ladder$fits
  fits[[at]] <- fit
  for (k in seq_along(fits)[-seq_len(at)]) {
    bp <- bare_trail(fits[[k]]$request$blueprint)
    bp$let_differ <- union(bp$let_differ, fit$request$blueprint$let_differ)
    fits[[k]] <- refit_quietly(fits[[k]], list(blueprint = bp), errors = FALSE)
  }
  finish_ladder(ladder$blueprint, fits, ladder$criteria, ladder$against, ladder$on)
}

bare_trail <- function(bp) {
  bp$trail <- list()
  bp
}

released_columns <- function(x) {
  r <- x$released
  list(parameter = r$parameter, MI = format_fixed(r$modification_index, 2L),
       drop = format_fixed(r$actual_drop, 2L), estimate = format_number(r$estimate),
       `held at` = format_number(r$reference))
}

loosened_reading <- function(x) {
  told <- if (x$until == "p")
    paste0("p of \u0394\u03c7\u00b2 at least ", short_number(release_level(x$criteria))) else
      "the criteria of the ladder"
  count <- nrow(x$released)
  if (x$holds) {
    paste0("With ", if (count) paste(count_of(count, "release"), "") else "nothing released ",
           "the ", x$rung, " rung meets ", told, ".")
  } else {
    paste0("The ", x$rung, " rung does not meet ", told,
           if (x$blocked) ": what else it holds cannot be released, or would not help." else ".",
           if (length(x$earlier)) paste0(" Held since an earlier rung, and worth more: ", x$earlier,
                                         ". Loosen that rung first."))
  }
}

#' @export
print.orizzonte_loosened <- function(x, ...) {
  cat(heading(paste0("Loosened: the ", x$rung, " rung of ", x$fit$request$blueprint$title)),
      sep = "\n")
  if (nrow(x$released)) {
    cat("Released, in this order", format_table(released_columns(x), c(FALSE, rep(TRUE, 4L))),
        format_wordings(x$released$parameter, all_wordings(x$fit)), "", sep = "\n")
  }
  cat(wrap_lines(loosened_reading(x)), "", sep = "\n")
  cat("Next: trail(loosened$fit), loosened$ladder",
      if (!is.null(comparable_rung(x$ladder))) ", latent_means(loosened$ladder)", "\n", sep = "")
  invisible(x)
}
