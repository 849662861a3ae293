#' The invariance ladder
#'
#' Fits the same blueprint to several groups, holding more and more equal: configural (nothing), metric (loadings and weights),
#' scalar (intercepts of items, too), strict (residual variances and covariances of items, too), and then, on top of a rung,
#' what `structural` names (Jöreskog 1971; Meredith 1993). Each rung is compared with the one before.
#'
#' Whatever the scale of the blueprint, rungs are identified by the variance of each construct: 1 in every group while
#' loadings are free, 1 in the first group only once they are held; means of constructs are free outside the first group once
#' intercepts are held. So every loading can be tested and released, and \eqn{\chi^2} does not depend on a marker. Intercepts and
#' variances of observed predictors are never held.
#'
#' @section Criteria:
#' A rung is called to *hold* when none of the changes against the rung before breaks its criterion, *doubtful* when some do, and to
#' *fail* when that of the CFI and another do. Defaults: CFI falls by no more than .010, RMSEA rises by no more than .015, SRMR
#' by no more than .030 (metric) or .010 (later rungs) (Cheung & Rensvold 2002; Chen 2007); with ten groups and more .020 and .030 for CFI and RMSEA
#' on the metric rung (Rutkowski & Svetina 2014). The *p* of the \eqn{\chi^2} difference counts only when `criteria` gives a level for it.
#'
#' @param bp A [blueprint()].
#' @param data A data frame, or a named list of [summary_data()].
#' @param by,levels,missing_codes As in [fit_model()].
#' @param rungs Rungs to fit, in this order, out of `"configural"`, `"metric"`, `"scalar"` and `"strict"`; for constructs that are
#'   measured by constructs also `"second_order_metric"` (their loadings) and `"second_order_scalar"` (the means of the constructs that
#'   measure them), each after the rung of the items (Chen, Sousa & West 2005). All that apply when `NULL`.
#' @param except Addresses that are not held on any rung.
#' @param structural Patterns to hold one after the other on top of `on`: `"variance[constructs]"`, `"covariance[constructs]"`, `"effect"`, `"mean"`.
#' @param on The rung to put them on.
#' @param criteria A named vector that replaces defaults: `cfi`, `rmsea`, `srmr` (largest change for the worse) and `p` (a level).
#' @param against `"previous"` or `"first"`: what the changes refer to.
#' @return An object of class `orizzonte_ladder`: a list with `fits` (by rung), `table` (also `as.data.frame()`: `rung`, `chisq`, `df`, `p`, `cfi`, `tli`,
#'   `rmsea`, `srmr`, `aic`, `bic`, the same with `_change`, `verdict`, `broken`), `contributions` (\eqn{\chi^2} of each group by
#'   rung), `criteria`, `reading`.
#'   A rung that adds nothing (a path model has no loadings) says `"nothing to hold"`; without means the scalar rungs are left out, with a message.
#' @section Errors: as [fit_model()]; `orizzonte_error_input` for an unknown rung or criterion; `orizzonte_error_data` when a rung is asked for
#'   that the data say nothing about.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   covary(be1, be2)
#' ladder <- suppressMessages(invariance(bp, choirs, by = "setting"))
#' ladder
#' amendments(ladder$fits$metric, kinds = "equality across groups", top = 3)
#' @export
invariance <- function(bp, data, by = NULL, rungs = NULL, except = NULL, structural = NULL, on = "scalar", levels = NULL,
                       missing_codes = NULL, criteria = NULL, against = "previous") {
  check_blueprint(bp, "invariance")
  if (missing(data)) abort("input", c("invariance() needs data.", i = "Give a data frame and by = \"column\"."))
  check_missing_codes(missing_codes)
  against <- choose_one(against, c("previous", "first"), "`against`")
  if (is.null(by) && !is_summary_list(data)) abort("input", c("invariance() needs groups.", i = "Name the grouping column with by = \"column\"."))
  chosen <- !is.null(rungs)
  rungs <- rungs %||% default_rungs(bp)
  unknown <- setdiff(c(rungs, if (length(structural)) on), names(rung_adds))
  if (length(unknown)) {
    abort("input", c(paste0("There is no rung ", quoted(unknown[1L]), "."), did_you_mean(unknown[1L], names(rung_adds)),
                     i = paste0("Rungs: ", enumerate(names(rung_adds)), ".")))
  }
  unknown <- setdiff(structural, hold_heads)
  if (length(unknown)) abort("input", c(paste0("`structural` does not know ", quoted(unknown[1L]), "."), did_you_mean(unknown[1L], hold_heads)))
  if (length(structural) && !on %in% rungs) rungs <- intersect(names(rung_adds), c(rungs, on))
  free_bp <- marker_free(bp)
  model <- meet_data(free_bp, data, missing_codes, grouping_of(data, by, levels, NULL, except))
  if (!model$layout$means) {
    needs_means <- intersect(c(rungs, structural), c("scalar", "second_order_scalar", "mean", "intercept", "mean[indicators]"))
    if (length(needs_means) && (chosen || length(structural))) {
      abort("data", c(paste0("The data carry no means, which ", quoted(needs_means[1L]), " is about."),
                      i = "Give raw data, or summary_data(..., means =)."))
    }
    if (length(needs_means)) say("The data carry no means: the rung ", enumerate(needs_means), " is left out.")
    rungs <- setdiff(rungs, needs_means)
  }
  holds <- lapply(stats::setNames(rungs, rungs), rung_hold, rungs = rungs)
  for (k in seq_along(structural)) holds[[structural[k]]] <- c(holds[[on]], structural[seq_len(k)])
  for (note in model$sample$notes) say(note)
  fits <- lapply(holds, function(hold) fit_rung(free_bp, model, hold, missing_codes))
  finish_ladder(bp, fits, criteria, against, on = if (length(structural)) on)
}

