# Texts of the stage report.

add_texts(
  each_model_against_one =
    "Each model is compared with the one before it. A \u03c7\u00b2 difference is tested ",
  only_where_one_model = "only where one model is nested in the other.",
  from_moments_casewise_maximum =
    "From the means and covariances estimated by FIML without the model.",
  numbers_below_are_where_estimation =
    ". The values below are those at which estimation stopped; do not interpret them.",
  read_before_any_estimate = " Read this before any estimate: ",
  path_diagram_standardized_values = "Path diagram with standardized values",
  path_diagram_group = "Path diagram of group {drawn}",
  cut_offs_are_conventions =
    "Cut-offs are conventions (Hu & Bentler 1999; Browne & Cudeck 1993), not laws: ",
  first_is_good_one = "the first is for good, the one in brackets for acceptable fit.",
  model_is_saturated_there = "The model is saturated, so that there are no residuals.",
  ten_largest_modification_indices = paste0(
    "The ten largest modification indices, with the actual decrease in \u03c7\u00b2 after ",
    "refitting. Read the item texts first: a change needs a substantive reason, not just a ",
    "large index."),
  p_holm_test_decides =
    "p: of the test that decides; p (Holm): adjusted for the number of hypotheses.",
  what_was_changed_why = "The changes and their reasons. Row 0 is the original model.",
  model_was_changed_after = paste0(
    "The model was modified {revisions} after looking at these data (post hoc), so that its ",
    "fit and the p values of freed parameters are too favourable. Only fresh data can confirm ",
    "it."),
  casewise_maximum_likelihood_supposes =
    "Full-information maximum likelihood (FIML) assumes that values are missing at random.",
  standard_errors_tests_suppose =
    "Standard errors and tests assume normality; inference = \"robust\" corrects them.",
  saturated_model_cannot_be = "A saturated model cannot be tested.",
  model_fits_is_one = paste0(
    "A model that fits is one of many that would: equivalent models with the same fit are not ",
    "ruled out."),
  directions_effects_come_from =
    "The directions of effects come from theory, not from these data.",
  claims_were_tested_p =
    "{claims} hypotheses were tested; Holm-adjusted p values take their number into account.",
  blueprint_file = "The blueprint, as a file:",
  code_does_again_file = "R code that repeats the analysis with that file and the data:",
  missing_codes = "; missing codes {codes}",
  maximum_likelihood_multiplier = "maximum likelihood, multiplier {multiplier}{codes}",
  iterations_last_predicted_fall =
    "{chisq} iterations, last predicted decrease of \u03c7\u00b2 {fit}",
  fingerprint_sample_moments = "fingerprint of the sample moments: {fit}",
  orizzonte = "orizzonte {version}, {rversionstring}",
  bp_read_blueprint_blueprint = "bp <- read_blueprint(\"blueprint.yaml\")",
  fit_fit_model_bp = "fit <- fit_model(bp, data{told})",
  assumed_first_rung = "Assumptions of the first rung",
  read_first = "Read this first.",
  some_rungs_have_not = " Some rungs have not converged or are improper: ",
  single_equalities_rung = "Single equalities of the {rung} rung",
  share_each_group = "Contribution of each group",
  each_group_shares_add = paste0(
    "Cases and \u03c7\u00b2 of each group at the first rung, and the increase at each further ",
    "one; the contributions of the groups add up. A group whose \u03c7\u00b2 increases more "),
  than_others_is_where = "than those of others is where the constraint fits worst.",
  equal_too_top_what = "also equal, in addition to {against}",
  not_held_before_already = "Already not held before: ",
  where_rung_does_not = "Where the {rung} rung does not hold",
  equalities_whose_release_would =
    "The equalities whose release would decrease \u03c7\u00b2 most. Read ",
  item_texts_first_was =
    "the item texts first: do all groups understand the item in the same way?",
  how_much_single_items = "Effect sizes of non-invariance",
  loading_intercept_one_item = "The loading and the intercept of one item at a time are freed.",
  path_diagram_first_rung = "Path diagram of the first rung",
  first_rung_which_every =
    "The first rung, in which every group has its own values. Differences are ",
  path_diagrams_groups_side = "Path diagrams of the groups side by side",
  over_times = "over times: {hold_equal_times}",
  groups_by_listed = "groups by {by}: {groups}",
  every_rung_scaled_variances = paste0(
    "every rung is scaled by the variances of the constructs (1 in the first group or at the ",
    "first time)"),
  invariance_over_was_tested = paste0(
    "Measurement invariance over {over} was tested with a sequence of models ({cite}). The ",
    "model {title} was fitted to {sample}. {first} {limits}"),
  not_converged_at_rung = "{rung}: not converged.",
  changes_were_judged_by = paste0(
    "Changes in fit from one model to the next were judged by these cut-offs: {limits} ({cite}). ",
    "The first model was required to have a CFI of at least {cfi} and an RMSEA of at most ",
    "{rmsea}."),
  rung_model_had = "The {rung} model had {own}",
  rung_verdict = " Verdict: {verdict}.",
  in_the_group = " in the {where} group",
  bootstrap_was = paste0(
    "Confidence intervals ({level}%) were {interval}{method} and based on {reps} replicates ",
    "{drawn} (seed {seed})."),
  parts_are_reported_apart = paste0(
    "The specific factors {parts} explain the variance that the general construct leaves and ",
    "were not evaluated by these criteria."),
  fit_was_bootstrapped = paste0(
    "Model fit was tested by the bootstrap ({cite}): {reps} samples were drawn from the data ",
    "after transforming them to fit the model exactly (seed {seed})."),
  bootstrap_test_result = "For the model {tested}, {chisq}, bootstrap p {p}.",
  model_against = "{model} compared with {against}",
  variance_was_split = paste0(
    "The variance of sum scores was divided into the contributions of the general and the ",
    "specific constructs, with {level}% confidence intervals ({cite})."),
  bca_source = " ({cite})",
  bootstrap_intervals_were = "The bootstrap estimates with their intervals were: {each}.",
  against_cfi_rmsea_srmr = paste0(
    "; compared with the {against} model, {p_change}, \u0394CFI = {cfi_change}, ",
    "\u0394RMSEA = {rmsea_change}, \u0394SRMR = {srmr_change}"),
  nothing_was_released_rung = "No equality was released on the {rung} rung.",
  after_holm_p = ", Holm-adjusted p {holm}",
  holm_adjusted_p = "Holm-adjusted p {holm}",
  fell_p = " (\u03c7\u00b2 decreased by {actual_drop}, p {value}{value_2})",
  rung_were_released_one =
    "On the {rung} rung, these equalities were released one after the other: {each}.",
  p_is_adjusted_releases =
    "The Holm-adjusted p values take the number of releases into account ({cite}).",
  search_is_optimistic =
    "The p values of rungs with released equalities ignore the search for them and are too high.",
  means_constructs_are_not = "Means of constructs were not compared: {scalar}",
  se_p_standardized =
    "{construct}{group} {difference} (SE = {se}, p {value}, standardized {standardized})",
  differences_means = "Differences of latent means{means}: {each} ({cite}).",
  models_compared = "Models were fitted{cases} and compared. {own}",
  of_the_same_cases = " to the same {n} cases",
  model_fit_compared = paste0(
    "The model {model}{status} had {chisq}, CFI = {cfi}, RMSEA = {rmsea}, AIC = {aic} and ",
    "BIC = {bic}."),
  whose_solution_was = ", whose solution was {status},",
  nested_pair = "{model} had {parameters} {more} than {against} and {verdict} ({chisq}).",
  nested_fits_as_well = "did not fit significantly worse",
  nested_fits_worse = "fitted significantly worse",
  nested_fits_better = "fitted significantly better",
  not_distinguishable_pair = paste0(
    "{model} and {against}, which are not nested, could not be distinguished with these ",
    "data (p {p}; {cite})."),
  distinguishable_pair = paste0(
    "{model} and {against} are not nested; by the test for non-nested models, corrected ",
    "for the number of parameters, {verdict} (z = {z}, p {p}; {cite})."),
  vuong_this = "{this} was closer to the population",
  vuong_other = "{other} was closer to the population",
  vuong_neither = "neither model was significantly closer to the population",
  vuong_cannot_tell = "the data did not decide which model was closer to the population",
  criteria_agree = "AIC and BIC were lowest for {aic}.",
  criteria_differ = "AIC was lowest for {aic}, BIC for {bic}.",
  no_common_criteria = "Information criteria could not be compared.",
  cross_validated = paste0(
    "The modified model was cross-validated ({cite}) in a validation sample of {cases} that had ",
    "not been used for the modifications{fit}."),
  validation_fit = "; its fit was {chisq}, CFI = {cfi}, RMSEA = {rmsea}",
  validation_trouble = ", in which its solution was {status}",
  falls_compared = "From the original to the final model, \u03c7\u00b2 decreased {each}.",
  fall_in_sample = "by {chisq} (\u0394df = {df}, p {p}) in the {sample} sample",
  in_calibration = "calibration",
  in_validation = "validation",
  validated_parameter =
    "the {parameter} (b = {estimate}, SE = {se}, p {p}, standardized {standardized})",
  replicated = "Replicated in the validation sample, with Holm-adjusted p values ({cite}): {each}.",
  not_replicated =
    "Not replicated in the validation sample, with Holm-adjusted p values ({cite}): {each}.",
  planned_by_simulation = paste0(
    "The sample size was planned by Monte Carlo simulation ({cite}). From the population ",
    "specified for the model {title}, {reps} data sets were drawn for each sample size (n = {n}; ",
    "data: {drawing}; seed {seed}), and the model was fitted to each of them."),
  planned_powers = paste0(
    "At a significance level of {level}, the estimated power (Monte Carlo standard error at ",
    "most {error}) was as follows: {each}."),
  planned_power = "for the {parameter} (population value {truth}), {power}",
  power_at = "{power} with n = {n}",
  goal_reached = paste0(
    "A sample of {n} was the smallest of these that reached a power of {goal} for ",
    "{qty(count)}{?this parameter/all of these parameters}."),
  goal_not_reached =
    "None of these sample sizes reached a power of {goal} for all of these parameters.",
  planned_coverage = "The coverage of the 95% confidence intervals ranged from {lower} to {upper}.",
  planned_losses = "Some data sets did not lead to a converged solution: {each}.",
  lost_at = "{share} with n = {n}",
  alpha = ", alpha = {alpha}",
  omega_ave = "{name} omega = {omega}{omega_upper}{alpha}, AVE = {ave}",
  reliability_validity_measures_intervals =
    "Reliability and validity of the measures ({level}% confidence intervals; {cite}): {each}.",
  largest_ratio_correlations_between =
    "The largest heterotrait-monotrait ratio of correlations (HTMT) was {pairs} ({cite}).",
  htmt_of_pair = "{htmt} ({first} and {second}{group}{unknown})",
  htmt_unknown =
    "; it could not be computed for {count} other pair{?s}",
  methods_text_needs_fit =
    "methods_text() needs a fit, a ladder, or another result that it can describe.",
  fits_ladders_comparisons_qualities =
    paste0("It describes fits, ladders, comparisons, confirmations, qualities, variance splits, ",
           "bootstraps, plans and ",
           "bootstrap tests, or a list of them."),
  model_was_fitted_has = paste0(
    "The model {title} with {what} was fitted to {sample}; it had {fit} and {df}{df_2} ",
    "of freedom."),
  estimates_are_those_maximum =
    "Parameters were estimated by maximum likelihood with orizzonte {version}.",
  estimates_are_those_of_fiml =
    paste0("Parameters were estimated by full-information maximum likelihood (FIML) with ",
           "orizzonte {version}."),
  cases_had_missing_values = paste0(
    "Values were missing in {sample} of the {total} cases ({share}; {cells} of all ",
    "values{codes}). FIML uses all observed values; it assumes that values are missing at random ",
    "and that all variables are jointly normal ({cite})."),
  cases_had_missing_values_robust = paste0(
    "Values were missing in {sample} of the {total} cases ({share}; {cells} of all ",
    "values{codes}). FIML uses all observed values; it assumes that values are missing at random ",
    "({cite})."),
  cases_were_excluded =
    "{cases} {qty(count)}{?was/were} excluded (listwise deletion).",
  codes_were_missing = ", coded {codes} in the data",
  auxiliary_variables_outside_model =
    paste0("The {qty(count)}auxiliary variable{?s} {auxiliary} {qty(count)}{?was/were} included ",
           "in estimation ({cite})."),
  standard_errors_tests_suppose_normality = "Standard errors and tests assume normality.",
  by_clusters_of = ", by {sample} clusters of {clusters}",
  standard_errors_are_robust = paste0(
    "Standard errors were robust ({cite}{by}), and \u03c7\u00b2 was corrected for ",
    "non-normality ({sample}){factor}."),
  scaling_factor_was = "; the scaling correction factor was {factor}",
  across_groups = "across groups: {hold_equal}",
  held_equal = "These parameters were held equal: {said}.",
  model_did_not_converge =
    "The model did not converge ({trouble}), so that no results are interpreted.",
  solution_is_improper_estimates =
    "The solution was improper ({trouble}), so that its estimates are not interpreted.",
  model_is_saturated_fit = "The model was saturated, so that its fit cannot be evaluated.",
  p_corrected_for_sample_size = ", p {p} corrected for the sample size ({cite})",
  n90_interval = ", 90% interval [{at}, {at_2}]",
  cfi_tli_rmsea_allow = " CFI, TLI and RMSEA were corrected for missing data ({cite}).",
  model_fitted_indices_cfi = paste0(
    "The model fitted {worst} by its indices: {value}, CFI = {value_2}, TLI = {value_3}, ",
    "RMSEA = {value_4}{limits}, SRMR = {value_5} (good: CFI and TLI from {cfi}, RMSEA up to ",
    "{rmsea}, SRMR up to {srmr}; {cite}).{sample}"),
  standardized_loadings_range_size =
    "Absolute standardized loadings ranged from {size} to {size_2}.",
  predicted_in_words = paste0(
    "{from} predicted {to}{group} (b = {estimate}, SE = {se}, p {value}, \u03b2 = ",
    "{standardized})."),
  indirect_in_words = paste0(
    "The indirect effect of {from} on {to}{group} was {estimate} (SE = {se}, {level}% CI ",
    "{interval}, p {value}, standardized {standardized})."),
  explained_variance = "The explained variance was {r_squared}.",
  effects_these_have_smallest =
    "Of the {table} {kind} effects, those with the smallest p values are given.",
  p_is_adjusted_claims = " p values were Holm-adjusted for {value} hypotheses ({cite}).",
  of_the_expectations = "{each}{value}",
  hypothesis_in_words = "Hypothesis {claim} ({statement}) {verdict} ({numbers}).",
  fell_by = " (\u0394\u03c7\u00b2({df}) = {drop}, p {p})",
  was_freed = "the {parameter} was freed{because}{drop}",
  was_restricted = "the restriction {statement} was added{because}{drop}",
  was_removed = "{name} was removed{because}{drop}",
  was_split = "a construct was split, {split},{because}{drop}",
  was_changed_otherwise = "the model was changed in another way{because}{drop}",
  model_was_changed_after_looking = paste0(
    "{often} made after inspection of the data: {each}. Post hoc modifications should be ",
    "cross-validated in new data."),
  one_modification = "One post hoc modification was",
  several_modifications = "{count} post hoc modifications were",
  in_words_loading = "loading of {second} on {first}",
  in_words_weight = "weight of {first} in {second}",
  in_words_effect = "effect of {first} on {second}",
  in_words_total = "total effect of {first} on {second}",
  in_words_indirect = "indirect effect of {first} on {second}",
  in_words_covariance = "covariance of {first} and {second}",
  in_words_residual_covariance = "residual covariance of {first} and {second}",
  in_words_correlation = "correlation of {first} and {second}",
  in_words_variance = "variance of {first}",
  in_words_residual_variance = "residual variance of {first}",
  in_words_intercept = "intercept of {first}",
  in_words_mean = "mean of {first}",
  in_words_r_squared = "explained variance of {first}",
  in_words_quantity = "quantity {first}",
  reliabilities_average_variance_extracted =
    "Reliabilities and average variance extracted with their intervals",
  diagonal_square_root_average =
    "Diagonal: square root of the average variance extracted; below: correlations.",
  average_variance_extracted_correlations = "Average variance extracted and correlations",
  general_specific_residual_share =
    "General, specific and residual proportions of each item's variance",
  changes_from_model_model = "Changes from model to model",
  start_end_trail_these = "Original and final model in the calibration and the fresh data",
  replicates_leading_numbers = "Bootstrap distributions of the main values",
  cannot_create_folder = "Cannot create the folder {folder}.",
  cannot_write_report = "Cannot write a report as {ending}.",
  has_no_ending_says = "{file} has no ending that shows what kind of report to write.",
  use_file_ends_html = "Use a file that ends in .html, .docx or .md.",
  figures_markdown_report_are = "The figures of a Markdown report are separate files beside it.",
  needs_fit_ladder_or = "{verb}() needs a fit, a ladder or a list of them.",
  fit_model_makes_fits = paste0(
    "Fits come from fit_model(), ladders from invariance(); modification histories, ",
    "comparisons, confirmations, bootstraps, qualities and variance splits can also be ",
    "reported."))

