#' Methods and results in words
#'
#' A passage for a manuscript in plain words, made from what was actually done: the model, the
#' estimator, the cases and what is missing, fit with its cut-offs, measures, effects, claims with
#' *p* adjusted for their number, changes with their reasons, rungs, releases, means. Every number
#' comes from the object.
#'
#' @param x A fit from [fit_model()], a ladder from [invariance()] or [loosen()], what
#'   [compare_models()], [construct_quality()] or [bootstrap_fit()] returned, or a named list of
#'   these.
#' @param criteria Cut-offs, from [criteria()].
#' @param ... Must be empty: an argument by another name is an error.
#' @return An object of class `orizzonte_text`: a list with `paragraphs` (a character vector) and
#'   `references` (what they cite). Printing it shows both; `as.character()` gives the paragraphs.
#' @section Errors: `orizzonte_error_input` when `x` is nothing of the kind.
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
    abort("input", c("methods_text() needs a fit, a ladder, or something else it can tell about.",
                     x = describe_part(x, function(part) {
                       !is.null(methods_paragraphs(part, criteria))
                     }),
                     i = paste0("Fits, ladders, comparisons, qualities and bootstraps, or a list ",
                                "of them.")))
  structure(list(paragraphs = paragraphs, references = found$references),
            class = "orizzonte_text")
}

#' @export
as.character.orizzonte_text <- function(x, ...) x$paragraphs

#' @export
print.orizzonte_text <- function(x, ...) {
  put_lines(heading("Methods and results"))
  for (paragraph in x$paragraphs) put_lines(wrap_lines(paragraph), "")
  if (length(x$references))
    put_lines("References", wrap_lines(paste0("- ", x$references), 0L, 2L))
  invisible(x)
}

# NULL when nothing can be told of it.
methods_paragraphs <- function(x, criteria) {
  if (inherits(x, "orizzonte_fit")) return(fit_paragraphs(check_fit(x, "methods_text"), criteria))
  if (is_ladder(x)) {
    check_ladder(x, "methods_text")
    return(ladder_paragraphs(x, criteria))
  }
  if (inherits(x, "orizzonte_comparison")) return(comparison_paragraphs(x))
  if (inherits(x, "orizzonte_quality")) return(quality_paragraphs(x))
  if (inherits(x, "orizzonte_bootstrap")) return(bootstrap_paragraphs(x))
  if (!is.list(x) || is.data.frame(x) || is.object(x) || length(x) == 0L) return(NULL)
  parts <- lapply(unname(x), methods_paragraphs, criteria = criteria)
  if (any(vapply(parts, is.null, NA))) return(NULL)
  unlist(parts)
}

# --- a fit ---------------------------------------------------------------------------------------

fit_paragraphs <- function(fit, criteria) {
  said <- c(paste(model_sentence(fit), estimation_sentences(fit)), trouble_sentence(fit))
  if (!has_converged(fit)) return(said)
  if (length(trouble_sentence(fit)))
    return(c(said, fit_sentence(fit, criteria), trail_sentences(fit)))
  c(said, paste(c(fit_sentence(fit, criteria), trail_sentences(fit)), collapse = " "),
    loading_sentence(fit), effect_sentences(fit), claim_paragraph(fit, criteria))
}

model_sentence <- function(fit) {
  layout <- fit$layout
  own <- setdiff(layout$constructs, layout$composites)
  what <- c(
    if (length(own)) paste0(count_of(length(own), "construct"), " (", enumerate(own, most = 12L),
                            ")"),
    if (length(layout$composites))
      paste0(count_of(length(layout$composites), "composite"), " (",
             enumerate(layout$composites, most = 12L), ")"))
  of <- if (length(what)) paste0(" with ", enumerate(what)) else ""
  df <- format_count(test_of(fit)$df)
  paste0("The model ", quoted(fit$request$blueprint$title), of, " and ",
         count_of(length(layout$observed), "observed variable"), " was fitted to ",
         cases_text(fit$sample), "; it has ",
         count_of(n_free(fit), "free parameter"), " and ", df,
         if (df == "1") " degree" else " degrees", " of freedom.")
}

