# The commands: what each does, its files and options, and how it runs.

# The name under which an option's value is found: its flag with underscores.
option_name <- function(flag) gsub("-", "_", sub("^--", "", flag))

text_option <- function(flag, metavar, help, default = NULL) {
  optparse::make_option(flag, type = "character", default = default, dest = option_name(flag),
                        metavar = metavar, help = help)
}

switch_option <- function(flag, help) {
  optparse::make_option(flag, action = "store_true", default = FALSE, dest = option_name(flag),
                        help = help)
}

# Of the invariance ladder.
ladder_options <- function() {
  list(
    rungs = text_option("--rungs", "RUNGS",
                        paste0("rungs to fit (default: all that apply, such as ",
                               "\"configural;metric;scalar;strict\")")),
    structural_on = text_option("--structural-on", "RUNG",
                                "the rung to put --structural on (default: scalar)"),
    ladder_against = text_option("--against", "RUNG",
                                 "what changes refer to: previous (default) or first", "previous"),
    structural = text_option("--structural", "WHAT",
                             paste0("held on top of the scalar rung, such as ",
                                    "'variance[constructs]; mean'")),
    loosen = text_option("--loosen", "RUNG", "release equalities of this rung until it holds"),
    ladder = switch_option("--ladder", "report the invariance ladder of the groups (needs --by)"),
    ladder_table = text_option("--table", "TABLE",
                               "which table as csv: ladder (default), means, gaps or contributions",
                               "ladder")
  )
}

cli_options <- function() {
  c(ladder_options(), list(
    format = text_option("--format", "FORMAT", "text (default), json or csv", "text"),
    json_format = text_option("--format", "FORMAT", "text (default) or json", "text"),
    screen_format = text_option("--format", "FORMAT",
                                "text (default), json, or csv (the columns)", "text"),
    by = text_option("--by", "COLUMN", "a grouping column"),
    table = text_option("--table", "TABLE",
                        paste0("which table as csv: estimates (default), fit_indices, ",
                               "r_squared, residuals, verdicts or trail"), "estimates"),
    diagnose_table = text_option("--table", "TABLE",
                                 "which table as csv: amendments (default), residuals or without",
                                 "amendments"),
    compare_table = text_option("--table", "TABLE",
                                "which table as csv: comparison (default) or estimates",
                                "comparison"),
    top = text_option("--top", "NUMBER", "how many to refit and show (default: 20)", "20"),
    all = switch_option("--all", "also list what is not offered, with the reason"),
    free = text_option("--free", "ADDRESS", "what to free, such as 'covariance[be1, be2]'"),
    fix = text_option("--fix", "EQUATION", "what to fix, such as 'effect[age, Staying] == 0'"),
    omit = text_option("--omit", "NAME", "item or construct to leave out"),
    because = text_option("--because", "TEXT", "the reason, kept in the trail"),
    blueprint = text_option("--out", "FILE", "the next blueprint, a .yaml file (required)"),
    against = text_option("--against", "MODEL",
                          paste0("previous (default), first, or the name of a blueprint file ",
                                 "without its ending"), "previous"),
    same_rows = switch_option("--same-rows",
                              "use only rows without missing values in any of the models"),
    what = text_option("--what", "FIGURE",
                       "diagram (default), residuals, loadings, amendments or trail", "diagram"),
    out = text_option("--out", "FILE", "write there instead of to the terminal"),
    folder = text_option("--out", "FOLDER", "output folder (default: orizzonte-demo)",
                         "orizzonte-demo"),
    figure = text_option("--out", "FILE", "the figure: .png, .svg or .pdf (required)"),
    report = text_option("--out", "FILE", "the report: .html, .docx or .md (required)"),
    values = text_option("--values", "VALUES", "standardized (default), raw, both or none",
                         "standardized"),
    missing_codes = text_option("--missing-codes", "CODES",
                                "numbers that mean missing, such as -9,999"),
    encoding = text_option("--encoding", "NAME",
                           "what the bytes of DATA are: UTF-8 (default), latin1 or another",
                           "UTF-8"),
    levels = text_option("--levels", "GROUPS",
                         paste0("which groups, in which order, under which names, such as ",
                                "'Evening=1; Weekend=2'")),
    criteria = text_option("--criteria", "FILE",
                           paste0("a YAML file of cut-offs and levels, such as 'cfi: [.96, ",
                                  ".92]'; see ?criteria")),
    quiet = switch_option("--quiet", "no messages on standard error")
  ))
}

