# Monte Carlo for groups: under the truth each step of the ladder rejects 5%, per-group releases
# and joint releases too; differences of latent
# means are recovered, with errors that cover. Each with its simulation error.
suppressPackageStartupMessages(library(orizzonte))
reps <- as.integer(commandArgs(TRUE)[1])
if (is.na(reps)) reps <- 1000L
n <- c(evening = 400L, weekend = 300L, daytime = 300L)
items <- c(paste0("be", 1:4), paste0("sc", 1:4))
bp <- blueprint("Truth") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4)
loading <- cbind(c(0.8, 0.7, 0.9, 0.6, 0, 0, 0, 0), c(0, 0, 0, 0, 0.7, 0.8, 0.6, 0.9))
phi <- list(evening = matrix(c(1, 0.4, 0.4, 1), 2), weekend = matrix(c(1.3, 0.5, 0.5, 0.8), 2),
            daytime = matrix(c(0.9, 0.2, 0.2, 1.2), 2))
mean_of <- list(evening = c(0, 0), weekend = c(0.3, -0.2), daytime = c(-0.1, 0.4))
residual <- c(0.4, 0.5, 0.3, 0.6, 0.5, 0.4, 0.6, 0.3)
intercept <- seq(-0.5, 0.9, length.out = 8L)
draw <- function() {
  parts <- lapply(names(n), function(g) {
    f <- sweep(matrix(stats::rnorm(2L * n[[g]]), n[[g]]) %*% chol(phi[[g]]), 2L, mean_of[[g]], `+`)
    x <- f %*% t(loading) +
      sweep(matrix(stats::rnorm(8L * n[[g]]), n[[g]]), 2L, sqrt(residual), `*`)
    colnames(x) <- items
    cbind(as.data.frame(sweep(x, 2L, intercept, `+`)), group = g)
  })
  do.call(rbind, parts)
}
names_of <- c("mean[Belonging | weekend]", "mean[Calm | weekend]", "mean[Belonging | daytime]",
              "mean[Calm | daytime]")
truth <- c(mean_of$weekend, mean_of$daytime)
set.seed(20260102)
runs <- lapply(seq_len(reps), function(i) {
  ladder <-
    suppressMessages(suppressWarnings(invariance(bp, draw(), by = "group", levels = names(n))))
  scalar <- ladder$fits$scalar
  found <- amendments(scalar, kinds = c("equality across groups", "equality of all groups"),
                      top = 0)
  single <- found$kind == "equality across groups"
  list(p = ladder$table$p_change[-1L], fit = ladder$table$p[1L],
       single = mean(found$p[single] < 0.05), joint = mean(found$p[!single] < 0.05),
       estimate = stats::coef(scalar)[names_of], se = sqrt(diag(stats::vcov(scalar)))[names_of])
})
p <- do.call(rbind, lapply(runs, `[[`, "p"))
rate <- c(configural = mean(vapply(runs, `[[`, 0, "fit") < 0.05), metric = mean(p[, 1L] < 0.05),
          scalar = mean(p[, 2L] < 0.05), strict = mean(p[, 3L] < 0.05))
error <- sqrt(0.05 * 0.95 / reps)
cat(sprintf("%d samples of three groups (%s)\n", reps, paste(n, collapse = ", ")))
cat(sprintf("rejection at .05 of the %s: %.3f\n",
            c("configural model", paste("step to", c("metric", "scalar", "strict"))),
            rate), sep = "")
cat(sprintf("simulation error of one: %.4f\n", error))
single <- mean(vapply(runs, `[[`, 0, "single"))
joint <- mean(vapply(runs, `[[`, 0, "joint"))
cat(sprintf("rejection at .05 of releases in one group: %.3f, in all groups: %.3f\n",
            single, joint))
estimate <- do.call(rbind, lapply(runs, `[[`, "estimate"))
se <- do.call(rbind, lapply(runs, `[[`, "se"))
bias <- colMeans(estimate) - truth
spread <- apply(estimate, 2L, stats::sd)
cover <- colMeans(abs(sweep(estimate, 2L, truth)) < stats::qnorm(0.975) * se)
for (k in seq_along(names_of)) {
  cat(sprintf("%-26s true %5.2f  bias %7.4f (error %.4f)  sd %.4f  mean se %.4f  coverage %.3f\n",
              names_of[k], truth[k], bias[k], spread[k] / sqrt(reps),
              spread[k], mean(se[, k]), cover[k]))
}
ok <- all(abs(rate - 0.05) < 4 * error) && abs(single - 0.05) < 0.01 && abs(joint - 0.05) < 0.01 &&
  all(abs(bias) < 4 * spread / sqrt(reps)) &&
  all(abs(cover - 0.95) < 4 * error) && all(abs(colMeans(se) / spread - 1) < 4 / sqrt(2 * reps))
cat(if (ok) "all within four simulation errors\n" else "NOT within four simulation errors\n")
quit(save = "no", status = if (ok) 0L else 1L)
