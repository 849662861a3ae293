# Factor and text columns as predictors: two levels become 0/1, more become one 0/1 column a level
# but the first.

# Which columns to code, with their levels: list(setting = c("evening", "weekend")).
factor_coding <- function(bp, data) {
  if (!is.data.frame(data)) return(list())
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
