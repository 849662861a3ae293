# Small incomplete data, altered folders of results and parts, odd paths and texts that control
# terminals. Sourced by fuzz.R, which runs the cases.

# --- small incomplete data -----------------------------------------------------------------------

small_data <- function() {
  n <- pick(c(1:12, 16L, 40L))
  p <- sample.int(8L, 1L)
  common <- stats::rnorm(n)
  x <- replicate(p, common + stats::rnorm(n), simplify = FALSE)
  names(x) <- c(paste0("be", 1:4), paste0("sc", 1:4))[seq_len(p)]
  data <- as.data.frame(x)
  data <- data + pick(c(0, 0, 10, 1e6))
  if (p > 2L && stats::runif(1) < 0.2) data[[p]] <- data[[1L]] + data[[2L]]
  if (p > 1L && stats::runif(1) < 0.1) data[[p]] <- data[[1L]]
  if (stats::runif(1) < 0.1) data[[1L]] <- round(data[[1L]])
  if (stats::runif(1) < 0.05) data[[1L]] <- 1
  incomplete <- matrix(stats::runif(n * p) < pick(c(0, .05, .1, .3, .5, .7, .95)), n)
  data[incomplete] <- NA
  if (stats::runif(1) < 0.1) data[sample.int(n, 1L), ] <- NA
  data$g <- if (stats::runif(1) < 0.5) rep_len(c("a", "b"), n) else
    ifelse(seq_len(n) <= pick(c(1L, 2L, 5L)), "tiny", "large")
  data
}

fuzz_small <- function(f) {
  data <- small_data()
  items <- setdiff(names(data), "g")
  half <- ceiling(length(items) / 2)
  bp <- blueprint("s") |> construct("A", reflected_in = all_of(items[seq_len(half)]))
  if (length(items) > half) bp <- construct(bp, "B", reflected_in = all_of(items[-seq_len(half)]))
  what <- pick(c("fit", "fit", "groups", "identification", "screen", "screen by", "collect",
                 if (nrow(data) < 13L) "rescue", "bootstrap", "simulate", "ladder", "auxiliary",
                 "robust", "drop"))
  list(label = paste0(what, ": ", nrow(data), " x ", length(items)), run = function() {
    fit <- function(...) fit_model(bp, data, ...)
    out <- switch(what, fit = fit(), groups = fit(by = "g"), drop = fit(incomplete = "drop"),
      identification = identification(bp, data), screen = screen_data(data),
      "screen by" = screen_data(data, bp, by = "g"), collect = fit_model(bp, collect_summary(data,
                                                                                             bp)),
      rescue = rescue(bp, data), robust = fit(inference = "robust"),
      bootstrap = bootstrap_fit(fit(), 10, seed = 1, interval = pick(c("percentile", "bca"))),
      simulate = simulate(fit(), 2, seed = 1, missing = .3),
      ladder = invariance(bp, data, by = "g", rungs = "metric"),
      auxiliary = if (length(items) > half)
        fit_model(leave_out(bp, "B"), data, auxiliary = all_of(items[-seq_len(half)])) else fit())
    if (is.list(out) && !inherits(out, "data.frame") && what != "simulate") print(out)
    if (inherits(out, "orizzonte_fit")) print(summary(out))
  })
}

# --- folders of results --------------------------------------------------------------------------

# A finished study of two steps, and the tables that it must always come back to.
finished_study <- function(f) {
  folder <- tempfile("finished")
  dir.create(folder)
  bp <- blueprint("Calm") |> construct("Calm", reflected_in = sc1:sc4)
  suppressMessages(write_blueprint(bp, file.path(folder, "bp.yaml")))
  utils::write.csv(f$data[1:100, paste0("sc", 1:4)], file.path(folder, "data.csv"),
                   row.names = FALSE,
                   na = "")
  writeLines(c("data: data.csv", "blueprints: {b: bp.yaml}", "seed: 2", "steps:",
               "  - check: {blueprint: b}",
   "  - plan: {blueprint: b, n: [50], truth: {\"loading[ , ]\": .7}, reps: 20}"),
             file.path(folder, "study.yaml"))
  suppressMessages(run_study(file.path(folder, "study.yaml"), quiet = TRUE))
  folder
}

