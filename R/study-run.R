#' Run a whole study from one file
#'
#' Reads a study file, runs its steps in order and writes their results to a folder with an index
#' page. Finished steps are kept: when the study is run again, only steps that changed are repeated.
#'
#' @param file Path of the study file (YAML).
#' @param results Folder for the results, wherever it is; the file's own when `NULL`.
#' @param fresh Whether to repeat every step.
#' @param quiet Whether to leave out messages.
#' @param anywhere Whether the paths in the study file may lead outside its folder. They are refused
#'   otherwise, so that a study file from another person cannot read or write files elsewhere.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A list, invisibly, with the result of each step by name (fits, ladders and so on). Its
#'   attribute `steps` is a data frame with `step`, `kind`, `state` (done or kept) and `folder`; the
#'   attributes `results` and `data` are the paths of the results folder and of the data.
#' @section The file: `data` (a file), `blueprints` (names and files) and `steps` are needed;
#'   `title`, `by`, `levels`, `missing_codes`, `incomplete`, `auxiliary`, `inference`, `adjust`,
#'   `clusters`, `weights`, `weight_scale` as in [fit_model()], `criteria` (a file, or keys of
#'   [criteria()]), `seed`, `encoding`, `results` and `figures` (formats: `svg`, the default, `png`
#'   or `pdf`, a list of these, or `none`). Steps, each a line
#'   `- kind: {key: value}`: `screen`, `check`,
#'   `fit`, `diagnose`, `amend`, `compare`, `quality`, `invariance`, `bootstrap`, `plan`,
#'   `constancy`, `approximate`, `equivalent`, `mediation`, `report`.
#'   `name` names the result of a step, and `of` the earlier step it uses (by default the last
#'   suitable one). Nothing in the file is evaluated as code. `orizzonte new study` writes an
#'   example.
#' @section The results folder: It must be new, empty, or created by this function. Its file
#'   `manifest.json` lists every file with its size and SHA-256 hash, and only listed files are
#'   replaced or removed. A step is kept if nothing it depends on has changed and all its files are
#'   unchanged; otherwise it is repeated, and a message gives the reason.
#'   Results of a bootstrap or a plan are kept as plain data in `value.json`; fits are estimated
#'   again from the data. Nothing found in the folder is evaluated or unserialized: `fit.rds` is
#'   there for you to load. While a study runs, the folder `.lock` keeps a second run away; the lock
#'   of a process that no longer runs is taken over.
#' @section Errors: `orizzonte_error_study` for an error in the study file (with its line), for a
#'   step that fails (with its name; earlier steps are kept), and for a results folder with other
#'   contents; `orizzonte_error_locked` while another process runs the study.
#' @seealso [write_report()], [main()].
#' @examples
#' folder <- file.path(tempdir(), "study")
#' dir.create(folder)
#' file <- new_study_files(folder)     # a whole study: run_study(file)
#' first <- file.path(folder, "first.yaml")
#' writeLines(c("data: choirs.csv", "blueprints: {measurement: choirs.yaml}", "steps:",
#'              "  - check: {blueprint: measurement}"), first)
#' attr(run_study(first, quiet = TRUE), "steps")
#' @export
run_study <- function(file, results = NULL, fresh = FALSE, quiet = FALSE, anywhere = FALSE, ...) {
  check_arguments("run_study")
  check_path(file, "`file`")
  check_flag(fresh, "`fresh`")
  check_flag(quiet, "`quiet`")
  check_flag(anywhere, "`anywhere`")
  study <- read_study(file, anywhere || !is.null(results), anywhere)
  if (!is.null(results)) {
    check_path(results, "`results`")
    study$results <- results
  }
  made <- run_steps(study, fresh, quiet)
  names <- vapply(study$steps, `[[`, "", "name")
  invisible(structure(mget(names, made$values), steps = made$steps, results = study$results,
                      data = study$data))
}

