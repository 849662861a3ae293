test_that("the report is self-contained and says what the fit says", {
  fit <- quiet_fit(read_blueprint(system.file("extdata", "choirs.yaml", package = "orizzonte")),
                   choirs)
  file <- tempfile(fileext = ".html")
  expect_message(write_report(fit, file), "Report written", class = "orizzonte_message")
  text <- paste(readLines(file, warn = FALSE), collapse = "\n")
  for (part in c("Singing in an amateur choir", text_of("assumed_without_being_stated"),
                 "loading[Belonging, be2]", format_fixed(deviance(fit), 2L),
                 "data:image/svg+xml;base64",
                 "People greet me when I arrive", sample_fingerprint(fit), "reflected_in",
                 "720 cases; 95 have missing values and are kept")) {
    expect_true(grepl(part, text, fixed = TRUE), label = part)
  }
  expect_false(grepl("<(script|img|link)[^>]*(src|href)=\"(http|/)", text))
})

test_that("an improper solution is said first", {
  blank_figures()
  r <- matrix(c(1, 0.7, 0.6, 0.7, 1, 0.2, 0.6, 0.2, 1), 3,
              dimnames = list(letters[1:3], letters[1:3]))
  fit <- suppressWarnings(fit_model(blueprint("H") |> construct("F", reflected_in = c(a, b, c)),
                                    summary_data(r, n = 200)))
  file <- tempfile(fileext = ".md")
  write_report(fit, file, quiet = TRUE)
  text <- paste(readLines(file), collapse = "\n")
  expect_lt(regexpr("Improper solution", text), regexpr(text_of("in_short"), text))
})

test_that("other endings and folders that do not exist are refused", {
  fit <- quiet_fit(blueprint("B") |> construct("B", reflected_in = be1:be3), choirs)
  expect_error(write_report(fit, "report.xyz"), text_pattern("cannot_write_report"),
               class = "orizzonte_error_report")
  expect_error(write_report(fit, "not-there/report.html"), text_pattern("no_such_folder"),
               class = "orizzonte_error_report")
})

test_that("a report of an improper solution says so first, with what the data say about it", {
  blank_figures()
  bp <- blueprint("Warmth") |> construct("Warmth", reflected_in = wa1:wa4) |>
    construct("Calm", reflected_in = cl1:cl3) |>
    quantity(link = correlation[Warmth, Calm])
  file <- tempfile(fileext = ".md")
  write_report(suppressWarnings(quiet_fit(bp, choirs_troubled)), file, quiet = TRUE)
  text <- readLines(file)
  at <- function(words) grep(words, text, fixed = TRUE)[1]
  expect_lt(at("Improper solution."), at("wa3 and wa4 correlate .998"))
  expect_lt(at("wa3 and wa4 correlate .998"), at(paste("#", text_of("in_short"))))
  expect_true(any(startsWith(text, "- ") &
                    grepl(text_pattern("keyed_against_others", item = "cl3"), text)))
  expect_false(is.na(at("quantity[link]")))
})

test_that("a report of a ladder says what holds, what was released and what may be compared", {
  bp <- read_blueprint(system.file("extdata", "choirs.yaml", package = "orizzonte"))
  ladder <- suppressMessages(invariance(bp, choirs, by = "setting"))
  file <- tempfile(fileext = ".md")
  write_report(ladder, file, quiet = TRUE)
  text <- paste(readLines(file), collapse = "\n")
  for (part in c("Where the metric rung does not hold", "`loading[Calm, sc2 \\| weekend]`",
                 "I can look at the audience while singing", text_of("what_each_rung_asks"),
                 format_fixed(deviance(ladder$fits$strict), 2L),
                 text_of("rung_doubtful", rung = "metric"),
                 text_of("share_each_group"), "groups by setting")) {
    expect_true(grepl(part, text, fixed = TRUE), label = part)
  }
  # figures are beside it, under names without a parent folder
  links <- regmatches(text, gregexpr("\\]\\([^)]*\\)", text))[[1]]
  expect_length(links, 4)
  for (link in gsub("\\]\\(|\\)", "", links))
    expect_true(file.exists(file.path(dirname(file), link)) && !startsWith(link, "/"), label = link)

  loosened <- suppressMessages(loosen(loosen(ladder, "metric")$ladder, "scalar"))
  write_report(loosened, file, quiet = TRUE)
  text <- gsub("\\s+", " ", paste(readLines(file), collapse = " "))
  for (name in c("what_was_released", "rung_meets", "allowed_in_part", "not_held_after_all",
                 "allowed_without_items")) {
    expect_match(text, text_pattern(name))
  }
  expect_match(loosened$ladder$reading[1], text_pattern("allowed_without_items"))
})

