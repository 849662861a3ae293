# The commands that look at data and fit a model: screen, check, fit.

command_screen <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  file <- given$files[length(given$files)]
  if (is_database_address(file))
    abort("usage", c(text_of("screen_looks_single_cases"),
                     i = text_of("save_some_rows_csv")))
  data <- read_data_file(file, given$encoding, text = text_columns(given))
  if (inherits(data, "orizzonte_summary_data"))
    abort("data", c(text_of("there_is_nothing_screen"), i = text_of("give_raw_data")))
  bp <- if (length(given$files) == 2L) read_blueprint(given$files[1L])
  names <- if (is.null(bp)) names(data) else blueprint_variables(bp)$observed
  check_known(names, names(data), bp)
  if (!is.null(given$by)) check_group_column(given$by, data)
  found <- screen_columns(data, names, bp, given$by, parse_codes(given$missing_codes),
                          given$clusters)
  to_output(given$out, given$quiet, function() {
    switch(format, text = print(found), json = cat(screen_json(found), "\n", sep = ""),
           csv = write_table(found$columns))
  })
  0L
}

screen_json <- function(found) {
  to_json(c(list(orizzonte = package_version_text(), command = "screen"),
            found[c("rows", "complete", "columns", "groups", "patterns")],
            list(missing = missing_fields(found), clusters = found$clusters),
            found[c("normality", "outliers", "advice")]))
}

missing_fields <- function(found) {
  m <- found$missing
  if (is.null(m)) return(NULL)
  pairs <- which(lower.tri(m$coverage), arr.ind = TRUE)
  names <- colnames(m$coverage)
  c(m[c("cells", "rows")],
    list(coverage = list_frame(list(first = names[pairs[, 2L]], second = names[pairs[, 1L]],
                                    share = m$coverage[pairs])),
         by_group = m$by_group, predictors = m$predictors, little = m$test,
         reading = missing_sentence(found)))
}

command_check <- function(given) {
  format <- choose_one(given$format, c("text", "json"), "--format")
  bp <- read_blueprint(given$files[1L])
  data <- if (length(given$files) == 2L) given_data(given, given$files[2L], bp)
  if (is.null(data) && !is.null(given$by))
    abort("usage", c(text_of("by_needs_data"), i = text_of("without_data_model_is")))
  found <- called_with(identification, given, list(bp, data))
  to_output(given$out, given$quiet, function() {
    if (format == "json") return(cat(check_json(found), "\n", sep = ""))
    put_lines(bullet_assumptions(found), "")
    print(found)
  })
  if (found$identified) 0L else 1L
}

check_json <- function(found) {
  lists <- c("kinds", "trading", "notes", "remedies", "assumed", "not_assumed")
  content <- c(list(orizzonte = package_version_text(), command = "check", title = found$title,
                    sample = found$sample, identified = found$identified),
               found[c("moments", "parameters", "df", "rank")], lapply(found[lists], I))
  to_json(content)
}

command_fit <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  table <- asked_table(given, fit_tables, format, separate_tables)
  criteria <- given_criteria(given)
  fit <- fit_from_files(given)
  to_output(given$out, given$quiet, function() {
    switch(format,
           text = if (is.null(table)) print(summary(fit, criteria)) else
             print_alone(switch(table, implied = implied(fit), observed = observed(fit),
                                fit_table(fit, table, criteria))),
           json = cat(if (is.null(table)) fit_json(fit, "fit", criteria) else
             table_json(fit, table), "\n", sep = ""),
           csv = write_table(fit_table(fit, table %||% "estimates", criteria)))
  })
  exit_code(fit)
}

# Tables that the JSON of a fit does not hold, which are written by themselves.
separate_tables <- c("effects", "implied", "observed", "equations", "loadings")

table_json <- function(fit, table) {
  rows <- json_rows(fit_table(fit, table))
  to_json(c(list(orizzonte = fit$version, command = "fit", title = fit$request$blueprint$title),
            stats::setNames(list(rows), table)))
}

fit_table <- function(fit, table, criteria = NULL) {
  switch(table, estimates = estimates(fit), fit_indices = fit_indices(fit, criteria),
         r_squared = r_squared(fit), verdicts = verdicts(fit, criteria), trail = trail(fit),
         effects = stats::effects(fit), implied = moment_rows(implied(fit)),
         observed = moment_rows(observed(fit)),
         residuals = stats::residuals(fit, in_units = "correlation", largest = 20),
         equations = equations(fit), loadings = loading_table(fit))
}

# Factor scores as CSV, alone or beside the columns of the data.
command_scores <- function(given) {
  method <- choose_one(given$method, c("regression", "bartlett"), "--method")
  file <- given$files[2L]
  if (is_database_address(file))
    abort("usage", c(text_of("scores_need_cases"), i = text_of("save_rows_for_scores")))
  data <- read_data_file(file, given$encoding, text = text_columns(given))
  fit <- called_with(fit_model, given, list(read_blueprint(given$files[1L]), data))
  if (!has_converged(fit)) {
    close_with(text_of("scores_need_convergence"), "\n")
    return(1L)
  }
  table <- as.data.frame(augment(fit, data, method = method))
  if (!isTRUE(given$with_data)) {
    new <- setdiff(names(table), names(data))
    table <- cbind(row = seq_len(nrow(table)), stats::setNames(table[new], sub("^[.]", "", new)))
  }
  to_output(given$out, given$quiet, function() write_table(table))
  0L
}

