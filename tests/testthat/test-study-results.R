# The results folder of a study: nothing in it is run, no file of the user's is touched, alterations
# are noticed, and one process at a time writes to it.

tiny <- c("data: data.csv", "blueprints: {b: bp.yaml}", "seed: 2", "figures: none", "steps:",
          "  - check: {blueprint: b}", "  - fit: {blueprint: b}",
          "  - bootstrap: {of: fit, reps: 20, what: [effects]}")
tiny_study <- function(lines = tiny, folder = fresh_folder()) {
  suppressMessages(write_blueprint(blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4) |>
                                     effect(Calm ~ years), file.path(folder, "bp.yaml")))
  utils::write.csv(choirs[1:150, c(paste0("sc", 1:4), "years")], file.path(folder, "data.csv"),
                   row.names = FALSE, na = "")
  file <- file.path(folder, "study.yaml")
  writeLines(lines, file)
  file
}
run <- function(file, ...) suppressMessages(run_study(file, quiet = TRUE, ...))
states_of <- function(x) attr(x, "steps")$state
refused <- function(code, pattern = "not used for results") {
  expect_error(code, pattern, class = "orizzonte_error_study")
}
beside <- function(file, ...) file.path(dirname(file), ...)

test_that("a kept step gives the same objects as one that was done", {
  file <- tiny_study()
  first <- run(file)
  again <- run(file)
  expect_identical(states_of(first), rep("done", 3))
  expect_identical(states_of(again), rep("kept", 3))
  expect_identical(again$bootstrap[names(again$bootstrap) != "fit"],
                   first$bootstrap[names(first$bootstrap) != "fit"])
  expect_identical(coef(again$fit), coef(first$fit))
  expect_identical(vcov(again$fit), vcov(first$fit))
  expect_identical(again$check$identified, first$check$identified)
  expect_identical(coef(again$bootstrap$fit), coef(first$fit))
  manifest <- jsonlite::read_json(beside(file, "results", "manifest.json"))
  listed <- unlist(lapply(manifest$steps, function(step) vapply(step$files, `[[`, "", "path")))
  there <- list.files(beside(file, "results"), recursive = TRUE)
  expect_setequal(c(unname(listed), "index.html", "manifest.json"), there)
  for (step in manifest$steps) for (entry in step$files)
    expect_identical(entry$sha256, unclass(cli::hash_file_sha256(beside(file, "results",
                                                                        entry$path))))
})

test_that("nothing that a results folder holds is run or unserialized", {
  file <- tiny_study()
  run(file)
  victim <- tempfile()
  # a promise at the top of a file of R objects runs when the value is read
  promise <- local({
    home <- new.env()
    delayedAssign("p", file.create(victim), assign.env = home)
    home
  })
  for (place in c(".state/01-check.rds", ".state/03-bootstrap.rds", "02-fit/fit.rds",
                  "03-bootstrap/value.json", "manifest.json")) {
    to <- beside(file, "results", place)
    dir.create(dirname(to), showWarnings = FALSE)
    kept <- if (file.exists(to)) readBin(to, "raw", file.size(to))
    saveRDS(promise, to)
    tryCatch(run(file), orizzonte_error = function(e) NULL)
    expect_false(file.exists(victim))
    if (!is.null(kept)) writeBin(kept, to)
  }
  # values that a text could hold
  for (text in c("{\"type\": \"double\", \"values\": [\"file.create('x')\"]}",
                 "`file.create('x')`")) {
    writeLines(text, beside(file, "results", "03-bootstrap", "value.json"))
    expect_identical(utils::tail(states_of(run(file)), 1), "done")
  }
  expect_false(file.exists("x"))
})