test_that("a report of a list compares the fits and shows each", {
  blank_figures()
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
  # three figures of each, none overwritten by another
  expect_equal(length(gregexpr("data:image/svg[+]xml;base64", text)[[1]]), 6L)
  expect_error(write_report(bp, file), text_pattern("needs_fit_ladder_or"),
               class = "orizzonte_error_input")
  expect_error(write_report(list(fit, 3), file), text_pattern("needs_fit_ladder_or"),
               class = "orizzonte_error_input")
})

# Text that would run, load or break something if any of it were interpreted.
planted <- c(code = "`r writeLines('x', 'planted')` <script>alert(1)</script>",
             chunk = "```{r}\nwriteLines('x', 'planted')\n```\n---\ntitle: other\n---",
             live = "![x](/etc/hostname) [here](javascript:alert(1)) <img src=x onerror=alert(1)>",
             odd = paste0("\\input{x} \\i \"so\" 'so' &lt;b&gt; & ]]> <!-- -- a\u0001b\u001bc ",
                          "\u202etxt \U1F3B6"))
planted_fit <- function(text) {
  d <- choirs[c(paste0("be", 1:4), "setting")]
  names(d)[1] <- text
  bp <- blueprint(text) |> construct("Belonging", reflected_in = c(be2, be3, be4, !!text)) |>
    wording(be2 = text) |> quantity(twice = 2 * loading[Belonging, be3])
  names(bp$quantities) <- text
  fit <- suppressMessages(fit_model(bp, d))
  suppressWarnings(suppressMessages(amend(fit, free = covariance[be3, be4], because = text)))
}

# The only script of a page is exactly ours.
expect_own_script <- function(page) {
  script <- xml2::xml_text(xml2::xml_find_all(page, "//script"))
  own <- readLines(system.file("report", "report.js", package = "orizzonte"), encoding = "UTF-8")
  expect_equal(trimws(script), trimws(paste(own, collapse = "\n")))
}

# A block of code ends with as many backticks as it began with.
lines_outside_fences <- function(lines) {
  fence <- ""
  keep <- vapply(lines, function(line) {
    if (nzchar(fence)) {
      if (line == fence) fence <<- ""
      return(FALSE)
    }
    if (grepl("^`{3,}$", line)) fence <<- line
    !nzchar(fence)
  }, NA)
  expect_equal(fence, "")
  lines[keep]
}

