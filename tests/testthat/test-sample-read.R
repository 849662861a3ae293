write_text <- function(..., ext = ".csv") {
  file <- tempfile(fileext = ext)
  writeLines(c(...), file)
  file
}

test_that("tables are read as they stand", {
  table <- read_data_file(write_text("a,b c,\u00e9", "1,2,x", ",3,\"y, z\""))
  expect_named(table, c("a", "b c", "\u00e9"))
  expect_equal(table$a, c(1, NA))
  expect_equal(table[["\u00e9"]], c("x", "y, z"))
  expect_equal(read_data_file(write_text("a\tb", "1\t2", ext = ".tsv"))$b, 2)
  file <- tempfile(fileext = ".csv")
  writeBin(c(as.raw(c(0xEF, 0xBB, 0xBF)), charToRaw("a,b\n1,2\n")), file)   # byte-order mark
  expect_named(read_data_file(file), c("a", "b"))
})

test_that("a summary-data file is recognised", {
  expect_s3_class(read_data_file(write_text("row,a,b", ".n,50,", "a,1,", "b,0.3,2")),
                  "orizzonte_summary_data")
  expect_s3_class(read_data_file(write_text(".group,row,a,b", "g,.n,50,", "g,a,1,", "g,b,0.3,2")),
                  "orizzonte_summary_data")
})

test_that("files that cannot be read say why", {
  refuse <- function(file, text) {
    expect_error(read_data_file(file), text, class = "orizzonte_error_file")
  }
  refuse("not-there.csv", "There is no file")
  refuse(file.path("no-such-folder", "x.csv"), "There is no folder")
  refuse(tempdir(), "is a folder")
  refuse(write_text(character()), "is empty")
  refuse(write_text("a,b"), "no rows")
  refuse(write_text("a;b", "1;2"), "semicolons")
  binary <- tempfile(fileext = ".csv")
  writeBin(as.raw(c(1, 0, 2, 0)), binary)
  refuse(binary, "not a text file")
  near <- write_text("a", "1")
  expect_error(read_data_file(sub("\\.csv$", ".csw", near)), text_pattern("did_you_mean"),
               class = "orizzonte_error_file")
})

test_that("a summary-data file with something wrong says where", {
  refuse <- function(text, ...) {
    expect_error(read_summary_data(write_text(...)), text, class = "orizzonte_error")
  }
  refuse("first column must be called `row`", "x,a", "a,1")
  refuse("\"one\" in row \"a\" is not a number", "row,a,b", ".n,5,", "a,one,", "b,0.1,1")
  refuse("there is no row for \"b\"", "row,a,b", ".n,5,", "a,1,")
  refuse("number of cases", "row,a,b", "a,1,", "b,0.1,1")
  refuse("is missing", "row,a,b,c", ".n,50,,", "a,1,,", "b,,1,", "c,0.1,0.1,1")
  expect_error(read_summary_data(write_text("row,a,b", ".n,5,", "a,1,", "b,0.1,1"), group = "x"),
               text_pattern("has_no_group_column"), class = "orizzonte_error_file")
})

test_that("summary data print what they hold", {
  s <- read_summary_data(system.file("extdata", "choirs-summary.csv", package = "orizzonte"))
  expect_output(print(s), "14 variables, n = 630")
  expect_equal(s$covariance["be1", "be1"], 17.46^2 * 629 / 630)
  expect_equal(stats::cov2cor(s$covariance)["be1", "be2"], 0.683)
  expect_equal(s$mean[["sc2"]], 55.43)
})

# A file of exactly these bytes.
write_exactly <- function(..., ext = ".csv") {
  file <- tempfile(fileext = ext)
  writeBin(unlist(lapply(list(...), function(x) if (is.raw(x)) x else charToRaw(x))), file)
  file
}

test_that("no line is filled, cut, skipped or shifted: file, line and cause are named", {
  refuse <- function(text, cause) {
    expect_error(read_data_file(write_exactly(text)), cause, class = "orizzonte_error_file")
  }
  refuse("a,b\n1,2\n3,4,5\n", "line 3: expected 2 fields but found 3")
  refuse("a,b\n1,2\n3\n", "line 3: expected 2 fields but found 1")
  refuse("a,b\n1,2,\n3,4,\n", "line 2: expected 2 fields but found 3")
  refuse("a,b,\n1,2,\n3,4\n", "line 3: expected 3 fields but found 2")
  refuse("a,b\n1,2\n\n3,4\n", "line 3: a blank line")
  refuse("a,b\n1,\"x\n3,4\n5,6\n", paste("line 2:", text_of("quote_is_opened_never")))
  refuse("a,b\n\"x\",1,9\n\"y\",2\n\"z\",3\n", "line 2: expected 2 fields but found 3")
  refuse("a,b\n\"x\ny\",1\nz,2,3\n", "line 4: expected 2 fields but found 3")
  refuse("x\ty\n1,2\n", "line 2: expected 1 field but found 2")
  # the last rows of a long file count as much as the first
  long <- paste0("a,b\n", strrep("1,2\n", 5000L))
  refuse(paste0(long, "1,2,3\n"), "line 5002: expected 2 fields but found 3")
  expect_equal(dim(read_data_file(write_exactly(long))), c(5000L, 2L))
})

