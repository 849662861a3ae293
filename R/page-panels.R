# The contents of the live page as HTML: the parts of reports, beside forms whose buttons name an
# action. The values of a form are sent with the button that is pressed in it.

# All places of the page, as one text each.
page_places <- function(state, panel = NULL) {
  version <- current_version(state)
  as_text <- function(x) as.character(htmltools::doRenderTags(htmltools::tagList(x)))
  wordings <- page_wordings(state)
  summary <- page_summary(version)
  list(head = as_text(page_head(state, summary)),
       drawing = as_text(list(
         group_choice(version$fit, state$group),
         if (is.null(panel)) page_note("page_nothing_drawn") else
           page_svg(panel, state$chosen, wordings),
         chosen_card(state, wordings))),
       panel = as_text(list(page_message(state), stage_panel(state))),
       title = version$blueprint$title %||% "", summary = summary,
       stage = state$stage, version = state$at)
}

# The diagram shows one group; these buttons choose it.
group_choice <- function(fit, chosen) {
  groups <- fit$layout$groups
  if (length(groups) < 2L) return(NULL)
  page_form(lapply(groups, function(group) {
    page_button(group, "group", `data-group` = group, `data-key` = paste0("group-", group),
                class = "quiet",
                `aria-pressed` = if (group == page_group(fit, chosen)) "true" else "false")
  }))
}

page_wordings <- function(state) {
  version <- current_version(state)
  if (!is.null(version$fit)) return(all_wordings(version$fit))
  unlist(version$blueprint$wording)
}

page_note <- function(name, ...) {
  htmltools::tags$p(class = "note", text_of(name, ...))
}

page_button <- function(label, do, ..., class = NULL) {
  htmltools::tags$button(type = "button", class = class, `data-do` = do, ..., label)
}

page_field <- function(label, name, value = "", ...) {
  tags <- htmltools::tags
  tags$label(tags$span(label), tags$input(type = "text", name = name, value = value, ...))
}

# `choices`: values, which are shown themselves or by their names. Options are written as text
# because long lists of tags take a while.
page_select <- function(label, name, choices, chosen = NULL) {
  tags <- htmltools::tags
  escaped <- function(x) htmltools::htmlEscape(x, attribute = TRUE)
  options <- paste0("<option value=\"", escaped(unname(choices)), "\"",
                    ifelse(choices %in% chosen, " selected", ""), ">",
                    escaped(names(choices) %||% choices), "</option>", collapse = "")
  tags$label(tags$span(label), tags$select(name = name, htmltools::HTML(options)))
}

page_form <- function(...) htmltools::tags$div(class = "form", `data-form` = NA, ...)

# The page shows tables without numbering, because their values appear at once; figures are left to
# reports.
page_report <- function(parts) {
  parts <- Filter(function(part) part$part != "figure", flat_parts(list(parts)))
  lapply(numbered_parts(one_level_down(parts)), function(part) html_part(without_number(part)))
}

without_number <- function(part) {
  part$number <- NULL
  if (part$part == "fold") part$parts <- lapply(part$parts, without_number)
  if (part$part == "tabs") part$tabs <- lapply(part$tabs, lapply, without_number)
  part
}

page_message <- function(state) {
  lines <- c(state$message, current_version(state)$problem)
  if (length(lines) == 0L) return(NULL)
  htmltools::tags$div(class = "caution", role = "alert", lapply(lines, htmltools::tags$p))
}

# --- the head ------------------------------------------------------------------------------------

page_head <- function(state, summary) {
  tags <- htmltools::tags
  version <- current_version(state)
  list(
    tags$h1(plain_line(version$blueprint$title %||% "")),
    tags$p(class = "facts", summary),
    tags$nav(`aria-label` = text_of("page_stages"), lapply(page_stages, function(stage) {
      page_button(text_of(paste0("page_stage_", stage)), "stage", `data-stage` = stage,
                  `data-key` = paste0("stage-", stage),
                  `aria-current` = if (stage == state$stage) "page")
    })),
    page_button(text_of("page_back"), "back", class = "quiet", `data-key` = "back",
                disabled = if (version$parent < 1L) NA))
}