test_that("no text of a user's is run or live in a report, in any format", {
  blank_figures()
  folder <- tempfile()
  dir.create(folder)
  old <- setwd(folder)
  on.exit(setwd(old))
  for (name in names(planted)) {
    text <- planted[[name]]
    fit <- planted_fit(text)
    shown <- plain_line(text)
    html <- tempfile(fileext = ".html")
    # measures and modification indices show the same names by the same functions
    write_report(fit, html, quiet = TRUE, parts = if (name != names(planted)[1L])
      setdiff(fit_section_names, c("measures", "modifications")))
    page <- xml2::read_html(html)
    expect_length(xml2::xml_find_all(page, "//iframe|//object|//link|//base|//form"), 0)
    expect_own_script(page)
    expect_true(all(startsWith(xml2::xml_attr(xml2::xml_find_all(page, "//img"), "src"),
                               "data:image/svg+xml;base64,")), label = name)
    expect_true(all(grepl("^#section-[0-9]+$",
                          xml2::xml_attr(xml2::xml_find_all(page, "//a"), "href"))), label = name)
    allowed <- c("id", "href", "class", "src", "alt", "lang", "charset", "name", "content", "type",
                 "http-equiv", "data-title", "scope", "aria-label", "tabindex")
    expect_true(all(xml2::xml_name(xml2::xml_find_all(page, "//@*")) %in% allowed), label = name)
    cells <- xml2::xml_text(xml2::xml_find_all(page, "//h1|//td"))
    expect_gte(sum(cells == shown), 2L)                 # title and wording, to the letter
    expect_true(any(grepl(shown, cells[cells != shown], fixed = TRUE)), label = name)  # reason
    md <- tempfile(fileext = ".md")
    write_report(fit, md, quiet = TRUE,
                 parts = setdiff(fit_section_names, c("measures", "modifications")))
    lines <- readLines(md, encoding = "UTF-8")
    outside <- lines_outside_fences(lines)
    outside <- gsub("(`+) ?.*? ?\\1", "", outside, perl = TRUE)      # code spans
    expect_false(any(grepl("<[a-zA-Z/!]", outside)), label = name)
    linked <- grepl("(?<!\\\\)\\]\\(", outside, perl = TRUE)
    expect_true(all(grepl("^!\\[([^]\\\\]|\\\\.)*\\]\\(file[0-9a-f]+-figures/[a-z-]+[.]png\\)$",
                          outside[linked])), label = name)
    expect_false(any(grepl("^---|^```\\{", outside[-1])), label = name)
  }
  docx <- tempfile(fileext = ".docx")
  for (name in c("code", "odd")) {
    write_report(planted_fit(planted[[name]]), docx, quiet = TRUE,
                 parts = setdiff(fit_section_names, c("modifications", "measures")))
    text <- officer::docx_summary(officer::read_docx(docx))$text
    expect_gte(sum(text == plain_line(planted[[name]]), na.rm = TRUE), 2L)
  }
  expect_false(file.exists("planted"))
  expect_length(list.files(), 0L)
})

test_that("levels and constructs of groups are text in a report of a ladder", {
  blank_figures()
  d <- choirs
  d$setting <- ifelse(d$setting == "evening", planted[["code"]], "[a](javascript:b)")
  bp <- blueprint("B") |> construct(planted[["live"]], reflected_in = be1:be4)
  ladder <- suppressMessages(invariance(bp, d, by = "setting"))
  file <- tempfile(fileext = ".html")
  write_report(ladder, file, quiet = TRUE)
  page <- xml2::read_html(file)
  expect_length(xml2::xml_find_all(page, "//img[@onerror]|//a[contains(@href, 'java')]"), 0)
  expect_own_script(page)
  expect_true(plain_line(planted[["code"]]) %in% xml2::xml_text(xml2::xml_find_all(page, "//td")))
})

test_that("what lies beside a report is left alone, and Word says the same as the page", {
  blank_figures()
  folder <- tempfile()
  dir.create(folder)
  for (name in c("mine_files", "mine-figures")) {
    dir.create(file.path(folder, name))
    writeLines("keep", file.path(folder, name, "notes.txt"))
  }
  fit <- quiet_fit(blueprint("B") |> construct("B", reflected_in = be1:be4), choirs)
  for (ending in c("html", "md", "docx"))
    write_report(fit, file.path(folder, paste0("mine.", ending)), quiet = TRUE)
  for (name in c("mine_files", "mine-figures"))
    expect_equal(readLines(file.path(folder, name, "notes.txt")), "keep")
  expect_setequal(list.files(folder), c("mine.html", "mine.md", "mine.docx", "mine_files",
                                        "mine-figures"))
  word <- officer::docx_summary(officer::read_docx(file.path(folder, "mine.docx")))
  word$text <- gsub("\u00a0", " ", word$text)
  html <- xml2::read_html(file.path(folder, "mine.html"))
  page <- xml2::xml_text(xml2::xml_find_all(html, "//td"))
  cells <- word$text[word$content_type == "table cell" & !word$is_header]
  bare <- function(x) setdiff(gsub("(?<![0-9])0[.](?=[0-9])", ".", x, perl = TRUE), "")
  expect_setequal(bare(page), bare(cells))
  # as journals require: numbered captions, no leading zero where a value cannot exceed 1
  for (caption in c("Table 1", "Table 2", "Figure 1"))
    expect_true(any(startsWith(word$text, caption)), label = caption)
  expect_true(format_share(glance(fit)$cfi, 3L) %in% cells)
  expect_match(word$text, "^Note[.] ", all = FALSE)
})

