# Addresses of databases, which may hold passwords: nothing of one but its scheme is ever shown.

database_schemes <- c("sqlite", "postgresql", "postgres", "duckdb", "mysql", "mariadb", "mssql",
                      "sqlserver", "oracle", "odbc", "jdbc")

# With a scheme and two slashes, with one that names an engine of databases, or pairs of keys and
# values of which one is a password.
looks_like_database <- function(x) {
  known <- paste0("^[[:space:]]*(", paste(database_schemes, collapse = "|"), "):")
  pairs <- "(^|[[:space:];&?])[[:alnum:]_]*(password|passwd|pwd)[[:space:]]*="
  !is.na(x) & (grepl("[A-Za-z][A-Za-z0-9+.-]*://", x, useBytes = TRUE) |
                 grepl(paste0(known, "|", pairs), x, ignore.case = TRUE, useBytes = TRUE))
}

# The scheme of what looks like an address of a database, else the text itself.
public_address <- function(x) {
  if (!is.character(x)) return(x)
  at <- looks_like_database(x)
  scheme <- regmatches(x[at], regexpr("[A-Za-z][A-Za-z0-9+.-]*(?=:)", x[at], perl = TRUE,
                                       useBytes = TRUE), invert = NA)
  x[at] <- vapply(scheme, function(parts) {
    if (length(parts) > 1L) paste0(parts[2L], ":...") else "(an address of a database)"
  }, "")
  x
}

# Somebody before an @, or a key with a name like a password, however it is encoded.
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

# What a driver says, without any address in it.
without_addresses <- function(text) {
  text <- gsub("[A-Za-z][A-Za-z0-9+.-]*://[^[:space:]]*", "...", text)
  gsub(paste0("[[:alnum:]_-]*(pass|pwd|secret|token)[[:alnum:]_-]*[[:space:]]*=[[:space:]]*",
              "[^&;[:space:]]*"),
       "...", text, ignore.case = TRUE)
}
