#' Write a methods and results passage
#'
#' Writes a methods and results passage for a manuscript. It describes the model, the sample, the
#' missing values, the estimator, model fit with its cut-offs, post hoc modifications with their
#' reasons, loadings, direct and indirect effects, hypotheses with Holm-adjusted *p* values, and,
#' for ladders, every rung, all released equalities and the latent means. Parameters are named in
#' words, and every number comes from the object.
#'
#' @param x A fit from [fit_model()], a ladder from [invariance()] or [loosen()], a result of
#'   [compare_models()], [confirm()], [construct_quality()], [variance_split()],
#'   [bootstrap_fit()], [bootstrap_test()], [plan_study()], [constancy()], [approximate_means()],
#'   [equivalent_models()] or [mediation()], or a named list of these.
#' @param criteria Cut-offs, from [criteria()].
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object of class `orizzonte_text`: a character vector with one element per paragraph,
#'   so that `writeLines(x)` and `cat(x)` work. `x$references` contains the works cited; printing
#'   shows both.
#' @section Errors: `orizzonte_error_input` when `x` is another kind of object.
#' @references Holm, S. (1979). A simple sequentially rejective multiple test procedure.
#'   *Scandinavian Journal of Statistics, 6*(2), 65--70.
#' @seealso [write_report()], which contains it.
#' @examples
#' bp <- blueprint("Belonging and calm") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   effect(Calm ~ Belonging)
#' methods_text(suppressMessages(fit_model(bp, choirs)))
#' @export
methods_text <- function(x, criteria = NULL, ...) {
  check_arguments("methods_text")
  criteria <- check_criteria(criteria)
  found <- collect_references(methods_paragraphs(x, criteria))
  paragraphs <- found$value
  if (is.null(paragraphs))
    abort("input", c(text_of("methods_text_needs_fit"),
                     x = describe_part(x, function(part) {
                       !is.null(methods_paragraphs(part, criteria))
                     }),
                     i = text_of("fits_ladders_comparisons_qualities")))
  structure(unname(paragraphs), references = found$references, class = "orizzonte_text")
}

#' @export
as.character.orizzonte_text <- function(x, ...) x$paragraphs

#' @export
`$.orizzonte_text` <- function(x, name) {
  switch(name, paragraphs = as.vector(unclass(x)), references = attr(x, "references"))
}

#' @export
print.orizzonte_text <- function(x, ...) {
  put_lines(heading(text_of("methods_and_results")))
  for (paragraph in x$paragraphs) put_lines(wrap_lines(paragraph), "")
  if (length(x$references))
    put_lines("References", wrap_lines(paste0("- ", x$references), 0L, 2L))
  invisible(x)
}

# NULL when there is no text for it.
methods_paragraphs <- function(x, criteria) {
  if (inherits(x, "orizzonte_fit")) return(fit_paragraphs(check_fit(x, "methods_text"), criteria))
  if (is_ladder(x)) {
    check_ladder(x, "methods_text")
    return(ladder_paragraphs(x, criteria))
  }
  if (inherits(x, "orizzonte_comparison")) return(comparison_paragraphs(x))
  if (inherits(x, "orizzonte_confirmation")) return(confirmation_paragraphs(x))
  if (inherits(x, "orizzonte_plan")) return(plan_paragraphs(x))
  if (inherits(x, "orizzonte_quality")) return(quality_paragraphs(x))
  if (inherits(x, "orizzonte_bootstrap")) return(bootstrap_paragraphs(x))
  if (inherits(x, "orizzonte_bootstrap_test")) return(bootstrap_test_paragraphs(x))
  if (inherits(x, "orizzonte_variance_split")) return(variance_split_paragraphs(x))
  if (inherits(x, "orizzonte_constancy")) return(constancy_paragraphs(x))
  if (inherits(x, "orizzonte_approximate_means")) return(approximate_paragraphs(x))
  if (inherits(x, "orizzonte_equivalent")) return(equivalent_paragraphs(x) %||% character())
  if (inherits(x, "orizzonte_mediation")) return(mediation_paragraphs(x))
  if (!is.list(x) || is.data.frame(x) || is.object(x) || length(x) == 0L) return(NULL)
  parts <- lapply(unname(x), methods_paragraphs, criteria = criteria)
  if (any(vapply(parts, is.null, NA))) return(NULL)
  unlist(parts)
}

