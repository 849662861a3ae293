# The capture rule, the same in every verb: a bare symbol is always a literal name; c() and `:` are
# looked into; strings are names; any other call is evaluated and must give names.

# Names in an expression of symbols, strings, c() and ranges only; NULL when it holds something
# else.
literal_names <- function(expression) {
  if (is.symbol(expression)) return(as.character(expression))
  if (is.character(expression)) return(as.character(expression))
  if (!is.call(expression)) return(NULL)
  if (identical(expression[[1L]], quote(c))) {
    parts <- lapply(as.list(expression)[-1L], literal_names)
    if (any(vapply(parts, is.null, NA))) return(NULL)
    return(unlist(parts, use.names = FALSE))
  }
  if (identical(expression[[1L]], quote(`:`))) {
    ends <- lapply(as.list(expression)[-1L], literal_names)
    if (any(lengths(ends) != 1L)) return(NULL)
    return(expand_range(ends[[1L]], ends[[2L]]))
  }
  if (identical(expression[[1L]], quote(`(`))) return(literal_names(expression[[2L]]))
  NULL
}

# be1:be4 needs no data: same stem, numbered. Leading zeros keep their width.
expand_range <- function(from, to) {
  pattern <- "^(.*?)([0-9]+)$"
  if (!grepl(pattern, from, perl = TRUE) || !grepl(pattern, to, perl = TRUE) ||
      sub(pattern, "\\1", from, perl = TRUE) != sub(pattern, "\\1", to, perl = TRUE)) {
    abort("range", c(paste0("`", from, ":", to, "` cannot be expanded."),
                     i = paste0("A range needs the same stem and numbers, such as be1:be4. ",
                                "List other names with c(a, b).")))
  }
  stem <- sub(pattern, "\\1", from, perl = TRUE)
  digits <- sub(pattern, "\\2", c(from, to), perl = TRUE)
  width <- if (any(grepl("^0", digits) & nchar(digits) > 1L)) nchar(digits[1L]) else 1L
  ends <- as.numeric(digits)
  if (abs(diff(ends)) > 9999) {
    abort("range", paste0("`", from, ":", to, "` would name ", abs(diff(ends)) + 1, " variables."))
  }
  numbers <- formatC(seq(ends[1L], ends[2L]), width = width, flag = "0", format = "d")
  paste0(stem, numbers)
}

# Names (and numbers given to them, as in c(w1 = 0)) in a captured argument. `hints` are bare
# symbols that are also text variables of the caller, remembered so that an unknown column can
# suggest all_of().
capture_names <- function(quosure, what) {
  expression <- rlang::quo_get_expr(quosure)
  env <- rlang::quo_get_env(quosure)
  if (rlang::is_missing(expression) || is.null(expression)) return(NULL)
  parts <- if (is.call(expression) && identical(expression[[1L]], quote(c)))
    as.list(expression)[-1L] else list(expression)
  labels <- names(parts) %||% rep("", length(parts))
  names <- character()
  values <- numeric()
  hints <- character()
  for (i in seq_along(parts)) {
    part <- parts[[i]]
    if (nzchar(labels[i])) {
      value <- tryCatch(eval(part, env), error = function(e) NULL)
      if (!is.numeric(value) || length(value) != 1L || !is.finite(value)) {
        abort("input",
              c(paste0("`", labels[i], " = ", deparse_one(part), "` in ", what,
                       " must be one number."),
                i = "A number fixes the loading of that item, as in c(w1 = 0, w2 = 1)."))
      }
      names <- c(names, labels[i])
      values <- c(values, value)
      next
    }
    found <- literal_names(part)
    if (is.null(found)) {
      found <- evaluate_names(part, env, what)
    } else if (is.symbol(part) && is.character(get0(as.character(part), env, mode = "character"))) {
      hints <- c(hints, as.character(part))
    }
    names <- c(names, found)
    values <- c(values, rep(NA_real_, length(found)))
  }
  if (anyDuplicated(names)) {
    abort("duplicate",
          paste0(quoted(names[duplicated(names)][1L]), " is named twice in ", what, "."))
  }
  list(names = names, values = values, hints = hints)
}

evaluate_names <- function(expression, env, what) {
  mask <- list(all_of = function(x) x)
  value <- tryCatch(eval(expression, mask, env), error = function(e) {
    abort("input", c(paste0("Cannot evaluate `", deparse_one(expression), "` in ", what, "."),
                     x = conditionMessage(e)))
  })
  if (!is.character(value) || anyNA(value) || length(value) == 0L) {
    abort("input",
          c(paste0("`", deparse_one(expression), "` in ", what,
                   " must give names (a character vector)."),
            x = paste0("It gives ", describe(value), ".")))
  }
  value
}
