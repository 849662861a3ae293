# How well means of many groups are recovered when some loadings and intercepts differ: approximate
# invariance against equal intercepts in all groups, and whether the number of cases that ranking
# needs is right. Writes bench/results/approximate-means.txt; takes about three minutes.
#   R_LIBS=.build/library Rscript --no-init-file bench/approximate-means.R [replicates]
suppressPackageStartupMessages(library(orizzonte))
quiet <- function(code) suppressWarnings(suppressMessages(code))
bp <- blueprint("F") |> construct("F", reflected_in = x1:x5)
source("tests/oracles/simulated-invariance.R")
one <- function(seed, share, n = 200) {
  d <- many_groups(seed, n = n, share = share)
  found <- approximate_means(quiet(fit_model(bp, d$data, by = g)), reference = "g01")
  scalar <- quiet(fit_model(hold_equal(bp, loading, intercept), d$data, by = g))
  equal <- latent_means(scalar)
  held <- c(0, equal$standardized[match(sprintf("g%02d", 2:20), equal$group)])
  own <- found$noninvariant[found$noninvariant$parameter == "intercept", ]
  truth <- d$differs[cbind(match(own$item, paste0("x", 1:5)),
                           match(own$group, sprintf("g%02d", 1:20)))]
  mean <- found$means$mean
  inside <- found$means$lower < d$mean & d$mean < found$means$upper
  c(rmse = sqrt(mean((mean - d$mean)^2)), correlation = cor(mean, d$mean),
    scalar_rmse = sqrt(mean((held - d$mean)^2)), scalar_correlation = cor(held, d$mean),
    found = mean(own$differs[truth]), false = mean(own$differs[!truth]),
    covered = mean(inside, na.rm = TRUE), foreseen = found$recovery$correlation,
    needed = found$recovery$cases_needed)
}
reps <- c(as.integer(commandArgs(trailingOnly = TRUE)), 50L)[1L]
cores <- max(1L, parallel::detectCores())
rows <- lapply(c(0, 0.1, 0.2, 0.3), function(share) {
  runs <- do.call(rbind, parallel::mclapply(seq_len(reps), one, share = share, mc.cores = cores))
  round(colMeans(runs, na.rm = TRUE), 3)
})
table <- do.call(rbind, rows)
rownames(table) <- paste("share", c(0, 0.1, 0.2, 0.3))
# with so many cases, is the correlation .98?
few <- do.call(rbind, parallel::mclapply(seq_len(reps), one, share = 0.1, n = 60, mc.cores = cores))
needed <- round(stats::median(few[, "needed"]))
enough <- do.call(rbind, parallel::mclapply(seq_len(reps), one, share = 0.1, n = needed,
                                            mc.cores = cores))
shown <- utils::capture.output({
  options(width = 200)
  cat("# ", R.version.string, ", orizzonte ", format(utils::packageVersion("orizzonte")),
      " (bench/approximate-means.R): 20 groups of 200, 5 items, ", reps, " replicates\n\n",
      sep = "")
  print(table)
  cat("\nWith 60 cases a group: correlation with the truth ",
      round(mean(few[, "correlation"]), 3), ", foreseen ", round(mean(few[, "foreseen"]), 3),
      "; ", needed, " cases a group are said to allow ranking\nWith ", needed,
      " cases a group: correlation with the truth ", round(mean(enough[, "correlation"]), 3),
      ", foreseen ", round(mean(enough[, "foreseen"]), 3), "\n", sep = "")
})
cat(shown, sep = "\n")
writeLines(shown, file.path("bench", "results", "approximate-means.txt"))
