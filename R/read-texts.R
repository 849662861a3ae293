# Texts and instructions on the results of a fit.

add_instructions(
  see_estimates = instruct("estimates(fit)", "fit"),
  see_summary = instruct("summary(fit_model(blueprint, data))", "fit"),
  test_model_fit = instruct("bootstrap_test(fit)", c("bootstrap", "--test")),
  see_residuals = instruct("residuals(fit, largest = 10)",
                           text = "the largest residuals (orizzonte diagnose)"),
  all_indices = instruct("print(fit_indices(fit), all = TRUE)", c("fit", "--table", "fit_indices")),
  read_fit = instruct("summary(fit), estimates(fit), amendments(fit), path_diagram(fit)", "fit"),
  read_saturated = instruct("summary(fit), estimates(fit), path_diagram(fit)", "fit"),
  read_unconverged = instruct("summary(fit), estimates(fit), path_diagram(fit)", "rescue"),
  after_summary = instruct(paste0("amendments(fit), residual_map(fit), path_diagram(fit), ",
                                  "write_report(fit, \"report.html\")"), "diagnose"),
  after_saturated_summary = instruct(paste0("equations(fit), path_diagram(fit), ",
                                            "write_report(fit, \"report.html\")"),
                                     c("draw", "--out", "diagram.png")),
  rescue_trouble = instruct("rescue(blueprint, data)", "rescue",
                            purpose = "to try the usual remedies and see what each does"),
  first_amendment = instruct("amendments(fit), then amend(fit, free = ..., because = \"...\"),",
                             "diagnose", purpose = "to see what could be amended"),
  confirm_trail = instruct("confirm(fit, fresh_data)", c("confirm", "FRESH"),
                           purpose = "to cross-validate the changes in new data"),
  or_amend = instruct("Or: amendments(fit) to see the remaining misfit"))

add_texts(
  no_loadings_to_show = "The model has no loadings.",
  head_loading_table = "Standardized loadings",
  head_loading_table_raw = "Loadings",
  no_such_row = "The table has no row {unknown}.",
  claim_supported = "supported",
  claim_contradicted = "contradicted",
  claim_not_supported = "not supported",
  claim_cannot_tell = "cannot tell",
  claim_not_judged = "cannot be judged",
  claim_not_analysed = "not analysed",
  claim_was_supported = "was supported",
  claim_was_contradicted = "was contradicted",
  claim_was_not_supported = "was not supported",
  claim_was_cannot_tell = "could be neither supported nor rejected",
  claim_was_not_judged = "cannot be judged",
  claim_at_bound = "the estimate is at a bound, where no test is available",
  claim_undefined = "no value: it takes the root of a variance that is negative in this solution",
  claim_held = "no test: the model itself fixes these parameters or holds them equal",
  criterion_one_sided = "one-sided p < {level}",
  criterion_two_sided = "two-sided p < {level}",
  criterion_no_margin = paste0(
    "contradicted if different (two-sided p < {level}); there is no standardized value to test ",
    "equivalence"),
  criterion_equivalence =
    "equivalence test (TOST): standardized value within \u00b1{margin}, p < {level}",
  criterion_different = "different from zero, two-sided p < {level}, and not within \u00b1{margin}",
  criterion_pooled = paste0(
    "equivalence test (TOST): difference within \u00b1{margin} pooled standard deviations, ",
    "p < {level}"),
  own_units = paste0(
    "The loadings of {constructs} are not held equal across groups, so raw loadings, effects, ",
    "variances and means are in each group's own units. A difference between groups may come from ",
    "the units alone: hold the loadings equal first (metric invariance)."),
  p_of_claim = "p: of the test named below.",
  p_of_claims =
    "p: of the test named below for each claim; p (Holm): adjusted for the number of claims.",
  no_claims = paste0(
    "The blueprint contains no hypotheses. Add them with claim(blueprint, H1 = effect[a, b] > ",
    "0), preferably before looking at the data."),
  claims_improper = "IMPROPER SOLUTION: resolve it before interpreting these verdicts.",

  index_good = "good",
  index_acceptable = "acceptable",
  index_poor = "poor",
  fitted_good = "well",
  fitted_acceptable = "acceptably",
  fitted_poor = "poorly")

