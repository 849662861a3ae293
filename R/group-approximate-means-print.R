# The print of approximate means of many groups.

# Which means may be ranked, what ranking would take, and which groups are left out.
approximate_reading <- function(x) {
  recovery <- x$recovery
  each <- text_of("approximate_each", construct = recovery$construct,
                  r = format_share(recovery$correlation, 3L),
                  share = paste0(format_count(round(100 * recovery$share)), "%"))
  said <- function(verdict) {
    own <- recovery$verdict == verdict
    if (any(own)) text_of(paste0("approximate_", verdict), each = enumerate(each[own], most = 12L))
  }
  uncertain <- recovery$correlation < ranking_correlation & !is.na(recovery$cases_needed)
  biased <- recovery$share > 0.1 & !rule_too_different(recovery$share)
  different <- rule_too_different(recovery$share)
  c(said("rank"), said("do_not_rank"), text_of("approximate_criterion"),
    if (any(uncertain)) text_of("approximate_needed", each = enumerate(paste(
      recovery$construct[uncertain], needed_words(recovery$cases_needed[uncertain])),
      most = 12L)),
    if (any(biased)) text_of("approximate_tenth", names = enumerate(recovery$construct[biased])),
    if (any(different))
      text_of("approximate_too_different", names = enumerate(recovery$construct[different])),
    if (length(x$left_out)) text_of("approximate_left_out", groups = enumerate(x$left_out)))
}

# Numbers of cases beyond what any study has are not spelled out.
needed_words <- function(cases) {
  ifelse(cases > 10000, text_of("approximate_many_cases"), format_count(cases))
}

# A line for the figure.
approximate_short <- function(x) {
  said <- function(verdict) {
    own <- x$recovery$construct[x$recovery$verdict == verdict]
    if (length(own)) text_of(paste0("approximate_short_", verdict), names = enumerate(own))
  }
  paste(c(said("rank"), said("do_not_rank")), collapse = " ")
}

# Means from the highest to the lowest, by construct.
approximate_columns <- function(x, construct) {
  own <- x$means[x$means$construct == construct, ]
  own <- own[order(-own$mean), ]
  titled(list(group = own$group, n = format_count(x$n[own$group]),
              mean = format_fixed(own$mean, 2L),
              se = ifelse(is.na(own$se), "", format_fixed(own$se, 2L)),
              interval = ifelse(is.na(own$se), "", shown_interval(own$lower, own$upper)),
              variance = format_fixed(own$variance, 2L)))
}

# Sentences on the parameters that differ, with their groups.
differing_words <- function(x, construct) {
  own <- x$noninvariant[x$noninvariant$construct == construct & x$noninvariant$differs, ]
  if (nrow(own) == 0L) return(text_of("approximate_none_differ"))
  key <- paste0(own$parameter, "[", own$item, "]")
  vapply(unique(key), function(one) {
    text_of("approximate_differs", parameter = one,
            groups = enumerate(own$group[key == one], most = 12L))
  }, "", USE.NAMES = FALSE)
}

set_words <- function(x, construct) {
  sets <- x$sets[[construct]]
  if (is.null(sets)) return(NULL)
  if (length(sets) == 1L) return(text_of("approximate_one_set"))
  each <- vapply(sets, function(set) paste0("(", enumerate(set, most = 12L), ")"), "")
  text_of("approximate_sets", count = length(sets), each = enumerate(each, most = 12L))
}

approximate_note <- function(x) {
  text_of("approximate_note", reference = x$reference)
}

#' @export
print.orizzonte_approximate_means <- function(x, ...) {
  put_lines(heading(text_of("approximate_title", by = x$by %||% text_of("approximate_groups"))),
            wrap_lines(approximate_reading(x)))
  for (construct in unique(x$means$construct)) {
    columns <- approximate_columns(x, construct)
    put_lines("", construct, format_table(columns, names(columns) != "group"), "",
              wrap_lines(differing_words(x, construct)), wrap_lines(set_words(x, construct)))
  }
  put_lines("", wrap_lines(approximate_note(x)), "", next_step("approximate_next"))
  invisible(x)
}
