# Studies from one file: run, run again, changed, interrupted, and errors with their lines.

quietly <- function(...) suppressMessages(run_study(..., quiet = TRUE))
small <- c("title: A small study", "data: choirs.csv", "by: setting",
           "blueprints: {measurement: choirs.yaml, structural: choirs-start.yaml}", "seed: 4",
           "steps:",
           "  - check: {blueprint: measurement}",
           "  - fit: {blueprint: structural, name: first}",
           "  - diagnose: {of: first, top: 2}",
           "  - amend: {of: first, free: \"covariance[be1, be2]\", because: alike, name: second}",
           "  - compare: {of: [first, second]}",
           "  - bootstrap: {of: second, reps: 25, what: [effects]}",
           "figures: none")
study_in <- function(lines, folder = fresh_folder()) {
  for (name in c("choirs.yaml", "choirs-start.yaml", "choirs.csv"))
    file.copy(extdata(name), file.path(folder, name))
  file <- file.path(folder, "study.yaml")
  writeLines(lines, file)
  file
}
states <- function(x) stats::setNames(attr(x, "steps")$state, attr(x, "steps")$step)
csv_of <- function(folder) {
  files <- list.files(folder, "[.]csv$", recursive = TRUE)
  stats::setNames(lapply(file.path(folder, files), readLines), files)
}

# The demo is the same study: results that were made elsewhere are also valid for it.
demo_after <- function(results) {
  folder <- file.path(fresh_folder(), "the demo")
  dir.create(folder)
  file.copy(results, folder, recursive = TRUE)
  # as on a machine whose shell does not know the command
  path <- Sys.getenv("PATH")
  on.exit(Sys.setenv(PATH = path))
  known <- strsplit(path, .Platform$path.sep, fixed = TRUE)[[1L]]
  Sys.setenv(PATH = paste(known[!file.exists(file.path(known, "orizzonte"))],
                          collapse = .Platform$path.sep))
  demo <- command("demo", "--out", folder)
  expect_equal(demo$code, 0)
  expect_match(demo$err, "12 of 12  report +\\(kept\\)")
  inside <- function(...) file.path(folder, ...)
  named <- c("results", "results/index.html", "results/12-report", "results/06-greeted",
             "study.yaml", "choirs.yaml", "choirs-start.yaml", "choirs.csv")
  expect_true(all(file.exists(inside(named))))
  for (name in basename(named)) expect_match(demo$err, name, fixed = TRUE)
  expect_false(any(grepl("'NA'", c(demo$out, readLines(inside("results/index.html"))))))
  # the suggested next steps run
  steps <- sub("^ +orizzonte ", "", grep("^ +orizzonte (run|diagnose) ",
                                         strsplit(demo$err, "\n")[[1L]], value = TRUE))
  expect_length(steps, 2)
  for (step in steps) {
    words <- scan(text = step, what = "", quote = "'", quiet = TRUE)
    expect_equal(do.call(command, as.list(words))$code, 0)
  }
  # the instruction that puts the command on the path also runs, in a new shell
  expect_match(demo$err, "mkdir -p", fixed = TRUE)
  line <- trimws(grep("mkdir -p", strsplit(demo$err, "\n")[[1L]], value = TRUE, fixed = TRUE))
  home <- fresh_folder()
  shell <- function(code) {
    system(paste0("env -u R_LIBS HOME=", shQuote(home), " sh -c ", shQuote(code)), intern = TRUE,
           ignore.stderr = TRUE)
  }
  shell(line)
  expect_match(shell(paste(shQuote(file.path(home, ".local/bin/orizzonte")), "--version")),
               "^orizzonte [0-9]")
  again <- readRDS(inside("results/06-greeted/fit.rds"))
  expect_equal(nrow(trail(again)), 3)
  # a study that somebody changed is run as it is
  writeLines(c("data: choirs.csv", "blueprints: {one: choirs.yaml}", "steps:",
               "  - check: {blueprint: one}"), inside("study.yaml"))
  own <- command("demo", "--out", folder)
  expect_equal(own$code, 0)
  expect_match(own$err, "1 of 1  check")
  expect_false(grepl("readRDS", own$err))
  # results elsewhere are named where they are; files of an older demo are not an obstacle
  unlink(inside("study.yaml"))
  writeLines(c("data: choirs.csv", "results: elsewhere", "blueprints: {one: choirs.yaml}", "steps:",
               "  - fit: {blueprint: one}"), inside("study.yaml"))
  own <- command("demo", "--out", folder)
  expect_match(own$err, file.path(folder, "elsewhere"), fixed = TRUE)
  expect_match(own$out, "elsewhere/01-fit/blueprint.yaml")
  before <- readLines(inside("choirs.yaml"))
  writeLines(c(before, "# mine"), inside("choirs.yaml"))
  unlink(inside("study.yaml"))
  expect_identical(write_study_files(folder, "study.yaml"), inside("study.yaml"))
  expect_identical(readLines(inside("choirs.yaml")), c(before, "# mine"))
}