# One line on where the model stands.
page_summary <- function(version) {
  fit <- version$fit
  if (!is.null(fit) && has_converged(fit)) {
    key <- key_indices(fit_indices(fit))
    value <- function(name) format_index(name, key$value[match(name, key$index)])
    return(text_of("page_facts_fit", chisq = value("chisq"),
                   df = format_count(stats::df.residual(fit)), cfi = value("cfi"),
                   rmsea = value("rmsea"), srmr = value("srmr")))
  }
  if (!is.null(fit)) return(text_of("page_facts_not_converged"))
  layout <- attempt(theory_layout(version$blueprint))$fit
  if (is.null(layout)) return(text_of("page_facts_empty"))
  format_count_line(layout_counts(layout))
}

# --- the part that was chosen --------------------------------------------------------------------

chosen_card <- function(state, wordings) {
  tags <- htmltools::tags
  if (is.null(state$chosen)) return(page_note("page_choose_part"))
  version <- current_version(state)
  address <- state$chosen
  parsed <- parse_address(address)
  variables <- intersect(c(parsed$first, parsed$second), names(wordings))
  list(tags$div(class = "card", tags$h2(tags$code(address)),
    tags$p(address_in_words(address, blueprint_variables(version$blueprint)$observed)),
    chosen_estimate(version$fit, address),
    if (length(variables)) tags$dl(lapply(variables, function(name) {
      list(tags$dt(name), tags$dd(plain_line(wordings[[name]])))
    })),
    page_form(
      page_field(text_of("page_reason"), "because", `data-key` = "omit-because"),
      page_button(text_of("page_leave_out"), "omit", `data-address` = address,
                  `data-key` = "omit"),
      page_field(text_of("page_hold_at"), "value", size = 5, `data-key` = "hold-value"),
      page_button(text_of("page_hold"), "hold", `data-address` = address, `data-key` = "hold")),
    equal_form(version, address)))
}

# Parameters of the same kind, one of which may be made equal; a restriction may be released.
equal_form <- function(version, address) {
  known <- known_addresses(version)
  kinds <- vapply(known, function(one) parse_address(one)$kind, "")
  others <- setdiff(known[kinds == kinds[match(address, known)]], address)
  held <- any(vapply(version$blueprint$restrict, function(restriction) {
    address %in% restriction_addresses(restriction)
  }, NA))
  if (length(others) == 0L && !held) return(NULL)
  page_form(
    if (length(others)) list(
      page_select(text_of("page_equal_to"), "other", others),
      page_button(text_of("page_equate"), "equate", `data-address` = address,
                  `data-key` = "equate")),
    if (held) page_button(text_of("page_release"), "release", `data-address` = address,
                          `data-key` = "release"))
}

chosen_estimate <- function(fit, address) {
  if (is.null(fit) || !has_values(fit)) return(NULL)
  x <- estimates(fit)
  x <- x[x$parameter == address, ]
  if (nrow(x) == 0L) return(NULL)
  page_report(report_table(list(
    estimate = format_number(x$estimate), SE = format_number(x$se), p = format_p(x$p),
    `95% interval` = format_limits(x$lower, x$upper, 3L),
    standardized = format_share(x$standardized, 2L)), caption = text_of("head_estimates")))
}

# --- the stages ----------------------------------------------------------------------------------

stage_panel <- function(state) {
  switch(state$stage, model = model_panel(state), fit = fit_panel(state),
         amend = amend_panel(state), measures = measures_panel(state),
         groups = groups_panel(state), report = report_panel(state))
}

measures_panel <- function(state) {
  quality <- state$found$quality
  if (is.null(quality)) return(page_note("page_nothing_measured"))
  page_report(quality_parts(quality))
}

