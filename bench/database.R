# One and ten million rows x 12 items with missing values, aggregated in the database: time, memory,
# agreement. Usage: Rscript bench/database.R [largest number of rows]
suppressPackageStartupMessages(library(orizzonte))
`%||%` <- function(a, b) if (is.null(a)) b else a
given <- suppressWarnings(as.numeric(commandArgs(TRUE)))
most <- if (length(given)) given[1] else 1e7
quietly <- function(code) suppressWarnings(suppressMessages(code))
bp <- blueprint("Twelve") |> construct("A", reflected_in = a1:a4) |>
  construct("B", reflected_in = b1:b4) |> construct("C", reflected_in = c1:c4)
truth <- c("loading[ , ]" = .7, "covariance[A, B]" = .3, "covariance[A, C]" = .3,
           "covariance[B, C]" = .3)
seconds <- function(code) system.time(code)[["elapsed"]]
rows <- list()
add <- function(source, n, time, fitting, gap, peak = NA) {
  rows[[length(rows) + 1L]] <<- data.frame(source = source, rows = n, seconds = round(time, 1),
                                           per_million = round(1e6 * time / n, 2),
                                           fit_ms = round(1000 * fitting, 1), chisq_gap = gap,
                                           peak_mb = peak)
}
# Collected in a separate process: seconds, its memory beyond the loaded package (high-water mark),
# and the moments.
collected <- function(address) {
  out <- tempfile(fileext = ".rds")
  code <- paste0(
    "suppressPackageStartupMessages(library(orizzonte)); mark <- function() as.numeric(gsub(",
    "'[^0-9]', '', grep('^VmHWM', readLines('/proc/self/status'), value = TRUE))) / 1024; ",
    "bp <- readRDS('", blueprint_file, "'); before <- mark(); time <- system.time(m <- ",
    "collect_summary('", address, "', bp))[['elapsed']]; saveRDS(list(time = time, peak = round(",
    "mark() - before), moments = m), '", out, "')")
  system2(file.path(R.home("bin"), "Rscript"), c("--no-init-file", "-e", shQuote(code)))
  readRDS(out)
}
blueprint_file <- tempfile(fileext = ".rds")
saveRDS(bp, blueprint_file)
part <- 250000
made <- function(k) {
  simulate(bp, 1, seed = k, n = part, truth = truth, missing = c(a1 = .05, b2 = .05, c3 = .05))[[1]]
}
folder <- tempfile()
dir.create(folder)
for (n in c(1e6, 1e7)) {
  if (n > most) next
  csv <- file.path(folder, paste0("rows-", n, ".csv"))
  base <- file.path(folder, paste0("rows-", n, ".db"))
  connection <- DBI::dbConnect(RSQLite::SQLite(), base)
  total <- NULL
  for (k in seq_len(n / part)) {
    data <- made(k)
    data.table::fwrite(data, csv, append = k > 1, na = "NA")
    DBI::dbWriteTable(connection, "cases", data, append = k > 1)
  }
  rm(data)
  gc(FALSE)
  reference <- NULL
  DBI::dbDisconnect(connection)
  sources <- list(`CSV file` = csv, SQLite = paste0("sqlite:", base, "?table=cases"))
  if (requireNamespace("nanoparquet", quietly = TRUE) && n <= 1e6) {
    file <- file.path(folder, "rows.parquet")
    nanoparquet::write_parquet(data.table::fread(csv), file)
    sources[["Parquet file"]] <- file
  }
  for (name in names(sources)) {
    found <- collected(sources[[name]])
    fitting <- seconds(fit <- quietly(fit_model(bp, found$moments)))
    reference <- reference %||% deviance(fit)
    add(name, n, found$time, fitting, signif(deviance(fit) - reference, 2), found$peak)
  }
  if (n <= 1e6) {
    data <- as.data.frame(data.table::fread(csv))
    fitting <- seconds(fit <- quietly(fit_model(bp, data)))
    add("in memory (reading not counted)", n, NA, fitting, signif(deviance(fit) - reference, 2))
    rm(data)
  }
  if (requireNamespace("duckdb", quietly = TRUE)) {
    other <- DBI::dbConnect(duckdb::duckdb(), file.path(folder, "x.duckdb"))
    DBI::dbExecute(other, paste0("CREATE OR REPLACE TABLE cases AS SELECT * FROM read_csv_auto('",
                                 csv,
                                 "', nullstr = 'NA')"))
    time <- seconds(moments <- collect_summary(database_table(other, "cases"), bp))
    fitting <- seconds(fit <- quietly(fit_model(bp, moments)))
    add("DuckDB", n, time, fitting, signif(deviance(fit) - reference, 2))
    DBI::dbDisconnect(other, shutdown = TRUE)
  }
  unlink(c(csv, base))
}
unlink(folder, recursive = TRUE)
options(width = 140)
print(do.call(rbind, rows), row.names = FALSE)
