# From the rows of a group to a block of moments: types, codes, missing values, constant columns.

# One group of a data frame: `rows` are all of its rows, `used` the complete ones among them.
block_of_rows <- function(data, rows, variables, request, bp = NULL, cases = list()) {
  if (length(rows) == 0L) abort("data", text_of("data_have_no_rows"))
  check_known(variables, names(data), bp)
  x <- numeric_rows(data, rows, variables, request$missing_codes)
  check_finite(x, rows)
  check_some_seen(x)
  if (anyNA(x) && request$incomplete == "keep")
    return(incomplete_group(x, rows, request, cases))
  notes <- character()
  used <- rows
  if (anyNA(x)) {
    complete <- rowSums(is.na(x)) == 0
    notes <- dropped_rows_note(x, complete)
    used <- rows[complete]
    x <- x[complete, , drop = FALSE]
  }
  check_enough(nrow(x), "complete row", variables, notes)
  parts <- case_parts(cases, used)
  moments <- weighted_moments(x, parts$weight)
  check_varying(variables, moments$mean, diag(moments$covariance))
  check_definite(moments$covariance, text_of("covariance_matrix_data"))
  c(list(blocks = list(c(moments, list(variables = variables))), rows = rows, used = used,
         total = length(rows), notes = notes), parts)
}

numeric_rows <- function(data, rows, variables, missing_codes) {
  check_texts_are_numbers(data, variables, missing_codes)
  columns <- lapply(variables,
                    function(name) numeric_column(data[[name]], name, missing_codes)[rows])
  matrix(unlist(columns, use.names = FALSE), length(rows), length(variables),
         dimnames = list(NULL, variables))
}

# A sentence on the cases that are dropped because of missing values.
dropped_rows_note <- function(x, complete) {
  missing <- colSums(is.na(x))
  worst <- order(-missing)[seq_len(min(3L, sum(missing > 0)))]
  text_of("dropped_missing_values_model", complete = count_of(sum(!complete), "row"),
          value = nrow(x), missing = count_of(sum(missing > 0), "variable"),
          worst = enumerate(paste0(colnames(x)[worst], ": ", missing[worst])),
          complete_2 = sum(complete))
}

block_of_summary <- function(data, variables, request) {
  if (!is.null(request$missing_codes))
    abort("input", text_of("missing_codes_has_no"))
  if (!is.null(data$patterns)) return(group_of_patterns(data, variables, request))
  check_known(variables, data$names, request$blueprint)
  if (data$n <= length(variables)) {
    abort("data", text_of("there_are_cases_variables", value = data$n,
                          variables = length(variables)))
  }
  notes <- if (data$correlation)
    text_of("only_correlations_were_known") else character()
  block <- list(n = data$n, covariance = data$covariance[variables, variables, drop = FALSE],
                mean = data$mean[variables], variables = variables)
  list(blocks = list(block), rows = NULL, used = NULL, total = data$n, notes = notes,
       correlation = data$correlation)
}

# All texts of all columns at once, so that codes for missing can be declared together.
check_texts_are_numbers <- function(data, variables, missing_codes) {
  odd <- lapply(stats::setNames(variables, variables), function(name) {
    x <- plain_column(data[[name]])
    if (!is.character(x) || is.numeric(without_text_codes(x, missing_codes))) return(NULL)
    odd <- !is.na(x) & is.na(suppressWarnings(as.numeric(x))) & !is_code(x, missing_codes)
    structure(sort(table(trimws(x[odd])), decreasing = TRUE),
              mostly = sum(odd) > sum(!is.na(x)) / 2)
  })
  odd <- Filter(length, odd)
  if (length(odd) == 0L) return(invisible())
  lines <- vapply(names(odd), function(name) {
    texts <- odd[[name]]
    each <- paste0(quoted(names(texts)), " (", vapply(as.vector(texts), count_of, "", one = "row"),
                   ")")
    paste0(name, ": ", enumerate(each, most = 5L))
  }, "")
  # a column of texts needs other numbers, not codes
  among <- Filter(function(texts) !attr(texts, "mostly"), odd)
  codes <- unique(unlist(lapply(among, names)))
  written <- if (length(codes) > 1L) paste0("c(", paste(quoted(codes), collapse = ", "), ")") else
    quoted(codes)
  abort("data", c(text_of("columns_hold_text", count = length(odd),
                          columns = enumerate(quoted(names(odd)), most = 6L)),
                  stats::setNames(utils::head(lines, 8L),
                                  rep("x", min(length(lines), 8L))),
                  if (length(codes) > 0L && length(codes) <= 8L)
                    c(i = text_of("text_means_missing",
                                  instruction = instruction("declare_codes", r_codes = written,
                                                            codes = paste(codes, collapse = ",")))),
                  i = text_of("recode_text")))
}

numeric_column <- function(x, name, missing_codes) {
  x <- without_text_codes(plain_column(x), missing_codes)
  if (is.logical(x) && !all(is.na(x))) x <- as.numeric(x)
  if (all(is.na(x))) return(rep(NA_real_, length(x)))
  if (!is.numeric(x) || is.factor(x)) {
    kind <- if (is.factor(x)) "a factor" else if (is.character(x)) "text" else
      text_of("of_class", class = class(x)[1L])
    abort("data", c(text_of("column_is_not_numeric_is", name = quoted(name), kind = kind),
                    i = text_of("recode_text")))
  }
  x <- as.numeric(x)
  if (length(missing_codes)) x[is_code(x, missing_codes)] <- NA_real_
  x
}