# Moments as one table with one row per variable and group, beginning with the mean (if there are
# means).
moment_rows <- function(moments) {
  groups <- names(moments)
  known <- unique(unlist(lapply(moments, function(m) colnames(m$covariance))))
  rows <- lapply(groups, function(group) {
    m <- moments[[group]]
    variables <- colnames(m$covariance)
    out <- list(group = rep(if (length(groups) > 1L) group else NA_character_, length(variables)),
                variable = variables)
    if (!is.null(m$mean)) out$mean <- unname(m$mean[variables])
    for (name in known) {
      out[[name]] <- if (name %in% variables) unname(m$covariance[, name]) else NA_real_
    }
    list_frame(out)
  })
  do.call(rbind, rows)
}

# One stable shape; see vignette("command-line").
fit_json <- function(fit, command, criteria = NULL) {
  improper <- improper_parts(fit)
  rows <- json_rows
  indices <- fit_indices(fit, criteria)
  assumptions <- list_assumptions(fit$layout, fit$request$blueprint)
  content <- list(
    orizzonte = fit$version, command = command, title = fit$request$blueprint$title,
    status = if (!has_converged(fit)) "not converged" else if (nrow(improper)) "improper" else
    "converged", detail = fit_status(fit), trouble = I(improper$trouble),
    evidence = I(if (has_converged(fit) && nrow(improper) == 0L) character() else
                 vapply(fit_evidence(fit), `[[`, "", "text")),
    n = sample_n(fit$sample), rows = fit$sample$total_rows,
    sample = sample_header(fit$sample), inference = inference_fields(fit),
    notes = I(as.character(fit_notes(fit))),
    assumed = I(assumptions$assumed), not_assumed = I(assumptions$not_assumed),
    parameters = n_free(fit), df = stats::df.residual(fit),
    reading = attr(indices, "reading"), fit_indices = rows(indices),
    estimates = rows(estimates(fit)), r_squared = rows(r_squared(fit)),
    residuals = rows(stats::residuals(fit, in_units = "correlation", largest = 10)),
    verdicts = if (length(fit$request$blueprint$claims) && has_converged(fit))
      rows(verdicts(fit, criteria)), trail = if (length(fit$request$blueprint$trail))
        rows(trail(fit))
  )
  to_json(content)
}

# The commands that draw and report.

command_draw <- function(given) {
  if (is.null(given$out))
    abort("usage", c(text_of("orizzonte_draw_needs_out"), i = text_of("such_out_diagram_png")))
  values <- choose_one(given$values, c("standardized", "raw", "both", "none"), "--values")
  what <- choose_one(given$what, draw_figures, "--what")
  check_figure_ending(given$out)
  if (what == "groups" && is.null(given$by))
    abort("usage", c(text_of("what_groups_needs_column"), i = text_of("example_by")))
  ladder <- if (what == "ladder") ladder_from_files(given)
  fits <- ladder$fits %||% list(fit_from_files(given))
  fit <- fits[[1L]]
  figure <- switch(what, diagram = path_diagram(fit, values, r_squared = given$r_squared,
                                                reliability = given$reliability,
                                                grey_nonsignificant = given$grey_nonsignificant),
                   quality = plot(construct_quality(fit, leave_out = "none")),
                   split = plot(variance_split(fit)),
                   residuals = residual_map(fit),
                   loadings = loading_plot(fit), amendments = plot(amendments(fit, top = 0)),
                   trail = plot(trail(fit)), groups = group_plot(fit), ladder = plot(ladder))
  written <- save_figure(figure, given$out)
  if (!given$quiet) close_with(text_of("figure_written", files = enumerate(written, most = 40L)),
                               "\n")
  max(vapply(fits, exit_code, 0L))
}

command_report <- function(given) {
  if (is.null(given$out) && is.null(given$tables) && !isTRUE(given$text))
    abort("usage", c(text_of("orizzonte_report_needs_out"),
                     i = text_of("such_out_report_html")))
  if (!is.null(given$out)) check_report_ending(given$out)
  for (name in c("title", "parts"))
    if (!is.null(given[[name]]) && is.null(given$out))
      abort("usage", text_of("option_needs_out", option = name))
  parts <- listed_names(given$parts)
  known <- if (isTRUE(given$ladder)) ladder_section_names else fit_section_names
  check_section_names(parts, known, "--parts")
  count <- length(given$files)
  if (isTRUE(given$ladder)) {
    if (count > 2L) abort("usage", text_of("ladder_takes_one_blueprint"))
    x <- ladder_from_files(given)
    steps <- loosen_rungs(x, given$loosen)
    if (length(steps)) x <- steps[[length(steps)]]
    fits <- if (inherits(x, "orizzonte_loosened")) x$ladder$fits else x$fits
  } else {
    idle <- Filter(function(name) !is.null(given[[name]]),
                   c("over", "rungs", "structural", "structural_on", "loosen"))
    if (length(idle)) abort("usage", text_of("needs_ladder", idle = gsub("_", "-", idle[1L])))
    fits <- lapply(given$files[-count], function(file) {
      given$files <- c(file, given$files[count])
      fit_from_files(given)
    })
    names(fits) <- make.unique(tools::file_path_sans_ext(basename(given$files[-count])), sep = " ")
    x <- if (length(fits) == 1L) fits[[1L]] else fits
  }
  criteria <- given_criteria(given)
  if (!is.null(given$out))
    write_report(x, given$out, quiet = given$quiet, criteria = criteria, title = given$title,
                 parts = parts)
  if (!is.null(given$tables)) write_tables(x, given$tables, criteria = criteria,
                                           quiet = given$quiet)
  if (isTRUE(given$text)) print(methods_text(x, criteria))
  max(vapply(fits, exit_code, 0L))
}