# Items on the left are chosen, then placed into a construct.
model_panel <- function(state) {
  tags <- htmltools::tags
  version <- current_version(state)
  bp <- version$blueprint
  wordings <- page_wordings(state)
  item <- function(name) {
    words <- unname(wordings[name])
    tags$li(page_button(list(tags$b(name), if (length(words) && !is.na(words))
      tags$span(plain_line(words))), "pick", class = "item", `data-item` = name,
      `data-key` = paste0("item-", name), `aria-pressed` = "false"))
  }
  free <- setdiff(page_columns(state), blueprint_variables(bp)$observed)
  names <- names(bp$constructs)
  list(
    tags$h2(text_of("page_stage_model")), page_note("page_model_how"),
    lapply(names, function(name) {
      tags$section(class = "construct", `data-construct` = name,
        tags$h3(name), tags$ul(class = "items", lapply(bp$constructs[[name]]$items, item)),
        page_button(text_of("page_place_here"), "place", `data-construct` = name,
                    `data-key` = paste0("place-", name), class = "needs-items"))
    }),
    page_form(
      page_field(text_of("page_new_construct"), "name", `data-key` = "new-name"),
      page_button(text_of("page_add_construct"), "add_construct", class = "needs-items",
                  `data-key` = "add-construct")),
    if (length(free)) list(tags$h3(text_of("page_free_items")),
                           tags$ul(class = "items", lapply(free, item))),
    page_form(page_button(text_of("page_remove_items"), "remove", class = "quiet needs-items",
                          `data-key` = "remove")),
    relation_form(bp, free), claims_form(state),
    tags$h3(text_of("head_defaults")), page_assumptions(version),
    page_files())
}

relation_form <- function(bp, free) {
  ends <- unique(c(names(bp$constructs), blueprint_variables(bp)$observed, free))
  if (length(ends) < 2L) return(NULL)
  list(htmltools::tags$h3(text_of("page_relations")), page_form(
    page_select(text_of("page_from"), "first", ends),
    page_select(text_of("page_to"), "second", ends, ends[2L]),
    page_button(text_of("page_add_effect"), "relate", `data-relation` = "effect",
                `data-key` = "add-effect"),
    page_button(text_of("page_add_covariance"), "relate", `data-relation` = "covariance",
                `data-key` = "add-covariance")))
}

# The hypotheses, and a new one, which begins with the part that was chosen.
claims_form <- function(state) {
  tags <- htmltools::tags
  bp <- current_version(state)$blueprint
  if (length(bp$constructs) + length(bp$effects$from) == 0L) return(NULL)
  begun <- if (is.null(state$chosen)) "" else paste(state$chosen, "> 0")
  list(tags$h3(text_of("page_claims")), page_note("page_claims_how"),
       if (length(bp$claims)) tags$ul(class = "claims", lapply(names(bp$claims), function(name) {
         tags$li(tags$b(name), tags$code(bp$claims[[name]]),
                 page_button(text_of("page_claim_remove", name = name), "unclaim",
                             `data-name` = name, class = "quiet",
                             `data-key` = paste0("unclaim-", name)))
       })),
       page_form(page_field(text_of("page_claim_statement"), "statement", begun, class = "wide",
                            `data-key` = paste0("claim-", state$chosen)),
                 page_field(text_of("page_claim_name"), "name", next_claim_name(bp), size = 4,
                            `data-key` = paste0("claim-name-", length(bp$claims))),
                 page_button(text_of("page_claim_add"), "claim", `data-key` = "add-claim")))
}

# Numeric columns of the data, which may be items.
page_columns <- function(state) {
  if (!is.data.frame(state$data)) return(character())
  names(state$data)[vapply(state$data, is.numeric, NA)]
}

page_assumptions <- function(version) {
  layout <- if (!is.null(version$fit)) version$fit$layout else
    attempt(theory_layout(version$blueprint))$fit
  if (is.null(layout)) return(page_note("page_facts_empty"))
  page_report(report_code(c(format_assumptions(layout, version$blueprint)[-1L], "",
                            format_counts(layout))))
}

page_files <- function() {
  tags <- htmltools::tags
  file <- function(label, do, kinds) {
    tags$label(tags$span(label), tags$input(type = "file", `data-upload` = do, accept = kinds))
  }
  tags$details(tags$summary(text_of("page_open_files")), page_form(
    file(text_of("page_open_blueprint"), "open", ".yaml,.yml"),
    file(text_of("page_open_data"), "use_data", ".csv,.tsv,.txt,.sav,.dta,.sas7bdat,.parquet")))
}