test_that("the starter runs unchanged, gives the numbers of R, and its index leads everywhere", {
  folder <- fresh_folder()
  found <- command("new", "study", file.path(folder, "study.yaml"))
  expect_identical(found$code, 0L)
  expect_identical(command("new", "study", file.path(folder, "study.yaml"))$code, 2L)
  ran <- command("run", file.path(folder, "study.yaml"))
  expect_identical(ran$code, 0L)
  expect_match(ran$err, "12 of 12")
  results <- file.path(folder, "results")
  again <- quietly(file.path(folder, "study.yaml"))
  expect_true(all(states(again) == "kept"))
  start <- read_blueprint(extdata("choirs-start.yaml"))
  fit <- quiet_fit(start, utils::read.csv(extdata("choirs.csv")))
  mine <- utils::read.csv(file.path(results, "03-first", "estimates.csv"))
  expect_equal(mine$estimate, estimates(fit)$estimate, tolerance = 1e-8)
  expect_equal(deviance(again$first), deviance(fit), tolerance = 1e-8)
  expect_equal(nrow(trail(again$greeted)), 3)
  expect_s3_class(again$settings, "orizzonte_loosened")
  page <- xml2::read_html(file.path(results, "index.html"))
  links <- xml2::xml_attr(xml2::xml_find_all(page, "//a"), "href")
  expect_gt(length(links), 30)
  inner <- startsWith(links, "#")
  expect_true(all(file.exists(file.path(results, links[!inner]))))
  expect_true(all(sub("#", "", links[inner]) %in% xml2::xml_attr(xml2::xml_find_all(page, "//h2"),
                                                                 "id")))
  main <- xml2::xml_attr(xml2::xml_find_all(page, "//main//a"), "href")
  expect_identical(main[1:2], c("12-report/report.html", "12-report/methods.txt"))
  report <- xml2::read_html(file.path(results, "12-report", "report.html"))
  expect_identical(xml2::xml_text(xml2::xml_find_first(report, "//h1")), "Why singers stay")
  # another title changes the report and nothing else
  study <- read_study(file.path(folder, "study.yaml"))
  renamed <- study_fingerprints(utils::modifyList(study, list(title = "Another")))
  kinds <- vapply(study$steps, `[[`, "", "kind")
  expect_identical(kinds[!mapply(identical, study_fingerprints(study), renamed)], "report")
  pictures <- xml2::xml_find_all(page, "//img")
  expect_true(all(file.exists(file.path(results, xml2::xml_attr(pictures, "src")))))
  expect_true(all(nzchar(xml2::xml_attr(pictures, "alt"))))
  # every step states its conclusion
  said <- xml2::xml_text(xml2::xml_find_all(page, "//h2/following-sibling::p[1]"))
  expect_length(said, 12)
  expect_true(all(nzchar(said[-12])))
  expect_match(said[4], "loading[Calm, st2]", fixed = TRUE)
  expect_match(said[4], "(stands out)", fixed = TRUE)
  expect_match(said[10], text_pattern("replicates_intervals", reps = "200", level = "95"))
  expect_match(said[10], "effect[Belonging, Staying] [", fixed = TRUE)
  power <- utils::read.csv(file.path(results, "11-plan", "plan.csv"))
  power <- power[power$parameter == "effect[Calm, Staying]", ]
  expect_match(said[11], paste0("effect[Calm, Staying] is ", sub("^0", "", sprintf("%.2f",
               power$power[1])), " at 150"), fixed = TRUE)
  demo_after(results)
  texts <- unlist(csv_of(results))
  expect_false(any(grepl(basename(folder), texts, fixed = TRUE)))
  expect_false(any(grepl("[0-9]{2}:[0-9]{2}:[0-9]{2}", texts)))
})

