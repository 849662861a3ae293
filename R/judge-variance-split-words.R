# Does a total score make sense? In words; and the printed form.

# Conventions of Reise, Scheines, Widaman & Haviland (2013) and Rodriguez, Reise & Haviland (2016):
# omega hierarchical above .80, or an explained common variance above .60 with more than 70 % of
# correlations uncontaminated.
split_reading <- function(x) {
  vapply(seq_along(x$contamination$group), function(k) {
    group <- x$contamination$group[k]
    own <- x$scores[x$scores$group %in% group, ]
    h <- own$omega_hierarchical[1L]
    common <- own$explained_common_variance[1L]
    free <- x$contamination$percent_uncontaminated[k]
    lead <- if (is.na(group)) "" else paste0("In ", group, ": ")
    said <- paste0(
      "of the variance of the sum of all items ", percent_words(h), " is ", x$general,
      " (omega hierarchical), of what the factors explain in single items ",
      percent_words(common), " (explained common variance)")
    verdict <- if (is.na(h)) "no verdict" else if (h >= 0.80) {
      paste0("a total score measures ", x$general, " and little else")
    } else if (h >= 0.65 || (common > 0.60 && free > 0.70)) {
      paste0("a total score can be read as ", x$general, ", with something of its parts in it")
    } else {
      paste0("a total score would mix ", x$general, " with its parts: better not add all items up")
    }
    parts <- own[-1L, ]
    strong <- parts$factor[which(parts$omega_hierarchical >= 0.50)]
    sub <- if (length(strong))
      paste0(" ", enumerate(strong), if (length(strong) == 1L) " says" else " say",
             " much of its own beyond ", x$general, ": a score of its items tells something more.")
    else paste0(" The parts say little beyond ", x$general,
                ": scores of their items would mostly repeat it.")
    text <- paste0(lead, said, ": ", verdict, ".", sub)
    paste0(toupper(substr(text, 1L, 1L)), substring(text, 2L))
  }, "")
}

percent_words <- function(share) {
  if (is.na(share)) "an unknown part" else paste0(round(100 * share), " %")
}

#' @export
print.orizzonte_variance_split <- function(x, ...) {
  check_whole(x, c("items", "scores", "contamination", "reading"), "variance_split(fit)")
  put_lines(heading(paste0("General and specific: ", x$title)), format_split(x))
  invisible(x)
}

format_split <- function(x) {
  columns <- split_columns(x)
  text <- function(columns) names(columns) %in% c("item", "group", "factor", "score of")
  free <- unique(percent_words_each(x$contamination$percent_uncontaminated))
  c(status_caution(x$status),
    "Shares of each item's variance", format_table(columns$items, !text(columns$items)), "",
    "What scores would measure",
    format_table(columns$scores, !text(columns$scores), spare = "interval"), "",
    unlist(lapply(x$reading, wrap_lines)), "",
    wrap_lines(paste0(
      "general + specific + residual = 1. omega: general and specific in the variance of the sum; ",
      "omega hierarchical: of all items the general part, of a specific factor's items its own ",
      "part. Uncontaminated correlations (pairs of items in no common part): ",
      enumerate(free), ".", if (length(x$outside))
        paste0(" Specific holds what other constructs load on ", enumerate(x$outside), ".")),
      0L),
    if (x$second_order && anyNA(x$schmid_leiman$specific))
      wrap_lines("A negative disturbance variance has no Schmid-Leiman form: those are empty."))
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
  scores <- c(list(`score of` = ifelse(whole, paste0("all (", x$general, ")"), x$scores$factor)),
              group(x$scores),
              list(items = format(x$scores$items), omega = format_share(x$scores$omega),
                   `omega hierarchical` = format_share(x$scores$omega_hierarchical),
                   interval = format_limits(x$scores$omega_hierarchical_lower,
                                            x$scores$omega_hierarchical_upper),
                   `common variance` = format_share(x$scores$explained_common_variance)))
  list(items = items, scores = scores)
}

percent_words_each <- function(x) vapply(x, percent_words, "")
