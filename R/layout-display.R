# How groups are named for display, in notes and in errors. Inside, groups are always a list, and a
# single group is called "all"; only here is it asked whether there are several.

# The group column of tables: NA for one group.
shown_group <- function(layout, group) {
  if (layout$grouped) group else rep(NA_character_, length(group))
}

# Addresses as a user meets them: with the group when there are several.
shown_address <- function(layout, kind, first, second = NA_character_, group) {
  address_format(kind, first, second, shown_group(layout, group))
}

# " in group evening", "in group evening: " and "evening: ", or nothing.
in_group <- function(layout, group) if (layout$grouped) paste0(" in group ", group) else ""
group_lead <- function(layout, group) if (layout$grouped) paste0("in group ", group, ": ") else ""
mark_group <- function(layout, group, text) {
  if (layout$grouped)
  paste0("[", group, "]  ", text) else text
}
bracket_group <- function(layout, group) if (layout$grouped) paste0(" (", group, ")") else ""

# How many cases, and where.
size_words <- function(sample) {
  n <- sample_n(sample)
  if (sample$grouped) {
    sizes <- vapply(sample$groups, function(g) format_count(g$blocks[[1L]]$n), "")
    return(paste0("n = ", format_count(n), " in ", length(sizes), " groups (",
                  enumerate(paste(names(sizes), sizes), most = 12L), ")"))
  }
  paste0("n = ", format_count(n),
         if (sample$total_rows != n) paste0(" of ", format_count(sample$total_rows), " rows"))
}

# The group by name, where there are several.
named_group <- function(layout, group) if (layout$grouped) group

bar_group <- function(layout, group) if (layout$grouped) paste0(" | ", group) else ""

# What stands for several groups at once is called by what was asked for.
common_address <- function(layout, text, addresses) if (layout$grouped) text else addresses

# The groups of a diagram: those asked for, or the first four.
diagram_groups <- function(layout, groups) {
  if (is.null(groups)) return(utils::head(layout$groups, 4L))
  vapply(groups, function(group) chosen_group(layout, group), "", USE.NAMES = FALSE)
}

check_grouped <- function(layout) {
  if (layout$grouped) return(invisible())
  abort("input", c("This fit has no groups.", i = "Fit with by = \"column\"."))
}

# One group by name; the first when none is named.
chosen_group <- function(layout, group = NULL) {
  if (!layout$grouped) {
    if (!is.null(group)) abort("input", "This fit has no groups.")
    return(single_group)
  }
  group <- group %||% layout$groups[1L]
  if (!is.character(group) || length(group) != 1L || !group %in% layout$groups) {
    asked <- as.character(group)[1L]
    abort("name",
          c(paste0("There is no group ", quoted(asked), "."), did_you_mean(asked, layout$groups),
            i = paste0("Groups: ", enumerate(layout$groups), ".")))
  }
  group
}

# An address that names a group which is not there.
refuse_group <- function(text, unknown, layout) {
  if (!layout$grouped) {
    abort("name", c(paste0("There are no groups in this fit, but ", text, " names one."),
                    i = "Give the grouping column with by = when fitting."))
  }
  abort("name", c(paste0("There is no such group: ", text), did_you_mean(unknown, layout$groups),
                  i = paste0("Groups: ", enumerate(layout$groups), ".")))
}

