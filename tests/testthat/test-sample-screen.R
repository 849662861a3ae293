test_that("the planted trouble of the troubled set is found and named", {
  bp <- blueprint("t") |> construct("Warmth", reflected_in = wa1:wa4) |>
    construct("Calm", reflected_in = cl1:cl3) |>
    construct("Fun", reflected_in = fu1:fu3)
  all <- screen_data(choirs_troubled)
  kinds <- function(kind) all$advice$columns[all$advice$kind == kind]
  expect_equal(kinds("identifier"), "id")
  expect_equal(kinds("constant"), "version")
  expect_equal(kinds("code"), "wa1, wa2, cl1, fu2")
  expect_equal(kinds("duplicate"), "wa3, wa4")
  expect_match(all$advice$advice[all$advice$kind == "dependent"],
               text_pattern("is_of", leader = "warm_sum", slope = "the sum"))
  expect_equal(all$outliers$row[1], 17L)
  within <- screen_data(choirs_troubled, bp)
  expect_equal(within$advice$columns[within$advice$kind == "keying"], "cl3")
  expect_false("version" %in% within$columns$variable)
  expect_output(print(all), text_pattern("what_to_do"))
  expect_output(print(within), paste0(text_pattern("keyed_against_other_items"), " Calm"))
})

test_that("statistics agree with textbook formulas", {
  data <- stats::setNames(datasets::attitude, letters[1:7])
  screen <- screen_data(data)
  columns <- as.data.frame(screen)
  expect_equal(columns$mean, unname(colMeans(data)))
  expect_equal(columns$sd, unname(sapply(data, stats::sd)))
  third <- sapply(data, function(v) mean((v - mean(v))^3) / mean((v - mean(v))^2)^1.5)
  fourth <- sapply(data, function(v) mean((v - mean(v))^4) / mean((v - mean(v))^2)^2 - 3)
  expect_equal(columns$skew, unname(third))
  expect_equal(columns$kurtosis, unname(fourth))
  inflation <- sapply(names(data),
                      function(v) {
                        1 / (1 -
                             summary(stats::lm(data[[v]] ~ .,
                                               data[setdiff(names(data), v)]))$r.squared)
                      })
  expect_equal(columns$inflation, unname(inflation), tolerance = 1e-8)
  distance <- stats::mahalanobis(data, colMeans(data), stats::cov(data))
  far <- which(stats::pchisq(distance, 7, lower.tail = FALSE) < 0.001)
  expect_setequal(screen$outliers$row, far)
  # Mardia by its double sum
  x <- as.matrix(data)
  n <- nrow(x)
  inverse <- solve(stats::cov(x) * (n - 1) / n)
  total <- 0
  for (i in seq_len(n)) for (j in seq_len(n)) total <- total +
    drop((x[i, ] - colMeans(x)) %*% inverse %*% (x[j, ] - colMeans(x)))^3
  expect_equal(screen$normality$value[1], total / n^2, tolerance = 1e-8)
  expect_equal(screen$normality$statistic[1], total / n / 6, tolerance = 1e-8)
  peak <- mean(stats::mahalanobis(x, colMeans(x), stats::cov(x) * (n - 1) / n)^2)
  expect_equal(screen$normality$value[2], peak, tolerance = 1e-8)
  expect_equal(screen$normality$statistic[2], (peak - 63) / sqrt(8 * 63 / n), tolerance = 1e-8)
})

test_that("codes are suspicious only far outside the rest", {
  suspicious <- orizzonte:::suspicious_codes
  expect_equal(suspicious(c(1:5, 1:5, 9, 99)), 99)
  expect_equal(suspicious(c(1:5, 99)), 99)
  expect_equal(suspicious(c(1:7, 7, 7)), numeric())
  expect_equal(suspicious(c(0:100, 99)), numeric())
  expect_equal(suspicious(c(0:100, -9)), -9)
  expect_equal(suspicious(c(-3:3, -9)), numeric())
  expect_equal(suspicious(c(-3:3, -99)), -99)
  expect_equal(suspicious(c(18:80, 999)), 999)
  expect_equal(suspicious(c(0.2, 0.4, -999, -99)), c(-999, -99))
  expect_equal(suspicious(letters), numeric())
  expect_equal(suspicious(c(99, 99)), numeric())
})

