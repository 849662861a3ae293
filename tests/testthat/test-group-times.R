# Several times: equalities over time, ladders, releases, changes of means and non-invariance,
# against hand-made oracles.
items <- c(paste0("ca", 1:4, "_t1"), paste0("ca", 1:4, "_t2"))
calm <- blueprint("Calm over two concerts") |>
  repeated("Calm", times = list(Calm_first = ca1_t1:ca4_t1, Calm_second = ca1_t2:ca4_t2))
data <- choirs_concerts[stats::complete.cases(choirs_concerts), ]
ladder <- suppressMessages(invariance(calm, data, structural = c("variance[constructs]", "mean")))

# The cells of one construct at two times by hand: equal as the rung requires, first variance 1,
# first mean 0.
time_cells <- function(rung) {
  at <- match(rung, c("configural", "metric", "scalar", "strict"))
  row <- function(matrix, row, col, value = NA, label = "") {
    data.frame(matrix = matrix, row = row, col = col, value = value, label = label, group = 1L)
  }
  out <- list()
  for (k in 1:4) for (t in 1:2) {
    item <- paste0("ca", k, "_t", t)
    own <- function(step, name) {
      if (at >= step) paste0(name, k) else paste0(name, k, "t", t)
    }
    out <- c(out, list(row("B", item, c("Calm_first", "Calm_second")[t], label = own(2, "l")),
                       row("alpha", item, item, label = own(3, "i")),
                       row("Psi", item, item, label = own(4, "r"))))
  }
  for (k in 1:4) {
    pair <- paste0("ca", k, c("_t1", "_t2"))
    out <- c(out, list(row("Psi", pair[1], pair[2], label = paste0("p", k))))
  }
  do.call(rbind, c(out, list(
    row("Psi", "Calm_first", "Calm_first", 1),
    row("Psi", "Calm_first", "Calm_second", label = "c"),
    row("Psi", "Calm_second", "Calm_second", if (at >= 2) NA else 1, label = "v"),
    row("alpha", "Calm_first", "Calm_first", 0),
    row("alpha", "Calm_second", "Calm_second", if (at >= 3) NA else 0, label = "m"))))
}

test_that("rungs over times agree with a model written out cell by cell", {
  sample <- sample_of(data[items])
  start <- c(l = 14, i = 50, r = 150, p = 10, c = 0.6, v = 1, m = 0.3)
  for (rung in c("configural", "metric", "scalar", "strict")) {
    model <- ml_model(items, c("Calm_first", "Calm_second"), time_cells(rung), means = TRUE)
    fit <- ladder$fits[[rung]]
    oracle <- ml_from(ml_problem(model, sample), unname(start[substr(model$labels, 1, 1)]))
    expect_lt(abs(deviance(fit) - oracle$chisq), 1e-5)
    expect_equal(df.residual(fit), 44 - length(model$labels))
    if (rung == "scalar") expect_brute_force(fit)
  }
  expect_equal(ladder$table$df[1:4], c(15, 18, 21, 25))
})

test_that("degrees of freedom are those of the counting formulas", {
  count <- function(k, times) {
    names <- lapply(seq_len(times), function(t) paste0("x", seq_len(k), "_", t))
    names(names) <- paste0("T", seq_len(times))
    bp <- blueprint("Counted") |> repeated("F", times = names)
    p <- k * times
    sigma <- 0.5 + diag(0.5, p)
    dimnames(sigma) <- list(unlist(names), unlist(names))
    summed <- summary_data(sigma, 500, means = stats::setNames(seq_len(p) / 10, unlist(names)),
                           sd = rep(1, p))
    suppressWarnings(suppressMessages(invariance(bp, summed)))$table$df
  }
  formula <- function(k, t) {
    base <- k * t * (k * t + 3) / 2 - (3 * k * t + t * (t - 1) / 2 + k * t * (t - 1) / 2)
    base + c(0, (k - 1) * (t - 1), 2 * (k - 1) * (t - 1),
             2 * (k - 1) * (t - 1) + k * (t - 1))
  }
  expect_equal(count(4, 2), formula(4, 2))
  expect_equal(count(3, 2), c(5, 7, 9, 12))
  expect_equal(count(4, 3), c(39, 45, 51, 59))
  two <- blueprint("Two") |>
    repeated("F", times = list(T1 = c(ca1_t1, ca2_t1), T2 = c(ca1_t2, ca2_t2)))
  strict <- two |> hold_equal(loading, intercept, variance[items], across = "times")
  expect_equal(df.residual(quiet_fit(strict, data)), 3)
  expect_error(quiet_fit(two, data), class = "orizzonte_error_identification")
})

