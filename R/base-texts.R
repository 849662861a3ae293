# How a sentence is made: a row of a table of texts, whose named placeholders are filled with
# values. The tables of the stages are in the files *-texts.R.

texts <- new.env(parent = emptyenv())
texts$table <- character()
texts$pieces <- list()
texts$instructions <- list()
texts$keys <- FALSE  # whether texts are shown by their names, which tests do

# A duplicate name stops the installation: one text would hide the other.
add_texts <- function(...) {
  added <- c(...)
  stopifnot(!names(added) %in% names(texts$table), !anyDuplicated(names(added)))
  texts$table <- c(texts$table, added)
}
add_instructions <- function(...) {
  added <- list(...)
  stopifnot(!names(added) %in% names(texts$instructions), !anyDuplicated(names(added)))
  texts$instructions <- c(texts$instructions, added)
}

# The text called `name`. `...`: values by placeholder. `{n}` shows a value, `{?s}` a plural of the
# last number shown (cli::pluralize()). Values are looked up, never evaluated: braces in them stay
# as they are. Values of several elements give as many texts, unless the text has a plural.
text_of <- function(.name, ...) {
  if (texts$keys) return(paste0("<", .name, ">"))
  filled(texts$table[[.name]], list(...))
}

filled <- function(template, values) {
  if (!grepl("{", template, fixed = TRUE)) return(template)
  if (grepl("{?", template, fixed = TRUE)) {
    values$qty <- cli::qty
    return(as.character(cli::pluralize(template, .envir = list2env(values, parent = emptyenv()))))
  }
  pieces <- template_pieces(template)
  wanted <- pieces$text[pieces$value]
  stopifnot(wanted %in% names(values))
  parts <- as.list(pieces$text)
  parts[pieces$value] <- values[wanted]
  do.call(paste0, parts)
}

# Splits a template into texts and names of values; `{{` is a brace.
template_pieces <- function(template) {
  if (is.null(texts$pieces[[template]])) {
    parts <- regmatches(template, gregexpr("[{]{2}|[}]{2}|[{][^{}]+[}]|[^{}]+", template))[[1L]]
    value <- grepl("^[{][^{]", parts)
    text <- substr(parts, 1L + value, nchar(parts) - value)
    text[parts %in% c("{{", "}}")] <- substr(parts[parts %in% c("{{", "}}")], 1L, 1L)
    texts$pieces[[template]] <- list(text = text, value = value)
  }
  texts$pieces[[template]]
}

# Words for a column of codes; "" where there is none.
words_of <- function(prefix, codes) {
  vapply(codes, function(code) {
    if (is.na(code)) "" else text_of(paste0(prefix, "_", code))
  }, "", USE.NAMES = FALSE)
}

# The next step, in its two forms. `r`: R code or a phrase about it. On the command line `command`
# contains the words of a command, and `text` a phrase. `purpose`: the purpose of the step,
# beginning with "to". All are templates; a form that is NULL gives no text there.
instruct <- function(r = NULL, command = NULL, text = NULL, purpose = NULL) {
  list(r = r, command = command, text = text, purpose = purpose)
}

# The instruction called `name` in the form of the current surface, or NULL. `...`: values by
# placeholder.
instruction <- function(.name, ...) {
  if (texts$keys) return(paste0("<", .name, ">"))
  stopifnot(.name %in% names(texts$instructions))
  forms <- texts$instructions[[.name]]
  fill <- function(template) filled(template, list(...))
  if (is.null(display$command)) return(if (!is.null(forms$r)) fill(forms$r))
  if (!is.null(forms$text)) return(fill(forms$text))
  if (is.null(forms$command)) return(NULL)
  do.call(display$command, lapply(unname(forms$command), fill))
}

# "Next: ..." with its purpose; a command has a line of its own, so that it can be copied.
next_step <- function(.name, ...) {
  what <- instruction(.name, ...)
  if (is.null(what)) return(NULL)
  purpose <- if (!texts$keys) texts$instructions[[.name]]$purpose
  if (is.null(purpose)) return(paste0("Next: ", what))
  if (is.null(display$command)) return(paste0("Next: ", what, " ", purpose))
  c(paste0("Next, ", purpose, ":"), paste0("  ", what))
}

