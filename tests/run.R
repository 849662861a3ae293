# All tests: the core on its own (C++), then the package through its public interface. Ends with one
# line of counts.
suppressPackageStartupMessages({
  library(testthat)
  library(orizzonte)
})
Sys.setenv(NOT_CRAN = "true")      # snapshots are compared
root <- normalizePath(if (dir.exists("tests/testthat")) "." else "..")

# The core does not depend on R, and neither does its test program.
core_tests <- function() {
  checked <- nzchar(Sys.getenv("ORIZZONTE_SANITIZE"))
  build <- file.path(root, ".build", if (checked) "core-sanitized" else "core-tests")
  dir.create(build, showWarnings = FALSE, recursive = TRUE)
  # the test program itself takes longest and comes first
  sources <- list.files(file.path(root, c("tests", "src"), "core"), "[.]cpp$", full.names = TRUE,
                        recursive = TRUE)
  sources <- sources[order(-file.size(sources))]
  headers <- list.files(file.path(root, "src", "core"), "[.]hpp$", full.names = TRUE,
                        recursive = TRUE)
  program <- file.path(build, "run")
  config <- function(name) {
    system2(file.path(R.home("bin"), "R"), c("CMD", "config", name), stdout = TRUE)
  }
  compiler <- config("CXX17")
  # linear algebra that comes with R
  libraries <- paste(vapply(c("LAPACK_LIBS", "BLAS_LIBS", "FLIBS"), config, ""), collapse = " ")
  folders <- c(system.file("include", package = "RcppEigen"), file.path(root, "src", "core"),
               system.file("include", package = "testthat"))
  flags <- paste(c("-std=c++17 -O1 -DEIGEN_RUNTIME_NO_MALLOC -Wno-ignored-attributes",
                   if (checked) "-g -fsanitize=address,undefined -fno-sanitize-recover=all",
                   paste0("-I", shQuote(folders))), collapse = " ")
  # headers that all files include are parsed once
  common <- file.path(build, "common.hpp")
  if (!file.exists(common)) writeLines("#include \"model.hpp\"", common)
  parsed <- paste0(common, ".gch")
  rules <- vapply(sources, function(file) {
    object <- file.path(build, sub("[.]cpp$", ".o", basename(file)))
    paste0(object, ": ", paste(c(file, headers, parsed), collapse = " "), "\n\t", compiler, " ",
           flags, " -include ", common, " -c ", file, " -o ", object, "\n")
  }, "")
  rules <- c(paste0(parsed, ": ", paste(c(common, headers), collapse = " "), "\n\t", compiler, " ",
                    flags, " -x c++-header ", common, " -o ", parsed, "\n"), rules)
  objects <- file.path(build, sub("[.]cpp$", ".o", basename(sources)))
  writeLines(c(paste0(program, ": ", paste(objects, collapse = " "), "\n\t", compiler,
                      if (checked) " -fsanitize=address,undefined", " -o ",
                      program, " ", paste(objects, collapse = " "), " ", libraries, "\n"), rules),
             file.path(build, "Makefile"))
  made <- system2("make", c("-s", "-j2", "-f", file.path(build, "Makefile"), program))
  if (made != 0) return(c(passed = 0L, failed = 1L))
  output <- suppressWarnings(system2(program, stdout = TRUE))
  counts <-
    suppressWarnings(as.integer(sub(".*assertions: *([0-9]+).*", "\\1", grep("assertions", output,
        value = TRUE))))
  all_good <- any(grepl("^All tests passed", output))
  if (all_good) {
    counts <-
      as.integer(sub(".*\\(([0-9]+) assertions.*", "\\1",
                     grep("^All tests passed", output, value = TRUE)))
    return(c(passed = counts, failed = 0L))
  }
  cat(output, sep = "\n")
  failed <-
    as.integer(sub(".* ([0-9]+) failed.*", "\\1", grep("^assertions", output, value = TRUE)))
  c(passed = counts[1L] - failed, failed = max(1L, failed, na.rm = TRUE))
}

# Skipped tests are listed with their reasons.
skipped_lines <- function(results) {
  skips <- Filter(function(x) inherits(x, "expectation_skip"), do.call(c, results$result))
  reasons <- table(vapply(skips, function(x) sub("^Reason: ", "", conditionMessage(x)), ""))
  if (length(reasons)) paste0("  skipped ", reasons, ": ", names(reasons), "\n")
}

