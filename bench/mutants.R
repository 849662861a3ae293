# Puts small faults into the code, one at a time, and checks whether the tests notice them. R
# functions are replaced in the loaded namespace, rules before formulas. C++ files are compiled and
# linked with the tests of the core; mutants that these miss are tested with the package and its
# tests. A stopped run continues where it was.
# Usage: Rscript bench/mutants.R [of R] [of C++] [first seed]. Table: bench/results/mutants.txt.
suppressPackageStartupMessages({
  library(testthat)
  library(orizzonte)
})
Sys.setenv(NOT_CRAN = "true")
root <- normalizePath(".")
store <- file.path(root, ".build", "mutants")
dir.create(store, showWarnings = FALSE, recursive = TRUE)
patience <- 900         # seconds after which a test file counts as endless
timed_out <- 124L       # the status of a process that was stopped after that time
longest <- 90           # seconds of work after which no further test file is begun for a mutant

# Seconds of work of this process and of those it started. Elapsed seconds would also count what
# other programs do at the same time, and a mutant would survive because its tests came too late.
work_done <- function() sum(proc.time()[c("user.self", "sys.self", "user.child", "sys.child")])

# --- faults --------------------------------------------------------------------------------------

swapped <- c("<" = "<=", "<=" = "<", ">" = ">=", ">=" = ">", "==" = "!=", "!=" = "==",
             "&&" = "||", "||" = "&&", "&" = "|", "|" = "&", "+" = "-", "-" = "+", "*" = "/",
             "/" = "*", any = "all", all = "any", min = "max", max = "min")

# The possible changes of one position of an expression: a list of expressions, empty for most
# positions.
faults_at <- function(e) {
  if (is.call(e) && is.symbol(e[[1L]])) {
    head <- as.character(e[[1L]])
    if (head == "!") return(list(e[[2L]]))
    if (head %in% names(swapped) && (length(e) == 3L || head %in% c("any", "all"))) {
      e[[1L]] <- as.name(swapped[[head]])
      return(list(e))
    }
  }
  if (is.integer(e) && length(e) == 1L && !is.na(e)) return(list(e + 1L))
  if (is.numeric(e) && length(e) == 1L && !is.na(e)) return(list(if (e == 0) 1 else e * 1.5))
  if (is.logical(e) && length(e) == 1L && !is.na(e)) return(list(!e))
  list()
}

# Positions in a function's body that can be changed.
fault_places <- function(body) {
  out <- list()
  walk <- function(e, path) {
    if (length(faults_at(e))) out <<- c(out, list(path))
    # the content of an error message is not a decision
    head <- if (is.call(e) && is.symbol(e[[1L]])) as.character(e[[1L]]) else ""
    if (is.call(e) && !head %in% c("abort", "text_of", "warn", "say", "function", "$", "@"))
      for (k in seq_along(e)[-1L])
        if (!rlang::is_missing(e[[k]]) && !is.null(e[[k]])) walk(e[[k]], c(path, k))
  }
  walk(body, integer())
  out
}

change_at <- function(body, path) {
  if (length(path) == 0L) return(faults_at(body)[[1L]])
  body[[path]] <- faults_at(body[[path]])[[1L]]
  body
}

functions_of <- function(file) {
  names <- unlist(lapply(parse(file, keep.source = FALSE), function(e) {
    if (is.call(e) && identical(e[[1L]], quote(`<-`)) && is.symbol(e[[2L]]) &&
        is.call(e[[3L]]) && identical(e[[3L]][[1L]], quote(`function`))) as.character(e[[2L]])
  }))
  names[vapply(names, exists, NA, envir = asNamespace("orizzonte"), inherits = FALSE)]
}

# All positions of R code: data frame with file, function, number. Rules come first; of other files
# those that contain formulas and decisions.
r_places <- function() {
  files <- list.files("R", "[.]R$")
  rules <- grep("-rules[.]R$", files, value = TRUE)
  left_out <- "-texts|^cli-|^report|^figure|^study|RcppExports|-package|-tidy|references"
  others <- setdiff(grep(left_out, files, value = TRUE, invert = TRUE), rules)
  of <- function(files) {
    do.call(rbind, lapply(files, function(file) {
      do.call(rbind, lapply(functions_of(file.path("R", file)), function(name) {
        count <- length(fault_places(body(get(name, envir = asNamespace("orizzonte")))))
        if (count) data.frame(file = file, name = name, place = seq_len(count))
      }))
    }))
  }
  list(rules = of(rules), others = of(others))
}