test_that("tables in Word are as wide as the page at most, and no word is broken", {
  blank_figures()
  skip_if_not_installed("officer")
  docx <- tempfile(fileext = ".docx")
  write_report(planted_fit("settled is about calm, too, and asks for more"), docx, quiet = TRUE)
  folder <- tempfile()
  utils::unzip(docx, "word/document.xml", exdir = folder)
  xml <- paste(readLines(file.path(folder, "word", "document.xml"), warn = FALSE), collapse = "")
  tables <- regmatches(xml, gregexpr("<w:tblGrid>.*?</w:tblGrid>", xml, perl = TRUE))[[1L]]
  expect_gt(length(tables), 3)
  inches <- vapply(tables, function(table) {
    widths <- regmatches(table, gregexpr("(?<=w:w=\")[0-9]+", table, perl = TRUE))[[1L]]
    sum(as.numeric(widths)) / 1440
  }, 0)
  expect_true(all(inches > 0.5 & inches <= 6.35))
  widths <- orizzonte:::word_widths(list(c("a b c", strrep("word ", 40)), "[0.001,\u00a01.000]"),
                                    c("text", "95% interval"), character())
  expect_lt(sum(widths$width), 6.31)
  expect_gt(widths$width[2], 0.061 * 14)
  # words have room for a wider font where the page is full
  full <- orizzonte:::word_widths(list("missing", strrep("word ", 40)), c("missing", "text"),
                                  character())
  expect_gt(full$width[1],
            1.19 * orizzonte:::line_width("missing") * full$points / 72 + orizzonte:::cell_padding)
  expect_lt(sum(full$width), 6.31)
  # many columns: smaller letters, the page is kept
  many <- orizzonte:::word_widths(rep(list("reliability"), 14), rep("reliability", 14), character())
  expect_lt(sum(many$width), 6.31)
  expect_lt(many$points, 8.5)
})

# The parts of a Word file by name.
word_files <- function(fit, ...) {
  docx <- tempfile(fileext = ".docx")
  write_report(fit, docx, quiet = TRUE, ...)
  folder <- tempfile()
  utils::unzip(docx, exdir = folder)
  lapply(c(document = "word/document.xml", core = "docProps/core.xml"), function(name) {
    xml2::read_xml(file.path(folder, name))
  })
}

