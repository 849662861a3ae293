# All tests: the core on its own (C++), then the package through its public interface. Ends with one line of counts.
suppressPackageStartupMessages({
  library(testthat)
  library(orizzonte)
})
root <- normalizePath(if (dir.exists("tests/testthat")) "." else "..")

# The core knows nothing of R, and neither does its test program.
core_tests <- function() {
  build <- file.path(root, ".build", "core-tests")
  dir.create(build, showWarnings = FALSE, recursive = TRUE)
  sources <- list.files(file.path(root, c("src", "tests"), "core"), "[.]cpp$", full.names = TRUE)
  headers <- list.files(file.path(root, "src", "core"), "[.]hpp$", full.names = TRUE)
  program <- file.path(build, "run")
  compiler <- system2(file.path(R.home("bin"), "R"), c("CMD", "config", "CXX17"), stdout = TRUE)
  folders <- c(system.file("include", package = "RcppEigen"), file.path(root, "src", "core"), system.file("include", package = "testthat"))
  flags <- paste(c("-std=c++17 -O1 -Wno-ignored-attributes", paste0("-I", shQuote(folders))), collapse = " ")
  rules <- vapply(sources, function(file) {
    object <- file.path(build, sub("[.]cpp$", ".o", basename(file)))
    paste0(object, ": ", paste(c(file, headers), collapse = " "), "\n\t", compiler, " ", flags, " -c ", file, " -o ", object, "\n")
  }, "")
  objects <- file.path(build, sub("[.]cpp$", ".o", basename(sources)))
  writeLines(c(paste0(program, ": ", paste(objects, collapse = " "), "\n\t", compiler, " -o ", program, " ", paste(objects, collapse = " "), "\n"), rules),
             file.path(build, "Makefile"))
  made <- system2("make", c("-s", "-j2", "-f", file.path(build, "Makefile"), program))
  if (made != 0) return(c(passed = 0L, failed = 1L))
  output <- suppressWarnings(system2(program, stdout = TRUE))
  counts <- suppressWarnings(as.integer(sub(".*assertions: *([0-9]+).*", "\\1", grep("assertions", output, value = TRUE))))
  all_good <- any(grepl("^All tests passed", output))
  if (all_good) {
    counts <- as.integer(sub(".*\\(([0-9]+) assertions.*", "\\1", grep("^All tests passed", output, value = TRUE)))
    return(c(passed = counts, failed = 0L))
  }
  cat(output, sep = "\n")
  failed <- as.integer(sub(".* ([0-9]+) failed.*", "\\1", grep("^assertions", output, value = TRUE)))
  c(passed = counts[1L] - failed, failed = max(1L, failed, na.rm = TRUE))
}

core <- core_tests()
cat("core: ", core[["passed"]], " passed, ", core[["failed"]], " failed\n", sep = "")
setwd(file.path(root, "tests", "testthat"))
results <- as.data.frame(test_dir(".", package = "orizzonte", load_package = "installed", reporter = "summary", stop_on_failure = FALSE))
failed <- sum(results$failed) + sum(results$error) + core[["failed"]]
passed <- sum(results$nb) - sum(results$failed) - sum(results$skipped) + core[["passed"]]
cat("\n", passed, " passed, ", failed, " failed\n", sep = "")
quit(save = "no", status = if (failed > 0) 1L else 0L)
