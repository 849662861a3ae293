# The verdicts of a ladder of two groups when loadings or intercepts are equal and when two of them
# differ by .30 standardized, with and without the rule that a rung must have had the power to show
# such a difference. Two constructs of four items (loadings .70, correlation .40).
# Usage: Rscript bench/ladder-power.R [samples]. Table: bench/results/ladder-power.txt.
suppressPackageStartupMessages(library(orizzonte))
reps <- as.integer(c(commandArgs(TRUE), 200)[1])
quietly <- function(code) suppressWarnings(suppressMessages(code))
bp <- blueprint("Two") |> construct("A", reflected_in = x1:x4) |>
  construct("B", reflected_in = x5:x8)

group <- function(n, loading, intercept) {
  f <- matrix(stats::rnorm(n * 2), n) %*% chol(matrix(c(1, 0.4, 0.4, 1), 2))
  x <- f[, rep(1:2, each = 4)] * rep(loading, each = n) + rep(intercept, each = n) +
    matrix(stats::rnorm(n * 8), n) * sqrt(0.51)
  stats::setNames(as.data.frame(x), paste0("x", 1:8))
}
sample_of_two <- function(n, differ) {
  loading <- replace(rep(0.7, 8), if (differ == "loadings") c(1, 5), 0.4)
  intercept <- replace(numeric(8), if (differ == "intercepts") c(2, 6), 0.3)
  cbind(rbind(group(n[1], rep(0.7, 8), numeric(8)), group(n[2], loading, intercept)),
        g = rep(c("a", "b"), n))
}
judged <- function(n, differ) {
  data <- sample_of_two(n, differ)
  verdicts <- function(k) {
    ladder <- quietly(invariance(bp, data, by = g, rungs = c("metric", "scalar"), criteria = k))
    t <- ladder$table
    list(verdict = t$verdict[2:3], power = ladder$power$power[match(t$rung[2:3],
                                                                    ladder$power$rung)])
  }
  ruled <- verdicts(criteria())
  # without the rule: any power is enough
  free <- verdicts(criteria(power = 0.01))
  held <- c("holds", "holds_small_differences")
  c(power = ruled$power, without = free$verdict %in% held, with = ruled$verdict %in% held,
    unsettled = ruled$verdict %in% "cannot_tell")
}
sizes <- list(c(420, 300), c(150, 150), c(100, 100), c(50, 50), c(400, 20), c(400, 13))
rows <- list()
for (n in sizes) for (differ in c("nothing", "loadings", "intercepts")) {
  each <- parallel::mclapply(seq_len(reps), function(k) {
    set.seed(k)
    tryCatch(judged(n, differ), error = function(e) NULL)
  }, mc.cores = parallel::detectCores())
  found <- simplify2array(Filter(Negate(is.null), each))
  for (rung in 1:2) {
    own <- found[paste0(c("power", "without", "with", "unsettled"), rung), ]
    rows <- c(rows, list(data.frame(
      cases = paste(n, collapse = " + "), differ = differ, rung = c("metric", "scalar")[rung],
      power = round(stats::median(own[1, ], na.rm = TRUE), 2),
      holds_without_rule = round(mean(own[2, ]), 3), holds = round(mean(own[3, ]), 3),
      cannot_tell = round(mean(own[4, ]), 3))))
    print(rows[[length(rows)]])
  }
}
table <- do.call(rbind, rows)
writeLines(c(
  paste0("Ladders of two groups, ", reps, " samples per row. power: median over samples of the ",
         "median power of"),
  "the rung's single equalities against .30 standardized. holds: proportion of samples in which",
  "the rung holds (also with small differences), without and with the rule that this power must",
  "reach .75.", "", capture.output(print(table, row.names = FALSE))),
  "bench/results/ladder-power.txt")
