# The commands: their purpose, their files and options, and how they run.

cli_commands <- function() {
  found <- c(data_commands(), amending_commands(), showing_commands())
  last <- names(found) %in% c("draw", "report")
  c(found[!last], many_commands(), found[last], study_commands())
}

study_commands <- function() {
  list(
    new = list(
      does = "write a study file to start from, with the demo data", files = c("study", "[FILE]"),
      options = "quiet",
      help =
      paste0("Writes FILE (study.yaml when it is not given) with blueprints and data of the ",
             "made-up choirs into its folder; nothing is written over. It runs unchanged. ",
             "Exit code 0; 2: bad input."),
      example = "orizzonte new study study.yaml", run = command_new
    ),
    run = list(
      does = "run a whole study from one file", files = "STUDY",
      options = c("results", "fresh", "anywhere", "quiet"),
      help =
      paste0("Runs the steps of the study file in order and writes the results of each step into ",
             "a folder with an index page. Finished steps are kept: a second run repeats only ",
             "what has changed. Exit code 0; 1: a model has not converged; 2: bad input or a ",
             "step that failed."),
      example = "orizzonte run study.yaml", run = command_run
    ),
    page = list(
      does = "do the whole analysis by hand and eye, on a page in your browser",
      files = c("BLUEPRINT", "[DATA]"),
      options = c("port", "closed", "by", "levels", fitting_options(), "quiet"),
      help =
      paste0("Opens a local page on which the model is specified, fitted, amended and reported. ",
             "Only this computer can reach it, with the address that is printed. BLUEPRINT may ",
             "also be a study file, whose data and options are then used. Ctrl+C ends the page. ",
             "Exit code 0; 1: not converged; 2: bad input."),
      example = "orizzonte page choirs.yaml choirs.csv", run = command_page
    )
  )
}

