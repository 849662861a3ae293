# The report of a fit.

# `bootstrap`: its standard errors, intervals and p values replace those of the tables where it
# contains them.
fit_parts <- function(fit, criteria, bootstrap = NULL, wanted = NULL) {
  sections <- list(
    summary = function() fit_summary_parts(fit, criteria),
    diagram = function() {
      report_section(text_of("head_diagram"),
                     diagram_figures(fit, text_of("path_diagram_standardized_values")))
    },
    methods = function() methods_parts(fit, criteria), data = function() descriptive_parts(fit),
    model = function() fit_model_parts(fit), fit = function() fit_index_parts(fit, criteria),
    measures = function() fit_measure_parts(fit, criteria, bootstrap),
    estimates = function() fit_estimate_parts(fit, bootstrap),
    residuals = function() fit_residual_parts(fit),
    modifications = function() fit_amendment_parts(fit, criteria),
    hypotheses = function() fit_claim_parts(fit, criteria, bootstrap),
    history = function() fit_trail_parts(fit), limits = function() fit_limit_parts(fit),
    reproduction = function() fit_reproduction_parts(fit))
  c(fit_trouble(fit), wanted_sections(sections, wanted))
}

# The passage for a manuscript.
methods_parts <- function(x, criteria) {
  text <- methods_text(x, criteria)
  report_section(text_of("methods_and_results"),
    report_fold(text_of("a_passage_to_start_from"), lapply(text$paragraphs, report_text),
                if (length(text$references))
                  list(report_text(in_bold(text_of("head_references"))),
                       report_bullets(text$references))))
}

# With few items, the constructs below the criteria are refitted without single items.
fit_measure_parts <- function(fit, criteria, bootstrap = NULL) {
  judged <- lapply(group_views(fit), function(view) judged_constructs(view)$names)
  if (!has_values(fit) || !any(lengths(judged))) return(NULL)
  few <- length(fit$layout$observed) <= most_tried_items && has_converged(fit)
  held <- if (any(grepl("^omega\\[", names(bootstrap$estimate)))) bootstrap
  quality <- construct_quality(fit, criteria = criteria, bootstrap = held,
                               leave_out = if (few) "short" else "none")
  split <- tryCatch(variance_split(fit), orizzonte_error = function(e) NULL)
  c(quality_parts(quality), if (!is.null(split)) split_parts(split))
}

most_tried_items <- 40L

# Problems of the solution are shown first.
fit_trouble <- function(fit) {
  improper <- improper_parts(fit)
  wrong <- !has_converged(fit) || nrow(improper) > 0L
  evidence <- if (wrong) vapply(fit_evidence(fit), `[[`, "", "text")
  flat_parts(list(
    if (!has_converged(fit))
      report_text(in_bold(text_of("head_not_converged")), " ", stop_reason(fit),
                  text_of("numbers_below_are_where_estimation"),
                  tone = "caution"),
    if (nrow(improper))
      report_text(in_bold(text_of("improper_solution")), text_of("read_before_any_estimate"),
                  paste(improper$trouble, collapse = "; "), ".", tone = "caution"),
    if (length(evidence))
      list(report_text(text_of("what_data_say")), report_bullets(paste0(evidence, ".")))))
}

fit_summary_parts <- function(fit, criteria) {
  indices <- fit_indices(fit, criteria)
  report_section(text_of("in_short"),
    report_text(attr(indices, "reading")),
    index_table(key_indices(indices), text_of("fit_of_the_model")),
    sample_text(fit))
}

# The cases, the basis of standard errors, and the notes on both.
sample_text <- function(fit, parameters = TRUE) {
  report_text(sub("[.]?$", ". ", one_line(format_sample(fit, parameters))),
              paste(c(one_line(format_inference(fit)), remaining_fit_notes(fit)), collapse = " "))
}

# One figure, or one for each group when there are many.
diagram_figures <- function(fit, caption) {
  drawn <- path_diagram(fit)
  seen <- diagram_alt(fit)
  if (!inherits(drawn, "orizzonte_pages"))
    return(report_figure(drawn, caption, "diagram", alt = seen))
  lapply(seq_along(drawn), function(k) {
    report_figure(drawn[[k]], text_of("path_diagram_group", drawn = names(drawn)[k]),
                  paste0("diagram-", k), alt = seen)
  })
}

