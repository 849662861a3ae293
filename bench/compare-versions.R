# Two versions of the package on several hundred models: do all results functions, statuses,
# condition classes, files and exit codes agree to 1e-8? It protects a rebuild and proves no
# formula: the oracles are in tests/oracles. Usage: Rscript bench/compare-versions.R REVISION
# [REVISION or "." for the working tree]
source("bench/compare-rules.R")
args <- commandArgs(trailingOnly = TRUE)
if (length(args) == 0) stop("Name the revision to compare the working tree with.")
revisions <- c(args[1], if (length(args) > 1) args[2] else ".")

# A revision in a library of its own, installed once; the working tree is installed every time.
install_revision <- function(revision) {
  name <- if (revision == ".") "tree" else system2("git", c("rev-parse", revision), stdout = TRUE)
  library <- file.path(normalizePath(".build"), "versions", name)
  if (revision != "." && dir.exists(file.path(library, "orizzonte"))) return(library)
  source <- tempfile("source-")
  dir.create(source)
  if (revision == ".") {
    files <- system2("git", c("ls-files", "-co", "--exclude-standard"), stdout = TRUE)
    files <- files[file.exists(files)]
    for (folder in unique(dirname(files))) dir.create(file.path(source, folder), FALSE, TRUE)
    file.copy(files, file.path(source, files))
  } else {
    system(paste("git archive", name, "| tar -x -C", source))
  }
  dir.create(library, recursive = TRUE, showWarnings = FALSE)
  code <- system2("R", c("CMD", "INSTALL", "--no-docs", "--no-test-load",
                         paste0("--library=", library), source),
                  stdout = file.path(source, "log"), stderr = file.path(source, "log"),
                  env = "MAKEFLAGS=-j2")
  if (code != 0) stop("Cannot install ", revision, ":\n",
                      paste(readLines(file.path(source, "log")), collapse = "\n"))
  library
}

run_cases <- function(library, revision) {
  out <- file.path(dirname(library), paste0(basename(library), ".rds"))
  if (revision != "." && file.exists(out) && file.mtime(out) > file.mtime("bench/compare-cases.R"))
    return(out)
  paths <- paste(c(library, .libPaths()), collapse = .Platform$path.sep)
  code <- system2("Rscript", c("bench/compare-cases.R", out), env = paste0("R_LIBS=", paths),
                  stderr = paste0(out, ".log"))
  if (code != 0) stop("The cases fail under ", revision, ": see ", out, ".log")
  out
}

libraries <- lapply(revisions, install_revision)
outputs <- parallel::mcmapply(run_cases, libraries, revisions, mc.cores = 2)
if (inherits(outputs, "try-error") || !all(file.exists(unlist(outputs))))
  stop("A run has failed: ", outputs)
both <- lapply(outputs, readRDS)
differences <- compare_results(both[[1]], both[[2]])
cat(length(both[[1]]), "cases;", attr(differences, "values"), "values compared;",
    nrow(differences), "differ\n")
known <- explained(differences)
if (any(!is.na(known))) print(table(explanation = known[!is.na(known)]))
left <- differences[is.na(known), ]
cat(nrow(left), "of them unexplained\n")
if (nrow(left)) print(utils::head(left, 60), row.names = FALSE, right = FALSE)
quit(save = "no", status = if (nrow(left)) 1L else 0L)
