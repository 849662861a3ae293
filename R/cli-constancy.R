# Commands on invariance beyond a few groups, and on structural questions.

command_constancy <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  if (is.null(given$along))
    abort("usage", c(text_of("constancy_needs_along"), i = text_of("constancy_along_example")))
  within <- if (!is.null(given$within)) parse_whole(given$within, "--within")
  reps <- parse_whole(given$reps, "--reps")
  file <- given$files[2L]
  if (is_database_address(file)) abort("usage", text_of("constancy_needs_cases"))
  data <- read_data_file(file, given$encoding, text = text_columns(given))
  fit <- called_with(fit_model, given, list(read_blueprint(given$files[1L]), data))
  if (!has_converged(fit)) {
    print(fit)
    return(1L)
  }
  found <- constancy(fit, given$along, split_words(given$what), data = data, within = within,
                     reps = reps, criteria = given_criteria(given))
  if (!is.null(given$figure)) save_figure(plot(found), given$figure)
  show_result(given, found, format, "constancy", fit, list(
    along = attr(found, "along"), reading = I(constancy_reading(found)),
    constructs = if (!is.null(attr(found, "constructs"))) json_rows(attr(found, "constructs")),
    curves = if (!is.null(attr(found, "curves"))) json_rows(attr(found, "curves"))))
}

command_approximate <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  if (is.null(given$by)) abort("usage", c(text_of("approximate_needs_by"),
                                          i = text_of("approximate_by_example")))
  fit <- fit_from_files(given)
  if (!has_converged(fit)) {
    print(fit)
    return(1L)
  }
  found <- approximate_means(fit, reference = given$reference)
  if (!is.null(given$figure)) save_figure(plot(found), given$figure)
  show_result(given, found, format, "approximate", fit, list(
    reference = found$reference, reading = I(approximate_reading(found)),
    recovery = json_rows(found$recovery), noninvariant = json_rows(found$noninvariant),
    r_squared = json_rows(found$r_squared), sets = found$sets, left_out = I(found$left_out)))
}

command_equivalent <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  fit <- fit_from_files(given)
  if (!has_converged(fit)) {
    print(fit)
    return(1L)
  }
  found <- equivalent_models(fit, before = split_words(given$before))
  show_result(given, found, format, "equivalent", fit,
              list(tried = attr(found, "tried"), reading = I(equivalent_reading(found))))
}

command_mediation <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  if (is.null(given$from) || is.null(given$to))
    abort("usage", c(text_of("mediation_needs_both"), i = text_of("mediation_both_example")))
  reps <- parse_whole(given$reps, "--reps")
  fit <- fit_from_files(given)
  if (!has_converged(fit)) {
    print(fit)
    return(1L)
  }
  boot <- if (reps > 0) with_workers(given, bootstrap_fit(
    fit, reps, list(effects = stats::effects), seed = given_seed(given),
    interval = given$interval))
  found <- mediation(fit, given$from, given$to, bootstrap = boot)
  show_result(given, found, format, "mediation", fit,
              list(from = given$from, to = given$to, reading = I(mediation_reading(found)),
                   bootstrap = boot$asked))
}

# A result as text, JSON (its table as `rows`, beside `more`) or CSV.
show_result <- function(given, found, format, command, fit, more) {
  table <- as.data.frame(found)
  to_output(given$out, given$quiet, function() {
    switch(format, text = print(found),
           json = cat(to_json(c(measure_header(fit, command), more,
                                list(rows = json_rows(table)))), "\n", sep = ""),
           csv = write_table(table))
  })
  exit_code(fit)
}
