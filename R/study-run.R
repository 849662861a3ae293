#' Run a whole study from one file
#'
#' Reads a study file, does its steps in order and writes what comes of each into a folder with an
#' index page. Steps that are finished are kept: when the study is run again, only what changed is
#' repeated.
#'
#' @param file Path of the study file (YAML).
#' @param results Folder for the results, wherever it is; the file's own when `NULL`.
#' @param fresh Whether to do everything anew.
#' @param quiet Whether to leave out messages.
#' @param anywhere Whether the paths in the study file may lead outside its folder. They are refused
#'   otherwise, so that a study from somebody else neither reads nor writes anything elsewhere.
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
#' @section The results folder: It must be new, empty, or one that this function has filled: then it
#'   holds `manifest.json`, which lists every file with its size and SHA-256 hash. Only files that
#'   the manifest lists are replaced or removed. A step is kept if nothing it depends on has changed
#'   and all its files are as they were written; otherwise it is repeated, and a message says why.
#'   Results of a bootstrap or a plan are kept as plain data in `value.json`; fits are estimated
#'   again from the data. Nothing found in the folder is evaluated or unserialized: `fit.rds` is
#'   there for you to load. While a study runs, the folder `.lock` keeps a second run away; the lock
#'   of a process that no longer runs is taken over.
#' @section Errors: `orizzonte_error_study` with the line for what is wrong in the file, with
#'   the name of the step for one that fails (what is done by then is kept), and for a results
#'   folder that holds something else; `orizzonte_error_locked` while another process runs the
#'   study.
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

# The steps in order. `values`: an environment of what comes of each, by name; that of a kept step
# is
# computed when it is first asked for.
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
    if (!quiet && any(nzchar(changed))) say("Step ", k, " is repeated: ", changed, ".")
    if (!quiet) say(sprintf("%2d of %d  %s%s", k, length(study$steps), step_label(step),
                            if (kept) "  (kept)" else ""))
    if (kept) promise_value(study, results, k, values) else
      assign(step$name, do_step(study, results, k, values, prints[[k]]), values)
    rows[[k]] <- list(step = step$name, kind = step$kind, state = if (kept) "kept" else "done",
                      folder = step_folder(study, k))
  }
  steps <- list_frame(do.call(Map, c(list(c), rows)))
  if (any(steps$state == "done") || !index_is_whole(results)) write_index(results, study, values)
  if (!quiet) say("Results in ", study$results, "; begin with index.html.")
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

# Of each step: of what it says, what it works on, the data, the blueprint, criteria, seed and
# version; the title of the study stands in its reports only.
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

# One step: its files come into a folder of their own and are moved when all are there.
do_step <- function(study, results, k, values, print) {
  step <- study$steps[[k]]
  check_step_folder(results, study, k)
  part <- open_part(results)
  on.exit(unlink(part, recursive = TRUE))
  value <- rlang::try_fetch(
    step_value(study, step, values, part),
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
  if (step$kind %in% kinds_kept_plain)
    write_text(file.path(part, value_name), plain_json(to_plain(value)))
  take_part(results, part, step_folder(study, k), print)
  value
}

# What comes of a step; its files go into `folder`, nowhere when that is NULL.
step_value <- function(study, step, values, folder) {
  told <- surface$given
  on.exit(surface$given <- told)
  if (!is.null(told))
    surface$given <- c(list(files = step_files(study, step), quiet = told$quiet),
                       study_request(study, step_by(study, step)), encoding = study$encoding)
  suppressWarnings(suppressMessages(step_actions[[step$kind]](study, step$args, values, folder),
                                    classes = "orizzonte_message"),
                   classes = "orizzonte_warning")
}

# What takes long is read back as plain data, the rest computed again from the data.
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
