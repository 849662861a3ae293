# Contents of a column: codes declared missing, labels, types.

# Columns of labelled statistics files carry their own missing codes (`na_values`, `na_range`)
# beside the labels.
plain_column <- function(x) {
  if (is.numeric(x) && !is.object(x)) return(x)
  if (inherits(x, "integer64")) return(as.double(x))
  if (is.character(x)) return(without_blanks(as_utf8(x)))
  if (is.factor(x)) {
    levels(x) <- without_blanks(as_utf8(levels(x)))
    return(x)
  }
  if (!inherits(x, "haven_labelled")) return(x)
  values <- attr(x, "na_values", exact = TRUE)
  range <- attr(x, "na_range", exact = TRUE)
  plain <- as.vector(unclass(x))
  if (length(values)) plain[plain %in% values] <- NA
  if (length(range) == 2L) plain[!is.na(plain) & plain >= range[1L] & plain <= range[2L]] <- NA
  attributes(plain) <- NULL
  plain
}

# Empty text and the text NA are missing values, as in files that are read by the command line.
without_blanks <- function(x) {
  x[trimws(x) %in% c("", "NA")] <- NA
  x
}

column_labels <- function(data, variables) {
  labels <- lapply(unclass(data)[variables], attr, "label", exact = TRUE)
  found <- vapply(labels, function(l) is.character(l) && length(l) == 1L, NA)
  stats::setNames(as.character(unlist(labels[found])), variables[found])
}

column_type <- function(x) {
  x <- plain_column(x)
  if (is.factor(x)) return("factor")
  if (is.logical(x)) return(if (all(is.na(x))) "empty" else "logical")
  if (is.character(x)) return("text")
  if (inherits(x, c("Date", "POSIXt"))) return("date")
  if (!is.numeric(x)) return(class(x)[1L])
  values <- unique(x[!is.na(x)])
  if (length(values) == 0L) return("empty")
  if (length(values) == 2L) return("two values")
  whole <- all(values == round(values))
  if (whole && length(values) <= 11L) "few values" else if (whole) "whole numbers" else "numbers"
}

# A column that an argument names must exist.
check_named_column <- function(name, data, purpose, argument) {
  if (name %in% names(data)) return(check_no_lists(data, name))
  abort("name", c(text_of("there_is_no_column", name = quoted(name), purpose = purpose),
                  did_you_mean(name, names(data)), i = if (isTRUE(attr(name, "hint")))
                    text_of("text_variable_name_exists_all", argument = argument, name = name),
                  i = paste0("Columns: ", enumerate(names(data), most = 20L), ".")))
}

# Columns of unsupported types, names given twice, and moments given in place of raw data.
check_columns <- function(data, variables = character()) {
  if (ncol(data) == 0L) abort("data", c(text_of("data_have_no_columns"),
                                        i = text_of("look_how_they_were")))
  if (nrow(data) == 0L) abort("data", c(text_of("data_have_no_rows"),
                                          i = text_of("look_how_they_were_read")))
  twice <- unique(names(data)[duplicated(names(data))])
  if (length(twice)) {
    abort("data", c(text_of("two_columns_data_are", twice = quoted(twice[1L])),
                    i = text_of("rename_one_them")))
  }
  odd <- vapply(data, function(x) {
    is.data.frame(x) || length(dim(x)) > 2L || (length(dim(x)) == 2L && ncol(x) > 1L)
  }, NA)
  if (any(odd)) {
    abort("data", c(text_of("column_is_table_own", odd = quoted(names(data)[odd][1L])),
                    i = text_of("make_columns_columns_data")))
  }
  # their bits are read as other numbers unless the package that defines them is loaded
  wide <- vapply(data, inherits, NA, "integer64")
  if (any(wide) && !isNamespaceLoaded("bit64")) {
    abort("data", c(text_of("column_holds_64_bit", wide = quoted(names(data)[wide][1L])),
                    i = text_of("load_bit64_or_make")))
  }
  check_raw(data, variables)
}

# Matrices of one column, which scale() returns, as plain columns.
plain_columns <- function(data) {
  single <- vapply(data, function(x) length(dim(x)) == 2L && ncol(x) == 1L && !is.data.frame(x), NA)
  if (any(single)) data[single] <- lapply(data[single], function(x) as.vector(x))
  data
}

