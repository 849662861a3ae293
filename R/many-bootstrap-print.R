# A bootstrap as it is printed.

#' @export
print.orizzonte_bootstrap <- function(x, ...) {
  check_replicates(x, "print")
  put_lines(format_bootstrap(x))
  invisible(x)
}

format_bootstrap <- function(x) {
  columns <- bootstrap_columns(bootstrap_table(x), x$asked)
  c(heading("Bootstrap"), wrap_lines(bootstrap_words(x)), "",
    format_table(columns, c(FALSE, rep(TRUE, length(columns) - 1L)),
                 spare = c("used", "bias", "p")),
    "", wrap_lines(claim_shares(x)), bootstrap_next(x))
}

bootstrap_next <- function(x) {
  next_step(if (any(grepl("^standardized\\(", names(x$estimate)))) "use_intervals" else
    "test_by_bootstrap")
}

# A standardized value stands beside the value it belongs to; what never varies is left out.
bootstrap_columns <- function(table, asked) {
  table <- table[!table$se %in% 0, ]
  inner <- sub("^standardized(\\((.*)\\)|\\[(.*)\\])$", "\\2\\3", table$parameter)
  standard <- inner != table$parameter
  rows <- which(!standard | !inner %in% table$parameter[!standard])
  at <- match(inner[rows], ifelse(standard, inner, NA))
  percent <- paste0(format(100 * asked$level), " % interval")
  alone <- standard[rows]
  out <- list(parameter = inner[rows],
              estimate = ifelse(alone, "", format_number(table$estimate[rows])),
              se = ifelse(alone, "", format_number(table$se[rows])),
              bias = ifelse(alone, "", format_number(table$bias[rows])),
              interval = ifelse(alone, "", interval_text(table$lower[rows], table$upper[rows])),
              p = ifelse(alone, "", format_p(table$p[rows])))
  names(out)[5L] <- percent
  if (any(standard))
    out <- c(out, list(standardized = ifelse(is.na(at), "", format_fixed(table$estimate[at])),
                       `its interval` = ifelse(is.na(at), "", interval_text(table$lower[at],
                                                                            table$upper[at]))))
  if (any(table$used < asked$reps))
    out <- c(out, list(used = format_count(table$used[rows])))
  out
}

# What was drawn and what became of it, in sentences.
bootstrap_words <- function(x) {
  asked <- x$asked
  lost <- sum(x$status != 0L)
  drawn <- if (asked$draw == "model") "of normal data from the fitted model" else
    paste0("of the cases", if (!is.na(count_clusters(x$fit$sample))) " by whole clusters",
           if (length(x$fit$layout$groups) > 1L) " within groups")
  c(paste0(format_count(asked$reps), " replicates ", drawn, " (seed ", asked$seed, "); ",
           100 * asked$level, " % intervals are ", interval_words[[asked$interval]], "."),
    lost_words(x$status),
    if (any(x$improper & x$status == 0L))
      paste0(count_of(sum(x$improper & x$status == 0L), "replicate"), " improper: ",
             if (asked$improper == "keep")
               "kept, since leaving them out would bias what lies near a bound." else "left out."),
    if (lost > 0.1 * asked$reps)
      "More than one in ten is lost: intervals speak for the others only.",
    if (length(x$trouble))
      paste0("Some replicates gave no value: ", x$trouble[1L]))
}

lost_words <- function(status) {
  unusable <- sum(status == unusable_status)
  others <- sum(status != 0L) - unusable
  c(if (others) paste0(count_of(others, "replicate"), " did not converge and ",
                       if (others == 1L) "is" else "are", " left out."),
    if (unusable) paste0(count_of(unusable, "replicate"),
                         " could not be analysed (a variable does ",
                         "not vary or is never seen) and ", if (unusable == 1L) "is" else "are",
                         " left out."))
}

unusable_status <- 8L

# In how many replicates each claim is supported.
claim_shares <- function(x) {
  at <- grep("^supported\\[", names(x$estimate))
  if (length(at) == 0L) return(NULL)
  share <- colMeans(x$values[, at, drop = FALSE], na.rm = TRUE)
  c(paste0("Supported in the replicates: ",
           enumerate(paste0(sub("^supported\\[(.*)\\]$", "\\1", names(x$estimate)[at]), " in ",
                            format(round(100 * share, 1), trim = TRUE), " %")), "."), "")
}

interval_text <- function(lower, upper) {
  ifelse(is.na(lower), "", paste0("[", format_number(lower), ", ", format_number(upper), "]"))
}
