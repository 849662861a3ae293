# Timings of whole calls at size, as ratios to a reference measured in the same run: many missing
# patterns, replicates, many items, many groups, reports, memory, and the study of the demo.
# Writes bench/results/budgets-large.txt; takes about five minutes.
#   R_LIBS=.build/library Rscript --no-init-file bench/budgets-large.R
suppressPackageStartupMessages(library(orizzonte))
inside <- asNamespace("orizzonte")
quiet <- function(code) suppressWarnings(suppressMessages(code))
source("bench/simulated.R")

source("bench/paired.R")

printed <- function(x) invisible(utils::capture.output(print(x)))

set.seed(1)
holes <- simulated(600, 8, 5)
holes[matrix(runif(600 * 40) < 0.05, 600)] <- NA
fit_holes <- function() quiet(fit_model(measurement(8, 5), holes))
invisible(quiet(amendments(fit_holes(), top = 0)))
compare("amendments(top = 0), 40 items, 403 patterns, against the fit", 3,
        function(fit) quiet(amendments(fit, top = 0)), fit_holes, fit_holes, 9L)
compare("amendments(), the same, with its 20 refits", 8, function(fit) quiet(amendments(fit)),
        fit_holes, fit_holes)

nine <- simulated(500, 3, 3)
small <- quiet(fit_model(measurement(3, 3), nine))
core_refits <- function(fit, reps) {
  whole <- inside$joint_fit(fit)
  function() {
    inside$core_refit_many(whole$layout$model, inside$core_moments(whole),
                           inside$core_theta(whole), inside$case_source(fit), 1, 1L, reps, 4L,
                           FALSE)
  }
}
for (type in c("percentile", "bca"))
  compare(paste0("bootstrap_fit(), 1,000 replicates, 9 items, ", type, ", against its core refits"),
          c(percentile = 5, bca = 8)[[type]],
          function() quiet(bootstrap_fit(small, 1000, seed = 1, interval = type)),
          core_refits(small, 1000L))
nine$aux <- nine$v1_1 + rnorm(500)
nine[, 1:9][matrix(runif(4500) < 0.06, 500)] <- NA
robust <- quiet(fit_model(measurement(3, 3), nine, auxiliary = aux, inference = "robust"))
compare("bootstrap_fit(), 100 replicates, missing values, robust, auxiliary", 2,
        function() quiet(bootstrap_fit(robust, 100, seed = 1, interval = "percentile")),
        core_refits(robust, 100L), repeats = 3L)

# the packages that draw are loaded once
invisible(inside$draw_figure(path_diagram(small), tempfile(), "png"))
for (constructs in c(20, 40)) {
  data <- simulated(1500, constructs, 5)
  fit <- quiet(fit_model(measurement(constructs, 5), data))
  compare(paste("path_diagram() and its drawing,", constructs, "constructs, against factanal"),
          if (constructs == 20) 10 else 5,
          function() inside$draw_figure(path_diagram(fit), tempfile(), "png"),
          function() stats::factanal(data, 10), repeats = 3L)
}

groups <- do.call(rbind, lapply(1:24, function(g) {
  x <- simulated(150, 2, 4)
  if (g <= 3) x[] <- rnorm(length(as.matrix(x)))
  cbind(x, group = sprintf("g%02d", g))
}))
clean <- groups[!groups$group %in% c("g01", "g02", "g03"), ]
compare("invariance(), 24 groups of which 3 have unrelated items, against those without", 5,
        function() quiet(invariance(measurement(2, 4), groups, by = group)),
        function() quiet(invariance(measurement(2, 4), clean, by = group)))

for (constructs in c(20, 40)) {
  data <- simulated(1500, constructs, 5)
  fit_data <- function() quiet(fit_model(measurement(constructs, 5), data))
  items <- 5 * constructs
  compare(paste0("construct_quality(), ", items, " items, against the fit"), 3,
          function(fit) quiet(construct_quality(fit)), fit_data, fit_data, 3L)
  if (constructs == 40)
    compare("amendments(top = 5), 200 items, against the fit", 5,
            function(fit) quiet(amendments(fit, top = 5)), fit_data, fit_data, 3L)
}
many <- do.call(rbind, lapply(1:100, function(g) {
  cbind(simulated(150, 3, 3), group = sprintf("g%03d", g))
}))
fit_many <- function() {
  quiet(fit_model(measurement(3, 3), many, by = group, levels = unique(many$group)))
}
compare("summary() of 100 groups, printed, against their fit", 3,
        function(fit) printed(summary(fit)), fit_many, fit_many, 3L)
