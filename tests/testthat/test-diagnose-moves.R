# The effects of candidates on the conclusions: predicted and refitted movements.

test_that("movements of a mean difference are those of refits, by an independent derivation", {
  set.seed(1)
  make <- function(mean, variance, intercepts, group) {
    f <- mean + sqrt(variance) * stats::rnorm(300)
    x <- matrix(intercepts, 300, 5, byrow = TRUE) + outer(f, c(1, 0.9, 0.8, 0.9, 1)) +
      matrix(stats::rnorm(1500), 300) * 0.8
    data.frame(stats::setNames(as.data.frame(x), paste0("x", 1:5)), g = group)
  }
  data <- rbind(make(0, 1, rep(0, 5), "g1"), make(0.3, 1.2, c(0.5, 0, 0, 0, 0), "g2"))
  bp <- blueprint("Means") |> construct("F", reflected_in = x1:x5) |>
    hold_equal(loading, intercept)
  fit <- quiet_fit(bp, data, by = g)
  expect_equal(coef(fit)[["mean[F | g2]"]], 0.4467, tolerance = 1e-3)
  found <- amendments(fit, top = 3, kinds = "equality across groups")
  moves <- found$movements
  of <- function(parameter, column = "movement") {
    moves[[column]][moves$parameter == parameter & moves$target == "mean[F | g2]"]
  }
  known <- c("intercept[x1 | g2]" = -0.1408, "intercept[x2 | g2]" = 0.0424,
             "intercept[x5 | g2]" = 0.0302, "intercept[x4 | g2]" = 0.0247,
             "intercept[x3 | g2]" = 0.0107, "loading[F, x5 | g2]" = 0.0028)
  for (parameter in names(known))
    expect_equal(round(of(parameter), 4), known[[parameter]], tolerance = 2e-4)
  expect_equal(round(of("intercept[x1 | g2]", "refitted"), 4), -0.1313, tolerance = 2e-4)
  # the refit, by amend()
  amended <- suppressMessages(amend(fit, free = intercept[x1 | g2], because = "x"))
  expect_equal(of("intercept[x1 | g2]", "refitted"),
               coef(amended)[["mean[F | g2]"]] - coef(fit)[["mean[F | g2]"]], tolerance = 1e-5)
  # limits: the slope times the end of the interval of the expected change
  row <- found[1, ]
  se <- abs(row$expected_change) / sqrt(row$modification_index)
  expect_equal(of("intercept[x1 | g2]", "limit"), abs(of("intercept[x1 | g2]")) *
                 (1 + 1.96 * se / abs(row$expected_change)), tolerance = 1e-4)
  expect_identical(found$moves[1], "matters")
  expect_identical(found$moves_most[1], "mean[F | g2]")
  expect_output(print(found), text_pattern("moves_title"))
})

test_that("hypotheses, effects and correlations are the targets, in this order", {
  bp <- blueprint("Two") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4) |> construct("Staying", reflected_in = st1:st3)
  targets <- function(bp) unique(amendments(quiet_fit(bp, choirs), top = 1)$movements$target)
  expect_setequal(targets(bp), c("correlation[Belonging, Calm]", "correlation[Belonging, Staying]",
                                 "correlation[Calm, Staying]"))
  effects <- effect(bp, Staying ~ Belonging + Calm)
  expect_setequal(targets(effects), c("effect[Belonging, Staying]", "effect[Calm, Staying]"))
  claimed <- claim(effects, H1 = effect[Belonging, Staying] > effect[Calm, Staying])
  expect_setequal(targets(claimed), c("H1", "effect[Belonging, Staying]", "effect[Calm, Staying]"))
  # one construct alone: no conclusions depend on it
  alone <- amendments(quiet_fit(blueprint("A") |> construct("B", reflected_in = be1:be4), choirs))
  expect_null(alone$movements)
  expect_true(all(is.na(alone$moves)))
})

test_that("refitted movements of effects, hypotheses and correlations are those of amend()", {
  bp <- blueprint("Two") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Calm", reflected_in = sc1:sc4) |> construct("Staying", reflected_in = st1:st3)
  effects <- claim(effect(bp, Staying ~ Belonging + Calm),
                   H1 = effect[Belonging, Staying] > effect[Calm, Staying])
  fit <- quiet_fit(effects, choirs, incomplete = "drop")
  found <- amendments(fit, top = 2)
  for (i in 1:2) {
    amended <- suppressMessages(amend(fit, free = !!found$parameter[i], because = "x"))
    change <- coef(amended)[names(coef(fit))] - coef(fit)
    moves <- found$movements[found$movements$parameter == found$parameter[i], ]
    at <- match(c("effect[Belonging, Staying]", "effect[Calm, Staying]", "H1"), moves$target)
    effect <- unname(change[c("effect[Belonging, Staying]", "effect[Calm, Staying]")])
    expect_equal(moves$refitted[at], c(effect, effect[1] - effect[2]), tolerance = 1e-4)
  }
  plain <- quiet_fit(bp, choirs, incomplete = "drop")
  found <- amendments(plain, top = 1)
  amended <- suppressMessages(amend(plain, free = !!found$parameter[1], because = "x"))
  r <- function(f) stats::cov2cor(implied(f)$all$constructs)["Calm", "Staying"]
  move <- found$movements[found$movements$parameter == found$parameter[1] &
                            found$movements$target == "correlation[Calm, Staying]", ]
  expect_equal(move$refitted, r(amended) - r(plain), tolerance = 1e-5)
  sorted <- amendments(plain, top = 1, order = "moves")
  most <- tapply(sorted$movements$in_se, sorted$movements$parameter, max)
  expect_true(all(diff(most[sorted$parameter]) <= 1e-9))
  expect_error(amendments(plain, order = "size"), class = "orizzonte_error_input")
})
