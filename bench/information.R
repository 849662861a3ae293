# Modification indices with missing values: which information predicts best what a refit finds? The
# expected one, the observed one, or the observed one without the part that comes from misfit, which
# amendments() uses. Two constructs of four items, a residual correlation and a cross-loading that
# the model lacks, values missing at random.
# Usage: Rscript bench/information.R [samples]. Table: bench/results/information.txt.
suppressPackageStartupMessages(library(orizzonte))
inside <- function(name) get(name, asNamespace("orizzonte"))
reps <- as.integer(c(commandArgs(TRUE), 200)[1])
bp <- blueprint("Two") |> construct("A", reflected_in = x1:x4) |>
  construct("B", reflected_in = x5:x8)

draw <- function(n, share) {
  f <- matrix(stats::rnorm(2 * n), n) %*% chol(matrix(c(1, 0.4, 0.4, 1), 2))
  u <- stats::rnorm(n)
  x <- 0.7 * f[, rep(1:2, each = 4)] + 0.714 * matrix(stats::rnorm(8 * n), n)
  x[, 1:2] <- x[, 1:2] + 0.4 * u
  x[, 6] <- x[, 6] + 0.3 * f[, 1]
  lost <- stats::plogis(stats::qlogis(share) + x[, 1])
  for (j in c(2:4, 6:8)) x[stats::runif(n) < lost, j] <- NA
  stats::setNames(as.data.frame(x), paste0("x", 1:8))
}
one <- function(share, seed) {
  set.seed(seed)
  fit <- suppressMessages(fit_model(bp, draw(300, share)))
  table <- amendments(fit, top = 5)
  whole <- inside("tested_candidates")(fit, inside("find_candidates")(fit))
  rows <- lapply(1:5, function(k) {
    at <- match(table$parameter[k], whole$parameter)
    own <- lapply(whole, function(x) x[at])
    with <- inside("core_with")(fit, own)
    core <- inside("freed_core")(with$core, with$entry, 0L)
    there <- inside("core_evaluate")(core, inside("core_moments")(fit),
                                     c(inside("core_theta")(fit), 0))
    change <- function(information) {
      q <- nrow(information)
      v <- information[q, q] - information[q, -q] %*% solve(information[-q, -q],
                                                            information[-q, q])
      c(there$score[q] / v, there$score[q]^2 / v)
    }
    c(table$actual_estimate[k], table$actual_drop[k], table$expected_change[k],
      table$modification_index[k], change(there$expected), change(there$observed))
  })
  do.call(rbind, rows)
}
tables <- lapply(c(0.05, 0.15, 0.3), function(share) {
  each <- do.call(rbind, parallel::mclapply(seq_len(reps), function(r) {
    tryCatch(one(share, r), error = function(e) NULL)
  }, mc.cores = parallel::detectCores()))
  each <- each[stats::complete.cases(each), ]
  off <- function(predicted, actual) {
    ratio <- each[, predicted] / each[, actual]
    c(stats::median(ratio), stats::median(abs(ratio - 1)))
  }
  out <- rbind(used = c(off(3, 1), off(4, 2)), expected = c(off(5, 1), off(6, 2)),
               observed = c(off(7, 1), off(8, 2)))
  data.frame(missing = paste0(100 * share, "%"), information = rownames(out), round(out, 3))
})
table <- do.call(rbind, tables)
names(table)[3:6] <- c("change: ratio", "off by", "drop: ratio", "off by ")
writeLines(c(paste0("Predicted over refitted, medians over the five largest rows of ", reps,
                    " samples of 300;"),
             "off by: median of |ratio - 1|. used: as in amendments().", "",
             capture.output(print(table, row.names = FALSE))), "bench/results/information.txt")