fit_panel <- function(state) {
  fit <- current_version(state)$fit
  if (is.null(fit)) return(page_note("page_nothing_fitted"))
  criteria <- NULL
  list(htmltools::tags$h2(text_of("page_stage_fit")),
       page_report(list(fit_trouble(fit), fit_summary_parts(fit, criteria)[-1L])),
       if (has_values(fit)) page_residuals(fit),
       page_report(fit_claim_parts(fit, criteria)),
       if (has_values(fit)) page_report(fit_estimate_parts(fit)))
}

# The residual correlations as a table of cells, each with the texts of both items.
page_residuals <- function(fit) {
  tags <- htmltools::tags
  if (stats::df.residual(fit) == 0) return(NULL)
  wordings <- all_wordings(fit)
  all <- stats::residuals(fit, in_units = "correlation")
  words <- function(name) {
    paste(c(name, plain_line(wordings[name][!is.na(wordings[name])])), collapse = ": ")
  }
  list(tags$h2(text_of("head_residuals")), page_note("page_residuals_how"),
       lapply(names(all), function(group) {
    m <- all[[group]]$covariance
    names <- rownames(m)
    tags$div(class = "table", tags$table(class = "residuals",
      tags$caption(if (length(all) > 1L) group else text_of("map_of_residuals")),
      tags$thead(tags$tr(tags$td(), lapply(names, function(x) tags$th(scope = "col", x)))),
      tags$tbody(lapply(seq_along(names), function(i) {
        tags$tr(tags$th(scope = "row", names[i]), lapply(seq_len(i), function(j) {
          value <- m[i, j]
          size <- if (is.finite(value)) format_fixed(min(1, abs(value) * 5), 2L)
          tags$td(tabindex = if (j < i) "0", style = if (length(size)) paste0("--size:", size),
                  class = if (isTRUE(value < 0)) "below" else "above",
                  title = paste(words(names[i]), words(names[j]), sep = "\n"),
                  if (j < i) format_share(value, 2L) else "")
        }))
      }))))
  }))
}

amend_panel <- function(state) {
  tags <- htmltools::tags
  fit <- current_version(state)$fit
  if (is.null(fit) || !has_converged(fit)) return(page_note("page_nothing_fitted"))
  found <- state$found$amendments
  x <- if (!is.null(found)) utils::head(as.data.frame(found), 10L)
  list(
    tags$h2(text_of("what_could_be_freed")),
    if (!is.null(attr(found, "nothing"))) tags$p(class = "caution", attr(found, "nothing")),
    page_note("ten_largest_modification_indices"),
    page_form(
      page_field(text_of("page_reason"), "because", class = "wide", `data-key` = "because"),
      tags$div(class = "table", tags$table(class = "amendments",
        tags$thead(tags$tr(lapply(text_of_each(amend_heads), function(head) {
          tags$th(scope = "col", head)
        }))),
        tags$tbody(lapply(seq_len(NROW(x)), function(k) amend_row(x[k, ], all_wordings(fit))))))),
    if (!is.null(found)) page_report(report_moves(found, x)),
    page_trail(state))
}

amend_heads <- c("page_head_free", "page_head_parameter", "page_head_index", "page_head_p",
                 "page_head_change", "page_head_drop")
text_of_each <- function(names) vapply(names, text_of, "", USE.NAMES = FALSE)

# A row with the texts of its items, which should be read before anything is freed.
amend_row <- function(row, wordings) {
  tags <- htmltools::tags
  number <- function(text) tags$td(class = "right", text)
  parsed <- parse_address(row$parameter)
  about <- intersect(c(parsed$first, parsed$second), names(wordings))
  tags$tr(
    tags$td(page_button(text_of("page_free"), "free", `data-address` = row$parameter,
                        `data-key` = paste0("free-", row$parameter))),
    tags$td(tags$code(row$parameter), tags$div(row_words(row)),
            lapply(about, function(name) {
              tags$div(class = "note", paste0(name, ": ", plain_line(wordings[[name]])))
            })),
    number(format_fixed(row$modification_index, 2L)), number(format_p(row$p_adjusted)),
    number(format_share(row$expected_change_std, 2L)), number(format_fixed(row$actual_drop, 2L)))
}