ladder_paragraphs <- function(x, criteria) {
  loosened <- if (inherits(x, "orizzonte_loosened")) x
  ladder <- if (is.null(loosened)) x else loosened$ladder
  first <- ladder$fits[[1L]]
  over <- c(groups = "groups", times = "times", both = "groups and times")[[ladder$over]]
  limits <- one_line(paste(c(limit_sentence(ladder), ladder_power_words(ladder)), collapse = " "))
  c(text_of("invariance_over_was_tested", over = over,
            cite = cite("J\u00f6reskog 1971", "Meredith 1993"), title = quoted(ladder$title),
            sample = cases_text(first$sample), first = estimation_sentences(first),
            limits = limits),
    paste(vapply(seq_len(nrow(ladder$table)), rung_text, "", ladder = ladder), collapse = " "),
    release_text(ladder, loosened),
    addresses_in_words(paste(ladder$reading, collapse = " "), first$layout$observed),
    mean_text(ladder))
}

limit_sentence <- function(ladder) {
  if (length(ladder$limits) < 2L) return(NULL)
  text_of("changes_were_judged_by", limits = limits_in_words(ladder),
          cite = cite("Cheung & Rensvold 2002", "Chen 2007"),
          cfi = short_number(ladder$criteria$cfi[2L]),
          rmsea = short_number(ladder$criteria$rmsea[2L]))
}

rung_text <- function(k, ladder) {
  t <- ladder$table
  if (t$status[k] == "not converged") return(text_of("not_converged_at_rung", rung = t$rung[k]))
  own <- paste0(chisq_text(t$chisq[k], t$df[k], t$p[k]), ", CFI = ", format_share(t$cfi[k], 3L),
                ", RMSEA = ", format_share(t$rmsea[k], 3L), ", SRMR = ",
                format_share(t$srmr[k], 3L))
  against <- if (!is.na(t$chisq_change[k]))
    text_of("against_cfi_rmsea_srmr", against = t$against[k],
            p_change = chisq_text(t$chisq_change[k], t$df_change[k], t$p_change[k],
                                  "\u0394\u03c7\u00b2"),
            cfi_change = format_share(t$cfi_change[k], 3L),
            rmsea_change = format_share(t$rmsea_change[k], 3L),
            srmr_change = format_share(t$srmr_change[k], 3L))
  verdict <- if (!is.na(t$verdict[k])) text_of("rung_verdict", verdict = ladder_verdicts(t[k, ]))
  paste0(text_of("rung_model_had", rung = t$rung[k], own = own), against, ".", verdict)
}

# Releases of all rungs, each with the p value of its improvement, adjusted for their number.
release_text <- function(ladder, loosened) {
  r <- ladder$releases %||% no_releases()
  if (nrow(r) == 0L)
    return(if (!is.null(loosened)) text_of("nothing_was_released_rung", rung = loosened$rung))
  p <- difference_p(r$actual_drop, 1)
  holm <- stats::p.adjust(p, "holm")
  several <- sum(!is.na(p)) > 1L
  names <- addresses_in_words(r$parameter, ladder$fits[[1L]]$layout$observed)
  each <- paste0("the ", names, vapply(seq_along(p), function(k) {
    if (is.na(p[k])) return(text_of("along_with_it"))
    text_of("fell_p", actual_drop = format_fixed(r$actual_drop[k], 2L), value = p_clause(p[k]),
            value_2 = if (several) text_of("after_holm_p", holm = p_clause(holm[k])))
  }, ""))
  rungs <- unique(r$rung)
  by_rung <- vapply(rungs, function(rung) {
    text_of("rung_were_released_one", rung = rung, each = enumerate(each[r$rung == rung],
                                                                    most = 20L))
  }, "")
  paste(c(by_rung, if (several) text_of("p_is_adjusted_releases", cite = cite("Holm 1979")),
          if (is.null(loosened)) text_of("search_is_optimistic") else loosened_reading(loosened)),
        collapse = " ")
}

