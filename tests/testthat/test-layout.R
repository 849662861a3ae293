lay_out <- function(bp, means = TRUE, ...) build_layout(bp, means, ...)
base <- function(...) {
  blueprint("L", ...) |> construct("A", reflected_in = a1:a3) |>
  construct("B", reflected_in = b1:b3) |> effect(B ~ A + x)
}

test_that("roles say in words what each parameter is", {
  table <- lay_out(base() |> construct("C", reflected_in = c1:c3) |> effect(C ~ B) |>
                   covary(a1, a2) |> covary(B, C))
  role <- stats::setNames(table$rows$meaning, table$rows$parameter)
  expect_identical(role[["variance[a1]"]], "residual variance")
  expect_identical(role[["variance[A]"]], "variance")
  expect_identical(role[["variance[B]"]], "disturbance variance")
  expect_identical(role[["variance[x]"]], "variance")
  expect_identical(role[["covariance[x, A]"]], "covariance")
  expect_identical(role[["covariance[a1, a2]"]], "residual covariance")
  expect_identical(role[["covariance[B, C]"]], "disturbance covariance")
  expect_identical(role[["intercept[a1]"]], "intercept")
  expect_identical(role[["mean[A]"]], "mean")
})

test_that("exogenous variables covary unless told otherwise, and nothing else does", {
  table <- lay_out(base() |> effect(B ~ z))
  covariances <- table$rows$parameter[table$rows$kind == "covariance"]
  expect_setequal(covariances, c("covariance[x, z]", "covariance[x, A]", "covariance[z, A]"))
  fewer <- lay_out(base() |> effect(B ~ z) |> uncorrelate(A, z))
  expect_setequal(fewer$rows$parameter[fewer$rows$kind == "covariance"],
                  c("covariance[x, z]", "covariance[x, A]"))
})

test_that("entries follow from parameters through the map, restrictions included", {
  set.seed(4)
  bp <- base(scale = "average") |>
    restrict(loading[B, b1] == loading[B, b2], variance[a1:a3] == variance[a1], intercept[x] == 7,
             variance[b3] == 0.4)
  table <- lay_out(bp)
  theta <- runif(length(table$parameters))
  eta <- as.numeric(map_matrix(table) %*% theta + table$rows$constant)
  value <- stats::setNames(eta, table$rows$parameter)
  expect_equal(mean(value[paste0("loading[A, a", 1:3, "]")]), 1)
  expect_equal(mean(value[paste0("loading[B, b", 1:3, "]")]), 1)
  expect_equal(value[["loading[B, b1]"]], value[["loading[B, b2]"]])
  expect_length(unique(value[paste0("variance[a", 1:3, "]")]), 1)
  expect_equal(value[["intercept[x]"]], 7)
  expect_equal(value[["variance[b3]"]], 0.4)
  expect_identical(table$rows$status[table$rows$parameter == "variance[a2]"], "equal")
  expect_equal(anyDuplicated(table$parameters), 0L)
})

test_that("means are profiled out exactly when they are saturated", {
  expect_true(lay_out(base())$profiled)
  expect_false(lay_out(base() |> restrict(intercept[a1] == 0))$profiled)
  expect_false(lay_out(base() |> restrict(intercept[a1] == intercept[a2]))$profiled)
  expect_false(lay_out(base() |> relax(mean[A]))$profiled)
  expect_false(lay_out(base(), means = FALSE)$profiled)
  table <- lay_out(base())
  expect_false(any(table$model$family == parameter_families[["mean"]]))
  expect_equal(table$model$parameters + sum(table$rows$kind == "intercept"),
               length(table$parameters))
})

test_that("every column of the table is as long as the others, with nothing to covary too", {
  for (bp in list(base(), blueprint("one") |> construct("A", reflected_in = a1:a4) |>
                  covary(a1, a2), blueprint("r") |> effect(y ~ x),
                  blueprint("c") |> construct("A", reflected_in = a1:a3) |>
                  construct("R", composed_of = c(r1, r2)) |> effect(A ~ R))) {
    table <- lay_out(bp)
    columns <- c("parameter", "kind", "first", "second", "group", "meaning", "family", "row", "col",
                 "fixed", "assumed", "class", "status", "constant")
    expect_length(unique(lengths(table$rows[columns])), 1)
    expect_false(anyNA(table$rows$assumed))
  }
  stated <- lay_out(blueprint("one") |> construct("A", reflected_in = a1:a4) |> covary(a1, a2))
  expect_false(stated$rows$assumed[stated$rows$parameter == "covariance[a1, a2]"])
})

test_that("counts add up", {
  counts <- layout_counts(lay_out(base()))
  expect_equal(counts$moments, 7 * 8 / 2 + 7)
  expect_equal(sum(counts$kinds), counts$parameters)
  expect_equal(counts$df, counts$moments - counts$parameters)
  expect_match(format_counts(lay_out(base(), means = FALSE))[2],
               text_pattern("covariances_only_intercepts_add"))
  expect_identical(format_kinds(list(kinds = table(factor(c("a", "b", "b"))))), c("1 a", "2 bs"))
})

test_that("every assumption is listed, and only those", {
  listed <- list_assumptions(lay_out(base(scale = "unit")), base(scale = "unit"))
  expect_match(listed$assumed, text_pattern("residual_variances_of", count = "6"), all = FALSE)
  expect_match(listed$assumed, "disturbances of B", all = FALSE)
  expect_match(listed$assumed, text_pattern("covariance_of_exogenous", names = "x and A"),
               all = FALSE)
  expect_match(listed$assumed, text_pattern("free_intercepts_of", count = "7"), all = FALSE)
  expect_match(listed$assumed,
               text_pattern("scale_by_variance", construct = "B", variance = "variance[B]",
                            variance_2 = text_of("its_disturbance")), all = FALSE)
  expect_length(listed$not_assumed, 0)
  two <- base() |> effect(y ~ A)
  expect_match(list_assumptions(lay_out(two), two)$not_assumed,
               text_pattern("covariances_among_disturbances", outcomes = "B and y"))
  linked <- two |> covary(B, y)
  expect_length(list_assumptions(lay_out(linked), linked)$not_assumed, 0)
})

test_that("scales are closed under rescaling unless a restriction ties them", {
  closed <- function(bp) vapply(lay_out(bp)$scales, `[[`, NA, "closed")
  expect_identical(closed(base()), c(A = TRUE, B = TRUE))
  expect_identical(closed(base() |> restrict(loading[A, a2] == 1)), c(A = FALSE, B = TRUE))
  expect_identical(closed(base() |> restrict(effect[A, B] == effect[x, B])),
                   c(A = FALSE, B = FALSE))
  expect_identical(closed(base() |> restrict(variance[a1] == variance[a2])), c(A = TRUE, B = TRUE))
})

test_that("covary() is advised only where disturbances could covary", {
  said <- function(bp) paste(capture.output(print(bp)), collapse = " ")
  # one variable leads to the other, or no moments are left
  expect_no_match(said(blueprint("P") |> effect(y ~ x, z ~ x + y)),
                  text_pattern("free_with_covary"))
  apart <- blueprint("P") |> effect(y ~ x, z ~ x + w, y ~ v)
  expect_match(said(apart), text_pattern("covariances_among_disturbances", outcomes = "y and z"))
  both <- blueprint("P") |> effect(y ~ x, z ~ w, u ~ y + v)
  expect_match(gsub(" +", " ", said(both)),
               text_pattern("covary_can_free_those", apart = "y and z"))
})