# Runs the steps in order. `values` is an environment with the result of each step by name. The
# result of a kept step is computed when it is first needed.
run_steps <- function(study, fresh, quiet) {
  prints <- study_fingerprints(study)
  results <- open_results(study, prints)
  on.exit(results$release())
  values <- new.env(parent = emptyenv())
  rows <- list()
  for (k in seq_along(study$steps)) {
    step <- study$steps[[k]]
    changed <- if (!fresh) changed_step(results, study, k, prints[[k]])
    kept <- !fresh && is.null(changed)
    if (!quiet && any(nzchar(changed))) say(text_of("step_repeated", step = k, changed = changed))
    if (!quiet) say(sprintf("%2d of %d  %s%s", k, length(study$steps), step_label(step),
                            if (kept) "  (kept)" else ""))
    if (kept) promise_value(study, results, k, values) else
      assign(step$name, do_step(study, results, k, values, prints[[k]]), values)
    rows[[k]] <- list(step = step$name, kind = step$kind, state = if (kept) "kept" else "done",
                      folder = step_folder(study, k))
  }
  steps <- list_frame(do.call(Map, c(list(c), rows)))
  if (any(steps$state == "done") || !index_is_whole(results)) write_index(results, study, values)
  if (!quiet) say(text_of("results_begin_with_index", results = study$results))
  list(values = values, steps = steps)
}

promise_value <- function(study, results, k, values) {
  force(k)
  delayedAssign(study$steps[[k]]$name, kept_value(study, results, k, values),
                assign.env = values)
}

# The fingerprint of a step covers its arguments, the steps it uses, the data, the blueprint, the
# criteria, the seed and the version. The title of the study matters only for reports.
study_fingerprints <- function(study) {
  of_file <- function(path) if (file.exists(path)) hash_of_file(path) else path
  data <- of_file(study$data)
  blueprints <- lapply(study$blueprints, of_file)
  out <- list()
  names <- vapply(study$steps, `[[`, "", "name")
  for (k in seq_along(study$steps)) {
    step <- study$steps[[k]]
    out[[k]] <- rlang::hash(list(
      step, data, blueprints[step$args$blueprint], out[match(step$args$of, names)], study$asked,
      study$encoding, unclass(study$criteria), study$seed, study$figures,
      package_version_text(),
      if (step$kind == "report") study$title))
  }
  out
}

# The blueprint and data files for the commands that are suggested after a step.
step_files <- function(study, step) {
  if (step$kind != "amend" && is.null(step$args$of)) {
    own <- step$args$blueprint
    return(c(if (!is.null(own)) study$blueprints[[own]], study$data))
  }
  names <- vapply(study$steps, `[[`, "", "name")
  at <- match(if (step$kind == "amend") step$name else step$args$of[1L], names)
  if (!study$steps[[at]]$kind %in% c("fit", "amend")) return(step_files(study, study$steps[[at]]))
  c(file.path(study$results, step_folder(study, at), "blueprint.yaml"), study$data)
}

# Runs one step. Its files are written to a temporary folder and moved once all of them exist.
do_step <- function(study, results, k, values, print) {
  step <- study$steps[[k]]
  check_step_folder(results, study, k)
  part <- open_part(results)
  on.exit(unlink(part, recursive = TRUE))
  value <- rlang::try_fetch(
    step_value(study, step, values, part),
    error = function(e) {
      if (!inherits(e, "orizzonte_error")) {
        say(text_of("step_failed_others_kept", step = step_label(step), results = study$results))
        stop(e)
      }
      abort("study", c(text_of("step_failed", step = step_label(step)),
                       i = text_of("finished_steps_are_kept", results = study$results)),
   parent = e)
    })
  if (step$kind %in% kinds_kept_plain)
    write_text(file.path(part, value_name), plain_json(to_plain(value)))
  take_part(results, part, step_folder(study, k), print)
  value
}

# Computes the result of a step. Its files are written to `folder`, or not at all if that is NULL.
step_value <- function(study, step, values, folder) {
  told <- surface$given
  on.exit(go_on_from(told))
  if (!is.null(told))
    go_on_from(c(list(files = step_files(study, step), quiet = told$quiet),
                 study_request(study, step_by(study, step)), encoding = study$encoding))
  suppressWarnings(suppressMessages(step_actions[[step$kind]](study, step$args, values, folder),
                                    classes = "orizzonte_message"),
                   classes = "orizzonte_warning")
}

# Results that take long are restored from plain data; all others are computed from the data.
kinds_kept_plain <- c("bootstrap", "plan")
value_name <- "value.json"

kept_value <- function(study, results, k, values) {
  step <- study$steps[[k]]
  if (!step$kind %in% kinds_kept_plain) return(step_value(study, step, values, NULL))
  file <- file.path(results$folder, step_folder(study, k), value_name)
  value <- from_plain(read_json_text(read_text(file)))
  if (step$kind == "bootstrap") value$fit <- get(step$args$of, values)
  value
}

