# The command line: streams and exit codes in a process of its own, the rest in this one.
fit <- quiet_fit(read_blueprint(extdata("choirs.yaml")), choirs)

test_that("help, versions and unknown commands", {
  help <- installed_command("--help")
  expect_equal(help$code, 0)
  for (name in c("demo", "screen", "check", "fit", "diagnose", "amend", "compare", "confirm",
                 "rescue", "draw", "report")) {
    expect_match(help$out, paste0("\n  ", name, " "))
    own <- command(name, "--help")
    expect_equal(own$code, 0)
    expect_match(own$out, paste0("Example:\n  orizzonte ", name))
  }
  expect_match(command("--version")$out, "^orizzonte [0-9.]+$")
  unknown <- installed_command("ftt")
  expect_equal(unknown$code, 2)
  expect_match(unknown$err, text_pattern("did_you_mean", near = "\"fit\""))
})

test_that("fit prints tables on standard output and messages on standard error", {
  text <- installed_command("fit", extdata("choirs.yaml"), extdata("choirs.csv"))
  expect_equal(text$code, 0)
  expect_match(text$out, "Fit indices")
  expect_match(text$err, "720 cases; 95 have missing values and are kept")
  json <- installed_command("fit", extdata("choirs.yaml"), extdata("choirs.csv"), "--format",
                  "json", "--quiet")
  expect_equal(json$err, "")
  parsed <- jsonlite::fromJSON(json$out)
  expect_equal(parsed$estimates$estimate, estimates(fit)$estimate, tolerance = 1e-13)
  expect_equal(parsed$status, "converged")
  expect_equal(parsed$fit_indices$value[1], deviance(fit), tolerance = 1e-9)
  file <- tempfile(fileext = ".csv")
  csv <- installed_command("fit", extdata("choirs.yaml"), extdata("choirs.csv"), "--format", "csv",
                           "--table", "fit_indices", "--out", file)
  expect_equal(csv$out, "")
  expect_equal(utils::read.csv(file)$value, fit_indices(fit)$value, tolerance = 1e-14)
})

test_that("exit codes tell what happened", {
  bad <- installed_command("fit", extdata("choirs.yaml"), extdata("choirs-summary.csv"))
  expect_equal(bad$code, 2)
  expect_match(bad$err, "\"cr4\"")
  file <- tempfile(fileext = ".yaml")
  write_blueprint(blueprint("x") |> construct("F", reflected_in = c(be1, be2)), file)
  expect_equal(installed_command("fit", file, extdata("choirs.csv"))$code, 1)
  expect_equal(installed_command("fit", extdata("choirs.yaml"))$code, 2)
  expect_equal(installed_command("fit", extdata("choirs.yaml"), "not-there.csv")$code, 2)
  option <- installed_command("fit", extdata("choirs.yaml"), extdata("choirs.csv"), "--fromat",
                              "json")
  expect_equal(option$code, 2)
  expect_match(option$err, text_pattern("did_you_mean", near = "\"--format\""))
  expect_equal(installed_command("draw", extdata("choirs.yaml"), extdata("choirs.csv"))$code, 2)
  expect_equal(installed_command("fit", extdata("choirs.yaml"), extdata("choirs.csv"),
                       "--missing-codes=,")$code, 2)
})

test_that("an internal error is trapped and told apart", {
  local_mocked <- function(code) {
    old <- get("dispatch", asNamespace("orizzonte"))
    unlockBinding("dispatch", asNamespace("orizzonte"))
    assign("dispatch", function(args) stop("internal"), asNamespace("orizzonte"))
    on.exit({
      assign("dispatch", old, asNamespace("orizzonte"))
      lockBinding("dispatch", asNamespace("orizzonte"))
    })
    code()
  }
  expect_equal(local_mocked(function() run_command("fit")), 3L)
})

