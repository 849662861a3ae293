# What is told of ladders, comparisons, measures and bootstraps.

ladder_paragraphs <- function(x, criteria) {
  loosened <- if (inherits(x, "orizzonte_loosened")) x
  ladder <- if (is.null(loosened)) x else loosened$ladder
  first <- ladder$fits[[1L]]
  over <- c(groups = "groups", times = "times", both = "groups and times")[[ladder$over]]
  limits <- one_line(ladder_limits(ladder))
  if (nzchar(limits)) cite("Cheung & Rensvold 2002", "Chen 2007")
  c(text_of("invariance_over_was_tested", over = over,
            cite = cite("J\u00f6reskog 1971", "Meredith 1993"), title = quoted(ladder$title),
            sample = cases_text(first$sample), first = estimation_sentences(first),
            limits = limits),
    paste(vapply(seq_len(nrow(ladder$table)), rung_text, "", ladder = ladder), collapse = " "),
    release_text(ladder, loosened), paste(ladder$reading, collapse = " "),
    mean_text(ladder))
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
  verdict <- if (!is.na(t$verdict[k])) paste0(" (", ladder_verdicts(t[k, ]), ")")
  paste0(t$rung[k], ": ", own, against, verdict, ".")
}

# Releases with the p of what each gained, adjusted for their number.
release_text <- function(ladder, loosened) {
  if (is.null(loosened)) return(NULL)
  r <- loosened$released
  if (nrow(r) == 0L) return(text_of("nothing_was_released_rung", rung = loosened$rung))
  p <- difference_p(r$actual_drop, 1)
  holm <- stats::p.adjust(p, "holm")
  each <- paste0(r$parameter, ifelse(is.na(p), text_of("along_with_it"), text_of("fell_p",
      actual_drop = format_fixed(r$actual_drop, 2L), value = p_clause(p),
      value_2 = if (sum(!is.na(p)) > 1L) text_of("after_holm_p", holm = p_clause(holm)))))
  text_of("rung_were_released_one", rung = loosened$rung, each = enumerate(each, most = 20L),
          value = if (sum(!is.na(p)) > 1L) paste0(" (", cite("Holm 1979"), ".)"),
          loosened = loosened_reading(loosened))
}

mean_text <- function(ladder) {
  scalar <- comparable_rung(ladder)
  if (is.null(scalar)) return(NULL)
  means <- latent_means(ladder, rung = scalar)
  if (!is.null(attr(means, "caveat")))
    return(text_of("means_constructs_are_not", scalar = one_line(caveat_reason(ladder, scalar))))
  each <- text_of("se_p_standardized", construct = means$construct,
                  group = ifelse(is.na(means$group), "",
                                 text_of("blueprint_in", where = means$group)),
                  difference = format_number(means$difference), se = format_number(means$se),
                  value = p_clause(means$p), standardized = format_share(means$standardized))
  text_of("differences_means", means = compared_words(means), each = enumerate(each, most = 30L),
          cite = cite("S\u00f6rbom 1974"))
}

comparison_paragraphs <- function(x) {
  own <- paste0(x$model, ": ", vapply(seq_len(nrow(x)), function(k) {
    chisq_text(x$chisq[k], x$df[k], x$p[k])
  }, ""), ", CFI = ", format_share(x$cfi, 3L), ", RMSEA = ", format_share(x$rmsea, 3L),
  ", AIC = ", format_fixed(x$aic, 1L), ", BIC = ", format_fixed(x$bic, 1L), ".")
  c(text_of("models_compared", own = paste(own, collapse = " ")),
    paste(c(pair_sentences(x), comparison_reading(x)), collapse = " "))
}

quality_paragraphs <- function(x) {
  t <- x$table
  name <- paste0(t$construct, ifelse(is.na(t$group), "", text_of("blueprint_in", where = t$group)))
  level <- format(100 * x$asked$level)
  each <- text_of("omega_ave", name = name, omega = format_share(t$omega),
                  omega_upper = ifelse(is.na(t$omega_lower), "",
                        paste0(" ", format_limits(t$omega_lower, t$omega_upper))),
                  alpha = ifelse(is.na(t$alpha), "",
                                 text_of("alpha", alpha = format_share(t$alpha))),
                  ave = format_share(t$ave))
  short <- quality_sentences(x)
  c(text_of("reliability_validity_measures_intervals", level = level,
            cite = cite("McDonald 1999", "Cronbach 1951", "Fornell & Larcker 1981"),
            each = paste(each, collapse = "; ")),
    if (!is.null(x$pairs) && any(!is.na(x$pairs$htmt)))
      text_of("largest_ratio_correlations_between", pairs = largest_ratio(x$pairs),
              cite = cite("Henseler et al. 2015")),
    if (length(short)) paste(short, collapse = " ") else
      text_of("no_construct_falls_short"))
}

largest_ratio <- function(pairs) {
  k <- which.max(pairs$htmt)
  text_of("htmt_of_pair", htmt = format_share(pairs$htmt[k]), first = pairs$first[k],
          second = pairs$second[k],
          group = if (!is.na(pairs$group[k])) text_of("blueprint_in", where = pairs$group[k]))
}

bootstrap_paragraphs <- function(x) {
  table <- bootstrap_table(x)
  table <- table[!is.na(table$lower), ]
  kind <- sub("[[(].*", "", table$parameter)
  told <- !kind %in% c("variance", "covariance", "intercept", "standardized")
  if (any(told)) table <- table[told, ]
  each <- paste0(table$parameter, " = ", format_number(table$estimate), " ",
                 interval_text(table$lower, table$upper))
  c(paste0(paste(bootstrap_words(x), collapse = " "),
           if (x$asked$interval == "bca") paste0(" (", cite("Efron 1987"), ".)")),
    paste0("Intervals: ", enumerate(each, most = 40L), "."))
}