# The results folder of a study: checks, lock, manifest, and the files of each step.

# Checks and locks the folder and reads its manifest. `release()` of the result removes the lock.
open_results <- function(study, prints) {
  folder <- study$results
  check_results_folder(folder)
  if (!dir.exists(folder) &&
      !dir.create(folder, recursive = TRUE, showWarnings = FALSE) && !dir.exists(folder))
    abort("study", text_of("cannot_create_folder", folder = quoted(folder)))
  if (file.access(folder, 2L) != 0L)
    abort("study", text_of("you_may_not_write", folder = quoted(folder)))
  release <- lock_folder(folder)
  opened <- FALSE
  on.exit(if (!opened) release())
  # another process may have used the folder before it was locked
  check_results_folder(folder)
  remove_stale_locks(folder)
  manifest <- results_manifest(folder)
  out <- new.env(parent = emptyenv())
  out$folder <- folder
  out$release <- release
  out$lock <- lock_owner(file.path(folder, lock_name))
  out$steps <- lapply(manifest$steps, function(x) {
    list(fingerprint = x$fingerprint, files = x$files)
  })
  out$index <- manifest$index
  out$study <- rlang::hash(list(prints, study$title, package_version_text()))
  out$known_study <- manifest$study
  remove_part(folder, manifest$working)
  if (is.null(out$index) && file.exists(file.path(folder, index_name)))
    refuse_results(folder, text_of("is_not_from_package_inline", index_name = quoted(index_name)))
  save_manifest(out)
  opened <- TRUE
  out
}

index_name <- "index.html"
own_traces <- "^[.]lock$|^[.](lock|manifest[.]json)-[0-9a-f]+$"

# The folder must be new, empty, or contain a manifest.
check_results_folder <- function(folder) {
  if (!file.exists(folder) && !is_link(folder)) return(invisible())
  if (!dir.exists(folder)) abort("study", text_of("is_file_not_folder", folder = quoted(folder)))
  there <- grep(own_traces, list.files(folder, all.files = TRUE, no.. = TRUE), value = TRUE,
                invert = TRUE)
  if (length(there) == 0L) return(invisible())
  if (!manifest_name %in% there) {
    if (dir.exists(file.path(folder, ".state")))
      refuse_results(folder, text_of("was_filled_earlier_version"))
    refuse_results(folder, text_of("holds_other_files_such", there = quoted(sort(there)[1L])))
  }
  results_manifest(folder)
  invisible()
}

results_manifest <- function(folder) {
  rlang::try_fetch({
    found <- read_manifest(folder)
    if (is.null(found)) return(list(steps = list()))
    steps <- found$steps
    if (!is.list(steps) || length(steps) && is.null(names(steps))) refuse_plain(text_of("no_steps"))
    for (x in steps) {
      if (!is.list(x) || !is.character(x$fingerprint))
        refuse_plain(text_of("step_without_fingerprint"))
      checked_entries(x$files)
    }
    if (!is.null(found$index)) checked_entries(found$index)
    found
  }, orizzonte_error_plain = function(e) {
    refuse_results(folder, text_of("is_not_one_version", manifest_name = manifest_name))
  })
}

refuse_results <- function(folder, why) {
  aside <- paste0(sub("/+$", "", folder), "-old")
  abort("study", c(text_of("folder_is_not_used", folder = quoted(folder), why = why),
                   i = text_of("results_go_into_folder"),
                   i = instruction("move_aside", from = quoted(folder), to = quoted(aside),
                                   path = shell_word(folder), new_path = shell_word(aside))))
}

save_manifest <- function(results, working = NULL) {
  if (!identical(lock_owner(file.path(results$folder, lock_name)), results$lock))
    refuse_locked(results$folder, lock_owner(file.path(results$folder, lock_name)))
  steps <- if (length(results$steps)) results$steps else structure(list(), names = character())
  write_manifest(results$folder, list(version = package_version_text(), study = results$study,
                                      working = working, steps = steps, index = results$index))
}

# --- the files of a step that is running ---------------------------------------------------------

# The folder is named in the manifest before it is created, so that the next run can remove it if
# this one is killed.
open_part <- function(results) {
  part <- tempfile(".part-", tmpdir = results$folder)
  save_manifest(results, basename(part))
  if (!dir.create(part, showWarnings = FALSE))
    abort("study", text_of("cannot_write_folder", folder = quoted(results$folder)))
  part
}