cli_commands <- function() c(data_commands(), amending_commands(), showing_commands())

data_commands <- function() {
  list(
    demo = list(
      does = "a complete analysis of the made-up choir data, into a folder", files = character(),
      options = c("folder", "quiet"),
      help =
      paste0("Fits the measurement model of the demo data, prints the summary, compares ",
             "the two rehearsal settings, and writes reports,\n",
             "figures, tables and the fit."),
      example = "orizzonte demo --out my-demo", run = command_demo
    ),
    screen = list(
      does = "look at the data: codes, odd columns, missing values, outliers",
      files = c("[BLUEPRINT]", "DATA"),
      options = c("screen_format", "out", "by", "missing_codes", "encoding", "quiet"),
      help =
      paste0("Looks at every column of DATA, or at those of BLUEPRINT when it is given ",
             "(then keying is checked, too).\n",
             "Ends with a plain list of what to do. Exit code 0; 2: bad input."),
      example = "orizzonte screen choirs.csv --by setting", run = command_screen
    ),
    check = list(
      does = "can the model be estimated, and what is assumed for it?",
      files = c("BLUEPRINT", "DATA"),
      options = c("json_format", "out", "by", "levels", "missing_codes", "encoding", "quiet"),
      help =
      paste0("Checks names against the data, counts parameters, tests whether they can ",
             "be told apart, and lists what is assumed.\n",
             "Exit code 0: identified; 1: not identified; 2: bad input."),
      example = "orizzonte check choirs.yaml choirs.csv", run = command_check
    ),
    fit = list(
      does = "fit a blueprint to data and show the result", files = c("BLUEPRINT", "DATA"),
      options = c("format", "table", "criteria", "out", "by", "levels", "missing_codes", "encoding",
                  "quiet"),
      help =
      paste0("BLUEPRINT is a YAML file, DATA a CSV or TSV file with a header, or a ",
             "summary-data file (first column `row`).\n",
             "Exit code 0: converged (an improper solution warns); 1: not identified or ",
             "not converged; 2: bad input."),
      example = "orizzonte fit choirs.yaml choirs.csv --format json --out fit.json",
      run = command_fit
    )
  )
}

amending_commands <- function() {
  list(
    diagnose = list(
      does = "where does it misfit, and what would mend it?", files = c("BLUEPRINT", "DATA"),
      options = c("format", "diagnose_table", "top", "all", "criteria", "out", "by", "levels",
                  "missing_codes", "encoding", "quiet"),
      help =
      paste0("Shows the largest residuals, paths that could be removed, and what could ",
             "be freed: modification index, expected change, and the\n",
             "real drop of chi-square after refitting. Exit code 0; 1: not identified or ",
             "not converged; 2: bad input."),
      example = "orizzonte diagnose choirs.yaml choirs.csv --top 10", run = command_diagnose
    ),
    amend = list(
      does = "change one thing, with a reason, and write the next blueprint",
      files = c("BLUEPRINT", "DATA"),
      options = c("free", "fix", "omit", "because", "blueprint", "format", "by", "levels",
                  "missing_codes", "encoding", "quiet"),
      help =
      paste0("Frees, fixes or leaves out one thing, refits, and writes the next ",
             "blueprint with its trail: the change, its reason, what\n",
             "was predicted and what happened. Several at once are separated by `;`. The ",
             "trail goes to standard output."),
      example =
      paste0("orizzonte amend choirs.yaml choirs.csv --free 'loading[Calm, st2]' --because ",
             "'settled is about calm, too' --out choirs-2.yaml"),
      run = command_amend
    ),
    compare = list(
      does = "compare models: tests where nested, information criteria, estimates",
      files = c("BLUEPRINT", "BLUEPRINT...", "DATA"),
      options = c("format", "compare_table", "against", "same_rows", "criteria", "out",
                  "missing_codes", "encoding", "quiet"),
      help =
      paste0("Fits each blueprint to the data and puts them side by side. A ",
             "likelihood-ratio test is given only after checking that the\n",
             "models are nested."),
      example = "orizzonte compare choirs.yaml choirs-2.yaml choirs.csv", run = command_compare
    )
  )
}

