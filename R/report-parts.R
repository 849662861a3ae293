# The components of a report: sections, paragraphs, tables, figures and code.

new_report <- function(title, parts, language = "en") {
  structure(list(title = title, parts = numbered_parts(flat_parts(parts)), language = language),
            class = "orizzonte_report")
}

# Numbers tables and figures, also those in folds and tabs. A table without a caption of its own
# gets the heading above it.
numbered_parts <- function(parts) {
  count <- c(table = 0L, figure = 0L)
  above <- ""
  number <- function(parts) {
    lapply(parts, function(part) {
      if (part$part == "heading") above <<- part$text
      if (part$part == "fold") {
        above <<- part$summary
        part$parts <- number(part$parts)
      }
      if (part$part == "tabs")
        part$tabs <- Map(function(title, tab) {
          own <- number(tab)
          lapply(own, function(one) {
            if (one$part == "table") one$caption <- paste0(one$caption, ": ", title)
            one
          })
        }, part$titles, part$tabs, USE.NAMES = FALSE)
      if (!part$part %in% names(count)) return(part)
      count[[part$part]] <<- count[[part$part]] + 1L
      part$number <- count[[part$part]]
      part$caption <- part$caption %||% above
      part
    })
  }
  number(parts)
}

report_section <- function(heading, ..., level = 1L) {
  c(list(list(part = "heading", text = heading, level = level)), flat_parts(list(...)))
}

# Parts, lists of parts and NULLs, as one list of parts.
flat_parts <- function(parts) {
  out <- list()
  for (part in parts) {
    if (is.null(part)) next
    out <- c(out, if (is.null(part$part)) flat_parts(part) else list(part))
  }
  out
}

# Pieces of a text: plain ones are strings.
in_code <- function(x) structure(list(text = x), class = "orizzonte_code")

in_bold <- function(x) structure(list(text = x), class = "orizzonte_bold")

# Several pieces with commas between.
code_pieces <- function(x) {
  pieces <- lapply(x, in_code)
  unlist(lapply(seq_along(pieces), function(k) {
    c(if (k > 1L) list(", "), list(pieces[[k]]))
  }), recursive = FALSE)
}

report_text <- function(..., tone = "plain") {
  pieces <- text_pieces(...)
  if (length(pieces)) list(part = "text", pieces = pieces, tone = tone)
}

text_pieces <- function(...) {
  given <- list(...)
  out <- list()
  for (one in given) {
    if (is.null(one)) next
    is_piece <- inherits(one, c("orizzonte_code", "orizzonte_bold")) || is.character(one)
    out <- c(out, if (is_piece) list(one) else one)
  }
  Filter(function(piece) !is.character(piece) || any(nzchar(piece)), out)
}

# Long parts, and those that few readers need: closed until they are opened. `parts` may be nested
# like sections.
report_fold <- function(summary, ...) {
  parts <- flat_parts(list(...))
  if (length(parts)) list(part = "fold", summary = summary, parts = parts)
}

# The same for each group in turn, or for a single group without a heading. `by`: a named list of
# parts.
report_tabs <- function(by) {
  by <- Filter(length, lapply(by, function(parts) flat_parts(list(parts))))
  if (length(by) < 2L) return(unlist(unname(by), recursive = FALSE))
  list(part = "tabs", titles = names(by), tabs = unname(by))
}

# All parts, those inside folds and tabs as well, in their order.
report_leaves <- function(parts) {
  unlist(lapply(parts, function(part) {
    switch(part$part, fold = report_leaves(part$parts),
           tabs = unlist(lapply(part$tabs, report_leaves), recursive = FALSE), list(part))
  }), recursive = FALSE)
}

# For formats without interaction: folds are open and tabs follow one another.
unfolded_parts <- function(parts, level = 1L) {
  unlist(lapply(parts, function(part) {
    if (part$part == "heading") level <<- part$level
    heading <- function(text) list(list(part = "heading", text = text, level = level + 1L))
    switch(part$part,
           fold = c(heading(part$summary), unfolded_parts(part$parts, level + 1L)),
           tabs = unlist(Map(function(title, tab) {
             c(heading(title), unfolded_parts(tab, level + 1L))
           }, part$titles, part$tabs), recursive = FALSE), list(part))
  }), recursive = FALSE)
}

# Each item a text or a list of pieces.
report_bullets <- function(items) {
  if (length(items)) list(part = "bullets", items = lapply(items, text_pieces))
}

