# The printed form of a screen.

#' @export
print.orizzonte_screen <- function(x, ...) {
  put_lines(format_screen(x))
  invisible(x)
}

#' @export
as.data.frame.orizzonte_screen <- function(x, ...) x$columns

format_normality <- function(n) {
  c("", text_of("multivariate_normality"),
             format_table(list(measure = n$measure, value = format_fixed(n$value, 2L),
                               expected = format_fixed(n$expected, 2L),
                               statistic = format_fixed(n$statistic, 2L), p = format_p(n$p)),
                               c(FALSE, rep(TRUE, 4L))),
             if (anyNA(n$value))
               text_of("skewness_is_left_out"))
}

# Pairs that few rows have, missing values by group, Little's test, and what all of it means.
format_missing <- function(x) {
  m <- x$missing
  if (is.null(m)) return(NULL)
  test <- if (!is.null(m$test))
    text_of("little_s_test_missing", statistic = format_fixed(m$test$statistic, 2L), df = m$test$df,
            value = p_clause(m$test$p))
  c(format_coverage(m$coverage), format_missing_by_group(m$by_group),
    format_predictors(m$predictors), "",
    wrap_lines(c(test, missing_sentence(x))))
}

format_coverage <- function(coverage) {
  at <- which(lower.tri(coverage), arr.ind = TRUE)
  if (nrow(at) == 0L) return(NULL)
  thin <- utils::head(at[order(coverage[at]), , drop = FALSE], 4L)
  names <- colnames(coverage)
  c("", text_of("pairs_fewest_rows_have"),
    format_table(list(pair = paste(names[thin[, 2L]], "and", names[thin[, 1L]]),
                      `share of rows` = paste0(format_fixed(100 * coverage[thin], 1L), "%")),
                 c(FALSE, TRUE)))
}

format_predictors <- function(predictors) {
  found <- utils::head(predictors[predictors$p_adjusted < 0.05, ], 6L)
  if (NROW(found) == 0L) return(NULL)
  c("", text_of("predictors_of_missing"),
    format_table(list(missing = found$variable, predictor = found$predictor,
                      `odds ratio per SD` = format_fixed(found$odds_ratio, 2L),
                      `p (Holm)` = format_p(found$p_adjusted)), c(FALSE, FALSE, TRUE, TRUE)))
}

format_missing_by_group <- function(table) {
  if (is.null(table)) return(NULL)
  groups <- unique(table$group)
  shown <- utils::head(groups, 8L)
  variables <- unique(table$variable)
  columns <- lapply(stats::setNames(shown, shown), function(g) {
    share <- table$share[table$group == g]
    paste0(format_fixed(100 * share, 1L), "%")
  })
  keep <- utils::head(order(-tapply(table$share, factor(table$variable, variables), max)), 8L)
  c("", text_of("missing_group_leading_ones"),
    format_table(c(list(variable = variables[keep]), lapply(columns, `[`, keep)),
                 c(FALSE, rep(TRUE, length(shown)))),
    if (length(groups) > 8L) text_of("more_groups", groups = length(groups) - 8L))
}

format_clusters <- function(x) {
  table <- x$clusters
  if (NROW(table) == 0L) return(NULL)
  c("", text_of("clusters_by", cluster_column = x$cluster_column,
                clusters = format_count(max(table$clusters))),
    format_table(list(variable = table$variable, ICC = format_share(table$icc, 3L),
                      `design effect` = format_fixed(table$design_effect, 2L),
                      p = format_p(table$p)), c(FALSE, TRUE, TRUE, TRUE)))
}

format_patterns <- function(patterns) {
  if (nrow(patterns) < 2L) return(NULL)
  shown <- utils::head(patterns, 6L)
  missing <- ifelse(nzchar(shown$missing), shown$missing, "(nothing)")
  long <- nchar(missing) > 56L
  missing[long] <- paste0(substr(missing[long], 1L, 53L), "...")
  c("", text_of("patterns_of_missing_values"),
    format_table(list(rows = format_count(shown$rows), missing = missing), c(TRUE, FALSE)),
    if (nrow(patterns) > 6L) text_of("more_patterns", patterns = nrow(patterns) - 6L))
}

format_screen <- function(x) {
  table <- x$columns
  short <- function(v) {
    ifelse(is.na(v), "",
           ifelse(abs(v) >= 1000 | v == round(v), formatC(v, digits = 6L, format = "g", width = 1L),
                  format_fixed(v, 2L)))
  }
  columns <- list(variable = table$variable,
                  type = ifelse(table$type == "whole numbers", "whole", table$type),
                  n = format_count(table$n), missing = format_count(table$missing),
                  values = format_count(table$distinct), min = short(table$min),
                  max = short(table$max), mean = format_fixed(table$mean, 2L),
                  sd = format_fixed(table$sd, 2L), skew = format_fixed(table$skew, 2L),
                  kurtosis = format_fixed(table$kurtosis, 2L),
                  VIF = ifelse(is.infinite(table$inflation), "Inf",
                               format_fixed(table$inflation, 1L)), note = table$note)
  lines <- c(heading(text_of("data_screening")),
             text_of("complete", rows = count_of(x$rows, "row"),
                     table = count_of(nrow(table), "column"),
                     complete = count_of(x$complete, "row")),
             "", format_table(columns, c(FALSE, FALSE, rep(TRUE, 10L), FALSE),
                              spare = c("n", "VIF", "values", "type", "kurtosis", "skew")))
  if (any(lengths(x$codes)))
    lines <- c(lines, text_of("odd_codes_are_counted"))
  if (!is.null(x$groups)) {
    lines <- c(lines, "", text_of("groups_by", by = x$by),
               format_table(list(group = x$groups$group, n = format_count(x$groups$n),
                                 complete = format_count(x$groups$complete)),
                            c(FALSE, TRUE, TRUE)))
  }
  lines <- c(lines, format_patterns(x$patterns))
  lines <- c(lines, format_missing(x), format_clusters(x))
  if (!is.null(x$normality)) lines <- c(lines, format_normality(x$normality))
  if (nrow(x$outliers)) {
    far <- utils::head(x$outliers, 5L)
    lines <- c(lines, "", text_of("rows_far_from_rest"),
               format_table(list(row = format_count(far$row),
                                 `squared distance` = format_fixed(far$distance, 1L),
                                 p = format_p(far$p))),
               if (nrow(x$outliers) > 5L) text_of("and_more_outliers",
                                                  outliers = nrow(x$outliers) - 5L))
  }
  advice <- if (nrow(x$advice)) wrap_lines(paste0(seq_len(nrow(x$advice)), ". ", x$advice$advice),
                                           indent = 2L,
                                           hang = 5L) else text_of("nothing_stands_out")
  c(lines, "", text_of("what_to_do"), advice, "", if (x$blueprint)
    next_step("fit_blueprint") else
    c(text_of("blueprint_items_keyed_against"),
      paste0("  ", instruction("screen_with_blueprint")), "",
      text_of("next_write_blueprint"),
      paste0("  ", instruction("fit_blueprint"))))
}