test_that("the same file and data give the same numbers, and only what changed is done again", {
  file <- study_in(small)
  results <- file.path(dirname(file), "results")
  first <- quietly(file)
  expect_true(all(states(first) == "done"))
  once <- csv_of(results)
  fresh <- quietly(file, fresh = TRUE)
  expect_true(all(states(fresh) == "done"))
  expect_identical(csv_of(results), once)
  writeLines(sub("top: 2", "top: 3", small), file)
  expect_equal(names(which(states(quietly(file)) == "done")), "diagnose")
  writeLines(sub("because: alike", "because: worded alike", small), file)
  expect_setequal(names(which(states(quietly(file)) == "done")),
                  c("diagnose", "second", "compare", "bootstrap"))
  # a lost file is made again
  unlink(file.path(results, "05-compare", "comparison.csv"))
  expect_equal(names(which(states(quietly(file)) == "done")), "compare")
  # other data are another study, in every step
  before <- study_fingerprints(read_study(file))
  data <- utils::read.csv(file.path(dirname(file), "choirs.csv"))
  utils::write.csv(data[-1, ], file.path(dirname(file), "choirs.csv"), row.names = FALSE, na = "")
  after <- study_fingerprints(read_study(file))
  expect_length(after, 6)
  expect_false(any(mapply(identical, before, after)))
})

test_that("a step that fails is named, what is done is kept, and it goes on from there", {
  broken <- sub("covariance[be1, be2]", "covariance[be1, nobody]", small, fixed = TRUE)
  file <- study_in(broken)
  error <- tryCatch(quietly(file), error = identity)
  expect_s3_class(error, "orizzonte_error_study")
  expect_match(conditionMessage(error), "second", fixed = TRUE)
  expect_match(rlang::cnd_message(error), text_pattern("finished_steps_are_kept"))
  results <- file.path(dirname(file), "results")
  expect_true(file.exists(file.path(results, "03-diagnose", "amendments.csv")))
  expect_false(dir.exists(file.path(results, "04-second")))
  expect_length(list.files(results, "^[.]part", all.files = TRUE), 0)
  writeLines(small, file)
  state <- states(quietly(file))
  expect_equal(unname(state), c("kept", "kept", "kept", "done", "done", "done"))
  # killed in the middle: an unfinished step is not treated as done
  writeLines("half", file.path(results, "06-bootstrap", "value.json"))
  expect_equal(unname(states(quietly(file))), c(rep("kept", 5), "done"))
})

