# Every kind of model against the brute-force oracle, or against nlme.

cells <- function(matrix, row, col, value = NA) {
  data.frame(matrix = matrix, row = row, col = col, value = value)
}
intercepts <- function(observed) cells("alpha", observed, observed)
exogenous_pairs <- function(names) {
  pairs <- t(utils::combn(names, 2))
  cells("Psi", pairs[, 1], pairs[, 2])
}

test_that("second-order constructs agree with the oracle", {
  items <- list(Ear = paste0("ear", 1:4), Voice = paste0("voice", 1:4),
                Score = paste0("score", 1:4))
  bp <- blueprint("Second order") |> construct("Ear", reflected_in = ear1:ear4) |>
    construct("Voice", reflected_in = voice1:voice4) |>
    construct("Score", reflected_in = score1:score4) |>
      construct("Musical", reflected_in = c(Ear, Voice, Score))
  spec <- oracle_factor_cells(items)
  spec <- spec[!(spec$matrix == "Psi" & spec$row != spec$col), ]
  spec <- rbind(spec, cells("B", names(items), "Musical", c(1, NA, NA)),
                cells("Psi", "Musical", "Musical"))
  model <- oracle_model(unlist(items), c(names(items), "Musical"), spec)
  expect_oracle(fit_model(bp, summary_data(cov(choirs_bifactor), nrow(choirs_bifactor))), model,
                choirs_bifactor)
})

test_that("bifactor models agree with the oracle and say the same under another scale", {
  items <- names(choirs_bifactor)
  bifactor <- function(scale) {
    blueprint("Bifactor", scale = scale) |> construct("General", reflected_in = all_of(items)) |>
      construct("Ear", reflected_in = ear1:ear4) |>
      construct("Voice", reflected_in = voice1:voice4) |>
        construct("Score", reflected_in = score1:score4) |> uncorrelate(General, Ear, Voice, Score)
  }
  data <- summary_data(cov(choirs_bifactor), nrow(choirs_bifactor))
  own <- list(General = items, Ear = items[1:4], Voice = items[5:8], Score = items[9:12])
  spec <- oracle_factor_cells(own, unit = TRUE)
  spec <- spec[!(spec$matrix == "Psi" & spec$row != spec$col), ]
  fit <- fit_model(bifactor("unit"), data)
  sample <- sample_of(choirs_bifactor)
  model <- oracle_model(items, names(own), spec)
  start <- oracle_start(model, sample)
  start[seq_len(12)] <- 1.2 * start[seq_len(12)]
  start[13:24] <- 0.6 * start[13:24]
  oracle <- oracle_fit(model, start, sample)
  order <- oracle_order(fit, model)
  expect_agreement(fit, oracle$theta[order], sqrt(diag(oracle$vcov))[order], oracle$chisq)
  expect_equal(deviance(fit_model(bifactor("marker"), data)), deviance(fit), tolerance = 1e-8)
})

test_that("composites agree with the oracle, from raw data and from a covariance matrix alone", {
  observed <- c(paste0("be", 1:4), "rooms", "scores", "coach", paste0("st", 1:3), "years")
  data <- complete_choirs(observed)
  bp <- blueprint("Resources") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Resources", composed_of = c(rooms, scores, coach)) |>
    construct("Staying", reflected_in = st1:st3) |> effect(Belonging ~ Resources) |>
      effect(Staying ~ Belonging + Resources + years)
  measured <- list(Belonging = paste0("be", 1:4), Staying = paste0("st", 1:3))
  spec <- oracle_factor_cells(measured)
  spec <- spec[!(spec$row == "Belonging" & spec$col == "Staying"), ]
  exogenous <- c("rooms", "scores", "coach", "years")
  spec <- rbind(spec, cells("B", "Resources", c("rooms", "scores", "coach"), c(1, NA, NA)),
                cells("B", c("Belonging", "Staying", "Staying", "Staying"),
                      c("Resources", "Belonging", "Resources", "years")),
                cells("Psi", exogenous, exogenous), exogenous_pairs(exogenous))
  model <- oracle_model(observed, c("Belonging", "Resources", "Staying"), spec)
  expect_oracle(fit_model(bp, summary_data(cov(data), nrow(data))), model, data)
  with_means <- oracle_model(observed, c("Belonging", "Resources", "Staying"),
                             rbind(spec, intercepts(observed)), means = TRUE)
  fit <- fit_model(bp, data)
  expect_oracle(fit, with_means, data)
  expect_false("variance[Resources]" %in% estimates(fit)$parameter)
  other <- bp
  other$constructs$Resources$scale <- "coach"
  expect_equal(deviance(fit_model(other, data)), deviance(fit), tolerance = 1e-7)
  reflective <- blueprint("One word") |>
    construct("Resources", reflected_in = c(rooms, scores, coach))
  expect_equal(df.residual(fit_model(reflective, data)), 0)
})

