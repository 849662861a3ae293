# Texts are rows of tables: every text that the code uses exists, has a value for each of its
# placeholders, and every row is used.

test_that("values are shown as they are, whatever they hold", {
  before <- texts$table
  withr::defer(texts$table <- before)
  add_texts(trial = "{name} and {qty(n)}{n} case{?s}")
  for (odd in c("{stop(1)}", "{?s}", "{.val x}", "%s", "<b>", "{name}", "\\1", "{{x}}"))
    expect_identical(text_of("trial", name = odd, n = 2), paste(odd, "and 2 cases"))
  expect_identical(text_of("trial", name = "a", n = 1), "a and 1 case")
  expect_error(text_of("no such text"))
  expect_error(instruction("no such instruction"))
  expect_error(text_of("trial", n = 1))
})

test_that("an instruction has two forms, chosen when it is shown", {
  before <- texts$instructions
  withr::defer({
    texts$instructions <- before
    go_on_from(NULL)
  })
  add_instructions(
    trial = instruct("look({what})", c("look", "--at", "{what}"), purpose = "to see {?s}"),
    only_r = instruct("plot()"), phrase = instruct("here", text = "there {what}"))
  expect_identical(instruction("trial", what = "{a}"), "look({a})")
  expect_identical(next_step("only_r"), "Next: plot()")
  go_on_from(list(files = c("m.yaml", "my data.csv"), by = "setting"))
  expect_identical(instruction("trial", what = "a b"),
                   "orizzonte look m.yaml 'my data.csv' --by setting --at 'a b'")
  expect_identical(next_step("trial", what = "x")[2L],
                   "  orizzonte look m.yaml 'my data.csv' --by setting --at x")
  expect_null(instruction("only_r"))
  expect_null(next_step("only_r"))
  expect_identical(instruction("phrase", what = "now"), "there now")
})

# --- the sources ---------------------------------------------------------------------------------

source_files <- function() {
  folder <- Filter(dir.exists, c("../../R", "../../00_pkg_src/orizzonte/R"))
  if (length(folder) == 0L) return(character())
  setdiff(list.files(folder[1L], "[.]R$", full.names = TRUE),
          file.path(folder[1L], "RcppExports.R"))
}

# Calls of some functions, anywhere in the sources.
calls_of <- function(names) {
  out <- list()
  walk <- function(e) {
    if (is.call(e) && is.symbol(e[[1L]]) && as.character(e[[1L]]) %in% names)
      out <<- c(out, list(e))
    if (is.call(e) || is.pairlist(e) || is.expression(e))
      for (part in as.list(e)) if (!missing(part)) walk(part)
  }
  for (file in source_files()) walk(parse(file, keep.source = FALSE))
  out
}

placeholders <- function(template) {
  template <- gsub("[{]{2}|[}]{2}", "", template)
  found <- regmatches(template, gregexpr("\\{[^{}?]+\\}", template))[[1L]]
  found <- sub("^\\{(qty\\()?", "", sub("\\)?\\}$", "", found))
  unique(sub("/.*", "", found))
}

test_that("every text that the code names is in a table, with a value for each placeholder", {
  skip_if(length(source_files()) == 0L, "the sources are not beside the tests")
  found <- calls_of(c("text_of", "instruction", "next_step"))
  found <- Filter(function(call) is.character(call[[2L]]), found)
  expect_gt(length(found), 1000L)
  # one expectation for all: thousands of them would take longer than the checks themselves
  faults <- lapply(found, function(call) {
    name <- call[[2L]]
    table <- if (identical(call[[1L]], quote(text_of))) texts$table else texts$instructions
    if (!name %in% names(table)) return(paste(name, "is in no table"))
    if (any(vapply(as.list(call), identical, NA, quote(...)))) return(NULL)
    given <- names(as.list(call))[-(1:2)]
    lacking <- setdiff(placeholders(paste(unlist(table[[name]]), collapse = " ")), given)
    if (length(lacking)) paste(name, "lacks", lacking)
  })
  expect_identical(as.character(unlist(faults)), character())
})

test_that("every row of the tables is used", {
  skip_if(length(source_files()) == 0L, "the sources are not beside the tests")
  words <- unlist(lapply(source_files(), function(file) {
    e <- parse(file, keep.source = FALSE)
    tables <- c("add_texts", "add_instructions")
    e <- Filter(function(x) !is.call(x) || !as.character(x[[1L]])[1L] %in% tables, as.list(e))
    out <- character()
    walk <- function(x) {
      if (is.character(x)) out <<- c(out, x)
      if (is.call(x) || is.pairlist(x)) for (part in as.list(x)) if (!missing(part)) walk(part)
    }
    for (x in e) walk(x)
    out
  }))
  names <- c(names(texts$table), names(texts$instructions))
  expect_identical(names[duplicated(names)], character())
  # a name is written in full, or composed of a prefix and a code
  whole <- names %in% words
  prefixes <- paste0(sub("_$", "", unique(words[grepl("^[a-z_]+$", words)])), "_")
  made <- vapply(names, function(name) any(startsWith(name, prefixes)), NA)
  expect_identical(names[!whole & !made], character())
})

test_that("no sentence stands outside the tables", {
  skip_if(length(source_files()) == 0L, "the sources are not beside the tests")
  # tables of other kinds: commands, options, references and the schema
  apart <- c("cli-commands.R", "cli-options.R", "report-references.R")
  table_of_help <- function(e) {
    is.call(e) && (identical(e[[1L]], quote(add_options)) ||
                     length(e) > 1L && deparse1(e[[2L]]) %in% c("study_schema", "step_schema"))
  }
  # codes, sources, and machine-readable output
  codes <- c(amendment_kinds, "sum of others?", unname(criterion_sources),
             unname(unset_changes), unname(interval_words), "df of the corrected \u03c7\u00b2",
             # the code of the live page's script, and headers of its answers
             "blueprint_file <- tempfile(fileext = \".yaml\")",
             "bp <- read_blueprint(blueprint_file)", "fit <- fit_model(bp, data",
             "bootstrap_fit(fit, reps = ", "construct_quality(fit, leave_out = \"none\")",
             "; HttpOnly; SameSite=Strict; Path=/", "width=device-width, initial-scale=1")
  sentence <- function(text) {
    words <- lengths(regmatches(text, gregexpr("[A-Za-z][a-z']+", text)))
    grepl(" ", text, fixed = TRUE) & (words >= 4L | words >= 3L & grepl("[.:?!,]$", text)) &
      !grepl("<[a-zA-Z/]|[12][0-9]{3}$|^http|^#!|^xmlns:", text)
  }
  found <- unlist(lapply(source_files(), function(file) {
    if (grepl("-texts[.]R$", file) || basename(file) %in% apart) return(NULL)
    out <- character()
    walk <- function(x) {
      if (is.character(x)) out <<- c(out, x[sentence(x)])
      if (is.call(x) || is.pairlist(x)) for (part in as.list(x)) if (!missing(part)) walk(part)
    }
    for (x in as.list(parse(file, keep.source = FALSE))) if (!table_of_help(x)) walk(x)
    if (length(out)) paste0(basename(file), ": ", out)
  }))
  expect_identical(found[!sub("^[^:]*: ", "", found) %in% codes], character())
})
