# Texts of the stage fit.

add_texts(
  needs_proper_solution = "{verb}() needs a proper solution, and this one is improper.",
  read_first_improper = "IMPROPER SOLUTION ({trouble}). Resolve this before reading what follows.",
  read_first_not_converged =
    "NOT CONVERGED ({trouble}). What follows is where the search stopped, not an estimate.",
  cases_for_parameters = "{group} ({cases} cases for {free} parameters)",
  groups_with_few_cases = paste0(
    "Groups with fewer cases than free parameters: {each}. Their estimates and all tests that ",
    "depend on them are not reliable."),
  clusters_for_parameters = "{group}{clusters} clusters for {free} parameters",
  fewer_clusters_than_parameters = paste0(
    "Fewer clusters than free parameters ({each}): the corrected \u03c7\u00b2 and joint tests are ",
    "not reliable, and standard errors are too small."),
  marker_near_zero =
    "{was} is near 0 and cannot set the scale of {markers}; {markers_2} = 1 is used instead.",
  groups_need_data_here = "Groups require data here.",
  identification_blueprint_data_column = "identification(blueprint, data, by = column).",
  mean_is_standard_deviations = paste0(
    "The mean of {far} is {far_2} standard deviations away from zero, so that its effects and ",
    "the intercepts cannot be separated numerically."),
  subtract_constant_from_column =
    "Subtract a constant from the column first, such as its mean or, for years, the first year.",
  model_cannot_be_identified =
    "The model cannot be identified: it has more free parameters than moments.",
  moments_free_parameters = "{moments} moments, {parameters} free parameters: {kinds}.",
  model_is_not_identified =
    "The model is not identified: it has {lacking} than the data can determine.",
  these_trade_off_against =
    "These parameters can change together without changing the fit: {trading}.",
  construct_without_scale =
    "{construct} has no scale: remove relax({variance}), or fix one of its loadings.",
  has_one_item_fix = " has one item: fix its residual variance, for example restrict(",
  has_two_items_nothing = paste0(
    " has two items and no relation to other variables: make its loadings equal, add an item, ",
    "or relate it to another construct."),
  has_two_items_what = paste0(
    " has two items: their loadings are identified only through relations with the rest of the ",
    "model; equal loadings would help."),
  is_composite_without_outgoing = paste0(
    " is a composite without an outgoing path: weights are identified only through ",
    "effects on something else."),
  point_each_other_each =
    " affect each other: each needs a cause of its own that does not affect the other.",
  fix_or_equate_one =
    "Fix or equate one of the parameters {instruction}, or leave out a path or covariance.",
  fix_or_equate_least = paste0(
    "Fix or equate at least {many} of the parameters {instruction}, or leave out as many ",
    "paths or covariances."),
  has_two_items_rests = paste0(
    "{construct} has two items and is identified through {links}{links_2} near zero, its ",
    "loadings are not separately identified."),
  identified_rank_is_full = "Identified: the rank is full ({rank}){with_data}.",
  not_identified_more_free = "NOT IDENTIFIED: more free parameters than moments.",
  not_identified_rank_is = "NOT IDENTIFIED: the rank is {rank}, with {lacking} too many.",
  these_trade_off_against_each = "These parameters can change together without changing the fit",
  a_negative = "{address} = {at}: a negative {at_2}{at_3}",
  correlation_beyond_one =
    "the correlation of {first} and {second}{where} is {value}, outside -1 to 1",
  covariance_matrix_constructs_is =
    "the covariance matrix of the constructs{where} is not positive semi-definite",
  covariance_matrix_residuals_is =
    "the covariance matrix of the residuals of {block}{group} is not positive semi-definite",
  residuals_would_correlate_beyond =
    "the residuals of {first} and {second}{group} would correlate {beyond}, outside -1 to 1",
  weakly_identified = "weakly identified:",
  is_corrected_itself_satorra = paste0(
    "\u0394\u03c7\u00b2 has its own scaling correction (Satorra & Bentler 2001, 2010) and is ",
    "not the difference of two corrected \u03c7\u00b2 values."),
  incomplete_rows_one_case = "one with listwise deletion and one with the incomplete rows",
  different_rows_n = "to different rows (n = {at} and {at_2}{where})",
  other_auxiliary_variables =
    "with different auxiliary variables, whose moments are part of \u03c7\u00b2, AIC and BIC",
  other_multiplier = "with different multipliers (n in one case, n - 1 in the other)",
  groups_another_order = "to groups in another order",
  different_rows_n_both = "to different rows (n = {value} in both, but different values)",
  different_units = "to {moved} in different units",
  other_means_centred_one = "to {shifted} with different means (perhaps centred in one of them)",
  fit_model_needs_data = "fit_model() needs data.",
  give_data_frame_or_summary = "Give a data frame or summary_data().",
  refit_does_not_know = "refit() does not know {what}.",
  it_changes = "It can change {known}.",
  fit_came_from_summary =
    "The fit is based on summary data, which cannot be grouped or coded differently.",
  give_data_refit_fit = "Give the data: refit(fit, data = data).",
  omit_rows_must_be = "`omit_rows` must be numbers of rows of the data.",
  such_omit_rows_c = "Example: omit_rows = c(3, 17).",
  not_met = "Not met: {met}",
  restrictions_cannot_all_hold = "The restrictions contradict each other.",
  if_they_should_perhaps = paste0(
    "If they do not, perhaps they cannot be computed at the default starting values: choose ",
    "others with"),
  leave_one_them_out = paste0(
    "Leave one of them out, or look for a contradiction among all restrictions of these ",
    "parameters."),
  model_depends_units_variables = paste0(
    "This model depends on the units of the variables (parameters are equated, fixed or ",
    "bounded across them), and the data are correlations: \u03c7\u00b2, fit indices and ",
    "standard errors are not valid. Give covariances, or standard deviations in addition to ",
    "the correlations."),
  fit_has = "The fit has {fit}.",
  solution_is_improper = "The solution is improper.",
  look_before_reading_any =
    "Resolve this before reading any estimate; {instruction} tries remedies.",
  solution_can_hardly_be = "At this solution {weak} can hardly be separated.",
  model_is_identified_elsewhere = paste0(
    "The model is identified in general, but here identification depends on a parameter near ",
    "zero: see"),
  identification_blueprint_data = "identification(blueprint, data).")

