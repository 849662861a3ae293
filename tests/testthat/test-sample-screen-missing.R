# Missing values and clusters, against their definitions.

# Plain EM of means and covariances, one case after the other.
plain_em <- function(x, steps = 3000) {
  mu <- colMeans(x, na.rm = TRUE)
  sigma <- diag(apply(x, 2, stats::var, na.rm = TRUE))
  for (step in seq_len(steps)) {
    filled <- x
    extra <- matrix(0, ncol(x), ncol(x))
    for (i in seq_len(nrow(x))) {
      m <- which(is.na(x[i, ]))
      if (length(m) == 0L) next
      o <- setdiff(seq_len(ncol(x)), m)
      slope <- sigma[m, o, drop = FALSE] %*% solve(sigma[o, o, drop = FALSE])
      filled[i, m] <- mu[m] + slope %*% (x[i, o] - mu[o])
      extra[m, m] <- extra[m, m] + sigma[m, m] - slope %*% sigma[o, m, drop = FALSE]
    }
    new <- colMeans(filled)
    off <- sweep(filled, 2, new)
    sigma_new <- (crossprod(off) + extra) / nrow(x)
    done <- max(abs(new - mu), abs(sigma_new - sigma)) < 1e-11
    mu <- new
    sigma <- sigma_new
    if (done) break
  }
  list(mean = mu, covariance = sigma)
}
little_by_definition <- function(x) {
  found <- plain_em(x)
  sigma <- found$covariance * nrow(x) / (nrow(x) - 1)
  key <- apply(is.na(x), 1, paste, collapse = "")
  parts <- vapply(unique(key), function(k) {
    rows <- which(key == k)
    v <- which(!is.na(x[rows[1], ]))
    d <- colMeans(x[rows, v, drop = FALSE]) - found$mean[v]
    c(length(rows) * sum(d * solve(sigma[v, v, drop = FALSE], d)), length(v))
  }, c(0, 0))
  c(sum(parts[1, ]), sum(parts[2, ]) - ncol(x))
}

set.seed(31)
x <- matrix(rnorm(4 * 90), 90) %*% chol(0.5 + 0.5 * diag(4))
colnames(x) <- paste0("v", 1:4)
x[x[, 1] < -0.8, 2] <- NA
x[sample(90, 15), 3] <- NA
x[c(4, 9), 4] <- NA
data <- as.data.frame(x)
data$group <- rep(c("north", "south"), each = 45)
data$class <- rep(sprintf("c%02d", 1:18), each = 5)

test_that("Little's test follows its definition, groups summed", {
  screen <- screen_data(data, v1:v4)
  truth <- little_by_definition(x)
  expect_equal(screen$missing$test$statistic, truth[1], tolerance = 1e-5)
  expect_identical(screen$missing$test$df, truth[2])
  expect_equal(screen$missing$test$p, pchisq(truth[1], truth[2], lower.tail = FALSE),
               tolerance = 1e-4)
  both <- screen_data(data, v1:v4, by = group)
  parts <- little_by_definition(x[1:45, ]) + little_by_definition(x[46:90, ])
  expect_equal(both$missing$test$statistic, parts[1], tolerance = 1e-5)
  expect_identical(both$missing$test$df, parts[2])
})

test_that("coverage, missing by group and the sentence say what the data hold", {
  screen <- screen_data(data, v1:v4, by = group)
  expect_equal(screen$missing$coverage[2, 3], mean(!is.na(x[, 2]) & !is.na(x[, 3])))
  table <- screen$missing$by_group
  at <- table$variable == "v2" & table$group == "south"
  expect_identical(table$missing[at], sum(is.na(x[46:90, 2])) + 0)
  expect_output(print(screen), text_pattern("pairs_fewest_rows_have"))
  expect_output(print(screen), text_pattern("missing_group_leading_ones"))
  share <- paste0(round(100 * mean(rowSums(is.na(x)) > 0)), "%")
  expect_match(missing_sentence(screen), text_pattern("rows_miss_something_though", rows = share))
  # without missing values there is no section on them
  whole <- screen_data(data[stats::complete.cases(x), ], v1:v4)
  expect_null(whole$missing)
  expect_no_match(paste(capture.output(print(whole)), collapse = "\n"), "Little")
  expect_error(plot(whole, what = "missing"), class = "orizzonte_error_input")
  expect_s3_class(plot(screen, what = "missing"), "ggplot")
  # missingness that depends on other answers is reported
  told <- screen_data(within(data, v4[v1 < 0] <- NA), v1:v4)
  expect_match(missing_sentence(told), text_pattern("missingness_is_predicted",
                                                    predictors = "v1..."))
  told$missing["predictors"] <- list(NULL)
  expect_match(missing_sentence(told), text_pattern("what_is_missing_hangs"))
})