test_that("draw and report write what they say", {
  folder <- tempfile("cli-")
  dir.create(folder)
  figure <- command("draw", extdata("choirs.yaml"), extdata("choirs.csv"), "--out",
                    file.path(folder, "d.svg"), "--values", "both")
  expect_equal(figure$code, 0)
  expect_match(readLines(file.path(folder, "d.svg"), n = 2)[2], "<svg")
  report <- command("report", extdata("choirs.yaml"), extdata("choirs.csv"), "--out",
                    file.path(folder, "r.html"), "--title", "Singing & <staying>")
  expect_equal(report$code, 0)
  expect_gt(file.size(file.path(folder, "r.html")), 1e5)
  page <- xml2::read_html(file.path(folder, "r.html"))
  for (where in c("//h1", "//title"))
    expect_identical(xml2::xml_text(xml2::xml_find_first(page, where)), "Singing & <staying>")
  idle <- command("report", extdata("choirs.yaml"), extdata("choirs.csv"), "--text", "--title", "x")
  expect_equal(idle$code, 2)
  expect_match(idle$err, text_pattern("option_needs_out", option = "title"))
})

test_that("--table prints that table alone; JSON, which holds all, refuses it", {
  files <- c(extdata("choirs-start.yaml"), extdata("choirs.csv"))
  shown <- function(command_name, table, ...) {
    found <- command(command_name, files[1], files[2], "--table", table, ...)
    expect_equal(found$code, 0)
    expect_false(grepl("Defaults", found$out))
    found$out
  }
  heads <- c(estimates = "Estimates", fit_indices = "Fit indices", r_squared = "Explained variance",
             residuals = "Largest residuals", effects = "Effects", implied = "Implied moments",
             observed = "Observed moments", equations = "Equations", verdicts = "Verdicts")
  for (table in names(heads)) expect_match(shown("fit", table), heads[[table]])
  expect_match(shown("fit", "equations", "--format", "csv"), "Staying = ")
  expect_match(shown("diagnose", "without"), text_pattern("paths_could_be_removed"))
  expect_match(shown("quality", "pairs"), "first +second +correlation")
  expect_match(shown("quality", "pairs"), "< .001")
  files[1] <- extdata("choirs.yaml")
  expect_match(shown("invariance", "means", "--by", "setting"), text_pattern("means_constructs"))
  expect_match(shown("invariance", "contributions", "--by", "setting"), "weekend")
  alone <- c(fit = "estimates", diagnose = "without", quality = "pairs")
  for (name in names(alone))
    expect_equal(command(name, files[1], files[2], "--format", "json", "--table",
                         alone[[name]])$code, 2)
  beside <- command("compare", files[1], extdata("choirs-start.yaml"), files[2], "--table",
                    "estimates")
  expect_false(grepl("Akaike", beside$out))
  expect_match(beside$out, "loading[Calm, sc2]", fixed = TRUE)
})

test_that("the launcher starts this installation", {
  folder <- tempfile("bin-")
  dir.create(folder)
  path <- suppressMessages(install_command(folder))
  expect_match(system2(path, "--version", stdout = TRUE), "^orizzonte ")
  expect_error(install_command("not-there"), class = "orizzonte_error_file")
})

test_that("check tells whether a blueprint can be estimated", {
  good <- command("check", extdata("choirs.yaml"), extdata("choirs.csv"))
  expect_equal(good$code, 0)
  expect_match(good$out, text_pattern("identified_rank_is_full"))
  expect_match(good$out, "Defaults")
  file <- tempfile(fileext = ".yaml")
  write_blueprint(blueprint("x") |> construct("F", reflected_in = c(be1, be2)), file)
  bad <- command("check", file, extdata("choirs.csv"), "--format", "json")
  expect_equal(bad$code, 1)
  parsed <- jsonlite::fromJSON(bad$out)
  expect_false(parsed$identified)
  expect_match(parsed$remedies, text_pattern("has_two_items_nothing"), all = FALSE)
  expect_equal(command("check", extdata("choirs.yaml"), extdata("choirs-summary.csv"))$code, 2)
})