add_texts(
  if_it_is = ": if it is",
  if_all_are = ": if all of them are",
  at_made_up_moments = " at hypothetical moments; give the data to be sure")

# Headings, captions and axes
add_texts(
  what_would_help = "What would help",
  also_involved = "Also involved: ",
  resting_on_little = "Weakly identified through small values")

add_texts(
  to_different_variables = "to different variables",
  to_different_groups = "to different groups",
  unnamed_argument = "an unnamed argument",
  r_squared_above_one = ", so R\u00b2 is above 1")

add_texts(
  numbers_cannot_be_trusted = paste0(
    "Its values cannot be trusted; print(fit) shows possible causes in the data, and ",
    "{instruction} tries remedies."))

add_texts(
  correcting_indices = paste0(
    "Correcting for missing values in {size} variables takes a while, once for all models of ",
    "these data."))

# The texts on how estimation ended. Numbers are the codes of the core (`Status`).

add_texts(
  status_converged = "converged",
  status_not_converged = "not converged: {reason}",
  stopped_1 = "the iteration limit was reached",
  stopped_2 = "no step decreases the discrepancy any further",
  stopped_3 = "the solution is stationary but not a minimum",
  stopped_4 = "the information matrix is singular at the solution",
  stopped_5 = "no admissible starting values were found",
  stopped_6 = "interrupted",
  stopped_7 = "the restrictions contradict each other")

add_instructions(
  rescue = instruct("rescue(blueprint, data)", "rescue"))

add_texts(
  needs_fit_converged = "{verb}() needs a fit that converged.",
  one_has = "This fit has {fit}.",
  tries_usual_remedies = "{instruction} tries the usual remedies.")

# --- requests ------------------------------------------------------------------------------------

# Texts about requests.