test_that("intraclass correlations come from the analysis of variance", {
  set.seed(5)
  data$v1 <- data$v1 + rep(rnorm(18, 0, 1), each = 5)
  expect_silent(screen <- screen_data(data, v1:v4, clusters = class))
  table <- anova(lm(v1 ~ class, data))
  ms <- table$`Mean Sq`
  icc <- (ms[1] - ms[2]) / (ms[1] + 4 * ms[2])
  expect_equal(screen$clusters$icc[1], icc, tolerance = 1e-10)
  expect_equal(screen$clusters$design_effect[1], 1 + 4 * icc, tolerance = 1e-10)
  expect_equal(screen$clusters$p[1], table$`Pr(>F)`[1], tolerance = 1e-10)
  expect_output(print(screen),
                text_pattern("too_few_clusters", count = "18", clusters = "class", enough = "50"))
  expect_output(print(screen), "clusters = class")
  expect_error(screen_data(data, v1:v4, clusters = klass),
               text_pattern("did_you_mean", near = "\"class\""),
               class = "orizzonte_error_name")
})

test_that("a column that follows from others leaves nothing to test, only rounding", {
  items <- choirs[paste0("be", 1:4)]
  expect_false(is.null(screen_data(items)$missing$test))
  items$sum <- rowSums(items)
  found <- screen_data(items)
  expect_null(found$missing$test)
  expect_output(print(found), text_pattern("whether_depends_untested"))
  expect_null(screen_data(choirs_troubled)$missing$test)
  # nearly the same is not the same
  set.seed(3)
  items$sum <- items$sum + stats::rnorm(nrow(items))
  expect_false(is.null(screen_data(items)$missing$test))
})

test_that("columns that predict missing values are found by score tests of logistic regressions", {
  set.seed(11)
  n <- 460
  f <- stats::rnorm(n)
  x <- as.data.frame(0.7 * f + matrix(stats::rnorm(n * 8), n))
  names(x) <- paste0("x", 1:8)
  x$age <- stats::rnorm(n, 45, 12)
  x$town <- sample(c("north", "south", "west"), n, TRUE)
  for (k in 1:8)
    x[[k]][stats::runif(n) < stats::plogis(-2 + 0.08 * (x$age - 45))] <- NA
  screen <- screen_data(x, blueprint("A") |> construct("A", reflected_in = x1:x8))
  # more patterns than Little's test can use
  expect_null(screen$missing$test)
  expect_true(rule_little(10, 10))
  expect_false(rule_little(11, 10))
  expect_false(rule_little(0, 10))
  found <- screen$missing$predictors
  expect_identical(unique(found$predictor[found$p_adjusted < 0.05]), "age")
  expect_equal(found$p_adjusted, stats::p.adjust(found$p, "holm"))
  # by hand: the score test of glm() of one pair, and the odds ratio per standard deviation
  one <- found[found$variable == "x3" & found$predictor == "age", ]
  missing <- is.na(x$x3)
  null <- stats::glm(missing ~ 1, family = stats::binomial())
  rao <- stats::anova(null, stats::glm(missing ~ x$age, family = stats::binomial()), test = "Rao")
  expect_equal(one$statistic, rao$Rao[2], tolerance = 1e-6)
  slope <- stats::glm(missing ~ scale(x$age), family = stats::binomial())
  expect_equal(one$odds_ratio, exp(stats::coef(slope)[[2]]), tolerance = 1e-6)
  levels <- found[found$variable == "x3" & found$predictor == "town", ]
  by_town <- stats::anova(null, stats::glm(missing ~ x$town, family = stats::binomial()),
                          test = "Rao")
  expect_equal(levels$statistic, by_town$Rao[2], tolerance = 1e-6)
  expect_identical(levels$df, 2L)
  printed <- paste(capture.output(print(screen)), collapse = " ")
  expect_match(printed, text_pattern("missingness_is_predicted", predictors = "age"))
  expect_match(printed, "auxiliary = age", fixed = TRUE)
})

test_that("a code inside the range of the answers is told by its heap", {
  expect_true(rule_piled(20, 18, 6))
  expect_false(rule_piled(9, 0, 6))
  expect_false(rule_piled(10, 24, 6))       # less than three times as often
  expect_true(rule_piled(13, 24, 6))
  expect_false(rule_piled(20, 18, 0))
  data <- choirs
  expect_false(any(screen_data(data, c(be1:be4, sc1:sc4))$advice$kind == "code"))
  data$be1[sample(720, 20)] <- 99
  advice <- screen_data(data, c(be1:be4, sc1:sc4))$advice
  expect_match(advice$advice[advice$columns == "be1"], text_pattern("code_piles_up", name = "be1",
                                                                    codes = "99"))
})

test_that("text becomes numbers only when nothing but the declared codes stands among them", {
  expect_identical(without_text_codes(c("1", "n/a", NA, "3"), "n/a"), c(1, NA, NA, 3))
  expect_identical(without_text_codes(c("1", "n/a", "3"), NULL), c("1", "n/a", "3"))
  expect_identical(without_text_codes(c("1", "n/a", "x"), "n/a"), c("1", "n/a", "x"))
  expect_identical(without_text_codes(c("1", "2"), "n/a"), c(1, 2))
  # numbers of a factor may be labels
  expect_identical(without_text_codes(factor(c("1", "2")), 9), factor(c("1", "2")))
})
