# The texts of ladders.

add_texts(
  verdict_fits = "fits",
  verdict_fits_poorly = "fits poorly",
  verdict_holds = "holds",
  verdict_holds_in_part = "holds in part",
  verdict_holds_small_differences = "holds, small differences",
  verdict_doubtful = "doubtful",
  verdict_fails = "fails",
  verdict_differs = "differs",
  verdict_differs_negligibly = "differs, but below the smallest effect of interest",
  verdict_cannot_tell = "cannot tell",
  verdict_nothing_to_hold = "no equality to test",
  verdict_not_tested = "not tested: the rung below has not converged",
  verdict_not_converged = "not converged",
  verdict_improper = "improper",
  verdict_on_unsound = "{verdict}; depends on {rung} ({why})",

  unsound_fits_poorly = "fits poorly",
  unsound_doubtful = "is doubtful",
  unsound_fails = "fails",
  unsound_differs = "differs",
  unsound_differs_negligibly = "differs negligibly",
  unsound_cannot_tell = "is undecided",
  unsound_not_tested = "was not tested",
  unsound_not_converged = "has not converged",
  unsound_improper = "is improper",

  equality_differs = "likely to differ",
  equality_differs_negligibly = "differs negligibly",
  equality_holds = "does not differ",
  equality_cannot_tell = "cannot tell",

  items_not_in_groups = "Not asked everywhere: {each}. Equalities hold where an item was asked.",
  items_not_in_group = "{items} (not in {group})",
  equalities_over_times = "Equalities over times",
  rung_fits_poorly =
    "The {rung} model does not fit acceptably: resolve its misfit first, in each group.",
  trouble_in_groups = " in {groups}",
  rung_improper = "The {rung} solution is improper: resolve this first.",
  rung_not_tested = "The {rung} rung is not tested, because the rung below has not converged.",
  rung_fails = "The {rung} rung fails.",
  rung_cannot_tell = "The {rung} rung is undecided.",
  too_little_power = paste0(
    "{rungs}: no difference was found, but one could hardly have been found with these cases. ",
    "The power to detect a standardized difference of {size} in a single equality is {power} ",
    "(median; the criterion is {needed}). Until more cases decide, equality remains an ",
    "assumption."),
  too_little_power_in = paste0(
    "On the {rung} rung, no conclusion is possible about {groups}, where the power to detect a ",
    "standardized difference of {size} in a single equality is as low as {power} (median; the ",
    "criterion is {needed})."),
  power_of_rungs = paste0(
    "Power to detect a standardized difference of {size} in a single equality (median{where}): ",
    "{each}."),
  power_where_least = ", in the group with the lowest power",
  searched = paste0(
    "These equalities were released one at a time after looking at the data: {each}. The p ",
    "values of rungs with such releases ignore the search and are too high; only fresh data ",
    "give an unbiased test."),
  released_on = "{parameter} ({rung})",
  ladder_needs_covariances =
    "Only correlations are known, so that equality of loadings across groups cannot be tested.",
  give_sd_too = "Give covariances, or the standard deviations of each group (sd =).",
  rung_doubtful = "The {rung} rung is doubtful.",
  rung_not_converged = "The {rung} rung has not converged.",
  rung_other = "The {rung} rung {verdict}.",

  asks_configural = paste0(
    "configural invariance: the same constructs and items in every group, each with its own ",
    "parameters"),
  asks_metric =
    "metric invariance: loadings and weights are equal, so that an item has the same meaning",
  asks_second_order_metric =
    "second-order metric invariance: loadings of second-order constructs are equal",
  asks_scalar = paste0(
    "scalar invariance: intercepts of items are equal, so that an item has the same origin; ",
    "means of constructs may differ"),
  asks_second_order_scalar =
    "second-order scalar invariance: intercepts of first-order constructs are equal",
  asks_strict = paste0(
    "strict invariance: residual variances and covariances are equal, so that an item is ",
    "equally precise"),

  allowed = "Up to {rung}: {allowed}.",
  allowed_in_part = "Up to {rung}, partial invariance (not held: {released}): {allowed}.",
  allowed_without_items =
    "{allowed}, but sums and means of observed scores only without these items",
  allows_configural = "the constructs have the same structure; no parameters may be compared yet",
  allows_metric = "effects, covariances and correlations may be compared",
  allows_second_order_metric =
    "effects and covariances of second-order constructs may also be compared",
  allows_scalar = "means of constructs may be compared",
  allows_second_order_scalar = "means of second-order constructs may also be compared",
  allows_strict = "sums and means of observed scores may be compared",

  indices_object = paste0(
    "On the {rung} rung, \u0394\u03c7\u00b2 is not significant (p = {p}), but {indices} ",
    "{qty(count)}exceed{?s/} {qty(count)}{?its/their} cut-off{?/s}."),
  chisq_objects = paste0(
    "On the {rung} rung, \u0394\u03c7\u00b2 is significant (p {p}), although no index exceeds its ",
    "cut-off. Of {tested}, {found}."),
  likely_to_differ = "these are likely to differ: {which}",
  spread_differences = paste0(
    "none is both significant after Holm adjustment and large, so that the differences are ",
    "small and spread over many items"),
  likely_parameter = "{parameter} (Holm-adjusted p {p}, change {change})",

  step = "{step}, on {against}: {verdict}.",
  step_with_numbers = paste0(
    "{step}, on {against}: {verdict} (p {p}; largest standardized difference {difference} ",
    "[{lower}, {upper}], {parameter})."),

  caveat_rung = paste0(
    "{first} The results below assume the equalities of {rungs}; do not draw conclusions from ",
    "them until it holds."),
  caveat_this = "this rung",
  caveat_above = "that rung and those above",
  caveat_status = "The solution is {status} ({trouble}): the results below may mislead.",
  caveat_fit = paste0(
    "The model does not fit acceptably (CFI {cfi}, RMSEA {rmsea}), and the results below ",
    "assume that it does."))

