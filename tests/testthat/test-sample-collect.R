# Moments collected from chunks of frames and files.

bp <- collected_model

test_that("data frames and text files are the same in any chunks, far from zero too", {
  for (chunk in c(7, 100, 1e5)) expect_same_moments(collect_summary(far, bp, chunk = chunk), far)
  file <- written(far)
  expect_same_moments(collect_summary(file, bp, chunk = 50), far)
  expect_same_fit(file, chunk = 50)
  expect_same_fit(far, chunk = 33)
})

test_that("readers, amendments and ladders take collected moments like data", {
  whole <- quiet_fit(bp, far)
  fit <- quietly(fit_model(bp, collect_summary(far, bp)))
  expect_equal(fit_indices(fit)$value, fit_indices(whole)$value, tolerance = 1e-6)
  expect_equal(amendments(fit, top = 3)$actual_drop, amendments(whole, top = 3)$actual_drop,
               tolerance = 1e-4)
  a <- quietly(amend(fit, omit = be4, because = "weak"))
  expect_lt(abs(deviance(a) - deviance(quietly(amend(whole, omit = be4, because = "weak")))), 1e-6)
  groups <- collect_summary(far, bp, by = "setting")
  mine <- as.data.frame(quietly(invariance(bp, groups)))
  expect_equal(mine$chisq, as.data.frame(quietly(invariance(bp, far, by = setting)))$chisq,
               tolerance = 1e-6)
  expect_error(fit_model(bp, collect_summary(far, bp), inference = "robust"),
               class = "orizzonte_error_data")
  expect_error(bootstrap_fit(fit), class = "orizzonte_error_data")
  expect_error(predict(fit), class = "orizzonte_error")
  expect_output(print(groups[[1]]), text_pattern("collected_from_missing_pattern"))
})

test_that("missing codes, rows of no group and quoted line ends are met as in memory", {
  data <- far
  data$sc1[1:5] <- -9
  data$setting[1:3] <- NA
  data$town <- replace(as.character(data$town), 2, "a \"b\",\nc")
  file <- written(data)
  mine <- quietly(collect_summary(file, bp, missing_codes = -9, chunk = 10))
  data$sc1[1:5] <- NA
  expect_same_moments(mine, data)
  expect_message(collect_summary(file, bp, by = setting, chunk = 10), "3 of 720 rows")
  coded <- transform(far, be2 = ifelse(is.na(be2), "n/a", be2))
  expect_same_moments(quietly(collect_summary(written(coded), bp, missing_codes = "n/a")), far)
})

test_that("broken files end in an error with the line, whatever the chunk", {
  lines <- readLines(written(far))
  broken <- function(at, text) {
    file <- tempfile(fileext = ".csv")
    writeLines(replace(lines, at, text), file)
    file
  }
  for (chunk in c(20, 1e5)) {
    expect_error(collect_summary(broken(100, "1,2,3"), bp, chunk = chunk), "line 100",
                 class = "orizzonte_error_file")
    expect_error(collect_summary(broken(60, sub("^", "\"", lines[60])), bp, chunk = chunk),
                 class = "orizzonte_error_file")
  }
  expect_error(collect_summary(tempfile(), bp), class = "orizzonte_error_file")
  expect_error(collect_summary(3, bp), class = "orizzonte_error_input")
  items <- complete_choirs(variables)
  expect_error(collect_summary(cov(items), bp), "summary_data", class = "orizzonte_error_data")
  expect_error(collect_summary(written(as.data.frame(cov(items))), bp), "summary_data",
               class = "orizzonte_error_data")
  expect_same_moments(collect_summary(as.matrix(items), bp), items)
  expect_error(collect_summary(far[-2:-4], bp), class = "orizzonte_error_name")
  expect_error(collect_summary(far, bp, by = nobody), class = "orizzonte_error_name")
  expect_error(collect_summary(transform(far, be2 = "x"), bp), class = "orizzonte_error_data")
  expect_error(collect_summary(transform(far, be2 = 1), bp) |> fit_model(bp = bp),
               class = "orizzonte_error_data")
  expect_error(collect_summary(transform(far, be2 = replace(be2, 3, Inf)), bp),
               class = "orizzonte_error_data")
})

test_that("Parquet files are read row group by row group", {
  skip_if_not_installed("nanoparquet")
  file <- tempfile(fileext = ".parquet")
  parquet <- asNamespace("nanoparquet")
  parquet$write_parquet(far, file,
                        options = parquet$parquet_options(num_rows_per_row_group = 100L))
  expect_same_moments(collect_summary(file, bp), far)
  expect_same_fit(file)
})
