# Path diagrams of random blueprints: faults of the arrangement, seconds, and how many lines cross,
# beside a graph library's layered layout (igraph, if installed) of the same boxes and lines.
# Usage: Rscript bench/diagrams.R [blueprints]
suppressPackageStartupMessages(library(orizzonte))
source("tests/oracles/diagram-faults.R")
source("tests/oracles/random-blueprints.R")
has_igraph <- requireNamespace("igraph", quietly = TRUE)

# The same boxes and lines, laid out in layers by the library, lines straight.
library_crossings <- function(found) {
  if (!has_igraph) return(NA_integer_)
  edges <- Filter(function(e) e$type != "residual", found$edges)
  ends <- do.call(rbind, lapply(edges, `[[`, "ends"))
  graph <- igraph::graph_from_data_frame(as.data.frame(ends), vertices = found$nodes["name"])
  place <- igraph::layout_with_sugiyama(graph, maxiter = 1000)$layout
  at <- function(name) place[match(name, found$nodes$name), ]
  lines <- lapply(edges, function(e) {
    list(type = e$type, path = rbind(at(e$ends[1L]), at(e$ends[2L])))
  })
  crossings(list(edges = lines))
}

arranged <- function(seed) {
  bp <- random_blueprint(seed)
  began <- proc.time()[["elapsed"]]
  found <- arrange_blueprint(bp)
  seconds <- proc.time()[["elapsed"]] - began
  faults <- diagram_faults(found)
  data.frame(kind = sub(" [0-9]+$", "", bp$title), nodes = nrow(found$nodes), seconds = seconds,
             points = found$text_size, crossings = crossings(found),
             beside = library_crossings(found), faults = NROW(faults),
             worst = if (NROW(faults)) names(which.max(table(faults$kind))) else "")
}

count <- c(as.integer(commandArgs(trailingOnly = TRUE)), 500L)[1L]
results <- do.call(rbind, parallel::mclapply(seq_len(count), arranged,
                                             mc.cores = max(1L, parallel::detectCores())))
cat(sprintf("%s, R %s, orizzonte %s%s: %d blueprints, %d without a fault\n", format(Sys.Date()),
            getRversion(), utils::packageVersion("orizzonte"),
            if (has_igraph) paste0(", igraph ", utils::packageVersion("igraph")) else "", count,
            sum(results$faults == 0)))
table <- do.call(rbind, lapply(c(split(results, results$kind), list(all = results)), function(x) {
  data.frame(blueprints = nrow(x), faultless = sum(x$faults == 0), faults = sum(x$faults),
             mostly = c(names(sort(-table(x$worst[x$faults > 0]))), "")[1L],
             crossings = sum(x$crossings), `of igraph` = sum(x$beside),
             `more than igraph` = sum(x$crossings > x$beside),
             `smallest pt` = round(min(x$points), 1), `longest s` = round(max(x$seconds), 2),
             check.names = FALSE)
}))
print(table)
worse <- which(results$crossings > results$beside)
if (length(worse)) {
  cat("\nmore crossings than igraph, by seed:\n")
  print(cbind(seed = worse, results[worse, c("kind", "crossings", "beside")]), row.names = FALSE)
}
