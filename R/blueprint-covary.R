#' Let variables covary, or hold them uncorrelated
#'
#' `covary()` frees and `uncorrelate()` zeroes all covariances among the
#' variables named. Between variables that something points at, the covariance
#' is that of their residuals or disturbances. A later statement overrides an
#' earlier one, and says so.
#'
#' @param .bp A blueprint.
#' @param ... Two or more names of constructs or observed variables.
#' @return The blueprint with the statement added.
#' @section Errors: `orizzonte_error_input` for fewer than two names;
#'   `orizzonte_error_duplicate` when a pair is stated twice.
#' @seealso [uncorrelate()] and [restrict()] to fix covariances, [amendments()] for which matter.
#' @examples
#' blueprint("Why singers stay") |>
#'   construct("Belonging", reflected_in = be1:be4) |>
#'   construct("Calm", reflected_in = sc1:sc4) |>
#'   covary(be1, be2) |>
#'   uncorrelate(Belonging, Calm)
#' @export
covary <- function(.bp, ...) {
  check_arguments("covary", dots = TRUE)
  check_blueprint(.bp, "covary")
  captured <- captured_dots(rlang::enquos(...), "covary")
  add_hints(add_pairs(.bp, captured$names, "covary"), captured$hints)
}

#' @rdname covary
#' @export
uncorrelate <- function(.bp, ...) {
  check_arguments("uncorrelate", dots = TRUE)
  check_blueprint(.bp, "uncorrelate")
  captured <- captured_dots(rlang::enquos(...), "uncorrelate")
  add_hints(add_pairs(.bp, captured$names, "uncorrelate"), captured$hints)
}

captured_dots <- function(quosures, verb) {
  named <- names(quosures)[nzchar(names(quosures))]
  if (length(named)) {
    abort("input", c(text_of("does_not_know", verb = verb, named = named[1L]),
                     i = text_of("see_arguments_names_are", verb = verb)))
  }
  parts <- lapply(unname(quosures), capture_names, what = paste0(verb, "()"))
  list(names = unlist(lapply(parts, `[[`, "names")), hints = unlist(lapply(parts, `[[`, "hints")))
}

most_paired <- 300L
add_pairs <- function(bp, names, verb) {
  if (anyDuplicated(names)) {
    abort("duplicate",
          text_of("is_named_twice", duplicated = quoted(names[duplicated(names)][1L]), verb = verb))
  }
  if (length(names) < 2L) {
    abort("input",
          c(text_of("needs_least_two_names", verb = verb),
            i = text_of("such_be1_be2", verb = verb)))
  }
  if (length(names) > most_paired)
    abort("size", text_of("names_most_are_paired", verb = verb, value = format_count(length(names)),
                          most_paired = most_paired))
  pairs <- utils::combn(names, 2L)
  key <- pair_key(pairs[1L, ], pairs[2L, ])
  if (any(key %in% pair_key(bp[[verb]]$first, bp[[verb]]$second))) {
    twice <- which(key %in% pair_key(bp[[verb]]$first, bp[[verb]]$second))[1L]
    abort("duplicate",
          text_of("same_relation_is_declared_twice",
                  twice = address_format("covariance", pairs[1L, twice], pairs[2L, twice]),
                  verb = verb))
  }
  other <- if (verb == "covary") "uncorrelate" else "covary"
  clash <- pair_key(bp[[other]]$first, bp[[other]]$second) %in% key
  if (any(clash)) {
    earlier <- address_format("covariance", bp[[other]]$first[clash], bp[[other]]$second[clash])
    say(text_of("overridden_of", verb = verb, other = other, pairs = enumerate(earlier)))
    bp[[other]] <- lapply(bp[[other]], function(x) x[!clash])
  }
  bp[[verb]]$first <- c(bp[[verb]]$first, pairs[1L, ])
  bp[[verb]]$second <- c(bp[[verb]]$second, pairs[2L, ])
  bp
}
