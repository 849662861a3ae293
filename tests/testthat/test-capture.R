items <- function(...) blueprint("t") |> construct("F", ...) |> (\(bp) bp$constructs$F$items)()

test_that("bare names are literal, ranges expand, strings are names, calls are evaluated", {
  mine <- c("a", "b", "c")
  expect_identical(items(reflected_in = c(x, y, "z w")), c("x", "y", "z w"))
  expect_identical(items(reflected_in = be1:be3), c("be1", "be2", "be3"))
  expect_identical(items(reflected_in = q08:q11), c("q08", "q09", "q10", "q11"))
  expect_identical(items(reflected_in = all_of(mine)), mine)
  expect_identical(items(reflected_in = paste0("i", 1:2)), c("i1", "i2"))
  expect_identical(items(reflected_in = !!mine), mine)
  expect_identical(items(reflected_in = c(mine, x)), c("mine", "x"))
})

test_that("c(item = number) fixes loadings", {
  bp <- blueprint("t") |> construct("Growth", reflected_in = c(w1 = 0, w2 = 1, w3 = 2, w4))
  expect_identical(bp$constructs$Growth$fixed, c(w1 = 0, w2 = 1, w3 = 2))
  expect_error(items(reflected_in = c(w1 = "a")), text_pattern("must_be_one_number"),
               class = "orizzonte_error_input")
})

test_that("what cannot be names is refused with advice", {
  expect_error(items(reflected_in = rooms:coach), text_pattern("cannot_be_expanded"),
               class = "orizzonte_error_range")
  expect_error(items(reflected_in = sum(1, 2)), text_pattern("must_give_names_character"),
               class = "orizzonte_error_input")
  expect_error(items(reflected_in = not_there()), text_pattern("cannot_evaluate"),
               class = "orizzonte_error_input")
  expect_error(items(reflected_in = c(a, a)), "named twice", class = "orizzonte_error_duplicate")
})

test_that("a name that is also a text variable of the caller suggests all_of()", {
  my_items <- paste0("be", 1:4)
  bp <- blueprint("t") |> construct("B", reflected_in = my_items)
  expect_error(fit_model(bp, choirs), "all_of\\(my_items\\)", class = "orizzonte_error_name")
})

test_that("addresses, equations and bounds are captured by the same rule everywhere", {
  calm <- blueprint("t") |> construct("Calm", reflected_in = sc1:sc4)
  item <- "sc2"
  fixed <- restrict(calm, loading[Calm, sc2] == 1)
  expect_identical(restrict(calm, all_of("loading[Calm, sc2] == 1")), fixed)
  expect_identical(restrict(calm, paste0("loading[Calm, ", item, "] == 1")), fixed)
  expect_identical(restrict(calm, !!paste0("loading[Calm, ", item, "] == 1")), fixed)
  expect_identical(restrict(calm, c(loading[Calm, sc2] == 1, variance[sc1] >= 0)),
                   restrict(fixed, variance[sc1] >= 0))
  own <- function() "loading[Calm, sc2] == 1"
  expect_identical(restrict(calm, own()), fixed)
  fit <- quiet_fit(calm, choirs)
  wanted <- "covariance[sc1, sc2]"
  statement <- "loading[Calm, sc2] == 1"
  freed <- quiet_fit(covary(calm, sc1, sc2), choirs)
  because <- "to see"
  again <- suppressMessages(amend(fit, free = all_of(wanted), because = because))
  expect_equal(deviance(again), deviance(freed))
  for (call in list(quote(amend(fit, free = wanted, because = because)),
                    quote(score_test(fit, wanted)), quote(restrict(calm, statement)),
                    quote(relax(calm, wanted)), quote(without(fit, wanted))))
    expect_error(eval(call), "all_of\\(", class = "orizzonte_error_address")
  # a call that does not return names is parsed as part of a statement, and not run
  ran <- FALSE
  expect_error(restrict(calm, (function() ran <<- TRUE)()), class = "orizzonte_error")
  expect_false(ran)
})
