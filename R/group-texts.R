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

# The texts of approximate invariance over many groups.

add_texts(
  approximate_reference_out =
    "The reference group {reference} has no admissible solution; choose another.",
  approximate_constructs = "Constructs",
  approximate_no_configural = "approximate_means() needs the configural rung of the ladder.",
  approximate_held = "approximate_means() starts from the configural model, without equalities.",
  approximate_held_hint = "Give a ladder from invariance(), or a fit without hold_equal().",
  approximate_few_groups =
    "approximate_means() needs at least three groups with an admissible solution.",
  approximate_cross = paste0(
    "approximate_means() needs items that belong to one construct each: {item} does not."),
  approximate_few_items = "approximate_means() needs at least three items for each construct.",
  approximate_no_means = "The data carry no means.",
  approximate_title = "Means under approximate invariance, by {by}",
  approximate_groups = "group",
  approximate_each = "{construct} (r = {r}; {share} of the loadings and intercepts differ)",
  approximate_rank = "The means of {each} may be ranked.",
  approximate_do_not_rank = paste0(
    "The means of {each} should not be ranked; compare them by their intervals."),
  approximate_criterion = paste0(
    "r: correlation of the means of simulated data with those they were drawn from (at least .980 ",
    "is required for ranking)."),
  approximate_needed = "Cases a group that would allow ranking: {each}.",
  approximate_many_cases = "more than 10,000",
  approximate_tenth = paste0(
    "More than a tenth of the parameters of {names} differ, so that the means are likely to be ",
    "biased."),
  approximate_too_different = paste0(
    "More than a quarter of the parameters of {names} differ, which is too many for this method."),
  approximate_short_rank = "May be ranked: {names}.",
  approximate_short_do_not_rank = "Not to be ranked, but compared by intervals: {names}.",
  approximate_left_out = "Left out, without an admissible configural solution: {groups}.",
  approximate_none_differ = "No loading or intercept was found to differ between groups.",
  approximate_differs = "{parameter} differs in {groups}.",
  approximate_one_set = "Scalar invariance holds over all groups within their uncertainty.",
  approximate_sets = paste0(
    "Scalar invariance holds within each of {count} sets of groups: {each}. Within a set, ",
    "invariance() applies."),
  approximate_note = paste0(
    "Means are in standard deviations of {reference} (mean 0, variance 1). Standard errors are ",
    "approximate. Whether a parameter differs is judged at .001."))

add_instructions(
  approximate_next = instruct(
    r = "plot(x), or plot(x, show = \"items\")", purpose = "to see the means and what differs"))

# The texts of constancy along a variable.

add_texts(
  constancy_needs_cases = "constancy() needs data case by case, not summary data.",
  constancy_one_group = "constancy() needs a fit of one group.",
  constancy_each_group = paste0(
    "Fit each group on its own and test it along the variable, or compare the groups with ",
    "invariance()."),
  constancy_no_weights = "constancy() does not take sampling weights.",
  constancy_no_equations = paste0(
    "constancy() does not take fits with equations among parameters or with estimates at a bound."),
  constancy_restrict_linear = "Equal parameters and fixed values are possible.",
  constancy_improper =
    "The solution is improper, so that its scores cannot be used to test constancy.",
  rescue_may_help = "rescue(blueprint, data) tries the usual remedies.",
  constancy_no_column = "The data have no column {name}.",
  constancy_give_data = paste0(
    "A fit keeps only the columns of its model. Name the data frame that has the column: ",
    "constancy(fit, along = age, data = choirs)."),
  constancy_along_length = "`along` must have one value for each of the {rows} rows of the data.",
  data_must_be_frame = "`data` must be a data frame.",
  constancy_other_rows = paste0(
    "`data` must have the same rows, in the same order, as the data of the fit."),
  constancy_same_data = "Give the data frame that was used in fit_model().",
  constancy_infinite = "`along` is infinite in row {row}.",
  constancy_one_value = "`along` has one value only.",
  constancy_needs_continuous = paste0(
    "This test needs a variable with at least 20 different values; this one has {kind}."),
  constancy_bins_clusters = "`within` cannot be combined with clusters.",
  constancy_words_or_addresses = paste0(
    "`what` must be words such as \"loadings\" or addresses such as \"loading[Calm, ]\", not ",
    "both."),
  constancy_nothing_to_test = "The model has no free {what} to test.",
  constancy_kind_ordered = "ordered categories",
  constancy_kind_unordered = "categories",
  constancy_thirds = "Fits to thirds of the cases",
  constancy_curves = "Bootstrap of the curves",

  constancy_title = "Constancy along {along}",
  constancy_all_of = "all {block}",
  constancy_verdict_changes = "changes",
  constancy_verdict_follows_others = "follows others",
  constancy_verdict_no_change = "none shown",
  constancy_verdict_not_tested = "not tested",
  constancy_too_few = paste0(
    "{block}: there are too few cases for a test (at least 100 are needed, and 20 for each tested ",
    "dimension; of clusters 30, and 5 for each dimension)."),
  constancy_block_no_change = paste0(
    "{block}: no change along {along} was shown (Cram\u00e9r-von Mises, {p}). This does not prove ",
    "that there is none."),
  constancy_block_changes = paste0(
    "{block}: they change along {along} ({p}), but the change cannot be attributed to a single ",
    "parameter."),
  constancy_found = paste0(
    "Not all {block} are constant along {along} ({p} for all together). Found to change, in this ",
    "order: {each}."),
  constancy_where = "most clearly at {at}",
  constancy_size = "{difference} between the lowest and the highest third",
  constancy_follows = paste0(
    "Significant only as long as these are held constant: {each}."),
  constancy_construct = "the mean of {construct} by {d} SD (ratio of SDs {ratio})",
  constancy_constructs = paste0(
    "From the lowest to the highest third of {along}, these constructs change: {each}. The tests ",
    "allow for such changes."),
  constancy_strong = paste0(
    "This change is strong, so that a test with scores computed within bins is advisable",
    "{instruction}."),
  constancy_method_continuous = paste0(
    "Statistic: Cram\u00e9r-von Mises, the mean squared distance of the cumulated scores from ",
    "zero. ",
    "At: where the change is clearest (largest LM statistic). Change: the parameter in the ",
    "highest third of the cases less that in the lowest, with all others of its kind equal."),
  constancy_method_ordered = paste0(
    "Statistic: the largest LM statistic over the steps between the ordered categories; p values ",
    "from 4,000 draws."),
  constancy_method_unordered = paste0(
    "Statistic: LM statistic of differences among unordered categories, with its \u03c7\u00b2 ",
    "distribution."),
  constancy_by_cases = paste0(
    "Means, variances and covariances of the constructs may change along the variable."),
  constancy_by_cluster_sums = paste0(
    "Scores are summed within clusters, which are ordered by the variable."),
  constancy_by_multipliers = paste0(
    "The variable differs within clusters: p values come from 999 draws of multipliers, one for ",
    "each cluster."),
  constancy_by_bins = paste0(
    "Scores come from a model in each bin of the variable; p values from 999 draws of ",
    "multipliers."),
  constancy_left_out = paste0(
    "{count} case{?s} without a value of {along} {qty(count)}{?is/are} left out."))

add_instructions(
  constancy_within = instruct(r = " (within = 4)", text = " (--within 4)"),
  constancy_next = instruct(
    r = "plot(x) or plot(x, show = \"curves\")", purpose = "to see where and how"))
