# How approximate means of many groups read.

approximate_reading <- function(x) {
  recovery <- x$recovery
  c(unlist(lapply(seq_len(nrow(recovery)), function(k) {
    own <- recovery[k, ]
    values <- list(construct = own$construct, r = format_share(own$correlation, 3L),
                   share = paste0(format_count(round(100 * own$share)), "%"),
                   needed = format_count(own$cases_needed))
    c(do.call(text_of, c(list(paste0("approximate_", own$verdict)), values)),
      if (own$verdict == "do_not_rank" && !is.na(own$cases_needed) &&
          own$correlation < ranking_correlation && !rule_too_different(own$share))
        do.call(text_of, c(list("approximate_needed"), values)),
      if (own$share > 0.1 && !rule_too_different(own$share))
        do.call(text_of, c(list("approximate_tenth"), values)),
      if (rule_too_different(own$share)) do.call(text_of, c(list("approximate_too_different"),
                                                            values)))
  })),
  if (length(x$left_out)) text_of("approximate_left_out", groups = enumerate(x$left_out)))
}

# Means from the highest to the lowest, by construct.
approximate_columns <- function(x, construct) {
  own <- x$means[x$means$construct == construct, ]
  own <- own[order(-own$mean), ]
  titled(list(group = own$group, n = format_count(x$n[own$group]), mean = format_fixed(own$mean, 2L),
              se = ifelse(is.na(own$se), "", format_fixed(own$se, 2L)),
              interval = ifelse(is.na(own$se), "", shown_interval(own$lower, own$upper)),
              variance = format_fixed(own$variance, 2L)))
}

# Which parameters differ in which groups.
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
