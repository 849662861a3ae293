# Checks of the values and matrices that a sample is made of.

check_finite <- function(x, rows) {
  if (!any(is.infinite(x))) return(invisible())
  at <- which(is.infinite(x), arr.ind = TRUE)[1L, ]
  abort("data", text_of("column_holds_infinite_value", at = quoted(colnames(x)[at[2L]]),
                        at_2 = rows[at[1L]]))
}

check_some_seen <- function(x) {
  empty <- colSums(!is.na(x)) == 0L
  if (!any(empty)) return(invisible())
  abort("data", c(text_of("column_is_missing_every", empty = quoted(colnames(x)[empty][1L])),
                  i = text_of("leave_item_out_or_declare_codes")),
        not_asked = colnames(x)[empty][1L])
}

check_enough <- function(n, what, variables, notes = character()) {
  if (n > length(variables)) return(invisible())
  abort("data", c(text_of("there_are", what = count_of(n, what),
                          variables = count_of(length(variables), "variable")),
                  i = text_of("more_cases_than_variables"), if (length(notes)) c(i = notes)))
}

check_varying <- function(variables, mean, variance) {
  flat <- which(variance <= 1e-20 * (mean^2 + 1e-300))
  if (length(flat) == 0L) return(invisible())
  abort("data", c(text_of("column_does_not_vary", flat = quoted(variables[flat[1L]]),
                          flat_2 = format(mean[[flat[1L]]])), i = text_of("leave_out_model")))
}

check_known <- function(variables, columns, bp) {
  constructs <- names(bp$constructs)
  clash <- intersect(constructs, columns)
  if (length(clash)) {
    abort("name",
          c(text_of("construct_has_name_column", clash = quoted(clash[1L])),
            i = text_of("rename_construct_so_two"),
            i = text_of("observed_variable_needs_no")))
  }
  unknown <- setdiff(variables, columns)
  if (length(unknown) == 0L) return(invisible())
  lines <- vapply(utils::head(unknown, 5L), function(name) {
    near <- nearest(name, c(columns, constructs))
    hint <- if (name %in% attr(bp, "hints")) {
      text_of("text_variable_name_exists_so", name = name)
    } else if (!is.null(near)) {
      text_of("did_you_mean_inline", near = quoted(near),
              constructs = if (near %in% constructs) " (a construct)")
    }
    paste0(quoted(name), hint)
  }, "")
  abort("name",
        c(text_of("neither_column_data_nor",
                  unknown = if (length(unknown) == 1L) text_of("a_variable_is") else
                    paste(length(unknown), text_of("variables_model_are"))),
                  stats::setNames(lines, rep("x", length(lines))), unknown_hints(unknown, bp),
                  i = paste0("Columns: ", enumerate(columns, most = 20L), ".")), unknown = unknown)
}

# An undeclared construct, and several names in one pair of quotes.
unknown_hints <- function(unknown, bp) {
  items <- unlist(lapply(bp$constructs, `[[`, "items"), use.names = FALSE)
  joined <- grep("[:+,~]", unknown, value = TRUE)
  construct <- setdiff(unknown[unknown %in% c(bp$effects$from, bp$effects$to)], c(items, joined))
  c(if (length(joined))
      c(i = text_of("quotes_is_one_name", joined = joined[1L],
                    joined_2 = if (grepl(":", joined[1L]))
                      text_of("a_range") else text_of("names_to_join"))),
    if (length(construct))
      c(i = text_of("if_is_construct_declare", construct = quoted(construct[1L]),
                    construct_2 = quoted(construct[1L]))))
}

# Stops when a covariance matrix is singular or indefinite, naming the variables involved.
# The correlations must be positive definite by more than rounding error.
is_definite <- function(cov) {
  sd <- sqrt(pmax(diag(cov), 0))
  root <- tryCatch(chol(cov / outer(sd, sd)), error = function(e) NULL)
  !is.null(root) && min(diag(root)) > 1e-6
}

check_definite <- function(cov, what) {
  sd <- sqrt(pmax(diag(cov), 0))
  if (any(sd == 0)) {
    abort("data", c(text_of("does_not_vary", sd = quoted(colnames(cov)[sd == 0][1L])),
                    i = text_of("leave_out_model")))
  }
  if (is_definite(cov)) return(invisible(cov))
  correlation <- cov / outer(sd, sd)
  eigen <- eigen(correlation, symmetric = TRUE)
  vector <- eigen$vectors[, ncol(correlation)]
  involved <- colnames(cov)[abs(vector) > 0.2]
  abort(if (what == "The matrix") "summary_data" else "data",
        c(text_of("is_not_positive_definite", what = what,
                  correlation = formatC(eigen$values[ncol(correlation)], digits = 2L,
                                        format = "g")),
          i = text_of("these_variables_determine_each", involved = enumerate(involved))))
}

check_variables <- function(bp) {
  if (length(blueprint_variables(bp)$observed)) return(invisible())
  abort("input", c(text_of("blueprint_has_no_variables"), i = text_of("add_construct_or_effect")))
}

many_left_out <- 0.05       # share of the rows that have no group

# How to read data from a file whose name was given in place of data.
read_file_hint <- function(source) {
  if (is.character(source) && length(source) == 1L &&
      grepl("^.{1,200}[.](csv|tsv|txt)$", source))
    text_of("read_file_first_read", source = quoted(source))
}