showing_commands <- function() {
  list(
    invariance = list(
      does = "may groups be compared? configural, metric, scalar, strict, and means",
      files = c("BLUEPRINT", "DATA"),
      options = c("by", "levels", "rungs", "structural", "structural_on", "criteria",
                  "ladder_against", "loosen", "format", "ladder_table", "out",
                  "missing_codes", "encoding", "quiet"),
      help =
      paste0("Fits the blueprint to the groups of --by, holding more and more equal, ",
             "and says which rung holds and what may be compared.\n",
             "With --loosen RUNG equalities are released one at a time until it does. ",
             "Exit code 1 when a rung has not converged."),
      example = "orizzonte invariance choirs.yaml choirs.csv --by setting --loosen metric",
      run = command_invariance
    ),
    draw = list(
      does = "draw a figure of a fitted blueprint", files = c("BLUEPRINT", "DATA"),
      options = c("figure", "what", "values", "by", "levels", "missing_codes", "encoding", "quiet"),
      help =
      paste0("Fits the blueprint and writes a figure: the path diagram, the map of residuals, ",
             "loadings, amendments, or the trail."),
      example = "orizzonte draw choirs.yaml choirs.csv --out diagram.png --values both",
      run = command_draw
    ),
    report = list(
      does = "write a report of a fitted blueprint, of several, or of a ladder",
      files = c("BLUEPRINT", "[BLUEPRINT...]", "DATA"),
      options = c("report", "by", "levels", "ladder", "rungs", "structural", "structural_on",
                  "criteria", "loosen", "missing_codes", "encoding", "quiet"),
      help =
      paste0("Fits the blueprint and writes a self-contained report; several blueprints ",
             "are also compared. With --ladder and --by the\n",
             "report is about the invariance ladder of the groups."),
      example = "orizzonte report choirs.yaml choirs.csv --by setting --ladder --out groups.html",
      run = command_report
    )
  )
}

fit_from_files <- function(given) {
  called_with(fit_model, given,
              list(read_blueprint(given$files[1L]),
                   read_data_file(given$files[2L], given$encoding)))
}

# A function called with what the options say about groups and codes, and more.
called_with <- function(f, given, more) {
  options <- list(by = given$by, levels = parse_levels(given$levels),
                  missing_codes = parse_codes(given$missing_codes))
  do.call(f, c(more, Filter(Negate(is.null), options)))
}

# Parts separated by semicolons, since addresses hold commas.
split_words <- function(text) if (!is.null(text)) trimws(strsplit(text, ";", fixed = TRUE)[[1L]])

# 'Evening=1; Weekend=2' as c(Evening = "1", Weekend = "2"); a value alone keeps its name.
parse_levels <- function(text) {
  if (is.null(text)) return(NULL)
  parts <- split_words(text)
  named <- grepl("=", parts, fixed = TRUE)
  stats::setNames(trimws(sub("^[^=]*=", "", parts)),
                  ifelse(named, trimws(sub("=.*", "", parts)), ""))
}

given_criteria <- function(given) if (!is.null(given$criteria)) read_criteria(given$criteria)

