# The commands, study steps, reports and methods texts of constancy, many groups, equivalent models
# and mediation.

model <- tempfile(fileext = ".yaml")
write_blueprint(blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4), model)
structural <- extdata(file.path("models", "structural.yaml"))
data <- extdata("choirs.csv")

test_that("each command gives the numbers of its function, as text, JSON and CSV", {
  json <- jsonlite::fromJSON(command("constancy", model, data, "--along", "age", "--what",
                                     "intercepts", "--format", "json", "--quiet")$out)
  fit <- quiet_fit(read_blueprint(model), utils::read.csv(data))
  own <- constancy(fit, utils::read.csv(data)$age, "intercepts")
  expect_equal(json$rows$p, own$p, tolerance = 1e-8)
  expect_match(json$reading[1], "intercept[sc4]", fixed = TRUE)
  figure <- tempfile(fileext = ".svg")
  text <- command("constancy", model, data, "--along", "age", "--figure", figure)
  expect_match(text$out, "Constancy along age")
  expect_true(file.exists(figure))
  expect_equal(command("constancy", model, data)$code, 2)
  expect_match(command("constancy", model, data, "--along", "aeg")$err, "Did you mean \"age\"")
  table <- utils::read.csv(text = command("approximate", model, data, "--by", "town", "--format",
                                          "csv", "--quiet")$out)
  expect_identical(nrow(table), 3L)
  expect_equal(command("approximate", model, data)$code, 2)
  expect_match(command("approximate", model, data, "--by", "town")$out, "should not be ranked")
  same <- command("equivalent", structural, data, "--before", "Belonging")
  expect_match(same$out, "Fit cannot distinguish")
  expect_equal(same$code, 0)
  way <- jsonlite::fromJSON(command("mediation", structural, data, "--from", "Belonging", "--to",
                                    "Staying", "--reps", "50", "--seed", "1", "--interval",
                                    "percentile", "--format", "json", "--quiet")$out)
  whole <- quiet_fit(read_blueprint(structural), utils::read.csv(data))
  boot <- bootstrap_fit(whole, 50, list(effects = effects), seed = 1, interval = "percentile")
  expect_equal(way$rows$lower, mediation(whole, "Belonging", "Staying", boot)$lower,
               tolerance = 1e-8)
  expect_equal(command("mediation", structural, data, "--from", "Belonging")$code, 2)
})

test_that("a study, a report and a methods text contain all of it", {
  blank_figures()
  folder <- tempfile("study")
  dir.create(folder)
  file.copy(c(structural, data), folder)
  file.copy(model, file.path(folder, "calm.yaml"))
  writeLines(c(
    "title: Along, across, instead", "data: choirs.csv", "seed: 3",
    "blueprints: {measures: calm.yaml, structural: structural.yaml}", "steps:",
    "  - fit: {blueprint: measures, name: m}",
    "  - constancy: {of: m, along: age, what: intercepts}",
    "  - fit: {blueprint: measures, by: town, name: towns}", "  - approximate: {of: towns}",
    "  - fit: {blueprint: structural, name: s}", "  - equivalent: {of: s, before: Belonging}",
    "  - mediation: {of: s, from: Belonging, to: Staying, reps: 40}",
    "  - report: {of: [constancy, approximate, equivalent, mediation], file: all.html}"),
    file.path(folder, "study.yaml"))
  found <- suppressWarnings(suppressMessages(run_study(file.path(folder, "study.yaml"))))
  at <- function(...) file.path(folder, "results", ...)
  made <- list.files(at(), recursive = TRUE)
  for (file in c("02-constancy/constancy.csv", "04-approximate/differing.csv",
                 "06-equivalent/equivalent.txt", "07-mediation/mediation.csv",
                 "08-report/all.html")) expect_true(file %in% made, info = file)
  page <- paste(readLines(at("08-report", "all.html"), encoding = "UTF-8"), collapse = "\n")
  for (text in c("Constancy along age", "Means under approximate invariance, by town",
                 "Equivalent models", "Effects of Belonging on Staying"))
    expect_match(page, text, fixed = TRUE)
  methods <- paste(readLines(at("08-report", "methods.txt"), encoding = "UTF-8"), collapse = " ")
  for (text in c("Merkle & Zeileis, 2013", "Asparouhov & Muth\u00e9n, 2014",
                 "MacCallum et al., 1993", "Zhao et al., 2010"))
    expect_match(methods, text, fixed = TRUE)
  index <- paste(readLines(at("index.html"), encoding = "UTF-8"), collapse = "\n")
  expect_match(index, "Fit cannot distinguish this model", fixed = TRUE)
  word <- tempfile(fileext = ".docx")
  suppressMessages(write_report(found[c("constancy", "mediation")], word))
  expect_gt(file.size(word), 5000)
})
