# Groups: which rows belong to which, and the moments of each.

# The levels of a grouping column in the order wanted, named as shown: list(evening = rows, weekend = rows), and notes.
group_rows <- function(data, by, levels = NULL, missing_codes = NULL) {
  check_string(by, "`by`")
  if (!by %in% names(data)) {
    abort("name", c(paste0("There is no column ", quoted(by), " to group by."), did_you_mean(by, names(data)), i = paste0("Columns: ",
        enumerate(names(data), most = 20L), ".")))
  }
  column <- plain_column(data[[by]])
  if (is.numeric(column)) column[column %in% missing_codes] <- NA
  text <- as.character(column)
  known <- if (is.factor(column)) levels(droplevels(column)) else as.character(sort(unique(column[!is.na(column)]), method = "radix"))
  if (is.null(levels) && length(known) > 50L) {
    abort("data", c(paste0("Column ", quoted(by), " holds ", length(known), " different values: too many to be groups."),
                    i = "Give a column with a few values, or pick some with levels = c(...)."))
  }
  labels <- value_labels(data[[by]], known)
  wanted <- if (is.null(levels)) stats::setNames(known, labels) else pick_levels(levels, known, by, labels)
  if (length(wanted) < 2L) {
    abort("data", c(paste0(if (is.null(levels)) paste0("Column ", quoted(by), " holds ") else "`levels` picks ", count_of(length(wanted), "group"),
                           "; at least two are needed."),
                    i = "Leave out `by` for one group."))
  }
  rows <- lapply(wanted, function(level) which(text == level))
  left <- sum(!is.na(text)) - sum(lengths(rows))
  notes <- c(
    paste0("Groups by ", by, ": ", enumerate(paste0(names(wanted), " (", lengths(rows), " rows)"), most = 12L), "."),
    if (left > 0L) paste0("Left out ", count_of(left, "row"), " of other groups: ", enumerate(labels[!known %in% wanted]), "."),
    if (anyNA(text)) paste0("Left out ", count_of(sum(is.na(text)), "row"), " without a value of ", by, "."))
  list(rows = rows, notes = notes)
}

# What codes stand for, where the column says so; the codes themselves elsewhere.
value_labels <- function(column, known) {
  labels <- attr(column, "labels", exact = TRUE)
  if (is.null(names(labels))) return(known)
  label <- names(labels)[match(known, as.character(labels))]
  label[is.na(label) | !nzchar(label)] <- known[is.na(label) | !nzchar(label)]
  if (anyDuplicated(label)) known else label
}

# `levels` by their value, or by what it stands for.
pick_levels <- function(levels, known, by, labels = known) {
  if (!is.atomic(levels) || length(levels) == 0L || anyNA(levels)) {
    abort("input", c("`levels` must be values of the grouping column.", i = "Such as levels = c(Evening = \"evening\", Weekend = \"weekend\")."))
  }
  value <- as.character(levels)
  at <- ifelse(value %in% known, match(value, known), match(value, labels))
  if (anyNA(at)) {
    strange <- value[is.na(at)][1L]
    shown <- ifelse(known == labels, known, paste0(known, " (", labels, ")"))
    abort("name", c(paste0("There is no group ", quoted(strange), " in ", by, "."), did_you_mean(strange, unique(c(known, labels))),
                    i = paste0("Groups: ", enumerate(shown, most = 20L), ".")))
  }
  label <- names(levels) %||% rep("", length(value))
  label[!nzchar(label)] <- labels[at][!nzchar(label)]
  if (anyDuplicated(at) || anyDuplicated(label)) abort("duplicate", "A group is named twice in `levels`.")
  stats::setNames(known[at], label)
}

# Moments of every group. `variables`: a list by group, since an item may be absent in one.
grouped_moments <- function(data, by, levels, variables_of, missing_codes, bp) {
  if (is_summary_list(data)) {
    wanted <- if (is.null(levels)) stats::setNames(names(data), names(data)) else pick_levels(levels, names(data), "the summary data")
    parts <- lapply(wanted, function(g) data[[g]])
    notes <- character()
    rows <- NULL
  } else {
    if (inherits(data, "orizzonte_summary_data")) {
      abort("data", c("Summary data of one group have no column to group by.", i = "Give a named list of summary_data(), one for each group."))
    }
    found <- group_rows(data, by, levels, missing_codes)
    parts <- lapply(found$rows, function(rows) data[rows, , drop = FALSE])
    rows <- found$rows
    notes <- found$notes
  }
  groups <- lapply(stats::setNames(names(parts), names(parts)), function(g) {
    rlang::try_fetch(sample_moments(parts[[g]], variables_of(g), missing_codes, bp), orizzonte_error_data = function(e) {
      abort("data", paste0("In group ", g, ":"), parent = e)
    })
  })
  dropped <- vapply(groups, function(s) s$total_rows - s$n, 0)
  worst <- if (any(dropped > 0)) {
    paste0("Dropped rows with missing values in variables of the model: ", enumerate(paste0(names(groups), " ", dropped, " of ",
                                                                                      vapply(groups, `[[`, 0, "total_rows"))[dropped > 0], most = 12L), ".")
  }
  names <- unique(unlist(lapply(groups, `[[`, "names"), use.names = FALSE))
  labels <- unlist(lapply(unname(groups), `[[`, "labels"))
  list(n = sum(vapply(groups, `[[`, 0, "n")), names = names, mean = groups[[1L]]$mean, groups = groups, by = by, rows_of = rows, notes = c(notes, worst),
       total_rows = if (is.data.frame(data)) nrow(data) else sum(vapply(groups, `[[`, 0, "total_rows")),
       labels = labels[!duplicated(names(labels))], covariance = pooled_covariance(groups, names))
}

is_summary_list <- function(data) {
  is.list(data) && !is.data.frame(data) && length(data) > 0L && all(vapply(data, inherits, NA, "orizzonte_summary_data"))
}

# Within groups, weighted by n; for scaling only.
pooled_covariance <- function(groups, names) {
  out <- weight <- matrix(0, length(names), length(names), dimnames = list(names, names))
  for (group in groups) {
    v <- group$names
    out[v, v] <- out[v, v] + group$n * group$covariance
    weight[v, v] <- weight[v, v] + group$n
  }
  out / weight
}

# The grouped sample of some of the variables.
groups_for <- function(sample, bp) {
  sample$groups <- lapply(stats::setNames(names(sample$groups), names(sample$groups)), function(g) {
    sample_for(sample$groups[[g]], blueprint_variables(group_blueprint(bp, g))$observed)
  })
  sample$n <- sum(vapply(sample$groups, `[[`, 0, "n"))
  sample$names <- unique(unlist(lapply(sample$groups, `[[`, "names"), use.names = FALSE))
  sample$mean <- sample$groups[[1L]]$mean
  sample$covariance <- pooled_covariance(sample$groups, sample$names)
  sample
}
