# Addresses of databases as they may be kept and shown.

# Without user and password, for whatever is kept or shown.
public_file <- function(x) {
  if (grepl("^[A-Za-z][A-Za-z0-9+.]+:", x)) public_address(x) else x
}

public_address <- function(address) {
  out <- sub("://[^/?]*@", "://", address)
  gsub("([?&;])(user|username|uid|password|passwd|pwd|pass|secret|token)=[^&;]*", "\\1", out,
       ignore.case = TRUE)
}

without_password <- function(text) {
  text <- gsub("://[^/ ?]*@", "://", text)
  gsub("(password|passwd|pwd|pass|secret|token)=[^&; ]*", "\\1=...", text, ignore.case = TRUE)
}