index_table <- function(x, caption = NULL) {
  x <- x[!is.na(x$value), ]
  report_table(caption = caption, list(
    index = unname(index_words[x$index]), value = format_index(x$index, x$value),
    `90% interval` = format_limits(x$lower, x$upper, 3L),
    `good (acceptable)` = gsub("<=", "\u2264", gsub(">=", "\u2265", x$cutoff, fixed = TRUE),
                              fixed = TRUE),
    verdict = words_of("index", x$verdict)))
}

fit_model_parts <- function(fit, assumed = text_of("assumed_without_being_stated")) {
  report_section(text_of("head_model"), report_code(format_statements(fit$request$blueprint)),
    report_section(assumed, level = 2L,
      report_code(c(format_assumptions(fit$layout, fit$request$blueprint)[-1L], "",
                    format_counts(fit$layout)))))
}

fit_index_parts <- function(fit, criteria) {
  indices <- fit_indices(fit, criteria)
  report_section(text_of("head_fit"),
    report_text(text_of("cut_offs_are_conventions"),
                text_of("first_is_good_one")),
    lapply(block_names, function(block) {
      index_table(indices[indices$block == block, ], text_of(paste0("block_", block)))
    }), correction_text(fit))
}

correction_text <- function(fit) {
  if (!is.null(correction_words(fit))) report_text(correction_words(fit))
}

estimate_sections <- list(
  Effects = "effect", Loadings = "loading", Weights = "weight",
  Covariances = c("covariance", "residual covariance", "disturbance covariance"),
  Variances = c("variance", "disturbance variance", "residual variance"),
  `Intercepts and means` = c("intercept", "mean", "construct intercept"), Quantities = "quantity")

fit_estimate_parts <- function(fit, bootstrap = NULL) {
  held <- bootstrap_holding(bootstrap, names(theta_of(fit)))
  explained <- r_squared(fit)
  r2 <- titled(list(
             variable = explained$variable, group = explained$group, kind = explained$kind,
             r_squared = format_share(explained$r_squared, 3L),
             se = format_share(explained$se, 3L)))
  if (all(is.na(explained$group))) r2$group <- NULL
  table <- estimates(fit, bootstrap = held)
  groups <- stats::setNames(fit$layout$groups, fit$layout$groups)
  report_section(text_of("head_estimates"),
    if (!is.null(held)) report_text(bootstrap_note(held)),
    lapply(names(estimate_sections), function(name) {
      by <- lapply(groups, function(g) {
        own <- is.na(table$group) | table$group == g
        report_table(estimate_columns(fit, table[own, ], estimate_sections[[name]]),
                     code = "parameter", caption = name)
      })
      shown <- report_tabs(by)
      if (length(shown) == 0L) return(NULL)
      if (name %in% folded_estimates) shown <- report_fold(paste("All", tolower(name)), shown)
      report_section(name, shown, level = 2L)
    }),
    effect_parts(fit, bootstrap),
    report_section(text_of("head_explained_variance"),
                   report_table(r2, caption = text_of("head_explained_variance")),
                   level = 2L))
}

# Sections that are folded because few readers need them.
folded_estimates <- c("Variances", "Intercepts and means")

# Direct, indirect and total effects, where there are indirect ones.
effect_parts <- function(fit, bootstrap) {
  held <- if (any(grepl("^(indirect|total)\\[", names(bootstrap$estimate)))) bootstrap
  found <- stats::effects(fit, bootstrap = held)
  if (!any(found$kind == "indirect")) return(NULL)
  report_section(text_of("indirect_and_total_effects"), level = 2L,
    report_table(effect_columns(found), code = "parameter", caption = text_of("head_effects")))
}

# `x`: estimates of one group.
estimate_columns <- function(fit, x, kind) {
  x <- x[x$kind %in% kind & !is_mean_fixed_to_zero(x), ]
  words <- all_wordings(fit)
  rows <- fit$layout$rows
  at <- match(x$parameter, rows$parameter)
  item <- ifelse(is.na(rows$second[at]), rows$first[at], rows$second[at])
  out <- list(parameter = x$parameter, estimate = format_number(x$estimate),
              se = format_number(x$se),
              `95% interval` = ifelse(is.na(x$lower), "", paste0("[", format_number(x$lower), ", ",
                  format_number(x$upper), "]")),
              p = format_p(x$p), standardized = format_share(x$standardized, 3L),
              status = ifelse(x$status %in% c("free", "derived"), "", x$status))
  if ("loading" %in% kind && length(words))
    out$wording <- ifelse(item %in% names(words), words[item], "")
  out
}

