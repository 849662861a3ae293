# The same numbers in one process, on several workers, and after failures.

bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
fit <- quiet_fit(bp, choirs[1:200, ], incomplete = "drop")
boot <- function(...) bootstrap_fit(fit, 40, seed = 1, interval = "percentile", ...)

test_that("two local workers and a cluster over sockets give the numbers of one process", {
  skip_if_not_installed("future")
  one <- boot()
  before <- future::plan("multisession", workers = 2)
  on.exit(future::plan(before))
  expect_identical(boot()$theta, one$theta)
  expect_identical(as.data.frame(boot()), as.data.frame(one))
  future::plan("cluster", workers = future::makeClusterPSOCK(2, autoStop = TRUE))
  expect_identical(boot()$values, one$values)
})

test_that("progress goes to whoever handles it", {
  skip_if_not_installed("progressr")
  told <- 0
  long <- function() {
    withCallingHandlers(bootstrap_fit(fit, 300, seed = 1, interval = "percentile"),
                        progression = function(p) told <<- told + 1)
  }
  progressr::with_progress(long(), handlers = progressr::handler_void(), enable = TRUE)
  expect_gt(told, 3)
})

test_that("the part of a worker that dies is made again, and said", {
  skip_if_not_installed("future")
  skip_on_os("windows")
  flag <- tempfile()
  main <- Sys.getpid()
  deadly <- function(f) {
    if (Sys.getpid() != main && !file.exists(flag)) {
      file.create(flag)
      tools::pskill(Sys.getpid(), tools::SIGKILL)
    }
    stats::coef(f)
  }
  before <- future::plan("multisession", workers = 2)
  on.exit(future::plan(before))
  said <- character()
  found <- withCallingHandlers(suppressWarnings(boot(what = deadly)), message = function(m) {
    said <<- c(said, conditionMessage(m))
    invokeRestart("muffleMessage")
  })
  expect_true(file.exists(flag))
  expect_true(any(grepl("worker was lost", said)))
  future::plan("sequential")
  expect_identical(unname(found$values), unname(boot(what = stats::coef)$values))
})

test_that("finished parts are kept and gone on from; those of other work are not taken", {
  folder <- fresh_folder()
  calls <- 0
  stopping <- function(f) {
    calls <<- calls + 1
    if (calls == 25) rlang::interrupt()
    stats::coef(f)
  }
  counting <- function(f) {
    calls <<- calls + 1
    stats::coef(f)
  }
  tryCatch(boot(what = stopping, folder = folder), interrupt = function(i) NULL)
  expect_length(list.files(folder, "^[.]"), 0)        # nothing half-written
  first <- boot(what = stats::coef, folder = folder)
  files <- list.files(folder)
  expect_gt(length(files), 1)
  # a part that is lost is recomputed, the others are not
  kept <- list.files(folder, "-[0-9]+[.]json$", full.names = TRUE)
  expect_identical(boot(what = stats::coef, folder = folder)$values, first$values)
  expect_identical(list.files(folder, "-[0-9]+[.]json$", full.names = TRUE), kept)
  unlink(kept[1])
  writeBin(as.raw(1:5), kept[2])                       # damaged: not taken
  expect_identical(boot(what = stats::coef, folder = folder)$values, first$values)
  other <- bootstrap_fit(fit, 40, stats::coef, seed = 2, interval = "percentile", folder = folder)
  expect_false(identical(other$values, first$values))
  file <- tempfile()
  writeLines("", file)
  expect_error(boot(folder = file.path(file, "below")), class = "orizzonte_error_file")
})

test_that("parts that were altered, or are of other replicates, are computed again, and said", {
  folder <- fresh_folder()
  first <- boot(folder = folder)
  lines <- function() Filter(nzchar, readLines(file.path(folder, parts_name)))
  parts <- lapply(lines(), read_json_text)
  path <- function(k) file.path(folder, parts[[k]]$path)
  again <- function() {
    said <- character()
    found <- withCallingHandlers(boot(folder = folder), message = function(m) {
      said <<- c(said, conditionMessage(m))
      invokeRestart("muffleMessage")
    })
    expect_identical(found$values, first$values)
    expect_identical(as.data.frame(found), as.data.frame(first))
    sum(grepl(text_pattern("replicates_computed_again"), said))
  }
  expect_identical(again(), 0L)
  whole <- readBin(path(1), "raw", file.size(path(1)))
  writeBin(whole[seq_len(length(whole) %/% 2)], path(1))
  writeBin(raw(), path(2))
  expect_identical(again(), 2L)
  expect_identical(again(), 0L)
  # other values
  text <- rawToChar(whole)
  writeChar(sub("\"0[.]", "\"5.", text), path(1), eos = NULL)
  expect_identical(again(), 1L)
  # a part under another name, and one that claims other replicates
  file.copy(path(1), path(2), overwrite = TRUE)
  expect_identical(again(), 1L)
  listed <- lines()
  writeLines(sub("\"first\":1,", "\"first\":11,", listed), file.path(folder, parts_name))
  expect_identical(again(), 0L)                       # not listed: simply not there
  writeLines(sub("\"count\":10", "\"count\":9", listed), file.path(folder, parts_name))
  again()
  # a part and its hash both made up: a file that is not a part is not used
  for (text in c("{}", "{\"type\": \"list\", \"values\": []}", "[1]", strrep("[", 1e5),
                 plain_json(to_plain(list(1))))) {
    writeLines(text, path(1))
    entry <- utils::modifyList(parts[[1]], file_entries(folder, parts[[1]]$path)[[1]])
    writeLines(c(lines(), jsonlite::toJSON(entry, auto_unbox = TRUE, digits = NA)),
               file.path(folder, parts_name))
    expect_identical(again(), 1L)
  }
  # R objects are not read
  victim <- tempfile()
  home <- new.env()
  delayedAssign("p", file.create(victim), assign.env = home)
  for (name in c(parts[[1]]$path, sub("json$", "rds", parts[[1]]$path), parts_name)) {
    saveRDS(home, file.path(folder, name))
    again()
  }
  expect_false(file.exists(victim))
})

test_that("a folder of parts is used by one process at a time, and links in it are not followed", {
  skip_on_os("windows")
  folder <- fresh_folder()
  release <- lock_folder(folder)
  expect_error(boot(folder = folder), class = "orizzonte_error_locked")
  release()
  victim <- tempfile()
  writeLines("mine", victim)
  file.symlink(victim, file.path(folder, parts_name))
  expect_error(boot(folder = folder), text_pattern("is_link_is_not"),
               class = "orizzonte_error_file")
  expect_identical(readLines(victim), "mine")
  expect_false(dir.exists(file.path(folder, ".lock")))
})

test_that("an interrupt of a long run ends it at once and is an interrupt", {
  skip_on_os("windows")
  code <- paste0("suppressMessages({library(orizzonte); ",
                 "fit <- fit_model(blueprint('C') |> construct('C', reflected_in = sc1:sc4) |> ",
                 "construct('B', reflected_in = be1:be4), choirs)}); cat('ready\\n'); ",
                 "r <- tryCatch({bootstrap_fit(fit, 1e6, seed = 1, interval = 'percentile'); ",
                 "'done'}, ",
                 "interrupt = function(i) 'interrupted'); cat(r, '\\n')")
  expect_identical(interrupted_run(code), c("ready", "interrupted"))
})