parse_codes <- function(text) {
  if (is.null(text)) return(NULL)
  codes <- suppressWarnings(as.numeric(strsplit(text, "[, ]+")[[1L]]))
  if (anyNA(codes) || length(codes) == 0L) {
    abort("usage", c(paste0("--missing-codes must be numbers, not ", quoted(text), "."),
                     i = "Such as --missing-codes=-9,999"))
  }
  codes
}

command_screen <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  data <- read_data_file(given$files[length(given$files)], given$encoding)
  if (inherits(data, "orizzonte_summary_data"))
    abort("data", c("There is nothing to screen in summary data.", i = "Give the raw data."))
  bp <- if (length(given$files) == 2L) read_blueprint(given$files[1L])
  names <- if (is.null(bp)) names(data) else blueprint_variables(bp)$observed
  check_known(c(names, given$by), names(data), bp)
  found <- screen_columns(data, names, bp, given$by, parse_codes(given$missing_codes))
  to_output(given$out, given$quiet, function() {
    switch(format, text = print(found), json = cat(screen_json(found), "\n", sep = ""),
           csv = write_table(found$columns))
  })
  0L
}

screen_json <- function(found) {
  to_json(c(list(orizzonte = package_version_text(), command = "screen"),
            found[c("rows", "complete", "columns", "groups", "patterns", "normality",
                       "outliers", "advice")]))
}

command_check <- function(given) {
  format <- choose_one(given$format, c("text", "json"), "--format")
  found <- called_with(identification, given,
                       list(read_blueprint(given$files[1L]),
                            read_data_file(given$files[2L], given$encoding)))
  to_output(given$out, given$quiet, function() {
    if (format == "json") return(cat(check_json(found), "\n", sep = ""))
    print(found)
    cat("", bullet_assumptions(found), sep = "\n")
  })
  if (found$identified) 0L else 1L
}

check_json <- function(found) {
  lists <- c("kinds", "trading", "notes", "remedies", "assumed", "not_assumed")
  content <- c(list(orizzonte = package_version_text(), command = "check", title = found$title,
                    identified = found$identified),
               found[c("moments", "parameters", "df", "rank")], lapply(found[lists], I))
  to_json(content)
}

exit_code <- function(fit) if (has_converged(fit)) 0L else 1L

# What `write` prints, into a file when one is asked for.
to_output <- function(file, quiet, write) {
  if (is.null(file)) return(write())
  write_text(file, utils::capture.output(write()), "usage")
  if (!quiet) close_with("Written to ", file, "\n")
}

command_fit <- function(given) {
  format <- choose_one(given$format, c("text", "json", "csv"), "--format")
  table <- choose_one(given$table,
                      c("estimates", "fit_indices", "r_squared", "residuals", "verdicts", "trail"),
                      "--table")
  criteria <- given_criteria(given)
  fit <- fit_from_files(given)
  to_output(given$out, given$quiet, function() {
    switch(format, text = print(summary(fit, criteria)),
           json = cat(fit_json(fit, "fit", criteria), "\n", sep = ""),
           csv = write_table(fit_table(fit, table, criteria)))
  })
  exit_code(fit)
}

fit_table <- function(fit, table, criteria = NULL) {
  switch(table, estimates = estimates(fit), fit_indices = fit_indices(fit, criteria),
         r_squared = r_squared(fit), verdicts = verdicts(fit, criteria), trail = trail(fit),
         residuals = stats::residuals(fit, in_units = "correlation", largest = 20))
}

# CSV with numbers that read back exactly.
write_table <- function(x, file = "") {
  columns <- as.list(unclass(x))[names(x)]
  text <- which(vapply(columns, is.character, NA))
  exact <- lapply(columns, function(column) {
    if (!is.double(column)) return(column)
    out <- rep(NA_character_, length(column))
    out[!is.na(column)] <- format_exact(column[!is.na(column)])
    out
  })
  lines <- utils::capture.output(
    utils::write.csv(list_frame(exact), row.names = FALSE, na = "", quote = text))
  if (nzchar(file)) write_text(file, lines) else cat(lines, sep = "\n")
}