# Headings, captions and axes
add_texts(
  estimates_side_by_side = "Estimates side by side",
  head_changes = "Changes",
  fit_of_each_rung = "Fit of each rung",
  fit_of_the_model = "Fit of the model",
  head_contents = "Contents",
  head_figure = "Figure",
  head_table = "Table",
  the_models_compared = "The models compared",
  the_data = "The data",
  correlations_as_observed = "Observed correlations",
  head_correlations = "Correlations",
  descriptive_statistics = "Descriptive statistics",
  head_blueprint = "Blueprint",
  to_reproduce_this = "Reproduction",
  head_limits = "Limits",
  head_trail = "Trail",
  head_claims = "Hypotheses",
  what_could_be_freed = "Modification indices",
  map_of_residuals = "Map of residuals",
  head_residuals = "Residuals",
  indirect_and_total_effects = "Indirect and total effects",
  head_model = "Model",
  head_fit = "Fit",
  head_diagram = "Diagram",
  in_short = "Summary",
  improper_solution = "Improper solution.",
  head_not_converged = "Not converged.",
  head_references = "References",
  a_passage_to_start_from = "Text for a methods and results section",
  intercepts_by_group = "Intercepts by group",
  head_intercepts = "Intercepts",
  loadings_by_group = "Loadings by group",
  head_loadings = "Loadings",
  head_by_group = "By group",
  means_of_constructs = "Means of constructs",
  what_was_released = "Released equalities",
  what_each_rung_asks = "What each rung requires",
  fit_indices_by_rung = "Fit indices by rung",
  methods_and_results = "Methods and results",
  what_scores_would_measure = "What sum scores would measure",
  refitted_without_single_items = "Statistics if an item is deleted (refitted)",
  without_single_items = "If item deleted",
  fornell_and_larcker_s_table = "Table after Fornell and Larcker",
  constructs_told_apart = "Discriminant validity",
  means_distinguishable = "Discriminant validity",
  reliability_and_validity = "Reliability and validity",
  bootstrapped_values = "Bootstrapped values",
  confirmation_in_fresh_data = "Confirmation in fresh data",
  fit_of_the_models = "Fit of the models",
  fit_after_each_revision = "Fit after each revision")