test_that("scales agree, and what was not asked at a time carries nothing", {
  held <- calm |> hold_equal(loading, intercept, across = "times")
  for (scale in c("marker", "unit", "average"))
    expect_equal(deviance(quiet_fit(set_scale(held, scale), data)), deviance(ladder$fits$scalar),
                 tolerance = 1e-7)
  part <- blueprint("Part") |>
    repeated("Calm", times = list(Calm_first = c(ca1_t1, ca2_t1, ca3_t1, ca4_t1),
                                  Calm_second = c(NA, ca2_t2, ca3_t2, ca4_t2)))
  for (scale in c("marker", "unit", "average")) {
    fit <- quiet_fit(set_scale(part, scale) |> hold_equal(loading, intercept, across = "times"),
                     data)
    # 35 moments; 4 loadings less the unit, 4 intercepts, 7 residuals, 3 pairs, 2 + 1 (co)variances,
    # 1 mean
    expect_equal(df.residual(fit), 35 - (4 + 4 + 7 + 3 + 2 + 1 + 1 - 1))
    if (scale == "marker") chisq <- deviance(fit)
    expect_equal(deviance(fit), chisq, tolerance = 1e-7)
  }
})

test_that("ladders over groups and times hold both, one, or the other", {
  both <- suppressMessages(invariance(calm, data, by = "setting"))
  expect_equal(both$table$df, c(30, 39, 48, 64))
  three <- blueprint("Joy") |> hold_equal(loading, intercept) |>
    repeated("Joy", times = list(Joy_first = jo1_t1:jo3_t1, Joy_second = jo1_t2:jo3_t2)) |>
    hold_equal(loading, intercept, across = "times")
  expect_brute_force(quiet_fit(three, data, by = "setting"))
  groups <- suppressMessages(invariance(calm, data, by = "setting", over = "groups"))
  expect_equal(groups$table$df, c(30, 36, 42, 54))
  times <- suppressMessages(invariance(calm, data, by = "setting", over = "times"))
  expect_equal(times$table$df, 2 * c(15, 18, 21, 25))
  alone <- vapply(c("evening", "weekend"), function(g) {
    deviance(suppressMessages(invariance(calm, data[data$setting == g, ]))$fits$scalar)
  }, 0)
  expect_equal(deviance(times$fits$scalar), sum(alone), tolerance = 1e-7)
  # every construct has the orientation of its items
  for (fit in both$fits)
    expect_true(all(values_of(fit)[fit$layout$rows$kind == "loading"] > 0))
  expect_error(invariance(calm, data, over = "both"), "needs groups",
               class = "orizzonte_error_input")
  plain <- blueprint("Plain") |> construct("Calm", reflected_in = ca1_t1:ca4_t1)
  expect_error(invariance(plain, data, by = "setting", over = "times"), "repeated",
               class = "orizzonte_error_input")
  expect_error(invariance(plain, data), "needs groups", class = "orizzonte_error_input")
})

test_that("the planted item is released, and changes and gaps are what they are defined as", {
  expect_match(ladder$table$verdict[3], "fails|doubtful")
  loose <- loosen(ladder, "scalar")
  expect_equal(loose$released$parameter, "intercept[ca3_t2]")
  free <- quiet_fit(calm |> hold_equal(loading, intercept, across = "times") |>
                      let_differ(intercept[ca3_t2]) |> set_scale("unit"), data)
  expect_equal(deviance(loose$fit), deviance(free), tolerance = 1e-7)
  expect_equal(loose$released$estimate - loose$released$reference,
               unname(coef(free)["intercept[ca3_t2]"] - coef(free)["intercept[ca3_t1]"]),
               tolerance = 1e-4)
  change <- latent_means(loose$ladder)
  expect_equal(change$construct, "Calm_second - Calm_first")
  expect_equal(change$difference, unname(coef(free)["mean[Calm_second]"]), tolerance = 1e-5)
  expect_equal(change$se, sqrt(vcov(free)["mean[Calm_second]", "mean[Calm_second]"]),
               tolerance = 1e-4)
  pooled <- latent_means(loose$ladder, standardize = "pooled")
  expect_equal(pooled$standardized, change$difference /
                 sqrt((1 + coef(free)[["variance[Calm_second]"]]) / 2), tolerance = 1e-5)
  gaps <- noninvariance(loose)
  own <- gaps[gaps$item == "ca3_t2", ]
  # ca3 with loading and intercept free at the second concert, all others held
  alone <- quiet_fit(calm |> hold_equal(loading, intercept, across = "times") |>
                       let_differ(intercept[ca3_t2], loading[Calm_second, ca3_t2]) |>
                       set_scale("unit"), data)
  b <- coef(alone)
  slope <- b[["loading[Calm_second, ca3_t2]"]] - b[["loading[Calm_first, ca3_t1]"]]
  shift <- b[["intercept[ca3_t2]"]] - b[["intercept[ca3_t1]"]]
  expect_equal(c(own$loading_difference, own$intercept_difference), c(slope, shift),
               tolerance = 1e-4)
  expect_equal(own$difference, shift + slope * b[["mean[Calm_second]"]], tolerance = 1e-4)
  expect_equal(own$against, "ca3_t1")
  total <- attr(gaps, "totals")
  expect_equal(total$observed, sum(colMeans(data[items[5:8]]) - colMeans(data[items[1:4]])),
               tolerance = 1e-6)
  # a step that holds the means adds their change to the intercepts
  expect_equal(ladder$table$df_change[ladder$table$rung == "mean"], 1)
})