# Columns of texts; numbers are aligned to the right. `code`: columns that contain addresses.
report_table <- function(columns, code = character(), note = NULL, caption = NULL) {
  if (length(columns) == 0L || length(columns[[1L]]) == 0L) return(NULL)
  columns <- lapply(columns, function(x) ifelse(is.na(x), "", as.character(x)))
  # columns without any entry are left out
  columns <- columns[c(TRUE, vapply(columns[-1L], function(x) any(nzchar(x)), NA))]
  right <- vapply(columns, function(x) {
    any(nzchar(x)) && all(grepl("^[<>= .,0-9()-]*$|^\\[.*\\]$|^fixed$|^at bound$", x))
  }, NA)
  list(part = "table", columns = columns, right = unname(right), code = code, note = note,
       caption = caption)
}

# `alt`: a description of the figure for readers who cannot see it; the caption when NULL. `name`
# becomes the name of a file where figures are files.
report_figure <- function(plot, caption, name, width = 10, height = 6.7, alt = NULL) {
  list(part = "figure", plot = plot, caption = caption,
       alt = paste(c(caption, alt), collapse = ". "), name = name, width = width, height = height)
}

report_code <- function(lines) {
  lines <- as.character(lines)
  split <- strsplit(lines, "\n", fixed = TRUE)
  split[!nzchar(lines)] <- ""
  list(part = "code", lines = unlist(split))
}

# Below a heading of its own.
one_level_down <- function(parts) {
  lapply(parts, function(part) {
    if (part$part == "heading") part$level <- part$level + 1L
    if (part$part == "fold") part$parts <- one_level_down(part$parts)
    if (part$part == "tabs") part$tabs <- lapply(part$tabs, one_level_down)
    part
  })
}

# On one line, without characters that no page can show.
plain_line <- function(x) trimws(gsub("[[:space:]]+", " ", shown_text(x)))

shown_text <- function(x) visible_controls(as_utf8(x))

is_ladder <- function(x) inherits(x, "orizzonte_ladder") || inherits(x, "orizzonte_loosened")

fit_section_names <- c("summary", "diagram", "methods", "data", "model", "fit", "measures",
                       "estimates", "residuals", "modifications", "hypotheses", "history",
                       "limits", "reproduction")

ladder_section_names <- c("summary", "methods", "rungs", "releases", "failing", "means", "items",
                          "groups", "model", "reproduction")

# `sections`: functions by name, of which only the wanted ones are called.
wanted_sections <- function(sections, wanted) {
  if (!is.null(wanted)) sections <- sections[names(sections) %in% wanted]
  unlist(lapply(unname(sections), function(section) section()), recursive = FALSE)
}

# Parameter labels in words, for texts that leave the program.

# Parameter labels within a text as words ("loading of sc2 on Calm"); text that is not a label is
# kept.
addresses_in_words <- function(text, observed) {
  kinds <- paste(c(names(address_kinds), names(readable_kinds)), collapse = "|")
  pattern <- paste0("\\b(", kinds, ")\\[(?:`(?:[^`\\\\]|\\\\.)*`|[^]`])*\\]")
  vapply(text, function(one) {
    found <- gregexpr(pattern, one, perl = TRUE)
    regmatches(one, found) <- lapply(regmatches(one, found), function(addresses) {
      vapply(addresses, address_in_words, "", observed = observed)
    })
    one <- gsub("standardized\\(([^()]*)\\)", "standardized \\1", one)
    gsub(" == ", " = ", one, fixed = TRUE)
  }, "", USE.NAMES = FALSE)
}

address_in_words <- function(address, observed) {
  parsed <- tryCatch(parse_address(address), orizzonte_error_address = function(e) NULL)
  if (is.null(parsed) || !is.null(parsed$pattern) && isTRUE(parsed$pattern)) return(address)
  if (length(parsed$first) != 1L || length(parsed$second) > 1L) return(address)
  kind <- parsed$kind
  two <- kind %in% names(Filter(function(n) n == 2L, c(address_kinds, readable_kinds)))
  if (two && length(parsed$second) == 0L) return(address)
  if (kind %in% c("covariance", "variance") && all(c(parsed$first, parsed$second) %in% observed))
    kind <- paste0("residual_", kind)
  paste0(text_of(paste0("in_words_", kind), first = parsed$first, second = parsed$second),
         if (length(parsed$group)) text_of("in_the_group", where = enumerate(parsed$group)))
}

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

# Reports and methods texts of structural questions: mediation, and models that would fit as well.

