# Groups: which rows belong to which, and the moments of each.

# In increasing order, numbers within texts by their size: 2 before 10.
natural_order <- function(x) {
  if (!is.character(x)) return(as.character(sort(x, method = "radix")))
  key <- x
  numbers <- gregexpr("[0-9]+", key)
  regmatches(key, numbers) <- lapply(regmatches(key, numbers), function(digits) {
    paste0(strrep("0", pmax(0L, 20L - nchar(digits))), digits)
  })
  x[order(key, x, method = "radix")]
}

check_group_column <- function(by, data) {
  check_string(by, "`by`")
  check_named_column(by, data, "to group by", "by")
}

# The levels of a grouping column in the order wanted, named as shown: list(evening = rows, weekend
# = rows), and notes.
group_rows <- function(data, by, levels = NULL, missing_codes = NULL) {
  check_group_column(by, data)
  column <- plain_column(data[[by]])
  if (is.numeric(column) || is.character(missing_codes))
    column[is_code(column, missing_codes)] <- NA
  text <- as.character(column)
  if (any(!nzchar(trimws(text)), na.rm = TRUE)) {
    abort("data", c(text_of("column_holds_empty_text", by = quoted(by),
                            narm = count_of(sum(!nzchar(trimws(text)), na.rm = TRUE), "row")),
                    i = text_of("make_na_leave_these")))
  }
  known <- if (is.factor(column)) levels(droplevels(column)) else
    natural_order(unique(column[!is.na(column)]))
  if (is.null(levels) && length(known) > 50L) {
    abort("data",
          c(text_of("column_holds_different_values", by = quoted(by), known = length(known)),
            i = text_of("give_column_few_values")))
  }
  levels <- as_utf8(levels)
  labels <- value_labels(data[[by]], known)
  wanted <- if (is.null(levels)) stats::setNames(known, labels) else
    pick_levels(levels, known, by, labels)
  if (length(wanted) < 2L) {
    abort("data",
          c(text_of("least_two_are_needed",
                    levels = if (is.null(levels))
                      text_of("column_holds", by = quoted(by)) else text_of("levels_picks"),
                    wanted = count_of(length(wanted), "group")),
                    i = text_of("leave_out_one_group")))
  }
  rows <- lapply(wanted, function(level) which(text == level))
  left <- sum(!is.na(text)) - sum(lengths(rows))
  notes <- c(
    text_of("groups_by_with_rows", by = by,
            rows = enumerate(text_of("rows", wanted = names(wanted), rows = lengths(rows)),
                             most = 12L)),
    if (left > 0L) text_of("left_out_other_groups", left = count_of(left, "row"),
                           wanted = enumerate(labels[!known %in% wanted])))
  list(rows = rows, notes = notes, ungrouped = sum(is.na(text)))
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
    abort("input",
          c(text_of("levels_must_be_values"),
            i = text_of("such_levels_c_evening_evening")))
  }
  value <- as.character(levels)
  at <- ifelse(value %in% known, match(value, known), match(value, labels))
  if (anyNA(at)) {
    strange <- value[is.na(at)][1L]
    shown <- ifelse(known == labels, known, paste0(known, " (", labels, ")"))
    abort("name", c(text_of("no_such_group", strange = quoted(strange), by = by),
                    did_you_mean(strange, unique(c(known, labels))),
                    i = paste0("Groups: ", enumerate(shown, most = 20L), ".")))
  }
  label <- names(levels) %||% rep("", length(value))
  label[!nzchar(label)] <- labels[at][!nzchar(label)]
  if (anyDuplicated(at) || anyDuplicated(label))
    abort("duplicate", text_of("group_is_named_twice"))
  stats::setNames(known[at], label)
}
