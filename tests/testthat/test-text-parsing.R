# Functions that parse texts: each one is listed with what it parses, so that no result can depend
# on the words of a sentence.

parsers <- c("sub", "gsub", "grepl", "grep", "regmatches", "regexpr", "gregexpr", "regexec",
             "startsWith", "endsWith", "strsplit")

parsing_functions <- function(folder) {
  parses <- function(e) {
    if (is.pairlist(e)) return(any(vapply(as.list(e), function(p) !missing(p) && parses(p), NA)))
    if (!is.call(e)) return(FALSE)
    if (is.symbol(e[[1L]]) && as.character(e[[1L]]) %in% parsers) return(TRUE)
    for (part in as.list(e)) if (!missing(part) && parses(part)) return(TRUE)
    FALSE
  }
  files <- setdiff(list.files(folder, "[.]R$"), "RcppExports.R")
  unlist(lapply(files, function(file) {
    unlist(lapply(as.list(parse(file.path(folder, file), keep.source = FALSE)), function(e) {
      assigned <- is.call(e) && as.character(e[[1L]])[1L] %in% c("<-", "=")
      name <- if (assigned) deparse(e[[2L]])[1L] else "(top)"
      if (parses(e)) paste(file, name)
    }))
  }))
}

test_that("every function that takes a text apart is listed with what it parses", {
  folder <- Filter(dir.exists, c("../../R", "../../00_pkg_src/orizzonte/R"))
  skip_if(length(folder) == 0L, "the sources are not beside the tests")
  listed <- utils::read.csv("text-parsing.csv")
  found <- unique(parsing_functions(folder[1L]))
  expect_identical(setdiff(found, paste(listed$file, listed$function.)), character())
  expect_identical(setdiff(paste(listed$file, listed$function.), found), character())
  # it would be detected
  other <- tempfile()
  dir.create(other)
  writeLines("f <- function(x) if (startsWith(x$verdict, \"holds\")) 1", file.path(other, "a.R"))
  expect_identical(parsing_functions(other), "a.R f")
})

test_that("no text of the package is taken apart", {
  listed <- utils::read.csv("text-parsing.csv")
  kinds <- c("SQL", "address", "address of a database", "argument name", "codes", "file",
             "header of a request", "layout of lines", "message of an error",
             "name of a class or column", "name of a column", "name of a place", "name of a plan",
             "name of a rung", "number or layout", "path", "reference", "template", "user text")
  expect_identical(setdiff(listed$parses, kinds), character())
})
