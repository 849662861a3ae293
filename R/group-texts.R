# The texts of ladders.

add_texts(
  verdict_fits = "fits",
  verdict_fits_poorly = "fits poorly",
  verdict_holds = "holds",
  verdict_holds_small_differences = "holds, small differences",
  verdict_doubtful = "doubtful",
  verdict_fails = "fails",
  verdict_differs = "differs",
  verdict_differs_negligibly = "differs, but less than counts",
  verdict_cannot_tell = "cannot tell",
  verdict_nothing_to_hold = "nothing to hold",
  verdict_not_tested = "not tested: the rung before has not converged",
  verdict_not_converged = "not converged",
  verdict_improper = "improper",
  verdict_on_unsound = "holds, but rests on a rung that {why}",

  unsound_fits_poorly = "fits poorly",
  unsound_doubtful = "is doubtful",
  unsound_fails = "fails",
  unsound_differs = "differs",
  unsound_differs_negligibly = "differs, but less than counts",
  unsound_cannot_tell = "is not settled",
  unsound_not_tested = "was not tested",
  unsound_not_converged = "has not converged",
  unsound_improper = "is improper",

  equality_differs = "likely to differ",
  equality_differs_negligibly = "differs little",
  equality_holds = "does not differ",
  equality_cannot_tell = "cannot tell",

  rung_fits_poorly =
    "The {rung} model does not fit acceptably: mend it first, in each group.",
  rung_improper = "The {rung} solution is improper: mend it first.",
  rung_not_tested = "The {rung} rung is not tested: the rung before has not converged.",
  rung_fails = "The {rung} rung fails.",
  rung_doubtful = "The {rung} rung is doubtful.",
  rung_not_converged = "The {rung} rung has not converged.",
  rung_other = "The {rung} rung {verdict}.",

  asks_configural = "the same constructs and items everywhere, each with its own values",
  asks_metric = "an item means the same: loadings and weights are equal",
  asks_second_order_metric =
    "constructs measured by constructs mean the same: their loadings are equal",
  asks_scalar = paste0(
    "an item starts from the same level: intercepts of items are equal, means of constructs may ",
    "differ"),
  asks_second_order_scalar = "constructs start from the same level, given what they measure",
  asks_strict = "an item is equally exact: residual variances and covariances are equal",

  allowed = "Up to {rung}: {allowed}.",
  allowed_in_part = "Up to {rung}, in part (not held: {released}): {allowed}.",
  allowed_without_items =
    "{allowed}, sums and means of observed scores only without the items concerned",
  allows_configural =
    "the constructs have the same structure; no numbers may be compared yet",
  allows_metric = "effects, covariances and correlations may be compared",
  allows_second_order_metric =
    "effects and covariances of constructs measured by constructs may be compared, too",
  allows_scalar = "means of constructs may be compared",
  allows_second_order_scalar = "means of constructs measured by constructs may be compared, too",
  allows_strict = "sums and means of observed scores may be compared",

  indices_object = paste0(
    "{rung}: \u0394\u03c7\u00b2 is not significant (p = {p}), but {indices} ",
    "break{qty(count)}{?s/} {qty(count)}{?its/their} criterion."),
  chisq_objects = paste0(
    "{rung}: \u0394\u03c7\u00b2 is significant (p {p}) while no index breaks its criterion. ",
    "Of {tested}, {found}."),
  likely_to_differ = "likely to differ: {which}",
  spread_differences = paste0(
    "none is both significant after Holm's adjustment and large: small differences, spread over ",
    "many items"),
  likely_parameter = "{parameter} (p {p} after Holm, change {change})",

  step = "{step}, on {against}: {verdict}.",
  step_with_numbers = paste0(
    "{step}, on {against}: {verdict} (p {p}; largest standardized difference {difference} ",
    "[{lower}, {upper}], {parameter})."),

  caveat_rung = paste0(
    "{first} What follows takes for granted what {rungs} equal: no conclusion rests on it as ",
    "long as that is so."),
  caveat_this = "this rung holds",
  caveat_above = "that rung and those above it hold",
  caveat_status = "The solution is {status} ({trouble}): what follows may mislead.",
  caveat_fit = paste0(
    "The model does not fit acceptably (CFI {cfi}, RMSEA {rmsea}): what follows takes it for ",
    "granted."))

add_instructions(
  see_details = instruct("ladder$details", text = "--format json"),
  use_ladder = instruct("{calls}", c("report", "--ladder", "--out", "groups.html")),
  loosen = instruct("loosen(ladder, {quoted_rung}), or amendments({fit}),",
                    c("invariance", "--loosen", "{rung}"),
                    purpose = "to release one equality at a time"),
  amend_configural = instruct("amendments({fit}),", "diagnose",
                              purpose = paste0("to see what each group lacks, and ",
                                               "resolve the misfit first")),
  rescue_rung = instruct(
    "summary({fit}) to see what is wrong, rescue() with the same groups", "rescue",
    purpose = "to try the usual remedies"),
  use_loosened = instruct("trail(loosened$fit), loosened$ladder"),
  use_loosened_with_means =
    instruct("trail(loosened$fit), loosened$ladder, latent_means(loosened$ladder)"))

