# Texts and instructions on what is fitted many times.

add_instructions(
  use_intervals = instruct("estimates(fit, bootstrap = ...) takes these instead of its own",
                           "cutoffs"),
  test_by_bootstrap = instruct(
    "as.data.frame() of this for all digits, bootstrap_test(fit) for a bootstrap test of model fit",
    "cutoffs"),
  plot_cutoffs = instruct("plot() of this", "report",
                          purpose = "to see how well the indices separate the two"),
  refit_without_rows = instruct("refit(fit, omit_rows = ...)",
                                purpose = "to fit without one of them"),
  plot_plan = instruct("plot() of this for power by n, as.data.frame() for all parameters"),
  plot_robustness = instruct("plot() of this", "report"))

add_texts(
  cutoff_firm = "firm",
  cutoff_lenient = "lenient",
  cutoff_none = "none",
  cutoff_passes = "passes",
  cutoff_fails = "fails",
  cutoff_cannot_tell = "cannot tell",
  no_misspecification =
    "No plausible misspecification was found; specify one with `misspecified`.")

add_texts(
  normal_data_from_fitted = "of normal data from the fitted model",
  of_the_cases = "of the cases{sample}{groups}",
  replicates_seed_intervals_are =
    "{reps} replicates {drawn} (seed {seed}); {level} % intervals are {interval}.",
  improper = "{status} improper: {improper}",
  no_p_from_replicates = paste0(
    "No p value is given where zero is an end of the range (variances, R\u00b2, reliabilities), ",
    "for fewer than 100 usable replicates, and where more than 5 % of them were lost or the ",
    "estimate is at their edge."),
  p_not_placed = paste0(
    "The number of replicates is too small to place the p values of {close} above or below ",
    ".05{needed}."),
  replicates_needed = " (about {needed} would do)",
  more_than_one_ten = "More than one in ten is lost: intervals speak for the others only.",
  some_replicates_gave_no = "Some replicates gave no value: {trouble}",
  did_not_converge_left = "{others} did not converge and {others_2} left out.",
  could_not_be_analysed = paste0(
    "{unusable} could not be analysed (a variable does not vary or is never seen) and ",
    "{unusable_2} left out."),
  many_in = "{at} in {trim} %",
  supported_replicates = "Supported in the replicates: {trim}.",
  interval_bca_leaves_out =
    "interval = \"bca\" leaves out single cases, and this fit came from summary data.",
  use_interval_percentile_or = "Use interval = \"percentile\" or \"bias-corrected\".",
  draws_cases_again_fit = "{verb}() draws cases again, and this fit came from summary data.",
  fit_data_themselves_with = "Fit the data themselves{verb}.",
  data_drawn_from_model =
    "Data drawn from the model always fit it: indices of them are no replicates.",
  model_cutoffs_fit_shows = paste0(
    "model_cutoffs(fit) shows the indices of a correctly specified model; draw = \"cases\" ",
    "gives their intervals."),
  cannot_read_bootstrap_lacks =
    "{reader}() cannot read this bootstrap: it lacks parts that one has.",
  make_again_bootstrap_fit = "Make it again: bootstrap_fit(fit).",
  bootstrap_was_made_without = "This bootstrap was made without what interval = \"bca\" needs.",
  make_bootstrap_fit_fit = "Make it with bootstrap_fit(fit, interval = \"bca\").",
  was_not_bootstrapped = "{unknown} was not bootstrapped.",
  fit_came_from_summary_data = "The fit came from summary data: there are no rows to draw.",
  one_process_does_all = paste0(
    "One process does all of it: with the package future others can share it, the numbers ",
    "stay."),
  worker_was_lost_replicates =
    "A worker was lost; its replicates {chunk} to {chunk_2} are run here instead.",
  is_link_is_not = "{value} is a link: it is not written to.",
  folder_cannot_be_made = "The folder {folder} cannot be made.",
  name_one_you_may = "Name one that you may write to.",
  saturated_no_cutoff =
    "The model is saturated (df = 0): it always fits, so there is no cut-off.",
  test_single_parameters_instead = "Test the single parameters instead.",
  ladder_has_one_rung = "This ladder has one rung: no index changes.",
  climb_more_them_invariance = "Climb more of them: invariance(blueprint, data, by = \"column\").",
  loading_is_lower = "the loading of {item} is {loading_difference} lower in {group}",
  residual_variance_is_half = "the residual variance of {item} is 1.5 times as large in {group}",
  intercept_is_standard_deviations =
    "the intercept of {item} is {intercept_difference} standard deviations higher in {group}",
  cases_themselves_moved_fit = "resampled from the data after transforming them to fit",
  normal_data_values_missing = "normal data, values missing as they are",
  cut_offs_changes_ladder = "Cut-offs for the changes of this ladder",
  cut_offs_model = "Cut-offs for this model",
  replicates_each_population_seed = paste0(
    "{reps} replicates of each population (seed {seed}), {drawn}. A firm cut-off accepts 95 % of ",
    "correctly specified models and at most 5 % of misspecified ones, a lenient one 90 and 10 %; ",
    "otherwise there is none (McNeish & Wolf 2023). In brackets: Monte Carlo standard errors."),
  cutoffs_not_settled = paste0(
    "Verdicts that more replicates could change are not given (\"cannot tell\"); increase `reps`."),
  many_if = "{ladder}if {misspecification}",
  influence_looks_single_cases =
    "influence() looks at single cases, and this fit came from summary data.",
  fit_data_themselves = "Fit the data themselves.",
  whose_absence_would_move =
    "The {top} of {unit} whose absence would move the parameters most. {influence_words}",
  none_moves_any_parameter = "None moves any parameter by half a standard error.",
  parameter_half_standard_error = "{moved} a parameter by half a standard error or more.",
  misspecified_is_empty = "`misspecified` is empty.",
  leave_out_default_misspecifications = "Leave it out for the default misspecifications.",
  misspecified_must_be_sizes = "`misspecified` must be sizes by address, in standardized units.",
  such_misspecified_c_covariance = paste0(
    "Such as misspecified = c(\"covariance[be1, be2]\" = .3), or list(both = ",
    "c(\"covariance[be1, be2]\" = .3, \"loading[Calm, be3]\" = .2))."),
  residuals_correlate = "residuals of {first} and {second} correlate at {size}",
  also_loads = "{second} also loads on {first} at {size}",
  has_effect = "{first} has an effect of {size} on {second}",
  is_two_constructs_correlate = "{first} is two constructs that correlate at {size}",
  misspecified_give_covariance_matrix =
    "`misspecified` give a covariance matrix that is not positive definite.",
  take_smaller_sizes = "Take smaller sizes.",
  misspecified_cannot_be_made = "`misspecified` cannot be made of {value}.",
  one_covariance_loading_or = paste0(
    "One covariance, loading or effect in every group, or correlation[Calm, Calm] for a ",
    "construct that is two."),
  names_which_model_does = "{value} names {name}, which the model does not have.",
  misspecified_explain_more_than = "`misspecified` explain more than all of {bad}.",
  has_no_two_items = "{construct} has no two items to be split.",
  name_construct_more_items = "Name a construct with more items.",
  what_must_be_function = "`what` must be a function of a fit, or a named list of such functions.",
  such_what_effects_or =
    "Such as what = effects, or what = list(effects = effects, fit = fit_indices).",
  what_must_give_named = "`what` must give a named numeric vector or a table of this package.",
  it_gave = "It gave {value}.",
  what_gave_table_without = "`what` gave a table without names and numbers to keep.",
  needs_first_column_names = "It needs a first column of names and columns of numbers.",
  what_gave_empty_table = "`what` gave an empty table: this model has no such values.",
  read_something_else_such = "Read something else, such as what = estimates.",
  there_are_no_cases = "There are no cases yet whose missing values could be taken.",
  example_missing_shares = "Give shares: missing = .1.",
  n_must_be_numbers_cases = "`n` must be numbers of cases, or a list of them by group.",
  example_sample_sizes = "Such as n = c(100, 200), or n = list(c(evening = 100, weekend = 80)).",
  estimate = "estimate {free}",
  se = "se {free}",
  data_sets_each_size_seed = paste0(
    "{reps} data sets of each size (seed {seed}), {drawing}; {inference} inference. Monte ",
    "Carlo error of a share: at most {reps_2}."),
  some_data_sets_gave = "Some data sets gave no value: {trouble}",
  reaches_power_n = " reaches a power of {goal} at n = {reached}.",
  reaches_power_none_these = " reaches a power of {goal} at none of these sizes.",
  skew_kurtosis_asked = "with the skew and kurtosis asked for",
  by = " by {given}",
  values_missing = "values missing{given}",
  clusters = "{clusters} clusters",
  model_implied_covariance_matrix = "The model-implied covariance matrix is not positive definite.",
  no_cases_can_be = "No cases can be drawn from it: look at the fit first.",
  no_distribution_kind_has =
    "No distribution of this kind has skew {skew} with kurtosis {kurtosis} ({name}).",
  kurtosis_is_excess_over = paste0(
    "Kurtosis is the excess over a normal distribution: at least -1.15 without skew, -0.74 ",
    "at skew 0.5, 0.43 at 1, 2.37 at 1.5."),
  variables_skew_kurtosis_cannot = paste0(
    "Variables of this skew and kurtosis cannot correlate at {value} ({target} and ",
    "{value_2})."),
  ask_less_skew_or = "Ask for less skew or kurtosis.",
  variables_skew_kurtosis_cannot_have =
    "Variables of this skew and kurtosis cannot have these correlations together.",
  power_blueprint_needs_truth = "Power of a blueprint needs `truth` and `n`.",
  such_truth_c_loading = "Such as truth = c(\"loading[Calm, ]\" = .7), n = 200.",
  fit_brings_own_truth = "A fit brings its own truth: its estimates.",
  give_truth_blueprint = "Give `truth` with a blueprint.",
  n_must_be_numbers = "`n` must be numbers of cases.",
  smaller_model_has_no = "The smaller model has no fewer parameters: there is nothing to test.",
  name_parameters_are_free = "Name parameters that are free in the model.",
  noncentrality_is_divided_inflation =
    "Noncentrality is divided by the inflation of \u03c7\u00b2 in this fit, {value}.",
  must_be_addresses_blueprint = "`of` must be addresses, a blueprint, a rung or \"close fit\".",
  of_is_no_address = "`of` is not an address: {value}.",
  give_addresses_such_effect = "Give addresses such as \"effect[Calm, Staying]\", or {known}.",
  is_fixed_already_at_value = "{value} is fixed already.",
  name_parameter_is_free = "Name a parameter that is free.",
  rmsea_must_be_two = "`rmsea` must be two numbers: under the null hypothesis and the true one.",
  example_rmsea_criterion = "Such as rmsea = c(.05, .08).",
  model_is_saturated_df_0_fit = "The model is saturated (df = 0): its fit cannot be tested.",
  rmsea_under_null_hypothesis = "RMSEA {rmsea} under the null hypothesis, {rmsea_2} in truth.",
  test_df = "Of the test of {test} at {attr}, df = {df}.",
  no_n_reaches_power = "No n reaches a power of {goal}.",
  power_takes_cases = "A power of {goal} takes {needed} cases.",
  there_is_no_claim = "There is no claim {unknown}.",
  state_name_claims_c = "State it by name: claims = c(H1 = \"effect[a, b] > 0\").",
  there_are_no_claims = "The blueprint has no claims whose robustness could be examined.",
  state_some_claim_blueprint = paste0(
    "State some: claim(blueprint, H1 = effect[a, b] > 0), or claims = c(H1 = \"effect[a, b] ",
    "> 0\")."),
  one_might_defend_first = "{analysis} that one might defend, the first as fitted.",
  standardized_to = " Standardized {ends} to {ends_2}.",
  it_rests_on = " It rests on: {verdict}.",
  is_fitted = "{claim} is {verdict} as fitted and in {differs} of {others}.{differs_2}{ends}",
  missing_must_be_none =
    "`missing` must be \"none\", \"as observed\", a share, or shares by variable.",
  such_missing_1_or = "Such as missing = .1, or missing = c(sc1 = .2, sc2 = .2).",
  skew_kurtosis_must_be = "`skew` and `kurtosis` must be one number, or numbers by variable.",
  there_cannot_be_clusters = "There cannot be {clusters} clusters of {cases} cases.",
  ask_fewer_clusters_or = "Ask for fewer `clusters`, or for more cases.",
  missing_given_is_no = "`missing_given` is no variable of the model: {given}.",
  rungs_ladder_are_tested =
    "Rungs of a ladder are tested against the rungs they stand on: no `against`.",
  these_two_models_cannot = "These two models cannot be tested against each other.",
  compare_models_shows_both = "compare_models() shows both side by side.",
  replicates_seed_cases_made = paste0(
    "{attr} replicates (seed {attr_2}) of cases made to fit the model exactly (Bollen & ",
    "Stine 1992). p, bootstrap: how often such cases fit as badly as these do."),
  missing_values_cases_can = paste0(
    "With missing values cases can be made to fit only nearly: {left} of \u03c7\u00b2 is ",
    "left in them."),
  truth_must_be_numbers = "`truth` must be numbers named by address.",
  such_truth_c_loading_calm =
    "Such as truth = c(\"loading[Calm, ]\" = .7, \"effect[Calm, Staying]\" = .3).",
  n_must_be_whole = "`n` must be a whole number of cases, or one for each group, named.",
  such_n_300_or = "Such as n = 300, or n = c(evening = 200, weekend = 150).",
  truth_says_nothing = "`truth` gives no value for {lacking}.",
  raw_units_all_loadings = "In raw units all loadings and variances are needed.",
  every_loading_needs_value =
    "Every loading needs a value; a slice such as \"loading[Calm, ]\" = .7 will do.",
  taken_zero_since_truth = "Set to zero because `truth` gives no value: {zero}.",
  truth_implies_covariance_matrix =
    "`truth` implies a covariance matrix that is not positive definite.",
  take_smaller_loadings_effects = "Take smaller loadings, effects or covariances.",
  truth_explains_more_than = "`truth` explains more than all of {bad}.",
  what_points_leaves_residual = "What points at {bad} leaves it a residual variance of {free}.",
  standardized_units_squared_loadings =
    "In standardized units squared loadings and effects stay below 1 in all.",
  it_fails_for = "It fails for {weight}.",
  blueprint_cannot_have_truth =
    "The blueprint cannot have this truth: its restrictions say something else.",
  best_two_differ_n = "At best the two differ by \u03c7\u00b2 = {fit} at this n.",
  values_blueprint_holds_equal = paste0(
    "Values that the blueprint holds equal must be equal in `truth`; fixed ones need ",
    "truth_units = \"raw\"."))

add_texts(
  improper_kept = "kept, since leaving them out would bias what lies near a bound.",
  improper_left_out = "left out.",
  or_draw_from_model = ", or draw data from the model: draw = \"model\"",
  named_numbers_example = "Such as what = function(fit) c(gap = coef(fit)[[1]] - coef(fit)[[2]]).")

# Headings, captions and axes
add_texts(
  head_bootstrap = "Bootstrap",
  a_part_of_another_name = "a part of another name",
  a_part_without_replicates = "a part without replicates",
  head_influence = "Influence",
  head_power = "Power",
  head_robustness = "Robustness",
  head_analyses = "Analyses",
  bootstrap_test = "Bootstrap test")

add_texts(
  replicates_computed_again =
    "The replicates {first} to {last} are computed again: {file} is missing or was altered.")

add_texts(
  within_groups = " within groups",
  by_whole_clusters = " by whole clusters",
  completely_at_random = " completely at random")

add_texts(
  example_n = "Such as n = c(100, 200).")
