# Do the tests of structures and of single rows keep their level, and how often do they detect
# misfit? One construct of ten items that is two halves correlating r; heavy tails; two constructs
# of four items with and without one residual correlation. Nominal level .05.
# Usage: Rscript bench/structures.R [samples]. Table: bench/results/structures.txt.
suppressPackageStartupMessages(library(orizzonte))
reps <- as.integer(c(commandArgs(TRUE), 1000)[1])
quietly <- function(code) suppressWarnings(suppressMessages(code))

halves <- function(n, r, heavy = FALSE) {
  f <- stats::rnorm(n)
  g <- r * f + sqrt(1 - r^2) * stats::rnorm(n)
  x <- 0.7 * cbind(matrix(f, n, 5), matrix(g, n, 5)) + matrix(stats::rnorm(n * 10), n) * sqrt(0.51)
  if (heavy) x <- x * sqrt(3 / stats::rchisq(n, 5))
  stats::setNames(as.data.frame(x), paste0("x", 1:10))
}
one <- blueprint("One") |> construct("F", reflected_in = x1:x10)
structures <- function(n, r, heavy) {
  found <- amendments(quietly(fit_model(one, halves(n, r, heavy))), top = 1)
  table <- found$structures
  split <- table[match("split", table$family), ]
  right <- split$part_one == "x1, x2, x3, x4, x5"
  c(chisq = NA, rows = "stands_out" %in% found$verdict, split = split$p <= 0.05,
    joint = attr(table, "p_joint") <= 0.05, right = split$p <= 0.05 && right)
}

two <- blueprint("Two", scale = "unit") |> construct("A", reflected_in = x1:x4) |>
  construct("B", reflected_in = x5:x8)
rows <- function(theta) {
  n <- 300
  e <- matrix(stats::rnorm(n * 8), n) * sqrt(0.51)
  u <- stats::rnorm(n) * sqrt(0.51)
  if (theta > 0) e[, 1:2] <- sqrt(1 - theta) * e[, 1:2] + sqrt(theta) * u
  f <- matrix(stats::rnorm(n * 2), n) %*% chol(matrix(c(1, 0.4, 0.4, 1), 2))
  x <- stats::setNames(as.data.frame(0.7 * f[, rep(1:2, each = 4)] + e), paste0("x", 1:8))
  table <- amendments(quietly(fit_model(two, x)), top = 0)
  own <- table$p_adjusted <= 0.05
  alone <- own & table$relation == ""
  true <- table$parameter == "covariance[x1, x2]"
  c(raw = sum(table$p <= 0.05), adjusted = sum(own), any = any(own), true = any(own & true),
    top = true[1], others = sum(alone & !true), any_other = any(alone & !true))
}
run <- function(label, f, ...) {
  each <- simplify2array(parallel::mclapply(seq_len(reps), function(k) {
    set.seed(5000 + k)
    tryCatch(f(...) * 1, error = function(e) NA)
  }, mc.cores = parallel::detectCores()))
  if (is.list(each)) each <- simplify2array(Filter(function(x) length(x) > 1, each))
  out <- data.frame(condition = label, samples = ncol(each),
                    t(round(rowMeans(each, na.rm = TRUE), 3)))
  print(out)
  out
}
first <- rbind(run("model holds, n = 200", structures, 200, 1, FALSE),
               run("model holds, n = 100", structures, 100, 1, FALSE),
               run("model holds, n = 50", structures, 50, 1, FALSE),
               run("r = .90, n = 200", structures, 200, 0.90, FALSE),
               run("r = .75, n = 200", structures, 200, 0.75, FALSE),
               run("model holds, heavy tails, n = 300", structures, 300, 1, TRUE))
second <- rbind(run("model holds", rows, 0), run("residual correlation .25", rows, 0.25),
                run("residual correlation .40", rows, 0.40))
first$chisq <- NULL
writeLines(c(
  "Structures: proportions at .05. rows: a single row stands out; split, joint: p of the family",
  "and of all families; right: the split found is the planted one.", "",
  capture.output(print(first, row.names = FALSE)), "",
  "Rows: numbers per table (raw, adjusted, others) and proportions. any: some adjusted p <= .05;",
  "true: the planted row; top: it stands first; others: rows that stand out beside it and do not",
  "go with it.", "", capture.output(print(second, row.names = FALSE))),
  "bench/results/structures.txt")
