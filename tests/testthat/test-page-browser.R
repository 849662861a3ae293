# The live page in a real browser: Chromium, driven by puppeteer-core, which the set-up of
# `make check` installs and puts into .build/browser. Without them these tests are skipped.

browser_folder <- Filter(dir.exists, c("../../.build/browser/node_modules/puppeteer-core"))
tools_missing <- function() {
  if (!nzchar(Sys.getenv("ORIZZONTE_BROWSER"))) return("the browser is visited by make check")
  if (!nzchar(Sys.which("node"))) return("node is not installed")
  if (!any(nzchar(Sys.which(c("chromium", "chromium-browser", "google-chrome")))))
    return("Chromium is not installed")
  if (length(browser_folder) == 0L) return("puppeteer-core is not in .build/browser")
  if (!requireNamespace("shiny", quietly = TRUE)) return("shiny is not installed")
  NULL
}

# The findings of a visit. `from`: code that makes the blueprint `bp`.
start_file <- system.file("extdata", "choirs-start.yaml", package = "orizzonte")
visited <- function(visit, from = paste0("bp <- read_blueprint(\"", start_file, "\")"),
                    data = "choirs", files = list()) {
  missing <- tools_missing()
  if (!is.null(missing)) skip(missing)
  folder <- tempfile("visit-")
  dir.create(folder)
  for (name in names(files)) writeLines(files[[name]], file.path(folder, name))
  script <- file.path(folder, "serve.R")
  writeLines(c(paste0(".libPaths(", paste(deparse(.libPaths()), collapse = ""), ")"),
               "suppressPackageStartupMessages(library(orizzonte))", from,
               paste0("found <- live_page(bp, ", data, ", open = FALSE)"),
               "cat(\"returned\", format(deviance(found), digits = 17), \"\\n\")"), script)
  node_modules <- normalizePath(file.path(browser_folder[1L], "..", ".."))
  out <- system2("node", shQuote(c("page-visit.mjs", node_modules,
                                   file.path(R.home("bin"), "Rscript"), script, visit, folder,
                                   file.path(node_modules, "node_modules/axe-core/axe.min.js"))),
                 stdout = TRUE, stderr = TRUE)
  found <- jsonlite::fromJSON(out[length(out)])
  if (!is.null(found$error)) fail(found$error)
  expect_length(found$trouble, 0L)
  expect_length(found$outside, 0L)
  found$folder <- folder
  found
}

test_that("a model is built from nothing to a fit, also by keyboard", {
  found <- visited("build", "bp <- blueprint(\"Mine\")")
  expect_match(found$empty, "empty")
  bp <- blueprint("Mine") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4) |> effect(Calm ~ Belonging)
  fit <- quietly(fit_model(bp, choirs))
  expect_match(found$built, sprintf("%.2f", fit_indices(fit)$value[1L]), fixed = TRUE)
  estimate <- estimates(fit)
  expect_match(found$card, sprintf("%.3f", estimate$estimate[estimate$kind == "effect"]))
  expect_identical(found$focus, "effect[Belonging, Calm]")
  expect_false(identical(found$undone, found$built))
})

test_that("amending asks for a reason, is kept on reloading, and its script repeats it", {
  found <- visited("amend")
  expect_gte(found$drops, 5L)
  expect_match(found$refused, "reason")
  expect_identical(found$versions, 2L)
  expect_identical(found$bold, 0L)
  expect_identical(found$kept, found$after)
  bp <- read_blueprint(system.file("extdata", "choirs-start.yaml", package = "orizzonte"))
  fit <- quietly(amend(fit_model(bp, choirs), free = all_of(found$first),
                       because = "a <b>reason</b> & more"))
  expect_match(found$after, sprintf("%.2f", fit_indices(fit)$value[1L]), fixed = TRUE)
  file <- tempfile(fileext = ".R")
  writeLines(c(found$script, "cat(format(deviance(fit), digits = 17))"), file)
  shown <- system2(file.path(R.home("bin"), "Rscript"), shQuote(file), stdout = TRUE,
                   stderr = FALSE)
  expect_identical(shown[length(shown)], format(deviance(fit), digits = 17))
})

test_that("groups are compared and a level is loosened", {
  found <- visited("ladder")
  expect_match(found$before, "configural")
  expect_match(found$after, "releas", ignore.case = TRUE)
  expect_true(all(unlist(found$stages) > 50L))
})

test_that("wrong data and broken files are refused with a message, and undone", {
  found <- visited("wrong", files = list(wrong.csv = c("x,y", "1,2", "3,4"),
                                         broken.yaml = c("constructs: [", "  -")))
  expect_match(found$message, "be1")
  expect_identical(found$after, found$before)
  expect_gt(nchar(found$second), 20L)
})

test_that("two windows do not see each other's changes", {
  found <- visited("windows")
  expect_false(identical(found$one, found$two))
  expect_false(found$other)
  # the other window was answered before the job ended, and a cancelled job leaves no result
  expect_true(found$running)
  expect_match(found$busy, "job")
  expect_false(found$result)
})

test_that("a slow fit of one window does not hold up another", {
  data <- c("set.seed(1)", "data <- choirs[sample(nrow(choirs), 6000, TRUE), ]",
            "for (item in names(data)[grepl(\"^(be|sc|cr|st)[0-9]$\", names(data))])",
            "  data[[item]][runif(6000) < 0.2] <- NA")
  found <- visited("slow", c(paste0("bp <- read_blueprint(\"", start_file, "\")"), data), "data")
  expect_true(found$running)
  expect_match(found$busy, "job")
  expect_true(found$trail)
  expect_false(found$other)
})

test_that("a refit that fails says why, keeps the diagram, and is undone", {
  found <- visited("fails")
  expect_match(found$message, "not identified")
  expect_gt(found$drawn, 20L)
  expect_false(identical(found$failed, found$before))
  expect_match(found$panel, "not identified")
  expect_identical(found$after, found$before)
  expect_match(found$refused, "<b>much</b>", fixed = TRUE)
  expect_identical(found$still, found$before)
})

test_that("a hypothesis is written from a chosen path, judged, and taken away", {
  found <- visited("claims")
  expect_identical(found$begun, "effect[Belonging, Staying] > 0")
  expect_length(found$listed, found$before + 1L)
  expect_match(found$listed[found$before + 1L], found$begun, fixed = TRUE)
  expect_match(found$judged, "supported")
  expect_identical(found$left, found$before)
})

test_that("without the address's secret nothing is seen", {
  found <- visited("access")
  expect_identical(found$first, 403L)
  expect_identical(found$wrong, 403L)
  expect_false(found$leaks)
  expect_false(found$told)
  expect_false(grepl("key", found$url))
  expect_true(found$cookie$httpOnly)
  expect_identical(found$cookie$sameSite, "Strict")
  expect_identical(found$readable, "")
})

test_that("every stage is accessible in light and dark", {
  found <- visited("axe")
  for (place in names(found$found)) expect_identical(list(place, unlist(found$found[[place]])),
                                                     list(place, NULL))
})

test_that("long jobs run beside the page and can be cancelled", {
  found <- visited("jobs")
  expect_match(found$during, "RMSEA")
  expect_true(found$kept)
  expect_true(found$bootstrapped)
  expect_gt(found$report, 1e5)
})

test_that("the page returns its last fit to R", {
  found <- visited("finish")
  expect_match(found$printed, "returned [0-9.]+")
})
