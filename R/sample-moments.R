# From the rows of a group to a block of moments: types, codes, missing values, constant columns.

# One group of a data frame: `rows` are all of its rows, `used` the complete ones among them.
block_of_rows <- function(data, rows, variables, request, bp = NULL, cases = list()) {
  if (length(rows) == 0L) abort("data", "The data have no rows.")
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
    notes <- hole_notes(x, complete)
    used <- rows[complete]
    x <- x[complete, , drop = FALSE]
  }
  check_enough(nrow(x), "complete row", variables, notes)
  parts <- case_parts(cases, used)
  moments <- weighted_moments(x, parts$weight)
  check_varying(variables, moments$mean, diag(moments$covariance))
  check_definite(moments$covariance, "The covariance matrix of the data")
  c(list(blocks = list(c(moments, list(variables = variables))), rows = rows, used = used,
         total = length(rows), notes = notes), parts)
}

numeric_rows <- function(data, rows, variables, missing_codes) {
  columns <- lapply(variables,
                    function(name) numeric_column(data[[name]], name, missing_codes)[rows])
  matrix(unlist(columns, use.names = FALSE), length(rows), length(variables),
         dimnames = list(NULL, variables))
}

check_finite <- function(x, rows) {
  if (!any(is.infinite(x))) return(invisible())
  at <- which(is.infinite(x), arr.ind = TRUE)[1L, ]
  abort("data", paste0("Column ", quoted(colnames(x)[at[2L]]), " holds an infinite value in row ",
                       rows[at[1L]], "."))
}

check_some_seen <- function(x) {
  empty <- colSums(!is.na(x)) == 0L
  if (!any(empty)) return(invisible())
  abort("data", c(paste0("Column ", quoted(colnames(x)[empty][1L]), " is missing in every row."),
                  i = "Leave the item out of the model, or look at `missing_codes`."))
}

check_enough <- function(n, what, variables, notes = character()) {
  if (n > length(variables)) return(invisible())
  abort("data", c(paste0("There are ", count_of(n, what), " for ",
                         count_of(length(variables), "variable"), "."),
                  i = "More cases than variables are needed.", if (length(notes)) c(i = notes)))
}

check_varying <- function(variables, mean, variance) {
  flat <- which(variance <= 1e-20 * (mean^2 + 1e-300))
  if (length(flat) == 0L) return(invisible())
  abort("data", c(paste0("Column ", quoted(variables[flat[1L]]), " does not vary: every value is ",
                         format(mean[[flat[1L]]]), "."), i = "Leave it out of the model."))
}

# What is dropped for missing values, in a sentence.
hole_notes <- function(x, complete) {
  holes <- colSums(is.na(x))
  worst <- order(-holes)[seq_len(min(3L, sum(holes > 0)))]
  paste0("Dropped ", count_of(sum(!complete), "row"), " of ", nrow(x), " with missing values in ",
         count_of(sum(holes > 0), "variable"), " of the model (most in ",
         enumerate(paste0(colnames(x)[worst], ": ", holes[worst])), "); ", sum(complete),
         " rows are used.")
}

block_of_summary <- function(data, variables, request) {
  if (!is.null(request$missing_codes))
    abort("input", "`missing_codes` has no meaning for summary data.")
  if (!is.null(data$patterns)) return(group_of_patterns(data, variables, request))
  check_known(variables, data$names, request$blueprint)
  if (data$n <= length(variables)) {
    abort("data", paste0("There are ", data$n, " cases for ", length(variables),
                         " variables; more are needed."))
  }
  notes <- if (data$correlation)
    "Only correlations were known; they were analysed as covariances." else character()
  block <- list(n = data$n, covariance = data$covariance[variables, variables, drop = FALSE],
                mean = data$mean[variables], variables = variables)
  list(blocks = list(block), rows = NULL, used = NULL, total = data$n, notes = notes,
       correlation = data$correlation)
}

check_known <- function(variables, columns, bp) {
  constructs <- names(bp$constructs)
  clash <- intersect(constructs, columns)
  if (length(clash)) {
    abort("name",
          c(paste0("Construct ", quoted(clash[1L]), " has the name of a column of the data."),
            i = "Rename the construct, so that the two cannot be taken for each other.",
            i = "An observed variable needs no construct(): use its name in effect() as it is."))
  }
  unknown <- setdiff(variables, columns)
  if (length(unknown) == 0L) return(invisible())
  lines <- vapply(utils::head(unknown, 5L), function(name) {
    near <- nearest(name, c(columns, constructs))
    hint <- if (name %in% attr(bp, "hints")) {
      paste0("; a text variable of that name exists, so all_of(", name, ") may be meant")
    } else if (!is.null(near)) {
      paste0("; did you mean ", quoted(near), if (near %in% constructs) " (a construct)", "?")
    }
    paste0(quoted(name), hint)
  }, "")
  abort("name",
        c(paste0(if (length(unknown) == 1L) "A variable of the model is" else
                 paste(length(unknown), "variables of the model are"),
                 " neither a column of the data nor a construct."),
                  stats::setNames(lines, rep("x", length(lines))), unknown_hints(unknown, bp),
                  i = paste0("Columns: ", enumerate(columns, most = 20L), ".")), unknown = unknown)
}

# An undeclared construct, and several names in one pair of quotes.
unknown_hints <- function(unknown, bp) {
  items <- unlist(lapply(bp$constructs, `[[`, "items"), use.names = FALSE)
  joined <- grep("[:+,~]", unknown, value = TRUE)
  construct <- setdiff(unknown[unknown %in% c(bp$effects$from, bp$effects$to)], c(items, joined))
  c(if (length(joined))
      c(i = paste0("In quotes that is one name; without quotes `", joined[1L], "` is read as ",
                   if (grepl(":", joined[1L])) "a range." else "names to be joined by c().")),
    if (length(construct))
      c(i = paste0("If ", quoted(construct[1L]), " is a construct, declare it: construct(",
                   quoted(construct[1L]), ", reflected_in = c(...)).")))
}

numeric_column <- function(x, name, missing_codes) {
  x <- without_text_codes(plain_column(x), missing_codes)
  if (is.logical(x) && !all(is.na(x))) x <- as.numeric(x)
  if (all(is.na(x))) return(rep(NA_real_, length(x)))
  if (!is.numeric(x) || is.factor(x)) {
    kind <- if (is.factor(x)) "a factor" else if (is.character(x)) "text" else
      paste0("of class ", class(x)[1L])
    odd <- if (is.character(x))
      x[!is.na(x) & is.na(suppressWarnings(as.numeric(x))) & !is_code(x, missing_codes)]
    abort("data", c(paste0("Column ", quoted(name), " is not numeric: it is ", kind, "."),
                    if (length(odd)) c(x = paste0("For example the value ", quoted(odd[1L]), ".")),
                    i = paste0("Recode it as numbers first, or declare what means missing: ",
                               "missing_codes = ",
                               if (length(odd)) quoted(odd[1L]) else "c(\"n/a\", -9)", ".")))
  }
  x <- as.numeric(x)
  if (length(missing_codes)) x[is_code(x, missing_codes)] <- NA_real_
  x
}
