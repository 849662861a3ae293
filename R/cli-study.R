# The commands of studies: new, run.

command_new <- function(given) {
  if (given$files[1L] != "study")
    abort("usage", c(text_of("orizzonte_new_makes_study", files = quoted(given$files[1L])),
                     i = text_of("write_new_study")))
  file <- if (length(given$files) > 1L) given$files[2L] else "study.yaml"
  if (!tolower(tools::file_ext(file)) %in% c("yaml", "yml"))
    abort("usage", c(text_of("study_is_yaml_file"), i = text_of("such_orizzonte_new_study")))
  written <- new_study_files(dirname(file), basename(file))
  if (!given$quiet)
    close_with(text_of("study_written", file = file), "\n",
               text_of("next_run", file = shell_word(file)), "\n")
  0L
}

command_run <- function(given) {
  anywhere <- isTRUE(given$anywhere)
  study <- read_study(given$files[1L], anywhere || !is.null(given$out), anywhere)
  if (!is.null(given$out)) study$results <- given$out
  made <- run_steps(study, isTRUE(given$fresh), given$quiet)
  studied_code(study_fits(study, made))
}

# Fits only: other stored values need not be computed again.
study_fits <- function(study, made) {
  fits <- made$steps$step[made$steps$kind %in% c("fit", "amend")]
  mget(fits, made$values)
}
studied_code <- function(fits) max(0L, vapply(fits, exit_code, 0L))

# The complete analysis of the demo data: the study of the choirs.

command_demo <- function(given) {
  folder <- given$out
  if (!dir.exists(folder) && !dir.create(folder, recursive = TRUE, showWarnings = FALSE)) {
    abort("usage", text_of("cannot_create_folder", folder = quoted(folder)))
  }
  # an existing study and existing data belong to the user
  study <- read_study(write_study_files(folder, "study.yaml"), FALSE, FALSE)
  made <- run_steps(study, FALSE, given$quiet)
  steps <- made$steps
  fits <- study_fits(study, made)
  last <- utils::tail(names(fits), 1L)
  if (length(last)) {
    at <- file.path(study$results, steps$folder[steps$step == last])
    surface$given$files <- c(file.path(at, "blueprint.yaml"), study$data)
    print(summary(fits[[last]]))
  }
  if (!given$quiet) close_with(demo_lines(folder, study$results, steps))
  studied_code(fits)
}

# Lists the files of the demo and the next steps.
demo_lines <- function(folder, results, steps) {
  inside <- function(name) shell_word(file.path(folder, name))
  of <- function(kind) utils::tail(steps$folder[steps$kind == kind], 1L)
  row <- function(name, text) if (length(name)) sprintf("  %-20s %s\n", name, text)
  paste0(
    "\n", text_of("demo_written", folder = folder, results = results), "\n",
    row("index.html", text_of("demo_index")), row(of("report"), text_of("demo_report")),
    row(of("amend"), text_of("demo_last_fit")), text_of("demo_go_on"), "\n",
    row("study.yaml", text_of("demo_study")),
    row("", paste("orizzonte run", inside("study.yaml"))),
    "  ", paste(study_files, collapse = ", "), "\n", row("", text_of("demo_blueprints")),
    row("", paste("orizzonte diagnose", inside("choirs-start.yaml"), inside("choirs.csv"))),
    row("", text_of("demo_constancy")),
    row("", paste("orizzonte constancy", inside("choirs.yaml"), inside("choirs.csv"),
                  "--along age")),
    if (length(missing_page_packages()) == 0L)
      paste0(row("", text_of("demo_page")),
             row("", paste("orizzonte page", inside("choirs-start.yaml"), inside("choirs.csv")))),
    if (!nzchar(Sys.which("orizzonte")))
      paste0("\n", text_of("demo_no_command"), "\n  mkdir -p ~/.local/bin && ",
             started_by_r("install_command(\"~/.local/bin\")"), "\n",
             text_of("demo_until_then"), "\n  ", started_by_r("main()"), "\n"))
}

# A call from a shell outside this session, in which the library is named.
started_by_r <- function(call) {
  library <- dirname(system.file(package = "orizzonte"))
  known <- c(.Library, .Library.site,
             strsplit(Sys.getenv("R_LIBS_USER"), .Platform$path.sep, fixed = TRUE)[[1L]])
  paste0(if (!library %in% path.expand(known)) paste0("R_LIBS=", shell_word(library), " "),
         "Rscript -e '", "orizzonte::", call, "'")
}

# The command that opens the live page: of a blueprint and data, or of a study.

command_page <- function(given) {
  file <- given$files[1L]
  data <- if (length(given$files) > 1L) given$files[2L]
  port <- if (!is.null(given$port)) parse_whole(given$port, "--port")
  options <- given_options(given, names(written_options()))
  bp <- file
  if (is_study_file(file)) {
    study <- read_study(file, FALSE, FALSE)
    bp <- read_blueprint(study$blueprints[[1L]])
    data <- data %||% study$data
    options <- utils::modifyList(study$asked[setdiff(names(study$asked), c("by", "levels"))],
                                 options)
  }
  found <- do.call(live_page, c(list(bp, data), options,
                                list(port = port, open = !isTRUE(given$closed))))
  if (inherits(found, "orizzonte_fit")) exit_code(found) else 0L
}

is_study_file <- function(file) {
  content <- read_yaml_file(file)
  is.list(content) && "steps" %in% names(content)
}