# --- R -------------------------------------------------------------------------------------------

# The files of the functions that call this one.
calling_files <- function(name) {
  space <- asNamespace("orizzonte")
  files <- list.files("R", "[.]R$")
  calls <- vapply(files, function(file) {
    any(vapply(functions_of(file.path("R", file)), function(one) {
      one != name && name %in% all.names(body(get(one, envir = space)))
    }, NA))
  }, NA)
  files[calls]
}

# Test files that are run for a mutant, the most likely ones first: those that name the function,
# those of its file, of its stage, and of the files that call it.
tests_for <- function(file, name) {
  all <- list.files("tests/testthat", "^test-.*[.]R$")
  stage <- sub("[-.].*", "", file)
  own <- sub("[.]R$", "", file)
  naming <- vapply(file.path("tests/testthat", all), function(test) {
    any(grepl(paste0("\\b", name, "\\("), readLines(test, warn = FALSE)))
  }, NA)
  calling <- sub("[.]R$", "", calling_files(name))
  called <- vapply(all, function(test) any(startsWith(test, paste0("test-", calling))), NA)
  score <- naming * 6 + startsWith(all, paste0("test-", own)) * 4 + called * 3 +
    startsWith(all, "test-rules") * 3 + startsWith(all, paste0("test-", stage)) * 2 +
    grepl("test-(printed|study-run|fit-oracles|mistakes|judge-tidy|report-methods)[.]", all)
  score <- score - 2.5 * (all == "test-rules-words.R")
  all[order(-score, file.size(file.path("tests/testthat", all)))][sort(-score) <= -1]
}

# The results of the package for the demo data: a mutant that changes nothing here and passes all
# tests does not count.
net <- function() {
  quiet <- function(x) suppressWarnings(suppressMessages(x))
  bp <- read_blueprint(system.file("extdata", "choirs-start.yaml", package = "orizzonte"))
  fit <- quiet(fit_model(bp, choirs))
  ladder <- quiet(invariance(bp, choirs, by = "setting"))
  small <- quiet(fit_model(bp, choirs[1:80, ]))
  robust <- quiet(fit_model(bp, choirs, inference = "robust"))
  frames <- quiet(list(
    estimates(fit), fit_indices(fit), fit_indices(small), residuals(fit), r_squared(fit),
    estimates(robust), fit_indices(robust),
    verdicts(fit), stats::effects(fit), amendments(fit, top = 3), amendments(small, top = 0),
    without(fit), ladder$table, latent_means(ladder), noninvariance(ladder),
    construct_quality(fit)$table, construct_quality(fit)$pairs, trail(fit),
    compare_models(fit, refit(fit, blueprint = uncorrelate(bp, Belonging, Calm))),
    as.data.frame(screen_data(choirs, by = "setting")), influence(small, top = 2),
    as.data.frame(screen_data(choirs_troubled, missing_codes = c(-9, 99))),
    as.data.frame(bootstrap_fit(small, 20, seed = 1)),
    as.data.frame(model_cutoffs(fit, 20, seed = 1)),
    as.data.frame(power_of(fit, "close fit", n = c(100, 200))), predict(small)))
  lapply(frames, as.data.frame)
}

