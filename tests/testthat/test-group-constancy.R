# Constancy along a variable: values of independent code on seeded data, invariance to the scale,
# boundaries of the rules, and what is refused.

one <- blueprint("F") |> construct("F", reflected_in = x1:x6)
d <- drifting_items(500, 9001, 1, 0.4, intercept = 0.5)
fit <- quiet_fit(one, d)
both <- c("loadings", "intercepts")

test_that("statistics and p values agree with independent code", {
  found <- constancy(fit, v, both, data = d)
  whole <- found[is.na(found$parameter), ]
  expect_equal(whole$statistic, c(0.951918, 2.62818), tolerance = 1e-5)
  expect_equal(whole$p, c(0.29961, 4.185e-4), tolerance = 1e-3)
  expect_equal(whole$max_lm, c(10.2166, 27.5773), tolerance = 1e-5)
  expect_equal(whole$p_max_lm, c(0.654, 0.002002), tolerance = 1e-3)
  each <- found$p[found$block == "intercepts"][-1]
  expect_equal(each, c(5.974e-6, 0.01894, 0.9477, 0.4407, 0.1083, 0.3079), tolerance = 1e-3)
  expect_identical(found$parameter[found$verdict == "changes" & !is.na(found$parameter)],
                   "intercept[x1]")
  expect_identical(found$step[found$parameter %in% "intercept[x1]"], 1L)
  expect_gt(found$difference[found$parameter %in% "intercept[x1]"], 0.2)
  expect_true(all(found$verdict[found$block == "loadings"] == "no_change"))
})

test_that("the scale of the constructs does not matter", {
  found <- constancy(fit, v, both, data = d)
  for (scale in c("unit", "average")) {
    other <- quiet_fit(set_scale(one, scale), d)
    again <- constancy(other, v, both, data = d)
    expect_equal(again$p, found$p, tolerance = 1e-5)
  }
})

test_that("the variable may be a name, a column or a vector, and rows without it are left out", {
  found <- constancy(fit, v, "intercepts", data = d)
  expect_equal(constancy(fit, "v", "intercepts", data = d)$p, found$p)
  expect_equal(constancy(fit, d$v, "intercepts")$p, found$p)
  name <- "v"
  expect_equal(constancy(fit, paste0(name), "intercepts", data = d)$p, found$p)
  holes <- d
  holes$v[1:20] <- NA
  less <- constancy(fit, v, "intercepts", data = holes)
  expect_length(attr(less, "missing"), 20)
  direct <- constancy(quiet_fit(one, d[-(1:20), ]), d$v[-(1:20)], "intercepts")
  expect_equal(less$p, direct$p, tolerance = 1e-6)
  expect_output(print(less), "20 cases without a value of v are left out", fixed = TRUE)
})

test_that("categories, ordered ones, clusters and bins have their own tests", {
  d$part <- cut(d$v, 4)
  unordered <- constancy(fit, part, both, data = d)
  expect_identical(attr(unordered, "kind"), "unordered")
  expect_true(all(is.na(unordered$difference)))
  d$ordered <- factor(d$part, ordered = TRUE)
  expect_lt(constancy(fit, ordered, "intercepts", data = d)$p[1], 0.05)
  expect_identical(attr(constancy(fit, as.integer(d$part), "loadings"), "kind"),
                   "ordered")
  # clusters with the variable constant within them, and with it varying
  set.seed(4)
  d$place <- rep(1:50, each = 10)
  clustered <- quiet_fit(one, d, clusters = place)
  constant <- ave(d$v, d$place)
  expect_identical(attr(constancy(clustered, constant, "intercepts"), "method"), "cluster_sums")
  inside <- constancy(clustered, d$v[sample.int(500)], "intercepts")
  expect_identical(attr(inside, "method"), "multipliers")
  expect_gt(inside$p[1], 0.01)
  bins <- constancy(fit, v, "intercepts", data = d, within = 4)
  expect_identical(attr(bins, "method"), "bins")
  expect_lt(bins$p[1], 0.02)
  expect_error(constancy(fit, part, data = d, within = 4), class = "orizzonte_error_input")
})

test_that("a strong change of the construct asks for bins", {
  strong <- drifting_items(500, 11, 3, 0.4)
  found <- constancy(quiet_fit(one, strong), v, "loadings", data = strong)
  expect_output(print(found), "This change is strong", fixed = TRUE)
  expect_false(rule_strong_change(0.99, 1))
  expect_true(rule_strong_change(1.01, 1))
  expect_false(rule_strong_change(0, 2))
  expect_true(rule_strong_change(0, 2.01))
  expect_true(rule_strong_change(0, 0.49))
})

test_that("verdicts change at their boundaries", {
  expect_identical(rule_constancy(c(0.049, 0.05, 0.051, NA), 0.05),
                   c("changes", "changes", "no_change", "not_tested"))
  expect_identical(rule_constancy(c(0.01, 0.02, 0.2), 0.05, c(1L, NA, NA)),
                   c("changes", "follows_others", "no_change"))
  expect_false(rule_enough_cases(99, 1))
  expect_true(rule_enough_cases(100, 1))
  expect_false(rule_enough_cases(199, 10))
  expect_true(rule_enough_cases(200, 10))
  expect_false(rule_enough_cases(500, 1, rep(1:29, length.out = 500)))
  expect_true(rule_enough_cases(500, 1, rep(1:30, length.out = 500)))
  expect_false(rule_enough_cases(500, 7, rep(1:34, length.out = 500)))
  expect_true(rule_enough_cases(500, 7, rep(1:35, length.out = 500)))
  few <- constancy(quiet_fit(one, d[1:90, ]), d$v[1:90])
  expect_true(all(is.na(few$p)) && all(few$verdict == "not_tested"))
  expect_output(print(few), "too few cases", fixed = TRUE)
})

