# The report of a ladder, loosened or not.

ladder_parts <- function(x, criteria, wanted = NULL) {
  loosened <- if (inherits(x, "orizzonte_loosened")) x
  ladder <- if (is.null(loosened)) x else loosened$ladder
  sections <- list(
    summary = function() ladder_summary_parts(ladder, loosened),
    methods = function() methods_parts(x, criteria),
    rungs = function() ladder_rung_parts(ladder),
    releases = function() ladder_release_parts(ladder, loosened),
    failing = function() ladder_failing_parts(ladder, criteria),
    means = function() ladder_mean_parts(ladder), items = function() ladder_gap_parts(ladder),
    groups = function() ladder_group_parts(ladder),
    model = function() fit_model_parts(ladder$fits[[1L]], text_of("assumed_first_rung")),
    reproduction = function() ladder_reproduction_parts(ladder))
  c(ladder_cautions(ladder), wanted_sections(sections, wanted))
}

ladder_cautions <- function(ladder) {
  trouble <- ladder_trouble(ladder)
  if (length(trouble) == 0L) return(NULL)
  list(report_text(in_bold(text_of("read_first")), text_of("some_rungs_have_not"),
                   paste(trouble, collapse = "; "), ".", tone = "caution"))
}

ladder_summary_parts <- function(ladder, loosened) {
  first <- ladder$fits[[1L]]
  report_section(text_of("in_short"), report_bullets(c(ladder$reading, if (!is.null(loosened))
    loosened_reading(loosened))),
    sample_text(first, parameters = FALSE),
    report_table(ladder_columns(ladder)$fit, caption = text_of("fit_of_each_rung")),
    report_figure(plot(ladder), text_of("fit_indices_by_rung"), "rungs",
                  alt = ladder_alt(ladder)))
}

ladder_rung_parts <- function(ladder) {
  columns <- ladder_columns(ladder)
  rungs <- intersect(names(ladder$details), names(rung_adds))
  report_section(text_of("what_each_rung_asks"), report_bullets(rung_meanings(ladder)),
    report_section(text_of("head_changes"), level = 2L,
                   report_text(ladder_limits(ladder)), report_text(ladder_power_words(ladder)),
                   report_table(columns$changes)),
    lapply(rungs, function(rung) {
      tested <- utils::head(ladder$details[[rung]], 10L)
      report_section(text_of("single_equalities_rung", rung = rung), level = 2L,
        report_table(equality_columns(tested), code = "parameter"))
    }),
    if (nrow(ladder$contributions) > 1L) report_section(text_of("share_each_group"), level = 2L,
      report_text(text_of("each_group_shares_add"),
                  text_of("than_others_is_where")),
      report_table(columns$shares)))
}

# The meaning of each rung, one line each.
rung_meanings <- function(ladder) {
  rungs <- names(ladder$fits)
  lapply(seq_along(rungs), function(k) {
    asks <- if (rungs[k] %in% names(rung_adds)) text_of(paste0("asks_", rungs[k])) else
      text_of("equal_too_top_what", against = ladder$table$against[k])
    list(in_bold(rungs[k]), paste0(": ", asks))
  })
}

ladder_release_parts <- function(ladder, loosened) {
  releases <- ladder$releases %||% no_releases()
  if (is.null(loosened) && nrow(releases) == 0L) return(NULL)
  before <- setdiff(unlist(lapply(ladder$fits, function(fit) fit$request$blueprint[differ_keys])),
                    releases$parameter)
  last <- utils::tail(ladder$fits, 1L)[[1L]]
  report_section(text_of("what_was_released"),
    if (nrow(releases) == 0L) report_text("Nothing."),
    report_table(c(list(rung = releases$rung), released_columns(releases)), code = "parameter"),
    report_bullets(item_wordings(releases$parameter, last)),
    if (nrow(releases)) report_text(text_of("search_is_optimistic"), tone = "caution"),
    if (length(before))
      report_text(text_of("not_held_before_already"), code_pieces(unique(before)), "."))
}

# Wordings of the items in some addresses, each on its own line.
item_wordings <- function(parameters, fit) {
  lines <- format_wordings(parameters, all_wordings(fit))
  lines <- lines[nzchar(lines) & lines != "Item texts"]
  gsub("  +", " ", trimws(lines))
}

