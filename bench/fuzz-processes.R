# Commands as separate processes, in adverse surroundings: the C locale, a full disk, a folder that
# may not be written to, a standard output that is closed, full, or without a reader. Good and bad
# commands alike must end with exit code 0, 1 or 2 (141 when the reader of the output has gone) and
# with a message of the package; files of a command that ends with 0 must be complete. Sourced by
# fuzz.R.

# The surroundings of a case: the wrapper of the command, and its folder.
surroundings <- function(home) {
  inside <- function(name) file.path(home, name)
  list(
    plain = list(folder = inside("plain"), around = "%s"),
    "C locale" = list(folder = inside("plain"), around = "LC_ALL=C %s"),
    "full disk" = list(folder = inside("full"), around = "%s"),
    "read-only folder" = list(folder = inside("sealed"), around = "%s"),
    "closed output" = list(folder = inside("plain"), around = "%s >&-"),
    "full output" = list(folder = inside("plain"), around = "%s > /dev/full"),
    "closed pipe" = list(folder = inside("plain"), around = "%s | true"),
    "no home" = list(folder = inside("plain"), around = "env -u HOME -u LANG %s"))
}

# A small file system in memory, full or read-only: only the superuser may mount one. Otherwise the
# read-only folder is one without write permission, and there is no full disk.
make_folders <- function() {
  home <- tempfile("fuzz")
  for (name in c("plain", "full", "sealed")) dir.create(file.path(home, name), recursive = TRUE)
  mounted <- system2("mount", c("-t", "tmpfs", "-o", "size=16k", "tmpfs",
                                shQuote(file.path(home, "full"))), stdout = FALSE,
                     stderr = FALSE) == 0L
  if (mounted) {
    system2("mount", c("-t", "tmpfs", "-o", "ro", "tmpfs", shQuote(file.path(home, "sealed"))))
    writeBin(raw(12000), file.path(home, "full", "ballast"))
  } else {
    Sys.chmod(file.path(home, "sealed"), "0555")
  }
  list(home = home, mounted = mounted)
}

remove_folders <- function(made) {
  if (made$mounted)
    for (name in c("full", "sealed")) system2("umount", shQuote(file.path(made$home, name)))
  unlink(made$home, recursive = TRUE)
}

# Valid commands, with the file that each writes (NA: to standard output).
right_commands <- function(files) {
  both <- files[c("model", "data")]
  with <- function(command, ..., out = NA) {
    list(args = c(command, both, ..., if (!is.na(out)) c("--out", out)), out = out)
  }
  list(with("fit"), with("fit", "--format", "json"), with("fit", "--format", "csv", out = "e.csv"),
       with("fit", "--by", "setting", out = "f.txt"), with("check"), with("diagnose"),
       list(args = c("screen", files[["data"]]), out = NA), with("draw", out = "d.png"),
       with("draw", out = "d.svg"), with("report", out = "r.md"), with("report", out = "r.html"),
       with("invariance", "--by", "setting", "--format", "json", out = "l.json"),
       with("amend", "--free", "covariance[be1, be2]", "--because", planted_code, out = "m2.yaml"),
       list(args = "--help", out = NA), list(args = c("new", "study"), out = "study.yaml"),
       list(args = c("run", files[["study"]], "--out", "made"), out = "made"))
}

# One case: its command, and its surroundings.
process_case <- function(seed, files, around) {
  set.seed(seed)
  case <- if (stats::runif(1) < 0.6) pick(right_commands(files)) else
    list(args = random_command(files), out = NA)
  where <- pick(names(around))
  c(case, list(where = where, folder = around[[where]]$folder, around = around[[where]]$around))
}

run_process <- function(case) {
  folder <- tempfile("case", case$folder)
  writable <- suppressWarnings(dir.create(folder))
  if (!writable) folder <- case$folder
  program <- c(file.path(R.home("bin"), "Rscript"),
               system.file("exec", "orizzonte", package = "orizzonte"))
  command <- paste(shQuote(c(program, case$args)), collapse = " ")
  said <- tempfile()
  heard <- tempfile()
  # the shell reports the command's own exit code, also in front of a pipe
  script <- sprintf("export R_LIBS=%s; cd %s && %s; exit ${PIPESTATUS[0]}",
                    shQuote(paste(normalizePath(.libPaths()), collapse = ":")), shQuote(folder),
                    sprintf(case$around, command))
  began <- proc.time()[["elapsed"]]
  code <- suppressWarnings(system2("timeout", c(6 * longest, "bash", "-c", shQuote(script)),
                                   stdout = heard, stderr = said))
  out <- list(code = code, seconds = proc.time()[["elapsed"]] - began,
              said = paste(readLines(said, warn = FALSE), collapse = "\n"),
              heard = sum(file.size(heard)))
  whole <- !is.na(case$out) && file.exists(file.path(folder, case$out))
  out$written <- if (whole) written_whole(file.path(folder, case$out)) else FALSE
  if (writable) unlink(folder, recursive = TRUE)
  out
}

