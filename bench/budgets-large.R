# Timings of whole calls at size, as ratios to a reference measured in the same run: many missing
# patterns, replicates, many constructs, many groups. Writes bench/results/budgets-large.txt.
#   R_LIBS=.build/library Rscript --no-init-file bench/budgets-large.R
suppressPackageStartupMessages(library(orizzonte))
inside <- asNamespace("orizzonte")
quiet <- function(code) suppressWarnings(suppressMessages(code))
# The median of three runs: the speed of a machine drifts.
seconds <- function(code) {
  code <- substitute(code)
  here <- parent.frame()
  stats::median(vapply(1:3, function(i) system.time(eval(code, here))[["elapsed"]], 0))
}

source("bench/simulated.R")
rows <- list()
add <- function(work, own, reference, budget) {
  rows[[length(rows) + 1L]] <<- data.frame(work = work, seconds = round(own, 2),
    reference = round(reference, 3), ratio = signif(own / reference, 3), budget = budget,
    met = ifelse(own / reference <= budget, "yes", "NO"))
  print(rows[[length(rows)]], row.names = FALSE, right = FALSE)
}

set.seed(1)
holes <- simulated(600, 8, 5)
holes[matrix(runif(600 * 40) < 0.05, 600)] <- NA
reference <- seconds(fit <- quiet(fit_model(measurement(8, 5), holes)))
add("amendments(top = 0), 40 items, 403 patterns, against the fit",
    seconds(quiet(amendments(fit, top = 0))), reference, 3)
add("amendments(), the same, with its 20 refits", seconds(quiet(amendments(fit))), reference, 8)

nine <- simulated(500, 3, 3)
small <- quiet(fit_model(measurement(3, 3), nine))
core_time <- function(fit, reps) {
  whole <- inside$joint_fit(fit)
  seconds(inside$core_refit_many(whole$layout$model, inside$core_moments(whole),
                                 inside$core_theta(whole), inside$case_source(fit), 1, 1L, reps, 4L,
                                 FALSE))
}
reference <- core_time(small, 1000L)
for (type in c("percentile", "bca"))
  add(paste0("bootstrap_fit(), 1,000 replicates, 9 items, ", type, ", against its core refits"),
      seconds(quiet(bootstrap_fit(small, 1000, seed = 1, interval = type))), reference,
      c(percentile = 5, bca = 8)[[type]])
nine$aux <- nine$v1_1 + rnorm(500)
nine[, 1:9][matrix(runif(4500) < 0.06, 500)] <- NA
robust <- quiet(fit_model(measurement(3, 3), nine, auxiliary = aux, inference = "robust"))
add("bootstrap_fit(), 100 replicates, missing values, robust, auxiliary",
    seconds(quiet(bootstrap_fit(robust, 100, seed = 1, interval = "percentile"))),
    core_time(robust, 100L), 2)

# the packages that draw are loaded once
invisible(inside$draw_figure(path_diagram(small), tempfile(), "png"))
for (constructs in c(20, 40)) {
  data <- simulated(1500, constructs, 5)
  reference <- seconds(stats::factanal(data, 10))
  fit <- quiet(fit_model(measurement(constructs, 5), data))
  add(paste("path_diagram() and its drawing,", constructs, "constructs, against factanal"),
      seconds(inside$draw_figure(path_diagram(fit), tempfile(), "png")), reference,
      if (constructs == 20) 10 else 5)
}

groups <- do.call(rbind, lapply(1:24, function(g) {
  x <- simulated(150, 2, 4)
  if (g <= 3) x[] <- rnorm(length(as.matrix(x)))
  cbind(x, group = sprintf("g%02d", g))
}))
clean <- groups[!groups$group %in% c("g01", "g02", "g03"), ]
reference <- seconds(quiet(invariance(measurement(2, 4), clean, by = group)))
add("invariance(), 24 groups of which 3 have unrelated items, against those without",
    seconds(quiet(invariance(measurement(2, 4), groups, by = group))), reference, 5)

for (constructs in c(20, 40)) {
  data <- simulated(1500, constructs, 5)
  reference <- seconds(fit <- quiet(fit_model(measurement(constructs, 5), data)))
  items <- 5 * constructs
  add(paste0("construct_quality(), ", items, " items, against the fit"),
      seconds(quiet(construct_quality(fit))), reference, 3)
  if (constructs == 40) add("amendments(top = 5), 200 items, against the fit",
                            seconds(quiet(amendments(fit, top = 5))), reference, 5)
}
many <- do.call(rbind, lapply(1:100, function(g) {
  cbind(simulated(150, 3, 3), group = sprintf("g%03d", g))
}))
reference <- seconds(fit <- quiet(fit_model(measurement(3, 3), many, by = group,
                                              levels = unique(many$group))))
add("summary() of 100 groups, printed, against their fit",
    seconds(invisible(utils::capture.output(print(summary(fit))))), reference, 3)
wide <- function(items) {
  fit <- quiet(fit_model(measurement(items / 10, 10), simulated(1500, items / 10, 10)))
  seconds(invisible(utils::capture.output(print(summary(fit)))))
}
half <- wide(200)
add("summary() of 400 items, printed, against that of 200", wide(400), half, 12)

table <- do.call(rbind, rows)
writeLines(utils::capture.output(print(table, row.names = FALSE, right = FALSE)),
           file.path("bench", "results", "budgets-large.txt"))
