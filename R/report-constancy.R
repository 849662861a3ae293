# Reports and methods texts of invariance beyond a few groups: along a variable, and over many
# groups.

constancy_parts <- function(x) {
  columns <- constancy_columns(x)
  drawn <- tryCatch(plot(x), orizzonte_error = function(e) NULL)
  curves <- if (!is.null(attr(x, "curves"))) plot(x, show = "curves")
  report_section(constancy_title(x),
    report_bullets(constancy_reading(x)),
    report_table(columns, code = "parameter", note = paste(constancy_note(x), collapse = " "),
                 caption = text_of("constancy_table", along = attr(x, "along"))),
    if (!is.null(drawn)) report_figure(drawn, text_of("constancy_figure", along = attr(x, "along")),
                                       "constancy", alt = constancy_alt(x)),
    if (!is.null(curves))
      report_figure(curves, text_of("constancy_curves_figure", along = attr(x, "along")), "curves",
                    alt = constancy_alt(x)))
}

constancy_alt <- function(x) paste(constancy_reading(x), collapse = " ")

constancy_paragraphs <- function(x) {
  blocks <- unique(x$block)
  each <- vapply(blocks, function(block) constancy_result(x, block), "")
  constructs <- attr(x, "constructs")
  paste(c(
    text_of(paste0("constancy_methods_", attr(x, "kind")),
            along = attr(x, "along"), n = format_count(attr(x, "n")), what = enumerate(blocks),
            neyman = cite("Neyman 1959"),
            cite = if (attr(x, "kind") == "ordered") cite("Merkle et al. 2014") else
              cite("Merkle & Zeileis 2013")),
    each,
    if (any(x$verdict %in% "changes" & !is.na(x$parameter)))
      text_of("constancy_methods_forward", cite = cite("Holm 1979"))), collapse = " ")
}

# One block in words: its test, and the parameters that changed.
constancy_result <- function(x, block) {
  own <- x[x$block == block, ]
  first <- own[1L, ]
  if (is.na(first$p)) return(text_of("constancy_methods_untested", block = block))
  changed <- own[own$verdict == "changes" & !is.na(own$parameter), ]
  said <- text_of(paste0("constancy_methods_", first$verdict), block = block,
                  statistic = format_fixed(first$statistic, 2L), p = paste("p", p_clause(first$p)))
  if (nrow(changed) == 0L) return(said)
  each <- paste0(addresses_in_words(changed$parameter, character()), " (p ", p_clause(changed$p),
                 ifelse(is.na(changed$difference), "",
                        text_of("constancy_methods_size",
                                difference = format_number(changed$difference))), ")")
  paste(said, text_of("constancy_methods_found", each = enumerate(each)))
}

# --- many groups -------------------------------------------------------------------------------

approximate_parts <- function(x) {
  constructs <- unique(x$means$construct)
  report_section(text_of("approximate_title", by = x$by %||% text_of("approximate_groups")),
    report_bullets(approximate_reading(x)),
    lapply(constructs, function(name) {
      list(report_table(approximate_columns(x, name), note = approximate_note(x),
                        caption = text_of("approximate_table", construct = name)),
           report_bullets(c(differing_words(x, name), set_words(x, name))))
    }),
    report_figure(plot(x), text_of("approximate_figure_title"), "means",
                  height = max(4, 1.5 + 0.25 * max(table(x$means$construct))),
                  alt = paste(approximate_reading(x), collapse = " ")),
    report_figure(plot(x, show = "items"), text_of("approximate_map"), "differing",
                  alt = paste(unlist(lapply(constructs, differing_words, x = x)), collapse = " ")))
}

approximate_paragraphs <- function(x) {
  constructs <- unique(x$means$construct)
  each <- vapply(constructs, function(name) {
    own <- x$means[x$means$construct == name & !is.na(x$means$se), ]
    ends <- own[c(which.max(own$mean), which.min(own$mean)), ]
    recovery <- x$recovery[x$recovery$construct == name, ]
    paste(text_of("approximate_methods_means", construct = name,
                  share = percent_text(recovery$share), high = ends$group[1L],
                  high_mean = format_fixed(ends$mean[1L], 2L),
                  high_se = format_fixed(ends$se[1L], 2L), low = ends$group[2L],
                  low_mean = format_fixed(ends$mean[2L], 2L),
                  low_se = format_fixed(ends$se[2L], 2L)),
          text_of(paste0("approximate_methods_", recovery$verdict),
                  r = format_share(recovery$correlation, 3L)))
  }, "")
  paste(c(text_of("approximate_methods", groups = format_count(length(x$n)),
                  n = paste(format_count(range(x$n)), collapse = " to "),
                  reference = x$reference, cite = cite("Asparouhov & Muth\u00e9n 2014")),
          each, text_of("approximate_methods_recovery",
                        cite = cite("Muth\u00e9n & Asparouhov 2014"))), collapse = " ")
}