test_that("a composite that is an outcome has no residual of its own", {
  observed <- c("rooms", "scores", "years", paste0("be", 1:4))
  data <- complete_choirs(observed)
  bp <- blueprint("Outcome") |> construct("Resources", composed_of = c(rooms, scores)) |>
    construct("Belonging", reflected_in = be1:be4) |>
    effect(Resources ~ years) |> effect(Belonging ~ Resources)
  spec <- rbind(oracle_factor_cells(list(Belonging = paste0("be", 1:4))),
                cells("B", "Resources", c("rooms", "scores", "years"), c(1, NA, NA)),
                cells("B", "Belonging", "Resources"), cells("Psi", observed[1:3], observed[1:3]),
                exogenous_pairs(observed[1:3]))
  expect_oracle(fit_model(bp, summary_data(cov(data), nrow(data))),
                oracle_model(observed, c("Resources", "Belonging"), spec), data)
})

test_that("feedback agrees with the oracle", {
  observed <- c("be1", "st1", "rooms", "years")
  data <- complete_choirs(observed)
  bp <- blueprint("Loop") |> effect(be1 ~ st1 + rooms) |> effect(st1 ~ be1 + years)
  spec <- rbind(cells("B", c("be1", "be1", "st1", "st1"), c("st1", "rooms", "be1", "years")),
                cells("Psi", observed, observed), cells("Psi", "rooms", "years"),
                intercepts(observed))
  fit <- fit_model(bp, data)
  expect_oracle(fit, oracle_model(observed, character(), spec, means = TRUE), data)
  expect_identical(feedback_variables(fit$layout), c("st1", "be1"))
  index <- sqrt(abs(coef(fit)[["effect[st1, be1]"]] * coef(fit)[["effect[be1, st1]"]]))
  expect_match(paste(format_feedback(fit), collapse = " "),
               text_pattern("feedback_among_stability_index", index = format_fixed(index),
                            index_2 = text_of("stability_settles")))
  expect_output(print(summary(fit)), text_pattern("feedback_among_stability_index"))
  expect_null(format_feedback(quiet_fit(blueprint("None") |> effect(be1 ~ years), choirs)))
})

test_that("single items with a fixed residual variance and causes agree with the oracle", {
  observed <- c(paste0("be", 1:4), "years", "age")
  data <- complete_choirs(observed)
  bp <- blueprint("Causes") |> construct("Belonging", reflected_in = be1:be4) |>
    construct("Experience", reflected_in = "years") |>
    restrict(variance[years] == 3) |> effect(Belonging ~ Experience + age)
  spec <- rbind(oracle_factor_cells(list(Belonging = paste0("be", 1:4))),
                cells("B", "years", "Experience", 1),
                cells("Psi", c("years", "Experience", "age", "Experience"),
                      c("years", "Experience", "age", "age"), c(3, NA, NA, NA)),
                cells("B", "Belonging", c("Experience", "age")))
  expect_oracle(fit_model(bp, summary_data(cov(data), nrow(data))),
                oracle_model(observed, c("Belonging", "Experience"), spec), data)
})

test_that("a growth model agrees with nlme", {
  skip_if_not_installed("nlme")
  set.seed(21)
  wide <- growth_cases(250)
  reference <- nlme_growth(y ~ time, one_row_an_occasion(wide))
  fit <- fit_model(growth_blueprint(), wide)
  expect_equal(fit_status(fit), "converged")
  expect_equal(as.numeric(logLik(fit)), as.numeric(logLik(reference)), tolerance = 1e-8)
  expect_equal(unname(coef(fit)[c("mean[Level]", "mean[Slope]")]), unname(nlme::fixef(reference)),
               tolerance = 1e-6)
  expect_equal(coef(fit)[["variance[w1]"]], reference$sigma^2, tolerance = 1e-4)
  expect_equal(df.residual(fit), 14 - 6)
})

