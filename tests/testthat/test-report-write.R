test_that("the report is self-contained and says what the fit says", {
  fit <- quiet_fit(read_blueprint(system.file("extdata", "choirs.yaml", package = "orizzonte")),
                   choirs)
  file <- tempfile(fileext = ".html")
  expect_message(write_report(fit, file), "Report written", class = "orizzonte_message")
  text <- paste(readLines(file, warn = FALSE), collapse = "\n")
  for (part in c("Singing in an amateur choir", "Assumed without being stated",
                 "loading[Belonging, be2]", format_fixed(deviance(fit)), "data:image/png;base64",
                 "People greet me when I arrive", sample_fingerprint(fit), "reflected_in",
                 "Dropped 95 rows")) {
    expect_true(grepl(part, text, fixed = TRUE), label = part)
  }
  expect_false(grepl("<(script|img|link)[^>]*(src|href)=\"(http|/)", text))
})

test_that("an improper solution is said first", {
  r <- matrix(c(1, 0.7, 0.6, 0.7, 1, 0.2, 0.6, 0.2, 1), 3,
              dimnames = list(letters[1:3], letters[1:3]))
  fit <- suppressWarnings(fit_model(blueprint("H") |> construct("F", reflected_in = c(a, b, c)),
                                    summary_data(r, n = 200)))
  file <- tempfile(fileext = ".md")
  write_report(fit, file, quiet = TRUE)
  text <- paste(readLines(file), collapse = "\n")
  expect_lt(regexpr("Improper solution", text), regexpr("In short", text))
})

test_that("other endings and folders that do not exist are refused", {
  fit <- quiet_fit(blueprint("B") |> construct("B", reflected_in = be1:be3), choirs)
  expect_error(write_report(fit, "report.xyz"), "Cannot write a report as",
               class = "orizzonte_error_report")
  expect_error(write_report(fit, "not-there/report.html"), "There is no folder",
               class = "orizzonte_error_report")
})

test_that("a report of an improper solution says so first, with what the data say about it", {
  bp <- blueprint("Warmth") |> construct("Warmth", reflected_in = wa1:wa4) |>
    construct("Calm", reflected_in = cl1:cl3) |>
    quantity(link = correlation[Warmth, Calm])
  file <- tempfile(fileext = ".md")
  write_report(suppressWarnings(quiet_fit(bp, choirs_troubled)), file, quiet = TRUE)
  text <- readLines(file)
  at <- function(words) grep(words, text, fixed = TRUE)[1]
  expect_lt(at("Improper solution."), at("wa3 and wa4 correlate 0.998"))
  expect_lt(at("wa3 and wa4 correlate 0.998"), at("# In short"))
  expect_true(any(startsWith(text, "- ") & grepl("cl3 is keyed", text)))
  expect_false(is.na(at("quantity[link]")))
})

test_that("a report of a ladder says what holds, what was released and what may be compared", {
  bp <- read_blueprint(system.file("extdata", "choirs.yaml", package = "orizzonte"))
  ladder <- suppressMessages(invariance(bp, choirs, by = "setting"))
  file <- tempfile(fileext = ".md")
  write_report(ladder, file, quiet = TRUE)
  text <- paste(readLines(file), collapse = "\n")
  for (part in c("Where the metric rung does not hold", "`loading[Calm, sc2 | weekend]`",
                 "I can look at the audience while singing", "What each rung asks",
                 format_fixed(deviance(ladder$fits$strict), 2L),
                 "The metric rung is doubtful. What follows",
                 "The share of each group", "groups by setting")) {
    expect_true(grepl(part, text, fixed = TRUE), label = part)
  }
  # figures lie beside it, under names without a folder above
  links <- regmatches(text, gregexpr("src=\"[^\"]*\"", text))[[1]]
  expect_length(links, 4)
  for (link in gsub("src=|\"", "", links))
    expect_true(file.exists(file.path(dirname(file), link)) && !startsWith(link, "/"), label = link)

  loosened <- suppressMessages(loosen(loosen(ladder, "metric")$ladder, "scalar"))
  write_report(loosened, file, quiet = TRUE)
  text <- gsub("\\s+", " ", paste(readLines(file), collapse = " "))
  for (part in c("What was released", "With 1 release the scalar rung meets",
                 "in part (not held: loading", "not held after all", "only without the items")) {
    expect_true(grepl(part, text, fixed = TRUE), label = part)
  }
  expect_match(loosened$ladder$reading[1], "only without the items concerned", fixed = TRUE)
})

test_that("a report of a list compares the fits and shows each", {
  bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
  fit <- quiet_fit(bp, choirs)
  freed <-
    suppressMessages(amend(fit, free = covariance[be1, be2],
                           because = "both are about being greeted"))
  file <- tempfile(fileext = ".html")
  write_report(list(fit, greeted = freed), file, quiet = TRUE)
  text <- paste(readLines(file, warn = FALSE), collapse = "\n")
  for (part in c("The models compared", "Model 1", "greeted", "Estimates side by side",
                 "both are about being greeted")) {
    expect_true(grepl(part, text, fixed = TRUE), label = part)
  }
  # two figures of each, none lost to the other
  expect_equal(length(gregexpr("data:image/png;base64", text)[[1]]), 4L)
  expect_error(write_report(bp, file), "needs a fit, a ladder", class = "orizzonte_error_input")
  expect_error(write_report(list(fit, 3), file), "needs a fit, a ladder",
               class = "orizzonte_error_input")
})
