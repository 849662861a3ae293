# The growth of the time of whole calls: with items, groups, missing patterns, replicates and rows,
# with the exponent between the two largest sizes (1: twice the size takes twice the time).
# Writes bench/results/scaling.txt; takes about ten minutes.
#   R_LIBS=.build/library Rscript --no-init-file bench/scaling.R
suppressPackageStartupMessages(library(orizzonte))
quiet <- function(code) suppressWarnings(suppressMessages(code))
# the best of up to five: other work on the machine can only add time
seconds <- function(code) {
  code <- substitute(code)
  env <- parent.frame()
  times <- numeric()
  while (length(times) < 5L && (length(times) == 0L || sum(times) < 2))
    times <- c(times, system.time(eval(code, env))[["elapsed"]])
  min(times)
}
source("bench/simulated.R")
lines <- character()
grown <- function(work, by, sizes, time) {
  times <- vapply(sizes, time, 0)
  last <- length(sizes)
  exponent <- log(times[last] / times[last - 1L]) / log(sizes[last] / sizes[last - 1L])
  lines <<- c(lines, paste0(work, ", by ", by, "; exponent ", format(round(exponent, 2))),
              sprintf("  %10s  %9.3f s", format(sizes, big.mark = ",", scientific = FALSE), times),
              "")
  cat(utils::tail(lines, length(sizes) + 2L), sep = "\n")
}

set.seed(1)
items <- c(10, 20, 50, 100, 200, 400)
wide <- lapply(items, function(p) simulated(1500, p / 5, 5))
names(wide) <- items
grown("fit_model()", "items (five a construct)", items, function(p) {
  data <- wide[[as.character(p)]]
  bp <- measurement(p / 5, 5)
  seconds(quiet(fit_model(bp, data)))
})
grown("summary(), printed", "items (five a construct)", items, function(p) {
  fit <- quiet(fit_model(measurement(p / 5, 5), wide[[as.character(p)]]))
  system.time(utils::capture.output(print(summary(fit))))[["elapsed"]]
})
grown("amendments(top = 0)", "items (five a construct)", items[1:5], function(p) {
  fit <- quiet(fit_model(measurement(p / 5, 5), wide[[as.character(p)]]))
  system.time(quiet(amendments(fit, top = 0)))[["elapsed"]]
})

groups <- c(2, 5, 10, 20, 40, 60)
grouped <- do.call(rbind, lapply(1:60, function(g) {
  cbind(simulated(200, 3, 4), group = sprintf("g%02d", g))
}))
grown("invariance(), 12 items, 200 cases a group", "groups", groups, function(count) {
  data <- grouped[grouped$group %in% sprintf("g%02d", seq_len(count)), ]
  bp <- measurement(3, 4)
  seconds(quiet(invariance(bp, data, by = "group")))
})

# 2,000 cases of 20 items with this many missing patterns
patterns <- c(1, 10, 100, 300, 1000)
holed <- function(count) {
  data <- simulated(2000, 4, 5)
  holes <- unique(matrix(runif(20 * 4 * count) < 0.15, ncol = 20))
  holes <- holes[rowSums(holes) < 16, ][seq_len(count), , drop = FALSE]
  holes[1L, ] <- FALSE      # the first pattern is that of complete cases
  data[holes[rep_len(seq_len(count), 2000), ]] <- NA
  data
}
incomplete <- lapply(patterns, holed)
names(incomplete) <- patterns
grown("fit_model(), 20 items, 2,000 cases", "missing patterns", patterns, function(count) {
  data <- incomplete[[as.character(count)]]
  bp <- measurement(4, 5)
  seconds(quiet(fit_model(bp, data)))
})
grown("amendments(top = 0) of it", "missing patterns", patterns, function(count) {
  fit <- quiet(fit_model(measurement(4, 5), incomplete[[as.character(count)]]))
  system.time(quiet(amendments(fit, top = 0)))[["elapsed"]]
})

small <- quiet(fit_model(measurement(3, 3), simulated(500, 3, 3)))
grown("bootstrap_fit(), 9 items, percentile", "replicates", c(100, 300, 1000, 3000, 10000),
      function(reps) {
        system.time(quiet(bootstrap_fit(small, reps, seed = 1,
                                        interval = "percentile")))[["elapsed"]]
      })

rows <- c(1e3, 1e4, 1e5, 1e6, 1e7)
grown("fit_model(), 9 items", "rows", rows, function(n) {
  data <- simulated(n, 3, 3)
  bp <- measurement(3, 3)
  time <- system.time(quiet(fit_model(bp, data)))[["elapsed"]]
  rm(data)
  gc()
  time
})
writeLines(c(paste0("# ", R.version.string, ", orizzonte ", utils::packageVersion("orizzonte"),
                    " (bench/scaling.R)"), "", lines), file.path("bench", "results", "scaling.txt"))
