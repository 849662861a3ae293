# Every error and warning has a class, says what is wrong, where, and what to do.

abort <- function(class, message, ..., call = NULL) {
  rlang::abort(visible_controls(message), class = c(paste0("orizzonte_error_", class),
                                                    "orizzonte_error"), ...,
               call = call)
}

warn <- function(class, message) {
  rlang::warn(visible_controls(message), class = c(paste0("orizzonte_warning_", class),
                                                   "orizzonte_warning"))
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
  name <- as_utf8(name)
  candidates <- as_utf8(unique(candidates[!is.na(candidates)]))
  if (length(candidates) == 0) return(NULL)
  distance <- utils::adist(tolower(name), tolower(candidates))[1, ]
  # letters in another order are one slip of the fingers
  distance[sorted_letters(name) == sorted_letters(candidates)] <- 1
  best <- which.min(distance)
  # of three letters one may be wrong: two alike would not make sc1 of be1
  allowed <- if (nchar(name) <= 3L) 1 else ceiling(most * nchar(name))
  if (distance[best] <= allowed) candidates[best] else NULL
}

sorted_letters <- function(x) {
  vapply(strsplit(tolower(x), ""), function(letters) paste(sort(letters), collapse = ""), "")
}

did_you_mean <- function(name, candidates) {
  near <- nearest(name, candidates)
  if (is.null(near)) NULL else c(i = text_of("did_you_mean", near = quoted(near)))
}

# Whatever is echoed: what looks like an address of a database shows its scheme only.
quoted <- function(x) paste0("\"", public_address(x), "\"")

# "a, b and c", at most `most` of them
enumerate <- function(x, most = 8L, last = " and ") {
  n <- length(x)
  if (n > most) return(text_of("and_more", seq_len = paste(x[seq_len(most)], collapse = ", "),
                               value = n - most))
  if (n <= 1L) return(paste(x))
  paste0(paste(x[-n], collapse = ", "), last, x[n])
}

count_of <- function(n, one, many = paste0(one, "s")) paste(n, if (n == 1) one else many)