add_texts(
  role_by = "the grouping column",
  role_clusters = "the column of clusters",
  role_weights = "the column of weights",
  request_in_model_by = paste0("{column} is both {role} and a variable of the model: within a ",
                               "group it does not vary."),
  request_in_model_other = "{column} is both {role} and a variable of the model.",
  request_in_model_hint = "Leave it out of the model, or choose another column for `{option}`.",
  request_two_roles = "{column} has two roles: {roles}.",
  request_two_roles_hint = "Choose another column for one of them.",
  request_auxiliary_drop = "`auxiliary` requires that incomplete cases are kept.",
  request_auxiliary_drop_hint = "Leave it out, or give incomplete = \"keep\".",
  request_auxiliary_used = "{column} is already used and cannot also be auxiliary.",
  request_auxiliary_used_hint = "`auxiliary` names variables outside the model.",
  request_needs_robust = paste0("`{option}` needs robust inference: normal-theory standard errors ",
                                "and tests assume independent, equally weighted cases."),
  request_needs_robust_hint = "Leave `inference` out, or give inference = \"robust\".",
  request_adjust_normal = "`adjust` applies only to robust inference.",
  request_adjust_normal_hint = "Add inference = \"robust\".",
  request_weight_scale = "`weight_scale` applies only to `weights`.",
  request_weight_scale_hint = "Name the column of sampling weights, or leave it out.",
  request_multiplier_robust = "Robust inference always uses multiplier \"n\".",
  request_multiplier_robust_hint = "Leave `multiplier` out.",
  request_adjust_needs = paste0("adjust = \"mean and variance\" is for unweighted cases that are ",
                                "independent; `{option}` is given."),
  request_adjust_needs_hint = "Use adjust = \"mean\".",
  request_locale = "This R session cannot handle the name {name}.",
  request_locale_is = "Its locale is {locale}, which does not contain all of these letters.",
  request_locale_hint = paste0("Start R in a UTF-8 locale, such as LC_ALL=C.UTF-8, or use plain ",
                               "letters and add texts with wording()."),
  request_levels_alone = "`levels` needs groups.",
  request_levels_alone_hint = "Name the grouping column with by = \"column\".",
  request_levels_odd = "`levels` must be values of the grouping column.",
  request_one_column = "{option} must be one column.",
  request_one_column_hint = "Name one of them, or make a column of their combinations first.")

# --- layouts -------------------------------------------------------------------------------------

# Texts of the stage layout.

