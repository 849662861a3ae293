# The complete analysis of the demo data.

command_demo <- function(given) {
  given$encoding <- "UTF-8"
  folder <- given$out
  if (!dir.exists(folder) && !dir.create(folder, recursive = TRUE, showWarnings = FALSE)) {
    abort("usage", paste0("Cannot create the folder ", quoted(folder), "."))
  }
  source <- function(name) system.file("extdata", name, package = "orizzonte")
  for (name in c("choirs.yaml", "choirs-start.yaml", "choirs.csv"))
    file.copy(source(name), file.path(folder, name), overwrite = TRUE)
  given$files <- file.path(folder, c("choirs.yaml", "choirs.csv"))
  surface$given$files <- given$files
  fit <- fit_from_files(given)
  print(summary(fit))
  inside <- function(name) file.path(folder, name)
  save_figure(path_diagram(fit), inside("diagram.png"))
  save_figure(path_diagram(fit), inside("diagram.svg"))
  save_figure(residual_map(fit), inside("residual-map.png"))
  save_figure(loading_plot(fit), inside("loadings.png"))
  write_table(amendments(fit), inside("amendments.csv"))
  for (table in c("estimates", "fit_indices", "r_squared", "residuals")) {
    write_table(fit_table(fit, table), inside(paste0(gsub("_", "-", table), ".csv")))
  }
  write_text(inside("fit.json"), fit_json(fit, "demo"))
  write_made(inside("fit.rds"), function(path) saveRDS(fit, path))
  write_report(fit, inside("report.html"), quiet = TRUE)
  ladder <-
    suppressMessages(invariance(read_blueprint(given$files[1L]), read_data_file(given$files[2L]),
                                by = "setting"))
  write_table(ladder$table, inside("ladder.csv"))
  loosened <- suppressMessages(loosen(loosen(ladder, "metric")$ladder, "scalar"))
  write_report(loosened, inside("groups.html"), quiet = TRUE)
  if (!given$quiet) {
    close_with("\nWritten to ", folder, ":\n",
        "  report.html               the report: open it in a browser\n",
        "  groups.html, ladder.csv   may the two rehearsal settings be compared?\n",
        "  diagram.png, diagram.svg  the path diagram\n",
        "  residual-map.png, loadings.png\n",
        paste0("  estimates.csv, fit-indices.csv, r-squared.csv, residuals.csv, amendments.csv, ",
               "fit.json\n"),
        "  fit.rds                   the fit itself: fit <- readRDS(\"", inside("fit.rds"), "\")\n",
        "  choirs.yaml, choirs.csv   blueprint and data, to change and try again:\n",
        "                            orizzonte fit ", inside("choirs.yaml"), " ",
        inside("choirs.csv"), "\n",
        paste0("  choirs-start.yaml         a structural model before anything was amended; see ",
               "what is wrong with it:\n"),
        "                            orizzonte diagnose ", inside("choirs-start.yaml"), " ",
        inside("choirs.csv"), "\n",
        if (!nzchar(Sys.which("orizzonte")))
          paste0("\nThe command orizzonte is not on your path yet: Rscript -e ",
                 "'orizzonte::install_command(\"~/.local/bin\")'\nputs it there; without it, ",
                 "write Rscript -e 'orizzonte::main()' fit ...\n"))
  }
  exit_code(fit)
}
