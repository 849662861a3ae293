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
