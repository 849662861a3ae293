# The complete analysis of the demo data: the study of the choirs.

command_demo <- function(given) {
  folder <- given$out
  if (!dir.exists(folder) && !dir.create(folder, recursive = TRUE, showWarnings = FALSE)) {
    abort("usage", paste0("Cannot create the folder ", quoted(folder), "."))
  }
  # a study, and data, that are there are the user's own by now
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

# Where everything is, and what to try next.
demo_lines <- function(folder, results, steps) {
  inside <- function(...) file.path(folder, ...)
  of <- function(kind) utils::tail(steps$folder[steps$kind == kind], 1L)
  row <- function(name, ...) if (length(name)) sprintf("  %-20s %s\n", name, paste0(...))
  paste0(
    "\nWritten to ", folder, "; the results are in ", results, ":\n",
    row("index.html", "every step with its pictures and tables: open it in a browser"),
    row(of("report"), "the report, and methods and results in words"),
    row(of("amend"), "the last fit: tables, path diagram, and"),
    if (length(of("amend")))
      row("", "fit <- readRDS(\"", file.path(results, of("amend"), "fit.rds"), "\")"),
    "To go on:\n",
    row("study.yaml", "the study: change it, and only what changed is done again:"),
    row("", "orizzonte run ", shell_word(inside("study.yaml"))),
    "  choirs.yaml, choirs-start.yaml, choirs.csv\n",
    row("", "blueprints and data; see what is wrong with the first model:"),
    row("", "orizzonte diagnose ", shell_word(inside("choirs-start.yaml")), " ",
        shell_word(inside("choirs.csv"))),
    if (!nzchar(Sys.which("orizzonte")))
      paste0("\nThe command orizzonte is not on your path yet. This puts it into a folder that\n",
             "mostly is:\n  mkdir -p ~/.local/bin && ",
             started_by_r("install_command(\"~/.local/bin\")"),
             "\nUntil then, write instead of orizzonte:\n  ", started_by_r("main()"), "\n"))
}

# A call from a shell that knows nothing of this session: a library of its own is named.
started_by_r <- function(call) {
  library <- dirname(system.file(package = "orizzonte"))
  known <- c(.Library, .Library.site,
             strsplit(Sys.getenv("R_LIBS_USER"), .Platform$path.sep, fixed = TRUE)[[1L]])
  paste0(if (!library %in% path.expand(known)) paste0("R_LIBS=", shell_word(library), " "),
         "Rscript -e '", "orizzonte::", call, "'")
}
