# Every error and warning has a class, says what is wrong, where, and what to do.

abort <- function(class, message, ..., call = NULL) {
  rlang::abort(message, class = c(paste0("orizzonte_error_", class), "orizzonte_error"), ...,
               call = call)
}

warn <- function(class, message) {
  rlang::warn(message, class = c(paste0("orizzonte_warning_", class), "orizzonte_warning"))
}

# A plain note on standard error; much cheaper than a formatted one.
say <- function(...) {
  text <- showable(paste0(..., collapse = "\n"))
  message(structure(class = c("orizzonte_message", "message", "condition"),
                    list(message = paste0(text, "\n"), call = NULL)))
}

# The candidate most like `name`, or NULL when none is close.
nearest <- function(name, candidates, most = 0.45) {
  if (length(name) != 1L || is.na(name)) return(NULL)
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
