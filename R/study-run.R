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

# The index page of a study's results, and the files of a new study.

# Reports first, then for each step its conclusion, its pictures, its printed output and its files:
# links into the folders beside the page. `files` contains the paths of the files by folder.
study_index <- function(study, values, files) {
  tags <- htmltools::tags
  folders <- vapply(seq_along(study$steps), function(k) step_folder(study, k), "")
  kinds <- vapply(study$steps, `[[`, "", "kind")
  reports <- lapply(which(kinds == "report"), function(k) {
    file <- study_report_file(study$steps[[k]]$args)
    link <- function(name, text) tags$li(tags$a(href = study_link(folders[k], name), text))
    list(link(file, text_of("the_report", file = file)),
         link("methods.txt", text_of("methods_results_words_methods")))
  })
  sections <- lapply(seq_along(study$steps), function(k) {
    step <- study$steps[[k]]
    c(list(tags$h2(id = folders[k], plain_line(paste0(k, ". ", step_title(step)))),
           tags$p(plain_line(outcome_sentence(values[[step$name]], study)))),
      step_shown(study, step, folders[k], basename(files[[folders[k]]])))
  })
  contents <- tags$nav(id = "contents", `aria-label` = text_of("head_contents"),
    tags$ul(lapply(seq_along(study$steps), function(k) {
      tags$li(tags$a(href = paste0("#", folders[k]),
                     plain_line(paste0(k, ". ", step_title(study$steps[[k]])))))
    })))
  version <- text_of("orizzonte_seed", package_version_text = package_version_text(),
                     seed = study$seed)
  body <- list(if (length(reports)) list(tags$h2(text_of("head_read_first")), tags$ul(reports)),
               sections, tags$p(class = "note", version))
  html_page(study$title, body, contents)
}

study_link <- function(folder, file) {
  paste(utils::URLencode(c(folder, file), TRUE), collapse = "/")
}

# Pictures as they are, printed output folded, and every file as a link.
step_shown <- function(study, step, folder, files) {
  tags <- htmltools::tags
  pictures <- files[tolower(tools::file_ext(files)) %in% setdiff(study$figures, "pdf")[1L]]
  printed <- files[tolower(tools::file_ext(files)) == "txt"]
  c(lapply(pictures, function(file) {
      tags$figure(tags$img(src = study_link(folder, file), width = "640",
                           alt = plain_line(text_of("of_the_step", file = file,
                               step = step_label(step)))))
    }),
    lapply(printed, function(file) {
      html_part(report_fold(paste0("Printed: ", file), report_code(
        read_text(file.path(study$results, folder, file)))))
    }),
    list(tags$p(class = "note", "Files: ", lapply(files, function(file) {
      list(tags$a(href = study_link(folder, file), file), " \u00a0 ")
    }))))
}

step_title <- function(step) {
  paste0(words_of("step_title", step$kind),
         if (step$name != step$kind) paste0(" (", step$name, ")"))
}

# The result of a step in one or two sentences.
outcome_sentence <- function(x, study) {
  if (is_ladder(x)) {
    ladder <- if (inherits(x, "orizzonte_loosened")) x$ladder else x
    return(paste(ladder$reading, collapse = " "))
  }
  switch(class(x)[1L],
    orizzonte_fit = if (!has_converged(x)) paste0(fit_status(x), ".") else
      paste0("Converged; ", chisq_text(test_of(x)$chisq, test_of(x)$df, test_of(x)$p), ". ",
             attr(fit_indices(x, study$criteria), "reading")),
    orizzonte_screen = paste(c(text_of("rows_columns_rows_complete", rows = format_count(x$rows),
                                       columns = nrow(x$columns),
                                       complete = format_count(x$complete)),
                               if (nrow(x$advice)) x$advice$advice else
                                 text_of("nothing_be_done")), collapse = " "),
    orizzonte_identification = if (x$identified)
      text_of("identified_degrees_freedom", df = format_count(x$df)) else
      paste(c(text_of("index_not_identified"), x$remedies), collapse = " "),
    orizzonte_amendments = amendments_sentence(x),
    orizzonte_quality = paste(quality_conclusion(x), collapse = " "),
    orizzonte_comparison = paste(c(pair_sentences(x), comparison_reading(x)), collapse = " "),
    orizzonte_bootstrap = bootstrap_sentence(x),
    orizzonte_plan = plan_sentence(x),
    orizzonte_constancy = paste(constancy_reading(x), collapse = " "),
    orizzonte_approximate_means = paste(approximate_reading(x), collapse = " "),
    orizzonte_equivalent = paste(equivalent_reading(x), collapse = " "),
    orizzonte_mediation = paste(mediation_reading(x), collapse = " "),
    "")
}

