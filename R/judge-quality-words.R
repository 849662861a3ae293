# What falls short of what, and through which item, in words; and the printed form.

# The verdict on each construct and group (a code), and the criteria it does not meet.
judge_constructs <- function(x) {
  found <- lapply(seq_along(x$table$construct), function(k) {
    row <- x$table[k, ]
    if (row$construct %in% names(x$parts_of)) return(list(verdict = "part", short = ""))
    tiers <- c(omega = rule_tier(row$omega, x$criteria$reliability),
               AVE = rule_tier(row$ave, x$criteria$ave))
    short <- c(names(tiers)[tiers %in% "short"], apart_from_others(x, row))
    list(verdict = rule_construct(tiers, length(short)), short = paste(short, collapse = ", "))
  })
  list(verdict = vapply(found, `[[`, "", "verdict"), short = vapply(found, `[[`, "", "short"))
}

# The same in words.
quality_verdicts <- function(x) {
  t <- x$table
  vapply(seq_along(t$construct), function(k) {
    if (t$verdict[k] %in% "part")
      return(text_of("quality_part", whole = x$parts_of[[t$construct[k]]]))
    if (t$verdict[k] %in% "falls_short")
      return(text_of("quality_falls_short",
                     criteria = enumerate(codes_in(t$short[k]))))
    words_of("quality", t$verdict[k])
  }, "")
}

# By which rules a construct is not told apart from another.
apart_from_others <- function(x, row) {
  own <- pairs_of(x, row$construct, row$group)
  if (is.null(own)) return(character())
  c(if (isTRUE(row$largest_shared > row$ave)) "shared variance",
    if (any(own$htmt > x$criteria$htmt[2L], na.rm = TRUE)) "HTMT",
    if (any(own$p_below_one >= x$criteria$significance, na.rm = TRUE)) "correlation not below 1")
}

pairs_of <- function(x, construct, group) {
  if (is.null(x$pairs)) return(NULL)
  x$pairs[x$pairs$group %in% group & (x$pairs$first == construct | x$pairs$second == construct), ]
}

# One sentence for each thing that falls short.
quality_sentences <- function(x) {
  found <- lapply(seq_along(x$table$construct), function(k) {
    convergent_sentences(x, x$table[k, ])
  })
  c(unlist(found), discriminant_sentences(x))
}

# Omega and AVE, with the weakest item and what would be without it.
convergent_sentences <- function(x, row) {
  if (row$construct %in% names(x$parts_of)) return(NULL)
  short <- c(if (rule_tier(row$omega, x$criteria$reliability) %in% "short")
               short_of("omega", row$omega, x$criteria$reliability[2L]),
             if (rule_tier(row$ave, x$criteria$ave) %in% "short")
               short_of("AVE", row$ave, x$criteria$ave[2L]))
  items <- x$loadings[x$loadings$construct == row$construct & x$loadings$group %in% row$group, ]
  where <- if (is.na(row$group)) "" else paste0(" in ", row$group)
  weak <- items$item[which(abs(items$standardized) < x$criteria$loading[2L])]
  weakest <- items[which.min(abs(items$standardized)), ]
  lead <- paste0(row$construct, where, ": ")
  if (length(short) == 0L) {
    if (length(weak) == 0L || row$items < 2L) return(NULL)
    shown <- items[items$item %in% weak, ]
    return(paste0(lead, enumerate(paste0(shown$item, " loads ", format_share(shown$standardized))),
                  ", below ", short_number(x$criteria$loading[2L]), " in size",
                  if (length(weak) == 1L) gain_words(x, row, weak), "."))
  }
  paste0(lead, enumerate(short), if (row$items > 1L)
    paste0("; the weakest item is ", weakest$item, " (standardized loading ",
           format_share(weakest$standardized), ")", gain_words(x, row, weakest$item)), ".")
}

short_of <- function(what, value, cutoff) {
  paste0(what, " ", format_share(value), " is below ", short_number(cutoff))
}

# What would be without the item, where it was tried.
gain_words <- function(x, row, item) {
  if (is.null(x$left_out)) return("")
  found <- x$left_out[x$left_out$item == item & x$left_out$construct == row$construct &
                        x$left_out$group %in% row$group, ]
  if (nrow(found) != 1L || is.na(found$omega)) return("")
  paste0("; without it omega is ", format_share(found$omega), " and AVE ", format_share(found$ave))
}

discriminant_sentences <- function(x) {
  if (is.null(x$pairs)) return(NULL)
  unlist(lapply(seq_along(x$pairs$first), function(k) {
    pair <- x$pairs[k, ]
    where <- if (is.na(pair$group)) "" else paste0(" in ", pair$group)
    ave <- ave_in_group(x, pair)
    shared <- pair$correlation^2
    below <- c(pair$first, pair$second)[which(shared > ave)]
    said <- c(
      if (length(below))
        paste0("they share ", format_share(shared), " of their variance, more than ",
               enumerate(below), if (length(below) == 1L) " extracts" else " extract",
               " on average"),
      if (isTRUE(pair$htmt > x$criteria$htmt[2L]))
        paste0("HTMT ", format_share(pair$htmt), " is above ", short_number(x$criteria$htmt[2L])),
      if (isTRUE(pair$p_below_one >= x$criteria$significance))
        paste0("their correlation of ", format_share(pair$correlation),
               " is not significantly below 1 (p ", p_clause(pair$p_below_one), ")"))
    if (length(said)) paste0(pair$first, " and ", pair$second, where, ": ",
                             paste(said, collapse = "; "), ".")
  }))
}

ave_in_group <- function(x, pair) {
  own <- x$table[x$table$group %in% pair$group, ]
  own$ave[match(c(pair$first, pair$second), own$construct)]
}

