# Texts and instructions on blueprints.

add_instructions(
  run_study_file = instruct("Run it: run_study(file).", text = "Run it: orizzonte run {file}"),
  restrict_where = instruct("with restrict()", text = "under `restrict:` in the blueprint"))

add_texts(
  is_not_complete_address = "This is not a complete address.",
  write_text_parse_address = "Write it as text: parse_address(\"loading[Belonging, be3]\").",
  not_address = "This is not an address: {address}.",
  address_is_kind_names = paste0(
    "An address is a kind with names in square brackets, such as loading[Belonging, be3]. ",
    "Kinds: {address_kinds}."),
  unknown_kind = "Unknown kind `{kind}` in {value}.",
  kinds_are = "Kinds are {address_kinds}.",
  has_takes = "{value} has {slots}; `{kind}` takes {arity}.",
  example_belonging_be3_belonging =
    "Example: {kind}[Belonging, be3]; {kind_2}[Belonging, ] stands for all of them.",
  example_calm = "Example: {kind}[Calm].",
  loading_construct_comes_first = "In a loading the construct comes first, then the item.",
  weight_item_comes_first = "In a weight the item comes first, then the composite.",
  cause_comes_first_then = "The cause comes first, then the outcome.",
  did_you_mean_reversed = "Did you mean {opposite}? {weight}",
  model_has_already_cause = "The model already has {there}: the cause comes first.",
  cannot_read = "Cannot read `{expression}` in {value}.",
  inside_brackets_go_names = "Brackets contain names, ranges such as w1:w4, or c(a, b).",
  expression_is_nested_more = "An expression is nested more than {deepest_expression} levels deep.",
  restrictions_claims_formulas_so =
    "Restrictions, hypotheses and formulas with so many terms are not supported.",
  statement_is_longer_than =
    "A statement is longer than {longest_expression} characters: {substr}.",
  claim_needs_name_statement = "claim() needs a name and a statement.",
  such_claim_h1_effect = "Example: claim(H1 = effect[a, b] > 0).",
  claim_has_no_name = "The claim {statement} has no name.",
  write_claim_h1_statement = "Write claim(H1 = statement).",
  not_claim = "This is not a hypothesis: {value}.",
  claim_is_declared_twice = "The claim {name} is declared twice.",
  use_direction = "Use {relation}, which states a direction.",
  write_one_such_effect =
    "Write one with {claim_relations}, such as effect[Belonging, Staying] > 0.",
  no_address = "There is no address in {value}.",
  such_effect_belonging_staying = "Example: effect[Belonging, Staying] > 0.",
  items_go_into_one = "Combine items with c(), as in reflected_in = c(be1, be2, be3).",
  construct_cannot_be_both = "Construct {name} cannot be both reflected in and composed of items.",
  choose_one_do_items = paste0(
    "Choose one: either the items share a cause (reflected_in), or they form the construct ",
    "(composed_of)."),
  construct = "construct {name}",
  items_construct_must_be = "The items of construct {name} must be given together.",
  write_construct_reflected_c = "Write construct({name}, reflected_in = c({items})).",
  blueprint_holds_most_constructs =
    "A blueprint can have at most {most_constructs} constructs; {name} is one too many.",
  construct_has_items_most =
    "Construct {name} has {items} items; at most {most_items} are allowed.",
  construct_is_declared_twice = "Construct {name} is declared twice.",
  give_second_one_another =
    "Give the second construct a different name, or put all items into one construct().",
  construct_is_measured_nothing = "Construct {name} has no indicators.",
  name_items_construct_reflected =
    "Name its items: construct({name}, reflected_in = c(item1, item2, item3)).",
  construct_cannot_be_own = "Construct {name} cannot be its own item.",
  give_construct_name_no = "Give the construct a name that is not the name of an item.",
  item_is_named_twice = "Item {items} is named twice in construct {name}.",
  same_relation_is_declared = paste0(
    "The same relation is declared twice: {in_effect} -> {in_effect_2} is already an effect, ",
    "and now a {kind}"),
  does_not_know = "{verb}() does not know `{named}`.",
  see_arguments_names_are = "See ?{verb} for its arguments; names are given without =.",
  is_named_twice = "{duplicated} is named twice in {verb}().",
  needs_least_two_names = "{verb}() needs at least two names.",
  such_be1_be2 = "Example: {verb}(be1, be2).",
  names_most_are_paired = "{verb}() of {value} names: at most {most_paired} are paired at once.",
  same_relation_is_declared_twice = "The same relation is declared twice: {twice} in {verb}().",
  effect_needs_formula = "effect() needs a formula.",
  such_effect_staying_belonging = "Example: effect(Staying ~ Belonging + Calm).",
  not_effect = "Not an effect: {value}.",
  write_outcome_predictors_such = "Write outcome ~ predictors, such as Staying ~ Belonging + Calm.",
  cannot_have_effect_itself = "{to} cannot have an effect on itself.",
  look_at = "Check: {value}",
  effect_is_declared_twice = "The effect of {from} on {to} is declared twice.",
  same_relation_is_declared_twice_is = paste0(
    "The same relation is declared twice: {from} -> {to} is already a weight, and now an ",
    "effect."),
  same_relation_is_declared_twice_is_already = paste0(
    "The same relation is declared twice: {from} -> {to} is already a loading, and now an ",
    "effect."),
  only_names_can_stand =
    "An effect can contain only names and +; found `{expression}` in {value}.",
  intercepts_are_added_themselves =
    "Intercepts are added automatically. Compute products or powers as columns of the data first.",
  is_not_blueprint_file = "{file} is not a blueprint file.",
  blueprint_file_comes_first =
    "The name is that of a data file. The blueprint file comes first, then the data.",
  holds_keys_such_title = "A blueprint file has keys such as title, constructs and effects.",
  in_of = "In {where} of {file}:",
  has_both_reflected_composed = "{file}: {where} has both reflected_in and composed_of.",
  is_study_not_blueprint = "{file} is a study, not a blueprint.",
  repeated_construct = "repeated construct {name}",
  items_must_be_names = "{file}: the items of {where} must be names, or ~ if there are none.",
  trail_must_be_list = "{file}: trail must be a list of revisions.",
  must_be_number = "{file}: {name} in {where} must be a number.",
  trail_does_not_say = "{file}: the modification history does not contain the original model.",
  first_revision_holds_starting =
    "Its first revision holds the original model under the key `blueprint`.",
  change_must_be_one = "{file}: a change in {where} must be one of {change_words}.",
  key_stands_twice_in_file = "{file}: the key {keys} occurs twice.",
  blueprint_in = " in {where}",
  unknown_key_of_file = "{file}: unknown key {unknown}{where}.",
  keys_are = "Keys are {allowed}.",
  must_hold_key_value = "{file}: {where} must hold `key: value` pairs.",
  must_be_one_piece_text = "{file}: {what} must be a single text.",
  must_be_list_texts = "{file}: {what} must be a list of texts.",
  loadings_must_be_numbers = "{file}: the loadings of {where} must be numbers (or `free`).",
  cannot_read_part = "{file}: cannot read {value}.",
  scale = ", scale: {scale}",
  is_held_equal_across = "{value} is held equal across {across} twice.",
  is_let_differ_twice = "{value} is allowed to differ twice.",
  needs_something_name = "{verb}() needs a kind or an address.",
  such_loading = "Example: {verb}(loading).",
  loading_intercept_variance_items = "loading, intercept, variance[items], covariance[items]",
  hold_what_rung_holds =
    "To hold the equalities of the {value} rung: hold_equal(blueprint, {held}).",
  there_is_nothing_hold = "{value} cannot be held equal, because nothing has that name.",
  kinds_or_single_addresses = "Kinds: {hold_slices}; or single addresses.",
  leave_out_needs_name = "leave_out() needs a name.",
  such_leave_out_cr4 = "Example: leave_out(cr4).",
  one_path_in_all_groups = "{path} must be one path, and is left out in all groups.",
  fix_path_in_group =
    "To leave a path out in one group only, fix it at zero there with restrict().",
  is_not_blueprint = "{unknown} is not in the blueprint.",
  without_nothing_measures = "Without {gone}, {name} has no indicators.",
  leave_out_well = "Leave out {name} also.",
  quantity_needs_name_expression = "quantity() needs a name and an expression.",
  such_quantity_ratio_effect = "Example: quantity(ratio = effect[a, c] / effect[b, c]).",
  quantity_has_no_name = "The quantity {expression} has no name.",
  write_quantity_name_expression = "Write quantity(name = expression).",
  not_expression = "This is not an expression: {value}.",
  quantity_is_declared_twice = "The quantity {name} is declared twice.",
  relax_needs_address = "relax() needs an address.",
  such_relax_mean_slope = "Example: relax(mean[Slope]).",
  is_relaxed_twice = "{address} is relaxed twice.",
  times_of = "`times` of {name}",
  must_be_list_items = "{what} must be a list with the items of each time.",
  such_times_list_before =
    "Example: times = list({name}_before = c(a1, a2), {name_2}_after = c(b1, b2)).",
  stands_two_times_or = "{twice} is given for two times, or is paired with two different items.",
  give_each_item_one = "Give each item one place in `times`.",
  is_declared_twice = "{name} is declared twice.",
  give_what_is_repeated = "Give the repeated construct a name of its own.",
  needs_two_times_or = "{name} needs two or more times, each with a name of its own.",
  there_are_named = "There are {times}, named {labels}.",
  times_have_different_numbers = "The times of {name} have different numbers of items: {sizes}.",
  items_are_paired_position =
    "Items are paired by position: write NA for an item that was not administered.",
  nothing_was_asked = "No item was administered at {empty}.",
  restrict_needs_statement = "restrict() needs a statement.",
  such_restrict_loading_calm = "Example: restrict(loading[Calm, sc4] == 1).",
  not_restriction = "This is not a restriction: {value}.",
  same_restriction_is_declared = "The same restriction is declared twice: {key}.",
  use_bound_two_mean = "Use {relation}=, which has the same meaning at a bound.",
  use_equation = "Use == for an equation.",
  write_address_number_address = paste0(
    "Write address == number, address == address, address >= number, or an equation of ",
    "addresses,"),
  such_loading_calm_sc4 = "such as loading[Calm, sc4] == 1.",
  example_restriction_sentence = "Example: loading[Calm, sc4] == 1.",
  is_read_only_cannot = "`{kind}` is derived and cannot be restricted: {value}.",
  restrict_parameters = "Restrict parameters: {address_kinds}.",
  set_scale_needs_setting = "set_scale() needs a setting.",
  one_of = "It must be one of {scale_settings}.",
  there_is_no_construct = "There is no construct {name}.",
  scale_construct_is_neither =
    "`scale` of construct {name} is neither a setting nor one of its items: {scale}.",
  settings_are_items_are = "Settings are {scale_settings}; its items are {items}.",
  composite_takes_scale_from = "Composite {name} takes its scale from a marker weight.",
  name_item_that_carries_scale = "Name the item with weight 1: scale = {items}.",
  start_needs_address_number = "start_at() needs an address and a number.",
  such_start_loading_calm = "Example: start_at(loading[Calm, sc4], 0.8).",
  starting_value_must_be = "The starting value of {address} must be one number.",
  every_wording_must_be = "Every wording must be a named text.",
  such_wording_be1_people = "Example: wording(be1 = \"People greet me when I arrive\").",
  item_is_worded_twice = "The text of item {labels} is given twice.",
  cannot_be_expanded = "`{from}:{to}` cannot be expanded.",
  range_needs_names_are = paste0(
    "A range needs names that differ in one number only, such as be1:be4. List other names ",
    "with c(a, b)."),
  would_name_variables = "`{from}:{to}` would stand for {ends} variables.",
  label_must_be_one_number = "`{labels} = {part}` in {what} must be one number.",
  number_fixes_loading_item = "A number fixes the loading of that item, as in c(w1 = 0, w2 = 1).",
  names_most_are_allowed = "{value} names in {what}: at most {most_names} are allowed.",
  named_twice_in = "{duplicated} is named twice in {what}.",
  name_each_once = "Name each once.",
  items_by_name = paste0(
    "Items are given by name, as a range of columns such as be1:be4, or as all_of(x) for names ",
    "in a character vector x."),
  blueprint_is_not_updated = "update() changes a fit, not a blueprint.",
  verbs_change_blueprint = paste0(
    "A blueprint is changed by its verbs: construct(), effect(), covary(), restrict(), relax() ",
    "and others; see ?blueprint."),
  cannot_evaluate = "Cannot evaluate `{expression}` in {what}.",
  must_give_names_character = "`{expression}` in {what} must give names (a character vector).",
  it_gives = "It gives {value}.",
  give_column_s_name = "Give the column's name alone: {expression}.",
  is_no_address = "`{name}` in {what} is not an address.",
  text_variable_name_exists =
    "There is a text variable of that name; perhaps you mean all_of({name}).",
  restrictions_take_raw_parameters =
    "Restrictions take raw parameters; standardized() belongs in quantity().",
  means_several_parameters_expression =
    "{address} stands for several parameters; an expression needs one at a time: {whole}.",
  name_each_parameter_such =
    "Name each parameter, such as loading[Calm, sc1] + loading[Calm, sc2].",
  expression_holds_addresses_numbers = paste0(
    "An expression contains addresses and numbers, joined by {expression_operators}, and ",
    "{expression_functions}."),
  parameter_is_named_address = paste0(
    "A parameter is named by its address, such as loading[Belonging, be2], variance[Calm] or ",
    "effect[Belonging, Calm]."),
  write_square_brackets = "Write square brackets: {kind}[{inside}].")

