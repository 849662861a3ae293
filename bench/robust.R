# Monte Carlo: how often correctly specified models are rejected, and how often intervals cover,
# when data are not normal, incomplete or clustered. Rates with their simulation errors; 1,000
#   replicates by default. Rscript bench/robust.R [REPLICATES] [CORES]
suppressPackageStartupMessages(library(orizzonte))
given <- as.numeric(commandArgs(TRUE))
reps <- if (length(given)) given[1] else 1000
cores <- if (length(given) > 1) given[2] else max(1L, parallel::detectCores())
# the tests themselves, without their presentation
test_of <- orizzonte:::test_of
difference_test <- orizzonte:::difference_test
chosen_candidates <- orizzonte:::chosen_candidates
tested_candidates <- orizzonte:::tested_candidates
quiet <- function(code) suppressWarnings(suppressMessages(code))

right <- blueprint("right") |>
  construct("A", reflected_in = x1:x3) |>
  construct("B", reflected_in = x4:x6) |>
  effect(B ~ A)
larger <- right |> covary(x1, x4) |> covary(x2, x5)
truth <- 0.5                                      # of effect[A, B]

# Standardized draws: normal, heavy tails (t on 5 degrees of freedom), or skewed (chi-square on 3).
draw <- function(n, kind) {
  switch(kind, normal = rnorm(n), heavy = rt(n, 5) / sqrt(5 / 3),
         skew = (rchisq(n, 3) - 3) / sqrt(6))
}
sample_data <- function(n, kind, holes = "none", clusters = 0) {
  # factors and residuals share the scale of a case where tails are heavy: that inflates
  # chi-square
  scale <- if (kind == "heavy") sqrt(4 / rchisq(n, 6)) else rep(1, n)
  z <- function() (if (kind == "heavy") rnorm(n) else draw(n, kind)) * scale
  a <- z()
  b <- truth * a + sqrt(1 - truth^2) * z()
  x <- cbind(a, a, a, b, b, b) * 0.8 + 0.6 * replicate(6, z())
  out <- as.data.frame(x)
  names(out) <- paste0("x", 1:6)
  if (clusters > 0) {
    out$class <- rep(seq_len(clusters), length.out = n)
    # the common part of a class, in every item
    common <- matrix(rnorm(6 * clusters, 0, 0.4), clusters)
    out[1:6] <- out[1:6] + common[out$class, ]
  }
  if (holes == "completely at random") out[1:6][matrix(runif(6 * n) < 0.15, n)] <- NA
  if (holes == "at random") {
    out$x2[out$x1 < quantile(out$x1, 0.3)] <- NA
    out$x5[out$x4 > quantile(out$x4, 0.7)] <- NA
  }
  out
}
one <- function(seed, n, kind, holes, clusters) {
  set.seed(seed)
  data <- sample_data(n, kind, holes, clusters)
  results <- tryCatch({
    robust <- function(bp) {
      if (clusters > 0) return(quiet(fit_model(bp, data, clusters = class)))
      quiet(fit_model(bp, data, inference = "robust"))
    }
    fits <- list(normal = list(quiet(fit_model(right, data)), quiet(fit_model(larger, data))),
                 robust = list(robust(right), robust(larger)))
    unlist(lapply(fits, function(pair) {
      fit <- pair[[1]]
      table <- estimates(fit)
      at <- match("effect[A, B]", table$parameter)
      freed <- chosen_candidates(fit, "covariance[x1, x4]")
      score <- tested_candidates(fit, freed)
      # the standardized effect is .5 whatever the marker
      cover <- abs(table$standardized[at] - truth) < 1.96 * table$standardized_se[at]
      c(chisq = test_of(fit)$p < 0.05, difference = difference_test(fit, pair[[2]])$p < 0.05,
        score = score$score^2 / score$variance > qchisq(0.95, 1), coverage = cover)
    }))
  }, error = function(e) rep(NA_real_, 8))
  results
}
cases <- list(
  c("normal", "none", 0), c("heavy", "none", 0), c("skew", "none", 0),
  c("normal", "completely at random", 0), c("normal", "at random", 0),
  c("heavy", "completely at random", 0), c("normal", "none", 100))
cat("Nominal rate of rejection .05, of coverage .95; (simulation error)\n")
cat(formatC("data", width = -34), "  n   inference  chi-square     difference     score test     ",
    "coverage       used\n", sep = "")
for (case in cases) for (n in c(200, 500, 1000)) {
  found <- parallel::mclapply(seq_len(reps), one, n = n, kind = case[1], holes = case[2],
                              clusters = as.numeric(case[3]), mc.cores = cores)
  table <- do.call(rbind, found)
  for (k in 1:2) {
    own <- table[, (k - 1) * 4 + 1:4, drop = FALSE]
    rate <- colMeans(own, na.rm = TRUE)
    error <- sqrt(rate * (1 - rate) / colSums(!is.na(own)))
    label <- paste0(case[1], if (case[2] != "none") paste0(", missing ", case[2]),
                    if (case[3] != "0") paste0(", ", case[3], " clusters"))
    cat(formatC(label, width = -34), formatC(n, width = 5), "   ",
        formatC(c("normal", "robust")[k], width = -9),
        paste(sprintf("%.3f (%.3f)", rate, error), collapse = "  "), "  ",
        sum(stats::complete.cases(own)), "\n", sep = "")
  }
}
