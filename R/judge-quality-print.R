# Sentences on criteria that are not met and the items responsible; and the printed form.

# The verdict on each construct and group (a code), and the criteria that it does not meet.
judge_constructs <- function(x) {
  if (!x$status %in% c("proper", "at bound", "weak")) {
    none <- rep(NA_character_, nrow(x$table))
    return(list(verdict = none, short = rep("", nrow(x$table))))
  }
  found <- lapply(seq_along(x$table$construct), function(k) {
    row <- x$table[k, ]
    if (row$construct %in% names(x$parts_of)) return(list(verdict = "part", short = ""))
    if (row$construct %in% x$fixed) return(list(verdict = "assumed", short = ""))
    tiers <- c(omega = rule_tier(row$omega, x$criteria$reliability),
               AVE = rule_tier(row$ave, x$criteria$ave))
    short <- c(names(tiers)[tiers %in% "short"], failed_discriminant_rules(x, row))
    list(verdict = rule_construct(tiers, length(short)), short = paste(short, collapse = ", "))
  })
  list(verdict = vapply(found, `[[`, "", "verdict"), short = vapply(found, `[[`, "", "short"))
}

# The sentences for these findings.
quality_verdicts <- function(x) {
  t <- x$table
  vapply(seq_along(t$construct), function(k) {
    if (t$verdict[k] %in% "part")
      return(text_of("quality_part", whole = x$parts_of[[t$construct[k]]]))
    if (t$verdict[k] %in% "falls_short")
      return(text_of("quality_falls_short", criteria = enumerate(codes_in(t$short[k]))))
    words_of("quality", t$verdict[k])
  }, "")
}

# The rules of discriminant validity that a construct does not pass.
failed_discriminant_rules <- function(x, row) {
  own <- pairs_of(x, row$construct, row$group)
  if (is.null(own)) return(character())
  c(if (isTRUE(row$largest_shared > row$ave)) text_of("short_shared_variance"),
    if (any(own$htmt > x$criteria$htmt[2L], na.rm = TRUE)) "HTMT",
    if (any(own$p_below_one >= x$criteria$significance, na.rm = TRUE)) text_of("short_correlation"))
}

pairs_of <- function(x, construct, group) {
  if (is.null(x$pairs)) return(NULL)
  x$pairs[x$pairs$group %in% group & (x$pairs$first == construct | x$pairs$second == construct), ]
}

# The sentences on criteria that are not met, or one sentence that all are met; NULL if none was
# judged.
quality_conclusion <- function(x) {
  verdicts <- x$table$verdict
  judged <- !is.na(verdicts) & !verdicts %in% c("part", "assumed")
  found <- quality_sentences(x)
  if (length(found)) return(found)
  if (!any(judged)) return(NULL)
  if (all(judged)) return(text_of("no_construct_falls_short"))
  names <- unique(x$table$construct[judged])
  text_of("judged_constructs_meet", constructs = enumerate(names, most = 20L),
          count = length(names))
}

# One sentence for each criterion that is not met.
quality_sentences <- function(x) {
  if (all(is.na(x$table$verdict))) return(NULL)
  found <- lapply(seq_along(x$table$construct), function(k) {
    convergent_sentences(x, x$table[k, ])
  })
  c(unlist(found), discriminant_sentences(x))
}

# Omega and AVE, with the weakest item and the values without it.
convergent_sentences <- function(x, row) {
  if (row$verdict %in% c("part", "assumed") || is.na(row$verdict)) return(NULL)
  short <- c(if (rule_tier(row$omega, x$criteria$reliability) %in% "short")
               short_of("omega", row$omega, x$criteria$reliability[2L]),
             if (rule_tier(row$ave, x$criteria$ave) %in% "short")
               short_of("AVE", row$ave, x$criteria$ave[2L]))
  items <- x$loadings[x$loadings$construct == row$construct & x$loadings$group %in% row$group, ]
  elsewhere <- x$crossing$item[x$crossing$construct != row$construct]
  items <- items[!items$item %in% elsewhere, ]
  where <- if (is.na(row$group)) "" else text_of("blueprint_in", where = row$group)
  weak <- items$item[which(abs(items$standardized) < x$criteria$loading[2L])]
  weakest <- items[which.min(abs(items$standardized)), ]
  lead <- paste0(row$construct, where, ": ")
  if (length(short) == 0L) {
    if (length(weak) == 0L || row$items < 2L) return(NULL)
    shown <- items[items$item %in% weak, ]
    return(text_of("below_size", lead = lead,
                   standardized = enumerate(text_of("loads", item = shown$item,
                                                standardized = format_share(shown$standardized))),
                   loading = short_number(x$criteria$loading[2L]),
                   weak = if (length(weak) == 1L) gain_words(x, row, weak)))
  }
  paste0(lead, enumerate(short), if (row$items > 1L)
    text_of("weakest_item_is_standardized", item = weakest$item,
            standardized = format_share(weakest$standardized),
            item_2 = gain_words(x, row, weakest$item)), ".")
}

