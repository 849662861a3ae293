# The commands that lead from misfit to a justified model: diagnose, amend, compare.

command_diagnose <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  stability <- c("influence", "robustness")
  table <- asked_table(given, c("amendments", "residuals", "without", stability), format,
                       stability)
  top <- parse_count(given$top, "--top")
  fit <- fit_from_files(given)
  if (!has_converged(fit)) {
    print(fit)
    return(1L)
  }
  criteria <- given_criteria(given)
  if (isTRUE(table %in% stability))
    return(show_stability(given, fit, table, format, criteria))
  found <- amendments(fit, top = top, min_drop = parse_count(given$min_drop, "--min-drop"),
                      kinds = split_words(given$kinds), all = isTRUE(given$all),
                      criteria = criteria)
  gone <- without(fit, criteria = criteria)
  residual <- stats::residuals(fit, in_units = "correlation", largest = if (format == "text")
                               10 else Inf)
  tables <- list(amendments = found, residuals = residual, without = gone)
  to_output(given$out, given$quiet, function() {
    switch(format,
      text = {
        if (is.null(table)) put_lines(fit_card(fit, criteria), "")
        print_parts(if (is.null(table)) list(residual, gone, found) else tables[table])
      },
      json = cat(diagnosis_json(fit, found, residual, gone, criteria), "\n", sep = ""),
      csv = write_table(tables[[table %||% "amendments"]]))
  })
  exit_code(fit)
}

# Commands on the influence of single cases and of single choices.
show_stability <- function(given, fit, table, format, criteria) {
  found <- if (table == "influence") stats::influence(fit) else
    robustness(fit, criteria = criteria)
  to_output(given$out, given$quiet, function() {
    switch(format, text = print(found),
           json = cat(to_json(stats::setNames(
             list(fit$version, "diagnose", fit$request$blueprint$title, sample_header(fit$sample),
                  json_rows(found)),
             c("orizzonte", "command", "title", "sample", table))), "\n", sep = ""),
           csv = write_table(found))
  })
  exit_code(fit)
}

diagnosis_json <- function(fit, found, residual, gone, criteria) {
  improper <- improper_parts(fit)
  content <- list(
    orizzonte = fit$version, command = "diagnose", title = fit$request$blueprint$title,
    status = solution_state(fit)$status, trouble = I(improper$trouble),
    sample = sample_header(fit$sample), inference = inference_fields(fit),
    n = sample_n(fit$sample), df = stats::df.residual(fit), chisq = test_of(fit)$chisq,
    reading = attr(fit_indices(fit, criteria), "reading"),
    tested = attr(found, "tested"), nothing_to_amend = attr(found, "nothing"),
    amendments = json_rows(found), not_offered = attr(found, "not_offered"),
    separate_construct = lapply(attr(found, "shared"), I),
    structures = if (!is.null(attr(found, "structures"))) json_rows(attr(found, "structures")),
    movements = if (!is.null(attr(found, "movements"))) json_rows(attr(found, "movements")),
    p_structures = attr(attr(found, "structures"), "p_joint"),
    residuals = json_rows(residual), srmr_parts = attr(residual, "parts"),
    without = json_rows(gone), weak_loadings = attr(gone, "weak"))
  to_json(content)
}

command_amend <- function(given) {
  if (is.null(given$out))
    abort("usage", c(text_of("orizzonte_amend_needs_out"),
                     i = text_of("example_out")))
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  if (!tolower(tools::file_ext(given$out)) %in% c("yaml", "yml"))
    abort("usage", c(text_of("next_blueprint_is_yaml"), i = text_of("example_out")))
  addresses <- function(text) {
    if (!is.null(text))
    vapply(split_words(text), canonical_text, "", USE.NAMES = FALSE)
  }
  change <- list(free = addresses(given$free), fix = addresses(given$fix),
                 omit = split_words(given$omit), split = given$split, into = given$into)
  if (sum(lengths(change)) == 0L)
    abort("usage",
          c(text_of("orizzonte_amend_needs_change"),
            i = text_of("one_free_fix_omit")))
  fit <- fit_from_files(given)
  check_converged(fit, "amend")
  amended <- amend_fit(fit, change$free, change$fix, change$omit, given$because, given$split,
                       parse_halves(given$into, "--into"))
  write_blueprint(amended$request$blueprint, given$out)
  surface$given$files[1L] <- given$out
  steps <- trail(amended)
  switch(format, text = print(steps), csv = write_table(steps),
         json =
         cat(to_json(list(orizzonte = amended$version, command = "amend",
                          title = amended$request$blueprint$title,
                          status = solution_state(amended)$status,
                          sample = sample_header(amended$sample),
                          inference = inference_fields(amended), trail = json_rows(steps))),
                          "\n", sep = ""))
  if (!given$quiet) close_with(text_of("next_blueprint_written", file = given$out), "\n")
  exit_code(amended)
}