data_commands <- function() {
  list(
    demo = list(
      does = "a complete analysis of the made-up choir data, into a folder", files = character(),
      options = c("folder", "quiet"),
      help =
      paste0("Writes the study of the made-up choirs into a folder and runs it: looks at the ",
             "data, fits, amends and compares, judges the measures, compares the two rehearsal ",
             "settings, resamples, plans, and reports. A study that is there already is run as ",
             "it is. Exit code 0; 1: not converged; 2: bad input."),
      example = "orizzonte demo --out my-demo", run = command_demo
    ),
    screen = list(
      does = "look at the data: codes, odd columns, missing values, outliers",
      files = c("[BLUEPRINT]", "DATA"),
      options = c("screen_format", "out", "by", "clusters", "missing_codes", "encoding", "quiet"),
      help =
      paste0("Looks at every column of DATA, or at those of BLUEPRINT when it is given ",
             "(then keying is also checked). ",
             "Ends with a plain list of what to do. Exit code 0; 2: bad input."),
      example = "orizzonte screen choirs.csv --by setting", run = command_screen
    ),
    check = list(
      does = "can the model be estimated, and what is assumed for it?",
      files = c("BLUEPRINT", "[DATA]"),
      options = c("json_format", "out", "by", "levels", fitting_options(), "quiet"),
      help =
      paste0("Checks names against the data (where they are given), counts parameters, tests ",
             "whether they are identified, and lists the defaults. ",
             "Exit code 0: identified; 1: not identified; 2: bad input."),
      example = "orizzonte check choirs.yaml choirs.csv", run = command_check
    ),
    fit = list(
      does = "fit a blueprint to data and show the result", files = c("BLUEPRINT", "DATA"),
      options = c("format", "table", "criteria", "out", "by", "levels", fitting_options(),
                  "quiet"),
      help =
      paste0("BLUEPRINT is a YAML file, DATA a CSV or TSV file with a header, or a YAML ",
             "file of summary data. ",
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
      does = "residuals and modification indices: where the model misfits",
      files = c("BLUEPRINT", "DATA"),
      options = c("format", "diagnose_table", "top", "min_drop", "kinds", "all", "criteria", "out",
                  "by", "levels", fitting_options(), "quiet"),
      help =
      paste0("Shows the largest residuals, paths that could be removed, and what could ",
             "be freed: modification index, expected change, and the ",
             "real fall of chi-square after refitting. Exit code 0; 1: not identified or ",
             "not converged; 2: bad input."),
      example = "orizzonte diagnose choirs.yaml choirs.csv --top 10", run = command_diagnose
    ),
    amend = list(
      does = "change one thing, with a reason, and write the next blueprint",
      files = c("BLUEPRINT", "DATA"),
      options = c("free", "fix", "omit", "split", "into", "because", "blueprint", "format",
                  "by", "levels",
                  fitting_options(), "quiet"),
      help =
      paste0("Frees, fixes, leaves out or splits one thing, refits, and writes the next ",
             "blueprint with its trail: the change, its reason, what ",
             "was predicted and what happened. Several at once are separated by `;`. The ",
             "trail goes to standard output."),
      example =
      paste0("orizzonte amend choirs.yaml choirs.csv --free 'loading[Calm, st2]' --because ",
             "'settled is also about calm' --out choirs-2.yaml"),
      run = command_amend
    ),
    compare = list(
      does = "compare models: tests where nested, information criteria, estimates",
      files = c("BLUEPRINT", "BLUEPRINT...", "DATA"),
      options = c("format", "compare_table", "against", "same_rows", "reference", "criteria", "out",
                  "by", "levels", fitting_options(), "quiet"),
      help =
      paste0("Fits each blueprint to the data and puts them side by side. A ",
             "likelihood-ratio test is given only after checking that the ",
             "models are nested."),
      example = "orizzonte compare choirs.yaml choirs-2.yaml choirs.csv", run = command_compare
    ),
    confirm = list(
      does = "fit the start and the end of a trail to fresh data",
      files = c("BLUEPRINT", "DATA", "FRESH"),
      options = c("json_format", "out", "by", "levels", fitting_options(), "quiet"),
      help =
      paste0("BLUEPRINT has a trail (see amend), DATA are those it was made with, FRESH the same ",
             "columns of other cases. Shows whether the freed parameters replicate ",
             "(cross-validation). ",
             "Exit code 0; 1: not identified or not converged; 2: bad input."),
      example = "orizzonte confirm choirs-2.yaml choirs.csv fresh.csv", run = command_confirm
    ),
    rescue = list(
      does = "try the usual remedies for a model in trouble", files = c("BLUEPRINT", "DATA"),
      options = c("json_format", "out", "by", "levels", fitting_options(), "quiet"),
      help =
      paste0("For a model that does not converge, is improper or cannot be fitted: mistakes in ",
             "the data, other scales and starts, outlying rows, bounds, and changes of the ",
             "model, each tried and shown. Exit code 0: something worked; 1: nothing did."),
      example = "orizzonte rescue choirs.yaml choirs.csv", run = command_rescue
    )
  )
}

showing_commands <- function() {
  c(measuring_commands(), question_commands(), drawing_commands())
}

measuring_commands <- function() {
  list(
    scores = list(
      does = "write factor scores of all cases", files = c("BLUEPRINT", "DATA"),
      options = c("method", "with_data", "out", "by", "levels", fitting_options(), "quiet"),
      help =
      paste0("Fits the blueprint and writes a CSV file with one row per row of DATA: the factor ",
             "scores of each construct and their standard errors. Rows that were not used have ",
             "no scores. Exit code 0; 1: not converged, nothing is written; 2: bad input."),
      example = "orizzonte scores choirs.yaml choirs.csv --out scores.csv", run = command_scores
    ),
    quality = list(
      does = "how good are the measures? reliability, validity, weak items",
      files = c("BLUEPRINT", "DATA"),
      options = c("quality_table", "leave_out", "htmt", "general", "criteria", "format", "out",
                  "by", "levels", fitting_options(), "quiet"),
      help =
      paste0("Omega, alpha, average variance extracted, correlations and ratios between ",
             "constructs against the criteria, and what would be without single items; with ",
             "--table split the general and specific parts of a bifactor or second-order model. ",
             "Exit code 0; 1: not identified or not converged; 2: bad input."),
      example = "orizzonte quality choirs.yaml choirs.csv --leave-out all", run = command_quality
    ),
    invariance = list(
      does = "may groups or times be compared? from configural to strict, and means",
      files = c("BLUEPRINT", "DATA"),
      options = c("by", "levels", "over", "rungs", "structural", "structural_on", "criteria",
                  "ladder_against", "loosen", "format", "ladder_table", "out",
                  fitting_options(), "quiet"),
      help =
      paste0("Fits the blueprint to the groups of --by, or with its repeated constructs at all ",
             "their times, holding more and more equal, ",
             "and says which rung holds and what may be compared. ",
             "With --loosen RUNGS equalities are released one at a time until each does. ",
             "Exit code 1 when a rung has not converged."),
      example = "orizzonte invariance choirs.yaml choirs.csv --by setting --loosen metric",
      run = command_invariance
    )
  )
}

question_commands <- function() {
  list(
    constancy = list(
      does = "does the measure stay the same along age or another variable?",
      files = c("BLUEPRINT", "DATA"),
      options = c("along", "tested", "within", "bands", "extra_figure", "criteria", "format", "out",
                  fitting_options(), "quiet"),
      help =
      paste0("Tests whether loadings, intercepts, residual variances or effects change along a ",
             "column of DATA, without dividing the cases into groups, and names the parameters ",
             "that do. Exit code 0; 1: not identified or not converged; 2: bad input."),
      example = "orizzonte constancy choirs.yaml choirs.csv --along age --what intercepts",
      run = command_constancy
    ),
    approximate = list(
      does = "means of many groups when not all parameters are equal",
      files = c("BLUEPRINT", "DATA"),
      options = c("by", "levels", "reference_group", "extra_figure", "format", "out",
                  fitting_options(), "quiet"),
      help =
      paste0("Compares the means of the groups of --by under approximate invariance: most ",
             "loadings and intercepts nearly equal, a few different. Says whether the means may ",
             "be ranked. Exit code 0; 1: not identified or not converged; 2: bad input."),
      example = "orizzonte approximate choirs.yaml choirs.csv --by town", run = command_approximate
    ),
    mediation = list(
      does = "direct, indirect and total effects of one variable on another",
      files = c("BLUEPRINT", "DATA"),
      options = c("from", "to", "mediation_reps", "seed", "interval", "workers", "format", "out",
                  "by", "levels", fitting_options(), "quiet"),
      help =
      paste0("Divides the effect of --from on --to by its routes, with bootstrap intervals and ",
             "the differences between routes and groups. ",
             "Exit code 0; 1: not identified or not converged; 2: bad input."),
      example = "orizzonte mediation structural.yaml choirs.csv --from Belonging --to Staying",
      run = command_mediation
    ),
    equivalent = list(
      does = "which other models would fit exactly as well?", files = c("BLUEPRINT", "DATA"),
      options = c("before", "format", "out", "by", "levels", fitting_options(), "quiet"),
      help =
      paste0("Lists models with an effect reversed or replaced by a covariance that no data can ",
             "distinguish from this one. Exit code 0; 1: not identified or not converged; 2: ",
             "bad input."),
      example = "orizzonte equivalent structural.yaml choirs.csv --before Belonging",
      run = command_equivalent
    )
  )
}

drawing_commands <- function() {
  list(
    draw = list(
      does = "draw a figure of a fitted blueprint", files = c("BLUEPRINT", "DATA"),
      options = c("figure", "what", "over", "values", "r_squared", "reliability",
                  "grey_nonsignificant", "by", "levels",
                  fitting_options(), "quiet"),
      help =
      paste0("Fits the blueprint and writes a figure: the path diagram, the map of residuals, ",
             "loadings, the quality of the measures, amendments, or the trail; with --by also the ",
             "values of the groups, or ",
             "their invariance ladder."),
      example = "orizzonte draw choirs.yaml choirs.csv --out diagram.png --values both",
      run = command_draw
    ),
    report = list(
      does = "write a report of a fitted blueprint, of several, or of a ladder",
      files = c("BLUEPRINT", "[BLUEPRINT...]", "DATA"),
      options = c("report", "title", "parts", "tables", "text", "by", "levels", "ladder", "over",
                  "rungs", "structural", "structural_on", "criteria", "loosen",
                  fitting_options(), "quiet"),
      help =
      paste0("Fits the blueprint and writes a self-contained report, its tables and figures, ",
             "or methods and results in words; several blueprints ",
             "are also compared. With --ladder and --by the ",
             "report is about the invariance ladder of the groups."),
      example = "orizzonte report choirs.yaml choirs.csv --by setting --ladder --out groups.html",
      run = command_report
    )
  )
}

many_commands <- function() {
  list(
    bootstrap = list(
      does = "bootstrap intervals and tests, without assuming normality",
      files = c("BLUEPRINT", "DATA"),
      options = c("read", "reps", "seed", "interval", "draw", "test", "workers", "resume",
                  "format", "out", "by", "levels", fitting_options(), "quiet"),
      help =
      paste0("Fits the blueprint, draws the cases again (within groups, whole clusters) and fits ",
             "each replicate. Exit code 0; 1: not identified or not converged; 2: bad input."),
      example = "orizzonte bootstrap choirs.yaml choirs.csv --reps 1000 --seed 1",
      run = command_bootstrap
    ),
    cutoffs = list(
      does = "cut-offs of fit indices made for this model and these data",
      files = c("BLUEPRINT", "DATA"),
      options = c("reps", "seed", "misspecified", "cutoff_draw", "extra_figure", "workers",
                  "resume", "format", "out", "criteria", "by", "levels", "rungs",
                  fitting_options(), "quiet"),
      help =
      paste0("Shows what CFI, TLI, RMSEA and SRMR come to when the model is correctly ",
             "specified and when it is misspecified by stated amounts; with --by the changes ",
             "from rung to rung. ",
             "Exit code 0; 1: not identified or not converged; 2: bad input."),
      example = "orizzonte cutoffs choirs.yaml choirs.csv --reps 200 --seed 1",
      run = command_cutoffs
    ),
    plan = list(
      does = "how many cases a study needs: power, bias and coverage",
      files = "BLUEPRINT",
      options = c("n", "truth", "truth_units", "power", "reps", "seed", "missing",
                  "missing_given", "skew", "kurtosis", "inference", "extra_figure", "workers",
                  "resume", "format", "out", "quiet"),
      help =
      paste0("Draws data of each size from the blueprint with the values of --truth, fits them ",
             "and counts; with --power by formula instead. Exit code 0; 2: bad input."),
      example =
      paste0("orizzonte plan choirs.yaml --n '200; 400' --truth 'loading[ , ]=.7; ",
             "covariance[Calm, Staying]=.3' --seed 1"),
      run = command_plan
    )
  )
}

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
