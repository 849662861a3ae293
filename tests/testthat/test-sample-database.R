# Aggregate queries against the same data in memory, in each available engine.

bp <- collected_model

# A connection with the table choirs in it, and a function that closes it.
with_table <- function(connection, data, code) {
  DBI::dbWriteTable(connection, "choirs", data, overwrite = TRUE)
  code(database_table(connection, "choirs"))
}

engine_tests <- function(connection) {
  with_table(connection, far, function(table) {
    expect_same_moments(collect_summary(table, bp), far)
    expect_same_fit(table)
  })
  # names that would run something are treated as names
  hostile <- "be2\"; DROP TABLE choirs; --"
  odd <- far
  names(odd)[names(odd) == "be2"] <- hostile
  odd$setting[4] <- "x'); DROP TABLE choirs; --"
  with_table(connection, odd, function(table) {
    own <- blueprint("O") |> construct("B", reflected_in = c(be1, !!hostile, be3, be4))
    mine <- quietly(fit_model(own, collect_summary(table, own)))
    expect_lt(abs(deviance(mine) - deviance(quiet_fit(own, odd))), 1e-6)
    expect_error(collect_summary(table, own, by = setting, levels = "nobody'; DROP TABLE choirs"),
                 class = "orizzonte_error")
    quietly(collect_summary(table, own, by = setting, missing_codes = c(-9, 1e3)))
    expect_true(DBI::dbExistsTable(connection, "choirs"))
  })
  # missing codes, logical columns, no observed values, constants
  coded <- far
  coded$sc1[1:9] <- -9
  coded$years <- as.integer(coded$years)
  with_table(connection, coded, function(table) {
    expect_same_moments(collect_summary(table, bp, missing_codes = -9),
                        transform(coded, sc1 = replace(sc1, 1:9, NA)))
  })
  with_table(connection, transform(far, be1 = be1 > 1e6 + 3.5), function(table) {
    expect_same_moments(collect_summary(table, bp), transform(far, be1 = (be1 > 1e6 + 3.5) + 0))
  })
  with_table(connection, transform(far, be1 = "text"), function(table) {
    expect_error(collect_summary(table, bp), "not numeric", class = "orizzonte_error_data")
  })
  expect_error(database_table(connection, "nothing"), class = "orizzonte_error_name")
}

# Every engine needs it.
no_databases <- function() skip_if_not_installed("DBI")

test_that("SQLite, in memory and by address", {
  no_databases()
  skip_if_not_installed("RSQLite")
  file <- tempfile(fileext = ".db")
  connection <- DBI::dbConnect(RSQLite::SQLite(), file)
  engine_tests(connection)
  DBI::dbWriteTable(connection, "choirs", far, overwrite = TRUE)
  address <- paste0("sqlite:", file, "?table=choirs")
  expect_same_moments(collect_summary(address, bp), far)
  # text among numbers would be summed as zero there
  DBI::dbExecute(connection, "UPDATE choirs SET be3 = 'oops' WHERE rowid = 5")
  expect_error(collect_summary(address, bp), "oops", class = "orizzonte_error_data")
  DBI::dbDisconnect(connection)
  expect_error(collect_summary(paste0("sqlite:", tempfile(), "?table=choirs"), bp),
               class = "orizzonte_error_file")
  expect_error(collect_summary(paste0("sqlite:", file), bp), class = "orizzonte_error_address")
  expect_error(collect_summary("sqlte:x.db?table=a", bp), "sqlite",
               class = "orizzonte_error_address")
})

test_that("more columns than one query may return are summed up in several", {
  no_databases()
  skip_if_not_installed("RSQLite")
  set.seed(1)
  wide <- as.data.frame(matrix(rnorm(300 * 40), 300) + rnorm(300))
  names(wide) <- paste0("q", 1:40)
  wide$q7[1:20] <- NA
  many <- blueprint("Wide") |> construct("A", reflected_in = q1:q40)
  connection <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  DBI::dbWriteTable(connection, "wide", wide)
  mine <- quietly(fit_model(many, collect_summary(database_table(connection, "wide"), many)))
  expect_lt(abs(deviance(mine) - deviance(quiet_fit(many, wide))), 1e-6)
  DBI::dbDisconnect(connection)
})

test_that("a lazy table is summed up by its own engine", {
  skip_if_not_installed("dbplyr")
  skip_if_not_installed("dplyr")
  connection <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  DBI::dbWriteTable(connection, "choirs", far)
  lazy <- dplyr::filter(dplyr::tbl(connection, "choirs"), setting == "evening")
  expect_same_moments(collect_summary(lazy, bp), far[far$setting == "evening", ])
  DBI::dbDisconnect(connection)
})