# What each rung holds besides those before it. Constructs measured by constructs have rungs of their own, which come after those
# of what measures them (Chen, Sousa & West 2005).
rung_adds <- list(configural = character(), metric = c("loading[items]", "weight"), second_order_metric = "loading[constructs]", scalar = "intercept",
                  second_order_scalar = c("loading[constructs]", "mean[indicators]"), strict = c("variance[items]", "covariance[items]"))

rung_hold <- function(rung, rungs) {
  below <- names(rung_adds)[seq_len(match(rung, names(rung_adds)))]
  unique(unlist(rung_adds[below[!startsWith(below, "second_order") | below %in% rungs]]))
}

default_rungs <- function(bp) {
  constructs <- names(bp$constructs)
  higher <- any(vapply(bp$constructs, function(x) x$kind == "reflective" && any(x$items %in% constructs), NA))
  names(rung_adds)[higher | !startsWith(names(rung_adds), "second_order")]
}

# Every reflective construct gets its unit from its variance, unless its loadings were given.
marker_free <- function(bp) {
  bp$scale <- "unit"
  for (name in names(bp$constructs)) if (bp$constructs[[name]]$kind == "reflective") bp$constructs[[name]]["scale"] <- list(NULL)
  bp
}

fit_rung <- function(bp, model, hold, missing_codes) {
  if (length(hold)) {
    model$grouping$hold <- hold
    model$layout <- met_layout(model$blueprint, model$sample, model$grouping, model$stated)
  }
  estimate_model(bp, model, missing_codes, errors = FALSE)
}

finish_ladder <- function(bp, fits, criteria, against, on = NULL) {
  rungs <- names(fits)
  each <- lapply(fits, measures_by_group)
  measures <- Map(comparison_measures, fits, each)
  columns <- c(list(rung = rungs), do.call(Map, c(list(c), unname(measures))))
  previous <- if (against == "first") c(NA, rep(1L, length(fits) - 1L)) else rungs_before(rungs, on)
  for (name in setdiff(comparison_columns, "p")) columns[[paste0(name, "_change")]] <- columns[[name]] - columns[[name]][previous]
  converged <- vapply(fits, has_converged, NA)
  sound <- converged & c(NA, converged[previous[-1L]])
  columns$p_change <- stats::pchisq(pmax(columns$chisq_change, 0), columns$df_change, lower.tail = FALSE)
  columns$p_change[!(sound %in% TRUE & columns$df_change > 0)] <- NA_real_
  limits <- lapply(rungs, rung_criteria, groups = length(group_names(fits[[1L]])), given = criteria)
  judged <- lapply(seq_along(fits), function(k) judge_rung(columns, k, limits[[k]], converged[k], previous[k]))
  columns$verdict <- vapply(judged, `[[`, "", "verdict")
  columns$broken <- vapply(judged, `[[`, "", "broken")
  ordered <- c("rung", comparison_columns, paste0(comparison_columns, "_change"), "verdict", "broken")
  contributions <- vapply(each, function(parts) vapply(parts, `[[`, 0, "chisq"), numeric(length(group_names(fits[[1L]]))))
  structure(list(title = bp$title, blueprint = bp, fits = fits, table = list_frame(columns[ordered]), contributions = contributions,
                 criteria = stats::setNames(limits, rungs), against = against, on = on, given = criteria,
                 reading = read_ladder(columns$rung, columns$verdict, fits)), class = "orizzonte_ladder")
}

# Which rung each one rests on: the one before it; the first structural step the rung it was put on.
rungs_before <- function(rungs, on = NULL) {
  previous <- c(NA, seq_along(rungs)[-length(rungs)])
  steps <- which(!rungs %in% names(rung_adds))
  if (length(steps) && !is.null(on) && on %in% rungs) previous[steps[1L]] <- match(on, rungs)
  previous
}