# List columns, whose cells may contain several values, are refused.
check_no_lists <- function(data, names) {
  nested <- names[vapply(names, function(name) is.list(data[[name]]), NA)]
  if (length(nested) == 0L) return(invisible())
  abort("data", c(text_of("column_is_list_cells", nested = quoted(nested[1L])),
                  i = text_of("unnest_into_columns_single")))
}

# A covariance or correlation matrix given as if its rows were people.
check_raw <- function(data, variables = character()) {
  if (!looks_like_moments(data, variables)) return(invisible())
  abort("data", c(text_of("data_are_covariance_or"),
                  x = text_of("their_rows_are_same"),
                  i = text_of("give_summary_data_fit"),
                  i = text_of("file_first_column_row")))
}

looks_like_moments <- function(data, variables = character()) {
  label <- NULL
  if (is.character(data[[1L]]) || is.factor(data[[1L]])) {
    label <- as.character(data[[1L]])
    data <- data[-1L]
  } else if (is.character(attr(data, "row.names"))) {
    label <- row.names(data)
  }
  # more rows than columns without names: not a matrix of moments
  if (is.null(label) && nrow(data) > length(data)) return(FALSE)
  numeric <- vapply(data, is.numeric, NA)
  data <- data[numeric]
  symmetric <- function(m) {
    if (nrow(m) < 2L || nrow(m) != ncol(m) || anyNA(diag(m))) return(FALSE)
    below <- m[lower.tri(m)]
    above <- t(m)[lower.tri(m)]
    if (all(is.na(above)) || all(is.na(below))) return(!anyNA(above) || !anyNA(below))
    !anyNA(m) && max(abs(above - below)) <= 1e-6 * max(abs(m)) && any(below != 0)
  }
  if (symmetric(as.matrix(data))) return(TRUE)
  # of more variables than the model uses
  if (length(variables) == 0L) variables <- names(data)
  named <- length(variables) > 1L && all(variables %in% label) && all(variables %in% names(data))
  named && symmetric(as.matrix(data[match(variables, label), variables]))
}

# Factor and text columns as predictors: two levels become one 0/1 column, more levels one 0/1
# column each except the first.

# The columns to be coded, with their levels: list(setting = c("evening", "weekend")).
factor_coding <- function(bp, data) {
  if (!is.data.frame(data) || length(bp$effects$from) == 0L) return(list())
  predictors <- intersect(unique(bp$effects$from), names(data))
  items <- unlist(lapply(bp$constructs, `[[`, "items"), use.names = FALSE)
  predictors <- setdiff(predictors, c(bp$effects$to, items))
  coding <- lapply(stats::setNames(predictors, predictors),
                   function(name) column_levels(data[[name]]))
  Filter(Negate(is.null), coding)
}

column_levels <- function(x) {
  x <- plain_column(x)
  if (is.factor(x)) return(levels(droplevels(x)))
  if (!is.character(x)) return(NULL)
  levels <- natural_order(unique(x[!is.na(x)]))
  # text that is mostly numbers, or has very many values, is a mistake and not a grouping
  numbers <- !is.na(suppressWarnings(as.numeric(levels)))
  if (length(levels) > 12L || any(numbers)) NULL else levels
}

coded_names <- function(name, levels) if (length(levels) == 2L) name else paste0(name, levels[-1L])

code_data <- function(data, coding) {
  for (name in intersect(names(coding), names(data))) {
    levels <- coding[[name]]
    x <- as.character(plain_column(data[[name]]))
    strange <- setdiff(x[!is.na(x)], levels)
    if (length(strange)) {
      abort("data",
            c(text_of("column_holds_which_fitted", name = quoted(name),
                      strange = quoted(strange[1L])),
              i = text_of("known_values", levels = enumerate(levels))))
    }
    new <- coded_names(name, levels)
    clash <- setdiff(intersect(new, names(data)), name)
    if (length(clash))
      abort("data", text_of("n0_1_columns_would", name = quoted(name), clash = quoted(clash[1L])))
    for (k in seq_along(new)) data[[new[k]]] <- as.numeric(x == levels[k + 1L])
  }
  data
}

