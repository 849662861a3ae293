# The checks of arguments that all functions share.

test_that("a bare word where text is asked for is told to go in quotes", {
  bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
  fit <- quiet_fit(bp, choirs)
  ladder <- suppressMessages(invariance(bp, choirs, by = "setting"))
  told <- function(code, hint) {
    expect_error(code, paste0("Write it in quotes: ", hint, "."), fixed = TRUE,
                 class = "orizzonte_error_input")
  }
  told(blueprint(Singing), "\"Singing\"")
  told(bp |> construct(Joy, reflected_in = jo1:jo3), "\"Joy\"")
  told(construct(bp, "Joy", reflected_in = jo1:jo3, scale = jo2), "\"jo2\"")
  told(repeated(bp, Joy, times = list(One = c(a, b), Two = c(c, d))), "\"Joy\"")
  told(hold_equal(bp, loading, across = times), "\"times\"")
  told(fit_model(bp, choirs, inference = robust), "\"robust\"")
  told(loosen(ladder, metric), "\"metric\"")
  told(latent_means(ladder, rung = scalar), "\"scalar\"")
  told(invariance(bp, choirs, by = setting, rungs = c(metric, scalar)),
       "c(\"metric\", \"scalar\")")
  told(expected_scores(ladder$fits$metric, Calm), "\"Calm\"")
  told(path_diagram(ladder$fits$metric, groups = evening), "\"evening\"")
  told(predict(fit, method = bartlett), "\"bartlett\"")
  told(amend(fit, free = covariance[sc1, sc2], because = alike), "\"alike\"")
  told(write_report(fit, report.html), "\"report.html\"")
  told(run_study(study.yaml), "\"study.yaml\"")
  told(robustness(fit, choices = items), "\"items\"")
  # also through the dots of another function
  through <- function(...) loosen(...)
  expect_error(through(ladder, metric), paste0("metric.*", text_pattern("write_quotes")),
               class = "orizzonte_error_input")
  # variables that contain the text are replaced by it; captured names stay bare
  rung <- "metric"
  expect_s3_class(loosen(ladder, rung), "orizzonte_loosened")
  expect_s3_class(through(ladder, rung), "orizzonte_loosened")
  expect_s3_class(screen_data(choirs, sc1:sc4, by = setting), "orizzonte_screen")
})

test_that("of a list it is told which part is strange", {
  fit <- quiet_fit(blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4), choirs)
  target <- tempfile(fileext = ".html")
  for (told in list(methods_text, function(x) write_report(x, target))) {
    expect_error(told(list(a = fit, b = 3)), "Part \"b\" of `x` is the value 3",
                 class = "orizzonte_error_input")
    expect_error(told(list(fit, blueprint("y"))), "Part 2 of `x` is a blueprint",
                 class = "orizzonte_error_input")
    expect_error(told(list()), text_pattern("x_is_empty_list"), class = "orizzonte_error_input")
  }
  expect_false(file.exists(target))
})

test_that("a study is not begun where it cannot be", {
  expect_no_warning(expect_error(new_study_files(file.path(tempdir(), "nowhere")),
                                 text_pattern("no_such_folder"),
                                 class = "orizzonte_error_file"))
  expect_error(run_study(blueprint("x")), "It is a blueprint", class = "orizzonte_error_input")
})
