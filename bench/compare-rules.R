# How two versions' results are compared: names that changed, and differences that are meant.

# Words of the older version and what they are called now: in the places of a result ...
renamed <- c(
  "/role(?=/|$)" = "/kind", "/families(?=/|$)" = "/kinds", "/criteria(?=/|$)" = "/limits",
  "/(largest/out|json/residuals)/standardized$" = "/\\1/z"
)
# ... and in its texts.
reworded <- c(
  "^(baseline|saturated)_(chisq|df|p|aic|bic|bic_adjusted|ecvi)$" = "\\2_\\1",
  "^close_fit_p$" = "p_close_fit", "^could go$" = "could be removed",
  "^weak aspect$" = "weak specific factor"
)

# Differences that are mended faults: a pattern of the place, and why.
meant <- c(
  "/equations/out/group$" = "equations have a column for the group, always",
  "^/demo-older/.*/(indices/out/value|glance/out/BIC)$" =
  "BIC counts cases, whatever the multiplier",
  "^/demo/single-item/amended/" = "a standardized loading of 16: it runs away, stopped elsewhere",
  "/estimates/(out/)?kind$" = "the mean of a predicted construct is called its intercept",
  "/(trail|out|models)/.*broken$" =
    "comparisons and trails say which criteria are broken",
  "/json/orizzonte$" = "the version says that it is on the way to the next",
  "/standardized/out/[^/]*/mean$|^/random/bifactor-51/raw/" =
    "residuals that are zero but for rounding",
  "^/command/help/|^/command/.*/json/.*/group$" = "columns for the group, always; shorter help",
  "^/(small/([46]|1[014])|random/(bifactor-(21|67|94)|structural-(19|83)))/" =
    "loadings that run away or a Hessian that is singular but for rounding",
  "^/demo-average/.*/warned$" = "a recycled weight of no parameter no longer warns",
  "^/choirs-.*/printed/" = "labels of items are kept in grouped fits",
  "^/choirs-.*/effects/out/" = "effects of composites by group are found",
  "^/groups-.*/amended/out" = "what is held is let differ, also where a release failed before",
  "/largest/out/group$" = "residuals have a column for the group, always",
  "/(against|status|verdict)$" = "comparisons say what with, their status and a verdict",
  "/printed" = "words of printed output"
)

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
