plan_of <- function(bp) core_plan(build_layout(bp, FALSE))

test_that("layers follow the arrows, and loops do not hang", {
  chain <- plan_of(blueprint("c") |> effect(b ~ a) |> effect(c ~ b + a) |> effect(d ~ c))
  expect_identical(chain$layer, c(b = 2L, a = 1L, c = 3L, d = 4L)[names(chain$layer)])
  loop <- plan_of(blueprint("l") |> effect(y1 ~ y2 + x1) |> effect(y2 ~ y1 + x2))
  expect_true(all(loop$layer[c("x1", "x2")] == 1L))
  expect_equal(sum(loop$arrows$back), 1)
  # every arrow except those against the flow goes to the right
  ahead <- loop$layer[loop$arrows$to] > loop$layer[loop$arrows$from]
  expect_identical(unname(ahead), !loop$arrows$back)
})

test_that("an arrow that passes a layer has a lane in it", {
  plan <- plan_of(blueprint("c") |> effect(b ~ a) |> effect(c ~ b) |> effect(d ~ c + a))
  long <- plan$chains[[which(plan$arrows$from == "a" & plan$arrows$to == "d")]]
  expect_length(long, 4)
  expect_true(all(is_lane(long[2:3])))
  expect_true(long[2] %in% plan$order[[2]] && long[3] %in% plan$order[[3]])
})

test_that("items know where they hang, and general factors are recognised", {
  plan <- plan_of(blueprint("x") |> construct("G", reflected_in = c(a1:a3, b1:b3)) |>
                  construct("A", reflected_in = a1:a3) |>
                    construct("B", reflected_in = b1:b3) |> uncorrelate(G, A, B))
  expect_identical(unname(plan$owner[c("a2", "b3")]), c("A", "B"))
  expect_identical(general_factors(list(G = c("a", "b", "c"), A = c("a", "b"))), "G")
  expect_length(general_factors(list(A = c("a", "b"), B = c("c", "d"))), 0)
  mixed <- plan_of(blueprint("x") |> construct("A", reflected_in = a1:a3) |>
                   construct("R", composed_of = c(r1, r2)) |> effect(A ~ R + x) |>
                     effect(a1 ~ x))
  expect_setequal(mixed$items, c("a2", "a3", "r1", "r2"))
  expect_identical(mixed$owner[c("a2", "r1")], c(a2 = "A", r1 = "R"))
  growth <- plan_of(blueprint("g") |>
                    construct("Level", reflected_in = c(w1 = 1, w2 = 1, w3 = 1)) |>
                    construct("Growth", reflected_in = c(w1 = 0, w2 = 1, w3 = 2)))
  expect_identical(unname(growth$host), c("Level", "Level"))
})

test_that("crossings are counted by hand and undone where they can be", {
  links <- rbind(c("a", "y"), c("b", "x"))
  expect_equal(count_crossings(list(c("a", "b"), c("x", "y")), links), 1)
  expect_equal(count_crossings(list(c("a", "b"), c("y", "x")), links), 0)
  better <- untangle(list(c("a", "b"), c("x", "y")), list(c("a", "y"), c("b", "x")))
  expect_equal(count_crossings(better, links), 0)
  # three by three, all linked: nine pairs of pairs cross, whatever the order
  all <- as.matrix(expand.grid(c("a", "b", "c"), c("x", "y", "z"), stringsAsFactors = FALSE))
  expect_equal(count_crossings(list(c("a", "b", "c"), c("x", "y", "z")), all), 9)
})

test_that("constructs of the same items share a column of them, however strong their loadings", {
  table <- build_layout(blueprint("g") |>
                          construct("Level", reflected_in = c(w1 = 1, w2 = 1, w3 = 1)) |>
                          construct("Growth", reflected_in = c(w1 = 0, w2 = 1, w3 = 2)), FALSE)
  strength <- ifelse(table$rows$first == "Growth", 0.9, 0.3)
  expect_identical(unname(core_plan(table, strength)$owner), rep("Level", 3))
  expect_identical(unname(core_plan(table, strength)$host), c("Level", "Level"))
})
