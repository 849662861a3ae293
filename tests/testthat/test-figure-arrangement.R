# Whole arrangements, judged by the independent checker: no element covers another.

arranged_fit <- function(fit, values = "standardized", ...) {
  standardized <- standardized_of(fit)$value
  arrange_diagram(fit$layout, diagram_text(values_of(fit), standardized, values), standardized, ...)
}

test_that("the demo's models are arranged without a fault", {
  for (fit in demo_fits()) for (values in c("standardized", "both")) {
    found <- arranged_fit(fit, values)
    expect_null(diagram_faults(found), info = fit$request$blueprint$title)
    expect_equal(found$conflicts, 0)
  }
})

test_that("random blueprints are arranged without a fault", {
  for (seed in 1:16) expect_null(diagram_faults(arrange_blueprint(random_blueprint(seed))),
                                 info = paste("seed", seed))
})

test_that("pages of other shapes are used", {
  for (seed in c(3, 20)) for (page in list(c(5, 6), c(10, 3), c(16, 9))) {
    found <- arrange_blueprint(random_blueprint(seed), page)
    expect_null(diagram_faults(found, page), info = paste("seed", seed))
    reach <- c(diff(range(found$nodes$x)) / page[1], diff(range(found$nodes$y)) / page[2])
    expect_gt(max(reach), 0.55)
  }
})

test_that("forty items are legible on one page", {
  bp <- blueprint("Forty")
  for (k in 1:5) bp <- construct(bp, LETTERS[k], reflected_in = !!paste0(letters[k], 1:8))
  found <- arrange_blueprint(bp)
  expect_null(diagram_faults(found))
  expect_gte(found$text_size, 7)
})

test_that("the core flows from left to right, items outside it", {
  found <- arrange_blueprint(blueprint("f") |> construct("A", reflected_in = a1:a4) |>
                             construct("B", reflected_in = b1:b4) |> effect(B ~ A))
  x <- stats::setNames(found$nodes$x, found$nodes$name)
  expect_true(x[["A"]] < x[["B"]])
  expect_true(all(x[paste0("a", 1:4)] < x[["A"]]) && all(x[paste0("b", 1:4)] > x[["B"]]))
})

test_that("curves stay outside the measurement", {
  bp <- blueprint("c") |> construct("A", reflected_in = a1:a3) |>
    construct("B", reflected_in = b1:b3) |> construct("C", reflected_in = c1:c3) |>
    construct("D", reflected_in = d1:d3) |> effect(D ~ A + B + C)
  found <- arrange_blueprint(bp)
  type <- vapply(found$edges, `[[`, "", "type")
  curves <- found$edges[type == "covariance"]
  loadings <- found$edges[type == "loading"]
  expect_length(curves, 3)
  for (curve in curves) for (loading in loadings)
    expect_false(cross(curve$path, loading$path))
})

test_that("a nudged construct takes its items along, a nudged item goes alone", {
  fit <- demo_fits()$one
  before <- arranged_fit(fit)$nodes
  after <- arranged_fit(fit, nudge = data.frame(name = "Belonging", dx = 0.3, dy = -0.2))$nodes
  expect_equal(after$x - before$x, rep(0.3, nrow(before)))
  expect_equal(after$y - before$y, rep(-0.2, nrow(before)))
  alone <- arranged_fit(fit, nudge = data.frame(name = c("Belonging", "be1"), dx = c(0, 0.5),
                                                dy = c(0, -0.25)))$nodes
  moved <- alone$x != before$x
  expect_identical(alone$name[moved], "be1")
})

test_that("the same model is arranged the same, long names wrapped, in any script", {
  bp <- blueprint("n") |> construct("Zugeh\u00f6rigkeit zum Chor", reflected_in = a1:a3) |>
    construct("\u5408\u5531", reflected_in = c(`a very long name of an item`, `01`, b3))
  found <- arrange_blueprint(bp)
  expect_null(diagram_faults(found))
  expect_identical(found, arrange_blueprint(bp))
  expect_true(any(grepl("\n", found$nodes$label, fixed = TRUE)))
})

# A structural model of four constructs as a careful author would draw it.
four <- blueprint("four") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Craft", reflected_in = cr1:cr4) |> construct("Calm", reflected_in = sc1:sc4) |>
  construct("Staying", reflected_in = st1:st3) |> effect(Calm ~ Belonging + Craft + years) |>
  effect(Staying ~ Calm + Belonging + years)

