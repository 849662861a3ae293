# The response time of the live page in a browser, from a click to the changed page: complete data,
#   15 and 40 items. Needs the packages that `make check` installs. Writes bench/results/page.txt.
#   R_LIBS=.build/library Rscript --no-init-file bench/page.R
source("bench/simulated.R")
suppressPackageStartupMessages(library(orizzonte))
visit <- function(constructs, items) {
  folder <- tempfile("page-")
  dir.create(folder)
  set.seed(1)
  saveRDS(simulated(600, constructs, items), file.path(folder, "data.rds"))
  script <- file.path(folder, "serve.R")
  writeLines(c(paste0(".libPaths(", paste(deparse(.libPaths()), collapse = ""), ")"),
               "suppressPackageStartupMessages(library(orizzonte))",
               paste0("source(\"", normalizePath("bench/simulated.R"), "\")"),
               paste0("data <- readRDS(\"", folder, "/data.rds\")"),
               paste0("live_page(measurement(", constructs, ", ", items, "), data, open = FALSE)")),
             script)
  out <- system2("node", shQuote(c("tests/testthat/page-visit.mjs", normalizePath(".build/browser"),
                                   file.path(R.home("bin"), "Rscript"), script, "speed", folder)),
                 stdout = TRUE, stderr = TRUE)
  found <- jsonlite::fromJSON(out[length(out)])
  if (!is.null(found$error)) stop(found$error)
  vapply(found$times, stats::median, 0)
}
small <- visit(3, 5)
large <- visit(8, 5)
table <- data.frame(
  work = c("choose a path, 15 items", "fix a value, 15 items", "add a covariance, 15 items",
           "add a covariance, 40 items"),
  milliseconds = c(small[["choose"]], small[["value"]], small[["structure"]],
                   large[["structure"]]),
  budget = c(200, 200, 400, 800))
table$met <- ifelse(table$milliseconds <= table$budget, "yes", "NO")
print(table, row.names = FALSE, right = FALSE)
writeLines(utils::capture.output(print(table, row.names = FALSE, right = FALSE)),
           file.path("bench", "results", "page.txt"))
