# How groups are named for display, in notes and in errors. Inside the package, groups are always a
# list, and a single group is called "all"; only these functions distinguish one group from several.
# `x` is a sample or a layout: both contain `grouped` and their `groups`.

# The internal name of the group when there is only one.
single_group <- "all"

group_names <- function(x) if (is.list(x$groups)) names(x$groups) else x$groups

# The group column of tables: NA for one group.
shown_group <- function(x, group) if (x$grouped) group else rep(NA_character_, length(group))

# The group by name, where there are several.
named_group <- function(x, group) if (x$grouped) group

# The names of groups, where there are several; and a list by group, or its only element.
several_groups <- function(x) if (x$grouped) group_names(x)
list_or_single <- function(x, parts) if (x$grouped) parts else parts[[1L]]

# " in group evening", "in group evening: ", "[evening]  ", " (evening)" and " | evening", or
# nothing.
in_group <- function(x, group) if (x$grouped) text_of("in_group", group = group) else ""
group_lead <- function(x, group) if (x$grouped) text_of("in_group_opening", group = group) else ""
mark_group <- function(x, group, text) if (x$grouped) paste0("[", group, "]  ", text) else text
bracket_group <- function(x, group) if (x$grouped) paste0(" (", group, ")") else ""
bar_group <- function(x, group) if (x$grouped) paste0(" | ", group) else ""

# Values that cover several groups are named after the request.
common_address <- function(x, text, addresses) if (x$grouped) text else addresses

# The number of cases by group; `rows` of the data are given when some of them are dropped.
size_words <- function(x, sizes, rows) {
  n <- count_of(sum(sizes), "case")
  if (x$grouped) {
    return(text_of("in_groups", value = n, sizes = length(sizes),
                   sizes_2 = enumerate(paste(names(sizes), vapply(sizes, format_count, "")),
                                       most = 12L)))
  }
  paste0(n, if (rows != sum(sizes)) text_of("of_rows", rows = format_count(rows)))
}

# An error in the data of one group names that group.
in_group_of <- function(x, group, code) {
  if (!x$grouped) return(code)
  # an item that was not asked in one group may be left out there alone
  hint <- function(item) {
    if (length(item)) c(i = text_of("not_asked_in_group", item = item[1L],
                                    group = encodeString(group, quote = "\"")))
  }
  rlang::try_fetch(code, orizzonte_error_data = function(e) {
    abort("data", c(text_of("in_group_sentence", group = group), hint(e$not_asked)), parent = e)
  }, orizzonte_error_name = function(e) {
    if (is.null(e$unknown)) return(rlang::zap())
    abort("name", c(text_of("in_group_sentence", group = group), hint(e$unknown)), parent = e)
  })
}

# For one group, the variables with missing values are named; for several groups, the dropped cases
# are counted by group.
dropped_words <- function(x, notes, dropped, total) {
  if (!x$grouped) return(notes)
  if (all(dropped == 0)) return(NULL)
  counts <- text_of("of", dropped = names(dropped), dropped_2 = dropped, total = total)
  text_of("dropped_rows_missing_values", dropped = enumerate(counts[dropped > 0], most = 12L))
}

# Splits the assumptions into those of every group and those that need several groups.
every_group_words <- function(x) {
  if (!x$grouped) return(NULL)
  text_of("same_every_group_each", group_names = enumerate(group_names(x), most = 12L))
}

nothing_held_words <- function(x, asked) {
  if (length(asked) && !x$grouped) text_of("no_groups_nothing_is")
}

check_grouped <- function(x) {
  if (x$grouped) return(invisible())
  abort("input", c(text_of("fit_has_no_groups"), i = text_of("fit_column")))
}

# One group by name; the first when none is named.
chosen_group <- function(x, group = NULL) {
  if (is.null(group)) return(group_names(x)[1L])
  if (!x$grouped) abort("input", text_of("fit_has_no_groups"))
  if (is.character(group) && length(group) == 1L && group %in% group_names(x)) return(group)
  asked <- as.character(group)[1L]
  refuse_group(x, asked, text_of("there_is_no_group", asked = quoted(asked)))
}

# Groups that are named for exclusion must exist in the data.
check_left_out <- function(x, groups) {
  strange <- setdiff(groups, if (x$grouped) group_names(x))
  if (length(strange) == 0L) return(invisible())
  if (!x$grouped) {
    abort("input", c(text_of("blueprint_leaves_something_out", strange = quoted(strange[1L])),
                     i = text_of("name_grouping_column_column")))
  }
  refuse_group(x, strange[1L], text_of("something_is_left_out", strange = quoted(strange[1L])))
}

# An address names one of the groups, or none.
check_group_of_address <- function(x, group, text) {
  strange <- setdiff(group, if (x$grouped) group_names(x))
  if (length(strange) == 0L) return(invisible())
  if (!x$grouped) {
    abort("name", c(text_of("there_are_no_groups", value = text),
                    i = text_of("give_grouping_column_when")))
  }
  refuse_group(x, strange[1L], text_of("there_is_no_such", value = text))
}

refuse_group <- function(x, group, text) {
  abort("name", c(text, did_you_mean(group, group_names(x)),
                  i = paste0("Groups: ", enumerate(group_names(x)), ".")))
}

# The grouping column of simulated data.
with_group_column <- function(x, by, group, data) {
  if (!x$grouped) return(data)
  cbind(stats::setNames(list_frame(list(group)), by %||% "group"), data)
}

# Kinds of amendment that release an equality across groups, over times or both.
held_changes <- c(groups = "equality across groups", times = "equality across times",
                  both = "equality across groups and times")
