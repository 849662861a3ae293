test_that("addresses are read and written back canonically", {
  same <- c("loading[Belonging, be3]", "effect[Calm, Staying]", "variance[Calm]",
            "covariance[be1, be2]", "intercept[be3 | evening]",
            "loading[Calm, ]", "covariance[, be2]", "mean[`years of age`]",
            "loading[F, `01` | `Group 1`]", "r_squared[Staying]", "quantity[ratio]",
            "loading[Calm, c(sc1, sc2)]", "variance[items]", "covariance[constructs]")
  for (text in same) expect_identical(format(parse_address(text)), text)
  expect_identical(format(parse_address("intercept[w1:w3]")), "intercept[c(w1, w2, w3)]")
  expect_identical(format(parse_address(quote(loading[A, "b c"]))), "loading[A, `b c`]")
  expect_identical(parse_address("loading[A, b | 2]")$group, "2")
})

test_that("names that R would not read get backticks, accented ones do not", {
  expect_identical(address_name(c("x1", "1x", "if", "\u00e9lan", "a b", ".5", "_a", "x.y")),
                   c("x1", "`1x`", "`if`", "\u00e9lan", "`a b`", "`.5`", "`_a`", "x.y"))
})

test_that("what is no address says so, with the nearest head", {
  expect_error(parse_address("laoding[A, b]"), text_pattern("did_you_mean", near = "\"loading\""),
               class = "orizzonte_error_address")
  expect_error(parse_address("A + b"), text_pattern("not_address"),
               class = "orizzonte_error_address")
  expect_error(parse_address("loading[A"), text_pattern("not_address"),
               class = "orizzonte_error_address")
  expect_error(parse_address("loading[A]"), "takes 2", class = "orizzonte_error_address")
  expect_error(parse_address("variance[A, b]"), "takes 1", class = "orizzonte_error_address")
  expect_error(parse_address("loading[f(A), b]"), "Cannot read", class = "orizzonte_error_address")
})

test_that("slices and patterns match rows in any order of the names", {
  table <- list(kind = c("loading", "loading", "covariance", "variance", "variance"),
                first = c("A", "A", "x1", "A", "x1"), second = c("x1", "x2", "x2", NA, NA),
                group = rep(NA_character_, 5))
  match <- function(text) address_match(parse_address(text), table, "A")
  expect_equal(match("loading[A, ]"), 1:2)
  expect_equal(match("covariance[x2, x1]"), 3L)
  expect_equal(match("variance[items]"), 5L)
  expect_equal(match("variance[constructs]"), 4L)
  expect_equal(match("loading[A, x2:x3]"), 2L)
  expect_length(match("loading[B, x1]"), 0)
})

test_that("every parameter an estimate table prints can be pasted back", {
  fit <- quiet_fit(blueprint("x") |> construct("B", reflected_in = be1:be4) |>
                   effect(years ~ B), choirs)
  for (text in estimates(fit)$parameter) {
    expect_identical(format(parse_address(text)), text)
    expect_length(address_match(parse_address(text), fit$layout$rows, "B"), 1)
  }
})

test_that("names with backslashes, backticks and line breaks are written so that they read back", {
  for (x in c("a\\b", "a`b", "a\nb", "a\tb`\\`c", "\u00e9 x", "\001z", "\\", "a\\nb")) {
    address <- orizzonte:::address_format("covariance", x, "be1", x)
    expect_no_match(address, "[[:cntrl:]]")
    expect_equal(unclass(parse_address(address))[c("first", "group")], list(first = x, group = x),
                 ignore_attr = TRUE)
  }
})
