# Texts and instructions on samples.

add_instructions(
  fit_blueprint = instruct("fit_model(blueprint, data)", "fit"),
  screen_with_blueprint = instruct("screen_data(data, blueprint)", "screen"),
  see_missing = instruct("plot(screen_data(data), what = \"missing\")", "screen"),
  robust = instruct("inference = \"robust\"", text = "--inference robust"),
  declare_codes = instruct("missing_codes = {r_codes}", text = "--missing-codes {codes}"),
  use_auxiliary = instruct("auxiliary = {r_columns}", text = "--auxiliary {columns}"),
  use_clusters = instruct("clusters = {address}", text = "--clusters {column}"))

add_texts(
  address_must_hold_neither =
    "An address must hold neither a user nor a password: others would read them.",
  is_address = "It is an address of {address}.",
  keep_password_driver_s = paste0(
    "Keep the password in the driver's own file or environment (for PostgreSQL ~/.pgpass or ",
    "PGPASSWORD), and name the user in the address as a parameter: ?table=NAME&user=NAME."),
  there_is_no_engine = "The database engine {engine} is not known.",
  such_sqlite_file_db = paste0(
    "Examples: sqlite:file.db?table=choirs, or postgresql://host/base?table=choirs. For other ",
    "databases, give database_table(connection, \"table\")."),
  address_does_not_say = "The address does not say which table.",
  is_path_right = "Is the path right?",
  column_holds_standard_errors = paste0(
    "Column {name} holds {found}. Standard errors by cluster need at least two clusters, and ",
    "are trustworthy from about {few_clusters} on."),
  leave_clusters_out_or = "Leave `clusters` out, or name another column.",
  column_cannot_hold_weights = "Column {name} cannot be used as weights: it is {weight}.",
  weights_are_positive_numbers = "Weights must be positive numbers.",
  cannot_be_used = " (and {bad} cannot be used)",
  weight_row_is = "The weight in row {bad} is {what}{bad_2}.",
  sampling_weights_are_positive = paste0(
    "Sampling weights must be positive: give every case a weight, or remove these rows from ",
    "the data first."),
  cannot_read_near_line = "Cannot read {file} near line {line}.",
  file_not_in_encoding = "{file} is not in {encoding}.",
  first_line_cannot_be = "The first line that cannot be read begins with: {good}",
  give_encoding_such_encoding = "Give its encoding, such as encoding = \"latin1\".",
  such_encoding_latin1 = "Example: encoding = \"latin1\".",
  reading_parquet_files_needs = "Reading Parquet files needs the package {parquet_reader}.",
  install_packages_or_save = "install.packages(\"{parquet_reader}\"), or save the data as CSV.",
  has_no_rows = "{file} has no rows.",
  levels_must_name_groups = "`levels` must name groups.",
  such_levels_c_evening = "Example: levels = c(\"evening\", \"weekend\").",
  collect_summary_reads_data =
    "collect_summary() reads a data frame, a file or a table of a database.",
  such_collect_summary_choirs = "Example: collect_summary(\"choirs.csv\", blueprint).",
  data_have_no_rows = "The data have no rows.",
  rows_have_no_are = "{ungrouped} of {rows} rows have no {by} and are left out{many_left_out}.",
  there_is_no_column = "There is no column {name} {purpose}.",
  text_variable_name_exists_all =
    "There is a text variable of that name; perhaps you mean {argument} = all_of({name}).",
  data_have_no_columns = "The data have no columns.",
  look_how_they_were = "Check how the data were read or how columns were selected.",
  look_how_they_were_read = "Check how the data were read or filtered.",
  two_columns_data_are = "Two columns of the data have the same name, {twice}.",
  rename_one_them = "Rename one of them.",
  column_is_table_own = "Column {odd} is itself a table with several columns.",
  make_columns_columns_data = "Make each of its columns a column of the data.",
  column_holds_64_bit =
    "Column {wide} holds 64-bit integers, which need the package bit64 to be read.",
  load_bit64_or_make = "Load bit64, or make them plain numbers with as.numeric() there.",
  column_is_list_cells = "Column {nested} is a list: its cells may hold several values each.",
  unnest_into_columns_single = "Unnest it into columns of single values, or leave it out.",
  data_are_covariance_or = "The data are a covariance or correlation matrix, not rows of cases.",
  their_rows_are_same = "Rows and columns hold the same variables, and the values are symmetric.",
  give_summary_data_fit = "Give it as summary data: fit_model(bp, summary_data(matrix, n = ...)).",
  file_first_column_row =
    "In a file: a first column `row` with the names, and a row `.n`; see ?read_summary_data.",
  database_table_needs_connection = "database_table() needs a connection to a database.",
  such_dbi_dbconnect_rsqlite = "Example: DBI::dbConnect(RSQLite::SQLite(), \"file.db\").",
  database_has_no_table = "The database has no table {table}.",
  table_database_be_read = "Table {label} of a database, to be summarized with collect_summary().",
  tables_databases_need_package = "Tables of databases need the package {name}.",
  database_could_not_answer = "The database returned an error.",
  look_table = "Check table {label}.",
  column_is_not_numeric = "Column {name} is not numeric in the database: it is {class}.",
  example_value = "Example of such a value: {odd}.",
  recode_numbers_there_or = paste0(
    "Recode it as numbers in the database, or declare missing-value codes: missing_codes = ",
    "c(\"n/a\", ...)."),
  column_holds_values_are = "Column {bad} holds values that are infinite or not numbers.",
  mend_them_database_or = "Correct them in the database, or leave the column out.",
  column_holds_text_among = "Column {name} holds text among its numbers.",
  mend_database_or_declare = "Correct it in the database, or declare the text in `missing_codes`.",
  no_row_has_value = "No row has a value of the grouping column {by}.",
  column_holds_which_fitted =
    "Column {name} holds {strange}, a value that the fitted data did not contain.",
  known_values = "Known values: {levels}.",
  n0_1_columns_would = "The 0/1 columns for {name} would overwrite column {clash}.",
  is_coded = "{name} is coded 0 for {levels} and 1 for {levels_2}.",
  is_coded_1_level =
    "{name} is coded by {levels}: 1 for that level, 0 otherwise; the reference is {levels_2}.",
  column_holds_different_values =
    "Column {by} holds {known} different values, which is more than groups can have.",
  give_column_few_values = "Use a column with a few values, or select some with levels = c(...).",
  column_holds = "Column {by} holds ",
  least_two_are_needed = "{levels}{wanted}; at least two groups are needed.",
  leave_out_one_group = "For a single group, leave out `by`.",
  rows = "{wanted} ({rows} rows)",
  groups_by_with_rows = "Groups by {by}: {rows}.",
  left_out_other_groups = "{left} of other groups are left out: {wanted}.",
  such_levels_c_evening_evening =
    "Example: levels = c(Evening = \"evening\", Weekend = \"weekend\").",
  no_such_group = "There is no group {strange} in {by}.",
  group_is_named_twice = "A group is named twice in `levels`.",
  multivariate_kurtosis_beyond_normal =
    "multivariate kurtosis above that of a normal distribution (z = {kurtosis})",
  heavy_tails_kurtosis = "heavy tails (kurtosis {tails})",
  five_distinct_answers = "only five response categories ({few})",
  many_end_scale = "floor or ceiling effects ({ends} at the end of the scale)",
  not_normal_standard_errors = paste0(
    "The data are not normal: {found}. \u03c7\u00b2 and standard errors assume normality; add ",
    "{instruction} to correct them."),
  two_four_distinct_answers = paste0(
    "{items}{items_2} two to four response categories. A covariance model treats them as ",
    "continuous: loadings and correlations are underestimated, and skewed items can appear as ",
    "a factor of their own. Estimators for ordered categorical data would be appropriate; ",
    "orizzonte does not offer them (Rhemtulla, Brosseau-Liard & Savalei 2012)."),
  read_answers_though_they = paste0(
    "These values look like missing-value codes but were read as answers: {each}. If they mean ",
    "missing, give {values}."),
  covariance_matrix_data = "The covariance matrix of the data",
  column_holds_infinite_value = "Column {at} holds an infinite value in row {at_2}.",
  correct_infinite_value = "Correct it, or set it to NA if the value is unknown.",
  column_is_missing_every = "Column {empty} is missing in every row.",
  leave_item_out_or_declare_codes = "Leave the item out of the model, or check `missing_codes`.",
  there_are = "There {qty(count)}{?is/are} {what} for {variables}.",
  more_cases_than_variables = "More cases than variables are needed.",
  column_does_not_vary = "Column {flat} does not vary: every value is {flat_2}.",
  leave_out_model = "Leave it out of the model.",
  dropped_missing_values_model = paste0(
    "Listwise deletion: {complete} of {value} with missing values in {missing} of the model ",
    "were dropped (most in {worst}); {complete_2} rows are used."),
  missing_codes_has_no = "`missing_codes` does not apply to summary data.",
  there_are_cases_variables =
    "There are {value} cases for {variables} variables; more cases are needed.",
  only_correlations_were_known = "Only correlations were known; they were analysed as covariances.",
  construct_has_name_column = "Construct {clash} has the name of a column of the data.",
  rename_construct_so_two = "Rename the construct, so that the two cannot be confused.",
  observed_variable_needs_no =
    "An observed variable does not need construct(): use its name in effect() directly.",
  text_variable_name_exists_so =
    "; there is a text variable of that name, so perhaps you mean all_of({name})",
  did_you_mean_inline = "; did you mean {near}{constructs}?",
  variables_model_are = "variables of the model are",
  neither_column_data_nor = "{unknown} neither a column of the data nor a construct.",
  quotes_is_one_name =
    "In quotes, this is a single name; without quotes, `{joined}` is read as {joined_2}",
  if_is_construct_declare = paste0(
    "If {construct} is a construct, declare it: construct({construct_2}, reflected_in = ",
    "c(...))."),
  of_class = "of class {class}",
  column_is_not_numeric_is = "Column {name} is not numeric: it is {kind}.",
  columns_hold_text = "{qty(count)}Column{?s} {columns} hold{?s/} text, not numbers.",
  text_means_missing = "If these texts mean missing: {instruction}.",
  recode_text = "Items and outcomes must be numbers: recode the column first.",
  leave_item_out_model = "Leave the item out of the model.",
  dropped_rows_missing_values_variables = paste0(
    "Listwise deletion: {size} of {total} rows with missing values in variables of the model ",
    "were dropped; {size_2} rows are used."),
  multiplier_n_1_is = "`multiplier` = \"n-1\" requires complete data.",
  leave_out_or_drop = "Leave it out, or drop incomplete rows: incomplete = \"drop\".",
  covariance_matrix_data_missing =
    "The covariance matrix of the data, estimated with missing values,",
  covariance_matrix_complete_cases = "The covariance matrix of the complete cases",
  one_variables_has_no = "One of the variables has no observed values.",
  one_variables_does_not = "One of the variables does not vary.",
  there_are_too_few = "There are too few complete cases for {variables}: {complete} of {value}.",
  covariance_matrix_incomplete_data = paste0(
    "The covariance matrix of the incomplete data becomes singular: some variables are ",
    "(nearly) linear combinations of others."),
  means_covariances_incomplete_data =
    "The means and covariances of the incomplete data cannot be estimated.",
  use_fewer_variables_more =
    "Use fewer variables, more cases, or leave out the variables with most missing values.",
  leave_out_one_variables = "Leave out one of the variables that determine each other.",
  is_separated_semicolons = "{file} is separated by semicolons.",
  save_commas_or_tsv = "Save it with commas, or as .tsv with tabs.",
  has_header_but_no = "{file} has a header but no rows.",
  cannot_read_lines_came =
    "Cannot read {file}: {records} lines of {value} were read as {table} lines of {table_2}.",
  line_of_file_says = "{file}, line {starts}: {value}.",
  quote_is_opened_never = "a quotation mark is opened and never closed",
  expected_but_found = "expected {fields} but found {bad}",
  every_line_ends_separator =
    ": every line ends with a separator; the empty last column is left out.",
  reading_files_needs_package = "Reading .{ending} files needs the package haven.",
  install_packages_haven_or = "install.packages(\"haven\"), or save the data as CSV.",
  whether_depends_untested =
    "Little's test is not computed (too many missing-data patterns for so few cases)",
  missingness_is_predicted =
    "missingness depends on {predictors}, so listwise deletion would bias results",
  code_piles_up = paste0(
    "{name} holds {codes} ({times}), far more often than the values beside it: declare ",
    "{instruction} if it means missing."),
  predictors_of_missing = "Columns that predict missing values (logistic regression)",
  predictors_advice = paste0(
    "Whether values are missing depends on {predictors}: keep the incomplete rows, and add ",
    "{instruction}."),
  what_is_missing_hangs = paste0(
    "missingness depends on observed answers (Little's test rejects MCAR, p {value}), so ",
    "listwise deletion would bias results"),
  nothing_says_hangs_other = "Little's test does not reject MCAR (p {value})",
  rows_miss_something_though = paste0(
    "{rows} of the rows are incomplete although {cells} of the values are observed. Listwise ",
    "deletion would discard {rows_2} of the cases, whereas FIML uses every observed value; ",
    "{told}."),
  skewness_is_left_out =
    "  Skewness is not computed: it would take minutes with so many rows and columns.",
  little_s_test_missing = paste0(
    "Little's test of values missing completely at random (MCAR): \u03c7\u00b2({df}) = ",
    "{statistic}, p {value}"),
  pairs_fewest_rows_have = "Lowest pairwise coverage",
  missing_group_leading_ones = "Missing values by group, most frequent first",
  more_groups = "  and {groups} more groups",
  clusters_by = "Clusters by {cluster_column}: {clusters}",
  complete = "{rows}, {table}; {complete} complete",
  odd_codes_are_counted = paste0(
    "  Suspicious codes are treated as missing in this screening only; declare them to make ",
    "that permanent."),
  groups_by = "Groups by {by}",
  more_patterns = "  and {patterns} more patterns",
  rows_far_from_rest = "Multivariate outliers (Mahalanobis distance, p < .001)",
  and_more_outliers = "  and {outliers} more",
  nothing_stands_out = "  No problems were found.",
  blueprint_items_keyed_against = "With the blueprint, reverse-keyed items are also detected:",
  data_come_first = "The data come first, then the blueprint: screen_data(data, blueprint).",
  screen_data_needs_data = "screen_data() needs a data frame.",
  data_have_no_rows_or = "The data have no rows or no columns.",
  must_be_one_column = "`by` must be one column.",
  column_data_has_no = "Column {unnamed} of the data has no name.",
  files_written_row_names = paste0(
    "Files written with row names begin with such a column: write them without row names ",
    "(row.names = FALSE), or name the column."),
  covariance_matrix_row_names =
    "A covariance matrix with row names is read as summary data and cannot be screened.",
  looks_like_identifier_nearly = paste0(
    " looks like an identifier: nearly every row has a different value. Leave it out of the ",
    "model."),
  far_outside_rest_declare = "), far outside the other values: declare ",
  if_means_missing = " if it means missing.",
  is_empty_leave_out = " is empty: leave it out.",
  is_same_every_row = " has the same value in every row: leave it out.",
  are_same_column_twice = " are identical columns",
  correlate_nearly_same_column = " correlate {value} and are nearly identical",
  keep_one_them = ". Keep one of them.",
  leave_one_them_out_sum =
    " Leave one of them out (a sum score does not belong beside its items).",
  variance_inflation_too_high =
    ": the variance inflation factor exceeds 10, so that these columns are nearly collinear.",
  keyed_against_other_items = " reverse-keyed relative to the other items of ",
  or_expect_negative_loading = ", or expect a negative loading.",
  strongly_skewed_or_peaked =
    ": strongly skewed or peaked, so that normal-theory standard errors and tests are inaccurate.",
  far_from_all_others_mahalanobis = paste0(
    " far from all other cases (Mahalanobis distance): check the original answers, and fit the ",
    "model with and without."),
  is_of = "{leader} is {slope} of {others}.",
  can_be_computed_from = "{leader} can be computed from {others}.",
  has_values_is_grouping = "{by} has {group} values: is it a grouping variable?",
  too_few_complete_rows = "There are too few complete rows for {variables} variables: {small}.",
  are_complete = "{group} ({complete} of {rows} are complete)",
  most_rows_miss_value = "Most rows are incomplete in {group}: find out why.",
  summary_data_need_number = "Summary data need the number of cases.",
  give_summary_data_cov = "Give it: summary_data(cov, n = 300).",
  n_must_be_one = "`n` must be one number, at least 2.",
  sd_cov_must_be = "With `sd`, `cov` must be a correlation matrix (ones on the diagonal).",
  leave_sd_out_when = "Leave `sd` out when the matrix already holds covariances.",
  standard_deviation_is_not = "The standard deviation of {sd} is not positive.",
  only_correlations_are_known =
    "Only correlations are known, so they are analysed as if they were covariances.",
  estimates_are_standard_deviation = paste0(
    "Estimates are in standard-deviation units. Standardized values and \u03c7\u00b2 hold ",
    "when the model is free to rescale every variable; raw standard errors do not."),
  give_sd_analyse_covariances = "Give `sd` to analyse covariances.",
  correlation_is_beyond_1_is = "A correlation exceeds 1: that of {pair} and {pair_2} is {pair_3}.",
  check_matrix_misprint = "Check the matrix for a typing error.",
  cov_must_be_numeric = "`cov` must be a numeric matrix.",
  matrix_is_not_square = "The matrix is not square.",
  has_rows_columns = "It has {cov} rows and {cov_2} columns.",
  matrix_has_no_variable = "The matrix has no variable names.",
  set_them_dimnames_cov = "Set them: dimnames(cov) <- list(names, names).",
  two_variables_are_called = "Two variables are called {duplicated}.",
  row_column_names_matrix = "Row and column names of the matrix differ.",
  covariance_is_missing = "The covariance of {at} and {at_2} is missing.",
  covariance_is_not_finite = "The covariance of {at} and {at_2} is not finite: {at_3}.",
  matrix_is_not_symmetric = "The matrix is not symmetric.",
  look_at_and_and = "Check {at} and {at_2}: {at_3} and {at_4}.",
  must_be_finite_numbers = "`{what}` must be finite numbers without missing values.",
  lacks = "`{what}` has no value for {lacking}.",
  has_values_variables = "`{what}` has {value} values for {value_2} variables.",
  does_not_vary = "{sd} does not vary.",
  is_not_positive_definite =
    "{what} is not positive definite: its smallest eigenvalue (in correlations) is {correlation}.",
  these_variables_determine_each = paste0(
    "These variables are linearly dependent: {involved}. Leave one of them out, and check for ",
    "a sum score among its items."),
  summary_data_variables_n = "Summary data: {value} variables, n = {value_2}",
  no_standard_deviations_are = "; no standard deviations are known",
  without_any_value = "; {empty} without any observed value",
  collected_from_missing_pattern = "Collected from {from} by missing pattern: {patterns}{empty}.",
  is_not_summary_data = "{file} is not a summary-data file.",
  first_column_must_be = "Its first column must be called `row`; the others are the variables.",
  row_is_not_number = "{file}: {bad} in row {bad_2} is not a number.",
  there_are_two_rows = "{file}: there are two rows {twice}.",
  several_groups_need_first = "Several groups need a first column .group.",
  row_is_not_one = "{file}: row {unknown} is not one of the columns.",
  no_row_for = "{file}: there is no row for {lacking}.",
  has_no_group_column = "{file} has no `.group` column, so there is no group {group}.",
  has_no_group = "{file} has no group {group}.",
  without_any_value_left = "; {empty} without any observed value {empty_2} left out",
  auxiliary_not_model = "; auxiliary, not in the model: {sample}",
  kept_casewise_ml_missing = paste0(
    "; {with}{with_2} kept (FIML: assumes values missing at random and joint normality of all ",
    "variables, predictors included){empty}{sample}"),
  without_value_left_out = "; {count} without a value of {column}{count_2} left out",
  nothing_model_is_missing = paste0(
    "The variables of the model are complete; auxiliary variables would add no information ",
    "and are left out: {idle_auxiliary}."),
  these_two_values_only =
    " Of these, {two}{two_2} only two values, for which normality is a rough assumption.",
  predictors_missing_values_now =
    "Predictors with missing values are now part of the joint model: {incomplete}.{two}",
  missing_patterns_among_cases = paste0(
    "There are {count} missing-data patterns among {cases} cases. Was the questionnaire given ",
    "in parts, or are codes mistaken for missing values? {instruction} shows them. Computing ",
    "time grows with their number."),
  never_observed_same_case = paste0(
    "These variables were never observed in the same case{value}: {pairs}. The data hold no ",
    "information on {pairs_2}, and {pairs_3} for no degree of freedom."),
  only_cases_have_both = paste0(
    "Only {share}% of the cases{value} have values of both {pair}; all conclusions about ",
    "their relation are based on these cases."),
  fewer_than_standard_errors = paste0(
    "Column {clusters_2}: {clusters}. With fewer than {few_clusters}, standard errors by cluster ",
    "are too small and tests reject too often (Huang 2018)."),
  group_is_one_cluster = paste0(
    "All cases of {qty(count)}group{?s} {groups} are in one cluster of {clusters}: standard ",
    "errors by cluster need at least two clusters in each group."),
  leave_group_or_clusters = "Leave the group out with `levels`, or leave `clusters` out.",
  have_no_value_are = paste0(
    "{count} of {total_rows} have no value of {column} and are left out. Find out why it is ",
    "missing there."),
  summary_data_one_group = "Summary data of one group have no column to group by.",
  give_named_list_summary = "Give a named list of summary_data(), one for each group.",
  list_summary_data_needs = "A list of summary data needs the names of its groups.",
  list_evening_summary_data = "list(evening = summary_data(...), weekend = summary_data(...)).",
  data_must_be_data = "`data` must be a data frame or summary data.",
  read_file_first_read = "Read the file first: read.csv({source}).",
  covariance_matrix_use_summary = "For a covariance matrix, use summary_data(cov, n = ...).",
  adjust_mean_variance_is =
    "adjust = \"mean and variance\" requires complete data, and values are missing.",
  use_adjust_mean_or = "Use adjust = \"mean\", or drop incomplete cases: incomplete = \"drop\".",
  means_are_known_group = "Means are given for group {with} but not for group {with_2}.",
  give_means_all_groups = "Give `means` in all groups, or in none.",
  needs_data_case_case = "`{asked}` needs raw data, not summary data.",
  give_data_frame_summary = "Give the data frame from which the summary was computed.",
  blueprint_has_no_variables = "The blueprint has no variables yet.",
  add_construct_or_effect = "Add construct() or effect() first.",
  nothing_would_be_left = "The model would have no variables left.",
  leave_out_less = "Leave out less.",
  fit_keeps_only_columns =
    "The fit keeps only the columns of its model, and {lacking} is not one of them.",
  give_data_again_refit = "Give the data again: refit(fit, data = data).")

add_texts(
  field_advice = paste0(
    "Every line must have as many fields as the header; put text that contains a separator or ",
    "a quotation mark in double quotes."),
  a_variable_is = "A variable of the model is",
  names_to_join = "names to be joined by c().",
  a_range = "a range.",
  one_incomplete = " has missing values and is",
  several_incomplete = " have missing values and are")

add_texts(
  too_few_clusters = paste0(
    "{count} clusters of {clusters}, fewer than {enough}: standard errors by cluster will be ",
    "too small."),
  answers_depend_on_cluster =
    "Answers within {clusters} are similar ({items}): fit with {instruction}.")

add_texts(
  next_write_blueprint = "Next: write a blueprint, then",
  what_to_do = "What to do",
  multivariate_normality = "Multivariate normality (Mardia 1970)",
  multiple_of_the_sum = "a multiple of the sum",
  the_sum = "the sum",
  the_summary_data = "the summary data")

add_texts(
  many_left_out = " (more than 5%)",
  levels_picks = "`levels` picks ",
  text_with_exception =
    "{name} is text although most of its values are numbers (an exception: {odd}): recode it.",
  text_of_numbers = "{name} is text although its values are numbers: recode it.")