add_texts(
  tables_written = "{files} file{?s} written to {folder}; index.csv lists them.",
  report_written = "Report written to {file}",
  models_compared_title = "Models compared",
  parts_only_of_fits =
    "`parts` chooses sections of a report about fits or ladders; other reports have one section.",
  word_needs_package = "A report in Word needs the package officer.",
  install_or_other_report =
    "Install it with install.packages(\"officer\"), or write an .html or .md report.")

add_texts(
  no_reason_given_brackets = "(no reason given)",
  assumed_without_being_stated = "Defaults",
  not_held_after_all = "not held: ",
  along_with_it = " (along with its loading)",
  without_reason_given = ", without a reason given",
  general_and_specific = "General and specific")

add_texts(
  differences_of_means =
    "Differences{compared}, given the intercepts held on the {rung} rung (S\u00f6rbom 1974).")

add_texts(
  alt_construct = "{construct} is measured by {items}.",
  alt_to = " to ",
  alt_with = " with ",
  alt_effects = "Effects: {effects}.",
  alt_covariances = "Covariances: {covariances}.",
  alt_residuals = "The largest residuals: {largest}.",
  alt_rungs = "{rungs}.",
  alt_groups = "One line for each item with a point and an interval for each of {groups}.",
  alt_trail = paste0(
    "Over {count} {qty(count)}revision{?s}, CFI went from {from} to {to} and RMSEA from ",
    "{rmsea_from} to {rmsea_to}."),
  alt_replicates = "Distributions of {reps} replicates of {values}.",
  alt_split = "One bar for each of {items}, divided into the three proportions.")