add_texts(
  rows_not_shown = "... and {count} more {qty(count)}row{?s}",
  difference_fits_as_well = "fits as well",
  difference_fits_worse = "fits worse",
  difference_fits_better = "fits better",
  change_of_cfi = "CFI",
  change_of_rmsea = "RMSEA",
  change_of_srmr = "SRMR",
  change_of_p = "p",
  paths_relative = "Paths are relative to the working directory: {folder}.")

add_texts(
  not_asked_in_group = paste0(
    "If the item was not asked in this group, leave it out there alone: leave_out(blueprint, ",
    "{item}, group = {group}). Equalities then hold in the groups that have it."),
  must_be_one_piece = "{what} must be a single text.",
  it_is_of_kind = "It is {value}.",
  write_quotes = "Write it in quotes.",
  holds_bytes_are_not = "{what} contains bytes that are not valid UTF-8.",
  convert_first_iconv_x = "Convert it first: iconv(x, \"latin1\", \"UTF-8\").",
  blueprint_cannot_be_read = "This blueprint cannot be used: parts of it are missing.",
  start_blueprint_title_or = "Start with blueprint(\"a title\"), or read_blueprint(file).",
  first_argument_must_be = "The first argument of {verb}() must be a blueprint.",
  start_blueprint_title_pipe = paste0(
    "Start with blueprint(\"a title\") and extend it with pipes: blueprint(\"...\") |> ",
    "construct(...)."),
  reads_fitted_model = "{reader}() needs a fitted model.",
  was_given = "It was given {value}.",
  fit_one_first_fit = "Fit a model first: fit <- fit_model(blueprint, data).",
  lacks_parts_fit_has = "parts of it are missing",
  was_made_version_which = paste0(
    "it was created by version {version}, which stored fits in a different form than ",
    "{package_version_text}"),
  parts_do_not_belong = "its parts do not belong together",
  cannot_read_ladder_lacks = "{reader}() cannot use this ladder: parts of it are missing.",
  make_again_invariance_blueprint =
    "Compute it again: invariance(blueprint, data, by = \"column\").",
  fit_cannot_be_read = "This fit cannot be used.",
  the_reason = "The reason: {why}.",
  fit_model_again_fit = paste0(
    "Fit the model again: fit_model(blueprint, data). A blueprint file keeps the model ",
    "between versions."),
  the = "the {ischaracter}{substr}",
  object_class = "an object of class {class}",
  x_is = "`x` is {value}.",
  x_is_empty_list = "`x` is an empty list.",
  part_is_of_kind = "{name} of `x` is {strange}.",
  must_be_one_text = "{what} must be one or more texts.",
  such_as = "Example: {example}.",
  needs = "{verb}() needs `{lacking}`.",
  see_arguments_example = "See ?{verb} for its arguments and an example.",
  has_no_argument = "{verb}() has no argument {strange}.",
  takes_text = "`{name}` takes text.",
  write_in_quotes_hint = "Write it in quotes{hint}{hint_2}.",
  blueprint_comes_first = "The blueprint comes first, then the data: {verb}(blueprint, data).",
  did_you_mean_argument = "Did you mean `{word}`?",
  must_be = "{what} must be {choices}.",
  between_and = " between {ends} and {ends_2}",
  at_least = ", at least {ends}",
  must_be_one_number = "{what} must be one number{range}.",
  has_letters_r_session = "{what} has letters that this R session cannot use in a file's name.",
  locale_is = "Its locale is {sysgetlocale}.",
  start_r_in_utf8 = "Start R in a UTF-8 locale, such as LC_ALL=C.UTF-8.",
  is_too_long_be = "{what} is too long to be the name of a file.",
  must_be_whole_number = "{what} must be a whole number.",
  must_be_true_or = "{what} must be TRUE or FALSE.",
  level_must_be_one = "`level` must be one number between 0 and 1.",
  example_level = "Example: level = .95.",
  result_cannot_be_printed = "This result cannot be printed: parts of it are missing.",
  make_again = "Compute it again: {again}.",
  missing_codes_must_be = "`missing_codes` must be numbers or texts.",
  such_missing_codes_c = "Examples: missing_codes = c(-9, 999), or c(\"n/a\", \"-9\").",
  did_you_mean = "Did you mean {near}?",
  and_more = "{seq_len} and {value} more",
  is_not_file_criteria = "{file} is not a file of criteria.",
  holds_lines_such_cfi = "Such a file has lines like cfi: [.95, .90]",
  must_be_numbers = "In {file}: {name} must be numbers.",
  example_criteria_in_file =
    "Example: cfi: [.95, .90] or smallest: .1. Leave out criteria that keep their default.",
  every_criterion_needs_name = "Every criterion needs its name, such as cfi = c(.95, .90).",
  there_is_no_criterion = "There is no criterion {unknown}.",
  must_be_two_numbers = "`{name}` must be two numbers: the limits for good and for acceptable.",
  such_c = "Example: {name} = c({name_2}).",
  tiers_are_out_range = "The limits of `{name}` are out of range.",
  they_are = "They are {tiers}.",
  tiers_are_wrong_order =
    "The limits of `{name}` are in the wrong order: the stricter one, for good, comes first.",
  criteria_must_come_from = "`criteria` must come from criteria().",
  such_criteria_criteria_cfi = "Example: criteria = criteria(cfi = c(.96, .92)).",
  conventions_not_laws = "These are conventions, not laws.",
  largest_change_worse_which = "Largest deterioration at which a level of invariance still holds",
  next_criteria_cfi_c = paste0(
    "Next: criteria(cfi = c(.96, .92), ...) changes some; fit_indices(fit, criteria = ...) ",
    "uses them."),
  is_not_manifest_version = "it is not a manifest of this version",
  file_is_not_described = "a file of it is not described as it should be",
  cannot_write = "Cannot write {name}.",
  is_folder_writable_is = "Check that the folder is writable and that there is room on the disk.",
  process_left_no_name = "a process that left no identification",
  process_started = "process {process} on {host} (started {started})",
  folder_is_use = "The folder {folder} is in use.",
  is_locked = "It is locked by {owner}.",
  wait_until_has_finished =
    "Wait until it has finished. If it no longer runs, remove the folder {lock_name}.",
  in_group = " in group {group}",
  in_group_opening = "in group {group}: ",
  in_groups = "{value} in {sizes} groups ({sizes_2})",
  of_rows = " of {rows} rows",
  in_group_sentence = "In group {group}:",
  of = "{dropped} {dropped_2} of {total}",
  dropped_rows_missing_values =
    "Listwise deletion: {dropped} with missing values in variables of the model.",
  same_every_group_each = "the same in every group ({group_names}), each with its own values:",
  no_groups_nothing_is = "no groups, so that nothing is constrained to be equal",
  fit_has_no_groups = "This fit has no groups.",
  fit_column = "Fit with by = \"column\".",
  there_is_no_group = "There is no group {asked}.",
  blueprint_leaves_something_out =
    "The blueprint leaves something out in group {strange}, but there are no groups.",
  name_grouping_column_column = "Name the grouping column with by = \"column\".",
  something_is_left_out =
    "Something is left out in group {strange}, which is not among the groups.",
  there_are_no_groups = "This fit has no groups, but {value} names one.",
  give_grouping_column_when = "Give the grouping column with by = when fitting.",
  there_is_no_such = "There is no such group: {value}",
  value_cannot_be_kept = "This value cannot be kept as plain data.",
  value_class_cannot_be = "A value of class {refused} cannot be kept as plain data.",
  part_is_no_known = "a part has an unknown type",
  whole_number_is_too = "a whole number is too large",
  attribute_has_no_name = "an attribute has no name",
  value_is_no_known = "a value has an unknown class",
  factor_has_no_level = "a factor has a value without a level",
  columns_table_differ_length = "the columns of a table differ in length",
  attributes_value_do_not = "the attributes of a value do not fit it",
  is_not_plain_data = "This is not plain data written by orizzonte: {why}.",
  is_nested_too_deeply = "it is nested too deeply",
  there_is_no_file = "There is no file {file}.",
  there_is_no_folder = "There is no folder {folder} either.",
  is_folder_not_file = "{file} is a folder, not a file.",
  is_no_regular_file = "{file} is not a regular file (a device or a pipe).",
  you_may_not_read = "You do not have permission to read {file}.",
  is_empty = "{file} is empty.",
  cannot_read_file = "Cannot read {file}.",
  is_utf_16_which = " is UTF-16, which is not read.",
  is_not_text_file = " is not a text file.",
  save_plain_text_utf = "Save it as plain text in UTF-8 (data as CSV).",
  there_is_no_encoding = "There is no encoding {encoding}.",
  such_latin1_or_windows = "Examples: \"latin1\" or \"windows-1252\"; iconvlist() lists all.",
  is_not = "{file} is not {encoding}.",
  line_byte_is_not = "{file}, line {bad}: a byte is not valid UTF-8.",
  save_file_as_utf8 = paste0(
    "Save the file as UTF-8, or give its encoding: encoding = \"latin1\" (on the command line ",
    "--encoding latin1)."),
  space_alnum_password_passwd = "(^|[[:space:];&?])[[:alnum:]_]*(password|passwd|pwd)[[:space:]]*=",
  lacks_what_was_computed = "its computed parts are missing",
  parts_were_changed_after =
    "its parts were changed after it was fitted, or do not belong together",
  wider_window_also = "(in a wider window also: {spared})",
  name_file_write = "The name of the file to write",
  no_such_folder = "There is no folder {folder}.",
  create_first_or_choose = "Create it first, or choose another.",
  is_no_regular_file_device =
    "{file} is not a regular file (a device or a pipe), so that nothing is written to it.",
  choose_name_file = "Choose the name of a file.",
  folder_is_not_writable = "Its folder is not writable.",
  not_all_could_be = "The file could not be written completely.",
  what_was_there_before = paste0(
    "The previous file is unchanged. Check that the folder is writable and that there is room ",
    "on the disk."),
  cannot_make = "Cannot make {file}.",
  is_disk_full_or = "Check that the disk is not full and that {tempdir} is writable.",
  is_input_is_not = "{file} is an input and is not overwritten.",
  choose_another_name_result = "Choose another name for the result.",
  is_larger_than_megabytes = "{file} is larger than {e6} megabytes.",
  is_not_readable_yaml = "{file} is not readable YAML.",
  if_is_meant_text = "If this is meant as text, put it in quotes.",
  anchors_aliases_are_not = "anchors and aliases are not supported.",
  tags_are_not_supported = "tags are not supported.",
  complex_keys_are_not = "complex keys (?) are not supported.",
  directives_are_not_supported = "directives are not supported.",
  second_document_begins = "a second document begins.",
  keep_one_document_file = "Keep one document in a file.",
  text_must_not_follow = "text must not follow | or > in the same line.",
  file_is_nested_more = "the file is nested more than {deepest_yaml} levels deep.",
  file_has_more_than = "the file has more than {most_yaml_entries} entries.",
  line = "{file}, line {found}: {what}")

add_texts(
  unnamed_too_much = "in this place (there is an unnamed argument too many)")

# Headings, captions and axes
add_texts(
  head_criteria = "Criteria",
  it_is_not_a_text = "it is not a text",
  it_is_not_json = "it is not JSON",
  value_is_not_number = "a value is not a number",
  a_value_is_neither_true = "a value is neither TRUE nor FALSE",
  value_is_not_text = "a value is not a text",
  a_part_has_no_values = "a part has no values")

add_texts(
  stale_lock = "The lock of {folder} was left by {owner}, which no longer runs. It is taken over.")

add_texts(
  kind_empty_text = "an empty text",
  address_of_database = "(an address of a database)")

# How results are shown: as a caller in R sees them, unless the command line asks for something else
# before it runs a command.

display <- new.env(parent = emptyenv())
display$command <- NULL  # a function of the words of a command that says it whole; NULL in R
display$quiet <- FALSE   # no progress
display$guarded <- TRUE  # CSV without texts that a spreadsheet would run
