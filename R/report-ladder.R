# The report of a ladder, loosened or not.

ladder_parts <- function(x, criteria) {
  loosened <- if (inherits(x, "orizzonte_loosened")) x
  ladder <- if (is.null(loosened)) x else loosened$ladder
  c(ladder_summary_parts(ladder, loosened), methods_parts(x, criteria),
    ladder_rung_parts(ladder),
    ladder_release_parts(ladder, loosened), ladder_failing_parts(ladder, criteria),
    ladder_mean_parts(ladder), ladder_gap_parts(ladder), ladder_group_parts(ladder),
    fit_model_parts(ladder$fits[[1L]], "Assumed on the first rung"),
    ladder_reproduction_parts(ladder))
}

ladder_summary_parts <- function(ladder, loosened) {
  first <- ladder$fits[[1L]]
  trouble <- ladder_trouble(ladder)
  c(flat_parts(list(if (length(trouble)) {
    report_text(in_bold("Read this first."), " Some rungs have not converged or are improper: ",
                paste(trouble, collapse = "; "), ".", tone = "caution")
  })),
  report_section("In short", report_bullets(c(ladder$reading, if (!is.null(loosened))
    loosened_reading(loosened))),
    sample_text(first, parameters = FALSE),
    report_table(ladder_columns(ladder)$fit),
    report_figure(plot(ladder), "Fit indices by rung", "rungs")))
}

ladder_rung_parts <- function(ladder) {
  columns <- ladder_columns(ladder)
  rungs <- intersect(names(ladder$details), names(rung_adds))
  report_section("What each rung asks", report_bullets(rung_meanings(ladder)),
    report_section("Changes", level = 2L, report_text(ladder_limits(ladder)),
                   report_table(columns$changes)),
    lapply(rungs, function(rung) {
      tested <- utils::head(ladder$details[[rung]], 10L)
      report_section(paste0("Single equalities of the ", rung, " rung"), level = 2L,
        report_table(equality_columns(tested), code = "parameter"))
    }),
    if (nrow(ladder$contributions) > 1L) report_section("The share of each group", level = 2L,
      report_text("\u03c7\u00b2 of each group; the shares add up. A group whose share grows more ",
                  "than the others is where a rung hurts."),
      report_table(columns$shares)))
}

# What the rungs of a ladder ask, one line each.
rung_meanings <- function(ladder) {
  rungs <- names(ladder$fits)
  lapply(seq_along(rungs), function(k) {
    asks <- if (rungs[k] %in% names(rung_adds)) text_of(paste0("asks_", rungs[k])) else
      paste0("equal, too, on top of what ", ladder$table$against[k], " holds")
    list(in_bold(rungs[k]), paste0(": ", asks))
  })
}

ladder_release_parts <- function(ladder, loosened) {
  if (is.null(loosened)) return(NULL)
  released <- loosened$released$parameter
  before <- setdiff(unlist(lapply(ladder$fits, function(fit) fit$request$blueprint$let_differ)),
                    released)
  report_section("What was released",
    if (length(released) == 0L) report_text("Nothing."),
    report_table(released_columns(loosened), code = "parameter"),
    report_bullets(item_wordings(released, loosened$fit)),
    if (length(before))
      report_text("Not held before that already: ", code_pieces(unique(before)), "."))
}

# Wordings of the items in some addresses, one a line.
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
  report_section(paste0("Where the ", rung, " rung does not hold"),
    report_text("The equalities whose release would lower \u03c7\u00b2 most. Read ",
                "the item texts first: was the item understood alike?"),
    report_table(list(parameter = x$parameter, MI = format_fixed(x$modification_index, 2L),
                      p = format_p(x$p), `expected change` = format_number(x$expected_change),
                      `std.` = format_fixed(x$expected_change_std, 2L),
                      `real drop` = format_fixed(x$actual_drop, 2L),
                      verdict = words_of("amendment", x$verdict)),
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
  report_section("Means of constructs", caution_part(means),
    report_text("Differences", compared_words(means), ", given the intercepts held on ",
                "the ", scalar, " rung (S\u00f6rbom 1974)."),
    report_table(latent_mean_columns(means)),
    report_text(latent_mean_note(means)), report_text(unreleased_note(means)))
}

ladder_gap_parts <- function(ladder) {
  scalar <- comparable_rung(ladder)
  if (is.null(scalar)) return(NULL)
  gaps <- noninvariance(ladder, rung = scalar)
  totals <- total_columns(gaps)
  report_section("How much single items differ", caution_part(gaps),
    report_text("With loading and intercept of one item at a time free."),
    report_table(noninvariance_columns(gaps)), report_text(noninvariance_note),
    if (!is.null(totals))
      report_section("Difference of the total score", report_table(totals), level = 2L))
}

ladder_group_parts <- function(ladder) {
  first <- ladder$fits[[1L]]
  groups <- first$layout$groups
  if (length(groups) < 2L)
    return(report_section("Diagram", diagram_figures(first, "Path diagram of the first rung")))
  loads <- any(first$layout$rows$kind == "loading")
  report_section("By group",
    if (loads) report_section("Loadings", level = 2L,
      report_figure(group_plot(first, "loading"), "Loadings by group", "loadings")),
    if (first$layout$means && length(reflective_items(first$layout)))
      report_section("Intercepts", level = 2L,
        report_figure(group_plot(first, "intercept"), "Intercepts by group", "intercepts")),
    report_section("Diagram", level = 2L,
      report_text("The first rung, in which every group has its own values. What differs is ",
                  "emphasised."),
      diagram_figures(first, "Path diagrams of the groups side by side")))
}

ladder_reproduction_parts <- function(ladder) {
  first <- ladder$fits[[1L]]
  held <- vapply(ladder$fits, function(fit) {
    bp <- fit$request$blueprint
    paste(c(if (ladder$over != "times") paste(bp$hold_equal, collapse = ", "),
            if (ladder$over != "groups" && length(bp$hold_equal_times))
              paste0("over times: ", paste(bp$hold_equal_times, collapse = ", "))),
          collapse = "; ")
  }, "")
  except <- unique(unlist(lapply(ladder$fits, function(fit) fit$request$blueprint$let_differ)))
  report_section("To reproduce this", report_text("The blueprint, as a file:"),
    report_code(blueprint_yaml(ladder$blueprint)),
    report_bullets(c(
      if (length(first$layout$groups) > 1L)
        paste0("groups by ", first$sample$by %||% "the summary data", ": ",
               enumerate(first$layout$groups, most = 50)),
      paste0(names(held), ": ", ifelse(nzchar(held), paste("held", held), "nothing held")),
      if (length(except)) list(c(list("not held after all: "), code_pieces(except))),
      paste0("every rung scaled by the variances of the constructs (1 in the first group or at ",
             "the first time)"),
      paste0("fingerprint of the sample moments: ", sample_fingerprint(first)),
      paste0("orizzonte ", first$version, ", ", R.version.string))))
}
