# What a ladder shows, in a terminal and in reports.

#' @export
as.data.frame.orizzonte_ladder <- function(x, ...) x$table

#' @export
print.orizzonte_ladder <- function(x, ...) {
  put_lines(format_ladder(x))
  invisible(x)
}

# What a ladder shows, as texts: fit by rung, changes, and the share of each group.
ladder_columns <- function(x) {
  t <- x$table
  count <- function(v) ifelse(is.na(v), "", format_count(v))
  shares <- x$contributions
  list(
    fit = titled(list(
               rung = t$rung, chisq = format_fixed(t$chisq, 2L), df = count(t$df),
               p = format_p(t$p), CFI = format_fixed(t$cfi), TLI = format_fixed(t$tli),
               RMSEA = format_fixed(t$rmsea),
               SRMR = format_fixed(t$srmr), BIC = format_fixed(t$bic, 1L))),
    changes = titled(list(
                   rung = t$rung, against = ifelse(is.na(t$against), "", t$against),
                   chisq_change = format_fixed(t$chisq_change, 2L),
                   df_change = count(t$df_change), p = format_p(t$p_change),
                   cfi_change = format_fixed(t$cfi_change),
                   rmsea_change = format_fixed(t$rmsea_change),
                   srmr_change = format_fixed(t$srmr_change), verdict = ladder_verdicts(t),
                   breaks = index_names_of(t$broken))),
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
  text_of("criteria_conventions_cheung_rensvold", parts = paste(parts, collapse = ", "),
          given = if (given) "; given, else" else ";", cfi = short_number(x$criteria$cfi[2L]),
          rmsea = short_number(x$criteria$rmsea[2L]))
}

ladder_failing <- function(x) {
  known <- x$table$rung %in% names(rung_adds)
  x$table$rung[known & x$table$verdict %in% c("fails", "doubtful")]
}

equality_columns <- function(tested) {
  list(parameter = tested$parameter, p = format_p(tested$p), `p (Holm)` = format_p(tested$p_holm),
       change = format_fixed(tested$expected_change_std, 2L),
       power = format_fixed(tested$power, 2L),
       verdict = words_of("equality", tested$verdict))
}

# The single equalities that were tested, by rung.
format_equalities <- function(x) {
  rungs <- intersect(names(x$details), names(rung_adds))
  unlist(lapply(rungs, function(rung) {
    tested <- utils::head(x$details[[rung]], 5L)
    more <- nrow(x$details[[rung]]) - nrow(tested)
    c(text_of("single_equalities_rung_leading", rung = rung),
      format_table(equality_columns(tested), c(FALSE, rep(TRUE, 4L), FALSE)),
      if (more > 0L)
        text_of("and_more_then", more = more, instruction = instruction("see_details")), "")
  }))
}

format_ladder <- function(x) {
  columns <- ladder_columns(x)
  trouble <- ladder_trouble(x)
  c(heading(text_of(paste0("ladder_over_", x$over), title = x$title)),
    format_sample(x$fits[[1L]], parameters = FALSE),
    format_inference(x$fits[[1L]]), "",
    format_table(columns$fit, c(FALSE, rep(TRUE, 8L))), "", "Changes",
    format_table(columns$changes, c(FALSE, FALSE, rep(TRUE, 6L), FALSE, FALSE)), "",
    corrected_change_words(x$fits[[1L]]$request),
    if (nrow(x$contributions) > 1L)
      c(text_of("each_group", request = if (is_robust(x$fits[[1L]]$request)) ", uncorrected"),
        format_table(columns$shares, c(FALSE, rep(TRUE, length(columns$shares) - 1L))), ""),
    format_equalities(x), if (length(trouble)) c(paste0("  - ", trouble), ""),
    if (!is.null(ladder_limits(x))) c(wrap_lines(ladder_limits(x)), ""),
    wrap_lines(paste0("- ", x$reading), 0L, 2L), "", ladder_next(x))
}

# The next step mends what stands in the way, the lowest rung first.
ladder_next <- function(x) {
  rung <- function(name) paste0("ladder$fits$", address_name(name))
  t <- x$table
  bad <- t$rung[!t$verdict %in% c(sound_codes, NA) & t$rung %in% names(rung_adds)][1L]
  verdict <- t$verdict[match(bad, t$rung)]
  if (is.na(bad)) {
    calls <- c(if (!is.null(comparable_rung(x))) "latent_means(ladder)",
               if (x$over != "times") paste0("compare_groups(", rung(t$rung[1L]), ")"),
               "plot(ladder)")
    return(next_step("use_ladder", calls = paste(calls, collapse = ", ")))
  }
  name <- if (verdict %in% c("fails", "doubtful")) "loosen" else if (verdict == "fits_poorly")
    "amend_configural" else "rescue_rung"
  next_step(name, quoted_rung = quoted(bad), rung = bad, fit = rung(bad))
}
