# The ladder of all rungs by the number of groups: cost must grow linearly. 12 items, 200 people a
# group; medians.
suppressPackageStartupMessages(library(orizzonte))
items <- paste0("v", 1:12)
bp <- blueprint("bench") |> construct("A", reflected_in = v1:v4) |>
  construct("B", reflected_in = v5:v8) |> construct("C", reflected_in = v9:v12)
draw <- function(groups, n = 200L) {
  set.seed(groups)
  do.call(rbind, lapply(seq_len(groups), function(g) {
    f <- matrix(rnorm(3 * n), n) %*% chol(0.3 + 0.7 * diag(3))
    x <- 0.7 * f[, rep(1:3, each = 4L)] + matrix(rnorm(12 * n, 0, 0.6), n)
    colnames(x) <- items
    cbind(as.data.frame(x), group = sprintf("g%02d", g))
  }))
}
counts <- c(2L, 5L, 10L, 20L, 30L, 40L, 50L)
data <- lapply(counts, draw)
# in turn, so that a machine whose speed drifts slows all sizes alike
times <-
  replicate(7L,
            vapply(data,
                   function(d) {
                     system.time(suppressMessages(invariance(bp, d, by = "group")))[["elapsed"]]
                   },
                     0))
seconds <- apply(times, 1L, stats::median)
per_group <- 1000 * seconds / counts
bars <- strrep("#", round(50 * seconds / max(seconds)))
cat(sprintf("%2d groups  %.3f s  %5.1f ms a group  %s\n", counts, seconds, per_group, bars),
    sep = "")
ratio <- per_group[counts == 50L] / per_group[counts == 10L]
cat(sprintf("a group costs %.2f times as much among 50 as among 10; linear growth: %s\n", ratio,
            if (ratio < 1.3) "yes" else "NO"))
quit(save = "no", status = if (ratio < 1.3) 0L else 1L)