# What was added without being asked for, and what was not: sentences.
list_assumptions <- function(layout, bp) {
  out <- group_assumptions(layout_of_group(layout, 1L), bp)
  asked <- c(bp$hold_equal, bp$let_differ)
  if (!layout$grouped) {
    if (length(asked)) out$assumed <- c(out$assumed, "no groups: nothing is held equal")
    return(out)
  }
  rows <- layout$rows
  what <- function(at) {
    enumerate(unique(address_format(rows$kind[at], rows$first[at], rows$second[at])), most = 8L)
  }
  held <- which(rows$shared & is.na(rows$fixed))
  carried <- function(s) s$kind == "carried" && any(rows$shared[s$loadings])
  loose <- unique(vapply(Filter(carried, layout$scales), `[[`, "", "construct"))
  out$assumed <- c(
    paste0("the same in every group (", enumerate(layout$groups, most = 12L),
           "), each with its own values:"), out$assumed,
    if (length(held)) paste0("held equal across groups: ", what(held)),
    if (length(layout$freed)) {
      paste0("free outside ", layout$groups[1L], ", since intercepts are held: ",
             what(layout$freed))
    },
    if (length(loose)) {
      paste0("variances free outside ", layout$groups[1L], ", since loadings are held: ",
             enumerate(loose))
    })
  out
}

# Of one group.
group_assumptions <- function(layout, bp) {
  rows <- layout$rows
  lines <- character()
  add <- function(...) lines <<- c(lines, paste0(...))
  named <- function(at) enumerate(rows$first[at], most = 12L)
  residual <- which(rows$meaning == "residual variance")
  if (length(residual)) {
    add("residual variances of ", count_of(length(residual), "observed variable"), ": ",
        named(residual))
  }
  disturbance <- which(rows$meaning == "disturbance variance")
  if (length(disturbance)) add("disturbances of ", named(disturbance))
  covariances <- which(rows$kind == "covariance" & rows$assumed)
  if (length(covariances)) {
    among <- unique(c(rbind(rows$first[covariances], rows$second[covariances])))
    count <- if (length(covariances) == 1L) "the covariance of " else
      paste0(length(covariances), " covariances among ")
    add(count, enumerate(among, most = 12L), " (nothing points at them)")
  }
  free <- which(rows$kind == "intercept" & is.na(rows$fixed))
  if (length(free)) {
    add("free intercepts of ", count_of(length(free), "observed variable"),
        if (length(layout$constructs)) "; means of constructs fixed at 0 unless stated")
  }
  for (name in layout$composites) add(name, " is composed of its items, without a disturbance")
  lines <- c(lines, unlist(lapply(layout$scales, scale_sentence, rows = rows)))
  outcomes <- unique(bp$effects$to)
  pairs <- if (length(outcomes) > 1L) utils::combn(outcomes, 2L) else matrix(character(), 2L)
  stated <- rows$kind == "covariance"
  known <- pair_key(rows$first[stated], rows$second[stated])
  missing <- ncol(pairs) > 0L && !all(pair_key(pairs[1L, ], pairs[2L, ]) %in% known)
  not_assumed <- paste0("covariances among the disturbances of ", enumerate(outcomes),
                        "; free them with covary()")
  list(assumed = lines, not_assumed = not_assumed[missing])
}

scale_sentence <- function(scale, rows) {
  plain <- function(at) address_format(rows$kind[at], rows$first[at], rows$second[at])
  switch(scale$kind,
    marker = paste0("scale of ", scale$construct, ": ", plain(scale$marker), " = 1"),
    unit = paste0("scale of ", scale$construct, ": ", plain(scale$variance), " = 1",
                  if (rows$meaning[scale$variance] == "disturbance variance") " (its disturbance)"),
    average = paste0("scale of ", scale$construct, ": its ", length(scale$loadings),
                     " loadings average 1"),
    given = paste0("scale of ", scale$construct, ": from the values you fixed"))
}

# The grouping column of made data.
with_group_column <- function(fit, group, data) {
  if (!fit$layout$grouped) return(data)
  cbind(stats::setNames(list_frame(list(group)), fit$sample$by %||% "group"), data)
}

# Addresses without a group as they are in each group.
in_every_group <- function(layout, addresses) {
  if (!layout$grouped) return(addresses)
  unlist(lapply(addresses, function(text) {
    if (is.null(parse_address(text)$group))
      vapply(layout$groups, function(g) with_group(text, g), "") else text
  }), use.names = FALSE)
}