rung_criteria <- function(rung, groups, given) {
  out <- c(cfi = 0.010, rmsea = 0.015, srmr = if (grepl("metric", rung)) 0.030 else 0.010)
  if (groups >= 10L && grepl("metric", rung)) out[c("cfi", "rmsea")] <- c(0.020, 0.030)
  if (is.null(given)) return(out)
  unknown <- setdiff(names(given), c("cfi", "rmsea", "srmr", "p"))
  if (!is.numeric(given) || is.null(names(given)) || length(unknown)) {
    abort("input", c("`criteria` must be a named vector of numbers.", i = "Such as c(cfi = .01, rmsea = .015, p = .05)."))
  }
  out[names(given)] <- abs(given)
  out
}

judge_rung <- function(columns, k, limits, converged, previous) {
  if (!converged) return(list(verdict = "not converged", broken = ""))
  if (is.na(previous)) {
    good <- columns$cfi[k] >= default_cutoffs$cfi$acceptable && columns$rmsea[k] <= default_cutoffs$rmsea$acceptable
    return(list(verdict = if (is.na(good)) "" else if (good) "fits" else "fits poorly", broken = ""))
  }
  if (columns$df_change[k] == 0) return(list(verdict = "nothing to hold", broken = ""))
  worse <- c(cfi = -columns$cfi_change[k], rmsea = columns$rmsea_change[k], srmr = columns$srmr_change[k])
  broken <- names(worse)[!is.na(worse) & worse > limits[names(worse)] + 1e-12]
  if ("p" %in% names(limits) && isTRUE(columns$p_change[k] < limits[["p"]])) broken <- c(broken, "p")
  verdict <- if (length(broken) == 0L) "holds" else if ("cfi" %in% broken && length(broken) > 1L) "fails" else "doubtful"
  list(verdict = verdict, broken = paste(toupper(broken), collapse = ", "))
}

rung_allows <- c(configural = "the constructs have the same structure; no numbers may be compared yet",
                 metric = "effects, covariances and correlations may be compared",
                 second_order_metric = "effects and covariances of constructs measured by constructs may be compared, too",
                 scalar = "means of constructs may be compared",
                 second_order_scalar = "means of constructs measured by constructs may be compared, too",
                 strict = "sums and means of observed scores may be compared")

rung_asks <- c(configural = "the same constructs and items in every group, each with its own values",
               metric = "an item means the same: loadings and weights are equal",
               second_order_metric = "constructs measured by constructs mean the same: their loadings are equal",
               scalar = "an item starts from the same level: intercepts of items are equal, means of constructs may differ",
               second_order_scalar = "constructs start from the same level, given what they measure",
               strict = "an item is equally exact: residual variances and covariances are equal")

# What the rungs of a ladder ask, one line each.
rung_meanings <- function(ladder) {
  rungs <- names(ladder$fits)
  paste0("**", rungs, "**: ", ifelse(rungs %in% names(rung_asks), rung_asks[rungs], paste0("`", rungs, "` is equal, too, on top of the ", ladder$on, " rung")))
}

# The rung on which means may be compared, if it is there and has converged.
comparable_rung <- function(ladder) {
  usable <- Filter(function(rung) rung %in% names(ladder$fits) && has_converged(ladder$fits[[rung]]) && ladder$fits[[rung]]$layout$means, "scalar")
  if (length(usable)) usable
}

read_ladder <- function(rungs, verdict, fits) {
  known <- rungs %in% names(rung_allows)
  bad <- which(known & verdict %in% c("fails", "doubtful", "not converged", "fits poorly"))
  held <- which(known & verdict %in% c("holds", "fits"))
  last <- if (length(bad)) held[held < bad[1L]] else held
  top <- if (length(last)) rungs[max(last)]
  if (identical(top, "strict") && !fits[[top]]$layout$means) rung_allows[["strict"]] <- rung_allows[["metric"]]
  loose <- if (!is.null(top)) released_addresses(fits[[top]])
  c(if (!is.null(top)) {
    if (length(loose) == 0L) {
      paste0("Up to ", top, ": ", rung_allows[[top]], ".")
    } else {
      # sums of scores carry what is not held; constructs do not
      allowed <- if (top == "strict") paste0(rung_allows[["scalar"]], ", sums and means of observed scores only without the items concerned") else
        rung_allows[[top]]
      paste0("Up to ", top, ", in part (not held: ", enumerate(loose, most = 4L), "): ", allowed, ".")
    }
  }, if (length(bad)) {
    if (verdict[bad[1L]] == "fits poorly") paste0("The ", rungs[bad[1L]], " model does not fit acceptably: mend it first, in each group.") else
      paste0("The ", rungs[bad[1L]], " rung ", switch(verdict[bad[1L]], fails = "fails", doubtful = "is doubtful", "has not converged"), ".")
  })
}

