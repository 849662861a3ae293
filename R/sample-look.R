# A quick look at the columns of a model while they are read: what screen_data() would say first.

few_answers <- 5L           # distinct values: as if continuous, but with robust inference
ordered_answers <- 4L       # ordered categories (Rhemtulla, Brosseau-Liard & Savalei 2012)
heavy_tails <- 7            # kurtosis (West, Finch & Curran 1995)
strong_ceiling <- 0.25      # share of the cases at the lowest or the highest answer
normal_bound <- 5           # of Mardia's z for kurtosis (Bentler 2006)
looked_cells <- 1e6         # of larger data, rows at even distances
looked_rows <- 5000         # for the kurtosis of all variables together

# A list of `codes` (by variable, values that look like codes for missing), `few` (variables with
# five distinct values), `ordered` (two to four), `tails` (kurtosis of variables with heavy tails),
# `ends` (share at the end of the scale, where that is large) and `kurtosis` (Mardia's z).
look_at <- function(data, variables, missing_codes) {
  variables <- Filter(function(name) is.numeric(data[[name]]), intersect(variables, names(data)))
  if (length(variables) == 0L || nrow(data) < 2L) return(list())
  columns <- lapply(variables, function(name) as.double(plain_column(data[[name]])))
  x <- matrix(unlist(columns), nrow(data), dimnames = list(NULL, variables))
  if (length(missing_codes)) x[is_code(x, missing_codes)] <- NA_real_
  # the range of a column without values is infinite, and warned of
  ends <- suppressWarnings(vapply(seq_along(variables), function(k) range(x[, k], na.rm = TRUE),
                                  c(0, 0)))
  # a code stands out at an end
  odd <- variables[ends[1L, ] %in% low_codes | ends[2L, ] %in% high_codes]
  codes <- lapply(stats::setNames(odd, odd), function(name) {
    found <- suspicious_codes(x[, name])
    stats::setNames(vapply(found, function(value) sum(x[, name] == value, na.rm = TRUE), 0L), found)
  })
  codes <- Filter(length, codes)
  step <- max(1, ceiling(length(x) / looked_cells))
  some <- if (step > 1) x[seq(1, nrow(x), by = step), , drop = FALSE] else x
  counts <- answer_counts(x, ends)
  list(codes = codes, few = names(counts)[counts == few_answers],
       ordered = names(counts)[counts <= ordered_answers],
       tails = heavy_tailed(some, names(codes)),
       ends = at_the_end(some, ends,
                         but = c(names(codes), names(counts)[counts <= ordered_answers])),
       kurtosis = if (length(codes) == 0L)
         mardia_z(some[, setdiff(colnames(some), names(counts)), drop = FALSE]))
}

# How many different answers, of variables that have few.
answer_counts <- function(x, ends) {
  narrow <- colnames(x)[is.finite(ends[1L, ]) & ends[2L, ] - ends[1L, ] <= 10]
  count <- function(v) length(unique(v[!is.na(v)]))
  first <- seq_len(min(200L, nrow(x)))
  out <- vapply(narrow, function(name) {
    if (count(x[first, name]) > few_answers) few_answers + 1L else count(x[, name])
  }, 0L)
  out[out >= 2L & out <= few_answers]
}

# The larger share of cases at an end of the scale, of variables that have one worth speaking of.
at_the_end <- function(x, ends, but) {
  at <- function(end) colMeans(x == rep(end, each = nrow(x)), na.rm = TRUE)
  share <- pmax(at(ends[1L, ]), at(ends[2L, ]))
  share <- share[is.finite(share) & share > strong_ceiling]
  share[setdiff(names(share), but)]
}

# Kurtosis of all variables together over what normal data have, as z (Mardia 1970), by complete
# rows.
mardia_z <- function(x) {
  x <- x[stats::complete.cases(x), , drop = FALSE]
  if (nrow(x) > looked_rows)
    x <- x[round(seq(1, nrow(x), length.out = looked_rows)), , drop = FALSE]
  n <- nrow(x)
  k <- ncol(x)
  if (n < 3L * k || n < 20L) return(NULL)
  off <- x - rep(colMeans(x), each = n)
  root <- tryCatch(chol(crossprod(off) / n), error = function(e) NULL)
  if (is.null(root)) return(NULL)
  squared <- colSums(backsolve(root, t(off), transpose = TRUE)^2)
  (mean(squared^2) - k * (k + 2)) / sqrt(8 * k * (k + 2) / n)
}

heavy_tailed <- function(x, but) {
  squares <- (x - rep(colMeans(x, na.rm = TRUE), each = nrow(x)))^2
  kurtosis <- colMeans(squares * squares, na.rm = TRUE) / colMeans(squares, na.rm = TRUE)^2 - 3
  kurtosis <- kurtosis[is.finite(kurtosis) & kurtosis > heavy_tails]
  kurtosis[setdiff(names(kurtosis), but)]
}

# What is not normal about the data, in a sentence with the word that helps; nothing where inference
# is robust.
look_notes <- function(look, robust) {
  if (robust) return(NULL)
  found <- c(
    if (isTRUE(look$kurtosis > normal_bound))
      text_of("multivariate_kurtosis_beyond_normal", kurtosis = format_fixed(look$kurtosis, 1L)),
    if (length(look$tails))
      text_of("heavy_tails_kurtosis",
              tails = enumerate(paste0(names(look$tails), " ", format_fixed(look$tails, 1L)),
                                most = 6L)),
    if (length(look$few)) text_of("five_distinct_answers", few = enumerate(look$few, most = 8L)),
    if (length(look$ends))
      text_of("many_end_scale",
              ends = enumerate(paste0(names(look$ends), " ", format_fixed(100 * look$ends, 0L),
                                      " %"), most = 6L)))
  if (length(found) == 0L) return(NULL)
  text_of("not_normal_standard_errors", found = paste(found, collapse = "; "),
          instruction = instruction("robust"))
}

# Items with two to four answers.
ordered_words <- function(sample) {
  items <- setdiff(sample$look$ordered, sample$predictors)
  if (length(items) == 0L) return(NULL)
  text_of("two_four_distinct_answers", items = enumerate(items, most = 8L),
          items_2 = if (length(items) == 1L) " has" else " have")
}

code_sentences <- function(look) {
  codes <- look$codes
  if (length(codes) == 0L) return(NULL)
  values <- sort(unique(as.numeric(unlist(lapply(codes, names)))))
  each <- vapply(names(codes), function(name) {
    rows <- vapply(codes[[name]], count_of, "", one = "row")
    paste0(name, " (", paste0(names(codes[[name]]), " in ", rows, collapse = ", "), ")")
  }, "")
  text <- paste(format_exact(values), collapse = ", ")
  if (length(values) > 1L) text <- paste0("c(", text, ")")
  text_of("read_answers_though_they", each = enumerate(each, most = 6L),
          values = instruction("declare_codes", r_codes = text,
                               codes = paste(format_exact(values), collapse = ",")))
}
