# Whether the best optimum depends on the order in which items, constructs and groups were written:
# the battery's models in six orders each. Usage: Rscript bench/orders.R [models] [orders]
suppressPackageStartupMessages(library(orizzonte))
source("tests/oracles/generic-ml.R")
source("bench/random-models.R")

one_model <- function(seed, orders) {
  case <- random_case(seed)
  reached <- vapply(seq_len(orders), function(order) {
    again <- in_another_order(case, order, markers = case$family == "bifactor")
    fit <- tryCatch(suppressWarnings(suppressMessages(fit_model(again$blueprint, again$data))),
                    orizzonte_error = function(e) NULL)
    if (is.null(fit)) NA else if (orizzonte:::has_converged(fit)) deviance(fit) else Inf
  }, 0)
  apart <- if (anyNA(reached) || any(is.infinite(reached))) length(unique(reached)) > 1L else
    diff(range(reached)) > 1e-6 * max(1, min(reached))
  data.frame(seed = seed, family = case$family, apart = apart,
             gap = if (all(is.finite(reached))) diff(range(reached)) else NA)
}

args <- c(as.integer(commandArgs(trailingOnly = TRUE)), 960L, 6L)[1:2]
found <- do.call(rbind, parallel::mclapply(seq_len(args[1L]), one_model, orders = args[2L],
                                           mc.preschedule = FALSE,
                                           mc.cores = max(1L, parallel::detectCores())))
cat(sprintf(paste0("%s, R %s, orizzonte %s: %d models in %d orders, %d of them with another ",
                   "optimum in some\n"),
            format(Sys.Date()), getRversion(), utils::packageVersion("orizzonte"), nrow(found),
            args[2L], sum(found$apart)))
print(do.call(rbind, lapply(split(found, found$family), function(x) {
  data.frame(models = nrow(x), apart = sum(x$apart))
})))
if (any(found$apart)) print(found[found$apart, ], row.names = FALSE)
