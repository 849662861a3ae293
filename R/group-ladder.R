# A ladder as a value: the fits of its rungs and steps, their table, verdicts and reading.

# `fits`: those of the measurement rungs, by name; `structural`: patterns of steps still to be taken
# on top of the rung `on`.
new_ladder <- function(bp, fits, criteria, against, structural = NULL, on = NULL,
                       over = "groups") {
  groups <- fits[[1L]]$layout$groups
  rungs <- names(fits)
  previous <- rungs_before(rungs, against)
  judged <- lapply(seq_along(fits), function(k) {
    before <- if (!is.na(previous[k])) fits[[previous[k]]]
    judge_rung(fits[[k]], before, rungs[k], criteria)
  })
  climbed <- climb_steps(fits, structural, on, criteria, over)
  fits <- c(fits, climbed$fits)
  previous <- c(previous, match(climbed$base, names(fits)))
  judged <- c(judged, climbed$judged)
  table <- ladder_rows(fits, previous, vapply(judged, `[[`, "", "verdict"),
                       vapply(judged, function(x) x$broken %||% "", ""))
  details <- Filter(Negate(is.null), stats::setNames(lapply(judged, function(x) {
    x$equalities %||% x$differences
  }), names(fits)))
  shares <- vapply(fits, function(fit) vapply(measures_of(fit), `[[`, 0, "chisq"),
                   numeric(length(groups)))
  limits <- lapply(rungs, rung_limits, groups = length(groups), criteria = criteria)
  structure(list(title = bp$title, blueprint = bp, fits = fits, table = table, details = details,
                 contributions = matrix(shares, length(groups),
                                        dimnames = list(groups, names(fits))),
                 criteria = criteria, limits = stats::setNames(limits, rungs), against = against,
                 structural = structural, on = on, over = over,
                 reading = read_ladder(table, fits, details, criteria)),
            class = "orizzonte_ladder")
}

# Structural steps, each on the last that held.
climb_steps <- function(fits, structural, on, criteria, over) {
  out <- list(fits = list(), base = character(), judged = list())
  base <- on
  for (step in structural) {
    below <- c(fits, out$fits)[[base]]
    request <- below$request
    request$blueprint <- bare_trail(request$blueprint)
    sample <- sample_behind(below)
    fit <- fit_rung(request, sample, stated_by(request, sample), step, over)
    judged <- judge_step(fit, below, criteria)
    out$fits[[step]] <- fit
    out$base <- c(out$base, base)
    out$judged <- c(out$judged, list(judged))
    if (judged$verdict %in% step_codes) base <- step
  }
  out
}

ladder_rows <- function(fits, previous, verdicts, broken) {
  rungs <- names(fits)
  columns <- c(list(rung = rungs),
               stacked_measures(fits))
  for (name in setdiff(comparison_columns, "p")) {
    columns[[paste0(name, "_change")]] <- columns[[name]] - columns[[name]][previous]
  }
  converged <- vapply(fits, has_converged, NA)
  tests <- lapply(seq_along(fits), function(k) {
    if (is.na(previous[k]) || !converged[k] || !converged[previous[k]]) return(NULL)
    difference_test(fits[[k]], fits[[previous[k]]])
  })
  columns$p_change <- vapply(tests, function(test) test$p %||% NA_real_, 0)
  tested <- lengths(tests) > 0L
  columns$chisq_change[tested] <- vapply(tests[tested], `[[`, 0, "chisq")
  columns$verdict <- verdicts
  foundation <- rule_foundation(verdicts, previous)
  columns$rests_on <- rungs[foundation]
  columns$rests_on_verdict <- verdicts[foundation]
  columns$broken <- broken
  columns$against <- rungs[previous]
  columns$status <- vapply(fits, function(fit) solution_state(fit)$status, "", USE.NAMES = FALSE)
  list_frame(columns[c("rung", "against", comparison_columns,
                       paste0(comparison_columns, "_change"), "verdict", "rests_on",
                       "rests_on_verdict", "broken", "status",
                       intersect(uncorrected_columns, names(columns)))])
}
