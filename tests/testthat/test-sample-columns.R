items <- paste0("be", 1:4)
x <- complete_choirs(items)
bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)

test_that("a covariance matrix is not taken for rows of people", {
  s <- cov(x)
  lower <- s
  lower[upper.tri(lower)] <- NA
  wider <- cov(complete_choirs(c(items, paste0("sc", 1:4))))
  forms <- list(s, as.data.frame(s), cov2cor(s), as.data.frame(lower),
                data.frame(name = rownames(s), s), data.frame(name = rownames(s), lower),
                as.data.frame(wider), data.frame(of = rownames(wider), wider[, items]),
                as.data.frame(wider)[, items])
  for (form in forms) {
    expect_error(fit_model(bp, form), text_pattern("data_are_covariance_or"),
                 class = "orizzonte_error_data")
    expect_error(screen_data(form), class = "orizzonte_error_data")
  }
  file <- tempfile(fileext = ".csv")
  write.csv(s, file)
  expect_error(fit_model(bp, read.csv(file)), "summary_data", class = "orizzonte_error_data")
  yaml <- tempfile(fileext = ".yaml")
  write_blueprint(bp, yaml)
  expect_equal(command("fit", yaml, file)$code, 2L)
  # as many people as variables are simply too few people
  expect_error(fit_model(bp, x[1:4, ]), "complete rows", class = "orizzonte_error_data")
})

test_that("columns that are no columns are refused by name", {
  table <- x
  table$both <- as.matrix(x[1:2])
  expect_error(fit_model(bp, table[c("both", items)]), "both", class = "orizzonte_error_data")
  framed <- x
  framed$inner <- x[1:2]
  expect_error(screen_data(framed), "inner", class = "orizzonte_error_data")
  wide <- x
  wide$be1 <- structure(x$be1, class = "integer64")
  skip_if(isNamespaceLoaded("bit64"))
  expect_error(fit_model(bp, wide), "64-bit", class = "orizzonte_error_data")
})

test_that("summary data must be finite, and each row of their file one of its kind", {
  s <- cov(x)
  endless <- s
  endless[1, 2] <- endless[2, 1] <- Inf
  expect_error(summary_data(endless, 100), text_pattern("covariance_is_not_finite"),
               class = "orizzonte_error_summary_data")
  expect_error(summary_data(s, 100, means = c(1, 2, Inf, 4)), "finite",
               class = "orizzonte_error_summary_data")
  expect_error(summary_data(s, Inf), class = "orizzonte_error_summary_data")
  for (row in c(".mean,1,2", ".n,5,", ".sd,1,2", "a,1,")) {
    file <- tempfile(fileext = ".csv")
    writeLines(c("row,a,b", ".n,100,", ".mean,3,4", ".sd,1,1", "a,1,", "b,0.3,1", row), file)
    expect_error(read_summary_data(file), paste0("two rows \"", sub(",.*", "", row)),
                 class = "orizzonte_error_file")
  }
  one <- summary_data(s, 300, means = colMeans(x))
  expect_error(fit_model(bp, list(men = one, women = summary_data(s, 200))), "women",
               class = "orizzonte_error_data")
  # empty text is not a group: its rows are left out, with a note
  expect_error(fit_model(bp, cbind(x, g = rep(c("a", ""), length.out = nrow(x))), by = "g"),
               text_pattern("least_two_are_needed"), class = "orizzonte_error_data")
})

test_that("an effect without a route is refused, and so are arguments nobody knows", {
  apart <- construct(bp, "Calm", reflected_in = sc1:sc4)
  for (text in c("indirect[B, Calm]", "total[B, Calm]")) {
    expect_error(fit_model(quantity(apart, q = !!str2lang(text)), choirs),
                 text_pattern("means_nothing_there_is"),
                 class = "orizzonte_error_restriction")
    expect_error(fit_model(claim(apart, H = !!call(">", str2lang(text), 0)), choirs), "route",
                 class = "orizzonte_error_restriction")
  }
  turned <- effect(apart, Calm ~ B)
  expect_error(fit_model(quantity(turned, q = total[Calm, B]), choirs),
               text_pattern("there_is_one_from", second = "B", first = "Calm"))
  known <- estimates(quiet_fit(quantity(turned, q = total[B, Calm]), choirs))
  expect_equal(known$estimate[known$parameter == "quantity[q]"],
               known$estimate[known$parameter == "effect[B, Calm]"])
  fit <- quiet_fit(bp, choirs)
  expect_error(confint(fit, method = "profile"), "method", class = "orizzonte_error_input")
  expect_error(coef(fit, 3), class = "orizzonte_error_input")
  expect_error(glance(fit, 3), class = "orizzonte_error_input")
  expect_error(covary(bp, be1, be2, group = "x"), "group", class = "orizzonte_error_input")
  expect_error(fit_model(bp, choirs, missing = "ml"), "missing_codes",
               class = "orizzonte_error_input")
  expect_error(invariance(bp, choirs, by = setting, rung = "metric"), "rungs",
               class = "orizzonte_error_input")
})

