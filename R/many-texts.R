# Texts and instructions on results from many fits.

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
    "{reps} replicates {drawn} (seed {seed}); {level}% intervals are {interval}.",
  improper = "{status} improper: {improper}",
  no_p_from_replicates = paste0(
    "No p value is given for quantities that cannot be negative (variances, R\u00b2, ",
    "reliabilities), for fewer than 100 usable replicates, and where more than 5% of the ",
    "replicates were lost or the estimate is at their edge."),
  p_not_placed = paste0(
    "The number of replicates is too small to decide whether the p values of {close} are above ",
    "or below .05{needed}."),
  replicates_needed = " (about {needed} are needed)",
  more_than_one_ten =
    "More than 10% of the replicates were lost; the intervals are based on the remaining ones.",
  some_replicates_gave_no = "Some replicates gave no value: {trouble}",
  did_not_converge_left = "{others} did not converge and {others_2} left out.",
  could_not_be_analysed = paste0(
    "{unusable} could not be analysed (a variable does not vary or is never observed) and ",
    "{unusable_2} left out."),
  many_in = "{at} in {trim}%",
  supported_replicates = "Supported in the replicates: {trim}.",
  interval_bca_leaves_out =
    "interval = \"bca\" leaves out single cases, and this fit is based on summary data.",
  use_interval_percentile_or = "Use interval = \"percentile\" or \"bias-corrected\".",
  draws_cases_again_fit = "{verb}() resamples cases, and this fit is based on summary data.",
  fit_data_themselves_with = "Fit the raw data{verb}.",
  data_drawn_from_model = paste0(
    "Data drawn from the model always fit it, so that their fit indices are not bootstrap ",
    "replicates."),
  model_cutoffs_fit_shows = paste0(
    "model_cutoffs(fit) shows the fit indices of a correctly specified model; draw = \"cases\" ",
    "gives their intervals."),
  cannot_read_bootstrap_lacks = "{reader}() cannot use this bootstrap: parts of it are missing.",
  make_again_bootstrap_fit = "Compute it again: bootstrap_fit(fit).",
  bootstrap_was_made_without = "This bootstrap does not contain what interval = \"bca\" needs.",
  make_bootstrap_fit_fit = "Run it with bootstrap_fit(fit, interval = \"bca\").",
  was_not_bootstrapped = "{unknown} was not bootstrapped.",
  fit_came_from_summary_data =
    "The fit is based on summary data, so that there are no rows to resample.",
  one_process_does_all = paste0(
    "A single process does all the work. With the package future, several can share it; the ",
    "results are the same."),
  worker_was_lost_replicates =
    "A worker was lost; its replicates {chunk} to {chunk_2} are computed here instead.",
  is_link_is_not = "{value} is a link, so that nothing is written to it.",
  folder_cannot_be_made = "The folder {folder} cannot be created.",
  name_one_you_may = "Name a folder in which you may write.",
  saturated_no_cutoff =
    "The model is saturated (df = 0) and always fits, so that there is no cut-off.",
  test_single_parameters_instead = "Test single parameters instead.",
  ladder_has_one_rung = "This ladder has only one rung, so that no index changes.",
  climb_more_them_invariance = "Fit more rungs: invariance(blueprint, data, by = \"column\").",
  loading_is_lower = "the loading of {item} is {loading_difference} lower in {group}",
  residual_variance_is_half = "the residual variance of {item} is 1.5 times as large in {group}",
  intercept_is_standard_deviations =
    "the intercept of {item} is {intercept_difference} standard deviations higher in {group}",
  cases_themselves_moved_fit = "resampled from the data after transforming them to fit",
  normal_data_values_missing =
    "drawn from a normal distribution, with the observed pattern of missing values",
  cut_offs_changes_ladder = "Cut-offs for the changes of this ladder",
  cut_offs_model = "Cut-offs for this model",
  replicates_each_population_seed = paste0(
    "{reps} replicates of each population (seed {seed}), {drawn}. A firm cut-off accepts 95% ",
    "of correctly specified and at most 5% of misspecified models, a lenient one 90 and 10%; ",
    "otherwise there is none (McNeish & Wolf 2023). In brackets: Monte Carlo standard errors."),
  cutoffs_not_settled = paste0(
    "No verdict is given where more replicates could change it (\"cannot tell\"); increase ",
    "`reps`."),
  many_if = "{ladder}if {misspecification}",
  influence_looks_single_cases =
    "influence() examines single cases, and this fit is based on summary data.",
  fit_data_themselves = "Fit the raw data.",
  whose_absence_would_move = "The {top} most influential of {unit}. {influence_words}",
  none_moves_any_parameter = "None changes any parameter by half a standard error.",
  parameter_half_standard_error = "{moved} a parameter by half a standard error or more.",
  misspecified_is_empty = "`misspecified` is empty.",
  leave_out_default_misspecifications = "Leave it out to use the default misspecifications.",
  misspecified_must_be_sizes = "`misspecified` must be standardized sizes named by address.",
  such_misspecified_c_covariance = paste0(
    "Examples: misspecified = c(\"covariance[be1, be2]\" = .3), or list(both = ",
    "c(\"covariance[be1, be2]\" = .3, \"loading[Calm, be3]\" = .2))."),
  residuals_correlate = "residuals of {first} and {second} correlate at {size}",
  also_loads = "{second} also loads on {first} at {size}",
  has_effect = "{first} has an effect of {size} on {second}",
  is_two_constructs_correlate = "{first} is two constructs that correlate at {size}",
  misspecified_give_covariance_matrix =
    "The sizes in `misspecified` imply a covariance matrix that is not positive definite.",
  take_smaller_sizes = "Use smaller sizes.",
  misspecified_cannot_be_made = "`misspecified` does not accept {value}.",
  one_covariance_loading_or = paste0(
    "Give one covariance, loading or effect for all groups, or correlation[Calm, Calm] for a ",
    "construct that consists of two."),
  names_which_model_does = "{value} names {name}, which is not in the model.",
  misspecified_explain_more_than =
    "The sizes in `misspecified` explain more than the variance of {bad}.",
  has_no_two_items = "{construct} does not have two items to be split.",
  name_construct_more_items = "Name a construct with more items.",
  what_must_be_function = "`what` must be a function of a fit, or a named list of such functions.",
  such_what_effects_or =
    "Examples: what = effects, or what = list(effects = effects, fit = fit_indices).",
  what_must_give_named = "`what` must return a named numeric vector or a table of this package.",
  it_gave = "It returned {value}.",
  what_gave_table_without = "`what` returned a table without names and numbers.",
  needs_first_column_names = "It needs a first column of names and columns of numbers.",
  what_gave_empty_table = "`what` returned an empty table: this model has no such values.",
  read_something_else_such = "Use another function, for example what = estimates.",
  there_are_no_cases = "There are no data yet from which missing values could be copied.",
  example_missing_shares = "Give proportions: missing = .1.",
  n_must_be_numbers_cases = "`n` must be sample sizes, or a list of them by group.",
  example_sample_sizes = "Examples: n = c(100, 200), or n = list(c(evening = 100, weekend = 80)).",
  estimate = "estimate {free}",
  se = "se {free}",
  data_sets_each_size_seed = paste0(
    "{reps} data sets of each size (seed {seed}), {drawing}; {inference} inference. The Monte ",
    "Carlo error of a proportion is at most {reps_2}."),
  some_data_sets_gave = "Some data sets gave no value: {trouble}",
  reaches_power_n = " reaches a power of {goal} at n = {reached}.",
  reaches_power_none_these = " does not reach a power of {goal} at any of these sizes.",
  skew_kurtosis_asked = "with the given skewness and kurtosis",
  by = " by {given}",
  values_missing = "values missing{given}",
  clusters = "{clusters} clusters",
  model_implied_covariance_matrix = "The model-implied covariance matrix is not positive definite.",
  no_cases_can_be = "No cases can be drawn from it: check the fit first.",
  no_distribution_kind_has =
    "There is no such distribution with skewness {skew} and kurtosis {kurtosis} ({name}).",
  kurtosis_is_excess_over = paste0(
    "Kurtosis is the excess over a normal distribution: at least -1.15 without skewness, -0.74 ",
    "at skewness 0.5, 0.43 at 1, and 2.37 at 1.5."),
  variables_skew_kurtosis_cannot =
    "Variables with this skewness and kurtosis cannot correlate {value} ({target} and {value_2}).",
  ask_less_skew_or = "Reduce the skewness or the kurtosis.",
  variables_skew_kurtosis_cannot_have =
    "Variables with this skewness and kurtosis cannot have these correlations jointly.",
  power_blueprint_needs_truth = "The power of a blueprint requires `truth` and `n`.",
  such_truth_c_loading = "Example: truth = c(\"loading[Calm, ]\" = .7), n = 200.",
  fit_brings_own_truth = "A fit has population values already: its estimates.",
  give_truth_blueprint = "Give `truth` with a blueprint.",
  n_must_be_numbers = "`n` must be sample sizes.",
  smaller_model_has_no =
    "The smaller model does not have fewer parameters, so that there is nothing to test.",
  name_parameters_are_free = "Name parameters that are free in the model.",
  noncentrality_is_divided_inflation =
    "The noncentrality is divided by the scaling correction factor of this fit, {value}.",
  must_be_addresses_blueprint = "`of` must be addresses, a blueprint, a rung or \"close fit\".",
  of_is_no_address = "`of` is not an address: {value}.",
  give_addresses_such_effect = "Give addresses such as \"effect[Calm, Staying]\", or {known}.",
  is_fixed_already_at_value = "{value} is already fixed.",
  name_parameter_is_free = "Name a parameter that is free.",
  rmsea_must_be_two = "`rmsea` must be two numbers: under the null hypothesis and the true one.",
  example_rmsea_criterion = "Example: rmsea = c(.05, .08).",
  model_is_saturated_df_0_fit =
    "The model is saturated (df = 0), so that its fit cannot be tested.",
  rmsea_under_null_hypothesis = "RMSEA {rmsea} under the null hypothesis; true RMSEA {rmsea_2}.",
  test_df = "Power of the test of {test} at significance level {attr}, df = {df}.",
  no_n_reaches_power = "No sample size reaches a power of {goal}.",
  power_takes_cases = "A power of {goal} requires {needed} cases.",
  there_is_no_claim = "There is no hypothesis {unknown}.",
  state_name_claims_c = "State it by name: claims = c(H1 = \"effect[a, b] > 0\").",
  there_are_no_claims = "The blueprint has no hypotheses whose robustness could be examined.",
  state_some_claim_blueprint =
    "Add some: claim(blueprint, H1 = effect[a, b] > 0), or claims = c(H1 = \"effect[a, b] > 0\").",
  one_might_defend_first =
    "{analysis}: the first is the fitted model, the others are defensible alternatives to it.",
  standardized_to = " The standardized value ranges from {ends} to {ends_2}.",
  it_rests_on = " Otherwise: {verdict}.",
  verdict_in_others =
    "{claim} {verdict} in the fitted model and in {differs} of {others}.{differs_2}{ends}",
  verdict_alone =
    "{claim} {verdict} in the fitted model; no other analysis could be made.{differs_2}{ends}",
  missing_must_be_none =
    "`missing` must be \"none\", \"as observed\", a proportion, or proportions by variable.",
  such_missing_1_or = "Examples: missing = .1, or missing = c(sc1 = .2, sc2 = .2).",
  skew_kurtosis_must_be = "`skew` and `kurtosis` must be one number, or numbers by variable.",
  there_cannot_be_clusters = "There cannot be {clusters} clusters of {cases} cases.",
  ask_fewer_clusters_or = "Reduce `clusters`, or increase the number of cases.",
  missing_given_is_no = "`missing_given` is not a variable of the model: {given}.",
  rungs_ladder_are_tested =
    "Each rung of a ladder is tested against the rung below it, so that `against` does not apply.",
  these_two_models_cannot = "These two models cannot be tested against each other.",
  compare_models_shows_both = "compare_models() shows both side by side.",
  replicates_seed_cases_made = paste0(
    "{attr} replicates (seed {attr_2}) of data transformed to fit the model exactly (Bollen & ",
    "Stine 1992). Bootstrap p: proportion of replicates with a \u03c7\u00b2 at least as large ",
    "as observed."),
  missing_values_cases_can = paste0(
    "With missing values, data can be transformed to fit only approximately: their ",
    "\u03c7\u00b2 is {left} of the observed one."),
  truth_must_be_numbers = "`truth` must be numbers named by address.",
  such_truth_c_loading_calm =
    "Example: truth = c(\"loading[Calm, ]\" = .7, \"effect[Calm, Staying]\" = .3).",
  n_must_be_whole = "`n` must be a whole number of cases, or one for each group, named.",
  such_n_300_or = "Examples: n = 300, or n = c(evening = 200, weekend = 150).",
  truth_says_nothing = "`truth` gives no value for {lacking}.",
  raw_units_all_loadings = "In raw units all loadings and variances are needed.",
  every_loading_needs_value =
    "Every loading needs a value; a slice such as \"loading[Calm, ]\" = .7 is enough.",
  taken_zero_since_truth = "Set to zero, because `truth` gives no value: {zero}.",
  truth_implies_covariance_matrix =
    "`truth` implies a covariance matrix that is not positive definite.",
  take_smaller_loadings_effects = "Use smaller loadings, effects or covariances.",
  truth_explains_more_than = "`truth` explains more than the variance of {bad}.",
  what_points_leaves_residual = "The predictors of {bad} leave it a residual variance of {free}.",
  standardized_units_squared_loadings =
    "In standardized units, squared loadings and effects must sum to less than 1.",
  it_fails_for = "It fails for {weight}.",
  blueprint_cannot_have_truth =
    "The blueprint cannot have these population values, because its restrictions contradict them.",
  best_two_differ_n = "At best, the two differ by \u03c7\u00b2 = {fit} at this sample size.",
  values_blueprint_holds_equal = paste0(
    "Values that the blueprint holds equal must be equal in `truth`; fixed ones need ",
    "truth_units = \"raw\"."))

