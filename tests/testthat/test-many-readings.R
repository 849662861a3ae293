# The numbers that a bootstrap reads together equal those of the results functions for each
# replicate.

ns <- asNamespace("orizzonte")
readers <- list(a = estimates, b = r_squared, c = effects)

expect_read_alike <- function(fit, readers, reps = 6L) {
  expected <- names(ns$read_numbers(fit, readers)$value)
  job <- ns$new_refit_job(fit, ns$case_source(fit), 3, readers, expected)
  whole <- ns$joint_fit(fit)
  found <- ns$core_refit_many(whole$layout$model, ns$core_moments(whole), ns$core_theta(whole),
                              job$source, job$seed, 1L, reps, 4L, TRUE)
  plan <- ns$new_reading_plan(fit, readers)
  expect_type(plan, "list")
  slow <- ns$read_one_by_one(job, found, 1L, list(trouble = character()))
  expect_length(slow$trouble, 0)
  expect_gt(sum(is.finite(slow$values)), length(expected) * reps / 2)
  expect_equal(ns$read_at_once(job, found, plan), slow$values, tolerance = 1e-10)
  expect_identical(ns$refit_chunk(job, 1L, reps)$values, ns$read_at_once(job, found, plan))
}

structure_of <- function() {
  blueprint("Staying") |>
    construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4) |>
    effect(Calm ~ Belonging) |>
    effect(st1 ~ Belonging + Calm + years)
}

test_that("complete and incomplete rows, one group and three", {
  expect_read_alike(quiet_fit(structure_of(), stats::na.omit(choirs)), readers)
  expect_read_alike(quiet_fit(structure_of(), choirs), readers)
  expect_read_alike(quiet_fit(structure_of(), stats::na.omit(choirs), by = "setting"), readers)
  expect_read_alike(quiet_fit(structure_of(), choirs, by = "setting"), readers["c"], 3L)
})

test_that("coded predictors, auxiliary variables, held parameters and loops", {
  data <- choirs
  data$evening <- as.integer(data$setting == "evening")
  bp <- structure_of() |> effect(st1 ~ evening)
  expect_read_alike(quiet_fit(bp, data), readers)
  expect_read_alike(quiet_fit(structure_of(), choirs, auxiliary = "age"), readers, 3L)
  held <- structure_of() |> hold_equal(loading[Belonging, be1], loading[Belonging, be2])
  expect_read_alike(quiet_fit(held, choirs, inference = "robust"), readers, 3L)
})

test_that("a model without effects, and functions that need a fit of each replicate", {
  alone <- blueprint("Belonging") |> construct("Belonging", reflected_in = be1:be4)
  fit <- quiet_fit(alone, choirs)
  expect_read_alike(fit, readers["a"])
  expect_null(ns$new_reading_plan(fit, list(fit_indices)))
  expect_null(ns$new_reading_plan(fit, list(estimates, fit_indices)))
  expect_null(ns$new_reading_plan(fit, list(function(fit) estimates(fit))))
  named <- quiet_fit(alone |> quantity(twice = 2 * loading[Belonging, be2]), choirs)
  expect_null(ns$new_reading_plan(named, list(estimates)))
})

test_that("no numbers of a replicate that did not converge", {
  fit <- quiet_fit(structure_of(), choirs)
  expected <- names(ns$read_numbers(fit, readers)$value)
  found <- list(status = c(3L, 3L), theta = matrix(NaN, length(coef(fit)), 2L))
  values <- ns$read_at_once(list(fit = fit, expected = expected), found,
                            ns$new_reading_plan(fit, readers))
  expect_identical(dim(values), c(2L, length(expected)))
  expect_true(all(is.na(values)))
})
