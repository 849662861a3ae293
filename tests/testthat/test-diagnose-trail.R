items <- c(paste0("be", 1:4), paste0("sc", 1:4), paste0("cr", 1:4), paste0("st", 1:3))
data <- complete_choirs(items)
start <- blueprint("Why singers stay") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4) |>
  construct("Craft", reflected_in = cr1:cr4) |> construct("Staying", reflected_in = st1:st3)
quietly <- function(code) suppressMessages(suppressWarnings(code))
fit <- fit_model(start, data)

test_that("amend() frees, fixes and leaves out, and the trail says what happened", {
  two <- quietly(amend(fit, free = covariance[be2, be1], because = "both are about being greeted"))
  expect_equal(deviance(two), deviance(fit_model(start |> covary(be1, be2), data)),
               tolerance = 1e-9)
  three <- quietly(amend(two, free = "loading[Calm, st2]", because = "settled is about calm, too"))
  four <-
    quietly(amend(three, fix = loading[Craft, cr2] == loading[Craft, cr1], because = "parallel"))
  five <- quietly(amend(four, omit = cr4, because = "the robes are no craft"))
  steps <- trail(five)
  expect_equal(steps$revision, 0:4)
  expect_equal(steps$change[-1],
               c("free covariance[be1, be2]", "free loading[Calm, st2]",
                 "fix loading[Craft, cr2] == loading[Craft, cr1]", "omit cr4"))
  expect_equal(steps$actual_drop[2:4],
               -diff(c(deviance(fit), deviance(two), deviance(three), deviance(four))),
               tolerance = 1e-9)
  index <- amendments(fit, top = 0)
  expect_equal(steps$predicted_drop[2],
               index$modification_index[index$parameter == "covariance[be1, be2]"],
               tolerance = 1e-8)
  # fixing: the Wald test of the previous fit, with its sign reversed
  k <- c("loading[Craft, cr2]")
  expect_equal(steps$predicted_drop[4], -(coef(three)[[k]] - 1)^2 / vcov(three)[k, k],
               tolerance = 1e-8)
  expect_equal(steps$p_change[2:3], pchisq(steps$actual_drop[2:3], 1, lower.tail = FALSE))
  # items were dropped: nothing is compared, and the reason is given
  changes <- grep("_change$", names(steps), value = TRUE)
  expect_true(all(is.na(steps[5, changes])) && is.na(steps$actual_drop[5]))
  expect_match(steps$note[5], "without cr4")
  expect_equal(steps$cfi,
               vapply(list(fit, two, three, four, five),
                      function(f) fit_indices(f)$value[fit_indices(f)$index == "cfi"], 0))
  out <- capture.output(print(steps))
  expect_true(any(grepl("because both are about being greeted", out)) &&
              any(grepl("not comparable", out)))
  expect_true(all(c("chisq", "df", "p", "cfi", "tli", "rmsea", "srmr", "aic", "bic") %in%
                  sub("_change", "", changes)))
})

test_that("the trail survives saving, blueprint files and refits, and notices changes beside it", {
  two <-
    quietly(amend(quietly(amend(fit, free = covariance[be1, be2], because = "say \"hello\": y")),
                  free = loading[Calm, st2], because = "no"))
  file <- tempfile(fileext = ".yaml")
  write_blueprint(two$request$blueprint, file)
  again <- read_blueprint(file)
  expect_identical(again, two$request$blueprint)
  expect_identical(trail(again), trail(two$request$blueprint))
  refitted <- fit_model(again, data)
  expect_equal(trail(refitted), trail(two))
  saved <- tempfile(fileext = ".rds")
  saveRDS(two, saved)
  expect_identical(trail(readRDS(saved)), trail(two))
  beside <- fit_model(again |> covary(sc1, sc2), data)
  expect_equal(trail(beside)$change[4], "changed outside amend()")
  other <- fit_model(again, data[1:400, ])
  expect_match(trail(other)$note[4], "other rows")
  expect_output(print(again), "trail: 2 revisions")
  expect_output(print(summary(two)), "Trail")
  writeLines(sub("chisq", "chisqq", readLines(file)), file)
  expect_error(read_blueprint(file), "chisq", class = "orizzonte_error_file")
})

