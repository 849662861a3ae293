test_that("the report is self-contained and says what the fit says", {
  fit <- quiet_fit(read_blueprint(system.file("extdata", "choirs.yaml", package = "orizzonte")), choirs)
  file <- tempfile(fileext = ".html")
  expect_message(write_report(fit, file), "Report written", class = "orizzonte_message")
  text <- paste(readLines(file, warn = FALSE), collapse = "\n")
  for (part in c("Singing in an amateur choir", "Assumed without being stated", "loading[Belonging, be2]", format_fixed(deviance(fit)), "data:image/png;base64",
                 "People greet me when I arrive", sample_fingerprint(fit), "reflected_in", "Dropped 95 rows")) {
    expect_true(grepl(part, text, fixed = TRUE), label = part)
  }
  expect_false(grepl("<(script|img|link)[^>]*(src|href)=\"(http|/)", text))
})

test_that("an improper solution is said first", {
  r <- matrix(c(1, 0.7, 0.6, 0.7, 1, 0.2, 0.6, 0.2, 1), 3, dimnames = list(letters[1:3], letters[1:3]))
  fit <- suppressWarnings(fit_model(blueprint("H") |> construct("F", reflected_in = c(a, b, c)), summary_data(r, n = 200)))
  file <- tempfile(fileext = ".md")
  write_report(fit, file, quiet = TRUE)
  text <- paste(readLines(file), collapse = "\n")
  expect_lt(regexpr("Improper solution", text), regexpr("In short", text))
})

test_that("other endings and folders that do not exist are refused", {
  fit <- quiet_fit(blueprint("B") |> construct("B", reflected_in = be1:be3), choirs)
  expect_error(write_report(fit, "report.xyz"), "Cannot write a report as", class = "orizzonte_error_report")
  expect_error(write_report(fit, "not-there/report.html"), "There is no folder", class = "orizzonte_error_report")
})

test_that("a report of an improper solution says so first, with what the data say about it", {
  bp <- blueprint("Warmth") |> construct("Warmth", reflected_in = wa1:wa4) |> construct("Calm", reflected_in = cl1:cl3) |>
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