# A predictor of several levels is replaced, wherever it stands, by its 0/1 columns.
code_blueprint <- function(bp, coding) {
  for (name in names(coding)[lengths(coding) > 2L]) {
    new <- coded_names(name, coding[[name]])
    swap <- function(x, other) {
      times <- ifelse(x == name, length(new), 1L)
      list(x = as.character(unlist(lapply(x, function(v) if (v == name) new else v))),
           other = rep(other, times))
    }
    effects <- swap(bp$effects$from, bp$effects$to)
    bp$effects <- list(from = effects$x, to = effects$other)
    for (verb in c("covary", "uncorrelate")) {
      one <- swap(bp[[verb]]$first, bp[[verb]]$second)
      two <- swap(one$other, one$x)
      bp[[verb]] <- list(first = two$other, second = two$x)
    }
  }
  bp
}

coding_notes <- function(coding) {
  vapply(names(coding), function(name) {
    levels <- coding[[name]]
    if (length(levels) == 2L)
      return(text_of("is_coded", name = name, levels = levels[1L], levels_2 = levels[2L]))
    text_of("is_coded_1_level", name = name, levels = enumerate(coded_names(name, levels)),
            levels_2 = levels[1L])
  }, "", USE.NAMES = FALSE)
}

# A quick check of the columns of a model while they are read: the most important findings of
# screen_data().

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
  rows <- nrow(data)
  data <- unclass(data)
  variables <- Filter(function(name) is.numeric(data[[name]]), intersect(variables, names(data)))
  if (length(variables) == 0L || rows < 2L) return(list())
  # columns and not a matrix of them, which would be one more copy of the data
  x <- lapply(stats::setNames(variables, variables), function(name) {
    column <- as.double(plain_column(data[[name]]))
    if (length(missing_codes)) column[is_code(column, missing_codes)] <- NA_real_
    column
  })
  step <- max(1, ceiling(length(x) * rows / looked_cells))
  found <- core_answers(x, step)
  of <- function(row) stats::setNames(found[row, ], variables)
  # a code is far from all other values
  odd <- variables[of("low") %in% low_codes | of("high") %in% high_codes]
  codes <- lapply(stats::setNames(odd, odd), function(name) {
    found <- suspicious_codes(x[[name]])
    stats::setNames(vapply(found, function(value) sum(x[[name]] == value, na.rm = TRUE), 0L), found)
  })
  codes <- Filter(length, codes)
  counts <- few_distinct(of("distinct"), of("high") - of("low"))
  ordered <- names(counts)[counts <= ordered_answers]
  list(codes = codes, few = names(counts)[counts == few_answers], ordered = ordered,
       tails = beyond(of("kurtosis"), heavy_tails, but = names(codes)),
       ends = beyond(pmax(of("at_low"), of("at_high")), strong_ceiling,
                     but = c(names(codes), ordered)),
       kurtosis = if (length(codes) == 0L) mardia_z(x[setdiff(variables, names(counts))], step))
}

# The number of distinct answers of variables that have few, of a narrow scale.
few_distinct <- function(distinct, range) {
  distinct[is.finite(range) & range <= 10 & distinct >= 2 & distinct <= few_answers]
}

# Values above a limit, except those of some variables.
beyond <- function(values, limit, but) {
  values <- values[is.finite(values) & values > limit]
  values[setdiff(names(values), but)]
}

# Kurtosis of all variables together in excess of normal data, as z (Mardia 1970), by complete
# rows; of large data every `step`th.
mardia_z <- function(columns, step) {
  k <- length(columns)
  if (k == 0L) return(NULL)
  rows <- length(columns[[1L]])
  if (step > 1L) columns <- lapply(columns, function(column) column[seq(1L, rows, by = step)])
  x <- bind_columns(columns, length(columns[[1L]]))
  if (anyNA(x)) x <- x[stats::complete.cases(x), , drop = FALSE]
  if (nrow(x) > looked_rows)
    x <- x[round(seq(1, nrow(x), length.out = looked_rows)), , drop = FALSE]
  n <- nrow(x)
  if (n < 3L * k || n < 20L) return(NULL)
  kurtosis <- core_multivariate_kurtosis(x)
  if (is.finite(kurtosis)) (kurtosis - k * (k + 2)) / sqrt(8 * k * (k + 2) / n)
}

# The violations of normality in the data, in a sentence with the argument that helps; empty where
# inference is robust.
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
                                      "%"), most = 6L)))
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

# Sorts values in increasing order; numbers within text are sorted by size: 2 before 10.
natural_order <- function(x) {
  if (!is.character(x)) return(as.character(sort(x, method = "radix")))
  key <- x
  numbers <- gregexpr("[0-9]+", key)
  regmatches(key, numbers) <- lapply(regmatches(key, numbers), function(digits) {
    paste0(strrep("0", pmax(0L, 20L - nchar(digits))), digits)
  })
  x[order(key, x, method = "radix")]
}

