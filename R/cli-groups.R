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