mean_text <- function(ladder) {
  scalar <- comparable_rung(ladder)
  if (is.null(scalar)) return(NULL)
  means <- latent_means(ladder, rung = scalar)
  if (!is.null(attr(means, "caveat")))
    return(text_of("means_constructs_are_not", scalar = one_line(caveat_reason(ladder, scalar))))
  each <- text_of("se_p_standardized", construct = means$construct,
                  group = ifelse(is.na(means$group), "",
                                 text_of("in_the_group", where = means$group)),
                  difference = format_number(means$difference), se = format_number(means$se),
                  value = p_clause(means$p), standardized = format_share(means$standardized))
  text_of("differences_means", means = compared_words(means), each = enumerate(each, most = 30L),
          cite = cite("S\u00f6rbom 1974"))
}

comparison_paragraphs <- function(x) {
  own <- text_of("model_fit_compared", model = quoted(x$model), status = ifelse(
    x$status %in% "proper", "", text_of("whose_solution_was", status = x$status)),
    chisq = vapply(seq_len(nrow(x)), function(k) chisq_text(x$chisq[k], x$df[k], x$p[k]), ""),
    cfi = format_share(x$cfi, 3L), rmsea = format_share(x$rmsea, 3L),
    aic = format_fixed(x$aic, 1L), bic = format_fixed(x$bic, 1L))
  n <- unique(x$n)
  c(text_of("models_compared", own = paste(own, collapse = " "),
            cases = if (length(n) == 1L) text_of("of_the_same_cases", n = format_count(n))),
    paste(c(pair_paragraph(x), criteria_sentence(x)), collapse = " "))
}

# The results of the tests of each pair of models.
pair_paragraph <- function(x) {
  level <- attr(x, "significance") %||% 0.05
  vuong <- which(!is.na(x$against) & is.na(x$p_change) & !is.na(x$distinguishable_p))
  unlist(lapply(which(!is.na(x$against)), function(k) {
    pair <- list(model = quoted(x$model[k]), against = quoted(x$against[k]))
    say <- function(name, ...) do.call(text_of, c(list(name), pair, list(...)))
    if (!is.na(x$p_change[k])) {
      more <- x$df_change[k] < 0
      return(say("nested_pair", parameters = count_of(abs(x$df_change[k]), "parameter"),
                 more = if (more) "more" else "fewer",
                 verdict = text_of(paste0("nested_", x$verdict[k])),
                 chisq = chisq_text(abs(x$chisq_change[k]), abs(x$df_change[k]), x$p_change[k],
                                    "\u0394\u03c7\u00b2")))
    }
    if (!k %in% vuong) return(NULL)
    if (x$distinguishable_p[k] >= level)
      return(say("not_distinguishable_pair", p = p_clause(x$distinguishable_p[k]),
                 cite = cite("Vuong 1989")))
    say("distinguishable_pair", p = p_clause(x$vuong_p_aic[k]), z = format_fixed(x$vuong_z_aic[k]),
        verdict = text_of(paste0("vuong_", x$closer[k]), this = quoted(x$model[k]),
                          other = quoted(x$against[k])),
        cite = cite("Vuong 1989"))
  }))
}

# The models that the information criteria prefer.
criteria_sentence <- function(x) {
  among <- which(!is.na(x$akaike_weight))
  if (length(among) < 2L) return(text_of("no_common_criteria"))
  lowest <- function(index) {
    value <- x[[index]][among]
    quoted(x$model[among][value < min(value) + 1e-4])
  }
  aic <- enumerate(lowest("aic"))
  bic <- enumerate(lowest("bic"))
  if (aic == bic) text_of("criteria_agree", aic = aic) else
    text_of("criteria_differ", aic = aic, bic = bic)
}