test_that("screen shows the data with and without a blueprint, as text, JSON and CSV", {
  data <- system.file("extdata", "choirs-troubled.csv", package = "orizzonte")
  expect_output(code <- main(c("screen", data)), text_pattern("what_to_do"))
  expect_equal(code, 0L)
  content <-
    jsonlite::fromJSON(
      paste(capture.output(main(c("screen", data, "--format", "json", "--missing-codes=-9"))),
            collapse = "\n"))
  expect_equal(content$rows, 240)
  expect_false("code" %in% content$advice$kind)
  expect_equal(content$outliers$row[1], 17)
  table <- utils::read.csv(text = capture.output(main(c("screen", data, "--format", "csv"))))
  expect_equal(table$variable[1], "id")
  bp <- tempfile(fileext = ".yaml")
  write_blueprint(blueprint("t") |> construct("Calm", reflected_in = cl1:cl3), bp)
  expect_output(main(c("screen", bp, data)),
                paste0(text_pattern("keyed_against_other_items"), " Calm"))
  choirs_file <- system.file("extdata", "choirs.csv", package = "orizzonte")
  expect_output(main(c("screen", choirs_file, "--by", "setting")),
                text_pattern("groups_by", by = "setting"))
  expect_equal(suppressMessages(main(c("screen", choirs_file, "--by", "sitting"))), 2L)
  expect_equal(
    main(c("screen", system.file("extdata", "choirs-summary.csv", package = "orizzonte"))), 2L)
  expect_equal(main("screen"), 2L)
})

test_that("the command line keeps to the columns of the window", {
  widest <- function(columns, ...) {
    Sys.setenv(COLUMNS = columns)
    on.exit(Sys.unsetenv("COLUMNS"))
    ran <- command(...)
    lines <- unlist(strsplit(c(ran$out, ran$err), "\n", fixed = TRUE))
    max(nchar(lines[!grepl("^ *(Next: )?orizzonte ", lines)], "width"))
  }
  # A path cannot be folded, so the files are named from their own folder.
  withr::local_dir(system.file("extdata", package = "orizzonte"))
  for (columns in c(60, 80, 120)) {
    expect_lte(widest(columns, "--help"), columns)
    expect_lte(widest(columns, "diagnose", "--help"), columns)
    expect_lte(widest(columns, "screen", "choirs.csv", "--by", "setting"), columns)
    expect_lte(widest(columns, "fit", "choirs-start.yaml", "choirs.csv"), columns)
  }
  expect_gt(widest(200, "screen", "choirs.csv"), 100)
  expect_lte(widest("wide", "fit", "--help"), 80)
})

test_that("factor scores are written as a file, alone or beside the data", {
  out <- tempfile(fileext = ".csv")
  found <- command("scores", extdata("choirs.yaml"), extdata("choirs.csv"), "--out", out)
  expect_identical(found$code, 0L)
  table <- utils::read.csv(out)
  data <- utils::read.csv(extdata("choirs.csv"))
  fit <- quiet_fit(read_blueprint(extdata("choirs.yaml")), data)
  scores <- predict(fit, se.fit = TRUE)
  expect_identical(table$row, seq_len(nrow(data)))
  expect_equal(table$Calm, scores$fit$Calm, tolerance = 1e-9)
  expect_equal(table$Calm_se, scores$se.fit$Calm, tolerance = 1e-9)
  command("scores", extdata("choirs.yaml"), extdata("choirs.csv"), "--method", "bartlett",
          "--with-data", "--out", out)
  table <- utils::read.csv(out)
  expect_identical(table$be1, data$be1)
  expect_equal(table$.Calm, predict(fit, method = "bartlett")$Calm, tolerance = 1e-9)
  expect_identical(command("scores", extdata("choirs.yaml"), extdata("choirs.csv"), "--method",
                           "other")$code, 2L)
  expect_identical(command("scores", extdata("choirs.yaml"), "sqlite:x.db?table=y")$code, 2L)
})

test_that("sections of a report are checked in the words of the command line, before the fit", {
  out <- tempfile(fileext = ".html")
  report <- function(...) command("report", extdata("choirs.yaml"), extdata("choirs.csv"), ...)
  wrong <- report("--out", out, "--parts", "sumary")
  expect_identical(wrong$code, 2L)
  expect_match(wrong$err, "^Error: --parts must be")
  expect_match(wrong$err, text_pattern("did_you_mean", near = "\"summary\""))
  expect_false(file.exists(out))
  for (parts in list("", "summary,", "estimates"))
    expect_identical(report("--out", out, "--parts", parts, "--by", "setting", "--ladder")$code, 2L)
  expect_match(report("--text", "--parts", "summary")$err,
               text_pattern("option_needs_out", option = "parts"))
  expect_identical(report("--out", out, "--parts", "summary, limits")$code, 0L)
  expect_length(xml2::xml_find_all(xml2::read_html(out), "//h2"), 2L)
})