estimation_sentences <- function(fit) {
  request <- fit$request
  sample <- fit$sample
  auxiliary <- told_by(sample)
  paste(c(
    paste0("Estimates are those of maximum likelihood, made with orizzonte ", fit$version, "."),
    if (is_incomplete(sample))
      paste0(format_count(total_of(sample, "with_missing")), " of the cases had missing values ",
             "and were kept: casewise maximum likelihood, which supposes values missing at random ",
             "(", cite("Arbuckle 1996"), ")."),
    if (length(auxiliary))
      paste0("Auxiliary variables outside the model: ", enumerate(auxiliary), " (",
             cite("Graham 2003"), ")."),
    if (is_robust(request)) robust_sentence(fit) else
      if (!is_incomplete(sample)) "Standard errors and tests suppose normality.",
    held_sentence(fit)), collapse = " ")
}

robust_sentence <- function(fit) {
  by <- if (is.na(count_clusters(fit$sample))) "" else
    paste0(", by ", count_clusters(fit$sample), " clusters of ", fit$sample$clusters)
  paste0("Standard errors are robust (", cite("White 1982"), by, "), and \u03c7\u00b2 is corrected ",
         "for what is not normal (", cite(if (is_incomplete(fit$sample)) "Yuan & Bentler 2000" else
           "Satorra & Bentler 1994"), ").")
}

held_sentence <- function(fit) {
  rows <- fit$layout$rows
  bp <- fit$request$blueprint
  said <- c(if (any(rows$over_groups)) paste0("across groups: ", enumerate(bp$hold_equal)),
            if (any(rows$over_times)) paste0("over times: ", enumerate(bp$hold_equal_times)))
  if (length(said)) paste0("Held equal ", paste(said, collapse = "; "), ".")
}

trouble_sentence <- function(fit) {
  state <- solution_state(fit)
  if (state$status == "not converged")
    return(paste0("The model did not converge (", state$trouble, "): nothing of it can be read."))
  if (state$status == "improper")
    paste0("The solution is improper (", state$trouble, "): its estimates are not interpreted.")
}

# chi2(df) = ..., with the cut-offs that are met.
fit_sentence <- function(fit, criteria) {
  table <- fit_indices(fit, criteria)
  value <- stats::setNames(table$value, table$index)
  at <- match("rmsea", table$index)
  if (value[["df"]] == 0)
    return("The model is saturated: its fit says nothing.")
  limits <- if (!is.na(table$lower[at]))
    paste0(", 90 % interval [", format_share(table$lower[at], 3L), ", ",
           format_share(table$upper[at], 3L), "]")
  worst <- rule_worst_index(table$verdict[table$index %in% judged_indices])
  paste0("The model fitted ", if (is.na(worst)) "as follows" else words_of("fitted", worst),
         " by its indices: ",
         chisq_text(value[["chisq"]], value[["df"]], value[["p"]]), ", CFI = ",
         format_share(value[["cfi"]], 3L), ", TLI = ", format_share(value[["tli"]], 3L),
         ", RMSEA = ", format_share(value[["rmsea"]], 3L), limits, ", SRMR = ",
         format_share(value[["srmr"]], 3L), " (good: CFI and TLI from ",
         short_number(criteria$cfi[1L]), ", RMSEA up to ", short_number(criteria$rmsea[1L]),
         ", SRMR up to ", short_number(criteria$srmr[1L]), "; ", cite("Hu & Bentler 1999"), ").",
         if (is_incomplete(fit$sample))
           paste0(" CFI, TLI and RMSEA allow for what is missing (", cite("Zhang & Savalei 2023"),
                  ")."))
}

# A chi-square with its degrees of freedom and p.
chisq_text <- function(chisq, df, p, mark = "\u03c7\u00b2") {
  paste0(mark, "(", format_count(df), ") = ", format_fixed(chisq, 2L),
         if (!is.na(p)) paste0(", p ", p_clause(p)))
}

