# The complete analysis of the demo data: the study of the choirs.

command_demo <- function(given) {
  folder <- given$out
  if (!dir.exists(folder) && !dir.create(folder, recursive = TRUE, showWarnings = FALSE)) {
    abort("usage", text_of("cannot_create_folder_4", folder = quoted(folder)))
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
  text_of("written_results_are_go", folder = folder, results = results,
          row = row("index.html", text_of("every_step_pictures_tables")),
          of = row(of("report"), text_of("report_methods_results_words")),
          of_2 = row(of("amend"), text_of("last_fit_tables_path")), of_3 = if (length(of("amend")))
      row("", "fit <- readRDS(\"", file.path(results, of("amend"), "fit.rds"), "\")"),
          row_2 = row("study.yaml", text_of("study_change_only_what")),
          inside = row("", "orizzonte run ", shell_word(inside("study.yaml"))),
          row_3 = row("", text_of("blueprints_data_see_what")),
          inside_2 = row("", "orizzonte diagnose ", shell_word(inside("choirs-start.yaml")), " ",
        shell_word(inside("choirs.csv"))), syswhich = if (!nzchar(Sys.which("orizzonte")))
      text_of("command_orizzonte_is_not",
              started_by_r = started_by_r("install_command(\"~/.local/bin\")"),
              started_by_r_2 = started_by_r("main()")))
}

# A call from a shell that knows nothing of this session: a library of its own is named.
started_by_r <- function(call) {
  library <- dirname(system.file(package = "orizzonte"))
  known <- c(.Library, .Library.site,
             strsplit(Sys.getenv("R_LIBS_USER"), .Platform$path.sep, fixed = TRUE)[[1L]])
  paste0(if (!library %in% path.expand(known)) paste0("R_LIBS=", shell_word(library), " "),
         "Rscript -e '", "orizzonte::", call, "'")
}