# Every version, with the way back to it.
page_trail <- function(state) {
  tags <- htmltools::tags
  fit <- current_version(state)$fit
  list(
    if (length(current_version(state)$blueprint$trail)) page_report(fit_trail_parts(fit)),
    tags$h2(text_of("page_versions")),
    tags$ol(class = "versions", lapply(seq_along(state$versions), function(k) {
      version <- state$versions[[k]]
      tags$li(page_button(version_label(version), "go", `data-version` = k, class = "quiet",
                          `data-key` = paste0("version-", k),
                          `aria-current` = if (k == state$at) "true"),
              tags$span(class = "note", page_summary(version)))
    })))
}

version_label <- function(version) {
  change <- version$change
  if (is.null(change)) return(text_of("page_version_model"))
  if (length(change$claim)) return(text_of("page_version_claim", name = change$claim))
  if (length(change$unclaim)) return(text_of("page_version_unclaim", name = change$unclaim))
  name <- if (length(change$free)) "page_version_freed" else "page_version_omitted"
  text_of(name, parameter = c(change$free, change$omit), because = change$because)
}

groups_panel <- function(state) {
  tags <- htmltools::tags
  if (!is.data.frame(state$data)) return(page_note("page_groups_need_data"))
  ladder <- last_page_ladder(state)
  loosened <- state$found$loosened
  bp <- current_version(state)$blueprint
  columns <- setdiff(names(state$data), blueprint_variables(bp)$observed)
  # the columns that name groups come first; repeated measures are also compared over time
  columns <- columns[order(vapply(state$data[columns], is.numeric, NA))]
  columns <- stats::setNames(columns, columns)
  several <- length(bp$repeated) > 0L
  if (several) columns <- c(stats::setNames("", text_of("page_no_groups")), columns)
  over <- stats::setNames(c("", "groups", "times"), text_of_each(paste0(
    "page_over_", c("all", "groups", "times"))))
  list(
    tags$h2(text_of("page_stage_groups")),
    page_form(page_select(text_of("page_group_by"), "by", columns, state$found$by),
              if (several) page_select(text_of("page_over"), "over", over, state$found$over),
              page_button(text_of("page_climb"), "ladder", `data-key` = "climb")),
    if (!is.null(ladder)) list(
      page_report(ladder_cautions(ladder)),
      tags$ul(lapply(c(ladder$reading, if (length(loosened))
        loosened_reading(loosened[[length(loosened)]])), function(x) tags$li(plain_line(x)))),
      page_report(list(report_table(ladder_columns(ladder)$fit,
                                    caption = text_of("fit_of_each_rung")),
                       report_table(ladder_columns(ladder)$changes,
                                    caption = text_of("head_changes")))),
      page_form(page_select(text_of("page_rung"), "rung", names(ladder$fits)[-1L]),
                page_button(text_of("page_loosen"), "loosen", `data-key` = "loosen")),
      page_report(ladder_mean_parts(ladder))))
}

report_panel <- function(state) {
  tags <- htmltools::tags
  version <- current_version(state)
  link <- function(name, label) {
    tags$li(tags$a(href = "#", `data-download` = name, `data-key` = paste0("download-", name),
                   label))
  }
  list(
    tags$h2(text_of("page_stage_report")), page_note("page_report_how"),
    tags$ul(class = "downloads", Map(link, names(page_downloads(version)),
                                     text_of_each(paste0("page_download_",
                                                         names(page_downloads(version)))))),
    if (!is.null(version$fit) && has_converged(version$fit))
      page_report(report_section(text_of("methods_and_results"),
                                 lapply(methods_text(version$fit)$paragraphs, report_text))),
    page_form(
      if (!is.null(version$fit) && has_converged(version$fit)) list(
        page_field(text_of("page_reps"), "reps", "1000", size = 6, `data-key` = "reps"),
        page_button(text_of("page_bootstrap"), "bootstrap", `data-key` = "bootstrap")),
      page_button(text_of("page_finish"), "finish", `data-key` = "finish")),
    if (!is.null(state$found$bootstrap)) page_report(bootstrap_parts(state$found$bootstrap, NULL)),
    tags$h2(text_of("page_script")), page_report(report_code(page_script(state))))
}

