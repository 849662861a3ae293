# Smooth expressions of addresses: read over a whitelist of operators, never evaluated as R code.

# codes of the core's tape
expression_operators <- c("+" = 2L, "-" = 3L, "*" = 4L, "/" = 5L, "^" = 6L)
expression_functions <- c(exp = 8L, log = 9L, sqrt = 10L)
tape_constant <- 0L
tape_input <- 1L
tape_negate <- 7L

# A tape in postfix order: `operation`, `argument` (a number, or the zero-based index of an input),
# `inputs` (texts of addresses, canonical) and `text`, the expression as we print it. `read_only`
# allows what can be read but not set: total[], indirect[], correlation[], r_squared[], quantity[]
# and standardized(address).
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