confirmation_paragraphs <- function(x) {
  end <- x$fits$end
  state <- solution_state(end)
  fit <- if (!state$status %in% c("proper", "at bound", "weak"))
    text_of("validation_trouble", status = state$status) else
      text_of("validation_fit", chisq = chisq_text(test_of(end)$chisq, test_of(end)$df,
                                                   test_of(end)$p),
              cfi = format_share(comparison_measures(end)$cfi, 3L),
              rmsea = format_share(comparison_measures(end)$rmsea, 3L))
  d <- x$difference[!is.na(x$difference$chisq_change), ]
  fall <- text_of("fall_in_sample", sample = ifelse(
    d$data == "these", text_of("in_calibration"), text_of("in_validation")),
                  chisq = format_fixed(d$chisq_change, 2L), df = d$df_change,
                  p = vapply(d$p_change, p_clause, ""))
  p <- x$parameters
  each <- text_of("validated_parameter",
                  parameter = addresses_in_words(p$parameter, end$layout$observed),
                  estimate = format_number(p$estimate_fresh), se = format_number(p$se_fresh),
                  p = vapply(p$p_adjusted, p_clause, ""),
                  standardized = format_share(p$standardized_fresh))
  again <- p$verdict == "found_again"
  paste(c(text_of("cross_validated", cases = cases_text(end$sample), fit = fit,
                  cite = cite("Cudeck & Browne 1983")),
          if (nrow(d)) text_of("falls_compared", each = enumerate(fall)),
          if (any(again)) text_of("replicated", each = enumerate(each[again], most = 20L),
                                  cite = cite("Holm 1979")),
          if (any(!again)) text_of("not_replicated", each = enumerate(each[!again], most = 20L),
                                   cite = cite("Holm 1979"))), collapse = " ")
}

plan_paragraphs <- function(x) {
  sizes <- x$sizes
  t <- x$parameters[grepl("^(effect|mean|quantity|covariance)\\[", x$parameters$parameter) &
                      abs(x$parameters$truth) > 1e-8, ]
  named <- unique(t$parameter)
  each <- vapply(named, function(name) {
    own <- t[t$parameter == name, ]
    text_of("planned_power", parameter = addresses_in_words(name, character()),
            truth = format_number(own$truth[1L]),
            power = enumerate(text_of("power_at", n = format_count(own$n),
                                      power = format_share(own$power)), most = 20L))
  }, "")
  reached <- Reduce(intersect, lapply(named, function(name) {
    t$n[t$parameter == name & t$power >= x$goal]
  }))
  goal <- short_number(x$goal)
  coverage <- range(x$parameters$coverage, na.rm = TRUE)
  lost <- sizes$converged < 1
  paste(c(text_of("planned_by_simulation", title = quoted(x$title), reps = format_count(x$reps),
                  n = enumerate(format_count(sizes$n), most = 20L), seed = x$seed,
                  drawing = drawing_words(x$drawing),
                  cite = cite("Muth\u00e9n & Muth\u00e9n 2002")),
          if (length(each)) text_of("planned_powers", each = paste(each, collapse = "; "),
                                    level = short_number(x$significance),
                                    error = format_share(0.5 / sqrt(x$reps))),
          if (length(each)) if (length(reached))
            text_of("goal_reached", goal = goal, n = format_count(min(reached)),
                    count = length(named)) else text_of("goal_not_reached", goal = goal),
          text_of("planned_coverage", lower = format_share(coverage[1L], 3L),
                  upper = format_share(coverage[2L], 3L)),
          if (any(lost)) text_of("planned_losses", each = enumerate(text_of(
            "lost_at", n = format_count(sizes$n[lost]),
            share = percent_text(1 - sizes$converged[lost]))))), collapse = " ")
}

