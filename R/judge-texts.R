# The texts on the quality of measures.

add_texts(
  quality_good = "good",
  quality_acceptable = "acceptable",
  quality_falls_short = "below criterion: {criteria}",
  quality_assumed = "assumed",
  quality_not_judged = paste0(
    "The solution is {status}: resolve this first. The values below are computed from it, and ",
    "no construct is judged."),
  quality_model_fit = "The model: {fit}.",
  quality_poor_fit = paste0(
    "Caution: the model does not fit ({indices}). Reliabilities and correlations assume the ",
    "model, so resolve its misfit before interpreting them."),
  constructs_cannot_be_merged = "These constructs cannot be merged into one.",
  as_one_construct_legend = paste0(
    "as one: increase in \u03c7\u00b2 when the two are modelled as one construct, so that ",
    "their correlation is 1 and their relations to all others are equal."),
  htmt_is_without =
    "HTMT of {first} and {second} is computed without {items}, which {loads} on both constructs.",
  item_counts_for = paste0(
    "{item} also loads on {others}; it belongs to the scale of {construct}, on which its ",
    "standardized loading is largest."),
  quality_part = "part of {whole}: variance_split()")

add_instructions(
  variance_split = instruct("variance_split(fit)", c("quality", "--table", "split")),
  try_each_item = instruct("construct_quality(fit, leave_out = \"all\")",
                           c("quality", "--leave-out", "all"), purpose = "to try each item"),
  see_wordings = instruct("loading_plot(fit)",
                          c("draw", "--what", "loadings", "--out", "loadings.svg"),
                          purpose = "to see the loadings beside the item wording"))

add_texts(
  score_one_score = "one score",
  score_mixture = "a mixture",
  score_general_with_parts = "general, with parts",
  score_adds = "adds to the total",
  score_repeats = "repeats the total",
  score_adds_unreliable = "adds, but unreliable",
  score_cannot_tell = "cannot tell",
  total_one_score = paste0(
    "{general} accounts for {omega} of the variance of the sum of all items (omega hierarchical, ",
    "interval {lower} to {upper}): a total score measures {general} and little else."),
  total_general_with_parts = paste0(
    "{general} accounts for {omega} of the variance of the sum of all items (omega hierarchical, ",
    "interval {lower} to {upper}): a total score can be read as {general}, but it also contains ",
    "variance of its parts."),
  total_mixture = paste0(
    "{general} accounts for {omega} of the variance of the sum of all items (omega ",
    "hierarchical, interval {lower} to {upper}): a total score would confound {general} with ",
    "its parts and should not be used."),
  total_cannot_tell = paste0(
    "{general} accounts for {omega} of the variance of the sum of all items (omega hierarchical), ",
    "but the interval from {lower} to {upper} is too wide to say whether a total score measures ",
    "{general} alone."),
  part_adds = paste0(
    "The {qty(count)}score{?s} of {parts} {qty(count)}{?has/have} added value: ",
    "{qty(count)}{?it predicts its/they predict their} true score better than the total does, and ",
    "reliably enough to be reported."),
  part_repeats = paste0(
    "The {qty(count)}score{?s} of {parts} {qty(count)}{?repeats/repeat} the total, which predicts ",
    "the true {qty(count)}score{?s} better."),
  part_adds_unreliable = paste0(
    "The {qty(count)}score{?s} of {parts} {qty(count)}{?has/have} added value over the total but ",
    "{qty(count)}{?is/are} too unreliable for single persons (omega below .70)."),
  part_cannot_tell = paste0(
    "Whether the {qty(count)}score{?s} of {parts} {qty(count)}{?adds/add} to the total cannot be ",
    "decided from these data."),
  effect_would_be_biased = paste0(
    "If all items were fitted as one dimension, an effect of {general} would be estimated {bias} ",
    "{direction}."),
  split_no_verdict = "No verdict on the scores is given: {trouble}.",
  split_improper = "No verdict on the scores is given, because the solution is not proper.",
  split_residual_not_positive = "a residual variance is not positive",
  split_loading_unidentified =
    "a standardized loading has a standard error above 1, so that it is hardly identified",
  split_mixed_signs = "the loadings of {factor} differ in sign",
  split_in_group = "In {group}:")

