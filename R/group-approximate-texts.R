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