quality_paragraphs <- function(x) {
  t <- x$table
  name <- paste0(t$construct, ifelse(is.na(t$group), "", text_of("in_the_group", where = t$group)))
  level <- format(100 * x$asked$level)
  each <- text_of("omega_ave", name = name, omega = format_share(t$omega),
                  omega_upper = ifelse(is.na(t$omega_lower), "",
                        paste0(" ", format_limits(t$omega_lower, t$omega_upper))),
                  alpha = ifelse(is.na(t$alpha), "",
                                 text_of("alpha", alpha = format_share(t$alpha))),
                  ave = format_share(t$ave))
  part <- t$verdict %in% "part"
  conclusion <- quality_conclusion(x)
  c(text_of("reliability_validity_measures_intervals", level = level,
            cite = cite("McDonald 1999", "Cronbach 1951", "Fornell & Larcker 1981"),
            each = paste(each[!part], collapse = "; ")),
    if (any(part)) text_of("parts_are_reported_apart", parts = enumerate(unique(name[part]))),
    if (!is.null(x$pairs) && any(!is.na(x$pairs$htmt)))
      text_of("largest_ratio_correlations_between", pairs = largest_ratio(x$pairs),
              cite = cite("Henseler et al. 2015")),
    if (length(conclusion)) paste(conclusion, collapse = " "))
}

largest_ratio <- function(pairs) {
  k <- which.max(pairs$htmt)
  unknown <- sum(is.na(pairs$htmt))
  text_of("htmt_of_pair", unknown = if (unknown) text_of("htmt_unknown", count = unknown),
          htmt = format_share(pairs$htmt[k]), first = pairs$first[k],
          second = pairs$second[k],
          group = if (!is.na(pairs$group[k])) text_of("in_the_group", where = pairs$group[k]))
}

bootstrap_paragraphs <- function(x) {
  table <- bootstrap_table(x)
  table <- table[!is.na(table$lower), ]
  kind <- sub("[[(].*", "", table$parameter)
  told <- !kind %in% c("variance", "covariance", "intercept", "standardized")
  if (any(told)) table <- table[told, ]
  each <- paste0(addresses_in_words(table$parameter, x$fit$layout$observed), " ",
                 format_number(table$estimate), " ", interval_text(table$lower, table$upper))
  method <- if (x$asked$interval == "bca") text_of("bca_source", cite = cite("Efron 1987"))
  c(paste(c(text_of("bootstrap_was", level = 100 * x$asked$level,
                    interval = interval_words[[x$asked$interval]], method = method,
                    reps = format_count(x$asked$reps), drawn = drawn_words(x),
                    seed = x$asked$seed),
            bootstrap_words(x)[-1L]), collapse = " "),
    text_of("bootstrap_intervals_were", each = enumerate(each, most = 40L)))
}

bootstrap_test_paragraphs <- function(x) {
  each <- vapply(seq_len(nrow(x)), function(k) {
    text_of("bootstrap_test_result", p = p_clause(x$p_bootstrap[k]),
            tested = if (is.na(x$against[k])) quoted(x$model[k]) else
              text_of("model_against", model = quoted(x$model[k]), against = quoted(x$against[k])),
            chisq = chisq_text(x$chisq[k], x$df[k], x$p[k],
                               if (is.na(x$against[k])) "\u03c7\u00b2" else
                                 "\u0394\u03c7\u00b2"))
  }, "")
  paste(c(text_of("fit_was_bootstrapped", reps = format_count(attr(x, "reps")),
                  seed = attr(x, "seed"), cite = cite("Bollen & Stine 1992")), each),
        collapse = " ")
}

variance_split_paragraphs <- function(x) {
  c(if (length(x$trouble)) x$trouble,
    paste(text_of("variance_was_split", level = 100 * x$level,
                  cite = cite("Reise 2012", "Haberman 2008")),
          paste(x$reading, collapse = " ")))
}
