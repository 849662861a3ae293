# The commands that fit many times: bootstrap, cutoffs, plan.

# Uses the requested workers, and restores the user's own plan afterwards.
with_workers <- function(given, code) {
  workers <- given$workers
  if (is.null(workers)) return(code)
  count <- parse_count(workers, "--workers")
  if (count < 1 || count != round(count) || count > 1000)
    abort("usage", text_of("workers_must_be_whole"))
  if (!requireNamespace("future", quietly = TRUE)) {
    say(text_of("package_future_is_not"))
    return(code)
  }
  before <- future::plan("multisession", workers = count)
  on.exit(future::plan(before))
  code
}

parse_whole <- function(text, option) {
  value <- parse_count(text, option)
  if (value != round(value)) abort("usage", text_of("must_be_whole_number", what = option))
  value
}

given_seed <- function(given) if (!is.null(given$seed)) parse_whole(given$seed, "--seed")

# 'loading[Calm, ]=.7; effect[Calm, Staying]=.3' as numbers by address.
parse_values <- function(text, option) {
  parts <- split_words(text)
  parts <- parts[nzchar(parts)]
  name <- trimws(sub("=[^=]*$", "", parts))
  value <- suppressWarnings(as.numeric(sub("^.*=", "", parts)))
  bad <- which(!grepl("=", parts, fixed = TRUE) | is.na(value))
  if (length(parts) == 0L || length(bad))
    abort("usage", c(text_of("must_be_numbers_name", option = option,
                             bad = if (length(bad)) text_of("not", bad = quoted(parts[bad[1L]]))),
                     i = text_of("example_truth", option = option)))
  stats::setNames(value, name)
}

# '.1', or 'sc1=.2; sc2=.1'.
parse_by_variable <- function(text, option) {
  if (is.null(text)) return(NULL)
  if (grepl("=", text, fixed = TRUE)) return(parse_values(text, option))
  value <- suppressWarnings(as.numeric(text))
  if (is.na(value)) abort("usage", text_of("must_be_one_number_or", option = option))
  value
}

command_bootstrap <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  what <- split_words(given$what)
  for (name in what) choose_one(name, bootstrap_readers, "--what")
  reps <- parse_whole(given$reps, "--reps")
  fit <- fit_from_files(given)
  if (!has_converged(fit)) {
    print(fit)
    return(1L)
  }
  readers <- list(estimates = estimates, effects = stats::effects, r_squared = r_squared,
                  fit_indices = fit_indices, construct_quality = construct_quality,
                  verdicts = verdicts)[what]
  boot <- with_workers(given, bootstrap_fit(fit, reps, readers, seed = given_seed(given),
                                            draw = given$draw, interval = given$interval,
                                            folder = given$resume))
  test <- if (isTRUE(given$test))
    with_workers(given, bootstrap_test(fit, reps = reps, seed = boot$asked$seed,
                                       folder = given$resume))
  to_output(given$out, given$quiet, function() {
    switch(format,
      text = {
        print(boot)
        if (!is.null(test)) {
          put_lines("")
          print(test)
        }
      },
      json = cat(bootstrap_json(boot, test), "\n", sep = ""),
      csv = write_table(as.data.frame(boot)))
  })
  0L
}

bootstrap_json <- function(boot, test) {
  to_json(c(list(orizzonte = package_version_text(), command = "bootstrap",
                 title = boot$fit$request$blueprint$title, sample = sample_header(boot$fit$sample)),
            boot$asked,
            list(not_converged = sum(boot$status != 0L),
                 improper_replicates = sum(boot$improper & boot$status == 0L),
                 numbers = json_rows(as.data.frame(boot)),
                 test = if (!is.null(test)) json_rows(test))))
}

command_cutoffs <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  misspecified <- if (!is.null(given$misspecified))
    parse_values(given$misspecified, "--misspecified")
  reps <- parse_whole(given$reps, "--reps")
  x <- if (is.null(given$by)) fit_from_files(given) else ladder_from_files(given)
  found <- with_workers(given, model_cutoffs(x, reps, misspecified, seed = given_seed(given),
                                             draw = given$draw,
                                             criteria = given_criteria(given),
                                             folder = given$resume))
  to_output(given$out, given$quiet, function() {
    switch(format, text = print(found),
           json = cat(to_json(list(orizzonte = package_version_text(), command = "cutoffs",
                                   title = found$title, reps = found$run$reps,
                                   seed = found$run$seed, draw = found$run$draw,
                                   cutoffs = json_rows(as.data.frame(found)))), "\n", sep = ""),
           csv = write_table(as.data.frame(found)))
  })
  save_extra_figure(given, found)
  0L
}

# A figure beside the table.
save_extra_figure <- function(given, x) {
  if (is.null(given$figure)) return(invisible())
  written <- save_figure(plot(x), given$figure)
  if (!given$quiet) close_with(text_of("figure_written", files = enumerate(written)), "\n")
}

command_plan <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  bp <- read_blueprint(given$files[1L])
  if (is.null(given$n) || is.null(given$truth))
    abort("usage", c(text_of("orizzonte_plan_needs_n"),
                     i = text_of("example_plan_command")))
  n <- suppressWarnings(as.numeric(split_words(given$n)))
  if (anyNA(n)) abort("usage",
                      c(text_of("n_option_must_be_numbers"), i = text_of("example_n_option")))
  truth <- parse_values(given$truth, "--truth")
  if (!is.null(given$power)) return(plan_by_formula(given, format, bp, n, truth))
  found <- with_workers(given, plan_study(
    bp, n, truth, given$truth_units, parse_whole(given$reps, "--reps"), given_seed(given),
    missing = parse_by_variable(given$missing, "--missing") %||% "none",
    missing_given = given$missing_given, skew = parse_by_variable(given$skew, "--skew"),
    kurtosis = parse_by_variable(given$kurtosis, "--kurtosis"),
    inference = given$inference %||% "normal", folder = given$resume))
  to_output(given$out, given$quiet, function() {
    switch(format, text = print(found),
           json = cat(to_json(list(orizzonte = package_version_text(), command = "plan",
                                   title = found$title, reps = found$reps, seed = found$seed,
                                   sizes = json_rows(found$sizes),
                                   parameters = json_rows(found$parameters))), "\n", sep = ""),
           csv = write_table(as.data.frame(found)))
  })
  save_extra_figure(given, found)
  0L
}

plan_by_formula <- function(given, format, bp, n, truth) {
  found <- power_of(bp, split_words(given$power), n = n, truth = truth,
                    truth_units = given$truth_units)
  to_output(given$out, given$quiet, function() {
    switch(format, text = print(found),
           json = cat(to_json(list(orizzonte = package_version_text(), command = "plan",
                                   title = bp$title, power = json_rows(found),
                                   n_for_goal = attr(found, "n_for_goal"),
                                   goal = attr(found, "goal"))), "\n", sep = ""),
           csv = write_table(found))
  })
  0L
}
