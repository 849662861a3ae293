# Everything that was asked for, as one value: a fit keeps it whole, and fitting again is changing
# it.

new_request <- function(blueprint, by = NULL, levels = NULL, missing_codes = NULL,
                        multiplier = "n") {
  check_blueprint(blueprint, "fit_model")
  if (!is.null(by)) check_string(by, "`by`")
  check_missing_codes(missing_codes)
  multiplier <- choose_one(multiplier, c("n", "n-1"), "`multiplier`")
  if (length(by) == 1L && by %in% blueprint_variables(blueprint)$observed) {
    abort("input",
          c(paste0(quoted(by), " is both the grouping column and a variable of the model: ",
                   "within a group it does not vary."),
                     i = "Leave it out of the model, or group by another column."))
  }
  structure(list(blueprint = blueprint, by = by, levels = levels, missing_codes = missing_codes,
                 multiplier = multiplier), class = "orizzonte_request")
}

# A request with some of it changed; NULL is a change as well.
change_request <- function(request, changes) {
  parts <- unclass(request)
  for (name in names(changes)) parts[name] <- list(changes[[name]])
  do.call(new_request, parts)
}

# A column name, bare or quoted, in an argument that was captured.
captured_column <- function(quosure, what) {
  captured <- capture_names(quosure, what)
  if (length(captured$names) > 1L) {
    abort("input",
          c(paste0(what, " must be one column."),
            x = paste0("It is ", enumerate(captured$names), ".")))
  }
  # a bare name that is also a text variable of the caller: remembered, in case there is no such
  # column
  if (length(captured$hints)) structure(captured$names, hint = TRUE) else captured$names
}

check_missing_codes <- function(codes) {
  if (is.null(codes) || (is.numeric(codes) && !anyNA(codes))) return(invisible())
  abort("input", c("`missing_codes` must be numbers.", i = "Such as missing_codes = c(-9, 999)."))
}
