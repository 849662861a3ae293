# quality on the installed command line.

model <- extdata("choirs.yaml")
data <- extdata("choirs.csv")

test_that("quality gives the numbers of R in every format", {
  fit <- quiet_fit(read_blueprint(model), choirs)
  mine <- construct_quality(fit, leave_out = "all")
  found <- command("quality", model, data, "--leave-out", "all", "--format", "json")
  expect_identical(found$code, 0L)
  json <- jsonlite::fromJSON(found$out)
  expect_equal(json$constructs$omega, mine$table$omega, tolerance = 1e-8)
  expect_equal(json$pairs$htmt, mine$pairs$htmt, tolerance = 1e-8)
  expect_equal(json$without_item$omega, mine$left_out$omega, tolerance = 1e-6)
  expect_match(found$out, "falls short|\"verdict\"")
  text <- command("quality", model, data)
  expect_match(text$out, text_pattern("quality_measures"))
  expect_match(text$out, "orizzonte quality .*--leave-out all|orizzonte draw")
  csv <- command("quality", model, data, "--table", "pairs", "--format", "csv", "--by", "setting")
  table <- utils::read.csv(text = csv$out)
  expect_setequal(table$group, c("evening", "weekend"))
  expect_identical(command("quality", model, data, "--htmt", "some")$code, 2L)
  expect_identical(command("quality", model, data, "--table", "split")$code, 2L)
  expect_identical(command("quality", model, data, "--general", "Calm")$code, 2L)
})

test_that("quality splits the variance of bifactor models, and draw shows both", {
  bifactor <- extdata("models/bifactor.yaml")
  own <- extdata("choirs-bifactor.csv")
  csv <- command("quality", bifactor, own, "--table", "split", "--format", "csv")
  table <- utils::read.csv(text = csv$out)
  expect_equal(table$general + table$specific + table$residual, rep(1, 12), tolerance = 1e-10)
  expect_match(command("quality", bifactor, own, "--table", "split")$out, "total score")
  json <- jsonlite::fromJSON(command("quality", bifactor, own, "--table", "scores", "--format",
                                     "json")$out)
  expect_equal(json$items$general, table$general, tolerance = 1e-8)
  for (what in c("split", "quality")) {
    figure <- tempfile(fileext = ".svg")
    expect_identical(command("draw", bifactor, own, "--what", what, "--out", figure)$code, 0L)
    expect_gt(file.size(figure), 5000)
  }
  boot <- command("bootstrap", bifactor, own, "--what", "construct_quality", "--reps", "20",
                  "--seed", "1", "--interval", "percentile", "--format", "csv")
  expect_match(utils::read.csv(text = boot$out)$parameter, "^omega\\[", all = FALSE)
})