short_of <- function(what, value, cutoff) {
  text_of("is_below", what = what, value = format_share(value), cutoff = short_number(cutoff))
}

# The values after deleting the item, where that was computed.
gain_words <- function(x, row, item) {
  if (is.null(x$left_out)) return("")
  found <- x$left_out[x$left_out$item == item & x$left_out$construct == row$construct &
                        x$left_out$group %in% row$group, ]
  if (nrow(found) != 1L || is.na(found$omega)) return("")
  text_of("without_omega_is_ave", omega = format_share(found$omega), ave = format_share(found$ave))
}

discriminant_sentences <- function(x) {
  if (is.null(x$pairs)) return(NULL)
  unlist(lapply(seq_along(x$pairs$first), function(k) {
    pair <- x$pairs[k, ]
    where <- if (is.na(pair$group)) "" else text_of("blueprint_in", where = pair$group)
    ave <- ave_in_group(x, pair)
    shared <- pair$correlation^2
    below <- c(pair$first, pair$second)[which(shared > ave)]
    said <- c(
      if (length(below))
        text_of("they_share_their_variance", shared = format_share(shared),
                below = enumerate(below),
                below_2 = if (length(below) == 1L) " extracts" else " extract"),
      if (isTRUE(pair$htmt > x$criteria$htmt[2L]))
        text_of("htmt_is_above", htmt = format_share(pair$htmt),
                htmt_2 = short_number(x$criteria$htmt[2L])),
      if (isTRUE(pair$p_below_one >= x$criteria$significance))
        text_of("their_correlation_is_not", correlation = format_share(pair$correlation),
                p_below_one = p_clause(pair$p_below_one)))
    if (length(said)) text_of("pair_said", first = pair$first, second = pair$second, where = where,
                              said = paste(said, collapse = "; "))
  }))
}

ave_in_group <- function(x, pair) {
  own <- x$table[x$table$group %in% pair$group, ]
  own$ave[match(c(pair$first, pair$second), own$construct)]
}

quality_columns <- function(x) {
  table <- x$table
  name <- paste0(table$construct, ifelse(is.na(table$group), "", paste0(" | ", table$group)))
  percent <- paste0(format(100 * x$asked$level), "%")
  columns <- list(construct = name, items = format(table$items), omega = format_share(table$omega),
                  interval = format_limits(table$omega_lower, table$omega_upper),
                  alpha = format_share(table$alpha),
                  `its interval` = format_limits(table$alpha_lower, table$alpha_upper),
                  `alpha std.` = format_share(table$alpha_standardized),
                  `p (tau-equivalent)` = format_p(table$p_tau_equivalent),
                  AVE = format_share(table$ave),
                  shared = format_share(table$largest_shared),
                  with = ifelse(is.na(table$shared_with), "", table$shared_with),
                  verdict = quality_verdicts(x))
  names(columns)[c(4L, 6L)] <- paste(c("omega", "alpha"), percent)
  columns
}

#' @export
print.orizzonte_quality <- function(x, ...) {
  check_whole(x, c("table", "loadings", "criteria", "asked"), "construct_quality(fit)")
  put_lines(heading(text_of("quality_measures", title = x$title)), format_quality(x))
  invisible(x)
}

format_quality <- function(x) {
  columns <- quality_columns(x)
  right <- !names(columns) %in% c("construct", "with", "verdict")
  sentences <- quality_sentences(x)
  c(wrap_lines(quality_header(x)), "",
    format_table(columns, right, spare = c("alpha std.", names(columns)[6L], "p (tau-equivalent)",
                                           "with", "items", names(columns)[4L])),
    "", if (length(sentences))
      c(text_of("what_to_look_at"), wrap_lines(paste0("- ", sentences), 2L, 4L)) else
      wrap_lines(quality_conclusion(x)),
    format_apart(x), format_left_out(x), quality_legend(x), quality_next(x))
}