add_texts(
  caution_solution_is = "CAUTION: the solution is {status}.",
  loads = "{item} loads {standardized}",
  below_size = "{lead}{standardized}, below {loading} in absolute value{weak}.",
  weakest_item_is_standardized =
    "; its weakest item is {item} (standardized loading {standardized}){item_2}",
  is_below = "{what} {value} is below {cutoff}",
  without_omega_is_ave = "; without it omega is {omega} and AVE {ave}",
  they_share_their_variance =
    "they share {shared} of their variance, more than {below}{below_2} on average",
  htmt_is_above = "HTMT {htmt} exceeds {htmt_2}",
  their_correlation_is_not =
    "their correlation of {correlation} is not significantly below 1 (p {p_below_one})",
  pair_said = "{first} and {second}{where}: {said}.",
  judged_constructs_meet = paste0(
    "{constructs} {qty(count)}{?meets/meet} the criteria; the other constructs were not judged by ",
    "them."),
  no_construct_falls_short = "All constructs meet the criteria.",
  without_single_items_refitted =
    "If item deleted (refitted; models of different variables are not nested)",
  not_judged = "Not judged: {left}.",
  one_item_alone_reliability = paste0(
    "Single-item construct: {single}; its reliability is assumed through its fixed residual ",
    "variance."),
  parts_beside_general_construct = paste0(
    "Parts beside a general construct, which explain the variance that it leaves: {parts_of}; ",
    "{instruction} shows the value of each."),
  omega_alpha_sum_all = paste0(
    "{second_order}: omega and alpha refer to the sum of all observed items below it, AVE to ",
    "the constructs on which it loads."),
  htmt_is_made_sizes = " HTMT is computed from absolute correlations.",
  htmt_is_made_geometric = " HTMT is computed from geometric means.",
  omega_share_construct_variance = paste0(
    "omega: proportion of sum-score variance due to the construct; alpha: estimates reliability ",
    "only with equal loadings and uncorrelated errors{value}; AVE: mean squared standardized ",
    "loading; shared: largest squared correlation. Good, acceptable: omega {reliability}, ",
    "{reliability_2}; AVE {ave}, ",
    "{ave_2}; HTMT up to {htmt}, {htmt_2}.{form}"),
  there_are_no_estimates = "There are no estimates to judge.",
  fit_has_groups = "This fit has {fit}.",
  model_has_no_constructs = "The model has no constructs that can be judged as measures.",
  add_construct_bp_name = "Add construct(.bp, name, reflected_in = items) to the blueprint.",
  alpha_ratios_come_from =
    "Alpha and the ratios are computed from EM moments, because values are missing.",
  more_than_variables_standard = paste0(
    "With more than {most_saturated} variables, the standard errors of alpha ignore what other ",
    "constructs' items reveal about missing values."),
  standard_errors_alpha_are =
    "Standard errors of alpha assume normality, because there are no raw data.",
  bootstrap_holds_nothing_construct =
    "This bootstrap contains none of the values of construct_quality().",
  make_one_what_construct = "Run it with what = construct_quality.",
  general_specific_title = "General and specific: {title}",
  shares_each_item_s = "Proportions of each item's variance",
  specific_holds_what_other = " Specific contains what other constructs load on {outside}.",
  general_specific_legend = paste0(
    "general + specific + residual = 1; common variance: general over general + specific. ",
    "omega: proportion of the variance of the sum that is due to general and specific factors; ",
    "own share: proportion of that due to the named factor (for the total, the interval is that ",
    "of omega hierarchical). By itself, by the total: proportional reduction in mean squared ",
    "error when the true score of the part is predicted from its own score or from the total ",
    "(Haberman 2008); added value: interval of their difference. H: construct replicability. ",
    "Factor scores require a determinacy of .90 for single persons and .80 for groups. ",
    "Uncontaminated correlations (pairs of items in no common part): {free}.{outside}"),
  negative_disturbance_variance_has =
    "A negative disturbance variance has no Schmid-Leiman transformation; its cells are empty.",
  all = "all ({general})",
  there_are_no_estimates_split = "There are no estimates from which variance could be split.",
  variance_split_needs_bifactor = "variance_split() needs a bifactor or a second-order model.",
  no_construct_one_loads = paste0(
    "No construct of this model loads on other constructs, or on all items of constructs with ",
    "which it does not covary."),
  such_construct_general_reflected = paste0(
    "Example: construct(\"General\", reflected_in = c(Warmth, Ease)), or a construct of all ",
    "items with uncorrelate()."),
  several_constructs_are_general = "Several constructs are general: {usable}.",
  name_one_variance_split = "Name one: variance_split(fit, general = {usable}).",
  is_no_general_construct = "{name} is not a general construct of this model.")

add_texts(
  unjudged_composite = "a composite of its items, which need not correlate",
  unjudged_growth = "describes change: some of its loadings are fixed at 0",
  unjudged_unmeasured = "it has no indicators",
  tau_equivalence_tested = " (p (tau-equivalent): test of that model)")

# Headings, captions and axes
add_texts(
  items_left_out = "Items left out")

add_texts(
  what_to_look_at = "What to look at",
  discriminant_validity = "Discriminant validity",
  short_correlation = "correlation not below 1",
  short_shared_variance = "shared variance",
  unknown_part = "an unknown part")
