# How often does the test of exact fit reject a correct model in small samples, as it is and
# corrected for the sample size? One group, several groups, robust inference. Nominal level .05.
# Usage: Rscript bench/small-samples.R [replicates]. Table: bench/results/small-samples.txt.
suppressPackageStartupMessages(library(orizzonte))
inside <- function(name) get(name, asNamespace("orizzonte"))
reps <- as.integer(c(commandArgs(TRUE), 1000)[1])

model <- function(constructs, each) {
  bp <- blueprint("Model")
  for (k in seq_len(constructs))
    bp <- construct(bp, paste0("C", k),
                    reflected_in = !!paste0("x", (k - 1) * each + seq_len(each)))
  bp
}
draw <- function(n, constructs, each, heavy) {
  phi <- matrix(0.4, constructs, constructs)
  diag(phi) <- 1
  f <- matrix(stats::rnorm(n * constructs), n) %*% chol(phi)
  x <- 0.7 * f[, rep(seq_len(constructs), each = each), drop = FALSE] +
    sqrt(0.51) * matrix(stats::rnorm(n * constructs * each), n)
  if (heavy) x <- x * sqrt(5 / stats::rchisq(n, 7))
  out <- as.data.frame(x)
  names(out) <- paste0("x", seq_len(ncol(out)))
  out
}

conditions <- rbind(
  expand.grid(sizes = c("50", "100", "200"), model = c("1x15", "3x8"), kind = "one group",
              stringsAsFactors = FALSE),
  expand.grid(sizes = c("50+50", "100+100", "50+200", "100+100+100"), model = c("1x15", "3x8"),
              kind = c("configural", "metric", "metric and strict"), stringsAsFactors = FALSE),
  expand.grid(sizes = c("50", "100", "200"), model = c("1x15", "3x8"),
              kind = c("robust, normal", "robust, heavy tails"), stringsAsFactors = FALSE))

one <- function(condition, seed) {
  set.seed(seed)
  sizes <- as.integer(strsplit(condition$sizes, "+", fixed = TRUE)[[1]])
  shape <- as.integer(strsplit(condition$model, "x", fixed = TRUE)[[1]])
  bp <- model(shape[1], shape[2])
  heavy <- grepl("heavy", condition$kind)
  data <- do.call(rbind, lapply(sizes, draw, shape[1], shape[2], heavy))
  robust <- grepl("robust", condition$kind)
  if (length(sizes) > 1) {
    data$g <- rep(paste0("g", seq_along(sizes)), sizes)
    if (condition$kind != "configural") bp <- hold_equal(bp, loading)
    if (condition$kind == "metric and strict") bp <- hold_equal(bp, variance[items])
  }
  fit <- tryCatch(suppressWarnings(suppressMessages(
    if (length(sizes) > 1) fit_model(bp, data, by = g) else
      fit_model(bp, data, inference = if (robust) "robust" else "normal"))),
    orizzonte_error = function(e) NULL)
  if (is.null(fit) || !inside("has_converged")(fit)) return(c(NA, NA))
  test <- inside("test_of")(fit)
  corrected <- inside("corrected_chisq")(fit) / test$inflation
  c(test$p, stats::pchisq(corrected, test$df, lower.tail = FALSE))
}

rows <- lapply(seq_len(nrow(conditions)), function(k) {
  p <- simplify2array(parallel::mclapply(seq_len(reps), function(r) one(conditions[k, ], r),
                                         mc.cores = parallel::detectCores()))
  row <- data.frame(conditions[k, ], plain = mean(p[1, ] < 0.05, na.rm = TRUE),
                    corrected = mean(p[2, ] < 0.05, na.rm = TRUE), fitted = sum(!is.na(p[1, ])))
  cat(format(Sys.time(), "%H:%M"), unlist(lapply(row, format, digits = 3)), "\n")
  row
})
table <- do.call(rbind, rows)
table[c("plain", "corrected")] <- lapply(table[c("plain", "corrected")], formatC, format = "f",
                                         digits = 3)
dir.create("bench/results", showWarnings = FALSE)
writeLines(c(paste0("Rejections of a correct model at .05, ", reps, " samples a row; model: ",
                    "constructs x items each; sizes of groups."),
             "corrected: factor of Swain (1975), by group; robust: the same factor of the scaled ",
             "test.",
             "", capture.output(print(table, row.names = FALSE))),
           "bench/results/small-samples.txt")