command_compare <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  table <- asked_table(given, c("comparison", "estimates"), format)
  count <- length(given$files)
  blueprints <- lapply(given$files[-count], read_blueprint)
  labels <- make.unique(tools::file_path_sans_ext(basename(given$files[-count])), sep = " ")
  file <- given$files[count]
  read <- if (!is_database_address(file)) read_data_file(file, given$encoding,
                                                            text = text_columns(given))
  fits <- lapply(blueprints, function(bp) {
    called_with(fit_model, given, list(bp, read %||% given_data(given, file, bp)))
  })
  if (isTRUE(given$same_rows)) fits <- fits_of_same_rows(fits)
  found <- compare_fits(fits, labels, given$against, "compare", given_criteria(given),
                        isTRUE(given$reference))
  beside <- do.call(side_by_side, stats::setNames(fits, labels))
  tables <- list(comparison = found, estimates = beside)
  to_output(given$out, given$quiet, function() {
    switch(format,
      text = print_parts(tables[table %||% names(tables)]),
      json =
      cat(to_json(list(orizzonte = package_version_text(), command = "compare",
                       against = given$against, samples = lapply(fits, function(fit) {
                         list(sample = sample_header(fit$sample),
                              inference = inference_fields(fit))
                       }), models = json_rows(found),
                       notes = I(as.character(attr(found, "notes"))),
                       estimates = json_rows(beside))), "\n", sep = ""),
      csv = write_table(tables[[table %||% "comparison"]]))
  })
  max(vapply(fits, exit_code, 0L))
}

command_confirm <- function(given) {
  format <- choose_one(given$format, c("text", "json"), "--format")
  fit <- fit_from_files(given)
  found <- confirm(fit, given_data(given, given$files[3L], fit$request$blueprint))
  to_output(given$out, given$quiet, function() {
    if (format == "text") return(print(found))
    cat(to_json(list(orizzonte = fit$version, command = "confirm", title = found$title,
                     sample = sample_header(fit$sample),
                     sample_fresh = sample_header(found$fits$end$sample),
                     inference = inference_fields(fit),
                     indices = json_rows(found$indices), difference = json_rows(found$difference),
                     parameters = json_rows(found$parameters))), "\n", sep = "")
  })
  exit_code(fit)
}

command_rescue <- function(given) {
  format <- choose_one(given$format, c("text", "json"), "--format")
  bp <- read_blueprint(given$files[1L])
  found <- called_with(rescue, given, list(bp, given_data(given, given$files[2L], bp)))
  to_output(given$out, given$quiet, function() {
    if (format == "text") return(print(found))
    cat(to_json(list(orizzonte = package_version_text(), command = "rescue", title = found$title,
                     sample = rescued_sample(found),
                     attempts = json_rows(found$attempts), findings = I(found$findings),
                     worked = I(as.character(found$worked)))), "\n", sep = "")
  })
  if (length(found$worked)) 0L else 1L
}

# --- groups and constructs -----------------------------------------------------------------------

# The ladder on the command line.

command_invariance <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  table <- asked_table(given, c("ladder", "means", "noninvariance", "contributions"), format)
  ladder <- ladder_from_files(given)
  loosened <- loosen_rungs(ladder, given$loosen)
  final <- last_ladder(ladder, loosened)
  scalar <- comparable_rung(final)
  means <- if (!is.null(scalar)) latent_means(final, scalar)
  noninvariant <- if (!is.null(scalar)) noninvariance(final, scalar)
  steps <- unlist(lapply(loosened, function(x) list(x, x$ladder)), recursive = FALSE)
  to_output(given$out, given$quiet, function() {
    switch(format,
      text = print_parts(if (is.null(table)) c(list(ladder), steps, list(means, noninvariant)) else
        list(if (table == "ladder") final else ladder_table(table, final, means, noninvariant))),
      json = cat(ladder_json(final, loosened, means, noninvariant), "\n", sep = ""),
      csv = write_table(ladder_table(table %||% "ladder", final, means, noninvariant)))
  })
  if (all(vapply(final$fits, has_converged, NA))) 0L else 1L
}

