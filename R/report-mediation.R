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

# Those of a fit with effects among constructs, for reports; NULL where the search is not made.
equivalent_of <- function(fit) {
  rows <- fit$layout$rows
  constructs <- fit$layout$constructs
  structural <- rows$kind == "effect" & (rows$first %in% constructs | rows$second %in% constructs)
  size <- length(unique(c(rows$first[structural], rows$second[structural])))
  if (!any(structural) || size > most_structural || !has_converged(fit)) return(NULL)
  cached(fit, "equivalent", tryCatch(equivalent_models(fit), orizzonte_error = function(e) NULL))
}
