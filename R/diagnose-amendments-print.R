# Amendments as text.

# `x$structures` and `x$movements` are tables of their own.
#' @export
`$.orizzonte_amendments` <- function(x, name) {
  if (name %in% c("structures", "movements")) return(attr(x, name))
  .subset2(x, name)
}

#' @export
print.orizzonte_amendments <- function(x, ...) {
  needed <- c("parameter", "kind", "modification_index", "p", "expected_change",
              "expected_change_std", "actual_drop", "verdict")
  if (!all(needed %in% names(x))) return(print(as.data.frame(unclass(x))))
  put_lines(format_amendments(x))
  invisible(x)
}

shown_amendments <- function(x) {
  top <- attr(x, "top") %||% 20
  utils::head(as.data.frame(x), if (top > 0) top else 20)
}

offered_columns <- function(shown) {
  Filter(length, list(
    parameter = shown$parameter, kind = short_kind(shown$kind),
    MI = format_fixed(shown$modification_index, 2L),
    df = if (any(shown$df > 1L)) format_count(shown$df), p = format_p(shown$p),
    `p (adj.)` = format_p(shown$p_adjusted),
    EPC = format_number(shown$expected_change),
    `std. EPC` = format_share(shown$expected_change_std, 2L),
    drop = format_fixed(shown$actual_drop, 2L), estimate = format_number(shown$actual_estimate),
    verdict = row_words(shown)))
}

# The verdict, or the row that a row belongs to.
row_words <- function(shown) {
  words <- words_of("amendment", shown$verdict)
  goes <- shown$relation %in% "goes_with"
  same <- shown$relation %in% "same_as"
  words[goes] <- text_of("goes_with_row", row = shown$relative_to[goes])
  words[same] <- text_of("same_as_row", row = shown$relative_to[same])
  words
}

# The table of the offered parameters, and its legend.
format_offered <- function(x, shown) {
  real <- !is.na(shown$actual_drop)
  tested <- attr(x, "tested") %||% nrow(x)
  lines <- c(wrap_lines(text_of("could_be_freed_sorted", tested = format_count(tested),
                                tested_2 = if (nrow(x) != tested) text_of("them_asked",
                                    value = format_count(nrow(x))),
                                real = if (any(real)) text_of("first_refitted_so_their",
                                    real = if (sum(real) > 1L) paste0(sum(real), " ")))), "")
  columns <- offered_columns(shown)
  lines <- c(lines, format_table(columns, c(FALSE, FALSE, rep(TRUE, length(columns) - 3L), FALSE),
                                 spare = c("p", "EPC", "estimate", "std. EPC")))
  criteria <- attr(x, "criteria")
  lines <- c(lines, "", wrap_lines(text_of("mi_how_much_is", scaling = basis_words(x),
                                                criteria = if (!is.null(criteria))
      text_of("verdict_smallest_change_matters", smallest = short_number(criteria$smallest),
              significance = short_number(criteria$significance),
              power = short_number(criteria$power)), chance_note = chance_note(x))))
  heavy <- heavy_tails_words(x)
  if (!is.null(heavy)) lines <- c(lines, "", wrap_lines(heavy))
  lines
}

# The note on tests of rows with heavy-tailed data; NULL for other data.
heavy_tails_words <- function(x) {
  if (isTRUE(attr(x, "heavy")))
    text_of("heavy_tails_rows", instruction = instruction("robust"))
}

# Notes on single rows: poor predictions, shared misfit.
format_remarks <- function(x, shown) {
  lines <- character()
  odd <- unusable_sentences(shown)
  if (length(odd))
    lines <- c(lines, "", text_of("not_predicted_or_not"), wrap_lines(paste0("- ", odd), 2L, 4L))
  structures <- if (is.null(attr(x, "structures")) && isTRUE(attr(x, "df_model") > 0)) NULL else
    structure_sentences(attr(x, "structures"))
  if (length(structures))
    lines <- c(lines, "", wrap_lines(structures[1L]),
               unlist(lapply(structures[-1L], function(one) wrap_lines(paste0("- ", one), 2L, 4L))))
  blocks <- attr(x, "shared")
  if (length(blocks)) {
    where <- vapply(blocks, function(block) {
      if (is.null(attr(block, "group"))) "" else
      text_of("in_group_opening", group = attr(block, "group"))
    }, "")
    lines <- c(lines, "",
               wrap_lines(text_of("share_more_than_their",
                                  blocks = utils::head(paste0(where, vapply(blocks, enumerate, "")),
                                      3L)), 2L, 4L))
  }
  lines
}

