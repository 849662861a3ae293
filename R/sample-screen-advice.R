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

# Customary codes inside the range of the answers that occur far more often than the values beside
# them.
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