# In a separate process: the outcome for one mutant.
r_outcome <- function(at, reference) {
  space <- asNamespace("orizzonte")
  original <- get(at$name, envir = space)
  places <- fault_places(body(original))
  changed <- original
  body(changed) <- change_at(body(original), places[[at$place]])
  spot <- places[[at$place]]
  was <- if (length(spot)) body(original)[[spot]] else body(original)
  now <- if (length(spot)) body(changed)[[spot]] else body(changed)
  what <- paste(deparse(was, nlines = 1L)[1L], "->", deparse(now, nlines = 1L)[1L])
  unlockBinding(at$name, space)
  assign(at$name, changed, envir = space)
  setwd(file.path(root, "tests", "testthat"))
  found <- "survived"
  begun <- work_done()
  for (file in at$tests[[1L]]) {
    if (work_done() - begun > longest) break
    noticed <- tryCatch({
      utils::capture.output(results <- as.data.frame(suppressWarnings(suppressMessages(
        test_file(file, package = "orizzonte", load_package = "installed", reporter = "silent",
                  stop_on_failure = FALSE)))))
      sum(results$failed) + sum(results$error) > 0
    }, error = function(e) TRUE)
    if (noticed) {
      found <- file
      break
    }
  }
  if (found == "survived" &&
      identical(tryCatch(net(), error = function(e) NULL), reference)) found <- "no difference"
  list(found = found, what = what)
}

run_r <- function(chosen, reference) {
  parallel::mclapply(seq_len(nrow(chosen)), function(k) {
    at <- chosen[k, ]
    key <- sprintf("%s-%s-%d", sub("[.]R$", "", at$file), gsub("[^A-Za-z0-9_.]", "_", at$name),
                   at$place)
    file <- file.path(store, paste0(key, ".csv"))
    if (file.exists(file)) return(utils::read.csv(file))
    at$tests <- list(tests_for(at$file, at$name))
    # a fork of a fork, since the mutant stays in its process
    job <- parallel::mcparallel(r_outcome(at, reference))
    got <- parallel::mccollect(job, wait = FALSE, timeout = longest + 500)
    if (is.null(got)) {
      tools::pskill(job$pid, 9L)
      parallel::mccollect(job)
    }
    got <- got[[1L]]
    if (!is.list(got)) got <- list(found = "stopped or too slow", what = "")
    out <- data.frame(kind = "R", file = at$file, name = at$name, place = at$place,
                      what = got$what, found = got$found)
    utils::write.csv(out, file, row.names = FALSE)
    cat(sprintf("%s  %-28s %-26s %s\n", format(Sys.time(), "%H:%M:%S"), at$name, out$found,
                substr(out$what, 1L, 60L)))
    out
  }, mc.cores = max(1L, parallel::detectCores()), mc.preschedule = FALSE)
}

# --- C++ -----------------------------------------------------------------------------------------

cpp_swaps <- c(" < " = " <= ", " <= " = " < ", " > " = " >= ", " >= " = " > ", " == " = " != ",
               " && " = " || ", " || " = " && ", " + " = " - ", " - " = " + ", " * " = " / ",
               " -= " = " += ", " += " = " -= ")

cpp_places <- function() {
  files <- list.files("src/core", "[.]cpp$", recursive = TRUE)
  do.call(rbind, lapply(files, function(file) {
    lines <- readLines(file.path("src/core", file))
    code <- !grepl("^ *//|^ *#|template|^ *for ", lines)
    do.call(rbind, lapply(names(cpp_swaps), function(from) {
      hit <- which(code & grepl(from, sub("//.*", "", lines), fixed = TRUE))
      if (length(hit)) data.frame(file = file, line = hit, from = from)
    }))
  }))
}

# The package with a changed file of the core, in a separate library: the unit of that file is
# compiled again, the other objects are those of the last installation.
library_with <- function(file, lines, folder) {
  unlink(folder, recursive = TRUE)
  dir.create(folder)
  file.copy("src", folder, recursive = TRUE, copy.date = TRUE)
  inside <- file.path(folder, "src")
  writeLines(lines, file.path(inside, "core", file))
  units <- list.files(inside, "^unit-.*[.]cpp$", full.names = TRUE)
  including <- units[vapply(units, function(unit) {
    any(grepl(paste0("\"core/", file, "\""), readLines(unit), fixed = TRUE))
  }, NA)]
  unlink(sub("[.]cpp$", ".o", including))
  flags <- file.path(folder, "Makevars")
  # without any optimization the tests take ten times as long
  writeLines("CXX17FLAGS = -O1 -Wno-ignored-attributes", flags)
  headers <- vapply(c("Rcpp", "RcppEigen"), function(name) {
    paste0("-I", system.file("include", package = name))
  }, "")
  code <- system(paste0("cd ", shQuote(inside), " && rm -f orizzonte.so && CLINK_CPPFLAGS=",
                        shQuote(paste(headers, collapse = " ")), " R_MAKEVARS_USER=",
                        shQuote(flags), " ", file.path(R.home("bin"), "R"),
                        " CMD SHLIB -o orizzonte.so unit-*.cpp > /dev/null 2>&1"))
  # the core has just been compiled with this change
  if (code != 0) stop("The package cannot be compiled with a change of ", file, ".")
  library <- file.path(folder, "library")
  dir.create(library)
  file.copy(system.file(package = "orizzonte"), library, recursive = TRUE)
  file.copy(file.path(inside, "orizzonte.so"),
            file.path(library, "orizzonte", "libs", "orizzonte.so"), overwrite = TRUE)
  library
}