remove_part <- function(folder, name) {
  if (is.null(name) || !is.character(name) || !grepl("^[.]part-[0-9a-f]+$", name)) return()
  path <- file.path(folder, name)
  if (dir.exists(path) && !is_link(path)) unlink(path, recursive = TRUE)
}

# The folder of a step must be new or listed in the manifest. Files that the user added are kept.
check_step_folder <- function(results, study, k) {
  name <- step_folder(study, k)
  full <- file.path(results$folder, name)
  known <- results$steps[[name]]
  if (is_link(full) || file.exists(full) && !dir.exists(full) ||
      is.null(known) && length(list.files(full, all.files = TRUE, no.. = TRUE)))
    refuse_results(results$folder, text_of("is_not_from_package", name = quoted(name)))
}

# Replaces the listed files of a step by new ones. An unlisted file of the same name is an error.
take_part <- function(results, part, name, print) {
  paths <- list.files(part, recursive = TRUE, all.files = TRUE)
  new <- file_entries(part, paths)
  for (k in seq_along(new)) new[[k]]$path <- paste0(name, "/", new[[k]]$path)
  old <- results$steps[[name]]$files
  there <- entry_paths(new)[file.exists(file.path(results$folder, entry_paths(new)))]
  foreign <- setdiff(there, entry_paths(old))
  if (length(foreign))
    refuse_results(results$folder, text_of("is_way", foreign = quoted(foreign[1L])))
  # until all files are moved, the step is unfinished and the manifest lists old and new files
  results$steps[[name]] <- list(fingerprint = "",
                                files = c(old[!entry_paths(old) %in% entry_paths(new)], new))
  save_manifest(results, basename(part))
  remove_entries(results$folder, old)
  for (folder in unique(dirname(entry_paths(new))))
    dir.create(file.path(results$folder, folder), recursive = TRUE, showWarnings = FALSE)
  moved <- suppressWarnings(file.rename(file.path(part, paths),
                                        file.path(results$folder, entry_paths(new))))
  if (!all(moved))
    abort("study", text_of("cannot_write",
                           name = quoted(file.path(results$folder, entry_paths(new)[!moved][1L]))))
  results$steps[[name]] <- list(fingerprint = print, files = new)
  save_manifest(results)
}

# --- what is kept --------------------------------------------------------------------------------

# Returns NULL if a step can be kept, and otherwise the reason why it is repeated. The reason is
# empty if the study, the data or the version changed.
changed_step <- function(results, study, k, print) {
  name <- step_folder(study, k)
  known <- results$steps[[name]]
  if (is.null(known) || !identical(known$fingerprint, print)) return("")
  changed <- changed_files(results$folder, known$files)
  if (length(changed) == 0L && !readable_value(results, study, k))
    changed <- stats::setNames("altered", file.path(name, value_name))
  if (length(changed) == 0L) return(NULL)
  paste0(names(changed)[1L], " ", c(missing = "is missing", altered = "was altered")[[changed[1L]]],
         if (length(changed) > 1L) text_of("and_more_in_brackets", changed = length(changed) - 1L))
}

# The file and its hash in the manifest may both have been replaced, so that the content is checked.
readable_value <- function(results, study, k) {
  if (!study$steps[[k]]$kind %in% kinds_kept_plain) return(TRUE)
  file <- file.path(results$folder, step_folder(study, k), value_name)
  tryCatch({
    value <- from_plain(read_json_text(read_text(file)))
    inherits(value, paste0("orizzonte_", study$steps[[k]]$kind)) && is_whole_result(value)
  }, orizzonte_error = function(e) FALSE)
}

index_is_whole <- function(results) {
  !is.null(results$index) && identical(results$study, results$known_study) &&
    length(changed_files(results$folder, results$index)) == 0L
}

write_index <- function(results, study, values) {
  results$index <- results$index %||% list(list(path = index_name, size = 0, sha256 = ""))
  save_manifest(results)
  files <- lapply(results$steps, function(x) entry_paths(x$files))
  write_inside(results$folder, index_name, paste0(paste(enc2utf8(study_index(study, values,
      files)),
   collapse = "\n"), "\n"))
  results$index <- file_entries(results$folder, index_name)
  save_manifest(results)
}
