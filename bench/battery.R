# Random identified models: does the fit reach the optimum that an independent optimiser finds, and is "converged" ever
# false? Usage: Rscript bench/battery.R [models] [first seed]
suppressPackageStartupMessages(library(orizzonte))
source("tests/oracles/brute-force.R")

random_case <- function(seed) {
  set.seed(seed)
  m <- sample(1:4, 1)
  sizes <- if (m == 1) sample(4:7, 1) else sample(2:5, m, replace = TRUE)
  if (m > 1 && all(sizes == 2)) sizes[1] <- 3
  constructs <- LETTERS[seq_len(m)]
  items <- lapply(seq_len(m), function(k) paste0(letters[k], seq_len(sizes[k])))
  names(items) <- constructs
  observed <- unlist(items, use.names = FALSE)
  p <- length(observed)
  structural <- m > 1 && runif(1) < 0.5
  cross <- if (m > 1 && runif(1) < 0.4) list(from = constructs[1], to = items[[2]][length(items[[2]])])
  pair <- if (p > 6 && runif(1) < 0.4) items[[which.max(sizes)]][1:2]
  if (max(sizes) < 4) pair <- NULL
  # population: the model plus many small factors (Tucker, Koopman & Linn 1969)
  lambda <- matrix(0, p, m, dimnames = list(observed, constructs))
  for (k in seq_len(m)) lambda[items[[k]], k] <- runif(sizes[k], 0.45, 0.9) * sample(c(1, 1, 1, -1), sizes[k], TRUE)
  if (!is.null(cross)) lambda[cross$to, cross$from] <- runif(1, -0.3, 0.3)
  phi <- diag(m)
  if (m > 1) phi[lower.tri(phi)] <- runif(m * (m - 1) / 2, -0.2, 0.6)
  phi[upper.tri(phi)] <- t(phi)[upper.tri(phi)]
  while (min(eigen(phi)$values) < 0.1) phi <- 0.8 * phi + 0.2 * diag(m)
  theta <- pmax(0.15, 1 - diag(lambda %*% phi %*% t(lambda)))
  minor <- matrix(rnorm(p * 10, 0, runif(1, 0, 0.12)), p)
  sigma <- lambda %*% phi %*% t(lambda) + diag(theta) + minor %*% t(minor)
  n <- round(exp(runif(1, log(max(60, 4 * p)), log(2000))))
  unit <- 10^runif(p, -3, 3)
  x <- matrix(rnorm(n * p), n) %*% chol(sigma)
  colnames(x) <- observed
  list(constructs = constructs, items = items, observed = observed, structural = structural, cross = cross, pair = pair,
       scale = sample(c("marker", "unit", "average"), 1), n = n, s = cov(x), unit = unit, lambda = lambda, phi = phi, theta = theta)
}

blueprint_of <- function(case) {
  bp <- blueprint("battery", scale = if (any(case$lambda < 0) && case$scale == "average") "marker" else case$scale)
  for (name in case$constructs) {
    own <- c(case$items[[name]], if (identical(case$cross$from, name)) case$cross$to)
    bp <- construct(bp, name, reflected_in = all_of(own))
  }
  if (case$structural) {
    for (k in seq_along(case$constructs)[-1]) {
      bp <- effect(bp, stats::as.formula(paste(case$constructs[k], "~", paste(case$constructs[seq_len(k - 1)], collapse = "+"))))
    }
  }
  if (!is.null(case$pair)) bp <- covary(bp, case$pair)
  bp
}

# The same model with free covariances (a full recursive structure is only another way to write them), unit variances.
reference_of <- function(case) {
  own <- case$items
  spec <- oracle_factor_cells(own, unit = TRUE)
  if (!is.null(case$cross)) spec <- rbind(spec, data.frame(matrix = "B", row = case$cross$to, col = case$cross$from, value = NA))
  if (!is.null(case$pair)) spec <- rbind(spec, data.frame(matrix = "Psi", row = case$pair[1], col = case$pair[2], value = NA))
  model <- oracle_model(case$observed, case$constructs, spec)
  true <- vapply(seq_len(nrow(spec)), function(i) {
    r <- spec$row[i]
    k <- spec$col[i]
    if (spec$matrix[i] == "B") return(case$lambda[r, k])
    if (r == k && r %in% case$observed) return(case$theta[[match(r, case$observed)]])
    if (r %in% case$constructs) return(case$phi[match(r, case$constructs), match(k, case$constructs)])
    0
  }, 0)
  list(model = model, start = true[model$free])
}

