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
  show_result(given, format, "constancy", fit, function() {
    constancy(fit, given$along, split_words(given$what), data = data, within = within, reps = reps,
              criteria = given_criteria(given))
  }, function(found) {
    rows <- function(name) if (!is.null(attr(found, name))) json_rows(attr(found, name))
    list(along = attr(found, "along"), reading = I(constancy_reading(found)),
         constructs = rows("constructs"), curves = rows("curves"))
  })
}

command_approximate <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  if (is.null(given$by)) abort("usage", c(text_of("approximate_needs_by"),
                                          i = text_of("approximate_by_example")))
  fit <- fit_from_files(given)
  show_result(given, format, "approximate", fit, function() {
    approximate_means(fit, reference = given$reference)
  }, function(found) {
    c(list(reference = found$reference, reading = I(approximate_reading(found))),
      lapply(unclass(found)[c("recovery", "noninvariant", "r_squared")], json_rows),
      list(sets = found$sets, left_out = I(found$left_out)))
  })
}

command_equivalent <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  fit <- fit_from_files(given)
  show_result(given, format, "equivalent", fit, function() {
    equivalent_models(fit, before = split_words(given$before))
  }, function(found) {
    list(tried = attr(found, "tried"), reading = I(equivalent_reading(found)))
  })
}

command_mediation <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  if (is.null(given$from) || is.null(given$to))
    abort("usage", c(text_of("mediation_needs_both"), i = text_of("mediation_both_example")))
  reps <- parse_whole(given$reps, "--reps")
  fit <- fit_from_files(given)
  boot <- NULL
  show_result(given, format, "mediation", fit, function() {
    if (reps > 0) boot <<- with_workers(given, bootstrap_fit(
      fit, reps, list(effects = stats::effects), seed = given_seed(given),
      interval = given$interval))
    mediation(fit, given$from, given$to, bootstrap = boot)
  }, function(found) {
    list(from = given$from, to = given$to, reading = I(mediation_reading(found)),
         bootstrap = boot$asked)
  })
}

# A result of a fit that has converged as text, JSON (its table as `rows`, beside what `more` gives)
# or CSV, with its figure where one is asked for.
show_result <- function(given, format, command, fit, result, more) {
  if (!has_converged(fit)) {
    print(fit)
    return(1L)
  }
  found <- result()
  if (!is.null(given$figure)) save_figure(plot(found), given$figure)
  table <- as.data.frame(found)
  to_output(given$out, given$quiet, function() {
    switch(format, text = print(found),
           json = cat(to_json(c(measure_header(fit, command), more(found),
                                list(rows = json_rows(table)))), "\n", sep = ""),
           csv = write_table(table))
  })
  exit_code(fit)
}
