# The texts of amendments.

add_texts(
  amendment_stands_out = "stands out",
  amendment_within_chance = "not significant",
  amendment_negligible = "negligible",
  move_matters = "would change",
  move_open = "open",
  move_harmless = "unaffected",
  moves_title = "Effects of the largest changes on the conclusions",
  moves_legend = paste0(
    "by: predicted movement of the estimate; refitted: actual movement; at most: 95% limit. ",
    "\"would change\": crosses the boundary of a hypothesis, or moves by half a standard error ",
    "and possibly by the smallest effect size of interest. All movements: {instruction}."),
  goes_with_row = "goes with {row}",
  same_as_row = "same as {row}",
  amendment_cannot_tell = "cannot tell",

  path_could_be_removed = "could be removed",
  path_needed = "needed",

  confirmed_found_again = "found again",
  confirmed_too_small = "same sign, but small",
  confirmed_same_sign = "same sign, not significant",
  confirmed_not_found_before = "not significant before",
  confirmed_other_sign = "other sign",
  confirmed_not_known = "cannot be judged")

add_instructions(
  example_split = instruct(paste0(
    "Example: amend(fit, split = Belonging, into = list(Greeting = c(be1, be2), Home = c(be3, ",
    "be4)), because = \"...\")."),
    text = "Example: --split Belonging --into \"Greeting = be1, be2; Home = be3, be4\"."),
  all_movements = instruct("amendments(fit)$movements", text = "--format json"),
  see_residual_map = instruct("residual_map(fit)", c("draw", "--what", "residuals")),
  see_not_offered = instruct(
    "amendments(fit, all = TRUE) lists what is not offered, with the reason.",
    text = "Option --all lists what is not offered, with the reason."),
  amend_free = instruct("amend(fit, free = {address}, because = \"...\")",
                        c("amend", "--free", "{address}", "--because", "...", "--out",
                          "next.yaml")),
  amend_split = instruct(
    paste0("amend(fit, split = {construct}, into = list(First = c({one}), Second = c({two})), ",
           "because = \"...\")"),
    c("amend", "--split", "{construct}", "--into", "First = {one}; Second = {two}", "--because",
      "...", "--out", "next.yaml")),
  amend_fix = instruct("amend(fit, fix = {address} == 0, because = \"...\")",
                       c("amend", "--fix", "{address} == 0", "--because", "...", "--out",
                         "next.yaml")),
  after_without = instruct("estimates(fit), amendments(fit)"),
  adopt_rescue = instruct(
    "rescued$fits[[{attempt}]], or make the change in the blueprint and fit again",
    text = "make the change in the blueprint and fit again"))