test_that("relax, start_at and leave_out do what they say", {
  bp <- blueprint("B") |> construct("B", reflected_in = be1:be4) |> covary(be1, be2) |>
    restrict(variance[be4] == 100)
  expect_message(free <- bp |> relax(variance[be4]), "Overridden", class = "orizzonte_message")
  expect_length(free$restrict, 0)
  expect_length(free$relax, 0)
  moved <- build_layout(blueprint("B") |> construct("B", reflected_in = be1:be4) |>
                        relax(loading[B, be1]), means = FALSE)
  expect_identical(moved$rows$parameter[moved$rows$status == "fixed"], "loading[B, be2]")
  expect_message(blueprint("B") |> construct("B", reflected_in = be1:be4) |> relax(mean[B]) |>
                 restrict(mean[B] == 1), text_pattern("no_longer_relaxed", parameter = "mean[B]"))
  fit <- quiet_fit(bp, choirs)
  started <- quiet_fit(bp |> start_at(loading[B, be2], 2) |> start_at(variance[be1], 10), choirs)
  expect_equal(coef(started), coef(fit), tolerance = 1e-6)
  expect_false(isTRUE(all.equal(history_of(started)$chisq[1], history_of(fit)$chisq[1])))
  expect_error(quiet_fit(bp |> start_at(variance[be4], 10), choirs),
               text_pattern("starting_value_has_nothing"),
               class = "orizzonte_error_restriction")
  expect_error(bp |> start_at(variance[be1], "a"), class = "orizzonte_error_input")
  expect_error(bp |> start_at(variance[be1]), text_pattern("start_needs_address_number"),
               class = "orizzonte_error_input")
  expect_error(bp |> leave_out(), text_pattern("leave_out_needs_name"),
               class = "orizzonte_error_input")
  expect_error(bp |> relax(be1), class = "orizzonte_error_address")
  expect_message(shorter <- bp |> leave_out(be4), "variance\\[be4\\] == 100")
  expect_identical(shorter$constructs$B$items, paste0("be", 1:3))
  expect_length((bp |> leave_out(be1))$covary$first, 0)
  expect_error(bp |> leave_out(bee1), text_pattern("did_you_mean", near = "\"be1\""),
               class = "orizzonte_error_name")
  expect_error(bp |> leave_out(be1, be2, be3, be4),
               text_pattern("without_nothing_measures", name = "B"),
               class = "orizzonte_error_input")
  kept <- bp |> construct("R", composed_of = c(rooms, coach)) |> relax(mean[B]) |>
    start_at(loading[B, be2], 0.1)
  file <- tempfile(fileext = ".yaml")
  write_blueprint(kept, file)
  expect_identical(read_blueprint(file), kept)
})

test_that("composites are checked as they are stated", {
  bp <- blueprint("R") |> construct("R", composed_of = c(rooms, coach))
  expect_error(bp |> construct("S", reflected_in = a, composed_of = b),
               text_pattern("construct_cannot_be_both"), class = "orizzonte_error_input")
  expect_error(bp |> effect(R ~ rooms), text_pattern("same_relation_is_declared_twice_is"),
               class = "orizzonte_error_duplicate")
  expect_error(blueprint("R") |> effect(R ~ rooms) |> construct("R", composed_of = c(rooms, coach)),
               text_pattern("same_relation_is_declared"), class = "orizzonte_error_duplicate")
  expect_error(bp |> construct("S", composed_of = c(x, y), scale = "unit"),
               text_pattern("composite_takes_scale_from"),
               class = "orizzonte_error_input")
  expect_error(build_layout(bp |> covary(R, years), FALSE),
               text_pattern("does_not_exist_composite"),
               class = "orizzonte_error_restriction")
  expect_error(quiet_fit(bp, choirs), "composite", class = "orizzonte_error_identification")
})

