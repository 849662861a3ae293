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

# Pairs with low coverage, missing values by group, Little's test, and the consequences.
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

# Advice on the columns of a screen, from the findings in them.

# Kinds of trouble, the most serious first, with the word that marks a column.
screen_words <- c(empty = "empty", constant = "constant", identifier = "identifier?",
                  code = "odd code", text = "text", duplicate = "duplicate",
                  dependent = "sum of others?", keying = "reverse-keyed?", collinear = "collinear",
                  outlier = "outlier", auxiliary = "auxiliary?", skew = "skewed",
                  groups = "group", clusters = "clustered")

# The word that marks each column.
column_notes <- function(names, advice) {
  vapply(names, function(name) {
    about <- Filter(function(a) name %in% a$columns, advice)
    paste(unique(vapply(about, function(a) screen_words[[a$kind]], "")), collapse = ", ")
  }, "", USE.NAMES = FALSE)
}

# The most serious first.
advice_table <- function(advice) {
  advice <- advice[order(match(vapply(advice, `[[`, "", "kind"), names(screen_words)))]
  list_frame(list(kind = vapply(advice, `[[`, "", "kind"),
                  columns = vapply(advice, function(a) paste(a$columns, collapse = ", "), ""),
                  advice = vapply(advice, `[[`, "", "advice")))
}

# Findings about the columns, each with its kind, columns and advice.
advise <- function(kind, columns, ...) {
  list(list(kind = kind, columns = columns, advice = paste0(...)))
}

code_advice <- function(names, raw, codes) {
  advice <- list()
  add <- function(...) advice <<- c(advice, advise(...))
  for (name in names) {
    if (identifier_like(raw[[name]])) {
      add("identifier", name, name,
          text_of("looks_like_identifier_nearly"))
    }
  }
  for (code in sort(unique(unlist(codes)))) {
    holders <- names[vapply(codes, function(x) code %in% x, NA)]
    times <- sum(vapply(raw[holders], function(x) sum(x == code, na.rm = TRUE), 0L))
    add("code", holders, enumerate(holders), if (length(holders) == 1L) " holds " else " hold ",
        format_exact(code), " (", count_of(times, "time"),
        text_of("far_outside_rest_declare"),
        instruction("declare_codes", r_codes = format_exact(code), codes = format_exact(code)),
        text_of("if_means_missing"))
  }
  advice
}

# Customary codes inside the range of the answers that are far more frequent than the neighbouring
# values.
piled_codes <- function(x) {
  x <- x[!is.na(x)]
  if (!is.numeric(x) || length(x) < 50L || length(unique(x)) < 20L || any(x != round(x)))
    return(numeric())
  values <- intersect(c(66, 77, 88, 99, 777, 888, 999), x)
  Filter(function(value) {
    near <- setdiff(value + (-5:5), value)
    near <- near[near >= min(x) & near <= max(x)]
    rule_piled(sum(x == value), sum(x %in% near), length(near))
  }, values)
}

pile_advice <- function(raw, codes) {
  unlist(lapply(names(raw), function(name) {
    found <- setdiff(piled_codes(raw[[name]]), codes[[name]])
    if (length(found) == 0L) return(NULL)
    advise("code", name, text_of("code_piles_up", name = name,
                                 codes = enumerate(format_exact(found)),
                                 times = enumerate(vapply(found, function(value) {
                                   count_of(sum(raw[[name]] == value, na.rm = TRUE), "time")
                                 }, "")),
                                 instruction = instruction("declare_codes",
                                                           r_codes = format_exact(found[1L]),
                                                           codes = format_exact(found[1L]))))
  }), recursive = FALSE)
}

content_advice <- function(names, known, distinct) {
  advice <- list()
  add <- function(...) advice <<- c(advice, advise(...))
  for (name in names[known == 0L]) add("empty", name, name, text_of("is_empty_leave_out"))
  for (name in names[known > 0L & distinct == 1L])
    add("constant", name, name, text_of("is_same_every_row"))
  advice
}

together_advice <- function(together) {
  advice <- list()
  add <- function(...) advice <<- c(advice, advise(...))
  for (set in together$duplicates) {
    add("duplicate", set$columns, set$columns[1L], " and ", set$columns[2L],
        if (set$exact) text_of("are_same_column_twice") else
      text_of("correlate_nearly_same_column", value = format_share(set$r, 3L)),
        text_of("keep_one_them"))
  }
  for (set in together$dependent) {
    add("dependent", set$leader, set$text,
        text_of("leave_one_them_out_sum"))
  }
  high <- names(together$inflation)[!is.na(together$inflation) & together$inflation > 10 &
                                    is.finite(together$inflation)]
  high <- setdiff(high,
                  unlist(c(lapply(together$dependent, `[[`, "columns"),
                           lapply(together$duplicates, `[[`, "columns"))))
  if (length(high))
    add("collinear", high, enumerate(high),
        text_of("variance_inflation_too_high"))
  advice
}

keying_advice <- function(bp, x) {
  advice <- list()
  add <- function(...) advice <<- c(advice, advise(...))
  for (name in names(bp$constructs)) {
    items <- intersect(bp$constructs[[name]]$items, colnames(x))
    if (length(items) < 3L || nrow(x) < 3L) next
    own <- x[, items, drop = FALSE]
    against <- opposed(suppressWarnings(stats::cor(own, use = "pairwise.complete.obs")),
                       min(crossprod(!is.na(own))))
    if (length(against)) {
      add("keying", against, enumerate(against), if (length(against) == 1L) " is" else " are",
          text_of("keyed_against_other_items"), name, ": recode ",
          if (length(against) == 1L) "it" else "them", text_of("or_expect_negative_loading"))
    }
  }
  advice
}

tail_advice <- function(bent, outliers, rows) {
  advice <- list()
  add <- function(...) advice <<- c(advice, advise(...))
  if (length(bent))
    add("skew", bent, enumerate(bent),
        text_of("strongly_skewed_or_peaked"))
  if (nrow(outliers)) {
    far <- outliers[outliers$p < 0.05 / rows, , drop = FALSE]
    if (nrow(far)) {
      add("outlier", character(), if (nrow(far) == 1L) "Row " else "Rows ", enumerate(far$row),
          if (nrow(far) == 1L) " lies" else " lie",
          text_of("far_from_all_others_mahalanobis"))
    }
  }
  advice
}

text_advice <- function(names, raw, known) {
  advice <- list()
  add <- function(...) advice <<- c(advice, advise(...))
  for (name in names) {
    as_number <- suppressWarnings(as.numeric(raw[[name]]))
    if (sum(!is.na(as_number)) > 0.5 * known[[name]]) {
      odd <- raw[[name]][!is.na(raw[[name]]) & is.na(as_number)]
      add("text", name, if (length(odd))
        text_of("text_with_exception", name = name, odd = quoted(odd[1L])) else
          text_of("text_of_numbers", name = name))
    }
  }
  advice
}
