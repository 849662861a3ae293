# R values as plain data: restored identically, and refused when they are anything else.

back <- function(x) from_plain(read_json_text(plain_json(plain_node(x))))

test_that("every kind of value comes back identical", {
  values <- list(
    NULL, 1:3, c(a = 1, b = NA), c(NaN, NA, Inf, -Inf, 0, -0, .1, 1e-310, 5e-324,
                                   .Machine$double.xmax),
    "a", c("\u00e9\u4e2d", "\n\t\"\\ {stop(1)}", NA, "", "NA"), TRUE, c(NA, TRUE), NA,
    NA_character_, c(.Machine$integer.max, NA), factor(c("b", "a", NA)),
    ordered(c("x", "y")),
    data.frame(a = 1:2, b = c("x", NA)), data.frame(), matrix(c(pi, NA), 1),
    array(1:8, c(2, 2, 2)), list(), list(a = NULL, b = list(1, "x")), integer(), numeric(),
   character(),
    criteria())
  for (x in values) expect_identical(back(x), x)
})

test_that("random numbers of any size keep every bit", {
  set.seed(5)
  for (k in 1:20) {
    x <- sample(c(-1, 1), 5000, TRUE) * exp(stats::runif(5000, -740, 709))
    x[sample(5000, 50)] <- sample(c(NA, NaN, Inf, -Inf), 50, TRUE)
    expect_identical(back(x), x)
  }
})

test_that("what is no plain data is refused on both ways", {
  refused <- function(code) expect_error(code, class = "orizzonte_error_plain")
  for (x in list(mean, globalenv(), quote(x), y ~ x, list(function(x) x), expression(a),
                 structure(1, class = "strange"), as.raw(1), 1i))
    refused(plain_node(x))
  texts <- c("", "[", "3", "{}", "{\"type\": \"closure\", \"values\": []}",
             "{\"type\": \"double\"}",
             "{\"type\": \"double\", \"values\": [1]}",
   "{\"type\": \"double\", \"values\": [\"1+1\"]}",
             "{\"type\": \"double\", \"values\": [\"system('x')\"]}",
             "{\"type\": \"integer\", \"values\": [\"99999999999\"]}",
             "{\"type\": \"logical\", \"values\": [\"T\"]}",
             "{\"type\": \"list\", \"values\": [{\"type\": \"x\"}]}",
             paste0("{\"type\": \"double\", \"values\": [\"1\"], ",
                    "\"attributes\": [{\"name\": \"class\", ",
                    "\"value\": {\"type\": \"character\", \"values\": [\"orizzonte_fit\"]}}]}"),
             paste0("{\"type\": \"double\", \"values\": [\"1\"], ",
                    "\"attributes\": [{\"name\": \"dim\", ",
                    "\"value\": {\"type\": \"integer\", \"values\": [\"7\"]}}]}"),
             "http://localhost:1/x.json", tempdir(), extdata("choirs.yaml"), "{} {}", "NaN",
             strrep("[", 1e6), strrep("{\"a\":", 1e5))
  for (text in texts) refused(from_plain(read_json_text(text)))
  deep <- "{\"type\": \"null\"}"
  for (k in 1:60) deep <- paste0("{\"type\": \"list\", \"values\": [", deep, "]}")
  refused(from_plain(read_json_text(deep)))
})

test_that("results of long jobs come back as they were, but for the fit", {
  bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
  fit <- quiet_fit(bp, choirs[1:150, ])
  quietly <- function(x) suppressMessages(suppressWarnings(x))
  boot <- quietly(bootstrap_fit(fit, 25, list(estimates = estimates, fit = fit_indices), seed = 1,
                                interval = "bca"))
  kept <- from_plain(read_json_text(plain_json(to_plain(boot))))
  expect_null(kept$fit)
  kept$fit <- boot$fit
  expect_identical(kept[names(boot)], unclass(boot)[names(boot)])
  expect_true(is_whole_result(kept))
  kept$values <- kept$values[-1, ]
  expect_false(is_whole_result(kept))
  robust <- quietly(robustness(quiet_fit(bp |> effect(st1 ~ Calm), choirs[1:150, ]),
                               claims = c(H1 = "effect[Calm, st1] > 0")))
  for (x in list(bootstrap_test(fit, reps = 20, seed = 1), quietly(model_cutoffs(fit, 20,
                                                                                 seed = 1)),
                 quietly(plan_study(bp, 60, c("loading[ , ]" = .7), reps = 20, seed = 1)), robust))
    expect_identical(back(x), x)
})