fit_residual_parts <- function(fit) {
  if (stats::df.residual(fit) == 0)
    return(report_section(text_of("head_residuals"),
                          report_text(text_of("model_is_saturated_there"))))
  largest <- stats::residuals(fit, in_units = "correlation", largest = 10)
  report_section(text_of("head_residuals"),
    report_table(list(residual = format_share(largest$residual, 3L),
                      observed = format_share(largest$observed, 3L),
                      implied = format_share(largest$implied, 3L), meaning = largest$meaning)),
    report_figure(residual_map(fit), text_of("map_of_residuals"), "residual-map",
                  alt = residuals_alt(largest)))
}

fit_amendment_parts <- function(fit, criteria) {
  if (!has_converged(fit) || stats::df.residual(fit) == 0) return(NULL)
  found <- amendments(fit, top = 10, criteria = criteria)
  x <- utils::head(as.data.frame(found), 10L)
  remarks <- c(structure_sentences(attr(found, "structures")), unusable_sentences(x))
  report_section(text_of("what_could_be_freed"),
    if (!is.null(attr(found, "nothing"))) report_text(attr(found, "nothing"), tone = "caution"),
    if (!is.null(attr(found, "exact"))) report_text(attr(found, "exact")),
    report_text(text_of("ten_largest_modification_indices")),
    report_table(list(parameter = x$parameter, kind = short_kind(x$kind),
                      MI = format_fixed(x$modification_index, 2L),
                      `p (adj.)` = format_p(x$p_adjusted),
                      `expected change, std.` = format_share(x$expected_change_std, 2L),
                      `refitted drop` = format_fixed(x$actual_drop, 2L),
                      estimate = format_number(x$actual_estimate),
                      verdict = row_words(x)),
                 code = "parameter"),
    report_moves(found, x), report_bullets(remarks), report_text(heavy_tails_words(found)),
    report_text(chance_note(found)))
}

fit_claim_parts <- function(fit, criteria, bootstrap = NULL) {
  if (!has_converged(fit) || length(fit$request$blueprint$claims) == 0L) return(NULL)
  held <- bootstrap_holding(bootstrap, names(fit$request$blueprint$claims))
  x <- verdicts(fit, criteria, held)
  holm <- if (nrow(x) > 1L) list(`p (Holm)` = format_p(x$p_adjusted))
  report_section(text_of("head_claims"),
    report_table(c(list(claim = x$claim, statement = x$statement,
                        estimate = format_number(x$estimate), se = format_number(x$se),
                        p = format_p(x$p_deciding)), holm,
                   list(verdict = words_of("claim", x$verdict), criterion = x$criterion)),
                 code = "statement",
                 caption = text_of("head_claims"),
                 note = if (nrow(x) > 1L)
                   text_of("p_holm_test_decides")))
}

fit_trail_parts <- function(fit) {
  if (length(fit$request$blueprint$trail) == 0L) return(NULL)
  report_section(text_of("head_trail"), report_text(text_of("what_was_changed_why")),
                 report_table(trail_columns(trail(fit))))
}

# The limits of the conclusions.
fit_limit_parts <- function(fit) {
  revisions <- length(fit$request$blueprint$trail$revisions$revision) - 1L
  claims <- length(fit$request$blueprint$claims)
  df <- test_of(fit)$df
  report_section(text_of("head_limits"), report_bullets(c(
    if (revisions > 0L)
      text_of("model_was_changed_after", revisions = count_of(revisions, "time")),
    if (is_incomplete(fit$sample))
      text_of("casewise_maximum_likelihood_supposes"),
    if (!is_robust(fit$request))
      text_of("standard_errors_tests_suppose"),
    if (df == 0) text_of("saturated_model_cannot_be") else
      text_of("model_fits_is_one"),
    if (any(fit$layout$rows$kind == "effect"))
      text_of("directions_effects_come_from"),
    if (!is.null(equivalent_of(fit))) equivalent_sentence(equivalent_of(fit)),
    if (claims > 1L) text_of("claims_were_tested_p", claims = claims),
    unit_note(fit))))
}

