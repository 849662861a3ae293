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