# Names of the files that the page offers; reports are among them.
page_reports <- c("html", "word")
page_downloads <- function(version) {
  fitted <- !is.null(version$fit)
  c(script = "analysis.R", blueprint = "blueprint.yaml",
    if (fitted) c(study = "study.yaml", html = "report.html", word = "report.docx"))
}

# The diagram of the live page: an arrangement as SVG whose parts carry their addresses. Lengths are
# hundredths of an inch, from the upper left corner.

page_paper <- c(7.4, 5.8)  # inches

# The arrangement of a version, at the places that `saved` has where these still serve. Where the
# paths are those of the arrangement `before`, only its values change.
page_arrangement <- function(version, saved = NULL, before = NULL, group = NULL) {
  view <- page_view(version, group)
  if (is.null(view)) return(NULL)
  same <- c("parameter", "kind", "row", "col")
  if (!is.null(before) && identical(before$layout$rows[same], view$layout$rows[same]))
    return(with_values(before, view))
  if (!all(c(view$layout$constructs, view$layout$observed) %in% saved$places$name)) saved <- NULL
  panel <- arrange_panels(list(view), NULL, page_paper, saved = saved)[[1L]]
  panel$layout <- view$layout
  panel
}

# `group`: the group that is drawn; the first one when it is NULL or does not exist.
page_view <- function(version, group = NULL) {
  fit <- version$fit
  if (!is.null(fit) && has_values(fit))
    return(diagram_view(group_view(fit, page_group(fit, group)), fit, "standardized", NULL, NULL,
                        FALSE))
  layout <- attempt(theory_layout(version$blueprint))$fit
  if (!is.null(layout) && length(layout$rows$kind)) theory_view(version$blueprint, layout)
}

page_group <- function(fit, group) {
  groups <- fit$layout$groups
  if (isTRUE(group %in% groups)) group else groups[1L]
}

# The markup is written as text instead of tags, which take twenty times as long: the diagram is
# sent often. Addresses, names and values are escaped here, all at once; the other attributes are
# our own.
page_svg <- function(panel, chosen = NULL, wordings = character()) {
  scale <- 100
  tall <- panel$page[[2L]]
  at <- function(x, y) cbind(round(scale * x, 1L), round(scale * (tall - y), 1L))
  address <- svg_escaped(panel$layout$rows$parameter)
  chosen <- if (!is.null(chosen)) svg_escaped(chosen)
  texts <- svg_escaped(vapply(panel$edges, function(edge) edge$text %||% "", ""))
  panel$nodes$name <- svg_escaped(panel$nodes$name)
  if (length(wordings)) names(wordings) <- svg_escaped(names(wordings))
  wordings <- vapply(wordings, svg_escaped, "")
  letters <- scale * panel$text_size / 72
  lines <- which(!vapply(panel$edges, function(edge) isTRUE(edge$tag), NA))
  edges <- vapply(lines, function(k) {
    edge <- panel$edges[[k]]
    edge$text <- texts[k]
    svg_edge(edge, address[edge$row], at, letters, identical(address[edge$row], chosen))
  }, "")
  nodes <- vapply(seq_along(panel$nodes$name), function(k) {
    svg_node(lapply(panel$nodes, `[`, k), at, scale, letters, wordings)
  }, "")
  htmltools::HTML(svg_tag("svg", c(
    viewBox = paste("0 0", scale * panel$page[[1L]], scale * tall), role = "group",
    `aria-label` = text_of("page_diagram_label"), class = "diagram"),
    c(svg_heads(), edges, nodes, svg_cells(panel$matrix, address, at, scale, chosen))))
}

svg_escaped <- function(x) htmltools::htmlEscape(enc2utf8(as.character(x)), attribute = TRUE)

# An element, of attributes and contents that are escaped already.
svg_tag <- function(name, attributes, inner = NULL) {
  paste0("<", name, paste0(" ", names(attributes), "=\"", attributes, "\"", collapse = ""), ">",
         paste(inner, collapse = ""), "</", name, ">")
}

svg_text <- function(at, size, text, ...) {
  svg_tag("text", c(x = at[1L], y = at[2L], `font-size` = round(size, 1L), ...), text)
}

