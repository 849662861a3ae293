bp <- blueprint("B") |> construct("Belonging", reflected_in = be1:be4)
good <- complete_choirs(paste0("be", 1:4))

test_that("raw data and their summary give the same fit, from matrix or file", {
  fit <- fit_model(bp, good)
  s <- cov(good)
  lower <- s
  lower[upper.tri(lower)] <- NA
  for (data in list(summary_data(s, nrow(good), means = colMeans(good)),
                    summary_data(lower, nrow(good), means = colMeans(good)),
                    summary_data(cor(good), nrow(good), means = colMeans(good),
                                 sd = sapply(good, sd)),
                    summary_data(s * (nrow(good) - 1) / nrow(good), nrow(good),
                                 means = colMeans(good), divisor = "n"))) {
    other <- fit_model(bp, data)
    expect_equal(coef(other), coef(fit), tolerance = 1e-8)
    expect_equal(deviance(other), deviance(fit), tolerance = 1e-8)
    expect_equal(vcov(other), vcov(fit), tolerance = 1e-6)
  }
  expect_length(coef(fit_model(bp, summary_data(s, nrow(good)))), 8)
  file <- tempfile(fileext = ".csv")
  rows <- rbind(data.frame(row = ".n", t(sapply(good, function(x) nrow(good)))),
                data.frame(row = ".mean", t(colMeans(good))), data.frame(row = rownames(s), lower))
  write.csv(format(rows, digits = 15), file, row.names = FALSE, quote = FALSE)
  text <- gsub(" *NA", "", readLines(file))
  writeLines(gsub(" ", "", text), file)
  expect_equal(coef(fit_model(bp, read_summary_data(file))), coef(fit), tolerance = 1e-7)
  expect_s3_class(read_summary_data(system.file("extdata", "choirs-summary.csv",
                                                package = "orizzonte")), "orizzonte_summary_data")
})

test_that("bad summary data are refused with the reason", {
  s <- cov(good)
  refuse <- function(expr, text) expect_error(expr, text, class = "orizzonte_error_summary_data")
  refuse(summary_data(s[1:3, ], 100), "not square")
  refuse(summary_data(s), "number of cases")
  refuse(summary_data(unname(s), 100), "no variable names")
  refuse(summary_data("a", 100), "numeric matrix")
  tilted <- s
  tilted[1, 2] <- tilted[1, 2] + 50
  refuse(summary_data(tilted, 100),
         "not symmetric.*\"be2\" and \"be1\"|not symmetric.*\"be1\" and \"be2\"")
  flat <- s
  flat[1, 2] <- flat[2, 1] <- sqrt(s[1, 1] * s[2, 2])
  refuse(summary_data(flat, 100), "not positive definite")
  refuse(summary_data(s, 100, means = 1:3), "3 values for 4")
  refuse(summary_data(s, 100, sd = rep(1, 4)), "must be a correlation matrix")
  refuse(summary_data(s, 100, means = c(be1 = 1, be2 = 2, be3 = 3, b4 = 4)),
         text_pattern("lacks", lacking = "\"be4\""))
  expect_warning(summary_data(cor(good), 100), "Only correlations",
                 class = "orizzonte_warning_correlation")
  grouped <- tempfile(fileext = ".csv")
  writeLines(c(".group,row,a,b", "x,.n,50,", "x,a,1,0.2", "x,b,0.2,2", "y,.n,60,", "y,a,1,0.1",
               "y,b,0.1,2"), grouped)
  expect_equal(vapply(read_summary_data(grouped), `[[`, 0, "n"), c(x = 50, y = 60))
  expect_equal(read_summary_data(grouped, group = "y")$n, 60)
  wrong <- tempfile(fileext = ".csv")
  writeLines(c("row,a,b", ".n,50,", "a,1,", "bb,0.2,2"), wrong)
  expect_error(read_summary_data(wrong), text_pattern("row_is_not_one"),
               class = "orizzonte_error_file")
})

test_that("unknown variables name the nearest column or construct", {
  expect_error(fit_model(blueprint("x") |> construct("B", reflected_in = c(be1, be2, bee3)),
                         choirs), paste0("\"bee3\"",
                                         text_pattern("did_you_mean_inline", near = "\"be3\"")),
               class = "orizzonte_error_name")
  expect_error(fit_model(bp |> effect(years ~ Belongin), choirs),
               "\"Belongin\"; did you mean \"Belonging\" \\(a construct\\)",
               class = "orizzonte_error_name")
  expect_error(fit_model(blueprint("x") |> construct("years", reflected_in = be1:be3), choirs),
               text_pattern("construct_has_name_column"), class = "orizzonte_error_name")
})