# Is a file complete?
written_whole <- function(file) {
  if (dir.exists(file)) return(length(list.files(file, recursive = TRUE)) > 5L)
  if (!file.exists(file) || file.size(file) == 0) return(FALSE)
  bytes <- readBin(file, "raw", file.size(file))
  if (grepl("png$", file)) return(identical(utils::tail(bytes, 8L)[1:4], charToRaw("IEND")))
  text <- rawToChar(bytes)
  end <- switch(tools::file_ext(file), svg = "</svg>\\s*$", html = "</html>\\s*$",
                json = "\\}\\s*$", "\n$")
  grepl(end, text)
}

# "ok", "classed", or a description of the failure.
judge_process <- function(case, made) {
  if (file.exists(planted_file)) {
    unlink(planted_file)
    return("code run")
  }
  if (made$seconds > 2 * longest) return("hang")
  # as other commands end whose reader has gone
  if (case$where == "closed pipe" && made$code == 141L) return("ok")
  if (!made$code %in% 0:2) return(paste("crash: exit code", made$code))
  if (grepl("Execution halted|^Error in|internal error|Traceback", made$said))
    return(paste("error:", sub(".*\n(?=.*(Error in|internal))", "", made$said, perl = TRUE)))
  if (made$code == 0 && !is.na(case$out) && !made$written)
    return("wrong silent answer: exit code 0, and no whole file")
  lost <- case$where %in% c("closed output", "full output") && is.na(case$out)
  if (made$code == 0 && lost) return("wrong silent answer: exit code 0, and the output is lost")
  if (made$code == 0) return("ok")
  if (nzchar(made$said)) "classed" else "error: it says nothing"
}

# This many cases, at most 500 in a run: one row each.
run_processes <- function(seeds) {
  made <- make_folders()
  on.exit(remove_folders(made))
  around <- surroundings(made$home)
  if (!made$mounted) around[["full disk"]] <- NULL
  files <- file.path(made$home, c("m.yaml", "d.csv", "s.yaml"))
  names(files) <- c("model", "data", "study")
  file.copy(system.file("extdata", c("choirs-start.yaml", "choirs.csv"), package = "orizzonte"),
            files[1:2])
  writeLines(c("data: d.csv", "blueprints: {m: m.yaml}", "steps:", "  - check: {blueprint: m}",
               "  - fit: {blueprint: m}"), files[["study"]])
  one <- function(seed) {
    case <- process_case(seed, files, around)
    data.frame(seed = seed, arm = "processes", where = case$where,
               outcome = judge_process(case, run_process(case)),
               label = substr(paste(c(case$where, ":", gsub("\n", " ", case$args)), collapse = " "),
                              1, 160))
  }
  do.call(rbind, parallel::mclapply(seeds, one, mc.preschedule = FALSE,
                                    mc.cores = max(1L, parallel::detectCores())))
}

# --- studies that are killed, and two at once ----------------------------------------------------

# A small study with notes of the user's among its results, and the tables that it must always
# produce.
study_home <- function() {
  home <- tempfile("home")
  dir.create(home)
  file.copy(system.file("extdata", c("choirs-start.yaml", "choirs.csv"), package = "orizzonte"),
            home)
  writeLines(c("data: choirs.csv", "blueprints: {m: choirs-start.yaml}", "seed: 5", "steps:",
               "  - check: {blueprint: m}", "  - fit: {blueprint: m}",
               "  - bootstrap: {of: fit, reps: 30, what: [effects]}",
               "  - report: {of: [fit, bootstrap], file: r.md}"), file.path(home, "study.yaml"))
  home
}

start_study <- function(home, name) {
  program <- c(file.path(R.home("bin"), "Rscript"),
               system.file("exec", "orizzonte", package = "orizzonte"))
  command <- paste(shQuote(c(program, "run", "study.yaml")), collapse = " ")
  inside <- function(what) shQuote(file.path(home, paste0(name, what)))
  script <- sprintf(
    "export R_LIBS=%s; cd %s; %s > %s 2>&1 & echo $! > %s; wait $!; echo $? > %s",
    shQuote(paste(normalizePath(.libPaths()), collapse = ":")), shQuote(home), command,
    inside(".said"), inside(".pid"), inside(".code"))
  system2("bash", c("-c", shQuote(script)), wait = FALSE)
}