test_that("an equality is released for one parameter alone, whatever statement made it", {
  slice <-
    fit_model(start |> restrict(loading[Calm, ] == loading[Calm, sc1], variance[cr1:cr3] == 150),
              data)
  one <- quietly(amend(slice, free = loading[Calm, sc3], because = "it is keyed the other way"))
  by_hand <-
    fit_model(start |>
              restrict(loading[Calm, c(sc2, sc4)] == loading[Calm, sc1], variance[cr1:cr3] == 150),
              data)
  expect_equal(deviance(one), deviance(by_hand), tolerance = 1e-9)
  crossing <- quietly(amend(slice, free = loading[Calm, st2], because = "x"))
  expect_equal(df.residual(crossing), df.residual(slice) - 1)
  expect_equal(trail(crossing)$actual_drop[2], score_test(slice, loading[Calm, st2]) |>
               attr("actual_drop"), tolerance = 1e-6)
  reference <- quietly(amend(slice, free = variance[cr2], because = "no reason to hold it"))
  expect_equal(deviance(reference),
               deviance(fit_model(start |>
                                  restrict(loading[Calm, ] == loading[Calm, sc1],
                                           variance[cr1] == 150, variance[cr3] == 150), data)),
               tolerance = 1e-9)
  fixed <- fit_model(start |> restrict(covariance[be1, be2] == 20), data)
  freed <- quietly(amend(fixed, free = covariance[be1, be2], because = "x"))
  expect_equal(deviance(freed), deviance(fit_model(start |> covary(be1, be2), data)),
               tolerance = 1e-9)
  apart <- fit_model(start |> uncorrelate(Calm, Craft), data)
  expect_equal(deviance(quietly(amend(apart, free = covariance[Craft, Calm], because = "x"))),
               deviance(fit), tolerance = 1e-9)
  given <- fit_model(blueprint("Given") |>
                     construct("Calm", reflected_in = c(sc1 = 1, sc2 = 0.9, sc4 = 1)) |>
                     construct("Belonging",
      reflected_in = be1:be4), data)
  expect_equal(df.residual(quietly(amend(given, free = loading[Calm, sc2], because = "x"))),
               df.residual(given) - 1)
  bounded <- fit_model(start |> restrict(variance[items] >= 150), data)
  pressed <- amendments(bounded, kinds = "bound")
  relaxed <- quietly(amend(bounded, free = !!pressed$parameter[1], because = "x"))
  expect_equal(deviance(bounded) - deviance(relaxed), pressed$actual_drop[1], tolerance = 1e-6)
})

test_that("warnings and errors say what to do", {
  expect_warning(suppressMessages(amend(fit, free = covariance[be1, be2])), "reason",
                 class = "orizzonte_warning_reason")
  messages <- character()
  withCallingHandlers(amend(fit, free = c(covariance[be1, be2], covariance[sc1, sc4]),
                            because = "x"), message = function(m) {
    messages <<- c(messages, conditionMessage(m))
    invokeRestart("muffleMessage")
  })
  expect_true(any(grepl("2 changes at once", messages)))
  expect_error(amend(fit, because = "x"), text_pattern("amend_needs_change"),
               class = "orizzonte_error_input")
  expect_error(amend(fit, free = loading[Calm, st9], because = "x"), text_pattern("did_you_mean"),
               class = "orizzonte_error_name")
  expect_error(amend(fit, free = loading[Calm, sc1], because = "x"), text_pattern("carries_scale"),
               class = "orizzonte_error_identification")
  expect_error(amend(fit, fix = loading[Calm, sc2], because = "x"),
               text_pattern("fix_needs_equation_not"),
               class = "orizzonte_error_restriction")
  expect_error(amend(fit, omit = cr9, because = "x"), text_pattern("did_you_mean"),
               class = "orizzonte_error_name")
  expect_error(amend(start, free = covariance[be1, be2]), class = "orizzonte_error_input")
  expect_error(trail(3), class = "orizzonte_error_input")
  expect_output(print(trail(fit)), text_pattern("nothing_has_been_amended_so"))
  many <- fit
  for (pair in c("covariance[be1, be2]", "covariance[sc1, sc2]", "covariance[cr1, cr3]"))
    many <- quietly(amend(many, free = !!pair, because = "a try"))
  expect_warning(suppressMessages(amend(many, free = covariance[be3, sc1], because = "a try")),
                 "confirm", class = "orizzonte_warning_trail")
})

test_that("omitting an item brings back the rows that only it had spoilt", {
  incomplete <- choirs
  incomplete$cr4[1:60] <- NA
  raw <- quiet_fit(start, incomplete, incomplete = "drop")
  smaller <- quietly(amend(raw, omit = cr4, because = "x"))
  expect_equal(deviance(smaller), deviance(quiet_fit(start |> leave_out(cr4), incomplete,
                                                    incomplete = "drop")),
               tolerance = 1e-9)
  expect_gt(nobs(smaller), nobs(raw))
  summary <- fit_model(start, summary_data(cov(data), nrow(data), means = colMeans(data)))
  expect_equal(deviance(quietly(amend(summary, omit = c(cr4, be2), because = "x"))),
               deviance(fit_model(start |> leave_out(cr4, be2), summary_data(cov(data), nrow(data),
                   means = colMeans(data)))), tolerance = 1e-9)
  with_factor <- quiet_fit(start |> effect(Staying ~ town), choirs)
  expect_equal(deviance(quietly(amend(with_factor, free = covariance[be1, be2], because = "x"))),
               deviance(quiet_fit(start |> effect(Staying ~ town) |> covary(be1, be2), choirs)),
               tolerance = 1e-7)
})

