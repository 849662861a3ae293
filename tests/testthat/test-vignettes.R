# The pages of the documentation: complete, in order, and correct.

pages <- file.path(testthat::test_path("..", ".."), "vignettes")
in_order <- c("orizzonte", "structural", "models", "amendments", "measures", "groups", "along",
              "incomplete", "resampling", "large", "trouble", "study", "writing", "command-line",
              "page", "methods", "which-function", "glossary")
page <- function(name) {
  paste(readLines(file.path(pages, paste0(name, ".Rmd")), encoding = "UTF-8"), collapse = "\n")
}
code_of <- function(text) {
  found <- regmatches(text, gregexpr("`[^`\n]+`", text))[[1L]]
  substr(found, 2L, nchar(found) - 1L)
}

test_that("every page is there, and the site lists all of them in the order of work", {
  skip_if_not(dir.exists(pages), "the sources are not beside the tests")
  expect_setequal(sub("[.]Rmd$", "", list.files(pages, "[.]Rmd$")), in_order)
  site <- yaml::read_yaml(file.path(pages, "..", "_pkgdown.yml"))
  listed <- unlist(lapply(site$articles, `[[`, "contents"))
  expect_identical(listed, in_order)
  mentioned <- unlist(lapply(in_order, function(name) {
    found <- gregexpr("vignette\\(\"[a-z-]+\"", page(name))
    gsub("vignette\\(|\"", "", regmatches(page(name), found)[[1L]])
  }))
  expect_gt(length(mentioned), 10)
  expect_length(setdiff(mentioned, in_order), 0)
  # every page of the order of work has a figure
  draws <- "plot\\(|path_diagram\\(|residual_map\\(|include_graphics\\("
  for (name in in_order[1:14]) {
    chunks <- sub("^[^\n]*\n", "", strsplit(page(name), "```{r", fixed = TRUE)[[1L]][-1L])
    expect_true(any(grepl(draws, sub("\n```\n.*", "", chunks))), label = name)
  }
})

test_that("which function when: every exported function, and only what is there", {
  skip_if_not(dir.exists(pages), "the sources are not beside the tests")
  code <- code_of(page("which-function"))
  named <- unlist(regmatches(code, gregexpr("[A-Za-z_.]+(?=\\()", code, perl = TRUE)))
  exported <- getNamespaceExports("orizzonte")
  exported <- exported[!startsWith(exported, ".")]
  expect_length(setdiff(exported, named), 0)
  there <- vapply(named, function(name) {
    name %in% exported || exists(name, mode = "function", envir = asNamespace("stats")) ||
      exists(name, mode = "function", envir = baseenv()) || name == "plot"
  }, NA)
  expect_true(all(there))
  # commands of the third column
  rows <- strsplit(grep("^\\|.*\\|.*\\|.*\\|$", strsplit(page("which-function"), "\n")[[1L]],
                        value = TRUE), "|", fixed = TRUE)
  commands <- unlist(lapply(rows, function(cells) code_of(cells[4L])))
  words <- sub(" .*", "", grep("^[a-z]", commands, value = TRUE))
  expect_gt(length(words), 30)
  expect_length(setdiff(words, names(cli_commands())), 0)
  tables <- sub(".*--table ", "", grep("--table ", commands, value = TRUE))
  expect_length(setdiff(tables, c(fit_tables, quality_tables, "influence", "robustness")), 0)
  flags <- sub(" .*", "", grep("^--", unlist(strsplit(commands, "(?<=[a-z]) (?=--)",
                                                      perl = TRUE)), value = TRUE))
  known <- vapply(cli_options(), function(option) option@long_flag, "")
  expect_length(setdiff(flags, known), 0)
})

test_that("the glossary's addresses are read by the reader of addresses, its functions exist", {
  skip_if_not(dir.exists(pages), "the sources are not beside the tests")
  code <- code_of(page("glossary"))
  shape <- paste0("^(loading|effect|variance|covariance|correlation|intercept|mean|weight|",
                  "r_squared|indirect|total|quantity)\\[[^]]+\\]$")
  addresses <- grep(shape, code, value = TRUE)
  expect_gt(length(addresses), 15)
  # each is split into its literal parts, and is not a pattern
  for (address in addresses) {
    parsed <- parse_address(address)
    parts <- strsplit(gsub("^[a-z_]+\\[|\\]$", "", address), ", | [|] ")[[1L]]
    expect_identical(parsed$kind, sub("\\[.*", "", address))
    expect_identical(c(parsed$first, parsed$second, parsed$group), parts, label = address)
    expect_false(parsed$pattern)
  }
  expect_error(parse_address("loadng[Calm, sc2]"), class = "orizzonte_error")
  named <- unlist(regmatches(code, gregexpr("[A-Za-z_.]+(?=\\()", code, perl = TRUE)))
  known <- c(getNamespaceExports("orizzonte"), "predict", "standardized", "c")
  expect_length(setdiff(named, known), 0)
  arguments <- sub(" = .*", "", grep("^[a-z]+ = ", code, value = TRUE))
  expect_length(setdiff(arguments, c(names(formals(fit_model)), "scale")), 0)
})