add_texts(
  constancy_table = "Constancy of parameters along {along}",
  constancy_figure = "Cumulated scores along {along}",
  constancy_curves_figure = "Parameters along {along}",
  constancy_methods_continuous = paste0(
    "Constancy of the {what} along {along} was tested with the cumulated efficient scores of {n} ",
    "cases ({neyman}; {cite}), which allow the means, variances and covariances of the constructs ",
    "to change along {along}; the test statistic was Cram\u00e9r-von Mises."),
  constancy_methods_ordered = paste0(
    "Constancy of the {what} over the ordered categories of {along} was tested with the cumulated ",
    "efficient scores of {n} cases ({neyman}; {cite}), which allow the means, variances and ",
    "covariances of the constructs to differ; the test statistic was the largest LM statistic."),
  constancy_methods_unordered = paste0(
    "Constancy of the {what} over the categories of {along} was tested with the efficient scores ",
    "of {n} cases ({neyman}; {cite}), which allow the means, variances and covariances of the ",
    "constructs to differ."),
  constancy_methods_changes = "The {block} were not constant ({statistic}, {p}).",
  constancy_methods_no_change =
    "No change of the {block} was shown ({statistic}, {p}).",
  constancy_methods_untested =
    "There were too few cases to test the {block}.",
  constancy_methods_found = "Change was found in {each}.",
  constancy_methods_size = "; {difference} from the lowest to the highest third",
  constancy_methods_forward = paste0(
    "Parameters were tested one after the other, each that changed being allowed to change in the ",
    "following tests, with adjusted p values ({cite})."),
  approximate_table = "Means of {construct} under approximate invariance",
  approximate_figure_title = "Means of the groups with 95% intervals",
  approximate_methods = paste0(
    "Means of {groups} groups ({n} cases each) were compared under approximate invariance ",
    "({cite}), in standard deviations of {reference}."),
  approximate_methods_means = paste0(
    "For {construct}, {share} of the loadings and intercepts differed between groups; means ",
    "ranged from {low_mean} ({low}, SE = {low_se}) to {high_mean} ({high}, SE = {high_se})."),
  approximate_methods_rank =
    "Means of simulated data correlated {r} with these, so that they may be ranked.",
  approximate_methods_do_not_rank = paste0(
    "Means of simulated data correlated {r} with these, so that they were not ranked."),
  approximate_methods_recovery = "A correlation of at least .98 was required for ranking ({cite}).",
  mediation_table = "Direct, indirect and total effects of {from} on {to}",
  mediation_methods =
    "The effect of {from} on {to} was divided into direct and indirect effects{method}.",
  mediation_methods_delta = ", with standard errors by the delta method ({cite})",
  mediation_methods_bootstrap = ", with bootstrap intervals",
  mediation_methods_direct =
    "the direct effect{where} was {estimate} (SE = {se}, {level}% CI {interval}{beta})",
  mediation_methods_route =
    "the indirect effect via {via}{where} was {estimate} (SE = {se}, {level}% CI {interval}{beta})",
  mediation_methods_indirect =
    "the indirect effect{where} was {estimate} (SE = {se}, {level}% CI {interval}{beta})",
  mediation_methods_total =
    "the total effect{where} was {estimate} (SE = {se}, {level}% CI {interval}{beta})",
  mediation_methods_contrast = paste0(
    "the difference of the indirect effects ({via}){where} was {estimate} (SE = {se}, {level}% CI ",
    "{interval}{beta})"),
  mediation_methods_beta = ", \u03b2 = {beta}",
  mediation_methods_kinds = "Forms of mediation follow a common classification ({cite}).",
  mediation_methods_indirect_only = paste0(
    "{from} had an indirect effect on {to}{where}; beyond it, no direct effect was shown."),
  mediation_methods_both_same = paste0(
    "{from} had an indirect and a direct effect on {to}{where}, with the same sign (complementary ",
    "mediation)."),
  mediation_methods_both_opposite = paste0(
    "{from} had an indirect and a direct effect on {to}{where}, with opposite signs (competitive ",
    "mediation)."),
  mediation_methods_direct_only =
    "No indirect effect of {from} on {to} was shown{where}, only a direct one.",
  mediation_methods_neither =
    "Neither an indirect nor a direct effect of {from} on {to} was shown{where}.",
  mediation_methods_no_route = "There was no indirect route from {from} to {to}{where}.",
  equivalent_methods = paste0(
    "Fit cannot distinguish this model from {count} equivalent model{?s} ({cite}): {each}{more}. ",
    "The direction of effects rests on theory and design."),
  equivalent_methods_more = "; and others")

