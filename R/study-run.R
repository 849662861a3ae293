#' Run a whole study from one file
#'
#' Reads a study file, does its steps in order and writes what comes of each into a folder with an
#' index page. Steps that are finished are kept: run again, only what changed is done anew.
#'
#' @param file Path of the study file (YAML).
#' @param results Folder for the results; the file's own when `NULL`.
#' @param fresh Whether to do everything anew.
#' @param quiet Whether to leave out messages.
#' @param ... Must be empty: an argument by another name is an error.
#' @return A list, invisibly, of what came of the steps, by name (fits, ladders and so on); its
#'   attribute `steps` is a data frame with `step`, `kind`, `state` (done or kept), `folder`, its
#'   attributes `results` and `data` are the folder of the results and where the data are.
#' @section The file: `data` (a file), `blueprints` (names and files) and `steps` are needed;
#'   `title`, `by`, `levels`, `missing_codes`, `incomplete`, `auxiliary`, `inference`, `adjust`,
#'   `clusters`, `weights` as in [fit_model()], `criteria` (a file, or keys of [criteria()]),
#'   `seed`, `encoding` and `results`. Steps, each a line `- kind: {key: value}`: `screen`, `check`,
#'   `fit`, `diagnose`, `amend`, `compare`, `quality`, `invariance`, `bootstrap`, `plan`, `report`.
#'   `name` names what comes of a step, `of` the earlier step it works on (the last that fits when
#'   there is none). Nothing in it is evaluated as code. `orizzonte new study` writes one to start
#'   from.
#' @section Errors: `orizzonte_error_study` with the line for what is wrong in the file, and with
#'   the name of the step for one that fails; what is done by then is kept.
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
run_study <- function(file, results = NULL, fresh = FALSE, quiet = FALSE, ...) {
  check_arguments("run_study")
  check_path(file, "`file`")
  check_flag(fresh, "`fresh`")
  check_flag(quiet, "`quiet`")
  study <- read_study(file)
  if (!is.null(results)) {
    check_path(results, "`results`")
    study$results <- results
  }
  make_folder(file.path(study$results, ".state"))
  # what a run that was killed in the middle of a step has left
  unlink(list.files(study$results, "^[.]part-", all.files = TRUE, full.names = TRUE),
         recursive = TRUE)
  prints <- study_fingerprints(study)
  values <- list()
  rows <- list()
  for (k in seq_along(study$steps)) {
    step <- study$steps[[k]]
    kept <- if (!fresh) kept_step(study, k, prints[[k]])
    if (!quiet) say(sprintf("%2d of %d  %s%s", k, length(study$steps), step_label(step),
                            if (is.null(kept)) "" else "  (kept)"))
    value <- if (is.null(kept)) do_step(study, k, values, prints[[k]]) else kept$value
    values[step$name] <- list(value)
    rows[[k]] <- list(step = step$name, kind = step$kind,
                      state = if (is.null(kept)) "done" else "kept", folder = step_folder(study, k))
  }
  steps <- list_frame(do.call(Map, c(list(c), rows)))
  write_study_index(study, values)
  if (!quiet) say("Results in ", study$results, "; begin with index.html.")
  invisible(structure(values, steps = steps, results = study$results,
                      data = study$data))
}

step_label <- function(step) {
  paste0(step$kind, if (step$name != step$kind) paste0(" (", step$name, ")"))
}

step_folder <- function(study, k) {
  plain <- gsub("[^A-Za-z0-9._-]+", "-", study$steps[[k]]$name)
  sprintf("%02d-%s", k, plain)
}

make_folder <- function(folder) {
  if (dir.exists(folder)) return(invisible())
  if (!dir.create(folder, recursive = TRUE, showWarnings = FALSE))
    abort("study", paste0("Cannot create the folder ", quoted(folder), "."))
}

# Of each step: of what it says, what it works on, the data, the blueprint, criteria, seed and
# version; the title of the study stands in its reports only.
study_fingerprints <- function(study) {
  of_file <- function(path) if (file.exists(path)) unname(tools::md5sum(path)) else path
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

state_file <- function(study, k) {
  file.path(study$results, ".state", paste0(step_folder(study, k), ".rds"))
}

# What was kept of a step, if it is of the same; NULL else.
kept_step <- function(study, k, print) {
  file <- state_file(study, k)
  if (!file.exists(file)) return(NULL)
  known <- tryCatch(suppressWarnings(readRDS(file)), error = function(e) NULL)
  whole <- is.list(known) && identical(known$fingerprint, print) &&
    all(file.exists(file.path(study$results, step_folder(study, k), known$files)))
  if (whole) known
}

# The blueprint and the data that commands about a step are for.
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

# One step: its files come into a folder of their own, which takes its place when all is there.
do_step <- function(study, k, values, print) {
  step <- study$steps[[k]]
  folder <- file.path(study$results, step_folder(study, k))
  part <- tempfile(".part-", tmpdir = study$results)
  make_folder(part)
  on.exit(unlink(part, recursive = TRUE))
  told <- surface$given
  on.exit(surface$given <- told, add = TRUE)
  if (!is.null(told))
    surface$given <- c(list(files = step_files(study, step), quiet = told$quiet),
                       study_request(study, step_by(study, step)), encoding = study$encoding)
  value <- rlang::try_fetch(
    suppressWarnings(suppressMessages(step_actions[[step$kind]](study, step$args, values, part),
                                      classes = "orizzonte_message"),
                     classes = "orizzonte_warning"),
    error = function(e) {
      if (!inherits(e, "orizzonte_error")) {
        say("The step ", step_label(step), " failed; what was done before it is kept in ",
            study$results, ".")
        stop(e)
      }
      abort("study", c(paste0("The step ", step_label(step), " failed."),
                       i = paste0("What was done before it is kept in ", study$results,
                                  ": mend it and run the same again to go on.")), parent = e)
    })
  unlink(folder, recursive = TRUE)
  if (!file.rename(part, folder))
    abort("study", paste0("Cannot write the folder ", quoted(folder), "."))
  files <- list.files(folder, recursive = TRUE)
  write_made(state_file(study, k), function(path) {
    saveRDS(list(fingerprint = print, files = files, value = value), path)
  })
  value
}