test_that("the moments of curves are those of weighted local regression", {
  x <- as.matrix(d[1:6])
  own <- local_moments(x, d$v, 0.5, 0.1)
  w <- dnorm((d$v - 0.5) / 0.1) / dnorm(0)
  w[abs(d$v - 0.5) > 0.35] <- 0
  lines <- lm(x ~ I(d$v - 0.5), weights = w)
  expect_equal(unname(own$mean), unname(coef(lines)[1, ]), tolerance = 1e-8)
  used <- w > 0
  e <- residuals(lines)[used, ]
  expect_equal(unname(own$covariance), unname(crossprod(e, w[used] * e) / sum(w)), tolerance = 1e-8)
})

test_that("curves agree with independent code, and bands contain them", {
  curves <- attr(constancy(fit, v, both, data = d, reps = 40), "curves")
  at <- function(name) curves$value[curves$parameter == name][c(1, 6, 11)]
  expect_equal(at("loading[F, x1]"), c(1.166, 1.045, 1.193), tolerance = 1e-3)
  expect_equal(at("intercept[x1]"), c(-0.190, -0.001, 0.119), tolerance = 2e-2)
  expect_equal(at("mean[F]"), c(-0.258, 0.042, 0.311), tolerance = 1e-2)
  expect_equal(curves$n[curves$parameter == "mean[F]"][c(1, 6, 11)], c(130.4, 205.8, 142.4),
               tolerance = 1e-3)
  expect_true(all(curves$lower < curves$value & curves$value < curves$upper))
  expect_true(all(curves$lower_all <= curves$lower + 1e-9))
  # averages of the scale
  first <- curves[curves$at == curves$at[1], ]
  expect_equal(mean(first$value[first$kind == "loading"]), 1, tolerance = 1e-6)
  expect_equal(mean(first$value[first$kind == "intercept"]), 0, tolerance = 1e-6)
  holes <- transform(d, x1 = replace(x1, 1:9, NA))
  expect_null(attr(constancy(quiet_fit(one, holes), v, data = holes), "curves"))
})

test_that("figures show processes and curves", {
  found <- constancy(fit, v, both, data = d)
  expect_s3_class(plot(found), "ggplot")
  built <- ggplot2::ggplot_build(plot(found, show = "curves"))
  expect_length(unique(built$layout$layout$PANEL), 14)
  expect_error(plot(found, show = "nothing"), class = "orizzonte_error_input")
  bins <- constancy(fit, v, data = d, within = 3)
  expect_error(plot(bins), class = "orizzonte_error_input")
})

test_that("what cannot be tested is refused", {
  expect_error(constancy(fit, w, data = d), class = "orizzonte_error_name")
  expect_error(constancy(fit, v), class = "orizzonte_error_name")
  expect_error(constancy(fit, v, data = d[1:400, ]), class = "orizzonte_error_input")
  expect_error(constancy(fit, d$v[1:10]), class = "orizzonte_error_input")
  expect_error(constancy(fit, rep(1, 500)), class = "orizzonte_error_input")
  expect_error(constancy(fit, replace(d$v, 3, Inf)), "row 3", class = "orizzonte_error_input")
  expect_error(constancy(fit, v, "loading", data = d), "\"loadings\"", fixed = TRUE)
  expect_error(constancy(fit, v, "effects", data = d), class = "orizzonte_error_input")
  expect_error(constancy(fit, v, c("loadings", "loading[F, x1]"), data = d),
               class = "orizzonte_error_input")
  expect_error(constancy(fit, v, "loading[F, x9]", data = d), class = "orizzonte_error")
  groups <- quiet_fit(one, transform(d, g = rep(1:2, 250)), by = g)
  expect_error(constancy(groups, d$v), class = "orizzonte_error_input")
  moments <- quiet_fit(one, summary_data(cov(d[1:6]), n = 500))
  expect_error(constancy(moments, d$v), class = "orizzonte_error_data")
  some <- constancy(fit, v, "loading[F, ]", data = d)
  expect_equal(some$p[1], constancy(fit, v, data = d)$p[1])
})

test_that("structural models, missing values and auxiliary variables work", {
  bp <- blueprint("s") |> construct("Calm", reflected_in = sc1:sc4) |>
    construct("Staying", reflected_in = st1:st3) |> effect(Staying ~ Calm + years)
  s <- quiet_fit(bp, choirs, auxiliary = rooms)
  found <- constancy(s, age, c("effects", "residual variances"), data = choirs)
  expect_identical(found$parameter[2:3], c("effect[Calm, Staying]", "effect[years, Staying]"))
  expect_true(all(found$p > 0 & found$p <= 1))
  expect_false(anyNA(found$difference[!is.na(found$parameter)]))
})