# An R object that runs code as soon as it is read.
planted_object <- function(file) {
  home <- new.env()
  delayedAssign("p", file.create(planted_file), assign.env = home)
  connection <- base::file(file, "wb")
  saveRDS(home, connection)
  close(connection)
}

spoil_file <- function(file) {
  bytes <- readBin(file, "raw", file.size(file))
  switch(sample.int(7L, 1L),
    writeBin(if (length(bytes)) mutated(bytes) else as.raw(1), file), unlink(file),
    file.rename(file, paste0(file, "-aside")), writeBin(raw(), file),
    writeBin(bytes[seq_len(length(bytes) %/% 2L)], file), planted_object(file), {
      unlink(file)
      file.symlink(pick(c("/etc/passwd", tempdir(), "/nowhere")), file)
    })
}

held <- function(folder) {
  files <- list.files(folder, recursive = TRUE, all.files = TRUE, full.names = TRUE)
  tools::md5sum(files)
}

same_files <- function(before, what) {
  now <- tools::md5sum(names(before))
  if (!identical(now, before)) stop("lost files: ", names(before)[!now %in% before][1L], " ", what)
}

fuzz_folder <- function(f) {
  home <- tempfile("study")
  dir.create(home)
  file.copy(list.files(f$finished, full.names = TRUE), home, recursive = TRUE)
  results <- file.path(home, "results")
  mine <- file.path(results, "02-plan", "my notes.txt")
  writeLines("mine", mine)
  outside <- file.path(home, "outside")
  dir.create(outside)
  writeLines("mine", file.path(outside, "a.txt"))
  files <- setdiff(list.files(results, recursive = TRUE), "02-plan/my notes.txt")
  chosen <- sample(files, sample.int(3L, 1L), prob = 1 + 4 * (basename(files) %in% c(
    "manifest.json", "value.json")))
  for (one in chosen) spoil_file(file.path(results, one))
  extra <- pick(c("none", "state", "part", "lock", "link"))
  switch(extra, state = {
    dir.create(file.path(results, ".state"))
    planted_object(file.path(results, ".state", "01-check.rds"))
  }, part = dir.create(file.path(results, ".part-abc")), lock = dir.create(file.path(results,
                                                                                     ".lock")),
  link = file.symlink(outside, file.path(results, "00-link")))
  list(label = paste("folder:", paste(chosen, collapse = ", "), extra), run = function() {
    before <- c(held(outside), tools::md5sum(mine))
    on.exit(unlink(home, recursive = TRUE))
    found <- tryCatch(run_study(file.path(home, "study.yaml"), quiet = TRUE),
                      orizzonte_error = identity)
    same_files(before, "")
    if (inherits(found, "condition")) stop(found)
    csv <- function(at) readLines(file.path(at, "results", "02-plan", "plan.csv"))
    if (!identical(csv(home), csv(f$finished))) stop("wrong silent answer: other numbers")
    print(found$plan)
  })
}

fuzz_parts <- function(f) {
  folder <- tempfile("parts")
  dir.create(folder)
  file.copy(list.files(f$parts, full.names = TRUE), folder)
  chosen <- sample(list.files(folder), sample.int(2L, 1L))
  for (one in chosen) spoil_file(file.path(folder, one))
  list(label = paste("parts:", paste(chosen, collapse = ", ")), run = function() {
    on.exit(unlink(folder, recursive = TRUE))
    again <- bootstrap_fit(f$fit, 40, seed = 3, interval = "percentile", folder = folder)
    if (!identical(again$values, f$whole$values)) stop("wrong silent answer: other replicates")
  })
}

