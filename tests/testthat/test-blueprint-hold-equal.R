# Equality across groups is part of the blueprint.

calm <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
two <- calm |> construct("Craft", reflected_in = cr1:cr3)
held_in <- function(fit) unique(without_group(fit$layout$rows$parameter[fit$layout$rows$shared]))

test_that("kinds, slices and addresses are taken bare, quoted or from a call", {
  names <- c("loading", "intercept")
  bp <- hold_equal(two, loading, "intercept[items]", variance[constructs],
                   c(effect, covariance[items]))
  expect_identical(bp$hold_equal, c("loading", "intercept[items]", "variance[constructs]", "effect",
                                    "covariance[items]"))
  expect_identical(hold_equal(two, all_of(names))$hold_equal, names)
  expect_identical(let_differ(two, loading[Calm, sc2 | weekend], "loading[Craft, ]")$let_differ,
                   c("loading[Calm, sc2 | weekend]", "loading[Craft, ]"))
  expect_error(hold_equal(two, loadings), text_pattern("did_you_mean"),
               class = "orizzonte_error_input")
  expect_error(hold_equal(two), text_pattern("needs_something_name"),
               class = "orizzonte_error_input")
  expect_error(hold_equal(two, loading, across = "time"), class = "orizzonte_error_input")
  expect_error(hold_equal(hold_equal(two, loading), loading), "twice",
               class = "orizzonte_error_duplicate")
  expect_error(quiet_fit(hold_equal(two, loading[Calm, sc9]), choirs, by = "setting"),
               text_pattern("no_such_parameter_model"), class = "orizzonte_error_restriction")
})

test_that("let_differ() frees exactly what it names, and hold_equal() takes it back", {
  a <- two |> hold_equal(loading) |> let_differ(loading[Calm, sc2])
  b <- two |> let_differ(loading[Calm, sc2]) |> hold_equal(loading)
  expect_identical(coef(quiet_fit(a, choirs, by = "setting")),
                   coef(quiet_fit(b, choirs, by = "setting")))
  expect_false("loading[Calm, sc2]" %in% held_in(quiet_fit(a, choirs, by = "setting")))
  expect_message(back <- hold_equal(a, loading[Calm, sc2]), text_pattern("no_longer_differs"))
  expect_length(back$let_differ, 0)
  expect_equal(deviance(quiet_fit(back, choirs, by = "setting")),
               deviance(quiet_fit(hold_equal(two, loading), choirs, by = "setting")))
  three <- quiet_fit(two |> hold_equal(loading) |> let_differ(loading[Calm, sc2 | Arden]), choirs,
                     by = "town")
  value <- function(g) coef(three)[[paste0("loading[Calm, sc2 | ", g, "]")]]
  rows <- three$layout$rows
  at <- which(rows$first == "Calm" & rows$second %in% "sc2")
  expect_identical(rows$shared[at], three$layout$groups != "Arden")
  expect_length(unique(values_of(three)[at][rows$shared[at]]), 1)
})

test_that("bare variance, covariance, intercept and mean mean what they should", {
  bp <- effect(two, Craft ~ years)
  kinds <- function(...) {
    fit <- quiet_fit(hold_equal(bp, ...), choirs, by = "setting")
    held_in(fit)
  }
  expect_setequal(kinds(variance),
                  c(paste0("variance[sc", 1:4, "]"), paste0("variance[cr", 1:3, "]"),
                    "variance[Calm]", "variance[Craft]"))
  expect_identical(kinds("intercept"), kinds("intercept[items]"))
  expect_false(any(grepl("years", c(kinds(variance), kinds(intercept), kinds(covariance)))))
})

test_that("without groups what is held is kept, and it is said that nothing is", {
  bp <- hold_equal(two, loading)
  expect_equal(deviance(quiet_fit(bp, choirs)), deviance(quiet_fit(two, choirs)))
  expect_output(print(bp), text_pattern("held_equal_across_groups", hold_equal = "loading"))
  expect_output(print(summary(quiet_fit(bp, choirs))), text_pattern("no_groups_nothing_is"))
})

