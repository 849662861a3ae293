# Random identified models: does the fit reach the optimum that an independent optimiser finds, and
# is "converged" ever false? Usage: Rscript bench/battery.R [models] [first seed]
# Every fifty models are one file below .build/battery: a stopped run goes on where it was.
suppressPackageStartupMessages(library(orizzonte))
source("tests/oracles/brute-force.R")
source("bench/random-models.R")

# "unit" sets disturbance variances to 1, and so cannot express an optimum where one is negative.
expressible <- function(case, oracle) {
  if (is.null(oracle) || case$blueprint$scale != "unit" || !isTRUE(case$structural)) return(TRUE)
  phi <- oracle$groups[[1]]$phi[case$constructs, case$constructs]
  minors <- vapply(seq_along(case$constructs),
                   function(k) det(phi[seq_len(k), seq_len(k), drop = FALSE]), 0)
  all(minors / c(1, minors[-length(minors)]) > 0)
}

# Is a refused model unidentified indeed? By the rank of the oracle's own Jacobian of the moments at
# random points.
lacks_rank <- function(reference) {
  ranks <- vapply(1:3, function(i) {
    theta <- reference$start + stats::rnorm(length(reference$start), 0, 0.2)
    jacobian <- numDeriv::jacobian(function(x) oracle_moments(reference$model, x), theta,
                                   method = "complex")
    values <- svd(jacobian %*% diag(1 / sqrt(colSums(jacobian^2))))$d
    sum(values > 1e-7 * values[1])
  }, 0)
  max(ranks) < length(reference$start)
}

run_case <- function(seed) {
  case <- random_case(seed)
  if (is.null(tryCatch(chol(case$s), error = function(e) NULL))) return(NULL)
  data <- summary_data(case$s * outer(case$unit, case$unit), n = case$n)
  warned <- NULL
  fit <- withCallingHandlers(
    tryCatch(fit_model(case$blueprint, data), orizzonte_error = function(e) e),
    orizzonte_warning = function(w) {
      warned <<- c(warned, class(w)[1])
      invokeRestart("muffleWarning")
    })
  sample <- list(list(n = case$n, covariance = stats::cov2cor(case$s), mean = NULL))
  reference <- case[c("model", "start")]
  oracle <- tryCatch(oracle_fit(reference$model, reference$start, sample, steps = 30),
                     error = function(e) NULL)
  refused <- inherits(fit, "error")
  converged <- !refused && orizzonte:::has_converged(fit)
  chisq <- if (refused) NA else deviance(fit)
  # an independent look at stationarity, in correlation metric
  decrement <- NA
  if (converged) {
    core <- fit$layout$model
    at <- orizzonte:::core_evaluate(core, orizzonte:::core_moments(fit),
                                    orizzonte:::core_theta(fit))
    d <- 1 / sqrt(diag(at$expected))
    decrement <- tryCatch(sum((d * at$score) * solve(at$expected * outer(d, d), d * at$score)),
                          error = function(e) NA)
  }
  data.frame(seed = seed, n = case$n, p = ncol(case$s), kind = case$kind,
             scale = case$blueprint$scale, refused = refused, wrongly_refused = refused &&
             !lacks_rank(reference), converged = converged, chisq = chisq,
             reference = if (is.null(oracle)) NA else oracle$chisq,
             reference_decrement = if (is.null(oracle)) NA else oracle$decrement,
             decrement = decrement, expressible = expressible(case, oracle),
             improper = "orizzonte_warning_improper" %in% warned)
}

args <- commandArgs(trailingOnly = TRUE)
models <- if (length(args) > 0) as.integer(args[1]) else 2100L
first <- if (length(args) > 1) as.integer(args[2]) else 1L
cache <- file.path(".build", "battery")
dir.create(cache, recursive = TRUE, showWarnings = FALSE)

run_shard <- function(seeds) {
  file <- file.path(cache, sprintf("%06d-%06d.rds", min(seeds), max(seeds)))
  if (file.exists(file)) return(readRDS(file))
  rows <- do.call(rbind, lapply(seeds, run_case))
  saveRDS(rows, file)
  message(format(Sys.time(), "%H:%M:%S"), "  seeds ", min(seeds), " to ", max(seeds), " done")
  rows
}

seeds <- first - 1L + seq_len(models)
shards <- split(seeds, (seq_along(seeds) - 1L) %/% 50L)
results <- do.call(rbind, parallel::mclapply(shards, run_shard, mc.preschedule = FALSE,
                                             mc.cores = max(1L, parallel::detectCores())))
known <- !is.na(results$reference) & results$reference_decrement < 1e-6 & results$expressible
reached <- results$converged & (!known | results$chisq <= results$reference + 1e-4)
cat(sprintf("%d models; %d refused as unidentified; %d converged (%.2f %%), %d of them improper\n",
            nrow(results), sum(results$refused), sum(results$converged),
            100 * mean(results$converged[!results$refused]),
            sum(results$improper & results$converged)))
print(table(kind = results$kind, converged = results$converged))
cat(sprintf("wrongly refused, by the rank of the reference's Jacobian: %d\n",
            sum(results$wrongly_refused)))
if (any(results$wrongly_refused)) print(results[results$wrongly_refused, 1:5], row.names = FALSE)
cat(sprintf("reference optimum known for %d; reached or bettered: %.3f %%\n", sum(known),
            100 * mean(reached[known & !results$refused])))
cat(sprintf("left out: %d whose best solution the unit scale cannot express\n",
            sum(!results$expressible)))
cat(sprintf("largest predicted drop at a converged fit, in the user's units: %.2g\n",
            max(results$decrement, na.rm = TRUE)))
missed <- results[known & !results$refused & !reached, ]
if (nrow(missed)) print(missed, row.names = FALSE)