test_that("a study whose process is killed in the middle of a step goes on from there", {
  skip_on_os("windows")
  slow <- sub("reps: 25", "reps: 100000", small)
  file <- study_in(slow)
  results <- file.path(dirname(file), "results")
  process <- system2(file.path(R.home("bin"), "Rscript"),
                     c("-e", shQuote(paste0("cat(Sys.getpid(), file = \"",
                                            file.path(dirname(file), "pid"),
                                            "\"); orizzonte::main()")), "run", shQuote(file)),
                     wait = FALSE, stdout = FALSE, stderr = FALSE)
  waited <- 0
  # until the comparison is recorded as done and the bootstrap, which takes minutes, has begun
  in_bootstrap <- function() {
    manifest <- tryCatch(jsonlite::read_json(file.path(results, "manifest.json")),
                         error = function(e) NULL)
    print <- manifest$steps[["05-compare"]]$fingerprint
    length(print) && nzchar(print) && length(manifest$working) &&
      dir.exists(file.path(results, manifest$working))
  }
  while (!in_bootstrap()) {
    Sys.sleep(0.2)
    waited <- waited + 0.2
    pid <- if (file.exists(file.path(dirname(file), "pid")))
      as.integer(readLines(file.path(dirname(file), "pid"), warn = FALSE))
    if (waited > 300 || (length(pid) && !tools::pskill(pid, 0L))) break
  }
  tools::pskill(as.integer(readLines(file.path(dirname(file), "pid"), warn = FALSE)), 9L)
  Sys.sleep(0.5)
  expect_false(dir.exists(file.path(results, "06-bootstrap")))
  expect_gt(length(list.files(results, "^[.]part", all.files = TRUE)), 0)
  writeLines(small, file)
  found <- quietly(file)
  expect_equal(unname(states(found)), c(rep("kept", 5), "done"))
  expect_length(list.files(results, "^[.]part", all.files = TRUE), 0)
  whole <- csv_of(results)
  quietly(file, fresh = TRUE)
  expect_identical(csv_of(results), whole)
})

test_that("what is wrong in a study file is told with its line and the nearest word", {
  wrong <- function(from, to) {
    file <- study_in(sub(from, to, small, fixed = TRUE))
    error <- tryCatch(quietly(file), error = identity)
    expect_s3_class(error, "orizzonte_error_study")
    rlang::cnd_message(error)
  }
  # the replacement of each line; the line that is named; the rows that are shown
  refused <- function(from, to, line, ...) {
    rows <- list(...)
    said <- wrong(from, to)
    expect_match(said, paste0("line ", line, ": "), fixed = TRUE)
    for (row in rows) expect_match(said, do.call(text_pattern, as.list(row)))
  }
  near <- function(name) c("did_you_mean", near = paste0("\"", name, "\""))
  refused("top: 2", "tpo: 2", 9, c("unknown_key", unknown = "\"tpo\""), near("top"))
  refused("seed: 4", "sead: 4", 5, near("seed"))
  refused("- diagnose:", "- diagnos:", 9, near("diagnose"))
  refused("of: first, top", "of: frist, top", 9, near("first"))
  refused("blueprint: measurement}", "blueprint: messurement}", 7, near("measurement"))
  refused("data: choirs.csv", "data: chors.csv", 2, near("choirs.csv"))
  refused("top: 2", "top: many", 9, c("key_must_be", key = "top"))
  refused("name: second", "name: first", 10, "two_steps_are_called")
  refused("seed: 4", "criteria: {cfy: .9}", 5, "there_is_no_criterion")
  refused("steps:", "other:", 6, "unknown_key")
  refused("[first, second]", "[first, diagnose]", 11, "is_no_earlier_step")
  refused("top: 2", "top: [1, 2]", 9, c("key_must_be", key = "top"))
  refused("{blueprint: measurement}", "{blueprint: []}", 7, c("key_must_be", key = "blueprint"))
  refused("name: first", "name: \"\"", 8, c("key_must_be", key = "name"))
  refused("[first, second]", "[first, []]", 11, "must_be_one_text_or")
  refused("[first, second]", "second", 11, "compare_takes_two_steps")
  refused("of: first, top", "of: [first, second], top", 9, "is_no_earlier_step")
  refused("bootstrap: {of: second", "bootstrap: {of: [first, second]", 12, "works_one_step")
  refused("measurement: choirs.yaml", "measurement: \"\"", 4, "is_no_file")
  refused("data: choirs.csv", "data: .", 2, "is_no_file")
  expect_no_warning(said <- wrong("seed: 4", "criteria: {cfi: [a, .9]}"))
  expect_match(said, "line 5")
  plan <- "  - plan: {blueprint: measurement, n: [a, 100], truth: {\"loading[ , ]\": .7}}"
  last <- "  - bootstrap: {of: second, reps: 25, what: [effects]}"
  expect_match(wrong(last, plan), paste0("line 12.*", text_pattern("key_must_be", key = "n")))
  expect_match(wrong(last, sub("a, 100", "100", sub(".7", "x", plan, fixed = TRUE), fixed = TRUE)),
               paste0("line 12.*", text_pattern("addresses_with_numbers")))
  broken <- study_in(c("? [a, b]", ": c", small))
  said <- rlang::cnd_message(tryCatch(quietly(broken), error = identity))
  expect_length(gregexpr("is not readable YAML", said)[[1]], 1)
  expect_error(run_study(extdata("choirs.yaml")), text_pattern("is_blueprint_not_study"),
               class = "orizzonte_error_study")
  expect_error(read_blueprint(extdata("study.yaml")), text_pattern("is_study_not_blueprint"),
               class = "orizzonte_error_file")
  expect_match(command("run", extdata("choirs.yaml"))$err, "orizzonte fit .*choirs.yaml DATA")
  expect_match(command("check", extdata("study.yaml"))$err, "orizzonte run .*study.yaml")
  expect_error(run_study("nowhere.yaml"), class = "orizzonte_error_file")
  expect_error(run_study(3), class = "orizzonte_error_input")
  expect_identical(command("run", study_in(sub("top: 2", "tpo: 2", small)))$code, 2L)
  expect_identical(command("new", "stud")$code, 2L)
  # nothing is run
  planted <- sub("because: alike", "because: \"`r writeLines('x', 'planted')` <script>\"", small,
                 fixed = TRUE)
  file <- study_in(sub("A small study", "<script>alert(1)</script>", planted, fixed = TRUE))
  quietly(file)
  expect_false(file.exists("planted"))
  page <- xml2::read_html(file.path(dirname(file), "results", "index.html"))
  expect_length(xml2::xml_find_all(page, "//script"), 0)
})