add_texts(
  head_defaults = "Defaults",
  head_not_assumed = "Not assumed",
  head_constructs = "Constructs",
  other_specifications = "Other specifications",
  empty_so_far_add = paste0(
    "The blueprint is empty. Add construct(\"Name\", reflected_in = item1:item4) or ",
    "effect(outcome ~ cause)."),
  next_fit_model_blueprint = "Next: fit_model(blueprint, data)",
  held_equal_across_groups = "held equal across groups: {hold_equal}",
  repeated_at = "repeated: {name} at {name_2}",
  held_equal_over_times = "held equal over times: {hold_equal_times}",
  free_differ = "free to differ: {let_differ}",
  free_differ_times = "free to differ over times: {let_differ}",
  left_out_group = "left out in group {value}: {value_2}",
  claim = "claim {claims}: {claims_2}",
  trail_see_trail_blueprint = "trail: {revision}; see trail(blueprint)",
  left_out_since_follows = "Left out, because it follows from the other restrictions: {value}.",
  is_not_one_parameter_in = "{value} in {restriction} is not a single parameter.",
  restrictions_contradict_each_other = "Restrictions contradict each other.",
  cannot_hold = "{text} is impossible: {rows}.",
  no_times_nothing_is = "no repeated measures, so that nothing is held equal over time",
  free_outside_since_intercepts =
    "free outside {groups}, because intercepts are held equal: {freed}",
  free_after_first_time =
    "free after the first time, because intercepts are held equal: {freed_later}",
  variances_free_outside_since =
    "variances free outside {groups}, because loadings are held equal: {later}",
  variances_free_after_first =
    "variances free after the first time, because loadings are held equal: {later}",
  construct_means_fixed_at_zero = "; means of constructs fixed at 0 unless specified",
  covariances_among_disturbances = "covariances among the disturbances of {outcomes}{drop}",
  two_of = "{apart} and {apart_2}",
  covary_can_free_those = "; covary() can free those of {apart}",
  scale_by_marker = "scale of {construct}: {marker} = 1",
  scale_by_variance = "scale of {construct}: {variance} = 1{variance_2}",
  scale_by_average = "scale of {construct}: its {loadings} loadings average 1",
  scale_from_values_you = "scale of {construct}: set by the values you fixed",
  is_not_variable_model = "{unknown} in {value} is not a variable of the model.",
  means_nothing_there_is =
    "{value} does not exist: there is no {steps}route from {first} to {second}.",
  there_is_one_from = "There is a route from {second} to {first}.",
  routes_follow_effects_loadings = "Routes follow effects, loadings and weights.",
  quantity_uses_which_is = "quantity[{name}] uses {value}, which is not declared before it.",
  claim_uses_which_is = "The claim {name} uses {value}, which is not declared.",
  mean_stays_0_loadings = paste0(
    "mean[{name}] remains 0 {where}, because the loadings cannot separate it from the other ",
    "means."),
  construct_has_no_left = "Construct {name} has no {composite} left that could set its scale.",
  fix_a_loading_or_unit = "Fix one loading at 1, or use scale = \"unit\".",
  means_are_0_intercepts = paste0(
    "The means of {parts} are 0 and the intercepts of their items are free, so that the mean ",
    "trajectory is not modelled. For a growth model: restrict(intercept[c({items})] == 0) and ",
    "{relax}."),
  means_are_0_growth = "The means of {parts} are 0. For a growth model: {relax}.",
  items_composite_overlap_variance = paste0(
    "Items of the composite {name} are collinear: {inflation} (variance inflation factors of 5 ",
    "and more). Their weights are uncertain; leave one out or make them equal."),
  does_not_exist_composite =
    "{address} does not exist: a composite has no residual that could covary.",
  items_covary_other_exogenous = "Its items already covary with the other exogenous variables.",
  must_be_equal_but = "{members} must be equal, but are fixed at {values}.",
  drop_one_fixed_values = "Drop one of the fixed values or the equality.",
  two_sides_have_different = "The two sides have different lengths: {restriction}.",
  left_side_means_parameters =
    "The left side stands for {rows} parameters, the right side for {others}.",
  put_one_parameter_right = "Put one parameter on the right, or as many as on the left.",
  is_already_fixed_then = "{row} is already fixed at {row_2}, which contradicts {restriction}.",
  cannot_be_restricted_data = "{value} cannot be restricted, because the data contain no means.",
  give_raw_data_or_summary = "Give raw data, or summary data with means.",
  declare_the_effect =
    "To add the effect: effect({to} ~ {from}), or {to} ~ {from} under effects in a blueprint file.",
  no_such_parameter_model = "No such parameter in the model: {value}.",
  parameter_column_estimates_print =
    "The column `parameter` of estimates() and print(blueprint) show all parameters.",
  starting_value_has_nothing =
    "The starting value of {address} has no effect, because the parameter is fixed.",
  drop_start_or_relax = "Remove start_at(), or relax() the parameter.",
  covariances_only_intercepts_add = "  (covariances only; intercepts add as many moments)",
  moments_free_parameters_freedom =
    "{moments} moments - {parameters} free parameters{equations} = {df} of freedom")

add_texts(
  residual_variances_of = "residual variances of {count} observed variable{?s}: {names}",
  disturbances_of = "disturbances of {names}",
  residuals_same_item_covary = "residuals of the same item covary over times: {pairs}",
  covariance_of_exogenous = "the covariance of {names} (exogenous)",
  covariances_of_exogenous = "{covariances} covariances among {names} (exogenous)",
  free_intercepts_of = "free intercepts of {count} observed variable{?s}{means}",
  composite_without_disturbance = "{construct} is a composite of its items without a disturbance",
  free_with_covary = "; free them with covary()")

add_texts(
  at_every_time = "at every time",
  in_every_group = "in every group")

add_texts(
  its_disturbance = " (its disturbance)")
