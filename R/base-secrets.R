# Addresses of databases may contain passwords. Messages show only the scheme of an address.

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