# A column as numbers, without the codes that are far from all other values; NULL where it contains
# none.
without_codes <- function(x, missing_codes) {
  if (is.logical(x)) x <- as.numeric(x)
  if (!is.numeric(x)) return(NULL)
  x[is_code(x, missing_codes) | x %in% suspicious_codes(x)] <- NA_real_
  as.numeric(x)
}

# Customary codes for "no answer" that lie far outside all other values.
low_codes <- -c(1, 2, 3, 7, 8, 9, 66, 77, 88, 97, 98, 99, 777, 888, 997, 998, 999, 9999)

high_codes <- c(7, 8, 9, 66, 77, 88, 97, 98, 99, 777, 888, 997, 998, 999, 9997, 9998, 9999, 99999)

suspicious_codes <- function(x) {
  if (!is.numeric(x)) return(numeric())
  values <- unique(x[!is.na(x)])
  candidates <- values[values %in% c(low_codes, high_codes)]
  rest <- setdiff(values, candidates)
  if (length(candidates) == 0L || length(rest) < 2L) return(numeric())
  span <- range(rest)
  # a candidate among or next to the other values is one of them
  near <- candidates >= 0 & candidates <= span[2L] + max(2, diff(span))
  run <- 0
  while ((-run - 1) %in% values) run <- run + 1
  if (run >= 3) near <- near | (candidates < 0 & candidates >= -run)
  span <- range(c(span, candidates[near]))
  low <- candidates < 0 & span[1L] >= 0
  low <- low | candidates < span[1L] - 2 * diff(span)
  high <- candidates > span[2L] + diff(span)
  sort(candidates[(low | high) & !near])
}

identifier_like <- function(x) {
  x <- x[!is.na(x)]
  if (length(x) < 20L || inherits(x, c("Date", "POSIXt"))) return(FALSE)
  share <- length(unique(x)) / length(x)
  if (is.character(x) || is.factor(x)) return(share > 0.95)
  is.numeric(x) && share == 1 && all(x == round(x))
}

# Finite, and scaled so that powers are finite as well.
finite_scale <- function(v) {
  v <- as.numeric(v)
  v[!is.finite(v)] <- NA_real_
  largest <- max(0, abs(v), na.rm = TRUE)
  if (largest > 1e60 || (largest > 0 && largest < 1e-60)) v / largest else v
}

# Items keyed against the majority, as shown by the first principal axis; each must also correlate
# negatively with the sum of the items of the majority. `r`: correlations from `n` cases.
opposed <- function(r, n) {
  if (ncol(r) < 3L || anyNA(r)) return(character())
  axis <- eigen(r, symmetric = TRUE)$vectors[, 1L]
  if (sum(axis > 0) < length(axis) / 2) axis <- -axis
  against <- axis < 0
  if (!any(against)) return(character())
  rest <- r[!against, !against, drop = FALSE]
  own <- rowSums(r[against, !against, drop = FALSE]) / sqrt(max(sum(rest), 1e-300))
  colnames(r)[against][rule_reverse_keyed(own, n)]
}

# --- checks of a sample --------------------------------------------------------------------------

# Checks of the values and matrices that a sample is made of.

check_finite <- function(columns, rows) {
  infinite <- names(Filter(function(column) any(is.infinite(column)), columns))
  if (length(infinite) == 0L) return(invisible())
  first <- rows[which(is.infinite(columns[[infinite[1L]]]))[1L]]
  abort("data", c(text_of("column_holds_infinite_value", at = quoted(infinite[1L]), at_2 = first),
                  i = text_of("correct_infinite_value")))
}

check_some_seen <- function(columns) {
  empty <- names(Filter(function(column) all(is.na(column)), columns))
  if (length(empty) == 0L) return(invisible())
  abort("data", c(text_of("column_is_missing_every", empty = quoted(empty[1L])),
                  i = text_of("leave_item_out_or_declare_codes")),
        not_asked = empty[1L])
}

check_enough <- function(n, what, variables, notes = character()) {
  if (n > length(variables)) return(invisible())
  abort("data", c(text_of("there_are", count = n, what = count_of(n, what),
                          variables = count_of(length(variables), "variable")),
                  i = text_of("more_cases_than_variables"), if (length(notes)) c(i = notes)))
}

