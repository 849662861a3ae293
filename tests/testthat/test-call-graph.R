# Data flows one way: no function calls one of a later stage. The stage of a function is that of its
# file.

stages <- c("base", "blueprint", "request", "sample", "layout", "fit", "read",
            "diagnose", "compare", "group", "judge", "many", "figure", "report", "study", "page",
            "cli")
file_stage <- function(file) sub("[-.].*", "", basename(file))

# Calls that still go upwards, as "function -> function"; the list only shrinks.
exceptions <- character()

source_folder <- Filter(dir.exists, c("../../R", "../../../R"))[1L]

defined_functions <- function(folder, place = file_stage) {
  files <- setdiff(list.files(folder, "[.]R$", full.names = TRUE),
                   file.path(folder, c("RcppExports.R", "orizzonte-package.R")))
  out <- lapply(files, function(file) {
    names <- unlist(lapply(parse(file, keep.source = FALSE), function(e) {
      if (is.call(e) && identical(e[[1L]], quote(`<-`)) && is.symbol(e[[2L]])) as.character(e[[2L]])
    }))
    stats::setNames(rep(place(file), length(names)), names)
  })
  unlist(out)
}

# Package functions among `known` that a function uses, called or handed on.
used_by <- function(name, known) {
  value <- get(name, envir = asNamespace("orizzonte"))
  if (!is.function(value)) return(character())
  # the exact search is slow: most functions do not even mention the others
  if (!any(c(all.names(body(value)), unlist(lapply(formals(value), all.names))) %in% known))
    return(character())
  setdiff(intersect(codetools::findGlobals(value), known), name)
}

test_that("no function calls a later stage", {
  skip_if(is.na(source_folder), "the sources are not beside the tests")
  stage <- defined_functions(source_folder)
  expect_identical(setdiff(stage, stages), character())
  rank <- match(stage, stages)
  names(rank) <- names(stage)
  upward <- as.character(unlist(lapply(names(stage), function(name) {
    later <- used_by(name, names(rank)[rank > rank[[name]]])
    if (length(later)) paste(name, "->", later)
  })))
  expect_identical(setdiff(upward, exceptions), character())
  expect_identical(setdiff(exceptions, upward), character())
})

# Files that call each other in a circle, one text per circle.
circles_among <- function(from, to) {
  files <- unique(c(from, to))
  reach <- matrix(FALSE, length(files), length(files), dimnames = list(files, files))
  reach[cbind(from, to)] <- TRUE
  for (k in files) reach <- reach | outer(reach[, k], reach[k, ], "&")
  both <- reach & t(reach)
  unique(unlist(lapply(files[rowSums(both) > 0], function(file) {
    paste(sort(files[both[file, ]]), collapse = " <-> ")
  })))
}

test_that("no files call each other in a circle", {
  skip_if(is.na(source_folder), "the sources are not beside the tests")
  file <- defined_functions(source_folder, basename)
  # no call leads to a later stage, so that a circle lies within one
  stage <- file_stage(file)
  used <- lapply(seq_along(file), function(k) {
    used_by(names(file)[k], names(file)[stage == stage[k] & file != file[k]])
  })
  expect_identical(circles_among(rep(file, lengths(used)), file[unlist(used)]), NULL)
  # a circle would be detected
  expect_identical(circles_among(c("a.R", "b.R", "c.R"), c("b.R", "c.R", "b.R")), "b.R <-> c.R")
})

test_that("no name is defined twice, and one file alone asks whether there are groups", {
  skip_if(is.na(source_folder), "the sources are not beside the tests")
  names <- names(defined_functions(source_folder))
  expect_gt(length(names), 500L)
  expect_identical(names[duplicated(names)], character())
  asks <- function(e) {
    if (!is.call(e)) return(FALSE)
    branch <- as.character(e[[1L]])[1L] %in% c("if", "!", "&&", "||") &&
      any(vapply(as.list(e)[-1L], function(part) {
        is.call(part) && identical(part[[1L]], quote(`$`)) && identical(part[[3L]], quote(grouped))
      }, NA))
    branch || any(vapply(as.list(e), asks, NA))
  }
  files <- list.files(source_folder, "[.]R$", full.names = TRUE)
  asking <- vapply(files, function(file) {
    any(vapply(parse(file, keep.source = FALSE), asks, NA))
  }, NA)
  expect_identical(basename(files[asking]), "base-groups.R")
})

# Functions that would run or unserialize the contents of a file.
forbidden_calls <- function(folder) {
  found <- character()
  one <- function(e, file) {
    if (!is.call(e)) return(invisible())
    head <- e[[1L]]
    qualified <- is.call(head) && length(head) == 3L && is.symbol(head[[1L]]) &&
      as.character(head[[1L]]) %in% c("::", ":::")
    name <- if (qualified)
      as.character(head[[3L]]) else if (is.symbol(head)) as.character(head) else ""
    parsed <- function(x) {
      is.call(x) && any(c("parse", "str2lang", "str2expression", "parse_expr", "parsed_text") %in%
                          all.names(x))
    }
    if (name %in% c("readRDS", "load", "unserialize", "source", "sys.source", "dget", "attach",
                    "load_all", "dyn.load", "read_rds", "qread", "readRenviron") ||
        name %in% c("eval", "evalq", "eval_tidy", "eval_bare", "eval.parent") &&
        any(vapply(as.list(e)[-1L], parsed, NA)))
      found <<- c(found, paste0(basename(file), ": ", name))
    for (part in as.list(e)[-1L]) if (!missing(part)) {
      # also handed on, as in lapply(files, readRDS)
      if (is.symbol(part) && as.character(part) %in% c("readRDS", "unserialize", "sys.source",
                                                       "dget"))
        found <<- c(found, paste0(basename(file), ": ", as.character(part)))
      one(part, file)
    }
    if (is.call(head)) one(head, file)
  }
  for (file in list.files(folder, "[.]R$", full.names = TRUE))
    for (e in parse(file, keep.source = FALSE)) one(e, file)
  unique(found)
}

test_that("nothing from a file is run or unserialized", {
  skip_if(is.na(source_folder), "the sources are not beside the tests")
  expect_identical(forbidden_calls(source_folder), character())
  # it would be detected
  folder <- fresh_folder()
  writeLines(c("f <- function(x) readRDS(x)", "g <- function(x) base::unserialize(x)",
               "h <- function(x) if (x) eval(parse(text = x))",
   "k <- function(x) lapply(x, readRDS)",
               "l <- function(x) eval(str2lang(x), globalenv())",
   "m <- function(x) { load(x); eval(x) }"),
             file.path(folder, "a.R"))
  expect_identical(forbidden_calls(folder), paste0("a.R: ", c("readRDS", "unserialize", "eval",
                                                              "load")))
})
