# What a ladder shows, in a terminal and in reports.

#' @export
as.data.frame.orizzonte_ladder <- function(x, ...) x$table

#' @export
print.orizzonte_ladder <- function(x, ...) {
  cat(format_ladder(x), sep = "\n")
  invisible(x)
}

# What a ladder shows, as texts: fit by rung, changes, and the share of each group.
ladder_columns <- function(x) {
  t <- x$table
  count <- function(v) ifelse(is.na(v), "", format_count(v))
  shares <- x$contributions
  list(
    fit = list(rung = t$rung, "\u03c7\u00b2" = format_fixed(t$chisq, 2L), df = count(t$df),
               p = format_p(t$p), CFI = format_fixed(t$cfi), RMSEA = format_fixed(t$rmsea),
               SRMR = format_fixed(t$srmr), BIC = format_fixed(t$bic, 1L)),
    changes = list(rung = t$rung, "\u0394\u03c7\u00b2" = format_fixed(t$chisq_change, 2L),
                   "\u0394df" = count(t$df_change), p = format_p(t$p_change),
                   "\u0394CFI" = format_fixed(t$cfi_change),
                   "\u0394RMSEA" = format_fixed(t$rmsea_change),
                   "\u0394SRMR" = format_fixed(t$srmr_change), verdict = t$verdict,
                   breaks = t$broken),
    shares = c(list(group = rownames(shares)),
               stats::setNames(lapply(seq_len(ncol(shares)), function(k) {
                 format_fixed(shares[, k],
                 2L)
               }), colnames(shares))))
}

# Rungs whose solution is not what it should be: sentences.
ladder_trouble <- function(x) {
  unlist(lapply(names(x$fits), function(rung) {
    state <- solution_state(x$fits[[rung]])
    if (!state$status %in% c("proper", "weak"))
      paste0(rung, ": ", toupper(state$status), " (", state$trouble, ")")
  }))
}

ladder_limits <- function(x) {
  limits <- x$limits[-1L]
  if (length(limits) == 0L) return(NULL)
  last <- limits[[length(limits)]]
  parts <- vapply(names(last), function(name) {
    other <- Filter(function(limit) limit[[name]] != last[[name]], limits)
    paste0(switch(name, cfi = "\u0394CFI -", p = "p ", paste0("\u0394", toupper(name), " ")),
           short_number(last[[name]]),
           if (length(other))
             paste0(" (",
                    paste(names(other),
                          vapply(other, function(limit) short_number(limit[[name]]), ""),
                          collapse = ", "), ")"))
  }, "")
  given <- !all(vapply(x$criteria[change_criteria], is.null, NA))
  paste0("Criteria: ", paste(parts, collapse = ", "), if (given) "; given, else" else ";",
         " conventions (Cheung & Rensvold 2002; Chen 2007), not laws.")
}

ladder_failing <- function(x) x$table$rung[x$table$verdict %in% c("fails", "doubtful")]

format_ladder <- function(x) {
  columns <- ladder_columns(x)
  trouble <- ladder_trouble(x)
  bad <- ladder_failing(x)
  c(heading(paste0("Invariance: ", x$title)), format_sample(x$fits[[1L]], parameters = FALSE), "",
    format_table(columns$fit, c(FALSE, rep(TRUE, 7L))), "",
    paste0("Changes against ", if (x$against == "first") "the first rung" else "the rung before"),
    format_table(columns$changes, c(FALSE, rep(TRUE, 6L), FALSE, FALSE)), "",
    "\u03c7\u00b2 of each group",
    format_table(columns$shares, c(FALSE, rep(TRUE, length(columns$shares) - 1L))), "",
    if (length(trouble)) c(paste0("  - ", trouble), ""),
    if (!is.null(ladder_limits(x))) wrap_lines(ladder_limits(x)), wrap_lines(x$reading), "",
    if (length(bad)) {
      paste0("Next: loosen(ladder, ", quoted(bad[1L]),
             ") releases one equality at a time; amendments(ladder$fits$",
             address_name(bad[1L]), ")")
    } else {
      paste0("Next: ", if (!is.null(comparable_rung(x))) "latent_means(ladder), ",
             "compare_groups(ladder$fits$", address_name(x$table$rung[1L]),
             "), plot(ladder)")
    })
}
