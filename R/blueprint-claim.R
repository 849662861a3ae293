#' State a hypothesis
#'
#' A claim is an expectation written down before the results are seen: a direction
#' (`effect[a, b] > 0`), no relation (`effect[a, b] == 0`), some relation (`!= 0`) or an order
#' (`effect[a, c] > effect[b, c]`), of parameters, standardized values or quantities. [verdicts()]
#' judges them once the model is fitted. Claims change nothing in the model.
#'
#' @param .bp A blueprint.
#' @param ... `name = statement` pairs; strings are read as statements too. Either side is an
#'   expression as in [quantity()].
#' @return The blueprint with the claims added. A later claim of the same name replaces an earlier
#'   one, with a message.
#' @section Errors: `orizzonte_error_input` for a claim without a name;
#'   `orizzonte_error_restriction` for any other statement.
#' @seealso [verdicts()] judges claims, [quantity()] derives values.
#' @examples
#' bp <- blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Craft", reflected_in = cr1:cr3) |>
#'   construct("Staying", reflected_in = st1:st3) |>
#'   effect(Staying ~ Belonging + Craft + age) |>
#'   claim(H1 = effect[Belonging, Staying] > 0,
#'         H2 = standardized(effect[Belonging, Staying]) > standardized(effect[Craft, Staying]),
#'         H3 = effect[age, Staying] == 0)
#' verdicts(suppressMessages(fit_model(bp, choirs)))
#' @export
claim <- function(.bp, ...) {
  check_arguments("claim", dots = TRUE)
  check_blueprint(.bp, "claim")
  statements <- lapply(rlang::enquos(...), rlang::quo_get_expr)
  if (length(statements) == 0L)
    abort("input",
          c(text_of("claim_needs_name_statement"), i = text_of("such_claim_h1_effect")))
  labels <- names(statements)
  for (i in seq_along(statements)) .bp <- add_claim(.bp, labels[i], statements[[i]])
  .bp
}

claim_relations <- c(">", "<", "==", "!=")

add_claim <- function(bp, name, statement) {
  if (!nzchar(name))
    abort("input", c(text_of("claim_has_no_name", statement = deparse_one(statement)),
                     i = text_of("write_claim_h1_statement")))
  if (is.character(statement)) {
    text <- statement
    statement <- parsed_text(text, function(condition) {
      abort("restriction", text_of("not_claim", value = quoted(text)))
    })
  }
  parsed <- parse_claim(statement)
  text <- paste(parsed$left$text, parsed$relation, parsed$right$text)
  if (name %in% names(bp$claims)) {
    if (identical(bp$claims[[name]], text))
      abort("duplicate", text_of("claim_is_declared_twice", name = quoted(name)))
    say(text_of("overridden", verb = "claim", earlier = name))
  }
  bp$claims[name] <- text
  bp
}

# Both sides as expressions that can be read, and the relation between them.
parse_claim <- function(statement) {
  text <- deparse_one(statement)
  relation <- if (is.call(statement) && is.symbol(statement[[1L]]))
    as.character(statement[[1L]]) else ""
  if (!relation %in% claim_relations || length(statement) != 3L) {
    hint <- if (relation %in% c(">=", "<="))
      text_of("use_direction", relation = substr(relation, 1L, 1L))
    abort("restriction", c(text_of("not_claim", value = text),
                           i = hint %||%
                           text_of("write_one_such_effect",
                                   claim_relations = enumerate(claim_relations, last = " or "))))
  }
  sides <- lapply(as.list(statement)[-1L], read_expression, read_only = TRUE)
  if (length(sides[[1L]]$inputs) + length(sides[[2L]]$inputs) == 0L) {
    abort("restriction",
          c(text_of("no_address", value = text), i = text_of("such_effect_belonging_staying")))
  }
  list(left = sides[[1L]], right = sides[[2L]], relation = relation,
       sides = as.list(statement)[-1L])
}

read_claims <- new.env(parent = emptyenv())
claim_addresses <- function(text) {
  read_once(text, read_claims, function(text) {
    parsed <- parse_claim(str2lang(text))
    sub("^standardized\\((.*)\\)$", "\\1", unique(c(parsed$left$inputs, parsed$right$inputs)))
  })
}

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
#'   name replaces an earlier one, with a message.
#' @section Errors: `orizzonte_error_input` for a quantity without a name;
#'   `orizzonte_error_restriction` for any other expression, or (when
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
    expression <- parsed_text(text, function(condition) {
      abort("restriction", text_of("not_expression", value = quoted(text)))
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
