#' Fix parameters, or make them equal
#'
#' `loading[Calm, sc4] == 0.8` fixes a parameter; `loading[Calm, sc1] ==
#' loading[Calm, sc2]` makes two equal. A slice on the left (`loading[Calm, ]`,
#' `variance[sc1:sc4]`, `variance[items]`) applies the statement to each
#' parameter in it. Fixing a covariance that is not in the model adds it as a
#' fixed value. A later statement about the same address overrides an earlier
#' one, and says so.
#'
#' @param .bp A blueprint.
#' @param ... Statements, as above; strings are read as statements too.
#' @return The blueprint with the restrictions added.
#' @section Errors: `orizzonte_error_restriction` for anything but
#'   `address == number` or `address == address`; contradictions are reported
#'   when the model is laid out.
#' @examples
#' blueprint("Stage calm") |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   restrict(loading[Calm, sc2] == loading[Calm, sc3], variance[sc4] == 25)
#' @export
restrict <- function(.bp, ...) {
  check_blueprint(.bp, "restrict")
  statements <- lapply(rlang::enquos(...), rlang::quo_get_expr)
  if (length(statements) == 0L) abort("input", c("restrict() needs a statement.", i = "Such as restrict(loading[Calm, sc4] == 1)."))
  for (statement in unname(statements)) .bp <- add_restriction(.bp, statement)
  .bp
}

add_restriction <- function(bp, statement) {
  if (is.character(statement)) {
    text <- statement
    statement <- tryCatch(str2lang(text), error = function(e) NULL)
    if (is.null(statement)) abort("restriction", paste0("Not a restriction: ", quoted(text), "."))
  }
  new <- parse_restriction(statement)
  key <- format_restriction(new)
  known <- vapply(bp$restrict, format_restriction, "")
  if (key %in% known) abort("duplicate", paste0("The same restriction is declared twice: ", key, "."))
  if (new$left %in% bp$relax) {
    say("Overridden by a later restrict(): ", new$left, " is no longer relaxed.")
    bp$relax <- setdiff(bp$relax, new$left)
  }
  if (is.numeric(new$right)) {
    older <- vapply(bp$restrict, function(r) r$left == new$left && is.numeric(r$right), NA)
    if (any(older)) {
      say("Overridden by a later restrict(): ", known[older], " is now ", key, ".")
      bp$restrict <- bp$restrict[!older]
    }
  }
  bp$restrict <- c(bp$restrict, list(new))
  bp
}

parse_restriction <- function(statement) {
  text <- deparse_one(statement)
  if (!is.call(statement) || !identical(statement[[1L]], quote(`==`))) {
    abort("restriction", c(paste0("Not a restriction: ", text, "."),
                           i = "Write address == number or address == address, such as loading[Calm, sc4] == 1."))
  }
  left <- statement[[2L]]
  right <- statement[[3L]]
  if (!is.null(plain_number(left))) {
    swap <- left
    left <- right
    right <- swap
  }
  number <- plain_number(right)
  target <- restriction_address(left, text)
  if (!is.null(number)) return(list(left = target, right = number))
  list(left = target, right = restriction_address(right, text))
}

restriction_address <- function(expression, text) {
  address <- parse_address(expression)
  if (!address$head %in% names(address_heads)) {
    abort("restriction", c(paste0("`", address$head, "` is read only and cannot be restricted: ", text, "."),
                           i = paste0("Restrict parameters: ", enumerate(names(address_heads)), ".")))
  }
  format(address)
}

# A number written out, with a sign or not; nothing is evaluated.
plain_number <- function(expression) {
  sign <- 1
  while (is.call(expression) && length(expression) == 2L && as.character(expression[[1L]])[1L] %in% c("-", "+")) {
    if (identical(expression[[1L]], quote(`-`))) sign <- -sign
    expression <- expression[[2L]]
  }
  if (is.numeric(expression) && length(expression) == 1L && is.finite(expression)) sign * as.numeric(expression) else NULL
}

format_restriction <- function(restriction) {
  right <- if (is.numeric(restriction$right)) format_exact(restriction$right) else restriction$right
  paste(restriction$left, "==", right)
}

# The shortest text that reads back as the same number.
format_exact <- function(x) {
  vapply(x, function(value) {
    for (digits in c(15L, 16L, 17L)) {
      text <- formatC(value, digits = digits, format = "g", width = 1L)
      if (as.numeric(text) == value) return(text)
    }
    text
  }, "")
}
