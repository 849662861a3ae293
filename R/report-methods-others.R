# What is told of ladders, comparisons, measures and bootstraps.

ladder_paragraphs <- function(x, criteria) {
  loosened <- if (inherits(x, "orizzonte_loosened")) x
  ladder <- if (is.null(loosened)) x else loosened$ladder
  first <- ladder$fits[[1L]]
  over <- c(groups = "groups", times = "times", both = "groups and times")[[ladder$over]]
  limits <- one_line(ladder_limits(ladder))
  if (nzchar(limits)) cite("Cheung & Rensvold 2002", "Chen 2007")
  c(paste0("Invariance over ", over, " was tested rung by rung (",
           cite("J\u00f6reskog 1971", "Meredith 1993"), ") with the model ",
           quoted(ladder$title), ", fitted to ", cases_text(first$sample), ". ",
           estimation_sentences(first), " ", limits),
    paste(vapply(seq_len(nrow(ladder$table)), rung_text, "", ladder = ladder), collapse = " "),
    release_text(ladder, loosened), paste(ladder$reading, collapse = " "),
    mean_text(ladder))
}

rung_text <- function(k, ladder) {
  t <- ladder$table
  if (t$status[k] == "not converged") return(paste0(t$rung[k], ": not converged."))
  own <- paste0(chisq_text(t$chisq[k], t$df[k], t$p[k]), ", CFI = ", format_share(t$cfi[k], 3L),
                ", RMSEA = ", format_share(t$rmsea[k], 3L), ", SRMR = ",
                format_share(t$srmr[k], 3L))
  against <- if (!is.na(t$chisq_change[k]))
    paste0("; against ", t$against[k], " ",
           chisq_text(t$chisq_change[k], t$df_change[k], t$p_change[k], "\u0394\u03c7\u00b2"),
           ", \u0394CFI = ", format_share(t$cfi_change[k], 3L), ", \u0394RMSEA = ",
           format_share(t$rmsea_change[k], 3L), ", \u0394SRMR = ",
           format_share(t$srmr_change[k], 3L))
  verdict <- if (!is.na(t$verdict[k])) paste0(" (", ladder_verdicts(t[k, ]), ")")
  paste0(t$rung[k], ": ", own, against, verdict, ".")
}

# Releases with the p of what each gained, adjusted for their number.
release_text <- function(ladder, loosened) {
  if (is.null(loosened)) return(NULL)
  r <- loosened$released
  if (nrow(r) == 0L) return(paste0("Nothing was released on the ", loosened$rung, " rung."))
  p <- difference_p(r$actual_drop, 1)
  holm <- stats::p.adjust(p, "holm")
  each <- paste0(r$parameter, ifelse(is.na(p), " along with it", paste0(
    " (\u03c7\u00b2 fell by ", format_fixed(r$actual_drop, 2L), ", p ", p_clause(p),
    if (sum(!is.na(p)) > 1L) paste0(", after Holm p ", p_clause(holm)), ")")))
  paste0("On the ", loosened$rung, " rung were released, one after the other: ",
         enumerate(each, most = 20L), ".",
         if (sum(!is.na(p)) > 1L) paste0(" (", cite("Holm 1979"), ".)"), " ",
         loosened_reading(loosened))
}

mean_text <- function(ladder) {
  scalar <- comparable_rung(ladder)
  if (is.null(scalar)) return(NULL)
  means <- latent_means(ladder, rung = scalar)
  if (!is.null(attr(means, "caveat")))
    return(paste0("Means of constructs are not compared: ",
                  one_line(caveat_reason(ladder, scalar))))
  each <- paste0(means$construct, ifelse(is.na(means$group), "", paste0(" in ", means$group)),
                 " ", format_number(means$difference), " (SE = ", format_number(means$se), ", p ",
                 p_clause(means$p), ", standardized ", format_share(means$standardized), ")")
  paste0("Differences of means", compared_words(means), ": ", enumerate(each, most = 30L),
         " (", cite("S\u00f6rbom 1974"), ").")
}

comparison_paragraphs <- function(x) {
  own <- paste0(x$model, ": ", vapply(seq_len(nrow(x)), function(k) {
    chisq_text(x$chisq[k], x$df[k], x$p[k])
  }, ""), ", CFI = ", format_share(x$cfi, 3L), ", RMSEA = ", format_share(x$rmsea, 3L),
  ", AIC = ", format_fixed(x$aic, 1L), ", BIC = ", format_fixed(x$bic, 1L), ".")
  c(paste0("Models compared. ", paste(own, collapse = " ")),
    paste(c(pair_sentences(x), comparison_reading(x)), collapse = " "))
}

quality_paragraphs <- function(x) {
  t <- x$table
  name <- paste0(t$construct, ifelse(is.na(t$group), "", paste0(" in ", t$group)))
  level <- format(100 * x$asked$level)
  each <- paste0(name, " omega = ", format_share(t$omega),
                 ifelse(is.na(t$omega_lower), "",
                        paste0(" ", format_limits(t$omega_lower, t$omega_upper))),
                 ifelse(is.na(t$alpha), "", paste0(", alpha = ", format_share(t$alpha))),
                 ", AVE = ", format_share(t$ave))
  short <- quality_sentences(x)
  c(paste0("Reliability and validity of the measures (", level, " % intervals; ",
           cite("McDonald 1999", "Cronbach 1951", "Fornell & Larcker 1981"), "): ",
           paste(each, collapse = "; "), "."),
    if (!is.null(x$pairs) && any(!is.na(x$pairs$htmt)))
      paste0("The largest ratio of correlations between constructs to those within (HTMT) is ",
             largest_ratio(x$pairs), " (", cite("Henseler et al. 2015"), ")."),
    if (length(short)) paste(short, collapse = " ") else
      "No construct falls short of the criteria.")
}

largest_ratio <- function(pairs) {
  k <- which.max(pairs$htmt)
  paste0(format_share(pairs$htmt[k]), " (", pairs$first[k], " and ", pairs$second[k],
         if (!is.na(pairs$group[k])) paste0(" in ", pairs$group[k]), ")")
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