add_texts(
  address_example = paste0(
    "Write an address such as loading[Belonging, be3] or covariance[be1, be2], with backticks ",
    "around unusual names."),
  scale_setting_marker = "one loading of each construct is 1",
  scale_setting_unit = "construct (or disturbance) variances are 1",
  scale_setting_average = "the loadings of each construct average 1")

add_texts(
  overridden = "Overridden by a later {verb}(): {earlier}.",
  left_out_with = "Left out with {gone}: {lost}.",
  no_longer_relaxed = "Overridden by a later restrict(): {parameter} is no longer relaxed.",
  restricted_anew = "Overridden by a later restrict(): {earlier} is now {now}.",
  overridden_of = "Overridden by a later {verb}(): {other}() of {pairs}.",
  claims_left_out_with = "Left out with {gone}: the {qty(count)}claim{?s} {claims}.")

add_texts(
  the_name_of_construct = "The name of a construct")

add_texts(
  arrangement_is_wrong = "{file}: in the arrangement, {what} is not as it should be.",
  arrangement_can_be_left_out = paste0(
    "Without the key `arrangement` diagrams are arranged automatically; arrange_as() makes ",
    "another one."),
  no_longer_differs = "Overridden by a later hold_equal(): {parameter} no longer differs.",
  no_longer_held_equal =
    "Overridden by a later let_differ(): {parameter} is no longer held equal.")
