# Tables for the report: plain data frames of text.

# Columns of texts as a table; numbers to the right. `code`: the column that holds addresses.
report_table <- function(columns, code = "") {
  numeric <- vapply(columns, function(x) {
    any(nzchar(x)) &&
    all(grepl("^[<>= .,0-9()-]*$|^\\[.*\\]$|^fixed$|^at bound$", x))
  }, NA)
  for (name in intersect(code, names(columns))) columns[[name]] <- code_text(columns[[name]])
  # simple tables leave the bars of addresses alone
  knitr::kable(list_frame(columns), format = "simple", row.names = FALSE,
               align = ifelse(numeric, "r", "l"))
}

# A wrapped text on one line.
one_line <- function(text) gsub(" +", " ", paste(trimws(text), collapse = " "))

# A part that stands below a heading of its own; code blocks stay as they are.
deeper_headings <- function(text) {
  lines <- unlist(strsplit(paste(text, collapse = "\n"), "\n", fixed = TRUE))
  inside <- cumsum(grepl("^ *```", lines)) %% 2L == 1L
  lines[!inside] <- sub("^#", "##", lines[!inside])
  paste(lines, collapse = "\n")
}

# Wordings of the items in some addresses, one a line.
item_wordings <- function(parameters, fit) {
  lines <- format_wordings(parameters, all_wordings(fit))
  lines <- lines[nzchar(lines) & lines != "Item texts"]
  gsub("  +", " ", trimws(lines))
}

release_columns <- function(found, most = 5L) {
  x <- utils::head(as.data.frame(found), most)
  list(parameter = x$parameter, MI = format_fixed(x$modification_index, 2L), p = format_p(x$p),
       `expected change` = format_number(x$expected_change),
       `std.` = format_fixed(x$expected_change_std, 2L),
       `real drop` = format_fixed(x$actual_drop, 2L), verdict = x$verdict)
}
report_estimates <- function(fit, kind) {
  x <- estimates(fit)
  x <- x[x$kind %in% kind & !is_idle_mean(x), ]
  interval <- ifelse(is.na(x$lower), "",
                     paste0("[", format_number(x$lower), ", ", format_number(x$upper), "]"))
  words <- all_wordings(fit)
  item <- ifelse(is.na(fit$layout$rows$second[match(x$parameter, fit$layout$rows$parameter)]),
                 fit$layout$rows$first[match(x$parameter, fit$layout$rows$parameter)],
                 fit$layout$rows$second[match(x$parameter, fit$layout$rows$parameter)])
  out <- list_frame(list(parameter = code_text(x$parameter), estimate = format_number(x$estimate),
                         se = format_number(x$se), interval = interval, p = format_p(x$p),
                         standardized = format_fixed(x$standardized),
                         status = ifelse(x$status %in% c("free", "derived"), "", x$status)))
  if ("loading" %in% kind && length(words)) out$wording <- ifelse(item %in% names(words),
      words[item], "")
  names(out)[4L] <- "95 % interval"
  out
}

# Backticks inside a code span need a longer fence.
code_text <- function(x) {
  ifelse(grepl("`", x, fixed = TRUE), paste0("`` ", x, " ``"),
         paste0("`", x, "`"))
}

report_indices <- function(fit, criteria) {
  x <- fit_indices(fit, criteria)
  x <- x[!is.na(x$value), ]
  blank <- function(v) ifelse(is.na(v), "", v)
  out <-
    list_frame(list(index = unname(index_words[x$index]), value = format_index(x$index, x$value),
                    interval = ifelse(is.na(x$lower), "", paste0("[", format_fixed(x$lower), ", ",
                        format_fixed(x$upper), "]")),
                    cutoff = blank(x$cutoff), verdict = blank(x$verdict)))
  names(out)[3:4] <- c("90 % interval", "good (acceptable)")
  out
}

report_amendments <- function(fit, criteria) {
  all <- amendments(fit, top = 10, criteria = criteria)
  x <- utils::head(all, 10L)
  out <- list_frame(list(parameter = code_text(x$parameter), kind = x$kind,
                         MI = format_fixed(x$modification_index, 2L),
                         change = format_fixed(x$expected_change_std, 2L),
                         drop = format_fixed(x$actual_drop, 2L),
                         estimate = format_number(x$actual_estimate), verdict = x$verdict))
  names(out)[4:5] <- c("expected change, std.", "real drop")
  structure(out, chance = paste(c(attr(all, "nothing"), chance_note(all)), collapse = " "))
}

report_trail <- function(fit) {
  x <- trail(fit)
  out <-
    list_frame(list(revision = format_count(x$revision),
                    change = ifelse(x$revision == 0, "the start", code_text(x$change)),
                    because = paste0(ifelse(x$revision == 0 | nzchar(x$because), x$because,
                                            "(no reason given)"), ifelse(nzchar(x$note),
                        paste0(" (", x$note, ")"), "")),
                    predicted = format_fixed(x$predicted_drop, 2L),
                    drop = format_fixed(x$actual_drop, 2L), chisq = format_fixed(x$chisq, 2L),
                    df = format_count(x$df), p = format_p(x$p_change),
                    CFI = format_fixed(x$cfi), RMSEA = format_fixed(x$rmsea),
                    BIC = format_fixed(x$bic, 1L)))
  names(out)[c(4:6, 8L)] <- c("predicted drop", "real drop", "\u03c7\u00b2",
                              "p of \u0394\u03c7\u00b2")
  out
}

# A fingerprint of the sample moments, so that a reader can tell whether it is the same analysis.
sample_fingerprint <- function(fit) {
  numbers <- c(unlist(fit$moments, use.names = FALSE))
  file <- tempfile()
  on.exit(unlink(file))
  writeLines(formatC(numbers, digits = 10L, format = "e"), file)
  unname(tools::md5sum(file))
}
