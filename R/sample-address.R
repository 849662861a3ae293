# Addresses of tables: engine:where?table=name. Passwords have no place in them.

database_engines <- c(sqlite = "RSQLite", postgresql = "RPostgres", postgres = "RPostgres",
                      duckdb = "duckdb")

is_database_address <- function(x) {
  grepl("^[A-Za-z][A-Za-z0-9+.]+:", x) && !file.exists(x) && !grepl("^[A-Za-z]:[/\\\\]", x)
}

check_no_password <- function(address) {
  if (!any(looks_like_database(address) & holds_secret(address))) return(invisible())
  abort("address", c(text_of("address_must_hold_neither"),
                     x = text_of("is_address", address = quoted(address)),
                     i = text_of("keep_password_driver_s")))
}

open_address <- function(address) {
  check_no_password(address)
  engine <- tolower(sub(":.*", "", address))
  if (!engine %in% names(database_engines))
    abort("address", c(text_of("there_is_no_engine", engine = quoted(engine)),
                       did_you_mean(engine, names(database_engines)),
                       i = text_of("such_sqlite_file_db")))
  parts <- address_parts(address)
  if (is.null(parts$parameters$table))
    abort("address", c(text_of("address_does_not_say"),
                       i = paste0("Write ", engine, ":...?table=NAME.")))
  need_database_package("DBI")
  need_database_package(database_engines[[engine]])
  connection <- connect(engine, parts)
  tryCatch(database_table(connection, parts$parameters$table), error = function(e) {
    DBI::dbDisconnect(connection)
    stop(e)
  })
}

# where: what stands before the question mark; parameters by name.
address_parts <- function(address) {
  where <- sub("[?].*", "", sub("^[^:]*:", "", address))
  query <- if (grepl("?", address, fixed = TRUE)) sub("^[^?]*[?]", "", address) else ""
  pieces <- strsplit(query, "[&;]")[[1L]]
  names <- sub("=.*", "", pieces)
  values <- decoded_percents(sub("^[^=]*=?", "", pieces))
  list(where = where, parameters = stats::setNames(as.list(values), names))
}

connect <- function(engine, parts) {
  if (engine %in% c("sqlite", "duckdb")) {
    file <- sub("^//", "", parts$where)
    if (!file.exists(file))
      abort("file", c(text_of("there_is_no_file", file = quoted(file)),
                      i = text_of("is_path_right")))
    return(in_database(if (engine == "sqlite")
      DBI::dbConnect(RSQLite::SQLite(), file, flags = RSQLite::SQLITE_RO) else
      DBI::dbConnect(utils::getFromNamespace("duckdb", "duckdb")(), file, read_only = TRUE)))
  }
  host <- sub("^//", "", parts$where)
  base <- decoded_percents(sub("^[^/]*/?", "", host))
  host <- sub("/.*", "", host)
  port <- if (grepl(":[0-9]+$", host)) sub(".*:", "", host)
  host <- sub(":[0-9]+$", "", host)
  given <- list(dbname = base, host = parts$parameters$host %||% host,
                port = parts$parameters$port %||% port, user = parts$parameters$user)
  given <- Filter(function(x) !is.null(x) && nzchar(x), given)
  in_database(do.call(DBI::dbConnect, c(list(utils::getFromNamespace("Postgres", "RPostgres")()),
                                        given)))
}