# "unit" sets disturbance variances to 1, and so cannot express an optimum where one is negative.
expressible <- function(case, oracle) {
  if (is.null(oracle) || case$scale != "unit" || !case$structural) return(TRUE)
  phi <- oracle$groups[[1]]$phi[case$constructs, case$constructs]
  minors <- vapply(seq_along(case$constructs), function(k) det(phi[seq_len(k), seq_len(k), drop = FALSE]), 0)
  all(minors / c(1, minors[-length(minors)]) > 0)
}

# Is a refused model unidentified indeed? By the rank of the oracle's own Jacobian of the moments at random points.
lacks_rank <- function(reference) {
  ranks <- vapply(1:3, function(i) {
    theta <- reference$start + stats::rnorm(length(reference$start), 0, 0.2)
    jacobian <- numDeriv::jacobian(function(x) oracle_moments(reference$model, x), theta, method = "complex")
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
    tryCatch(fit_model(blueprint_of(case), data), orizzonte_error = function(e) e),
    orizzonte_warning = function(w) {
      warned <<- c(warned, class(w)[1])
      invokeRestart("muffleWarning")
    })
  sample <- list(list(n = case$n, covariance = stats::cov2cor(case$s), mean = NULL))
  reference <- reference_of(case)
  oracle <- tryCatch(oracle_fit(reference$model, reference$start, sample, steps = 30), error = function(e) NULL)
  refused <- inherits(fit, "error")
  converged <- !refused && orizzonte:::has_converged(fit)
  chisq <- if (refused) NA else deviance(fit)
  # an independent look at stationarity, in correlation metric
  decrement <- NA
  if (converged) {
    core <- fit$layout$core
    rescaled <- list(list(n = fit$moments$n, covariance = fit$moments$covariance, mean = NULL))
    at <- orizzonte:::core_evaluate(core, rescaled, fit$core$theta)
    d <- 1 / sqrt(diag(at$expected))
    decrement <- tryCatch(sum((d * at$score) * solve(at$expected * outer(d, d), d * at$score)), error = function(e) NA)
  }
  data.frame(seed = seed, n = case$n, p = length(case$observed), m = length(case$constructs), scale = case$scale, structural = case$structural,
             refused = refused, wrongly_refused = refused && !lacks_rank(reference), converged = converged, chisq = chisq, reference = if (is.null(oracle)) NA else oracle$chisq,
             reference_decrement = if (is.null(oracle)) NA else oracle$decrement, decrement = decrement,
             expressible = expressible(case, oracle), improper = "orizzonte_warning_improper" %in% warned)
}

args <- commandArgs(trailingOnly = TRUE)
models <- if (length(args) > 0) as.integer(args[1]) else 2000L
first <- if (length(args) > 1) as.integer(args[2]) else 1L
results <- do.call(rbind, parallel::mclapply(first - 1L + seq_len(models), run_case, mc.cores = max(1L, parallel::detectCores())))
known <- !is.na(results$reference) & results$reference_decrement < 1e-6 & results$expressible
reached <- results$converged & (!known | results$chisq <= results$reference + 1e-4)
cat(sprintf("%d models; %d refused as unidentified; %d converged (%.2f %%), %d of them improper\n", nrow(results), sum(results$refused),
            sum(results$converged), 100 * mean(results$converged[!results$refused]), sum(results$improper & results$converged)))
cat(sprintf("wrongly refused, by the rank of the reference's Jacobian: %d\n", sum(results$wrongly_refused)))
if (any(results$wrongly_refused)) print(results[results$wrongly_refused, 1:6], row.names = FALSE)
cat(sprintf("reference optimum known for %d; reached or bettered: %.3f %%\n", sum(known), 100 * mean(reached[known & !results$refused])))
cat(sprintf("left out: %d whose best solution the unit scale cannot express\n", sum(!results$expressible)))
cat(sprintf("largest predicted drop at a converged fit, in the user's units: %.2g\n", max(results$decrement, na.rm = TRUE)))
missed <- results[known & !results$refused & !reached, ]
if (nrow(missed)) print(missed, row.names = FALSE)
