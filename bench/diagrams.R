# Path diagrams of random blueprints: faults of the arrangement, crossings, seconds.
# Usage: Rscript bench/diagrams.R [blueprints]
suppressPackageStartupMessages(library(orizzonte))
source("tests/oracles/diagram-faults.R")
source("bench/random-blueprints.R")

arranged <- function(seed) {
  bp <- random_blueprint(seed)
  began <- proc.time()[["elapsed"]]
  found <- arrange_blueprint(bp)
  seconds <- proc.time()[["elapsed"]] - began
  faults <- diagram_faults(found)
  data.frame(kind = sub(" [0-9]+$", "", bp$title), nodes = nrow(found$nodes), seconds = seconds,
             crossings = crossings(found), faults = NROW(faults),
             worst = if (NROW(faults)) names(which.max(table(faults$kind))) else "")
}

count <- c(as.integer(commandArgs(trailingOnly = TRUE)), 500L)[1L]
results <- do.call(rbind, parallel::mclapply(seq_len(count), arranged,
                                             mc.cores = max(1L, parallel::detectCores())))
cat(sprintf("%s, R %s, orizzonte %s: %d blueprints, %d without a fault\n", format(Sys.Date()),
            getRversion(), utils::packageVersion("orizzonte"), count, sum(results$faults == 0)))
print(do.call(rbind, lapply(split(results, results$kind), function(x) {
  data.frame(blueprints = nrow(x), faultless = sum(x$faults == 0), faults = sum(x$faults),
             mostly = c(names(sort(-table(x$worst[x$faults > 0]))), "")[1L],
             crossings = sum(x$crossings), "longest s" = round(max(x$seconds), 2),
             check.names = FALSE)
})))
