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
