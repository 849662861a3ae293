# Are corrected replicates of chi-square and of fit indices centred correctly? Monte Carlo: data
# from a population for which the model is misspecified; intervals of RMSEA and CFI (case bootstrap,
# percentile) against the values of the population; with and without the correction.
# Usage: Rscript bench/bootstrap.R [data sets] [replicates]
suppressPackageStartupMessages(library(orizzonte))
ns <- asNamespace("orizzonte")
given <- as.integer(commandArgs(TRUE))
sets <- if (length(given) > 0) given[1] else 300L
reps <- if (length(given) > 1) given[2] else 200L
quietly <- function(code) suppressWarnings(suppressMessages(code))

right <- blueprint("Two") |> construct("A", reflected_in = a1:a4) |>
  construct("B", reflected_in = b1:b4)
population <- covary(right, a1, a2) |> covary(b1, b3)
truth <- c("loading[ , ]" = .7, "covariance[A, B]" = .4, "covariance[a1, a2]" = .35,
           "covariance[b1, b3]" = .25)
cases <- list(normal = list(), `heavy tails` = list(kurtosis = 4),
              `10% missing` = list(missing = .1))

# The discrepancy of the misspecified model and of the baseline in the population itself.
large <- quietly(ns$population_fit(population, 1e6, truth, "standardized"))
moments <- ns$group_views(large)[[1]]$moments
wrong <- quietly(fit_model(right, summary_data(moments$covariance * 4, 1e6, means = moments$mean,
                                               divisor = "n")))
index <- fit_indices(wrong)
target <- index$value[match(c("rmsea", "cfi"), index$index)]
names(target) <- c("rmsea", "cfi")

one_set <- function(n, k, how, corrected, reps) {
  data <- do.call(simulate, c(list(population, 1, seed = 1000 + k, n = n, truth = truth), how))[[1]]
  fit <- quietly(fit_model(right, data))
  reader <- function(f) ns$indices_of(f)[c("rmsea", "cfi")]
  job <- ns$new_refit_job(fit, ns$case_source(fit), k, list(reader), c("rmsea", "cfi"),
                          if (corrected) ns$overshoot_of(fit))
  found <- ns$refit_chunk(job, 1L, reps)
  x <- found$values[found$status == 0L, ]
  limits <- apply(x, 2, quantile, c(.025, .975), na.rm = TRUE)
  c(rmsea = target[["rmsea"]] >= limits[1, 1] && target[["rmsea"]] <= limits[2, 1],
    cfi = target[["cfi"]] >= limits[1, 2] && target[["cfi"]] <= limits[2, 2],
    bias_chisq = mean(found$chisq) - deviance(fit),
    overshoot = (ns$overshoot_of(fit)$chisq))
}

cat("Population: RMSEA", format(target[["rmsea"]], digits = 3), " CFI", format(target[["cfi"]],
                                                                               digits = 4),
    "; ", sets, "data sets,", reps, "replicates each; coverage of 95% percentile intervals, ",
    "error of a share about", format(sqrt(.95 * .05 / sets), digits = 2), "\n\n")
rows <- list()
for (name in names(cases)) for (n in c(300L, 1000L)) for (corrected in c(TRUE, FALSE)) {
  if (!corrected && n > 300L) next
  # indices of incomplete data take ten times as long
  few <- if (is.null(cases[[name]]$missing)) 1 else 3
  found <- vapply(seq_len(sets %/% few), one_set, numeric(4), n = n, how = cases[[name]],
                  corrected = corrected, reps = reps %/% few)
  rows[[length(rows) + 1L]] <- data.frame(
    data = name, n = n, sets = ncol(found), corrected = corrected,
      rmsea_covered = mean(found["rmsea", ]),
    cfi_covered = mean(found["cfi", ]), chisq_too_large_by = mean(found["bias_chisq", ]),
    trace = mean(found["overshoot", ]))
}
options(width = 140)
print(do.call(rbind, rows), row.names = FALSE, digits = 3)