test_that("declared codes are missing, groups are counted, odd columns are named", {
  screen <- screen_data(choirs_troubled, c(wa1, cl1), missing_codes = -9)
  expect_false("code" %in% screen$advice$kind)
  expect_equal(screen$columns$missing, c(7L, 7L))
  by <- screen_data(choirs, be1:be4, by = setting)
  expect_equal(by$groups$n, c(420L, 300L))
  expect_output(print(by), text_pattern("groups_by", by = "setting"))
  small <-
    screen_data(data.frame(g = c("a", rep("b", 30)), x = stats::rnorm(31), y = stats::rnorm(31)),
                c(x, y), by = g)
  expect_match(small$advice$advice[small$advice$kind == "groups"], "a (1)", fixed = TRUE)
  odd <- data.frame(none = NA, text = c("1", "2", "three", rep("4", 20)), day = Sys.Date() + 1:23,
                    ok = stats::rnorm(23), flag = rep(c(TRUE, FALSE), length.out = 23))
  screen <- screen_data(odd)
  expect_equal(screen$columns$type, c("empty", "text", "date", "numbers", "logical"))
  expect_setequal(screen$advice$kind, c("empty", "text"))
  expect_match(screen$advice$advice[screen$advice$kind == "text"], "three")
  expect_output(print(screen_data(data.frame(x = stats::rnorm(30)))),
                text_pattern("nothing_stands_out"))
  expect_error(screen_data(choirs, be9), class = "orizzonte_error_name")
  expect_error(screen_data(1:3), class = "orizzonte_error_data")
  expect_error(screen_data(choirs, by = sitting), class = "orizzonte_error_name")
})

test_that("labelled columns of statistics files are understood", {
  data <- data.frame(q1 = c(1:5, 1:5, 9, 9, 2, 3, 4, 2, 5, 1, 3, 2, 4, 2),
                     q2 = c(2:5, 1:5, 1, 3, 9, 2, 3, 4, 2, 5, 1, 3, 2, 4, 1))
  data$q3 <- rev(data$q1)
  for (name in names(data)) {
    data[[name]] <- haven::labelled_spss(as.numeric(data[[name]]), c(never = 1, always = 5),
                                         na_values = 9, label = paste("Wording of", name))
  }
  screen <- screen_data(data)
  expect_equal(screen$columns$missing, c(2L, 1L, 2L))
  expect_equal(screen$columns$max, c(5, 5, 5))
  file <- tempfile(fileext = ".sav")
  haven::write_sav(data, file)
  again <- orizzonte:::read_data_file(file)
  expect_equal(screen_data(again)$columns$missing, c(2L, 1L, 2L))
  bp <- blueprint("Labels") |> effect(q3 ~ q1 + q2)
  fit <- suppressMessages(fit_model(bp, again))
  expect_equal(nobs(fit), sum(rowSums(sapply(data, function(x) as.vector(x) == 9)) < 3))
  expect_equal(orizzonte:::all_wordings(fit)[["q1"]], "Wording of q1")
  groups <- screen_data(again, c(q2, q3), by = q1)$groups
  expect_true(all(c("never", "always") %in% groups$group))
})

test_that("the picture of a screen has a panel for each column, noted ones first", {
  plot <- plot(screen_data(choirs_troubled), columns = 6)
  panels <- unique(plot$data$panel)
  expect_length(panels, 6)
  # every value of a column is in one of its bars
  expect_equal(sum(plot$data$n[plot$data$panel == panels[1]]),
               sum(!is.na(choirs_troubled[[sub(":.*", "", panels[1])]])))
  expect_true(any(grepl("wa3: duplicate", panels, fixed = TRUE)))
  expect_error(plot(screen_data(choirs, setting)), class = "orizzonte_error_input")
})

test_that("columns of any size are drawn", {
  data <- data.frame(huge = c(1e15, 2e15, 3e15), tiny = c(1e-300, 2e-300, 1e-300), same = 1,
                     check.names = FALSE)
  file <- tempfile(fileext = ".svg")
  expect_no_warning(save_figure(plot(screen_data(data)), file))
  expect_gt(file.size(file), 1000)
  whole <- plot(screen_data(data.frame(five = rep(1:5, 1:5))))
  expect_equal(whole$data$n, 1:5)
})

test_that("groups come in natural order, with their complete rows and what is wrong with them", {
  set.seed(4)
  data <- data.frame(y1 = rnorm(240), y2 = rnorm(240), y3 = rnorm(240),
                     choir = paste("choir", rep(1:12, each = 20)))
  data$y1[data$choir == "choir 10"][1:18] <- NA
  data$y2[data$choir == "choir 2"][1:12] <- NA
  screened <- screen_data(data, c("y1", "y2", "y3"), by = choir)
  expect_identical(screened$groups$group, paste("choir", 1:12))
  expect_identical(screened$groups$n, rep(20L, 12))
  expect_identical(screened$groups$complete[c(1, 2, 10)], c(20L, 8L, 2L))
  expect_output(print(screened),
                text_pattern("too_few_complete_rows", variables = "3", small = "choir 10 (2)"))
  some <- screen_data(data[data$choir != "choir 10", ], c("y1", "y2", "y3"), by = choir)
  expect_output(print(some), text_pattern("most_rows_miss_value"))
  fit <- suppressWarnings(quiet_fit(blueprint("x") |> covary(y1, y2, y3),
                                    data[!data$choir %in% c("choir 10"), ], by = "choir"))
  expect_identical(fit$layout$groups, paste("choir", setdiff(1:12, 10)))
})
