# Incomplete data and robust inference: timings as ratios in one run, on one core.
suppressPackageStartupMessages(library(orizzonte))
quiet <- function(code) suppressWarnings(suppressMessages(code))
timed <- function(code, repeats = 7L, inner = 1L) {
  stats::median(vapply(seq_len(repeats), function(i) {
    gc(FALSE)      # as system.time() does: nobody pays for what the other has left
    start <- proc.time()[["elapsed"]]
    for (k in seq_len(inner)) code()
    (proc.time()[["elapsed"]] - start) / inner
  }, 0))
}
# both alternately, so that drift in the speed of a machine affects them equally
ratio <- function(mine, reference, repeats = 7L, inner = 1L) {
  pairs <- vapply(seq_len(repeats), function(i) {
    c(timed(mine, 1L, inner), timed(reference, 1L, 1L))
  }, c(0, 0))
  c(ms = 1000 * stats::median(pairs[1, ]), reference_ms = 1000 * stats::median(pairs[2, ]),
    ratio = stats::median(pairs[1, ] / pairs[2, ]))
}
said <- function(...) cat(paste0(...), "\n", sep = "")
row <- function(work, found, budget) {
  said(formatC(work, width = -58), sprintf("%9.2f ms %9.2f ms  ratio %.4f  budget %.4f  %s",
                                           found[[1]], found[[2]], found[[3]], budget,
                                           if (found[[3]] <= budget) "met" else "NOT MET"))
}

# --- a growth model with holes against a mixed model ---------------------------------------------
set.seed(1)
n <- 500
level <- rnorm(n, 10, 2)
slope <- rnorm(n, 1.5, 0.6) + 0.1 * (level - 10)
wide <- as.data.frame(sapply(0:4, function(t) level + slope * t + rnorm(n)))
names(wide) <- paste0("w", 1:5)
wide[matrix(runif(5 * n) < 0.2, n)] <- NA
growth <- blueprint("Growth") |>
  construct("Level", reflected_in = c(w1 = 1, w2 = 1, w3 = 1, w4 = 1, w5 = 1)) |>
  construct("Slope", reflected_in = c(w1 = 0, w2 = 1, w3 = 2, w4 = 3, w5 = 4)) |>
  restrict(intercept[w1:w5] == 0, variance[w2:w5] == variance[w1]) |>
  relax(mean[Level], mean[Slope])
fit <- quiet(fit_model(growth, wide))
model <- fit$layout$model
moments <- orizzonte:::core_moments(fit)
core <- function() orizzonte:::core_fit(model, moments, numeric())
whole <- function() quiet(fit_model(growth, wide))
for (warm in 1:30) whole()
if (requireNamespace("lme4", quietly = TRUE)) {
  long <- data.frame(id = rep(seq_len(n), 5), time = rep(0:4, each = n), y = unlist(wide))
  mixed <- function() quiet(lme4::lmer(y ~ time + (time | id), data = long, REML = FALSE))
  said("log-likelihoods: ", format(as.numeric(logLik(fit)), digits = 10), " and ",
       format(as.numeric(logLik(mixed())), digits = 10), " (lme4)")
  row("growth 500 x 5, 20% holes, core fit + errors", ratio(core, mixed, 9L, 20L), 1 / 20)
  row("the same, whole fit_model()", ratio(whole, mixed, 9L, 3L), 1 / 5)
} else {
  said("lme4 is not installed: the growth rows are left out")
}

# --- more cases of the same patterns -------------------------------------------------------------
three_factors <- function(n, patterns = 20L, items = 12L, factors = 3L, seed = 2) {
  set.seed(seed)
  per <- items / factors
  f <- matrix(rnorm(factors * n), n)
  x <- do.call(cbind, lapply(seq_len(factors), function(j) f[, j] %o% rep(0.8, per))) +
    0.7 * rnorm(items * n)
  colnames(x) <- paste0("x", seq_len(items))
  holes <- unique(rbind(rep(FALSE, items), t(replicate(4 * patterns, runif(items) < 0.2))))
  holes <- holes[rowSums(!holes) > 0, , drop = FALSE][seq_len(patterns), , drop = FALSE]
  x[holes[sample(patterns, n, TRUE), ]] <- NA
  as.data.frame(x)
}
factor_blueprint <- function(items, factors) {
  bp <- blueprint("bench")
  per <- items / factors
  for (j in seq_len(factors))
    bp <- construct(bp, paste0("F", j), reflected_in = all_of(paste0("x", (j - 1) * per +
                                                                       seq_len(per))))
  bp
}
core_of <- function(fit) {
  model <- fit$layout$model
  moments <- orizzonte:::core_moments(fit)
  function() orizzonte:::core_fit(model, moments, numeric())
}
said("")
said("12 items, 3 factors, 20 patterns: only the pass over the data grows")
for (n in c(1e3, 1e4, 1e5, 1e6)) {
  data <- three_factors(n)
  bp <- factor_blueprint(12, 3)
  fit <- quiet(fit_model(bp, data))
  said(sprintf("  n = %9s  core fit %7.2f ms  fit_model() %9.1f ms  iterations %d",
               format(n, big.mark = ",", scientific = FALSE), 1000 * timed(core_of(fit), 5L),
               1000 * timed(function() quiet(fit_model(bp, data)), if (n > 1e5) 1L else 3L),
               length(fit$solution$history$chisq)))
  rm(data, fit)
}
said("")
said("30 items, 3 factors: more patterns, 5,000 cases")
for (patterns in c(100L, 300L, 900L)) {
  data <- three_factors(5000, patterns, 30L)
  bp <- factor_blueprint(30, 3)
  fit <- quiet(fit_model(bp, data))
  said(sprintf("  %4d patterns  core fit %8.1f ms  fit_model() %8.1f ms  fit_indices() %8.1f ms",
               length(fit$moments[[1]]$patterns), 1000 * timed(core_of(fit), 3L),
               1000 * timed(function() quiet(fit_model(bp, data)), 3L),
               1000 * timed(function() fit_indices(quiet(fit_model(bp, data))), 1L)))
}
said("")
said("corrected indices, 300 of 1,000 cases with three holes each: by number of items")
for (items in c(20L, 40L, 60L)) {
  set.seed(3)
  data <- three_factors(1000, 1L, items, items / 10)
  for (r in sample(1000, 300)) data[r, sample(items, 3)] <- NA
  bp <- factor_blueprint(items, items / 10)
  fit <- quiet(fit_model(bp, data))
  said(sprintf("  %3d items  fit_model() %8.1f ms  fit_indices() %8.1f ms", items,
               1000 * timed(function() quiet(fit_model(bp, data)), 1L),
               1000 * timed(function() fit_indices(quiet(fit_model(bp, data))), 1L)))
}

# --- robust inference ----------------------------------------------------------------------------
said("")
data <- three_factors(1000, 1L, 100L, 10L)
bp <- factor_blueprint(100, 10)
plain <- function() vcov(quiet(fit_model(bp, data)))
robust <- function() {
  fit <- quiet(fit_model(bp, data, inference = "robust"))
  list(vcov(fit), test_of(fit))
}
test_of <- orizzonte:::test_of
row("robust errors and test, 100 items, n = 1,000", ratio(robust, plain, 7L), 5)