add_texts(
  bootstrap_holds_nothing_shows = "This bootstrap contains none of the values of {reader}().",
  make_one_what_or = "Run it with what = {reader}, or with a list of results functions.",
  bootstrap_must_come_from = "`bootstrap` of {reader}() must come from bootstrap_fit().",
  boot_bootstrap_fit_fit = "boot <- bootstrap_fit(fit); then give bootstrap = boot.",
  bootstrap_is_another_fit = "The bootstrap was computed for a different fit.",
  make_one_fit_bootstrap = "Bootstrap this fit: bootstrap_fit(fit).",
  standard_errors_intervals_p = paste0(
    "Standard errors, intervals and p values are from {reps} bootstrap replicates (seed {seed}, ",
    "{interval}); {p_values}"),
  p_values_at_least = "p values are never below {least}.",
  too_few_for_p_values = "no p values are given for fewer than 100 replicates.",
  model_has_no_effects = paste0(
    "The model has no effects among constructs or observed variables. Add them with ",
    "effect(outcome ~ cause)."),
  constructs_something_points = "Endogenous constructs",
  interval_title = "{level}% interval",
  once_is_out = " once {general} is partialled out",
  far_from_all_others = "{far}{far_2}{far_3} far from all others (Mahalanobis distance)",
  what_else_is_found = "The checks below exclude these rows.",
  baseline_equal_over_times = "baseline = \"equal over times\" needs constructs at several times.",
  declare_them_repeated = "Declare them with repeated().",
  fit_has_not_converged = "The fit has not converged; these indices cannot be interpreted.",
  what_is_missing_makes = paste0(
    "Missing data bias CFI, TLI and RMSEA towards good fit; the values shown are corrected ",
    "(based on Zhang & Savalei 2023)"),
  from_itself = "{missing}; uncorrected: {before}.",
  corrected_what_is_not = paste0(
    "{missing}Corrected for non-normality (or dependence): \u03c7\u00b2, p, CFI, TLI and ",
    "RMSEA; uncorrected: \u03c7\u00b2 = {index}, {before}."),
  model_is_saturated_df_0_reproduces = paste0(
    "The model is saturated (df = 0): it reproduces any data exactly, so that its fit cannot ",
    "be judged."),
  fit_cannot_be_judged =
    "Fit cannot be judged, because \u03c7\u00b2 is not available at this solution.",
  solution_lies_bound_so =
    "The solution is at a bound ({pressed}), so that \u03c7\u00b2 has no p value",
  exact_fit_is_not_rejected = "Exact fit is not rejected{correction}",
  exact_fit_corrected = " (p {corrected} corrected for the sample size; uncorrected p {plain})",
  few_cases_bootstrap_test = paste0(
    "With so few cases for so many variables, the \u03c7\u00b2 test rejects correct models too ",
    "often, and its correction for the sample size does not apply here. Use the bootstrap test of ",
    "model fit: {instruction}."),
  all_indicate = "{indices} all indicate {code} fit",
  indices_disagree = "the indices disagree: {code}",
  look_estimates_next = "Read the estimates next.",
  look_residuals_what_is =
    "Check the residuals for remaining local misfit, then read the estimates.",
  look_where_model_is =
    "Find out where the model misfits with {instruction} before interpreting the estimates.",
  solution_is_improper_mend =
    "The solution is improper ({trouble}): resolve this before interpreting the fit indices.",
  cases_free_parameters = "{value}{value_2} cases, {free} parameters",
  freedom_rmsea_says_little =
    "With {df} of freedom the RMSEA is uninformative (Kenny, Kaniskan & McCoach 2015).",
  fewer_than_5_each = paste0(
    "There are fewer than 5 cases per free parameter ({cases}; Bentler & Chou 1987), so that ",
    "\u03c7\u00b2 tends to be too large{value}."),
  data_or_newdata = "Give `data` or `newdata`, not both.",
  block_exact = "Exact fit",
  block_approximate = "Approximate fit",
  block_relative = "Relative fit and information criteria",
  shows_all = "All {value} indices: {instruction}",
  is_not_free_parameter = "{unknown} is not a free parameter of this fit.",
  parm_must_be_names = "`parm` must be names or numbers of rows, of which there are {limits}.",
  model_many_variables_has =
    "A model of many variables does not have a single residual standard deviation.",
  residual_variances_stand_estimates =
    "Residual variances are in estimates(fit), R\u00b2 is in r_squared(fit).",
  residuals = "Residuals ({in_units})",
  means_are_reproduced_exactly =
    "Means are reproduced exactly, because each variable has an intercept of its own.",
  is_not_one_parameter = "{value} is not a single parameter.",
  there_is_no_quantity = "There is no quantity {name}.",
  than_model_implies_standard = " than the model implies, by {gap} standard errors",
  mean_is = "the mean of {first} is {higher}{by}",
  varies = "{first} varies {more}{by}",
  covary = "{pair} covary {more}{by}",
  mean_is_than_model =
    "the mean of {first} is {size}{correlation}{correlation_2}{higher} than the model implies",
  varies_than_model_implies = "{first} varies {size} {more} than the model implies",
  than_model_implies = "{pair}{correlation}{size} {more} than the model implies",
  mean_of_variable = "the mean of {variable}",
  reproduced = "{what}: as the model implies",
  largest_residuals = "Largest residuals{units}",
  model_reproduces_every_moment =
    "The model reproduces every moment of any data exactly, so that there are no residuals.",
  z_residual_over_own = "z: residual divided by its standard error.",
  bartlett_scores_do_not = paste0(
    "Bartlett scores do not exist for this model, because its constructs cannot be separated ",
    "from their items alone."),
  use_method_regression = "Use method = \"regression\".",
  model_has_no_constructs_so = "The model has no constructs, so there are no scores.",
  add_construct_blueprint = "Add construct() to the blueprint.",
  model_has_no_means = "The model has no means: scores are relative to the means of these data.",
  fit_came_from_summary_data_so =
    "The fit is based on summary data, so that there are no cases to score.",
  give_raw_data_predict = "Give raw data: predict(fit, newdata = data).",
  newdata_must_be_data = "`newdata` must be a data frame.",
  chisq_of_saturated = "\u03c7\u00b2 = {chisq}, df = 0",
  df_cfi_tli_rmsea = paste0(
    "\u03c7\u00b2 = {pick}, df = {pick_2}{value}; CFI {pick_3}, TLI {pick_4}, RMSEA ",
    "{pick_5}, SRMR {pick_6}"),
  on_df = ", on {df_adjusted} df",
  of_all = "; {clusters} of {clusters_2}",
  auxiliary_parameters = " (AIC and BIC also count {more} of the auxiliary variables)",
  weighted_by = "; weighted by {weights} (effective sample size {effective})",
  effective_of = "{effective} of {cases}",
  robust_inference_sandwich_standard = paste0(
    "Robust inference: sandwich standard errors, \u03c7\u00b2 corrected for its ",
    "mean{adjusted}{inflation}{clusters}{weights}."),
  feedback_among_stability_index =
    "Non-recursive loop among {loops}{group}: stability index {index}{index_2}",
  not_converged = "NOT CONVERGED. {fit}.",
  iterations_sets_starting_values = paste0(
    "  {steps} iterations, {fit} sets of starting values; last predicted decrease of ",
    "\u03c7\u00b2: {steps_2}."),
  numbers_below_are_where =
    "  The values below are those at which the search stopped; do not interpret them.",
  converged_solution_is_proper = "The solution is proper.",
  estimation_converged_in = "estimation converged in {iterations}",
  improper_solution_read_before = "IMPROPER SOLUTION. Read this before any estimate:",
  way_all_fit_solution =
    "  \u03c7\u00b2 by iteration: {shown}; the complete history is in fit$solution$history.",
  nothing_data_stands_out = "  No cause was found in the data.",
  what_data_say = "Possible causes in the data:",
  weak_solution_can_hardly = paste0(
    "WEAKLY IDENTIFIED. At this solution {weak} can hardly be separated (see their standard ",
    "errors)."),
  what_changed_is_not = "what changed is not known",
  not_comparable = "not comparable: {why}",
  revision_now_df_cfi = paste0(
    "Revision {revision}, {change}: {fell}. Now \u03c7\u00b2 = {chisq}, df = {df}; CFI ",
    "{cfi}, RMSEA {rmsea}."),
  nothing_has_been_amended_so = "Nothing has been amended so far.",
  because = ", because {because}",
  changes_were_suggested_same_data = paste0(
    "{freed} changes were suggested by the same data, so that part of the improvement in fit ",
    "is due to chance."))

