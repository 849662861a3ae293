# Progress is reported once work has taken a while, and does not change any result.

told_of <- function(code, patience = -1) {
  before <- progress$patience
  on.exit(progress$patience <- before)
  progress$patience <- patience
  told <- 0
  work <- function() {
    withCallingHandlers(code(), progression = function(p) {
      if (p$type == "update") told <<- told + p$amount
    })
  }
  progressr::with_progress(work(), handlers = progressr::handler_void(), enable = TRUE)
  told
}

test_that("map_with_progress() is lapply() that reports its progress when it takes long", {
  expect_identical(map_with_progress(c(a = 1, b = 2), function(x) x + 1, "Parts"),
                   list(a = 2, b = 3))
  expect_length(map_with_progress(NULL, identity, "Parts"), 0)
  expect_error(map_with_progress(1:3, function(x) stop("third"), "Parts"), "third")
  skip_if_not_installed("progressr")
  expect_equal(told_of(function() map_with_progress(1:6, identity, "Parts")), 6)
  expect_equal(told_of(function() map_with_progress(1:6, identity, "Parts"), Inf), 0)
})

test_that("whoever handles progress is told of refits", {
  skip_if_not_installed("progressr")
  bp <- blueprint("Two") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4)
  fit <- quiet_fit(bp, choirs)
  structural <- quiet_fit(effect(bp, Calm ~ Belonging + years + age), choirs)
  ladder <- suppressMessages(invariance(bp, choirs, by = setting))
  expect_equal(told_of(function() amendments(fit, top = 3)), 3)
  expect_equal(told_of(function() without(structural)), 3)
  expect_equal(told_of(function() invariance(bp, choirs, by = setting)), 4)
  expect_equal(told_of(function() noninvariance(ladder)), 8)
  expect_equal(told_of(function() construct_quality(fit, leave_out = "all")), 8)
})