fuzz_path <- function(f) {
  home <- tempfile("path")
  dir.create(file.path(home, "study"), recursive = TRUE)
  writeLines("mine", file.path(home, "a.txt"))
  dir.create(file.path(home, "01-check"))
  writeLines("mine", file.path(home, "01-check", "check.txt"))
  for (name in c("bp.yaml", "data.csv"))
    file.copy(file.path(f$finished, name), file.path(home, "study", name))
  dir.create(file.path(home, "study", "full"))
  writeLines("mine", file.path(home, "study", "full", "index.html"))
  file.symlink(home, file.path(home, "study", "link"))
  file.symlink("/nowhere", file.path(home, "study", "dangling"))
  odd <- c(".", "..", "./", "../", "/", "", " ", "~", "~/x", "../01-check", "full", "link",
           "link/x",
           "dangling", "dangling/x", "a/../..", "a/../../b", "a/b/c", "data.csv", "data.csv/x",
   "\\x",
           "C:/x", "//x", "x\ty", strrep("x", 300), strrep("x/", 600), "\u00e9", "a b", "-",
   ".lock",
           ".state", "r/.", home, file.path(home, "new"), "sqlite:x", "postgresql://a:b@c/d",
           planted_code)
  path <- pick(odd)
  key <- pick(c("results", "results", "data", "b"))
  quoted_path <- paste0("'", gsub("'", "''", path), "'")
  lines <- c(paste0("data: ", if (key == "data") quoted_path else "data.csv"),
             paste0("blueprints: {b: ", if (key == "b") quoted_path else "bp.yaml", "}"),
             if (key == "results") paste0("results: ", quoted_path), "steps:",
             "  - check: {blueprint: b}")
  file <- file.path(home, "study", "s.yaml")
  writeLines(lines, file)
  list(label = paste("path:", key, path), run = function() {
    on.exit(unlink(home, recursive = TRUE))
    before <- held(home)
    outside <- setdiff(list.files(home, all.files = TRUE), "study")
    found <- tryCatch(run_study(file, quiet = TRUE), orizzonte_error = identity)
    same_files(before, path)
    if (!setequal(setdiff(list.files(home, all.files = TRUE), "study"), outside))
      stop("lost files: something was written outside by ", path)
    if (inherits(found, "condition")) stop(found)
  })
}

# --- texts that steer a terminal -----------------------------------------------------------------

fuzz_escape <- function(f) {
  codes <- c("\033]0;x\007", "\033[2J", "\033[31m", "\b\b", "\r", "\177", intToUtf8(155L),
             intToUtf8(0x202e), "\001", "\f")
  text <- paste0(pick(c("a", "")), paste(sample(codes, sample.int(3L, 1L)), collapse = ""),
                 pick(c("b", "{stop(1)}", "%s", "<b>")))
  where <- pick(c("title", "level", "wording", "because", "construct", "item", "by", "file",
                  "value"))
  list(label = paste("escape in", where), run = function() {
    data <- f$data
    bp <- f$bp
    code <- switch(where,
      title = quote(print(summary(fit_model(replace(bp, "title", list(text)), data)))),
      wording = quote(print(amendments(fit_model(wording(bp, be1 = text), data), top = 1))),
      because = quote(print(trail(amend(f$fit, free = "covariance[be1, be2]", because = text)))),
      level = {
        data$setting <- ifelse(data$setting == "evening", text, "b")
        quote(print(summary(fit_model(bp, data, by = "setting"))))
      },
      construct = quote(print(fit_model(construct(bp, text, reflected_in = c(st1, st2, st3)),
                                        data))),
      item = {
        data[[text]] <- data$st1
        quote(print(screen_data(data)))
      },
      by = quote(print(fit_model(bp, data, by = all_of(text)))), file = quote(read_blueprint(text)),
      value = {
        data$be1 <- as.character(data$be1)
        data$be1[3] <- text
        quote(print(fit_model(bp, data)))
      })
    shown <- character()
    error <- NULL
    shown <- utils::capture.output(withCallingHandlers(
      tryCatch(eval(code), orizzonte_error = function(e) error <<- e),
      message = function(m) shown <<- c(shown, conditionMessage(m))))
    shown <- c(shown, if (!is.null(error)) conditionMessage(error))
    if (any(unlist(lapply(enc2utf8(shown), utf8ToInt)) %in% c(1:8, 11:31, 127:159, 0x202e)))
      stop("wrong silent answer: a control character is printed")
    if (!is.null(error)) stop(error)
  })
}