test_that("a ladder starts from the configural rung, in its own order", {
  expect_message(ladder <- invariance(bp, choirs, by = setting, rungs = c("scalar", "metric")),
                 text_pattern("configural_rung_is_fitted"))
  for (wrong in list(NA, character(), 3, "scalr", NA_character_)) {
    expect_error(invariance(bp, choirs, by = setting, rungs = wrong),
                 class = "orizzonte_error_input")
    expect_error(invariance(bp, choirs, by = setting, structural = wrong),
                 class = "orizzonte_error_input")
    expect_error(invariance(bp, choirs, by = setting, structural_on = wrong),
                 class = "orizzonte_error_input")
  }
  table <- as.data.frame(ladder)
  expect_identical(table$rung, c("configural", "metric", "scalar"))
  expect_identical(table$against, c(NA, "configural", "metric"))
  expect_true(all(table$chisq_change[-1] >= 0))
})

test_that("codes, few answers and heavy tails are said when a model is fitted", {
  bp <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
  data <- choirs[c(paste0("be", 1:4), "setting")]
  data$be1[3:8] <- -9
  data$be2[20] <- 999
  expect_message(fit_model(bp, data), "be1 (-9 in 6 rows) and be2 (999 in 1 row)", fixed = TRUE)
  expect_message(fit_model(bp, data), "missing_codes = c(-9, 999)", fixed = TRUE)
  expect_no_message(fit_model(bp, data, missing_codes = c(-9, 999)), message = "look like codes")
  expect_no_message(fit_model(bp, choirs), message = "look like codes|distinct|tails")
  # -9 is an answer on a scale from -20 to 20
  shifted <- data
  shifted[paste0("be", 1:4)] <- round(as.matrix(choirs[paste0("be", 1:4)]) / 5 - 10)
  expect_no_message(fit_model(bp, shifted), message = "look like codes")
  coarse <- data.frame(lapply(choirs[paste0("be", 1:4)], function(x) {
    as.numeric(cut(x, c(-1, 40, 60, 101)))
  }))
  coarse$be4 <- choirs$be4^9
  expect_warning(suppressMessages(fit_model(bp, coarse)),
                 paste0("be1, be2 and be3.*", text_pattern("two_four_distinct_answers")),
                 class = "orizzonte_warning_data")
  coarse$be1 <- as.numeric(cut(choirs$be1, c(-1, 30, 50, 70, 90, 101)))
  expect_message(suppressWarnings(fit_model(bp, coarse)),
                 text_pattern("five_distinct_answers", few = "be1"))
  coarse$be4 <- pmin(choirs$be4, 60)
  expect_message(suppressWarnings(fit_model(bp, coarse)),
                 text_pattern("many_end_scale", ends = "be4 4..."))
  tails <- choirs
  tails$be3 <- (tails$be3 - 50)^7
  expect_message(fit_model(bp, tails), "heavy tails \\(kurtosis be3.*inference = \"robust\"")
  by <- suppressMessages(fit_model(bp, data, by = setting))
  expect_match(orizzonte:::fit_notes(by), "be1 (-9 in 6 rows)", fixed = TRUE, all = FALSE)
})

test_that("evidence is looked for without the rows in which codes stand", {
  set.seed(6)
  n <- 300
  a <- rnorm(n)
  b <- rnorm(n)
  items <- function(x) 50 + 15 * (x + rnorm(n) * 0.7)
  data <- data.frame(a1 = items(a), a2 = items(a), a3 = items(a), b1 = items(b), b2 = items(b),
                     b3 = items(b))
  data[1:15, ] <- -999                                 # makes all items one
  bp <- blueprint("Two") |> construct("A", reflected_in = a1:a3) |>
    construct("B", reflected_in = b1:b3)
  fit <- suppressMessages(suppressWarnings(fit_model(bp, data)))
  found <- orizzonte:::all_evidence(fit)
  kinds <- vapply(found, `[[`, "", "kind")
  expect_equal(kinds[1], "code")
  expect_false("one construct" %in% kinds)
  fit$sample$look <- list()
  fit <- stamped(fit)
  expect_true("one construct" %in% vapply(orizzonte:::all_evidence(fit), `[[`, "", "kind"))
})

