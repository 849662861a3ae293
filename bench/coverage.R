# How much of the R code the tests run, line by line (the core has tests of its own, which this does
# not count). Takes about an hour: traced code is several times slower. Run from the folder of the
# package, after `make test`:
#   Rscript bench/coverage.R            writes bench/results/coverage.txt
stopifnot(file.exists("DESCRIPTION"), requireNamespace("covr", quietly = TRUE))
options(covr.flags = character())       # lines of R, not of C++
Sys.setenv(NOT_CRAN = "true", R_LIBS = paste(.libPaths(), collapse = ":"))
source_folder <- file.path(tempdir(), "orizzonte")
dir.create(source_folder)
files <- system2("git", c("ls-files", "-co", "--exclude-standard"), stdout = TRUE)
for (folder in unique(dirname(files)))
  dir.create(file.path(source_folder, folder), recursive = TRUE, showWarnings = FALSE)
invisible(file.copy(files, file.path(source_folder, files)))
tests <- file.path(source_folder, "tests", "testthat")
code <- paste0("
  setwd(", deparse(tests), ")
  library(testthat)
  for (file in list.files(pattern = '^test-.*[.]R$')) {
    cat(format(Sys.time(), '%H:%M:%S'), file, '\\n', file = stderr())
    try(suppressMessages(test_file(file, package = 'orizzonte', load_package = 'installed',
                                   reporter = 'silent', stop_on_failure = FALSE)))
  }")
coverage <- covr::package_coverage(source_folder, type = "none", quiet = FALSE, code = code)
by_file <- sort(unlist(covr::coverage_to_list(coverage)$filecoverage))
by_file <- by_file[grepl("^R/", names(by_file))]
lines <- covr::tally_coverage(coverage, by = "line")
lines <- lines[grepl("^R/", lines$filename), ]
missed <- lines[lines$value == 0, ]
writeLines(c(
  "# Lines of R code that the tests run, in per cent (bench/coverage.R). Functions that a list",
  "# holds since the package was built, such as the steps of a study, are run but not counted.", "",
  sprintf("%-45s %6.2f", "all", 100 * mean(lines$value > 0)), "",
  sprintf("%-45s %6.2f", names(by_file), by_file), "",
  "# Lines that no test runs", "", paste0(missed$filename, ":", missed$line)),
  "bench/results/coverage.txt")
