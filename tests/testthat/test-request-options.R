# One table of the options of a fit: everything that reads it knows each of its rows.

test_that("the signatures have the options of the table, in its order and with its defaults", {
  for (taker in c(fitting_functions, "collect_summary")) {
    arguments <- formals(get(taker))
    options <- options_of(taker)
    expect_identical(intersect(names(arguments), names(fit_options$rows)), options, label = taker)
    defaults <- lapply(fit_options$rows[options], `[[`, "default")
    expect_identical(lapply(arguments[options], eval), defaults, label = taker)
  }
  expect_identical(options_of("collect_summary"), c("by", "levels", "missing_codes"))
})

test_that("help pages name every option", {
  pages <- tools::Rd_db("orizzonte")
  text_of_page <- function(name) paste(as.character(pages[[name]]), collapse = "")
  for (option in names(fit_options$rows))
    expect_true(grepl(option, text_of_page("refit.Rd"), fixed = TRUE), label = option)
  for (option in names(written_options()))
    expect_true(grepl(option, text_of_page("run_study.Rd"), fixed = TRUE), label = option)
})

# An option that no function has, and fit_model() with it in its signature.
local_imaginary_option <- function(frame = parent.frame()) {
  before <- fit_options$rows
  withr::defer(fit_options$rows <- before, frame)
  add_options(fit_option("imaginary_way", "choice", "fit_model", "plain", c("plain", "fancy"),
                         metavar = "WAY", help = "an option that is not there"))
  extended <- fit_model
  at <- match("...", names(formals(extended)))
  formals(extended) <- append(formals(extended), list(imaginary_way = "plain"), at - 1L)
  space <- asNamespace("orizzonte")
  usual <- fit_model
  rlang::env_binding_unlock(space, "fit_model")
  assign("fit_model", extended, space)
  withr::defer({
    assign("fit_model", usual, space)
    rlang::env_binding_lock(space, "fit_model")
  }, frame)
}

test_that("a new row of the table is an option of requests, reports and JSON", {
  local_imaginary_option()
  bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)
  usual <- suppressMessages(orizzonte::fit_model(bp, choirs))
  fit <- suppressMessages(orizzonte::fit_model(bp, choirs, imaginary_way = "fancy"))
  expect_identical(usual$request$imaginary_way, "plain")
  expect_identical(fit$request$imaginary_way, "fancy")
  expect_error(orizzonte::fit_model(bp, choirs, imaginary_way = "fancey"),
               class = "orizzonte_error_input")
  expect_identical(refit_quietly(usual, list(imaginary_way = "fancy"))$request$imaginary_way,
                   "fancy")
  expect_true(any(grepl("imaginary_way = \"fancy\"", reproducing_code(fit), fixed = TRUE)))
  expect_false(any(grepl("imaginary", reproducing_code(usual), fixed = TRUE)))
  json <- jsonlite::fromJSON(fit_json(fit, "fit"))
  expect_identical(json$inference$imaginary_way, "fancy")
})

test_that("a new row of the table is an option of the command line and of study files", {
  local_imaginary_option()
  folder <- withr::local_tempdir()
  file <- new_study_files(folder)
  at <- function(name) file.path(folder, name)
  expect_true(any(grepl("--imaginary-way WAY", capture.output(main(c("fit", "--help"))))))
  out <- at("fit.json")
  main(c("fit", at("choirs.yaml"), at("choirs.csv"), "--imaginary-way", "fancy", "--format", "json",
         "--out", out, "--quiet"))
  expect_identical(jsonlite::read_json(out)$inference$imaginary_way, "fancy")
  go_on_from(list(files = c("a.yaml", "b.csv"), imaginary_way = "fancy"))
  withr::defer(go_on_from(NULL))
  expect_identical(command_text("fit"), "orizzonte fit a.yaml b.csv --imaginary-way fancy")
  go_on_from(NULL)
  expect_identical(study_schema()$properties$imaginary_way$enum, list("plain", "fancy"))
  study <- at("small.yaml")
  writeLines(c("data: choirs.csv", "blueprints: {m: choirs.yaml}", "imaginary_way: fancy", "steps:",
               "  - fit: {blueprint: m}"), study)
  made <- run_study(study, quiet = TRUE)
  expect_identical(made$fit$request$imaginary_way, "fancy")
})