# What a rung would hold, were it not excepted.
released_addresses <- function(fit) {
  grouping <- fit$options$grouping
  table <- fit$layout
  if (length(grouping$except) == 0L || length(grouping$hold) == 0L) return(character())
  rows <- intersect(pattern_rows(grouping$hold, table, "`hold`"), pattern_rows(grouping$except, table, "`except`"))
  intersect(table$parameter[rows], table$parameter[!table$shared]) |> without_group() |> unique()
}

#' @export
as.data.frame.orizzonte_ladder <- function(x, ...) x$table

#' @export
print.orizzonte_ladder <- function(x, ...) {
  cat(format_ladder(x), sep = "\n")
  invisible(x)
}

# What a ladder shows, as texts: fit by rung, changes, and the share of each group.
ladder_columns <- function(x) {
  t <- x$table
  count <- function(v) ifelse(is.na(v), "", format_count(v))
  shares <- x$contributions
  list(
    fit = list(rung = t$rung, "\u03c7\u00b2" = format_fixed(t$chisq, 2L), df = count(t$df), p = format_p(t$p), CFI = format_fixed(t$cfi),
               RMSEA = format_fixed(t$rmsea), SRMR = format_fixed(t$srmr), BIC = format_fixed(t$bic, 1L)),
    changes = list(rung = t$rung, "\u0394\u03c7\u00b2" = format_fixed(t$chisq_change, 2L), "\u0394df" = count(t$df_change), p = format_p(t$p_change),
                   "\u0394CFI" = format_fixed(t$cfi_change), "\u0394RMSEA" = format_fixed(t$rmsea_change), "\u0394SRMR" = format_fixed(t$srmr_change),
                   verdict = t$verdict, breaks = t$broken),
    shares = c(list(group = rownames(shares)), stats::setNames(lapply(seq_len(ncol(shares)), function(k) format_fixed(shares[, k], 2L)), colnames(shares))))
}

# Rungs whose solution is not what it should be: sentences.
ladder_trouble <- function(x) {
  unlist(lapply(names(x$fits), function(rung) {
    state <- solution_state(x$fits[[rung]])
    if (!state$status %in% c("proper", "weak")) paste0(rung, ": ", toupper(state$status), " (", state$trouble, ")")
  }))
}

ladder_criteria <- function(x) {
  limits <- x$criteria[-1L]
  if (length(limits) == 0L) return(NULL)
  last <- limits[[length(limits)]]
  parts <- vapply(names(last), function(name) {
    other <- Filter(function(limit) limit[[name]] != last[[name]], limits)
    paste0(switch(name, cfi = "\u0394CFI -", p = "p ", paste0("\u0394", toupper(name), " ")), short_number(last[[name]]),
           if (length(other)) paste0(" (", paste(names(other), vapply(other, function(limit) short_number(limit[[name]]), ""), collapse = ", "), ")"))
  }, "")
  paste0("Criteria: ", paste(parts, collapse = ", "), "; conventions (Cheung & Rensvold 2002; Chen 2007), not laws.")
}

ladder_failing <- function(x) x$table$rung[x$table$verdict %in% c("fails", "doubtful")]

format_ladder <- function(x) {
  columns <- ladder_columns(x)
  trouble <- ladder_trouble(x)
  bad <- ladder_failing(x)
  c(heading(paste0("Invariance: ", x$title)), format_sample(x$fits[[1L]], parameters = FALSE), "", format_table(columns$fit, c(FALSE, rep(TRUE, 7L))), "",
    paste0("Changes against ", if (x$against == "first") "the first rung" else "the rung before"),
    format_table(columns$changes, c(FALSE, rep(TRUE, 6L), FALSE, FALSE)), "",
    "\u03c7\u00b2 of each group", format_table(columns$shares, c(FALSE, rep(TRUE, length(columns$shares) - 1L))), "",
    if (length(trouble)) c(paste0("  - ", trouble), ""),
    if (!is.null(ladder_criteria(x))) wrap_lines(ladder_criteria(x)), wrap_lines(x$reading), "",
    if (length(bad)) {
      paste0("Next: loosen(ladder, ", quoted(bad[1L]), ") releases one equality at a time; amendments(ladder$fits$", address_name(bad[1L]), ")")
    } else {
      paste0("Next: ", if (!is.null(comparable_rung(x))) "latent_means(ladder), ", "compare_groups(ladder$fits$", address_name(x$table$rung[1L]),
             "), plot(ladder)")
    })
}