# Runs one test file; returns its counts and, if anything failed, its output.
run_file <- function(file) {
  seconds <- system.time(output <- utils::capture.output(results <- as.data.frame(
    test_file(file, package = "orizzonte", load_package = "installed", reporter = "check",
              stop_on_failure = FALSE))))[["elapsed"]]
  failed <- sum(results$failed) + sum(results$error)
  cat(sprintf("%-40s %4d passed %3d failed %6.1f s\n", file, sum(results$passed), failed, seconds),
      skipped_lines(results), sep = "")
  list(passed = sum(results$passed), failed = failed,
       output = if (failed > 0)
         c("", file, grep("skipped|^$", output, value = TRUE, invert = TRUE)))
}

# Files are chosen by patterns of their names, with or without "test-" and ".R".
wanted <- commandArgs(trailingOnly = TRUE)
is_wanted <- function(names) {
  if (length(wanted) == 0L) return(rep(TRUE, length(names)))
  pattern <- paste(wanted, collapse = "|")
  grepl(pattern, names) | grepl(pattern, sub("^test-(.*)[.]R$", "\\1", names))
}
run_job <- function(job) {
  if (job != "core") return(run_file(job))
  counts <- core_tests()
  cat("core: ", counts[["passed"]], " passed, ", counts[["failed"]], " failed\n", sep = "")
  as.list(counts)
}
setwd(file.path(root, "tests", "testthat"))
files <- list.files(pattern = "^test-.*[.]R$")
# Files that use a package that is not installed, and do not ask for it themselves, are skipped.
optional <- trimws(sub("[(].*", "", strsplit(read.dcf(
  file.path(root, "DESCRIPTION"), c("Suggests", "Enhances")), ",") |> unlist()))
absent <- optional[!vapply(optional, function(name) nzchar(system.file(package = name)), NA)]
needs_absent <- vapply(files, function(file) {
  text <- paste(readLines(file, encoding = "UTF-8", warn = FALSE), collapse = "\n")
  used <- vapply(absent, function(name) grepl(paste0("\\b", name, "::"), text), NA)
  guarded <- vapply(absent, function(name) {
    grepl(paste0("skip_if_not_installed(\"", name, "\")"), text, fixed = TRUE)
  }, NA)
  paste(absent[used & !guarded], collapse = ", ")
}, "")
for (file in names(needs_absent)[nzchar(needs_absent)])
  cat("skipped: ", file, " (not installed: ", needs_absent[[file]], ")\n", sep = "")
files <- files[!nzchar(needs_absent)]
# The slow ones first, then the large ones, so that no processor waits for one at the end.
slow <- paste0("test-", c("study-run", "report-write", "study-results", "cli-main",
                          "many-bootstrap", "figure-path-diagram", "cli-diagnose", "printed",
                          "fit-kinds"), ".R")
jobs <- unique(c("core", intersect(slow, files), files[order(-file.size(files))]))
jobs <- jobs[is_wanted(jobs)]
if (length(jobs) == 0L) {
  cat("no test file is called ", paste(wanted, collapse = " or "), "\n\n", sep = "")
  cat("0 passed, 1 failed\n")
  quit(save = "no", status = 1L)
}
# Packages that most files load are loaded once, before the processes are forked.
for (package in c("ggplot2", "xml2", "htmltools", "jsonlite", "yaml", "officer", "numDeriv"))
  requireNamespace(package, quietly = TRUE)
counts <- parallel::mclapply(jobs, run_job, mc.cores = max(1L, parallel::detectCores()),
                             mc.preschedule = FALSE)
broken <- !vapply(counts, is.list, NA)
if (any(broken)) cat("no result from", jobs[broken], "\n")
counts <- counts[!broken]
# at the end, where they are easy to find in a long log
for (one in counts) if (length(one$output)) cat(one$output, sep = "\n")
total <- function(name) sum(vapply(counts, `[[`, 0, name))
failed <- total("failed") + sum(broken)
cat("\n", total("passed"), " passed, ", failed, " failed\n", sep = "")
quit(save = "no", status = if (failed > 0) 1L else 0L)
