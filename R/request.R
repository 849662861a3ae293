# Everything that was asked for, as one value: a fit keeps it whole, and fitting again is changing
# it.

new_request <- function(blueprint, by = NULL, levels = NULL, missing_codes = NULL,
                        multiplier = "n", incomplete = "drop") {
  check_blueprint(blueprint, "fit_model")
  check_locale(unlist(blueprint_variables(blueprint), use.names = FALSE))
  if (!is.null(by)) check_string(by, "`by`")
  check_missing_codes(missing_codes)
  multiplier <- choose_one(multiplier, c("n", "n-1"), "`multiplier`")
  incomplete <- choose_one(incomplete, c("keep", "drop"), "`incomplete`")
  if (length(by) == 1L && by %in% blueprint_variables(blueprint)$observed) {
    abort("input",
          c(paste0(quoted(by), " is both the grouping column and a variable of the model: ",
                   "within a group it does not vary."),
                     i = "Leave it out of the model, or group by another column."))
  }
  structure(list(blueprint = blueprint, by = by, levels = levels, missing_codes = missing_codes,
                 multiplier = multiplier, incomplete = incomplete), class = "orizzonte_request")
}

# R itself cannot handle names that its locale does not know.
check_locale <- function(names) {
  if (isTRUE(l10n_info()[["UTF-8"]])) return(invisible())
  names <- as_utf8(names)
  lost <- names[is.na(iconv(names, "UTF-8", ""))]
  if (length(lost) == 0L) return(invisible())
  abort("input", c(paste0("This R session cannot handle the name ", quoted(lost[1L]), "."),
                   x = paste0("Its locale is ", Sys.getlocale("LC_CTYPE"),
                              ", which does not know all of these letters."),
                   i = paste0("Start R in a UTF-8 locale, such as LC_ALL=C.UTF-8, or use plain ",
                              "letters and say more with wording().")))
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
