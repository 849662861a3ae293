# Oversized input must be refused before the work begins, which would take from half a minute to
# several. Processor time is measured, because elapsed time depends on the load of the machine.
expect_little_work <- function(code, seconds = 10) {
  used <- system.time(code)
  testthat::expect_lt(used[["user.self"]] + used[["sys.self"]], seconds)
}

# Waits until a condition holds, at most for this many seconds, and returns whether it holds.
wait_until <- function(condition, seconds = 120) {
  end <- Sys.time() + seconds
  while (!(met <- isTRUE(condition())) && Sys.time() < end) Sys.sleep(0.1)
  met
}

# Runs a script in a separate process, sends an interrupt a moment after the script has written a
# line "ready", and returns its lines when it ends.
interrupted_run <- function(code) {
  folder <- fresh_folder()
  path <- function(name) file.path(folder, name)
  writeLines(code, path("script.R"))
  command <- paste(library_paths(), shQuote(file.path(R.home("bin"), "Rscript")),
                   shQuote(path("script.R")), ">", shQuote(path("out")), "2>/dev/null & echo $! >",
                   shQuote(path("pid")))
  system2("sh", c("-c", shQuote(command)))
  said <- function() if (file.exists(path("out"))) readLines(path("out"), warn = FALSE)
  process <- as.integer(readLines(path("pid")))
  running <- function() isTRUE(tools::pskill(process, 0L))
  wait_until(function() "ready" %in% said() || !running())
  Sys.sleep(0.5)
  tools::pskill(process, tools::SIGINT)
  wait_until(function() !running(), 60)
  tools::pskill(process, tools::SIGKILL)
  trimws(said())
}