fit_reproduction_parts <- function(fit) {
  codes <- fit$request$missing_codes
  report_section(text_of("to_reproduce_this"), report_text(text_of("blueprint_file")),
    report_fold(text_of("head_blueprint"), report_code(blueprint_yaml(fit$request$blueprint))),
    report_text(text_of("code_does_again_file")),
    report_code(reproducing_code(fit)),
    report_bullets(c(
      text_of("maximum_likelihood_multiplier", multiplier = fit$request$multiplier,
              codes = if (length(codes)) text_of("missing_codes", codes = enumerate(codes))),
      text_of("iterations_last_predicted_fall", chisq = length(history_of(fit)$chisq),
              fit = formatC(decrement_of(fit), digits = 2L, format = "g")),
      text_of("fingerprint_sample_moments", fit = sample_fingerprint(fit)),
      text_of("orizzonte", version = fit$version, rversionstring = R.version.string))))
}

# A call of fit_model() with the options that were given.
reproducing_code <- function(fit) {
  c("library(orizzonte)", text_of("bp_read_blueprint_blueprint"),
    text_of("fit_fit_model_bp", told = options_code(options_asked(fit$request))))
}

# A fingerprint of the sample moments, so that a reader can tell whether it is the same analysis.
sample_fingerprint <- function(fit) {
  numbers <- unlist(fit$moments, use.names = FALSE)
  rlang::hash(formatC(numbers, digits = 10L, format = "e"))
}

# Descriptive statistics of the variables in the model.

descriptive_parts <- function(fit) {
  views <- group_views(fit)
  by <- lapply(views, function(view) {
    list(report_table(descriptive_columns(view), code = "variable",
                      caption = text_of("descriptive_statistics")),
         report_fold(text_of("head_correlations"),
                     report_table(correlation_columns(view), code = "variable",
                                                  caption = text_of("correlations_as_observed"),
                                                  note = correlation_note(fit))))
  })
  report_section(text_of("the_data"), report_tabs(by))
}

# n, mean, standard deviation (n - 1), and from single cases range, skewness and excess kurtosis.
descriptive_columns <- function(view) {
  fit <- view$fit
  variables <- view$layout$observed
  words <- all_wordings(fit)
  out <- list(variable = variables)
  if (has_raw_data(fit$sample)) {
    x <- group_data(fit$sample, view$number, variables, fit$request$missing_codes)
    x <- x[view$sample$rows %in% view$sample$used, , drop = FALSE]
    out <- c(out, raw_columns(x))
  } else {
    moments <- observed_moments(view)
    n <- view$moments$n
    out$n <- rep(format_count(n), length(variables))
    if (!is.null(moments$mean)) out$mean <- format_fixed(moments$mean[variables], 2L)
    out$sd <- format_fixed(sqrt(diag(moments$covariance)[variables] * n / (n - 1)), 2L)
  }
  if (any(variables %in% names(words)))
    out$wording <- ifelse(variables %in% names(words), words[variables], "")
  out
}

raw_columns <- function(x) {
  moment <- function(v, k) mean((v - mean(v))^k)
  each <- function(f) {
    apply(x, 2L, function(v) {
      v <- v[!is.na(v)]
      if (length(v) < 2L) NA_real_ else f(v)
    })
  }
  list(n = format_count(colSums(!is.na(x))), missing = format_count(colSums(is.na(x))),
       mean = format_fixed(each(mean), 2L), sd = format_fixed(each(stats::sd), 2L),
       min = format_short(each(min)), max = format_short(each(max)),
       skew = format_fixed(each(function(v) moment(v, 3L) / moment(v, 2L)^1.5), 2L),
       kurtosis = format_fixed(each(function(v) moment(v, 4L) / moment(v, 2L)^2 - 3), 2L))
}

# Four significant figures, without trailing zeros.
format_short <- function(x) {
  ifelse(is.na(x), "", vapply(x, function(v) formatC(v, digits = 4L, format = "fg"), ""))
}

# The lower triangle; columns are numbered like the rows.
correlation_columns <- function(view) {
  covariance <- observed_moments(view)$covariance
  sd <- sqrt(diag(covariance))
  r <- covariance / outer(sd, sd)
  text <- matrix(format_share(r), nrow(r))
  text[upper.tri(text, diag = TRUE)] <- ""
  names <- rownames(covariance)
  columns <- lapply(seq_len(ncol(text) - 1L), function(k) text[, k])
  c(list(` ` = as.character(seq_along(names)), variable = names),
    stats::setNames(columns, as.character(seq_along(columns))))
}

correlation_note <- function(fit) {
  if (is_incomplete(fit$sample))
    text_of("from_moments_casewise_maximum")
}

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