ladder_failing_parts <- function(ladder, criteria) {
  rung <- utils::head(ladder_failing(ladder), 1L)
  if (length(rung) == 0L) return(NULL)
  fit <- ladder$fits[[rung]]
  found <- amendments(fit, kinds = "equality across", top = 5, criteria = criteria)
  x <- utils::head(as.data.frame(found), 5L)
  report_section(text_of("where_rung_does_not", rung = rung),
    report_text(text_of("equalities_whose_release_would"),
                text_of("item_texts_first_was")),
    report_table(list(parameter = x$parameter, MI = format_fixed(x$modification_index, 2L),
                      p = format_p(x$p), `expected change` = format_number(x$expected_change),
                      `std.` = format_share(x$expected_change_std, 2L),
                      `refitted drop` = format_fixed(x$actual_drop, 2L),
                      moves = ifelse(is.na(x$moves), "", words_of("move", x$moves)),
                      verdict = row_words(x)),
                 code = "parameter"),
    report_bullets(item_wordings(x$parameter, fit)))
}

caution_part <- function(x) {
  if (!is.null(attr(x, "caveat"))) report_text(attr(x, "caveat"), tone = "caution")
}

ladder_mean_parts <- function(ladder) {
  scalar <- comparable_rung(ladder)
  if (is.null(scalar)) return(NULL)
  means <- latent_means(ladder, rung = scalar)
  report_section(text_of("means_of_constructs"), caution_part(means),
    report_text(text_of("differences_of_means", compared = compared_words(means), rung = scalar)),
    report_table(latent_mean_columns(means)),
    report_text(latent_mean_note(means)), report_text(unreleased_note(means)))
}

ladder_gap_parts <- function(ladder) {
  scalar <- comparable_rung(ladder)
  if (is.null(scalar)) return(NULL)
  gaps <- noninvariance(ladder, rung = scalar)
  totals <- total_columns(gaps)
  report_section(text_of("how_much_single_items"), caution_part(gaps),
    report_text(text_of("loading_intercept_one_item")),
    report_table(noninvariance_columns(gaps)), report_text(more_differences(gaps)),
    report_text(text_of("noninvariance_note")),
    if (!is.null(totals))
      report_section(text_of("difference_total_score"), report_table(totals), level = 2L))
}

ladder_group_parts <- function(ladder) {
  first <- ladder$fits[[1L]]
  groups <- first$layout$groups
  if (length(groups) < 2L)
    return(report_section(text_of("head_diagram"),
                          diagram_figures(first, text_of("path_diagram_first_rung"))))
  loads <- any(first$layout$rows$kind == "loading")
  report_section(text_of("head_by_group"),
    if (loads) report_section(text_of("head_loadings"), level = 2L,
      report_figure(group_plot(first, "loading"), text_of("loadings_by_group"), "loadings",
                    alt = groups_alt(first))),
    if (first$layout$means && length(reflective_items(first$layout)))
      report_section(text_of("head_intercepts"), level = 2L,
        report_figure(group_plot(first, "intercept"), text_of("intercepts_by_group"),
                      "intercepts", alt = groups_alt(first))),
    report_section(text_of("head_diagram"), level = 2L,
      report_text(text_of("first_rung_which_every"),
                  "emphasised."),
      diagram_figures(first, text_of("path_diagrams_groups_side"))))
}

ladder_reproduction_parts <- function(ladder) {
  first <- ladder$fits[[1L]]
  held <- vapply(ladder$fits, function(fit) {
    bp <- fit$request$blueprint
    paste(c(if (ladder$over != "times") paste(bp$hold_equal, collapse = ", "),
            if (ladder$over != "groups" && length(bp$hold_equal_times))
              text_of("over_times",
                      hold_equal_times = paste(bp$hold_equal_times, collapse = ", "))),
          collapse = "; ")
  }, "")
  except <- unique(unlist(lapply(ladder$fits, function(fit) fit$request$blueprint[differ_keys])))
  report_section(text_of("to_reproduce_this"), report_text(text_of("blueprint_file")),
    report_code(blueprint_yaml(ladder$blueprint)),
    report_bullets(c(
      if (length(first$layout$groups) > 1L)
        text_of("groups_by_listed", by = first$sample$by %||% text_of("the_summary_data"),
                groups = enumerate(first$layout$groups, most = 50)),
      paste0(names(held), ": ", ifelse(nzchar(held), paste("held", held), "nothing held")),
      if (length(except)) list(c(list(text_of("not_held_after_all")), code_pieces(except))),
      text_of("every_rung_scaled_variances"),
      text_of("fingerprint_sample_moments", fit = sample_fingerprint(first)),
      text_of("orizzonte", version = first$version, rversionstring = R.version.string))))
}
