# Every error and warning has a class, says what is wrong, where, and what to do.

abort <- function(class, message, ..., call = NULL) {
  rlang::abort(message, class = c(paste0("orizzonte_error_", class), "orizzonte_error"), ..., call = call)
}

warn <- function(class, message) {
  rlang::warn(message, class = c(paste0("orizzonte_warning_", class), "orizzonte_warning"))
}

# A plain note on standard error; much cheaper than a formatted one.
say <- function(...) {
  text <- paste0(..., collapse = "\n")
  message(structure(class = c("orizzonte_message", "message", "condition"),
                    list(message = paste0(text, "\n"), call = NULL)))
}

# The candidate most like `name`, or NULL when none is close.
nearest <- function(name, candidates, most = 0.45) {
  candidates <- unique(candidates[!is.na(candidates)])
  if (length(candidates) == 0) return(NULL)
  distance <- utils::adist(tolower(name), tolower(candidates))[1, ]
  best <- which.min(distance)
  if (distance[best] <= max(1, ceiling(most * nchar(name)))) candidates[best] else NULL
}

did_you_mean <- function(name, candidates) {
  near <- nearest(name, candidates)
  if (is.null(near)) NULL else c(i = paste0("Did you mean ", quoted(near), "?"))
}

quoted <- function(x) paste0("\"", x, "\"")

# "a, b and c", at most `most` of them
enumerate <- function(x, most = 8L, last = " and ") {
  n <- length(x)
  if (n > most) return(paste0(paste(x[seq_len(most)], collapse = ", "), " and ", n - most, " more"))
  if (n <= 1L) return(paste(x))
  paste0(paste(x[-n], collapse = ", "), last, x[n])
}

count_of <- function(n, one, many = paste0(one, "s")) paste(n, if (n == 1) one else many)

check_string <- function(x, what) {
  if (!is.character(x) || length(x) != 1L || is.na(x) || !nzchar(x)) {
    abort("input", c(paste0(what, " must be one piece of text."),
                     i = paste0("Write it in quotes, such as ", quoted("Belonging"), ".")))
  }
  x
}

check_blueprint <- function(x, verb) {
  if (inherits(x, "orizzonte_blueprint")) return(invisible(x))
  abort("input", c(paste0("The first argument of ", verb, "() must be a blueprint."),
                   x = paste0("It is ", describe(x), "."),
                   i = "Start with blueprint(\"a title\") and pipe it on: blueprint(\"...\") |> construct(...)."))
}

check_fit <- function(x, reader) {
  if (inherits(x, "orizzonte_fit")) return(invisible(x))
  abort("input", c(paste0(reader, "() reads a fitted model."),
                   x = paste0("It was given ", describe(x), "."),
                   i = "Fit one first: fit <- fit_model(blueprint, data)."))
}

describe <- function(x) {
  if (is.null(x)) return("NULL")
  if (inherits(x, "orizzonte_blueprint")) return("a blueprint")
  if (inherits(x, "orizzonte_fit")) return("a fitted model")
  if (is.data.frame(x)) return("a data frame")
  if (is.matrix(x)) return(paste("a", typeof(x), "matrix"))
  if (is.function(x)) return("a function")
  if (is.atomic(x) && length(x) == 1L) return(paste0("the ", if (is.character(x)) "text " else "value ", format(x)))
  paste0("an object of class ", class(x)[1L])
}

check_dots_empty <- function(..., .verb) {
  if (...length() == 0L) return(invisible())
  given <- names(list(...))
  given <- if (is.null(given)) "an unnamed argument" else paste0("`", given[nzchar(given)], "`", collapse = ", ")
  abort("input", c(paste0(.verb, "() does not know ", given, "."), i = paste0("See ?", .verb, " for its arguments.")))
}

choose_one <- function(value, choices, what) {
  if (identical(value, choices)) return(choices[1L])
  if (is.character(value) && length(value) == 1L && value %in% choices) return(value)
  abort("input", c(paste0(what, " must be ", enumerate(quoted(choices), last = " or "), "."),
                   x = paste0("It is ", describe(value), "."),
                   if (is.character(value) && length(value) == 1L) did_you_mean(value, choices)))
}
