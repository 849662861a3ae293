# On the command line, the next step is a command for the given files.

next_of <- function(...) {
  said <- command(...)
  list(code = said$code, text = paste(said$out, collapse = "\n"))
}

test_that("every command names a command, never a call of R's", {
  model <- extdata("choirs-start.yaml")
  data <- extdata("choirs.csv")
  calls <- "fit_model\\(|amendments\\(|summary\\(|estimates\\(|amend\\(|loosen\\(|rescue\\("
  fit <- next_of("fit", model, data)
  expect_match(fit$text, paste("Next: orizzonte diagnose", model, data), fixed = TRUE)
  diagnose <- next_of("diagnose", model, data, "--top", "1")
  expect_match(diagnose$text, "--free 'loading[Calm, st2]' --because", fixed = TRUE)
  check <- next_of("check", model)
  expect_equal(check$code, 0)
  expect_match(check$text, paste("Next: orizzonte fit", model, "DATA"), fixed = TRUE)
  screen <- next_of("screen", data)
  expect_match(screen$text, paste("orizzonte fit BLUEPRINT", data), fixed = TRUE)
  ladder <- next_of("invariance", model, data, "--by", "setting", "--rungs", "metric")
  expect_match(ladder$text, "orizzonte (invariance|diagnose|report|rescue) .*--by setting")
  for (said in list(fit, diagnose, check, screen, ladder))
    expect_no_match(said$text, calls)
  expect_equal(next_of("check", model, "--by", "setting")$code, 2)
})

test_that("words of a command are quoted where a shell would read them otherwise", {
  expect_identical(shell_word("a/b.yaml"), "a/b.yaml")
  expect_identical(shell_word("my data.csv"), "'my data.csv'")
  expect_identical(shell_word("it's"), "'it'\\''s'")
  expect_identical(system(paste("printf %s", shell_word("a 'b' $c `d`")), intern = TRUE),
                   "a 'b' $c `d`")
  expect_identical(instruction("amend_fix", address = "a"),
                   "amend(fit, fix = a == 0, because = \"...\")")
})

test_that("the command line shows effects and moments, loosens several rungs and confirms", {
  model <- extdata("choirs-start.yaml")
  data <- extdata("choirs.csv")
  table <- function(...) {
    utils::read.csv(text = command("fit", model, data, "--format", "csv", "--table", ...)$out)
  }
  fit <- quiet_fit(read_blueprint(model), choirs)
  expect_equal(table("effects")$estimate, effects(fit)$estimate)
  implied <- table("implied")
  expect_equal(unname(as.matrix(implied[fit$layout$observed])),
               unname(implied(fit)$all$covariance), tolerance = 1e-12)
  expect_equal(implied$mean, unname(implied(fit)$all$mean))
  groups <- table("observed", "--by", "setting")
  expect_identical(unique(groups$group), c("evening", "weekend"))
  both <- command("invariance", extdata("choirs.yaml"), data, "--by", "setting", "--loosen",
                  "metric;scalar", "--format", "json")
  told <- jsonlite::fromJSON(paste(both$out, collapse = "\n"))
  expect_identical(unique(told$released$rung), c("metric", "scalar"))
  expect_true(told$holds)
  few <- jsonlite::fromJSON(paste(command("diagnose", model, data, "--kinds", "cross-loading",
                                          "--min-drop", "20", "--format", "json")$out,
                                  collapse = "\n"))$amendments
  expect_true(all(few$kind == "cross-loading" & few$modification_index >= 20))
  following <- tempfile(fileext = ".yaml")
  half <- tempfile(fileext = ".csv")
  utils::write.csv(choirs[361:720, ], half, row.names = FALSE)
  command("amend", model, data, "--free", "loading[Calm, st2]", "--because", "x", "--out",
          following)
  confirmed <- command("confirm", following, data, half, "--format", "json")
  expect_equal(confirmed$code, 0)
  expect_equal(nrow(jsonlite::fromJSON(paste(confirmed$out, collapse = "\n"))$parameters), 1)
  expect_equal(command("rescue", model, data)$code, 0)
  # missing files are refused by name; so are functions that exist only inside the package
  for (wrong in list(c("diagnose", model, data, "--kinds", "nonsense"),
                     c("diagnose", model, data, "--kinds", "crossloading"),
                     c("fit", model, data, "--table", "efects"),
                     c("invariance", model, data, "--by", "setting", "--loosen", ";"),
                     c("invariance", model, data, "--by", "setting", "--loosen", "metric;scaler"),
                     c("confirm", model, data, half), c("screen", data, "--by", "settng"))) {
    refused <- do.call(command, as.list(wrong))
    expect_equal(refused$code, 2, info = paste(wrong, collapse = " "))
    expect_match(refused$err, "\n(i|\u2139) ", info = paste(wrong, collapse = " "))
  }
  # treatment of cases, in every command that fits
  robust <- jsonlite::fromJSON(command("fit", model, data, "--inference", "robust", "--auxiliary",
                                       "age; years", "--format", "json", "--quiet")$out)
  expect_match(robust$sample, "95 have missing values and are kept .*auxiliary.*age")
  expect_identical(robust$inference$inference, "robust")
  expect_true("chisq_inflation" %in% robust$fit_indices$index)
  dropped <- command("diagnose", model, data, "--incomplete", "drop", "--top", "1")
  expect_match(dropped$out, "625 cases of 720 rows")
  expect_match(dropped$out, "--incomplete drop", fixed = TRUE)
  few <- command("invariance", model, data, "--by", "setting", "--clusters", "town")
  expect_match(few$err, "fewer than 50|Fewer than 50|3 clusters")
  weighted <- command("check", model, data, "--weights", "singer")
  expect_equal(weighted$code, 2)
  expect_match(weighted$err, text_pattern("column_cannot_hold_weights"))
  screened <- jsonlite::fromJSON(command("screen", data, "--clusters", "town", "--by", "setting",
                                         "--format", "json", "--quiet")$out)
  expect_true(all(c("icc", "design_effect") %in% names(screened$clusters)))
  expect_match(screened$missing$reading, text_pattern("rows_miss_something_though", rows = "15%"))
  figure <- tempfile(fileext = ".png")
  expect_equal(command("draw", model, data, "--what", "groups", "--out", figure)$code, 2)
  expect_equal(command("draw", model, data, "--what", "groups", "--by", "setting", "--out",
                       figure)$code, 0)
  expect_gt(file.size(figure), 5000)
})