test_that("a baseline with equal means and variances over time is the closed form, in all rungs", {
  fit <- ladder$fits$scalar
  table <- fit_indices(fit, baseline = "equal over times")
  value <- stats::setNames(table$value, table$index)
  sample <- sample_of(data[items])[[1]]
  pooled <- vapply(1:4, function(k) {
    at <- c(k, k + 4)
    mean(diag(sample$covariance)[at] + (sample$mean[at] - mean(sample$mean[at]))^2)
  }, 0)
  chisq <- sample$n * (2 * sum(log(pooled)) - log(det(sample$covariance)))
  expect_equal(value[["chisq_baseline"]], chisq, tolerance = 1e-8)
  expect_equal(value[["df_baseline"]], 8 * 11 / 2 - 8)
  t <- deviance(fit)
  expect_equal(value[["cfi"]], 1 - (t - 21) / (chisq - 36), tolerance = 1e-8)
  incomplete <- quiet_fit(ladder$fits$scalar$request$blueprint, choirs_concerts)
  robust <- quiet_fit(ladder$fits$scalar$request$blueprint, data, inference = "robust")
  for (one in list(incomplete, robust)) {
    found <- fit_indices(one, baseline = "equal over times")
    expect_equal(found$value[found$index == "df_baseline"], 36)
    expect_gt(found$value[found$index == "cfi"], 0.9)
  }
  plain <- quiet_fit(blueprint("Plain") |> construct("Calm", reflected_in = ca1_t1:ca4_t1), data)
  expect_error(fit_indices(plain, baseline = "equal over times"), "several times",
               class = "orizzonte_error_input")
})

test_that("score tests of equalities over times foretell the release", {
  found <- amendments(ladder$fits$scalar, kinds = "equality across times", top = 3)
  expect_equal(found$kind[1], "equality across times")
  expect_equal(found$parameter[1], "intercept[ca3_t2]")
  amended <- suppressMessages(amend(ladder$fits$scalar, free = intercept[ca3_t2],
                                    because = "coached"))
  expect_equal(deviance(ladder$fits$scalar) - deviance(amended), found$actual_drop[1],
               tolerance = 1e-5)
  expect_true("intercept[ca3_t2]" %in% amended$request$blueprint$let_differ)
})

test_that("a repeated construct is kept in files, and goes with its items", {
  bp <- blueprint("Kept") |>
    construct("Joy", reflected_in = jo1_t1:jo3_t1) |>
    repeated("Calm", times = list(before = c(`1st`, ca2_t1, NA), after = c(ca1_t2, NA, ca3_t2)),
             scale = "unit") |>
    hold_equal(loading, across = "times") |> hold_equal(intercept) |>
    uncorrelate(`1st`, ca1_t2)
  file <- tempfile(fileext = ".yaml")
  write_blueprint(bp, file)
  expect_identical(read_blueprint(file), bp)
  plain <- blueprint("Plain") |> construct("Joy", reflected_in = jo1_t1:jo3_t1) |>
    repeated("Calm", times = list(before = c(ca1_t1, ca2_t1, NA),
                                  after = c(ca1_t2, ca2_t2, ca3_t2)))
  write_blueprint(plain, file)
  expect_false(any(grepl("reflected_in: .ca1_t1", readLines(file))))
  expect_identical(read_blueprint(file), plain)
  parameters <- function(bp) build_layout(bp, TRUE)$rows$parameter
  expect_true("covariance[ca1_t1, ca1_t2]" %in% parameters(calm))
  expect_false("covariance[ca1_t1, ca1_t2]" %in% parameters(uncorrelate(calm, ca1_t1, ca1_t2)))
  less <- leave_out(calm, ca1_t2)
  expect_equal(less$repeated$Calm$Calm_second, c(NA, paste0("ca", 2:4, "_t2")))
  expect_length(leave_out(calm, Calm_second)$repeated, 0)
  times <- list(Calm_first = items[1:4], Calm_second = items[5:8])
  expect_identical(repeated(blueprint("Calm over two concerts"), "Calm", times), calm)
  note <- capture.output(print(blueprint("No times") |>
    construct("Joy", reflected_in = jo1_t1:jo3_t1) |> hold_equal(loading, across = "times")))
  expect_match(note, text_pattern("no_times_nothing_is"), all = FALSE)
})