add_instructions(
  see_details = instruct("ladder$details", text = "--format json"),
  use_ladder = instruct("{calls}", c("report", "--ladder", "--out", "groups.html")),
  see_power = instruct("ladder$power", text = "--format json",
                       purpose = "for the power of each rung by group"),
  loosen = instruct("loosen(ladder, {quoted_rung}), or amendments({fit}),",
                    c("invariance", "--loosen", "{rung}"),
                    purpose = "to release one equality at a time"),
  use_approximate = instruct("approximate_means(ladder)", c("approximate"),
                             purpose = "to compare the means of many groups"),
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
  not_every_rung_has = "Not every rung has a solution that can be interpreted.",
  invariance_needs_groups_or = "invariance() needs groups or constructs measured repeatedly.",
  name_grouping_column_column_or = "Name the grouping column with by = column, or see ?repeated.",
  blueprint_has_no_constructs = "The blueprint has no constructs that are measured repeatedly.",
  configural_rung_is_fitted =
    "The configural rung is fitted as well, because the others are compared with it.",
  there_is_no_rung = "There is no rung {unknown}.",
  structural_does_not_know = "`structural` does not accept {unknown}.",
  data_carry_no_means = "The data contain no means, which {impossible} requires.",
  give_raw_data_or = "Give raw data, or summary_data(..., means =).",
  construct_s_variance_is = paste0(
    "The variance of a construct is not positive here, which the unit scale cannot represent; ",
    "this rung uses the marker scale."),
  criteria_conventions_cheung_rensvold = paste0(
    "Criteria: {parts}{given} conventions (Cheung & Rensvold 2002; Chen 2007), not laws. The ",
    "first rung must have a CFI of at least {cfi} and an RMSEA of at most {rmsea}."),
  single_equalities_rung_leading = "Single equality constraints of the {rung} rung, largest first",
  and_more_then = "  and {more} more: {instruction}",
  each_group = "\u03c7\u00b2 of each group, and its increase{request}",
  means_constructs_can_be =
    "Means of constructs can be compared only if intercepts are held equal across groups.",
  take_scalar_rung_invariance =
    "Use the scalar rung of invariance(), or hold_equal(blueprint, loading, intercept).",
  ladder_has_no_rung = "The ladder has no rung {rung}.",
  rungs_of_ladder = "Rungs: {rungs}.",
  climb_to_rung = "To add it: invariance(blueprint, data, by = \"column\", rungs = {rungs}).",
  of_intercepts = "{partial} ({partial_2} of {partial_3} intercepts)",
  partly_held = " Partly held: {counts}.",
  not_compared_since_what =
    " Not compared: {left}, because the indicators of {left_2} are not held equal here.",
  std_standard_deviations_construct =
    "std.: in standard deviations of the construct {attr}{attr_2}.{partial}{left}",
  compared_against = ", against {against}",
  instead_of = "{construct}{group} {difference_freed} instead of {difference}",
  freed_well = "With these intercepts also freed: {moved}.",
  held_though_loading_is = paste0(
    "These intercepts are held equal although the loading of the item is free: {parameter}. ",
    "{moved}"),
  means_constructs = "Means of constructs{compared_words}",
  loosen_needs_ladder = "loosen() needs a ladder.",
  ladder_invariance_blueprint_data = "ladder <- invariance(blueprint, data, by = \"column\").",
  first_rung_holds_nothing = "The first rung has no equality constraints to release.",
  largest_index_among_equalities =
    "largest modification index among the equalities of the {rung} rung",
  p_least = "the criterion (\u0394\u03c7\u00b2 with p of at least {criteria})",
  criteria_ladder = "the criteria of the ladder",
  rung_meets = "{opening} the {rung} rung meets {told}{below}.{search}",
  but_rests_on = ", but it depends on the {below} rung, which {why}: loosen that rung first",
  after_a_search =
    " Its p value ignores the search and is too high; only fresh data give an unbiased test.",
  held_since_earlier_rung = paste0(
    " Releasing {earlier}, which is held since an earlier rung, would improve the fit more: ",
    "loosen that rung first."),
  rung_does_not_meet = "The {rung} rung does not meet {told}{blocked}{earlier}",
  loosened_rung = "Loosened: the {rung} rung of {title}",
  noninvariance_needs_ladder_or = "noninvariance() needs a ladder, or a fit of several groups.",
  non_invariance_items = "Non-invariance of items{compared_words}",
  difference_total_score = "Difference of the total score")