add_texts(
  groups_side_side = "Groups side by side: {attr}",
  what_is_held_is =
    "Equality constraints hold in raw units; standardized values differ where variances do.",
  invariance_needs_data = "invariance() needs data.",
  give_data_frame_column = "Give a data frame and by = column.",
  not_every_rung_has = "Not every rung has a solution to be read.",
  invariance_needs_groups_or = "invariance() needs groups, or constructs at several times.",
  name_grouping_column_column_or = "Name the grouping column with by = column, or see ?repeated.",
  blueprint_has_no_constructs = "The blueprint has no constructs at several times.",
  configural_rung_is_fitted = "The configural rung is fitted as well: the others rest on it.",
  there_is_no_rung = "There is no rung {unknown}.",
  structural_does_not_know = "`structural` does not know {unknown}.",
  data_carry_no_means = "The data carry no means, which {impossible} is about.",
  give_raw_data_or = "Give raw data, or summary_data(..., means =).",
  construct_s_variance_is = paste0(
    "A construct's variance is not positive here, which the unit scale cannot say: this rung ",
    "is on the marker scale."),
  criteria_conventions_cheung_rensvold = paste0(
    "Criteria: {parts}{given} conventions (Cheung & Rensvold 2002; Chen 2007), not laws. The ",
    "first rung fits with CFI of at least {cfi} and RMSEA of at most {rmsea}."),
  single_equalities_rung_leading =
    "Single equality constraints of the {rung} rung, the largest first",
  and_more_then = "  and {more} more: {instruction}",
  each_group = "\u03c7\u00b2 of each group{request}",
  means_constructs_can_be =
    "Means of constructs can be compared only when intercepts are held across groups.",
  take_scalar_rung_invariance =
    "Take the scalar rung of invariance(), or hold_equal(blueprint, loading, intercept).",
  ladder_has_no_rung = "The ladder has no rung {rung}.",
  rungs_of_ladder = "Rungs: {rungs}.",
  climb_to_rung = "To add it: invariance(blueprint, data, by = \"column\", rungs = {rungs}).",
  of_intercepts = "{partial} ({partial_2} of {partial_3} intercepts)",
  partly_held = " Partly held: {counts}.",
  not_compared_since_what = " Not compared: {left}, since what measures {left_2} is not held here.",
  std_standard_deviations_construct =
    "std.: in standard deviations of the construct {attr}{attr_2}.{partial}{left}",
  compared_against = ", against {against}",
  instead_of = "{construct}{group} {difference_freed} instead of {difference}",
  freed_well = "Freed as well: {moved}.",
  held_though_loading_is = "Held though the loading is not: {parameter}. {moved}",
  means_constructs = "Means of constructs{compared_words}",
  loosen_needs_ladder = "loosen() needs a ladder.",
  ladder_invariance_blueprint_data = "ladder <- invariance(blueprint, data, by = \"column\").",
  first_rung_holds_nothing = "The first rung has no equality constraints to release.",
  largest_index_among_equalities = "largest index among the equalities of the {rung} rung",
  p_least = "p of \u0394\u03c7\u00b2 at least {criteria}",
  criteria_ladder = "the criteria of the ladder",
  rung_meets = "With {count}the {rung} rung meets {told}.",
  held_since_earlier_rung =
    " Held since an earlier rung, and worth more: {earlier}. Loosen that rung first.",
  rung_does_not_meet = "The {rung} rung does not meet {told}{blocked}{earlier}",
  loosened_rung = "Loosened: the {rung} rung of {title}",
  noninvariance_needs_ladder_or = "noninvariance() needs a ladder, or a fit of several groups.",
  non_invariance_items = "Non-invariance of items{compared_words}",
  difference_total_score = "Difference of the total score")

add_texts(
  loosening_blocked = ": what else it holds cannot be released, or would not help.")

add_texts(
  noninvariance_note = paste0(
    "points: expected score minus that under the reference group's values; SD: the same in ",
    "pooled standard deviations, signed and (any way) over cases. About .2 is small, .4 ",
    "medium, .7 large (Nye, Bradburn, Olenick, Bialko & Drasgow 2019)."),
  pooled_over_times = " (of both times, where times are compared)",
  first_time_reference = " (at the first time, where times are compared)",
  nothing_changes_when_freed = "Freed as well, no difference changes to speak of.")

# Headings, captions and axes
add_texts(
  head_rungs = "Rungs",
  released_in_this_order = "Released, in this order",
  items_freed = "Items freed")

add_texts(
  the_first_time = "the first time",
  in_reference_group = "in the reference group")

add_texts(
  rungs_in_order = "Rungs in their order: {rungs}.",
  nothing_released = "nothing released ")

add_texts(
  ladder_over_groups = "Invariance: {title}",
  ladder_over_times = "Invariance over times: {title}",
  ladder_over_both = "Invariance over groups and times: {title}")

add_texts(
  held_equal_every_rung = "Held equal on every rung, as the blueprint says: {parameters}.",
  rungs_without_means =
    "The data carry no means: the {qty(count)}rung{?s} {rungs} {?is/are} left out.")