test_that("a grouped, amended blueprint comes back from its file with chi-square and trail", {
  fit <- quiet_fit(hold_equal(two, loading, intercept), choirs, by = "setting")
  freed <-
    suppressMessages(amend(fit, free = intercept[cr3 | weekend],
                           because = "sung from other scores"))
  freed <- suppressMessages(amend(freed, free = loading[Calm, sc2], because = "another stage"))
  freed <- suppressMessages(amend(freed, omit = cr2, because = "a weak item"))
  expect_identical(freed$request$blueprint$let_differ,
                   c("intercept[cr3 | weekend]", "loading[Calm, sc2]"))
  file <- tempfile(fileext = ".yaml")
  write_blueprint(freed, file)
  again <- read_blueprint(file)
  expect_identical(again, freed$request$blueprint)
  expect_equal(deviance(quiet_fit(again, choirs, by = "setting")), deviance(freed),
               tolerance = 1e-10)
  expect_identical(trail(again), trail(freed$request$blueprint))
  expect_identical(trail(again)$change[2:4],
                   c("free intercept[cr3 | weekend]", "free loading[Calm, sc2]", "omit cr2"))
  changes <- again$trail$revisions$changes
  expect_identical(changes[[2]][[1]]$what, "free")
  first <- quiet_fit(let_differ(fit$request$blueprint, intercept[cr3 | weekend]), choirs,
                     by = "setting")
  expect_equal(changes[[2]][[1]]$to, coef(first)[["intercept[cr3 | weekend]"]], tolerance = 1e-6)
})

test_that("files of version 0.1.0 still read, revisions with odd names included", {
  file <- tempfile(fileext = ".yaml")
  writeLines(c("title: Old", "scale: marker", "constructs:",
               "  A: {reflected_in: [a1, a2, \"be; 1\", a4]}", "trail:",
               "  - revision: 0", "    n: 100", "    chisq: 10", "    df: 2", "    status: proper",
               "    blueprint:", "      title: Old", "      constructs:",
               "        A: {reflected_in: [a1, a2, a4]}", "  - revision: 1",
               "    change: \"free covariance[a1, a2]\"", "    because: x", "    n: 100",
               "    chisq: 5", "    df: 1", "    status: proper"), file)
  old <- read_blueprint(file)
  expect_identical(trail(old)$change, c("", "free covariance[a1, a2]"))
  data <- choirs[paste0("sc", 1:4)]
  names(data) <- c("be; 1", "b|2", "b,3", "b4")
  odd <- blueprint("Odd") |> construct("B; C", reflected_in = all_of(names(data)))
  fit <- quiet_fit(odd, data)
  pair <- "covariance[`be; 1`, `b|2`]"
  freed <- suppressMessages(amend(fit, free = !!pair, because = "odd; free names"))
  write_blueprint(freed, file)
  expect_identical(read_blueprint(file), freed$request$blueprint)
  found <- suppressWarnings(suppressMessages(confirm(freed, data[sample(nrow(data), 400), ])))
  expect_identical(found$parameters$parameter, pair)
})

test_that("a blueprint that names groups in restrictions is printed, checked and read back", {
  bp <- two |> restrict(loading[Calm, sc2 | weekend] == 1.2) |> relax(mean[Calm | weekend])
  expect_output(print(bp), "loading\\[Calm, sc2 \\| weekend\\] == 1.2")
  expect_true(identification(bp)$identified)
  file <- tempfile(fileext = ".yaml")
  write_blueprint(bp, file)
  expect_identical(read_blueprint(file), bp)
  expect_output(print(read_blueprint(file)), "free: mean\\[Calm \\| weekend\\]")
  expect_error(quiet_fit(bp, choirs), "no groups", class = "orizzonte_error_name")
})

test_that("set_scale() changes all or some constructs, and names what is wrong", {
  bp <- set_scale(two, "unit")
  expect_identical(bp$scale, "unit")
  expect_equal(deviance(quiet_fit(bp, choirs)), deviance(quiet_fit(two, choirs)), tolerance = 1e-9)
  one <- set_scale(two, "sc3", Calm)
  expect_identical(one$constructs$Calm$scale, "sc3")
  expect_identical(set_scale(one, "average"), set_scale(two, "average"))
  expect_error(set_scale(two, "unitt"), text_pattern("did_you_mean"),
               class = "orizzonte_error_input")
  expect_error(set_scale(two, "sc3", Craft), text_pattern("scale_construct_is_neither"),
               class = "orizzonte_error_input")
  expect_error(set_scale(two, "unit", Clam), text_pattern("did_you_mean"),
               class = "orizzonte_error_name")
})