# Alternative texts of figures: a description for readers who cannot see them.

# Constructs with their items, then effects and covariances with their standardized values. Of many
# lines only the largest are named.
diagram_alt <- function(fit) {
  view <- group_views(fit)[[1L]]
  rows <- view$layout$rows
  value <- standardized_of(fit)$value[fit$layout$spans[[view$number]]]
  measured <- vapply(intersect(view$layout$constructs, rows$first[rows$kind == "loading"]),
                     function(name) {
    text_of("alt_construct", construct = name,
            items = enumerate(rows$second[rows$kind == "loading" & rows$first == name], most = 12L))
  }, "")
  named <- function(kinds, apart) {
    at <- which(rows$kind %in% kinds & !is.na(value) & rows$first != rows$second)
    if (length(at) == 0L) return("")
    at <- at[order(-abs(value[at]))]
    enumerate(paste0(rows$first[at], apart, rows$second[at], " ", format_share(value[at])),
              most = 10L)
  }
  effects <- named("effect", text_of("alt_to"))
  covariances <- named("covariance", text_of("alt_with"))
  paste0(c(
    measured, if (nzchar(effects)) text_of("alt_effects", effects = effects),
    if (nzchar(covariances)) text_of("alt_covariances", covariances = covariances)),
    collapse = " ")
}