test_that("the schema for editors knows the keys that are checked", {
  schema <- jsonlite::read_json(system.file("schema", "study.schema.json", package = "orizzonte"))
  expect_setequal(names(schema$properties), study_keys())
  expect_equal(schema, jsonlite::fromJSON(study_schema_text(), simplifyVector = FALSE))
  kinds <- schema$properties$steps$items$oneOf
  for (one in kinds) {
    kind <- names(one$properties)
    expect_setequal(names(one$properties[[kind]]$properties), c(step_keys[[kind]], "name"))
  }
  expect_setequal(vapply(kinds, function(one) names(one$properties), ""), names(step_keys))
})

test_that("figures have the formats that the file names, and the index shows one that it can", {
  lines <- c("data: choirs.csv", "blueprints: {short: short.yaml}", "steps:",
             "  - screen: {blueprint: short}")
  short_study <- function(figures) {
    file <- study_in(c(if (!is.null(figures)) paste("figures:", figures), lines))
    write_blueprint(blueprint("Short") |> construct("Belonging", reflected_in = be1:be3),
                    file.path(dirname(file), "short.yaml"))
    file
  }
  drawn <- function(figures) {
    file <- short_study(figures)
    quietly(file)
    page <- xml2::read_html(file.path(dirname(file), "results", "index.html"))
    list(files = list.files(file.path(dirname(file), "results", "01-screen"), "^screen[.]"),
         shown = basename(xml2::xml_attr(xml2::xml_find_all(page, "//img"), "src")), file = file)
  }
  usual <- drawn(NULL)
  expect_identical(usual$files, c("screen.svg", "screen.txt"))
  expect_identical(usual$shown, "screen.svg")
  both <- drawn("[png, pdf]")
  expect_identical(both$files, c("screen.pdf", "screen.png", "screen.txt"))
  expect_identical(both$shown, "screen.png")
  expect_length(drawn("pdf")$shown, 0)
  none <- drawn("none")
  expect_identical(none$files, "screen.txt")
  expect_length(none$shown, 0)
  # another format is another result
  writeLines(c("figures: png", lines), usual$file)
  expect_identical(unname(states(quietly(usual$file))), "done")
  for (wrong in c("gif", "3", "[svg, svg]", "{svg: 1}", "true", "[none, svg]"))
    expect_error(quietly(short_study(wrong)), "figures", class = "orizzonte_error_study")
  expect_error(quietly(short_study("sgv")), "svg", class = "orizzonte_error_study")
})