test_that("the code of the README runs, and says what is said about it", {
  readme <- file.path(pages, "..", "README.md")
  skip_if_not(file.exists(readme), "the sources are not beside the tests")
  text <- paste(readLines(readme, encoding = "UTF-8"), collapse = "\n")
  chunks <- regmatches(text, gregexpr("(?s)```r\n.*?\n```", text, perl = TRUE))[[1L]]
  chunks <- gsub("^```r\n|\n```$", "", chunks)
  expect_gt(length(chunks), 0)
  folder <- withr::local_tempdir()
  withr::local_dir(folder)
  where <- new.env(parent = globalenv())
  for (chunk in chunks)
    utils::capture.output(suppressMessages(suppressWarnings(
      for (line in parse(text = chunk)) print(eval(line, where)))))
  expect_true(file.exists("staying.html"))
  expect_s3_class(where$fit2, "orizzonte_fit")
  # "cases with missing values are kept, and counted"
  expect_match(sample_header(where$fit$sample), "have missing values and are kept", fixed = TRUE)
})

test_that("the tables that commands are said to have are there, in every format", {
  # JSON contains results that are not separate tables
  fit <- quiet_fit(read_blueprint(extdata("choirs-start.yaml")), choirs)
  json <- jsonlite::fromJSON(fit_json(fit, "fit"))
  for (table in setdiff(fit_tables, separate_tables))
    if (table != "trail") expect_true(table %in% names(json), label = table)
  for (table in separate_tables) {
    alone <- jsonlite::fromJSON(table_json(fit, table))
    expect_true(NROW(alone[[table]]) > 0, label = table)
  }
})

test_that("with weights there is no likelihood to compare models by, as the pages say", {
  data <- choirs
  data$weight <- rep(c(1, 2), 360)
  fit <- suppressWarnings(quiet_fit(blueprint("B") |> construct("B", reflected_in = be1:be4), data,
                                    weights = "weight"))
  expect_true(is.na(AIC(fit)))
  expect_true(is.na(BIC(fit)))
  # a shortened argument is recognized, and still refused
  expect_error(estimates(fit, lvl = 0.9), text_pattern("did_you_mean_argument", word = "level"))
})

# The code of a page's chunks, by whether a reader sees it.
chunks_of <- function(name, seen) {
  lines <- strsplit(page(name), "\n", fixed = TRUE)[[1L]]
  opens <- grep("^```\\{r", lines)
  hidden <- grepl("(include|echo) *= *FALSE", lines[opens])
  unlist(lapply(opens[hidden != seen], function(from) {
    to <- from + which(lines[-seq_len(from)] == "```")[1L]
    lines[seq_len(to - from - 1L) + from]
  }))
}

test_that("the code of a page runs as it is seen: nothing comes from hidden chunks", {
  skip_if_not(dir.exists(pages), "the sources are not beside the tests")
  for (name in setdiff(in_order, c("command-line", "page", "which-function", "glossary"))) {
    code <- parse(text = chunks_of(name, TRUE), keep.source = FALSE)
    expect_identical(deparse(code[[1L]]), "library(orizzonte)", label = name)
    hidden <- parse(text = chunks_of(name, FALSE), keep.source = FALSE)
    made <- unlist(lapply(hidden, function(one) {
      if (is.call(one) && identical(one[[1L]], as.name("<-"))) all.vars(one[[2L]])
    }))
    expect_length(intersect(made, all.vars(code)), 0L)
  }
})

test_that("links between the pages of the repository lead to files that exist", {
  skip_if_not(dir.exists(pages), "the sources are not beside the tests")
  root <- file.path(pages, "..")
  files <- c("README.md", "CONTRIBUTING.md", file.path("vignettes", list.files(pages, "[.]Rmd$")))
  files <- files[file.exists(file.path(root, files))]
  count <- 0L
  for (file in files) {
    text <- paste(readLines(file.path(root, file), encoding = "UTF-8", warn = FALSE),
                  collapse = "\n")
    links <- regmatches(text, gregexpr("\\]\\(([^)\\s]+)\\)", text, perl = TRUE))[[1L]]
    links <- sub("#.*", "", gsub("^\\]\\(|\\)$", "", links))
    links <- links[nzchar(links) & !grepl("^(https?|mailto):", links)]
    # pages of the site have the names of their sources
    links <- sub("[.]html$", ".Rmd", links)
    from <- file.path(root, dirname(file))
    count <- count + length(links)
    for (link in links) expect_true(file.exists(file.path(from, link)), label = paste(file, link))
  }
  expect_gt(count, 30)
})