quality_columns <- function(x) {
  table <- x$table
  name <- paste0(table$construct, ifelse(is.na(table$group), "", paste0(" | ", table$group)))
  percent <- paste0(format(100 * x$asked$level), " %")
  columns <- list(construct = name, items = format(table$items), omega = format_share(table$omega),
                  interval = format_limits(table$omega_lower, table$omega_upper),
                  alpha = format_share(table$alpha),
                  `its interval` = format_limits(table$alpha_lower, table$alpha_upper),
                  `alpha std.` = format_share(table$alpha_standardized),
                  `p equal` = format_p(table$p_equal_loadings), AVE = format_share(table$ave),
                  shared = format_share(table$largest_shared),
                  with = ifelse(is.na(table$shared_with), "", table$shared_with),
                  verdict = quality_verdicts(x))
  names(columns)[c(4L, 6L)] <- paste(c("omega", "alpha"), percent)
  columns
}

#' @export
print.orizzonte_quality <- function(x, ...) {
  check_whole(x, c("table", "loadings", "criteria", "asked"), "construct_quality(fit)")
  put_lines(heading(paste0("Quality of the measures: ", x$title)), format_quality(x))
  invisible(x)
}

format_quality <- function(x) {
  columns <- quality_columns(x)
  right <- !names(columns) %in% c("construct", "with", "verdict")
  sentences <- quality_sentences(x)
  c(status_caution(x$status),
    format_table(columns, right, spare = c("alpha std.", names(columns)[6L], "p equal", "with",
                                           "items", names(columns)[4L])),
    "", if (length(sentences))
      c("What to look at", wrap_lines(paste0("- ", sentences), 2L, 4L)) else
      "No construct falls short of the criteria.",
    format_apart(x), format_left_out(x), quality_legend(x), quality_next(x))
}

# Correlations and ratios of each pair.
format_apart <- function(x) {
  if (is.null(x$pairs)) return(NULL)
  columns <- pair_texts(x)
  c("", "Told apart",
    format_table(columns, c(FALSE, rep(TRUE, length(columns) - 1L)),
                 spare = c("interval", "p below 1")))
}

pair_texts <- function(x) {
  pairs <- x$pairs
  name <- paste0(pairs$first, ", ", pairs$second,
                 ifelse(is.na(pairs$group), "", paste0(" | ", pairs$group)))
  ratio <- list(HTMT = format_share(pairs$htmt))
  if (!all(is.na(pairs$htmt_lower)))
    ratio$`HTMT interval` <- format_limits(pairs$htmt_lower, pairs$htmt_upper)
  c(list(constructs = name, correlation = format_share(pairs$correlation),
         interval = format_limits(pairs$lower, pairs$upper),
         `p below 1` = format_p(pairs$p_below_one), shared = format_share(pairs$correlation^2)),
    ratio)
}

format_left_out <- function(x) {
  if (NROW(x$left_out) == 0L) return(NULL)
  columns <- left_out_columns(x)
  c("", "Without single items (refitted; the fit of other variables is no test)",
    format_table(columns, !names(columns) %in% c("without", "construct", "group", "status"),
                 spare = c("alpha", "CFI", "RMSEA")))
}

left_out_columns <- function(x) {
  table <- x$left_out
  c(list(without = table$item, construct = table$construct),
    if (!all(is.na(table$group))) list(group = table$group),
    list(omega = format_share(table$omega), change = format_change(table$omega_change),
         alpha = format_share(table$alpha), AVE = format_share(table$ave),
         CFI = format_fixed(table$cfi), RMSEA = format_fixed(table$rmsea),
         status = ifelse(table$status == "proper", "", table$status)))
}

format_change <- function(x) {
  sign <- ifelse(abs(x) < 0.005, "", ifelse(x < 0, "-", "+"))
  ifelse(is.na(x), "", paste0(sign, format_share(abs(x))))
}

quality_legend <- function(x) {
  asked <- x$criteria
  left <- if (length(x$left))
    paste0("Not judged: ", enumerate(paste0(names(x$left), " (", unjudged_words[x$left], ")")), ".")
  single <- if (length(x$single))
    paste0("One item alone: ", enumerate(x$single), "; its reliability is what the model says ",
           "about its residual variance.")
  parts <- if (length(x$parts_of))
    paste0("Parts beside a general construct, which explain what it leaves: ",
           enumerate(names(x$parts_of)), "; ",
           instruction("variance_split"),
           " says what each is worth.")
  second <- if (length(x$second_order))
    paste0(enumerate(x$second_order), ": omega and alpha of the sum of all observed items below ",
           "it, AVE of the constructs it loads on.")
  form <- c(keyed = "", absolute = " HTMT is made of the sizes of correlations.",
            geometric = " HTMT is made of geometric means.")[[x$asked$form]]
  c("", wrap_lines(paste0(
    "omega: share of the construct in the variance of the sum of its items; alpha: the same if ",
    "loadings are equal", if (length(x$equal_loadings$p)) " (p equal: the test of that)", "; AVE: ",
    "mean squared standardized loading; shared: largest squared correlation. Good, ",
    "acceptable: omega ",
    short_number(asked$reliability[1L]), ", ", short_number(asked$reliability[2L]), "; AVE ",
    short_number(asked$ave[1L]), ", ", short_number(asked$ave[2L]), "; HTMT up to ",
    short_number(asked$htmt[1L]), ", ", short_number(asked$htmt[2L]), ".", form)),
    unlist(lapply(c(second, parts, x$notes, left, single, x$bootstrap), wrap_lines)))
}

quality_next <- function(x) {
  if (length(x$left_out) == 0L)
    return(c("", next_step("try_each_item")))
  c("", next_step("see_wordings"))
}