svg_heads <- function() {
  svg_tag("defs", c(class = "heads"), svg_tag(
    "marker", c(id = "arrow-head", viewBox = "0 0 10 10", refX = "9", refY = "5",
                markerWidth = "7", markerHeight = "7", markerUnits = "userSpaceOnUse",
                orient = "auto-start-reverse"),
    svg_tag("path", c(d = "M0,1 L10,5 L0,9 z"))))
}

# Parts that the pointer and the keyboard can choose.
svg_part <- function(class, address, text, chosen, inner) {
  svg_tag("g", c(class = paste("edge", class, if (chosen) "chosen" else ""),
                 `data-do` = "choose",
                 `data-address` = address, tabindex = "0", role = "button",
                 `aria-pressed` = if (chosen) "true" else "false",
                 `aria-label` = paste(address, text)), inner)
}

# A line that can be chosen: a broad invisible one below it takes the pointer.
svg_edge <- function(edge, address, at, letters, chosen) {
  points <- at(edge$path[, 1L], edge$path[, 2L])
  path <- paste0("M", paste(points[, 1L], points[, 2L], sep = ",", collapse = " L"))
  strength <- min(1, abs(if (is.na(edge$strength)) 0.5 else edge$strength))
  line <- c(d = path, class = "line", `marker-end` = "url(#arrow-head)", fill = "none",
            `stroke-width` = round(1 + 2.4 * strength, 2L),
            if (edge$type == "covariance") c(`marker-start` = "url(#arrow-head)"),
            if (isTRUE(edge$negative)) c(`stroke-dasharray` = "7 4"))
  svg_part(edge$type, address, edge$text, chosen, c(
    svg_tag("path", c(d = path, class = "reach", fill = "none")), svg_tag("path", line),
    if (!is.null(edge$label) && nzchar(edge$text))
      svg_text(at(edge$label[[1L]], edge$label[[2L]]), 0.9 * letters, edge$text,
               class = "value")))
}

svg_node <- function(node, at, scale, letters, wordings) {
  middle <- at(node$x, node$y)
  w <- scale * node$w / 2
  h <- scale * node$h / 2
  shape <- switch(node$kind,
    construct = svg_tag("ellipse", c(cx = middle[1L], cy = middle[2L], rx = w, ry = h)),
    composite = svg_tag("polygon", c(points = paste(
      middle[1L] + w * c(1, 0.74, -0.74, -1, -0.74, 0.74),
      middle[2L] + h * c(0, 1, 1, 0, -1, -1), sep = ",", collapse = " "))),
    svg_tag("rect", c(x = middle[1L] - w, y = middle[2L] - h, width = 2 * w, height = 2 * h)))
  size <- letters * if (node$kind == "observed") 1 else 1.1
  lines <- svg_escaped(strsplit(node$label, "\n", fixed = TRUE)[[1L]])
  first <- middle[2L] - size * 1.15 * (length(lines) - 1) / 2
  texts <- vapply(seq_along(lines), function(k) {
    svg_text(c(middle[1L], round(first + size * 1.15 * (k - 1), 1L)), size, lines[k])
  }, "")
  wording <- unname(wordings[node$name])
  known <- length(wording) && !is.na(wording)
  svg_tag("g", c(class = paste("node", node$kind), `data-node` = node$name),
          c(if (known) paste0("<title>", wording, "</title>"),
            shape, texts))
}

# The matrix beside the diagram, whose cells can be chosen like lines.
svg_cells <- function(cells, address, at, scale, chosen) {
  if (is.null(cells)) return(NULL)
  cells$text <- svg_escaped(cells$text)
  vapply(seq_len(nrow(cells)), function(k) {
    anchor <- c("start", "middle", "end")[1 + 2 * cells$side[k]]
    text <- svg_text(at(cells$x[k], cells$y[k]), scale * cells$points[k] / 72, cells$text[k],
                     class = "value", style = paste0("text-anchor:", anchor))
    row <- cells$row[k]
    if (is.na(row)) return(text)
    svg_part("cell", address[row], cells$text[k], identical(address[row], chosen), text)
  }, "")
}