# Tests a change that the tests of the core have missed. Returns the test file of the package that
# notices it, "no difference" if no compared result changes, or "survived".
package_outcome <- function(file, lines, folder, reference) {
  library <- library_with(file, lines, folder)
  ask <- function(code, limit) {
    script <- file.path(folder, "ask.R")
    writeLines(c(sprintf(".libPaths(c(%s, .libPaths()))", deparse(library)),
                 "suppressPackageStartupMessages({library(testthat); library(orizzonte)})", code),
               script)
    env <- c(paste0("R_LIBS=", paste(c(library, .libPaths()), collapse = .Platform$path.sep)),
             "NOT_CRAN=true")
    suppressWarnings(system2(file.path(R.home("bin"), "Rscript"), c("--no-init-file", script),
                             env = env, stdout = FALSE, stderr = FALSE, timeout = limit))
  }
  kept <- file.path(folder, "net.rds")
  ask(c("net <-", deparse(net), sprintf("saveRDS(net(), %s)", deparse(kept))), patience)
  if (file.exists(kept) && identical(readRDS(kept), reference)) return("no difference")
  tests <- list.files("tests/testthat", "^test-(core|fit-|diagnose-|group-|many-).*[.]R$")
  # errors, tests and moments of cases belong to fits, replicates to bootstraps and simulations
  near <- switch(dirname(file), infer = , moments = "test-fit-(robust|incomplete|oracles)",
                 many = "test-many-", "test-")
  tests <- tests[order(!grepl(near, tests), file.size(file.path("tests/testthat", tests)))]
  begun <- work_done()
  for (test in tests) {
    if (work_done() - begun > longest) break
    code <- c(sprintf("setwd(%s)", deparse(file.path(root, "tests", "testthat"))),
              sprintf(paste("r <- as.data.frame(test_file(%s, package = \"orizzonte\",",
                            "load_package = \"installed\", reporter = \"silent\",",
                            "stop_on_failure = FALSE))"), deparse(test)),
              "quit(status = if (sum(r$failed) + sum(r$error) > 0) 1L else 0L)")
    status <- ask(code, patience)
    if (status == timed_out) return("does not end")
    if (status != 0) return(test)
  }
  "survived"
}

