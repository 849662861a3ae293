# How the results of two versions are compared: renamed names, and intended differences.

# Names that changed between the compared versions: in the positions of a result, and in its texts.
# Both are patterns; empty when nothing was renamed.
renamed <- c("/(loading|intercept)_gap$" = "/\\1_difference", "/expected_score$" = "/difference",
             "/effect_size$" = "/d", "/size_any_direction$" = "/d_unsigned",
             "/json/gaps/" = "/json/noninvariance/")
reworded <- character()

# Verdicts of an older version and the codes that replace them, by their position.
coded <- list(
  "/(ladder|invariance|rungs|table|loosened)[^/]*(/.*)?/verdict$" = c(
    "^fits poorly$" = "fits_poorly", "^holds, small differences$" = "holds_small_differences",
    "^holds, but rests on a rung that .*$" = "holds", "^nothing to hold$" = "nothing_to_hold",
    "^not tested: .*$" = "not_tested", "^not converged$" = "not_converged",
    "^differs, but less than counts$" = "differs_negligibly", "^cannot tell$" = "cannot_tell"),
  "/details/[^/]*/verdict$" = c(
    "^likely to differ$" = "differs", "^differs little$" = "differs_negligibly",
    "^does not differ$" = "holds", "^cannot tell$" = "cannot_tell"),
  "/(amend|largest|amendments)[^/]*(/.*)?/verdict$" = c(
    "^within chance$" = "within_chance", "^not misspecified$" = "not_misspecified",
    "^cannot tell$" = "cannot_tell"),
  "/(verdicts|robustness)[^/]*(/.*)?/verdict$" = c(
    "^not supported$" = "not_supported", "^cannot tell$" = "cannot_tell",
    "^cannot be judged$" = "not_judged", "^not analysed$" = "not_analysed"),
  "/(comparison|compare|trail)[^/]*(/.*)?/verdict$" = c(
    "^fits as well$" = "fits_as_well", "^fits worse$" = "fits_worse",
    "^fits better$" = "fits_better"),
  "/broken$" = c("CFI" = "cfi", "RMSEA" = "rmsea", "SRMR" = "srmr"),
  "/confirm[^/]*(/.*)?/verdict$" = c(
    "^found again$" = "found_again", "^same sign, not significant$" = "same_sign",
    "^other sign$" = "other_sign"),
  "/without[^/]*(/.*)?/verdict$" = c("^could be removed$" = "could_be_removed"),
  "/cutoffs[^/]*(/.*)?/(verdict|rule)$" = c(
    "^misses$" = "fails", "^cannot tell$" = "cannot_tell", "^95/5$" = "firm",
    "^90/10$" = "lenient"),
  "/quality[^/]*(/.*)?/verdict$" = c("^falls short: .*$" = "falls_short", "^part of .*$" = "part"))

# Verdicts of difference tests.
untested <- "/(comparison|compare|trail)[^/]*(/.*)?/verdict$"

# Intended differences: a pattern of the position, and the reason.
meant <- c("/(rests_on|rests_on_verdict|short)$" = "columns added beside the verdict",
           "/inference(/|$)" = "JSON holds every option of the fit")

# Leaves of a nested list, by path; each numeric vector stays whole.
leaves <- function(x, path = "") {
  if (is.null(x) || length(x) == 0L) return(list())
  if (!is.list(x)) return(stats::setNames(list(x), path))
  labels <- names(x)
  if (is.null(labels)) labels <- as.character(seq_along(x))
  do.call(c, unname(Map(function(part, label) leaves(part, paste0(path, "/", label)), x, labels)))
}

rename <- function(texts, table) {
  for (word in names(table)) texts <- gsub(word, table[[word]], texts, perl = TRUE)
  texts
}

same_leaf <- function(a, b) {
  if (is.numeric(a) && is.numeric(b)) {
    if (length(a) != length(b) || !identical(is.na(a), is.na(b))) return(FALSE)
    known <- !is.na(a)
    size <- pmax(abs(a[known]), abs(b[known]), max(c(abs(a[known & is.finite(a)]), 0)) * 1e-2)
    return(all(a[known] == b[known] | abs(a[known] - b[known]) <= 1e-8 * size + 1e-12))
  }
  identical(as.vector(a), as.vector(b))
}

shown_leaf <- function(x) {
  if (is.null(x)) return("(absent)")
  text <- if (is.numeric(x)) formatC(utils::head(x, 4), digits = 9, format = "g") else
    utils::head(as.character(x), 2)
  substr(paste(text, collapse = " "), 1, 60)
}

# One row for each place where the two differ.
compare_results <- function(old, new) {
  a <- leaves(old)
  b <- leaves(new)
  names(a) <- rename(names(a), renamed)
  a <- lapply(a, function(x) if (is.character(x)) rename(x, reworded) else x)
  for (place in names(coded)) {
    at <- grepl(place, names(a)) & vapply(a, is.character, NA)
    a[at] <- lapply(a[at], rename, coded[[place]])
  }
  # no test was an empty text, and is NA now
  at <- grepl(untested, names(a)) & vapply(a, is.character, NA)
  a[at] <- lapply(a[at], function(x) replace(x, x %in% "", NA_character_))
  paths <- union(names(a), names(b))
  differ <- !vapply(paths, function(p) {
    !is.null(a[[p]]) && !is.null(b[[p]]) &&
    same_leaf(a[[p]], b[[p]])
  }, NA)
  where <- paths[differ]
  out <- data.frame(where = where, old = vapply(where, function(p) shown_leaf(a[[p]]), ""),
                    new = vapply(where, function(p) shown_leaf(b[[p]]), ""), row.names = NULL)
  structure(out, values = sum(lengths(a)))
}

explained <- function(differences) {
  out <- rep(NA_character_, nrow(differences))
  for (pattern in names(meant)) out[is.na(out) & grepl(pattern, differences$where)] <-
    meant[[pattern]]
  out
}