# The status of the solution and the fit of the model come before all numbers.
quality_header <- function(x) {
  c(if (!x$status %in% c("proper", "at bound", "weak"))
      text_of("quality_not_judged", status = x$status) else status_caution(x$status)[1L],
    if (length(x$fit_line)) text_of("quality_model_fit", fit = x$fit_line),
    if (any(x$fit_codes %in% "poor"))
      text_of("quality_poor_fit", indices = enumerate(
        toupper(names(x$fit_codes)[x$fit_codes %in% "poor"]))))
}

# Correlations and ratios of each pair.
format_apart <- function(x) {
  if (is.null(x$pairs)) return(NULL)
  columns <- pair_texts(x)
  without <- which(nzchar(x$pairs$htmt_without))
  c("", text_of("discriminant_validity"),
    format_table(columns, c(FALSE, rep(TRUE, length(columns) - 1L)),
                 spare = c("interval", "p below 1")),
    if (any(!is.na(x$pairs$one_p))) wrap_lines(text_of("as_one_construct_legend")),
    if (length(without))
      wrap_lines(paste(text_of("htmt_is_without", first = x$pairs$first[without],
                               second = x$pairs$second[without],
                               items = x$pairs$htmt_without[without],
                               loads = ifelse(grepl(",", x$pairs$htmt_without[without]), "load",
                                              "loads")), collapse = " ")))
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
         `p below 1` = format_p(pairs$p_below_one)),
    if (any(!is.na(pairs$one_p)))
      list(`as one` = format_fixed(pairs$one_chisq, 2L),
           df = ifelse(is.na(pairs$one_df), "", format_count(pairs$one_df)),
           p = format_p(pairs$one_p)),
    list(shared = format_share(pairs$correlation^2)), ratio)
}

format_left_out <- function(x) {
  if (NROW(x$left_out) == 0L) return(NULL)
  columns <- left_out_columns(x)
  c("", text_of("without_single_items_refitted"),
    format_table(columns, !names(columns) %in% c("without", "construct", "group", "status"),
                 spare = c("alpha", "CFI", "RMSEA")))
}

left_out_columns <- function(x) {
  table <- x$left_out
  c(list(without = table$item, construct = table$construct),
    if (!all(is.na(table$group))) list(group = table$group),
    list(omega = format_share(table$omega), change = format_change(table$omega_change),
         alpha = format_share(table$alpha), AVE = format_share(table$ave),
         CFI = format_share(table$cfi, 3L), RMSEA = format_share(table$rmsea, 3L),
         status = ifelse(table$status == "proper", "", table$status)))
}

format_change <- function(x) {
  sign <- ifelse(abs(x) < 0.005, "", ifelse(x < 0, "-", "+"))
  ifelse(is.na(x), "", paste0(sign, format_share(abs(x))))
}

quality_legend <- function(x) {
  asked <- x$criteria
  left <- if (length(x$left))
    text_of("not_judged",
            left = enumerate(paste0(names(x$left), " (", words_of("unjudged", x$left), ")")))
  single <- if (length(x$single))
    text_of("one_item_alone_reliability", single = enumerate(x$single))
  parts <- if (length(x$parts_of))
    text_of("parts_beside_general_construct", parts_of = enumerate(names(x$parts_of)),
            instruction = instruction("variance_split"))
  second <- if (length(x$second_order))
    text_of("omega_alpha_sum_all", second_order = enumerate(x$second_order))
  form <- c(keyed = "", absolute = text_of("htmt_is_made_sizes"),
            geometric = text_of("htmt_is_made_geometric"))[[x$asked$form]]
  c("", wrap_lines(text_of("omega_share_construct_variance",
                           value = if (length(x$tau_equivalent$p))
                             text_of("tau_equivalence_tested"),
                           reliability = short_number(asked$reliability[1L]),
                           reliability_2 = short_number(asked$reliability[2L]),
                           ave = short_number(asked$ave[1L]), ave_2 = short_number(asked$ave[2L]),
                           htmt = short_number(asked$htmt[1L]),
                           htmt_2 = short_number(asked$htmt[2L]), form = form)),
    unlist(lapply(c(crossing_sentences(x), second, parts, x$notes, left, single, x$bootstrap),
                  wrap_lines)))
}

# Items that reflect several constructs, and where they are counted.
crossing_sentences <- function(x) {
  rows <- x$crossing[!duplicated(x$crossing[c("item", "construct")]), ]
  if (NROW(rows) == 0L) return(NULL)
  text_of("item_counts_for", item = rows$item, others = rows$others, construct = rows$construct)
}

quality_next <- function(x) {
  if (length(x$left_out) == 0L)
    return(c("", next_step("try_each_item")))
  c("", next_step("see_wordings"))
}
