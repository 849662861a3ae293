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
                  items = x$left_out, split = as.data.frame(x), scores = x$scores)
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
    loadings = rows(x$loadings), equal_loadings = rows(x$equal_loadings),
    without_item = rows(x$left_out), look_at = I(quality_sentences(x) %||% character()),
    not_judged = as.list(x$left))))
}

split_json <- function(fit, x) {
  to_json(c(measure_header(fit, "quality"), list(
    general = x$general, second_order = x$second_order, level = x$level,
    items = json_rows(as.data.frame(x)), scores = json_rows(x$scores),
    uncontaminated = json_rows(x$contamination),
    schmid_leiman = if (is.null(x$schmid_leiman)) list() else json_rows(x$schmid_leiman),
    reading = I(x$reading))))
}
