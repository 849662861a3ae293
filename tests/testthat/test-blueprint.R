two <- function() {
  blueprint("Two") |> construct("A", reflected_in = a1:a3) |>
  construct("B", reflected_in = b1:b3)
}

test_that("statements are checked as they are made", {
  expect_error(blueprint(""), class = "orizzonte_error_input")
  expect_error(blueprint("x", scale = "markr"), text_pattern("did_you_mean", near = "\"marker\""),
               class = "orizzonte_error_input")
  expect_error(blueprint("x") |> construct(Belonging, reflected_in = a), "in quotes",
               class = "orizzonte_error_input")
  expect_error(construct("x", "F", reflected_in = a), text_pattern("first_argument_must_be"),
               class = "orizzonte_error_input")
  expect_error(two() |> construct("A", reflected_in = c1), text_pattern("is_declared_twice"),
               class = "orizzonte_error_duplicate")
  expect_error(two() |> construct("C"), text_pattern("construct_is_measured_nothing"),
               class = "orizzonte_error_input")
  expect_error(two() |> construct("C", reflected_in = c(C, d)),
               text_pattern("construct_cannot_be_own"),
               class = "orizzonte_error_input")
  expect_error(two() |> construct("C", reflected_in = c1:c3, scale = "c9"),
               text_pattern("scale_construct_is_neither"),
               class = "orizzonte_error_input")
  expect_error(two() |> effect(A ~ B) |> effect(A ~ B), text_pattern("is_declared_twice"),
               class = "orizzonte_error_duplicate")
  expect_error(two() |> effect(a1 ~ A), text_pattern("same_relation_is_declared_twice_is_already"),
               class = "orizzonte_error_duplicate")
  expect_error(two() |> effect(c1 ~ C) |> construct("C", reflected_in = c1:c3),
               text_pattern("same_relation_is_declared"),
               class = "orizzonte_error_duplicate")
  expect_error(two() |> effect(A ~ B * x), text_pattern("only_names_can_stand"),
               class = "orizzonte_error_input")
  expect_error(two() |> effect(A ~ 1), text_pattern("only_names_can_stand"),
               class = "orizzonte_error_input")
  expect_error(two() |> effect(A ~ A), text_pattern("cannot_have_effect_itself"),
               class = "orizzonte_error_input")
  expect_error(two() |> covary(a1), text_pattern("needs_least_two_names"),
               class = "orizzonte_error_input")
  expect_error(two() |> covary(a1, a2) |> covary(a2, a1), "declared twice",
               class = "orizzonte_error_duplicate")
  expect_error(two() |> restrict(loading[A, a2] > 1), text_pattern("not_restriction"),
               class = "orizzonte_error_restriction")
  expect_error(two() |> restrict(total[A, B] == 1), text_pattern("is_read_only_cannot"),
               class = "orizzonte_error_restriction")
  expect_error(two() |> wording("text"), text_pattern("every_wording_must_be"),
               class = "orizzonte_error_input")
})

test_that("a later statement overrides an earlier one and says so", {
  expect_message(bp <- two() |> uncorrelate(A, B) |> covary(A, B), "Overridden",
                 class = "orizzonte_message")
  expect_length(bp$uncorrelate$first, 0)
  expect_message(bp <- two() |> restrict(loading[A, a2] == 1) |> restrict(loading[A, a2] == 0.5),
                 "Overridden", class = "orizzonte_message")
  expect_length(bp$restrict, 1)
  expect_message(two() |> wording(a1 = "x") |> wording(a1 = "y"), "Overridden",
                 class = "orizzonte_message")
})

test_that("effects take several outcomes, ranges and formulas in variables", {
  formula <- A ~ B + x
  expect_identical((two() |> effect("A ~ B"))$effects, list(from = "B", to = "A"))
  expect_identical((two() |> effect(formula))$effects, list(from = c("B", "x"), to = c("A", "A")))
  expect_identical((two() |> effect(A + y ~ x1:x2))$effects, list(from = c("x1", "x2", "x1", "x2"),
      to = c("A", "A", "y", "y")))
})

test_that("print shows the theory, what is assumed and not assumed, and the counts", {
  text <- paste(format_blueprint(two() |> effect(A + B ~ x) |> restrict(variance[a1] == 1)),
                collapse = "\n")
  for (part in c("A  reflected in a1, a2, a3", "A ~ x", "variance\\[a1\\] == 1",
                 "residual variances of 6", "disturbances of A and B",
                 "scale of A: loading\\[A, a1\\] = 1",
                 "Not assumed\n  - covariances among the disturbances of A and B",
                 "28 moments - 14 free parameters = 14 degrees of freedom")) {
    expect_match(text, part)
  }
  expect_output(print(blueprint("Empty")), text_pattern("empty_so_far_add"))
  expect_output(print(two() |> restrict(intercept[a1] == 0)), "27 moments")
})

