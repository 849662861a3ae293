# Numbers out of what a reader returns, by name: what is bootstrapped, simulated or planned.

# `what`: NULL for estimates, one function of a fit, or a named list of them. Each gives a named
# numeric vector or a data frame of ours.
check_readers <- function(what) {
  if (is.null(what)) return(list(estimates))
  if (is.function(what)) return(list(what))
  usable <- is.list(what) && length(what) > 0L && all(vapply(what, is.function, NA)) &&
    (length(what) == 1L || !is.null(names(what)) && all(nzchar(names(what))))
  if (!usable)
    abort("input", c(text_of("what_must_be_function"),
                     x = text_of("it_is_of_kind", value = describe(what)),
                     i = text_of("such_what_effects_or")))
  what
}

# Values by name, with their groups; the first reader to give a name keeps it.
read_numbers <- function(fit, readers) {
  parts <- lapply(seq_along(readers), function(k) numbers_of(readers[[k]](fit), names(readers)[k]))
  value <- unlist(lapply(parts, `[[`, "value"))
  group <- unlist(lapply(parts, `[[`, "group"))
  first <- !duplicated(names(value))
  list(value = value[first], group = group[first])
}

numbers_of <- function(x, name = NULL) {
  if (is.data.frame(x)) return(frame_numbers(x))
  if (inherits(x, "orizzonte_quality")) return(quality_numbers(x))
  if (is.numeric(x) && is.null(dim(x)) && length(x) > 0L && !is.null(names(x)) &&
      all(nzchar(names(x))))
    return(list(value = vapply(x, as.numeric, 0), group = rep(NA_character_, length(x))))
  if (is.numeric(x) && length(x) == 1L && !is.null(name))
    return(list(value = stats::setNames(as.numeric(x), name), group = NA_character_))
  abort("input", c(text_of("what_must_give_named"),
                   x = text_of("it_gave", value = describe(x)),
                   i = text_of("named_numbers_example")))
}

# Columns that are about a value rather than one.
about_values <- "^(se|z|p|df|lower|upper|n|items|rank|level)$|_(se|lower|upper|p|df)$|^p_"

# The first column of words names the rows. An address stands for itself; other columns than the
# value itself are told apart by their names: standardized(loading[Calm, sc1]), r_squared[Calm].
frame_numbers <- function(x) {
  if (inherits(x, "orizzonte_indices")) x <- x[!grepl(no_replicates, x$index), ]
  columns <- as.list(json_rows(x))
  words <- names(columns)[vapply(columns, function(v) is.character(v) || is.factor(v), NA)]
  numeric <- names(columns)[vapply(columns, is.numeric, NA)]
  numeric <- numeric[!grepl(about_values, numeric)]
  if (length(words) == 0L || length(numeric) == 0L)
    abort("input", c(text_of("what_gave_table_without"),
                     i = text_of("needs_first_column_names")))
  row <- as.character(columns[[words[1L]]])
  if (length(row) == 0L)
    abort("input", c(text_of("what_gave_empty_table"),
                     i = text_of("read_something_else_such")))
  group <- if ("group" %in% words) as.character(columns$group) else rep(NA_character_, length(row))
  address <- words[1L] == "parameter"
  marked <- if (address) row else paste0(row, ifelse(is.na(group), "", paste0(" | ", group)))
  labels <- lapply(numeric, function(column) {
    if (column %in% c("estimate", "value")) return(marked)
    if (column == "standardized" && address) return(paste0("standardized(", row, ")"))
    paste0(column, "[", marked, "]")
  })
  out <- unlist(Map(function(label, column) {
    values <- columns[[column]]
    if (column == "estimate" && !is.null(columns$status)) values[columns$status == "fixed"] <- NA
    stats::setNames(as.numeric(values), label)
  }, labels, numeric))
  out <- c(out, support_of(x))
  group <- c(rep(group, length(numeric)), rep(NA_character_, length(out)))[seq_along(out)]
  kept <- !is.na(out)
  list(value = out[kept], group = group[kept])
}

# Of measures: the table, and the ratio and correlation of each pair of constructs.
quality_numbers <- function(x) {
  out <- frame_numbers(x$table[setdiff(names(x$table), "largest_shared")])
  if (is.null(x$pairs)) return(out)
  pairs <- frame_numbers(list_frame(list(
    pair = pair_names(x$pairs), group = x$pairs$group, htmt = x$pairs$htmt,
    correlation = x$pairs$correlation)))
  list(value = c(out$value, pairs$value), group = c(out$group, pairs$group))
}

# Whether each claim is supported: its mean over replicates is the share of those that support it.
support_of <- function(x) {
  if (!inherits(x, "orizzonte_verdicts")) return(NULL)
  stats::setNames(as.numeric(x$verdict == "supported"), paste0("supported[", x$claim, "]"))
}
