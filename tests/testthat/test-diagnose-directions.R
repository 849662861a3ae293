# Directions of changes: their basis, and products of large matrices.

inside <- asNamespace("orizzonte")

test_that("an orthonormal basis spans the space of its columns", {
  withr::local_seed(4)
  x <- matrix(rnorm(400 * 12), 400) %*% diag(10^seq(-6, 6, length.out = 12))
  basis <- inside$orthonormal(x)
  expect_equal(crossprod(basis), diag(12), tolerance = 1e-12)
  scaled <- x / rep(sqrt(colSums(x^2)), each = 400)
  expect_lt(max(abs(scaled - basis %*% crossprod(basis, scaled))), 1e-12)
  # columns that are zero or depend on others add nothing
  more <- cbind(x, 0, x[, 1] + x[, 2], x[, 5])
  expect_equal(tcrossprod(inside$orthonormal(more)), tcrossprod(basis), tolerance = 1e-9)
  expect_identical(dim(inside$orthonormal(matrix(0, 5, 2))), c(5L, 0L))
})

test_that("nearly dependent columns count as independent from the limit on", {
  withr::local_seed(5)
  start <- qr.Q(qr(matrix(rnorm(300), 100)))
  near <- function(angle) cbind(start[, 1], cos(angle) * start[, 1] + sin(angle) * start[, 2])
  rank <- function(angle) ncol(inside$orthonormal(near(angle)))
  limit <- inside$smallest_direction
  expect_identical(c(rank(0.9 * limit), rank(1.1 * limit), rank(10 * limit)), c(1L, 2L, 2L))
  basis <- inside$orthonormal(near(10 * limit))
  expect_equal(crossprod(basis), diag(2), tolerance = 1e-9)
})

test_that("products agree with those of R, missing values included", {
  withr::local_seed(6)
  x <- matrix(rnorm(70 * 30), 70)
  y <- matrix(rnorm(30 * 50), 30)
  expect_equal(inside$core_product(x, y), x %*% y, tolerance = 1e-13)
  expect_equal(inside$core_crossproduct(t(x), y), x %*% y, tolerance = 1e-13)
  x[3, 4] <- NA
  expect_identical(which(is.na(inside$core_product(x, y)), arr.ind = TRUE)[, "row"], rep(3L, 50))
  expect_equal(inside$core_product(x, y)[-3, ], (x %*% y)[-3, ], tolerance = 1e-13)
  expect_error(inside$core_product(x, x), class = "orizzonte_error_object")
  expect_error(inside$core_crossproduct(x, y), class = "orizzonte_error_object")
})