add_texts(
  residual_unit_covariance = "covariance",
  residual_unit_correlation = "correlation",
  residual_unit_own_se = "over their own standard errors",
  residual_unit_moment_se = "over the standard errors of the moments",
  also_in_each_group = ", in total and by group",
  stability_settles = ", below 1: effects converge.",
  stability_grows = ", NOT below 1: effects grow without limit; do not interpret them.")

# Headings, captions and axes
add_texts(
  head_effects = "Effects",
  nothing_points_at = "Exogenous variables",
  head_equations = "Equations",
  head_estimates = "Estimates",
  fit_indices = "Fit indices",
  head_explained_variance = "Explained variance",
  head_verdicts = "Verdicts")

add_texts(
  keyed_against_others = paste0(
    "{item} is reverse-keyed relative to the other items of {construct} (it correlates ",
    "{correlation} with them)"),
  hardly_a_construct = paste0(
    "the {count} item{?s} of {construct} correlate {correlation} on average{once}, not enough ",
    "to measure a construct"),
  item_hardly_correlates = paste0(
    "{item} correlates {correlation} on average with the other items of {construct}{once}: ",
    "its loading is near zero"),
  two_items_relate_differently = paste0(
    "the two items of {construct} relate differently to the rest of the model ({first} ",
    "{first_link} and {second} {second_link} on average), so that their loadings are poorly ",
    "determined"),
  three_items_impossible = paste0(
    "the correlations of the three items of {construct} ({correlations}) imply a squared ",
    "loading of {item} of {squared}, outside 0 to 1"),
  nearly_same_item = paste0(
    "{first} and {second} correlate {correlation}: they are nearly the same item, and little ",
    "variance is left to share with other items"),
  perhaps_one_construct = paste0(
    "the items of {first} and {second} correlate as highly between constructs ({across}) as ",
    "within ({within}){once}: they may measure one construct"),
  improper_common_in_small = paste0(
    "{rows} for {parameters}: improper solutions are common in samples this small (Anderson ",
    "& Gerbing 1984)"))

add_texts(
  exact_fit_is_rejected = "Exact fit is rejected{correction}",
  covariances_of_constructs = "Covariances of constructs",
  original_model = "the original model",
  where_srmr_comes_from = "Sources of the SRMR",
  from_summary_data = "; from summary data",
  other_rows_of_data = "other rows of data")

add_texts(
  and_variance = " and variance",
  chisq_fell_by = "\u03c7\u00b2 decreased by {change}",
  chisq_rose_by = "\u03c7\u00b2 increased by {change}",
  drop_predicted = " (predicted {drop})")