test_that("a latent basis is found from no starting values, however the units are", {
  basis <- c(0, 1, 2, 3, 3.5)
  growth <- latent_basis_growth()
  bp <- growth$blueprint
  model <- growth$model
  w <- model$observed
  truth <- stats::setNames(c(2, 3, 3.5, 1, 0.2, 0.05, 0.5, 5, 0.6), model$labels)
  for (seed in 1:40) {
    set.seed(seed)
    f <- matrix(rnorm(2000), 1000) %*% chol(matrix(c(1, 0.05, 0.05, 0.2), 2))
    x <- (5 + f[, 1]) %o% rep(1, 5) + (0.6 + f[, 2]) %o% basis + sqrt(0.5) * rnorm(5000)
    data <- stats::setNames(as.data.frame(10^(seed %% 5 - 2) * x), w)
    fit <- suppressMessages(fit_model(bp, data))
    expect_true(has_converged(fit))
    reference <- ml_from(ml_problem(model, sample_of(as.data.frame(x))), truth)
    expect_equal(deviance(fit), reference$chisq, tolerance = 1e-6)
  }
})

test_that("signs that only an equation cares for are all tried", {
  # the mirror image of a construct satisfies the equation nowhere near its other optimum
  set.seed(4)
  n <- 5000
  fa <- rnorm(n)
  fb <- -0.5 * fa + rnorm(n, 0, 0.8)
  fc <- (0.2 + 0.3^2) * fa + 0.3 * fb + rnorm(n, 0, 0.8)
  made <- function(f, sign) {
    sapply(c(0.8, 0.7, 0.75), function(l) sign * l * f + rnorm(n, 0, 0.5))
  }
  for (sign in c(1, -1)) {
    data <- as.data.frame(cbind(made(fa, sign), made(fb, 1), made(fc, 1)))
    names(data) <- c(paste0("a", 1:3), paste0("b", 1:3), paste0("c", 1:3))
    bp <- blueprint("Signs", scale = "unit") |> construct("A", reflected_in = a1:a3) |>
      construct("B", reflected_in = b1:b3) |> construct("C", reflected_in = c1:c3) |>
      effect(B ~ A, C ~ A + B) |> restrict(effect[A, C] == 0.2 + effect[B, C]^2)
    free <- fit_model(relax(bp, effect[A, C]), data)
    fit <- fit_model(bp, data)
    expect_lt(deviance(fit) - deviance(free), 60)
  }
})

test_that("the best optimum is reached whatever the order of items, constructs and groups", {
  models <- random_models()
  # bifactor models under strong misfit; groups with held parameters; bounds and equations
  for (seed in c(22, 54, 310, 374, 662, 15, 47, 12, 93)) {
    case <- models$random_case(seed)
    reference <- ml_best(ml_problem(case$model, case$moments), list(case$truth))
    reached <- vapply(1:4, function(order) {
      again <- models$in_another_order(case, order, markers = case$family == "bifactor")
      fit <- suppressWarnings(suppressMessages(fit_model(again$blueprint, again$data)))
      if (orizzonte:::has_converged(fit)) deviance(fit) else Inf
    }, 0)
    if (!is.null(reference$chisq)) expect_true(all(reached <= reference$chisq * (1 + 1e-7) + 1e-4))
    expect_equal(reached, rep(min(reached), 4), tolerance = 1e-8)
  }
})

test_that("feedback with equal loadings is fitted or refused by class, on every scale", {
  set.seed(12)
  statuses <- character()
  for (case in 1:12) {
    n <- c(60, 300, 5000)[1 + case %% 3]
    data <- as.data.frame(matrix(rnorm(9 * n), n) %*% matrix(rnorm(81), 9))
    names(data) <- c(paste0("a", 1:3), paste0("b", 1:3), paste0("c", 1:3))
    scale <- c("average", "unit", "marker")[1 + case %/% 3 %% 3]
    bp <- blueprint("Feedback", scale = scale) |> construct("A", reflected_in = a1:a3) |>
      construct("B", reflected_in = b1:b3) |> construct("C", reflected_in = c1:c3) |>
      effect(B ~ A + C, C ~ B) |>
      restrict(loading[B, b2] == loading[B, b3], loading[A, a2] == loading[A, a3])
    fit <- tryCatch(suppressWarnings(fit_model(bp, data)), orizzonte_error = identity)
    fitted <- inherits(fit, "orizzonte_fit")
    statuses[case] <- if (fitted) orizzonte:::solution_state(fit)$status else class(fit)[1]
    expect_true(statuses[case] %in% c("proper", "improper", "weak", "not converged",
                                      "orizzonte_error_identification"))
  }
  expect_gt(length(unique(statuses)), 1L)
})
