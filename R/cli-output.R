# What a command prints, as text, CSV or JSON, and its exit code.

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
  # whoever read our output (head, a pager) has gone: nothing to report
  output$failed <- if (found$gone) 141L else 2L
  if (!found$gone) {
    cat(text_of("error_result_could_not"), found$why, ".\n", sep = "",
        file = stderr())
  }
  output$failed
}

# A message that closes a command comes after what it printed.
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

# The one table that is asked for, NULL when none is; JSON holds them all, but for those in `alone`.
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
