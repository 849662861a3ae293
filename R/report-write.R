#' Write a report
#'
#' A self-contained page with the model, what was assumed, fit, estimates,
#' explained variance, residuals, what could be freed, claims, the trail, the path
#' diagram, and what is needed to reproduce it.
#'
#' @param fit A fit from [fit_model()].
#' @param file Where to write it. The ending decides the format: `.html`,
#'   `.docx` or `.md`.
#' @param quiet Whether to leave out the message that says where the report is.
#' @return The path of the report, invisibly.
#' @section Errors: `orizzonte_error_report` when rmarkdown, knitr or pandoc
#'   are not installed, when the folder does not exist, or the ending is another.
#' @examples
#' \donttest{
#' if (rmarkdown::pandoc_available()) {
#'   bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
#'   write_report(suppressMessages(fit_model(bp, choirs)), tempfile(fileext = ".html"))
#' }
#' }
#' @export
write_report <- function(fit, file, quiet = FALSE) {
  check_fit(fit, "write_report")
  check_string(file, "`file`")
  format <- report_format(file)
  check_report_tools()
  folder <- dirname(file)
  if (!dir.exists(folder)) abort("report", c(paste0("There is no folder ", quoted(folder), "."), i = "Create it first, or choose another."))
  work <- tempfile("orizzonte-report-")
  dir.create(work)
  on.exit(unlink(work, recursive = TRUE))
  template <- file.path(work, "report.Rmd")
  file.copy(system.file("report", "report.Rmd", package = "orizzonte"), template)
  target <- file.path(normalizePath(folder), basename(file))
  format <- do.call(utils::getFromNamespace(format[[1L]], "rmarkdown"), format[-1L])
  rmarkdown::render(template, output_format = format, output_file = basename(target), output_dir = dirname(target), intermediates_dir = work,
                    params = list(fit = fit), envir = new.env(parent = asNamespace("orizzonte")), quiet = TRUE)
  if (!quiet) say("Report written to ", file)
  invisible(file)
}

report_format <- function(file) {
  ending <- tolower(tools::file_ext(file))
  switch(ending,
    html = list("html_document", theme = NULL, self_contained = TRUE, mathjax = NULL, highlight = NULL, toc = TRUE, toc_depth = 2,
                css = system.file("report", "report.css", package = "orizzonte")),
    docx = list("word_document", toc = TRUE),
    md = list("md_document", variant = "gfm", preserve_yaml = FALSE),
    abort("report", c(paste0("Cannot write a report as ", quoted(paste0(".", ending)), "."), i = "Use a file that ends in .html, .docx or .md.")))
}

check_report_tools <- function() {
  missing <- Filter(function(package) !requireNamespace(package, quietly = TRUE), c("knitr", "rmarkdown"))
  if (length(missing)) {
    abort("report", c(paste0("Reports need the package ", enumerate(missing), "."),
                      i = paste0("install.packages(c(", paste(quoted(missing), collapse = ", "), "))")))
  }
  if (!rmarkdown::pandoc_available("2.0")) {
    abort("report", c("Reports need pandoc, version 2 or later.", i = "On Debian or Ubuntu: apt-get install pandoc."))
  }
}

# Tables for the report: plain data frames of text.
report_estimates <- function(fit, role) {
  x <- estimates(fit)
  x <- x[x$role %in% role & !(x$role == "mean" & x$status == "fixed" & x$estimate == 0), ]
  interval <- ifelse(is.na(x$lower), "", paste0("[", format_number(x$lower), ", ", format_number(x$upper), "]"))
  words <- all_wordings(fit)
  item <- ifelse(is.na(fit$layout$second[match(x$parameter, fit$layout$parameter)]), fit$layout$first[match(x$parameter, fit$layout$parameter)],
                 fit$layout$second[match(x$parameter, fit$layout$parameter)])
  out <- list_frame(list(parameter = code_text(x$parameter), estimate = format_number(x$estimate), se = format_number(x$se), interval = interval,
                         p = format_p(x$p), standardized = format_fixed(x$standardized), status = ifelse(x$status %in% c("free", "derived"), "", x$status)))
  if ("loading" %in% role && length(words)) out$wording <- ifelse(item %in% names(words), words[item], "")
  names(out)[4L] <- "95 % interval"
  out
}

# Backticks inside a code span need a longer fence.
code_text <- function(x) ifelse(grepl("`", x, fixed = TRUE), paste0("`` ", x, " ``"), paste0("`", x, "`"))

report_indices <- function(fit) {
  x <- fit_indices(fit)
  x <- x[!is.na(x$value), ]
  blank <- function(v) ifelse(is.na(v), "", v)
  out <- list_frame(list(index = unname(index_words[x$index]), value = format_index(x$index, x$value),
                         interval = ifelse(is.na(x$lower), "", paste0("[", format_fixed(x$lower), ", ", format_fixed(x$upper), "]")),
                         cutoff = blank(x$cutoff), verdict = blank(x$verdict)))
  names(out)[3:4] <- c("90 % interval", "good (acceptable)")
  out
}

report_amendments <- function(fit) {
  all <- amendments(fit, top = 10)
  x <- utils::head(all, 10L)
  out <- list_frame(list(parameter = code_text(x$parameter), kind = x$kind, index = format_fixed(x$modification_index, 2L),
                         change = format_fixed(x$expected_change_std, 2L), drop = format_fixed(x$actual_drop, 2L), estimate = format_number(x$actual_estimate),
                         verdict = x$verdict))
  names(out)[4:5] <- c("expected change, std.", "real drop")
  structure(out, chance = chance_note(all))
}

report_trail <- function(fit) {
  x <- trail(fit)
  out <- list_frame(list(revision = format_count(x$revision), change = ifelse(x$revision == 0, "the start", code_text(x$change)),
                         because = paste0(ifelse(x$revision == 0 | nzchar(x$because), x$because, "(no reason given)"), ifelse(nzchar(x$note),
                             paste0(" (", x$note, ")"), "")),
                         predicted = format_fixed(x$predicted_drop, 2L),
                         drop = format_fixed(x$actual_drop, 2L), chisq = format_fixed(x$chisq, 2L), df = format_count(x$df), p = format_p(x$p_change),
                         CFI = format_fixed(x$cfi), RMSEA = format_fixed(x$rmsea), BIC = format_fixed(x$bic, 1L)))
  names(out)[c(4:6, 8L)] <- c("predicted drop", "real drop", "\u03c7\u00b2", "p of \u0394\u03c7\u00b2")
  out
}

# A fingerprint of the sample moments, so that a reader can tell whether it is the same analysis.
sample_fingerprint <- function(fit) {
  numbers <- c(fit$moments$n, fit$moments$covariance, fit$moments$mean)
  file <- tempfile()
  on.exit(unlink(file))
  writeLines(formatC(numbers, digits = 10L, format = "e"), file)
  unname(tools::md5sum(file))
}
