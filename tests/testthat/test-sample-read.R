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
  expect_error(read_data_file(sub("\\.csv$", ".csw", near)), "Did you mean",
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
               "no `.group` column", class = "orizzonte_error_file")
})

test_that("summary data print what they hold", {
  s <- read_summary_data(system.file("extdata", "choirs-summary.csv", package = "orizzonte"))
  expect_output(print(s), "14 variables, n = 630")
  expect_equal(s$covariance["be1", "be1"], 17.46^2 * 629 / 630)
  expect_equal(stats::cov2cor(s$covariance)["be1", "be2"], 0.683)
  expect_equal(s$mean[["sc2"]], 55.43)
})