unusable_sentences <- function(shown) {
  odd <- which(nzchar(shown$explanation) & !is.na(shown$explanation))
  paste0(shown$parameter, ": ", shown$explanation)[odd]
}

format_amendments <- function(x) {
  shown <- shown_amendments(x)
  df_model <- attr(x, "df_model") %||% NA
  lines <-
    heading(paste0("Amendments", if (!is.null(attr(x, "title"))) paste0(": ", attr(x, "title"))))
  if (!is.na(df_model))
    lines <- c(lines,
               text_of("df", attr = format_fixed(attr(x, "chisq")), df_model = df_model))
  if (length(attr(x, "trouble"))) {
    lines <- c(lines, text_of("improper_solution_what_follows"),
               paste0("  - ", attr(x, "trouble")))
  }
  said <- attr(x, "nothing") %||% attr(x, "exact")
  if (!is.null(said)) lines <- c(lines, "", wrap_lines(said), "")
  if (nrow(x) == 0L) {
    why <- if (isTRUE(attr(x, "tested") > 0)) {
      text_of("none_what_was_asked")
    } else if (isTRUE(df_model == 0)) {
      text_of("model_is_saturated_df")
    } else {
      text_of("nothing_is_left_could")
    }
    return(c(lines, why, if (isTRUE(attr(x, "refused") > 0))
             instruction("see_not_offered"),
             format_not_offered(attr(x, "not_offered"))))
  }
  lines <- c(lines, format_offered(x, shown), format_remarks(x, shown), format_moves(x, shown))
  lines <- c(lines, format_not_offered(attr(x, "not_offered")),
             format_wordings(shown$parameter, attr(x, "wording")))
  example <- example_amendment(x)
  split <- example_split(x)
  c(lines, "", if (!is.null(split)) {
    c(text_of("next_read_item_texts"), paste0("  ", split))
  } else if (length(example)) {
    c(text_of("next_read_item_texts"),
      paste0("  ", instruction("amend_free", address = example)))
  } else {
    paste0(if (is.null(attr(x, "nothing"))) text_of("nothing_size_matters_stands"),
           next_step("see_estimates"))
  })
}

# The first defensible change: it stands out on its own, does not close a loop of effects, and its
# refit, if there is one, is proper.
example_amendment <- function(x) {
  defensible <- x$verdict == "stands_out" & x$relation == "" & !x$kind %in% loop_kinds &
    (is.na(x$explanation) | !nzchar(x$explanation) | x$status %in% "proper")
  utils::head(x$parameter[which(defensible)], 1L)
}

# The instruction to split a construct, where no other structure and no single change does better;
# NULL elsewhere.
example_split <- function(x) {
  structures <- attr(x, "structures")
  if (is.null(structures) || !isTRUE(attr(structures, "p_joint") <= 0.05)) return(NULL)
  shown <- structures[structures$says_as_much, ]
  if (nrow(shown) == 0L || shown$family[1L] != "split" || structures$family[1L] != "split")
    return(NULL)
  # a single change that does as well, of those that were refitted, is the smaller step
  single <- x$actual_drop - 2 * x$df
  if (all(is.na(single)) || -shown$aic_change[1L] <= max(single, na.rm = TRUE) + 2) return(NULL)
  instruction("amend_split", construct = shown$construct[1L], one = shown$part_one[1L],
              two = shown$part_two[1L])
}

# The basis of the index and of the drop, if it is not the expected information and the unscaled
# difference.
basis_words <- function(x) {
  paste0(if (isTRUE(attr(x, "robust"))) text_of("drop_is_scaled"),
         if (isTRUE(attr(x, "incomplete"))) text_of("information_with_missing"))
}

# The number of rows expected to exceed the level by chance.
chance_note <- function(x) {
  level <- attr(x, "criteria")$significance
  if (is.null(level)) return(NULL)
  tested <- attr(x, "tested") %||% nrow(x)
  text_of("tested_about_have_p", tested = format_count(tested),
          level = format_count(ceiling(tested * level)), level_2 = short_number(level))
}

# Abbreviations of the kinds of amendments.
short_kinds <- c("effect on an item" = "effect on item",
                 "residual covariance within a construct" = "residual, within",
                 "residual covariance across constructs" = "residual, across")
short_kind <- function(kind) ifelse(kind %in% names(short_kinds), short_kinds[kind], kind)

format_not_offered <- function(table) {
  if (is.null(table) || nrow(table) == 0L) return(NULL)
  by <- split(table$parameter, table$reason)
  c("", "Not offered", unlist(lapply(names(by), function(reason) {
    wrap_lines(paste0("- ", reason, ": ", enumerate(by[[reason]], most = 6L)), 2L, 4L)
  })))
}