add_texts(
  amend_needs_change = "amend() needs a change.",
  give_one_free_address = paste0(
    "Give one of free = address, fix = equation, omit = item or path, or split = construct ",
    "with into."),
  no_reason_was_given = "No reason was given for this change.",
  changes_were_suggested_same = "{so_far} changes were suggested by the same data.",
  part_better_fit_is = paste0(
    "Part of the improvement in fit is due to chance: confirm(fit, fresh_data) shows what ",
    "replicates in other data (cross-validation)."),
  fix_needs_equation_not = "`fix` needs an equation, not {bad}.",
  example_fix = "Example: fix = {bad} == 0.",
  cannot_be_freed = "{bad} cannot be freed: {bad_2}.",
  amendments_fit_lists_what = "amendments(fit) lists the parameters that can be freed.",
  them_asked = ", {value} of them of the requested kinds",
  first_refitted_so_their =
    " Drop and estimate are actual values from refitting the {real}largest.",
  could_be_freed_sorted =
    "{tested} parameters could be freed{tested_2}, sorted by modification index.{real}",
  verdict_smallest_change_matters = paste0(
    "Verdict: smallest effect size of interest {smallest}, significance level {significance}, ",
    "power {power}. "),
  mi_how_much_is = paste0(
    "MI: predicted decrease in \u03c7\u00b2; p (adj.): p value adjusted for all rows that were ",
    "tested; ",
    "EPC: expected parameter change, raw and standardized; drop, estimate: after refitting. ",
    "{scaling}{criteria}{chance_note}"),
  information_with_missing = paste0(
    "With missing values, MI and EPC are based on the observed information without the part ",
    "due to misfit, which predicts refits best; standard errors are based on the complete ",
    "observed information. "),
  drop_is_scaled = paste0(
    "The drop is the scaled difference (Satorra & Bentler 2001), as in amend(); MI is the ",
    "generalized score statistic. "),
  not_predicted_or_not = "Inaccurate predictions and unusable changes",
  share_more_than_their = paste0(
    "- {blocks} share more than their constructs explain: a separate construct for these ",
    "items may say it better than single covariances."),
  df = "\u03c7\u00b2 = {attr}, df = {df_model}",
  improper_solution_what_follows =
    "IMPROPER SOLUTION: what follows starts from it and may mislead.",
  none_what_was_asked = "None of the requested parameters can be freed.",
  model_is_saturated_df =
    "The model is saturated (df = 0): it reproduces the data whatever they are.",
  nothing_is_left_could = "Nothing is left that could be freed.",
  next_read_item_texts =
    "Next: read the item texts. Make one change at a time, and only with a reason, for example:",
  nothing_size_matters_stands = "No change stands out. ",
  tested_about_have_p = paste0(
    "Of {tested} tested, about {level} have p < {level_2} by chance even when the model ",
    "holds."),
  expected_value_is_no = "the expected value is not a possible correlation",
  for_sample_size = ", corrected for the sample size",
  exact_fit_is_not = paste0(
    "Exact fit is not rejected (\u03c7\u00b2 = {chisq}, df = {df}, p {exact}{correction})."),
  none_stands_out =
    "None of the {count} single changes is significant after adjustment for all of them.",
  misfit_is_spread = paste0(
    "Exact fit is rejected (\u03c7\u00b2 = {chisq}, df = {df}, p {exact}{correction}), but none ",
    "of the {count} single changes is significant after adjustment for all of them: the misfit is ",
    "real and spread over many small discrepancies. Look for a pattern in it in the tests of ",
    "structures below and in the map of residuals ({instruction})."),
  kinds_must_be_texts = "`kinds` must be texts, such as \"cross-loading\".",
  no_such_kind = "{kind} is not a kind of amendment.",
  information_about_parameters_is = "the information about the parameters is singular here",
  model_would_not_be = "the model would not be identified",
  carries_scale = "it carries the scale of",
  means_fit_exactly_every = "means fit exactly, because every intercept is free",
  item_s_residual_own = "an item's residual with its own construct",
  loading_item_construct_says = "equivalent to a loading of the item on that construct",
  disturbance_own_predictor = "a disturbance with its own predictor",
  effect_one_other_says = "equivalent to an effect of one on the other",
  nothing_has_been_amended =
    "The model has not been modified, so that there is nothing to confirm.",
  confirm_compares_start_end = paste0(
    "confirm() compares the original and the final model of a modification history made by ",
    "amend()."),
  fresh_fit = paste0(
    "The final model in the fresh data: \u03c7\u00b2({df}) = {chisq}, p {p}, CFI = {cfi}, RMSEA = ",
    "{rmsea}. {verdict}"),
  fresh_not_rejected = "Exact fit is not rejected.",
  fresh_acceptable = "Exact fit is rejected; the approximate fit is acceptable.",
  fresh_misfit = paste0(
    "The model does not fit acceptably there, so that replicated parameters belong to a ",
    "misspecified model."),
  fresh_fit_saturated = "The final model is saturated, so its fit cannot be tested.",
  fresh_fit_trouble =
    "The final model is {status} in the fresh data ({trouble}): the results below may mislead.",
  confirm_needs_fresh_data = "confirm() needs fresh data.",
  split_data_data_makes =
    "split_data(data) splits data into one half to explore and one to confirm.",
  these_are_data_trail =
    "These are the data in which the modifications were made, so that nothing is confirmed.",
  give_data_other_cases = "Give data of other cases, or explore only one half of split_data().",
  fresh_data = "Fresh data: {sample}.",
  from_start_end_falls = paste0(
    "From the original to the final model, \u03c7\u00b2 decreases by {chisq_change}, \u0394df ",
    "= {df_change}, p {p_change}{data}"),
  nothing_was_freed_is = "No freed parameter is left in the final model.",
  all_was_freed_is = "All freed parameters were found again in the fresh data.",
  freed_parameters_not_found = paste0(
    "{lost} of {value} freed parameters {lost_2} not found again: take {them} back unless the ",
    "theory requires {them_2}."),
  split_data_splits_data = "split_data() splits a data frame.",
  amended_model_does_not = "the amended model does not converge",
  amended_model_is_improper = "the amended model is improper: {trouble}",
  fit_itself_was_not =
    "the fit itself stopped at a local optimum: \u03c7\u00b2 = {chisq} can be reached",
  amended_model_reaches_another = paste0(
    "the amended model converges to a different solution: estimate {estimate}, expected ",
    "{expected}"),
  large_change_quadratic_prediction =
    "a large change: the quadratic prediction is inaccurate, the actual drop is not",
  cannot_be_added_model = "{address} cannot be added to the model.",
  rescue_needs_data = "rescue() needs data.",
  scale_setting = "scale = {setting}",
  variances_items_not_negative = "variances of items not negative",
  variances_constructs_not_negative = "variances of constructs not negative",
  model_converges_is_proper =
    "The model converges and is proper as specified, so that no remedy is needed.",
  nothing_was_changed_itself =
    "The blueprint was not changed. Adopt only what the item texts and the theory support.",
  nothing_worked_no_attempt = paste0(
    "No attempt led to a proper solution that the data do not reject. Reconsider the ",
    "constructs and their items, or collect more cases."),
  variance_at_zero = "{parameter} at zero",
  variance_may_be_zero = paste0(
    "{parameter} = {estimate}{se} may be sampling error: zero is not rejected ",
    "(\u0394\u03c7\u00b2 = {chisq}, one-sided p {p})"),
  variance_below_zero = paste0(
    "{parameter} = {estimate}{se} is significantly below zero (\u0394\u03c7\u00b2 = {chisq}, ",
    "one-sided p {p}): the model misfits there, and a bound would only hide it"),
  change_against_written = paste0(
    "p: test of exact fit; change: increase of \u03c7\u00b2 against the model as specified, ",
    "for the same data."),
  proper_but_rejected = "Proper, but not recommended (rejected by the data)",
  freeing_would_leave_model = "Freeing {parameter} would leave the model unidentified.",
  amendments_fit_all_true = "amendments(fit, all = TRUE) lists what can and what cannot be freed.",
  needs_address = "{verb}() needs an address.",
  such_fit_covariance_be1 = "Example: {verb}(fit, covariance[be1, be2]).",
  is_free_already = "{value} is already free.",
  amendments_fit_lists_what_could = "amendments(fit) lists the parameters that could be freed.",
  is_nothing_could_be = "{value} cannot be freed in this model.",
  amendments_fit_all_true_lists =
    "amendments(fit, all = TRUE) lists all candidates and why some are not offered.",
  information_about_parameters_is_singular =
    "The information about the parameters is singular at this solution.",
  after_refitting_it_falls = "; after refitting, it decreases by {drop}",
  together_would_fall_df =
    "Together: predicted decrease of \u03c7\u00b2 {statistic}, df = {df}, p {attr}{drop}.",
  only_can_be_told = paste0(
    "Only {df} of the {value} parameters are separately identified and count as {df_2} degrees ",
    "of freedom."),
  no_structure = paste0(
    "The misfit has no identifiable structure: joint test of splits of constructs, method ",
    "factors, a general factor and single changes, p {p_joint}."),
  no_structure_fits_better = paste0(
    "Joint test of splits of constructs, method factors, a general factor and single changes: ",
    "p {p_joint}. No structure fits as well as the single changes above."),
  structures_not_tested = paste0(
    "Splits of constructs, method factors and a general factor were not tested, because there ",
    "are too many missing-data patterns or too many variables."),
  structure_in_misfit = "The misfit has a structure (joint test, p {p_joint}):",
  halves_unclear = "`{what}` is not readable.",
  example_halves = "Example: {what} \"Greeting = be1, be2; Home = be3, be4\".",
  split_needs_halves =
    "`split` names one construct, and `into` two new ones with their items.",
  split_unknown = "There is no construct {split} to split.",
  split_not_possible = "{split} cannot be split: only constructs reflected in free items can.",
  split_other_items =
    "Each item of {split} must be in one of the two sets, two or more in each: {items}.",
  split_name_taken = "The name {taken} is already used in this model.",
  split_is_named = "{split} is named in statements that would lose their meaning:",
  split_rewrite_first = "Rewrite or remove them in the blueprint first.",
  heavy_tails_rows = paste0(
    "The data have heavy tails, so MI and p, which assume normality, are too extreme. p (adj.) ",
    "and the verdicts do not assume normality. Refit with {instruction} to correct ",
    "\u03c7\u00b2 and the standard errors as well."),
  misfit_or_heavy_tails = paste0(
    "Exact fit is rejected (\u03c7\u00b2 = {chisq}, df = {df}, p {exact}), but \u03c7\u00b2 ",
    "assumes normality and is too large when tails are heavy, as they are here. None of {count} ",
    "single changes stands out in tests that do not assume normality. Refit with {instruction} ",
    "before you conclude that the model misfits."),
  structure_split = paste0(
    "{construct} as two constructs, {part_one} and {part_two}: \u03c7\u00b2 decreases by {drop} ",
    "({df} df); the two correlate {correlation}.{either}"),
  either_side = " Items that could be on either side: {items}.",
  structure_method_factor = paste0(
    "A method factor of {part_one}: \u03c7\u00b2 decreases by {drop} ({df} df); it accounts for ",
    "{share} of the variance of each item."),
  structure_general_factor = paste0(
    "A general factor of all items: \u03c7\u00b2 decreases by {drop} ({df} df); it accounts for ",
    "{share} of the variance of each item."),
  became_complete = ", and {rows} became complete",
  not_comparable_left = "not comparable: without {left}{rows}",
  not_comparable_n_was = "not comparable: n was {sample}",
  cannot_go_is_no = "{value} cannot be removed: it is not a path.",
  give_effects_loadings_weights = "Give effects, loadings, weights or covariances.",
  is_fixed_already = "{value} is already fixed at {rows}.",
  paths_could_be_removed = "Paths that could be removed{attr}",
  there_are_no_effects = paste0(
    "There are no effects and no covariances among constructs that could be removed. Give ",
    "addresses, for example without(fit, loading[Calm, ])."),
  wald_predicted_rise_when = paste0(
    "Wald: predicted increase of \u03c7\u00b2 when the parameter is fixed at zero; rise: after ",
    "refitting."),
  not_refitted_since_model = paste0(
    "Not refitted, because the model without the parameter does not converge or is not ",
    "identified: {lost}."),
  items_load_weakly_standardized =
    "Items that load weakly (absolute standardized loading below .40)",
  next_if_theory_does = "Next, unless theory requires it, for example:")

# Headings, captions and axes
add_texts(
  what_was_freed = "Freed parameters",
  head_refits = "Refits",
  what_worked = "Recommended remedies",
  what_the_trouble_was = "Possible causes",
  what_was_tried = "Attempts",
  score_test = "Score test",
  paths_held_at_zero = "Paths fixed at zero")

add_texts(
  several_changes_at_once =
    "{count} changes at once: their effects cannot be separated. Make one change at a time.",
  give_a_reason =
    "Give one with because = \"...\": a purely data-driven change seldom replicates.",
  testing_takes_a_while =
    "Testing {size} changes with {patterns} missing-data patterns takes a while.")

add_texts(
  in_fresh_data = " in fresh data",
  in_these_data = " in these data")