test_that("effects of a structural model are straight and its covariances short arcs", {
  found <- arrange_blueprint(four)
  expect_null(diagram_faults(found))
  looks <- diagram_looks(found)
  expect_equal(looks$detours, 0)
  expect_equal(looks$near, 0)
  expect_lte(looks$most_bends, 1)
  type <- vapply(found$edges, `[[`, "", "type")
  for (edge in found$edges[type == "effect"]) expect_equal(bends_of(edge$path), 0L)
  # at least 10 points on a page of 12.8 by 8 inches, over which the drawing is spread
  expect_gte(looks$points * 1.28, 10)
  expect_gt(looks$used, 0.6)
})

test_that("no covariance of exogenous constructs bends more than twice", {
  three <- blueprint("three") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Craft", reflected_in = cr1:cr4) |> construct("Calm", reflected_in = sc1:sc4) |>
    construct("Staying", reflected_in = st1:st3) |> effect(Staying ~ Calm + Belonging + Craft)
  found <- arrange_blueprint(three)
  expect_null(diagram_faults(found))
  expect_lte(diagram_looks(found)$most_bends, 2L)
})

test_that("covariances of many exogenous constructs are a matrix that covers nothing", {
  bp <- blueprint("many")
  for (k in 1:5) bp <- construct(bp, LETTERS[k], reflected_in = !!paste0(letters[k], 1:4))
  bp <- effect(bp, E ~ A + B + C + D)
  found <- arrange_blueprint(bp)
  expect_null(diagram_faults(found))
  expect_false(any(vapply(found$edges, `[[`, "", "type") == "covariance"))
  cells <- found$matrix
  expect_equal(sum(!is.na(cells$row)), 6)
  expect_true(all(cells$x > 0 & cells$x < 10 & cells$y > 0 & cells$y < 6.25))
  boxes <- outlines(found$nodes)
  for (k in seq_len(nrow(cells)))
    expect_false(any(cells$x[k] > boxes[, 1] & cells$x[k] < boxes[, 2] & cells$y[k] > boxes[, 3] &
                       cells$y[k] < boxes[, 4]))
  # three are drawn
  fewer <- arrange_blueprint(effect(construct(construct(construct(construct(
    blueprint("few"), "A", reflected_in = a1:a3), "B", reflected_in = b1:b3), "C",
    reflected_in = c1:c3), "D", reflected_in = d1:d3), D ~ A + B + C))
  expect_null(fewer$matrix)
})

test_that("the draft that costs least is found among few that can be counted", {
  plan <- core_plan(build_layout(four, FALSE))
  table <- build_layout(four, FALSE)
  nodes <- sized_nodes(table, plan, character(length(table$rows$kind)))
  facts <- draft_facts(plan, table, nodes, diagram_page, 0.75)
  found <- searched_plans(plan, table, nodes, diagram_page, 0.75)
  cost <- vapply(found, draft_cost, 0, facts = facts)
  expect_false(is.unsorted(cost))
  # every order of the layers with the sides of the best
  orders <- function(names) {
    if (length(names) < 2L) return(list(names))
    do.call(c, lapply(seq_along(names), function(k) {
      lapply(orders(names[-k]), function(rest) c(names[k], rest))
    }))
  }
  state <- found[[1]][c("order", "side", "up")]
  all <- unlist(lapply(orders(state$order[[2]]), function(second) {
    other <- state
    other$order[[2]] <- second
    draft_cost(other, facts)
  }))
  expect_equal(min(all), cost[1])
})

test_that("the theory of a blueprint is drawn with the signs of its hypotheses", {
  bp <- claim(four, H1 = effect[Belonging, Calm] > 0, H2 = 0 > effect[years, Calm],
              H3 = effect[Belonging, Calm] > effect[Craft, Calm])
  drawn <- plot(bp)
  shown <- unlist(lapply(drawn$layers, function(layer) layer$data$text))
  expect_true(all(c("H1 +", "H2 \u2212", "Belonging", "1") %in% shown))
  expect_false(any(startsWith(shown, "H3")))
  expect_match(drawn$labels$caption, text_pattern("theory_signs"))
  expect_error(path_diagram(bp, r_squared = TRUE),
               text_pattern("diagram_of_blueprint_has_no_values"), class = "orizzonte_error_input")
  nudged <- path_diagram(bp, nudge = data.frame(name = "Calm", dx = 0.2, dy = 0))
  expect_s3_class(nudged, "ggplot")
  expect_error(plot(blueprint("empty")), class = "orizzonte_error")
})
