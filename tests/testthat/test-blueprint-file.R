round_trip <- function(bp) {
  file <- fresh_file()
  write_blueprint(bp, file)
  read_blueprint(file)
}
fresh_file <- function(ext = ".yaml") tempfile(fileext = ext)
from_text <- function(...) {
  file <- fresh_file()
  writeLines(c(...), file)
  read_blueprint(file)
}

test_that("the round trip is exact, odd names and numbers included", {
  bp <- blueprint("A \"title\": y", scale = "average") |>
    construct("y", reflected_in = c(n, `1e3` = 0.1, on, `years of age`, "\u00e9lan")) |>
    construct("Z", reflected_in = c(a, b, c), scale = "b") |>
    effect(Z ~ y + w, v ~ Z) |>
    effect(Z ~ q) |>
    covary(a, n) |>
    uncorrelate(w, q) |>
    restrict(loading[Z, c] == 0.1, variance[a] == variance[b],
             variance[v] == 0.30000000000000004) |>
    wording(a = "A \\ tab\tand \"quotes\"", n = "yes")
  expect_identical(round_trip(bp), bp)
  demo <- read_blueprint(system.file("extdata", "choirs.yaml", package = "orizzonte"))
  expect_identical(round_trip(demo), demo)
})

test_that("y, n, on and no stay text", {
  bp <- from_text("constructs:", "  F: {reflected_in: [y, n, on, no, 12]}")
  expect_identical(bp$constructs$F$items, c("y", "n", "on", "no", "12"))
})

test_that("bad files are refused with the nearest key, and nothing in them is run", {
  expect_error(from_text("titel: x"), text_pattern("did_you_mean", near = "\"title\""),
               class = "orizzonte_error_file")
  expect_error(from_text("constructs:", "  F: {reflected: [a, b]}"),
               text_pattern("did_you_mean",
                            near = "\"reflected_in\""), class = "orizzonte_error_file")
  expect_error(from_text("- a", "- b"), text_pattern("is_not_blueprint_file"),
               class = "orizzonte_error_file")
  expect_error(from_text("a: [b"), text_pattern("is_not_readable_yaml"),
               class = "orizzonte_error_file")
  expect_error(from_text(""), "is empty", class = "orizzonte_error_file")
  expect_error(read_blueprint("not-there.yaml"), text_pattern("there_is_no_file"),
               class = "orizzonte_error_file")
  victim <- tempfile()
  run <- paste0("file.create('", victim, "')")
  expect_error(from_text("constructs: {F: {reflected_in: [a, b, c]}}",
                         paste0("effects: [\"F ~ ", run, "\"]")), class = "orizzonte_error_file")
  expect_error(from_text("constructs: {F: {reflected_in: [a, b, c]}}",
                         paste0("restrict: [\"loading[F, a] == ", run, "\"]")),
                         class = "orizzonte_error_file")
  expect_error(from_text("constructs: {F: {reflected_in: [a, b, c]}}",
                         paste0("restrict: [\"loading[F, ", run, "] == 1\"]")),
                         class = "orizzonte_error_file")
  expect_error(from_text("title: !expr file.create('x')",
                         "constructs: {F: {reflected_in: [a, b, c]}}"),
               text_pattern("tags_are_not_supported"),
               class = "orizzonte_error_file")
  expect_false(file.exists(victim))
  expect_false(file.exists("x"))
})

test_that("the schema and the reader know the same keys", {
  schema <-
    jsonlite::read_json(system.file("schema", "blueprint.schema.json", package = "orizzonte"))
  expect_setequal(names(schema$properties), blueprint_keys)
  expect_setequal(names(schema$properties$constructs$additionalProperties$properties),
                  construct_keys)
})