amendments_sentence <- function(x) {
  if (nrow(x) == 0L) return(text_of("nothing_is_left_could"))
  drop <- x$actual_drop[1L]
  text_of("first_among_what_could", parameter = x$parameter[1L], kind = x$kind[1L],
          modification_index = format_fixed(x$modification_index[1L], 2L),
          drop = if (!is.na(drop)) text_of("after_refitting_falls",
                                           drop = format_fixed(drop, 2L)),
          verdict = words_of("amendment", x$verdict[1L]))
}

# The first few intervals; the rest is in the table.
bootstrap_sentence <- function(x) {
  table <- as.data.frame(x)
  table <- table[!grepl("^(standardized|total)", table$parameter) & !table$se %in% 0, ]
  first <- utils::head(table, 4L)
  text_of("replicates_intervals", reps = format_count(x$asked$reps), level = 100 * x$asked$level,
          upper = paste0(first$parameter, " ", trimws(interval_text(first$lower, first$upper)),
                         collapse = "; "), table = if (nrow(table) > 4L) text_of("and_more_values"))
}

plan_sentence <- function(x) {
  rows <- x$parameters[startsWith(x$parameters$parameter, "effect["), ]
  power <- vapply(unique(rows$parameter), function(one) {
    of <- rows[rows$parameter == one, ]
    text_of("power_is", value = one,
            of = paste0(format_share(of$power), " at ", format_count(of$n), collapse = ", "))
  }, "")
  paste0(paste(c(text_of("data_sets_each_size", reps = format_count(x$reps)),
                 utils::head(power, 4L)),
               collapse = "; "), ".")
}

#' Start a study
#'
#' Writes a commented study file with the blueprints and the data of the made-up choirs into a
#' folder; it runs unchanged.
#'
#' @param folder A folder that exists.
#' @param file Name of the study file.
#' @param ... Must be empty: an argument by another name is an error.
#' @return The path of the study file, invisibly.
#' @section Errors: `orizzonte_error_study` if a file of that name exists; files are never
#' overwritten.
#' @seealso [run_study()].
#' @examples
#' folder <- file.path(tempdir(), "new")
#' dir.create(folder)
#' new_study_files(folder)
#' @export
new_study_files <- function(folder = ".", file = "study.yaml", ...) {
  check_arguments("new_study_files")
  check_path(folder, "`folder`")
  check_path(file, "`file`")
  check_target(file.path(folder, file))
  there <- c(file, study_files)[file.exists(file.path(folder, c(file, study_files)))]
  if (length(there))
    abort("study", c(text_of("is_there_already_nothing", there = quoted(there[1L])),
                     i = text_of("choose_another_folder")))
  invisible(write_study_files(folder, file))
}

study_files <- c("choirs.yaml", "choirs-start.yaml", "choirs.csv")

# Writes the study file and the files that it needs, unless they exist.
write_study_files <- function(folder, file) {
  shipped <- function(name) system.file("extdata", name, package = "orizzonte")
  target <- file.path(folder, file)
  if (!file.exists(target)) write_text(target, readLines(shipped("study.yaml"), encoding = "UTF-8"))
  for (name in study_files) file.copy(shipped(name), file.path(folder, name))
  target
}
