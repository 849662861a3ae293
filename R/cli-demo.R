# The complete analysis of the demo data: the study of the choirs.

command_demo <- function(given) {
  folder <- given$out
  if (!dir.exists(folder) && !dir.create(folder, recursive = TRUE, showWarnings = FALSE)) {
    abort("usage", paste0("Cannot create the folder ", quoted(folder), "."))
  }
  file <- file.path(folder, "study.yaml")
  # a study that is there is the user's own by now
  if (!file.exists(file)) new_study_files(folder)
  made <- run_study(file, quiet = given$quiet)
  fits <- Filter(function(x) inherits(x, "orizzonte_fit"), made)
  last <- if (length(fits)) fits[[length(fits)]]
  steps <- attr(made, "steps")
  if (!is.null(last)) {
    at <- steps$folder[match(names(fits)[length(fits)], steps$step)]
    surface$given$files <- c(file.path(folder, "results", at, "blueprint.yaml"),
                             file.path(folder, "choirs.csv"))
    print(summary(last))
  }
  if (!given$quiet) close_with(demo_lines(folder, steps))
  if (is.null(last)) 0L else exit_code(last)
}

# Where everything is, and what to try next.
demo_lines <- function(folder, steps) {
  inside <- function(...) file.path(folder, ...)
  of <- function(kind) utils::tail(steps$folder[steps$kind == kind], 1L)
  paste0(
    "\nWritten to ", folder, ":\n",
    "  results/index.html   every step with its pictures and tables: open it in a browser\n",
    if (length(of("report")))
      paste0("  results/", of("report"), "    the report, and methods and results in words\n"),
    if (length(of("amend")))
      paste0("  results/", of("amend"), "   the last fit: tables, path diagram, and\n",
             "                       fit <- readRDS(\"", inside("results", of("amend"), "fit.rds"),
             "\")\n"),
    "  study.yaml           the study: change it, and only what changed is done again:\n",
    "                       orizzonte run ", shell_word(inside("study.yaml")), "\n",
    "  choirs.yaml, choirs-start.yaml, choirs.csv\n",
    "                       blueprints and data; see what is wrong with the first model:\n",
    "                       orizzonte diagnose ", shell_word(inside("choirs-start.yaml")), " ",
    shell_word(inside("choirs.csv")), "\n",
    if (!nzchar(Sys.which("orizzonte")))
      paste0("\nThe command orizzonte is not on your path yet: Rscript -e ",
             "'orizzonte::install_command(\"~/.local/bin\")'\nputs it there; without it, ",
             "write Rscript -e 'orizzonte::main()' run ...\n"))
}