# A server of its own in a temporary folder; as root it runs as another user.
start_server <- function() {
  programs <- Sys.glob("/usr/lib/postgresql/*/bin")
  programs <- if (length(programs)) utils::tail(programs, 1) else dirname(Sys.which("pg_ctl"))
  folder <- tempfile("server", tmpdir = "/tmp")
  dir.create(folder)
  as_user <- character()
  if (Sys.info()[["effective_user"]] == "root") {
    system2("chown", c("nobody", folder))
    as_user <- c("setpriv", "--reuid=nobody", "--clear-groups")
  }
  run <- function(...) {
    words <- c(as_user, ...)
    suppressWarnings(system2(words[1], words[-1], stdout = FALSE, stderr = FALSE))
  }
  base <- file.path(folder, "base")
  made <- run(file.path(programs, "initdb"), "-D", base, "-A", "trust", "-U", "tester")
  started <- run(file.path(programs, "pg_ctl"), "-D", base, "-w", "-o",
                 shQuote(paste0("-k ", folder, " -c listen_addresses=''")), "start")
  list(folder = folder, good = made == 0 && started == 0, stop = function() {
    run(file.path(programs, "pg_ctl"), "-D", base, "-m", "immediate", "stop")
    unlink(folder, recursive = TRUE)
  })
}

test_that("PostgreSQL, a real server, in memory and by address", {
  skip_if_not_installed("RPostgres")
  skip_if(!length(Sys.glob("/usr/lib/postgresql/*/bin/pg_ctl")) && !nzchar(Sys.which("pg_ctl")),
          "no PostgreSQL server is installed")
  server <- start_server()
  on.exit(server$stop())
  skip_if_not(server$good, "the server did not start")
  connection <- DBI::dbConnect(asNamespace("RPostgres")$Postgres(), host = server$folder,
                               dbname = "postgres",
                               user = "tester")
  engine_tests(connection)
  DBI::dbWriteTable(connection, "choirs", far, overwrite = TRUE)
  DBI::dbDisconnect(connection)
  address <- paste0("postgresql:///postgres?table=choirs&user=tester&host=", server$folder)
  mine <- collect_summary(address, bp)
  expect_same_moments(mine, far)
  expect_false(grepl("tester", mine$from))
})

test_that("an address with a password is refused and never shown", {
  secret <- "pl4nted"
  addresses <- c(paste0("postgresql://me:", secret, "@host/base?table=x"),
                 paste0("postgresql://host/base?table=x&password=", secret),
                 paste0("sqlite:x.db?table=a;pwd=", secret))
  for (address in addresses) {
    said <- tryCatch(collect_summary(address, bp), error = function(e) e)
    expect_s3_class(said, "orizzonte_error_address")
    expect_false(any(grepl(secret, c(capture.output(print(said)), conditionMessage(said)))))
    for (words in list(c("fit", "x.yaml"), c("bootstrap", "x.yaml"), c("check", "x.yaml"))) {
      found <- command(words, address)
      expect_identical(found$code, 2L)
      expect_false(grepl(secret, paste(found$out, found$err)))
    }
  }
})

test_that("addresses are data on the command line, and what is kept names no user", {
  no_databases()
  skip_if_not_installed("RSQLite")
  folder <- fresh_folder()
  file <- file.path(folder, "choirs.db")
  connection <- DBI::dbConnect(RSQLite::SQLite(), file)
  DBI::dbWriteTable(connection, "choirs", choirs)
  DBI::dbDisconnect(connection)
  address <- paste0("sqlite:", file, "?table=choirs")
  model <- extdata("choirs.yaml")
  plain <- jsonlite::fromJSON(command("fit", model, extdata("choirs.csv"), "--format", "json")$out)
  mine <- jsonlite::fromJSON(command("fit", model, address, "--format", "json")$out)
  expect_equal(mine$fit_indices$value, plain$fit_indices$value, tolerance = 1e-6)
  for (words in list("check", "diagnose", c("invariance", "--by", "setting"))) {
    found <- command(words[1], model, address, words[-1])
    expect_identical(found$code, 0L)
  }
  out <- file.path(folder, "report.html")
  expect_identical(command("report", model, address, "--out", out)$code, 0L)
  expect_identical(command("screen", address)$code, 2L)
  user <- "postgresql://someone@localhost:1/none?table=x"
  found <- command("fit", model, user)
  expect_false(grepl("someone", paste(found$out, found$err)))
})
