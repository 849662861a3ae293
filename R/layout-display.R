# What a layout says of itself in words: addresses as a user meets them, and what was assumed.

# Addresses with the group when there are several.
shown_address <- function(layout, kind, first, second = NA_character_, group) {
  address_format(kind, first, second, shown_group(layout, group))
}

# Addresses without a group as they are in each group.
in_every_group <- function(layout, addresses) {
  unlist(lapply(addresses, function(text) {
    if (!is.null(parse_address(text)$group)) return(text)
    vapply(layout$groups, function(g) with_group(text, named_group(layout, g)), "")
  }), use.names = FALSE)
}

# The groups of a diagram: those asked for, or all.
diagram_groups <- function(layout, groups) {
  if (is.null(groups)) return(layout$groups)
  vapply(groups, function(group) chosen_group(layout, group), "", USE.NAMES = FALSE)
}

# What was added without being asked for, and what was not: sentences.
list_assumptions <- function(layout, bp) {
  out <- group_assumptions(layout_of_group(layout, 1L), bp)
  rows <- layout$rows
  what <- function(at) {
    enumerate(unique(address_format(rows$kind[at], rows$first[at], rows$second[at])), most = 8L)
  }
  held <- function(mark) which(rows[[mark]] & is.na(rows$fixed))
  carried <- Filter(function(s) s$kind == "carried", layout$scales)
  later <- vapply(carried, function(s) s$group == 1L, NA)
  loose <- function(which) unique(vapply(carried[which], `[[`, "", "construct"))
  out$assumed <- c(
    every_group_words(layout), out$assumed,
    nothing_held_words(layout, c(bp$hold_equal, if (length(bp$repeated) == 0L) bp$let_differ)),
    if (length(bp$hold_equal_times) && length(bp$repeated) == 0L)
      "no times: nothing is held equal over them",
    if (length(held("over_groups")))
      paste0("held equal across groups: ", what(held("over_groups"))),
    if (length(held("over_times"))) paste0("held equal over times: ", what(held("over_times"))),
    if (length(layout$freed)) {
      paste0("free outside ", layout$groups[1L], ", since intercepts are held: ",
             what(layout$freed))
    },
    if (length(layout$freed_later)) {
      paste0("free after the first time, since intercepts are held: ", what(layout$freed_later))
    },
    if (any(!later)) {
      paste0("variances free outside ", layout$groups[1L], ", since loadings are held: ",
             enumerate(loose(!later)))
    },
    if (any(later)) {
      paste0("variances free after the first time, since loadings are held: ",
             enumerate(loose(later)))
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
  residuals <- which(rows$kind == "covariance" & rows$assumed &
                       rows$meaning == "residual covariance")
  if (length(residuals)) {
    add("residuals of the same item covary over times: ",
        enumerate(address_format("covariance", rows$first[residuals], rows$second[residuals]),
                  most = 8L))
  }
  covariances <- which(rows$kind == "covariance" & rows$assumed &
                         rows$meaning != "residual covariance")
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
  missing <- which(!pair_key(pairs[1L, ], pairs[2L, ]) %in% known)
  not_assumed <- paste0("covariances among the disturbances of ", enumerate(outcomes),
                        covary_advice(layout, pairs[, missing, drop = FALSE]))
  list(assumed = lines, not_assumed = not_assumed[length(missing) > 0L])
}

# Disturbances may covary where neither outcome leads to the other and moments are left for it.
covary_advice <- function(layout, pairs) {
  apart <- !reaches(layout, pairs[1L, ], pairs[2L, ]) & !reaches(layout, pairs[2L, ], pairs[1L, ])
  apart <- apart & !(pairs[1L, ] %in% layout$composites | pairs[2L, ] %in% layout$composites)
  p <- length(layout$observed)
  rows <- layout$rows
  free <- is.na(rows$fixed) & rows$family != parameter_families[["mean"]]
  left <- p * (p + 1) / 2 - length(unique(rows$class[free]))
  if (!any(apart) || left < sum(apart)) return("")
  if (all(apart)) return("; free them with covary()")
  paste0("; covary() can free those of ",
         enumerate(paste0(pairs[1L, apart], " and ", pairs[2L, apart]), most = 3L))
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
