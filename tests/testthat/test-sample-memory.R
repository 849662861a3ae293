# Large data are not copied as a whole.

# The number of R objects, each at least as large as all columns together, that a call makes.
whole_copies <- function(data, code) {
  file <- withr::local_tempfile()
  utils::Rprofmem(file, threshold = 8 * nrow(data) * ncol(data))
  tryCatch(force(code), finally = utils::Rprofmem(""))
  sum(grepl("^[0-9]+ :", readLines(file)))
}

test_that("a fit copies no complete data, and incomplete data once", {
  skip_if_not(capabilities("profmem"), "R was built without profiling of memory")
  withr::local_seed(2)
  score <- rnorm(200000)
  data <- as.data.frame(lapply(stats::setNames(nm = paste0("x", 1:6)), function(name) {
    score + rnorm(200000)
  }))
  bp <- construct(blueprint("Memory"), "F", reflected_in = x1:x6)
  fitted <- function(data, ...) suppressMessages(fit_model(bp, data, ...))
  expect_identical(whole_copies(data, fitted(data)), 0L)
  expect_identical(whole_copies(data, as.matrix(data)), 1L)
  incomplete <- data
  incomplete$x2[1:700] <- NA
  incomplete$x5[300:900] <- NA
  expect_identical(whole_copies(data, fitted(incomplete)), 1L)
  # the moments are those of all rows at once
  moments <- orizzonte:::core_moments(fitted(data))[[1L]]
  expect_equal(unname(moments$covariance), unname(stats::cov(data) * (199999 / 200000)),
               tolerance = 1e-12)
})

test_that("moments do not depend on the portions in which they are summed up", {
  withr::local_seed(3)
  inside <- asNamespace("orizzonte")
  columns <- list(a = rnorm(120000, 1e3), b = rnorm(120000))
  weight <- runif(120000, 0.5, 2)
  off <- cbind(columns$a, columns$b)
  plain <- inside$weighted_moments(columns)
  expect_equal(unname(plain$covariance), stats::cov(off) * (119999 / 120000), tolerance = 1e-10)
  weighted <- inside$weighted_moments(columns, weight)
  by_hand <- stats::cov.wt(off, weight / sum(weight), method = "ML")
  expect_equal(unname(weighted$covariance), unname(by_hand$cov), tolerance = 1e-10)
  expect_equal(unname(weighted$mean), unname(by_hand$center), tolerance = 1e-12)
  # at the ends of a portion: one row more or less
  for (count in inside$rows_at_once + -1:1) {
    part <- lapply(columns, utils::head, count)
    expect_equal(unname(inside$weighted_moments(part)$covariance),
                 stats::cov(do.call(cbind, part))[1:2, 1:2] * (count - 1) / count,
                 tolerance = 1e-10, ignore_attr = TRUE)
    missing <- replace(part$a, c(1, count), NA)
    together <- inside$observed_together(list(a = missing, b = part$b))
    expect_identical(unname(together), matrix(c(count - 2, count - 2, count - 2, count), 2L))
  }
})
