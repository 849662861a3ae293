# Timings as ratios to a reference measured in the same run, medians, one core.
suppressPackageStartupMessages(library(orizzonte))
core_fit <- orizzonte:::core_fit

median_time <- function(code, repeats, inner = 1L) {
  times <- vapply(seq_len(repeats), function(i) {
    start <- proc.time()[["elapsed"]]
    for (k in seq_len(inner)) code()
    (proc.time()[["elapsed"]] - start) / inner
  }, 0)
  stats::median(times)
}

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

# Both alternately, so that drift in the speed of a machine affects them equally: medians of the
# times and of the ratios.
compare <- function(work, budget, mine, reference, repeats, inner_mine = 1L, inner_reference = 1L) {
  pairs <- vapply(seq_len(repeats),
                  function(i) {
                    c(median_time(mine, 1L, inner_mine),
                      median_time(reference, 1L, inner_reference))
                  }, numeric(2L))
  row(work, stats::median(pairs[1L, ]), stats::median(pairs[2L, ]),
      stats::median(pairs[1L, ] / pairs[2L, ]), budget)
}

rows <- list()
row <- function(work, mine, reference, ratio, budget) {
  met <- if (ratio <= budget) "yes" else "NO"
  rows[[length(rows) + 1L]] <<- data.frame(work = work, ms = 1000 * mine,
                                           reference_ms = 1000 * reference, ratio = ratio,
                                           budget = budget, met = met)
  message(sprintf("%s: %.3f of at most %.3f: %s", work, ratio, budget, met))
}

nine <- simulated(500, 1, 9, 1)
s <- cov(nine)
one <- core_call(nine, 1)
compare("core fit + errors, 1 factor, 9 items", 1 / 30, one,
        function() factanal(covmat = s, factors = 1, n.obs = 500), 15, 400, 15)

three <- simulated(500, 3, 3, 2)
bp <- factor_blueprint(names(three), 3)
compare("fit_model(), 3 factors, 9 items, 500 rows", 2, function() fit_model(bp, three),
        function() factanal(three, factors = 3), 21, 5, 5)

hundred <- simulated(1000, 10, 10, 3)
s100 <- cov(hundred)
big <- core_call(hundred, 10)
compare("core fit + errors, 10 factors, 100 items, 245 free", 1 / 2, big,
        function() factanal(covmat = s100, factors = 10, n.obs = 1000), 7, 3, 1)

misfitting <- fit_model(factor_blueprint(names(hundred), 10), hundred)
compare("all modification indices of that model: amendments(top = 0)", 2,
        function() amendments(misfitting, top = 0),
        function() factanal(covmat = s100, factors = 10, n.obs = 1000), 7, 1, 1)

# A fit remembers shared results: each reading gets a fit that was never read.
reader_of <- function(reader, repeats) {
  fits <- lapply(seq_len(repeats), function(i) fit_model(hundred_bp, hundred))
  function() {
    reader(fits[[1L]])
    fits <<- fits[-1L]
  }
}
hundred_bp <- factor_blueprint(names(hundred), 10)
readers <- list("summary()" = function(fit) invisible(summary(fit)), "estimates()" = estimates,
                "amendments(top = 0)" = function(fit) amendments(fit, top = 0))
for (name in names(readers)) {
  compare(paste(name, "of 100 items, against its fit_model()"), 10,
          reader_of(readers[[name]], 7), function() fit_model(hundred_bp, hundred), 7, 1, 1)
}

twelve <- stats::setNames(simulated(720, 3, 4, 4), paste0("v", 1:12))
grouped <- cbind(twelve, g = rep(c("a", "b"), c(420, 300)))
grouped_bp <- factor_blueprint(names(twelve), 3)
climb <- function() suppressMessages(invariance(grouped_bp, grouped, by = "g"))
compare("invariance(), four rungs, two groups, 12 items, n = 720", 4, climb,
        function() for (rung in 1:4) factanal(twelve, factors = 3), 11, 1, 1)

table <- do.call(rbind, rows)
print(format(transform(table, ms = round(ms, 3), reference_ms = round(reference_ms, 3),
                       ratio = signif(ratio, 3), budget = signif(budget, 3))),
      row.names = FALSE, right = FALSE)

rscript <- file.path(R.home("bin"), "Rscript")
whole <- function(expr) {
  median_time(function() system2(rscript, c("-e", shQuote(expr)), stdout = FALSE, stderr = FALSE),
              9)
}
imports <- c("Rcpp", "cli", "rlang", "generics")
packages <- whole(paste0("invisible(lapply(c('", paste(imports, collapse = "', '"),
                         "'), loadNamespace))"))
loaded <- whole("loadNamespace('orizzonte')")
beyond <- loaded - packages
cat(sprintf("\nloading: %.2f s beyond the imports (%.2f s); budget 0.05 s: %s\n", beyond, packages,
            if (beyond <= 0.05) "yes" else "NO"))
quit(save = "no", status = if (all(table$met == "yes") && beyond <= 0.05) 0L else 1L)
