# Which optimum is found: the caller's starting values and the search of misfitting models, against
# plain random starts of an optimiser of R.

cell <- function(matrix, row, col, value = NA_real_, label = "", group = 1L) {
  data.frame(matrix = matrix, row = row, col = col, value = value, label = label, group = group)
}

# Optima from `tries` random points: discrepancies times n, and the parameters of the lowest.
random_optima <- function(model, moments, tries, spread) {
  problem <- ml_problem(model, moments)
  label <- ifelse(nzchar(model$cells$label), model$cells$label,
                  paste0("cell", seq_len(nrow(model$cells))))
  free <- model$cells[match(model$labels, label), ]
  variance <- free$matrix == "Psi" & free$row == free$col
  found <- lapply(seq_len(tries), function(i) {
    start <- ifelse(variance, stats::runif(nrow(free), 0.1, 1.5),
                    ifelse(free$matrix == "alpha", stats::runif(nrow(free), 0, 30),
                           stats::rnorm(nrow(free), 0, spread)))
    if (!is.finite(problem$value(start))) return(NULL)
    out <- stats::nlminb(start, problem$value, problem$gradient,
                         control = list(iter.max = 1000, eval.max = 1400, rel.tol = 1e-12))
    if (max(abs(problem$gradient(out$par))) < 1e-4) out
  })
  found <- Filter(Negate(is.null), found)
  chisq <- vapply(found, `[[`, 0, "objective") * problem$n
  best <- found[[which.min(chisq)]]$par
  list(chisq = chisq, best = best, proper = all(best[variance] > 0), free = free)
}

# Correlated noise, in which no model holds.
noise <- function(seed, names, n) {
  set.seed(seed)
  s <- stats::cov(matrix(stats::rnorm(40 * length(names)), 40) %*%
                    chol(diag(length(names)) * 0.6 + 0.4))
  s <- round(s, 2)
  dimnames(s) <- list(names, names)
  list(data = summary_data(cov = s, n = n), moments = list(list(n = n, covariance = s * (n - 1) / n,
                                                                mean = NULL)))
}

composite_items <- c("sc1", "sc2", "sc3", "be1", "be2", "be3", "years", "lessons")
composite_cells <- function() {
  made <- c("Calm", "Belonging")
  rbind(cell("B", composite_items[1:3], "Calm", c(1, NA, NA)),
        cell("B", composite_items[4:6], "Belonging", c(1, NA, NA)),
        cell("B", "Practice", composite_items[7:8], c(1, NA), c("", "weight")),
        cell("B", c("Calm", "Belonging", "Belonging"), c("Practice", "Practice", "Calm"),
             label = c("to_calm", "direct", "onward")),
        cell("Psi", composite_items, composite_items), cell("Psi", made, made),
        cell("Psi", "years", "lessons"))
}
composite_blueprint <- function() {
  blueprint("Composite") |> construct("Calm", reflected_in = c(sc1, sc2, sc3)) |>
    construct("Belonging", reflected_in = c(be1, be2, be3)) |>
    construct("Practice", composed_of = c(years, lessons)) |>
    effect(Calm ~ Practice) |> effect(Belonging ~ Practice + Calm)
}
address_of_cell <- function(cell) {
  observed <- cell$col %in% composite_items
  kind <- if (cell$matrix == "Psi") if (cell$row == cell$col) "variance" else "covariance" else
    if (observed) "weight" else if (cell$row %in% composite_items) "loading" else "effect"
  if (kind == "variance") paste0("variance[", cell$row, "]")
  else paste0(kind, "[", cell$col, ", ", cell$row, "]")
}
starting_at <- function(bp, found) {
  for (k in seq_along(found$best)) {
    address <- str2lang(address_of_cell(found$free[k, ]))
    bp <- eval(call("start_at", bp, address, found$best[[k]]))
  }
  bp
}

test_that("the lowest optimum of models with nonlinear equations is found, or given as a start", {
  # the optimum without the equation leads away from the lowest one with it
  cases <- list(
    list(seed = 16, equation = list(direct = quote(0.1 + onward^2)),
         held = quote(effect[Practice, Belonging] == 0.1 + effect[Calm, Belonging]^2)),
    list(seed = 7, equation = list(direct = quote(to_calm * weight)),
         held = quote(effect[Practice, Belonging] ==
                        effect[Practice, Calm] * weight[lessons, Practice])))
  for (case in cases) {
    made <- noise(case$seed, composite_items, 200)
    model <- ml_model(composite_items, c("Calm", "Belonging", "Practice"), composite_cells(),
                      equations = case$equation)
    set.seed(1)
    found <- random_optima(model, made$moments, 12, 1)
    bp <- eval(call("restrict", composite_blueprint(), case$held))
    searched <- suppressWarnings(quiet_fit(bp, made$data))
    expect_lt(deviance(searched), min(found$chisq) + 1e-4)
    given <- suppressWarnings(quiet_fit(starting_at(bp, found), made$data))
    expect_lt(deviance(given), min(found$chisq) + 1e-4)
    if (case$seed == 16) expect_true(found$proper)
  }
})


test_that("a misfitting growth model reaches the optimum that random starts find", {
  growth <- latent_basis_growth()
  w <- growth$model$observed
  s <- matrix(0, 5, 5, dimnames = list(w, w))
  s[lower.tri(s, TRUE)] <- c(1.42, -0.277, 0.357, -0.432, -0.127, 1.83, -1.86, 0.564, 0.412, 2.07,
                             -0.461, -0.706, 2.38, -1.87, 4.63)
  s <- s + t(s) - diag(diag(s))
  means <- stats::setNames(c(25, 27.4, 26.6, 25.9, 27.9), w)
  n <- 637
  set.seed(2)
  found <- random_optima(growth$model, list(list(n = n, covariance = s * (n - 1) / n,
                                                 mean = means)), 40, 0.7)
  fit <- suppressWarnings(quiet_fit(growth$blueprint,
                                    summary_data(cov = s, means = means, n = n)))
  expect_lt(deviance(fit), min(found$chisq) + 1e-4)
  # there is more than one optimum, and the lowest one is improper
  expect_gt(max(found$chisq), min(found$chisq) + 100)
  expect_lt(coef(fit)[["variance[Slope]"]], 0)
})

test_that("where most groups are sound, few starts find the optimum that many starts find", {
  items <- c(paste0("x", 1:4), paste0("y", 1:4))
  group <- function(g, sound) {
    a <- stats::rnorm(120)
    b <- 0.4 * a + stats::rnorm(120)
    x <- cbind(outer(a, rep(0.8, 4)), outer(b, rep(0.8, 4))) * sound +
      matrix(stats::rnorm(120 * 8), 120)
    cbind(stats::setNames(as.data.frame(x), items), g = g)
  }
  bp <- blueprint("Few of many") |> construct("X", reflected_in = x1:x4) |>
    construct("Y", reflected_in = y1:y4) |> hold_equal(loading)
  searched <- 0L
  for (seed in 1:4) {
    set.seed(seed)
    data <- do.call(rbind, lapply(1:5, function(g) group(letters[g], sound = g > 2)))
    fit <- suppressMessages(suppressWarnings(fit_model(bp, data, by = g)))
    expect_equal(fit$solution$status, 0L)
    many <- core_fit(fit$layout$model, core_moments(fit), numeric(), 30L, FALSE, TRUE)
    expect_lte(fit$solution$discrepancy, many$discrepancy + 1e-8)
    searched <- searched + (nrow(improper_parts(fit)) > 0L)
  }
  # the rule was needed
  expect_gt(searched, 0L)
})
