# Path diagrams of random blueprints and of a structural model of four constructs: faults of the
# arrangement, bends, detours, near misses, the part of the page that is used, seconds, and how many
# lines cross beside a graph library's layered layout (igraph, if installed) of the same boxes and
# lines.
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

four <- blueprint("four constructs") |>
  construct("Belonging", reflected_in = be1:be4) |> construct("Craft", reflected_in = cr1:cr4) |>
  construct("Calm", reflected_in = sc1:sc4) |> construct("Staying", reflected_in = st1:st3) |>
  effect(Calm ~ Belonging + Craft + years) |> effect(Staying ~ Calm + Belonging + years)

arranged <- function(seed) {
  bp <- if (seed == 0L) four else random_blueprint(seed)
  began <- proc.time()[["elapsed"]]
  found <- arrange_blueprint(bp)
  seconds <- proc.time()[["elapsed"]] - began
  faults <- diagram_faults(found)
  looks <- diagram_looks(found)
  data.frame(kind = sub(" [0-9]+$", "", bp$title), nodes = nrow(found$nodes), seconds = seconds,
             points = looks$points, bends = looks$bends, most_bends = looks$most_bends,
             detours = looks$detours, near = looks$near, used = looks$used,
             crossings = crossings(found), beside = library_crossings(found), faults = NROW(faults),
             worst = if (NROW(faults)) names(which.max(table(faults$kind))) else "")
}

count <- c(as.integer(commandArgs(trailingOnly = TRUE)), 500L)[1L]
results <- do.call(rbind, parallel::mclapply(0:count, arranged,
                                             mc.cores = max(1L, parallel::detectCores())))
cat(sprintf("%s, R %s, orizzonte %s%s: %d blueprints, %d without a fault\n", format(Sys.Date()),
            getRversion(), utils::packageVersion("orizzonte"),
            if (has_igraph) paste0(", igraph ", utils::packageVersion("igraph")) else "",
            count + 1L,
            sum(results$faults == 0)))
table <- do.call(rbind, lapply(c(split(results, results$kind), list(all = results)), function(x) {
  data.frame(blueprints = nrow(x), faultless = sum(x$faults == 0), faults = sum(x$faults),
             mostly = c(names(sort(-table(x$worst[x$faults > 0]))), "")[1L],
             bends = sum(x$bends), `most bends` = max(x$most_bends), detours = sum(x$detours),
             near = sum(x$near), used = round(mean(x$used), 2), crossings = sum(x$crossings),
             `of igraph` = sum(x$beside), `more than igraph` = sum(x$crossings > x$beside),
             `smallest pt` = round(min(x$points), 1), `longest s` = round(max(x$seconds), 2),
             check.names = FALSE)
}))
print(table)
worse <- which(results$crossings > results$beside)
if (length(worse)) {
  cat("\nmore crossings than igraph, by seed:\n")
  print(cbind(seed = worse - 1L, results[worse, c("kind", "crossings", "beside")]),
        row.names = FALSE)
}
