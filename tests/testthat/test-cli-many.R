# bootstrap, cutoffs, plan and the stability tables on the installed command line.

model <- extdata("choirs.yaml")
data <- extdata("choirs.csv")

test_that("bootstrap gives the numbers of R, in every format, and keeps parts", {
  folder <- fresh_folder()
  found <- command("bootstrap", model, data, "--reps", "40", "--seed", "1", "--interval",
                   "percentile", "--incomplete", "drop", "--format", "json", "--resume", folder,
                   "--test")
  expect_identical(found$code, 0L)
  json <- jsonlite::fromJSON(found$out)
  fit <- quiet_fit(read_blueprint(model), choirs, incomplete = "drop")
  mine <- as.data.frame(bootstrap_fit(fit, 40, list(estimates = estimates), seed = 1,
                                      interval = "percentile"))
  expect_equal(json$numbers$se, mine$se, tolerance = 1e-6)
  expect_equal(json$test$p_bootstrap, bootstrap_test(fit, reps = 40, seed = 1)$p_bootstrap)
  expect_gt(length(list.files(folder)), 0)
  csv <- command("bootstrap", model, data, "--reps", "20", "--seed", "1", "--format", "csv",
                 "--what", "fit_indices", "--incomplete", "drop", "--interval", "percentile")
  expect_true("cfi" %in% utils::read.csv(text = csv$out)$parameter)
  expect_identical(command("bootstrap", model, data, "--what", "nonsense")$code, 2L)
  expect_identical(command("bootstrap", model, data, "--reps", "1.5")$code, 2L)
  # a measurement model has no effects
  expect_identical(command("bootstrap", model, data, "--what", "effects", "--reps", "20")$code, 2L)
})

test_that("cutoffs, of a model and of a ladder, with a figure", {
  figure <- tempfile(fileext = ".png")
  found <- command("cutoffs", model, data, "--reps", "20", "--seed", "1", "--incomplete", "drop",
                   "--misspecified", "covariance[sc1, sc2]=.4", "--figure", figure, "--format",
                   "csv")
  expect_identical(found$code, 0L)
  table <- utils::read.csv(text = found$out)
  expect_identical(table$index, c("cfi", "tli", "rmsea", "srmr"))
  expect_gt(file.size(figure), 5000)
  ladder <- command("cutoffs", model, data, "--reps", "20", "--seed", "1", "--incomplete", "drop",
                    "--by", "setting", "--rungs", "configural;metric", "--draw", "model",
                    "--format", "json")
  expect_identical(unique(jsonlite::fromJSON(ladder$out)$cutoffs$rung), "metric")
  expect_identical(command("cutoffs", model, data, "--misspecified", "much")$code, 2L)
})

test_that("plan counts by simulation and by formula, on two workers as on one", {
  truth <- "loading[ , ]=.7"
  words <- c("plan", extdata("choirs-start.yaml"), "--n", "150; 300", "--truth", truth, "--reps",
             "20", "--seed", "4", "--format", "csv", "--missing", ".05")
  one <- do.call(command, as.list(words))
  expect_identical(one$code, 0L)
  table <- utils::read.csv(text = one$out)
  expect_setequal(table$n, c(150, 300))
  skip_if_not_installed("future")
  two <- do.call(command, as.list(c(words, "--workers", "2")))
  expect_identical(two$out, one$out)
  power <- command("plan", extdata("choirs-start.yaml"), "--n", "200", "--truth", truth, "--power",
                   "close fit")
  expect_match(power$out, text_pattern("power_takes_cases", goal = ".80"))
  expect_identical(command("plan", model)$code, 2L)
  expect_identical(command("plan", model, "--n", "100", "--truth", "loading")$code, 2L)
})

test_that("diagnose shows influence and robustness", {
  found <- command("diagnose", model, data, "--table", "influence", "--format", "csv")
  table <- utils::read.csv(text = found$out)
  expect_identical(nrow(table), 720L)
  expect_false(is.unsorted(-table$distance))
  none <- command("diagnose", model, data, "--table", "robustness")
  expect_identical(none$code, 2L)
  expect_match(none$err, "claims")
})
