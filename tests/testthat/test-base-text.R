test_that("numbers are shown calmly", {
  expect_identical(format_fixed(c(1.23456, -0.5, NA)), c("1.235", "-0.500", ""))
  expect_identical(format_fixed(12345678), "1.235e+07")
  expect_identical(format_number(c(0.00012345, 0, 2, NA)), c("0.000123", "0.000", "2.000", ""))
  expect_identical(format_p(c(0.0004, 0.05, 0.9999, NA)), c("< .001", ".050", "1.000", ""))
  expect_identical(format_count(c(5, 12345)), c("5", "12,345"))
  expect_identical(short_number(0.9), ".90")
  expect_identical(short_number(0.999), ".999")
  expect_identical(short_number(200), "200")
  expect_identical(p_clause(0.2), "= .200")
  expect_identical(p_clause(1e-9), "< .001")
})

test_that("numbers that must read back exactly do", {
  set.seed(3)
  x <- c(rnorm(50) * 10^sample(-8:8, 50, TRUE), 0.1, 0.1 + 0.2, 1 / 3, 1e-300, 1e15 + 1)
  expect_identical(as.numeric(format_exact(x)), x)
  expect_identical(format_exact(c(1, 0.5, 100)), c("1", "0.5", "100"))
})

test_that("lists of names read as sentences", {
  expect_identical(enumerate("a"), "a")
  expect_identical(enumerate(c("a", "b")), "a and b")
  expect_identical(enumerate(c("a", "b", "c"), last = " or "), "a, b or c")
  expect_identical(enumerate(letters[1:10], most = 3L), "a, b, c and 7 more")
  expect_identical(count_of(1, "row"), "1 row")
  expect_identical(count_of(2, "row"), "2 rows")
  expect_identical(plural(c("loading", "covariance")), c("loadings", "covariances"))
})

test_that("lines are wrapped without losing their alignment", {
  before <- options(width = 60)
  on.exit(options(before))
  line <- paste0("Belonging  reflected in ", paste0("item", 1:20, collapse = ", "))
  out <- wrap_lines(line, indent = 2L, hang = 13L)
  expect_true(all(nchar(out) <= 60))
  expect_match(out[1], "^  Belonging  reflected in item1")
  expect_match(out[2], "^ {13}item")
  expect_identical(gsub(" +", " ", trimws(paste(trimws(out), collapse = " "))),
                   gsub(" +", " ", line))
  expect_identical(wrap_lines("short"), "short")
})

test_that("tables are aligned, numbers to the right", {
  lines <- format_table(list(name = c("a", "long"), value = c("1.5", "10.25")), c(FALSE, TRUE))
  expect_identical(lines, c("  name  value", "  a       1.5", "  long  10.25"))
  accented <- format_table(list(name = c("\u00e9t\u00e9", "x"), value = c("1", "2")),
                           c(FALSE, TRUE))
  expect_length(unique(nchar(accented, "width")), 1)
  expect_equal(nchar(heading("Title")), output_width())
})

test_that("the nearest name is near, or none is given", {
  expect_identical(nearest("be3x", c("be1", "be3", "sc1")), "be3")
  expect_identical(nearest("BELONGING", c("Belonging", "Calm")), "Belonging")
  expect_identical(nearest("cs1", c("be1", "sc1")), "sc1")
  expect_null(nearest("sc1", c("be1", "singer")))
  expect_null(nearest("zzzzzz", c("be1", "sc1")))
  expect_null(nearest("a", character()))
  expect_null(did_you_mean("zzzzzz", "be1"))
})

test_that("every error has the common class and says what to do", {
  condition <- tryCatch(choose_one("x", c("good", "bad"), "`kind`"), error = identity)
  expect_s3_class(condition, "orizzonte_error")
  expect_match(conditionMessage(condition), "\"good\" or \"bad\"")
  expect_error(check_string(1, "`x`"), text_pattern("must_be_one_piece"),
               class = "orizzonte_error_input")
  expect_identical(describe(NULL), "NULL")
  expect_identical(describe(matrix(1)), "a double matrix")
  expect_identical(describe(mean), "a function")
  expect_identical(describe("a"), "the text a")
  expect_identical(describe(lm(dist ~ speed, cars)), "an object of class lm")
})
