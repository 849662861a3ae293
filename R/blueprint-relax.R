#' Free what is fixed, equated or bounded
#'
#' Undoes every earlier [restrict()] that mentions the address, a value given in
#' [construct()], or a default: `relax(mean[Slope])` frees the mean of a
#' construct, and relaxing a marker's loading moves the marker to the next item.
#' Relaxing a covariance adds it to the model.
#'
#' @param .bp A blueprint.
#' @param ... Addresses.
#' @return The blueprint with those parameters free.
#' @section Errors: `orizzonte_error_address` for anything but an address.
#' @seealso [restrict()], [hold_equal()].
#' @examples
#' blueprint("Growth") |>
#'   construct("Level", reflected_in = c(w1 = 1, w2 = 1, w3 = 1, w4 = 1)) |>
#'   construct("Slope", reflected_in = c(w1 = 0, w2 = 1, w3 = 2, w4 = 3)) |>
#'   restrict(intercept[w1:w4] == 0) |>
#'   relax(mean[Level], mean[Slope])
#' @export
relax <- function(.bp, ...) {
  check_arguments("relax", dots = TRUE)
  check_blueprint(.bp, "relax")
  addresses <- captured_statements(rlang::enquos(...), "relax()")
  if (length(addresses) == 0L)
    abort("input", c(text_of("relax_needs_address"), i = text_of("such_relax_mean_slope")))
  for (address in unname(addresses)) .bp <- add_relaxed(.bp, address)
  .bp
}

add_relaxed <- function(bp, expression) {
  address <- restriction_address(expression, deparse_one(expression))
  if (address %in% bp$relax) abort("duplicate", text_of("is_relaxed_twice", address = address))
  older <- vapply(bp$restrict, function(r) address %in% restriction_addresses(r), NA)
  if (any(older)) {
    say(text_of("overridden", verb = "relax",
                earlier = enumerate(vapply(bp$restrict[older], format_restriction, ""))))
    bp$restrict <- bp$restrict[!older]
    # undoing a restriction of a free parameter is all there is to do
    if (!needs_relaxing(bp, parse_address(address))) return(bp)
  }
  bp$relax <- c(bp$relax, address)
  bp
}

# Fixed by default or by construct(): means of constructs, and values in c(w1 = 0).
needs_relaxing <- function(bp, address) {
  if (address$kind == "mean") return(TRUE)
  address$kind %in% c("loading", "weight") &&
    any(vapply(bp$constructs, function(x) any(names(x$fixed) %in% c(address$first, address$second)),
               NA))
}
