# Many refits against as many core fits, in one run on one core; and two workers against one.
# Usage: Rscript bench/many.R
suppressPackageStartupMessages(library(orizzonte))
ns <- asNamespace("orizzonte")
quietly <- function(code) suppressWarnings(suppressMessages(code))
seconds <- function(code) {
  gc(FALSE)
  system.time(code)[["elapsed"]]
}
median_of <- function(times, f) median(vapply(seq_len(times), function(k) f(), 0))

# 1,000 replicates in the core and 1,000 fits of the fit's own moments, from closed-form starts.
refits_against_fits <- function(fit) {
  source <- ns$case_source(fit)
  model <- fit$layout$model
  moments <- ns$core_moments(fit)
  theta <- ns$core_theta(fit)
  refits <- median_of(5, function() {
    seconds(ns$core_refit_many(model, moments, theta, source, 1, 1L, 1000L, 4L, FALSE))
  })
  fits <- median_of(5, function() {
    seconds(for (k in 1:1000) ns$core_fit(model, moments, numeric()))
  })
  c(refits = refits, fits = fits)
}

rows <- list()
add <- function(work, reference, time, other, most) {
  rows[[length(rows) + 1L]] <<- data.frame(work = work, reference = reference,
                                           seconds = signif(time, 3), against = signif(other, 3),
                                           ratio = round(time / other, 2), at_most = most)
}

set.seed(1)
three <- blueprint("Three") |> construct("A", reflected_in = a1:a3) |>
  construct("B", reflected_in = b1:b3) |> construct("C", reflected_in = c1:c3)
data <- simulate(three, 1, seed = 1, n = 500, truth = c(
  "loading[ , ]" = .7, "covariance[A, B]" = .3, "covariance[A, C]" = .3,
    "covariance[B, C]" = .3))[[1]]
found <- refits_against_fits(quietly(fit_model(three, data)))
add("1,000 bootstrap refits, 9 items, n = 500", "1,000 core fits with errors", found[[1]],
    found[[2]],
    "3")

growth <- blueprint("Growth") |>
  construct("Level", reflected_in = c(w1 = 1, w2 = 1, w3 = 1, w4 = 1, w5 = 1)) |>
  construct("Slope", reflected_in = c(w1 = 0, w2 = 1, w3 = 2, w4 = 3, w5 = 4)) |>
  relax(mean[Level], mean[Slope]) |>
  restrict(intercept[w1] == 0, intercept[w2] == 0, intercept[w3] == 0, intercept[w4] == 0,
           intercept[w5] == 0)
level <- rnorm(500, 50, 8)
slope <- rnorm(500, 2, 1)
waves <- as.data.frame(sapply(0:4, function(t) level + slope * t + rnorm(500, 0, 4)))
names(waves) <- paste0("w", 1:5)
waves[matrix(runif(2500) < .2, 500)] <- NA
found <- refits_against_fits(quietly(fit_model(growth, waves)))
add("1,000 casewise refits of a growth model, 500 x 5, 20% missing", "1,000 core fits with errors",
    found[[1]], found[[2]], "4")

demo <- read_blueprint(system.file("extdata", "choirs.yaml", package = "orizzonte"))
for (incomplete in c("drop", "keep")) {
  fit <- quietly(fit_model(demo, choirs, incomplete = incomplete))
  time <- seconds(model_cutoffs(fit, reps = 500, seed = 1))
  add(paste0("model_cutoffs() of the demo model, 500 replicates, incomplete = ", incomplete), "",
      time, NA, "stated")
}
time <- seconds(quietly(bootstrap_fit(fit, 1000, seed = 1)))
add("bootstrap_fit() of the demo model, 1,000 replicates, BCa, all estimates", "", time, NA,
    "stated")

# The same bootstrap on one worker and on two, long enough for the start of the workers not to
# count.
if (requireNamespace("future", quietly = TRUE)) {
  long <- function() {
    quietly(bootstrap_fit(fit, 1600, fit_indices, seed = 1, interval = "percentile"))
  }
  one <- seconds(a <- long())
  future::plan("multisession", workers = 2)
  invisible(quietly(bootstrap_fit(fit, 8, seed = 1, interval = "percentile")))
  two <- seconds(b <- long())
  future::plan("sequential")
  stopifnot(identical(a$values, b$values))
  add("two workers: bootstrap of fit indices, 1,600 replicates", "one worker", two, one,
      "1 / 1.6 = .62")
}
table <- do.call(rbind, rows)
options(width = 160)
print(table, row.names = FALSE, right = FALSE)
