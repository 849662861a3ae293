# Monte Carlo: under the truth, standardized residuals have variance one, modification indices
# follow chi-square with one degree of freedom. Each with its simulation error.
suppressPackageStartupMessages(library(orizzonte))
reps <- as.integer(commandArgs(TRUE)[1])
if (is.na(reps)) reps <- 2000L
items <- c(paste0("be", 1:4), paste0("sc", 1:4), paste0("st", 1:3))
bp <- blueprint("Truth") |> construct("Belonging", reflected_in = be1:be4) |>
  construct("Calm", reflected_in = sc1:sc4) |> construct("Staying",
    reflected_in = st1:st3)
data <- as.data.frame(lapply(choirs[items], as.numeric))
sigma <- implied(fit_model(bp, data[stats::complete.cases(data), ]))$all$covariance
root <- chol(sigma)
n <- 500L
set.seed(20260101)
draws <- vapply(seq_len(reps), function(i) {
  x <- matrix(stats::rnorm(n * ncol(sigma)), n) %*% root
  colnames(x) <- colnames(sigma)
  fit <- fit_model(bp, as.data.frame(x))
  z <- residuals(fit, "standardized")$all$covariance
  found <- amendments(fit, top = 0)
  c(z[lower.tri(z)], found$modification_index[order(found$parameter)])
}, numeric(55L + nrow(amendments(fit_model(bp, summary_data(sigma, n)), top = 0))))
z <- draws[1:55, ]
index <- draws[-(1:55), ]
variance <- apply(z, 1, stats::var)
error <- sqrt(2 / (reps - 1))
rate <- rowMeans(index > stats::qchisq(0.95, 1))
rate_error <- sqrt(0.05 * 0.95 / reps)
cat(sprintf("%d samples of n = %d\n", reps, n))
cat(sprintf(
  paste0("variance of 55 standardized residuals: mean %.3f, range %.3f to %.3f; simulation ",
         "error of one %.3f\n"), mean(variance), min(variance),
            max(variance), error))
cat(sprintf("mean of them: range %.3f to %.3f; simulation error of one %.3f\n", min(rowMeans(z)),
            max(rowMeans(z)), 1 / sqrt(reps)))
cat(sprintf(
  paste0("rejection at .05 of %d modification indices: mean %.4f, range %.4f to %.4f; ",
         "simulation error of one %.4f\n"),
            nrow(index), mean(rate), min(rate), max(rate), rate_error))
ok <- abs(mean(variance) - 1) < 0.02 && all(abs(variance - 1) < 5 * error) &&
  abs(mean(rate) - 0.05) < 0.005 && all(abs(rate - 0.05) < 5 * rate_error)
quit(save = "no", status = if (ok) 0L else 1L)
