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
