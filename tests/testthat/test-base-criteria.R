# One value for every cut-off.

bp <- blueprint("Two") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4) |>
  claim(H1 = covariance[Belonging, Calm] == 0)
fit <- quiet_fit(bp, choirs)
value <- function(table, name, column = "verdict") table[[column]][table$index == name]

test_that("every criterion has a default with a source, and is printed with it", {
  all <- criteria()
  expect_named(all, names(criterion_sources), ignore.order = TRUE)
  printed <- trimws(capture.output(print(criteria(cfi = c(0.97, 0.95), srmr_change = 0.02))))
  for (name in names(criterion_sources)) expect_true(any(startsWith(printed, name)), label = name)
  expect_match(printed[startsWith(printed, "cfi ")], ">= .97 +>= .95 +given")
  expect_match(printed[startsWith(printed, "srmr_change")], ".02 +given")
  expect_match(printed[startsWith(printed, "rmsea ")], "<= .06 +<= .08 +Hu & Bentler 1999")
})

test_that("what is wrong with a criterion is said, with the nearest name", {
  refused <- function(code, says) expect_error(code, says, class = "orizzonte_error_input")
  refused(criteria(signifcance = 0.1), "Did you mean \"significance\"")
  refused(criteria(0.1), "needs its name")
  refused(criteria(cfi = 0.95), "two numbers")
  refused(criteria(cfi = c("a", "b")), "two numbers")
  refused(criteria(cfi = c(0.9, NA)), "two numbers")
  refused(criteria(rmsea = c(0.08, 0.06)), "wrong order")
  refused(criteria(cfi = c(95, 90)), "out of range")
  refused(criteria(srmr = c(0.1, Inf)), "out of range")
  refused(criteria(smallest = Inf), "must be one number")
  expect_identical(criteria(cfi = c(acceptable = 0.9, good = 0.97))$cfi, c(0.97, 0.9))
  refused(criteria(significance = 2), "between 0 and 1")
  refused(criteria(power = "high"), "between 0 and 1")
  refused(criteria(smallest = 0), "must be one number")
  refused(criteria(cfi_change = -0.01), "between 0 and 1")
  for (reader in list(fit_indices, amendments, without, verdicts, summary))
    refused(reader(fit, criteria = list(cfi = 1)), "must come from criteria")
})

test_that("every reader that judges follows its criteria", {
  p <- value(fit_indices(fit), "p", "value")
  harsh <- criteria(cfi = c(1, 0.9999), significance = 1e-12, smallest = 5,
                    p = c(0.999999, 0.99999))
  expect_identical(value(fit_indices(fit, criteria = harsh), "cfi"), "poor")
  expect_match(attr(fit_indices(fit, criteria = criteria(significance = min(p / 2, 0.9))),
                    "reading"), text_pattern("exact_fit_is_not_rejected"))
  expect_identical(summary(fit, criteria = harsh)$fit_indices, fit_indices(fit, criteria = harsh))
  expect_identical(verdicts(fit)$verdict, "contradicted")
  expect_identical(verdicts(fit, criteria = harsh)$verdict, "supported")
  found <- amendments(fit, top = 0, criteria = criteria(significance = 1e-300))
  expect_false(any(found$verdict %in% c("stands_out", "negligible")))
  gone <- without(fit)
  expect_identical(gone$verdict[1], "needed")
  expect_identical(without(fit, criteria = criteria(significance = 1e-300))$verdict[1],
                   "could_be_removed")
  plain <- blueprint("Two") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4)
  fit <- quiet_fit(plain, choirs)
  small <- quiet_fit(uncorrelate(plain, Belonging, Calm), choirs)
  expect_identical(compare_models(fit, small)$verdict, c(NA, "fits_worse"))
  expect_identical(compare_models(fit, small, criteria = criteria(significance = 1e-300))$verdict,
                   c(NA, "fits_as_well"))
  expect_identical(compare_models(a = fit, b = small, against = "b")$verdict, c("fits_better", NA))
})

test_that("a ladder keeps its criteria, and loosening follows them", {
  rungs <- c("configural", "metric")
  data <- choirs
  easy <-
    suppressMessages(invariance(bp, data, by = "setting", rungs = rungs,
                                criteria = criteria(cfi_change = 1, rmsea_change = 1,
                                                    srmr_change = 1)))
  never <-
    suppressMessages(invariance(bp, data, by = "setting", rungs = rungs,
                                criteria = criteria(cfi_change = 1e-9, srmr_change = 1e-9)))
  # only the p value of the difference remains
  expect_identical(as.data.frame(easy)$broken[2], "p")
  expect_identical(as.data.frame(never)$verdict[2], "fails")
  shown <- paste(capture.output(print(easy)), collapse = " ")
  expect_match(shown, "CFI -1")
  expect_match(shown, "given, else")
  expect_true(suppressMessages(loosen(never, "metric", criteria = criteria(cfi_change = 1,
      rmsea_change = 1, srmr_change = 1)))$holds)
  expect_identical(change_limits(criteria(), TRUE, 12), c(cfi = 0.02, rmsea = 0.03, srmr = 0.03))
  expect_identical(change_limits(criteria(), FALSE, 12), c(cfi = 0.01, rmsea = 0.015, srmr = 0.01))
  expect_identical(change_limits(criteria(p_change = 0.01, cfi_change = 0.005), TRUE, 2),
                   c(cfi = 0.005, rmsea = 0.015, srmr = 0.03, p = 0.01))
})

test_that("a file of criteria reads as the call", {
  file <- tempfile(fileext = ".yaml")
  writeLines(c("cfi: [.96, 0.92]", "smallest: 2e-1", "p_change: .05"), file)
  expect_identical(read_criteria(file),
                   criteria(cfi = c(0.96, 0.92), smallest = 0.2, p_change = 0.05))
  refused <- function(lines, says, class) {
    writeLines(lines, file)
    expect_error(read_criteria(file), says, class = class)
  }
  refused("cif: [1, 1]", "Did you mean \"cfi\"", "orizzonte_error_input")
  refused("cfi: high", "must be numbers", "orizzonte_error_file")
  refused("- 1", "not a file of criteria", "orizzonte_error_file")
  refused("cfi: [", "not readable YAML", "orizzonte_error_file")
  expect_error(read_criteria("none.yaml"), text_pattern("there_is_no_file"),
               class = "orizzonte_error_file")
})
