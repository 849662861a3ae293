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

# Progress of work in many parts.

# Seconds after which progress is reported; shorter work pays nothing for it.
progress <- new.env(parent = emptyenv())
progress$patience <- 0.5

# lapply() that tells how far it is once it has taken a while.
map_with_progress <- function(x, work, title) {
  begun <- proc.time()[["elapsed"]]
  here <- environment()
  told <- NULL
  out <- lapply(seq_along(x), function(k) {
    found <- work(x[[k]])
    if (!is.null(told)) {
      told(1L)
    } else if (proc.time()[["elapsed"]] - begun > progress$patience && k < length(x)) {
      told <<- progress_reporter(title, length(x), here)
      told(k)
    }
    found
  })
  stats::setNames(out, names(x))
}

# A function to call with the number of parts that are done since. Whoever handles progress through
# the progressr package gets it there, else there is a bar on a terminal.
progress_reporter <- function(title, parts, env = parent.frame()) {
  if (parts < 2L || display$quiet) return(function(...) invisible())
  if (handles_progress()) {
    step <- progressr::progressor(steps = parts, label = title, envir = env)
    return(function(done = 1L) step(amount = done))
  }
  bar <- cli::cli_progress_bar(title, total = parts, .envir = env)
  function(done = 1L) cli::cli_progress_update(inc = done, id = bar, .envir = env)
}

# Is a handler of progress set for all calls, or around this one?
handles_progress <- function() {
  if (!requireNamespace("progressr", quietly = TRUE)) return(FALSE)
  if (isTRUE(tryCatch(progressr::handlers(global = NA), error = function(e) FALSE))) return(TRUE)
  around <- progressr::with_progress
  any(vapply(seq_len(sys.nframe()), function(k) identical(sys.function(k), around), NA))
}

database_schemes <- c("sqlite", "postgresql", "postgres", "duckdb", "mysql", "mariadb", "mssql",
                      "sqlserver", "oracle", "odbc", "jdbc")

# An address has a scheme and two slashes, or begins with the name of a database engine, or consists
# of pairs of keys and values that include a password.
looks_like_database <- function(x) {
  known <- paste0("^[[:space:]]*(", paste(database_schemes, collapse = "|"), "):")
  pairs <- text_of("space_alnum_password_passwd")
  !is.na(x) & (grepl("[A-Za-z][A-Za-z0-9+.-]*://", x, useBytes = TRUE) |
                 grepl(paste0(known, "|", pairs), x, ignore.case = TRUE, useBytes = TRUE))
}

# Returns the scheme of an address, and any other text unchanged.
public_address <- function(x) {
  if (!is.character(x)) return(x)
  at <- looks_like_database(x)
  scheme <- regmatches(x[at], regexpr("[A-Za-z][A-Za-z0-9+.-]*(?=:)", x[at], perl = TRUE,
                                       useBytes = TRUE), invert = NA)
  x[at] <- vapply(scheme, function(parts) {
    if (length(parts) > 1L) paste0(parts[2L], ":...") else text_of("address_of_database")
  }, "")
  x
}

# Does an address contain a user before an @, or a key that looks like a password? The percent
# encoding is removed first, up to three times.
holds_secret <- function(x) {
  decoded <- x
  for (times in 1:3) decoded <- decoded_percents(decoded)
  (grepl("://", x, fixed = TRUE) & grepl("@", decoded, fixed = TRUE)) |
    grepl("(pass|pwd|secret|token)[[:alnum:]_-]*[[:space:]]*=", decoded, ignore.case = TRUE)
}

decoded_percents <- function(x) {
  vapply(x, function(one) {
    bytes <- gsub("%(?![0-9A-Fa-f]{2})", "", one, perl = TRUE)
    as_utf8(tryCatch(utils::URLdecode(bytes), error = function(e) one, warning = function(w) one))
  }, "", USE.NAMES = FALSE)
}

# Removes addresses and passwords from the messages of database drivers.
without_addresses <- function(text) {
  text <- gsub("[A-Za-z][A-Za-z0-9+.-]*://[^[:space:]]*", "...", text)
  gsub(paste0("[[:alnum:]_-]*(pass|pwd|secret|token)[[:alnum:]_-]*[[:space:]]*=[[:space:]]*",
              "[^&;[:space:]]*"),
       "...", text, ignore.case = TRUE)
}
