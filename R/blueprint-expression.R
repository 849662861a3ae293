# Smooth expressions of addresses: read over a whitelist of operators, never evaluated as R code.

# codes of the core's tape
expression_operators <- c("+" = 2L, "-" = 3L, "*" = 4L, "/" = 5L, "^" = 6L)
expression_functions <- c(exp = 8L, log = 9L, sqrt = 10L)
tape_constant <- 0L
tape_input <- 1L
tape_negate <- 7L

# A tape in postfix order: `operation`, `argument` (a number, or the zero-based index of an input),
# `inputs` (texts of addresses, canonical) and `text`, the expression as we print it. `read_only`
# allows quantities that can be read but not set: total[], indirect[], correlation[], r_squared[],
# quantity[] and standardized(address).
read_expression <- function(expression, read_only = FALSE) {
  whole <- deparse_one(expression)
  operation <- integer()
  argument <- numeric()
  inputs <- character()
  emit <- function(code, value = 0) {
    operation <<- c(operation, code)
    argument <<- c(argument, value)
  }
  emit_input <- function(text) {
    if (!text %in% inputs) inputs <<- c(inputs, text)
    emit(tape_input, match(text, inputs) - 1)
    text
  }
  walk <- function(e) {
    if (is.numeric(e) && length(e) == 1L && is.finite(e)) {
      emit(tape_constant, as.numeric(e))
      return(format_exact(e))
    }
    if (!is.call(e) || !is.symbol(e[[1L]])) refuse_expression(e, whole)
    name <- as.character(e[[1L]])
    if (name == "[") return(emit_input(expression_address(e, whole, read_only)))
    if (name == "(") return(paste0("(", walk(e[[2L]]), ")"))
    if (name == "standardized" && length(e) == 2L) {
      if (!read_only)
        refuse_expression(e, whole,
                          text_of("restrictions_take_raw_parameters"))
      # besides parameters, only effects along routes have a standardized form
      route <- is.call(e[[2L]]) && as.character(e[[2L]][[2L]])[1L] %in% c("total", "indirect")
      return(emit_input(paste0("standardized(", expression_address(e[[2L]], whole, route), ")")))
    }
    if (name %in% names(expression_functions) && length(e) == 2L) {
      inner <- walk(e[[2L]])
      emit(expression_functions[[name]])
      return(paste0(name, "(", inner, ")"))
    }
    if (name %in% c("+", "-") && length(e) == 2L) {
      inner <- walk(e[[2L]])
      if (name == "-") emit(tape_negate)
      return(paste0(name, inner))
    }
    if (!name %in% names(expression_operators) || length(e) != 3L) refuse_expression(e, whole)
    left <- walk(e[[2L]])
    right <- walk(e[[3L]])
    emit(expression_operators[[name]])
    if (name == "^") paste0(left, "^", right) else paste(left, name, right)
  }
  text <- walk(expression)
  list(operation = operation, argument = argument, inputs = inputs, text = text)
}

expression_address <- function(expression, whole, read_only) {
  address <- parse_address(expression)
  if (!read_only && !address$kind %in% names(address_kinds)) {
    abort("restriction",
          c(text_of("is_read_only_cannot", kind = address$kind, value = whole),
            i = text_of("restrict_parameters", address_kinds = enumerate(names(address_kinds)))))
  }
  slots <- if (address$kind %in% names(readable_kinds)) readable_kinds[[address$kind]] else
    address_kinds[[address$kind]]
  one <- length(address$first) == 1L && !isTRUE(address$pattern) &&
    (slots == 1L || length(address$second) == 1L)
  if (!one) {
    abort("restriction",
          c(text_of("means_several_parameters_expression", address = format(address),
                    whole = whole),
            i = text_of("name_each_parameter_such")))
  }
  format(address)
}

refuse_expression <- function(part, whole, hint = NULL) {
  abort("restriction", c(text_of("cannot_read", expression = deparse_one(part), value = whole),
                         i = hint %||% address_hint(part) %||%
                         text_of("expression_holds_addresses_numbers",
                                 expression_operators = enumerate(c(names(expression_operators),
                                     "( )")),
                    expression_functions = enumerate(paste0(names(expression_functions), "()")))))
}

# One tape for `left - right`.
difference_tape <- function(left, right) {
  inputs <- unique(c(left$inputs, right$inputs))
  renumber <- function(tape) {
    at <- tape$operation == tape_input
    tape$argument[at] <- match(tape$inputs[tape$argument[at] + 1], inputs) - 1
    tape
  }
  left <- renumber(left)
  right <- renumber(right)
  list(operation = c(left$operation, right$operation, expression_operators[["-"]]),
       argument = c(left$argument, right$argument, 0), inputs = inputs)
}

# The capture rule, the same in every verb: a bare symbol is always a literal name; c() and `:` are
# looked into; strings are names; any other call is evaluated and must give names.

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

# Advice for names that were joined in another way or selected from a data frame.
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

# Statements in arguments that take addresses, equations or bounds follow the same rule: written-out
# statements are kept, strings are parsed, the arguments of c() are processed one by one, and any
# other call must return texts. Returns a list of expressions and strings.
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

captured_dots <- function(quosures, verb) {
  named <- names(quosures)[nzchar(names(quosures))]
  if (length(named)) {
    abort("input", c(text_of("does_not_know", verb = verb, named = named[1L]),
                     i = text_of("see_arguments_names_are", verb = verb)))
  }
  parts <- lapply(unname(quosures), capture_names, what = paste0(verb, "()"))
  list(names = unlist(lapply(parts, `[[`, "names")), hints = unlist(lapply(parts, `[[`, "hints")))
}