test_that("columns that cannot be analysed are refused by name", {
  refuse <- function(data, text) {
    expect_error(suppressMessages(fit_model(bp, data)), text, class = "orizzonte_error_data")
  }
  with <- function(value) replace(good, "be2", list(value))
  refuse(with(c("x", as.character(good$be2)[-1])), "be2: \"x\" \\(1 row\\)")
  refuse(with(paste("about", good$be2)), text_pattern("columns_hold_text"))
  refuse(with(factor(good$be2 > 50)), "it is a factor")
  refuse(with(5), "\"be2\" does not vary")
  refuse(with(NA_real_), "\"be2\" is missing in every row")
  refuse(with(replace(good$be2, 3, Inf)), "infinite value in row 3")
  refuse(with(good$be1 * 2 + 1), "not positive definite")
  refuse(with(replace(good$be2, 3, Inf)), text_pattern("correct_infinite_value"))
  refuse(good[1:4, ], "There are 4 complete rows for 4 variables")
  refuse(good[1, ], "There is 1 complete row for 4 variables")
  refuse(good[0, ], "no rows")
  refuse(cbind(good, good["be1"]), text_pattern("two_columns_data_are", twice = "\"be1\""))
  refuse(list(1), "must be a data frame")
  expect_error(fit_model(bp, good, missing_codes = TRUE), text_pattern("missing_codes_must_be"),
               class = "orizzonte_error_input")
  expect_error(fit_model(bp), "needs data", class = "orizzonte_error_input")
  expect_error(fit_model(blueprint("x"), good), text_pattern("blueprint_has_no_variables"),
               class = "orizzonte_error_input")
})

test_that("names that are not syntactic, and accented ones, work throughout", {
  odd <- stats::setNames(good, c("01", "\u00e9lan", "years of age", "if"))
  fit <- fit_model(blueprint("Odd") |>
                   construct("F\u00fc\u00df",
                             reflected_in = c("01", "\u00e9lan", "years of age", "if")), odd)
  expect_equal(unname(coef(fit)), unname(coef(fit_model(bp, good))), tolerance = 1e-8)
  expect_true("loading[F\u00fc\u00df, `years of age`]" %in% names(coef(fit)))
  expect_output(print(summary(fit)), "`years of age`")
})

test_that("column labels serve as wordings where the blueprint has none", {
  fit <- quiet_fit(bp |> wording(be1 = "My own text"), choirs)
  expect_equal(all_wordings(fit)[["be1"]], "My own text")
  expect_equal(all_wordings(fit)[["be2"]], attr(choirs$be2, "label"))
})

test_that("the demo data hold what their page says", {
  expect_equal(dim(choirs), c(720L, 23L))
  answers <- choirs[setdiff(names(choirs), c("singer", "setting", "town", "years", "age"))]
  expect_true(abs(mean(is.na(answers)) - 0.04) < 0.01)
  expect_true(all(is.na(answers) | (answers >= 0 & answers <= 100)))
  expect_identical(levels(choirs$setting), c("evening", "weekend"))
  expect_equal(dim(choirs_bifactor), c(600L, 12L))
  expect_equal(dim(choirs_troubled), c(240L, 13L))
  expect_lt(cor(choirs$sc3, choirs$sc1, use = "complete.obs"), -0.3)
})

test_that("correlations beyond 1 are named, and no standard deviation is printed that nobody gave",
          {
  one <- matrix(c(1, 0.3, 1.2, 0.3, 1, 0.2, 1.2, 0.2, 1), 3,
                dimnames = list(c("a", "b", "c"), c("a", "b", "c")))
  for (sd in list(NULL, c(1, 2, 3))) {
    expect_error(suppressWarnings(summary_data(one, 100, sd = sd)), "\"a\" and \"c\" is 1.2",
                 class = "orizzonte_error_summary_data")
  }
  one[one == 1.2] <- 0.4
  printed <- capture.output(print(suppressWarnings(summary_data(one, 100))))
  expect_false(any(grepl("0.995", printed, fixed = TRUE)))
  expect_match(printed[2], "Correlations; no standard deviations are known")
  expect_match(capture.output(print(summary_data(one, 100, sd = c(2, 2, 2))))[2],
               "Standard deviations and correlations")
})