test_that("what was altered, cut, emptied, renamed or lost is said and done again", {
  file <- tiny_study()
  run(file)
  inside <- function(...) beside(file, "results", ...)
  spoil <- list(
    altered = function(to) cat("x", file = to, append = TRUE),
    altered = function(to) writeBin(raw(0), to),
    altered = function(to) writeBin(readBin(to, "raw", file.size(to) %/% 2), to),
    altered = function(to) {
      bytes <- readBin(to, "raw", file.size(to))
      bytes[10] <- xor(bytes[10], as.raw(1))
      writeBin(bytes, to)
    },
    missing = function(to) file.rename(to, paste0(to, ".aside")))
  # every form for one of the two files, the first and the last for the other
  for (name in c("02-fit/estimates.csv", "03-bootstrap/value.json"))
    for (k in if (startsWith(name, "03")) seq_along(spoil) else c(1L, length(spoil))) {
    before <- readBin(inside(name), "raw", file.size(inside(name)))
    spoil[[k]](inside(name))
    said <- character()
    again <- withCallingHandlers(run_study(file), message = function(m) {
      said <<- c(said, conditionMessage(m))
      invokeRestart("muffleMessage")
    })
    expect_identical(states_of(again)[c(2, 3)] == "done", startsWith(name, c("02", "03")))
    expect_match(said, paste0(name, c(altered = " was ", missing = " is ")[[names(spoil)[k]]],
                              names(spoil)[k]), all = FALSE)
    expect_identical(readBin(inside(name), "raw", file.size(inside(name))), before)
  }
  # both the file and its entry replaced: a bootstrap of other lengths is not accepted
  value <- read_json_text(read_text(inside("03-bootstrap/value.json")))
  for (text in c("{\"type\": \"null\"}", "{\"type\": \"list\", \"values\": []}")) {
    writeLines(text, inside("03-bootstrap/value.json"))
    manifest <- jsonlite::read_json(inside("manifest.json"))
    at <- vapply(manifest$steps[[3]]$files, function(x) endsWith(x$path, "value.json"), NA)
    manifest$steps[[3]]$files[[which(at)]] <- file_entries(inside(), "03-bootstrap/value.json")[[1]]
    jsonlite::write_json(manifest, inside("manifest.json"), auto_unbox = TRUE, null = "null",
                         digits = NA)
    expect_identical(states_of(run(file))[3], "done")
  }
})

test_that("results go into folders that are new, empty or ours, and nothing else is touched", {
  held <- function(folder) {
    files <- list.files(folder, recursive = TRUE, all.files = TRUE)
    stats::setNames(tools::md5sum(file.path(folder, files)), files)
  }
  # the study's own folder, in which a step has the name of a folder of the user's
  file <- tiny_study(c("results: .", sub("check: [{]", "check: {name: thesis, ", tiny)))
  dir.create(beside(file, "01-thesis"))
  writeLines("years of work", beside(file, "01-thesis", "chapter.txt"))
  dir.create(beside(file, ".part-mine"))
  writeLines("mine", beside(file, ".part-mine", "a"))
  before <- held(dirname(file))
  refused(run(file), "holds other files")
  expect_identical(held(dirname(file)), before)
  # a folder of another program, and one with another person's page
  home <- fresh_folder()
  writeLines("<p>mine</p>", file.path(home, "index.html"))
  refused(run(tiny_study(), results = home), "holds other files, such as \"index.html\"")
  expect_identical(readLines(file.path(home, "index.html")), "<p>mine</p>")
  # files that the user adds beside ours are kept, and not overwritten
  file <- tiny_study()
  run(file)
  inside <- function(...) beside(file, "results", ...)
  writeLines("my notes", inside("02-fit", "notes.txt"))
  dir.create(inside(".part-abc"))
  writeLines("mine", inside(".part-abc", "a"))
  dir.create(inside("04-report"))
  writeLines("mine", inside("04-report", "b"))
  run(file, fresh = TRUE)
  expect_identical(readLines(inside("02-fit", "notes.txt")), "my notes")
  expect_identical(readLines(inside(".part-abc", "a")), "mine")
  writeLines(c(tiny, "  - report: {of: fit, file: r.md}"), file)
  refused(run(file), "\"04-report\" in it is not from this package")
  expect_identical(readLines(inside("04-report", "b")), "mine")
  # a file in the way of one that a step writes
  file <- tiny_study()
  run(file)
  manifest <- jsonlite::read_json(beside(file, "results", "manifest.json"))
  at <- vapply(manifest$steps[[2]]$files, function(x) endsWith(x$path, "summary.txt"), NA)
  manifest$steps[[2]]$files <- manifest$steps[[2]]$files[!at]
  manifest$steps[[2]]$fingerprint <- "x"
  jsonlite::write_json(manifest, beside(file, "results", "manifest.json"), auto_unbox = TRUE,
                       null = "null", digits = NA)
  refused(run(file), "summary.txt\" is in the way")
})

test_that("a folder of an earlier version is refused with the command that moves it aside", {
  file <- tiny_study()
  dir.create(beside(file, "results", ".state"), recursive = TRUE)
  saveRDS(1, beside(file, "results", ".state", "01-check.rds"))
  refused(run(file), "earlier version")
  said <- command("run", file)
  expect_identical(said$code, 2L)
  line <- sub(".*To move it aside: ", "", grep("move it aside", strsplit(said$err, "\n")[[1]],
                                               value = TRUE))
  words <- scan(text = sub("[.]$", "", paste(line, sub(".*aside: [^\n]*\n", "", said$err))),
                what = "",
                quote = "'", quiet = TRUE)
  expect_identical(words[1], "mv")
  expect_true(file.rename(words[2], words[3]))
  expect_identical(states_of(run(file)), rep("done", 3))
})

