# Texts of the stage figure.

add_texts(
  there_is_nothing_draw = "There is nothing to draw, because no parameter could be freed.",
  could_be_freed_dashed = paste0(
    "{shown} that could be freed; dashed: p = {significance} and the smallest effect size of ",
    "interest, {smallest}"),
  arranges_blueprint_or_fit = "arrange_as() keeps the arrangement of a blueprint or of a fit.",
  arrangement_needs_diagram = "`diagram` must be a diagram that path_diagram() has drawn.",
  such_arrange_as = "Example: bp <- arrange_as(bp, path_diagram(bp)).",
  arrangement_lacks = paste0(
    "The saved arrangement has no place for {names}: the diagram is arranged anew. ",
    "Keep it with arrange_as()."),
  nudge_must_be_data = "`nudge` must be a data frame with columns name, dx and dy.",
  dx_dy_are_inches = "dx and dy are in inches on the page; dy > 0 is up.",
  nothing_diagram_is_called = "The diagram contains nothing called {unknown}.",
  nudge_moves_twice_give = "`nudge` moves {twice} twice: give one row per name.",
  model_has_no_draw = "The model has no {kind} to draw.",
  raw_interval = "{kind}, raw, {level}% interval",
  by_group = "By group: {title}",
  what_is_held_across = "parameters held equal across groups have the same value in all of them",
  expected_scores = "Expected scores by {construct}",
  each_line_spans_two = paste0(
    "each line covers two standard deviations of the construct on either side of its mean in ",
    "the group"),
  model_has_no_loadings = "The model has no loadings to draw.",
  standardized_loading_interval = "standardized loading, {level}% interval",
  dashed_40_weak_below =
    "dashed: .40 (weak below) and .70 (half of the variance explained); n = {moments}",
  no_standardized_loadings =
    "without standardized loadings, since their variance is negative: {names}",
  right_wrong_models = "Correctly specified and misspecified models: {title}",
  change_of = "{rung}: change of {index}",
  there_is_nothing_draw_no = "There is nothing to draw, because no effect has a known power.",
  data_sets_each_size_bands = paste0(
    "{reps} data sets of each size; bands are 95% Monte Carlo intervals, the line marks a ",
    "power of {goal}."),
  how_far_parameters_move = "change of the parameters if the case is deleted",
  influence_single = "Influence of single {unit}{attr}",
  there_is_nothing_draw_no_analysis =
    "There is nothing to draw, because no analysis gave an estimate.",
  line_estimate_ground_interval = "Line: estimate; shaded: {level}% interval ({interval}).",
  there_is_nothing_draw_no_number = "There is nothing to draw, because no value varies.",
  was_not_bootstrapped_or = "{unknown} was not bootstrapped, or does not vary.",
  diagram_of_blueprint_has_no_values =
    "The diagram of a blueprint shows no estimates, so it takes only `nudge` and `page`.",
  fit_first_then_draw = "Fit the blueprint with fit_model() and draw the fit.",
  theory_caption = paste0(
    "blueprint without data: {observed} observed variables, {parameters} free parameters, {df} ",
    "degrees of freedom{signs}"),
  theory_signs = "; signs: what the hypotheses expect, dashed when negative",
  page_must_be_width = "`page` must be a width and a height in inches, each from 2 to 100.",
  example_page = "Example: page = c(10, 6.25).",
  raw_values_standardized_brackets = "raw values, standardized values in brackets",
  covariances_composites_items_not = "covariances of composites' items are not drawn",
  amber_bold_differs_between = "amber and bold: differs between groups, p < .05",
  quality_measures = "Quality of the measures: {title}",
  bars_intervals_dashed_good = paste0(
    "bars: {level} intervals; dashed: limits for good and acceptable. If the shared variance ",
    "exceeds AVE, discriminant validity is doubtful."),
  general = "general ({general})",
  share_item_s_variance = "proportion of the item's variance",
  omega_hierarchical_all_items = "omega hierarchical of all items",
  more_than_model_implies = "+ more than the model implies (amber), - less (blue){in_units}",
  empty_reproduced_whatever_data = "; empty: always reproduced exactly",
  with = "{text}  {top} with {top_2}",
  cannot_draw_into = "Cannot draw into {file}.",
  use_file_ends_png = "Use a file that ends in .png, .svg or .pdf.",
  within_its_cut_off = "within its cut-off",
  exceeds_its_cut_off = "exceeds its cut-off",
  value_missing = "missing",
  value_observed = "observed",
  nothing_is_missing_there = "No values are missing, so that there are no patterns to draw.",
  not_shown = "; {count} not shown",
  rows_miss_nothing = "{whole} of {rows} rows are complete{count}",
  columns_must_be_one = "`columns` must be one number, such as 24.",
  there_are_no_numeric = "There are no numeric columns to draw.",
  more_columns_not_shown = "; {drawn} more columns not shown",
  columns_shown = "{rows}; {missing} in the columns shown{noted}{data}",
  there_is_nothing_draw_nothing =
    "There is nothing to draw, because the model has not been modified.",
  amend_fit_free_because = "amend(fit, free = ..., because = ...) starts a modification history.")

