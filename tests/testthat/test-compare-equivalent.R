# Equivalent models: small graphs whose equivalents are known, real fits, and orders in time.

graph_of <- function(m, arrows, arcs = list()) {
  g <- new_graph(matrix(0, m, m), matrix(0, m, m))
  for (a in arrows) g$arrows[a[2], a[1]] <- 1
  for (a in arcs) g$arcs[a[1], a[2]] <- g$arcs[a[2], a[1]] <- 1
  g
}
chain <- graph_of(3, list(c(1, 2), c(2, 3)))

test_that("chains, forks and saturated graphs are equivalent, a collider is not", {
  set.seed(3)
  expect_true(are_equivalent(chain, graph_of(3, list(c(2, 1), c(2, 3)))))
  expect_true(are_equivalent(chain, graph_of(3, list(c(3, 2), c(2, 1)))))
  expect_true(are_equivalent(chain, graph_of(3, list(c(2, 3)), list(c(1, 2)))))
  expect_false(are_equivalent(chain, graph_of(3, list(c(1, 2), c(3, 2)))))
  full <- graph_of(3, list(c(1, 2), c(1, 3), c(2, 3)))
  expect_true(are_equivalent(full, graph_of(3, list(), list(c(1, 2), c(1, 3), c(2, 3)))))
  expect_false(are_equivalent(chain, full))
})

test_that("derivatives and solutions of graphs are right", {
  set.seed(5)
  g <- graph_of(4, list(c(1, 2), c(2, 3), c(1, 4)), list(c(3, 4)))
  theta <- random_parameters(g)
  jacobian <- graph_jacobian(g, theta)
  lower <- lower.tri(diag(4), TRUE)
  numeric <- vapply(seq_along(theta), function(k) {
    step <- replace(numeric(length(theta)), k, 1e-6)
    (graph_covariance(g, theta + step) - graph_covariance(g, theta - step))[lower] / 2e-6
  }, numeric(10))
  expect_equal(jacobian, numeric, tolerance = 1e-7)
  expect_lt(solve_graph(g, graph_covariance(g, theta))$loss, 1e-16)
})

test_that("single changes that keep the rules are always equivalent", {
  set.seed(8)
  for (k in 1:6) {
    arrows <- matrix(0, 4, 4)
    arrows[lower.tri(arrows)] <- rbinom(6, 1, 0.6)
    g <- new_graph(arrows, matrix(0, 4, 4))
    steps <- one_place_changes(g, function(i, j) TRUE, function(i, j) TRUE)
    for (step in Filter(function(step) by_rules(g, step), steps))
      expect_true(are_equivalent(g, step$graph, 2L))
  }
})

bp <- blueprint("Why singers stay") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4) |> construct("Staying", reflected_in = st1:st3)
fit <- quiet_fit(bp |> effect(Calm ~ Belonging, Staying ~ Calm), choirs)

test_that("a chain has four equivalents, all with the same chi-square", {
  found <- equivalent_models(fit)
  expect_equal(nrow(found), 4)
  expect_true(all(found$verified))
  expect_lt(max(abs(found$chisq_difference)), 1e-6)
  expect_identical(found$places, c(1L, 1L, 2L, 2L))
  for (other in attr(found, "blueprints")) {
    again <- quiet_fit(other, choirs)
    expect_equal(deviance(again), deviance(fit), tolerance = 1e-8)
    expect_equal(df.residual(again), df.residual(fit))
  }
  expect_false(anyDuplicated(found$change) > 0)
})

test_that("the order in time, observed predictors and restrictions limit what is tried", {
  early <- equivalent_models(fit, before = "Belonging")
  expect_identical(early$change, "covariance[Belonging, Calm] instead of effect[Belonging, Calm]")
  expect_equal(nrow(equivalent_models(fit, before = c("Belonging", "Calm"))), 1)
  years <- quiet_fit(bp |> effect(Calm ~ years, Staying ~ Calm), choirs)
  found <- equivalent_models(years)
  expect_false(any(grepl(", years\\]", found$change)))
  expect_identical(attr(found, "fixed")$observed, "years")
  pinned <- quiet_fit(bp |> effect(Calm ~ Belonging, Staying ~ Calm) |>
                        restrict(effect[Belonging, Calm] == 0.4), choirs)
  expect_false(any(grepl("effect[Belonging, Calm]", equivalent_models(pinned)$change,
                         fixed = TRUE)))
  over <- blueprint("Calm") |>
    repeated("Calm", times = list(Calm_first = ca1_t1:ca4_t1, Calm_second = ca1_t2:ca4_t2)) |>
    effect(Calm_second ~ Calm_first)
  later <- equivalent_models(quiet_fit(over, choirs_concerts))
  expect_false(any(grepl("effect[Calm_second, Calm_first]", later$change, fixed = TRUE)))
})

test_that("equivalent measurement models are found", {
  set.seed(5)
  n <- 400
  f <- rnorm(n)
  g <- 0.7 * f + sqrt(0.51) * rnorm(n)
  h <- 0.5 * f + 0.2 * g + rnorm(n) * 0.8
  y <- cbind(outer(f, c(0.8, 0.7)), outer(g, c(0.8, 0.7)), outer(h, c(0.8, 0.7, 0.6))) +
    matrix(rnorm(n * 7), n) * 0.6
  colnames(y) <- paste0("y", 1:7)
  y <- as.data.frame(y)
  one <- quiet_fit(blueprint("a") |> construct("A", reflected_in = y1:y4) |> covary(y1, y2), y)
  expect_equal(deviance(one), 0.264138, tolerance = 1e-5)
  expect_equal(nrow(equivalent_models(one)), 2)
  three <- blueprint("a") |> construct("A", reflected_in = c(y1, y2)) |>
    construct("B", reflected_in = c(y3, y4)) |> construct("C", reflected_in = y5:y7)
  correlated <- quiet_fit(three, y)
  expect_equal(deviance(correlated), 11.398282, tolerance = 1e-6)
  found <- equivalent_models(correlated)
  expect_equal(nrow(found), 2)
  second <- quiet_fit(three |> construct("G", reflected_in = c(A, B, C)), y)
  expect_match(equivalent_models(second)$change, "instead of G", fixed = TRUE)
  chain <- quiet_fit(three |> effect(B ~ A, C ~ B), y)
  expect_equal(deviance(chain), 56.107669, tolerance = 1e-6)
  expect_equal(nrow(equivalent_models(chain)), 4)
})

test_that("feedback and unknown names are refused, and reports say it", {
  loop <- quiet_fit(blueprint("l") |> construct("A", reflected_in = be1:be4) |>
                      construct("B", reflected_in = sc1:sc4) |>
                      effect(A ~ B + years, B ~ A + age), choirs)
  expect_error(equivalent_models(loop), class = "orizzonte_error_input")
  expect_error(equivalent_models(fit, before = "Belongin"), class = "orizzonte_error_name")
  expect_match(paste(methods_text(fit), collapse = " "),
               "Fit cannot distinguish this model from 4 equivalent models", fixed = TRUE)
  expect_output(print(equivalent_models(fit)), "Fit cannot distinguish", fixed = TRUE)
  lone <- equivalent_models(quiet_fit(blueprint("x") |> construct("A", reflected_in = be1:be4),
                                      choirs))
  expect_equal(nrow(lone), 0)
  expect_output(print(lone), "No model was found", fixed = TRUE)
})
