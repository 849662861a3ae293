# A bootstrap as it is printed.

#' @export
print.orizzonte_bootstrap <- function(x, ...) {
  check_replicates(x, "print")
  put_lines(format_bootstrap(x))
  invisible(x)
}

format_bootstrap <- function(x) {
  columns <- bootstrap_columns(bootstrap_table(x), x$asked)
  c(heading(text_of("head_bootstrap")), wrap_lines(bootstrap_words(x)), "",
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
  percent <- text_of("interval_title", level = format(100 * asked$level))
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
  drawn <- if (asked$draw == "model") text_of("normal_data_from_fitted") else
    text_of("of_the_cases",
            sample = if (!is.na(count_clusters(x$fit$sample))) text_of("by_whole_clusters"),
            groups = if (length(x$fit$layout$groups) > 1L) text_of("within_groups"))
  c(text_of("replicates_seed_intervals_are", reps = format_count(asked$reps), drawn = drawn,
            seed = asked$seed, level = 100 * asked$level,
            interval = interval_words[[asked$interval]]),
    lost_words(x$status),
    if (any(x$improper & x$status == 0L))
      text_of("improper", status = count_of(sum(x$improper & x$status == 0L), "replicate"),
              improper = if (asked$improper == "keep")
                text_of("improper_kept") else text_of("improper_left_out")),
    if (lost > 0.1 * asked$reps)
      text_of("more_than_one_ten"),
    if (length(x$trouble))
      text_of("some_replicates_gave_no", trouble = x$trouble[1L]))
}

lost_words <- function(status) {
  unusable <- sum(status == unusable_status)
  others <- sum(status != 0L) - unusable
  c(if (others) text_of("did_not_converge_left", others = count_of(others, "replicate"),
                        others_2 = if (others == 1L) "is" else "are"),
    if (unusable) text_of("could_not_be_analysed", unusable = count_of(unusable, "replicate"),
                          unusable_2 = if (unusable == 1L) "is" else "are"))
}

unusable_status <- 8L

# In how many replicates each claim is supported.
claim_shares <- function(x) {
  at <- grep("^supported\\[", names(x$estimate))
  if (length(at) == 0L) return(NULL)
  share <- colMeans(x$values[, at, drop = FALSE], na.rm = TRUE)
  c(text_of("supported_replicates", trim = enumerate(text_of("many_in",
      at = sub("^supported\\[(.*)\\]$", "\\1", names(x$estimate)[at]),
      trim = format(round(100 * share, 1), trim = TRUE)))), "")
}

interval_text <- function(lower, upper) {
  ifelse(is.na(lower), "", paste0("[", format_number(lower), ", ", format_number(upper), "]"))
}