add_texts(
  residual_map_correlation = "differences of correlations",
  residual_map_own_se = "residuals over their own standard errors",
  residual_map_moment_se = "residuals over the standard errors of the moments",
  residual_map_covariance = "differences of covariances",
  residual_frame_correlation = "; framed: .10 and more, dashed when less",
  residual_frame_own_se = "; framed: beyond 1.96, dashed when less",
  residual_frame_moment_se = "; framed: beyond 1.96, dashed when less",
  amber_columns = "; amber: needs attention, for the reason in the title")

add_texts(
  population_right = "correctly specified",
  population_misspecified = "misspecified")

# Headings, captions and axes
add_texts(
  modification_index_root_scale = "modification index (root scale)",
  expected_change_standardized = "expected change, standardized",
  expected_score = "expected score",
  axis_replicates = "replicates",
  estimate_with_its_interval = "estimate with its interval",
  axis_power = "power",
  axis_cases = "cases",
  data_screening = "Data screening",
  axis_rows = "rows",
  patterns_of_missing_values = "Patterns of missing values",
  axis_revision = "revision")

add_texts(
  grey_not_significant = "grey: not significant at .05",
  dashed_negative = "dashed: negative",
  sign_negative = "negative (reverse-keyed)")

add_texts(
  chisq_difference_in_words = "the chi-square difference",
  sign_positive = "positive")

add_texts(
  constancy_no_process =
    "There is no process to draw: it exists for ordered variables without bins.",
  constancy_process_axis = "cumulated scores",
  constancy_process_note = paste0(
    "Orange: parameters found to change, with the place. Dashed: limits that 95% of the processes ",
    "of a constant parameter do not cross."),
  constancy_panel_p = "p (Holm) {p}",
  constancy_fewer = "The {shown} of {count} parameters with the smallest p values are shown.",
  constancy_no_curves = "There are no curves.",
  constancy_curves_need = paste0(
    "They need complete data, a continuous variable, and a measurement model in which each item ",
    "belongs to one construct."),
  constancy_curves_note = paste0(
    "Each point weights {n} cases; loadings average 1 and intercepts 0 within each construct. ",
    "Neighbouring points share cases."),
  constancy_no_bands = "Without bands: constancy(..., reps = 200) adds them.",
  constancy_bands = "Bands: 95%, pointwise (dark) and simultaneous (light).")

add_texts(
  approximate_axis = "mean, in standard deviations of {reference}",
  approximate_fill = "z",
  approximate_map = "Loadings and intercepts against those of the groups that agree",
  approximate_map_note = paste0(
    "Colour: deviation in standard errors (blue lower, orange higher; limited to 6). Crosses: ",
    "different at .001."))
