#' Name a derived quantity
#'
#' A quantity is a smooth expression of addresses, estimated with a
#' delta-method standard error from analytic derivatives (Bollen 1989). Besides the
#' parameters it may use `standardized(address)`, `total[a, b]`,
#' `indirect[a, b]`, `correlation[a, b]`, `r_squared[b]` and `quantity[name]`
#' of an earlier quantity, joined by `+ - * / ^ ( )`, `exp()`, `log()`, `sqrt()`.
#' It is listed by [estimates()] as `quantity[name]`.
#'
#' @param .bp A blueprint.
#' @param ... `name = expression` pairs; strings are read as expressions too.
#' @return The blueprint with the quantities added. A later quantity of the same
#'   name overrides an earlier one, and says so.
#' @section Errors: `orizzonte_error_input` for a quantity without a name;
#'   `orizzonte_error_restriction` for what is not such an expression, or (when
#'   the model is laid out) mentions a parameter the model does not have.
#' @references
#' Bollen, K. A. (1989). *Structural equations with latent variables*. Wiley.
#' @seealso [effects.orizzonte_fit()], [claim()], [estimates()], which lists quantities.
#' @examples
#' bp <- blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Craft", reflected_in = cr1:cr3) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Staying ~ Belonging + Craft) |>
#'   quantity(ratio = effect[Belonging, Staying] / effect[Craft, Staying])
#' fit <- suppressMessages(fit_model(bp, choirs))
#' tail(as.data.frame(estimates(fit)), 1)
#' @export
quantity <- function(.bp, ...) {
  check_arguments("quantity", dots = TRUE)
  check_blueprint(.bp, "quantity")
  expressions <- lapply(rlang::enquos(...), rlang::quo_get_expr)
  if (length(expressions) == 0L) {
    abort("input",
          c(text_of("quantity_needs_name_expression"),
            i = text_of("such_quantity_ratio_effect")))
  }
  labels <- names(expressions)
  for (i in seq_along(expressions)) .bp <- add_quantity(.bp, labels[i], expressions[[i]])
  .bp
}

quantity_addresses <- function(text) {
  inputs <- read_expression(str2lang(text), read_only = TRUE)$inputs
  sub("^standardized\\((.*)\\)$", "\\1", inputs)
}

add_quantity <- function(bp, name, expression) {
  if (!nzchar(name)) {
    abort("input", c(text_of("quantity_has_no_name", expression = deparse_one(expression)),
                     i = text_of("write_quantity_name_expression")))
  }
  if (is.character(expression)) {
    text <- expression
    expression <- tryCatch(parsed_text(text), error = function(e) {
      if (inherits(e, "orizzonte_error")) stop(e)
      abort("restriction",
      text_of("not_expression", value = quoted(text)))
    })
  }
  text <- read_expression(expression, read_only = TRUE)$text
  if (name %in% names(bp$quantities)) {
    if (identical(bp$quantities[[name]], text))
      abort("duplicate", text_of("quantity_is_declared_twice", name = quoted(name)))
    say(text_of("overridden", verb = "quantity", earlier = name))
  }
  bp$quantities[name] <- text
  bp
}
