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
  # a path by its address, where names are asked for
  if (is_path(expression)) return(format(parse_address(expression)))
  NULL
}

# TRUE if an expression is the address of an effect or a covariance.
is_path <- function(expression) {
  is.call(expression) && identical(expression[[1L]], quote(`[`)) && is.symbol(expression[[2L]]) &&
    as.character(expression[[2L]]) %in% path_kinds
}

# be1:be4 and a1_t1:a4_t1 need no data: alike but for one number, the last where all are the same.
# Leading zeros keep their width.
expand_range <- function(from, to) {
  parts <- regmatches(c(from, to), gregexpr("[0-9]+|[^0-9]+", c(from, to)))
  same <- length(parts[[1L]]) == length(parts[[2L]])
  at <- if (same) which(parts[[1L]] != parts[[2L]])
  if (same && length(at) == 0L) at <- utils::tail(grep("^[0-9]", parts[[1L]]), 1L)
  if (length(at) != 1L || !all(grepl("^[0-9]", c(parts[[1L]][at], parts[[2L]][at])))) {
    abort("range", c(text_of("cannot_be_expanded", from = from, to = to),
                     i = text_of("range_needs_names_are")))
  }
  digits <- c(parts[[1L]][at], parts[[2L]][at])
  width <- if (any(grepl("^0", digits) & nchar(digits) > 1L)) nchar(digits[1L]) else 1L
  ends <- as.numeric(digits)
  if (abs(diff(ends)) > 9999) {
    abort("range", text_of("would_name_variables", from = from, to = to,
                           ends = abs(diff(ends)) + 1))
  }
  numbers <- formatC(seq(ends[1L], ends[2L]), width = width, flag = "0", format = "d")
  paste0(paste(parts[[1L]][seq_len(at - 1L)], collapse = ""), numbers,
         paste(parts[[1L]][-seq_len(at)], collapse = ""))
}

# Names (and numbers given to them, as in c(w1 = 0)) in a captured argument. `hints` are bare
# symbols that are also text variables of the caller, remembered so that an unknown column can
# suggest all_of().
most_names <- 10000L
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
              c(text_of("label_must_be_one_number", labels = labels[i], part = deparse_one(part),
                        what = what),
                i = text_of("number_fixes_loading_item")))
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
  check_encoding(names, paste("A name in", what))
  if (length(names) > most_names)
    abort("size", text_of("names_most_are_allowed", value = format_count(length(names)),
                          what = what, most_names = format_count(most_names)))
  if (anyDuplicated(names)) {
    abort("duplicate",
          c(text_of("named_twice_in", duplicated = quoted(names[duplicated(names)][1L]),
                    what = what),
            i = text_of("name_each_once")))
  }
  list(names = names, values = values, hints = hints)
}

evaluate_names <- function(expression, env, what) {
  mask <- list(all_of = function(x) x)
  value <- tryCatch(eval(expression, mask, env), error = function(e) {
    abort("input", c(text_of("cannot_evaluate", expression = deparse_one(expression), what = what),
                     names_hint(expression, what) %||% c(x = conditionMessage(e))))
  })
  if (!is.character(value) || anyNA(value) || length(value) == 0L) {
    abort("input",
          c(text_of("must_give_names_character", expression = deparse_one(expression), what = what),
            x = text_of("it_gives", value = describe(value)), names_hint(expression, what)))
  }
  value
}

# Advice for names that were joined in another way or taken from a data frame.
names_hint <- function(expression, what) {
  if (!is.call(expression)) return(NULL)
  how <- deparse_one(expression[[1L]])
  if (how %in% c("$", "[[") && length(expression) == 3L)
    return(c(i = text_of("give_column_s_name", expression = format(expression[[3L]]))))
  if (how %in% c("starts_with", "ends_with", "contains", "matches", "num_range", "everything",
                 "where", "any_of"))
    return(c(i = text_of("items_by_name")))
  joined <- all.vars(expression)
  if (!how %in% c("+", "list", "~", "-", "cbind", "|", "&") || length(joined) == 0L) return(NULL)
  verb <- if (endsWith(what, "()")) sub("()", "", what, fixed = TRUE) else "c"
  c(i = paste0("Write ", verb, "(", paste(joined, collapse = ", "), ")."))
}

# Statements in arguments that take addresses, equations or bounds, by the same rule: written out
# ones stay as they are, strings are read, c() is looked into, any other call must give texts.
# Returns a list of expressions and strings.
captured_statements <- function(quosures, what) {
  unlist(lapply(unname(quosures), function(quosure) {
    statement_parts(rlang::quo_get_expr(quosure), rlang::quo_get_env(quosure), what)
  }), recursive = FALSE)
}

statement_parts <- function(expression, env, what) {
  if (is.symbol(expression)) {
    name <- as.character(expression)
    # a bare kind, such as loading, is never a variable
    known <- name %in% names(address_kinds)
    if (!known && is.character(get0(name, env, mode = "character"))) {
      abort("address", c(text_of("is_no_address", name = name, what = what),
                         i = text_of("text_variable_name_exists", name = name)))
    }
    return(list(expression))
  }
  if (is.character(expression)) return(as.list(expression))
  if (!is.call(expression) || !is.symbol(expression[[1L]])) return(list(expression))
  head <- as.character(expression[[1L]])
  if (head == "c") {
    parts <- as.list(expression)[-1L]
    return(unlist(lapply(unname(parts), statement_parts, env = env, what = what),
                  recursive = FALSE))
  }
  if (head %in% statement_heads) return(list(expression))
  # a call that cannot be evaluated is not a valid statement: its reader reports this
  texts <- tryCatch(evaluate_names(expression, env, what), orizzonte_error = function(e) NULL)
  if (is.null(texts)) list(expression) else as.list(texts)
}

# Functions allowed in statements and addresses; these are parsed, never evaluated.
statement_heads <- c("[", "(", "==", ">=", "<=", "=", ">", "<", "~", ":", "+", "-", "*", "/", "^",
                     "exp", "log", "sqrt", "standardized")
