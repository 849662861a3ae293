# Texts of the stage report.

add_texts(
  each_model_against_one =
    "Each model against the one before it. A \u03c7\u00b2 difference is tested ",
  only_where_one_model = "only where one model is nested in the other.",
  from_moments_casewise_maximum =
    "From the means and covariances estimated by FIML without the model.",
  methods_results_words = "Methods and results in words",
  numbers_below_are_where_estimation =
    ". The numbers below are where estimation stopped; do not interpret them.",
  read_before_any_estimate = " Read this before any estimate: ",
  path_diagram_standardized_values = "Path diagram with standardized values",
  path_diagram_group = "Path diagram of group {drawn}",
  cut_offs_are_conventions =
    "Cut-offs are conventions (Hu & Bentler 1999; Browne & Cudeck 1993), not laws: ",
  first_is_good_one = "the first is for good, the one in brackets for acceptable fit.",
  model_is_saturated_there = "The model is saturated: there are no residuals.",
  ten_largest_modification_indices = paste0(
    "The ten largest modification indices, with the actual decrease in \u03c7\u00b2 after ",
    "refitting. ",
    "Read the item wording first: a change needs a substantive reason, not just a large index."),
  p_holm_test_decides = "p (Holm): of the test that decides, adjusted for the number of claims.",
  what_was_changed_why = "What was changed, and why. Row 0 is where it started.",
  model_was_changed_after = paste0(
    "The model was changed {revisions} after looking at these data: its fit and the p of ",
    "what was freed are too good. Fresh data confirm it."),
  casewise_maximum_likelihood_supposes = paste0(
    "Full-information maximum likelihood (FIML) assumes that values are missing at random, ",
    "given the others."),
  standard_errors_tests_suppose =
    "Standard errors and tests assume normality; inference = \"robust\" does not.",
  saturated_model_cannot_be = "A saturated model cannot be tested.",
  model_fits_is_one =
    "A model that fits is one of many that would: others with the same fit are not ruled out.",
  directions_effects_come_from = "Directions of effects come from theory, not from these data.",
  claims_were_tested_p = "{claims} claims were tested; p after Holm allows for their number.",
  blueprint_file = "The blueprint, as a file:",
  code_does_again_file = "The code that does it again, with that file and the data:",
  missing_codes = "; missing codes {codes}",
  maximum_likelihood_multiplier = "maximum likelihood, multiplier {multiplier}{codes}",
  iterations_last_predicted_fall = "{chisq} iterations, last predicted fall of \u03c7\u00b2 {fit}",
  fingerprint_sample_moments = "fingerprint of the sample moments: {fit}",
  orizzonte = "orizzonte {version}, {rversionstring}",
  bp_read_blueprint_blueprint = "bp <- read_blueprint(\"blueprint.yaml\")",
  fit_fit_model_bp = "fit <- fit_model(bp, data{told})",
  assumed_first_rung = "Assumed on the first rung",
  read_first = "Read this first.",
  some_rungs_have_not = " Some rungs have not converged or are improper: ",
  single_equalities_rung = "Single equalities of the {rung} rung",
  share_each_group = "The share of each group",
  each_group_shares_add =
    "\u03c7\u00b2 of each group; the shares add up. A group whose share grows more ",
  than_others_is_where = "than the others is where the constraint fits worst.",
  equal_too_top_what = "also equal, in addition to {against}",
  not_held_before_already = "Not held before that already: ",
  where_rung_does_not = "Where the {rung} rung does not hold",
  equalities_whose_release_would =
    "The equalities whose release would lower \u03c7\u00b2 most. Read ",
  item_texts_first_was = "the item texts first: was the item understood alike?",
  how_much_single_items = "How much single items differ",
  loading_intercept_one_item = "With loading and intercept of one item at a time free.",
  path_diagram_first_rung = "Path diagram of the first rung",
  first_rung_which_every =
    "The first rung, in which every group has its own values. What differs is ",
  path_diagrams_groups_side = "Path diagrams of the groups side by side",
  over_times = "over times: {hold_equal_times}",
  groups_by_listed = "groups by {by}: {groups}",
  every_rung_scaled_variances = paste0(
    "every rung scaled by the variances of the constructs (1 in the first group or at the ",
    "first time)"),
  invariance_over_was_tested = paste0(
    "Invariance over {over} was tested rung by rung ({cite}) with the model {title}, fitted ",
    "to {sample}. {first} {limits}"),
  not_converged_at_rung = "{rung}: not converged.",
  against_cfi_rmsea_srmr = paste0(
    "; against {against} {p_change}, \u0394CFI = {cfi_change}, \u0394RMSEA = {rmsea_change}, ",
    "\u0394SRMR = {srmr_change}"),
  nothing_was_released_rung = "Nothing was released on the {rung} rung.",
  after_holm_p = ", after Holm p {holm}",
  fell_p = " (\u03c7\u00b2 fell by {actual_drop}, p {value}{value_2})",
  rung_were_released_one =
    "On the {rung} rung were released, one after the other: {each}.{value} {loosened}",
  means_constructs_are_not = "Means of constructs are not compared: {scalar}",
  se_p_standardized =
    "{construct}{group} {difference} (SE = {se}, p {value}, standardized {standardized})",
  differences_means = "Differences of means{means}: {each} ({cite}).",
  models_compared = "Models compared. {own}",
  alpha = ", alpha = {alpha}",
  omega_ave = "{name} omega = {omega}{omega_upper}{alpha}, AVE = {ave}",
  reliability_validity_measures_intervals =
    "Reliability and validity of the measures ({level} % intervals; {cite}): {each}.",
  largest_ratio_correlations_between = paste0(
    "The largest ratio of correlations between constructs to those within (HTMT) is {pairs} ",
    "({cite})."),
  htmt_of_pair = "{htmt} ({first} and {second}{group}{unknown})",
  htmt_unknown =
    "; it could not be computed for {count} other pair{?s}",
  methods_text_needs_fit =
    "methods_text() needs a fit, a ladder, or something else it can tell about.",
  fits_ladders_comparisons_qualities =
    "Fits, ladders, comparisons, qualities and bootstraps, or a list of them.",
  with_what = " with {what}",
  model_was_fitted_has = paste0(
    "The model {title}{of} and {observed} was fitted to {sample}; it has {fit} and ",
    "{df}{df_2} of freedom."),
  estimates_are_those_maximum =
    "Estimates are those of maximum likelihood, made with orizzonte {version}.",
  cases_had_missing_values = paste0(
    "{sample} of the cases had missing values and were kept (full-information maximum ",
    "likelihood, FIML), ",
    "which assumes that values are missing at random ({cite})."),
  auxiliary_variables_outside_model =
    "Auxiliary variables outside the model: {auxiliary} ({cite}).",
  standard_errors_tests_suppose_normality = "Standard errors and tests assume normality.",
  by_clusters_of = ", by {sample} clusters of {clusters}",
  standard_errors_are_robust = paste0(
    "Standard errors are robust ({cite}{by}), and \u03c7\u00b2 is corrected for what is not ",
    "normal ({sample})."),
  across_groups = "across groups: {hold_equal}",
  held_equal = "Held equal {said}.",
  model_did_not_converge = "The model did not converge ({trouble}): no results are interpreted.",
  solution_is_improper_estimates =
    "The solution is improper ({trouble}): its estimates are not interpreted.",
  model_is_saturated_fit = "The model is saturated; fit cannot be evaluated.",
  p_corrected_for_sample_size = ", p {p} corrected for the sample size ({cite})",
  n90_interval = ", 90 % interval [{at}, {at_2}]",
  cfi_tli_rmsea_allow = " CFI, TLI and RMSEA are corrected for missing data ({cite}).",
  model_fitted_indices_cfi = paste0(
    "The model fitted {worst} by its indices: {value}, CFI = {value_2}, TLI = {value_3}, ",
    "RMSEA = {value_4}{limits}, SRMR = {value_5} (good: CFI and TLI from {cfi}, RMSEA up to ",
    "{rmsea}, SRMR up to {srmr}; {cite}).{sample}"),
  standardized_loadings_range_size =
    "Absolute standardized loadings range from {size} to {size_2}.",
  estimate_in_brackets =
    "{parameter} = {estimate} (SE = {se}, p {value}, standardized {standardized})",
  explained_variance = " Explained variance: {r_squared}.",
  effects_these_have_smallest = " Of {table} effects these have the smallest p.",
  p_is_adjusted_claims = " p is adjusted for {value} claims after Holm ({cite}).",
  of_the_expectations = "Of the expectations {each}.{value}",
  fell_by = " (\u03c7\u00b2 fell by {drop})",
  model_was_changed_after_looking = paste0(
    "The model was changed {often} after looking at these data: {each}. Such changes ask for ",
    "confirmation in other data."),
  reliabilities_average_variance_extracted =
    "Reliabilities and average variance extracted with their intervals",
  diagonal_square_root_average =
    "Diagonal: square root of the average variance extracted; below: correlations.",
  average_variance_extracted_correlations = "Average variance extracted and correlations",
  general_specific_residual_share = "General, specific and residual share of each item",
  changes_from_model_model = "Changes from model to model",
  start_end_trail_these = "Start and end of the trail in these and fresh data",
  replicates_leading_numbers = "Replicates of the leading numbers",
  cannot_create_folder = "Cannot create the folder {folder}.",
  cannot_write_report = "Cannot write a report as {ending}.",
  has_no_ending_says = "{file} has no ending that says what kind of report it is.",
  use_file_ends_html = "Use a file that ends in .html, .docx or .md.",
  figures_markdown_report_are = "Figures of a Markdown report are files beside it.",
  needs_fit_ladder_or = "{verb}() needs a fit, a ladder or a list of them.",
  fit_model_makes_fits = paste0(
    "fit_model() makes fits, invariance() ladders; trails, comparisons, confirmations, ",
    "bootstraps, qualities and variance splits are shown as well."))