mediation_parts <- function(x) {
  report_section(text_of("mediation_title", from = attr(x, "from"), to = attr(x, "to")),
    report_bullets(mediation_reading(x)),
    report_table(mediation_columns(x), note = mediation_note(x),
                 caption = text_of("mediation_table", from = attr(x, "from"),
                                   to = attr(x, "to"))))
}

mediation_paragraphs <- function(x) {
  rows <- x[x$kind != "groups", ]
  words <- c(direct = "mediation_methods_direct", route = "mediation_methods_route",
             indirect = "mediation_methods_indirect", total = "mediation_methods_total",
             contrast = "mediation_methods_contrast")
  each <- vapply(seq_len(nrow(rows)), function(k) {
    text_of(words[[rows$kind[k]]], via = rows$via[k],
            where = if (is.na(rows$group[k])) "" else text_of("mediation_in_group",
                                                              group = rows$group[k]),
            estimate = format_number(rows$estimate[k]), se = format_number(rows$se[k]),
            interval = shown_interval(rows$lower[k], rows$upper[k]),
            level = format(100 * attr(x, "level")),
            beta = if (is.na(rows$standardized[k])) "" else
              text_of("mediation_methods_beta", beta = format_share(rows$standardized[k], 2L)))
  }, "")
  paste(text_of("mediation_methods", from = attr(x, "from"), to = attr(x, "to"),
                method = if (is.null(attr(x, "bootstrap")))
                  text_of("mediation_methods_delta", cite = cite("Sobel 1982")) else
                    text_of("mediation_methods_bootstrap")),
        paste0(capital(paste(each, collapse = "; ")), "."),
        paste(mediation_reading(x, "mediation_methods_"), collapse = " "),
        text_of("mediation_methods_kinds", cite = cite("Zhao et al. 2010")))
}

# --- models that would fit as well --------------------------------------------------------------

equivalent_parts <- function(x) {
  report_section(text_of("equivalent_title"), report_text(paste(equivalent_reading(x),
                                                                collapse = " ")),
                 if (nrow(x)) report_bullets(x$change))
}

equivalent_paragraphs <- function(x) equivalent_sentence(x)

# A sentence on the equivalent models, which names the first few.
equivalent_sentence <- function(x) {
  if (nrow(x) == 0L) return(NULL)
  named <- addresses_in_words(utils::head(x$change, 3L), character())
  text_of("equivalent_methods", count = nrow(x), each = paste(named, collapse = "; "),
          more = if (nrow(x) > length(named)) text_of("equivalent_methods_more") else "",
          cite = cite("MacCallum et al. 1993"))
}

most_structural <- 8L      # variables up to which reports look for equivalent models by themselves

# Equivalent models of a fit with effects among constructs, for reports; NULL where the search is
# not made.
equivalent_of <- function(fit) {
  rows <- fit$layout$rows
  constructs <- fit$layout$constructs
  structural <- rows$kind == "effect" & (rows$first %in% constructs | rows$second %in% constructs)
  size <- length(unique(c(rows$first[structural], rows$second[structural])))
  if (!any(structural) || size > most_structural || !has_converged(fit)) return(NULL)
  cached(fit, "equivalent", tryCatch(equivalent_models(fit), orizzonte_error = function(e) NULL))
}

# Reports of results other than fits and ladders: a trail, a comparison, a confirmation, a
# bootstrap.

trail_parts <- function(x) {
  report_section(text_of("head_trail"),
    report_text(text_of("what_was_changed_why")),
    report_table(trail_columns(x), caption = text_of("head_trail")),
    report_figure(plot(x), text_of("fit_after_each_revision"), "trail", alt = trail_alt(x)))
}

compared_parts <- function(x) {
  texts <- comparison_texts(x)
  report_section(text_of("the_models_compared"),
    report_bullets(pair_sentences(x)), report_text(paste(comparison_reading(x), collapse = " ")),
    report_table(texts$fit, caption = text_of("fit_of_the_models")),
    report_table(texts$changes, caption = text_of("changes_from_model_model")),
    report_bullets(texts$notes))
}

confirmation_parts <- function(x) {
  columns <- confirmation_columns(x)
  report_section(text_of("confirmation_in_fresh_data"),
    report_text(confirmation_header(x)),
    report_text(confirmation_fit(x)), report_text(confirmation_reading(x)),
    report_table(columns$indices, caption = text_of("start_end_trail_these")),
    report_bullets(confirmation_falls(x)),
    report_table(columns$freed, code = "parameter", caption = text_of("what_was_freed")))
}