add_texts(
  improper_kept = "kept, because leaving them out would bias estimates near a bound.",
  improper_left_out = "left out.",
  or_draw_from_model = ", or draw data from the model: draw = \"model\"",
  named_numbers_example =
    "Example: what = function(fit) c(gap = coef(fit)[[1]] - coef(fit)[[2]]).")

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
    "The replicates {first} to {last} are recomputed: {file} is missing or was altered.")

add_texts(
  within_groups = " within groups",
  by_whole_clusters = " by whole clusters",
  completely_at_random = " completely at random")

add_texts(
  example_n = "Example: n = c(100, 200).")

add_texts(
  mediation_names = "`from` and `to` must be the name of one variable each.",
  mediation_no_variable = "The model has no variable {name}.",
  mediation_nothing_leads = "No effect or route leads from {from} to {to}.",
  mediation_declare = "Declare effects with effect(outcome ~ predictor).",
  mediation_title = "Effects of {from} on {to}",
  mediation_kind_direct = "direct",
  mediation_kind_route = "via",
  mediation_kind_indirect = "indirect, all",
  mediation_kind_total = "total",
  mediation_kind_contrast = "difference:",
  mediation_kind_groups = "indirect:",
  mediation_in_group = " in the group {group}",
  mediation_indirect_only = paste0(
    "{from} has an indirect effect on {to}{where}; beyond it, no direct effect was shown."),
  mediation_both_same = paste0(
    "{from} has an indirect and a direct effect on {to}{where}, with the same sign (complementary ",
    "mediation)."),
  mediation_both_opposite = paste0(
    "{from} has an indirect and a direct effect on {to}{where}, with opposite signs (competitive ",
    "mediation, or suppression)."),
  mediation_direct_only =
    "No indirect effect of {from} on {to} was shown{where}, only a direct one.",
  mediation_neither = "Neither an indirect nor a direct effect of {from} on {to} was shown{where}.",
  mediation_no_route = "There is no indirect route from {from} to {to}{where}.",
  mediation_delta = paste0(
    "Intervals are symmetric (delta method). For products of effects, bootstrap intervals are ",
    "better: mediation(fit, ..., bootstrap = bootstrap_fit(fit))."))

add_texts(
  no_indirect_effect = "The model has no indirect effect {parameter}.",
  indirect_effects_are = "Indirect effects: {names}.",
  power_of_products = paste0(
    "Power is the share of 1,000 drawn sets of estimates whose interval for the product excludes ",
    "zero (distribution of the product; Monte Carlo error up to .016)."),
  test_interval = "Test of {test} by its interval at the level of {level}.")
