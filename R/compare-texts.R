# Texts and instructions on comparisons of models.

add_instructions(
  see_estimates_differ = instruct("side_by_side() shows how estimates differ."))

add_texts(
  same_rows_needs_fits = "`same_rows` needs fits of the same data frame.",
  some_are_fits_summary = "Some are fits of summary data.",
  they_have_rows = "They have {total} rows.",
  fit_them_one_data = "Fit them to a single data frame with all its rows.",
  there_is_no_row = "There is no row that all of the models can use.",
  compares_least_two_fits = "{verb}() compares at least two fits.",
  fit1_fit2 = "{verb}(fit1, fit2).",
  there_is_no_model = "There is no model {against} to compare with.",
  neither_nor_aic_nor = ": neither \u03c7\u00b2 nor AIC nor BIC can be compared.",
  are_about_different_variables =
    "{both} are models of different variables (only in one of them: {only}){none}",
  were_fitted_fit_both =
    "{both} were fitted {apart}{none} Fit both to the same data, in the same way.",
  rest_different_inference_normal = paste0(
    "{both} are based on different inference (normal or robust, clusters, weights), so that ",
    "they are not compared. Fit both in the same way."),
  only_one_has_means = "Only one of {both} has a mean structure, so that they are not compared.",
  not_converged_nothing_is = " not converged, so that the models are not compared.",
  akaike_weights_leave_out = "Akaike weights leave out {out}.",
  breaks_criteria_change_against =
    "The change in {broken} of {model} against {against} exceeds its cut-off.",
  against = "{model} against {against}: ",
  by_p = paste0(
    "{both}{df_change}{freer}, \u03c7\u00b2 {freer_2} by {chisq_change} (p {p_change}): ",
    "{verdict}."),
  these_data_cannot_tell = paste0(
    "{both}the two models cannot be distinguished with these data (Vuong's test of their ",
    "likelihoods: p {distinguishable_p})."),
  vuong_statistics = paste0(
    "{both}Vuong's z = {z_aic}, corrected for the number of parameters as in AIC (p {p}; ",
    "uncorrected {z}, corrected as in BIC {z_bic}): {verdict}"),
  closer_this = "{this} is closer to the truth.",
  closer_other = "{other} is closer to the truth.",
  closer_neither = "neither is clearly closer to the truth.",
  closer_cannot_tell = paste0(
    "the data do not decide which is closer to the truth: the statistics corrected as in AIC and ",
    "as in BIC point in opposite directions."),
  aic_differs_by =
    "The difference in AIC is {difference}, 95% interval [{lower}, {upper}].",
  these_models_cannot_be =
    "These models cannot be compared with each other, for the reasons given above.",
  all_fit_alike = "All models fit equally well.",
  aic_bic_favour = "AIC and BIC favour {best}",
  aic_favours_bic = "AIC favours {best}, BIC {thrifty}",
  side_side_needs_fits = "side_by_side() needs fits.",
  side_side_fit1_fit2 = "side_by_side(fit1, fit2).",
  side_side = "Side by side: {standardized}",
  models_were_fitted_different = paste0(
    "The models were fitted to different numbers of rows, which may explain part of the ",
    "differences."))

# Headings, captions and axes
add_texts(
  comparison_of_models = "Comparison of models")

add_texts(
  not_nested = paste0(
    "{smaller} is not nested in {larger}, so that there is no likelihood-ratio test; compare ",
    "AIC and BIC instead."),
  not_nested_without_cases = paste0(
    "{smaller} is not nested in {larger}, so that there is no likelihood-ratio test; compare ",
    "AIC and BIC instead, or give raw data for Vuong's (1989) test."),
  not_nested_dependent = paste0(
    "{smaller} is not nested in {larger}, so that there is no likelihood-ratio test, and ",
    "Vuong's (1989) test requires independent cases without weights; compare AIC and BIC ",
    "instead."),
  not_nested_at_bound = paste0(
    "{smaller} is not nested in {larger}, and a solution lies on a bound ({bounds}): there is ",
    "neither a likelihood-ratio test nor Vuong's (1989) test; compare AIC and BIC instead."),
  same_model_in_other_words = "{both} are equivalent: they imply the same moments.",
  difference_at_bound = paste0(
    "{both}: a solution is at a bound ({bounds}), so that the \u03c7\u00b2 difference does not ",
    "follow a \u03c7\u00b2 distribution and no p value is given."),
  larger_fits_worse = paste0(
    "{larger} fits worse than {smaller}, which is nested in it: it stopped at a local ",
    "optimum. rescue(blueprint, data) tries other starts."))

add_texts(
  fitted_to_common_rows =
    "All models are fitted to the {rows} of {all} rows that each of them can use.")

add_texts(
  equivalent_feedback = "equivalent_models() does not take models with feedback.",
  equivalent_feedback_hint = "Compare alternatives of your own with compare_models().",
  equivalent_no_variable =
    "{name} in `before` is neither a construct nor an observed variable of the structural part.",
  equivalent_refits = "Equivalent models",
  equivalent_instead = "{new} instead of {old}",
  equivalent_any_order = "effects in any order among {names} instead of their covariances",
  equivalent_correlated = "covariances of {names} instead of {name}",
  equivalent_second_order = "a second-order construct of {names} instead of their covariances",
  equivalent_title = "Equivalent models",
  equivalent_none = paste0(
    "No model was found that has the same fit with an effect reversed or replaced by a ",
    "covariance."),
  equivalent_some = paste0(
    "Fit cannot distinguish this model from {least}{count} other{?s}: ",
    "{?it implies/they imply} the same covariances, whatever the data. The choice must rest on ",
    "design, theory and the order in time."),
  equivalent_least = "at least ",
  equivalent_saturated = paste0(
    "The structural part is just-identified, so that any other order of its variables fits as ",
    "well."),
  equivalent_tried = "{tried} candidate{?s} {?was/were} examined.",
  equivalent_observed =
    "Observed predictors are taken as given: nothing was tried as a cause of {names}.",
  equivalent_before = "In order of time, as stated: {names}.",
  equivalent_two_constructs =
    "a construct of {one} and one of {two} instead of one construct and {old}",
  equivalent_not_refitted = " (refitting it failed)")

add_instructions(
  equivalent_next = instruct(r = "attr(x, \"blueprints\")", purpose = "for these models"))