check_varying <- function(variables, mean, variance) {
  flat <- which(variance <= 1e-20 * (mean^2 + 1e-300))
  if (length(flat) == 0L) return(invisible())
  abort("data", c(text_of("column_does_not_vary", flat = quoted(variables[flat[1L]]),
                          flat_2 = format(mean[[flat[1L]]])), i = text_of("leave_out_model")))
}

check_known <- function(variables, columns, bp) {
  constructs <- names(bp$constructs)
  clash <- intersect(constructs, columns)
  if (length(clash)) {
    abort("name",
          c(text_of("construct_has_name_column", clash = quoted(clash[1L])),
            i = text_of("rename_construct_so_two"),
            i = text_of("observed_variable_needs_no")))
  }
  unknown <- setdiff(variables, columns)
  if (length(unknown) == 0L) return(invisible())
  lines <- vapply(utils::head(unknown, 5L), function(name) {
    near <- nearest(name, c(columns, constructs))
    hint <- if (name %in% attr(bp, "hints")) {
      text_of("text_variable_name_exists_so", name = name)
    } else if (!is.null(near)) {
      text_of("did_you_mean_inline", near = quoted(near),
              constructs = if (near %in% constructs) " (a construct)")
    }
    paste0(quoted(name), hint)
  }, "")
  abort("name",
        c(text_of("neither_column_data_nor",
                  unknown = if (length(unknown) == 1L) text_of("a_variable_is") else
                    paste(length(unknown), text_of("variables_model_are"))),
                  stats::setNames(lines, rep("x", length(lines))), unknown_hints(unknown, bp),
                  i = paste0("Columns: ", enumerate(columns, most = 20L), ".")), unknown = unknown)
}

# An undeclared construct, and several names in one pair of quotes.
unknown_hints <- function(unknown, bp) {
  items <- unlist(lapply(bp$constructs, `[[`, "items"), use.names = FALSE)
  joined <- grep("[:+,~]", unknown, value = TRUE)
  construct <- setdiff(unknown[unknown %in% c(bp$effects$from, bp$effects$to)], c(items, joined))
  c(if (length(joined))
      c(i = text_of("quotes_is_one_name", joined = joined[1L],
                    joined_2 = if (grepl(":", joined[1L]))
                      text_of("a_range") else text_of("names_to_join"))),
    if (length(construct))
      c(i = text_of("if_is_construct_declare", construct = quoted(construct[1L]),
                    construct_2 = quoted(construct[1L]))))
}

# Stops when a covariance matrix is singular or indefinite, naming the variables involved.
# The correlations must be positive definite by more than rounding error.
is_definite <- function(cov) {
  sd <- sqrt(pmax(diag(cov), 0))
  root <- tryCatch(chol(cov / outer(sd, sd)), error = function(e) NULL)
  !is.null(root) && min(diag(root)) > 1e-6
}

check_definite <- function(cov, what) {
  sd <- sqrt(pmax(diag(cov), 0))
  if (any(sd == 0)) {
    abort("data", c(text_of("does_not_vary", sd = quoted(colnames(cov)[sd == 0][1L])),
                    i = text_of("leave_out_model")))
  }
  if (is_definite(cov)) return(invisible(cov))
  correlation <- cov / outer(sd, sd)
  eigen <- eigen(correlation, symmetric = TRUE)
  vector <- eigen$vectors[, ncol(correlation)]
  involved <- colnames(cov)[abs(vector) > 0.2]
  abort(if (what == "The matrix") "summary_data" else "data",
        c(text_of("is_not_positive_definite", what = what,
                  correlation = formatC(eigen$values[ncol(correlation)], digits = 2L,
                                        format = "g")),
          i = text_of("these_variables_determine_each", involved = enumerate(involved))))
}

check_variables <- function(bp) {
  if (length(blueprint_variables(bp)$observed)) return(invisible())
  abort("input", c(text_of("blueprint_has_no_variables"), i = text_of("add_construct_or_effect")))
}

many_left_out <- 0.05       # share of the rows that have no group

# How to read data from a file whose name was given in place of data.
read_file_hint <- function(source) {
  if (is.character(source) && length(source) == 1L &&
      grepl("^.{1,200}[.](csv|tsv|txt)$", source))
    text_of("read_file_first_read", source = quoted(source))
}
