# The single equalities behind a rung: score tests of those that a measurement rung adds, and the
# differences that a structural step would do away with.

# Columns: parameter, group, p, p_holm (Holm 1979), expected_change_std, power, verdict.
single_equalities <- function(fit, before, criteria) {
  fit <- whole_fit(fit)
  before <- whole_fit(before)
  candidates <- held_parameters(fit$layout)
  own <- candidates$parameter %in% added_equalities(fit, before) &
    candidates$kind %in% address_kinds_held & !nzchar(candidates$reason)
  tested <- tested_candidates(fit, lapply(candidates, function(x) x[own]))
  open <- !nzchar(tested$reason)
  found <- judge_candidates(fit, lapply(tested, function(x) x[open]), criteria)
  holm <- stats::p.adjust(found$p, "holm")
  verdict <- rule_equality(holm, found$expected_change_std, found$power, criteria)
  out <- list_frame(list(parameter = found$parameter, group = found$group, p = found$p,
                         p_holm = holm, expected_change_std = found$expected_change_std,
                         power = found$power, verdict = verdict))
  out[order(out$p), , drop = FALSE]
}

address_kinds_held <- c("loading", "weight", "intercept", "mean", "variance", "covariance")

# What this rung holds and the one before it does not.
added_equalities <- function(fit, before) {
  setdiff(fit$layout$rows$parameter[fit$layout$rows$shared],
          before$layout$rows$parameter[before$layout$rows$shared])
}

# A structural step against the rung it stands on: p of the difference and how large the differences
# are there, in standard deviations of the first group.
judge_step <- function(fit, before, criteria) {
  test <- testable_difference(fit, before)
  if (!is.null(test$code)) return(list(verdict = test$code))
  gaps <- step_differences(fit, before)
  largest <- max(abs(gaps$difference_std), na.rm = TRUE)
  improper <- solution_state(fit)$status == "improper"
  list(verdict = rule_step(test$p, largest, criteria, improper), differences = gaps)
}

# Columns: parameter, group, difference (from the first group, or time), difference_std, lower,
# upper (of the standardized one, at 95 %).
step_differences <- function(fit, before) {
  rows <- before$layout$rows
  map <- matrix(0, length(rows$parameter), length(before$layout$parameters))
  map[cbind(before$layout$map$entry, before$layout$map$parameter)] <- before$layout$map$weight
  sd <- lapply(matrices_of(before), function(m) sqrt(pmax(diag(m$covariance), 0)))[[1L]]
  vcov <- vcov_of(before)
  held <- fit$layout$rows
  own <- which(held$parameter %in% added_equalities(fit, before))
  set <- held_sets(held)[own]
  found <- lapply(split(own, factor(set, unique(set))), function(same) {
    at <- match(held$parameter[same], rows$parameter)
    reference <- at[1L]
    other <- at[-1L]
    if (length(other) == 0L || anyNA(at)) return(NULL)
    unit <- step_unit(rows, reference, sd)
    gap <- values_of(before)[other] - values_of(before)[reference]
    change <- map[other, , drop = FALSE] - map[rep(reference, length(other)), , drop = FALSE]
    se <- delta_se(change, vcov) * unit
    limit <- stats::qt(0.975, reference_df(before))
    list(parameter = rows$parameter[other], group = shown_group(before$layout, rows$group[other]),
         difference = gap, difference_std = gap * unit, lower = gap * unit - limit * se,
         upper = gap * unit + limit * se)
  })
  list_frame(do.call(Map, c(list(c), unname(Filter(Negate(is.null), found)))))
}

# One raw unit of a parameter in standard deviations of the first group.
step_unit <- function(rows, at, sd) {
  switch(names(parameter_families)[match(rows$family[at], parameter_families)],
         effect = sd[rows$col[at]] / sd[rows$row[at]], mean = 1 / sd[rows$row[at]],
         covariance = 1 / (sd[rows$row[at]] * sd[rows$col[at]]))
}

step_sentence <- function(k, table, details) {
  gaps <- details[[table$rung[k]]]
  p <- table$p_change[k]
  verdict <- ladder_verdicts(table[k, ])
  if (is.null(gaps) || is.na(p))
    return(text_of("step", step = table$rung[k], against = table$against[k], verdict = verdict))
  at <- which.max(abs(gaps$difference_std))
  text_of("step_with_numbers", step = table$rung[k], against = table$against[k], verdict = verdict,
          p = p_clause(p), difference = format_fixed(gaps$difference_std[at], 2L),
          lower = format_fixed(gaps$lower[at], 2L), upper = format_fixed(gaps$upper[at], 2L),
          parameter = gaps$parameter[at])
}