cpp_outcome <- function(at, number, reference) {
  build <- file.path(root, ".build", "core-tests")
  work <- file.path(store, paste0("cpp-", number))
  dir.create(work, showWarnings = FALSE)
  on.exit(unlink(work, recursive = TRUE))
  source <- file.path(root, "src/core", at$file)
  lines <- readLines(source)
  lines[at$line] <- sub(at$from, cpp_swaps[[at$from]], lines[at$line], fixed = TRUE)
  # beside the original, so that it includes the same headers
  mutant <- file.path(dirname(source), paste0(".mutant-", number, ".cpp"))
  writeLines(lines, mutant)
  object <- file.path(work, "mutant.o")
  name <- sub("[.]cpp$", ".o", basename(at$file))
  rules <- readLines(file.path(build, "Makefile"))
  compile <- grep(paste0(" -o ", file.path(build, name), "$"), rules, value = TRUE)[1L]
  compile <- sub(" -c .*$", paste0(" -O0 -c ", shQuote(mutant), " -o ", shQuote(object)),
                 trimws(compile))
  made <- system(compile, ignore.stdout = TRUE, ignore.stderr = TRUE) == 0
  unlink(mutant)
  if (!made) return("does not compile")
  # those of the program, not those left in the folder by earlier versions
  compiled <- grep(" -c .* -o .*[.]o$", rules, value = TRUE)
  objects <- unique(sub("^.* -o ([^ ]*[.]o)$", "\\1", compiled))
  program <- file.path(work, "run")
  link <- grep(paste0(" -o ", file.path(build, "run"), " "), rules, value = TRUE)[1L]
  libraries <- strsplit(sub("^.*[.]o (-.*)$", "\\1", link), " ", fixed = TRUE)[[1L]]
  linked <- system2("g++", c("-o", shQuote(program),
                             shQuote(c(setdiff(objects, file.path(build, name)), object)),
                             libraries))
  # a program that could not be built would count as a failing test
  if (linked != 0) stop("The tests of the core cannot be linked.")
  # a change may make a loop endless
  status <- suppressWarnings(system2(program, stdout = FALSE, stderr = FALSE, timeout = 240))
  if (status != 0) "core tests" else package_outcome(at$file, lines, work, reference)
}

run_cpp <- function(chosen, reference) {
  parallel::mclapply(seq_len(nrow(chosen)), function(k) {
    at <- chosen[k, ]
    file <- file.path(store, sprintf("cpp-%s-%d-%d.csv", gsub("/", "_", at$file), at$line,
                                     match(at$from, names(cpp_swaps))))
    if (file.exists(file)) return(utils::read.csv(file))
    before <- trimws(readLines(file.path("src/core", at$file))[at$line])
    found <- cpp_outcome(at, k, reference)
    out <- data.frame(kind = "C++", file = at$file, name = paste0("line ", at$line),
                      place = at$line, what = paste0(before, "   [", trimws(at$from), " -> ",
                                                     trimws(cpp_swaps[[at$from]]), "]"),
                      found = found)
    utils::write.csv(out, file, row.names = FALSE)
    cat(sprintf("%s  %-34s %s\n", format(Sys.time(), "%H:%M:%S"), paste0(at$file, ":", at$line),
                found))
    out
  }, mc.cores = max(1L, parallel::detectCores()), mc.preschedule = FALSE)
}

# --- what comes out ------------------------------------------------------------------------------

if (sys.nframe() == 0L) {
  args <- as.integer(commandArgs(trailingOnly = TRUE))
  of_r <- if (length(args) > 0L) args[1L] else 110L
  of_cpp <- if (length(args) > 1L) args[2L] else 50L
  set.seed(if (length(args) > 2L) args[3L] else 1L)
  pick <- function(table, count) table[sample(nrow(table), min(count, nrow(table))), ]
  places <- r_places()
  # rules before formulas: half of the mutants
  chosen <- rbind(pick(places$rules, ceiling(of_r / 2)), pick(places$others, floor(of_r / 2)))
  cpp <- pick(cpp_places(), of_cpp)
  reference <- net()
  rows <- c(if (of_r > 0L) run_r(chosen, reference), if (of_cpp > 0L) run_cpp(cpp, reference))
  given <- vapply(rows, is.data.frame, NA)
  if (!all(given)) stop(sum(!given), " mutants gave no result: ", format(rows[[which(!given)[1L]]]))
  all <- do.call(rbind, rows)
  counts <- all[!all$found %in% c("no difference", "does not compile"), ]
  survived <- counts[counts$found == "survived", ]
  text <- c(sprintf("%s: %d mutants, %d of R (%d of rules), %d of C++", Sys.Date(), nrow(all),
                    sum(all$kind == "R"), sum(grepl("-rules", all$file)), sum(all$kind == "C++")),
            sprintf(paste("%d count (the others do not compile, or change nothing that is",
                          "compared); %d survive (%.1f %%)"), nrow(counts), nrow(survived),
                    100 * nrow(survived) / max(1L, nrow(counts))),
            "", if (nrow(survived)) paste0(survived$file, "  ", survived$name, "  ", survived$what))
  writeLines(text, "bench/results/mutants.txt")
  cat(text, sep = "\n")
}
