# Texts and instructions on studies.

add_instructions(
  fit_blueprint_file = instruct("Fit it: fit_model(read_blueprint(file), data).",
                                text = "Fit it: orizzonte fit {file} DATA"),
  new_study = instruct("new_study_files() writes a study to start from.",
                       text = "orizzonte new study writes a study to start from."),
  run_anywhere = instruct("If you trust the study: run_study(file, anywhere = TRUE).",
                          text = "If you trust the study: orizzonte run {file} --anywhere."),
  move_aside = instruct("To move it aside: file.rename({from}, {to})",
                        text = "To move it aside: mv {path} {new_path}"))

add_texts(
  is_not_study_file = "{file} is not a study file.",
  holds_keys_such_data = paste0(
    "A study file has keys such as data, blueprints and steps; orizzonte new study writes one ",
    "to start from."),
  is_blueprint_not_study = "{file} is a blueprint, not a study.",
  key_is_missing = "the key {key} is missing.",
  lies_outside_folder_study = "{path} lies outside the folder of the study.",
  at_line = ", line {line}",
  unknown_key = "unknown key {unknown}{where}.",
  key_stands_twice = "the key {keys} occurs twice.",
  is_no_file = "{path} is not a file.",
  paths_count_from_study = "Paths are relative to the study file.",
  no_such_file_at = "there is no file {path}.",
  blueprints_must_be_names = "blueprints must be names with files.",
  each_blueprint_must_be = "each blueprint must be the name of a file.",
  figures_are_formats = "figures is one or several of {formats}, or none.",
  no_such_figure_format = "figures cannot have the format {unknown}.",
  steps_must_be_list = "steps must be a list.",
  step_is_one_kind = "a step is a single kind with its arguments.",
  there_is_no_step = "there is no step {kind}.",
  in_the_step = " in the step {kind}",
  two_steps_are_called = "two steps are called {name}.",
  step_needs_blueprint = "the step {kind} needs a blueprint.",
  there_is_no_blueprint = "there is no blueprint {blueprint}.",
  step_needs_earlier_step = "the step {kind} needs an earlier step to work on.",
  is_no_earlier_step = "{unknown} is not an earlier step on which {kind} can be based.",
  such_steps = "Possible steps: {usable}.",
  works_one_step = "{kind} is based on a single step.",
  compare_takes_two_steps = "compare takes two steps or more.",
  such_first_second = "Example: of: [first, second]",
  key_must_be = "{key} must be {key_2}",
  must_be_one_text_or = "{key} must be one text or a list of them.",
  head_read_first = "Read first",
  the_report = "The report: {file}",
  methods_results_words_methods = "Methods and results: methods.txt",
  orizzonte_seed = "orizzonte {package_version_text}; seed {seed}.",
  of_the_step = "{file} of the step {step}",
  rows_columns_rows_complete = "{rows} rows, {columns} columns; {complete} rows complete.",
  nothing_be_done = "No action is needed.",
  identified_degrees_freedom = "Identified, with {df} degrees of freedom.",
  after_refitting_falls = "; after refitting, \u03c7\u00b2 decreases by {drop}",
  first_among_what_could = paste0(
    "The parameter with the largest modification index is {parameter} ({kind}), ",
    "{modification_index}{drop} ({verdict})."),
  replicates_intervals = "{reps} replicates; {level}% intervals: {upper}{table}.",
  power_is = "power of {value} is {of}",
  data_sets_each_size = "{reps} data sets of each size",
  is_there_already_nothing = "{there} exists already, and nothing is overwritten.",
  choose_another_folder = "Choose another folder.",
  you_may_not_write = "You do not have permission to write to the folder {folder}.",
  is_not_from_package_inline = "{index_name} is not from this package",
  is_file_not_folder = "{folder} is a file, not a folder.",
  was_filled_earlier_version =
    "it was filled by an earlier version, which stored its steps differently",
  holds_other_files_such = "it holds other files, such as {there}",
  is_not_one_version = "its {manifest_name} is not one that this version writes",
  folder_is_not_used = "The folder {folder} is not used for results: {why}.",
  results_go_into_folder =
    "Results go into a folder that is new, empty, or filled by this package.",
  cannot_write_folder = "Cannot write to the folder {folder}.",
  is_not_from_package = "{name} in it is not from this package",
  is_way = "{foreign} is in the way",
  and_more_in_brackets = " (and {changed} more)",
  step_failed = "The step {step} failed.",
  finished_steps_are_kept = paste0(
    "Finished steps are kept in {results}: correct the cause and run the study again to ",
    "continue."),
  file_report_is_name = "`file` of a report is a name without a folder.",
  such_file_report_html = "Example: file: report.html")

add_texts(
  step_title_screen = "Data screening",
  step_title_check = "Identification",
  step_title_fit = "Fit",
  step_title_diagnose = "Modification indices",
  step_title_amend = "Model modification",
  step_title_compare = "Model comparison",
  step_title_quality = "Reliability and validity",
  step_title_invariance = "Measurement invariance",
  step_title_bootstrap = "Bootstrap",
  step_title_constancy = "Constancy along a variable",
  step_title_approximate = "Means of many groups",
  step_title_equivalent = "Equivalent models",
  step_title_mediation = "Mediation",
  step_title_plan = "Sample size planning",
  step_title_report = "Report",
  blueprints_example = "Example: blueprints: {{measurement: choirs.yaml}}",
  steps_example = "Each line begins with a dash, such as - fit: {{blueprint: measurement}}",
  step_example = "Example: - fit: {{blueprint: measurement}}",
  earlier_step_example = "Put a step such as - fit: {{blueprint: ...}} before it.",
  addresses_with_numbers = "addresses with numbers.")

# Headings, captions and axes
add_texts(
  step_without_fingerprint = "a step without fingerprint",
  no_steps = "no steps")

add_texts(
  step_repeated = "Step {step} is repeated: {changed}.",
  results_begin_with_index = "Results in {results}; begin with index.html.",
  step_failed_others_kept = "The step {step} failed. Finished steps are kept in {results}.")

add_texts(
  example_truth_in_study = "Example: truth: {{\"loading[ , ]\": .7}}",
  example_n_in_study = "Example: n: [100, 200]",
  example_of_step = "Example: of: first")

add_texts(
  index_not_identified = "Not identified.",
  and_more_values = " and more")