test_that("confirm() refits the start and the end in fresh data", {
  halves <- split_data(data, seed = 2)
  expect_equal(nrow(halves$explore) + nrow(halves$confirm), nrow(data))
  expect_identical(split_data(data, seed = 2), halves)
  explored <- quietly(amend(fit_model(start, halves$explore), free = covariance[be1, be2],
                            because = "greeting"))
  explored <- quietly(amend(explored, free = covariance[cr3, be3], because = "a try"))
  found <- confirm(explored, halves$confirm)
  end <- fit_model(explored$request$blueprint, halves$confirm)
  expect_equal(found$indices$chisq,
               c(deviance(fit_model(start, halves$explore)), deviance(explored),
                 deviance(fit_model(start, halves$confirm)), deviance(end)),
               tolerance = 1e-9)
  expect_equal(found$difference$df_change, c(2, 2))
  expect_equal(found$parameters$estimate_fresh, unname(coef(end)[found$parameters$parameter]))
  expect_equal(found$parameters$verdict[1], "found_again")
  # a parameter that is zero is not replicated because it is significant once by chance
  expect_equal(found$parameters$p_adjusted, stats::p.adjust(found$parameters$p_fresh, "holm"))
  expect_false(found$parameters$verdict[2] == "found_again")
  # the fit of the final model in the fresh data comes first
  printed <- paste(capture.output(print(found)), collapse = " ")
  fits <- regexpr(text_pattern("fresh_fit", df = as.character(df.residual(end))), printed)
  expect_gt(fits, 0)
  expect_lt(fits, regexpr(text_pattern("what_was_freed"), printed))
  expect_output(print(found), "fresh data")
  expect_warning(confirm(explored, halves$explore), text_pattern("these_are_data_trail"),
                 class = "orizzonte_warning_confirm")
  expect_error(confirm(fit, data), text_pattern("nothing_has_been_amended"),
               class = "orizzonte_error_input")
  expect_error(confirm(explored, data[1:5]), class = "orizzonte_error_name")
  expect_error(split_data(1:3), class = "orizzonte_error_input")
})

test_that("a grouped trail is confirmed by group, on fresh data with the same codes", {
  halves <- split_data(choirs)
  coded <- lapply(halves, function(half) {
    half$sc1[1:5] <- -9
    half
  })
  start <- read_blueprint(extdata("choirs-start.yaml")) |> hold_equal(loading)
  fit <- quiet_fit(start, coded$explore, by = "setting", missing_codes = -9)
  freed <-
    suppressMessages(amend(fit, free = loading[Calm, st2], because = "settled is about calm, too"))
  found <- suppressMessages(confirm(freed, coded$confirm))
  fresh <- quiet_fit(freed$request$blueprint, coded$confirm, by = "setting", missing_codes = -9)
  expect_identical(found$fits$end$layout$groups, c("evening", "weekend"))
  expect_equal(found$indices$chisq[found$indices$model == "end" & found$indices$data == "fresh"],
               deviance(fresh), tolerance = 1e-9)
  expect_setequal(found$parameters$parameter,
                  paste0("loading[Calm, st2 | ", c("evening", "weekend"), "]"))
  expect_warning(suppressMessages(confirm(freed, coded$explore)),
                 text_pattern("these_are_data_trail"))
})

test_that("a trail whose only change is an omission prints, summarises and is reported", {
  items <- blueprint("B") |> construct("B", reflected_in = be1:be4) |>
    construct("C", reflected_in = sc1:sc4)
  for (fit in list(suppressMessages(fit_model(items, choirs)),
                   suppressMessages(fit_model(items, choirs, by = setting)))) {
    left <- suppressMessages(amend(fit, omit = be4, because = "nobody understood it"))
    expect_output(print(trail(left)), "omit be4")
    expect_output(print(trail(left)), text_pattern("not_comparable"))
    expect_output(print(summary(left)), "omit be4")
    steps <- trail(left)
    expect_equal(steps$revision, 0:1)
    expect_true(is.na(steps$chisq_change[2]))
    file <- tempfile(fileext = ".md")
    write_report(left, file, quiet = TRUE)
    expect_true(any(grepl("nobody understood it", readLines(file))))
    written <- tempfile(fileext = ".yaml")
    write_blueprint(left, written)
    expect_equal(read_blueprint(written), left$request$blueprint)
  }
})
