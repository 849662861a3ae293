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
#'   otherwise, so that a study from somebody else neither reads nor writes anything elsewhere.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A list, invisibly, with the result of each step by name (fits, ladders and so on). Its
#'   attribute `steps` is a data frame with `step`, `kind`, `state` (done or kept) and `folder`; the
#'   attributes `results` and `data` are the paths of the results folder and of the data.
#' @section The file: `data` (a file), `blueprints` (names and files) and `steps` are needed;
#'   `title`, `by`, `levels`, `missing_codes`, `incomplete`, `auxiliary`, `inference`, `adjust`,
#'   `clusters`, `weights` as in [fit_model()], `criteria` (a file, or keys of [criteria()]),
#'   `seed`, `encoding` and `results`. Steps, each a line `- kind: {key: value}`: `screen`, `check`,
#'   `fit`, `diagnose`, `amend`, `compare`, `quality`, `invariance`, `bootstrap`, `plan`, `report`.
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

step_label <- function(step) {
  paste0(step$kind, if (step$name != step$kind) paste0(" (", step$name, ")"))
}

step_folder <- function(study, k) {
  plain <- gsub("[^A-Za-z0-9._-]+", "-", study$steps[[k]]$name)
  sprintf("%02d-%s", k, plain)
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
      study$encoding, unclass(study$criteria), study$seed, package_version_text(),
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
