# Does a total score make sense? In words; and the printed form.

# What each score is worth: that of all items, which stands first in each group, and those of the
# items of each specific factor.
score_verdicts <- function(x) {
  s <- x$scores
  first <- !duplicated(s$group)
  free <- x$contamination$percent_uncontaminated[match(s$group, x$contamination$group)]
  ifelse(first, mapply(rule_total_score, s$omega_hierarchical, s$explained_common_variance, free),
         vapply(s$omega_hierarchical, rule_part_score, ""))
}

split_reading <- function(x) {
  vapply(seq_along(x$contamination$group), function(k) {
    group <- x$contamination$group[k]
    own <- x$scores[x$scores$group %in% group, ]
    total <- own[1L, ]
    strong <- own$factor[-1L][own$verdict[-1L] %in% "adds"]
    sentence <- text_of(paste0("total_", total$verdict), general = x$general,
                        omega = percent_words(total$omega_hierarchical),
                        common = percent_words(total$explained_common_variance))
    parts <- if (length(strong))
      text_of("parts_add", parts = enumerate(strong), count = length(strong), general = x$general)
    else text_of("parts_repeat", general = x$general)
    if (is.na(group)) paste(sentence, parts) else
      paste(text_of("split_in_group", group = group), sentence, parts)
  }, "")
}

percent_words <- function(share) {
  if (is.na(share)) text_of("unknown_part") else paste0(round(100 * share), " %")
}

#' @export
print.orizzonte_variance_split <- function(x, ...) {
  check_whole(x, c("items", "scores", "contamination", "reading"), "variance_split(fit)")
  put_lines(heading(text_of("general_specific_title", title = x$title)), format_split(x))
  invisible(x)
}

format_split <- function(x) {
  columns <- split_columns(x)
  text <- function(columns) names(columns) %in% c("item", "group", "factor", "score of")
  free <- unique(percent_words_each(x$contamination$percent_uncontaminated))
  c(status_caution(x$status),
    text_of("shares_each_item_s"), format_table(columns$items, !text(columns$items)), "",
    text_of("what_scores_would_measure"),
    format_table(columns$scores, !text(columns$scores), spare = "interval"), "",
    unlist(lapply(x$reading, wrap_lines)), "",
    wrap_lines(text_of("general_specific_legend", free = enumerate(free),
                       outside = if (length(x$outside)) text_of("specific_holds_what_other",
                           outside = enumerate(x$outside))),
      0L),
    if (x$second_order && anyNA(x$schmid_leiman$specific))
      wrap_lines(text_of("negative_disturbance_variance_has")))
}

split_columns <- function(x) {
  grouped <- !all(is.na(x$scores$group))
  group <- function(table) if (grouped) list(group = table$group)
  items <- c(list(item = x$items$item), group(x$items),
             list(factor = ifelse(is.na(x$items$factor), "", x$items$factor),
                  general = format_share(x$items$general),
                  specific = format_share(x$items$specific),
                  residual = format_share(x$items$residual)),
             if (x$second_order)
               list(`general loading` = format_share(x$schmid_leiman$general),
                    `specific loading` = format_share(x$schmid_leiman$specific)))
  whole <- x$scores$factor == x$general
  scores <- c(list(`score of` = ifelse(whole, text_of("all", general = x$general),
                                       x$scores$factor)),
              group(x$scores),
              list(items = format(x$scores$items), omega = format_share(x$scores$omega),
                   `omega hierarchical` = format_share(x$scores$omega_hierarchical),
                   interval = format_limits(x$scores$omega_hierarchical_lower,
                                            x$scores$omega_hierarchical_upper),
                   `common variance` = format_share(x$scores$explained_common_variance)))
  list(items = items, scores = scores)
}

percent_words_each <- function(x) vapply(x, percent_words, "")
