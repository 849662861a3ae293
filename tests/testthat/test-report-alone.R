# Tables and figures alone, and the page in a browser.

fit <- quiet_fit(read_blueprint(extdata("choirs.yaml")), choirs, by = "setting")

test_that("every table and figure of a report is a file of its own, cell by cell the same", {
  blank_figures()
  folder <- file.path(tempfile(), "deep")
  index <- write_tables(fit, folder, formats = c("csv", "svg"), quiet = TRUE)
  parts <- Filter(function(part) part$part == "table",
                  unfolded_parts(report_of(fit, criteria())$parts))
  tables <- index$file[index$kind == "table"]
  expect_equal(length(tables), length(parts))
  expect_setequal(list.files(folder), c(index$file, "index.csv"))
  for (k in seq_along(parts)) {
    found <- utils::read.csv(file.path(folder, tables[k]), colClasses = "character",
                             check.names = FALSE, na.strings = character(), encoding = "UTF-8")
    expect_equal(trimws(names(found)), trimws(names(parts[[k]]$columns)))
    expect_equal(unname(as.list(found)),
                 unname(lapply(parts[[k]]$columns, function(x) unname(plain_line(x)))))
  }
  listed <- utils::read.csv(file.path(folder, "index.csv"))
  expect_equal(listed$file, index$file)
  texts <- vapply(parts, function(part) paste(unlist(part$columns), collapse = ""), "")
  expect_true(any(grepl("evening", texts)))
  expect_error(write_tables(fit, folder, formats = "xls"), class = "orizzonte_error_input")
  expect_error(write_tables(3, folder), "write_tables", class = "orizzonte_error_input")
  again <- write_tables(fit, folder, formats = c("csv", "svg"), quiet = TRUE)
  expect_equal(again, index)
})

test_that("tables in Word can be read back", {
  skip_if_not_installed("officer")
  folder <- tempfile()
  index <- write_tables(construct_quality(fit), folder, formats = "docx", quiet = TRUE)
  word <- officer::docx_summary(officer::read_docx(file.path(folder, index$file[1])))
  cells <- word$text[word$content_type == "table cell" & !word$is_header]
  table <- construct_quality(fit)$table
  expect_true(all(format_share(table$omega) %in% cells))
  expect_true(any(startsWith(word$text, "Table 1")))
})

test_that("lists of everything are shown, one after the other", {
  blank_figures()
  part <- suppressMessages(amend(quiet_fit(read_blueprint(extdata("choirs-start.yaml")), choirs),
                                 free = covariance[be1, be2], because = "greeted"))
  boot <- bootstrap_fit(part, 25, seed = 1, interval = "percentile")
  over <- suppressMessages(invariance(
    repeated(blueprint("Two concerts"), "Calm", times = list(Calm_first = ca1_t1:ca4_t1,
                                                             Calm_second = ca1_t2:ca4_t2)),
    choirs_concerts))
  all <- list(trail = trail(part), comparison = compare_models(part, part), boot = boot,
              quality = construct_quality(part, leave_out = "none"), over = over)
  file <- tempfile(fileext = ".md")
  write_report(all, file, quiet = TRUE)
  lines <- readLines(file, encoding = "UTF-8")
  for (word in c("# Trail", "The models compared", "Bootstrap", "The measures",
                 text_of("what_each_rung_asks")))
    expect_true(any(grepl(word, lines, fixed = TRUE)), label = word)
})

test_that("in a browser tables sort, tabs switch, folds open, and nothing complains", {
  blank_figures()
  browser <- Sys.which(c("chromium", "chromium-browser", "google-chrome"))
  browser <- browser[nzchar(browser)][1]
  skip_if(is.na(browser), "no browser is installed")
  page <- tempfile(fileext = ".html")
  write_report(fit, page, quiet = TRUE)
  text <- paste(readLines(page, encoding = "UTF-8", warn = FALSE), collapse = "\n")
  # errors are recorded before our script runs; then the clicks of a visitor, also recorded
  before <- "<script>window.wrong = []; window.onerror = function (m) { wrong.push(m); };</script>"
  after <- paste0("<script>", paste(readLines("visitor.js"), collapse = "\n"), "</script>")
  text <- sub("(<body[^>]*>)", paste0("\\1", before), text)
  text <- sub("</body>", paste0(after, "</body>"), text, fixed = TRUE)
  visited <- tempfile(fileext = ".html")
  writeLines(enc2utf8(text), visited, useBytes = TRUE)
  dom <- suppressWarnings(system2(browser, c(
    "--headless", "--no-sandbox", "--disable-gpu", paste0("--user-data-dir=", tempfile()),
    "--virtual-time-budget=4000", "--dump-dom", shQuote(paste0("file://", visited))),
    stdout = TRUE, stderr = FALSE))
  found <- jsonlite::fromJSON(xml2::xml_text(xml2::xml_find_first(
    xml2::read_html(paste(dom, collapse = "\n")), "//*[@id='visit']")))
  expect_length(found$wrong, 0)
  expect_true(found$sorted_up && found$sorted_down)
  expect_gt(found$tables, 5)
  expect_equal(found$tabs, c("evening", "weekend"))
  expect_equal(found$shown_first, c(TRUE, FALSE))
  expect_equal(found$shown_second, c(FALSE, TRUE))
  expect_false(found$fold_before)
  expect_true(found$fold_after)
  expect_true(found$opened_for_print)
})

test_that("a confirmation and a split of variance are reports of their own", {
  blank_figures()
  halves <- split_data(choirs, seed = 3)
  amended <- suppressMessages(amend(
    quiet_fit(read_blueprint(extdata("choirs-start.yaml")), halves$explore),
    free = loading[Calm, st2], because = "settled is also calm"))
  checked <- suppressMessages(confirm(amended, halves$confirm))
  parts <- variance_split(quiet_fit(read_blueprint(extdata("models/bifactor.yaml")),
                                    choirs_bifactor))
  file <- tempfile(fileext = ".md")
  write_report(list(checked = checked, parts = parts), file, quiet = TRUE)
  lines <- readLines(file, encoding = "UTF-8")
  for (word in c(text_of("confirmation_in_fresh_data"), text_of("general_and_specific")))
    expect_true(any(grepl(word, lines, fixed = TRUE)), label = word)
  expect_true(any(grepl("loading[Calm, st2]", gsub("\\", "", lines, fixed = TRUE), fixed = TRUE)))
  expect_true(any(grepl(format_share(parts$scales$omega[1]), lines, fixed = TRUE)))
})
