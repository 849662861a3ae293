# Timings of single calls as ratios to a reference measured in the same run, one core. Writes
# bench/results/budgets.txt.
suppressPackageStartupMessages(library(orizzonte))
core_fit <- orizzonte:::core_fit

source("bench/paired.R")

simulated <- function(n, factors, per_factor, seed) {
  set.seed(seed)
  f <- matrix(rnorm(n * factors), n) %*% chol(0.3 + 0.7 * diag(factors))
  x <- do.call(cbind, lapply(seq_len(factors), function(k) {
    sapply(seq_len(per_factor), function(i) runif(1, 0.6, 0.9) * f[, k] + rnorm(n, 0, 0.6))
  }))
  # some misfit, so that the optimiser has real work
  x[, 2] <- x[, 2] + 0.3 * f[, factors]
  stats::setNames(as.data.frame(x), sprintf("x%03d", seq_len(ncol(x))))
}

factor_blueprint <- function(names, factors) {
  per <- length(names) / factors
  bp <- blueprint("bench")
  for (k in seq_len(factors))
    bp <- construct(bp, paste0("F", k), reflected_in = names[(k - 1) * per + seq_len(per)])
  bp
}

# The core alone, as the binding calls it: layout and moments made beforehand, means profiled out.
core_call <- function(data, factors) {
  bp <- factor_blueprint(names(data), factors)
  fit <- fit_model(bp, data)
  model <- fit$layout$model
  sample <- lapply(orizzonte:::core_moments(fit), function(moments) {
    replace(moments, "mean",
    list(NULL))
  })
  function() core_fit(model, sample, numeric())
}

nine <- simulated(500, 1, 9, 1)
s <- cov(nine)
one <- core_call(nine, 1)
compare("core fit + errors, 1 factor, 9 items", 1 / 30, one,
        function() factanal(covmat = s, factors = 1, n.obs = 500), repeats = 15L,
        times = c(400L, 15L))

three <- simulated(500, 3, 3, 2)
bp <- factor_blueprint(names(three), 3)
compare("fit_model(), 3 factors, 9 items, 500 rows", 2, function() fit_model(bp, three),
        function() factanal(three, factors = 3), repeats = 21L, times = c(5L, 5L))

hundred <- simulated(1000, 10, 10, 3)
s100 <- cov(hundred)
big <- core_call(hundred, 10)
compare("core fit + errors, 10 factors, 100 items, 245 free", 1 / 2, big,
        function() factanal(covmat = s100, factors = 10, n.obs = 1000), repeats = 7L,
        times = c(3L, 1L))

misfitting <- fit_model(factor_blueprint(names(hundred), 10), hundred)
compare("all modification indices of that model: amendments(top = 0)", 2,
        function() amendments(misfitting, top = 0),
        function() factanal(covmat = s100, factors = 10, n.obs = 1000), repeats = 7L)

# each reading gets a fit that was never read
hundred_bp <- factor_blueprint(names(hundred), 10)
fit_hundred <- function() fit_model(hundred_bp, hundred)
readers <- list("summary()" = function(fit) invisible(summary(fit)), "estimates()" = estimates,
                "amendments(top = 0)" = function(fit) amendments(fit, top = 0))
for (name in names(readers))
  compare(paste(name, "of 100 items, against its fit_model()"), 10, readers[[name]], fit_hundred,
          fresh = fit_hundred, repeats = 7L)

twelve <- stats::setNames(simulated(720, 3, 4, 4), paste0("v", 1:12))
grouped <- cbind(twelve, g = rep(c("a", "b"), c(420, 300)))
grouped_bp <- factor_blueprint(names(twelve), 3)
climb <- function() suppressMessages(invariance(grouped_bp, grouped, by = "g"))
compare("invariance(), four rungs, two groups, 12 items, n = 720", 4, climb,
        function() for (rung in 1:4) factanal(twelve, factors = 3), repeats = 11L)

# those that loading it loads
compare_loading(c("cli", "generics", "Rcpp", "rlang"))
quit(save = "no", status = if (save_rows("budgets")) 0L else 1L)
