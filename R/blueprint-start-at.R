#' Choose a starting value
#'
#' Starting values are closed-form estimates from the data; a value given here
#' replaces one of them. It is in the units of the model's own scale setting.
#'
#' @param .bp A blueprint.
#' @param address One address.
#' @param value A number.
#' @param ... Must be empty: an argument by another name is an error.
#' @return The blueprint with the starting value.
#' @section Errors: `orizzonte_error_input` when the value is no number;
#'   `orizzonte_error_restriction` at fitting when the parameter is fixed or
#'   not in the model.
#' @seealso [rescue()], which tries other starts by itself.
#' @examples
#' blueprint("Calm") |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   start_at(loading[Calm, sc4], 0.8)
#' @export
start_at <- function(.bp, address, value, ...) {
  check_arguments("start_at", optional = "value")
  check_blueprint(.bp, "start_at")
  if (missing(address) || missing(value)) {
    abort("input",
          c(text_of("start_needs_address_number"),
            i = text_of("such_start_loading_calm")))
  }
  add_start(.bp, rlang::quo_get_expr(rlang::enquo(address)), value)
}

add_start <- function(bp, expression, value) {
  address <- restriction_address(expression, deparse_one(expression))
  if (!is.numeric(value) || length(value) != 1L || !is.finite(value)) {
    abort("input", c(text_of("starting_value_must_be", address = address),
                     x = text_of("it_is_of_kind", value = describe(value))))
  }
  if (address %in% names(bp$start_at)) say(text_of("overridden", verb = "start_at",
                                                   earlier = address))
  bp$start_at[address] <- as.numeric(value)
  bp
}