bootstrap_parts <- function(x, criteria) {
  table <- bootstrap_table(x)
  report_section(text_of("head_bootstrap"),
    report_bullets(c(bootstrap_words(x), claim_shares(x))),
    report_table(bootstrap_columns(table, x$asked), code = "parameter",
                 caption = text_of("bootstrapped_values")),
    if (any(table$se > 0, na.rm = TRUE))
      report_figure(plot(x), text_of("replicates_leading_numbers"), "replicates",
                    alt = replicates_alt(table, x$asked$reps)))
}

# The part of a report in which several fits are compared.

comparison_parts <- function(fits, criteria) {
  compared <- compare_fits(fits, names(fits), "previous", "write_report", criteria)
  texts <- comparison_texts(compared)
  report_section(text_of("the_models_compared"),
    report_bullets(pair_sentences(compared)), report_text(comparison_reading(compared)),
    report_table(texts$fit),
    if (!is.null(texts$changes)) {
      report_section(text_of("head_changes"), level = 2L,
        report_text(text_of("each_model_against_one"),
                    text_of("only_where_one_model")),
        report_table(texts$changes))
    },
    report_bullets(texts$notes),
    report_section(text_of("estimates_side_by_side"), level = 2L,
      report_table(side_columns(do.call(side_by_side, fits))$estimates, code = "parameter")))
}

# Reports of measures: quality and the split into general and specific.

quality_parts <- function(x, heading = "The measures") {
  columns <- quality_columns(x)
  report_section(heading, report_text(paste(quality_header(x), collapse = " ")),
    report_bullets(quality_conclusion(x)),
    report_table(columns, note = quality_note(x), caption = text_of("reliability_and_validity")),
    if (!is.null(x$pairs))
      report_section(text_of("means_distinguishable"), level = 2L,
        report_table(pair_texts(x), caption = text_of("constructs_told_apart")),
        report_fold(text_of("fornell_and_larcker_s_table"), fornell_larcker_parts(x))),
    if (NROW(x$left_out))
      report_fold(text_of("without_single_items"),
                  report_table(left_out_columns(x), code = "without",
                               caption = text_of("refitted_without_single_items"))),
    report_figure(plot(x), text_of("reliabilities_average_variance_extracted"),
                  "quality", height = max(3.5, 1.6 + 0.45 * nrow(x$table)), alt = quality_alt(x)))
}

quality_note <- function(x) one_line(quality_legend(x))

# Correlations, the root of the average variance extracted in the diagonal.
fornell_larcker_parts <- function(x) {
  by <- if (is.matrix(x$fornell_larcker)) list(x$fornell_larcker) else x$fornell_larcker
  note <- text_of("diagonal_square_root_average")
  report_tabs(lapply(by, function(m) {
    text <- matrix(format_share(m), nrow(m))
    text[upper.tri(text)] <- ""
    columns <- lapply(seq_len(ncol(m)), function(k) text[, k])
    report_table(c(list(construct = rownames(m)), stats::setNames(columns, colnames(m))),
                 note = note, caption = text_of("average_variance_extracted_correlations"))
  }))
}

split_parts <- function(x, heading = text_of("general_and_specific")) {
  columns <- split_columns(x)
  report_section(heading, report_bullets(x$reading),
    report_table(columns$items, code = "item", caption = text_of("shares_each_item_s")),
    report_table(columns$scores, caption = text_of("what_scores_would_measure")),
    report_figure(plot(x), text_of("general_specific_residual_share"), "split", alt = split_alt(x)))
}

trail_columns <- function(x) {
  start <- x$revision == 0
  reason <- ifelse(start | nzchar(x$because), x$because, text_of("no_reason_given_brackets"))
  titled(list(
       revision = format_count(x$revision),
       change = ifelse(start, text_of("original_model"), x$change),
       because = paste0(reason, ifelse(nzchar(x$note), paste0(" (", x$note, ")"), "")),
       `predicted drop` = format_fixed(x$predicted_drop, 2L),
       `refitted drop` = format_fixed(x$actual_drop, 2L), chisq = format_fixed(x$chisq, 2L),
       df = format_count(x$df), p_change = format_p(x$p_change),
       CFI = format_share(x$cfi, 3L), RMSEA = format_share(x$rmsea, 3L),
       BIC = format_fixed(x$bic, 1L)))
}

# The table of movements: how the leading changes affect the conclusions.
report_moves <- function(found, shown) {
  columns <- move_columns(found, shown)
  if (is.null(columns)) return(NULL)
  report_table(columns, code = "change", caption = text_of("moves_title"),
               note = text_of("moves_legend", instruction = instruction("all_movements")))
}