wide <- function(items) {
  fit <- quiet(fit_model(measurement(items / 10, 10), simulated(1500, items / 10, 10)))
  function() printed(summary(fit))
}
compare("summary() of 400 items, printed, against that of 200", 12, wide(400), wide(200),
        repeats = 3L)

# --- reports and the study of the demo -----------------------------------------------------------
hundred <- simulated(1000, 10, 10)
hundred_items <- function() stats::factanal(hundred, 10)
demo <- read_blueprint(system.file("extdata", "choirs-start.yaml", package = "orizzonte"))
fit_demo <- function() {
  list(fit = quiet(fit_model(demo, choirs)),
       settings = quiet(invariance(read_blueprint(
         system.file("extdata", "choirs.yaml", package = "orizzonte")), choirs, by = setting)))
}
for (ending in c("html", "docx"))
  if (ending == "html" || requireNamespace("officer", quietly = TRUE))
    compare(paste0("write_report() of the demo, ", ending, ", against factanal of 100 items"),
            c(html = 30, docx = 60)[[ending]],
            function(x) quiet(write_report(x, tempfile(fileext = paste0(".", ending)))),
            hundred_items, fit_demo, 3L)
compare("write_tables() of the demo, against factanal of 100 items", 30,
        function(x) {
          folder <- tempfile()
          dir.create(folder)
          quiet(write_tables(x$fit, folder))
        }, hundred_items, fit_demo, 3L)

folder <- tempfile("study")
dir.create(folder)
new_study_files(folder)
file <- list.files(folder, "study[.]yaml$", full.names = TRUE, recursive = TRUE)
work <- sum(system.time(quiet(run_study(file)))[c("user.self", "sys.self")])
row("run_study() of the demo, seconds of work", work, 1, work, 15)

# --- memory ---------------------------------------------------------------------------------------
rscript <- file.path(R.home("bin"), "Rscript")
peak <- function(code) {
  code <- paste0(code, "; cat(as.numeric(gsub('[^0-9]', '', grep('^VmHWM', ",
                 "readLines('/proc/self/status'), value = TRUE))) / 1024)")
  as.numeric(utils::tail(system2(rscript, c("--no-init-file", "-e", shQuote(code)), stdout = TRUE,
                                 stderr = FALSE), 1L))
}
if (file.exists("/proc/self/status")) {
  start <- "suppressPackageStartupMessages(library(orizzonte)); source('bench/simulated.R'); "
  # column by column, so that making the data needs no more than the data
  data <- paste0("r <- rnorm(1e6); x <- lapply(1:20, function(j) r + rnorm(1e6)); ",
                 "names(x) <- paste0('v', rep(1:4, each = 5), '_', 1:5); x <- list2DF(x); ")
  fitted <- "fit <- suppressMessages(fit_model(measurement(4, 5), x))"
  alone <- peak(paste0(start, "fit_model(measurement(1, 3), simulated(100, 1, 3))"))
  used <- peak(paste0(start, data, fitted)) - alone
  # one in seven columns has missing values
  holed <- paste0("x[seq(1, 20, 7)] <- lapply(x[seq(1, 20, 7)], function(v) ",
                  "{v[runif(1e6) < 0.05] <- NA; v}); ")
  with_holes <- peak(paste0(start, data, holed, fitted)) - alone
  size <- 1e6 * 20 * 8 / 2^20
  row("peak memory of data of 1e6 x 20 and their fit, MB, against the data", used, size,
      used / size, 3)
  row("the same with missing values, MB, against the data", with_holes, size, with_holes / size, 3)
}
invisible(save_rows("budgets-large"))