test_that("times that cannot be paired are refused with what to write", {
  bp <- blueprint("Wrong")
  bad <- function(...) expect_error(repeated(bp, "Calm", ...), class = "orizzonte_error")
  expect_match(conditionMessage(bad(times = list(a = c(x1, x2), b = c(y1)))),
               text_pattern("times_have_different_numbers"))
  bad(times = list(a = c(x1, x2)))
  bad(times = list(c(x1, x2), c(y1, y2)))
  bad(times = list(a = c(x1, x2), a = c(y1, y2)))
  bad(times = list(a = c(x1, x2), b = c(x1, y2)))
  bad(times = list(a = c(x1, x2), b = c(x2, x1)))
  bad(times = list(a = c(x1, x2), Calm = c(y1, y2)))
  bad(times = list(a = c(x1, x2), b = c(NA, NA)))
  bad(times = c(x1, x2))
  bad(times = 3)
  bad()
  bad(times = list(a = c(x1, x2), b = c(y1, y2)), scale = "item")
  expect_error(repeated(repeated(bp, "Calm", list(a = c(x1, x2), b = c(y1, y2))), "Calm",
                        list(c = c(x3, x4), d = c(y3, y4))), text_pattern("is_declared_twice"),
               class = "orizzonte_error_duplicate")
  expect_error(hold_equal(bp, loading, across = "time"), text_pattern("did_you_mean"),
               class = "orizzonte_error_input")
})

test_that("a parameter that differs at one time in all groups alike is released in one step", {
  bp <- blueprint("Calm") |>
    repeated("Calm", times = list(C1 = ca1_t1:ca4_t1, C2 = ca1_t2:ca4_t2))
  drawn <- function(second, other = second) {
    set.seed(2)
    n <- 600
    g <- rep(c("a", "b"), each = n / 2)
    f1 <- rnorm(n)
    f2 <- 0.6 * f1 + 0.8 * rnorm(n)
    first <- c(0.8, 0.7, 0.8, 0.7)
    x <- cbind(vapply(1:4, function(i) first[i] * f1 + 0.6 * rnorm(n), numeric(n)),
               vapply(1:4, function(i) {
                 ifelse(g == "a", second[i], other[i]) * f2 + 0.6 * rnorm(n)
               }, numeric(n)))
    colnames(x) <- c(paste0("ca", 1:4, "_t1"), paste0("ca", 1:4, "_t2"))
    data.frame(x, g)
  }
  alike <- drawn(c(0.8, 0.7, 0.4, 0.7))
  ladder <- suppressMessages(invariance(bp, alike, by = g))
  found <- suppressMessages(loosen(ladder, "metric", until = "p"))
  expect_identical(found$released$parameter[1:2], c("loading[C2, ca3_t2]", "intercept[ca3_t2]"))
  expect_equal(max(found$released$step), 1)
  expect_true(found$holds)
  # free over time, equal over groups: one parameter more
  expect_equal(df.residual(ladder$fits$metric) - df.residual(found$fit), 1)
  own <- estimates(found$fit)
  at <- grepl("loading[C2, ca3_t2", own$parameter, fixed = TRUE)
  expect_equal(diff(own$estimate[at]), 0)
  expect_gt(found$released$reference[1], found$released$estimate[1] + 0.15)
  # the later rungs keep it, and the model can be written to a file
  relaid <- found$ladder$fits$scalar$request$blueprint
  expect_identical(relaid$let_differ_times, c("loading[C2, ca3_t2]", "intercept[ca3_t2]"))
  file <- tempfile(fileext = ".yaml")
  write_blueprint(found$fit, file)
  back <- read_blueprint(file)
  expect_identical(back$let_differ_times, found$fit$request$blueprint$let_differ_times)
  expect_equal(deviance(quiet_fit(back, alike, by = g)), deviance(found$fit), tolerance = 1e-8)
  expect_output(print(back), "free to differ over times: loading[C2, ca3_t2]", fixed = TRUE)
  # by hand
  stated <- bp |> hold_equal(loading) |> hold_equal(loading, across = "times") |>
    let_differ(loading[C2, ca3_t2], across = "times")
  expect_equal(deviance(quiet_fit(stated, alike, by = g)), deviance(found$fit), tolerance = 1e-6)
  # in one group alone it is released there
  single <- drawn(c(0.8, 0.7, 0.8, 0.7), c(0.8, 0.7, 0.2, 0.7))
  other <- suppressMessages(loosen(suppressMessages(invariance(bp, single, by = g)), "metric",
                                   until = "p"))
  expect_identical(other$released$parameter[1], "loading[C2, ca3_t2 | b]")
})
