# How often tests of constancy along a variable reject when only the mean and spread of the
# construct change: small samples, heavy tails, ordered categories, values missing depending on the
#   variable, and clusters. Appends to bench/results/constancy.txt; takes about five minutes.
#   R_LIBS=.build/library Rscript --no-init-file bench/constancy-cells.R [replicates]
suppressPackageStartupMessages(library(orizzonte))
quiet <- function(code) suppressWarnings(suppressMessages(code))
inside <- function(name) get(name, envir = asNamespace("orizzonte"))
source("tests/oracles/simulated-invariance.R")
loading <- drifting_loadings
bp <- blueprint("F") |> construct("F", reflected_in = x1:x6)

items <- function(f, n = length(f)) {
  x <- outer(f, loading) + matrix(rnorm(n * 6), n) %*% diag(sqrt(1 - loading^2))
  colnames(x) <- paste0("x", 1:6)
  x
}
moving <- function(n, mean, spread) {
  v <- sort(runif(n))
  list(v = v, x = items(mean * (v - 0.5) + rnorm(n) * (1 + spread * (v - 0.5))))
}
cells <- list(
  "n = 100, nothing changes" = function() moving(100, 0, 0),
  "n = 200, nothing changes" = function() moving(200, 0, 0),
  "heavy tails (t with 5 df)" = function() {
    d <- moving(500, 0, 0)
    d$x <- d$x * sqrt(3 / rchisq(500, 5))
    d
  },
  "four ordered categories, mean 1 SD" = function() {
    d <- moving(500, 1, 0.4)
    d$v <- factor(ceiling(4 * d$v), ordered = TRUE)
    d
  },
  "three categories, mean 1 SD" = function() {
    d <- moving(500, 1, 0.4)
    d$v <- factor(ceiling(3 * d$v))
    d
  },
  "missing with probability .7 v, mean 1 SD" = function() {
    d <- moving(500, 1, 0.4)
    for (j in 1:3) d$x[runif(500) < 0.7 * d$v, j] <- NA
    d
  },
  "50 clusters of 10, v constant within" = function() {
    cluster <- rep(1:50, each = 10)
    v <- runif(50)[cluster]
    shared <- matrix(rnorm(300), 50)[cluster, ] * sqrt(0.2)
    list(v = v, x = items(rnorm(50)[cluster] * sqrt(0.2) + rnorm(500) * sqrt(0.8)) * sqrt(0.8) +
           shared, cluster = cluster)
  },
  "50 clusters of 10, v within, slopes of items on v differ" = function() {
    cluster <- rep(1:50, each = 10)
    v <- runif(500)
    slopes <- matrix(rnorm(300), 50)[cluster, ]
    list(v = v, x = items(rnorm(500)) + slopes * (v - 0.5), cluster = cluster)
  })

tested <- function(draw, seed) {
  set.seed(seed)
  d <- draw()
  data <- data.frame(d$x)
  data$cluster <- d$cluster
  fit <- quiet(if (is.null(d$cluster)) fit_model(bp, data) else
    fit_model(bp, data, clusters = cluster))
  kind <- inside("along_kind")(d$v)
  source <- inside("score_source")(fit, as.numeric(d$v), kind, NULL, 0.05)
  blocks <- inside("tested_blocks")(source, c("loadings", "intercepts"))
  unlist(lapply(blocks, function(block) {
    found <- inside("fluctuation_test")(source, block$own, inside("nuisance_of")(source, block$own))
    c(found$p, found$p_max_lm)
  }))
}
reps <- c(as.integer(commandArgs(trailingOnly = TRUE)), 500L)[1L]
table <- do.call(rbind, lapply(names(cells), function(name) {
  runs <- do.call(rbind, parallel::mclapply(seq_len(reps), function(k) {
    tested(cells[[name]], 20000 + k)
  }, mc.cores = max(1L, parallel::detectCores())))
  round(colMeans(runs < 0.05, na.rm = TRUE), 3)
}))
dimnames(table) <- list(names(cells), paste(rep(c("loadings:", "intercepts:"), each = 2L),
                                            c("p", "max LM")))
shown <- utils::capture.output({
  options(width = 200)
  cat("\nFurther cells in which no parameter changes, ", reps, " replicates ",
      "(bench/constancy-cells.R): shares rejected at .05\n\n", sep = "")
  print(table)
})
cat(shown, sep = "\n")
cat(shown, file = file.path("bench", "results", "constancy.txt"), sep = "\n", append = TRUE)
