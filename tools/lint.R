# Lints R code and spells words; exits with 1 when there is anything to say. Lines have at most 100
# characters, functions at most 80 lines; clang-format 14 lays out the core and styler the spaces of
# changed R files where they are installed, and the core compiles without a warning, conversions
# between types included.
folders <- c("R", "tests", "bench", "tools", "data-raw")

# the linters are in .lintr: method and column names follow broom and R, layout is by hand, and
# R CMD check finds globals
found <- do.call(c, lapply(folders, lintr::lint_dir))
for (lint in found) cat(lint$filename, ":", lint$line_number, ": ", lint$message, "\n", sep = "")

long_functions <- function(file, most = 80L) {
  parsed <- utils::getParseData(parse(file, keep.source = TRUE))
  functions <- parsed[parsed$id %in% parsed$parent[parsed$token == "FUNCTION"], ]
  lines <- functions$line2 - functions$line1 + 1L
  long <- functions$line1[lines > most]
  if (length(long)) paste0(file, ":", long, ": a function of ", lines[lines > most], " lines")
}
files <- list.files(folders, "[.]R$", recursive = TRUE, full.names = TRUE)
long <- unlist(lapply(setdiff(files, "R/RcppExports.R"), long_functions))
cat(long, sep = "\n")

# words of help pages, vignettes, README and NEWS that are in no dictionary nor in inst/WORDLIST
misspelt <- spelling::spell_check_package(".")
for (k in seq_len(nrow(misspelt)))
  cat(misspelt$word[k], ": ", paste(misspelt$found[[k]], collapse = ", "), "\n", sep = "")

# the core's layout
layout <- character()
version <- if (nzchar(Sys.which("clang-format")))
  system2("clang-format", "--version", stdout = TRUE) else ""
if (grepl("version 14[.]", version)) {
  sources <- list.files(c("src", "tests/core"), "[.](cpp|hpp|h)$", recursive = TRUE,
                        full.names = TRUE)
  sources <- setdiff(sources, "src/RcppExports.cpp")
  changed <- vapply(sources, function(file) {
    formatted <- system2("clang-format", c("--style=file:src/.clang-format", file), stdout = TRUE)
    !identical(formatted, readLines(file))
  }, NA)
  layout <- sources[changed]
  for (file in layout) cat(file, ": clang-format -i changes it\n", sep = "")
}

# spaces of R code as styler sets them, in what changed since the last commit but one: all files
# would take many minutes
spaced <- character()
recent <- if (nzchar(Sys.which("git")))
  suppressWarnings(system2("git", c("diff", "--name-only", "HEAD~1"), stdout = TRUE,
                           stderr = FALSE))
if (requireNamespace("styler", quietly = TRUE)) {
  options(styler.quiet = TRUE, styler.cache_name = NULL)
  for (file in intersect(files, recent)) {
    lines <- readLines(file)
    styled <- styler::style_text(lines, scope = "spaces", strict = FALSE)
    if (!identical(as.character(styled), lines)) {
      spaced <- c(spaced, file)
      cat(file, ": styler::style_file(scope = \"spaces\", strict = FALSE) changes it\n", sep = "")
    }
  }
} else {
  cat("styler is not installed: spaces in R code are looked at by lintr alone\n")
}

# phrases that read as translated, in what users and contributors read; tools/phrases.csv says
# what to write instead
phrases <- utils::read.csv("tools/phrases.csv", encoding = "UTF-8")
prose <- c(list.files("R", "-texts[.]R$", full.names = TRUE),
           list.files("vignettes", "[.]Rmd$", full.names = TRUE),
           list.files("man", "[.]Rd$", full.names = TRUE), "README.md", "NEWS.md",
           "CONTRIBUTING.md")
odd <- unlist(lapply(prose[file.exists(prose)], function(file) {
  lines <- readLines(file, encoding = "UTF-8", warn = FALSE)
  unlist(lapply(seq_len(nrow(phrases)), function(k) {
    at <- grep(phrases$pattern[k], lines, perl = TRUE)
    if (length(at)) paste0(file, ":", at, ": write \"", phrases$write[k], "\"")
  }))
}))
cat(odd, sep = "\n")

# warnings of the core; those of Eigen's headers are not ours
compiler <- strsplit(system2(file.path(R.home("bin"), "R"), c("CMD", "config", "CXX17"),
                             stdout = TRUE), " ")[[1L]]
warnings <- unlist(parallel::mclapply(c("src/unit-estimation.cpp", "src/unit-inference.cpp"),
                                      function(unit) {
  said <- suppressWarnings(system2(
    compiler[1L], c(compiler[-1L], "-std=c++17", "-fsyntax-only", "-Isrc", "-isystem",
                    shQuote(system.file("include", package = "RcppEigen")), "-Wall", "-Wextra",
                    "-Wconversion", "-Wsign-conversion", unit), stdout = TRUE, stderr = TRUE))
  unique(grep("(warning|error): ", said, value = TRUE))
}))
cat(warnings, sep = "\n")

count <- length(found) + length(long) + nrow(misspelt) + length(layout) + length(spaced) +
  length(odd) + length(warnings)
cat(count, "lints\n")
quit(save = "no", status = if (count) 1L else 0L)