test_that("paths that leave the folder of the study are refused unless they are allowed", {
  skip_on_os("windows")
  outside <- fresh_folder()
  utils::write.csv(choirs[1:150, c(paste0("sc", 1:4), "years")], file.path(outside, "data.csv"),
                   row.names = FALSE, na = "")
  lies <- function(line) refused(run(tiny_study(c(line, tiny))), "line 1.*outside the folder")
  for (path in c("../elsewhere", file.path(outside, "r"), "~/results-of-a-study", "a/../../b"))
    lies(paste0("results: ", path))
  refused(run(tiny_study(sub("data.csv", file.path(outside, "data.csv"), tiny))),
          "outside the folder")
  # through links
  file <- tiny_study(c("results: link", tiny))
  file.symlink(outside, beside(file, "link"))
  refused(run(file), "outside the folder")
  file <- tiny_study(sub("data.csv", "linked.csv", tiny))
  file.symlink(file.path(outside, "data.csv"), beside(file, "linked.csv"))
  refused(run(file), "outside the folder")
  expect_identical(command("run", file)$code, 2L)
  expect_identical(states_of(run(file, anywhere = TRUE)), rep("done", 3))
  expect_identical(command("run", file, "--anywhere")$code, 0L)
  # a folder that the user names is the user's choice
  expect_identical(states_of(run(tiny_study(), results = file.path(outside, "chosen"))),
                   rep("done", 3))
  # links planted in a results folder are not followed
  file <- tiny_study()
  run(file)
  victim <- file.path(outside, "victim.txt")
  writeLines("mine", victim)
  target <- beside(file, "results", "02-fit", "estimates.csv")
  unlink(target)
  file.symlink(victim, target)
  unlink(beside(file, "results", "index.html"))
  file.symlink(victim, beside(file, "results", "index.html"))
  expect_identical(states_of(run(file))[2], "done")
  expect_identical(readLines(victim), "mine")
  unlink(beside(file, "results", "01-check"), recursive = TRUE)
  file.symlink(outside, beside(file, "results", "01-check"))
  refused(run(file), "01-check")
  expect_identical(sort(list.files(outside)), c("chosen", "data.csv", "victim.txt"))
})

test_that("a manifest that is damaged or planted removes nothing", {
  file <- tiny_study()
  run(file)
  inside <- function(...) beside(file, "results", ...)
  victim <- beside(file, "mine.txt")
  writeLines("mine", victim)
  whole <- readLines(inside("manifest.json"))
  for (bad in list("", "{", "[]", "{\"made_by\": \"orizzonte\", \"format\": 99}",
                   sub("01-check/check.txt", "../mine.txt", whole, fixed = TRUE),
                   sub("01-check/check.txt", victim, whole, fixed = TRUE),
                   sub("\"size\": [0-9]+", "\"size\": \"many\"", whole), strrep("[", 1e5))) {
    writeLines(bad, inside("manifest.json"))
    refused(run(file, fresh = TRUE))
    expect_identical(readLines(victim), "mine")
  }
  planted <- sub("\"working\": null", "\"working\": \"../\"", whole, fixed = TRUE)
  writeLines(planted, inside("manifest.json"))
  expect_identical(states_of(run(file)), rep("kept", 3))
  expect_true(file.exists(victim))
})

test_that("a lock keeps a second run away; that of a process that is gone is taken over", {
  skip_on_os("windows")
  file <- tiny_study()
  dir.create(beside(file, "results"))
  release <- lock_folder(beside(file, "results"))
  expect_error(run(file), class = "orizzonte_error_locked")
  said <- command("run", file)
  expect_identical(said$code, 2L)
  expect_match(said$err, paste0("process ", Sys.getpid(), " on "))
  release()
  expect_identical(states_of(run(file)), rep("done", 3))
  expect_false(dir.exists(beside(file, "results", ".lock")))
  plant <- function(owner) {
    dir.create(beside(file, "results", ".lock"))
    if (length(owner)) writeLines(jsonlite::toJSON(owner, auto_unbox = TRUE),
                                  beside(file, "results", ".lock", "owner.json"))
  }
  gone <- list(process = 999999999, host = Sys.info()[["nodename"]], started = "x", born = "")
  again <- utils::modifyList(this_process(), list(born = "1"))      # another process of that number
  for (owner in list(gone, again, list())) {
    plant(owner)
    expect_identical(states_of(run(file)), rep("kept", 3))
  }
  # a lock of another machine cannot be judged
  plant(utils::modifyList(gone, list(host = "another machine")))
  expect_error(run(file), "another machine", class = "orizzonte_error_locked")
  unlink(beside(file, "results", ".lock"), recursive = TRUE)
  # a folder of that name that is not a lock is kept
  dir.create(beside(file, "results", ".lock"))
  writeLines("mine", beside(file, "results", ".lock", "mine.txt"))
  expect_error(run(file), class = "orizzonte_error_locked")
  expect_identical(readLines(beside(file, "results", ".lock", "mine.txt")), "mine")
})