test_that("what is well formed is read as it stands", {
  read <- function(text, ...) read_data_file(write_exactly(text), ...)
  expect_message(trailing <- read("a,b,\n1,2,\n3,4,\n"), text_pattern("every_line_ends_separator"))
  expect_equal(trailing, data.frame(a = c(1L, 3L), b = c(2L, 4L)))
  for (end in c("\n", "\r\n", "\r"))
    expect_equal(read(paste0("a,b", end, "1,2", end, end)), data.frame(a = 1L, b = 2L))
  expect_equal(read("a,b\n1,\"x, \"\"y\"\"\nz\"\n2,t\n")$b, c("x, \"y\"\nz", "t"))
  expect_equal(read("id,x\n9007199254740992,1\n2,2\n")$id, c(9007199254740992, 2))
  expect_equal(read("d,x\n2024-01-01,1\n")$d, "2024-01-01")
  expect_equal(read("a\n1\n\n3\n")$a, c(1L, NA, 3L))
  written <- tempfile(fileext = ".csv")
  utils::write.csv(choirs, written, row.names = FALSE)
  back <- read_data_file(written)
  expect_equal(back[vapply(choirs, is.numeric, NA)], choirs[vapply(choirs, is.numeric, NA)],
               ignore_attr = TRUE)
})

test_that("bytes are what they are said to be, or an error", {
  latin <- write_exactly("a,b\n1,", as.raw(0xe9), "t", as.raw(0xe9), "\n2,x\n")
  expect_error(read_data_file(latin), text_pattern("line_byte_is_not", bad = "2"),
               class = "orizzonte_error_file")
  expect_equal(read_data_file(latin, encoding = "latin1")$b[1], "\u00e9t\u00e9")
  expect_error(read_data_file(latin, encoding = "nonsense"), text_pattern("there_is_no_encoding"),
               class = "orizzonte_error_input")
  expect_equal(names(read_data_file(write_exactly(as.raw(c(0xef, 0xbb, 0xbf)), "a\n1\n"))), "a")
  expect_error(read_data_file(write_exactly(as.raw(c(0xff, 0xfe)), "a")), "UTF-16",
               class = "orizzonte_error_file")
  summary <- write_exactly("row,", as.raw(0xe9), ",b\n.n,50,\n", as.raw(0xe9), ",1,\nb,0.3,2\n")
  expect_named(read_summary_data(summary, encoding = "latin1")$means %||% c(a = 1))
  blueprint <- write_exactly("constructs: {F: {reflected_in: [a, b, ", as.raw(0xe9), "]}}\n",
                             ext = ".yaml")
  expect_error(read_blueprint(blueprint), text_pattern("line_byte_is_not", bad = "1"),
               class = "orizzonte_error_file")
  file <- write_exactly("constructs: {B: {reflected_in: [a1, a2, a3]}}\n", ext = ".yaml")
  data <- write_exactly("a1,a2,a3,t\n", paste0(1:60 %% 7, ",", 1:60 %% 4, ",", 1:60 %% 9, ",x\n",
                                              collapse = ""), "1,2,3,", as.raw(0xe9), "\n")
  expect_equal(command("check", file, data)$code, 2)
  expect_match(command("check", file, data)$err, text_pattern("line_byte_is_not", bad = "62"))
  expect_equal(command("check", file, data, "--encoding", "latin1")$code, 0)
})

test_that("a YAML file of endless depth, with anchors or a second document is refused at once", {
  refuse <- function(text, cause) {
    expect_little_work(expect_error(read_blueprint(write_exactly(text, ext = ".yaml")), cause,
                                class = "orizzonte_error_file"))
  }
  refuse(paste0("title: ", strrep("[", 20000), strrep("]", 20000)), "levels deep")
  refuse(paste0("title: ", strrep("{a: ", 20000), "1", strrep("}", 20000)), "levels deep")
  refuse(paste0("a:\n", paste0(strrep(" ", 1:300), "b:\n", collapse = "")), "levels deep")
  refuse(paste0("title:\n  ", strrep("- ", 20000), "x"), "levels deep")
  refuse("title: &a [x]\ncovary: [*a, *a]\n", "anchors and aliases are not supported")
  refuse("title: one\n---\ntitle: two\n", "line 2: a second document begins")
  one <- read_blueprint(write_exactly("---\n# a comment\ntitle: 'R&D: *all* of it'\n...\n",
                                      ext = ".yaml"))
  expect_equal(one$title, "R&D: *all* of it")
})

test_that("leading zeros of groups and clusters are kept by every reader", {
  data <- choirs[1:60, paste0("be", 1:4)]
  data$id <- rep(c("007", "7", "7.0"), 20)
  bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)
  file <- tempfile(fileext = ".csv")
  utils::write.csv(data, file, row.names = FALSE, na = "", quote = FALSE)
  read <- read_data_file(file, text = "id")
  expect_identical(read$id, data$id)
  expect_true(is.numeric(read$be1))
  # numbers in their plain form are numbers: codes for missing are numbers as well
  expect_identical(plain_numbers(c("7", "10", NA, "-9")), c(7, 10, NA, -9))
  for (odd in c("07", "7.0", "1e3", "+7", " 7", "x"))
    expect_identical(plain_numbers(c(odd, "8")), c(odd, "8"))
  groups <- suppressMessages(collect_summary(file, bp, by = id, chunk = 7))
  expect_setequal(names(groups), c("007", "7", "7.0"))
  skip_if_not_installed("RSQLite")
  base <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  on.exit(DBI::dbDisconnect(base))
  DBI::dbWriteTable(base, "singers", data)
  stored <- suppressMessages(collect_summary(database_table(base, "singers"), bp, by = id))
  expect_setequal(names(stored), names(groups))
  for (g in names(groups)) expect_equal(groups[[g]]$n, stored[[g]]$n)
})
