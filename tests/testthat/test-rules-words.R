# Texts decide nothing: with each of them replaced by its name, results stay the same.

test_that("with every text replaced by its name, all results and exit codes are the same", {
  with_keys <- function(code) {
    texts$keys <- TRUE
    on.exit(texts$keys <- FALSE)
    code()
  }
  quietly <- function(code) suppressWarnings(suppressMessages(code))
  start <- read_blueprint(extdata("choirs-start.yaml"))
  bifactor <- blueprint("General") |>
    construct("Image", reflected_in = c(ear1:ear4, voice1:voice4)) |>
    construct("Ear", reflected_in = ear1:ear4) |>
    construct("Voice", reflected_in = voice1:voice4) |>
    uncorrelate(Image, Ear) |> uncorrelate(Image, Voice) |> uncorrelate(Ear, Voice)
  folder <- withr::local_tempdir()
  data <- file.path(folder, "choirs.csv")
  utils::write.csv(choirs, data, row.names = FALSE)
  open <- file.path(folder, "open.yaml")
  write_blueprint(blueprint("Open") |> construct("A", reflected_in = c(be1, be2)), open)
  exit <- function(...) {
    utils::capture.output(code <- quietly(main(c(..., "--quiet"))), file = nullfile())
    code
  }
  results <- function() {
    fit <- fit_model(start, choirs, incomplete = "drop")
    smaller <- refit(fit, blueprint = uncorrelate(start, Belonging, Calm))
    amended <- amend(fit, free = "covariance[be1, be2]", because = "alike")
    frames <- list(
      fit_indices(fit), verdicts(fit), estimates(fit), stats::residuals(fit), r_squared(fit),
      stats::effects(fit), compare_models(fit, smaller), compare_models(fit, smaller, amended),
      trail(amended), without(fit), amendments(fit, top = 3),
      score_test(fit, "covariance[be1, be2]"),
      confirm(amended, choirs[1:300, ])$parameters, side_by_side(fit, smaller),
      as.data.frame(model_cutoffs(fit, 20, seed = 1)), robustness(fit, choices = "inference"),
      influence(fit, top = 2), construct_quality(fit)$table, construct_quality(fit)$pairs,
      variance_split(fit_model(bifactor, choirs_bifactor))$scales,
      as.data.frame(bootstrap_fit(fit, 20, seed = 1, interval = "percentile")),
      as.data.frame(screen_data(choirs)), as.data.frame(rescue(start, choirs[1:60, ])),
      as.data.frame(bootstrap_test(fit, reps = 10, seed = 1)),
      data.frame(power = power_of(fit, "close fit", n = c(100, 200))$power))
    codes <- c(exit("fit", extdata("choirs.yaml"), data), exit("check", open),
               exit("fit", open, data), exit("fit", extdata("choirs.yaml"), "nowhere.csv"),
               exit("nonsense"), exit("invariance", extdata("choirs.yaml"), data, "--by", "setting",
                                      "--rungs", "metric"),
               exit("rescue", extdata("choirs.yaml"), data))
    list(frames = lapply(frames, as.data.frame), codes = codes)
  }
  worded <- quietly(results())
  keyed <- quietly(with_keys(results))
  expect_identical(keyed$codes, worded$codes)
  expect_identical(worded$codes, c(0L, 1L, 1L, 2L, 2L, 0L, 0L))
  # columns in words, for readers: their contents decide nothing
  words <- c("meaning", "criterion", "explanation", "note", "misspecification", "change", "trouble")
  for (k in seq_along(worded$frames)) {
    one <- worded$frames[[k]]
    other <- keyed$frames[[k]]
    expect_identical(names(other), names(one))
    differ <- names(one)[!mapply(identical, as.list(one), as.list(other))]
    expect_identical(setdiff(differ, words), character(), label = paste(k, class(one)[1]))
  }
})

test_that("what is asked of a database is not a text", {
  skip_if_not_installed("RSQLite")
  file <- withr::local_tempfile(fileext = ".db")
  con <- DBI::dbConnect(RSQLite::SQLite(), file)
  DBI::dbWriteTable(con, "choirs", as.data.frame(choirs))
  DBI::dbDisconnect(con)
  bp <- blueprint("Two") |> construct("Belonging", reflected_in = be1:be4)
  collect <- function() {
    collect_summary(paste0("sqlite:", file, "?table=choirs"), bp, by = "setting",
                    missing_codes = -9)
  }
  worded <- suppressMessages(collect())
  texts$keys <- TRUE
  on.exit(texts$keys <- FALSE)
  keyed <- suppressMessages(collect())
  expect_identical(names(keyed), c("evening", "weekend"))
  for (group in names(worded))
    expect_identical(keyed[[group]]$patterns, worded[[group]]$patterns)
})
