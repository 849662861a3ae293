# From a data frame to sample moments: types, codes, holes, constant columns.

# Returns n, covariance (divisor n), mean, names; data (all rows) and rows (those used; NULL for all), and notes on what was dropped.
sample_moments <- function(data, variables, missing_codes = NULL, bp = NULL) {
  if (inherits(data, "orizzonte_summary_data")) return(summary_moments(data, variables, missing_codes, bp))
  if (is.matrix(data) && is.numeric(data)) data <- as.data.frame(data)
  if (!is.data.frame(data)) {
    abort("data", c("`data` must be a data frame or summary data.", x = paste0("It is ", describe(data), "."),
                    i = "For a covariance matrix, use summary_data(cov, n = ...)."))
  }
  if (nrow(data) == 0L) abort("data", "The data have no rows.")
  names <- names(data)
  twice <- unique(names[duplicated(names)])
  if (length(twice)) {
    abort("data", c(paste0("Two columns of the data are called ", quoted(twice[1L]), "."), i = "Rename one of them."))
  }
  check_known(variables, names, bp)
  columns <- lapply(stats::setNames(variables, variables), function(name) numeric_column(data[[name]], name, missing_codes))
  x <- matrix(unlist(columns, use.names = FALSE), nrow(data), length(variables), dimnames = list(NULL, variables))
  if (any(is.infinite(x))) {
    at <- which(is.infinite(x), arr.ind = TRUE)[1L, ]
    abort("data", paste0("Column ", quoted(variables[at[2L]]), " holds an infinite value in row ", at[1L], "."))
  }
  notes <- character()
  rows <- NULL
  everyone <- x
  if (anyNA(x)) {
    holes <- colSums(is.na(x))
    if (any(holes == nrow(x))) {
      abort("data", c(paste0("Column ", quoted(variables[holes == nrow(x)][1L]), " is missing in every row."),
                      i = "Leave the item out of the model, or look at `missing_codes`."))
    }
    complete <- rowSums(is.na(x)) == 0
    rows <- which(complete)
    worst <- order(-holes)[seq_len(min(3L, sum(holes > 0)))]
    notes <- paste0("Dropped ", count_of(sum(!complete), "row"), " of ", nrow(x), " with missing values in ",
                    count_of(sum(holes > 0), "variable"), " of the model (most in ",
                    enumerate(paste0(variables[worst], ": ", holes[worst])), "); ", sum(complete), " rows are used.")
    x <- x[complete, , drop = FALSE]
  }
  n <- nrow(x)
  if (n <= length(variables)) {
    abort("data", c(paste0("There are ", count_of(n, "complete row"), " for ", count_of(length(variables), "variable"), "."),
                    i = "More people than variables are needed.", if (length(notes)) c(i = notes)))
  }
  mean <- colMeans(x)
  centred <- x - rep(mean, each = n)
  covariance <- crossprod(centred) / n
  flat <- diag(covariance) <= 1e-20 * (mean^2 + 1e-300)
  if (any(flat)) {
    abort("data", c(paste0("Column ", quoted(variables[flat][1L]), " does not vary: every value is ", format(x[1L, which(flat)[1L]]), "."),
                    i = "Leave it out of the model."))
  }
  check_definite(covariance, "The covariance matrix of the data")
  list(n = n, covariance = covariance, mean = mean, names = variables, data = everyone, rows = rows, notes = notes,
       total_rows = nrow(data), labels = column_labels(data, variables))
}

# The rows that were used.
complete_rows <- function(sample) if (is.null(sample$rows)) sample$data else sample$data[sample$rows, , drop = FALSE]

# The sample of some of the variables. Rows that were incomplete only in the others come back.
sample_for <- function(sample, variables) {
  if (setequal(variables, sample$names)) return(sample)
  if (is.null(sample$data)) {
    sample$covariance <- sample$covariance[variables, variables, drop = FALSE]
    sample$mean <- sample$mean[variables]
    sample$names <- variables
    return(sample)
  }
  out <- sample_moments(as.data.frame(sample$data[, variables, drop = FALSE]), variables)
  out$labels <- sample$labels[intersect(names(sample$labels), variables)]
  out
}

summary_moments <- function(data, variables, missing_codes, bp) {
  if (!is.null(missing_codes)) abort("input", "`missing_codes` has no meaning for summary data.")
  check_known(variables, data$names, bp)
  if (data$n <= length(variables)) {
    abort("data", paste0("There are ", data$n, " people for ", length(variables), " variables; more are needed."))
  }
  notes <- if (data$correlation) "Only correlations were known; they were analysed as covariances." else character()
  list(n = data$n, covariance = data$covariance[variables, variables, drop = FALSE], mean = data$mean[variables],
       names = variables, data = NULL, rows = NULL, notes = notes, total_rows = data$n, labels = character())
}

check_known <- function(variables, columns, bp) {
  constructs <- names(bp$constructs)
  clash <- intersect(constructs, columns)
  if (length(clash)) {
    abort("name", c(paste0("Construct ", quoted(clash[1L]), " has the name of a column of the data."),
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
  abort("name", c(paste0(if (length(unknown) == 1L) "A variable of the model is" else paste(length(unknown), "variables of the model are"),
                         " neither a column of the data nor a construct."),
                  stats::setNames(lines, rep("x", length(lines))),
                  i = paste0("Columns: ", enumerate(columns, most = 20L), ".")), unknown = unknown)
}

numeric_column <- function(x, name, missing_codes) {
  x <- plain_column(x)
  if (is.logical(x) && !all(is.na(x))) x <- as.numeric(x)
  if (all(is.na(x))) return(rep(NA_real_, length(x)))
  if (!is.numeric(x) || is.factor(x)) {
    kind <- if (is.factor(x)) "a factor" else if (is.character(x)) "text" else paste0("of class ", class(x)[1L])
    odd <- if (is.character(x)) x[!is.na(x) & is.na(suppressWarnings(as.numeric(x)))]
    abort("data", c(paste0("Column ", quoted(name), " is not numeric: it is ", kind, "."),
                    if (length(odd)) c(x = paste0("For example the value ", quoted(odd[1L]), ".")),
                    i = "Recode it as numbers first, or declare codes for missing values with `missing_codes`."))
  }
  x <- as.numeric(x)
  if (length(missing_codes)) x[x %in% missing_codes] <- NA_real_
  x
}
