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
