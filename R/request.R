# Everything that was asked for, as one value: a fit keeps it whole, and fitting again is changing
# it.

new_request <- function(blueprint, by = NULL, levels = NULL, missing_codes = NULL,
                        incomplete = "keep", auxiliary = NULL, inference = NULL, adjust = "mean",
                        clusters = NULL, weights = NULL, multiplier = "n") {
  check_blueprint(blueprint, "fit_model")
  check_locale(unlist(blueprint_variables(blueprint), use.names = FALSE))
  if (!is.null(by)) check_string(by, "`by`")
  check_missing_codes(missing_codes)
  incomplete <- choose_one(incomplete, c("keep", "drop"), "`incomplete`")
  if (!is.null(inference)) inference <- choose_one(inference, c("normal", "robust"), "`inference`")
  adjust <- choose_one(adjust, c("mean", "mean and variance"), "`adjust`")
  multiplier <- choose_one(multiplier, c("n", "n-1"), "`multiplier`")
  request <- structure(
    list(blueprint = blueprint, by = by, levels = levels, missing_codes = missing_codes,
         incomplete = incomplete, auxiliary = auxiliary, inference = inference, adjust = adjust,
         clusters = clusters, weights = weights, multiplier = multiplier),
    class = "orizzonte_request")
  check_roles(request)
  check_inference(request)
  request
}

# Standard errors and tests that do not rest on normality: asked for, or needed.
is_robust <- function(request) {
  identical(request$inference, "robust") || !is.null(request$clusters) || !is.null(request$weights)
}

# A column has one role.
check_roles <- function(request) {
  role <- c(by = "the grouping column", clusters = "the column of clusters",
            weights = "the column of weights")
  named <- unlist(request[names(role)])
  if (length(named) + length(request$auxiliary) == 0L) return(invisible())
  model <- blueprint_variables(request$blueprint)$observed
  for (what in names(named)) {
    if (named[[what]] %in% model) {
      abort("input", c(paste0(quoted(named[[what]]), " is both ", role[[what]],
                              " and a variable of the model",
                              if (what == "by") ": within a group it does not vary" else "", "."),
                       i = paste0("Leave it out of the model, or choose another column for `",
                                  what, "`.")))
    }
  }
  twice <- named[duplicated(named)]
  if (length(twice))
    abort("input", c(paste0(quoted(twice[[1L]]), " has two roles: ",
                            enumerate(role[names(named)[named == twice[[1L]]]]), "."),
                     i = "Choose another column for one of them."))
  if (length(request$auxiliary) && request$incomplete == "drop")
    abort("input", c("`auxiliary` is for cases with missing values that are kept.",
                     i = "Leave it out, or give incomplete = \"keep\"."))
  both <- intersect(request$auxiliary, c(model, named))
  if (length(both))
    abort("input", c(paste0(quoted(both[1L]), " is already used: it cannot be auxiliary as well."),
                     i = "`auxiliary` names variables outside the model."))
}

check_inference <- function(request) {
  needs <- names(Filter(Negate(is.null), unclass(request)[c("clusters", "weights")]))
  if (identical(request$inference, "normal") && length(needs)) {
    abort("input", c(paste0("`", needs[1L],
                            "` needs robust inference: normal-theory standard errors and ",
                            "tests suppose independent, equally weighted cases."),
                     i = "Leave `inference` out, or give inference = \"robust\"."))
  }
  if (!is_robust(request)) {
    if (request$adjust != "mean")
      abort("input", c("`adjust` belongs to robust inference.", i = "Add inference = \"robust\"."))
    return(invisible())
  }
  if (request$multiplier != "n")
    abort("input", c("Robust inference has multiplier \"n\".", i = "Leave `multiplier` out."))
  if (request$adjust != "mean" && length(needs)) {
    abort("input", c(paste0("adjust = \"mean and variance\" is for unweighted cases that are ",
                            "independent; `", needs[1L], "` is given."),
                     i = "Use adjust = \"mean\"."))
  }
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

# What can be asked for, and so what refit() changes.
request_parts <- names(formals(new_request))

# The request of a function that takes data: the columns it names come as quosures, by the name of
# their argument.
request_of <- function(bp, data, columns, levels, ...) {
  named <- lapply(stats::setNames(names(columns), names(columns)), function(what) {
    captured_argument(columns[[what]], what)
  })
  do.call(new_request, c(list(bp, levels = check_levels(levels, named$by, data)),
                         Filter(Negate(is.null), named), list(...)))
}

check_levels <- function(levels, by, data) {
  if (!is.null(levels) && is.null(by) && !is_summary_list(data)) {
    abort("input",
          c("`levels` needs groups.", i = "Name the grouping column with by = \"column\"."))
  }
  if (!is.null(levels) && !is.atomic(levels))
    abort("input", c("`levels` must be values of the grouping column.",
                     x = paste0("It is ", describe(levels), ".")))
  levels
}

# A request with some of it changed; NULL is a change as well.
change_request <- function(request, changes) {
  parts <- unclass(request)
  for (name in names(changes)) parts[name] <- list(changes[[name]])
  do.call(new_request, parts)
}

# Arguments of a request that name columns of the data; `auxiliary` may name several.
column_arguments <- c("by", "auxiliary", "clusters", "weights")
captured_argument <- function(quosure, name) {
  capture <- if (name == "auxiliary") captured_columns else captured_column
  capture(quosure, paste0("`", name, "`"))
}

# Column names, bare or quoted, in an argument that was captured.
captured_columns <- function(quosure, what) {
  captured <- capture_names(quosure, what)
  if (length(captured$hints)) structure(captured$names, hint = TRUE) else captured$names
}

# One such name.
captured_column <- function(quosure, what) {
  # a bare name that is also a text variable of the caller is remembered, in case there is no such
  # column
  names <- captured_columns(quosure, what)
  if (length(names) > 1L) {
    abort("input",
          c(paste0(what, " must be one column."), x = paste0("It is ", enumerate(names), "."),
            i = "Name one of them, or make a column of their combinations first."))
  }
  names
}
