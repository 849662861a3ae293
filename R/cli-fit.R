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

# Tables that the JSON of a fit does not contain, which are written separately.
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

# Fits and ladders from the files that a command names.

# A file is read completely; of a table in a database only the moments are read.
given_data <- function(given, file, bp) {
  if (!is_database_address(file))
    return(read_data_file(file, given$encoding, text = text_columns(given)))
  do.call(collect_summary, c(list(file, bp), given_options(given, options_of("collect_summary"))))
}

# Calls a function with the options on groups and codes, and with further arguments.
called_with <- function(f, given, more) {
  options <- given_options(given, names(written_options()))
  # moments that were collected already contain their groups and codes
  if (length(more) > 1L && is_collected(more[[2L]])) options[options_of("collect_summary")] <- NULL
  do.call(f, c(more, options))
}

# The values of the options of a fit that are given on the command line.
given_options <- function(given, names) {
  read <- list(levels = parse_levels, codes = parse_codes, columns = split_words)
  Filter(Negate(is.null), lapply(stats::setNames(names, names), function(name) {
    reader <- read[[fit_options$rows[[name]]$kind]] %||% identity
    reader(given[[name]])
  }))
}

fit_from_files <- function(given) {
  bp <- read_blueprint(given$files[1L])
  called_with(fit_model, given, list(bp, given_data(given, given$files[2L], bp)))
}

# One rung after the other, each applied to the ladder that results from the previous one: a list.
loosen_rungs <- function(ladder, text) {
  out <- list()
  if (!is.null(text) && !any(nzchar(split_words(text))))
    abort("usage", c(text_of("loosen_names_no_rung"), i = text_of("such_loosen_metric_scalar")))
  for (rung in split_names(text, names(ladder$fits)))
    out <- c(out, list(loosen(last_ladder(ladder, out), rung)))
  out
}

last_ladder <- function(ladder, loosened) {
  if (length(loosened)) loosened[[length(loosened)]]$ladder else ladder
}

ladder_from_files <- function(given) {
  more <- list(rungs = split_names(given$rungs, names(rung_adds)),
               structural = split_words(given$structural),
               structural_on = given$structural_on, criteria = given_criteria(given),
               against = given$against)
  bp <- read_blueprint(given$files[1L])
  if (is.null(given$by) && length(bp$repeated) == 0L)
    abort("usage", c(text_of("ladder_needs_column_or"),
                     i = text_of("example_by")))
  more$over <- given$over
  files <- list(bp, given_data(given, given$files[2L], bp))
  called_with(invariance, given, c(files, Filter(Negate(is.null), more)))
}

# The output of a command as text, CSV or JSON, and its exit code.

# Output of a process that has not been forwarded yet.
output <- new.env(parent = emptyenv())

# Sends the output so far. Returns NULL, or the exit code and a message when it does not arrive.
send_output <- function() {
  if (is.null(output$bytes)) return(NULL)
  if (!is.null(output$failed)) return(output$failed)
  bytes <- rawConnectionValue(output$bytes)
  fresh <- bytes[seq_along(bytes) > output$sent]
  output$sent <- length(bytes)
  found <- write_standard_output(fresh)
  if (found$error == 0L) return(NULL)
  # the program that reads our output (head, a pager) has ended: nothing to report
  output$failed <- if (found$gone) 141L else 2L
  if (!found$gone) {
    cat(text_of("error_result_could_not"), found$why, ".\n", sep = "",
        file = stderr())
  }
  output$failed
}

# The closing message of a command follows its output.
close_with <- function(...) {
  send_output()
  cat(visible_controls(paste0(...)), sep = "", file = stderr())
}

# On standard error, within the width of the window.
tell <- function(...) {
  lines <- strsplit(visible_controls(paste0(...)), "\n", fixed = TRUE)[[1L]]
  writeLines(fold_lines(lines), stderr())
}

to_json <- function(content) {
  jsonlite::toJSON(content, auto_unbox = TRUE, digits = NA, na = "null",
                   null = "null", dataframe = "rows", pretty = TRUE)
}

# Sends the output of `write` to a file when one is requested.
to_output <- function(file, quiet, write) {
  if (is.null(file)) return(write())
  write_text(file, utils::capture.output(write()), "usage")
  if (!quiet) close_with(text_of("file_written", file = file), "\n")
}

exit_code <- function(fit) if (has_converged(fit)) 0L else 1L

# The only table that is requested, or NULL; JSON contains all tables except those in `alone`.
asked_table <- function(given, tables, format, alone = character()) {
  if (is.null(given$table)) return(NULL)
  table <- choose_one(given$table, tables, "--table")
  if (format == "json" && !table %in% alone)
    abort("usage", c(text_of("table_is_format_text"), i = text_of("json_holds_all_tables")))
  table
}

# Joins the parts that exist with an empty line between them.
print_parts <- function(parts) {
  parts <- Filter(Negate(is.null), parts)
  for (k in seq_along(parts)) {
    if (k > 1L) put_lines("")
    print_alone(parts[[k]])
  }
}

# A table by itself, as text.
print_alone <- function(x) {
  if (inherits(x, "orizzonte_indices")) return(print(x, all = TRUE))
  if (any(startsWith(class(x), "orizzonte_"))) return(print(x))
  columns <- Map(function(column, name) {
    text <- if (!is.numeric(column)) as.character(column) else
      if (grepl("^p(_|$)", name)) format_p(column) else format_number(column)
    ifelse(is.na(column), "", text)
  }, as.list(x), names(x))
  columns <- columns[vapply(columns, function(column) any(nzchar(column)), NA)]
  put_lines(format_table(columns, vapply(x[names(columns)], is.numeric, NA)))
}

# Columns whose values are names, kept as written in files.
text_columns <- function(given) as.character(c(given$by, given$clusters))

# Fields of the JSON output that describe the inference.
inference_fields <- function(fit) {
  request <- fit$request
  clusters <- count_clusters(fit$sample)
  asked <- unclass(request)[names(fit_options$rows)]
  asked$inference <- if (is_robust(request)) "robust" else "normal"
  asked$auxiliary <- I(auxiliary_variables(fit$sample))
  c(asked, list(with_missing = total_of(fit$sample, "with_missing"),
                number_of_clusters = if (!is.na(clusters)) clusters))
}

# Names separated by commas.
listed_names <- function(text) {
  if (!is.null(text)) trimws(strsplit(paste0(text, " "), ",", fixed = TRUE)[[1L]])
}