add_texts(
  loosening_blocked = ": no remaining equality can be released or would improve the fit.")

add_texts(
  noninvariance_note = paste0(
    "difference: expected item score minus the score expected under the reference group's ",
    "parameters; d: the same in pooled standard deviations; unsigned d: root mean square over ",
    "cases; p (Holm): Wald test of the item in this group, adjusted for all rows. An unsigned d ",
    "of about .2 is small, .4 medium, .7 large (Nye, Bradburn, Olenick, Bialko & Drasgow 2019)."),
  more_differences = "  and {more} more: as.data.frame(noninvariance(...))",
  pooled_over_times = " (over both times, where times are compared)",
  first_time_reference = " (at the first time, where times are compared)",
  nothing_changes_when_freed =
    "Freeing them too leaves the mean differences practically unchanged.")

# Headings, captions and axes
add_texts(
  head_rungs = "Rungs",
  released_in_this_order = "Released, in this order",
  items_freed = "Items freed")

add_texts(
  the_first_time = "the first time",
  in_reference_group = "in the reference group")

add_texts(
  rungs_in_order = "Rungs in order: {rungs}.",
  nothing_released = "Without any release,",
  after_releases = "After {qty(count)}releasing {count} equalit{?y/ies},")

add_texts(
  ladder_over_groups = "Invariance: {title}",
  ladder_over_times = "Invariance over times: {title}",
  ladder_over_both = "Invariance over groups and times: {title}")

add_texts(
  held_equal_every_rung = "The blueprint holds these equal on every rung: {parameters}.",
  rungs_without_means =
    "The data contain no means, so that the {qty(count)}rung{?s} {rungs} {?is/are} left out.")