# One stable shape; see vignette("command-line").
fit_json <- function(fit, command, criteria = NULL) {
  improper <- improper_parts(fit)
  rows <- json_rows
  indices <- fit_indices(fit, criteria)
  assumptions <- list_assumptions(fit$layout, fit$request$blueprint)
  content <- list(
    orizzonte = fit$version, command = command, title = fit$request$blueprint$title,
    status = if (!has_converged(fit)) "not converged" else if (nrow(improper)) "improper" else
    "converged", detail = fit_status(fit), trouble = I(improper$trouble),
    evidence = I(if (has_converged(fit) && nrow(improper) == 0L) character() else
                 vapply(fit_evidence(fit), `[[`, "", "text")),
    n = sample_n(fit$sample), rows = fit$sample$total_rows, notes = I(as.character(fit_notes(fit))),
    assumed = I(assumptions$assumed), not_assumed = I(assumptions$not_assumed),
    parameters = n_free(fit), df = stats::df.residual(fit),
    reading = attr(indices, "reading"), fit_indices = rows(indices),
    estimates = rows(estimates(fit)), r_squared = rows(r_squared(fit)),
    residuals = rows(stats::residuals(fit, in_units = "correlation", largest = 10)),
    verdicts = if (length(fit$request$blueprint$claims) && has_converged(fit))
      rows(verdicts(fit, criteria)), trail = if (length(fit$request$blueprint$trail))
        rows(trail(fit))
  )
  to_json(content)
}

command_draw <- function(given) {
  if (is.null(given$out))
    abort("usage", c("orizzonte draw needs --out FILE.", i = "Such as --out diagram.png"))
  values <- choose_one(given$values, c("standardized", "raw", "both", "none"), "--values")
  what <- choose_one(given$what, c("diagram", "residuals", "loadings", "amendments", "trail"),
                     "--what")
  check_figure_ending(given$out)
  fit <- fit_from_files(given)
  figure <- switch(what, diagram = path_diagram(fit, values), residuals = residual_map(fit),
                   loadings = loading_plot(fit), amendments = plot(amendments(fit, top = 0)),
                   trail = plot(trail(fit)))
  save_figure(figure, given$out)
  if (!given$quiet) close_with("Figure written to ", given$out, "\n")
  exit_code(fit)
}

command_report <- function(given) {
  if (is.null(given$out))
    abort("usage", c("orizzonte report needs --out FILE.", i = "Such as --out report.html"))
  check_report_ending(given$out)
  count <- length(given$files)
  if (isTRUE(given$ladder)) {
    if (is.null(given$by))
      abort("usage", c("--ladder needs --by COLUMN.", i = "Such as --by setting"))
    if (count > 2L) abort("usage", "--ladder takes one blueprint.")
    x <- ladder_from_files(given)
    if (!is.null(given$loosen)) x <- loosen(x, given$loosen)
    fits <- if (inherits(x, "orizzonte_loosened")) x$ladder$fits else x$fits
  } else {
    idle <- Filter(function(name) !is.null(given[[name]]),
                   c("rungs", "structural", "structural_on", "loosen"))
    if (length(idle)) abort("usage", paste0("--", gsub("_", "-", idle[1L]), " needs --ladder."))
    fits <- lapply(given$files[-count], function(file) {
      given$files <- c(file, given$files[count])
      fit_from_files(given)
    })
    names(fits) <- make.unique(tools::file_path_sans_ext(basename(given$files[-count])), sep = " ")
    x <- if (length(fits) == 1L) fits[[1L]] else fits
  }
  write_report(x, given$out, quiet = given$quiet, criteria = given_criteria(given))
  max(vapply(fits, exit_code, 0L))
}

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
        inside("choirs.csv"), "\n")
  }
  exit_code(fit)
}