quality_alt <- function(x) {
  table <- x$table
  group <- if (is.null(table$group) || all(is.na(table$group))) "" else paste0(", ", table$group)
  paste0(paste0(table$construct, group, ": omega ", format_share(table$omega), ", AVE ",
                format_share(table$ave), collapse = "; "), ".")
}

residuals_alt <- function(largest) {
  text_of("alt_residuals", largest = paste(utils::head(largest$meaning, 5L), collapse = "; "))
}

ladder_alt <- function(ladder) {
  table <- ladder$table
  text_of("alt_rungs", rungs = paste0(table$rung, ": CFI ", format_share(table$cfi, 3L), ", RMSEA ",
                                      format_share(table$rmsea, 3L), collapse = "; "))
}

groups_alt <- function(fit) text_of("alt_groups", groups = enumerate(fit$layout$groups, most = 8L))

trail_alt <- function(x) {
  last <- nrow(x)
  text_of("alt_trail", count = last - 1L, from = format_share(x$cfi[1L], 3L),
          to = format_share(x$cfi[last], 3L), rmsea_from = format_share(x$rmsea[1L], 3L),
          rmsea_to = format_share(x$rmsea[last], 3L))
}

replicates_alt <- function(table, reps) {
  shown <- table[!table$se %in% 0, ]
  text_of("alt_replicates", reps = format_count(reps),
          values = enumerate(utils::head(shown$parameter, 6L), most = 6L))
}

split_alt <- function(x) {
  text_of("alt_split", items = enumerate(x$items$item, most = 20L))
}