ladder_json <- function(ladder, loosened, means, noninvariant) {
  content <- list(
    orizzonte = package_version_text(), command = "invariance", title = ladder$title,
    sample = sample_header(ladder$fits[[1L]]$sample),
    inference = inference_fields(ladder$fits[[1L]]),
    groups = ladder$fits[[1L]]$layout$groups, reading = I(ladder$reading),
    rungs = ladder$table, contributions = json_rows(contribution_rows(ladder)),
    limits = lapply(ladder$limits, as.list), released = released_rows(loosened),
    holds = if (length(loosened)) loosened[[length(loosened)]]$holds, details = ladder$details,
    caveat = attr(means, "caveat") %||% attr(noninvariant, "caveat"),
    latent_means = if (!is.null(means)) json_rows(means),
    noninvariance = if (!is.null(noninvariant)) json_rows(noninvariant))
  to_json(content)
}

# Releases of all rungs that were loosened.
released_rows <- function(loosened) {
  do.call(rbind, lapply(loosened, function(x) {
    list_frame(c(list(rung = rep(x$rung, nrow(x$released))), as.list(x$released)))
  }))
}

contribution_rows <- function(ladder) {
  shares <- ladder$contributions
  list_frame(c(list(group = rownames(shares), n = group_cases(ladder)),
               stats::setNames(lapply(seq_len(ncol(shares)), function(k) unname(shares[, k])),
                               colnames(shares))))
}

ladder_table <- function(table, ladder, means, noninvariant) {
  if (table %in% c("means", "noninvariance") && is.null(means)) {
    abort("usage", c(text_of("table_needs_scalar_rung", table = table),
                     i = text_of("add_scalar_rungs")))
  }
  switch(table, ladder = ladder$table, means = means, noninvariance = noninvariant,
         contributions = contribution_rows(ladder))
}

# The command that judges the measures.

command_quality <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  table <- asked_table(given, quality_tables, format, c("split", "scores"))
  leave_out <- choose_one(given$leave_out, c("short", "all", "none"), "--leave-out")
  form <- choose_one(given$htmt, htmt_forms, "--htmt")
  fit <- fit_from_files(given)
  if (!has_converged(fit)) {
    print(fit)
    return(1L)
  }
  split <- isTRUE(table %in% c("split", "scores"))
  if (!split && !is.null(given$general))
    abort("usage", c(text_of("general_needs_table_split"), i = text_of("such_table_split_general")))
  found <- if (split) variance_split(fit, general = given$general) else
    construct_quality(fit, criteria = given_criteria(given), leave_out = leave_out, htmt = form)
  to_output(given$out, given$quiet, function() {
    switch(format,
           text = if (is.null(table) || table %in% c("quality", "split")) print(found) else
             print_alone(quality_table(found, table)),
           json = cat((if (split) split_json else quality_json)(fit, found), "\n", sep = ""),
           csv = write_table(quality_table(found, table %||% "quality")))
  })
  exit_code(fit)
}

quality_table <- function(x, table) {
  found <- switch(table, quality = as.data.frame(x), pairs = x$pairs, loadings = x$loadings,
                  items = x$left_out, split = as.data.frame(x), scores = x$scales)
  if (is.null(found))
    abort("usage", c(text_of("there_is_nothing_table", table = table),
                     i = if (table == "items") text_of("try_leave_out_all"),
                     i = text_of("see_format_text")))
  found
}

measure_header <- function(fit, command) {
  list(orizzonte = fit$version, command = command, title = fit$request$blueprint$title,
       status = solution_state(fit)$status, sample = sample_header(fit$sample),
       inference = inference_fields(fit))
}

quality_json <- function(fit, x) {
  rows <- function(table) if (is.null(table)) list() else json_rows(table)
  to_json(c(measure_header(fit, "quality"), list(
    level = x$asked$level, htmt = x$asked$form, constructs = rows(x$table), pairs = rows(x$pairs),
    loadings = rows(x$loadings), tau_equivalent = rows(x$tau_equivalent),
    crossing = rows(x$crossing),
    without_item = rows(x$left_out), look_at = I(quality_sentences(x) %||% character()),
    not_judged = as.list(x$left))))
}

split_json <- function(fit, x) {
  to_json(c(measure_header(fit, "quality"), list(
    general = x$general, second_order = x$second_order, level = x$level,
    items = json_rows(as.data.frame(x)), scales = json_rows(x$scales),
    uncontaminated = json_rows(x$contamination),
    schmid_leiman = if (is.null(x$schmid_leiman)) list() else json_rows(x$schmid_leiman),
    reading = I(x$reading))))
}

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

# A result of a fit that has converged as text, JSON (its table as `rows`, beside the fields of
# `more`) or CSV, with its figure where one is asked for.
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

# --- many fits -----------------------------------------------------------------------------------

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