# Headings, captions and axes
add_texts(
  estimates_side_by_side = "Estimates side by side",
  head_changes = "Changes",
  the_models_compared = "The models compared",
  the_data = "The data",
  correlations_as_observed = "Correlations, as observed",
  head_correlations = "Correlations",
  descriptive_statistics = "Descriptive statistics",
  head_blueprint = "Blueprint",
  to_reproduce_this = "To reproduce this",
  head_limits = "Limits",
  head_trail = "Trail",
  head_claims = "Claims",
  what_could_be_freed = "What could be freed",
  map_of_residuals = "Map of residuals",
  head_residuals = "Residuals",
  indirect_and_total_effects = "Indirect and total effects",
  head_model = "Model",
  head_fit = "Fit",
  head_diagram = "Diagram",
  in_short = "In short",
  improper_solution = "Improper solution.",
  head_not_converged = "Not converged.",
  head_references = "References",
  a_passage_to_start_from = "A passage to start from",
  intercepts_by_group = "Intercepts by group",
  head_intercepts = "Intercepts",
  loadings_by_group = "Loadings by group",
  head_loadings = "Loadings",
  head_by_group = "By group",
  means_of_constructs = "Means of constructs",
  what_was_released = "What was released",
  what_each_rung_asks = "What each rung asks",
  fit_indices_by_rung = "Fit indices by rung",
  methods_and_results = "Methods and results",
  what_scores_would_measure = "What scores would measure",
  refitted_without_single_items = "Refitted without single items",
  without_single_items = "Without single items",
  fornell_and_larcker_s_table = "Fornell and Larcker's table",
  constructs_told_apart = "Constructs told apart",
  means_distinguishable = "Told apart",
  reliability_and_validity = "Reliability and validity",
  bootstrapped_values = "Bootstrapped values",
  confirmation_in_fresh_data = "Confirmation in fresh data",
  fit_of_the_models = "Fit of the models",
  fit_after_each_revision = "Fit after each revision")

add_texts(
  tables_written = "{files} file{?s} written to {folder}; index.csv lists them.",
  report_written = "Report written to {file}",
  models_compared_title = "Models compared",
  word_needs_packages = "A report in Word needs the {qty(count)}package{?s} {packages}.",
  install_or_other_report = "install.packages(c({packages})); or write an .html or .md report.")

add_texts(
  no_reason_given_brackets = "(no reason given)",
  assumed_without_being_stated = "Assumed without being stated",
  not_held_after_all = "not held after all: ",
  along_with_it = " along with it",
  without_reason_given = ", without a reason given",
  general_and_specific = "General and specific")

add_texts(
  differences_of_means =
    "Differences{compared}, given the intercepts held on the {rung} rung (S\u00f6rbom 1974).")
