# How often tests of constancy along a variable reject, with and without change: six items of one
# construct whose mean and spread may change along the variable, and an intercept or a loading that
# may drift; and how often the step-by-step search names the right parameter alone.
# Writes bench/results/constancy.txt; takes about three minutes with 500 replicates.
#   R_LIBS=.build/library Rscript --no-init-file bench/constancy.R [replicates]
suppressPackageStartupMessages(library(orizzonte))
inside <- function(name) get(name, envir = asNamespace("orizzonte"))
source("tests/oracles/simulated-invariance.R")
conditions <- list(
  "nothing changes" = list(mean = 0, spread = 0),
  "mean 1 SD, SD .8 to 1.2" = list(mean = 1, spread = 0.4),
  "mean 2 SD, SD .6 to 1.4" = list(mean = 2, spread = 0.8),
  "1 SD, intercept of x1 rises by .5" = list(mean = 1, spread = 0.4, intercept = 0.5),
  "1 SD, loading of x1 from 1.0 to .6" = list(mean = 1, spread = 0.4, loading = -0.4),
  "2 SD, intercept of x1 rises by .5" = list(mean = 2, spread = 0.8, intercept = 0.5))
bp <- blueprint("F") |> construct("F", reflected_in = x1:x6)

drawn <- function(n, condition, seed) do.call(drifting_items, c(list(n, seed), condition))

# p values of both blocks, and the parameters that the search names.
tested <- function(data, within = NULL) {
  fit <- suppressWarnings(suppressMessages(fit_model(bp, data)))
  source <- inside("score_source")(fit, data$v, "continuous", within, 0.05)
  blocks <- inside("tested_blocks")(source, c("loadings", "intercepts"))
  unlist(lapply(blocks, function(block) {
    whole <- inside("fluctuation_test")(source, block$own, inside("nuisance_of")(source, block$own))
    if (!is.null(within)) return(c(mean = whole$p, largest = whole$p_max_lm))
    single <- vapply(block$own, function(one) {
      inside("fluctuation_test")(source, one, inside("nuisance_of")(source, one))$p
    }, 0)
    found <- which(!is.na(inside("forward_steps")(source, block$own, single)$step))
    c(mean = whole$p, largest = whole$p_max_lm, right = as.numeric(identical(found, 1L)),
      others = as.numeric(any(found > 1L)))
  }))
}

reps <- c(as.integer(commandArgs(trailingOnly = TRUE)), 500L)[1L]
began <- proc.time()[["elapsed"]]
rows <- lapply(names(conditions), function(name) {
  runs <- do.call(rbind, parallel::mclapply(seq_len(reps), function(k) {
    tested(drawn(500, conditions[[name]], 1000 + k))
  }, mc.cores = max(1L, parallel::detectCores())))
  p <- grepl("mean|largest", colnames(runs))
  runs[, p] <- runs[, p] < 0.05
  round(colMeans(runs), 3)
})
bins <- lapply(names(conditions)[c(1, 3, 6)], function(name) {
  runs <- do.call(rbind, parallel::mclapply(seq_len(reps / 5), function(k) {
    tested(drawn(500, conditions[[name]], 1000 + k), 4)
  }, mc.cores = max(1L, parallel::detectCores())))
  round(colMeans(runs < 0.05), 3)
})
table <- do.call(rbind, rows)
dimnames(table) <- list(names(conditions), paste(rep(c("loadings:", "intercepts:"), each = 4L),
                                                 c("CvM", "max LM", "x1 alone", "others")))
in_bins <- do.call(rbind, bins)
dimnames(in_bins) <- list(names(conditions)[c(1, 3, 6)],
                          paste(rep(c("loadings:", "intercepts:"), each = 2L), c("CvM", "max LM")))
shown <- utils::capture.output({
  cat("# ", R.version.string, ", orizzonte ", format(utils::packageVersion("orizzonte")),
      " (bench/constancy.R), n = 500, ", reps, " replicates, ",
      round(proc.time()[["elapsed"]] - began), " s\n\nShares rejected at .05; x1 alone: the ",
      "search names x1 and nothing else; others: it names another one\n\n", sep = "")
  options(width = 200)
  print(table)
  cat("\nWith scores within four bins (", reps / 5, " replicates)\n\n", sep = "")
  print(in_bins)
})
cat(shown, sep = "\n")
writeLines(shown, file.path("bench", "results", "constancy.txt"))