loading_sentence <- function(fit) {
  layout <- fit$layout
  at <- which(layout$rows$kind == "loading" & !layout$rows$second %in% layout$constructs)
  if (length(at) == 0L) return(NULL)
  value <- standardized_of(fit)$value[at]
  size <- abs(value)
  named <- function(k) {
    paste0(format_share(value[k]), " (", layout$rows$second[at][k],
           bracketed_group(layout, layout$rows$group[at][k]), ")")
  }
  paste0("Standardized loadings range in size from ", named(which.min(size)), " to ",
         named(which.max(size)), ".")
}

bracketed_group <- function(layout, group) {
  shown <- shown_group(layout, group)
  if (is.na(shown)) "" else paste0(" in ", shown)
}

# Every effect with its error and p, and what is explained of its outcome.
effect_sentences <- function(fit) {
  table <- estimates(fit)
  table <- table[table$kind == "effect" & !is.na(table$p), ]
  if (nrow(table) == 0L) return(NULL)
  shown <- utils::head(order(table$p), most_effects)
  shown <- sort(shown)
  each <- vapply(shown, function(k) {
    paste0(table$parameter[k], " = ", format_number(table$estimate[k]), " (SE = ",
           format_number(table$se[k]), ", p ", p_clause(table$p[k]), ", standardized ",
           format_share(table$standardized[k]), ")")
  }, "")
  explained <- r_squared(fit)
  explained <- explained[explained$kind != "item" & explained$variable %in%
                           fit$layout$rows$second[fit$layout$rows$kind == "effect"], ]
  r2 <- if (nrow(explained))
    paste0(" Explained variance: ", enumerate(paste0(
      explained$variable, ifelse(is.na(explained$group), "", paste0(" in ", explained$group)),
      " R\u00b2 = ", format_share(explained$r_squared)), most = 20L), ".")
  paste0("Effects: ", enumerate(each, most = most_effects), ".",
         if (nrow(table) > most_effects)
           paste0(" Of ", nrow(table), " effects these have the smallest p."), r2)
}

most_effects <- 20L

claim_paragraph <- function(fit, criteria) {
  if (length(fit$request$blueprint$claims) == 0L) return(NULL)
  x <- verdicts(fit, criteria)
  p <- ifelse(is.na(x$p_one_sided), x$p, x$p_one_sided)
  holm <- claims_holm(x)
  each <- paste0(x$claim, " (", x$statement, ") ", words_of("claim_was", x$verdict), " (estimate ",
                 format_number(x$estimate), ifelse(is.na(p), "", paste0(", p ", p_clause(p))),
                 ifelse(is.na(holm) | nrow(x) < 2L, "", paste0(", after Holm p ", p_clause(holm))),
                 ")")
  paste0("Of the expectations ", enumerate(each, most = 20L), ".",
         if (nrow(x) > 1L)
           paste0(" p is adjusted for ", sum(!is.na(p)), " claims after Holm (",
                  cite("Holm 1979"), ")."))
}

# p of a family of claims, adjusted for their number.
claims_holm <- function(x) {
  stats::p.adjust(ifelse(is.na(x$p_one_sided), x$p, x$p_one_sided), "holm")
}

# What was changed, why, and what it did.
trail_sentences <- function(fit) {
  if (length(fit$request$blueprint$trail) == 0L) return(NULL)
  steps <- trail(fit)
  steps <- steps[steps$revision > 0, ]
  if (nrow(steps) == 0L) return(NULL)
  drop <- steps$actual_drop
  each <- paste0(steps$change, ifelse(nzchar(steps$because), paste0(", because ", steps$because),
                                      ", without a reason given"),
                 ifelse(is.na(drop), "", paste0(" (\u03c7\u00b2 fell by ",
                                                format_fixed(drop, 2L), ")")))
  often <- if (nrow(steps) == 1L) "once" else paste(nrow(steps), "times")
  paste0("The model was changed ", often, " after looking at these data: ",
         enumerate(each, most = 20L), ". Such changes ask for confirmation in other data.")
}