test_that("scale settings are laid out as promised", {
  fixed <- function(bp) {
    table <- build_layout(bp, means = FALSE)
    table$rows$parameter[table$rows$status == "fixed"]
  }
  expect_identical(fixed(two()), c("loading[A, a1]", "loading[B, b1]"))
  unit <- blueprint("u", scale = "unit") |> construct("A", reflected_in = a1:a3) |>
    construct("B", reflected_in = b1:b3, scale = "b2") |> effect(A ~ B)
  expect_identical(fixed(unit), c("loading[B, b2]", "variance[A]"))
  expect_identical(fixed(blueprint("g") |> construct("G", reflected_in = c(w1 = 0, w2 = 1, w3))),
                   c("loading[G, w1]", "loading[G, w2]"))
  expect_identical(fixed(two() |> restrict(loading[A, a2] == 2)),
                   c("loading[A, a2]", "loading[B, b1]"))
  # beside a requested marker, it is a restriction
  expect_identical(fixed(two() |> restrict(loading[A, a2] == 2) |> set_scale("a1", A)),
                   c("loading[A, a1]", "loading[A, a2]", "loading[B, b1]"))
})

test_that("contradictory or impossible restrictions are named", {
  lay_out <- function(bp) build_layout(bp, means = FALSE)
  expect_error(lay_out(two() |>
                       restrict(variance[a1] == 1, variance[a2] == 2,
                                variance[a1] == variance[a2])), "contradict",
               class = "orizzonte_error_restriction")
  expect_error(lay_out(two() |> restrict(loading[A, b1] == 1)),
               text_pattern("no_such_parameter_model"),
               class = "orizzonte_error_restriction")
  expect_error(lay_out(two() |> restrict(loading[A, a2:a3] == loading[B, ])),
               text_pattern("two_sides_have_different"),
               class = "orizzonte_error_restriction")
  expect_error(lay_out(two() |> restrict(intercept[a1] == 0)),
               text_pattern("cannot_be_restricted_data"),
               class = "orizzonte_error_restriction")
  tied <- lay_out(two() |> restrict(variance[items] == variance[a1]))
  expect_length(unique(tied$rows$class[tied$rows$meaning == "residual variance"]), 1)
  declared <- lay_out(two() |> restrict(covariance[a1, b1] == 0.2))
  expect_equal(declared$rows$fixed[declared$rows$parameter == "covariance[a1, b1]"], 0.2)
})

test_that("a single path can be left out, by address", {
  bp <- blueprint("P") |> construct("Calm", reflected_in = sc1:sc4) |>
    construct("Belonging", reflected_in = be1:be4) |>
    effect(Calm ~ years + Belonging) |> covary(sc1, be1) |>
    claim(H1 = effect[years, Calm] > 0, H2 = effect[Belonging, Calm] > 0)
  expect_message(one <- leave_out(bp, effect[years, Calm]), "H1")
  expect_identical(one$effects, list(from = "Belonging", to = "Calm"))
  expect_identical(names(one$claims), "H2")
  expect_identical(suppressMessages(leave_out(bp, "effect[years, Calm]")), one)
  expect_length(leave_out(bp, covariance[be1, sc1])$covary$first, 0)
  # a covariance that exists by default
  two <- blueprint("Q") |> construct("A", reflected_in = be1:be4) |>
    construct("B", reflected_in = sc1:sc4)
  expect_identical(leave_out(two, covariance[A, B])$uncorrelate, list(first = "A", second = "B"))
  expect_error(leave_out(bp, effect[years, Belonging]), class = "orizzonte_error_name")
  expect_error(leave_out(bp, effect[yers, Calm]), text_pattern("did_you_mean"),
               class = "orizzonte_error_name")
  expect_error(leave_out(bp, effect[years, Calm | evening]), text_pattern("one_path_in_all_groups"),
               class = "orizzonte_error_input")
  fit <- quiet_fit(bp, choirs)
  amended <- suppressMessages(amend(fit, omit = effect[Belonging, Calm], because = "no theory"))
  expect_false("effect[Belonging, Calm]" %in% names(coef(amended)))
  expect_match(trail(amended)$change[2], "effect[Belonging, Calm]", fixed = TRUE)
})
