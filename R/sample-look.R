# A quick look at the columns of a model while they are read: what screen_data() would say first.

heavy_tails <- 7            # kurtosis (West, Finch & Curran 1995)
few_answers <- 4L           # distinct values (Rhemtulla, Brosseau-Liard & Savalei 2012)
looked_cells <- 1e6         # of larger data, rows at even distances

# A list of `codes` (by variable, values that look like codes for missing), `few` (variables with
# few distinct values) and `tails` (kurtosis of variables with heavy tails).
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
  list(codes = codes, few = few_valued(x, ends), tails = heavy_tailed(some, names(codes)))
}

few_valued <- function(x, ends) {
  narrow <- colnames(x)[is.finite(ends[1L, ]) & ends[2L, ] - ends[1L, ] <= 10]
  Filter(function(name) {
    count <- function(v) length(unique(v[!is.na(v)]))
    count(x[seq_len(min(100L, nrow(x))), name]) <= few_answers &&
      count(x[, name]) %in% 3:few_answers
  }, narrow)
}

heavy_tailed <- function(x, but) {
  squares <- (x - rep(colMeans(x, na.rm = TRUE), each = nrow(x)))^2
  kurtosis <- colMeans(squares * squares, na.rm = TRUE) / colMeans(squares, na.rm = TRUE)^2 - 3
  kurtosis <- kurtosis[is.finite(kurtosis) & kurtosis > heavy_tails]
  kurtosis[setdiff(names(kurtosis), but)]
}

look_notes <- function(look) {
  c(code_sentences(look),
    if (length(look$few))
      paste0("Few distinct answers (3 or 4), analysed as if they were continuous: ",
             enumerate(look$few, most = 8L), "."),
    if (length(look$tails))
      paste0("Heavy tails (kurtosis above 7): ",
             enumerate(paste0(names(look$tails), " ", format_fixed(look$tails, 1L)), most = 6L),
             ". Chi-square and standard errors assume normality; see screen_data()."))
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
  paste0("Read as answers, though they look like codes for missing values: ",
         enumerate(each, most = 6L), ". If they are, give ",
         either(paste0("missing_codes = ", text),
                paste0("--missing-codes ", paste(format_exact(values), collapse = ","))), ".")
}
