# Tables and lines within the width of the window.

columns <- list(name = c("alpha", "beta"), a = c("1.00", "22.00"), b = c("3.00", "4.00"),
                c = c("5.00", "6.00"), words = c("short", "a longer remark of several words"))
aligned <- c(FALSE, TRUE, TRUE, TRUE, FALSE)

test_that("a table that fits stays as it is", {
  lines <- at_width(80, format_table(columns, aligned, spare = "a"))
  expect_length(lines, 3)
  expect_identical(lines[2], "  alpha   1.00  3.00  5.00  short")
})

test_that("the spare columns make room, as few as must, and are named", {
  wide <- c(columns[1:4], list(words = c("x", strrep("y", 34))))
  lines <- at_width(60, format_table(wide, aligned, spare = c("b", "a", "c")))
  expect_identical(lines[1], "  name       a     c  words")
  expect_identical(lines[4], "  (in a wider window also: b)")
  expect_true(all(nchar(lines) <= 60))
  lines <- at_width(60, format_table(c(wide[1:4], list(words = c("x", strrep("y", 48)))), aligned,
                                     spare = c("b", "a", "c")))
  expect_identical(lines[4], "  (in a wider window also: b, a and c)")
})

test_that("where the spare columns would not do, nothing is left out", {
  numbers <- stats::setNames(rep(list(c("123.456", "7.890")), 12), paste0("column", 1:12))
  lines <- at_width(60, format_table(c(list(name = c("alpha", "beta")), numbers),
                                     c(FALSE, rep(TRUE, 12)), spare = "column1"))
  expect_true(all(nchar(lines) <= 60))
  expect_identical(sum(lengths(regmatches(lines, gregexpr("column[0-9]+", lines)))), 12L)
  expect_false(any(grepl("wider", lines)))
  expect_true(all(grepl("^  (name|alpha|beta)", lines[nzchar(lines)])))
})

test_that("a last column of words goes on below itself", {
  long <- "words enough to fill more than the line that is left for them beside the others"
  lines <- at_width(60, format_table(c(columns[1:4], list(words = c("short", long))), aligned))
  expect_true(all(nchar(lines) <= 60))
  start <- regexpr("words", lines[1])[1]
  expect_identical(paste(trimws(substring(lines[3:length(lines)], start)), collapse = " "), long)
  expect_identical(trimws(substr(lines[4], 1, start - 1)), "")
})

test_that("one column, no rows, and letters of any width", {
  expect_identical(at_width(60, format_table(list(name = c("a", "b")), FALSE)),
                   c("  name", "  a", "  b"))
  expect_identical(at_width(60, format_table(list(name = character(), x = character()))),
                   "  name  x")
  skip_if_not(isTRUE(l10n_info()[["UTF-8"]]))
  wide <- list(name = c("\u65e5\u672c\u8a9e", "b"), value = c("1", "2"))
  expect_identical(nchar(at_width(60, format_table(wide, c(FALSE, TRUE))), "width"),
                   rep(15L, 3))
})

test_that("lines are folded, commands to be pasted are not", {
  line <- paste("  - ", strrep("word ", 30))
  folded <- at_width(60, fold_lines(line))
  expect_true(all(nchar(folded) <= 60))
  expect_true(all(startsWith(folded[-1], "    word")))
  command <- paste0("Next: orizzonte fit ", strrep("a", 80), ".yaml data.csv")
  expect_identical(at_width(60, fold_lines(command)), command)
  expect_identical(at_width(60, fold_lines(c("short", ""))), c("short", ""))
})