test_that("Word gets captions as fields, list styles, alternative texts and our metadata", {
  blank_figures()
  skip_if_not_installed("officer")
  fit <- quiet_fit(read_blueprint(extdata("choirs.yaml")), choirs)
  files <- word_files(fit, parts = c("summary", "diagram", "fit", "residuals", "limits"))
  find <- function(path) xml2::xml_find_all(files$document, path)
  fields <- xml2::xml_attr(find("//w:fldSimple"), "instr")
  numbers <- xml2::xml_text(find("//w:fldSimple"))
  tables <- grepl("SEQ Table", fields)
  expect_identical(numbers[tables], as.character(seq_len(sum(tables))))
  expect_identical(numbers[!tables], as.character(seq_len(sum(!tables))))
  expect_equal(sum(tables), length(find("//w:tbl")))
  expect_gte(sum(!tables), 2L)
  expect_gt(length(find("//w:pStyle[@w:val='ListBullet']")), 0L)
  expect_length(find("//w:t[starts-with(., '\u2022')]"), 0L)
  alt <- xml2::xml_attr(find("//wp:docPr"), "descr")
  expect_true(all(nchar(alt) > 20L))
  expect_equal(length(find("//w:tblHeader")), sum(tables))
  # every style that is used belongs to the template
  template <- tempfile()
  utils::unzip(system.file("report", "template.docx", package = "orizzonte"), exdir = template)
  styles <- xml2::read_xml(file.path(template, "word", "styles.xml"))
  expect_true(all(xml2::xml_attr(find("//w:pStyle"), "val") %in%
                    xml2::xml_attr(xml2::xml_find_all(styles, "//w:style"), "styleId")))
  core <- xml2::xml_text(xml2::xml_find_all(files$core, "/*/*"))
  expect_true(any(grepl("^orizzonte [0-9]", core)))
  expect_true("Singing in an amateur choir" %in% core)
})

test_that("sections can be chosen by name, and cautions always stay", {
  blank_figures()
  fit <- quiet_fit(read_blueprint(extdata("choirs.yaml")), choirs)
  headings <- function(x, parts) {
    file <- tempfile(fileext = ".html")
    write_report(x, file, quiet = TRUE, parts = parts)
    xml2::xml_text(xml2::xml_find_all(xml2::read_html(file), "//h2"))
  }
  expect_identical(headings(fit, c("limits", "summary")),
                   c(text_of("in_short"), text_of("head_limits")))
  bp <- blueprint("Warmth") |> construct("Warmth", reflected_in = wa1:wa4) |>
    construct("Calm", reflected_in = cl1:cl3)
  file <- tempfile(fileext = ".md")
  write_report(suppressWarnings(quiet_fit(bp, choirs_troubled)), file, quiet = TRUE, parts = "fit")
  expect_match(readLines(file), text_of("improper_solution"), fixed = TRUE, all = FALSE)
  expect_error(write_report(fit, file, parts = "estimate"), "estimates",
               class = "orizzonte_error_input")
  expect_error(write_report(fit, file, parts = 1), class = "orizzonte_error_input")
  expect_error(write_report(fit, file, parts = "rungs"), class = "orizzonte_error_input")
  expect_error(write_report(construct_quality(fit), file, parts = "summary"),
               text_pattern("parts_only_of_fits"), class = "orizzonte_error_input")
  both <- headings(list(one = fit, two = fit), "limits")
  expect_identical(both, c(text_of("the_models_compared"), "one", "two"))
})

test_that("a page has landmarks, captions and column headings that assistive tools can read", {
  blank_figures()
  fit <- quiet_fit(read_blueprint(extdata("choirs.yaml")), choirs)
  file <- tempfile(fileext = ".html")
  write_report(fit, file, quiet = TRUE)
  page <- xml2::read_html(file)
  find <- function(path) xml2::xml_find_all(page, path)
  expect_length(find("//main"), 1L)
  expect_length(find("//header/nav[@aria-label]"), 1L)
  expect_length(find("//table[not(caption)]"), 0L)
  expect_length(find("//th[not(@scope)]"), 0L)
  expect_length(find("//th[not(normalize-space(.))]"), 0L)
  expect_length(find("//pre[not(@tabindex)]"), 0L)
  expect_length(find("//figure[not(figcaption)]"), 0L)
  expect_true(all(nchar(xml2::xml_attr(find("//img"), "alt")) > 20L))
  # headings do not skip a level
  levels <- as.integer(sub("h", "", xml2::xml_name(find("//h1|//h2|//h3|//h4"))))
  expect_true(all(diff(levels) <= 1L))
  captions <- xml2::xml_text(find("//caption/span"))
  expect_identical(captions, paste0("Table\u00a0", seq_along(captions), "."))
  expect_length(find("//tbody/tr[not(td)]"), 0L)
})
