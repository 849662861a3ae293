# The R script of a live page. Run in a new session, it gives the same numbers.

page_script <- function(state) {
  chain <- version_chain(state)
  amended <- chain[-1L]
  c(text_of("page_script_head", version = package_version_text()), "library(orizzonte)", "",
    script_data(state), "", script_blueprint(chain[[1L]]$blueprint), "",
    script_fit(state), unlist(lapply(amended, script_amendment)), script_results(state))
}

script_text <- function(x) paste(deparse(as.character(x), width.cutoff = 500L), collapse = " ")

# Data from a file are read again; others are named, and checked.
script_data <- function(state) {
  if (is.null(state$data)) return(text_of("page_script_no_data"))
  file <- state$source$file
  plain <- !is.null(file) && tolower(tools::file_ext(file)) == "csv" && is.data.frame(state$data)
  read <- if (plain) paste0("data <- read.csv(", script_text(file), ")") else
    c(text_of("page_script_placeholder"),
      paste0("data <- ", state$source$name %||% text_of("page_script_your_data")))
  c(read, if (is.data.frame(state$data))
    paste0("stopifnot(nrow(data) == ", nrow(state$data), "L, all(c(",
           paste(vapply(used_columns(state), script_text, ""), collapse = ", "),
           ") %in% names(data)))"))
}

used_columns <- function(state) {
  intersect(names(state$data), c(blueprint_variables(current_version(state)$blueprint)$observed,
                                 state$options$by, state$found$by))
}

# The blueprint in the form of its file, within the script.
script_blueprint <- function(bp) {
  lines <- unlist(strsplit(blueprint_yaml(bp), "\n", fixed = TRUE))
  c("blueprint_file <- tempfile(fileext = \".yaml\")",
    "writeLines(c(", paste0("  ", vapply(lines, script_text, ""),
                            c(rep(",", length(lines) - 1L), "")),
    "), blueprint_file)", "bp <- read_blueprint(blueprint_file)")
}

script_fit <- function(state) {
  if (is.null(state$data)) return("bp")
  c(paste0("fit <- fit_model(bp, data", options_code(state$options), ")"), "fit")
}

script_amendment <- function(version) {
  change <- version$change
  what <- if (length(change$free)) "free" else "omit"
  c(paste0("fit <- amend(fit, ", what, " = all_of(", script_text(change[[what]]), "),"),
    paste0("             because = ", script_text(change$because), ")"))
}

script_results <- function(state) {
  found <- state$found
  reps <- found$bootstrap$asked$reps
  c(if (!is.null(reps)) c("", paste0("bootstrap_fit(fit, reps = ", reps, ", seed = 1)")),
    if (!is.null(found$quality)) c("", "construct_quality(fit, leave_out = \"none\")"),
    if (!is.null(found$ladder))
      c("", paste0("ladder <- invariance(", if (length(version_chain(state)) > 1L)
                     "fit$request$blueprint" else "bp", ", data",
                   if (!is.null(found$by)) paste0(", by = all_of(", script_text(found$by), ")"),
                   if (!is.null(found$over)) paste0(", over = ", script_text(found$over)),
                   options_code(page_ladder_options(state)), ")"), "ladder"),
    unlist(lapply(seq_along(found$loosened), function(k) {
      from <- if (k == 1L) "ladder" else "loosened$ladder"
      c(paste0("loosened <- loosen(", from, ", ",
               script_text(found$loosened[[k]]$rung), ")"), "loosened")
    })))
}

# A study file of the analysis, for a folder that also holds the data and the blueprint, whose
# history of modifications comes with it.
page_study <- function(state) {
  bp <- current_version(state)$blueprint
  found <- state$found
  rungs <- vapply(found$loosened, `[[`, "", "rung")
  steps <- list(
    list(fit = list(blueprint = "model", name = "fit")),
    if (!is.null(found$quality)) list(quality = list(of = "fit", leave_out = "none")),
    if (!is.null(found$bootstrap))
      list(bootstrap = list(of = "fit", reps = found$bootstrap$asked$reps)),
    if (!is.null(found$ladder))
      list(invariance = Filter(length, list(blueprint = "model", by = found$by, over = found$over,
                                            loosen = as.list(rungs)))),
    list(report = list(of = list("fit"), file = "report.html")))
  written <- intersect(names(state$options), names(written_options()))
  lines <- yaml::as.yaml(c(
    list(title = bp$title %||% "", data = basename(state$source$file %||% "data.csv")),
    state$options[written],
    list(seed = 1L, blueprints = list(model = "blueprint.yaml"), steps = Filter(length, steps))))
  c(vapply(setdiff(names(state$options), written), function(name) {
    paste("#", text_of("page_study_without", option = name))
  }, ""), lines)
}