test_that("accented levels and text predictors read alike whatever the encoding and locale", {
  names <- c("r\u00e9p\u00e9tition", "\u00e9t\u00e9")
  for (encode in list(enc2utf8, function(x) iconv(x, "UTF-8", "latin1"), function(x) {
    Encoding(x) <- "bytes"
    x
  })) {
    data <- choirs[c(paste0("be", 1:4), "years")]
    level <- encode(names)
    unmarked <- identical(Encoding(level[1]), "bytes")
    if (unmarked) Encoding(level) <- "unknown"        # as a file of unmarked strings gives them
    data$tag <- level[1 + (seq_len(nrow(data)) %% 3 == 0)]
    bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)
    fit <- suppressMessages(fit_model(bp, data, by = "tag"))
    expect_equal(sort(enc2utf8(fit$layout$groups)), sort(names))
    expect_equal(nobs(fit), 720)
    coded <- suppressMessages(fit_model(bp |> effect(B ~ tag), data))
    expect_true(orizzonte:::has_converged(coded))
  }
  script <- paste0("suppressMessages({library(orizzonte); d <- read.csv('",
                   file <- tempfile(fileext = ".csv"), "'); bp <- blueprint('B') |> ",
                   "construct('B', reflected_in = be1:be4); f <- fit_model(bp, d, by = 'tag'); ",
                   "g <- fit_model(bp |> effect(B ~ tag), d)}); ",
                   "cat(length(f$layout$groups), nobs(f))")
  data$tag <- names[1 + (seq_len(nrow(data)) %% 3 == 0)]
  utils::write.csv(data, file, row.names = FALSE, fileEncoding = "UTF-8")
  for (locale in c("C", "C.UTF-8")) {
    out <- system2(file.path(R.home("bin"), "Rscript"), c("-e", shQuote(script)), stdout = TRUE,
                   stderr = TRUE, env = paste0("LC_ALL=", locale))
    expect_match(paste(out, collapse = " "), paste("2", nobs(fit)), label = locale)
  }
})

test_that("texts may mean missing, and a column of numbers besides them is numbers", {
  data <- choirs[1:200, ]
  clean <- data
  clean$be1[c(3, 9)] <- NA
  clean$be2[5] <- NA
  clean$setting[7] <- NA
  data$be1 <- as.character(data$be1)
  data$be1[c(3, 9)] <- c("n/a", " n/a ")
  data$be2[5] <- -9
  data$setting <- replace(as.character(data$setting), 7, "n/a")
  bp <- blueprint("B") |> construct("B", reflected_in = be1:be4)
  expect_error(fit_model(bp, data), "missing_codes = \"n/a\"", fixed = TRUE,
               class = "orizzonte_error_data")
  fit <- quiet_fit(bp, data, by = "setting", missing_codes = c("n/a", -9))
  expect_equal(deviance(fit), deviance(quiet_fit(bp, clean, by = "setting")))
  screened <- as.data.frame(screen_data(data, be1:be2, missing_codes = c("n/a", "-9")))
  expect_equal(screened$missing, colSums(is.na(clean[c("be1", "be2")])), ignore_attr = TRUE)
  # a text that is not a code remains an error
  data$be1[11] <- "often"
  expect_error(fit_model(bp, data, missing_codes = "n/a"), "often", class = "orizzonte_error_data")
  # empty cells are missing, as on the command line; all texts of all columns are named at once
  data$be3 <- replace(as.character(data$be3), 4:6, c("", "  ", "refused"))
  failed <- tryCatch(fit_model(bp, data), error = conditionMessage)
  expect_match(failed, text_pattern("columns_hold_text", columns = "\"be1\" and \"be3\""))
  expect_match(failed, "missing_codes = c(\"n/a\", \"often\", \"refused\")", fixed = TRUE)
  file <- tempfile(fileext = ".csv")
  utils::write.csv(data[c("be1", "be2", "be3", "be4")], file, row.names = FALSE, na = "")
  codes <- c("n/a", "often", "refused", -9)
  expect_equal(deviance(quiet_fit(bp, data, missing_codes = codes)),
               deviance(quiet_fit(bp, read_csv_file(file), missing_codes = codes)))
  expect_error(fit_model(bp, data, missing_codes = TRUE), class = "orizzonte_error_input")
  expect_identical(orizzonte:::is_code(c(1, -9, NA), c("n/a", "-9.0")), c(FALSE, TRUE, FALSE))
})