# The exit code of a study that was started; NA when it does not end.
ended_study <- function(home, name, most = 90) {
  file <- file.path(home, paste0(name, ".code"))
  until <- proc.time()[["elapsed"]] + most
  while (proc.time()[["elapsed"]] < until) {
    if (file.exists(file) && length(code <- readLines(file, warn = FALSE)) && nzchar(code[1L]))
      return(as.integer(code[1L]))
    Sys.sleep(0.05)
  }
  NA_integer_
}

study_tables <- function(home) {
  files <- list.files(file.path(home, "results"), "[.](csv|md)$", recursive = TRUE)
  stats::setNames(lapply(file.path(home, "results", files), readLines, warn = FALSE), files)
}

judge_study <- function(home, code, truth) {
  if (file.exists(planted_file)) return("code run")
  if (is.na(code)) return("hang")
  said <- readLines(file.path(home, "again.said"), warn = FALSE)
  if (any(grepl("internal error|Execution halted", said))) return(paste("error:", said[1L]))
  if (code != 0L) return(paste("crash: exit code", code, utils::tail(said, 1L)))
  mine <- file.path(home, "results", "02-fit", "my notes.txt")
  if (file.exists(file.path(home, "noted")) && !identical(readLines(mine), "mine"))
    return("lost files")
  if (!identical(study_tables(home), truth)) return("wrong silent answer: other tables")
  left <- list.files(file.path(home, "results"), "^[.](lock|part)", all.files = TRUE)
  if (length(left)) return(paste("error: left behind", left[1L]))
  "ok"
}

# The number of a process that has just been started, once its shell has written it down.
process_of <- function(file, most = 30) {
  until <- proc.time()[["elapsed"]] + most
  repeat {
    found <- suppressWarnings(as.integer(if (file.exists(file)) readLines(file, warn = FALSE)))
    if (length(found) == 1L && isTRUE(found > 1L)) return(found)
    if (proc.time()[["elapsed"]] > until) stop("a study does not start")
    Sys.sleep(0.05)
  }
}

killed_study <- function(seed, longest_run, truth) {
  set.seed(seed)
  home <- study_home()
  on.exit(unlink(home, recursive = TRUE))
  for (times in seq_len(sample.int(2L, 1L))) {
    name <- paste0("killed", times)
    start_study(home, name)
    Sys.sleep(stats::runif(1L, 0.3, longest_run))
    tools::pskill(process_of(file.path(home, paste0(name, ".pid"))), 9L)
    fitted <- file.path(home, "results", "02-fit")
    if (dir.exists(fitted) && times == 1L) {
      writeLines("mine", file.path(fitted, "my notes.txt"))
      writeLines("", file.path(home, "noted"))
    }
  }
  start_study(home, "again")
  judge_study(home, ended_study(home, "again"), truth)
}

paired_study <- function(seed, longest_run, truth) {
  set.seed(seed)
  home <- study_home()
  on.exit(unlink(home, recursive = TRUE))
  start_study(home, "one")
  Sys.sleep(stats::runif(1L, 0, longest_run))
  start_study(home, "two")
  codes <- c(ended_study(home, "one"), ended_study(home, "two"))
  if (anyNA(codes)) return("hang")
  if (!all(codes %in% c(0L, 2L)) || !any(codes == 0L))
    return(paste("crash: exit codes", paste(codes, collapse = " and ")))
  start_study(home, "again")
  judge_study(home, ended_study(home, "again"), truth)
}

run_together <- function(kills, pairs) {
  home <- study_home()
  began <- proc.time()[["elapsed"]]
  start_study(home, "again")
  if (!identical(ended_study(home, "again"), 0L)) stop("the study does not run")
  longest_run <- proc.time()[["elapsed"]] - began
  truth <- study_tables(home)
  unlink(home, recursive = TRUE)
  plan <- data.frame(seed = seq_len(kills + pairs), where = rep(c("killed", "two at once"),
                                                                c(kills, pairs)))
  one <- function(k) {
    judge <- if (plan$where[k] == "killed") killed_study else paired_study
    data.frame(seed = plan$seed[k], arm = "processes", where = plan$where[k],
               outcome = judge(plan$seed[k], longest_run, truth), label = plan$where[k])
  }
  do.call(rbind, parallel::mclapply(seq_len(nrow(plan)), one, mc.preschedule = FALSE,
                                    mc.cores = max(1L, parallel::detectCores())))
}
