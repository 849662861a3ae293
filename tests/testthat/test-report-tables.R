# Every table of a report, cell by cell: the rendered text against the value, and the value against
# the results function it comes from.

bp <- blueprint("Cells") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4) |>
  wording(be1 = "People | greet `me`", be2 = "*Someone* says hello_to me")
fit <- quiet_fit(bp, choirs)
pair <- quiet_fit(covary(bp, be1, be2), choirs)
ladder <- suppressMessages(invariance(bp, choirs, by = setting))
subjects <- list(fit = fit, both = list(plain = fit, pair = pair), ladder = ladder)

tables_of <- function(x) {
  Filter(function(part) part$part == "table", report_leaves(report_of(x, criteria())$parts))
}
flat <- function(x) gsub("[[:space:]]+", " ", trimws(x))

# Rows of Markdown tables: cells between unescaped bars, markup removed.
markdown_tables <- function(lines) {
  inside <- startsWith(lines, "|")
  runs <- rle(inside)
  ends <- cumsum(runs$lengths)
  lapply(which(runs$values), function(k) {
    rows <- lines[(ends[k] - runs$lengths[k] + 1L):ends[k]][-2L]
    cells <- strsplit(gsub("^\\||\\|$", "", rows), "(?<!\\\\)\\|", perl = TRUE)
    lapply(cells, function(x) {
      code <- grepl("^ *`+", x)
      x <- flat(x)
      x[code] <- gsub("\\|", "|", gsub("^`+ ?| ?`+$", "", x[code]), fixed = TRUE)
      x[!code] <- gsub("\\\\(.)", "\\1", gsub("&lt;", "<", x[!code], fixed = TRUE))
      x
    })
  })
}

test_that("what is rendered is what the report holds, in HTML and Markdown", {
  blank_figures()
  folder <- fresh_folder()
  for (name in names(subjects)) {
    wanted <- tables_of(subjects[[name]])
    expect_gt(length(wanted), 3)
    page <- file.path(folder, paste0(name, ".html"))
    write_report(subjects[[name]], page, quiet = TRUE)
    html <- xml2::xml_find_all(xml2::read_html(page), "//table")
    text <- file.path(folder, paste0(name, ".md"))
    write_report(subjects[[name]], text, quiet = TRUE)
    lines <- readLines(text, encoding = "UTF-8")
    fence <- cumsum(grepl("^```", lines)) %% 2L == 1L
    marked <- markdown_tables(ifelse(fence, "", lines))
    expect_length(html, length(wanted))
    expect_length(marked, length(wanted))
    for (k in seq_along(wanted)) {
      cells <- vapply(wanted[[k]]$columns, flat, character(length(wanted[[k]]$columns[[1L]])))
      cells <- matrix(cells, ncol = length(wanted[[k]]$columns))
      found <- flat(xml2::xml_text(xml2::xml_find_all(html[[k]], ".//tbody//td")))
      expect_identical(matrix(found, ncol = ncol(cells), byrow = TRUE), unname(cells))
      expect_identical(flat(xml2::xml_text(xml2::xml_find_all(html[[k]], ".//thead/tr/*"))),
                       flat(names(wanted[[k]]$columns)))
      rows <- do.call(rbind, lapply(marked[[k]][-1L], function(x) {
        c(x, rep("", ncol(cells) - length(x)))
      }))
      expect_identical(unname(rows), unname(cells), info = paste(name, k))
    }
  }
})

table_with <- function(tables, columns) {
  Filter(function(part) all(columns %in% names(part$columns)), tables)[[1L]]$columns
}

test_that("the numbers of a report are those of its readers", {
  columns <- c("parameter", "estimate", "standardized")
  parts <- Filter(function(part) all(columns %in% names(part$columns)), tables_of(fit))
  shown <- lapply(stats::setNames(columns, columns), function(name) {
    unlist(lapply(parts, function(part) part$columns[[name]]))
  })
  table <- estimates(fit)
  table <- table[!is_mean_fixed_to_zero(table), ]    # means fixed at 0 are no finding
  expect_setequal(shown$parameter, table$parameter)
  at <- match(shown$parameter, table$parameter)
  expect_identical(shown$estimate, format_fixed(table$estimate[at]))
  expect_identical(shown$standardized, format_share(table$standardized[at], 3L))
  changes <- table_with(tables_of(subjects$both), c("\u0394\u03c7\u00b2", "against"))
  compared <- compare_models(plain = fit, pair = pair)
  expect_identical(changes[["\u0394\u03c7\u00b2"]],
                   c("", format_fixed(compared$chisq_change[2], 2L)))
  rungs <- table_with(tables_of(ladder), c("rung", "CFI"))
  steps <- as.data.frame(ladder)
  expect_identical(rungs$rung, steps$rung)
  expect_identical(rungs$CFI, format_share(steps$cfi, 3L))
})
